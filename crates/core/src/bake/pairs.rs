//! Which high-poly parts the rays of each low-poly part may hit: by part names, by shared space, and by hand.

use crate::finding::{Finding, FindingKind, Place, Severity};
use crate::mesh::Part;
use crate::recipe::{Endings, HandPair, Pairing, Recipe, plain_name};

/// What decides about pairs besides the parts themselves.
#[derive(Clone, Copy)]
pub struct PairRules<'a> {
    pub pairing: Pairing,
    pub endings: &'a Endings,
    pub hand_pairs: &'a [HandPair],
    /// `share[high part][low part]`: how much of the high part lies nearest to the low part. Needed by [`Pairing::Space`];
    /// without it that rule pairs nothing.
    pub share: Option<&'a [Vec<f32>]>,
}

impl<'a> PairRules<'a> {
    pub fn of(recipe: &'a Recipe, share: Option<&'a [Vec<f32>]>) -> PairRules<'a> {
        PairRules { pairing: recipe.pairing, endings: &recipe.endings, hand_pairs: &recipe.hand_pairs, share }
    }
}

/// Why a low and a high part are paired.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum PairedBy {
    Hand,
    Name,
    /// The share of the high part that lies nearest to the low part, 0 to 1.
    Space(f32),
    /// Every part sees every part.
    All,
    /// Nothing fits, so it sees everything.
    Default,
}

/// The result of pairing: for each low part a mask over the high parts, and what could not be paired.
#[derive(Clone, Debug, Default)]
pub struct PairTable {
    /// `allowed[low part][high part]`.
    pub allowed: Vec<Vec<bool>>,
    /// `by[low part][high part]`, for pairs that are allowed.
    pub by: Vec<Vec<Option<PairedBy>>>,
    pub findings: Vec<Finding>,
}

/// A high part's stem belongs to a low part's when they are equal, or when it goes on after an underscore
/// (`housing_rivets` belongs to `housing`).
fn belongs(high_stem: &str, low_stem: &str) -> bool {
    high_stem == low_stem || high_stem.strip_prefix(low_stem).is_some_and(|rest| rest.starts_with('_'))
}

/// A low part that holds at least this share of a high part is paired with it.
const LEAST_SHARE: f32 = 0.25;

/// Pairs low with high parts. By names, each high part goes to the low part with the longest fitting stem; by space, to each
/// low part that a quarter of it lies nearest to. What was decided by hand stands above both. A low part that pairs with
/// nothing sees everything, and a finding says so; when nothing pairs at all, one finding says it for all.
pub fn pair_parts(low: &[Part], high: &[Part], rules: PairRules) -> PairTable {
    let by_hand = |part: &Part| rules.hand_pairs.iter().find(|p| plain_name(&p.high) == plain_name(&part.name));
    let single = low.len() == 1 && high.len() == 1 && rules.hand_pairs.is_empty();
    let low_stems: Vec<String> = low.iter().map(|p| rules.endings.stem(&p.name)).collect();
    let mut by = vec![vec![None; high.len()]; low.len()];
    let mut orphans = Vec::new();
    for (h, part) in high.iter().enumerate() {
        if let Some(pair) = by_hand(part) {
            let seen_by = |name: &str| pair.low.iter().any(|l| plain_name(l) == plain_name(name));
            for (row, _) in by.iter_mut().zip(low).filter(|(_, own)| seen_by(&own.name)) {
                row[h] = Some(PairedBy::Hand);
            }
            continue;
        }
        if rules.pairing == Pairing::All || single {
            by.iter_mut().for_each(|row| row[h] = Some(PairedBy::All));
            continue;
        }
        if rules.pairing == Pairing::Space {
            let shares = rules.share.and_then(|s| s.get(h));
            for (l, &share) in shares.into_iter().flatten().enumerate().filter(|(_, s)| **s >= LEAST_SHARE) {
                by[l][h] = Some(PairedBy::Space(share));
            }
        } else {
            let stem = rules.endings.stem(&part.name);
            let longest = low_stems.iter().filter(|l| belongs(&stem, l)).map(String::len).max();
            for (l, low_stem) in low_stems.iter().enumerate() {
                if Some(low_stem.len()) == longest && belongs(&stem, low_stem) {
                    by[l][h] = Some(PairedBy::Name);
                }
            }
        }
        if by.iter().all(|row| row[h].is_none()) {
            orphans.push(part.name.as_str());
        }
    }
    let mut findings = Vec::new();
    if orphans.len() == high.len() && !high.is_empty() {
        // A single low-poly part has nobody to share the sculpt with.
        let one = low.len() == 1;
        by.iter_mut().flatten().for_each(|b| *b = Some(if one { PairedBy::All } else { PairedBy::Default }));
        findings.extend((!one).then(|| nothing_pairs(rules.pairing)));
    } else {
        let lonely: Vec<bool> = by.iter().map(|row| row.iter().all(Option::is_none)).collect();
        findings.extend(orphans.into_iter().map(|part| unseen(part, lonely.contains(&true))));
        for (own, row) in low.iter().zip(&mut by).zip(&lonely).filter(|(_, lonely)| **lonely).map(|(own, _)| own) {
            // What is hidden by hand stays hidden.
            for (slot, _) in row.iter_mut().zip(high).filter(|(_, part)| by_hand(part).is_none()) {
                *slot = Some(PairedBy::Default);
            }
            findings.push(unpaired_low(&own.name, row.iter().any(Option::is_some)));
        }
    }
    let allowed = by.iter().map(|row| row.iter().map(Option::is_some).collect()).collect();
    PairTable { allowed, by, findings }
}

