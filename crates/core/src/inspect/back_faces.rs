//! Texels whose rays pass through back faces.

use super::troubles::PartResult;
use crate::finding::{Finding, FindingKind};

pub(super) fn back_faces(result: &PartResult) -> Option<Finding> {
    let troubles = &result.troubles.back_faces;
    let worth = result.worth(troubles)?;
    let texels = result.how_many(troubles, &worth);
    let reason = format!("Rays pass through back faces on {texels}");
    let remedy = "Check the sculpt for flipped faces here, or lower reach out so that rays start closer";
    Some(Finding::new(FindingKind::BackFaceHits, worth.severity(), reason, remedy).at(worth.place))
}
