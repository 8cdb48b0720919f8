//! `cargo bench`: what baking the boundary stone costs, and the ratios that matter, all within one run. Each figure is the
//! best of several, so that a busy machine spoils few of them. No figure here is a test. `cargo bench -- large` bakes one
//! 8192 sheet of six maps instead and prints how far memory rose.

mod apart;
#[cfg(embree)]
mod embree;
mod finish;
mod fit;
mod import;
mod large;
mod reach;
mod single;
mod traversal;
mod uvs;

use ember_ridge_core::Recipe;
use ember_ridge_core::bake::{Canvas, Outcome, Plan, SoFar, Watch, run};
use ember_ridge_core::glam::{Vec3, Vec3A};
use ember_ridge_core::maps::{AoSettings, MapSettings};
use ember_ridge_core::mesh::CurvatureField;
use ember_ridge_core::reach::Direction;
use ember_ridge_core::scene::BakeScene;
use ember_ridge_core::surface::MeshPoint;
use ember_ridge_core::trace::{BackFaces, LANES, Packet, RaySpan, Registers, Seen, Sight, TraceScene, Walk};
use ember_ridge_formats::mesh::{write_obj, write_ply};
use ember_ridge_formats::read_mesh;
use ember_ridge_samples::{Detail, Sample, make};
use obvhs::BvhBuildParams;
use obvhs::cwbvh::builder::build_cwbvh_from_tris;
use obvhs::ray::{Ray, RayHit};
use obvhs::triangle::Triangle;
use single::SingleRays;
use std::time::{Duration, Instant};

/// The program's own.
#[global_allocator]
static MEMORY: mimalloc::MiMalloc = mimalloc::MiMalloc;

struct Clock(Instant);

impl Watch for Clock {
    fn now(&self) -> f64 {
        self.0.elapsed().as_secs_f64()
    }
    fn thread_seconds(&self) -> f64 {
        ember_ridge_formats::job::thread_seconds()
    }

