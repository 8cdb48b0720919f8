//! The *Boundary stone*: an upright slab that marks the post's ground. Carved marks, chipped edges, weathered faces, lichen.

use crate::field::{capsule, cut, layered_noise, line, noise, random, rounded_box, smoothstep};
use crate::finishes::{body, give, ready};
use crate::handmade::{Island, build, grid_island};
use crate::nets::polygonise;
use crate::{Detail, Sample, plain_maps, recipe};
use ember_ridge_core::finish::FinishOn;
use ember_ridge_core::glam::{Quat, Vec2, Vec3, vec2, vec3};
use ember_ridge_core::maps::{IdSettings, IdSource, MapSettings};
use ember_ridge_core::picture::Depth;
use ember_ridge_core::{Draft, DraftPart, Mesh};

const HALF: Vec3 = vec3(0.50, 0.95, 0.22);

/// The slab before any carving: tapered, leaning a little, swollen and bent by slow noise.
fn slab(p: Vec3) -> f32 {
    let height = (p.y / HALF.y).clamp(-1.2, 1.2);
    let taper = 1.0 - 0.13 * (height + 1.0) / 2.0;
    let lean = 0.03 * height;
    let q = vec3((p.x - lean) / taper, p.y, p.z / (taper * 0.98));
    // The top slopes, as a slab split from the bed does.
    let q = vec3(q.x, q.y + 0.10 * q.x - 0.05 * q.z, q.z);
    let swell = 0.045 * noise(p * 1.7 + 5.0) + 0.020 * noise(p * 3.9 + 11.0);
    rounded_box(q, HALF, 0.07) * 0.92 - swell
}

struct Chip {
    at: Vec3,
    turn: Quat,
    half: Vec3,
}

/// Wedges knocked off the edges, more and larger ones near the top and the foot.
fn chips() -> Vec<Chip> {
    (0..46)
        .map(|n| {
            let r = |salt| random(n, salt);
            let sign = |salt| if r(salt) < 0.5 { -1.0 } else { 1.0 };
            let at = match n % 4 {
                0 | 1 => vec3(sign(1) * HALF.x * (0.97 - 0.05 * r(2)), (r(3) * 2.0 - 1.0) * HALF.y, sign(4) * HALF.z),
                2 => vec3((r(2) * 2.0 - 1.0) * HALF.x, sign(3) * HALF.y, sign(4) * HALF.z),
                _ => vec3(sign(1) * HALF.x * 0.95, sign(3) * HALF.y, (r(4) * 2.0 - 1.0) * HALF.z),
            };
            let size = 0.025 + 0.075 * r(5) * r(5);
            let turn = Quat::from_scaled_axis(vec3(r(6) - 0.5, r(7) - 0.5, r(8) - 0.5) * 5.0);
            Chip { at, turn, half: vec3(size * 1.6, size, size * (0.5 + 0.5 * r(9))) }
        })
        .collect()
}

/// Depth (positive) of the carving on the front at (x, y), before weathering rounds it.
fn carving(x: f32, y: f32) -> f32 {
    let p = vec2(x, y);
    fn at<const N: usize>(p: Vec2, points: &[(f32, f32); N]) -> f32 {
        line(p, &points.map(|(x, y)| vec2(x, y)))
    }
    // The sign of the post: two ridges under an ember, in a ring that the ridges break.
    let ring = ((p - vec2(0.0, 0.34)).length() - 0.27).abs();
    let ring = if y < 0.16 { f32::INFINITY } else { ring };
    let ridge = at(p, &[(-0.30, 0.13), (-0.12, 0.37), (-0.03, 0.25), (0.10, 0.43), (0.30, 0.13)]);
    let second = at(p, &[(-0.17, 0.13), (-0.06, 0.21), (0.0, 0.15), (0.09, 0.26), (0.18, 0.13)]);
    let ember = ((p - vec2(0.10, 0.515)).length() - 0.022).max(0.0);
    // Below: the bearing, as a surveyor cuts it, and the number in tallies.
    let arrow = at(p, &[(0.0, -0.06), (0.0, -0.30)]).min(at(p, &[(-0.085, -0.17), (0.0, -0.06), (0.085, -0.17)]));
    let bar = at(p, &[(-0.24, -0.36), (0.24, -0.36)]);
    let mut tally = f32::INFINITY;
    for i in 0..4 {
        let x = -0.165 + 0.09 * i as f32;
        tally = tally.min(at(p, &[(x, -0.43), (x + 0.01, -0.60)]));
    }
    tally = tally.min(at(p, &[(-0.215, -0.575), (0.155, -0.455)])).min(at(p, &[(0.215, -0.43), (0.225, -0.60)]));
    let groove = |d: f32, wide: f32| 1.0 - smoothstep(0.0, wide, d);
    let broad = groove(ring.min(ridge), 0.030).max(groove(ember, 0.026));
    let fine = groove(second.min(arrow).min(bar).min(tally), 0.023);
    0.034 * broad + 0.026 * fine * (1.0 - broad)
}

