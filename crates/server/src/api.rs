//! What goes over the wire, as types. `describe.rs` makes the API's description from these, and the page's
//! TypeScript types are generated from that.

mod batches;
mod deliveries;
mod display;
mod imports;
mod looks;
mod masks;
mod reach;
mod runs;
mod uvs;

pub use batches::{BatchDelivery, BatchLineView, BatchOrder, BatchState, BatchView};
pub use deliveries::{DeliveryOrder, DeliveryPlan, DeliveryTold, DeliveryView, PlannedDelivery, ProfileLine};
pub use display::{DisplayArray, DisplayHeader, DisplayPart};
pub use imports::{SortedFile, SortedFiles};
pub use looks::{DisplacedHeader, MipView, Subdivision, Subdivisions};
pub use masks::{
    AskedAt, AskedByExample, MaskChoices, MeasuringShare, PatternLine, PickedExample, PickedPlace, PresetLine,
    ReadyFinishLine, RegionName,
};
pub use reach::{EnvelopeHeader, MarkCount, NeedleCounts, PartReachLine, TexelMap, TexelView, TraceView};
pub use runs::{
    ClusterView, HoldOrder, MapTime, NewMend, PictureLine, PlannedFile, Preflight, ProgressView, ProofLimit, ProofRoom,
    QueueOrder, QueuedRun, RegionOrder, RunDetail, RunLabel, RunOrder, RunPage, RunView, RunsCompared,
};
pub use uvs::{UvFalloff, UvOrder, UvState};

use ember_ridge_core::bake::Estimate;
use ember_ridge_core::maps::{MapKind, MapSettings};
use ember_ridge_core::mesh::Facing;
use ember_ridge_core::picture::{Depth, ImageFormat};
use ember_ridge_core::recipe::{FixOrder, Missing};
use ember_ridge_core::surface::Axis;
use ember_ridge_core::{Finding, FindingKind, Mesh, Recipe};
use rocket::request::FromParam;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

#[derive(Debug, Serialize, JsonSchema)]
pub struct AssetLine {
    pub id: i64,
    pub name: String,
}

#[derive(Debug, Deserialize, JsonSchema)]
pub struct NewAsset {
    pub name: String,
}

/// The program that answers.
#[derive(Debug, Serialize, JsonSchema)]
pub struct About {
    pub version: String,
    /// Bytes held in memory between requests, measured now, and the most that may be.
    pub memory_held: u64,
    pub memory_most: u64,
}

/// Bytes of kept hits that there may be.
#[derive(Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct HitsLimit {
    pub most: u64,
}

/// A plane to make over the sculpt.
#[derive(Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct NewPlane {
    pub facing: Facing,
}

/// A low-poly to make of the sculpt.
#[derive(Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct LowPolyOrder {
    pub to: LowPolyTo,
    /// Edges where faces meet at more than so many degrees are kept.
    #[serde(default)]
    pub sharp: Option<f32>,
    /// It is its own mirror image across this axis.
    #[serde(default)]
    pub symmetric: Option<Axis>,
}

/// How few triangles a low-poly has.
#[derive(Clone, Copy, Debug, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum LowPolyTo {
    /// At most so many.
    Triangles(usize),
    /// As many as it takes to move no further than this, scene units.
    Error(f32),
    /// Those of the level so many below the sculpt.
    Level(usize),
}

/// Coarser levels of a sculpt that was refined face by face.
#[derive(Debug, Serialize, Deserialize, JsonSchema)]
pub struct LevelsView {
    /// Faces of each, the finest first.
    pub faces: Vec<usize>,
    /// Why there is none.
    pub none: Option<String>,
}

/// How far the sculpt lies from the low-poly, scene units.
#[derive(Debug, Serialize, Deserialize, JsonSchema)]
pub struct LowOff {
    pub mean: f32,
    /// Ninety-nine of a hundred points are no further off.
    pub p99: f32,
    pub max: f32,
    /// Of each triangle of the low-poly, the furthest of the sculpt's points that lie nearest to it; 0 where none do.
    pub triangles: Vec<f32>,
}

/// Which meshes of an asset: the low-poly or the sculpt.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ToSchema, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Side {
    Low,
    High,
}

impl<'r> FromParam<'r> for Side {
    type Error = ();

    fn from_param(text: &'r str) -> Result<Side, ()> {
        match text {
            "low" => Ok(Side::Low),
            "high" => Ok(Side::High),
            _ => Err(()),
        }
    }
}

