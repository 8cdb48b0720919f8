//! Edits from several places: what two sides change apart merges, what both change is answered with both values.

use ember_ridge_core::Recipe;
use ember_ridge_core::finish::{Base, Coat, Color, Finish, PlaceSettings, SetColor, Sets};
use ember_ridge_core::maps::MapSettings;
use ember_ridge_core::pairs::HandPair;
use ember_ridge_core::reach::{Brush, PartReach, ReachSide, Stroke};
use ember_ridge_core::recipe::{Change, MeshSource, PatchFault, difference, merge};
use ember_ridge_core::surface::Distance;
use proptest::prelude::*;
use serde_json::json;

fn change(at: &[&str], to: serde_json::Value) -> Change {
    Change { at: at.iter().map(|n| (*n).to_owned()).collect(), to: (!to.is_null()).then_some(to) }
}

fn stroke(size: f32) -> Stroke {
    let path = vec![[0.0, 0.0, 0.0, 1.0]];
    Stroke { brush: Brush::More, side: ReachSide::Out, size, strength: 1.0, value: None, mirror: None, path }
}

fn base() -> Recipe {
    let mut recipe = Recipe::new("lantern");
    recipe.low.push(MeshSource::file("a_low.obj"));
    recipe.high.push(MeshSource::file("a_high.ply"));
    recipe
}

fn edited(by: impl FnOnce(&mut Recipe)) -> Recipe {
    let mut recipe = base();
    by(&mut recipe);
    recipe
}

#[test]
fn changes_name_their_places() {
    let after = edited(|r| {
        r.sheet.size = 2048;
        r.reach.out = Distance::Units(0.1);
        r.reach.strokes.push(stroke(0.5));
        r.maps.retain(|m| m.id() != "curvature");
        r.maps.push(MapSettings::by_key("cavity").expect("a map"));
        r.maps[1] = r.maps[1].clone().with_rays(128.into());
        r.high.push(MeshSource::file("b_high.ply"));
    });
    let found = difference(&base(), &after);
    let places: Vec<String> = found.iter().map(|c| c.at.join("/")).collect();
    let mut expected = [
        "sheet/size",
        "reach/out",
        "reach/strokes/+",
        "maps/curvature",
        "maps/cavity",
        "maps/ao/rays",
        "high/b_high.ply",
    ];
    expected.sort_unstable();
    let mut sorted = places.clone();
    sorted.sort_unstable();
    assert_eq!(sorted, expected);
    let out = found.iter().find(|c| c.at == ["reach", "out"]).expect("listed");
    assert_eq!(out.to, Some(json!(0.1)), "numbers are as short as they were typed");
    assert_eq!(found.iter().find(|c| c.at == ["maps", "curvature"]).expect("listed").to, None);
    assert_eq!(merge(&base(), &base(), &found), Ok(after));
}

#[test]
fn coats_of_one_finish_are_edited_apart() {
    let coat = |name: &str| Coat {
        name: name.into(),
        sets: Sets { color: Some(SetColor::to(Color([10, 20, 30]))), ..Sets::default() },
        place: PlaceSettings::default(),
        amount: 1.0,
        muted: false,
        solo: false,
        group: None,
    };
    let base = edited(|r| {
        r.finishes = ["skin", "trim"]
            .map(|name| Finish::everywhere(name, Base::default(), vec![coat("paint"), coat("dust")]))
            .into();
    });
    let from = |by: &dyn Fn(&mut Recipe)| {
        let mut recipe = base.clone();
        by(&mut recipe);
        recipe
    };
    let head = from(&|r| {
        r.finishes[0].coats[0].muted = true;
        r.finishes[1].base.roughness = 0.25;
    });
    let mine = from(&|r| {
        r.finishes[0].coats[1].amount = 0.5;
        r.finishes[0].coats.push(coat("moss"));
    });
    let changes = difference(&base, &mine);
    let places: Vec<String> = changes.iter().map(|c| c.at.join("/")).collect();
    assert_eq!(places, ["finishes/skin/coats/dust/amount", "finishes/skin/coats/moss"]);
    let merged = merge(&base, &head, &changes).expect("apart");
    let skin = &merged.finishes[0];
    assert_eq!(skin.coats.iter().map(|c| c.name.as_str()).collect::<Vec<_>>(), ["paint", "dust", "moss"]);
    assert!(skin.coats[0].muted && skin.coats[1].amount == 0.5 && merged.finishes[1].base.roughness == 0.25);
    // One coat changed by both, each otherwise.
    let paint = |color: [u8; 3]| from(&|r| r.finishes[0].coats[0].sets.color = Some(SetColor::to(Color(color))));
    let conflicts = match merge(&base, &paint([1, 1, 1]), &difference(&base, &paint([2, 2, 2]))) {
        Err(PatchFault::Conflicts(conflicts)) => conflicts,
        other => panic!("{other:?}"),
    };
    assert_eq!(conflicts[0].words, "coat paint of finish skin: color value");
    // Coats in another order are one change of the list.
    let turned = from(&|r| r.finishes[1].coats.reverse());
    let merged = merge(&base, &head, &difference(&base, &turned)).expect("apart");
    assert_eq!(merged.finishes[1].coats[0].name, "dust");
    assert!(merged.finishes[0].coats[0].muted);
}