fn nothing_pairs(pairing: Pairing) -> Finding {
    let (reason, remedy) = match pairing {
        Pairing::Space => (
            "No part of the sculpt lies near enough to one of the low-poly, so every part sees the whole sculpt",
            "Look at Meshes whether the two lie at one place",
        ),
        Pairing::Names | Pairing::All => (
            "No part name of the low-poly fits one of the high-poly, so every part sees the whole sculpt",
            "Pair by space, or name parts alike (cap_low, cap_high), if neighbours bleed into each other",
        ),
    };
    finding(FindingKind::NamesPairNothing, Severity::Note, None, reason.into(), remedy)
}

fn unseen(name: &str, by_lonely: bool) -> Finding {
    let reason = match by_lonely {
        true => {
            format!("High-poly part '{name}' pairs with no low-poly part; only those that pair with nothing see it")
        }
        false => format!("High-poly part '{name}' pairs with no low-poly part, so no ray hits it"),
    };
    let remedy = "Drag it onto its low-poly part, or give it that part's name with anything after an underscore";
    finding(FindingKind::UnpairedPart, Severity::Warning, Some(name), reason, remedy)
}

fn unpaired_low(name: &str, sees: bool) -> Finding {
    let what = if sees { "it sees the whole sculpt" } else { "all of the sculpt is hidden from it by hand" };
    let reason = format!("Low-poly part '{name}' pairs with no high-poly part; {what}");
    finding(FindingKind::UnpairedPart, Severity::Warning, Some(name), reason, "Drag its high-poly part onto it")
}

