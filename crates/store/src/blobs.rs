//! Files named by the BLAKE3 hash of their bytes. A file appears under its name only when it is whole.

use super::{Result, StoreFault};
use std::collections::HashSet;
use std::fs::{self, File};
use std::io::{self, Seek, SeekFrom, Write};
use std::path::{Path, PathBuf};

/// The blob folder of a data folder.
#[derive(Clone)]
pub struct Blobs {
    folder: PathBuf,
    incoming: PathBuf,
}

/// A blob on its way in: write to it, then [`BlobWriter::keep`] it. Dropped without that, nothing stays.
pub struct BlobWriter {
    file: tempfile::NamedTempFile,
    hasher: blake3::Hasher,
    /// Bytes so far when everything was written in order; the hash is of them.
    bytes: u64,
    /// Something was written out of order: the hash is taken from the whole file at the end.
    jumped: bool,
    folder: PathBuf,
}

fn at(path: &Path) -> impl FnOnce(io::Error) -> StoreFault {
    let path = path.to_path_buf();
    move |error| StoreFault::File { path, error }
}

impl Blobs {
    pub(super) fn open(data: &Path) -> Result<Blobs> {
        let blobs = Blobs { folder: data.join("blobs"), incoming: data.join("incoming") };
        // What lies in `incoming` was never whole.
        if blobs.incoming.exists() {
            fs::remove_dir_all(&blobs.incoming).map_err(at(&blobs.incoming))?;
        }
        for folder in [&blobs.folder, &blobs.incoming] {
            fs::create_dir_all(folder).map_err(at(folder))?;
        }
        Ok(blobs)
    }

    /// Where a blob lies, or would lie.
    ///
    /// # Errors
    /// [`StoreFault::Missing`] when that is no hash.
    pub fn path(&self, hash: &str) -> Result<PathBuf> {
        let plain = hash.len() == 64 && hash.bytes().all(|b| b.is_ascii_hexdigit());
        plain
            .then(|| self.folder.join(&hash[..2]).join(&hash[2..]))
            .ok_or_else(|| StoreFault::Missing("such blob".into()))
    }

    pub fn writer(&self) -> Result<BlobWriter> {
        let file = tempfile::NamedTempFile::new_in(&self.incoming).map_err(at(&self.incoming))?;
        Ok(BlobWriter { file, hasher: blake3::Hasher::new(), bytes: 0, jumped: false, folder: self.folder.clone() })
    }

    /// The folder blobs lie in; its disk is the one with room for what is to be kept.
    pub fn folder(&self) -> &Path {
        &self.folder
    }

    pub fn put(&self, bytes: &[u8]) -> Result<String> {
        let mut writer = self.writer()?;
        writer.write_all(bytes).map_err(at(&self.incoming))?;
        Ok(writer.keep()?.0)
    }

    /// Bytes of a blob, without reading it.
    ///
    /// # Errors
    /// [`StoreFault::Missing`] when there is no such blob.
    pub fn length(&self, hash: &str) -> Result<u64> {
        let path = self.path(hash)?;
        fs::metadata(&path).map(|m| m.len()).map_err(|error| missing_or(error, hash, &path))
    }

    pub fn has(&self, hash: &str) -> bool {
        self.path(hash).is_ok_and(|path| path.is_file())
    }

    /// The bytes of a blob, which are those its name says.
    ///
    /// # Errors
    /// [`StoreFault::Missing`] when there is no such blob, [`StoreFault::Damaged`] when it holds something else by now.
    pub fn read(&self, hash: &str) -> Result<Vec<u8>> {
        let path = self.path(hash)?;
        let bytes = fs::read(&path).map_err(|error| missing_or(error, hash, &path))?;
        if blake3::hash(&bytes).to_hex().as_str() != hash {
            return Err(altered(&path));
        }
        Ok(bytes)
    }

    /// A blob to be read piece by piece, at its start, and its length. It was read through once to see that it is whole.
    ///
    /// # Errors
    /// As [`Blobs::read`].
    pub fn open_blob(&self, hash: &str) -> Result<(File, u64)> {
        let path = self.path(hash)?;
        let mut file = File::open(&path).map_err(|error| missing_or(error, hash, &path))?;
        let mut hasher = blake3::Hasher::new();
        hasher.update_reader(&file).map_err(at(&path))?;
        if hasher.finalize().to_hex().as_str() != hash {
            return Err(altered(&path));
        }
        let length = file.seek(SeekFrom::End(0)).map_err(at(&path))?;
        file.seek(SeekFrom::Start(0)).map_err(at(&path))?;
        Ok((file, length))
    }

