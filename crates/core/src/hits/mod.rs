//! Primary rays and what they hit: one ray per sample serves every map of a run.

mod floating;
mod lean;
mod packed;
mod ray_plan;
mod resolved;
mod rule;
mod tile;

pub use floating::half_covered;
pub use lean::lean_of;
pub use packed::{HitKey, HitStore};
pub(crate) use ray_plan::Derived;
pub use ray_plan::{RayPlan, TileNumber};
pub use resolved::Resolved;
pub use rule::HitRule;
pub use tile::{CourseAnswer, EarlierHits, Scratch, TileHits, TileSource, trace_courses};
