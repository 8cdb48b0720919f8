//! Fits of dense low-polys: how their time grows, and what share of a bake they are.

use super::{Clock, best};
use ember_ridge_core::bake::{Plan, run};
use ember_ridge_core::maps::MapSettings;
use ember_ridge_core::pairs::Pairing;
use ember_ridge_core::scene::BakeScene;
use ember_ridge_core::stop::never;
use ember_ridge_core::surface::Distance;
use ember_ridge_core::trace::BackFaces;
use ember_ridge_samples::shapes::dense_ball;
use std::time::Instant;

/// Low-poly triangles around, of balls under a rough sculpt of 1.3 million.
const ROUNDS: [usize; 4] = [50, 100, 143, 203];
const SCULPT: usize = 806;

pub fn print() {
    let sculpt = dense_ball(SCULPT, 0.02);
    println!("-- fits under a sculpt of {} triangles, 2 threads", sculpt.triangles.len());
    println!("{:>9} {:>9} {:>12} {:>22} {:>7}", "low-poly", "fit s", "us/triangle", "bake, reach typed, s", "share");
    for round in ROUNDS {
        let low = dense_ball(round, 0.0);
        let fresh = || BakeScene::new(&[&low], &[&sculpt], None).expect("no cage");
        let mut recipe = super::recipe(1024, 4, &["normal", "ao"]);
        recipe.pairing = Pairing::All;
        let fit = || {
            let scene = fresh();
            let pairs = scene.pairs(recipe.pair_rules());
            scene.low_trace();
            let begun = Instant::now();
            scene.fit(&pairs, BackFaces::Skip, &never).expect("nobody stops it");
            begun.elapsed().as_secs_f64()
        };
        let seconds = (0..3).map(|_| fit()).fold(f64::INFINITY, f64::min);
        recipe.reach.out = Distance::Units(0.05);
        recipe.reach.inward = Distance::Units(0.05);
        recipe.maps = ["normal", "ao"].iter().filter_map(|id| MapSettings::by_key(id)).collect();
        let scene = fresh();
        let clock = Clock(Instant::now());
        let plan = Plan::new(&recipe, &scene).expect("sound");
        let (whole, _) = best(1, || run(&plan, 0, &clock).expect("not stopped"));
        let triangles = low.triangles.len();
        println!(
            "{triangles:>9} {seconds:>9.3} {:>12.2} {whole:>22.2} {:>7.2}",
            seconds * 1e6 / triangles as f64,
            seconds / whole
        );
    }
}
