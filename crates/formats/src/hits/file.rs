//! A file of packed tiles: a head, then each tile's key, length and bytes (zlib, RFC 1950, with its checksum).

use ember_ridge_core::hits::HitKey;
use flate2::Compression;
use flate2::read::ZlibDecoder;
use flate2::write::ZlibEncoder;
use parking_lot::Mutex;
use std::collections::HashMap;
use std::fs::File;
use std::io::{self, BufReader, BufWriter, Read, Seek, SeekFrom, Write};
use std::path::Path;
use std::sync::atomic::{AtomicU64, Ordering};

/// What the names of files begin with that are not whole yet.
pub(super) const UNFINISHED: &str = ".kept-hits";
/// First bytes of the file; the number rises when others could not read what follows.
const HEAD: &[u8] = b"Ember Ridge kept hits 1\n";
/// Before each tile: its key, and how many bytes follow.
const RECORD_HEAD: usize = 36;
/// No tile takes more than this packed.
const MOST_BYTES: u64 = 1 << 26;

/// What was kept.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Made {
    /// Of the file.
    pub bytes: u64,
    /// Tiles for which there was no room.
    pub left_out: u64,
}

/// Tiles that a file holds.
pub(super) struct Reading {
    file: Mutex<File>,
    /// Where each tile lies in the file, and its length there.
    places: HashMap<HitKey, (u64, u32)>,
}

/// Tiles on their way into a file, which is there once all are.
pub(super) struct Writing {
    most: u64,
    left_out: AtomicU64,
    temporary: tempfile::NamedTempFile,
    file: Mutex<Result<BufWriter<File>, io::Error>>,
    bytes: AtomicU64,
}

impl Reading {
    pub fn open(path: &Path) -> io::Result<Reading> {
        let wrong = |what: &str| io::Error::new(io::ErrorKind::InvalidData, what.to_owned());
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
            return Err(wrong(
                "its hits were kept by another version of the program; bake with --keep-hits to keep them again",
            ));
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

    pub fn holds(&self, key: &HitKey) -> bool {
        self.places.contains_key(key)
    }

    /// A tile as it lies in the file.
    fn packed(&self, (at, bytes): (u64, u32)) -> io::Result<Vec<u8>> {
        let mut packed = vec![0; bytes as usize];
        let mut file = self.file.lock();
        file.seek(SeekFrom::Start(at))?;
        file.read_exact(&mut packed)?;
        Ok(packed)
    }

    pub fn fetch(&self, key: &HitKey) -> Option<Vec<u8>> {
        let packed = self.packed(*self.places.get(key)?).ok()?;
        let mut whole = Vec::new();
        ZlibDecoder::new(packed.as_slice()).take(MOST_BYTES).read_to_end(&mut whole).ok()?;
        Some(whole)
    }
}

impl Writing {
    /// Gets ready to write at most so many bytes, to become a file of `folder`.
    pub fn open(folder: &Path, most: u64) -> io::Result<Writing> {
        std::fs::create_dir_all(folder)?;
        let mut builder = tempfile::Builder::new();
        #[cfg(unix)]
        {
            // As any file that is made: others may read it.
            use std::os::unix::fs::PermissionsExt;
            builder.permissions(std::fs::Permissions::from_mode(0o666));
        }
        let temporary = builder.prefix(UNFINISHED).tempfile_in(folder)?;
        let mut file = BufWriter::new(temporary.reopen()?);
        file.write_all(HEAD)?;
        let bytes = AtomicU64::new(HEAD.len() as u64);
        Ok(Writing { most, left_out: AtomicU64::new(0), temporary, file: Mutex::new(Ok(file)), bytes })
    }

    /// Puts the file in its place, once all tiles are in it.
    pub fn finish(self, path: &Path) -> io::Result<Made> {
        let Writing { temporary, file, bytes, left_out, .. } = self;
        let mut file = file.into_inner()?;
        file.flush()?;
        file.get_ref().sync_all()?;
        temporary.persist(path).map_err(|fault| fault.error)?;
        Ok(Made { bytes: bytes.into_inner(), left_out: left_out.into_inner() })
    }

    /// The same with the tiles in the order of their keys, each once: one file, in whatever order they were kept.
    pub fn finish_in_order(self, path: &Path) -> io::Result<Made> {
        let Writing { temporary, file, left_out, .. } = self;
        file.into_inner()?.flush()?;
        let reading = Reading::open(temporary.path())?;
        let mut places: Vec<(&HitKey, &(u64, u32))> = reading.places.iter().collect();
        places.sort_unstable();
        let folder = path.parent().unwrap_or(Path::new(""));
        let ordered = Writing { left_out, ..Writing::open(folder, u64::MAX)? };
        for (key, &place) in places {
            let packed = reading.packed(place)?;
            let mut file = ordered.file.lock();
            let file = file.as_mut().map_err(|fault| io::Error::new(fault.kind(), fault.to_string()))?;
            file.write_all(key)?;
            file.write_all(&place.1.to_le_bytes())?;
            file.write_all(&packed)?;
            ordered.bytes.fetch_add(packed.len() as u64 + RECORD_HEAD as u64, Ordering::Relaxed);
        }
        ordered.finish(path)
    }

    /// No tile is in it.
    pub fn is_empty(&self) -> bool {
        self.bytes.load(Ordering::Relaxed) <= HEAD.len() as u64
    }

    pub fn keep(&self, key: &HitKey, bytes: &[u8]) {
        let mut packed = ZlibEncoder::new(Vec::new(), Compression::fast());
        let packed = packed.write_all(bytes).and_then(|()| packed.finish());
        let mut slot = self.file.lock();
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
