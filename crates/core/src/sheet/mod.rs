//! The sheet: which texels the low-poly covers and where on its surface each sample lies, typed pixels, and padding.
//! It knows no high-poly mesh and no ray.

mod coverage;
mod image;
mod pixels;
mod raster;
mod samples;
mod texture;
mod tiles;

pub use coverage::{Coverage, NO_SOURCE, PaddingRows};
pub use image::{Coding, Image, linear_to_srgb, srgb_byte_to_linear, srgb_to_linear};
pub use pixels::{Depth, Pixels, quantise};
pub use raster::{SheetTriangle, SheetTriangles, TileSamples, rasterise_tile};
pub use samples::{SAMPLE_COUNTS, sample_pattern};
pub use texture::{Sampler, Wrap};
pub use tiles::{TILE, Tile, tiles_in_morton_order};
