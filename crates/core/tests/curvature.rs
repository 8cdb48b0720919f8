//! Curvature against arithmetic: balls, tubes, saddles, bevels of few and of many segments, flat faces however they are cut.

use crate::support::*;
use ember_ridge_core::glam::{Vec2, Vec3, vec2, vec3};
use ember_ridge_core::maps::*;
use ember_ridge_core::mesh::CurvatureField;
use ember_ridge_core::surface::{Distance, MeshPoint};
use ember_ridge_core::{Draft, DraftPart, Mesh};
use std::f32::consts::{FRAC_PI_2, TAU};

#[test]
fn a_balls_curvature_is_one_over_its_radius_however_fine_it_is() {
    // 100 rings make 39 600 triangles, 70 make 19 320, 500 make 998 000.
    for (radius, rings) in [(1.0f32, 70), (2.5, 100), (1.0, 500)] {
        let mesh = ball("ball", radius, rings);
        let field = CurvatureField::new(&mesh, radius * 0.1);
        for t in (0..mesh.triangles.len() as u32).step_by(mesh.triangles.len() / 400) {
            let found = field.at(&mesh, MeshPoint::new(t, 1.0 / 3.0, 1.0 / 3.0));
            assert!((found * radius - 1.0).abs() < 0.03, "radius {radius}, {rings} rings, triangle {t}: {found}");
        }
    }
}

/// A tube about the y axis without ends, `n` faces around.
fn tube(radius: f32, n: usize) -> Mesh {
    let mut mesh = height_field("tube", n, |_, _| 0.0);
    for p in &mut mesh.positions {
        let turn = p.x * std::f32::consts::TAU;
        *p = vec3(radius * turn.cos(), p.z * 6.0 * radius, radius * turn.sin());
    }
    for (n, p) in mesh.normals.iter_mut().zip(&mesh.positions) {
        *n = vec3(p.x, 0.0, p.z).normalize();
    }
    mesh
}

#[test]
fn a_cylinders_curvature_is_half_of_one_over_its_radius_and_a_saddles_is_none() {
    let mesh = tube(0.5, 120);
    let field = CurvatureField::new(&mesh, 0.06);
    let mut seen = 0;
    for t in 0..mesh.triangles.len() as u32 {
        let [a, b, c] = mesh.corners(t);
        let middle = (a + b + c) / 3.0;
        // Clear of the open ends.
        if (0.5..2.5).contains(&middle.y) {
            let found = field.at(&mesh, MeshPoint::new(t, 1.0 / 3.0, 1.0 / 3.0));
            let outward = mesh.face_normal(t).dot(vec3(middle.x, 0.0, middle.z)).signum();
            // The seam, where the grid's two sides meet, is an open border too.
            if middle.z.abs() > 0.1 || middle.x < 0.0 {
                assert!((found * outward - 1.0).abs() < 0.03, "at {middle}: {found}");
                seen += 1;
            }
        }
    }
    assert!(seen > 10_000);
    let saddle = height_field("saddle", 100, |x, z| 0.6 * ((x - 0.5).powi(2) - (z - 0.5).powi(2)));
    let field = CurvatureField::new(&saddle, 0.05);
    for t in 0..saddle.triangles.len() as u32 {
        let [a, b, c] = saddle.corners(t);
        let middle = (a + b + c) / 3.0;
        if vec2(middle.x - 0.5, middle.z - 0.5).length() < 0.1 {
            assert!(field.at(&saddle, MeshPoint::new(t, 1.0 / 3.0, 1.0 / 3.0)).abs() < 0.03, "at {middle}");
        }
    }
}

#[test]
fn a_bump_reads_above_grey_and_its_mirror_image_equally_below() {
    let low = height_field("field", 1, |_, _| 0.0);
    let relief = |sign: f32| {
        let bump = move |x: f32, z: f32| sign * 0.05 * (-vec2(x - 0.5, z - 0.5).length_squared() / 0.01).exp();
        let whole = bake(&sixteen(64, 0.2, vec![curvature(0.03, 0.1)]), &low, &[&height_field("field", 160, bump)]);
        values(&whole, "curvature")
    };
    let (up, down) = (relief(1.0), relief(-1.0));
    let middle = 32 * 64 + 32;
    assert!(up[middle] > 0.6, "{}", up[middle]);
    for (a, b) in up.iter().zip(&down) {
        assert!((a + b - 1.0).abs() < 0.01, "{a} {b}");
    }
}

