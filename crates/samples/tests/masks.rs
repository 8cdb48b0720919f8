//! Masks on the sample assets: places by example against what was carved and riveted.

use ember_ridge_core::bake::Plan;
use ember_ridge_core::finish::{Mask, PlaceSettings};
use ember_ridge_core::glam::Vec3;
use ember_ridge_core::maps::{MapSettings, MaskMapSettings, Placed, SURVEY_RAYS, Survey, regions_at};
use ember_ridge_core::reach::spread_points;
use ember_ridge_core::scene::BakeScene;
use ember_ridge_core::stop::never;
use ember_ridge_core::surface::MeshPoint;
use ember_ridge_core::{Mesh, Recipe};
use ember_ridge_samples::{Detail, make};

fn plan(name: &str, low: &Mesh, high: &Mesh, masks: Vec<Mask>) -> Plan {
    let scene = BakeScene::new(&[low], &[high], None).expect("no cage");
    let mut recipe = Recipe::new(name);
    recipe.low.push(ember_ridge_core::recipe::MeshSource::file("low"));
    recipe.high.push(ember_ridge_core::recipe::MeshSource::file("high"));
    recipe.sheet.size = 512;
    recipe.sheet.samples = 1;
    recipe.masks = masks;
    recipe.maps = vec![MapSettings::Mask(MaskMapSettings::of("m"))];
    Plan::new(&recipe, &scene).expect("sound")
}

/// Places spread over the low-poly and where on the sculpt each of them lies.
fn hit_places(plan: &Plan, count: usize) -> Vec<(MeshPoint, Vec3)> {
    let places = spread_points(&plan.rays.scene.low, count, 0, 9);
    let survey = Survey::at(&plan.rays, &places);
    let setup = plan.setup(&never);
    let along = |axis| {
        let signal = ember_ridge_core::finish::Signal::Height { axis };
        survey.values(&Placed::signal(&signal, &setup, SURVEY_RAYS).expect("a coordinate"), &setup)
    };
    use ember_ridge_core::surface::Axis;
    let (x, y, z) = (along(Axis::X), along(Axis::Y), along(Axis::Z));
    let hit = |n: usize| (places[n], Vec3::new(x[n], y[n], z[n]));
    (0..places.len()).map(hit).filter(|(_, p)| p.is_finite()).collect()
}

/// The place that is seen at (x, y) from the front.
fn seen_at(places: &[(MeshPoint, Vec3)], x: f32, y: f32) -> MeshPoint {
    let far = |place: &&(MeshPoint, Vec3)| (place.1.x - x).hypot(place.1.y - y);
    let front = places.iter().filter(|place| place.1.z > 0.1);
    front.min_by(|a, b| far(a).total_cmp(&far(b))).expect("places").0
}

/// The value of a place at each of some places.
fn values(name: &str, low: &Mesh, high: &Mesh, place: &PlaceSettings, at: &[MeshPoint]) -> Vec<f32> {
    let plan = plan(name, low, high, vec![Mask { name: "m".into(), place: place.clone() }]);
    let setup = plan.setup(&never);
    let placed = Placed::mask("m", &setup, SURVEY_RAYS).expect("it can be made");
    Survey::at(&plan.rays, at).values(&placed, &setup)
}

/// Distance to the nearest of the strokes that were carved, as the stone's own description draws them, by hand.
fn to_carving(p: Vec3) -> f32 {
    let strokes: &[&[(f32, f32)]] = &[
        &[(-0.30, 0.13), (-0.12, 0.37), (-0.03, 0.25), (0.10, 0.43), (0.30, 0.13)],
        &[(-0.17, 0.13), (-0.06, 0.21), (0.0, 0.15), (0.09, 0.26), (0.18, 0.13)],
        &[(0.0, -0.06), (0.0, -0.30)],
        &[(-0.085, -0.17), (0.0, -0.06), (0.085, -0.17)],
        &[(-0.24, -0.36), (0.24, -0.36)],
        &[(-0.165, -0.43), (-0.155, -0.60)],
        &[(-0.075, -0.43), (-0.065, -0.60)],
        &[(0.015, -0.43), (0.025, -0.60)],
        &[(0.105, -0.43), (0.115, -0.60)],
        &[(-0.215, -0.575), (0.155, -0.455)],
        &[(0.215, -0.43), (0.225, -0.60)],
    ];
    let to_line = |(ax, ay): (f32, f32), (bx, by): (f32, f32)| {
        let (dx, dy) = (bx - ax, by - ay);
        let t = (((p.x - ax) * dx + (p.y - ay) * dy) / (dx * dx + dy * dy)).clamp(0.0, 1.0);
        ((p.x - ax - t * dx).powi(2) + (p.y - ay - t * dy).powi(2)).sqrt()
    };
    let lines = strokes.iter().flat_map(|points| points.windows(2).map(|ends| to_line(ends[0], ends[1])));
    let ring = (p.x.powi(2) + (p.y - 0.34).powi(2)).sqrt() - 0.27;
    let ring = if p.y < 0.16 { f32::INFINITY } else { ring.abs() };
    let ember = ((p.x - 0.10).powi(2) + (p.y - 0.515).powi(2)).sqrt() - 0.022;
    lines.fold(ring.min(ember.max(0.0)), f32::min)
}

