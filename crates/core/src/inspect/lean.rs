//! Details that are drawn aside.

use super::troubles::PartResult;
use crate::finding::{Finding, FindingKind, Severity};

pub(super) fn leaning(result: &PartResult) -> Option<Finding> {
    let troubles = &result.troubles.leaning;
    let worth = result.worth(troubles)?;
    let texels = result.how_many(troubles, &worth);
    let reason = format!(
        "Details lean on {texels}: drawn up to {:.4} aside, because rays near hard edges run aslant",
        result.troubles.most_shift
    );
    let remedy = "Paint plumb over them at Reach, stroke by stroke or with one click";
    Some(Finding::new(FindingKind::Lean, Severity::Warning, reason, remedy).at(worth.place))
}
