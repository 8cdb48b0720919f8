//! A run that was cut off goes on from its finished tiles, whatever became of them, and ends with the bytes of one that was not. Until
//! its tiles land, a coarse picture stands in their place.

use crate::support::*;
use ember_ridge_core::Mesh;
use ember_ridge_core::bake::{Canvas, Ended, Plan, SoFar, Unwatched, Watch, first_look, run, run_into};
use ember_ridge_core::glam::{Vec3, vec2};
use ember_ridge_core::picture::Pixels;
use ember_ridge_core::recipe::Recipe;
use ember_ridge_core::scene::BakeScene;
use ember_ridge_core::sheet::Layout;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::sync::{Arc, Mutex};

/// Stops after so many tiles of its own, and remembers how far it got.
struct Cut {
    left: AtomicUsize,
    last: Mutex<SoFar>,
}

impl Cut {
    fn after(tiles: usize) -> Cut {
        Cut { left: AtomicUsize::new(tiles), last: Mutex::default() }
    }
}

impl Watch for Cut {
    fn now(&self) -> f64 {
        0.0
    }

    fn stopped(&self) -> bool {
        self.left.load(Ordering::Relaxed) == 0
    }

    fn tile_done(&self, so_far: &SoFar, _: &Canvas) {
        if so_far.done > so_far.taken_over {
            let _ = self.left.fetch_update(Ordering::Relaxed, Ordering::Relaxed, |left| left.checked_sub(1));
        }
        let mut last = self.last.lock().expect("no panic");
        if so_far.done >= last.done {
            *last = so_far.clone();
        }
    }
}

/// Two cubes beside each other on two UDIM tiles, each with a ball that a short reach does not always meet.
pub fn two_tiles() -> (Mesh, Mesh, Recipe) {
    let place = |mesh: &Mesh, tile: f32| with_uvs(mesh, |uv| uv * 0.98 + 0.01 + vec2(tile, 0.0));
    let low = Mesh::joined(&[&place(&cube("a", 0.5), 0.0), &place(&moved(&cube("b", 0.5), Vec3::X * 3.0), 1.0)]);
    let high = Mesh::joined(&[&ball("a", 0.7, 24), &moved(&ball("b", 0.7, 24), Vec3::X * 3.0)]);
    let mut recipe = recipe(128, 4, (0.15, 0.15), maps(&["normal", "displacement", "ao", "miss", "base-color"]));
    recipe.sheet.layout = Layout::Udim;
    (low, high, recipe)
}

pub fn wholes(outcome: &ember_ridge_core::bake::Outcome) -> Vec<Vec<WholeMap>> {
    let whole = |sheet: usize| -> Vec<WholeMap> {
        Whole::of(outcome, sheet).maps.into_iter().filter(|map| map.error.is_none()).collect()
    };
    (0..outcome.sheets.len()).map(whole).collect()
}

#[test]
fn a_run_that_was_cut_off_goes_on_and_ends_the_same() {
    let (low, high, recipe) = two_tiles();
    let scene = BakeScene::new(&[&low], &[&high], None).expect("no cage");
    let plan = || Plan::new(&recipe, &scene).expect("sound");
    let all = plan().busy_tiles();
    assert!(all >= 8 && plan().rays.sheets.len() == 2);
    let whole = run(&plan(), 2, &Unwatched).expect("nobody stops it");
    assert!(whole.maps.iter().any(|map| map.error.is_some()), "there is no finish for a base colour");
    let spool = Arc::new(Lasting::default());
    let mut done = 0;
    for tiles in [1, 2, 3] {
        let cut = Cut::after(tiles);
        let ended = run_into(&plan(), 1, &cut, spool.clone(), None);
        assert!(matches!(ended, Err(Ended::Stopped)));
        let last = cut.last.into_inner().expect("no panic");
        assert_eq!((last.taken_over, last.done, last.all), (done, done + tiles, all));
        done += tiles;
    }
    // The end of one tile was never kept, and values of another were damaged.
    let slots = plan().maps.len() + 1;
    {
        let mut kept = spool.0.lock().expect("no panic");
        let mut ends: Vec<usize> = kept.keys().copied().filter(|slot| slot % slots == slots - 1).collect();
        ends.sort_unstable();
        assert_eq!(ends.len(), 6);
        kept.remove(&ends[0]);
        kept.insert(ends[1] - slots + 1, Vec::new());
        // A value short, in what is otherwise well kept.
        if let Some(bytes) = kept.get_mut(&(ends[2] - slots + 1)) {
            bytes.pop();
        }
    }
    let last = Cut::after(usize::MAX);
    let outcome = run_into(&plan(), 2, &last, spool.clone(), None).expect("goes on");
    let told = last.last.into_inner().expect("no panic");
    assert_eq!((told.taken_over, told.done), (3, all));
    assert!(wholes(&outcome) == wholes(&whole), "the bytes of a run that was not cut off");
    assert_eq!(outcome.report.findings, whole.report.findings);
    assert!(!whole.report.findings.is_empty() && whole.counts.misses > 0);
    let counts =
        |o: &ember_ridge_core::bake::Outcome| (o.counts.covered, o.counts.misses, o.counts.rays, o.report.rays);
    assert_eq!(counts(&outcome), counts(&whole), "what the tiles met is counted once");
    // Once more over all of them nothing is traced.
    let last = Cut::after(usize::MAX);
    let again = run_into(&plan(), 2, &last, spool, None).expect("goes on");
    let told = last.last.into_inner().expect("no panic");
    assert_eq!((told.taken_over, told.rays), (all, 0));
    assert!(wholes(&again) == wholes(&whole));
}

