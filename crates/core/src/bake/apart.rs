//! A run whose tiles are made apart: by any programs, in any order, some more than once; and joined once all are there. What is kept of a
//! tile is what a run that was cut off finds again, so that joined tiles are the same bytes as those of one run.

use super::canvas::Canvas;
use super::counts::Counts;
use super::outcome::Outcome;
use super::plan::Plan;
use super::run::{Ended, Shared, Tiles, Watch, on_threads, run_in_pool};
use super::spool::{Slots, Spool};
use crate::hits::{HitKey, HitStore, Scratch, TileNumber};
use parking_lot::Mutex;
use rayon::prelude::*;
use serde::{Deserialize, Serialize};
use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};

/// Blocks that a run may be of, however few shares it is for.
const FEW_BLOCKS: usize = 100_000;
/// Blocks that there may be of each share.
const OF_A_SHARE: usize = 64;

/// How the tiles of a run are cut up: into blocks of one tile, or of 4, 16, 64... neighbours along the curve, which are made and kept together.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Blocks {
    pub sheets: usize,
    /// Tiles of a sheet.
    pub tiles: usize,
    /// Tiles along the side of a block.
    pub along: u32,
}

impl Blocks {
    /// Blocks for so many shares: as small as they may be without being too many to keep apart.
    pub fn of(plan: &Plan, shares: usize) -> Blocks {
        let (sheets, tiles) = (plan.rays.sheets.len(), Slots::of(plan).tiles);
        let most = FEW_BLOCKS.max(shares.saturating_mul(OF_A_SHARE));
        let busy = plan.busy_tiles();
        let along = (0..16).map(|step| 1 << step).find(|along: &u32| busy.div_ceil(along.pow(2) as usize) <= most);
        Blocks { sheets, tiles, along: along.unwrap_or(1 << 15) }
    }

    fn of_block(&self) -> usize {
        (self.along as usize).pow(2)
    }

    fn of_sheet(&self) -> usize {
        self.tiles.div_ceil(self.of_block())
    }

    /// The block of a tile.
    pub fn of_tile(&self, tile: TileNumber) -> u32 {
        (tile.sheet * self.of_sheet() + tile.tile / self.of_block()) as u32
    }

    /// The sheet of a block.
    pub fn sheet(&self, block: u32) -> usize {
        block as usize / self.of_sheet().max(1)
    }

    /// The tiles of a block.
    pub fn tiles_of(&self, block: u32) -> impl Iterator<Item = TileNumber> + use<> {
        let (sheet, nth) = (self.sheet(block), block as usize % self.of_sheet().max(1));
        let first = nth * self.of_block();
        (first..(first + self.of_block()).min(self.tiles)).map(move |tile| TileNumber { sheet, tile })
    }

    /// The tile and the part of it that a slot of a run with so many maps stands for; the last part closes the tile.
    pub fn of_slot(&self, slot: usize, maps: usize) -> (TileNumber, usize) {
        let (tile, part) = (slot / (maps + 1), slot % (maps + 1));
        (TileNumber { sheet: tile / self.tiles.max(1), tile: tile % self.tiles.max(1) }, part)
    }
}

/// A block that was made.
#[derive(Debug, Default, PartialEq)]
pub struct MadeBlock {
    /// What belongs into each slot of a spool.
    pub parts: Vec<(usize, Vec<u8>)>,
    /// Hits by what they follow from, where they were asked for.
    pub hits: Vec<(HitKey, Vec<u8>)>,
    /// Seconds that its thread ran for it.
    pub seconds: f64,
}

/// Where blocks are kept. Called from many threads.
pub trait BlockStore: Sync {
    /// Whether a block is there, whoever made it.
    fn is_done(&self, block: u32) -> bool;

    /// Keeps a block.
    ///
    /// # Errors
    /// Why it cannot be kept, in words for the user.
    fn keep(&self, block: u32, made: &MadeBlock) -> Result<(), String>;

    /// Whether hits are to be kept too.
    fn keeps_hits(&self) -> bool;
}

/// What became of blocks that were to be made.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Made {
    pub made: usize,
    /// They were there already.
    pub skipped: usize,
    /// Left, as the watch asked to stop.
    pub left: usize,
    pub rays: u64,
}

/// A block while it is made.
#[derive(Default)]
struct InHand(Mutex<MadeBlock>);