/// What a picture is used as.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ToSchema, JsonSchema, rocket::FromFormField)]
#[serde(rename_all = "kebab-case")]
pub enum PictureUse {
    /// The low-poly's own normal map, to make occlusion, curvature and cavity from.
    #[field(value = "normal-map")]
    NormalMap,
    /// Colours over the sculpt's UVs.
    Color,
    /// A term of a mask, whose signal or pattern is a picture.
    Mask,
    /// What a coat sets a channel to, or a term of its place.
    Coat,
}

/// The format of a mesh file that is sent.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, ToSchema, JsonSchema, rocket::FromFormField)]
#[serde(rename_all = "kebab-case")]
pub enum MeshFormat {
    #[default]
    Glb,
    Obj,
}

/// What a mesh file is used as.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, ToSchema, JsonSchema, rocket::FromFormField)]
#[serde(rename_all = "kebab-case")]
pub enum Role {
    Low,
    High,
    Cage,
}

#[derive(Clone, Debug, Serialize, Deserialize, JsonSchema)]
pub struct PartLine {
    pub name: String,
    pub triangles: u32,
}

/// What is known of a mesh file.
#[derive(Clone, Debug, Serialize, Deserialize, JsonSchema)]
pub struct MeshSummary {
    pub bytes: u64,
    pub vertices: u32,
    pub triangles: u32,
    pub parts: Vec<PartLine>,
    pub low_corner: [f32; 3],
    pub high_corner: [f32; 3],
    pub has_uvs: bool,
    /// How many UV sets the file holds.
    pub uv_sets: u32,
    pub has_colors: bool,
    pub normals_from_file: bool,
    /// What is wrong with it as what it is used as: UVs matter on a low-poly only.
    pub findings: Vec<Finding>,
}

impl MeshSummary {
    pub fn of(mesh: &Mesh, bytes: u64, role: Role) -> MeshSummary {
        let (low, high) = mesh.bounds();
        MeshSummary {
            bytes,
            vertices: mesh.positions.len() as u32,
            triangles: mesh.triangles.len() as u32,
            parts: mesh
                .parts
                .iter()
                .map(|p| PartLine { name: p.name.clone(), triangles: p.triangles.len() as u32 })
                .collect(),
            low_corner: low.to_array(),
            high_corner: high.to_array(),
            has_uvs: !mesh.uvs.is_empty(),
            uv_sets: mesh.uv_sets,
            has_colors: !mesh.colors.is_empty(),
            normals_from_file: mesh.normals_from_file,
            findings: ember_ridge_core::inspect::check_mesh(mesh, role == Role::Low),
        }
    }
}

#[derive(Clone, Debug, Serialize, JsonSchema)]
pub struct MeshView {
    pub role: Role,
    pub file: String,
    pub hash: String,
    pub summary: MeshSummary,
    /// What is done to the file each time it is read, in words.
    pub steps: Vec<String>,
}

/// Low and high parts that pair, by number of the low part, counted from 1.
#[derive(Clone, Debug, Serialize, JsonSchema)]
pub struct PairView {
    pub number: u32,
    pub low: String,
    pub high: Vec<PairedPart>,
}

/// A part of the sculpt that a low-poly part sees.
#[derive(Clone, Debug, Serialize, JsonSchema)]
pub struct PairedPart {
    pub name: String,
    /// Why, in a word or two.
    pub why: String,
    /// Decided manually.
    pub by_hand: bool,
    /// Seen only because nothing fits its low-poly part, which then sees everything.
    pub by_default: bool,
}

/// An asset as the page shows it.
#[derive(Clone, Debug, Serialize, JsonSchema)]
pub struct AssetView {
    pub id: i64,
    pub name: String,
    pub revision: i64,
    pub undo: Option<String>,
    pub redo: Option<String>,
    pub recipe: Recipe,
    pub meshes: Vec<MeshView>,
    pub pairs: Vec<PairView>,
    /// How low-poly and sculpt lie to each other.
    pub placing: Option<Finding>,
    pub pair_findings: Vec<Finding>,
    /// Parts of the sculpt that no low-poly part sees.
    pub unseen: Vec<String>,
    /// What to know of a file that was just imported: settings that could not be carried over to it, files it names that did not
    /// come with it.
    pub told: Vec<String>,
    /// The newest runs; older ones by `/api/assets/<id>/runs?before=<number>`.
    pub runs: Vec<RunView>,
    /// How many runs there are, and the bytes of their maps.
    pub run_count: i64,
    pub run_bytes: i64,
    /// What has to be imported before it can be baked.
    pub missing: Option<Missing>,
    /// Length of the box around low-poly and sculpt, corner to corner, scene units; 0 without meshes.
    pub diagonal: f32,
    pub estimates: Option<Estimates>,
}

/// What the meshes of an asset have to be told of, worst first, and what fixing them here would do.
#[derive(Debug, Serialize, JsonSchema)]
pub struct MeshFindings {
    pub findings: Vec<Finding>,
    /// The first fix that each open finding offers, in the order they would be taken.
    pub fixes: Vec<FixLine>,
}

