//! Texels of which no ray hits the sculpt.

use super::troubles::PartResult;
use crate::finding::{Finding, FindingKind};
use crate::reach::{Brush, ReachSide};

pub(super) fn misses(result: &PartResult) -> Option<Finding> {
    let troubles = &result.troubles.misses;
    let worth = result.worth(troubles)?;
    let texels = result.how_many(troubles, &worth);
    let reason = format!("No ray hits the sculpt on {texels}");
    let remedy = format!(
        "Raise reach out above {:.4} or reach in above {:.4}",
        result.sheet.reach.out, result.sheet.reach.inward
    );
    let stroke = worth.stroke(result, Brush::More, ReachSide::Both, None);
    let finding = Finding::new(FindingKind::Misses, worth.severity(), reason, remedy);
    Some(finding.with_remedy("Raise reach there", vec![stroke]).at(worth.place))
}