#[test]
fn red_and_green_tell_convex_from_concave() {
    let low = height_field("field", 1, |_, _| 0.0);
    let high =
        height_field("field", 100, |x, _| if x < 0.5 { -0.3 * (x - 0.25).powi(2) } else { 0.3 * (x - 0.75).powi(2) });
    let settings = CurvatureSettings {
        detail: Distance::Units(0.04),
        radius: Distance::Units(1.0),
        encoding: CurvatureEncoding::RedGreen,
        ..CurvatureSettings::default()
    };
    let whole = bake(&sixteen(64, 0.2, vec![MapSettings::Curvature(settings)]), &low, &[&high]);
    let texels = values(&whole, "curvature");
    let at = |x: usize| &texels[(32 * 64 + x) * 3..][..3];
    // z = -0.3 x^2 bends by 0.6 along one axis: H = 0.3.
    assert!((at(16)[0] - 0.3).abs() < 0.02 && at(16)[1] == 0.0, "{:?}", at(16));
    assert!((at(48)[1] - 0.3).abs() < 0.02 && at(48)[0] == 0.0, "{:?}", at(48));
}

/// Rings of points joined to a mesh; every ring has as many. `caps` closes the ends.
struct Rings {
    points: Vec<Vec<Vec3>>,
    caps: Cap,
}

#[derive(Clone, Copy, Debug)]
enum Cap {
    None,
    /// Triangles around a point in the middle.
    Hub,
    /// Triangles from one corner to all others, long and thin.
    Fan,
}

impl Rings {
    fn mesh(&self) -> Mesh {
        let around = self.points[0].len();
        let mut draft = Draft { positions: self.points.concat(), ..Draft::default() };
        let at = |ring: usize, k: usize| (ring * around + k % around) as u32;
        let mut indices = Vec::new();
        for ring in 1..self.points.len() {
            for k in 0..around {
                let [a, b, c, d] = [at(ring - 1, k), at(ring - 1, k + 1), at(ring, k + 1), at(ring, k)];
                indices.extend([a, d, b, b, d, c]);
            }
        }
        for (ring, up) in [(0, false), (self.points.len() - 1, true)] {
            let mut face = |[a, b, c]: [u32; 3]| indices.extend(if up { [a, c, b] } else { [a, b, c] });
            match self.caps {
                Cap::None => {}
                Cap::Fan => (1..around - 1).for_each(|k| face([at(ring, 0), at(ring, k), at(ring, k + 1)])),
                Cap::Hub => {
                    let hub = draft.positions.len() as u32;
                    draft.positions.push(self.points[ring].iter().sum::<Vec3>() / around as f32);
                    (0..around).for_each(|k| face([hub, at(ring, k), at(ring, k + 1)]));
                }
            }
        }
        draft.parts.push(DraftPart { name: "body".into(), indices, ..DraftPart::default() });
        draft.finish().expect("a whole mesh")
    }
}

/// A drum of radius 1 from y = 0 to 1.2 whose upper rim is rounded with radius `bevel` in `segments` steps.
fn drum(sides: usize, segments: usize, bevel: f32, caps: Cap) -> Mesh {
    let ring = |radius: f32, y: f32| {
        let turn = |k: usize| TAU * k as f32 / sides as f32;
        (0..sides).map(|k| vec3(radius * turn(k).cos(), y, radius * turn(k).sin())).collect::<Vec<_>>()
    };
    let rim = (0..=segments).map(|i| FRAC_PI_2 * i as f32 / segments as f32);
    let rim = rim.map(|a| ring(1.0 - bevel + bevel * a.cos(), 1.2 - bevel + bevel * a.sin()));
    Rings { points: [ring(1.0, 0.0)].into_iter().chain(rim).collect(), caps }.mesh()
}

