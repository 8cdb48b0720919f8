//! Measuring the UVs of a low-poly of 200,000 triangles.

use super::best;
use ember_ridge_core::glam::{Vec2, vec2, vec3};
use ember_ridge_core::layout::{Unwrap, find_overlaps};
use ember_ridge_core::{Draft, DraftPart, Mesh};

/// A flat sheet of `n` by `n` squares with its UVs at `at`, half of the unit square wide.
fn flat(name: &str, n: u32, at: Vec2) -> Mesh {
    let places: Vec<Vec2> = (0..=n).flat_map(|y| (0..=n).map(move |x| vec2(x as f32, y as f32) / n as f32)).collect();
    let quad = |i: u32| {
        let corner = i / n * (n + 1) + i % n;
        [corner, corner + 1, corner + n + 2, corner, corner + n + 2, corner + n + 1]
    };
    let draft = Draft {
        positions: places.iter().map(|p| vec3(p.x, 0.0, -p.y)).collect(),
        uvs: places.iter().map(|p| *p * 0.5 + at).collect(),
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
