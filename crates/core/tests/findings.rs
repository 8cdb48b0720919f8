//! Findings on results, pairs and pictures: counted, placed and worded by plain arithmetic.

use crate::support::*;
use ember_ridge_core::inspect::{
    ClippedHeights, PartTroubles, TexelPlace, TroubledSheet, Troubles, pair_findings, part_findings, range_clipped,
};
use ember_ridge_core::pairs::{Endings, PairRules, Pairing, pair_parts};
use ember_ridge_core::reach::ResolvedReach;
use ember_ridge_core::surface::MeshPoint;
use ember_ridge_core::{Finding, FindingKind, Mesh, Part, Severity};

const SIZE: u32 = 64;

fn texel(sheet: usize, x: u32, y: u32) -> TexelPlace {
    TexelPlace { sheet, texel: y * SIZE + x, at: MeshPoint::new(3, 0.25, 0.5) }
}

/// Troubles of so many texels in each of some tiles, named by their first texels.
fn troubles(tiles: &[(TexelPlace, u32)]) -> Troubles {
    let mut all = Troubles::default();
    for (first, count) in tiles {
        (0..*count).for_each(|i| all.add(TexelPlace { texel: first.texel + i, ..*first }));
        all.end_tile();
    }
    all
}

fn sheet(low: &Mesh) -> TroubledSheet<'_> {
    TroubledSheet { low, size: SIZE, reach: ResolvedReach { out: 0.125, inward: 0.0625, ..ResolvedReach::default() } }
}

fn of_kind(found: &[Finding], kind: FindingKind) -> Option<&Finding> {
    found.iter().find(|f| f.kind == kind)
}

#[test]
fn troubles_are_counted_the_same_in_whatever_order_tiles_are_done() {
    let tiles = [(texel(0, 3, 1), 4), (texel(1, 0, 0), 9), (texel(0, 40, 40), 9), (texel(0, 10, 2), 2)];
    let whole = troubles(&tiles);
    assert_eq!(whole.count, 24);
    let low = cube("box", 0.5);
    let place = |troubles: Troubles| {
        let met = PartTroubles { covered: 1000, misses: troubles, ..PartTroubles::default() };
        part_findings(sheet(&low), "box", &met)[0].place.clone()
    };
    // Of two tiles with as many, the one on the earlier sheet.
    assert_eq!(place(whole).sheet, Some(0));
    for split in 0..=tiles.len() {
        let (one, other) = tiles.split_at(split);
        let (mut there, mut back) = (troubles(one), troubles(other));
        there.merge(&troubles(other));
        back.merge(&troubles(one));
        assert_eq!((there.count, back.count), (24, 24));
        assert_eq!((place(there), place(back)), (place(whole), place(whole)));
    }
}

#[test]
fn findings_on_a_part_tell_share_place_and_remedy() {
    let low = cube("box", 0.5);
    let met = PartTroubles {
        covered: 1000,
        misses: troubles(&[(texel(0, 8, 16), 5)]),
        back_faces: troubles(&[(texel(0, 0, 0), 30), (texel(0, 32, 0), 6)]),
        leaning: troubles(&[(texel(0, 4, 4), 1)]),
        most_shift: 0.03125,
        ..PartTroubles::default()
    };
    let found = part_findings(sheet(&low), "box", &met);
    assert_eq!(found.len(), 3, "nothing was hit that lies elsewhere");
    let misses = of_kind(&found, FindingKind::Misses).expect("told");
    // Half a percent is a warning; a texel's middle is half a texel in, and v runs upward.
    assert_eq!(misses.severity, Severity::Warning);
    assert_eq!(misses.place.uv, Some([8.5 / 64.0, 1.0 - 16.5 / 64.0]));
    assert_eq!(misses.place.point, Some(low.at(MeshPoint::new(3, 0.25, 0.5)).to_array()));
    assert_eq!((misses.place.count, misses.place.triangles.as_slice()), (5, [3].as_slice()));
    assert!(misses.reason.contains("5 texels of 'box' (0.50 %)") && !misses.reason.contains("densely"));
    assert!(misses.remedy.contains("0.1250") && misses.remedy.contains("0.0625"), "{}", misses.remedy);
    let back = of_kind(&found, FindingKind::BackFaceHits).expect("told");
    // Beyond one percent it is a fault, and where the most are is said when they are not all there.
    assert_eq!(back.severity, Severity::Fault);
    assert!(back.reason.contains("36 texels of 'box' (3.60 %), most densely around UV 0.01 0.99"), "{}", back.reason);
    // A few texels lean anywhere; one in twenty of a part is a warning.
    let lean = of_kind(&found, FindingKind::Lean).expect("told");
    assert_eq!(lean.severity, Severity::Note);
    let leaning = PartTroubles { covered: 1000, leaning: troubles(&[(texel(0, 4, 4), 50)]), ..PartTroubles::default() };
    let found_more = part_findings(sheet(&low), "box", &leaning);
    assert_eq!(of_kind(&found_more, FindingKind::Lean).map(|f| f.severity), Some(Severity::Warning));
    assert!(lean.reason.contains("1 texel of 'box'") && lean.reason.contains("0.0312"), "{}", lean.reason);
}

