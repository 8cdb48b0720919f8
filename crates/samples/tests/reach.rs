//! Reaches on real shapes: the fit beside the best of many single numbers, and plumb over what leans on the lantern.

use ember_ridge_core::bake::{Plan, Unwatched, run};
use ember_ridge_core::maps::MapSettings;
use ember_ridge_core::pairs::Pairing;
use ember_ridge_core::reach::{Direction, spread_points};
use ember_ridge_core::scene::BakeScene;
use ember_ridge_core::stop::never;
use ember_ridge_core::surface::MeshPoint;
use ember_ridge_core::trace::{BackFaces, RaySpan};
use ember_ridge_core::{Mesh, Recipe};
use ember_ridge_samples::shapes::{FAMILY, Shape, shape};
use ember_ridge_samples::{Detail, make};

fn scene_of(low: &Mesh, high: &Mesh) -> BakeScene {
    BakeScene::new(&[low], &[high], None).expect("no cage")
}

/// Rays that miss, or hit what was not made of the place they belong to.
fn failures(scene: &BakeScene, shape: &Shape, points: &[MeshPoint], reach: &dyn Fn(MeshPoint) -> (f32, f32)) -> usize {
    let low = &scene.low;
    let fails = |&&place: &&MeshPoint| {
        let p = low.point(place, Direction::Averaged);
        let (out, inward) = reach(place);
        let origin = p.position + p.outward * out;
        let span = RaySpan { origin, direction: -p.outward, length: out + inward };
        let Some(hit) = scene.trace.closest(&span, &[true], BackFaces::Skip).hit else { return true };
        let right = p.position + p.outward * shape.height(p.position);
        let off = scene.high.at(hit.at).distance(right);
        !shape.belongs(hit.at.triangle, place.triangle) || off > low.mesh.diagonal() * 0.05
    };
    points.iter().filter(fails).count()
}

#[test]
fn fitted_reaches_fail_at_most_half_as_often_as_the_best_single_numbers() {
    // One of each kind that single numbers have trouble with; `cargo bench -- reach` judges the whole family.
    for number in [0, 2, 13, 18] {
        let made = shape(number);
        let scene = scene_of(&made.low, &made.high);
        let recipe = Recipe { pairing: Pairing::All, ..Recipe::new("shape") };
        let field =
            scene.field(recipe.reach_rules(), &scene.pairs(recipe.pair_rules()), &never).expect("nobody stops it");
        let points = spread_points(&scene.low, 6000, 1, 77_777);
        let fitted = failures(&scene, &made, &points, &|place| field.at(place));
        let diagonal = scene.low.mesh.diagonal();
        let best = (0..40)
            .map(|i| {
                let out = diagonal * 0.002 * 1.12f32.powi(i);
                failures(&scene, &made, &points, &|_| (out, diagonal * 0.08))
            })
            .min()
            .expect("forty were tried");
        assert!(fitted * 2 <= best, "{}: {fitted} of {} fail, {best} with one number", made.name, points.len());
    }
}

#[test]
fn the_family_is_the_same_every_time_and_its_heights_are_its_surface() {
    assert_eq!(FAMILY, 20);
    for number in [1, 7] {
        let (one, other) = (shape(number), shape(number));
        assert!(one.low.positions == other.low.positions && one.high.positions == other.high.positions);
        // On flat ground away from steep sides a short ray finds the height that is told.
        let scene = scene_of(&one.low, &one.high);
        let points = spread_points(&scene.low, 500, 1, 5);
        let near = points.iter().filter(|&&place| {
            let p = scene.low.point(place, Direction::Averaged);
            let height = one.height(p.position);
            let span =
                RaySpan { origin: p.position + p.outward * (height + 0.01), direction: -p.outward, length: 0.02 };
            let hit = scene.trace.closest(&span, &[true], BackFaces::Skip).hit;
            hit.is_some_and(|h| (h.t - 0.01).abs() < 0.003)
        });
        assert!(near.count() * 10 > points.len() * 8, "{}", one.name);
    }
}

#[test]
fn painting_plumb_takes_the_lean_from_the_lantern_and_leaves_the_rest_as_it_was() {
    let sample = make("lookout-lantern", Detail::Draft).expect("the lantern").bare();
    let scene = scene_of(&sample.low, &sample.high);
    let mut recipe = sample.recipe.clone();
    recipe.sheet.size = 1024;
    recipe.sheet.samples = 1;
    recipe.maps = ["normal", "displacement"].into_iter().filter_map(MapSettings::by_key).collect();
    let plan = |recipe: &Recipe| Plan::new(recipe, &scene).expect("sound");
    let before = plan(&recipe);
    let lean = before.lean();
    assert!(lean.samples > 200, "rivets by the drum's edges lean: {} samples", lean.samples);
    recipe.reach.strokes = before.plumb_strokes();
    assert!(!recipe.reach.strokes.is_empty());
    recipe.validate().expect("strokes of our own are sound");
    let after = plan(&recipe);
    let left = after.lean();
    assert!(left.shift <= lean.shift * 0.2, "of {} of lean {} is left", lean.shift, left.shift);

    let baked = |plan: &Plan| {
        let outcome = run(plan, 2, &Unwatched).expect("nobody stops it");
        (0..2).map(|m| outcome.pixels(0, m).expect("in memory")).collect::<Vec<_>>()
    };
    let (was, is) = (baked(&before), baked(&after));
    let mask = after.plumb_picture(0).expect("one sheet");
    let size = 1024usize;
    let covered = run(&before, 2, &Unwatched).expect("nobody stops it");
    let (mut untouched, mut touched) = (0, 0);
    for texel in 0..size * size {
        if !covered.covered(0).get(texel) {
            continue;
        }
        let same = (0..3).all(|c| was[0].get(texel * 3 + c) == is[0].get(texel * 3 + c));
        if mask[texel] == 0 {
            // A weight that rounds to nothing in the picture may still turn a ray; its neighbours show paint then.
            let (x, y) = (texel % size, texel / size);
            let near = (y.saturating_sub(2)..(y + 3).min(size))
                .any(|y| (x.saturating_sub(2)..(x + 3).min(size)).any(|x| mask[y * size + x] > 0));
            assert!(same || near, "texel {x}, {y} was not painted and changed");
            untouched += usize::from(!near);
        } else {
            touched += usize::from(!same);
        }
    }
    assert!(touched > 500 && untouched > 300_000, "{touched} changed, {untouched} were left");
}
