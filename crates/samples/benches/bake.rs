//! `cargo bench`: what a bake of the boundary stone costs, and the ratios that matter, all within one run. Each figure is the
//! best of several, so that a busy machine spoils few of them. No figure here is a test.

use ember_ridge_core::bake::{BakeScene, Canvas, Plan, Watch, run};
use ember_ridge_core::glam::Vec3;
use ember_ridge_core::maps::{MapSettings, NormalSettings};
use ember_ridge_core::trace::{BackFaces, RaySpan, TraceScene};
use ember_ridge_formats::mesh::{write_obj, write_ply};
use ember_ridge_formats::read_mesh;
use ember_ridge_samples::{Detail, make};
use std::time::Instant;

struct Clock(Instant);

impl Watch for Clock {
    fn now(&self) -> f64 {
        self.0.elapsed().as_secs_f64()
    }
    fn stopped(&self) -> bool {
        false
    }
    fn tile_done(&self, _: usize, _: usize, _: &Canvas) {}
}

fn best<T>(times: usize, mut work: impl FnMut() -> T) -> (f64, T) {
    let mut kept = None;
    for _ in 0..times {
        let begun = Instant::now();
        let value = work();
        let seconds = begun.elapsed().as_secs_f64();
        if kept.as_ref().is_none_or(|(least, _)| seconds < *least) {
            kept = Some((seconds, value));
        }
    }
    kept.expect("times is at least one")
}

fn main() {
    // Cargo passes `--bench`; the figures take no options.
    let begun = Instant::now();
    let stone = make("boundary-stone", Detail::Full).expect("a sample of that name");
    let made_stone = begun.elapsed().as_secs_f64();
    let begun = Instant::now();
    let lantern = make("lookout-lantern", Detail::Full).expect("a sample of that name");
    println!("samples: stone {made_stone:.1} s, lantern {:.1} s", begun.elapsed().as_secs_f64());
    println!("stone: {} low, {} high triangles", stone.low.triangles.len(), stone.high.triangles.len());
    println!("lantern: {} low, {} high triangles", lantern.low.triangles.len(), lantern.high.triangles.len());

    let (mut obj, mut ply) = (Vec::new(), Vec::new());
    write_obj(&mut obj, &stone.low).expect("memory");
    write_ply(&mut ply, &stone.high).expect("memory");
    let (read, _) = best(3, || {
        let low = read_mesh("stone_low.obj", &obj, &|_| None).expect("our own");
        (low, read_mesh("stone_high.ply", &ply, &|_| None).expect("our own"))
    });
    let (tree, trace) = best(3, || TraceScene::new(&stone.high));
    println!("read both files {read:.2} s; tree {tree:.2} s, {:.0} MB", trace.bytes() as f64 / 1e6);

    let scene = BakeScene::new(&[&stone.low], &[&stone.high], None).expect("no cage");
    let mut recipe = stone.recipe.clone();
    recipe.maps = vec![MapSettings::Normal(NormalSettings::default())];
    recipe.sheet.size = 1024;
    recipe.sheet.samples = 1;
    let clock = Clock(Instant::now());
    let (planning, plan) = best(3, || Plan::new(&recipe, &scene).expect("sound"));
    let (one, outcome) = best(3, || run(&plan, 1, &clock).expect("not stopped"));
    let (two, _) = best(5, || run(&plan, 2, &clock).expect("not stopped"));
    let rays = outcome.counts.rays as f64;
    println!("1024 normal, 1 sample: planning {planning:.3} s, 1 thread {one:.3} s, 2 threads {two:.3} s");
    println!("first bake from files (reading, tree, planning, 2 threads): {:.2} s", read + tree + planning + two);
    println!("ratio 2 threads to 1: {:.2}", one / two);

    // The same rays bare: down the averaged direction from points of the low surface, nothing kept.
    let mask = vec![true; stone.high.parts.len()];
    let spans: Vec<RaySpan> = (0..rays as u32)
        .map(|i| {
            let t = (u64::from(i) * stone.low.triangles.len() as u64 / rays as u64) as u32;
            let (v, w) = ((f64::from(i) * 0.754_877_67).fract() as f32, (f64::from(i) * 0.569_840_3).fract() as f32);
            let (v, w) = if v + w > 1.0 { (1.0 - v, 1.0 - w) } else { (v, w) };
            let point = scene.low.point(t, v, w, recipe.direction);
            let origin: Vec3 = point.position + point.outward * plan.reach.out;
            RaySpan { origin, direction: -point.outward, length: plan.reach.out + plan.reach.inward }
        })
        .collect();
    let (bare, hits) =
        best(3, || spans.iter().filter(|s| scene.trace.closest(s, &mask, BackFaces::Skip).hit.is_some()).count());
    println!("bare rays, 1 thread: {:.2} million a second, {:.2} % hit", rays / bare / 1e6, 100.0 * hits as f64 / rays);
    println!("ratio whole run to its bare rays, 1 thread: {:.2}", one / bare);

    for samples in [4, 16] {
        recipe.sheet.samples = samples;
        let plan = Plan::new(&recipe, &scene).expect("sound");
        let (seconds, _) = best(1, || run(&plan, 2, &clock).expect("not stopped"));
        println!("{samples} samples: {seconds:.3} s, {:.2} of {samples} times one sample", seconds / two);
    }
}
