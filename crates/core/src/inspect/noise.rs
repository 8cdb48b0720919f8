//! Maps that rays leave noise in.

use super::troubles::{TroubledSheet, Troubles};
use crate::change::Change;
use crate::finding::{Finding, FindingKind, Severity};
use serde_json::json;

/// A map that follows from rays, with the standard errors of its texels, of full range 1.
pub struct NoisyMap<'a> {
    pub label: &'a str,
    /// Its name in the recipe.
    pub at: &'a str,
    /// The most rays that a texel may get, and that any recipe may give it.
    pub most: u32,
    pub most_of_all: u32,
    /// What an error should stay under, and what it should come to with more rays.
    pub limit: f32,
    pub goal: f32,
    /// The root of the mean of the squared errors.
    pub mean: f32,
    /// Texels beyond the limit.
    pub above: &'a Troubles,
    /// Texels that rays left.
    pub texels: u64,
}

/// Fewer texels than this share are not worth a finding; more than the second are a warning.
const WORTH_SAYING: f64 = 0.02;
const WARNED_OF: f64 = 0.25;
/// A number that follows from an error may not be lower.
const LEAST_RAYS: u32 = 64;

/// None where noise stays under its limit on nearly all texels.
pub fn noisy(sheet: &TroubledSheet, map: &NoisyMap) -> Option<Finding> {
    let worth = sheet.worth_from(WORTH_SAYING, None, map.above, map.texels)?;
    let reason = format!(
        "{} is noisy: on {:.1} % of its texels the rays leave an estimated standard error above {} (mean {:.3}; 1 is the whole range)",
        map.label,
        worth.share * 100.0,
        map.limit,
        map.mean
    );
    let severity = if worth.share > WARNED_OF { Severity::Warning } else { Severity::Note };
    // Errors of low-discrepancy rays fall about with the power 3/4 of their number.
    let times = (map.mean / map.goal).max(2.0).powf(4.0 / 3.0);
    let more = ((map.most as f32 * times) as u32).clamp(LEAST_RAYS, map.most_of_all).next_power_of_two();
    if map.most >= map.most_of_all {
        let remedy = format!(
            "{} rays per texel are the most; shorten the distance, or bake a larger sheet and reduce it",
            map.most_of_all
        );
        return Some(Finding::new(FindingKind::Noise, severity, reason, remedy).at(worth.place));
    }
    let remedy = format!("Give it up to {more} rays per texel, as many as an error of {} needs", map.goal);
    let rays = Change::set(&["maps", map.at, "rays"], json!({ "most": more, "error": map.goal }));
    let finding = Finding::new(FindingKind::Noise, severity, reason, remedy);
    Some(finding.with_remedy(format!("Up to {more} rays"), vec![rays]).at(worth.place))
}
