//! What goes over the wire about reaches and texels.

use super::DisplayArray;
use ember_ridge_core::reach::{MarkKind, ResolvedReach};
use ember_ridge_core::review::Trace;
use schemars::JsonSchema;
use serde::Serialize;

/// What stands at the head of an envelope, as at that of a display mesh. Arrays of floats: out and in, one per corner of the
/// low-poly; cage, three per corner, when there is one; marks, five each (place, kind in the order of `MarkKind`, by); spots,
/// four each (place, why in the order of `FitLimit`); needles, ten each (start, place on the low-poly, end, fate in
/// the order of `NeedleFate`).
#[derive(Debug, Serialize, JsonSchema)]
pub struct EnvelopeHeader {
    pub reach: ResolvedReach,
    /// Length of the low-poly's bounding diagonal, scene units: what percentages refer to.
    pub diagonal: f32,
    /// Points the low-poly was probed at.
    pub probed: u32,
    pub parts: Vec<PartReachLine>,
    pub marks: Vec<MarkCount>,
    pub needles: NeedleCounts,
    /// Some rays are plumb.
    pub plumb: bool,
    pub arrays: Vec<DisplayArray>,
}

/// Reaches of a part, from the least to the most over its vertices.
#[derive(Debug, Serialize, JsonSchema)]
pub struct PartReachLine {
    pub part: String,
    pub out: [f32; 2],
    #[serde(rename = "in")]
    pub inward: [f32; 2],
}

/// How often an envelope falls short in one way, over the points probed, and by how much at most.
#[derive(Debug, Serialize, JsonSchema)]
pub struct MarkCount {
    pub kind: MarkKind,
    pub count: u32,
    pub most: f32,
}

/// Needles by what became of them.
#[derive(Debug, Serialize, JsonSchema)]
pub struct NeedleCounts {
    pub hit: u32,
    pub miss: u32,
    pub back_face: u32,
    pub wrong_part: u32,
}

/// The story of a texel, and map values.
#[derive(Debug, Serialize, JsonSchema)]
pub struct TraceView {
    pub trace: Trace,
    pub maps: Vec<TexelMap>,
}

/// One texel of a run: its channels in each map, 0..1, in the file's own steps.
#[derive(Debug, Serialize, JsonSchema)]
pub struct TexelView {
    pub x: u32,
    pub y: u32,
    pub maps: Vec<TexelMap>,
}

#[derive(Debug, Serialize, JsonSchema)]
pub struct TexelMap {
    pub map: String,
    pub channels: Vec<f32>,
    /// What the channels mean: a direction, a region's name, a share.
    pub words: String,
}
