//! Heights that a set scale cuts off.

use super::troubles::{TroubledSheet, Troubles};
use crate::change::Change;
use crate::finding::{Finding, FindingKind};

/// Heights of a run beside the scale that was set for them, scene units.
pub struct ClippedHeights<'a> {
    /// The map's name in the recipe.
    pub at: &'a str,
    /// The distance from black to white.
    pub scale: f32,
    /// The furthest height.
    pub extreme: f32,
    pub clipped: &'a Troubles,
    /// Covered texels of the run.
    pub covered: u64,
}

/// None when next to nothing is clipped.
pub fn range_clipped(sheet: &TroubledSheet, heights: &ClippedHeights) -> Option<Finding> {
    let &ClippedHeights { at, scale, extreme, clipped, covered } = heights;
    let worth = sheet.worth(None, clipped, covered)?;
    let reason = format!(
        "Displacement reaches {extreme:.5}, but a scale of {scale} holds only {:.5}: {} texels ({:.2} %) are clipped",
        scale * 0.5,
        clipped.count,
        worth.share * 100.0
    );
    let remedy = format!("Set the scale to {:.5} or more, or to automatic", extreme * 2.0);
    let automatic = Change::set(&["maps", at, "scale"], "auto");
    let finding = Finding::new(FindingKind::RangeClipped, worth.severity(), reason, remedy).at(worth.place);
    Some(finding.with_remedy("Automatic scale", vec![automatic]))
}
