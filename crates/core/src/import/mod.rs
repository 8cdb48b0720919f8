//! Maps that another program made: told apart by their names, and told of like those of a bake, so that whatever is asked of a bake's maps
//! can be asked of them.

mod names;
mod report;

pub use names::{Sorted, SuffixRule, green_named, sort_by_suffix};
pub use report::{ImportFault, ImportedFile, MOST_IMPORTED, Reading, imported_report};
