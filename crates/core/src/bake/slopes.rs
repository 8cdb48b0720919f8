//! How fast a map changes from texel to texel: where eight bits would show steps is known only once its range is.

use super::facts::MapFacts;
use crate::inspect::{TexelPlace, Troubles};
use crate::picture::Depth;
use crate::sheet::Tile;
use serde::{Deserialize, Serialize};

/// Octaves below 1 that are told apart.
const OCTAVES: usize = 24;
/// A step is this wide or wider, texels, where it shows; wider ones than the second are plains.
const NARROW: f32 = 3.0;
const WIDE: f32 = 64.0;

/// Texels by their largest change to the next one, in octaves below 1; empty where nobody asks.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub(super) struct Slopes {
    by_octave: Vec<Troubles>,
}

/// Whether a map's steps may show in its file.
pub(super) fn may_step(facts: &MapFacts, dither: bool) -> bool {
    facts.kind().slow && facts.depth == Depth::Eight && !facts.floats() && !dither
}

impl Slopes {
    /// Counts a tile. `values`: the map's, all texels of the tile, in units of which 1 is about the whole; `covered`: numbers of those
    /// that hold something; `place`: where a texel lies.
    pub fn take(
        &mut self,
        tile: &Tile,
        (values, channels, unit): (&[f32], usize, f32),
        covered: &[u32],
        place: impl Fn(usize) -> TexelPlace,
    ) {
        self.by_octave.resize(OCTAVES, Troubles::default());
        let mut holds = vec![false; tile.texels()];
        covered.iter().for_each(|texel| holds[*texel as usize] = true);
        let width = tile.width as usize;
        let value = |texel: usize| &values[texel * channels..][..channels];
        for texel in covered.iter().map(|texel| *texel as usize) {
            // The last of a tile has the one before it.
            let beside = |last: bool, step: usize| if last { texel.checked_sub(step) } else { Some(texel + step) };
            let across = beside((texel + 1) % width == 0, 1);
            let down = beside(texel + width >= tile.texels(), width);
            let next = [across, down].into_iter().flatten().filter(|next| holds[*next]);
            let change =
                |next: usize| value(texel).iter().zip(value(next)).map(|(a, b)| (a - b).abs()).fold(0.0, f32::max);
            let most = next.map(change).fold(0.0f32, f32::max) / unit;
            if most > 0.0 {
                let octave = (-libm::ilogbf(most)).clamp(0, OCTAVES as i32 - 1);
                self.by_octave[octave as usize].add(place(texel));
            }
        }
        self.by_octave.iter_mut().for_each(Troubles::end_tile);
    }

    pub fn merge(&mut self, other: &Slopes) {
        if self.by_octave.len() < other.by_octave.len() {
            self.by_octave.resize(other.by_octave.len(), Troubles::default());
        }
        self.by_octave.iter_mut().zip(&other.by_octave).for_each(|(mine, theirs)| mine.merge(theirs));
    }

    /// Texels where steps of 1/255 of `range` (in the same units) are wide enough to show.
    pub fn stepped(&self, range: f32) -> Troubles {
        let mut stepped = Troubles::default();
        for (octave, troubles) in self.by_octave.iter().enumerate() {
            // In the middle of the octave.
            let change = 1.5 * libm::exp2f(-(octave as f32));
            let width = range / 255.0 / change;
            if (NARROW..=WIDE).contains(&width) {
                stepped.merge(troubles);
            }
        }
        stepped
    }
}
