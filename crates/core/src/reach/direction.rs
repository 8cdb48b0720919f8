//! The way rays run.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// The way rays run.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Direction {
    /// Along the mean of the faces around each point: no gaps at hard edges.
    #[default]
    Averaged,
    /// Square to each face: nothing leans, but gaps open at hard edges.
    Plumb,
}