    fn stopped(&self) -> bool {
        false
    }
    fn tile_done(&self, _: &SoFar, _: &Canvas) {}
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

/// The best times of two pieces of work, taken in turns so that a busy moment hits both.
fn duel<A, B>(rounds: usize, mut one: impl FnMut() -> A, mut other: impl FnMut() -> B) -> (f64, A, f64, B) {
    let (mut first, mut second) = (best(1, &mut one), best(1, &mut other));
    for _ in 1..rounds {
        let (a, b) = (best(1, &mut one), best(1, &mut other));
        first = if a.0 < first.0 { a } else { first };
        second = if b.0 < second.0 { b } else { second };
    }
    (first.0, first.1, second.0, second.1)
}

fn stone() -> Sample {
    make("boundary-stone", Detail::Full).expect("a sample of that name").bare()
}

fn recipe(size: u32, samples: u32, maps: &[&str]) -> Recipe {
    let mut recipe = stone_recipe();
    recipe.maps = maps.iter().map(|id| MapSettings::by_key(id).expect("a map of that name")).collect();
    recipe.sheet.size = size;
    recipe.sheet.samples = samples;
    recipe
}

fn stone_recipe() -> Recipe {
    make("boundary-stone", Detail::Draft).expect("a sample of that name").bare().recipe
}

fn bake(recipe: &Recipe, scene: &BakeScene, threads: usize, times: usize) -> (f64, Outcome) {
    let clock = Clock(Instant::now());
    let plan = Plan::new(recipe, scene).expect("sound");
    best(times, || run(&plan, threads, &clock).expect("not stopped"))
}

fn main() {
    if apart::is_process() {
        return;
    }
    if std::env::args().any(|a| a == "apart") {
        apart::print();
        return;
    }
    if std::env::args().any(|a| a == "large") {
        large::large();
        return;
    }
    if std::env::args().any(|a| a == "import") {
        import::print();
        return;
    }
    if std::env::args().any(|a| a == "reach") {
        reach::print();
        return;
    }
    if std::env::args().any(|a| a == "finish") {
        finish::print();
        return;
    }
    if std::env::args().any(|a| a == "fit") {
        fit::print();
        return;
    }
    if std::env::args().any(|a| a == "uvs") {
        uvs::measuring_uvs();
        uvs::mending_uvs();
        return;
    }
    if std::env::args().any(|a| a == "embree") {
        #[cfg(embree)]
        embree::print();
        #[cfg(not(embree))]
        println!("Embree is not installed here (Debian: libembree-dev)");
        return;
    }
    let begun = Instant::now();
    let stone = stone();
    println!(
        "stone: {} low, {} high triangles, made in {:.1} s",
        stone.low.triangles.len(),
        stone.high.triangles.len(),
        begun.elapsed().as_secs_f64()
    );
    if std::env::args().any(|a| a == "curvature") {
        getting_curvature_ready(&BakeScene::new(&[&stone.low], &[&stone.high], None).expect("no cage"));
        return;
    }
    if std::env::args().any(|a| a == "run") {
        let scene = BakeScene::new(&[&stone.low], &[&stone.high], None).expect("no cage");
        run_against_its_rays(&scene);
        return;
    }
    if std::env::args().any(|a| a == "packets") {
        let scene = BakeScene::new(&[&stone.low], &[&stone.high], None).expect("no cage");
        traversal::against_single_rays(&stone, &scene);
        return;
    }
    let begun = Instant::now();
    let lantern = make("lookout-lantern", Detail::Full).expect("a sample of that name").bare();
    println!(
        "lantern: {} low, {} high triangles, made in {:.1} s",
        lantern.low.triangles.len(),
        lantern.high.triangles.len(),
        begun.elapsed().as_secs_f64()
    );

    let scene = BakeScene::new(&[&stone.low], &[&stone.high], None).expect("no cage");
    files_to_first_bake(&stone, &scene);
    getting_curvature_ready(&scene);
    traversal::against_single_rays(&stone, &scene);
    run_against_its_rays(&scene);
    six_maps(&scene);
    growth(&stone, &scene);
    apart::print();
    uvs::measuring_uvs();
    uvs::mending_uvs();
}

fn files_to_first_bake(stone: &Sample, scene: &BakeScene) {
    println!("\n-- from files to the first bake");
    let (mut obj, mut ply) = (Vec::new(), Vec::new());
    write_obj(&mut obj, &stone.low).expect("memory");
    write_ply(&mut ply, &stone.high).expect("memory");
    let (read, _) = best(3, || {
        let low = read_mesh("stone_low.obj", &obj, &|_| None).expect("our own");
        (low, read_mesh("stone_high.ply", &ply, &|_| None).expect("our own"))
    });
    let (tree, trace) = best(3, || TraceScene::new(&stone.high));
    let recipe = recipe(1024, 1, &["normal"]);
    let (planning, _) = best(3, || Plan::new(&recipe, scene).expect("sound"));
    let (baking, _) = bake(&recipe, scene, 2, 3);
    println!(
        "read both files {read:.2} s; tree {tree:.2} s, {:.0} MB; planning {planning:.3} s",
        trace.bytes() as f64 / 1e6
    );
    println!("first 1024 normal map, 2 threads: {:.2} s", read + tree + planning + baking);
}

/// Primary rays of a sheet, in packets of four by four texels, nearly as a bake makes them.
fn primary_spans(scene: &BakeScene, side: u32, out: f32, inward: f32) -> Vec<RaySpan> {
    let mesh = &scene.low.mesh;
    let mut spans = Vec::new();
    for t in 0..mesh.triangles.len() as u32 {
        let uvs = mesh.corner_uvs(t).map(|uv| uv * side as f32);
        let area = (uvs[1] - uvs[0]).perp_dot(uvs[2] - uvs[0]);
        let (low, high) = (uvs[0].min(uvs[1]).min(uvs[2]).floor(), uvs[0].max(uvs[1]).max(uvs[2]).ceil());
        for y in (low.y as i32..high.y as i32).step_by(4) {
            for x in (low.x as i32..high.x as i32).step_by(4) {
                for (dx, dy) in (0..16).map(|i| (i % 4, i / 4)) {
                    let p = ember_ridge_core::glam::vec2((x + dx) as f32 + 0.5, (y + dy) as f32 + 0.5) - uvs[0];
                    let (v, w) = (p.perp_dot(uvs[2] - uvs[0]) / area, (uvs[1] - uvs[0]).perp_dot(p) / area);
                    if v >= 0.0 && w >= 0.0 && v + w <= 1.0 {
                        let point = scene.low.point(MeshPoint::new(t, v, w), Direction::Averaged);
                        let origin = point.position + point.outward * out;
                        spans.push(RaySpan { origin, direction: -point.outward, length: out + inward });
                    }
                }
            }
        }
    }
    spans
}

/// Rays of occlusion: 64 about the normal of each point, cell by cell for neighbours, as a bake groups them.
fn sky_spans(scene: &BakeScene, primary: &[RaySpan], mask: &[bool], length: f32) -> Vec<RaySpan> {
    let mut spans = Vec::new();
    let rounding = scene.trace.rounding(&Sight::everything());
    for packet in primary.chunks_exact(LANES * 16).map(|c| &c[..LANES]) {
        let starts: Vec<(Vec3, Vec3)> = packet
            .iter()
            .filter_map(|span| {
                let hit = scene.trace.closest(span, mask, BackFaces::Skip).hit?;
                let normal = scene.high.face_normal(hit.at.triangle);
                let at = span.origin + span.direction * hit.t;
                Some((scene.trace.step_off(at, normal, rounding), normal))
            })
            .collect();
        if starts.len() < LANES {
            continue;
        }
        for k in 0..64u32 {
            for (i, (origin, normal)) in starts.iter().enumerate() {
                let jitter = |n: u32| ((i as u32 * 7 + k * 3) as f32 * 0.618_034 + n as f32 * 0.37).fract();
                let (a, b) = (((k % 8) as f32 + jitter(0)) / 8.0, ((k / 8) as f32 + jitter(1)) / 8.0);
                let (radius, angle) = (a.sqrt(), b * std::f32::consts::TAU);
                let (t, s) = normal.any_orthonormal_pair();
                let direction = t * (radius * angle.cos()) + s * (radius * angle.sin()) + *normal * (1.0 - a).sqrt();
                spans.push(RaySpan { origin: *origin, direction: direction.normalize(), length });
            }
        }
    }
    spans
}

fn packets(spans: &[RaySpan], mut each: impl FnMut(&Packet)) {
    let mut packet = Packet::default();
    for eight in spans.chunks(LANES) {
        packet.clear();
        eight.iter().enumerate().for_each(|(lane, span)| packet.set(lane, span));
        each(&packet);
    }
}

fn getting_curvature_ready(scene: &BakeScene) {
    let radius = scene.diagonal() * CURVATURE_SHARE;
    let (seconds, _) = best(3, || CurvatureField::new(&scene.high, radius));
    println!("getting curvature ready, 2 threads: {seconds:.2} s");
}

/// Size of curvature's detail when left to the program, as a share of the asset's diagonal.
const CURVATURE_SHARE: f32 = 0.006;
/// Lengths of rays of occlusion and cavity when left to the program, as shares of the asset's diagonal.
const AO_SHARE: f32 = 0.2;
const CAVITY_SHARE: f32 = 0.012;

/// About `count` rays spread over all, in runs of whole packets.
fn some(spans: &[RaySpan], count: usize) -> Vec<RaySpan> {
    const RUN: usize = 512;
    let keep = (spans.len() / count.max(1)).max(1);
    spans.chunks(RUN).step_by(keep).flatten().copied().collect()
}

/// Seconds that a ray of each kind takes alone, on one thread: primary, of occlusion, and of cavity.
#[derive(Clone, Copy)]
struct RayCosts {
    primary: f64,
    sky: f64,
    cavity: f64,
}

impl RayCosts {
    /// Over rays like those of the plan: primary rays per sample, the others from each texel.
    fn measure(scene: &BakeScene, plan: &Plan) -> RayCosts {
        let sheet = &plan.recipe.sheet;
        let side = (f64::from(sheet.size) * f64::from(sheet.samples).sqrt()) as u32;
        let mask = vec![true; scene.high.parts.len()];
        let all = primary_spans(scene, side, plan.rays.field.summary.out, plan.rays.field.summary.inward);
        let mut walk = Walk::default();
        let primary = some(&all, 400_000);
        let (closest, _) = best(1, || {
            packets(&primary, |p| {
                std::hint::black_box(scene.trace.closest_packet(p, &mask, BackFaces::Skip, Seen::Along, &mut walk));
            });
        });
        let texels = primary_spans(scene, sheet.size, plan.rays.field.summary.out, plan.rays.field.summary.inward);
        let sky = some(&sky_spans(scene, &texels, &mask, scene.diagonal() * AO_SHARE), 400_000);
        let (ao, _) = best(1, || {
            packets(&sky, |p| {
                std::hint::black_box(scene.trace.occluded_packet(p, &mask, &mut walk));
            });
        });
        let near = some(&sky_spans(scene, &texels, &mask, scene.diagonal() * CAVITY_SHARE), 400_000);
        let (cavity, _) = best(1, || {
            packets(&near, |p| {
                std::hint::black_box(scene.trace.closest_packet(p, &mask, BackFaces::Keep, Seen::Along, &mut walk));
            });
        });
        RayCosts {
            primary: closest / primary.len() as f64,
            sky: ao / sky.len() as f64,
            cavity: cavity / near.len() as f64,
        }
    }

