//! Hits of many runs in one folder, a file for each, within a budget: what was of no use for longest goes first. A run takes over
//! what any of them holds and keeps what it had to trace.

use super::file::{Reading, UNFINISHED, Writing};
use crate::files::free_room;
use ember_ridge_core::hits::{HitKey, HitStore};
use parking_lot::Mutex;
use std::ffi::OsStr;
use std::fs::File;
use std::io;
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};
use std::time::SystemTime;

/// What the names of its files end in.
const ENDING: &str = "hits";

/// A folder of kept hits.
pub struct HitShelf {
    folder: PathBuf,
    most: AtomicU64,
    /// Held while files come and go.
    order: Mutex<()>,
}

/// A file of the folder.
struct Kept {
    path: PathBuf,
    bytes: u64,
    used: SystemTime,
}

impl HitShelf {
    /// Keeps at most `most` bytes in a folder of its own, which is made when a run first keeps hits. What runs left there that a
    /// kill cut off is removed.
    pub fn new(folder: PathBuf, most: u64) -> HitShelf {
        for entry in std::fs::read_dir(&folder).into_iter().flatten().flatten() {
            if entry.file_name().to_string_lossy().starts_with(UNFINISHED) {
                // It takes room and does no other harm.
                let _ = std::fs::remove_file(entry.path());
            }
        }
        HitShelf { folder, most: AtomicU64::new(most), order: Mutex::default() }
    }

    /// Bytes that may be kept.
    pub fn most(&self) -> u64 {
        self.most.load(Ordering::Relaxed)
    }

    /// Sets how many bytes may be kept, and lets go of what is above that.
    pub fn set_most(&self, most: u64) {
        self.most.store(most, Ordering::Relaxed);
        self.trim();
    }

    /// Bytes that are kept.
    pub fn held(&self) -> u64 {
        self.files().iter().map(|file| file.bytes).sum()
    }

    /// Its files, the one used last first.
    fn files(&self) -> Vec<Kept> {
        let entries = std::fs::read_dir(&self.folder).into_iter().flatten().flatten();
        let own = entries.map(|entry| entry.path()).filter(|path| path.extension() == Some(OsStr::new(ENDING)));
        let kept = |path: PathBuf| {
            let about = path.metadata().ok().filter(|about| about.is_file())?;
            Some(Kept { bytes: about.len(), used: about.modified().ok()?, path })
        };
        let mut files: Vec<Kept> = own.filter_map(kept).collect();
        files.sort_by(|a, b| (b.used, &b.path).cmp(&(a.used, &a.path)));
        files
    }

    fn trim(&self) {
        let _order = self.order.lock();
        let most = self.most();
        let mut held = 0u64;
        for file in self.files() {
            held = held.saturating_add(file.bytes);
            if held > most {
                // What cannot be removed now is tried again with the next run.
                let _ = std::fs::remove_file(&file.path);
                held = held.saturating_sub(file.bytes);
            }
        }
    }

    /// Hits for a run: those that are kept, and room for its own, of which there is never more than half of what the disk has left:
    /// hits only save work, and the run's maps need room too.
    ///
    /// # Errors
    /// A folder that cannot be written.
    pub fn run(&self) -> io::Result<ShelfRun<'_>> {
        let most = self.most().min(free_room(&self.folder) / 2);
        let _order = self.order.lock();
        let open = |Kept { path, .. }: Kept| {
            let reading = Reading::open(&path).ok()?;
            Some(Source { path, reading, used: AtomicBool::new(false), spoilt: AtomicBool::new(false) })
        };
        let reads = self.files().into_iter().filter_map(open).collect();
        let write = (most > 0).then(|| Writing::open(&self.folder, most));
        Ok(ShelfRun { shelf: self, reads, write: write.transpose()? })
    }

    fn unused_name(&self) -> PathBuf {
        let number = |path: &Path| path.file_stem()?.to_str()?.parse::<u64>().ok();
        let last = self.files().iter().filter_map(|file| number(&file.path)).max().unwrap_or(0);
        self.folder.join(format!("{:08}.{ENDING}", last + 1))
    }
}

/// A file that a run may take hits from.
struct Source {
    path: PathBuf,
    reading: Reading,
    used: AtomicBool,
    /// A tile of it could not be read; it goes once the run is done, and its tiles are kept anew by the next.
    spoilt: AtomicBool,
}

/// The hits a run takes over and keeps.
pub struct ShelfRun<'a> {
    shelf: &'a HitShelf,
    reads: Vec<Source>,
    write: Option<Writing>,
}

impl ShelfRun<'_> {
    /// Keeps what was traced, and lets go of what was of no use for longest.
    ///
    /// # Errors
    /// What kept it from being written; what was there before still is.
    pub fn finish(self) -> io::Result<()> {
        for Source { path, used, spoilt, .. } in &self.reads {
            // The time says what was used last. Where either fails the file is of less use, and goes with time.
            let _ = match (spoilt.load(Ordering::Relaxed), used.load(Ordering::Relaxed)) {
                (true, _) => std::fs::remove_file(path),
                (_, true) => File::options().append(true).open(path).and_then(|f| f.set_modified(SystemTime::now())),
                (false, false) => Ok(()),
            };
        }
        let kept = match self.write.filter(|write| !write.is_empty()) {
            Some(write) => {
                let _order = self.shelf.order.lock();
                write.finish(&self.shelf.unused_name()).map(|_| ())
            }
            None => Ok(()),
        };
        self.shelf.trim();
        kept
    }
}

impl HitStore for ShelfRun<'_> {
    fn fetch(&self, key: &HitKey) -> Option<Vec<u8>> {
        let source = self.reads.iter().find(|source| source.reading.holds(key))?;
        let found = source.reading.fetch(key);
        let told = if found.is_some() { &source.used } else { &source.spoilt };
        told.store(true, Ordering::Relaxed);
        found
    }

    fn keeps(&self) -> bool {
        self.write.is_some()
    }

    fn keep(&self, key: &HitKey, bytes: &[u8]) {
        let known = self.reads.iter().any(|source| source.reading.holds(key));
        if let Some(write) = self.write.as_ref().filter(|_| !known) {
            write.keep(key, bytes);
        }
    }
}