#[test]
fn tiles_of_other_maps_are_not_taken_over() {
    let (low, high, mut recipe) = two_tiles();
    let scene = BakeScene::new(&[&low], &[&high], None).expect("no cage");
    let spool = Arc::new(Lasting::default());
    let plan = Plan::new(&recipe, &scene).expect("sound");
    run_into(&plan, 1, &Unwatched, spool.clone(), None).expect("goes on");
    recipe.maps.truncate(1);
    let other = Plan::new(&recipe, &scene).expect("sound");
    let mixed = run_into(&other, 1, &Unwatched, spool, None).expect("goes on");
    assert!(wholes(&mixed) == wholes(&run(&other, 1, &Unwatched).expect("goes on")));
}

/// What stood in the picture before the first tile landed, and how many tiles were there when it was looked at.
struct First(Mutex<Option<(usize, Vec<u8>, u32)>>);

impl Watch for First {
    fn now(&self) -> f64 {
        0.0
    }

    fn stopped(&self) -> bool {
        false
    }

    fn tile_done(&self, so_far: &SoFar, canvas: &Canvas) {
        let mut seen = self.0.lock().expect("no panic");
        if seen.is_none() {
            let picture = canvas.preview(0, "position").expect("somebody looks");
            *seen = Some((so_far.done, picture.rows, picture.side));
        }
    }
}

#[test]
fn a_coarse_picture_fills_the_sheet_before_the_first_tile() {
    let low = cube("a", 0.5);
    let high = ball("a", 0.7, 40);
    let scene = BakeScene::new(&[&low], &[&high], None).expect("no cage");
    let mut recipe = recipe(512, 4, (0.4, 0.4), maps(&["position", "displacement"]));
    recipe.sheet.depth = ember_ridge_core::picture::Depth::Eight;
    let plan = |recipe: &Recipe| Plan::new(recipe, &scene).expect("sound");
    let bare = Whole::of(&run(&plan(&recipe), 2, &Unwatched).expect("goes on"), 0);
    let first = First(Mutex::default());
    let with_look = plan(&recipe).begun_with(first_look(&recipe, &scene, &Unwatched).expect("goes on"));
    let whole = Whole::of(&run(&with_look, 2, &first).expect("goes on"), 0);
    assert!(whole.maps == bare.maps, "what is seen first changes nothing");
    let (done, rows, side) = first.0.into_inner().expect("no panic").expect("it was called");
    assert_eq!((done, side), (0, 512));
    let Pixels::U8(pixels) = &whole.maps[0].pixels else { panic!("of eight bits") };
    let covered: Vec<usize> = (0..512 * 512).filter(|t| whole.covered[*t]).collect();
    let shown = covered.iter().filter(|t| rows[**t * 3..**t * 3 + 3] != [0, 0, 0]).count();
    assert!(shown as f64 > 0.99 * covered.len() as f64, "{shown} of {}", covered.len());
    let off = covered.iter().flat_map(|t| (0..3).map(move |c| (*t, c)));
    let off: f64 = off.map(|(t, c)| f64::from(rows[t * 3 + c].abs_diff(pixels[t * 3 + c]))).sum();
    let mean = off / (3 * covered.len()) as f64;
    assert!(mean < 4.0, "{mean} of 255: it shows what is to come");
    // A sheet that is as small as the coarse one needs none.
    recipe.sheet.size = 64;
    let small = First(Mutex::default());
    assert!(first_look(&recipe, &scene, &Unwatched).expect("goes on").is_none());
    run(&plan(&recipe), 1, &small).expect("goes on");
    assert_eq!(small.0.into_inner().expect("no panic").expect("it was called").0, 1);
}
