//! The *Dented watering can*: a sheet-metal can whose meshes are made wrong on purpose, one fault of each usual kind, so that
//! checks have something to find and fixing something to fix. [`PLANTED`] lists what is wrong and where.

use crate::field::{ball, capsule, cut, join, noise, polygon, ring, rounded_box, smoothstep};
use crate::handmade::{Island, build, grid_island, inset, lathe, tube};
use crate::pieces::{Piece, polygonise_all};
use crate::{Detail, Sample, plain_maps, recipe};
use ember_ridge_core::glam::{Quat, Vec2, Vec3, vec2, vec3};
use ember_ridge_core::{FindingKind, Mesh};
use std::f32::consts::{PI, TAU};

const ZINC: [u8; 3] = [148, 154, 152];
const PAINT: [u8; 3] = [96, 118, 92];
const RUST: [u8; 3] = [142, 86, 54];
const BRASS: [u8; 3] = [176, 140, 82];

/// The body's profile (r, y), closed along the axis, running up on the outside, with a filler neck on top.
const BODY: [(f32, f32); 9] = [
    (0.0, -0.72),
    (0.56, -0.72),
    (0.58, -0.68),
    (0.51, 0.52),
    (0.24, 0.66),
    (0.24, 0.80),
    (0.20, 0.80),
    (0.20, 0.64),
    (0.0, 0.64),
];
const BEVEL: f32 = 0.014;
/// The rose's profile about its own axis, from the spout outward.
const ROSE: [(f32, f32); 5] = [(0.0, -0.02), (0.075, -0.02), (0.21, 0.15), (0.21, 0.19), (0.0, 0.21)];
const SPOUT: [(f32, f32); 9] = [
    (0.44, -0.48),
    (0.56, -0.43),
    (0.68, -0.34),
    (0.79, -0.22),
    (0.89, -0.07),
    (0.98, 0.09),
    (1.06, 0.25),
    (1.14, 0.41),
    (1.22, 0.57),
];
const BRACE_HALF: Vec3 = vec3(0.17, 0.020, 0.045);

fn brace_place(p: Vec3) -> Vec3 {
    Quat::from_rotation_z(-0.35) * (p - vec3(0.70, 0.18, 0.0))
}

fn profile(points: &[(f32, f32)]) -> Vec<Vec2> {
    points.iter().map(|&(r, y)| vec2(r, y)).collect()
}

fn spout_radius(i: usize) -> f32 {
    0.135 - 0.065 * i as f32 / 8.0
}

/// The handle leaves the body below its shoulder, and comes back above its foot.
fn handle_point(t: f32) -> Vec2 {
    let angle = PI * (0.62 + 0.80 * t);
    vec2(-0.52, 0.04) + vec2(angle.cos() * 0.50, angle.sin() * 0.44)
}

const HANDLE_RADIUS: f32 = 0.046;

/// From the rose's own space, axis along y, to the end of the spout.
fn rose_frame() -> (Quat, Vec3) {
    let (a, b) = (SPOUT[7], SPOUT[8]);
    let along = vec3(b.0 - a.0, b.1 - a.1, 0.0).normalize();
    (Quat::from_rotation_arc(Vec3::Y, along), vec3(b.0, b.1, 0.0))
}

fn turned(p: Vec3, inner: &[Vec2]) -> f32 {
    polygon(vec2(vec2(p.x, p.z).length(), p.y), inner) - BEVEL
}

fn body_field(p: Vec3, inner: &[Vec2]) -> f32 {
    let mut d = turned(p, inner);
    if d.abs() > 0.12 {
        return d;
    }
    for (y, r) in [(-0.34, 0.560), (0.20, 0.527)] {
        d = join(d, ring(p - vec3(0.0, y, 0.0), r, 0.018), 0.012);
    }
    // Dents: something fell on it, someone kicked it.
    let dents = [
        (vec3(0.30, -0.05, 0.46), 0.20, 0.050),
        (vec3(-0.22, -0.45, 0.52), 0.15, 0.036),
        (vec3(0.1, 0.38, 0.52), 0.10, 0.022),
    ];
    for (at, wide, deep) in dents {
        let far = p.distance(at) / wide;
        d += deep * (1.0 - smoothstep(0.15, 1.0, far)) * (1.0 + 0.12 * (far * 9.0).sin() * (1.0 - far).max(0.0));
    }
    // A pressed seam up the back, and pitted paint.
    let seam = vec2(p.z.abs(), 0.0).length() + if p.x < 0.0 { 0.0 } else { 1.0 };
    d -= 0.008 * (1.0 - smoothstep(0.012, 0.022, seam)) * smoothstep(-0.66, -0.62, p.y) * smoothstep(0.50, 0.46, p.y);
    d + 0.0030 * smoothstep(0.30, 0.55, noise(p * 17.0)) + 0.0016 * noise(p * 5.0)
}

