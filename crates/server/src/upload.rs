//! Files to import: streamed to the disk under no name, and kept only once they were read.

use crate::App;
use crate::fault::{Fault, Result};
use ember_ridge_core::recipe::FileBeside;
use ember_ridge_store::BlobWriter;
use rocket::data::{Data, DataStream, ToByteUnit};
use rocket::http::Status;
use std::cell::RefCell;
use std::io::Write;
use tokio::io::AsyncReadExt;

/// Largest file that is taken.
pub const MOST_GIBIBYTES: u64 = 4;
const MOST_BYTES: u64 = MOST_GIBIBYTES << 30;

/// What is told of one file at most.
pub const MOST_TOLD: usize = 12;

/// Most files that may come with a mesh.
const MOST_BESIDE: usize = 64;

/// The body of an upload. Its end is told from what is asked of it, not cut off in silence.
pub fn open(data: Data<'_>) -> DataStream<'_> {
    data.open((2 * MOST_GIBIBYTES + 1).gibibytes())
}

/// A file that comes in: its own name, and its bytes under no name yet. Dropped, nothing of it stays.
pub struct Incoming {
    pub name: String,
    pub writer: BlobWriter,
}

impl Incoming {
    pub fn new(app: &App, file: &str) -> Result<Incoming> {
        let name = file.rsplit(['/', '\\']).next().unwrap_or(file).trim();
        if name.is_empty() || name.chars().count() > 200 || name.chars().any(char::is_control) {
            return Err(Fault::unusable("The file has no usable name; rename it and import it again"));
        }
        Ok(Incoming { name: name.to_owned(), writer: app.store.blobs.writer()? })
    }

    /// Takes up to `most` bytes of an upload to the disk; how many there were.
    async fn take(&mut self, stream: &mut DataStream<'_>, most: u64) -> Result<u64> {
        let mut stream = stream.take(most);
        let mut chunk = vec![0u8; 1 << 18];
        let mut taken = 0;
        loop {
            let got = stream.read(&mut chunk).await?;
            if got == 0 {
                return Ok(taken);
            }
            taken += got as u64;
            // A slow disk must not keep this thread from others' requests.
            rocket::tokio::task::block_in_place(|| self.writer.write_all(&chunk[..got]))?;
        }
    }

    /// Takes the next file of a body, of so many bytes. `room`: bytes that may still come; it shrinks by them.
    async fn take_one(
        app: &App,
        name: &str,
        bytes: u64,
        room: &mut u64,
        stream: &mut DataStream<'_>,
    ) -> Result<Incoming> {
        let mut file = Incoming::new(app, name)?;
        *room = room.checked_sub(bytes).ok_or_else(|| too_large(&file.name))?;
        if file.take(stream, bytes).await? < bytes {
            return Err(Fault::unusable(format!("{}: it arrived incomplete; import it again", file.name)));
        }
        Ok(file)
    }

    /// Takes all files of a body, by a list of `name:length`.
    pub async fn take_all(app: &App, list: &[String], stream: &mut DataStream<'_>) -> Result<Vec<Incoming>> {
        let mut room = MOST_BYTES;
        let mut files = Vec::new();
        for named in list {
            let usable = || Fault::unusable(format!("file is '{named}'; give a name and a length, such as a.png:204"));
            let (name, bytes) = named_length(named).ok_or_else(usable)?;
            files.push(Incoming::take_one(app, name, bytes, &mut room, stream).await?);
        }
        Ok(files)
    }

    /// Takes all that is left of an upload to the disk.
    pub async fn take_rest(&mut self, stream: &mut DataStream<'_>) -> Result<()> {
        match self.take(stream, MOST_BYTES + 1).await? {
            bytes if bytes > MOST_BYTES => Err(too_large(&self.name)),
            _ => Ok(()),
        }
    }
}

fn too_large(name: &str) -> Fault {
    let text = format!("{name}: larger than the limit of {MOST_GIBIBYTES} GiB. Split it into several files");
    Fault::new(Status::PayloadTooLarge, text)
}

/// Files a mesh may name, and what it asked for while it was read.
pub struct Companions {
    /// With whether the mesh named them.
    files: RefCell<Vec<(Incoming, bool)>>,
    missing: RefCell<Vec<String>>,
}

/// A file's name and its length in bytes from `name:length`.
fn named_length(named: &str) -> Option<(&str, u64)> {
    let (name, bytes) = named.rsplit_once(':')?;
    Some((name, bytes.parse().ok()?))
}

impl Companions {
    /// Takes them off the head of a body, by a list of `name:length`.
    pub async fn take(app: &App, list: &[&str], stream: &mut DataStream<'_>) -> Result<Companions> {
        if list.len() > MOST_BESIDE {
            let (first, count) = (list[MOST_BESIDE], list.len());
            let text = format!(
                "{first}: one of {count} files beside a mesh; at most {MOST_BESIDE} are accepted. Leave some out"
            );
            return Err(Fault::unusable(text));
        }
        let mut room = MOST_BYTES;
        let mut files = Vec::new();
        for named in list {
            let (name, bytes) = named_length(named).ok_or_else(|| {
                Fault::unusable(format!("beside is '{named}'; give a name and a length, such as a.mtl:204"))
            })?;
            files.push((Incoming::take_one(app, name, bytes, &mut room, stream).await?, false));
        }
        Ok(Companions { files: RefCell::new(files), missing: RefCell::default() })
    }

    /// The bytes of the file that a mesh means by `path`.
    pub fn read(&self, path: &str) -> Option<Vec<u8>> {
        let mut files = self.files.borrow_mut();
        let bytes = FileBeside::meant(files.iter().map(|(f, _)| f.name.as_str()), path).and_then(|at| {
            let (file, named) = &mut files[at];
            *named = true;
            file.writer.read_back().ok()
        });
        let mut missing = self.missing.borrow_mut();
        if bytes.is_none() && !missing.iter().any(|m| m == path) {
            missing.push(path.to_owned());
        }
        bytes
    }

    /// Keeps those that were named; also tells what was named and is not there.
    pub fn keep(self) -> Result<(Vec<FileBeside>, Vec<String>)> {
        let mut kept = Vec::new();
        for (file, _) in self.files.into_inner().into_iter().filter(|(_, named)| *named) {
            kept.push(FileBeside { hash: file.writer.keep()?.0, file: file.name });
        }
        Ok((kept, self.missing.into_inner()))
    }
}