fn stone(p: Vec3, chips: &[Chip]) -> f32 {
    let mut d = slab(p);
    if d > 0.15 {
        return d;
    }
    for chip in chips {
        // Far from the wedge its cut is the larger distance and changes nothing.
        if p.distance_squared(chip.at) < (chip.half.length() + 0.05).powi(2) {
            let q = chip.turn * (p - chip.at);
            let rough = 0.012 * noise(q * 24.0);
            d = cut(d, rounded_box(q, chip.half, 0.012) + rough, 0.012);
        }
    }
    // A split that runs across the back and over one edge.
    let crack_y = 0.22 + 0.10 * (p.x * 5.0).sin() + 0.05 * noise(p * 6.0) + 0.25 * p.x;
    let crack = (p.y - crack_y).abs() * 0.8 + 0.006 * noise(p * 30.0);
    if p.z < 0.05 {
        d = cut(d, (crack - 0.010).max(-(d + 0.05)), 0.014);
    }
    // A lifting ring dowel was once set into the back.
    d = cut(d, capsule(p, vec3(-0.18, -0.35, -0.30), vec3(-0.18, -0.35, -0.16), 0.045), 0.016);
    if d.abs() > 0.12 {
        return d;
    }
    if p.z > 0.0 {
        let worn = 0.55 + 0.45 * smoothstep(-0.5, 0.3, noise(p * 2.3 + 3.0));
        d += carving(p.x, p.y) * worn * smoothstep(0.05, 0.15, p.z);
    }
    // Tool marks on the dressed front, bedding on the sides, pits everywhere.
    let dressed = smoothstep(0.12, 0.2, p.z);
    let strokes = ((p.x * 0.55 + p.y) * 62.0 + 2.5 * noise(p * 7.0)).sin();
    d += 0.0022 * dressed * strokes * smoothstep(-0.2, 0.4, noise(p * 3.1 + 40.0));
    let beds = (p.z * 70.0 + 4.0 * noise(p * 4.0)).sin();
    d += 0.0035 * beds * (1.0 - dressed) * smoothstep(0.36, 0.46, p.x.abs());
    d += 0.020 * layered_noise(p * 6.1 + 2.0, 5);
    let pit = smoothstep(0.34, 0.62, noise(p * 23.0)) * smoothstep(-0.15, 0.25, noise(p * 3.3 + 70.0));
    d + 0.012 * pit
}

fn color(p: Vec3, normal: Vec3) -> [u8; 3] {
    let rock = vec3(0.47, 0.45, 0.42) * (1.0 + 0.16 * layered_noise(p * 9.0, 4) + 0.10 * noise(p * 2.0));
    let depth = if p.z > 0.05 { carving(p.x, p.y) } else { 0.0 };
    let ember = smoothstep(0.012, 0.024, depth) * smoothstep(-0.35, 0.15, noise(p * 8.0 + 13.0));
    let patch = smoothstep(0.18, 0.30, noise(p * 5.2 + 31.0) + 0.35 * noise(p * 21.0));
    let moss_here = smoothstep(-0.55, -0.95, p.y + 0.2 * noise(p * 6.0)) + smoothstep(0.5, 0.9, normal.y) * 0.9;
    let mut c = rock;
    c = c.lerp(vec3(0.70, 0.69, 0.52), patch * 0.75);
    c = c.lerp(vec3(0.31, 0.37, 0.19), (moss_here * (0.6 + 0.6 * noise(p * 14.0))).clamp(0.0, 0.9));
    c = c.lerp(vec3(0.66, 0.30, 0.17), ember * 0.8);
    c.to_array().map(|x| (x.clamp(0.0, 1.0) * 255.0).round() as u8)
}

