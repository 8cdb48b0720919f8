//! The *Shingle tile*: a square of roof, rows of split wooden shingles that overlap, with nails, which repeats without a seam.
//! It is baked onto a plane that the recipe makes; there is no low-poly file.

use crate::field::{ball, layered_noise, noise, rounded_box, smoothstep};
use crate::finishes::{body, give, ready};
use crate::nets::polygonise;
use crate::{Detail, Sample, plain_maps};
use ember_ridge_core::finish::FinishOn;
use ember_ridge_core::glam::{IVec3, Quat, Vec3, vec3};
use ember_ridge_core::maps::{IdSettings, IdSource, MapSettings};
use ember_ridge_core::mesh::{Facing, PlaneTarget, merge_points};
use ember_ridge_core::picture::Depth;
use ember_ridge_core::recipe::MeshSource;
use ember_ridge_core::{Draft, DraftPart, Mesh, Recipe};
use std::collections::HashMap;

/// The tile is this wide and tall, about the origin.
const PERIOD: f32 = 2.0;
const ROWS: i32 = 5;
const COLUMNS: i32 = 6;
const WIDE: f32 = PERIOD / COLUMNS as f32;
const TALL: f32 = PERIOD / ROWS as f32;
const FACING: Facing = Facing::Z;

/// Figures of one shingle, the same for it and for its copies.
struct Shingle {
    middle: Vec3,
    turn: Quat,
    half: Vec3,
    seed: f32,
}

fn shingle(row: i32, column: i32) -> Shingle {
    let (r, c) = (row.rem_euclid(ROWS), column.rem_euclid(COLUMNS));
    let random = |salt: i32| crate::field::random(r * 31 + c * 7 + 3, salt);
    let x = (column as f32 + 0.5 + shift(row)) * WIDE - PERIOD / 2.0;
    let y = (row as f32 + 0.75) * TALL - PERIOD / 2.0 + 0.03 * (random(1) - 0.5);
    let lift = 0.012 * random(2);
    Shingle {
        middle: vec3(x, y, 0.028 + lift),
        // The lower end lies on the row below.
        turn: Quat::from_rotation_x(-0.115 - 0.03 * random(3)) * Quat::from_rotation_z(0.05 * (random(4) - 0.5)),
        half: vec3(WIDE * (0.475 + 0.015 * random(5)), TALL * 0.82, 0.022 + 0.008 * random(6)),
        seed: random(7) * 40.0 + 3.0 * r as f32,
    }
}

/// Rows stand shifted against each other, the top one against the bottom one too.
fn shift(row: i32) -> f32 {
    [0.0, 0.5, 0.17, 0.64, 0.33][row.rem_euclid(ROWS) as usize]
}

/// Shingles that may reach a point.
fn near(p: Vec3) -> impl Iterator<Item = Shingle> {
    let row = ((p.y + PERIOD / 2.0) / TALL).floor() as i32;
    (row - 2..=row + 1).flat_map(move |row| {
        let column = ((p.x + PERIOD / 2.0) / WIDE - shift(row)).floor() as i32;
        (column - 1..=column + 1).map(move |column| shingle(row, column))
    })
}

/// Distance to the shingles, and the seed of the nearest one with the place in its own space.
fn shingles(p: Vec3) -> (f32, f32, Vec3) {
    let mut best = (p.z - 0.004, 0.0, p);
    for own in near(p) {
        let q = own.turn.inverse() * (p - own.middle);
        let mut d = rounded_box(q, own.half, 0.008);
        if d < 0.02 {
            let s = own.seed;
            // Split wood: long grain, a torn lower end, a crack in some.
            let grain = noise(vec3(q.x * 46.0 + s, q.y * 2.6 + s, s)) + 0.6 * noise(vec3(q.x * 97.0, q.y * 4.0, s));
            d += 0.0032 * grain * smoothstep(0.0, 0.01, q.z + own.half.z);
            let torn = 0.012 * layered_noise(vec3(q.x * 24.0, s, 0.0), 3);
            d = d.max(-(q.y + own.half.y + torn - 0.012));
            if s.fract() > 0.55 {
                let crack = (q.x - 0.05 * (s - 20.0).sin() - 0.006 * noise(vec3(q.y * 14.0, s, 1.0))).abs();
                let split = smoothstep(-0.02, -own.half.y, q.y);
                d = d.max(0.006 * split - crack);
            }
        }
        if d < best.0 {
            best = (d, own.seed, q);
        }
    }
    best
}

fn nails(p: Vec3) -> f32 {
    let mut d = f32::INFINITY;
    for own in near(p) {
        for side in [-1.0, 1.0] {
            let at = own.turn * vec3(side * WIDE * 0.26, -TALL * 0.10, own.half.z + 0.002) + own.middle;
            let q = (p - at) * vec3(1.0, 1.0, 2.4);
            d = d.min(ball(q, 0.0135) / 2.4);
        }
    }
    d
}

/// Wraps a point into the tile, so that both ends of it see the very same numbers.
fn wrapped(p: Vec3) -> Vec3 {
    let wrap = |x: f32| x - (x / PERIOD + 0.5).floor() * PERIOD;
    vec3(wrap(p.x), wrap(p.y), p.z)
}

