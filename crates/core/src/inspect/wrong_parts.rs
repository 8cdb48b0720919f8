//! Texels whose rays hit what lies with another part.

use super::troubles::PartResult;
use crate::change::Change;
use crate::finding::{Finding, FindingKind};

pub(super) fn wrong_parts(result: &PartResult) -> Option<Finding> {
    let troubles = &result.troubles.wrong_parts;
    let worth = result.worth(troubles)?;
    let texels = result.how_many(troubles, &worth);
    let reason = format!("Rays hit a part that belongs to another low-poly part on {texels}");
    let remedy = "Pair parts by name, by space or manually at Pairs, so that each sees only its own";
    let pairing = Change::set(&["pairing"], "space");
    let finding = Finding::new(FindingKind::WrongPartHits, worth.severity(), reason, remedy);
    Some(finding.with_remedy("Pair by space", vec![pairing]).at(worth.place))
}
