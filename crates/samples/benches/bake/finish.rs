//! `cargo bench -- finish`: evaluations a second and thread of every pattern and operator, a mask of three terms from kept hits, and how
//! long a changed range takes on the lantern.

use crate::{Clock, best};
use ember_ridge_core::bake::{KeptTiles, Plan, Unwatched, run};
use ember_ridge_core::finish::*;
use ember_ridge_core::maps::{MapSettings, MaskMapSettings};
use ember_ridge_core::picture::Pictures;
use ember_ridge_core::scene::BakeScene;
use ember_ridge_core::surface::Axis;
use ember_ridge_core::{Mesh, Recipe};
use ember_ridge_formats::hits::KeptHits;
use ember_ridge_samples::{Detail, make};
use std::hint::black_box;
use std::sync::Arc;
use std::time::Instant;

/// Places asked at a time, as a batch of the graph, and how many batches.
const PLACES: usize = 256;
const BATCHES: usize = 400;

struct Places {
    columns: [Vec<f32>; 3],
    normals: [Vec<f32>; 3],
    sides: Vec<f32>,
}

fn places() -> Places {
    let wander = |step: f64| (0..PLACES).map(|n| (n as f64 * step).fract() as f32 * 4.0).collect::<Vec<f32>>();
    Places {
        columns: [wander(0.819_172_5), wander(0.671_043_6), wander(0.549_700_5)],
        normals: [vec![0.0; PLACES], vec![0.0; PLACES], vec![1.0; PLACES]],
        sides: vec![0.002; PLACES],
    }
}

/// Million evaluations a second on one thread.
fn rate(pattern: &PatternSettings, at: &Places) -> f64 {
    let images = Pictures::default();
    let kernel = pattern.kernel(&Making { seed: 0, repeats: false, images: &images }).expect("no picture");
    let mut out = vec![0.0; PLACES];
    let [x, y, z] = at.columns.each_ref().map(Vec::as_slice);
    let points = Points { x, y, z, normal: at.normals.each_ref().map(Vec::as_slice), side: &at.sides };
    let (seconds, ()) = best(5, || {
        for _ in 0..BATCHES {
            kernel.fill(&points, black_box(&mut out));
        }
    });
    (PLACES * BATCHES) as f64 / seconds / 1e6
}

pub fn print() {
    let at = places();
    println!("million evaluations per second and thread");
    for pattern in PatternSettings::all().iter().filter(|p| !matches!(p, PatternSettings::Picture(_))) {
        let octaves =
            if matches!(pattern, PatternSettings::Noise(_)) { ", four octaves of gradient noise in space" } else { "" };
        println!("  {:<16} {:>8.1}{octaves}", pattern.info().id, rate(pattern, &at));
    }
    operators();
    let lantern = make("lookout-lantern", Detail::Full).expect("a sample").bare();
    from_kept_hits(&lantern.low, &lantern.high, &lantern.recipe);
    slider(&lantern.low, &lantern.high, &lantern.recipe);
    five_coats(&lantern.low, &lantern.high, &lantern.recipe);
}

fn term(signal: Signal, from: [f32; 2], to: [f32; 2]) -> Term {
    Term { signal, from, to, combine: Combine::And, break_up: None }
}

fn mask(terms: Vec<Term>) -> Mask {
    Mask { name: "m".into(), place: PlaceSettings { terms, ..PlaceSettings::default() } }
}

/// What the nodes of a graph cost besides its patterns.
fn operators() {
    let height = |axis| term(Signal::Height { axis }, [0.2, 0.4], [2.0, 3.0]);
    let facing = term(Signal::Facing { direction: [0.0, 1.0, 0.0] }, [0.0, 0.5], [1.0, 1.0]);
    let gradient = PatternSettings::Gradient(GradientSettings::default());
    let broken = Term { break_up: Some(BreakUp { amount: 0.1, pattern: gradient }), ..height(Axis::Y) };
    let joined = |combine, term| Term { combine, ..term };
    let cases = [
        ("range", vec![height(Axis::X)]),
        ("facing, range", vec![facing]),
        ("two ranges, and", vec![height(Axis::X), height(Axis::Y)]),
        ("two ranges, or", vec![height(Axis::X), joined(Combine::Or, height(Axis::Y))]),
        ("two ranges, minus", vec![height(Axis::X), joined(Combine::Minus, height(Axis::Y))]),
        ("break-up, range", vec![broken]),
    ];
    let at = places();
    let images = Pictures::default();
    for (name, terms) in cases {
        let place = PlaceSettings { terms, ..PlaceSettings::default() };
        let (graph, node) = compile_place(
            &place,
            Sources { masks: &[], images: &images, documents: &ember_ridge_core::document::Documents::default() },
        )
        .expect("sound");
        let mut columns = Columns::default();
        let many = PLACES * BATCHES;
        for input in graph.inputs_of(&[node]) {
            match input.kind() {
                Type::Number => columns.put_number(input, vec![0.01; many]),
                Type::Vector => {
                    let [x, y, z] =
                        at.columns.each_ref().map(|c| c.iter().copied().cycle().take(many).collect::<Vec<f32>>());
                    let at = (0..many).map(|i| ember_ridge_core::glam::vec3(x[i], y[i], z[i]));
                    columns.put_vector(input, at);
                }
            }
        }
        let (seconds, _) = best(5, || black_box(graph.numbers(node, &columns, 0..many)));
        println!("  {name:<24} {:>8.1}", many as f64 / seconds / 1e6);
    }
}

