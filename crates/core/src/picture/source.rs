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

/// A file that another names: a material library, a texture, a buffer.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct FileBeside {
    /// The name it is known by there, without folders.
    pub file: String,
    /// BLAKE3 of its bytes, hexadecimal; another file of that name is refused.
    pub hash: String,
}

impl FileBeside {
    /// Which of some names a file means by a path: the one that is its last part, if need be in other case.
    pub fn meant<'a>(mut names: impl Iterator<Item = &'a str> + Clone, path: &str) -> Option<usize> {
        let wanted = path.rsplit(['/', '\\']).next().unwrap_or(path);
        let mut in_any_case = names.clone();
        names.position(|n| n == wanted).or_else(|| in_any_case.position(|n| n.eq_ignore_ascii_case(wanted)))
    }
}
