//! Sculpt that stands out of the envelope: rays start beneath it.

use super::troubles::PartResult;
use crate::finding::{Finding, FindingKind};
use crate::reach::{Brush, ReachSide};

/// Room left above what stands out.
const ROOM: f32 = 1.1;

pub(super) fn clips(result: &PartResult) -> Option<Finding> {
    let troubles = &result.troubles.beyond;
    let worth = result.worth(troubles)?;
    let texels = result.how_many(troubles, &worth);
    let far = result.troubles.most_beyond;
    let reason = format!(
        "The sculpt stands out of the envelope on {texels}: up to {far:.4} outside the low-poly, beyond where rays start"
    );
    let remedy = format!("Raise reach out there above {far:.4}, or let it be fitted");
    // Set to no less than the longest there is, it shortens none.
    let enough = (far * ROOM).max(result.sheet.reach.out);
    let stroke = worth.stroke(result, Brush::Set, ReachSide::Out, Some(enough));
    let finding = Finding::new(FindingKind::EnvelopeClips, worth.severity(), reason, remedy);
    Some(finding.with_remedy("Raise reach there", vec![stroke]).at(worth.place))
}