    fn least(self, other: RayCosts) -> RayCosts {
        RayCosts {
            primary: self.primary.min(other.primary),
            sky: self.sky.min(other.sky),
            cavity: self.cavity.min(other.cavity),
        }
    }
}

/// Runs on one thread and on two and the rays alone, in turns.
fn run_against_its_rays(scene: &BakeScene) {
    println!("\n-- a run against its bare rays; threads");
    for (size, samples, ids) in [(1024, 4, &["normal"][..]), (1024, 1, &["normal"]), (512, 4, &SIX)] {
        let recipe = recipe(size, samples, ids);
        let plan = Plan::new(&recipe, scene).expect("sound");
        let clock = Clock(Instant::now());
        let (mut one, mut two, mut costs) = (f64::INFINITY, f64::INFINITY, None);
        let mut rays = [0.0; 3];
        let mut last = String::new();
        for _ in 0..5 {
            let (seconds, outcome) = best(1, || run(&plan, 1, &clock).expect("not stopped"));
            one = one.min(seconds);
            two = two.min(best(1, || run(&plan, 2, &clock).expect("not stopped")).0);
            let measured = RayCosts::measure(scene, &plan);
            costs = Some(costs.map_or(measured, |c: RayCosts| c.least(measured)));
            let of = |id: &str| outcome.report.maps.get(id).map_or(0.0, |m| m.rays as f64);
            last = format!(
                "  spent: primary {:.3} s{}",
                outcome.report.ray_seconds,
                outcome.report.maps.iter().map(|(id, m)| format!(", {id} {:.3} s", m.seconds)).collect::<String>()
            );
            rays = [outcome.counts.rays as f64, of("ao"), of("cavity")];
        }
        let costs = costs.expect("measured");
        let raw = rays[0] * costs.primary + rays[1] * costs.sky + rays[2] * costs.cavity;
        println!(
            "{size} {}, {samples} samples, {:.1} million rays: bare {raw:.3} s, 1 thread {one:.3} s, 2 threads {two:.3} s",
            ids.join(" "),
            rays.iter().sum::<f64>() / 1e6
        );
        println!(
            "  bare: primary {:.3} s, occlusion {:.3} s, cavity {:.3} s",
            rays[0] * costs.primary,
            rays[1] * costs.sky,
            rays[2] * costs.cavity
        );
        println!("{}", last);
        println!("ratio run to its bare rays, 1 thread: {:.2}; 2 threads to 1: {:.2}", one / raw, one / two);
    }
}

const SIX: [&str; 6] = ["normal", "ao", "curvature", "cavity", "displacement", "id"];

fn six_maps(scene: &BakeScene) {
    println!("\n-- the stone at 2048, six maps, 4 samples, 2 threads");
    let (seconds, outcome) = bake(&recipe(2048, 4, &SIX), scene, 2, 1);
    let report = &outcome.report;
    let spent: f64 = report.ray_seconds + report.maps.values().map(|m| m.seconds).sum::<f64>();
    println!("{seconds:.1} s, {:.1} million rays, {} texels covered", report.rays as f64 / 1e6, report.covered);
    println!("  primary rays {:5.1} %", 100.0 * report.ray_seconds / spent);
    for id in SIX {
        let map = &report.maps[id];
        println!("  {id:<12} {:5.1} %  {:.1} million rays", 100.0 * map.seconds / spent, map.rays as f64 / 1e6);
    }
}

fn growth(stone: &Sample, scene: &BakeScene) {
    println!("\n-- how cost grows, normal map (and occlusion), 2 threads");
    for detail in [Detail::Coarse, Detail::Draft, Detail::Full] {
        let high = if detail == Detail::Full {
            stone.high.clone()
        } else {
            make("boundary-stone", detail).expect("listed").high
        };
        let (tree, _) = best(2, || TraceScene::new(&high));
        let scene = BakeScene::new(&[&stone.low], &[&high], None).expect("no cage");
        let (seconds, _) = bake(&recipe(1024, 1, &["normal"]), &scene, 2, 3);
        println!("triangles {:>8}: tree {tree:.3} s, 1024 normal {seconds:.3} s", high.triangles.len());
    }
    for size in [512, 1024, 2048] {
        let (seconds, _) = bake(&recipe(size, 1, &["normal"]), scene, 2, 3);
        println!("texels {size} x {size}: {seconds:.3} s");
    }
    for samples in [1, 4, 16] {
        let (seconds, _) = bake(&recipe(1024, samples, &["normal"]), scene, 2, 2);
        println!("samples {samples:>2}: {seconds:.3} s");
    }
    for rays in [16, 64, 256] {
        let mut recipe = recipe(512, 1, &["ao"]);
        recipe.maps = vec![MapSettings::Ao(AoSettings { rays: rays.into(), ..AoSettings::default() })];
        let (seconds, _) = bake(&recipe, scene, 2, 2);
        println!("occlusion rays {rays:>3}, 512: {seconds:.3} s");
    }
}
