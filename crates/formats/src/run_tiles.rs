//! Finished tiles of a run in a file of its own, so that the run goes on from them after it was stopped or the program was killed. The file
//! only grows: a head that tells which run it is of, then each part with a checksum. What a kill tore is as good as not there.

use ember_ridge_core::bake::Spool;
use parking_lot::Mutex;
use std::collections::HashMap;
use std::fs::File;
use std::io::{self, BufReader, Read, Seek, SeekFrom, Write};
use std::path::{Path, PathBuf};

/// First bytes of the file; the number rises when others could not read what follows.
const HEAD: &[u8] = b"Ember Ridge tiles of a run 1\n";
/// Tells the run: what it was made from and by what.
pub type RunKey = [u8; 32];
/// Before each part: a mark, its slot, its length, and the first half of the BLAKE3 hash of slot, length and bytes.
const MARK: [u8; 4] = *b"tile";
const PART_HEAD: usize = 4 + 8 + 4 + 16;

/// The finished tiles of a run.
pub struct RunTiles {
    path: PathBuf,
    inner: Mutex<Inner>,
}

struct Inner {
    file: File,
    end: u64,
    /// Where the head of each part lies, and the length of its bytes.
    places: HashMap<usize, (u64, u32)>,
}

impl RunTiles {
    /// Opens the tiles of a run, or begins with none: where there is no file yet, or it is of another run.
    ///
    /// The folder is made if it is not there.
    ///
    /// # Errors
    /// The path, and what the file system answers.
    pub fn open(path: &Path, key: &RunKey) -> io::Result<RunTiles> {
        RunTiles::opened(path, key)
            .map_err(|fault| io::Error::new(fault.kind(), format!("{}: {fault}", path.display())))
    }

    fn opened(path: &Path, key: &RunKey) -> io::Result<RunTiles> {
        if let Some(folder) = path.parent() {
            std::fs::create_dir_all(folder)?;
        }
        let mut file = File::options().read(true).write(true).create(true).truncate(false).open(path)?;
        let length = file.metadata()?.len();
        let mut reader = BufReader::new(&file);
        let mut head = [0; HEAD.len() + size_of::<RunKey>()];
        let own = reader.read_exact(&mut head).is_ok() && head[..HEAD.len()] == *HEAD && head[HEAD.len()..] == *key;
        let mut end = head.len() as u64;
        let mut places = HashMap::new();
        let mut part = [0; PART_HEAD];
        while own && reader.read_exact(&mut part).is_ok() {
            let (slot, bytes) = told(&part);
            let next = end + PART_HEAD as u64 + u64::from(bytes);
            if part[..4] != MARK || next > length {
                break;
            }
            places.insert(slot, (end, bytes));
            end = next;
            reader.seek_relative(i64::from(bytes))?;
        }
        drop(reader);
        // What lies beyond was torn.
        file.set_len(if own { end } else { 0 })?;
        if !own {
            file.seek(SeekFrom::Start(0))?;
            file.write_all(&[HEAD, key.as_slice()].concat())?;
        }
        Ok(RunTiles { path: path.to_owned(), inner: Mutex::new(Inner { file, end, places }) })
    }
}

/// Slot and length of a part.
fn told(head: &[u8; PART_HEAD]) -> (usize, u32) {
    let [_, _, _, _, a, b, c, d, e, f, g, h, i, j, k, l, ..] = *head;
    (u64::from_le_bytes([a, b, c, d, e, f, g, h]) as usize, u32::from_le_bytes([i, j, k, l]))
}

fn head_of(slot: usize, bytes: &[u8]) -> io::Result<[u8; PART_HEAD]> {
    let length = u32::try_from(bytes.len()).map_err(io::Error::other)?;
    let mut head = [0; PART_HEAD];
    head[..4].copy_from_slice(&MARK);
    head[4..12].copy_from_slice(&(slot as u64).to_le_bytes());
    head[12..16].copy_from_slice(&length.to_le_bytes());
    let mut hasher = blake3::Hasher::new();
    hasher.update(&head[4..16]).update(bytes);
    head[16..].copy_from_slice(&hasher.finalize().as_bytes()[..16]);
    Ok(head)
}

impl Spool for RunTiles {
    fn keep(&self, slot: usize, bytes: Vec<u8>) -> Result<(), String> {
        let keep = || -> io::Result<()> {
            let part = [head_of(slot, &bytes)?.as_slice(), &bytes].concat();
            let mut inner = self.inner.lock();
            let at = inner.end;
            inner.file.seek(SeekFrom::Start(at))?;
            inner.file.write_all(&part)?;
            inner.end += part.len() as u64;
            inner.places.insert(slot, (at, bytes.len() as u32));
            Ok(())
        };
        keep().map_err(|fault| format!("{}: {fault}", self.path.display()))
    }

    fn fetch(&self, slot: usize, into: &mut Vec<u8>) -> Result<bool, String> {
        into.clear();
        let mut head = [0; PART_HEAD];
        let read = |head: &mut [u8], into: &mut Vec<u8>| -> io::Result<bool> {
            let mut inner = self.inner.lock();
            let Some(&(at, bytes)) = inner.places.get(&slot) else { return Ok(false) };
            into.resize(bytes as usize, 0);
            inner.file.seek(SeekFrom::Start(at))?;
            inner.file.read_exact(head)?;
            inner.file.read_exact(into)?;
            Ok(true)
        };
        let told = |fault: io::Error| format!("{}: {fault}", self.path.display());
        let there = read(&mut head, into).map_err(told)?;
        if there && head_of(slot, into).map_err(told)? != head {
            into.clear();
            let path = self.path.display();
            return Err(format!("{path}: a finished tile was damaged on the disk. Bake the run again"));
        }
        Ok(there)
    }

    fn lasts(&self) -> bool {
        true
    }
}