#[test]
fn what_lies_apart_merges() {
    let head = edited(|r| {
        r.sheet.size = 2048;
        r.reach.strokes.push(stroke(0.5));
        r.reach.parts.push(PartReach { part: "lid".into(), out: Some(Distance::Units(0.5)), inward: None });
        r.high.push(MeshSource::file("b_high.ply"));
    });
    let mine = edited(|r| {
        r.sheet.samples = 16;
        r.reach.strokes.push(stroke(0.25));
        r.reach.parts.push(PartReach { part: "base".into(), out: None, inward: Some(Distance::Units(0.1)) });
        r.hand_pairs.push(HandPair { high: "lid".into(), low: vec![] });
        r.maps.retain(|m| m.id() != "id");
    });
    let merged = merge(&base(), &head, &difference(&base(), &mine)).expect("nothing touches");
    assert_eq!((merged.sheet.size, merged.sheet.samples, merged.high.len()), (2048, 16, 2));
    assert_eq!(merged.reach.strokes, [stroke(0.5), stroke(0.25)], "both strokes, in the order they came");
    assert_eq!((merged.reach.parts.len(), merged.hand_pairs.len()), (2, 1));
    assert!(merged.maps.iter().all(|m| m.id() != "id"));
    // Both did the same: that is no conflict.
    let same = [change(&["sheet", "size"], json!(2048))];
    assert_eq!(merge(&base(), &head, &same), Ok(head));
}

#[test]
fn what_both_touched_is_answered_with_both_values() {
    let head = edited(|r| {
        r.sheet.size = 2048;
        r.maps[1] = r.maps[1].clone().with_rays(256.into());
        r.maps.retain(|m| m.id() != "curvature");
    });
    let mine = [
        change(&["sheet", "size"], json!(512)),
        change(&["maps", "ao", "rays"], json!(128)),
        change(&["maps", "curvature", "encoding"], json!("red-green")),
        change(&["sheet", "samples"], json!(16)),
    ];
    let Err(PatchFault::Conflicts(conflicts)) = merge(&base(), &head, &mine) else { panic!("three places clash") };
    let told: Vec<(&str, Option<_>, Option<_>)> =
        conflicts.iter().map(|c| (c.words.as_str(), c.mine.clone(), c.theirs.clone())).collect();
    assert_eq!(
        told,
        [
            ("sheet size", Some(json!(512)), Some(json!(2048))),
            ("Occlusion: rays", Some(json!(128)), Some(json!(256))),
            ("Curvature: encoding", Some(json!("red-green")), None),
        ]
    );
    // Said again upon what is there now, it holds.
    let merged = merge(&head, &head, &mine[..2]).expect("nothing stands against it");
    assert_eq!((merged.sheet.size, merged.maps[1].rays()), (512, Some(128.into())));
}

#[test]
fn places_and_values_that_no_recipe_has_are_refused() {
    for (wrong, word) in [
        (change(&[], json!(1)), "no place"),
        (change(&["sheet", "sise"], json!(512)), "sise"),
        (change(&["sheet", "size", "more"], json!(512)), "sheet.size.more"),
        (change(&["sheet", "size"], json!("big")), "u32"),
        (change(&["sheet", "size"], json!(3)), "sheet.size is 3"),
        (change(&["maps", "gloss"], json!({ "map": "gloss" })), "gloss"),
        (change(&["maps", "nothing", "rays"], json!(4)), "'nothing' is not there"),
        (change(&["maps"], json!([])), "maps is empty"),
        (change(&["reach", "strokes", "+"], json!(7)), "a list"),
        (change(&["version"], json!(9)), "version is 9"),
        (change(&["low", "a_low.obj", "file"], json!("")), "file's name"),
    ] {
        match merge(&base(), &base(), std::slice::from_ref(&wrong)) {
            Err(PatchFault::Wrong(text)) => assert!(text.contains(word), "{wrong:?}: {text}"),
            other => panic!("{wrong:?}: {other:?}"),
        }
    }
}

