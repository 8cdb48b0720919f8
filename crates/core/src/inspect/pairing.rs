//! Parts that pair with nothing.

use crate::finding::{Finding, FindingKind, Severity};
use crate::mesh::Part;
use crate::pairs::{PairTable, Pairing};

/// High-poly parts without a pair that are named one by one; the others are counted.
const MOST_NAMED: usize = 500;

/// What a pairing left over.
pub fn pair_findings(table: &PairTable, low: &[Part], high: &[Part]) -> Vec<Finding> {
    let mut found: Vec<Finding> = table.nothing_by.map(nothing_pairs).into_iter().collect();
    let by_lonely = !table.lonely.is_empty();
    let orphans = table.orphans.iter().map(|&h| high[h as usize].name.as_str());
    found.extend(orphans.take(MOST_NAMED).map(|name| unseen(name, by_lonely)));
    found.extend(table.orphans.len().checked_sub(MOST_NAMED + 1).map(|more| unseen_too(more + 1, by_lonely)));
    found.extend(table.lonely.iter().map(|&l| unpaired_low(&low[l as usize].name, table.lonely_see)));
    found
}

fn nothing_pairs(pairing: Pairing) -> Finding {
    let (reason, remedy) = match pairing {
        Pairing::Space => (
            "No part of the sculpt lies near enough to one of the low-poly, so every part sees the whole sculpt",
            "Check at Meshes that the two are in the same place",
        ),
        Pairing::Names | Pairing::All => (
            "No part of the low-poly shares a name with one of the sculpt, so every part sees the whole sculpt",
            "Pair by space, or name parts alike (cap_low, cap_high), if neighbours bleed into each other",
        ),
    };
    Finding::new(FindingKind::NamesPairNothing, Severity::Note, reason, remedy)
}

const DRAG: &str = "Drag it onto its low-poly part, or give it that part's name with anything after an underscore";

/// Who sees what pairs with nothing.
fn seen_by(by_lonely: bool) -> &'static str {
    if by_lonely { "only unpaired low-poly parts see it" } else { "so no ray hits it" }
}

fn unseen(name: &str, by_lonely: bool) -> Finding {
    let mark = if by_lonely { ";" } else { "," };
    let reason = format!("Sculpt part '{name}' pairs with no low-poly part{mark} {}", seen_by(by_lonely));
    Finding::new(FindingKind::UnpairedPart, Severity::Warning, reason, DRAG).on_part(name)
}

fn unseen_too(count: usize, by_lonely: bool) -> Finding {
    let reason = match count {
        1 => format!("Another sculpt part pairs with no low-poly part; {}", seen_by(by_lonely)),
        _ => format!("{count} more sculpt parts pair with no low-poly part"),
    };
    Finding::new(FindingKind::UnpairedPart, Severity::Warning, reason, "Pair by space, or name parts alike")
}

fn unpaired_low(name: &str, sees: bool) -> Finding {
    let what = if sees { "it sees the whole sculpt" } else { "all of the sculpt was hidden from it manually" };
    let reason = format!("Low-poly part '{name}' pairs with no sculpt part; {what}");
    Finding::new(FindingKind::UnpairedPart, Severity::Warning, reason, "Drag its sculpt part onto it").on_part(name)
}