impl Spool for InHand {
    fn keep(&self, slot: usize, bytes: Vec<u8>) -> Result<(), String> {
        self.0.lock().parts.push((slot, bytes));
        Ok(())
    }

    fn fetch(&self, _: usize, into: &mut Vec<u8>) -> Result<bool, String> {
        into.clear();
        Ok(false)
    }

    fn lasts(&self) -> bool {
        true
    }
}

impl HitStore for InHand {
    fn fetch(&self, _: &HitKey) -> Option<Vec<u8>> {
        None
    }

    fn keeps(&self) -> bool {
        true
    }

    fn keep(&self, key: &HitKey, bytes: &[u8]) {
        self.0.lock().hits.push((*key, bytes.to_vec()));
    }
}

/// Makes some blocks of a run on `threads` threads (0 = one a core), each at once and whole, and keeps them. The watch is asked to stop before
/// each block.
///
/// # Errors
/// [`Ended::Spool`] when a block cannot be kept.
pub fn run_apart(
    plan: &Plan,
    threads: usize,
    watch: &dyn Watch,
    (blocks, own): (&Blocks, &[u32]),
    store: &dyn BlockStore,
) -> Result<Made, Ended> {
    on_threads(threads, || {
        let (nowhere, canvas) = (InHand::default(), Canvas::new(plan, true));
        let shared = Shared::of(plan, watch, &canvas, &nowhere);
        let busy = |block: u32| blocks.tiles_of(block).filter(|tile| plan.rays.is_busy(*tile)).count();
        shared.so_far.lock().all = own.iter().map(|block| busy(*block)).sum();
        let next = AtomicUsize::new(0);
        let work = |_: usize| {
            let (mut made, mut scratch) = (Made::default(), Scratch::default());
            while !watch.stopped() && !shared.failed() {
                let Some(&block) = own.get(next.fetch_add(1, Ordering::Relaxed)) else { break };
                if store.is_done(block) {
                    made.skipped += 1;
                    let mut so_far = shared.so_far.lock();
                    so_far.done += busy(block);
                    so_far.taken_over += busy(block);
                    continue;
                }
                let (block_made, counts) = shared.bake_block(blocks, block, store.keeps_hits(), &mut scratch);
                if let Err(fault) = store.keep(block, &block_made) {
                    *shared.fault.lock() = Some(fault);
                    break;
                }
                made.made += 1;
                made.rays += counts.all_rays();
                watch.tile_done(&shared.went(busy(block), &counts), &canvas);
            }
            made
        };
        let threads = rayon::current_num_threads();
        let both = |a: Made, b: Made| Made {
            made: a.made + b.made,
            skipped: a.skipped + b.skipped,
            left: 0,
            rays: a.rays + b.rays,
        };
        let made = (0..threads).into_par_iter().with_max_len(1).map(work).reduce(Made::default, both);
        match shared.fault.into_inner() {
            Some(fault) => Err(Ended::Spool(fault)),
            None => Ok(Made { left: own.len() - made.made - made.skipped, ..made }),
        }
    })
}

impl Shared<'_> {
    /// Makes a block.
    pub(super) fn bake_block(
        &self,
        blocks: &Blocks,
        block: u32,
        keeps_hits: bool,
        scratch: &mut Scratch,
    ) -> (MadeBlock, Counts) {
        let in_hand = InHand::default();
        let hits: Option<&dyn HitStore> = keeps_hits.then_some(&in_hand as _);
        let begun = self.watch.thread_seconds();
        let mut counts = Counts::for_plan(self.plan);
        for tile in blocks.tiles_of(block).filter(|tile| self.plan.rays.is_busy(*tile)) {
            counts = counts.merged(self.bake_tile(tile, (&in_hand, hits), scratch));
        }
        let seconds = self.watch.thread_seconds() - begun;
        (MadeBlock { seconds, ..in_hand.0.into_inner() }, counts)
    }
}

/// Joins the tiles of a run that were made apart and lie in a spool.
///
/// # Errors
/// [`Ended::Missing`] when some are not there; as [`super::run_into`] besides.
pub fn join(plan: &Plan, threads: usize, watch: &dyn Watch, spool: Arc<dyn Spool>) -> Result<Outcome, Ended> {
    on_threads(threads, || run_in_pool(plan, rayon::current_num_threads(), watch, spool, None, Tiles::Given))
}