prop_compose! {
    fn any_recipe()(
        size in 4u32..12,
        samples in proptest::sample::select(vec![1u32, 4, 16]),
        out in proptest::option::of(0.01f32..2.0),
        maps in proptest::sample::subsequence(MapSettings::all(), 1..=13),
        turn in 0usize..13,
        rays in 2u32..9,
        strokes in proptest::collection::vec(0.1f32..1.0, 0..4),
        parts in proptest::sample::subsequence(vec!["lid", "base", "door"], 0..=3),
        files in proptest::sample::subsequence(vec!["b.ply", "c.ply", "d.ply"], 0..=3),
    ) -> Recipe {
        let mut recipe = base();
        recipe.sheet.size = 1 << size;
        recipe.sheet.samples = samples;
        recipe.reach.out = out.map_or(Distance::Auto, Distance::Units);
        recipe.maps = maps.into_iter().map(|m| m.rays().map_or(m.clone(), |_| m.with_rays((1 << rays).into()))).collect();
        let turn = turn % recipe.maps.len();
        recipe.maps.rotate_left(turn);
        recipe.reach.strokes = strokes.into_iter().map(stroke).collect();
        let own = |part: &str| PartReach { part: part.into(), out: Some(Distance::Units(0.5)), inward: None };
        recipe.reach.parts = parts.into_iter().map(own).collect();
        recipe.high.extend(files.into_iter().map(MeshSource::file));
        recipe
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(300))]

    /// What leads from one recipe to another leads there, whatever lies between the two.
    #[test]
    fn a_difference_leads_where_it_was_taken(before in any_recipe(), after in any_recipe()) {
        let found = difference(&before, &after);
        prop_assert_eq!(merge(&before, &before, &found), Ok(after));
        prop_assert_eq!(difference(&before, &before), vec![]);
    }

    /// Two edits either clash with their places named, or both hold: neither is dropped in silence.
    #[test]
    fn no_edit_is_lost(before in any_recipe(), mine in any_recipe(), theirs in any_recipe()) {
        let (to_mine, to_theirs) = (difference(&before, &mine), difference(&before, &theirs));
        match merge(&before, &theirs, &to_mine) {
            Ok(merged) => {
                let whole = difference(&before, &merged);
                for change in to_mine.iter().chain(&to_theirs).filter(|c| c.at.last().is_some_and(|l| l != "+")) {
                    prop_assert!(whole.contains(change), "{:?} was lost", change);
                }
            }
            Err(PatchFault::Conflicts(conflicts)) => prop_assert!(!conflicts.is_empty()),
            // Each side took away maps until none was left.
            Err(PatchFault::Wrong(text)) => prop_assert!(text.contains("maps is empty"), "{}", text),
        }
    }
}

/// What a proof lowers comes back from the asset as it stands where it would be lowered to the same; what was set otherwise stays.
#[test]
fn settings_come_back_from_a_proof() {
    let mut whole = Recipe::new("lid");
    whole.maps = ["normal", "ao"].iter().filter_map(|id| MapSettings::by_key(id)).collect();
    (whole.sheet.size, whole.sheet.samples, whole.sheet.proof_size) = (2048, 16, 512);
    let proof = whole.as_proof();
    assert!(proof != whole && proof.of_proof(&whole) == whole);
    // The asset went on: another direction, no occlusion. The proof has its own back, and the size that both are lowered from.
    let mut now = whole.clone();
    now.direction = ember_ridge_core::reach::Direction::Plumb;
    now.maps.pop();
    now.sheet.size = 4096;
    let back = proof.of_proof(&now);
    assert_eq!((back.direction, back.sheet.size, back.sheet.samples), (whole.direction, 4096, 16));
    assert_eq!(back.maps, vec![whole.maps[0].clone(), proof.maps[1].clone()]);
}
