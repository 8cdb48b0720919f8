//! Runs: the ledger, the queue, how far a bake is, what a final takes, and two runs beside each other.

use ember_ridge_core::bake::Report;
use ember_ridge_core::mend::Mend;
use ember_ridge_core::review::Compared;
use ember_ridge_core::sheet::RegionRectangle;
use ember_ridge_core::{Finding, FindingKind};
use ember_ridge_store::{RunKind, RunStatus};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// One line of the ledger.
#[derive(Clone, Debug, Serialize, JsonSchema)]
pub struct RunView {
    pub id: i64,
    pub number: i64,
    pub kind: RunKind,
    pub status: RunStatus,
    pub created: i64,
    pub size: u32,
    pub samples: u32,
    /// What differs from the run before, in words.
    pub changes: Vec<String>,
    pub error: Option<String>,
    pub bytes: i64,
    /// Ids of the maps that were made.
    pub maps: Vec<String>,
    pub failed_maps: u32,
    /// Findings that are more than notes.
    pub findings: u32,
    pub seconds: Option<f64>,
    /// It waits until it is let go on.
    pub held: bool,
    /// Bytes of finished tiles that it goes on from, or of what its job on a cluster begins with; of a run that has not ended well.
    pub landed: u64,
    /// Small pictures: the content hash by map.
    pub small: BTreeMap<String, String>,
    /// What a person calls it; empty where nobody does.
    pub name: String,
    /// A proof with a star does not age out.
    pub starred: bool,
    /// Only part of its sheets was baked: how much, and into which run; none where everything was.
    pub region: Option<String>,
    /// The cluster that it is, or was, baked on; none where it is baked here.
    pub cluster: Option<String>,
}

/// What a person says of a run; what is left out stays.
#[derive(Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct RunLabel {
    pub name: Option<String>,
    pub starred: Option<bool>,
}

/// Bytes that proofs take on the disk and may take; the oldest go first. What has a star counts for nothing, and neither do finals.
#[derive(Debug, Serialize, JsonSchema)]
pub struct ProofRoom {
    pub held: i64,
    pub most: i64,
    /// Proofs of an asset that are kept, at most.
    pub most_of_asset: i64,
}

#[derive(Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct ProofLimit {
    pub most: i64,
}

/// Some of an asset's runs, newest first, and whether there are older ones.
#[derive(Debug, Serialize, JsonSchema)]
pub struct RunPage {
    pub runs: Vec<RunView>,
    pub more: bool,
    /// What any of the asset's runs can be found by: maps that were made, and kinds of findings.
    pub maps: Vec<String>,
    pub findings: Vec<FindingKind>,
}

/// A run with its report.
#[derive(Debug, Serialize, JsonSchema)]
pub struct RunDetail {
    pub run: RunView,
    pub report: Option<Report>,
    /// Those of the report's findings that tell of what the bake made, worst first; what went into it is told of at its meshes.
    pub findings: Vec<Finding>,
    /// Its maps as a browser can show them.
    pub pictures: Vec<PictureLine>,
}

#[derive(Debug, Serialize, JsonSchema)]
pub struct PictureLine {
    pub map: String,
    pub sheet: u32,
    /// Content hash: the picture lies at `/api/pictures/<hash>`.
    pub hash: String,
    /// Of a large map, whose picture is a smaller copy: sides of its levels that come in squares, the full size first.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub squares: Vec<u32>,
}

#[derive(Debug, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct RunOrder {
    pub kind: RunKind,
    /// Only part of a final, baked into an earlier run.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub region: Option<RegionOrder>,
    /// A final that is baked on the cluster.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub on_cluster: bool,
}

/// A cluster that finals may be baked on.
#[derive(Debug, Serialize, JsonSchema)]
pub struct ClusterView {
    pub name: String,
    pub partition: Option<String>,
    /// Shares that a final is cut into, and threads of each.
    pub shares: u32,
    pub threads: u32,
    /// Why it does not answer now.
    pub fault: Option<String>,
}

/// What of the sheets is baked, and the run that everything else comes from.
#[derive(Debug, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct RegionOrder {
    /// A run of the same asset that has maps.
    pub run: i64,
    pub rectangles: Vec<RegionRectangle>,
}

#[derive(Clone, Debug, Serialize, JsonSchema)]
pub struct ProgressView {
    pub asset: i64,
    pub run: i64,
    pub kind: RunKind,
    pub stage: String,
    /// 0..1.
    pub share: f32,
    pub elapsed: f32,
    /// Seconds left, once enough is done to tell.
    pub left: Option<f32>,
    /// Rays traced per second since the first tile was begun.
    pub rays_per_second: Option<f32>,
    /// What each map takes of the time, so far.
    pub maps: Vec<MapTime>,
}

/// A map's part of the time of a bake.
#[derive(Clone, Debug, Serialize, JsonSchema)]
pub struct MapTime {
    pub map: String,
    /// 0..1; what is left is that of the primary rays.
    pub share: f32,
}

/// What a final will take and write.
#[derive(Debug, Serialize, JsonSchema)]
pub struct Preflight {
    pub files: Vec<PlannedFile>,
    /// Names of files that would be written over files that the asset reads, were both in one folder.
    pub clashes: Vec<String>,
    /// Bytes that it holds in memory, and that the program may hold.
    pub memory: u64,
    pub memory_most: u64,
    /// Bytes that it puts on the disk, its finished tiles until it is done and its files, and what the disk has left.
    pub disk: u64,
    pub disk_left: u64,
    /// Number of the run that sizes of files are estimated from; null where they are those of files that nothing makes smaller.
    pub by_run: Option<i64>,
}

/// A file that a final writes.
#[derive(Debug, Serialize, JsonSchema)]
pub struct PlannedFile {
    pub map: String,
    pub file: String,
    pub bytes: u64,
}

/// How far the maps of two runs are apart.
#[derive(Debug, Default, Serialize, JsonSchema)]
pub struct RunsCompared {
    pub maps: BTreeMap<String, Compared>,
    /// Why others cannot be compared.
    pub faults: BTreeMap<String, String>,
    /// Maps that only one of the two has.
    pub only_a: Vec<String>,
    pub only_b: Vec<String>,
}

/// A run that waits or runs.
#[derive(Debug, Serialize, JsonSchema)]
pub struct QueuedRun {
    pub run: RunView,
    pub asset: i64,
    pub asset_name: String,
}

/// The order in which runs are to be worked on.
#[derive(Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct QueueOrder {
    /// Ids of runs that wait; others keep their places.
    pub runs: Vec<i64>,
}

#[derive(Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct HoldOrder {
    pub held: bool,
}

/// A new mend with what lies beneath it.
#[derive(Debug, Serialize, JsonSchema)]
pub struct NewMend {
    pub mend: Mend,
    /// Maps that it touches nothing of.
    pub idle: Vec<String>,
}