fn finding(kind: FindingKind, severity: Severity, part: Option<&str>, reason: String, remedy: &str) -> Finding {
    Finding {
        fixes: Vec::new(),
        allowed: None,
        kind,
        severity,
        place: Place { part: part.map(str::to_owned), ..Place::default() },
        reason,
        remedy: remedy.to_owned(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn parts(names: &[&str]) -> Vec<Part> {
        names.iter().map(|n| Part { name: (*n).to_owned(), triangles: 0..1 }).collect()
    }

    fn names(endings: &Endings) -> PairRules<'_> {
        PairRules { pairing: Pairing::Names, endings, hand_pairs: &[], share: None }
    }

    #[test]
    fn names_pair_without_case_ending_or_tail() {
        let table = pair_parts(
            &parts(&["Cap_low", "housing-LOW", "housing_door.lp"]),
            &parts(&["cap_high", "Housing_rivets_high", "housing_door_hinge", "Housing"]),
            names(&Endings::default()),
        );
        assert_eq!(table.findings, vec![]);
        assert_eq!(
            table.allowed,
            vec![vec![true, false, false, false], vec![false, true, false, true], vec![false, false, true, false],]
        );
    }

    #[test]
    fn what_pairs_with_nothing_is_said_and_left_parts_see_everything() {
        let table = pair_parts(&parts(&["a", "b"]), &parts(&["a", "lost"]), names(&Endings::default()));
        assert_eq!(table.allowed, vec![vec![true, false], vec![true, true]]);
        let named: Vec<_> = table.findings.iter().map(|f| f.place.part.as_deref()).collect();
        assert_eq!(named, vec![Some("lost"), Some("b")]);
    }

    #[test]
    fn names_that_never_fit_are_one_note() {
        let table = pair_parts(&parts(&["a", "b"]), &parts(&["x", "y"]), names(&Endings::default()));
        assert!(table.allowed.iter().flatten().all(|&seen| seen));
        assert_eq!(table.findings.len(), 1);
        assert_eq!(table.findings[0].kind, FindingKind::NamesPairNothing);
    }

    #[test]
    fn a_single_low_part_takes_all_there_is() {
        let table = pair_parts(&parts(&["plane"]), &parts(&["shingles", "nails"]), names(&Endings::default()));
        assert_eq!((table.allowed, table.findings), (vec![vec![true, true]], vec![]));
    }

    #[test]
    fn endings_are_the_users_own() {
        let endings = Endings { low: vec!["-Game".into()], high: vec![" zb".into()], cage: vec![] };
        let table = pair_parts(
            &parts(&["Cap-game", "rim_game"]),
            &parts(&["cap.zb", "Rim_bolts zb", "cap_low"]),
            names(&endings),
        );
        // "_low" is no ending any more, but goes on after an underscore.
        assert_eq!(table.allowed, vec![vec![true, false, true], vec![false, true, false]]);
        assert_eq!(endings.stem("zb"), "zb", "a name is never all ending");
    }

    #[test]
    fn what_is_decided_by_hand_stands_above_the_rule() {
        let hand = [
            HandPair { high: "a_high".into(), low: vec!["b".into(), "A".into()] },
            HandPair { high: "hidden".into(), low: vec![] },
        ];
        let endings = Endings::default();
        let rules = PairRules { hand_pairs: &hand, ..names(&endings) };
        let table = pair_parts(&parts(&["a", "b"]), &parts(&["a_high", "b_high", "hidden"]), rules);
        assert_eq!(table.allowed, vec![vec![true, false, false], vec![true, true, false]]);
        assert_eq!(table.by[1][0], Some(PairedBy::Hand));
        assert_eq!(table.findings, vec![], "a part hidden by hand is no finding");
    }

    #[test]
    fn what_is_hidden_by_hand_is_not_seen_for_want_of_anything_else() {
        let hand = [HandPair { high: "a".into(), low: vec![] }];
        let endings = Endings::default();
        let rules = PairRules { hand_pairs: &hand, ..names(&endings) };
        let table = pair_parts(&parts(&["a"]), &parts(&["a"]), rules);
        assert_eq!((table.allowed, table.findings.len()), (vec![vec![false]], 1));
    }

    #[test]
    fn by_space_each_part_goes_where_most_of_it_lies() {
        let endings = Endings::default();
        let share = [vec![0.9, 0.1], vec![0.5, 0.5], vec![0.1, 0.0]];
        let rules = PairRules { pairing: Pairing::Space, share: Some(&share), ..names(&endings) };
        let table = pair_parts(&parts(&["p", "q"]), &parts(&["x", "y", "z"]), rules);
        assert_eq!(table.allowed, vec![vec![true, true, false], vec![false, true, false]]);
        assert_eq!(table.by[0][0], Some(PairedBy::Space(0.9)));
        assert_eq!(table.findings[0].place.part.as_deref(), Some("z"));
    }
}
