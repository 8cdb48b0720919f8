//! Files that are whole or not there: written under a temporary name in the same folder, then renamed.

use ember_ridge_core::bake::{MemorySpool, Spool};
use std::fs::{self, File};
use std::io::{self, BufWriter, Read, Seek, SeekFrom, Write};
use std::path::Path;
use std::sync::{Arc, Mutex, PoisonError};

/// Writes `path` through `fill`. On any error the temporary file is removed and an older file of that name stays as it was.
///
/// # Errors
/// What `fill`, the file system or the rename answers.
pub fn write_whole(path: &Path, fill: impl FnOnce(&mut BufWriter<File>) -> io::Result<()>) -> io::Result<()> {
    let name = path.file_name().ok_or_else(|| io::Error::new(io::ErrorKind::InvalidInput, "no file name"))?;
    let temporary = path.with_file_name(format!(".{}.{}.tmp", name.to_string_lossy(), std::process::id()));
    let written = File::create(&temporary).and_then(|file| {
        let mut writer = BufWriter::with_capacity(1 << 18, file);
        fill(&mut writer)?;
        writer.flush()?;
        fs::rename(&temporary, path)
    });
    if written.is_err() {
        let _ = fs::remove_file(&temporary);
    }
    written
}

/// Names of the files in a folder and those below it, with `/`, in order. Links to folders are not followed.
///
/// # Errors
/// A folder that cannot be read.
pub fn files_below(folder: &Path) -> io::Result<Vec<String>> {
    let mut names = Vec::new();
    let mut folders = vec![folder.to_owned()];
    while let Some(next) = folders.pop() {
        for entry in fs::read_dir(next)? {
            let entry = entry?;
            let path = entry.path();
            // A link to a folder may lead anywhere, and round in a circle.
            if entry.file_type()?.is_dir() {
                folders.push(path);
                continue;
            }
            if !path.is_file() {
                continue;
            }
            let below = path.strip_prefix(folder).unwrap_or(&path).components();
            let parts: Vec<String> = below.map(|part| part.as_os_str().to_string_lossy().into_owned()).collect();
            names.push(parts.join("/"));
        }
    }
    names.sort();
    Ok(names)
}

/// A spool in a file without a name: finished tiles of a large bake wait on the disk, and the file is gone with the bake,
/// however it ends.
pub struct FileSpool {
    inner: Mutex<SpoolFile>,
}

struct SpoolFile {
    file: File,
    end: u64,
    /// Where each slot's bytes lie, and how many.
    places: Vec<Option<(u64, u64)>>,
}

impl FileSpool {
    /// A spool in `folder`.
    ///
    /// # Errors
    /// What the file system answers.
    pub fn new(folder: &Path) -> io::Result<FileSpool> {
        let file = tempfile::tempfile_in(folder)?;
        Ok(FileSpool { inner: Mutex::new(SpoolFile { file, end: 0, places: Vec::new() }) })
    }
}

impl Spool for FileSpool {
    fn keep(&self, slot: usize, bytes: Vec<u8>) -> Result<(), String> {
        let mut inner = self.inner.lock().unwrap_or_else(PoisonError::into_inner);
        let at = inner.end;
        inner.file.seek(SeekFrom::Start(at)).and_then(|_| inner.file.write_all(&bytes)).map_err(|e| e.to_string())?;
        inner.end += bytes.len() as u64;
        if inner.places.len() <= slot {
            inner.places.resize(slot + 1, None);
        }
        inner.places[slot] = Some((at, bytes.len() as u64));
        Ok(())
    }

    fn fetch(&self, slot: usize, into: &mut Vec<u8>) -> Result<bool, String> {
        into.clear();
        let mut inner = self.inner.lock().unwrap_or_else(PoisonError::into_inner);
        let Some((at, length)) = inner.places.get(slot).copied().flatten() else { return Ok(false) };
        into.resize(length as usize, 0);
        inner.file.seek(SeekFrom::Start(at)).and_then(|_| inner.file.read_exact(into)).map_err(|e| e.to_string())?;
        Ok(true)
    }
}

/// Bytes that the disk of a folder, or of the one that it is to be made in, has left; without end where that cannot be told.
pub fn free_room(folder: &Path) -> u64 {
    let there = folder.ancestors().find(|folder| folder.exists()).unwrap_or(Path::new("."));
    rustix::fs::statvfs(there).map_or(u64::MAX, |disk| disk.f_bavail.saturating_mul(disk.f_frsize))
}

/// Bytes of waiting tiles up to which they wait in memory.
pub const MOST_SPOOLED_IN_MEMORY: u64 = 256 << 20;

/// A spool for a bake that keeps at most `bytes`: in memory when they are few, in a file in `folder` otherwise.
///
/// # Errors
/// What the file system answers.
pub fn spool_for(bytes: u64, folder: &Path) -> io::Result<Arc<dyn Spool>> {
    Ok(match bytes <= MOST_SPOOLED_IN_MEMORY {
        true => Arc::new(MemorySpool::default()),
        false => Arc::new(FileSpool::new(folder)?),
    })
}
