//! UV seams whose two sides show something else.

use super::TexelPlace;
use super::troubles::TroubledSheet;
use crate::finding::{Finding, FindingKind, Severity};

/// A map along the seams of all sheets.
pub struct SeamedMap<'a> {
    pub label: &'a str,
    /// Places along seams that were asked, and those whose sides differ by more than they may.
    pub places: u64,
    pub apart: u64,
    /// How far the furthest are apart, in words, and where they are.
    pub most: String,
    pub worst: TexelPlace,
    pub part: &'a str,
}

/// Fewer places than this share are not worth a finding; more than the second are a warning.
const WORTH_SAYING: f64 = 0.03;
const WARNED_OF: f64 = 0.25;

/// None where nearly all seams agree.
pub fn seam_difference(sheet: &TroubledSheet, map: &SeamedMap) -> Option<Finding> {
    let share = map.apart as f64 / map.places.max(1) as f64;
    if share < WORTH_SAYING {
        return None;
    }
    let reason = format!(
        "{} differs across UV seams along {:.0} % of their length, by up to {}",
        map.label,
        share * 100.0,
        map.most
    );
    let remedy = "Trace a texel on either side: misses, another part or a mend on one side alone are the usual reasons";
    let severity = if share > WARNED_OF { Severity::Warning } else { Severity::Note };
    let mut place = sheet.place(map.worst, map.apart);
    place.part = Some(map.part.to_owned());
    Some(Finding::new(FindingKind::SeamDifference, severity, reason, remedy).at(place))
}