fn spout_field(p: Vec3) -> f32 {
    let mut d = f32::INFINITY;
    for i in 0..8 {
        let (a, b) = (SPOUT[i], SPOUT[i + 1]);
        let (a, b) = (vec3(a.0, a.1, 0.0), vec3(b.0, b.1, 0.0));
        let h = ((p - a).dot(b - a) / (b - a).length_squared()).clamp(0.0, 1.0);
        let radius = spout_radius(i) * (1.0 - h) + spout_radius(i + 1) * h;
        d = join(d, (p - a.lerp(b, h)).length() - radius, 0.02);
    }
    let dent = p.distance(vec3(0.86, -0.18, 0.12)) / 0.09;
    d + 0.016 * (1.0 - smoothstep(0.2, 1.0, dent)) + 0.0020 * smoothstep(0.3, 0.55, noise(p * 19.0))
}

fn handle_field(p: Vec3) -> f32 {
    let mut d = f32::INFINITY;
    for i in 0..32 {
        let (a, b) = (handle_point(i as f32 / 32.0), handle_point((i + 1) as f32 / 32.0));
        d = d.min(capsule(p, a.extend(0.0), b.extend(0.0), HANDLE_RADIUS));
    }
    let grip = handle_point(0.45);
    let bound = smoothstep(0.24, 0.20, p.distance(grip.extend(0.0)));
    d - 0.004 * bound * (0.5 + 0.5 * (p.y * 90.0 + p.x * 20.0).sin())
}

fn rose_field(p: Vec3, inner: &[Vec2]) -> f32 {
    let (turn, at) = rose_frame();
    let q = turn.inverse() * (p - at);
    let mut d = turned(q, inner);
    if q.y > 0.12 {
        for (count, radius) in [(1, 0.0), (6, 0.060), (12, 0.120), (18, 0.170)] {
            let sector = TAU / count as f32;
            let angle = (q.z.atan2(q.x) / sector).round() * sector;
            let hole = vec3(angle.cos() * radius, 0.205, angle.sin() * radius);
            d = cut(d, ball(q - hole, 0.014), 0.004);
        }
    }
    d
}

fn brace_field(p: Vec3) -> f32 {
    let q = brace_place(p);
    let mut d = rounded_box(q, BRACE_HALF, 0.010);
    for side in [-1.0, 1.0] {
        let rivet = q - vec3(side * (BRACE_HALF.x - 0.03), BRACE_HALF.y, 0.0);
        d = join(d, ball(rivet, 0.013), 0.004);
    }
    d
}

fn high(detail: Detail) -> Mesh {
    let (body, rose) = (inset(&profile(&BODY), BEVEL), inset(&profile(&ROSE), BEVEL));
    let painted = |p: Vec3| -> [u8; 3] {
        let worn = noise(p * 4.3) + 0.5 * noise(p * 13.0);
        let rusty = noise(p * 6.1 + 9.0) + smoothstep(-0.4, -0.7, p.y) * 0.6;
        if rusty > 0.62 {
            RUST
        } else if worn > 0.42 || p.y > 0.62 {
            ZINC
        } else {
            PAINT
        }
    };
    let mut pieces: Vec<Piece> = Vec::new();
    let mut add = |name, material, low, high, cell, field, color| {
        pieces.push(Piece { name, material, low, high, cell: detail.cell(cell), field, color });
    };
    add(
        "body_high",
        "paint",
        vec3(-0.64, -0.76, -0.64),
        vec3(0.64, 0.84, 0.64),
        0.0085,
        Box::new(|p| body_field(p, &body)),
        Box::new(painted),
    );
    let flat = |c: [u8; 3]| -> Box<dyn Fn(Vec3) -> [u8; 3]> { Box::new(move |_| c) };
    let (low, high) = (vec3(0.24, -0.68, -0.2), vec3(1.32, 0.68, 0.2));
    add("spout_high", "paint", low, high, 0.0075, Box::new(spout_field), Box::new(painted));
    let (low, high) = (vec3(-1.12, -0.50, -0.1), vec3(-0.3, 0.58, 0.1));
    add("handle_high", "zinc", low, high, 0.0060, Box::new(handle_field), flat(ZINC));
    let (low, high) = (vec3(0.98, 0.35, -0.24), vec3(1.52, 0.95, 0.24));
    // Named otherwise than its low-poly part: names alone do not pair it.
    add("sprinkler_high", "brass", low, high, 0.0050, Box::new(|p| rose_field(p, &rose)), flat(BRASS));
    let (low, high) = (vec3(0.48, 0.06, -0.08), vec3(0.92, 0.32, 0.08));
    add("brace_high", "zinc", low, high, 0.0045, Box::new(brace_field), flat(ZINC));
    let mut mesh = polygonise_all(pieces);
    // Exported in centimetres.
    mesh.positions.iter_mut().for_each(|p| *p *= 100.0);
    mesh
}