/// Where the slab's surface lies on the line from `p` along `d`, both ways, by bisection between signs.
fn onto_slab(p: Vec3, d: Vec3) -> Vec3 {
    let (mut inside, mut outside) = (-0.4f32, 0.4f32);
    for _ in 0..40 {
        let middle = (inside + outside) / 2.0;
        if slab(p + d * middle) < 0.0 { inside = middle } else { outside = middle }
    }
    p + d * (inside + outside) / 2.0
}

/// A cube's grid drawn onto the slab: six islands with seams along its edges.
fn low() -> Mesh {
    let core = HALF - 0.07;
    let cells = [6usize, 10, 4];
    let place = |n: Vec3| {
        // Grid points sit on the box; near its edges they follow the rounding.
        let inner = (n * HALF).clamp(-core, core);
        let out = (n * HALF - inner).normalize_or(Vec3::Y);
        onto_slab(inner + out * 0.07, out)
    };
    let normal = |p: Vec3| {
        let step = 0.03;
        let along = |axis: Vec3| slab(p + axis * step) - slab(p - axis * step);
        vec3(along(Vec3::X), along(Vec3::Y), along(Vec3::Z)).normalize_or(Vec3::Y)
    };
    let face = |across: usize, up: usize, out: usize, sign: f32, flip: f32| -> Island {
        grid_island(0, cells[across], cells[up], |i, j| {
            let mut n = Vec3::ZERO;
            n[across] = (i as f32 / cells[across] as f32 * 2.0 - 1.0) * flip;
            n[up] = j as f32 / cells[up] as f32 * 2.0 - 1.0;
            n[out] = sign;
            let p = place(n);
            let flat = vec2(p[across] * flip, p[up]);
            let bulge = (sign * p[out] - HALF[out]).min(0.0).abs() * 0.6;
            let from_middle = vec2(n[across] * flip, n[up]);
            (p, normal(p), flat + from_middle * bulge * edge_weight(from_middle))
        })
    };
    let islands = vec![
        face(0, 1, 2, 1.0, 1.0),
        face(0, 1, 2, -1.0, -1.0),
        face(2, 1, 0, 1.0, -1.0),
        face(2, 1, 0, -1.0, 1.0),
        face(0, 2, 1, 1.0, -1.0),
        face(0, 2, 1, -1.0, 1.0),
    ];
    build(&[("boundary_stone", "stone")], islands)
}

/// The rim of a face bends away; its UVs are let out a little there, so that density holds.
fn edge_weight(n: Vec2) -> f32 {
    smoothstep(0.6, 1.0, n.abs().max_element())
}

fn high(detail: Detail) -> Mesh {
    let chips = chips();
    let margin = 0.12;
    let net = polygonise(&|p| stone(p, &chips), -HALF - margin, HALF + margin, detail.cell(0.00392));
    let colors = net.positions.iter().zip(&net.normals).map(|(&p, &n)| color(p, n)).collect();
    let draft = Draft {
        colors,
        positions: net.positions,
        normals: net.normals,
        parts: vec![DraftPart {
            name: "boundary_stone".into(),
            indices: net.triangles.into_iter().flatten().collect(),
            ..DraftPart::default()
        }],
        ..Draft::default()
    };
    draft.finish().expect("sample meshes are built whole: indices and numbers come from the lines above")
}

pub(super) const LABEL: &str = "Boundary stone";

pub(super) fn make(detail: Detail) -> Sample {
    let (low_file, high_file) = ("boundary_stone_low.obj", "boundary_stone_high.ply");
    let (low, high) = (low(), high(detail));
    let mut maps = plain_maps(["normal", "ao", "curvature", "cavity", "displacement", "miss"]);
    maps.insert(5, MapSettings::Id(IdSettings { from: IdSource::Color }));
    let mut recipe = recipe(LABEL, low_file, high_file, maps);
    let granite = ready("lichened granite", &body(&low, &high), FinishOn::All);
    // Heights need more steps than 8 bits have.
    recipe.sheet.depth = Depth::Sixteen;
    give(&mut recipe, granite, &["base-color", "roughness"]);
    Sample { name: "boundary-stone", label: LABEL, finished: true, low, high, low_file, high_file, recipe }
}
