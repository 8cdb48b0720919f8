//! Finished tiles of a job: a file for each block of them, whole under its name or not there. A file tells which job and block it is of and
//! ends in a checksum, so that one that a failing disk tore is known for what it is.

use blake3::Hash;
use ember_ridge_core::bake::{BlockStore, Blocks, MadeBlock, Spool};
use ember_ridge_core::hits::HitKey;
use parking_lot::Mutex;
use rustc_hash::FxHashMap;
use std::collections::VecDeque;
use std::io::{self, Write};
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// First bytes of the file; the number rises when others could not read what follows.
const HEAD: &[u8; 16] = b"EmberRidgeTile1\n";
/// After them: the job's key, the number of the block, thread seconds, how many parts and how many hits there are.
const FIXED: usize = HEAD.len() + 32 + 4 + 8 + 4 + 4;
const PART: usize = 8 + 4;
const HIT: usize = 32 + 4;
/// Files that wait to be whole begin so.
pub(super) const UNFINISHED: &str = ".tile-";
/// Blocks in a folder.
const IN_FOLDER: u32 = 1000;
/// Bytes of blocks that are kept in memory while tiles are joined.
const MOST_AT_HAND: usize = 64 << 20;

/// The tiles of a job.
pub struct JobTiles {
    folder: PathBuf,
    key: Hash,
    blocks: Blocks,
    maps: usize,
    keeps_hits: bool,
    at_hand: Mutex<AtHand>,
}

#[derive(Default)]
struct AtHand {
    blocks: FxHashMap<u32, Arc<MadeBlock>>,
    /// In the order they came.
    order: VecDeque<u32>,
    bytes: usize,
}

/// Why a block is of no use.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum NoTile {
    Missing,
    Torn,
}

impl JobTiles {
    /// The tiles in a folder, of the job with this key, with so many maps.
    pub fn new(folder: PathBuf, key: Hash, blocks: Blocks, maps: usize, keeps_hits: bool) -> JobTiles {
        JobTiles { folder, key, blocks, maps, keeps_hits, at_hand: Mutex::default() }
    }

    /// Where a block lies.
    pub fn path(&self, block: u32) -> PathBuf {
        self.folder.join(format!("{:04}", block / IN_FOLDER)).join(format!("{block:07}.tile"))
    }

    /// The number of the block that a file holds, by its name.
    pub(super) fn block_of(path: &Path) -> Option<u32> {
        path.file_name()?.to_str()?.strip_suffix(".tile")?.parse().ok()
    }

    /// A block as it lies there.
    ///
    /// # Errors
    /// It is not there, or damaged, or of another job; or what the file system answers.
    pub fn read(&self, block: u32) -> io::Result<Result<MadeBlock, NoTile>> {
        match std::fs::read(self.path(block)) {
            Ok(bytes) => Ok(parse(&bytes, &self.key, block).ok_or(NoTile::Torn)),
            Err(fault) if fault.kind() == io::ErrorKind::NotFound => Ok(Err(NoTile::Missing)),
            Err(fault) => Err(fault),
        }
    }

    fn write(&self, block: u32, made: &MadeBlock) -> io::Result<()> {
        let path = self.path(block);
        let folder = path.parent().unwrap_or(&self.folder);
        std::fs::create_dir_all(folder)?;
        let mut builder = tempfile::Builder::new();
        #[cfg(unix)]
        {
            // As any file that is made: others may read it.
            use std::os::unix::fs::PermissionsExt;
            builder.permissions(std::fs::Permissions::from_mode(0o666));
        }
        let mut file = builder.prefix(UNFINISHED).tempfile_in(folder)?;
        file.write_all(&bytes_of(&self.key, block, made))?;
        file.persist(path).map_err(|fault| fault.error)?;
        Ok(())
    }

    /// A block, kept at hand for its other parts.
    fn fetched(&self, block: u32) -> io::Result<Option<Arc<MadeBlock>>> {
        if let Some(made) = self.at_hand.lock().blocks.get(&block) {
            return Ok(Some(made.clone()));
        }
        let Ok(made) = self.read(block)? else { return Ok(None) };
        let made = Arc::new(MadeBlock { hits: Vec::new(), ..made });
        let size = |made: &MadeBlock| made.parts.iter().map(|(_, bytes)| bytes.len() + 32).sum::<usize>();
        let mut at_hand = self.at_hand.lock();
        if at_hand.blocks.insert(block, made.clone()).is_none() {
            at_hand.bytes += size(&made);
            at_hand.order.push_back(block);
        }
        while at_hand.bytes > MOST_AT_HAND
            && let Some(oldest) = at_hand.order.pop_front()
            && let Some(oldest) = at_hand.blocks.remove(&oldest)
        {
            at_hand.bytes -= size(&oldest);
        }
        Ok(Some(made))
    }
}

