//! A bake: a plan made from meshes and a recipe, worked off tile by tile. A tile is a pure function of the two, so any
//! thread may do any tile in any order and the bytes are the same.

mod apart;
mod around;
mod canvas;
mod closed;
mod counts;
mod estimate;
mod facts;
mod judged;
mod kept;
mod mended;
mod mips;
mod outcome;
mod padding;
mod plan;
mod report;
mod run;
mod shares;
mod slopes;
mod spool;

pub use apart::{BlockStore, Blocks, Made, MadeBlock, join, run_apart};
pub use around::{Around, AroundMap};
pub use canvas::{Canvas, PREVIEW_SIDE, Preview};
pub use counts::Counts;
pub use estimate::{Estimate, estimate};
pub use facts::MapFacts;
pub use kept::KeptTiles;
pub use mips::{Mixing, mixing};
pub use outcome::{BakedMap, Layer, Outcome};
pub use plan::{Plan, PlanFault, PlannedMap, first_look};
pub use report::{MapReport, Report, SheetFile};
pub use run::{Ended, SoFar, Unwatched, Watch, on_threads, run, run_into};
pub use shares::{Costs, share_out};
pub use spool::{MemorySpool, Spool};
