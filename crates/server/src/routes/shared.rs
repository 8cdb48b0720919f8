//! Answers that several requests share, sent from where they are held, and files and zips sent piece by piece from the disk.

use ember_ridge_core::Recipe;
use rocket::http::{ContentType, Header, Status};
use rocket::request::Request;
use rocket::response::{Responder, Response, Result};
use rocket::tokio::io::DuplexStream;
use std::collections::HashSet;
use std::io::Cursor;
use std::sync::Arc;
use tokio_util::io::SyncIoBridge;

const FOREVER: &str = "private, max-age=31536000, immutable";

/// Bytes held in memory.
pub struct Shared {
    kind: ContentType,
    bytes: Arc<Vec<u8>>,
    lasts: bool,
}

impl Shared {
    pub fn new(kind: ContentType, bytes: Arc<Vec<u8>>) -> Shared {
        Shared { kind, bytes, lasts: false }
    }

    /// What lies at the address stays the same: a browser need not ask again.
    pub fn lasting(self) -> Shared {
        Shared { lasts: true, ..self }
    }
}

/// Bytes that several answers share, as the body of one.
pub(super) struct Held(pub(super) Arc<Vec<u8>>);

impl AsRef<[u8]> for Held {
    fn as_ref(&self) -> &[u8] {
        &self.0
    }
}

impl<'r> Responder<'r, 'static> for Shared {
    fn respond_to(self, _: &'r Request<'_>) -> Result<'static> {
        let length = self.bytes.len();
        let mut response = Response::build();
        response.header(self.kind).sized_body(length, Cursor::new(Held(self.bytes)));
        if self.lasts {
            response.header(Header::new("Cache-Control", FOREVER));
        }
        response.ok()
    }
}

/// A blob from the disk, under the tag of its content: a browser that has it is told so.
pub struct Stored {
    pub kind: ContentType,
    pub hash: String,
    pub file: std::fs::File,
    pub length: u64,
    /// The address names the content, so that it can be kept for ever.
    pub forever: bool,
}

impl<'r> Responder<'r, 'static> for Stored {
    fn respond_to(self, request: &'r Request<'_>) -> Result<'static> {
        let tag = format!("\"{}\"", self.hash);
        let age = if self.forever { FOREVER } else { "private, no-cache" };
        let known = request.headers().get_one("If-None-Match").is_some_and(|t| t.split(',').any(|t| t.trim() == tag));
        let mut response = Response::new();
        response.set_header(Header::new("ETag", tag));
        response.set_header(Header::new("Cache-Control", age));
        if known {
            response.set_status(Status::NotModified);
        } else {
            response.set_header(self.kind);
            response.set_sized_body(self.length as usize, rocket::tokio::fs::File::from_std(self.file));
        }
        Ok(response)
    }
}

/// A zip that is sent as it is made.
pub struct Zip {
    reading: DuplexStream,
    name: String,
}

impl Zip {
    /// A zip of this file name; `write` fills it, on a thread of its own.
    pub fn sent(
        name: &str,
        write: impl FnOnce(SyncIoBridge<DuplexStream>) -> std::io::Result<()> + Send + 'static,
    ) -> Zip {
        let (reading, writing) = rocket::tokio::io::duplex(1 << 18);
        let writing = SyncIoBridge::new(writing);
        rocket::tokio::task::spawn_blocking(move || {
            // Whoever went away while it was sent does not mind that it ends; whoever did not finds the zip cut short.
            let _ = write(writing);
        });
        Zip { reading, name: name.chars().map(|c| if c.is_ascii_graphic() && c != '"' { c } else { '_' }).collect() }
    }
}

impl<'r> Responder<'r, 'static> for Zip {
    fn respond_to(self, _: &'r Request<'_>) -> Result<'static> {
        Response::build()
            .header(ContentType::ZIP)
            .raw_header("Content-Disposition", format!("attachment; filename=\"{}\"", self.name))
            .streamed_body(self.reading)
            .ok()
    }
}

/// Names of files that would be written over files that a recipe reads, were both in one folder. Letters count alike in either case, as
/// they do on some disks.
pub fn overwritten<'f>(recipe: &Recipe, files: impl IntoIterator<Item = &'f str>) -> Vec<String> {
    let last = |file: &str| file.rsplit(['/', '\\']).next().unwrap_or(file).to_lowercase();
    let read: HashSet<String> = recipe.files_read().iter().map(|file| last(file)).collect();
    files.into_iter().filter(|file| read.contains(&file.to_lowercase())).map(str::to_owned).collect()
}
