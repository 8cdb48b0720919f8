//! Reaches: fitted, painted, by cage; what is traced again after a change, and what a ray crosses. Against arithmetic throughout.

use crate::support::{Whole, bake_scene, ball, cube, height_field, maps, moved, recipe, scaled, with_uvs};
use ember_ridge_core::bake::{KeptTiles, Plan, Unwatched, run};
use ember_ridge_core::glam::{Vec3, vec3};
use ember_ridge_core::pairs::{HandPair, Pairing};
use ember_ridge_core::reach::{Brush, LowSurface, MarkKind, PartReach, ReachField, ReachSide, Stroke, envelope_marks};
use ember_ridge_core::recipe::Recipe;
use ember_ridge_core::scene::BakeScene;
use ember_ridge_core::stop::never;
use ember_ridge_core::surface::{Axis, Distance, MeshPoint};
use ember_ridge_core::trace::BackFaces;
use ember_ridge_core::{FindingKind, Mesh};
use proptest::prelude::*;
use std::sync::Arc;

fn stroke(brush: Brush, size: f32, path: &[[f32; 3]]) -> Stroke {
    Stroke {
        brush,
        side: ReachSide::Out,
        size,
        strength: 1.0,
        value: (brush == Brush::Set).then_some(0.5),
        mirror: None,
        path: path.iter().map(|p| [p[0], p[1], p[2], 1.0]).collect(),
    }
}

fn auto(mut recipe: Recipe) -> Recipe {
    recipe.reach.out = Distance::Auto;
    recipe.reach.inward = Distance::Auto;
    recipe
}

fn field(scene: &BakeScene, recipe: &Recipe) -> ReachField {
    scene.field(recipe.reach_rules(), &scene.pairs(recipe.pair_rules()), &never).expect("nobody stops it")
}

/// Reach out at each vertex of a mesh.
fn out_of(scene: &BakeScene, field: &ReachField) -> Vec<f32> {
    let mut out = vec![0.0; scene.low.mesh.positions.len()];
    for (corners, values) in scene.low.mesh.triangles.iter().zip(&field.out) {
        for (&v, &value) in corners.iter().zip(values) {
            out[v as usize] = value;
        }
    }
    out
}

fn flat_scene(n: usize) -> BakeScene {
    let low = height_field("field", n, |_, _| 0.0);
    let high = height_field("field", n, |_, _| 0.01);
    BakeScene::new(&[&low], &[&high], None).expect("no cage")
}

#[test]
fn a_stroke_falls_off_with_the_distance_along_the_surface() {
    let scene = flat_scene(20);
    let mut recipe = recipe(32, 1, (0.1, 0.1), maps(&["normal"]));
    recipe.reach.strokes = vec![stroke(Brush::More, 0.3, &[[0.5, 0.0, 0.5]])];
    let out = out_of(&scene, &field(&scene, &recipe));
    for (p, value) in scene.low.mesh.positions.iter().zip(&out) {
        let x = (p.distance(vec3(0.5, 0.0, 0.5)) / 0.3).min(1.0);
        let want = 0.1 * (1.0 + (1.0 - x * x).powi(2));
        assert!((value - want).abs() < 1e-4, "at {p}: {value}, not {want}");
    }
}

