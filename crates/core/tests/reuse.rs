//! What one bake leaves for another: maps that did not change are not worked on again, hits that are kept are not traced again, and
//! the bytes are those of a bake from nothing.

use crate::support::*;
use ember_ridge_core::Mesh;
use ember_ridge_core::bake::{
    Canvas, KeptTiles, MemorySpool, Plan, Preview, SoFar, Unwatched, Watch, estimate, run, run_into,
};
use ember_ridge_core::glam::Vec3;
use ember_ridge_core::hits::{HitKey, HitStore};
use ember_ridge_core::maps::{AoSettings, Green, MapSettings, NormalSettings, Occluders, Rays, RaysByError};
use ember_ridge_core::picture::Pixels;
use ember_ridge_core::reach::PartReach;
use ember_ridge_core::recipe::Recipe;
use ember_ridge_core::scene::BakeScene;
use ember_ridge_core::surface::Distance;
use std::collections::HashMap;
use std::sync::{Arc, Mutex};

/// Two cubes on a sheet, each with a ball.
fn pair_of_cubes() -> (Mesh, Mesh) {
    let place = |mesh: &Mesh, corner: f32| with_uvs(mesh, |uv| uv * 0.5 + corner);
    let low = Mesh::joined(&[&place(&cube("a", 0.5), 0.0), &place(&moved(&cube("b", 0.5), Vec3::X * 3.0), 0.5)]);
    (low, Mesh::joined(&[&ball("a", 0.7, 40), &moved(&ball("b", 0.7, 40), Vec3::X * 3.0)]))
}

fn proof(recipe: &Recipe, scene: &BakeScene, kept: &Arc<KeptTiles>) -> Whole {
    let plan = Plan::new(recipe, scene).expect("sound").keeping(kept);
    Whole::of(&run(&plan, 2, &Unwatched).expect("nobody stops it"), 0)
}

#[test]
fn a_map_that_is_added_or_changed_alone_is_worked_on() {
    let (low, high) = pair_of_cubes();
    let fresh = || BakeScene::new(&[&low], &[&high], None).expect("no cage");
    let (scene, kept) = (fresh(), Arc::default());
    let mut recipe = recipe(128, 4, (0.3, 0.3), maps(&["ao", "thickness"]));
    let first = proof(&recipe, &scene, &kept);
    assert!(first.report.maps["ao"].rays > 100_000 && first.report.maps["thickness"].rays > 100_000);
    // One more that traces nothing of its own.
    recipe.maps.extend(maps(&["miss"]));
    let with_miss = proof(&recipe, &scene, &kept);
    assert_eq!(with_miss.report.rays, 0, "neither primary rays nor those of occlusion");
    // Other rays for one of them: the other has its values.
    recipe.maps[0] = recipe.maps[0].clone().with_rays(16.into());
    let other = proof(&recipe, &scene, &kept);
    assert_eq!((other.counts.rays, other.report.maps["thickness"].rays), (0, 0));
    assert!(other.report.maps["ao"].rays > 10_000);
    // One that shares its rays with a map that is all there.
    recipe.maps.extend(maps(&["bent-normal"]).into_iter().map(|map| map.with_rays(16.into())));
    let shared = proof(&recipe, &scene, &kept);
    assert_eq!(shared.report.maps["ao"].rays, 0);
    let whole = bake_scene(&recipe, &fresh(), 1, &Unwatched).expect("goes on");
    assert!(shared.maps == whole.maps, "the bytes of a bake from nothing");
}

#[test]
fn of_the_maps_that_a_hand_runs_through_the_latest_stay() {
    let (low, high) = pair_of_cubes();
    let scene = BakeScene::new(&[&low], &[&high], None).expect("no cage");
    let kept = Arc::default();
    let traced = |step: u8| {
        let ao = AoSettings { distance: Distance::Units(0.5 + 0.01 * f32::from(step)), ..AoSettings::default() };
        proof(&recipe(32, 1, (0.3, 0.3), vec![MapSettings::Ao(ao)]), &scene, &kept).report.maps["ao"].rays
    };
    assert!((1..=40).all(|step| traced(step) > 0), "each is another map");
    assert_eq!(((20..=40).map(traced).sum::<u64>(), traced(1) > 0), (0, true));
}

