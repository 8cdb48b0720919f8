//! Texels half on a detail that floats over the surface and half beside it.

use super::troubles::PartResult;
use crate::finding::{Finding, FindingKind, Severity};

pub(super) fn half_covered(result: &PartResult) -> Option<Finding> {
    let troubles = &result.troubles.half_covered;
    let worth = result.worth(troubles)?;
    let texels = result.how_many(troubles, &worth);
    let reason = format!(
        "Details that float up to {:.4} over the surface end on {texels}: part of each lies on the detail, so maps hold something between",
        result.troubles.most_gap
    );
    let remedy =
        "Join the details to the surface with a slope, or let them lie closer; a finer sheet makes the edge narrower";
    Some(Finding::new(FindingKind::HalfCovered, Severity::Note, reason, remedy).at(worth.place))
}