#[test]
fn the_carved_lines_of_the_stone_are_found_from_four_clicks() {
    let stone = make("boundary-stone", Detail::Draft).expect("a sample").bare();
    let plan = plan("stone", &stone.low, &stone.high, Vec::new());
    let places = hit_places(&plan, 40_000);
    let at = |x: f32, y: f32| seen_at(&places, x, y);
    let clicks = [at(-0.21, 0.25), at(0.0, -0.2), at(0.1, -0.36), at(0.3, -0.15)];
    let found = plan.propose(&clicks, &[true, true, true, false], &never);
    assert_eq!((found.proposals.len(), found.told), (3, None));
    let told = found.proposals.iter().map(|proposal| {
        assert_eq!(proposal.explained, 4, "{proposal:?}");
        let all: Vec<MeshPoint> = places.iter().map(|p| p.0).collect();
        let told = values("stone", &stone.low, &stone.high, &proposal.place, &all);
        let (mut carved, mut there, mut plain, mut outside) = (0u32, 0u32, 0u32, 0u32);
        for ((_, p), value) in places.iter().zip(told) {
            // Grooves are 0.023 to 0.03 deep flanks on each side; what lies between belongs to neither.
            let d = if p.z > 0.12 { to_carving(*p) } else { f32::INFINITY };
            if d < 0.010 {
                carved += 1;
                there += u32::from(value > 0.5);
            } else if d > 0.035 {
                plain += 1;
                outside += u32::from(value > 0.5);
            }
        }
        assert!(carved > 500 && plain > 30_000, "{carved} and {plain}");
        (there as f32 / carved as f32, outside as f32 / plain as f32, &proposal.sentence)
    });
    let told: Vec<_> = told.collect();
    assert!(told.iter().any(|(there, outside, _)| *there >= 0.9 && *outside <= 0.05), "{told:?}");
}

#[test]
fn the_rivets_of_the_lantern_are_found_and_contradictions_are_told() {
    let lantern = make("lookout-lantern", Detail::Draft).expect("a sample").bare();
    let plan = plan("lantern", &lantern.low, &lantern.high, Vec::new());
    let places = hit_places(&plan, 60_000);
    // The sculpt says itself which of its places are rivets.
    let setup = plan.setup(&never);
    let by = ember_ridge_core::finish::RegionBy::Id;
    let at: Vec<MeshPoint> = places.iter().map(|p| p.0).collect();
    let names = regions_at(by, &setup, &Survey::at(&plan.rays, &at));
    let rivet = |n: &usize| names[*n].as_ref().is_some_and(|name| name.contains("rivets"));
    let (rivets, others): (Vec<usize>, Vec<usize>) = (0..at.len()).partition(rivet);
    assert!(rivets.len() > 30, "{} rivet places", rivets.len());
    let clicks = [rivets[0], rivets[rivets.len() / 2], rivets[rivets.len() - 1], others[0], others[others.len() / 2]];
    let clicks = clicks.map(|n| at[n]);
    let found = plan.propose(&clicks, &[true, true, true, false, false], &never);
    let best = found.proposals.iter().find(|p| p.explained == 5).expect("something explains them");
    let told = values("lantern", &lantern.low, &lantern.high, &best.place, &at);
    let share = |of: &[usize]| of.iter().filter(|n| told[**n] > 0.5).count() as f32 / of.len() as f32;
    assert!(
        share(&rivets) >= 0.9 && share(&others) <= 0.05,
        "{}: {} {}",
        best.sentence,
        share(&rivets),
        share(&others)
    );

    let same = [clicks[0], clicks[0]];
    let found = plan.propose(&same, &[true, false], &never);
    assert!(found.told.as_ref().is_some_and(|t| t.starts_with("Nothing separates these examples")), "{found:?}");
    assert!(found.proposals.iter().all(|p| p.explained < 2));
}
