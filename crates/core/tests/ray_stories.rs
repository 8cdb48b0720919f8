//! What is told of single rays: all that one crosses and why it counts or not, needles, and how far a slanted ray leans. Against
//! arithmetic throughout.

use crate::support::{bake_scene, cube, height_field, maps, moved, recipe, with_uvs};
use ember_ridge_core::bake::{Plan, Unwatched};
use ember_ridge_core::glam::{Vec3, vec3};
use ember_ridge_core::pairs::Pairing;
use ember_ridge_core::review::{Fate, Needle, NeedleFate};
use ember_ridge_core::scene::BakeScene;
use ember_ridge_core::{Draft, DraftPart, FindingKind, Mesh};

#[test]
fn the_story_of_a_ray_lists_all_it_crosses_and_why() {
    // Over a plate: another pair's roof, the back of a sheet, the bump that counts, and a floor behind it.
    let low = height_field("plate", 1, |_, _| 0.0);
    let at = |name: &str, y: f32| moved(&height_field(name, 1, |_, _| 0.0), Vec3::Y * y);
    let mut back = at("plate_back", 0.3);
    back.triangles.iter_mut().for_each(|t| t.swap(1, 2));
    let high = Mesh::joined(&[&at("roof", 0.4), &back, &at("plate", 0.1), &at("plate_floor", -0.1)]);
    let other = moved(&height_field("roof", 1, |_, _| 0.0), vec3(5.0, 0.0, 0.0));
    let low = Mesh::joined(&[&low, &with_uvs(&other, |uv| uv + 3.0)]);
    let scene = BakeScene::new(&[&low], &[&high], None).expect("no cage");
    let plan = Plan::new(&recipe(32, 1, (0.5, 0.2), maps(&["normal"])), &scene).expect("sound");
    let story = plan.trace_texel(0, 9, 20).expect("on the sheet");
    let [ray] = &story.rays[..] else { panic!("one sample, one ray: {story:?}") };
    let told: Vec<_> = ray.crossings.iter().map(|c| (c.part.as_str(), c.fate)).collect();
    let want = [
        ("roof", Fate::OtherPair),
        ("plate_back", Fate::BackFace),
        ("plate", Fate::Taken),
        ("plate_floor", Fate::Behind),
    ];
    assert_eq!(told, want);
    for (crossing, height) in ray.crossings.iter().zip([0.4f32, 0.3, 0.1, -0.1]) {
        assert!((crossing.height - height).abs() < 1e-5 && (crossing.distance - (0.5 - height)).abs() < 1e-5);
    }
    assert_eq!(ray.direction, [0.0, -1.0, 0.0]);
    assert!((ray.start[1] - 0.5).abs() < 1e-6 && (ray.end[1] + 0.2).abs() < 1e-6 && ray.lean < 0.1);
    assert_eq!(story.neighbours.len(), 9);
    assert!(story.neighbours.iter().all(|n| n.part.as_deref() == Some("plate") && n.covered));
    assert!(plan.trace_texel(0, 32, 0).is_none() && plan.trace_texel(1, 0, 0).is_none());
}

#[test]
fn needles_tell_hits_misses_back_faces_and_wrong_parts() {
    let low = height_field("a", 2, |_, _| 0.0);
    let half = height_field("a", 40, |x, _| if x < 0.5 { 0.05 } else { 0.4 });
    let scene = BakeScene::new(&[&low], &[&half], None).expect("no cage");
    let plan = Plan::new(&recipe(32, 1, (0.1, 0.1), maps(&["normal"])), &scene).expect("sound");
    let needles = plan.needles(2000, &|_| true);
    assert!((1900..=2100).contains(&needles.len()), "{}", needles.len());
    let wrong: Vec<&Needle> = needles
        .iter()
        .filter(|n| (n.fate == NeedleFate::Hit) != (n.surface[0] < 0.49) && (n.surface[0] - 0.5).abs() > 0.03)
        .collect();
    assert!(wrong.is_empty(), "{wrong:?}");
    let hit = needles.iter().find(|n| n.surface[0] < 0.4).expect("one on the near half");
    assert!((hit.end[1] - 0.05).abs() < 1e-5 && (hit.start[1] - 0.1).abs() < 1e-6);
    assert!(plan.needles(100, &|part| part == "other").is_empty());

    // Two plates one over the other that all see all: from below, long rays meet the upper one's sculpt first.
    let at = |name: &str, y: f32| moved(&height_field(name, 2, |_, _| 0.0), Vec3::Y * y);
    let upper = with_uvs(&at("b", 0.1), |uv| uv + Vec3::X.truncate());
    let scene =
        BakeScene::new(&[&at("a", 0.0), &upper], &[&at("a_high", 0.01), &at("b_high", 0.11)], None).expect("no cage");
    let mut all = recipe(32, 1, (0.15, 0.1), maps(&["normal"]));
    all.pairing = Pairing::All;
    let plan = Plan::new(&all, &scene).expect("sound");
    for needle in plan.needles(500, &|_| true) {
        let want = if needle.part == 0 { NeedleFate::WrongPart } else { NeedleFate::Hit };
        assert_eq!(needle.fate, want, "{needle:?}");
    }
    let found = bake_scene(&all, &scene, 1, &Unwatched).expect("whole").report.findings;
    let wrong = found.iter().find(|f| f.kind == FindingKind::WrongPartHits).expect("it is a finding");
    assert_eq!(wrong.place.part.as_deref(), Some("a"));
    all.pairing = Pairing::Names;
    let found = bake_scene(&all, &scene, 1, &Unwatched).expect("whole").report.findings;
    assert!(!found.iter().any(|f| f.kind == FindingKind::WrongPartHits), "paired by name each sees its own");
}

