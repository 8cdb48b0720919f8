//! Which of the surfaces it crosses a ray takes.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Which surface along a ray is taken where it crosses several.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum HitRule {
    /// The first one met from outside.
    #[default]
    Outermost,
    /// The one nearest to the low surface.
    Nearest,
}
