//! Kept hits: what the primary rays of a run hit, tile by tile, in files that are whole or not there. Each tile is compressed with a
//! checksum of its own: one that is damaged is as good as not there, and is traced again.

mod file;
mod shelf;

pub use file::Made;
pub use shelf::{HitShelf, ShelfRun};

use ember_ridge_core::hits::{HitKey, HitStore};
use file::{Reading, Writing};
use std::io;
use std::path::{Path, PathBuf};

/// Name of the file in the folder.
pub const KEPT_HITS: &str = "kept-hits.bin";

/// Hits that an earlier run kept, hits that this one keeps, or both.
#[derive(Default)]
pub struct KeptHits {
    read: Option<Reading>,
    write: Option<(PathBuf, Writing)>,
}

impl KeptHits {
    /// Opens what `from` keeps, and gets ready to keep hits in `to`, at most so many bytes of them. The folder `to` is made if it
    /// is not there.
    ///
    /// # Errors
    /// The folder, and what is wrong with it: it keeps no hits, or hits of another version, or cannot be written.
    pub fn open(from: Option<&Path>, to: Option<&Path>, most: Option<u64>) -> io::Result<KeptHits> {
        let of =
            |folder: &Path, fault: io::Error| io::Error::new(fault.kind(), format!("{}: {fault}", folder.display()));
        let read = from.map(|from| Reading::open(&from.join(KEPT_HITS)).map_err(|fault| of(from, fault)));
        let write = to.map(|to| match Writing::open(to, most.unwrap_or(u64::MAX)) {
            Ok(write) => Ok((to.join(KEPT_HITS), write)),
            Err(fault) => Err(of(to, fault)),
        });
        Ok(KeptHits { read: read.transpose()?, write: write.transpose()? })
    }

    /// The store for a bake; None when there is nothing to read and nothing to keep.
    pub fn store(&self) -> Option<&dyn HitStore> {
        (self.read.is_some() || self.write.is_some()).then_some(self)
    }

    /// Puts the file in its place, once all tiles are in it; it is the same for any number of threads.
    ///
    /// # Errors
    /// What kept any of it from being written; the folder is then as it was.
    pub fn finish(self) -> io::Result<Option<Made>> {
        self.write.map(|(path, write)| write.finish_in_order(&path)).transpose()
    }
}

impl HitStore for KeptHits {
    fn fetch(&self, key: &HitKey) -> Option<Vec<u8>> {
        self.read.as_ref()?.fetch(key)
    }

    fn keeps(&self) -> bool {
        self.write.is_some()
    }

    fn keep(&self, key: &HitKey, bytes: &[u8]) {
        if let Some((_, write)) = &self.write {
            write.keep(key, bytes);
        }
    }
}
