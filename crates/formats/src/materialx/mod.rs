//! MaterialX documents (an open standard for procedural surfaces): read from XML into plain nodes, and written. Nodes that the standard's
//! own library makes of other nodes are read as those: the library's files lie in `materialx/` of this package.

mod library;
mod resolve;
mod tree;
mod value;
mod write;

pub use write::{Written, write_document};

use crate::mesh::{Fault, ReadFault};
use ember_ridge_core::FindingKind;
use ember_ridge_core::document::Document;

/// Pictures that a document may read: their bytes by the path it gives them.
pub type Pictures<'a> = &'a (dyn Fn(&str) -> Option<Vec<u8>> + Sync);

/// Nodes that read each other may be so many deep: they are followed one inside the other, on a stack of their own.
const STACK: usize = 64 << 20;

/// Reads a document from the bytes of a file named `file`; pictures come from beside it.
///
/// # Errors
/// A [`ReadFault`] with the line for what is no well-formed document, leads back to itself, refers to what is not there, or is large
/// beyond reason. What is merely not understood is no error: the document tells it.
pub fn read_document(file: &str, bytes: &[u8], pictures: Pictures) -> Result<Document, ReadFault> {
    let read = || -> Result<Document, Fault> {
        let tree = tree::Tree::read(bytes)?;
        let mut document = resolve::resolve(&tree, pictures)?;
        let mut hasher = blake3::Hasher::new();
        hasher.update(bytes);
        for picture in &document.pictures {
            hasher.update(picture.file.as_bytes());
            hasher.update(&pictures(&picture.file).unwrap_or_default());
        }
        document.key = hasher.finalize().to_string();
        Ok(document)
    };
    let on_its_own: Result<Document, Fault> = std::thread::scope(|scope| {
        let started = std::thread::Builder::new().stack_size(STACK).spawn_scoped(scope, read);
        let broken = |why: &str| Fault::new("the whole file", why, "Try again with less work on this machine");
        started.map_err(|fault| broken(&fault.to_string()))?.join().map_err(|_| broken("it could not be read"))?
    });
    on_its_own.map_err(|fault| fault.of(file, FindingKind::Unreadable))
}

/// Paths of the pictures that a document reads, as it gives them.
///
/// # Errors
/// As [`read_document`].
pub fn pictures_of(file: &str, bytes: &[u8]) -> Result<Vec<String>, ReadFault> {
    let mut files: Vec<String> = Vec::new();
    for picture in read_document(file, bytes, &|_| None)?.pictures {
        if !files.contains(&picture.file) {
            files.push(picture.file);
        }
    }
    Ok(files)
}