fn color(p: Vec3) -> [u8; 3] {
    let (_, seed, q) = shingles(wrapped(p));
    let tone = 0.30 + 0.10 * (seed * 1.7).sin();
    let grain = 0.05 * noise(vec3(q.x * 46.0 + seed, q.y * 2.6 + seed, seed));
    let damp = smoothstep(0.1, -0.3, q.y) * 0.08;
    let moss = smoothstep(0.25, 0.5, noise(vec3(q.x * 7.0, q.y * 7.0, seed)) + 0.25 * noise(q * 31.0));
    let wood = vec3(tone * 1.12, tone, tone * 0.86) + grain - damp;
    let c = wood.lerp(vec3(0.30, 0.36, 0.18), moss * 0.7).clamp(Vec3::ZERO, Vec3::ONE) * 255.0;
    [c.x as u8, c.y as u8, c.z as u8]
}

/// Whole cells divide the tile, so that the grid repeats with it.
fn cell(detail: Detail) -> f32 {
    match detail {
        Detail::Full => 1.0 / 144.0,
        Detail::Draft => 1.0 / 48.0,
        Detail::Coarse => 1.0 / 24.0,
    }
}

/// One tile of a field that repeats: of what is polygonised a little over its edges, the faces whose middle lies in the tile,
/// with the vertices of one edge set to those of the other.
fn tile_part(
    field: &(impl Fn(Vec3) -> f32 + Sync),
    name: &str,
    detail: Detail,
    draft: &mut Draft,
    shade: fn(Vec3) -> [u8; 3],
) {
    let cell = cell(detail);
    let side = PERIOD / 2.0 + 3.0 * cell;
    let net = polygonise(field, vec3(-side, -side, -0.02), vec3(side, side, 0.16), cell);
    // Off the grid, so that no middle lies on the cut.
    let cut = -PERIOD / 2.0 + 0.37 * cell;
    let inside = |x: f32| (cut..cut + PERIOD).contains(&x);
    let kept = net.triangles.iter().filter(|t| {
        let middle = t.iter().map(|&v| net.positions[v as usize]).sum::<Vec3>() / 3.0;
        inside(middle.x) && inside(middle.y)
    });
    // Coarser than rounding, so that adding a period changes no digit.
    let exact = |p: Vec3| (p * 262_144.0).round() / 262_144.0;
    let size = cell * 0.05;
    let mut known: HashMap<IVec3, (Vec3, Vec3)> = HashMap::new();
    let mut settle = |p: Vec3, normal: Vec3| {
        let home = wrapped(p);
        let around = |n: i32| IVec3::new(n % 3 - 1, n / 3 % 3 - 1, n / 9 - 1);
        let cells = |p: Vec3| (p / size).floor().as_ivec3();
        let tiles = [-PERIOD, 0.0, PERIOD];
        let seen = tiles.iter().flat_map(|&x| tiles.iter().map(move |&y| home + vec3(x, y, 0.0))).find_map(|q| {
            (0..27).find_map(|n| known.get(&(cells(q) + around(n))).filter(|(k, _)| k.distance(q) < size)).copied()
        });
        let (own, normal) = seen.unwrap_or_else(|| {
            let own = exact(home);
            known.insert(cells(own), (own, normal));
            (own, normal)
        });
        let periods = ((p - own) / PERIOD).round() * vec3(1.0, 1.0, 0.0);
        (own + periods * PERIOD, normal)
    };
    let mut number: HashMap<u32, u32> = HashMap::new();
    let mut indices = Vec::new();
    for &v in kept.flatten() {
        let index = *number.entry(v).or_insert_with(|| {
            let (p, n) = settle(net.positions[v as usize], net.normals[v as usize]);
            draft.positions.push(p);
            draft.normals.push(n);
            draft.colors.push(shade(p));
            draft.positions.len() as u32 - 1
        });
        indices.push(index);
    }
    let part = DraftPart { name: name.into(), material: Some("wood".into()), indices, corners: Vec::new() };
    draft.parts.push(part);
}

fn high(detail: Detail) -> Mesh {
    let mut draft = Draft::default();
    tile_part(&|p| shingles(wrapped(p)).0, "shingles_high", detail, &mut draft, color);
    tile_part(&|p| nails(wrapped(p)), "nails_high", detail, &mut draft, |_| [92, 88, 84]);
    let mesh = draft.finish().expect("sample meshes are built whole: indices and numbers come from the lines above");
    merge_points(mesh, None, 0.0)
}

pub(super) const LABEL: &str = "Shingle tile";

pub(super) fn make(detail: Detail) -> Sample {
    let high_file = "shingle_tile_high.glb";
    let plane = PlaneTarget { facing: FACING, middle: [0.0; 3], size: [PERIOD; 2], repeats: true };
    let mut recipe = Recipe::new(LABEL);
    recipe.low.push(MeshSource::plane("shingle_tile", plane));
    recipe.high.push(MeshSource::file(high_file));
    recipe.maps = plain_maps(["normal", "ao", "curvature", "displacement", "color", "miss"]);
    recipe.maps.insert(4, MapSettings::Id(IdSettings { from: IdSource::Piece }));
    let (low, high) = (plane.mesh("shingle_tile"), high(detail));
    let cedar = ready("cedar shingle", &body(&low, &high), FinishOn::All);
    // Heights need more steps than 8 bits have.
    recipe.sheet.depth = Depth::Sixteen;
    give(&mut recipe, cedar, &["base-color", "roughness"]);
    Sample { name: "shingle-tile", label: LABEL, finished: true, low, high, low_file: "", high_file, recipe }
}
