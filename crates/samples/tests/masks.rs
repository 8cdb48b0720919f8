//! Masks on the sample assets: places by example against what was carved and riveted.

use ember_ridge_core::bake::Plan;
use ember_ridge_core::finish::{Mask, PlaceSettings};
use ember_ridge_core::glam::Vec3;
use ember_ridge_core::maps::{MapSettings, MaskMapSettings, Placed, SURVEY_RAYS, Survey};
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

fn nearest_to(places: &[(MeshPoint, Vec3)], to: Vec3) -> MeshPoint {
    let far = |place: &&(MeshPoint, Vec3)| place.1.distance_squared(to);
    places.iter().min_by(|a, b| far(a).total_cmp(&far(b))).expect("places").0
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
    let stone = make("boundary-stone", Detail::Draft).expect("a sample");
    let plan = plan("stone", &stone.low, &stone.high, Vec::new());
    let places = hit_places(&plan, 40_000);
    let front = 0.24;
    let at = |x: f32, y: f32| nearest_to(&places, Vec3::new(x, y, front));
    let clicks = [at(-0.21, 0.25), at(0.0, -0.2), at(0.1, -0.36), at(0.3, -0.15)];
    let begun = std::time::Instant::now();
    let found = plan.propose(&clicks, &[true, true, true, false], &never);
    println!("{:?}", begun.elapsed());
    for proposal in &found.proposals {
        let told = values("stone", &stone.low, &stone.high, &proposal.place, &places.iter().map(|p| p.0).collect::<Vec<_>>());
        let on_front = |p: Vec3| p.z > 0.12;
        let (mut carved, mut found_there, mut plain, mut found_outside) = (0, 0, 0, 0);
        for ((_, p), value) in places.iter().zip(told) {
            let d = if on_front(*p) { to_carving(*p) } else { 1.0 };
            if d < 0.010 {
                carved += 1;
                found_there += u32::from(value > 0.5);
            } else if d > 0.035 {
                plain += 1;
                found_outside += u32::from(value > 0.5);
            }
        }
        println!(
            "{} explains {} covers {:.3}: {:.3} of {carved}, {:.3} of {plain} outside ({:.1} bits)",
            proposal.sentence,
            proposal.explained,
            proposal.covers,
            found_there as f32 / carved as f32,
            found_outside as f32 / plain as f32,
            proposal.bits
        );
    }
    panic!("look");
}