/// Only maps are wanted.
struct Glance;

impl Watch for Glance {
    fn now(&self) -> f64 {
        0.0
    }

    fn stopped(&self) -> bool {
        false
    }

    fn judges(&self) -> bool {
        false
    }

    fn tile_done(&self, _: &SoFar, _: &Canvas) {}
}

#[test]
fn a_bake_that_is_not_judged_has_the_same_maps_and_finds_nothing() {
    let (low, high) = pair_of_cubes();
    let scene = BakeScene::new(&[&low], &[&high], None).expect("no cage");
    // Too short a reach: much of the low-poly meets nothing.
    let recipe = recipe(64, 4, (0.05, 0.05), maps(&["normal", "displacement"]));
    let judged = bake_scene(&recipe, &scene, 1, &Unwatched).expect("goes on");
    let not = bake_scene(&recipe, &scene, 1, &Glance).expect("goes on");
    assert!(judged.maps == not.maps);
    assert!(judged.report.findings.len() > not.report.findings.len(), "{:?}", judged.report.findings);
}

#[test]
fn rays_by_error_are_worked_on_again_only_where_rays_changed() {
    let (low, high) = pair_of_cubes();
    let fresh = || BakeScene::new(&[&low], &[&high], None).expect("no cage");
    let (scene, kept) = (fresh(), Arc::default());
    let rays = Rays::ByError(RaysByError { most: 128, error: 0.01 });
    let ao = AoSettings { rays, distance: Distance::Units(4.0), occluders: Occluders::All, ..AoSettings::default() };
    let mut recipe = recipe(128, 4, (0.3, 0.3), vec![MapSettings::Ao(ao)]);
    recipe.maps.extend(maps(&["miss"]));
    let first = proof(&recipe, &scene, &kept);
    let mean = |whole: &Whole| whole.report.maps["ao"].mean_rays;
    assert!(mean(&first).is_some_and(|mean| mean > 33.0 && mean < 128.0), "{:?}", mean(&first));
    // Another reach on one part changes the rays of that part; the other has its values.
    recipe.reach.parts = vec![PartReach { part: "b".into(), out: Some(Distance::Units(0.25)), inward: None }];
    let part = proof(&recipe, &scene, &kept);
    let traced = |whole: &Whole| whole.report.maps["ao"].rays;
    assert!(traced(&part) > 0 && traced(&part) < traced(&first) * 2 / 3, "{} of {}", traced(&part), traced(&first));
    let whole = bake_scene(&recipe, &fresh(), 1, &Unwatched).expect("goes on");
    assert!(part.maps == whole.maps, "the bytes of a bake from nothing");
    // Another error is another map.
    let before = part.maps[0].pixels.clone();
    recipe.maps[0] = recipe.maps[0].clone().with_rays(Rays::ByError(RaysByError { most: 128, error: 0.05 }));
    let rougher = proof(&recipe, &scene, &kept);
    assert!(rougher.maps[0].pixels != before && mean(&rougher) < mean(&first));
    // Nothing worked on: nothing to tell of.
    assert_eq!(mean(&proof(&recipe, &scene, &kept)), None);
}

/// Hits kept in memory, as a folder keeps them.
#[derive(Default)]
struct Kept(Mutex<HashMap<HitKey, Vec<u8>>>);

impl HitStore for Kept {
    fn fetch(&self, key: &HitKey) -> Option<Vec<u8>> {
        self.0.lock().expect("no panic").get(key).cloned()
    }

    fn keeps(&self) -> bool {
        true
    }

    fn keep(&self, key: &HitKey, bytes: &[u8]) {
        self.0.lock().expect("no panic").insert(*key, bytes.to_vec());
    }
}