#[test]
fn brushes_do_what_they_say_and_fitted_undoes_them() {
    let scene = flat_scene(8);
    let middle = scene.low.mesh.positions.iter().position(|p| *p == vec3(0.5, 0.0, 0.5)).expect("a grid of 8");
    let mut recipe = recipe(32, 1, (0.1, 0.2), maps(&["normal"]));
    let mut at_middle = |strokes: Vec<Stroke>| {
        recipe.reach.strokes = strokes;
        recipe.validate().expect("sound");
        out_of(&scene, &field(&scene, &recipe))[middle]
    };
    let at = [[0.5, 0.0, 0.5]];
    assert_eq!(at_middle(vec![stroke(Brush::Less, 0.3, &at)]), 0.05);
    assert_eq!(at_middle(vec![stroke(Brush::Set, 0.3, &at)]), 0.5);
    let half = Stroke { strength: 0.5, ..stroke(Brush::Set, 0.3, &at) };
    assert!((at_middle(vec![half]) - 0.3).abs() < 1e-6);
    let light = Stroke { path: vec![[0.5, 0.0, 0.5, 0.25]], ..stroke(Brush::Set, 0.3, &at) };
    assert!((at_middle(vec![light]) - 0.2).abs() < 1e-6, "a quarter of the pressure, a quarter of the way");
    assert_eq!(at_middle(vec![stroke(Brush::Set, 0.3, &at), stroke(Brush::Fitted, 0.6, &at)]), 0.1);
    let peak = at_middle(vec![stroke(Brush::Set, 0.1, &at)]);
    let smoothed = at_middle(vec![stroke(Brush::Set, 0.1, &at), stroke(Brush::Smooth, 0.5, &at)]);
    assert!(peak == 0.5 && smoothed < 0.25, "{peak} {smoothed}");
    // A stroke to and fro has its effect once.
    let to_and_fro = [[0.5, 0.0, 0.5], [0.7, 0.0, 0.5], [0.5, 0.0, 0.5], [0.7, 0.0, 0.5]];
    assert!((at_middle(vec![stroke(Brush::More, 0.3, &to_and_fro)]) - 0.2).abs() < 1e-6);
    // A side of its own.
    let inner = Stroke { side: ReachSide::In, ..stroke(Brush::Set, 0.3, &at) };
    assert_eq!(at_middle(vec![inner.clone()]), 0.1);
    recipe.reach.strokes = vec![inner];
    let painted = field(&scene, &recipe);
    assert_eq!(painted.summary.inward, 0.5);
    assert_eq!(painted.summary.idle_strokes, 0);
}

#[test]
fn a_mirrored_stroke_paints_both_sides_alike() {
    let scene = flat_scene(10);
    let mut recipe = recipe(32, 1, (0.1, 0.1), maps(&["normal"]));
    let own = Stroke { mirror: Some(Axis::X), ..stroke(Brush::Set, 0.25, &[[0.2, 0.0, 0.3], [0.3, 0.0, 0.6]]) };
    recipe.reach.strokes = vec![own];
    let out = out_of(&scene, &field(&scene, &recipe));
    let at = |x: usize, z: usize| out[z * 11 + x];
    let mut changed = 0;
    for z in 0..=10 {
        for x in 0..=10 {
            assert!((at(x, z) - at(10 - x, z)).abs() < 1e-5, "{x}, {z}");
            changed += usize::from(at(x, z) > 0.11);
        }
    }
    assert!(changed > 12, "{changed} vertices changed");
}

#[test]
fn a_stroke_too_small_for_any_vertex_is_told() {
    let scene = flat_scene(2);
    let mut recipe = recipe(32, 1, (0.1, 0.1), maps(&["normal"]));
    recipe.reach.strokes = vec![stroke(Brush::More, 0.05, &[[0.25, 0.0, 0.3]])];
    assert_eq!(field(&scene, &recipe).summary.idle_strokes, 1);
    // Plumb is finer than vertices.
    recipe.reach.strokes = vec![stroke(Brush::Plumb, 0.05, &[[0.25, 0.0, 0.3]])];
    let painted = field(&scene, &recipe);
    assert_eq!(painted.summary.idle_strokes, 0);
    assert!(!painted.plumb.is_zero());
}

