//! Questions asked of a plan: what stands against a bake, why a texel is what it is, where rays run, where details lean,
//! what masks see, what finishes cover.

mod asked;
mod checks;
mod compare;
mod displaced;
mod finishes;
mod lean;
mod look;
mod needles;
mod places;
mod plumb_picture;
mod trace_texel;
mod truths;

pub use crate::surface::Difference;
pub use asked::{ASKED_MAPS, AskedTruths, Displaced, LevelTruth, MapFault, TruthsTold, asking, questions};
pub use checks::{Bounds, check_pairs, check_placing, check_together};
pub use compare::{Compared, MapFile, Worst, compare, difference_picture, heat_color};
pub use displaced::{DisplacedMesh, Displacing, MOST_DISPLACED, displaced_levels};
pub use finishes::{CoatView, FinishView};
pub use lean::LeanReport;
pub use look::{Distribution, Looked, Spread, distribution, looked};
pub use needles::{MOST_NEEDLES, Needle, NeedleFate};
pub use places::{MaskAt, MaskView, Proposals, TermAt, TermView};
pub use trace_texel::{Crossing, Fate, RaySide, Trace, TraceNeighbour, TracedRay};
pub use truths::{HEAT_SIDE, NormalReading, Question, TRUTH_POINTS, Truth, TruthPlace, Truths};
