//! Maps that another program made, on their way into the ledger.

use schemars::JsonSchema;
use serde::Serialize;

/// What files are taken for by their names.
#[derive(Debug, Serialize, JsonSchema)]
pub struct SortedFiles {
    /// What the sheets of the asset are called; one empty name where there is one.
    pub sheets: Vec<String>,
    /// In the order given.
    pub files: Vec<SortedFile>,
}

/// What a file is taken for.
#[derive(Debug, Serialize, JsonSchema)]
pub struct SortedFile {
    pub file: String,
    /// Key of the map that it holds; none where its name does not say.
    pub map: Option<String>,
    /// None where there are several and its name has none of them.
    pub sheet: Option<usize>,
}