#[test]
fn bad_strokes_say_what_is_wrong() {
    let mut recipe = recipe(32, 1, (0.1, 0.1), maps(&["normal"]));
    let at = [[0.5, 0.0, 0.5]];
    let cases = [
        (Stroke { size: f32::NAN, ..stroke(Brush::More, 0.1, &at) }, "size is NaN"),
        (Stroke { strength: 2.0, ..stroke(Brush::More, 0.1, &at) }, "strength is 2"),
        (Stroke { path: vec![], ..stroke(Brush::More, 0.1, &at) }, "path has 0 points"),
        (Stroke { path: vec![[0.0, f32::INFINITY, 0.0, 1.0]], ..stroke(Brush::More, 0.1, &at) }, "path holds"),
        (Stroke { value: None, ..stroke(Brush::Set, 0.1, &at) }, "\"set\" needs a distance"),
        (Stroke { value: Some(1.0), ..stroke(Brush::Less, 0.1, &at) }, "value is for \"set\" only"),
    ];
    for (bad, words) in cases {
        recipe.reach.strokes = vec![stroke(Brush::More, 0.1, &at), bad];
        let fault = recipe.validate().expect_err(words);
        assert!(fault.contains("reach.strokes: number 2") && fault.contains(words), "{fault}");
    }
    recipe.reach.strokes.clear();
    let own = PartReach { part: "a".into(), out: Some(Distance::Units(-1.0)), inward: None };
    recipe.reach.parts = vec![own];
    assert!(recipe.validate().expect_err("below zero").contains("'a': out is -1"));
}

/// A box with a bolt that floats over one side near an edge, clear of the surface.
fn box_with_bolt() -> (Mesh, Mesh) {
    let low = cube("box", 0.5);
    let bolt = moved(&scaled(&ball("box_bolt", 1.0, 24), 0.05), vec3(0.40, 0.1, 0.56));
    let high = Mesh::joined(&[&cube("box", 0.5), &bolt]);
    (low, high)
}

#[test]
fn plumb_draws_details_upright_and_leaves_the_rest_byte_for_byte() {
    let (low, high) = box_with_bolt();
    let scene = BakeScene::new(&[&low], &[&high], None).expect("no cage");
    let mut recipe = recipe(256, 1, (0.2, 0.05), maps(&["normal", "displacement", "ao"]));
    recipe.pairing = Pairing::All;
    let before = bake_scene(&recipe, &scene, 2, &Unwatched).expect("whole");
    let lean = |whole: &Whole| whole.report.findings.iter().any(|f| f.kind == FindingKind::Lean);
    assert!(lean(&before), "near the edge rays run aslant: {:?}", before.report.findings);
    recipe.reach.strokes = vec![stroke(Brush::Plumb, 0.16, &[[0.40, 0.1, 0.5]])];
    let after = bake_scene(&recipe, &scene, 2, &Unwatched).expect("whole");
    assert!(!lean(&after), "{:?}", after.report.findings);

    // Drawn upright, the bolt's middle lies under it: its highest texels' places have a mean at (0.40, 0.1).
    let plan = Plan::new(&recipe, &scene).expect("sound");
    let lean_at = |x: f32, y: f32, field: &ReachField| {
        field.course(&scene.low, locate(&scene.low, vec3(x, y, 0.5))).outward.angle_between(Vec3::Z)
    };
    assert!(lean_at(0.40, 0.1, &plan.rays.field) < 1e-3);
    let averaged =
        field(&scene, &Recipe { reach: crate::support::recipe(16, 1, (0.2, 0.05), vec![]).reach, ..recipe.clone() });
    assert!(lean_at(0.40, 0.1, &averaged).to_degrees() > 20.0);
    assert!(
        lean_at(0.40, 0.1 + 0.12, &plan.rays.field) < lean_at(0.40, 0.1 + 0.12, &averaged),
        "the middle of the slope"
    );

    // Which texels may differ: those within the brush along the surface (here: on the front side, by flat distance).
    let mut same = 0;
    for map in 0..3 {
        let channels = before.maps[map].channels;
        for texel in 0..256 * 256 {
            let differs = (0..channels).any(|c| {
                before.maps[map].pixels.get(texel * channels + c) != after.maps[map].pixels.get(texel * channels + c)
            });
            if differs {
                let p = place_of(&scene.low, texel % 256, texel / 256, 256).expect("covered");
                let on_side = (p.x - 0.5).abs() < 1e-4;
                let way = if on_side { (0.5 - 0.40) + (0.5 - p.z) } else { (p - vec3(0.40, 0.1, 0.5)).length() };
                assert!(way < 0.17, "map {map}: a texel at {p} changed, {way} from the stroke");
            } else {
                same += 1;
            }
        }
    }
    assert!(same > 150_000);
}