/// Six sides of the brace; their UVs are taken away later.
fn brace_sides(part: usize) -> Vec<Island> {
    let axes = [(Vec3::X, Vec3::Y), (Vec3::Y, Vec3::Z), (Vec3::Z, Vec3::X)];
    let back = Quat::from_rotation_z(0.35);
    let side = |(u, v): (Vec3, Vec3), sign: f32| {
        let (u, n) = (u * sign, u.cross(v) * sign);
        let (wide, tall) = (u.abs().dot(BRACE_HALF), v.dot(BRACE_HALF));
        grid_island(part, 1, 1, |i, j| {
            let (x, y) = ((i as f32 * 2.0 - 1.0) * wide, (j as f32 * 2.0 - 1.0) * tall);
            let local = u * x + v * y + n * n.abs().dot(BRACE_HALF);
            (back * local + vec3(0.70, 0.18, 0.0), back * n, vec2(x, y))
        })
    };
    axes.into_iter().flat_map(|axes| [side(axes, 1.0), side(axes, -1.0)]).collect()
}

/// The can as it should be.
fn sound_low() -> Mesh {
    let mut islands = lathe(0, &profile(&BODY), 24, 2);
    let path = profile(&SPOUT);
    let radii: Vec<f32> = (0..9).map(spout_radius).collect();
    islands.extend(tube(1, &path, &radii, 10, 2));
    let path: Vec<Vec2> = (0..=16).map(|i| handle_point(i as f32 / 16.0)).collect();
    islands.extend(tube(2, &path, &[HANDLE_RADIUS; 17], 8, 2));
    let (turn, at) = rose_frame();
    for mut island in lathe(3, &profile(&ROSE), 16, 2) {
        island.positions.iter_mut().for_each(|p| *p = turn * *p + at);
        island.normals.iter_mut().for_each(|n| *n = turn * *n);
        islands.push(island);
    }
    islands.extend(brace_sides(4));
    build(
        &[
            ("body_low", "paint"),
            ("spout_low", "paint"),
            ("handle_low", "zinc"),
            ("rose_low", "brass"),
            ("brace_low", "zinc"),
        ],
        islands,
    )
}

/// What is wrong with the can, and the part it is planted in: on the low-poly, then between it and the sculpt.
pub const PLANTED: &[(FindingKind, &str)] = &[
    (FindingKind::TurnedFaces, "body_low"),
    (FindingKind::DoubledPoints, "body_low"),
    (FindingKind::HardEdgesWithoutSeam, "spout_low"),
    (FindingKind::OverlappingUvs, "spout_low"),
    (FindingKind::InsideOut, "handle_low"),
    (FindingKind::MirroredIslands, "handle_low"),
    (FindingKind::NonManifoldEdges, "rose_low"),
    (FindingKind::IslandOutside, "rose_low"),
    (FindingKind::MissingUvs, "brace_low"),
    (FindingKind::ScaleSlip, ""),
    (FindingKind::UnpairedPart, "sprinkler_high"),
    (FindingKind::UnpairedPart, "rose_low"),
];

/// Points on the model within which each fault of the low-poly lies, by kind: middle and radius.
pub fn planted_place(kind: FindingKind) -> Option<(Vec3, f32)> {
    Some(match kind {
        FindingKind::TurnedFaces => (DENTED, 0.5),
        FindingKind::DoubledPoints => (vec3(0.0, -0.1, -0.5), 0.8),
        FindingKind::HardEdgesWithoutSeam | FindingKind::OverlappingUvs => (vec3(0.85, 0.0, 0.0), 0.8),
        FindingKind::InsideOut | FindingKind::MirroredIslands => (vec3(-0.8, 0.05, 0.0), 0.6),
        FindingKind::NonManifoldEdges | FindingKind::IslandOutside => (vec3(1.28, 0.68, 0.0), 0.35),
        FindingKind::MissingUvs => (vec3(0.70, 0.18, 0.0), 0.25),
        _ => return None,
    })
}

/// Where the body's faces are turned.
const DENTED: Vec3 = vec3(0.30, -0.05, 0.46);