#[test]
fn what_is_next_to_nothing_is_not_told() {
    let low = cube("box", 0.5);
    let met = PartTroubles { covered: 100_000, misses: troubles(&[(texel(0, 0, 0), 49)]), ..PartTroubles::default() };
    assert_eq!(part_findings(sheet(&low), "box", &met), vec![]);
    let met = PartTroubles { misses: troubles(&[(texel(0, 0, 0), 50)]), ..met };
    assert_eq!(part_findings(sheet(&low), "box", &met).len(), 1);
}

#[test]
fn heights_that_a_scale_cuts_off_name_the_scale_that_would_hold_them() {
    let low = cube("box", 0.5);
    let clipped = troubles(&[(texel(0, 20, 20), 25)]);
    let heights = ClippedHeights { at: "displacement", scale: 0.5, extreme: 0.4, clipped: &clipped, covered: 1000 };
    let finding = range_clipped(&sheet(&low), &heights).expect("told");
    assert_eq!((finding.kind, finding.severity), (FindingKind::RangeClipped, Severity::Fault));
    assert!(finding.reason.contains("reaches 0.40000, but a scale of 0.5 holds only 0.25000: 25 texels (2.50 %)"));
    assert!(finding.remedy.contains("0.80000 or more"), "{}", finding.remedy);
    assert_eq!(range_clipped(&sheet(&low), &ClippedHeights { clipped: &Troubles::default(), ..heights }), None);
}

fn parts(names: impl IntoIterator<Item = String>) -> Vec<Part> {
    names.into_iter().enumerate().map(|(i, name)| Part { name, triangles: i as u32..i as u32 + 1 }).collect()
}

#[test]
fn parts_without_a_pair_are_named_and_of_very_many_the_rest_are_counted() {
    let endings = Endings::default();
    let rules = PairRules { pairing: Pairing::Names, endings: &endings, hand_pairs: &[], share: None };
    let told = |orphans: usize| {
        let low = parts(["cap_low".to_owned(), "rim_low".to_owned()]);
        let others = (0..orphans).map(|i| format!("lost{i}"));
        let high = parts(["cap_high".to_owned(), "rim_high".to_owned()].into_iter().chain(others));
        pair_findings(&pair_parts(&low, &high, rules), &low, &high)
    };
    assert_eq!(told(0), vec![]);
    let few = told(3);
    assert_eq!(few.len(), 3);
    assert!(few.iter().all(|f| f.kind == FindingKind::UnpairedPart && f.severity == Severity::Warning));
    assert_eq!(few[2].place.part.as_deref(), Some("lost2"));
    assert!(few[0].reason.contains("so no ray hits it"), "{}", few[0].reason);
    let many = told(70_000);
    assert_eq!(many.len(), 501);
    assert!(many[500].reason.starts_with("69500 more sculpt parts"), "{}", many[500].reason);
    assert!(told(501)[500].reason.starts_with("Another sculpt part"));
}

#[test]
fn a_low_part_without_a_pair_says_what_it_sees() {
    let endings = Endings::default();
    let rules = PairRules { pairing: Pairing::Names, endings: &endings, hand_pairs: &[], share: None };
    let (low, high) = (parts(["cap".into(), "bare".into()]), parts(["cap".into(), "lost".into()]));
    let found = pair_findings(&pair_parts(&low, &high, rules), &low, &high);
    assert!(found[0].reason.contains("only unpaired low-poly parts see it"), "{}", found[0].reason);
    assert_eq!(found[1].place.part.as_deref(), Some("bare"));
    assert!(found[1].reason.contains("it sees the whole sculpt"), "{}", found[1].reason);
    // Names that never fit are one note for all.
    let (low, high) = (parts(["a".into(), "b".into()]), parts(["x".into(), "y".into()]));
    let found = pair_findings(&pair_parts(&low, &high, rules), &low, &high);
    assert_eq!((found.len(), found[0].kind, found[0].severity), (1, FindingKind::NamesPairNothing, Severity::Note));
}
