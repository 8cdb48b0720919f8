//! A change of a recipe: what stands at a place of it afterwards. Findings offer them as remedies; edits are lists of them.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use serde_json::Value;

/// One change: what stands at a place of the recipe afterwards.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Change {
    /// The way to the place, such as `["maps", "ao", "rays"]`.
    pub at: Vec<String>,
    /// What is to stand there; left out, the place is cleared. At `+`, the entries to add.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub to: Option<Value>,
}

impl Change {
    /// `to` at the place that `at` leads to.
    pub fn set(at: &[&str], to: impl Into<Value>) -> Change {
        Change { at: at.iter().map(|name| (*name).to_owned()).collect(), to: Some(to.into()) }
    }
}