fn low() -> Mesh {
    let mut mesh = sound_low();
    let part = |mesh: &Mesh, number: usize| mesh.parts[number].triangles.clone();
    let middle = |mesh: &Mesh, t: u32| mesh.corners(t).iter().sum::<Vec3>() / 3.0;

    // Faces about the large dent are turned, and points up the back came apart by a hair.
    let near = |t: &u32| middle(&mesh, *t).distance(DENTED) < 0.45 && middle(&mesh, *t).y.abs() < 0.5;
    let dented: Vec<u32> = part(&mesh, 0).filter(near).collect();
    for t in dented {
        mesh.triangles[t as usize].swap(1, 2);
    }
    let back: Vec<u32> = part(&mesh, 0).filter(|&t| middle(&mesh, t).z < -0.45).collect();
    let cracked = mesh.triangles[back[0] as usize][0] as usize;
    mesh.positions[cracked] += vec3(0.0, 1e-5, 0.0);

    // The second half of the spout lies on the first.
    let spout = part(&mesh, 1);
    let half = spout.start + spout.len() as u32 / 2;
    let low_uv = |mesh: &Mesh, range: std::ops::Range<u32>| {
        range.flat_map(|t| mesh.corner_uvs(t)).fold(Vec2::INFINITY, Vec2::min)
    };
    let (first, second) = (low_uv(&mesh, spout.start..half), low_uv(&mesh, half..spout.end));
    move_uvs(&mut mesh, half..spout.end, |uv| first + (uv - second) * 0.92);
    // A ring of its faces is shaded flat in the middle of an island.
    let ring: Vec<u32> = (spout.start..half).filter(|&t| (0.56..0.68).contains(&middle(&mesh, t).x)).collect();
    for t in ring {
        flatten_face(&mut mesh, t);
    }

    // The handle is inside out, and one half of it is mirrored on the sheet.
    let handle = part(&mesh, 2);
    for t in handle.clone() {
        mesh.triangles[t as usize].swap(1, 2);
        for v in mesh.triangles[t as usize] {
            mesh.normals[v as usize] = facing(mesh.normals[v as usize], mesh.face_normal(t));
        }
    }
    // Turned faces are mirrored on the sheet; the second half is turned back there, the first is left.
    let half = handle.start + handle.len() as u32 / 2;
    let (low, high) = (half..handle.end)
        .flat_map(|t| mesh.corner_uvs(t))
        .fold((f32::INFINITY, f32::NEG_INFINITY), |(low, high), uv| (low.min(uv.x), high.max(uv.x)));
    move_uvs(&mut mesh, half..handle.end, |uv| vec2(low + high - uv.x, uv.y));

    // The rose lies a square to the right, and one of its faces stands twice.
    let rose = part(&mesh, 3);
    move_uvs(&mut mesh, rose.clone(), |uv| uv + vec2(1.0, 0.0));
    double_face(&mut mesh, rose.start + 30);

    // The brace was never unwrapped.
    let brace = part(&mesh, 4);
    move_uvs(&mut mesh, brace, |_| Vec2::ZERO);
    mesh
}

fn facing(normal: Vec3, face: Vec3) -> Vec3 {
    if normal.dot(face) < 0.0 { -normal } else { normal }
}

/// New UVs for a range of triangles that share no vertex with others.
fn move_uvs(mesh: &mut Mesh, triangles: std::ops::Range<u32>, place: impl Fn(Vec2) -> Vec2) {
    let mut vertices: Vec<u32> = triangles.flat_map(|t| mesh.triangles[t as usize]).collect();
    vertices.sort_unstable();
    vertices.dedup();
    for v in vertices {
        mesh.uvs[v as usize] = place(mesh.uvs[v as usize]);
    }
}

/// Gives a triangle vertices of its own with its face's normal.
fn flatten_face(mesh: &mut Mesh, t: u32) {
    let normal = mesh.face_normal(t);
    for corner in 0..3 {
        let v = mesh.triangles[t as usize][corner] as usize;
        mesh.triangles[t as usize][corner] = mesh.positions.len() as u32;
        mesh.positions.push(mesh.positions[v]);
        mesh.normals.push(normal);
        mesh.uvs.push(mesh.uvs[v]);
    }
}

/// Puts a second copy of a triangle behind it.
fn double_face(mesh: &mut Mesh, t: u32) {
    let at = t as usize;
    mesh.triangles.insert(at, mesh.triangles[at]);
    mesh.triangle_materials.insert(at, mesh.triangle_materials[at]);
    for part in &mut mesh.parts {
        part.triangles.start += u32::from(part.triangles.start > t);
        part.triangles.end += u32::from(part.triangles.end > t);
    }
}

pub(super) const LABEL: &str = "Dented watering can";

pub(super) fn make(detail: Detail) -> Sample {
    let (low_file, high_file) = ("watering_can_low.obj", "watering_can_high.glb");
    Sample {
        name: "dented-watering-can",
        label: LABEL,
        finished: false,
        low: low(),
        high: high(detail),
        low_file,
        high_file,
        recipe: recipe(LABEL, low_file, high_file, plain_maps(["normal", "ao", "curvature", "miss"])),
    }
}