fn with_hits(recipe: &Recipe, scene: &BakeScene, kept: &Kept) -> Whole {
    let plan = Plan::new(recipe, scene).expect("sound");
    Whole::of(&run_into(&plan, 2, &Unwatched, Arc::new(MemorySpool::default()), Some(kept)).expect("goes on"), 0)
}

#[test]
fn kept_hits_are_not_traced_again_and_change_no_byte() {
    let (low, high) = pair_of_cubes();
    let fresh = || BakeScene::new(&[&low], &[&high], None).expect("no cage");
    let kept = Kept::default();
    let mut recipe = recipe(128, 4, (0.3, 0.3), maps(&["normal", "displacement", "position"]));
    let check = |found: &Whole, recipe: &Recipe| {
        let whole = bake_scene(recipe, &fresh(), 1, &Unwatched).expect("goes on");
        assert!(found.maps == whole.maps);
        assert_eq!(found.counts.rays + found.counts.kept_rays, whole.counts.rays);
        assert_eq!(found.report.findings, whole.report.findings);
    };
    let first = with_hits(&recipe, &fresh(), &kept);
    let all = first.counts.rays;
    assert_eq!(first.counts.kept_rays, 0);
    check(&first, &recipe);

    // Changed settings, another map, other padding and depth: no primary ray.
    recipe.maps[0] = MapSettings::Normal(NormalSettings { y: Green::Down, ..NormalSettings::default() });
    recipe.maps.push(MapSettings::Ao(AoSettings { rays: 16.into(), ..AoSettings::default() }));
    recipe.sheet.depth = ember_ridge_core::picture::Depth::Sixteen;
    recipe.seed = 7;
    let again = with_hits(&recipe, &fresh(), &kept);
    assert_eq!((again.counts.rays, again.counts.kept_rays), (0, all));
    check(&again, &recipe);

    // Another reach on one part: the tiles of the other are there.
    recipe.reach.parts = vec![PartReach { part: "b".into(), out: Some(Distance::Units(0.25)), inward: None }];
    let half = with_hits(&recipe, &fresh(), &kept);
    assert!(half.counts.kept_rays > all / 3 && half.counts.rays > all / 3, "{} kept of {all}", half.counts.kept_rays);
    check(&half, &recipe);

    // Heights are along the averaged direction; where rays are plumb those are rays of their own, and kept too.
    let mut plumb = recipe.clone();
    plumb.direction = ember_ridge_core::reach::Direction::Plumb;
    let of_heights = |found: &Whole| found.report.maps["displacement"].rays;
    let of_plumb = Kept::default();
    let first = with_hits(&plumb, &fresh(), &of_plumb);
    assert!(first.counts.rays > 0 && of_heights(&first) > 0);
    let again = with_hits(&plumb, &fresh(), &of_plumb);
    assert_eq!((again.counts.rays, of_heights(&again)), (0, 0));
    // The run before had traced the averaged ones.
    let after = with_hits(&plumb, &fresh(), &kept);
    assert_eq!((after.counts.rays > 0, of_heights(&after)), (true, 0));
    assert!(again.maps == first.maps && after.maps == first.maps);

    // What is damaged is traced again.
    {
        let mut tiles = kept.0.lock().expect("no panic");
        // In the order of their keys: which are damaged must not be left to chance.
        let mut all: Vec<_> = tiles.iter_mut().collect();
        all.sort_by(|a, b| a.0.cmp(b.0));
        for (n, (_, bytes)) in all.into_iter().enumerate() {
            match n % 3 {
                0 => bytes.truncate(bytes.len() / 2),
                1 => bytes[..4].fill(0xfe),
                _ => {}
            }
        }
    }
    let fixed = with_hits(&recipe, &fresh(), &kept);
    assert!(fixed.counts.rays > all / 3 && fixed.counts.kept_rays > 0, "{} of {all}", fixed.counts.rays);
    check(&fixed, &recipe);

    // Another sculpt, other rules, other parts seen: nothing of it.
    let other = Mesh { positions: high.positions.iter().map(|p| *p * 1.0001).collect(), ..high.clone() };
    let scene = BakeScene::new(&[&low], &[&other], None).expect("no cage");
    assert_eq!(with_hits(&recipe, &scene, &kept).counts.kept_rays, 0);
    let nearest = Recipe { hit: ember_ridge_core::hits::HitRule::Nearest, ..recipe.clone() };
    assert_eq!(with_hits(&nearest, &fresh(), &kept).counts.kept_rays, 0);
    let all_see = Recipe { pairing: ember_ridge_core::pairs::Pairing::All, ..recipe.clone() };
    assert_eq!(with_hits(&all_see, &fresh(), &kept).counts.kept_rays, 0);
}