/// A bar along y, 4 long and 1 square, whose four edges are rounded with radius `bevel` in `segments` steps.
fn bar(segments: usize, bevel: f32) -> Mesh {
    let ring = |y: f32| {
        let corner = |c: usize| {
            let middle = Vec2::from_angle(TAU * (c as f32 + 0.5) / 4.0) * (0.5 - bevel) * 2f32.sqrt();
            (0..=segments).map(move |i| {
                let turn = FRAC_PI_2 * (c as f32 + i as f32 / segments as f32);
                let p = middle + Vec2::from_angle(turn) * bevel;
                vec3(p.x, y, p.y)
            })
        };
        (0..4).flat_map(corner).collect::<Vec<_>>()
    };
    Rings { points: vec![ring(0.0), ring(4.0)], caps: Cap::None }.mesh()
}

/// Value at places of a mesh: the place goes to the triangle nearest to it.
fn at(field: &CurvatureField, mesh: &Mesh, place: Vec3) -> f32 {
    let triangles = 0..mesh.triangles.len() as u32;
    let weights = |t: u32| {
        let [a, b, c] = mesh.corners(t);
        let (ab, ac, ap) = (b - a, c - a, place - a);
        let (d00, d01, d11, d20, d21) = (ab.dot(ab), ab.dot(ac), ac.dot(ac), ap.dot(ab), ap.dot(ac));
        let whole = d00 * d11 - d01 * d01;
        let (v, w) = ((d11 * d20 - d01 * d21) / whole, (d00 * d21 - d01 * d20) / whole);
        let (v, w) = (v.clamp(0.0, 1.0), w.clamp(0.0, 1.0));
        let (v, w) = if v + w > 1.0 { (v / (v + w), w / (v + w)) } else { (v, w) };
        MeshPoint::new(t, v, w)
    };
    let off = |t: &u32| mesh.at(weights(*t)).distance(place);
    let t = triangles.min_by(|a, b| off(a).total_cmp(&off(b))).expect("triangles");
    field.at(mesh, weights(t))
}

/// What a detail size that reads full scale at twice its radius makes of a mean curvature: 0 is flat, 1 full.
fn of_scale(value: f32, detail: f32) -> f32 {
    value * detail * 2.0
}

#[test]
fn the_flat_of_a_cap_is_flat_however_its_rim_is_rounded() {
    let bevel = 0.08;
    for (sides, segments) in [(48, 1), (48, 2), (64, 3), (64, 4), (12, 2)] {
        for caps in [Cap::Hub, Cap::Fan] {
            let mesh = drum(sides, segments, bevel, caps);
            for detail in [0.02, 0.05, 0.15] {
                let field = CurvatureField::new(&mesh, detail);
                // Clear of the rim, whose chords come nearest in their middles, by the size it is averaged over.
                let clear = (1.0 - bevel) * (TAU / 2.0 / sides as f32).cos() - detail - 0.02;
                for i in 0..40 {
                    let place = Vec2::from_angle(i as f32 * 2.4) * clear * (i as f32 / 39.0).sqrt();
                    let found = of_scale(at(&field, &mesh, vec3(place.x, 1.2, place.y)), detail);
                    assert!(found.abs() < 0.004, "{sides} sides, {segments} segments, {caps:?}, {detail}: {found}");
                }
            }
        }
    }
}

