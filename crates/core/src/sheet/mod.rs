//! The sheet: which texels the low-poly covers and where on its surface each sample lies, and padding. It knows no high-poly
//! mesh and no ray.

mod coverage;
mod plan;
mod raster;
mod region;
mod samples;
mod settings;
mod tiles;

pub use coverage::{Coverage, NO_SOURCE, PaddingRows};
pub use plan::{SheetPlan, SheetTable, coverage_of, plan_sheets, sheet_table};
pub use raster::{Candidates, SheetTriangle, SheetTriangles, TileSamples, rasterise_tile};
pub use region::{MOST_RECTANGLES, Region, RegionRectangle};
pub use samples::{SAMPLE_COUNTS, sample_pattern};
pub use settings::{Layout, Padding, SHEET_SIZES, SheetName, SheetSettings};
pub use tiles::{TILE, Tile, tiles_in_morton_order};
