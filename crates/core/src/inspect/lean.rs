//! Details that are drawn aside.

use super::troubles::PartResult;
use crate::finding::{Finding, FindingKind, Severity};
use crate::reach::{Brush, ReachSide};

/// From this share of a part's covered texels on it is a warning: a sculpt with chips and undercuts always leans somewhere.
const MUCH: f64 = 0.05;

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
    let much = troubles.count as f64 >= MUCH * result.troubles.covered as f64;
    let severity = if much { Severity::Warning } else { Severity::Note };
    let finding = Finding::new(FindingKind::Lean, severity, reason, remedy);
    Some(finding.with_remedy("Paint plumb there", vec![stroke]).at(worth.place))
}