/// The place of the low-poly nearest to a point.
fn locate(low: &LowSurface, point: Vec3) -> MeshPoint {
    let tree = ember_ridge_core::trace::TraceScene::new(&low.mesh);
    tree.nearest(point, 1.0, |t| low.mesh.face_normal(t).z > 0.5).expect("near").at
}

/// The point of the low-poly under a texel's middle.
fn place_of(low: &LowSurface, x: usize, y: usize, size: usize) -> Option<Vec3> {
    let uv = ember_ridge_core::glam::vec2((x as f32 + 0.5) / size as f32, 1.0 - (y as f32 + 0.5) / size as f32);
    (0..low.mesh.triangles.len() as u32).find_map(|t| {
        let [a, b, c] = low.mesh.corner_uvs(t);
        let area = (b - a).perp_dot(c - a);
        let (v, w) = ((uv - a).perp_dot(c - a) / area, (b - a).perp_dot(uv - a) / area);
        let slack = 0.02;
        (v >= -slack && w >= -slack && v + w <= 1.0 + slack).then(|| low.mesh.at(MeshPoint::new(t, v, w)))
    })
}

fn bytes(whole: &Whole) -> Vec<f32> {
    whole.maps.iter().flat_map(|m| (0..m.channels * whole.covered.len()).map(|i| m.pixels.get(i))).collect()
}

fn keeping(recipe: &Recipe, scene: &BakeScene, kept: &Arc<KeptTiles>) -> Whole {
    let plan = Plan::new(recipe, scene).expect("sound").keeping(kept);
    Whole::of(&run(&plan, 2, &Unwatched).expect("nobody stops it"), 0)
}

#[test]
fn only_rays_that_run_otherwise_are_traced_again_and_the_bytes_are_those_of_a_bake_from_nothing() {
    let (a, b) = (cube("a", 0.5), with_uvs(&moved(&cube("b", 0.5), Vec3::X * 3.0), |uv| uv + Vec3::X.truncate()));
    let low = Mesh::joined(&[&with_uvs(&a, |uv| uv * 0.5), &with_uvs(&b, |uv| (uv - Vec3::X.truncate()) * 0.5 + 0.5)]);
    let high = Mesh::joined(&[&ball("a", 0.7, 40), &moved(&ball("b", 0.7, 40), Vec3::X * 3.0)]);
    let fresh = || BakeScene::new(&[&low], &[&high], None).expect("no cage");
    let (scene, kept) = (fresh(), Arc::default());
    let mut recipe = recipe(128, 4, (0.3, 0.3), maps(&["normal", "displacement", "ao", "id"]));
    let first = keeping(&recipe, &scene, &kept);
    assert_eq!(first.report.kept_rays, 0);
    let all = first.counts.rays;

    // The same again: nothing is traced.
    let again = keeping(&recipe, &scene, &kept);
    assert_eq!((again.counts.rays, again.report.kept_rays), (0, all));
    assert_eq!(again.report.rays, 0, "nor by any map");
    assert!(bytes(&again) == bytes(&first));

    // Another reach on one pair: its rays alone.
    recipe.reach.parts = vec![PartReach { part: "b".into(), out: Some(Distance::Units(0.25)), inward: None }];
    let other = keeping(&recipe, &scene, &kept);
    assert_eq!(other.counts.rays + other.report.kept_rays, all);
    assert!(
        (other.counts.rays * 2).abs_diff(all) <= all / 100,
        "half of the sheet is b's: {} of {all}",
        other.counts.rays
    );
    assert!(bytes(&other) == bytes(&bake_scene(&recipe, &fresh(), 1, &Unwatched).expect("whole")));

    // A painted spot: its neighbourhood alone.
    recipe.reach.strokes = vec![stroke(Brush::Plumb, 0.1, &[[0.3, 0.2, 0.5]])];
    let painted = keeping(&recipe, &scene, &kept);
    assert!(painted.counts.rays > 0 && painted.counts.rays < all / 50, "{} of {all}", painted.counts.rays);
    assert!(bytes(&painted) == bytes(&bake_scene(&recipe, &fresh(), 1, &Unwatched).expect("whole")));

    // One map for a look while painting goes on, then all of them: what the look traced is not traced again.
    recipe.reach.strokes.push(stroke(Brush::Plumb, 0.1, &[[-0.3, -0.2, 0.5]]));
    let look = Recipe { maps: maps(&["normal"]), ..recipe.clone() };
    keeping(&look, &scene, &kept);
    let rest = keeping(&recipe, &scene, &kept);
    assert_eq!(rest.counts.rays, 0, "primary rays were traced for the look");
    assert!(bytes(&rest) == bytes(&bake_scene(&recipe, &fresh(), 1, &Unwatched).expect("whole")));

    // Other rules: everything.
    recipe.back_faces = BackFaces::Keep;
    let whole = keeping(&recipe, &scene, &kept);
    assert_eq!(whole.report.kept_rays, 0);
    assert!(bytes(&whole) == bytes(&bake_scene(&recipe, &fresh(), 1, &Unwatched).expect("whole")));
}

