//! Smaller sizes of a sheet that mix islands with what lies around them.

use super::TexelPlace;
use super::troubles::TroubledSheet;
use crate::change::Change;
use crate::finding::{Finding, FindingKind, Severity};

/// The first smaller size of a sheet at which islands bleed.
pub struct BledSheet<'a> {
    /// Name of the sheet; empty for the only one.
    pub name: &'a str,
    /// Mip level: at 1 a texel stands for two by two.
    pub level: u32,
    /// Texels of that size that hold some of an island.
    pub texels: u64,
    /// Of these, texels that hold anything besides it; that hold background; and texels that hold another island or its padding.
    pub any: u64,
    pub background: u64,
    pub islands: u64,
    /// A texel of the first one.
    pub first: TexelPlace,
}

/// Bleeding at these sizes is worth a warning; a renderer reads them from close by.
const NEAR: u32 = 2;

/// What a renderer mixes in at that size.
pub fn bleeding(sheet: &TroubledSheet, bled: &BledSheet) -> Finding {
    let size = (sheet.size >> bled.level).max(1);
    let share = |count: u64| 100.0 * count as f64 / bled.texels.max(1) as f64;
    let (background, islands) = (share(bled.background), share(bled.islands));
    let on = if bled.name.is_empty() { String::new() } else { format!(" of sheet {}", bled.name) };
    let mixed = match (bled.background, bled.islands) {
        (0, _) => format!("{islands:.1} % of its texels mix in another island"),
        (_, 0) => format!("{background:.1} % of its texels mix in the background"),
        _ => format!("{background:.1} % of its texels mix in the background and {islands:.1} % another island"),
    };
    let reason = format!("Islands bleed from mip {}{on} on ({size} x {size}): {mixed}", bled.level);
    let severity = if bled.level <= NEAR { Severity::Warning } else { Severity::Note };
    let place = sheet.place(bled.first, bled.any);
    let room = 2u32 << bled.level;
    if bled.background > bled.islands {
        let remedy = format!("Pad by {room} texels or more, or fill the sheet");
        let padding = Change::set(&["sheet", "padding"], room);
        let finding = Finding::new(FindingKind::MipBleeding, severity, reason, remedy).at(place);
        return finding.with_remedy(format!("Pad by {room} texels"), vec![padding]);
    }
    let remedy = format!("Leave {room} texels or more between islands, or bake a larger sheet");
    Finding::new(FindingKind::MipBleeding, severity, reason, remedy).at(place)
}
