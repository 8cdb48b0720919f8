//! Which high-poly parts the rays of each low-poly part may hit, from part names.

use crate::finding::{Finding, FindingKind, Place, Severity};
use crate::mesh::Part;
use crate::recipe::Pairing;

/// Endings that tell low from high and are no part of a name's stem.
const ENDINGS: [&str; 8] = ["_low", "_lo", "_lp", "_lowpoly", "_high", "_hi", "_hp", "_highpoly"];

/// The result of pairing: for each low part a mask over the high parts, and what could not be paired.
#[derive(Clone, Debug, Default)]
pub struct PairTable {
    /// `allowed[low part][high part]`.
    pub allowed: Vec<Vec<bool>>,
    pub findings: Vec<Finding>,
}

/// A part's name without case and without a low or high ending.
pub fn part_stem(name: &str) -> String {
    let lower = name.trim().to_lowercase().replace(['.', '-', ' '], "_");
    let ending = ENDINGS.iter().filter(|e| lower.ends_with(*e)).max_by_key(|e| e.len());
    ending.map_or(lower.as_str(), |e| &lower[..lower.len() - e.len()]).to_owned()
}

/// A high part's stem belongs to a low part's when they are equal, or when it goes on after an underscore
/// (`housing_rivets` belongs to `housing`).
fn belongs(high_stem: &str, low_stem: &str) -> bool {
    high_stem == low_stem || high_stem.strip_prefix(low_stem).is_some_and(|rest| rest.starts_with('_'))
}

/// Pairs low with high parts. By names, each high part goes to the low part with the longest fitting stem. A low part that
/// pairs with nothing sees everything, and a finding says so; when no name pairs at all, one finding says it for all.
pub fn pair_parts(low: &[Part], high: &[Part], pairing: Pairing) -> PairTable {
    let everything = || vec![vec![true; high.len()]; low.len()];
    if pairing == Pairing::All || (low.len() == 1 && high.len() == 1) {
        return PairTable { allowed: everything(), findings: Vec::new() };
    }
    let low_stems: Vec<String> = low.iter().map(|p| part_stem(&p.name)).collect();
    let mut allowed = vec![vec![false; high.len()]; low.len()];
    let mut findings = Vec::new();
    let mut orphans = Vec::new();
    for (h, part) in high.iter().enumerate() {
        let stem = part_stem(&part.name);
        let longest = low_stems.iter().filter(|l| belongs(&stem, l)).map(String::len).max();
        match longest {
            Some(length) => {
                for (l, low_stem) in low_stems.iter().enumerate() {
                    allowed[l][h] = low_stem.len() == length && belongs(&stem, low_stem);
                }
            }
            None => orphans.push(part.name.as_str()),
        }
    }
    if orphans.len() == high.len() {
        let finding = Finding {
            kind: FindingKind::NamesPairNothing,
            severity: Severity::Note,
            place: Place::default(),
            reason: "No part name of the low-poly fits one of the high-poly, so every part sees the whole sculpt"
                .into(),
            remedy: "Name parts alike (cap_low, cap_high) if neighbours bleed into each other".into(),
        };
        return PairTable { allowed: everything(), findings: vec![finding] };
    }
    for name in orphans {
        findings.push(Finding {
            kind: FindingKind::UnpairedPart,
            severity: Severity::Warning,
            place: Place { part: Some(name.to_owned()), ..Place::default() },
            reason: format!("High-poly part '{name}' pairs with no low-poly part, so no ray hits it"),
            remedy: "Give it the name of its low-poly part, with anything after an underscore".into(),
        });
    }
    for (l, part) in low.iter().enumerate() {
        if !allowed[l].contains(&true) {
            allowed[l].fill(true);
            findings.push(Finding {
                kind: FindingKind::UnpairedPart,
                severity: Severity::Warning,
                place: Place { part: Some(part.name.clone()), ..Place::default() },
                reason: format!("Low-poly part '{}' pairs with no high-poly part; it sees the whole sculpt", part.name),
                remedy: "Give the high-poly part the same name".into(),
            });
        }
    }
    PairTable { allowed, findings }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn parts(names: &[&str]) -> Vec<Part> {
        names.iter().map(|n| Part { name: (*n).to_owned(), triangles: 0..1 }).collect()
    }

    #[test]
    fn names_pair_without_case_ending_or_tail() {
        let table = pair_parts(
            &parts(&["Cap_low", "housing-LOW", "housing_door.lp"]),
            &parts(&["cap_high", "Housing_rivets_high", "housing_door_hinge", "Housing"]),
            Pairing::Names,
        );
        assert_eq!(table.findings, vec![]);
        assert_eq!(
            table.allowed,
            vec![vec![true, false, false, false], vec![false, true, false, true], vec![false, false, true, false],]
        );
    }

    #[test]
    fn what_pairs_with_nothing_is_said_and_left_parts_see_everything() {
        let table = pair_parts(&parts(&["a", "b"]), &parts(&["a", "lost"]), Pairing::Names);
        assert_eq!(table.allowed, vec![vec![true, false], vec![true, true]]);
        let named: Vec<_> = table.findings.iter().map(|f| f.place.part.as_deref()).collect();
        assert_eq!(named, vec![Some("lost"), Some("b")]);
    }

    #[test]
    fn names_that_never_fit_are_one_note() {
        let table = pair_parts(&parts(&["a", "b"]), &parts(&["x", "y"]), Pairing::Names);
        assert!(table.allowed.iter().flatten().all(|&seen| seen));
        assert_eq!(table.findings.len(), 1);
        assert_eq!(table.findings[0].kind, FindingKind::NamesPairNothing);
    }
}