#[test]
fn the_fit_holds_a_bump_where_it_is_and_keeps_to_its_half_of_a_gap() {
    // A plate with one tall bump, fine enough for the fit to follow it.
    let low = height_field("plate", 16, |_, _| 0.0);
    let bump = |x: f32, z: f32| 0.12 * (1.0 - ((x - 0.25).hypot(z - 0.25) / 0.1).min(1.0).powi(2)).powi(2);
    let high = height_field("plate", 200, bump);
    let scene = BakeScene::new(&[&low], &[&high], None).expect("no cage");
    let recipe = auto(recipe(64, 1, (0.0, 0.0), maps(&["normal"])));
    let fitted = field(&scene, &recipe);
    let out = out_of(&scene, &fitted);
    let fit = fitted.summary.fit.expect("it was fitted");
    assert!(fit.enclosed > 0.9999 && fit.left < 1e-4, "{fit:?}");
    for (p, &value) in scene.low.mesh.positions.iter().zip(&out) {
        let height = bump(p.x, p.z);
        assert!(value >= height, "the envelope at {p} is {value}, the bump {height}");
        if p.distance(vec3(0.25, 0.0, 0.25)) > 0.35 {
            assert!(value < 0.02, "far from the bump it is {value} at {p}");
        }
    }
    assert!(fitted.summary.suggested.is_some_and(|s| s.out > 0.11), "one number must hold the bump everywhere");

    // Two plates that face each other 0.1 apart, each its own sculpt: nothing needs room, each keeps to its half.
    let down = |mesh: &Mesh| {
        let mut mesh = mesh.clone();
        mesh.triangles.iter_mut().for_each(|t| t.swap(1, 2));
        mesh.normals.iter_mut().for_each(|n| *n = -*n);
        moved(&mesh, Vec3::Y * 0.1)
    };
    let (floor, roof) = (height_field("both", 4, |_, _| 0.0), down(&height_field("both", 4, |_, _| 0.0)));
    let scene = BakeScene::new(&[&floor, &roof], &[&floor, &roof], None).expect("no cage");
    let out = out_of(&scene, &field(&scene, &recipe));
    assert!(out.iter().all(|&o| o > 0.0 && o <= 0.046), "{out:?}");
    let marks = envelope_marks(
        &scene.low,
        &field(&scene, &recipe),
        &scene.fit(&scene.pairs(recipe.pair_rules()), BackFaces::Skip, &never).expect("goes on").probes,
    );
    assert!(marks.is_empty(), "{marks:?}");
    // Manually it can be made to cross, and that is marked.
    let mut wide = recipe.clone();
    wide.reach.out = Distance::Units(0.08);
    let marks = envelope_marks(
        &scene.low,
        &field(&scene, &wide),
        &scene.fit(&scene.pairs(wide.pair_rules()), BackFaces::Skip, &never).expect("goes on").probes,
    );
    assert!(marks.iter().any(|m| matches!(m.kind, MarkKind::CrossesItself | MarkKind::CrossesAnother)));
    assert!(marks.iter().all(|m| (m.by - 0.06).abs() < 1e-3), "0.08 and 0.08 in a gap of 0.1");
}

