//! Findings: located problems with a plain reason and a remedy. Every check, on meshes or on results, answers with
//! these and nothing else, so that the page, the command line and the report read alike.

use crate::change::Change;
use crate::step::MeshStep;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::cmp::Reverse;

/// How much a finding matters. `Fault` stops a bake or spoils it, `Warning` probably spoils it, `Note` is worth knowing.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Severity {
    Note,
    Warning,
    Fault,
}

/// What was found. The name is stable: it stands in reports and in the recipe's exceptions.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum FindingKind {
    Unreadable,
    /// Part of the file was left out or read in a certain way; the mesh came in.
    ReadInPart,
    NotANumber,
    MissingUvs,
    IslandOutside,
    OverlappingUvs,
    MirroredIslands,
    DensitySpread,
    StretchedUvs,
    TightIslands,
    TurnedFaces,
    InsideOut,
    DoubledPoints,
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
    CageGaps,
    Misses,
    BackFaceHits,
    WrongPartHits,
    Lean,
    RangeClipped,
    /// A sheet holds far more or fewer texels than the picture a map is taken from.
    PictureTexels,
    /// A mask refers to what is not there.
    MaskUnusable,
    /// A mask is black all over.
    MaskEmpty,
    /// A finish or a coat refers to what is not there.
    FinishUnusable,
    /// A placeholder stands where a finish's picture should.
    FinishPicture,
    /// A document that a finish lies on asks for what is not made here.
    FinishDocument,
    /// What a mend lies over has changed since it was made.
    MendGround,
    /// A mend touches nothing.
    MendIdle,
    /// The sculpt stands out beyond where rays start.
    EnvelopeClips,
    /// The two sides of UV seams show something else.
    SeamDifference,
    /// Rays leave more noise than a map should have.
    Noise,
    /// Eight bits are too few for a slow gradient.
    Stepping,
    /// Smaller sizes of the sheet mix in what lies beyond the padding.
    MipBleeding,
    /// Texels at the edge of a detail that floats over the surface hold something between the two.
    HalfCovered,
    /// Two files of a delivery would have one name.
    DeliveryClash,
    /// A delivery lacks what its taker expects.
    DeliveryMissing,
    /// A constant stands in a delivery where the run has no map.
    DeliveryFilled,
    /// A delivery's maps cannot be made as small as they should be.
    DeliverySize,
    /// A delivery's file is too coarse for what it holds.
    DeliveryDepth,
}

impl FindingKind {
    /// Whether it tells of what a bake made; the others tell of what went into it.
    pub fn is_of_result(self) -> bool {
        use FindingKind::*;
        matches!(
            self,
            Misses
                | BackFaceHits
                | WrongPartHits
                | Lean
                | CageGaps
                | ColoursMerged
                | RangeClipped
                | PictureTexels
                | MaskEmpty
                | MendGround
                | MendIdle
                | EnvelopeClips
                | SeamDifference
                | Noise
                | Stepping
                | MipBleeding
                | HalfCovered
        )
    }
}

/// Where a finding lies: a part, some of its triangles (numbers within the mesh), and a point to look at.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
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
    /// Which sheet of the run that is, counted from 0; none where no run is meant.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub sheet: Option<u32>,
}

impl Place {
    /// A report names this many triangles at most; the rest are only counted.
    pub const MOST_TRIANGLES: usize = 2000;
}

/// One located problem.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Finding {
    pub kind: FindingKind,
    pub severity: Severity,
    pub place: Place,
    /// What is wrong, in plain words, with its figures.
    pub reason: String,
    /// What to do about it.
    pub remedy: String,
    /// Safe ways to fix it here, each by one click; the first is the one to try first.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub fixes: Vec<Fix>,
    /// Changes of the recipe that should help, each by one click; the first is the one to try first.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub remedies: Vec<Remedy>,
    /// Why the artist accepts it, when that is so.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub allowed: Option<String>,
}

impl Finding {
    /// A finding on no place in particular, without a fix.
    pub fn new(kind: FindingKind, severity: Severity, reason: impl Into<String>, remedy: impl Into<String>) -> Finding {
        let (reason, remedy) = (reason.into(), remedy.into());
        let (fixes, remedies) = (Vec::new(), Vec::new());
        Finding { kind, severity, place: Place::default(), reason, remedy, fixes, remedies, allowed: None }
    }

    /// The same on a place.
    pub fn at(self, place: Place) -> Finding {
        Finding { place, ..self }
    }

    /// The same on a part as a whole.
    pub fn on_part(self, part: &str) -> Finding {
        self.at(Place { part: Some(part.to_owned()), ..Place::default() })
    }

    /// The same with ways to fix it, the one to try first first.
    pub fn with_fixes(self, fixes: Vec<Fix>) -> Finding {
        Finding { fixes, ..self }
    }

    /// The same with a change of the recipe that should help.
    pub fn with_remedy(mut self, words: impl Into<String>, changes: Vec<Change>) -> Finding {
        self.remedies.push(Remedy { words: words.into(), changes });
        self
    }
}

/// One way to remedy a finding: changes of the recipe, as one edit.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Remedy {
    /// What the button says.
    pub words: String,
    pub changes: Vec<Change>,
}

/// One way to fix a finding: a step that is recorded with the mesh file.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Fix {
    /// What the button says.
    pub words: String,
    pub step: MeshStep,
    /// Which files get the step.
    pub on: FixOn,
}

/// Which files a fix is for.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum FixOn {
    /// The one that was checked.
    File,
    /// Every file of the sculpt.
    Sculpt,
}

impl Fix {
    /// A fix on the file that was checked.
    pub fn of_file(words: impl Into<String>, step: MeshStep) -> Fix {
        Fix { words: words.into(), step, on: FixOn::File }
    }
}

/// A finding that the artist accepts, such as mirrored halves that share texels on purpose.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Exception {
    pub kind: FindingKind,
    /// The part it is about; None for one that names no part.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub part: Option<String>,
    /// Why it is accepted.
    pub note: String,
}

/// Marks the findings that exceptions cover.
pub fn mark_allowed<'a>(findings: impl IntoIterator<Item = &'a mut Finding>, exceptions: &[Exception]) {
    for finding in findings {
        let own = exceptions.iter().find(|e| e.kind == finding.kind && e.part == finding.place.part);
        finding.allowed = own.map(|e| e.note.clone());
    }
}

/// Orders findings as they are read: the worst first, those that were accepted last, and else as they were found.
pub fn worst_first(findings: &mut [Finding]) {
    findings.sort_by_key(|f| (f.allowed.is_some(), Reverse(f.severity)));
}