/// A square of two triangles through four corners, as one part.
fn plate(name: &str, corners: [Vec3; 4]) -> Mesh {
    let draft = Draft {
        positions: corners.to_vec(),
        parts: vec![DraftPart { name: name.into(), indices: vec![0, 1, 2, 0, 2, 3], ..DraftPart::default() }],
        ..Draft::default()
    };
    draft.finish().expect("whole")
}

#[test]
fn lean_is_the_height_times_the_slant_of_the_ray() {
    // A plate over the upper side of a box, risen by 45 degrees. The box's points stand between three sides each, so that its rays
    // run along (2x, 1, 2z) and meet the plate where arithmetic says.
    let low = cube("box", 0.5);
    let at = |x: f32, z: f32| vec3(x, 0.75 + x, z);
    let high = plate("box", [at(-0.15, -0.45), at(-0.15, 0.45), at(0.15, 0.45), at(0.15, -0.45)]);
    let scene = BakeScene::new(&[&low], &[&high], None).expect("no cage");
    let size = 256u32;
    let recipe = recipe(size, 1, (0.8, 0.3), maps(&["normal"]));
    let found = Plan::new(&recipe, &scene).expect("sound").lean();
    let (mut samples, mut shift) = (0, 0.0f64);
    let texel = (1.0f64 / (0.29 * 0.46)).sqrt() / f64::from(size);
    for (i, j) in (0..size).flat_map(|j| (0..size).map(move |i| (i, j))) {
        let (u, v) = ((f64::from(i) + 0.5) / f64::from(size), 1.0 - (f64::from(j) + 0.5) / f64::from(size));
        // The upper side's island in the box's layout.
        let (x, z) = ((u - (2.0 / 3.0 + 0.02)) / 0.29 - 0.5, 0.5 - (v - 0.02) / 0.46);
        if x.abs() > 0.5 || z.abs() > 0.5 {
            continue;
        }
        let ray = ember_ridge_core::glam::DVec3::new(2.0 * x, 1.0, 2.0 * z).normalize();
        let height = (0.25 + x) / (ray.y - ray.x);
        let (met_x, met_z) = (x + height * ray.x, z + height * ray.z);
        let on_plate = (-0.3..=0.8).contains(&height) && met_x.abs() <= 0.15 && met_z.abs() <= 0.45;
        let turned = (ray.y - ray.x) / 2f64.sqrt() < 20f64.to_radians().cos();
        let own = height.abs() * (1.0 - ray.y * ray.y).sqrt();
        if on_plate && turned && ray.y < 8f64.to_radians().cos() && own > 1.5 * texel {
            samples += 1;
            shift += own;
        }
    }
    assert!(samples > 900 && found.samples.abs_diff(samples) < samples / 100, "{} for {samples}", found.samples);
    assert!((found.shift - shift).abs() < 0.01 * shift, "{} for {shift}", found.shift);
    assert!(found.places.iter().all(|p| (p.y - 0.5).abs() < 1e-5), "all of it on the upper side");
    // The same plate lain flat is no detail that leans, however slanted the rays.
    let flat = high.positions.iter().map(|p| vec3(p.x, 0.75, p.z));
    let flat = plate("box", flat.collect::<Vec<_>>().try_into().expect("four corners"));
    let scene = BakeScene::new(&[&low], &[&flat], None).expect("no cage");
    assert_eq!(Plan::new(&recipe, &scene).expect("sound").lean().samples, 0);
}
