//! The sheet: which texels the low-poly covers and where on its surface each sample lies, typed pixels, and padding.
//! It knows no high-poly mesh and no ray.

mod padding;
mod pixels;
mod raster;
mod samples;
mod tiles;

pub use padding::{NO_SOURCE, nearest_covered};
pub use pixels::{Depth, Pixels};
pub use raster::{SheetTriangle, SheetTriangles, TileSamples, rasterise_tile};
pub use samples::{SAMPLE_COUNTS, sample_pattern};
pub use tiles::{TILE, Tile, tiles_in_morton_order};
