//! A picture file that a recipe names.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// A picture file that a bake reads: a source texture.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct PictureSource {
    pub file: String,
    /// BLAKE3 of the file's bytes, hexadecimal. When given, another file of the same name is refused.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub hash: Option<String>,
}
