//! Maps as they are looked at.

use super::DisplayArray;
use ember_ridge_core::review::Difference;
use schemars::JsonSchema;
use serde::Serialize;

/// A mip level of a sheet: what a renderer reads at a distance.
#[derive(Debug, Serialize, JsonSchema)]
pub struct MipView {
    /// Times that the sheet is halved.
    pub level: u32,
    /// Texels per side.
    pub side: u32,
    /// Texels that hold some of an island; of these, those that mix in background, and those that mix in another island.
    pub texels: u64,
    pub background: u64,
    pub islands: u64,
}

/// The displaced low-poly against the sculpt.
#[derive(Debug, Serialize, JsonSchema)]
pub struct Subdivisions {
    /// From no subdivision on.
    pub levels: Vec<Subdivision>,
    /// What finishes add to the sculpt is counted in.
    pub finishes: bool,
    /// Why nothing is measured.
    pub unmeasured: Option<String>,
}

/// How far the low-poly is from the sculpt when it is subdivided so often and displaced.
#[derive(Debug, Serialize, JsonSchema)]
pub struct Subdivision {
    pub level: u32,
    pub triangles: u64,
    /// Few enough to be drawn.
    pub drawn: bool,
    /// Distance to the sculpt, scene units; none without one.
    pub off: Option<Difference>,
}

/// What stands at the head of a displaced low-poly: a length in bytes (u32, little endian), this as JSON, then the arrays.
#[derive(Debug, Serialize, JsonSchema)]
pub struct DisplacedHeader {
    pub level: u32,
    pub vertices: u32,
    pub triangles: u32,
    /// position and way, three numbers a vertex: where it lies on the low-poly, and from there to where the map moves it; off, how far
    /// from the sculpt that is, below 0 where it sees none, left out where it is not held against the sculpt; index (u32).
    pub arrays: Vec<DisplayArray>,
}
