//! Where rays start, which way they run and how far: directions on the low-poly, and reaches measured from both meshes.

mod suggest;
mod surface;

pub use suggest::{SuggestedReach, suggest_reach};
pub use surface::{CageFault, LowSurface, SurfacePoint};
