//! What a run keeps of a finished tile besides its values, so that the run, once it was cut off, goes on from there.

use super::counts::Counts;
use super::plan::Plan;
use super::spool::{Slots, Spool};
use crate::hits::TileNumber;
use crate::sheet::Tile;
use serde::{Deserialize, Serialize};

/// The end of a tile: it is kept once all values of the tile are.
#[derive(Serialize, Deserialize)]
struct End {
    counts: Counts,
    /// Which texels of the tile are covered, one bit each, row by row.
    covered: Vec<u64>,
    /// How long the run had taken by then, s.
    seconds: f64,
}

/// A tile that an earlier go of the run finished.
pub(super) struct ClosedTile {
    pub counts: Counts,
    /// Texels that are covered, in order.
    pub covered: Vec<u32>,
    pub seconds: f64,
    /// Values of each map over the covered texels, one after the other; None for maps that cannot be made.
    pub values: Vec<Option<Vec<f32>>>,
}

/// Closes a tile, of which these texels are covered, in a spool that lasts.
///
/// # Errors
/// Why it cannot be kept.
pub(super) fn close(
    spool: &dyn Spool,
    slot: usize,
    landed: (&Tile, &[u32]),
    counts: &Counts,
    seconds: f64,
) -> Result<(), String> {
    let (tile, texels) = landed;
    let mut covered = vec![0u64; tile.texels().div_ceil(64)];
    texels.iter().for_each(|texel| covered[*texel as usize / 64] |= 1 << (texel % 64));
    let bytes = postcard::to_stdvec(&End { counts: counts.clone(), covered, seconds });
    spool.keep(slot, bytes.map_err(|fault| fault.to_string())?)
}

impl ClosedTile {
    /// A tile of the plan as a spool keeps it; None when it is not closed, or anything of it is damaged.
    pub fn fetch(plan: &Plan, spool: &dyn Spool, slots: Slots, number: TileNumber) -> Option<ClosedTile> {
        let mut bytes = Vec::new();
        let mut fetch = |slot: usize| spool.fetch(slot, &mut bytes).ok().filter(|kept| *kept).map(|_| bytes.clone());
        let End { counts, covered, seconds } = postcard::from_bytes(&fetch(slots.end(number))?).ok()?;
        let tile = &plan.rays.sheets[number.sheet].tiles[number.tile];
        let same = counts.fits(plan) && covered.len() == tile.texels().div_ceil(64);
        if !same {
            return None;
        }
        let covered: Vec<u32> =
            (0..tile.texels()).filter(|at| covered[at / 64] >> (at % 64) & 1 == 1).map(|at| at as u32).collect();
        let values = plan.maps.iter().enumerate().map(|(map, planned)| {
            if planned.work.is_err() {
                return Some(None);
            }
            let facts = &planned.facts;
            let bytes = fetch(slots.of_map(number, map))?;
            let count = covered.len() * facts.shape.channels;
            let whole = bytes.len() == count * facts.stored.bytes();
            whole.then(|| Some((0..count).map(|at| facts.stored.unpack(&bytes, at)).collect()))
        });
        Some(ClosedTile { values: values.collect::<Option<_>>()?, counts, covered, seconds })
    }
}