/// A fix in words.
#[derive(Debug, Serialize, JsonSchema)]
pub struct FixLine {
    pub order: FixOrder,
    /// What is done to the files, such as "turn faces of lid".
    pub words: String,
}

/// A finding to accept.
#[derive(Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Acceptance {
    pub kind: FindingKind,
    /// The part it is about; none for one that names no part.
    pub part: Option<String>,
    /// Why it is accepted; none takes that back.
    pub note: Option<String>,
}

/// Names of files that are offered.
#[derive(Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct FileNames {
    pub files: Vec<String>,
}

/// What a file that is offered is taken for.
#[derive(Debug, Serialize, JsonSchema)]
pub struct Offered {
    pub file: String,
    /// None where the name does not say.
    pub role: Option<Role>,
    /// The file of the asset that has its name in that role.
    pub replaces: Option<String>,
    /// It only means something to a mesh that names it: a material library, a texture, a buffer.
    pub beside: bool,
    /// It may name other files.
    pub names_others: bool,
}

/// What settings may be.
#[derive(Debug, Serialize, JsonSchema)]
pub struct Choices {
    /// Extensions of mesh files, and of files they may name.
    pub meshes: Vec<String>,
    pub beside: Vec<String>,
    pub formats: Vec<FormatLine>,
    pub samples: Vec<u32>,
    pub rays: Vec<u32>,
    /// Rays that may be the most where they follow from an error.
    pub most_rays: Vec<u32>,
    /// Smallest and largest error.
    pub ray_errors: [f32; 2],
}

#[derive(Debug, Serialize, JsonSchema)]
pub struct FormatLine {
    pub format: ImageFormat,
    pub label: String,
    pub depths: Vec<Depth>,
    /// For colour only.
    pub color_only: bool,
}

/// A kind of map, and its settings before anyone changes them.
#[derive(Debug, Serialize, JsonSchema)]
pub struct MapLine {
    pub kind: MapKind,
    pub fresh: MapSettings,
}

/// A small picture of one map of an asset as it stands, or why there is none.
#[derive(Debug, Serialize, JsonSchema)]
pub struct Swatch {
    pub map: String,
    /// A PNG as a data URL.
    pub picture: Option<String>,
    pub error: Option<String>,
}

/// The maps of a material as they would be made now, beside those that a run holds.
#[derive(Debug, Serialize, JsonSchema)]
pub struct AgainstLive {
    /// Texels per side.
    pub size: u32,
    pub pictures: Vec<Swatch>,
    pub differences: Vec<LiveDifference>,
}

/// How far a map's file is from what would be made now, of 255, over all texels that hold anything.
#[derive(Debug, Serialize, JsonSchema)]
pub struct LiveDifference {
    pub map: String,
    pub mean: f32,
    /// Ninety-nine of a hundred numbers are no further apart.
    pub p99: f32,
    pub max: f32,
}

/// What a proof and a final of the present recipe will cost, by the rates of the last finished run.
#[derive(Clone, Debug, Serialize, JsonSchema)]
pub struct Estimates {
    pub proof: Estimate,
    /// Of the final.
    pub whole: Estimate,
}

/// An edit that was made to a revision, as the whole recipe.
#[derive(Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Revision {
    /// The revision the recipe was edited from.
    pub base: i64,
    pub recipe: Recipe,
}

/// Bytes on the disk that deleting something frees, or freed.
#[derive(Debug, Serialize, JsonSchema)]
pub struct Freed {
    pub bytes: u64,
}

/// What the primary rays of finals hit, kept on the disk so that later bakes need not trace them.
#[derive(Debug, Serialize, JsonSchema)]
pub struct KeptHitsView {
    /// Bytes that are kept.
    pub held: u64,
    /// Bytes that may be kept.
    pub most: u64,
}

/// What happens while the page is open.
#[derive(Clone, Debug, Serialize, JsonSchema)]
#[serde(tag = "event", rename_all = "kebab-case")]
pub enum Event {
    /// An asset, its runs or its meshes changed; ask for it again.
    Asset {
        asset: i64,
    },
    /// What waits or runs changed.
    Queue,
    Progress(ProgressView),
    /// What is being done with a file that was sent.
    Intake {
        asset: i64,
        file: String,
        stage: String,
    },
    /// UVs of the low-poly are being relaxed: the mean stretch energy so far, 4 where lengths are kept.
    Relaxing {
        asset: i64,
        energy: f64,
    },
    /// A bake is over, whichever way; what changed with it is told by `Asset`.
    Ended {
        run: i64,
    },
}
