//! A bake: a plan made from meshes and a recipe, worked off tile by tile. A tile is a pure function of the two, so any
//! thread may do any tile in any order and the bytes are the same.

mod hits;
mod pairs;
mod plan;
mod report;
mod run;

pub use hits::TileHits;
pub use pairs::{PairTable, pair_parts, part_stem};
pub use plan::{BakeScene, Plan, PlanFault};
pub use report::{MapReport, Report, ResolvedReach};
pub use run::{BakedMap, Canvas, Counts, Outcome, Unwatched, Watch, run};
