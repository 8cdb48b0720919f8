//! Details that are drawn aside.

use super::troubles::PartResult;
use crate::finding::{Finding, FindingKind, Severity};
use crate::reach::{Brush, ReachSide};

pub(super) fn leaning(result: &PartResult) -> Option<Finding> {
    let troubles = &result.troubles.leaning;
    let worth = result.worth(troubles)?;
    let texels = result.how_many(troubles, &worth);
    let reason = format!(
        "Details lean on {texels}: shifted by up to {:.4}, because rays near hard edges run at an angle",
        result.troubles.most_shift
    );
    let remedy = "Paint plumb there at Reach, by brush or with one click";
    let stroke = worth.stroke(result, Brush::Plumb, ReachSide::Out, None);
    let finding = Finding::new(FindingKind::Lean, Severity::Warning, reason, remedy);
    Some(finding.with_remedy("Paint plumb there", vec![stroke]).at(worth.place))
}
