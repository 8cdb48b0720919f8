//! Steps that are recorded with a mesh file and taken each time it is read: placing, and safe ways to fix what checks find.
//! They name parts, never face numbers alone, so that they hold for a newer file of the same parts. The file itself stays as it is.

mod uvs;

pub use uvs::{
    DensityStep, MoveUvsStep, NamedPoints, PackStep, PinStep, RelaxStep, SeamsStep, StackStep, StitchStep,
    StraightenStep, UnwrapStep,
};

use glam::Vec3;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use uvs::UvStep;

/// One step. `part` takes one part by name; without it, all of the file.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(tag = "step", rename_all = "kebab-case", deny_unknown_fields)]
pub enum MeshStep {
    /// Makes the mesh larger or smaller about the origin.
    Scale {
        factor: f32,
    },
    /// Lays a mesh of another up axis right.
    Turn {
        turn: Turn,
    },
    /// Moves the mesh, scene units.
    Move {
        by: [f32; 3],
    },
    /// Winds the faces of each shell alike, and shells that look inward outward.
    TurnFaces {
        #[serde(default, skip_serializing_if = "Option::is_none")]
        part: Option<String>,
    },
    /// Makes points closer than `distance` (scene units) one, and drops faces that have no area or stand twice.
    MergePoints {
        #[serde(default, skip_serializing_if = "Option::is_none")]
        part: Option<String>,
        distance: f32,
    },
    /// Makes normals anew: edges up to `degrees` are smooth, sharper ones hard.
    NormalsByAngle {
        #[serde(default, skip_serializing_if = "Option::is_none")]
        part: Option<String>,
        degrees: f32,
    },
    /// Makes normals anew: an edge is hard where it is a UV seam and sharper than `degrees`, and smooth elsewhere.
    NormalsAtSeams {
        #[serde(default, skip_serializing_if = "Option::is_none")]
        part: Option<String>,
        degrees: f32,
    },
    /// Moves UV islands that lie outside the unit square by whole squares, those that fit into it then.
    MoveIslands {
        #[serde(default, skip_serializing_if = "Option::is_none")]
        part: Option<String>,
    },
    /// Gives islands that have no UVs, lie outside the square or on others a place in free space of the sheet.
    LayOut {
        #[serde(default, skip_serializing_if = "Option::is_none")]
        part: Option<String>,
    },
    Seams(SeamsStep),
    Unwrap(UnwrapStep),
    Relax(RelaxStep),
    Pin(PinStep),
    MoveUvs(MoveUvsStep),
    Density(DensityStep),
    Straighten(StraightenStep),
    Stitch(StitchStep),
    Pack(PackStep),
    Stack(StackStep),
}

/// A quarter turn about X.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Turn {
    /// The file has Z up: its Z becomes Y, its Y becomes -Z.
    ZUp,
    /// The other way: its Y becomes Z, its Z becomes -Y.
    YDown,
}

impl Turn {
    pub fn apply(self, p: Vec3) -> Vec3 {
        match self {
            Turn::ZUp => Vec3::new(p.x, p.z, -p.y),
            Turn::YDown => Vec3::new(p.x, -p.z, p.y),
        }
    }
}

/// Edges of low-polys made of sculpts that are cut: what is less sharp there is roughness of the sculpt more often than an edge.
pub const SHARP_OF_MADE: f32 = 80.0;

/// A file has at most this many steps.
pub const MOST_STEPS: usize = 256;

/// Of what is to be done, keeps steps that look for free space on the sheet for later while there are others: space is looked for last,
/// when everything else lies where it belongs.
pub fn room_last<T>(all: &mut Vec<T>, step: impl Fn(&T) -> &MeshStep) {
    if all.iter().any(|one| !step(one).takes_room()) {
        all.retain(|one| !step(one).takes_room());
    }
}

impl MeshStep {
    /// The part it is about; None for the whole file.
    pub fn part(&self) -> Option<&str> {
        match self {
            MeshStep::TurnFaces { part }
            | MeshStep::MergePoints { part, .. }
            | MeshStep::NormalsByAngle { part, .. }
            | MeshStep::NormalsAtSeams { part, .. }
            | MeshStep::MoveIslands { part }
            | MeshStep::LayOut { part } => part.as_deref(),
            _ => None,
        }
    }