#[test]
fn a_bevel_reads_its_own_radius_whatever_its_segments() {
    let bevel = 0.1;
    for segments in [1, 2, 3, 4, 12] {
        let (mesh, detail) = (bar(segments, bevel), 0.03);
        let field = CurvatureField::new(&mesh, detail);
        // In the middle of a corner; chords stand a little inside of the round.
        let middle = |by: f32| Vec2::splat((0.5 - bevel) + by * bevel / 2f32.sqrt());
        let place = middle(1.0);
        let found = at(&field, &mesh, vec3(place.x, 2.0, place.y)) * 2.0 * bevel;
        // Chords of an arc of angle a are shorter than it by sin(a/2)/(a/2).
        let half = FRAC_PI_2 / segments as f32 / 2.0;
        let chords = half / half.sin();
        assert!((found - chords).abs() < 0.06, "{segments} segments: {found}, wanted {chords}");
        // The side faces are flat.
        for x in [0.0, 0.2, 0.33] {
            let flat = of_scale(at(&field, &mesh, vec3(x, 2.0, 0.5)), detail);
            assert!(flat.abs() < 0.004, "{segments} segments, {x}: {flat}");
        }
    }
    // Around a drum it bends the other way too.
    for segments in [1, 2, 3, 4] {
        let mesh = drum(64, segments, bevel, Cap::Hub);
        let field = CurvatureField::new(&mesh, 0.03);
        let turn = 45f32.to_radians();
        let (radius, y) = (1.0 - bevel + bevel * turn.cos(), 1.2 - bevel + bevel * turn.sin());
        let found = at(&field, &mesh, vec3(radius * 0.999, y, 0.0));
        let expected = (1.0 / bevel + turn.cos() / radius) / 2.0;
        assert!((found / expected - 1.0).abs() < 0.15, "{segments} segments: {found}, wanted {expected}");
    }
}

/// Over a size larger than a bevel, what is read is the integral over the round surface, to which few segments come near.
#[test]
fn a_bevel_below_the_detail_size_reads_what_the_round_edge_does() {
    let (bevel, detail) = (0.04f32, 0.15f32);
    // The profile across the edge by its length from the middle, and the soft ball's weight summed over it and along it.
    let profile = |u: f32| {
        let arc = bevel * FRAC_PI_2 / 2.0;
        let on_arc = Vec2::from_angle(std::f32::consts::FRAC_PI_4 + u.clamp(-arc, arc) / bevel);
        let beyond = (u.abs() - arc).max(0.0) * u.signum();
        Vec2::splat(0.5 - bevel) + on_arc * bevel + vec2(-on_arc.y, on_arc.x) * beyond
    };
    let (mut area, mut bend) = (0.0f64, 0.0f64);
    for i in -400..400 {
        for j in -200..200 {
            let (u, along) = ((i as f32 + 0.5) * detail / 400.0 * 1.5, (j as f32 + 0.5) * detail / 200.0);
            let share = 1.0 - (profile(u).distance_squared(profile(0.0)) + along * along) / (detail * detail);
            let weight = f64::from(share.max(0.0).powi(2));
            area += weight;
            bend += if u.abs() < bevel * FRAC_PI_2 / 2.0 { weight / f64::from(2.0 * bevel) } else { 0.0 };
        }
    }
    let expected = (bend / area) as f32;
    for segments in [1, 2, 3, 4] {
        let mesh = bar(segments, bevel);
        let place = profile(0.0);
        let found = at(&CurvatureField::new(&mesh, detail), &mesh, vec3(place.x, 2.0, place.y));
        assert!((found / expected - 1.0).abs() < 0.06, "{segments} segments: {found}, wanted {expected}");
    }
}

#[test]
fn a_box_is_flat_but_for_its_edges_whatever_the_size() {
    let mesh = cube("box", 0.5);
    for detail in [0.01, 0.1] {
        let field = CurvatureField::new(&mesh, detail);
        for (x, y) in [(0.0, 0.0), (0.3, -0.2), (-0.35, 0.38)] {
            assert!(of_scale(at(&field, &mesh, vec3(x, y, 0.5)), detail).abs() < 1e-4);
        }
        // On an edge: half a line of curvature pi/4 a length over each half disc, (16/15)R over (pi/3)R^2.
        let edge = at(&field, &mesh, vec3(0.5, 0.1, 0.5)) * detail;
        let expected = FRAC_PI_2 / 2.0 * (16.0 / 15.0) / (TAU / 6.0);
        assert!((edge - expected).abs() < 1e-3, "{detail}: {edge}, wanted {expected}");
    }
}
