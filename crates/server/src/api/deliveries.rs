//! Deliveries: profiles to choose from, what one would write, and what was written, checked and changed.

use ember_ridge_core::Finding;
use ember_ridge_core::deliver::Profile;
use ember_ridge_formats::deliver::{Check, FileFacts, PictureFacts};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// A profile to choose.
#[derive(Debug, Serialize, JsonSchema)]
pub struct ProfileLine {
    pub profile: Profile,
    /// It comes with the program and cannot be changed; a copy can.
    pub shipped: bool,
}

/// What is to be delivered, and where.
#[derive(Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct DeliveryOrder {
    pub profile: Profile,
    /// Below the folder that deliveries go to, with `/`.
    pub folder: String,
    /// What was delivered there before is kept beside it; otherwise it is not touched, and nothing is delivered.
    #[serde(default)]
    pub replace: bool,
}

/// What a delivery would write.
#[derive(Debug, Serialize, JsonSchema)]
pub struct DeliveryPlan {
    pub pictures: Vec<PlannedDelivery>,
    /// Worst first; a fault among them forbids it.
    pub findings: Vec<Finding>,
    /// The folder on the server's machine.
    pub place: String,
    /// What would be version 1 of it, or the next.
    pub version: u32,
    /// Something was delivered there already, and would be kept beside it.
    pub taken: bool,
    /// Nothing can be delivered there, and why.
    pub refused: Option<String>,
}

/// A picture file that would be written.
#[derive(Debug, Serialize, JsonSchema)]
pub struct PlannedDelivery {
    pub file: String,
    pub picture: PictureFacts,
    /// As much as it can take on the disk at most, but for its head.
    pub most_bytes: u64,
}

/// What is kept of a delivery.
#[derive(Clone, Debug, Serialize, Deserialize, JsonSchema)]
pub struct DeliveryTold {
    pub profile: String,
    pub files: Vec<FileFacts>,
    pub checks: Vec<Check>,
    /// What differs from the delivery before in the same folder, in words.
    pub changes: Vec<String>,
}

/// A delivery.
#[derive(Debug, Serialize, JsonSchema)]
pub struct DeliveryView {
    /// None where a check failed: nothing was put in its place then.
    pub id: Option<i64>,
    pub asset: i64,
    /// Number of its run.
    pub run: i64,
    /// Below the folder that deliveries go to, with `/`.
    pub folder: String,
    /// The folder on the server's machine.
    pub place: String,
    pub version: u32,
    /// Seconds since 1970; none where nothing was put in its place.
    pub made: Option<i64>,
    #[serde(flatten)]
    pub told: DeliveryTold,
}