#[test]
fn what_a_bake_will_cost_knows_which_maps_share_their_rays() {
    let (low, high) = pair_of_cubes();
    let scene = BakeScene::new(&[&low], &[&high], None).expect("no cage");
    let whole = recipe(64, 1, (0.3, 0.3), maps(&["ao", "cavity", "thickness"]));
    let plan = Plan::new(&whole, &scene).expect("sound");
    let mut last = run(&plan, 1, &Unwatched).expect("goes on").report;
    assert!(last.maps["cavity"].rays == 0 && last.maps["thickness"].rays > 0);
    // A run on one thread that spent a second on primary rays, and so much on its maps.
    (last.seconds, last.ray_seconds) = (16.5, 1.0);
    for (id, seconds) in [("ao", 10.0), ("cavity", 0.5), ("thickness", 5.0)] {
        last.maps.get_mut(id).expect("baked").seconds = seconds;
    }
    let seconds =
        |ids: &[&str]| estimate(&Recipe { maps: maps(ids), ..whole.clone() }, &last).expect("it measured").seconds;
    // 64 and 32 rays per texel took 15 s.
    let a_ray = 15.0 / 96.0;
    let is = |found: f32, expected: f32| assert!((found / expected - 1.0).abs() < 0.02, "{found}, not {expected}");
    is(seconds(&["ao"]), 1.0 + 64.0 * a_ray);
    is(seconds(&["ao", "cavity"]), 1.0 + 64.0 * a_ray + 0.5);
    is(seconds(&["cavity"]), 1.0 + 32.0 * a_ray);
    is(seconds(&["ao", "thickness"]), 1.0 + 96.0 * a_ray);
}

#[test]
fn a_bakes_cost_grows_with_texels_samples_and_rays() {
    let (low, high) = pair_of_cubes();
    let scene = BakeScene::new(&[&low], &[&high], None).expect("no cage");
    let whole = recipe(64, 4, (0.3, 0.3), maps(&["ao", "position"]));
    let mut last = run(&Plan::new(&whole, &scene).expect("sound"), 1, &Unwatched).expect("goes on").report;
    let expected = |recipe: &Recipe, last: &ember_ridge_core::bake::Report| estimate(recipe, last).map(|e| e.seconds);
    assert_eq!(expected(&whole, &last), None, "nobody measured the time");
    // Two threads at work for 13 s each, of 26 s in all.
    (last.seconds, last.ray_seconds) = (13.0, 4.0);
    last.maps.get_mut("ao").expect("baked").seconds = 20.0;
    last.maps.get_mut("position").expect("baked").seconds = 2.0;
    let changed = |change: &dyn Fn(&mut Recipe)| {
        let mut recipe = whole.clone();
        change(&mut recipe);
        expected(&recipe, &last).expect("it measured")
    };
    let near = |found: f32, wanted: f32| assert!((found - wanted).abs() < 0.02 * wanted, "{found} for {wanted}");
    near(changed(&|_| {}), 13.0);
    near(estimate(&whole, &last).expect("it measured").thread_seconds, 26.0);
    // Twice the side, four times the work.
    near(changed(&|r| r.sheet.size = 128), 52.0);
    // A quarter of the samples: primary rays and plain maps take a quarter, rays per texel are as many as they were.
    near(changed(&|r| r.sheet.samples = 1), (1.0 + 20.0 + 0.5) / 2.0);
    near(changed(&|r| r.maps[0] = r.maps[0].clone().with_rays(128.into())), (4.0 + 40.0 + 2.0) / 2.0);
    near(changed(&|r| r.maps.truncate(1)), 12.0);
    // By an error that was not asked for before: the most; once it was, as many as it took.
    let by_error = Rays::ByError(RaysByError { most: 256, error: 0.02 });
    let asked = |r: &mut Recipe| r.maps[0] = r.maps[0].clone().with_rays(by_error);
    near(changed(&asked), (4.0 + 80.0 + 2.0) / 2.0);
    let mut same = whole.clone();
    asked(&mut same);
    let mut measured = run(&Plan::new(&same, &scene).expect("sound"), 1, &Unwatched).expect("goes on").report;
    assert_eq!(measured.maps["ao"].mean_rays, Some(32.0), "a ball is open all round");
    (measured.seconds, measured.ray_seconds) = (8.0, 4.0);
    measured.maps.get_mut("ao").expect("baked").seconds = 10.0;
    measured.maps.get_mut("position").expect("baked").seconds = 2.0;
    near(expected(&same, &measured).expect("it measured"), 8.0);
    // Finished texels wait in memory: occlusion of 8 bits takes one byte, a position of three channels three.
    let bytes = |r: &Recipe| estimate(r, &last).expect("it measured").bytes;
    assert_eq!(bytes(&whole), 64 * 64 * 4);
    let mut large = whole.clone();
    large.sheet.size = 256;
    assert_eq!(bytes(&large), 256 * 256 * 4);
}