    /// A blob of which a part is read that tells by itself whether it is whole: all of it is not looked through.
    ///
    /// # Errors
    /// [`StoreFault::Missing`] when there is no such blob.
    pub fn open_in_parts(&self, hash: &str) -> Result<File> {
        let path = self.path(hash)?;
        File::open(&path).map_err(|error| missing_or(error, hash, &path))
    }

    /// Bytes that these blobs take; those that are not there take none.
    pub(super) fn bytes_of<'a>(&self, hashes: impl Iterator<Item = &'a str>) -> u64 {
        let length = |hash: &str| self.length(hash).unwrap_or(0);
        hashes.map(length).sum()
    }

    /// Removes every blob but these; how many bytes that freed.
    pub(super) fn keep_only(&self, named: &HashSet<String>) -> Result<u64> {
        let mut freed = 0;
        for shelf in fs::read_dir(&self.folder).map_err(at(&self.folder))? {
            let shelf = shelf.map_err(at(&self.folder))?.path();
            let Some(start) = shelf.file_name().and_then(|n| n.to_str()).map(str::to_owned) else { continue };
            for blob in fs::read_dir(&shelf).map_err(at(&shelf))? {
                let blob = blob.map_err(at(&shelf))?;
                let hash = format!("{start}{}", blob.file_name().to_string_lossy());
                if hash.len() == 64 && !named.contains(&hash) {
                    let length = blob.metadata().map_or(0, |m| m.len());
                    fs::remove_file(blob.path()).map_err(at(&blob.path()))?;
                    freed += length;
                }
            }
        }
        Ok(freed)
    }
}

fn missing_or(error: io::Error, hash: &str, path: &Path) -> StoreFault {
    match error.kind() {
        io::ErrorKind::NotFound => StoreFault::Missing(format!("blob {hash}")),
        _ => at(path)(error),
    }
}

fn altered(path: &Path) -> StoreFault {
    let path = path.display();
    StoreFault::Damaged(format!(
        "{path}: its bytes are not those that were stored; the disk or another program changed them. Import the file \
         again, or bake the run again"
    ))
}

impl Write for BlobWriter {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        let written = self.file.write(bytes)?;
        self.hasher.update(&bytes[..written]);
        self.bytes += written as u64;
        Ok(written)
    }

    fn flush(&mut self) -> io::Result<()> {
        self.file.flush()
    }
}

/// Some image formats write their tables last and point back to them.
impl Seek for BlobWriter {
    fn seek(&mut self, to: SeekFrom) -> io::Result<u64> {
        let at = self.file.seek(to)?;
        self.jumped |= at != self.bytes;
        Ok(at)
    }
}

impl BlobWriter {
    /// Bytes written so far.
    pub fn length(&self) -> u64 {
        self.bytes
    }

    /// All that was written so far, before it is decided whether to keep it.
    pub fn read_back(&mut self) -> Result<Vec<u8>> {
        let whole = |file: &mut tempfile::NamedTempFile| -> io::Result<Vec<u8>> {
            file.seek(SeekFrom::Start(0))?;
            let mut bytes = Vec::new();
            io::Read::read_to_end(file, &mut bytes)?;
            file.seek(SeekFrom::End(0))?;
            Ok(bytes)
        };
        whole(&mut self.file).map_err(at(&self.folder))
    }

    /// Puts the blob under its name; returns its hash and its length in bytes.
    pub fn keep(mut self) -> Result<(String, u64)> {
        if self.jumped {
            let whole = |file: &mut tempfile::NamedTempFile| -> io::Result<(blake3::Hasher, u64)> {
                file.seek(SeekFrom::Start(0))?;
                let mut hasher = blake3::Hasher::new();
                hasher.update_reader(&mut *file)?;
                Ok((hasher, file.as_file().metadata()?.len()))
            };
            (self.hasher, self.bytes) = whole(&mut self.file).map_err(at(&self.folder))?;
        }
        let hash = self.hasher.finalize().to_hex().to_string();
        let shelf = self.folder.join(&hash[..2]);
        fs::create_dir_all(&shelf).map_err(at(&shelf))?;
        let path = shelf.join(&hash[2..]);
        // On the disk before it has its name, and the name on the disk before anything refers to it.
        self.file.as_file().sync_all().map_err(at(&path))?;
        self.file.persist(&path).map_err(|e| StoreFault::File { path: path.clone(), error: e.error })?;
        for folder in [&shelf, &self.folder] {
            File::open(folder).and_then(|f| f.sync_all()).map_err(at(folder))?;
        }
        Ok((hash, self.bytes))
    }
}