impl BlockStore for JobTiles {
    fn is_done(&self, block: u32) -> bool {
        matches!(self.read(block), Ok(Ok(_)))
    }

    fn keep(&self, block: u32, made: &MadeBlock) -> Result<(), String> {
        self.write(block, made).map_err(|fault| format!("{}: {fault}", self.path(block).display()))
    }

    fn keeps_hits(&self) -> bool {
        self.keeps_hits
    }
}

/// To join tiles from: it takes no others.
impl Spool for JobTiles {
    fn keep(&self, slot: usize, _: Vec<u8>) -> Result<(), String> {
        let (tile, _) = self.blocks.of_slot(slot, self.maps);
        Err(format!("{}: the tile is not part of a block that is made", self.path(self.blocks.of_tile(tile)).display()))
    }

    fn fetch(&self, slot: usize, into: &mut Vec<u8>) -> Result<bool, String> {
        into.clear();
        let (tile, _) = self.blocks.of_slot(slot, self.maps);
        let block = self.blocks.of_tile(tile);
        let made = self.fetched(block).map_err(|fault| format!("{}: {fault}", self.path(block).display()))?;
        let part = made.as_ref().and_then(|made| made.parts.iter().find(|(at, _)| *at == slot));
        into.extend(part.iter().flat_map(|(_, bytes)| bytes));
        Ok(part.is_some())
    }

    fn lasts(&self) -> bool {
        true
    }
}

fn bytes_of(key: &Hash, block: u32, made: &MadeBlock) -> Vec<u8> {
    let mut bytes = HEAD.to_vec();
    bytes.extend(key.as_bytes());
    bytes.extend(block.to_le_bytes());
    bytes.extend(made.seconds.to_le_bytes());
    bytes.extend((made.parts.len() as u32).to_le_bytes());
    bytes.extend((made.hits.len() as u32).to_le_bytes());
    for (slot, part) in &made.parts {
        bytes.extend((*slot as u64).to_le_bytes());
        bytes.extend((part.len() as u32).to_le_bytes());
    }
    for (key, hit) in &made.hits {
        bytes.extend(key);
        bytes.extend((hit.len() as u32).to_le_bytes());
    }
    made.parts.iter().for_each(|(_, part)| bytes.extend(part));
    made.hits.iter().for_each(|(_, hit)| bytes.extend(hit));
    let checksum = blake3::hash(&bytes);
    bytes.extend(checksum.as_bytes());
    bytes
}

/// None for what is damaged, or of another job or block.
fn parse(bytes: &[u8], key: &Hash, block: u32) -> Option<MadeBlock> {
    let (body, checksum) = bytes.split_at_checked(bytes.len().checked_sub(32)?)?;
    if blake3::hash(body).as_bytes() != checksum {
        return None;
    }
    let (fixed, mut rest) = body.split_at_checked(FIXED)?;
    let word = |from: &[u8], at: usize| Some(u32::from_le_bytes(*from.get(at..)?.first_chunk()?));
    let at = HEAD.len() + 32;
    if fixed[..HEAD.len()] != HEAD[..] || fixed[HEAD.len()..at] != key.as_bytes()[..] || word(fixed, at)? != block {
        return None;
    }
    let seconds = f64::from_le_bytes(*fixed[at + 4..].first_chunk()?);
    let (parts, hits) = (word(fixed, at + 12)? as usize, word(fixed, at + 16)? as usize);
    let mut take = |count: usize| {
        let (taken, left) = rest.split_at_checked(count)?;
        rest = left;
        Some(taken)
    };
    let (parts, hits) = (take(parts.checked_mul(PART)?)?, take(hits.checked_mul(HIT)?)?);
    let mut made = MadeBlock { seconds, ..MadeBlock::default() };
    for head in parts.as_chunks::<PART>().0 {
        let slot = u64::from_le_bytes(*head.first_chunk()?) as usize;
        made.parts.push((slot, take(word(head, 8)? as usize)?.to_vec()));
    }
    for head in hits.as_chunks::<HIT>().0 {
        let key: HitKey = *head.first_chunk()?;
        made.hits.push((key, take(word(head, 32)? as usize)?.to_vec()));
    }
    Some(made)
}
