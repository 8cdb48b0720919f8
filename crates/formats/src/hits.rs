//! Kept hits in a folder: what the primary rays of a run hit, tile by tile, in one file that is whole or not there. Each tile is
//! compressed with a checksum of its own (zlib, RFC 1950): one that is damaged is as good as not there, and is traced again.

use ember_ridge_core::hits::{HitKey, HitStore};
use flate2::Compression;
use flate2::read::ZlibDecoder;
use flate2::write::ZlibEncoder;
use std::collections::HashMap;
use std::fs::File;
use std::io::{self, BufReader, BufWriter, Read, Seek, SeekFrom, Write};
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicU64, Ordering};
use std::sync::{Mutex, MutexGuard, PoisonError};

/// Name of the file in the folder.
pub const KEPT_HITS: &str = "kept-hits.bin";
/// First bytes of the file; the number rises when others could not read what follows.
const HEAD: &[u8] = b"Ember Ridge kept hits 1\n";
/// Before each tile: its key, and how many bytes follow.
const RECORD_HEAD: usize = 36;
/// No tile takes more than this packed.
const MOST_BYTES: u64 = 1 << 26;

fn locked<T>(mutex: &Mutex<T>) -> MutexGuard<'_, T> {
    mutex.lock().unwrap_or_else(PoisonError::into_inner)
}

/// Hits that an earlier run kept, hits that this one keeps, or both.
#[derive(Default)]
pub struct KeptHits {
    read: Option<Reading>,
    write: Option<Writing>,
}

struct Reading {
    file: Mutex<File>,
    /// Where each tile lies in the file, and its length there.
    places: HashMap<HitKey, (u64, u32)>,
}

/// What was kept.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Made {
    /// Of the file.
    pub bytes: u64,
    /// Tiles for which there was no room.
    pub left_out: u64,
}

struct Writing {
    most: u64,
    left_out: AtomicU64,
    path: PathBuf,
    temporary: tempfile::NamedTempFile,
    file: Mutex<Result<BufWriter<File>, io::Error>>,
    bytes: AtomicU64,
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
        let read = from.map(|from| Reading::open(from).map_err(|fault| of(from, fault)));
        let write = to.map(|to| Writing::open(to, most.unwrap_or(u64::MAX)).map_err(|fault| of(to, fault)));
        Ok(KeptHits { read: read.transpose()?, write: write.transpose()? })
    }

    /// The store for a bake; None when there is nothing to read and nothing to keep.
    pub fn store(&self) -> Option<&dyn HitStore> {
        (self.read.is_some() || self.write.is_some()).then_some(self)
    }

    /// Puts the file in its place, once all tiles are in it.
    ///
    /// # Errors
    /// What kept any of it from being written; the folder is then as it was.
    pub fn finish(self) -> io::Result<Option<Made>> {
        let Some(Writing { path, temporary, file, bytes, left_out, .. }) = self.write else { return Ok(None) };
        let mut file = file.into_inner().unwrap_or_else(PoisonError::into_inner)?;
        file.flush()?;
        file.get_ref().sync_all()?;
        temporary.persist(&path).map_err(|fault| fault.error)?;
        Ok(Some(Made { bytes: bytes.into_inner(), left_out: left_out.into_inner() }))
    }
}

impl Reading {
    fn open(folder: &Path) -> io::Result<Reading> {
        let wrong = |what: &str| io::Error::new(io::ErrorKind::InvalidData, what.to_owned());
        let path = folder.join(KEPT_HITS);
        if path.metadata().is_ok_and(|about| !about.is_file()) {
            return Err(wrong("kept-hits.bin there is no plain file; give the folder of a bake with --keep-hits"));
        }
        let file = File::open(path).map_err(|fault| match fault.kind() {
            io::ErrorKind::NotFound => {
                io::Error::new(fault.kind(), "no hits are kept there; bake with --keep-hits to keep some")
            }
            _ => fault,
        })?;
        let length = file.metadata()?.len();
        let mut reader = BufReader::new(file);
        let mut head = [0; HEAD.len()];
        if reader.read_exact(&mut head).is_err() || head != HEAD {
            return Err(wrong("its hits were kept by another version of the program; keep them anew with --keep-hits"));
        }
        let mut places = HashMap::new();
        let mut at = HEAD.len() as u64;
        let mut record = [0; RECORD_HEAD];
        // A file that was cut off keeps what is whole.
        while reader.read_exact(&mut record).is_ok() {
            let (key, bytes) = record.split_at(32);
            let bytes = u32::from_le_bytes([bytes[0], bytes[1], bytes[2], bytes[3]]);
            at += RECORD_HEAD as u64;
            if at + u64::from(bytes) > length {
                break;
            }
            places.insert(key.try_into().map_err(|_| wrong("its hits cannot be read"))?, (at, bytes));
            at += u64::from(bytes);
            reader.seek_relative(i64::from(bytes))?;
        }
        Ok(Reading { file: Mutex::new(reader.into_inner()), places })
    }

    fn fetch(&self, key: &HitKey) -> Option<Vec<u8>> {
        let &(at, bytes) = self.places.get(key)?;
        let mut packed = vec![0; bytes as usize];
        {
            let mut file = locked(&self.file);
            file.seek(SeekFrom::Start(at)).ok()?;
            file.read_exact(&mut packed).ok()?;
        }
        let mut whole = Vec::new();
        ZlibDecoder::new(packed.as_slice()).take(MOST_BYTES).read_to_end(&mut whole).ok()?;
        Some(whole)
    }
}

impl Writing {
    fn open(folder: &Path, most: u64) -> io::Result<Writing> {
        std::fs::create_dir_all(folder)?;
        let mut builder = tempfile::Builder::new();
        #[cfg(unix)]
        {
            // As any file that is made: others may read it.
            use std::os::unix::fs::PermissionsExt;
            builder.permissions(std::fs::Permissions::from_mode(0o666));
        }
        let temporary = builder.prefix(".kept-hits").tempfile_in(folder)?;
        let mut file = BufWriter::new(temporary.reopen()?);
        file.write_all(HEAD)?;
        let bytes = AtomicU64::new(HEAD.len() as u64);
        Ok(Writing {
            most,
            left_out: AtomicU64::new(0),
            path: folder.join(KEPT_HITS),
            temporary,
            file: Mutex::new(Ok(file)),
            bytes,
        })
    }

    fn keep(&self, key: &HitKey, bytes: &[u8]) {
        let mut packed = ZlibEncoder::new(Vec::new(), Compression::fast());
        let packed = packed.write_all(bytes).and_then(|()| packed.finish());
        let mut slot = locked(&self.file);
        let Ok(file) = &mut *slot else { return };
        let written = packed.and_then(|packed| {
            let length = u32::try_from(packed.len()).map_err(io::Error::other)?;
            let bytes = packed.len() as u64 + RECORD_HEAD as u64;
            if self.bytes.load(Ordering::Relaxed).saturating_add(bytes) > self.most {
                self.left_out.fetch_add(1, Ordering::Relaxed);
                return Ok(0);
            }
            file.write_all(key)?;
            file.write_all(&length.to_le_bytes())?;
            file.write_all(&packed)?;
            Ok(bytes)
        });
        match written {
            Ok(bytes) => {
                self.bytes.fetch_add(bytes, Ordering::Relaxed);
            }
            Err(fault) => *slot = Err(fault),
        }
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
        if let Some(write) = &self.write {
            write.keep(key, bytes);
        }
    }
}