#[test]
fn what_pokes_out_of_an_envelope_is_marked_where_it_does() {
    let low = height_field("plate", 4, |_, _| 0.0);
    let high = height_field("plate", 100, |x, _| if x > 0.7 { 0.05 } else { -0.03 });
    let scene = BakeScene::new(&[&low], &[&high], None).expect("no cage");
    let recipe = recipe(64, 1, (0.02, 0.01), maps(&["normal"]));
    let fit = scene.fit(&scene.pairs(recipe.pair_rules()), BackFaces::Skip, &never).expect("nobody stops it");
    let marks = envelope_marks(&scene.low, &field(&scene, &recipe), &fit.probes);
    let (out, deep): (Vec<_>, Vec<_>) = marks.iter().partition(|m| m.kind == MarkKind::PokesOut);
    assert!(!out.is_empty() && out.iter().all(|m| m.point[0] > 0.68 && m.by <= 0.0301));
    assert!(
        deep.iter().all(|m| m.kind == MarkKind::TooDeep && m.point[0] < 0.72 && m.by <= 0.0201) && !deep.is_empty()
    );
}

#[test]
fn a_cage_in_another_order_is_matched_by_uv_and_gaps_are_told() {
    let low = cube("box", 0.5);
    let mut cage = scaled(&low, 1.4);
    // Another order of faces, and of vertices.
    cage.triangles.reverse();
    let last = cage.positions.len() as u32 - 1;
    cage.positions.reverse();
    cage.uvs.reverse();
    cage.normals.reverse();
    cage.triangles.iter_mut().flatten().for_each(|v| *v = last - *v);
    let surface = LowSurface::new(low.clone(), Some(&cage)).expect("it matches");
    let matched = surface.cage.as_ref().expect("there is a cage");
    assert!(!matched.in_order && matched.unmatched.is_empty() && matched.inside.is_empty());
    for (t, corners) in matched.corners.iter().enumerate() {
        for (c, p) in corners.iter().enumerate() {
            assert_eq!(p.expect("matched"), low.corners(t as u32)[c] * 1.4);
        }
    }
    // A cage without one side: the envelope takes its place there.
    let mut open = cage.clone();
    open.triangles.truncate(10);
    open.parts[0].triangles = 0..10;
    let used: Vec<u32> = open.triangles.iter().flatten().copied().collect();
    for v in 0..open.positions.len() {
        if !used.contains(&(v as u32)) {
            open.uvs[v] = ember_ridge_core::glam::vec2(9.0, 9.0);
        }
    }
    let scene = BakeScene::new(&[&low], &[&ball("box", 0.8, 40)], Some(&open)).expect("most of it matches");
    let plan = Plan::new(&recipe(64, 1, (0.4, 0.2), maps(&["normal"])), &scene).expect("sound");
    let gap = plan.findings.iter().find(|f| f.kind == FindingKind::CageGaps).expect("it is told");
    assert_eq!(gap.place.count, 2);
    assert!(gap.reason.starts_with("2 of 12 triangles"), "{}", gap.reason);
}

