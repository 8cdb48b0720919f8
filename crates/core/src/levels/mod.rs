//! Meshes with fewer triangles made of ones with more: a sculpt reduced to a low-poly, and the coarser levels of a sculpt that was refined
//! face by face.

mod coarser;
mod half;
mod off;
mod patterns;
mod polygons;
mod reduce;
mod refining;

pub use coarser::{Broken, Level, Levels, coarser_levels};
pub use off::Off;
pub use reduce::{ReduceFault, ReduceSettings, ReduceTo, Reduced, reduce};
pub use refining::Refining;
