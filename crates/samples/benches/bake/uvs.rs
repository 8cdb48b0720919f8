//! UVs of low-polys of 20,000 and 200,000 triangles: measured, relaxed, unwrapped, moved softly.

use super::best;
use ember_ridge_core::glam::{Vec2, vec2, vec3};
use ember_ridge_core::layout::{Unwrap, find_overlaps};
use ember_ridge_core::step::{RelaxStep, UnwrapStep};
use ember_ridge_core::uvs::{UvSummary, falloff, relax_watched, unwrap};
use ember_ridge_core::{Draft, DraftPart, Mesh};
use std::sync::Mutex;

/// A flat sheet of `n` by `n` squares with its UVs at `at`, half of the unit square wide.
fn flat(name: &str, n: u32, at: Vec2) -> Mesh {
    sheet(name, n, |_| 0.0, |p| p * 0.5 + at)
}

/// A unit sheet of `n` by `n` squares.
fn sheet(name: &str, n: u32, height: impl Fn(Vec2) -> f32, uv: impl Fn(Vec2) -> Vec2) -> Mesh {
    let places: Vec<Vec2> = (0..=n).flat_map(|y| (0..=n).map(move |x| vec2(x as f32, y as f32) / n as f32)).collect();
    let quad = |i: u32| {
        let corner = i / n * (n + 1) + i % n;
        [corner, corner + 1, corner + n + 2, corner, corner + n + 2, corner + n + 1]
    };
    let draft = Draft {
        positions: places.iter().map(|p| vec3(p.x, height(*p), -p.y)).collect(),
        uvs: places.iter().map(|p| uv(*p)).collect(),
        parts: vec![DraftPart {
            name: name.into(),
            indices: (0..n * n).flat_map(quad).collect(),
            ..DraftPart::default()
        }],
        ..Draft::default()
    };
    draft.finish().expect("whole")
}

/// Two sheets of 100,000 triangles that share a corner of known size.
pub fn measuring_uvs() {
    println!("\n-- UVs of a low-poly");
    let low = Mesh::joined(&[&flat("one", 224, Vec2::ZERO), &flat("two", 224, vec2(0.3, 0.2))]);
    let (measuring, unwrap) = best(3, || Unwrap::new(&low).expect("UVs"));
    let (finding, overlaps) = best(3, || find_overlaps(&low, &unwrap.island_of).expect("few"));
    let area: f64 = overlaps.iter().map(|o| o.area).sum();
    println!(
        "{} triangles: islands, density and stretch {measuring:.2} s, overlaps {finding:.2} s; area {:.4} % off",
        low.triangles.len(),
        100.0 * (area / (0.2 * 0.3) - 1.0).abs()
    );
}

/// A rough sheet whose UVs are bent is relaxed, and one with a deep spike unwrapped; one is taken hold of softly.
pub fn mending_uvs() {
    for n in [100, 316] {
        let rough = |p: Vec2| 0.1 * (17.0 * p.x).sin() * (13.0 * p.y).cos() + 0.02 * (71.0 * p.x + 40.0 * p.y).sin();
        let bent = sheet("rough", n, rough, |p| vec2(0.8 * p.x + 0.1 * p.y * p.y, 0.5 * p.y + 0.2));
        let spike = sheet("spike", n, |p| 2.0 * (-(p - 0.5).length_squared() / 0.01).exp(), |p| p);
        let energy = |mesh: &Mesh| UvSummary::new(mesh).and_then(|s| s.energy).unwrap_or(f64::NAN);
        let steps = Mutex::new(0usize);
        let watch = |_| *steps.lock().expect("nobody panics") += 1;
        let times = if n == 100 { 3 } else { 1 };
        let (relaxing, relaxed) = best(times, || relax_watched(bent.clone(), &RelaxStep::default(), &watch));
        let (unwrapping, unwrapped) = best(times, || unwrap(spike.clone(), &UnwrapStep::default()));
        let (holding, held) = best(times, || falloff(bent.clone(), 2 * (n * n / 2 + n / 2), 0.25));
        println!(
            "{} triangles: relaxed in {relaxing:.2} s ({} steps, energy {:.4} to {:.4}), a spike unwrapped in \
             {unwrapping:.2} s (energy {:.4}), {} corners taken hold of in {holding:.3} s",
            bent.triangles.len(),
            steps.into_inner().expect("nobody panics") / times - 1,
            energy(&bent),
            energy(&relaxed),
            energy(&unwrapped),
            held.len()
        );
    }
}
