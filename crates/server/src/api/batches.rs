//! Batches: assets baked one after the other and delivered by one profile.

use super::RunView;
use ember_ridge_core::deliver::Profile;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// What is to be baked, and how it is delivered.
#[derive(Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct BatchOrder {
    /// Ids, in the order in which they are baked.
    pub assets: Vec<i64>,
    /// Each is delivered by it into a folder of its own name; without one nothing is delivered.
    #[serde(default)]
    pub profile: Option<Profile>,
    /// Leave out those of which nothing has changed since their last final, and since its delivery.
    #[serde(default)]
    pub only_changed: bool,
}

/// A batch and what became of its assets.
#[derive(Debug, Serialize, JsonSchema)]
pub struct BatchView {
    pub id: i64,
    /// Seconds since 1970.
    pub made: i64,
    /// Name of its profile; none where nothing is delivered.
    pub profile: Option<String>,
    pub lines: Vec<BatchLineView>,
}

/// An asset of a batch.
#[derive(Debug, Serialize, JsonSchema)]
pub struct BatchLineView {
    pub asset: i64,
    pub asset_name: String,
    pub state: BatchState,
    /// None where it could not be baked, or was deleted since.
    pub run: Option<RunView>,
    pub delivery: Option<BatchDelivery>,
    /// Why it failed.
    pub fault: Option<String>,
}

/// How far an asset of a batch is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum BatchState {
    Waiting,
    Baking,
    Delivering,
    Done,
    /// Nothing had changed.
    Unchanged,
    Stopped,
    Failed,
}

/// What was delivered of an asset of a batch.
#[derive(Debug, Serialize, JsonSchema)]
pub struct BatchDelivery {
    pub id: i64,
    pub folder: String,
    pub version: u32,
    /// How many checks it passed.
    pub checks: usize,
    /// The contact sheet among its files.
    pub contact: Option<String>,
}
