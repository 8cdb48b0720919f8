//! What goes over the wire about masks.

use ember_ridge_core::Recipe;
use ember_ridge_core::finish::{Finish, Mask, PatternInfo, PatternSettings, SignalInfo};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// What masks are made of: every signal and every pattern, as the page shows them.
#[derive(Debug, Serialize, JsonSchema)]
pub struct MaskChoices {
    pub signals: Vec<SignalInfo>,
    pub patterns: Vec<PatternLine>,
    /// An end of a range this far off leaves its side open.
    pub open_end: f32,
}

/// A pattern, with its settings before anyone changes them.
#[derive(Debug, Serialize, JsonSchema)]
pub struct PatternLine {
    pub info: PatternInfo,
    pub fresh: PatternSettings,
}

/// How far measuring has come.
#[derive(Debug, Serialize, JsonSchema)]
pub struct MeasuringShare {
    /// Share that is done, 0 to 1; none while nothing is being measured, or its amount is not known yet.
    pub share: Option<f32>,
}

/// A finish to start from, in lengths that suit the asset.
#[derive(Debug, Serialize, JsonSchema)]
pub struct ReadyFinishLine {
    pub explains: String,
    pub tags: Vec<String>,
    pub finish: Finish,
}

/// A mask to start from, in lengths that suit the asset.
#[derive(Debug, Serialize, JsonSchema)]
pub struct PresetLine {
    pub id: String,
    pub explains: String,
    pub sentence: String,
    pub mask: Mask,
}

/// A place of the low-poly: a triangle by number, and a point on it, scene units.
#[derive(Clone, Copy, Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct PickedPlace {
    pub triangle: u32,
    pub point: [f32; 3],
}

/// A question about a draft at a place of its low-poly.
#[derive(Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct AskedAt {
    pub recipe: Recipe,
    pub at: PickedPlace,
}

/// Places that should be in a mask, and places that should not.
#[derive(Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct AskedByExample {
    pub recipe: Recipe,
    pub examples: Vec<PickedExample>,
}

#[derive(Clone, Copy, Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct PickedExample {
    pub at: PickedPlace,
    pub wanted: bool,
}

/// The name of a region; none where a place lies in none.
#[derive(Debug, Serialize, JsonSchema)]
pub struct RegionName {
    pub name: Option<String>,
}