/// Looks at the picture on screen each time a tile lands.
struct Looking(Mutex<Vec<(usize, Preview)>>);

impl Watch for Looking {
    fn now(&self) -> f64 {
        0.0
    }

    fn stopped(&self) -> bool {
        false
    }

    fn tile_done(&self, so_far: &SoFar, canvas: &Canvas) {
        assert!(canvas.preview(0, "no such map").is_none() && canvas.preview(7, "position").is_none());
        let picture = canvas.preview(0, "position").expect("somebody looks");
        self.0.lock().expect("no panic").push((so_far.done, picture));
    }
}

#[test]
fn the_picture_on_screen_fills_and_ends_as_the_map() {
    let (low, high) = pair_of_cubes();
    let scene = BakeScene::new(&[&low], &[&high], None).expect("no cage");
    // At its own size, and twice as large as a picture on screen is.
    for (size, step) in [(256u32, 1usize), (1024, 2)] {
        let mut recipe = recipe(size, 1, (0.3, 0.3), maps(&["position"]));
        recipe.sheet.padding = ember_ridge_core::sheet::Padding::Texels(0);
        recipe.sheet.depth = ember_ridge_core::picture::Depth::Eight;
        let looking = Looking(Mutex::default());
        let whole = bake_scene(&recipe, &scene, 1, &looking).expect("goes on");
        let seen = looking.0.into_inner().expect("no panic");
        let filled = |picture: &Preview| picture.rows.chunks(3).filter(|texel| *texel != [0, 0, 0]).count();
        let counts: Vec<usize> = seen.iter().map(|(_, picture)| filled(picture)).collect();
        assert!(counts.windows(2).all(|pair| pair[0] <= pair[1]) && counts[0] < counts[counts.len() - 1]);
        assert!(seen.iter().map(|(done, _)| *done).eq(1..=seen.len()));
        let (_, last) = &seen[seen.len() - 1];
        assert_eq!((last.side as usize, last.channels), (size as usize / step, 3));
        let Pixels::U8(pixels) = &whole.maps[0].pixels else { panic!("of eight bits") };
        for texel in 0..(last.side * last.side) as usize {
            let (x, y) = (texel % last.side as usize * step, texel / last.side as usize * step);
            let at = (y * size as usize + x) * 3;
            let shown = &last.rows[texel * 3..texel * 3 + 3];
            assert_eq!(shown, &pixels[at..at + 3], "texel {x}, {y}");
        }
    }
}
