//! A picture file that a recipe names.

use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// A picture file that a bake reads: a source texture.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct PictureSource {
    pub file: String,
    /// BLAKE3 of the file's bytes, hexadecimal. When given, another file of the same name is refused.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[ts(optional = nullable)]
    pub hash: Option<String>,
}
