//! Slow gradients in files of eight bits.

use super::troubles::{TroubledSheet, Troubles};
use crate::change::Change;
use crate::finding::{Finding, FindingKind, Severity};

/// A map that is written at eight bits without dither.
pub struct SteppedMap<'a> {
    pub label: &'a str,
    /// It moves the surface: steps are terraces there.
    pub heights: bool,
    /// Its file may hold sixteen bits.
    pub deeper: bool,
    /// Texels between which it changes by less than a step.
    pub troubles: &'a Troubles,
    /// Covered texels of the run.
    pub covered: u64,
}

/// Fewer texels than this share are not worth a finding: of heights, and of what only shades.
const OF_HEIGHTS: f64 = 0.05;
const OF_SHADING: f64 = 0.25;

/// None where few texels lie on such a gradient.
pub fn stepped(sheet: &TroubledSheet, map: &SteppedMap) -> Option<Finding> {
    let least = if map.heights { OF_HEIGHTS } else { OF_SHADING };
    let worth = sheet.worth_from(least, None, map.troubles, map.covered)?;
    let reason = format!(
        "{} changes by less than a step of 8 bits from texel to texel on {:.0} % of its texels, so {}",
        map.label,
        worth.share * 100.0,
        if map.heights { "slopes become terraces" } else { "slow gradients show bands" }
    );
    let severity = if map.heights { Severity::Warning } else { Severity::Note };
    let remedy =
        if map.deeper { "Bake at 16 bit, or dither at 8 bit" } else { "Dither at 8 bit, or choose a format of 16 bit" };
    let mut finding = Finding::new(FindingKind::Stepping, severity, reason, remedy).at(worth.place);
    if map.deeper {
        finding = finding.with_remedy("Bake at 16 bit", vec![Change::set(&["sheet", "depth"], "16")]);
    }
    Some(finding.with_remedy("Dither", vec![Change::set(&["sheet", "dither"], true)]))
}