    /// UVs made from nothing: cut where edges are sharper than `degrees` and where islands would be stretched too much, and packed with a margin
    /// of texels on a sheet of `size`.
    pub fn fresh_uvs(degrees: f32, margin: f32, size: u32) -> Vec<MeshStep> {
        let unwrap = UnwrapStep { angle: Some(degrees), ..UnwrapStep::default() };
        let pack = PackStep { margin, size, upright: false, keep_density: false };
        vec![MeshStep::Unwrap(unwrap), MeshStep::Pack(pack)]
    }

    /// Whether it changes UVs, or marks what later ones go by.
    pub fn edits_uvs(&self) -> bool {
        self.on_uvs().is_some()
    }

    /// As a step on UVs.
    fn on_uvs(&self) -> Option<&dyn UvStep> {
        Some(match self {
            MeshStep::Seams(step) => step,
            MeshStep::Unwrap(step) => step,
            MeshStep::Relax(step) => step,
            MeshStep::Pin(step) => step,
            MeshStep::MoveUvs(step) => step,
            MeshStep::Density(step) => step,
            MeshStep::Straighten(step) => step,
            MeshStep::Stitch(step) => step,
            MeshStep::Pack(step) => step,
            MeshStep::Stack(step) => step,
            _ => return None,
        })
    }

    /// What it does, as the list of steps says it.
    pub fn words(&self) -> String {
        let of = |part: &Option<String>| part.as_ref().map_or(String::new(), |p| format!(" of {p}"));
        match self {
            MeshStep::Scale { factor } => format!("scaled by {factor}"),
            MeshStep::Turn { turn: Turn::ZUp } => "turned from Z up to Y up".into(),
            MeshStep::Turn { turn: Turn::YDown } => "turned a quarter back about X".into(),
            MeshStep::Move { by: [x, y, z] } => format!("moved by ({x}, {y}, {z})"),
            MeshStep::TurnFaces { part } => format!("faces{} flipped outward", of(part)),
            MeshStep::MergePoints { part, distance: 0.0 } => format!("doubled and empty faces{} removed", of(part)),
            MeshStep::MergePoints { part, distance } => format!("points{} within {distance:.1e} merged", of(part)),
            MeshStep::NormalsByAngle { part, degrees } => {
                format!("normals{} made, hard from {degrees} degrees", of(part))
            }
            MeshStep::NormalsAtSeams { part, degrees } => {
                format!("normals{} made, hard at seams from {degrees} degrees", of(part))
            }
            MeshStep::MoveIslands { part } => format!("islands{} moved into the square", of(part)),
            MeshStep::LayOut { part } => format!("islands{} moved into free space", of(part)),
            _ => self.on_uvs().map_or(String::new(), UvStep::words),
        }
    }

    /// Whether it looks for free space on the sheet.
    fn takes_room(&self) -> bool {
        matches!(self, MeshStep::LayOut { .. })
    }

    /// # Errors
    /// The field, what it holds, what it may hold.
    pub fn validate(&self) -> Result<(), String> {
        let ranged = |name: &str, x: f32, low: f32, high: f32| match x.is_finite() && x >= low && x <= high {
            true => Ok(()),
            false => Err(format!("{name} is {x}; give {low} to {high}")),
        };
        match self {
            MeshStep::Scale { factor } => ranged("factor", *factor, 1e-6, 1e6),
            MeshStep::Move { by } => by.iter().try_for_each(|&x| ranged("by", x, -1e9, 1e9)),
            MeshStep::MergePoints { distance, .. } => ranged("distance", *distance, 0.0, 1e6),
            MeshStep::NormalsByAngle { degrees, .. } | MeshStep::NormalsAtSeams { degrees, .. } => {
                ranged("degrees", *degrees, 0.0, 180.0)
            }
            _ => self.on_uvs().map_or(Ok(()), UvStep::validate),
        }
    }
}
