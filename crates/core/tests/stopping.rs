//! Planning, like baking, ends when it is told to and keeps to the threads it was given.

use crate::support::*;
use ember_ridge_core::bake::{Canvas, Plan, PlanFault, SoFar, Unwatched, Watch, on_threads};
use ember_ridge_core::maps::MapSettings;
use ember_ridge_core::recipe::Recipe;
use ember_ridge_core::scene::BakeScene;
use ember_ridge_core::surface::Distance;
use std::collections::HashSet;
use std::sync::Mutex;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::thread::ThreadId;

/// Says stop from the asking number `after` on, and notes who asks.
#[derive(Default)]
struct Impatient {
    after: usize,
    asked: AtomicUsize,
    by: Mutex<HashSet<ThreadId>>,
}

impl Watch for Impatient {
    fn now(&self) -> f64 {
        0.0
    }

    fn stopped(&self) -> bool {
        self.by.lock().expect("nobody panicked").insert(std::thread::current().id());
        self.asked.fetch_add(1, Ordering::Relaxed) >= self.after
    }

    fn tile_done(&self, _: &SoFar, _: &Canvas) {}
}

fn fitted() -> Recipe {
    let maps = ["curvature", "cavity"].into_iter().filter_map(MapSettings::by_key);
    let mut recipe = recipe(64, 1, (0.1, 0.1), maps.collect());
    (recipe.reach.out, recipe.reach.inward) = (Distance::Auto, Distance::Auto);
    recipe
}

fn scene() -> BakeScene {
    let mut low = ball("ball", 1.0, 24);
    low.uvs = low.projected_uvs(ember_ridge_core::mesh::Plane::PlanarZ);
    BakeScene::new(&[&low], &[&ball("ball", 1.02, 120)], None).expect("no cage")
}

#[test]
fn a_plan_ends_when_it_is_told_to_and_leaves_nothing_half_made() {
    let (recipe, scene) = (fitted(), scene());
    let all = {
        let patient = Impatient { after: usize::MAX, ..Impatient::default() };
        Plan::watched(&recipe, &self::scene(), &patient).expect("nobody stops it");
        patient.asked.into_inner()
    };
    // Probes of the fit, its sweeps, curvature of three sizes: it is asked often in each.
    assert!(all > 150, "asked {all} times");
    for after in [0, 1, 7, all / 4, all / 2, all * 3 / 4, all * 9 / 10] {
        let watch = Impatient { after, ..Impatient::default() };
        let ended = Plan::watched(&recipe, &scene, &watch).err();
        // What earlier rounds finished is there already, so that a later one may come through before it is told to end.
        let asked = watch.asked.into_inner();
        assert!(ended == Some(PlanFault::Stopped) || asked <= after, "after {after} of {asked}: {ended:?}");
    }
    // The scene that was stopped so often bakes what a fresh one does.
    let bytes = |scene: &BakeScene| bake_scene(&recipe, scene, 2, &Unwatched).expect("goes on").maps;
    assert!(bytes(&scene) == bytes(&self::scene()));
}

#[test]
fn a_plan_keeps_to_its_threads() {
    let askers = |threads: usize| {
        let watch = Impatient { after: usize::MAX, ..Impatient::default() };
        on_threads(threads, || Plan::watched(&fitted(), &scene(), &watch).map(|_| ())).expect("nobody stops it");
        watch.by.into_inner().expect("nobody panicked").len()
    };
    assert_eq!(askers(1), 1);
    assert!((1..=3).contains(&askers(3)));
}
