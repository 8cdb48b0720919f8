//! Mends: local touch-ups of finished maps. They are strokes over the low-poly, kept in the recipe and drawn anew onto every later bake, so
//! that the same strokes lie in the same places at any size of the sheet. They are the last thing that happens to a map before padding.

mod field;
mod footprint;
mod scene;
mod settings;
mod space;
mod tools;

pub use field::{MapTexels, MendedTiles};
pub use scene::{Changed, MendMap, MendScene, Mended};
pub use settings::{MOST_MENDS, Mend, MendTool, Mends};
