//! A bake: a plan made from meshes and a recipe, worked off tile by tile. A tile is a pure function of the two, so any
//! thread may do any tile in any order and the bytes are the same.

mod canvas;
mod counts;
mod estimate;
mod few;
mod hits;
mod kept;
mod lean;
mod mask;
mod nearness;
mod needles;
mod outcome;
mod packed;
mod padding;
mod pairs;
mod plan;
mod repeat;
mod report;
mod run;
mod sheets;
mod spool;
mod story;

pub use canvas::{Canvas, PREVIEW_SIDE, Preview};
pub use counts::Counts;
pub use estimate::{Estimate, estimate};
pub use hits::{Scratch, TileHits};
pub use lean::LeanReport;
pub use nearness::shared_space;
pub use needles::{MOST_NEEDLES, Needle, NeedleFate};
pub use outcome::{BakedMap, Outcome};
pub use packed::{HitKey, HitStore};
pub use pairs::{PairRow, PairRules, PairTable, PairedBy, Shares, pair_parts};
pub(crate) use plan::stored_for;
pub use plan::{BakeScene, Plan, PlanFault, PlannedMap};
pub use report::{MapReport, Report, SheetFile};
pub use run::{Ended, Unwatched, Watch, on_threads, run, run_into};
pub use sheets::SheetPlan;
pub use spool::{MemorySpool, Spool};
pub use story::{Crossing, Fate, RaySide, Trace, TraceNeighbour, TracedRay};