#[test]
fn cages_of_another_mesh_and_inside_out_ones_are_refused() {
    let low = cube("box", 0.5);
    let fault = |cage: &Mesh| LowSurface::new(low.clone(), Some(cage)).err().expect("refused").to_string();
    let far = moved(&scaled(&low, 1.2), Vec3::X * 40.0);
    let mut other = far.clone();
    other.triangles.pop();
    other.parts[0].triangles = 0..11;
    assert!(fault(&other).contains("the cage has 11 triangles and the low-poly 12"), "{}", fault(&other));
    assert!(fault(&scaled(&low, 0.8)).contains("lies inside the low-poly at 12 of its 12 triangles"));
}

#[test]
fn a_changed_pair_has_its_own_part_fitted_again_and_no_other() {
    // Four boxes in a row under four balls; the last ball is lent to the third box, then taken back.
    let at = |i: usize| vec3(3.0 * i as f32, 0.0, 0.0);
    let names = ["one", "two", "three", "four"];
    let lows: Vec<Mesh> = (0..4).map(|i| moved(&cube(names[i], 0.5), at(i))).collect();
    let highs: Vec<Mesh> = (0..4).map(|i| moved(&ball(names[i], 0.6 + 0.03 * i as f32, 40), at(i))).collect();
    let (lows, highs): (Vec<&Mesh>, Vec<&Mesh>) = (lows.iter().collect(), highs.iter().collect());
    let fresh = || BakeScene::new(&lows, &highs, None).expect("no cage");
    let mut recipe = recipe(32, 1, (0.3, 0.3), maps(&["normal"]));
    let fit = |scene: &BakeScene, recipe: &Recipe| {
        scene.fit(&scene.pairs(recipe.pair_rules()), BackFaces::Skip, &never).expect("nobody stops it")
    };
    let scene = fresh();
    assert_eq!(fit(&scene, &recipe).kept_parts, 0, "nothing was there before");
    recipe.hand_pairs = vec![HandPair { high: "four".into(), low: vec!["three".into(), "four".into()] }];
    let (after, anew) = (fit(&scene, &recipe), fit(&fresh(), &recipe));
    // What is walls to one another changed for the two that share a ball.
    assert_eq!((after.kept_parts, anew.kept_parts), (2, 0));
    assert!(after.out == anew.out && after.inward == anew.inward, "as fitted from nothing");
    assert_eq!((after.report, after.uniform), (anew.report, anew.uniform));
    assert_eq!(after.probes.len(), anew.probes.len());
    // Another rule for back faces is another question to every part.
    let pairs = scene.pairs(recipe.pair_rules());
    let both_sides = scene.fit(&pairs, BackFaces::Keep, &never).expect("nobody stops it");
    assert_eq!(both_sides.kept_parts, 0);
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    #[test]
    fn no_single_number_misses_fewer_rays_than_the_fit(
        heights in proptest::collection::vec(-0.12f32..0.12, 81),
        n in 2usize..6,
    ) {
        // A rough field under a coarse one, which stands in the middle of it.
        let low = height_field("field", n, |_, _| 0.0);
        let high = height_field("field", 8, |x, z| heights[(z * 8.0).round() as usize * 9 + (x * 8.0).round() as usize]);
        let scene = BakeScene::new(&[&low], &[&high], None).expect("no cage");
        let misses = |out: Distance, inward: Distance| {
            let mut recipe = recipe(48, 1, (0.1, 0.1), maps(&["miss"]));
            (recipe.reach.out, recipe.reach.inward) = (out, inward);
            let outcome = run(&Plan::new(&recipe, &scene).expect("sound"), 1, &Unwatched).expect("goes on");
            outcome.counts.misses
        };
        let fitted = misses(Distance::Auto, Distance::Auto);
        let typed = [0.02, 0.05, 0.08, 0.12, 0.2].map(|d| misses(Distance::Units(d), Distance::Units(d)));
        prop_assert!(typed[0] > typed[4], "a number that is too short misses");
        prop_assert!(typed.iter().all(|single| fitted <= *single), "{fitted} by the fit, {typed:?} by numbers");
    }
}
