//! UVs as the page edits them: by triangles, sides and corners of the low-poly as it is drawn.

use ember_ridge_core::surface::Axis;
use ember_ridge_core::uvs::UvSummary;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// What is to be done to the UVs of the low-poly. Sides and corners are three times a triangle plus their number in it; a side begins at
/// the corner of its number.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(tag = "edit", rename_all = "kebab-case", deny_unknown_fields)]
pub enum UvOrder {
    /// Marks sides as seams, or clears them.
    Seams {
        sides: Vec<u32>,
        clear: bool,
    },
    /// Marks the way along edges between two corners.
    SeamPath {
        from: u32,
        to: u32,
        sharpest: bool,
        clear: bool,
    },
    /// Marks edges sharper than so many degrees.
    SharpSeams {
        degrees: f32,
    },
    /// Lays the islands of some triangles flat anew; without any all. `angle` cuts them along seams of their own.
    Unwrap {
        triangles: Vec<u32>,
        angle: Option<f32>,
    },
    /// Relaxes the islands of some triangles; without any all.
    Relax {
        triangles: Vec<u32>,
    },
    Pin {
        corners: Vec<u32>,
        release: bool,
    },
    /// Scales (-1 flips), turns (degrees) and moves (UV units) the islands of some triangles; `within` softly about the first of them.
    Move {
        triangles: Vec<u32>,
        scale: [f32; 2],
        turn: f32,
        by: [f32; 2],
        within: Option<f32>,
    },
    /// Texels per scene unit, at the size of the sheet.
    Density {
        triangles: Vec<u32>,
        texels: f32,
    },
    /// Lays the way along edges between two corners straight.
    Straighten {
        from: u32,
        to: u32,
    },
    /// Joins the islands at a side.
    Stitch {
        side: u32,
    },
    /// Packs all islands, so many texels apart at the size of the sheet.
    Pack {
        margin: f32,
        upright: bool,
        keep_density: bool,
    },
    /// Stacks mirror images.
    Stack {
        axis: Axis,
    },
}

/// The UVs of the low-poly as steps have left them.
#[derive(Debug, Default, Serialize, Deserialize, JsonSchema)]
pub struct UvState {
    /// None without UVs.
    pub summary: Option<UvSummary>,
    /// Before its steps on UVs; none without such steps.
    pub before: Option<UvSummary>,
    /// Sides that are marked and not cut yet, of seams that are not to be cut, and corners that are pinned.
    pub seams: Vec<u32>,
    pub cleared: Vec<u32>,
    pub pins: Vec<u32>,
}

/// What goes along when UVs are moved softly about a triangle, as the step `move-uvs` with `within` does it.
#[derive(Debug, Serialize, Deserialize, JsonSchema)]
pub struct UvFalloff {
    /// Three times a triangle plus the corner's number in it.
    pub corners: Vec<u32>,
    /// How far each goes along, up to 1.
    pub weights: Vec<f32>,
}
