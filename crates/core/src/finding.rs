//! Findings: located problems with a plain reason and a remedy. Every check, on meshes or on results, answers with
//! these and nothing else, so that the page, the command line and the report read alike.

use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// How much a finding matters. `Fault` stops a bake or spoils it, `Warning` probably spoils it, `Note` is worth knowing.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, TS)]
#[serde(rename_all = "kebab-case")]
pub enum Severity {
    Note,
    Warning,
    Fault,
}

/// What was found. The name is stable: it stands in reports and in the recipe's exceptions.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, TS)]
#[serde(rename_all = "kebab-case")]
pub enum FindingKind {
    Unreadable,
    NotANumber,
    MissingUvs,
    IslandOutside,
    OverlappingUvs,
    MirroredIslands,
    DensitySpread,
    StretchedUvs,
    TurnedFaces,
    NonManifoldEdges,
    HardEdgesWithoutSeam,
    PolygonsTriangulated,
    ZeroAreaFaces,
    ScaleSlip,
    AxisSwap,
    MeshesApart,
    UnpairedPart,
    NamesPairNothing,
    ColoursMerged,
    Misses,
    BackFaceHits,
    RangeClipped,
}

/// Where a finding lies: a part, some of its triangles (numbers within the mesh), and a point to look at.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, TS)]
pub struct Place {
    /// File the part came from, when known.
    pub file: Option<String>,
    pub part: Option<String>,
    /// Triangle numbers in the mesh, at most [`Place::MOST_TRIANGLES`]; `count` tells how many there are in all.
    pub triangles: Vec<u32>,
    pub count: u32,
    /// A point on the model to look at, in scene units.
    pub point: Option<[f32; 3]>,
    /// A point on the sheet to look at, in UV units (origin bottom-left).
    pub uv: Option<[f32; 2]>,
}

impl Place {
    /// A report names this many triangles at most; the rest are only counted.
    pub const MOST_TRIANGLES: usize = 2000;
}

/// One located problem.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
pub struct Finding {
    pub kind: FindingKind,
    pub severity: Severity,
    pub place: Place,
    /// What is wrong, in plain words, with its figures.
    pub reason: String,
    /// What to do about it.
    pub remedy: String,
}
