//! The rasteriser: every sample in exactly one triangle, whatever the triangles.

use ember_ridge_core::glam::{Vec2, Vec3, vec2};
use ember_ridge_core::sheet::{SheetTriangles, rasterise_tile, sample_pattern, tiles_in_morton_order};
use ember_ridge_core::{Draft, DraftPart, Mesh};
use proptest::prelude::*;

/// A jittered grid over the whole square: its triangles share every inner edge, and together cover all of it.
fn jittered(n: usize, jitter: &[(f32, f32)]) -> Mesh {
    let mut draft = Draft::default();
    for j in 0..=n {
        for i in 0..=n {
            let (dx, dy) = jitter[(j * (n + 1) + i) % jitter.len()];
            let inner = i > 0 && i < n && j > 0 && j < n;
            let by = if inner { vec2(dx, dy) } else { Vec2::ZERO };
            let uv = (vec2(i as f32, j as f32) + by) / n as f32;
            draft.uvs.push(uv);
            draft.positions.push(uv.extend(0.0));
        }
    }
    let at = |i: usize, j: usize| (j * (n + 1) + i) as u32;
    let mut indices = Vec::new();
    for j in 0..n {
        for i in 0..n {
            // Mirrored and plain windings side by side: the sheet must not care.
            indices.extend([at(i, j), at(i + 1, j), at(i + 1, j + 1)]);
            indices.extend([at(i, j), at(i, j + 1), at(i + 1, j + 1)]);
        }
    }
    draft.parts.push(DraftPart { name: "grid".into(), indices, ..DraftPart::default() });
    draft.finish().expect("whole")
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(60))]

    #[test]
    fn each_sample_lies_in_exactly_one_triangle(
        n in 1usize..7,
        size in prop::sample::select(vec![16u32, 33, 64]),
        samples in prop::sample::select(vec![1u32, 4, 16]),
        // Multiples of 1/16 put corners and edges exactly on samples.
        jitter in proptest::collection::vec((-6i8..=6, -6i8..=6).prop_map(|(x, y)| (f32::from(x) / 16.0, f32::from(y) / 16.0)), 8..60),
    ) {
        let mesh = jittered(n, &jitter);
        let sheet = SheetTriangles::of_mesh(&mesh, size);
        let tiles = tiles_in_morton_order(size);
        let pattern = sample_pattern(samples);
        for (tile, candidates) in tiles.iter().zip(sheet.bin(&tiles).iter()) {
            let found = rasterise_tile(&sheet, candidates, tile, &pattern);
            for texel in 0..tile.texels() {
                prop_assert_eq!(found.starts[texel + 1] - found.starts[texel], samples);
                for (s, offset) in pattern.iter().enumerate() {
                    let at = found.starts[texel] as usize + s;
                    let (x, y) = (texel as u32 % tile.width + tile.x, texel as u32 / tile.width + tile.y);
                    // The sample's weights lead back to its own place.
                    let [a, b, c] = mesh.corner_uvs(found.places[at].triangle);
                    let uv = a + (b - a) * found.places[at].v + (c - a) * found.places[at].w;
                    let expected = vec2(
                        (x as f32 + offset[0] as f32) / size as f32,
                        1.0 - (y as f32 + offset[1] as f32) / size as f32,
                    );
                    prop_assert!(uv.distance(expected) < 1e-5, "{} {}", uv, expected);
                }
            }
        }
    }

    #[test]
    fn a_texel_that_a_triangle_touches_has_a_sample(
        corners in prop::array::uniform3((0.05f32..0.95, 0.05f32..0.95)),
    ) {
        let [a, b, c] = corners.map(|(x, y)| vec2(x, y));
        prop_assume!((b - a).perp_dot(c - a).abs() > 1e-4);
        let draft = Draft {
            positions: vec![Vec3::ZERO, Vec3::X, Vec3::Y],
            uvs: vec![a, b, c],
            parts: vec![DraftPart { name: "one".into(), indices: vec![0, 1, 2], ..DraftPart::default() }],
            ..Draft::default()
        };
        let mesh = draft.finish().expect("whole");
        let sheet = SheetTriangles::of_mesh(&mesh, 32);
        let tiles = tiles_in_morton_order(32);
        let found = rasterise_tile(&sheet, &sheet.bin(&tiles)[0], &tiles[0], &sample_pattern(1));
        // Points all over the triangle: each one's texel must be covered.
        for i in 1..40u32 {
            for j in 1..40 - i {
                let p = a + (b - a) * (i as f32 / 40.0) + (c - a) * (j as f32 / 40.0);
                let texel = ((1.0 - p.y) * 32.0) as usize * 32 + (p.x * 32.0) as usize;
                prop_assert!(found.starts[texel + 1] > found.starts[texel], "{p}");
            }
        }
    }
}