fn three_terms() -> Mask {
    let noise = PatternSettings::Noise(NoiseSettings { size: 0.1, ..NoiseSettings::default() });
    let broken = Some(BreakUp { amount: 0.2, pattern: noise });
    let curvature = Term { break_up: broken, ..term(Signal::Curvature { size: 0.03 }, [0.2, 0.4], [1.0, 1.0]) };
    let facing = term(Signal::Facing { direction: [0.0, 1.0, 0.0] }, [-0.5, 0.5], [1.0, 1.0]);
    mask(vec![curvature, facing, term(Signal::Height { axis: Axis::Y }, [-2.0, -1.0], [2.0, 2.0])])
}

fn with_mask(recipe: &Recipe, size: u32, mask: Mask) -> Recipe {
    let mut recipe = recipe.clone();
    recipe.sheet.size = size;
    recipe.sheet.samples = 1;
    recipe.masks = vec![mask];
    recipe.maps = vec![MapSettings::Mask(MaskMapSettings::of("m"))];
    recipe
}

/// A finish of five coats over the lantern, all channels, 2048 with four samples per texel, none of them placed by what rays have to be
/// traced for.
fn five_coats(low: &Mesh, high: &Mesh, recipe: &Recipe) {
    let noise = |size: f32| PatternSettings::Noise(NoiseSettings { size, ..NoiseSettings::default() });
    let coat = |number: u8, term: Term| Coat {
        name: number.to_string(),
        sets: Sets {
            color: Some(SetColor::to(Color([40 * number, 90, 200 - 30 * number]))),
            roughness: Some(SetNumber::to(0.1 * f32::from(number))),
            metallic: Some(SetNumber::to(0.0)),
            height: Some(SetNumber::to(0.001).blended(Blend::Add)),
            ..Sets::default()
        },
        place: PlaceSettings { terms: vec![term], ..PlaceSettings::default() },
        amount: 1.0,
        muted: false,
        solo: false,
        group: None,
    };
    let [frayed, facing, height] = three_terms().place.terms.try_into().expect("three terms");
    let of_noise = |size: f32| term(Signal::Pattern { pattern: noise(size) }, [0.4, 0.6], [1.0, 1.0]);
    let terms = [of_noise(0.2), frayed, of_noise(0.05), facing, height];
    let coats = (1u8..).zip(terms).map(|(number, term)| coat(number, term)).collect();
    let mut recipe = recipe.clone();
    recipe.sheet.size = 2048;
    recipe.sheet.samples = 4;
    recipe.finishes = vec![Finish::everywhere("five", Base::default(), coats)];
    let channels = ["base-color", "roughness", "metallic", "emission", "opacity", "height"];
    recipe.maps = channels.into_iter().filter_map(MapSettings::by_key).collect();
    kept_hits("2048, 4 samples, five coats, six channels", low, high, &recipe);
    recipe.maps = ["normal", "displacement"].into_iter().filter_map(MapSettings::by_key).collect();
    kept_hits("2048, 4 samples, five coats, normal and displacement with detail", low, high, &recipe);
}

/// A 2048 mask of three terms, one of them frayed, with its hits traced and taken over.
fn from_kept_hits(low: &Mesh, high: &Mesh, recipe: &Recipe) {
    kept_hits("2048, three terms with a frayed one", low, high, &with_mask(recipe, 2048, three_terms()));
}

fn kept_hits(what: &str, low: &Mesh, high: &Mesh, recipe: &Recipe) {
    let scene = BakeScene::new(&[low], &[high], None).expect("no cage");
    let folder = tempfile::tempdir().expect("a folder");
    let clock = Clock(Instant::now());
    let plan = Plan::new(recipe, &scene).expect("sound");
    let bake = |kept: &KeptHits| {
        let spool = Arc::new(ember_ridge_core::bake::MemorySpool::default());
        best(3, || {
            ember_ridge_core::bake::run_into(&plan, 0, &clock, spool.clone(), kept.store()).expect("not stopped")
        })
    };
    let first = KeptHits::open(None, Some(folder.path()), None).expect("a folder");
    let (traced, _) = bake(&first);
    first.finish().expect("room on the disk");
    let again = KeptHits::open(Some(folder.path()), None, None).expect("kept");
    let (taken, outcome) = bake(&again);
    assert_eq!(outcome.counts.rays, 0, "all hits are taken over");
    println!("lantern, {what}: {traced:.2} s traced, {taken:.2} s from kept hits");
}

/// The end of a range moved on the full lantern, at 512, as the page asks for it.
fn slider(low: &Mesh, high: &Mesh, recipe: &Recipe) {
    let scene = BakeScene::new(&[low], &[high], None).expect("no cage");
    let kept = Arc::new(KeptTiles::default());
    let look = |at: f32| {
        let mut mask = three_terms();
        mask.place.terms[0].from = [at, at + 0.2];
        let plan = Plan::new(&with_mask(recipe, 512, mask), &scene).expect("sound").keeping(&kept);
        run(&plan, 0, &Unwatched).expect("not stopped")
    };
    look(0.1);
    let mut at = 0.1;
    let (seconds, outcome) = best(9, || {
        at += 0.01;
        look(at)
    });
    assert_eq!(outcome.counts.rays, 0, "no ray is traced again");
    println!("lantern, 512, an end of a range moved: {:.0} ms with planning", seconds * 1e3);
}
