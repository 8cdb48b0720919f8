//! The *Lookout lantern*: hard surface, five parts that nearly touch, rivets and vents that float above the surface, and a
//! handle that clears the cap by a hair. Flat vertex colours tell its materials apart.

use crate::field::{around, ball, capsule, cut, join, line, polygon, ring, rounded_box, smoothstep};
use crate::finishes::{body, by_color, give, lamp_iron, oiled_ash, ready};
use crate::handmade::{Island, build, grid_island, inset, lathe, tube};
use crate::pieces::{Piece, polygonise_all};
use crate::{Detail, Sample, plain_maps, recipe};
use ember_ridge_core::Mesh;
use ember_ridge_core::finish::FinishOn;
use ember_ridge_core::glam::{Vec2, Vec3, vec2, vec3};
use ember_ridge_core::maps::{AoSettings, IdSettings, IdSource, MapSettings};
use std::f32::consts::{PI, TAU};

const ENAMEL: [u8; 3] = [62, 92, 84];
const BRASS: [u8; 3] = [178, 138, 78];
const GLASS: [u8; 3] = [190, 205, 200];
const WOOD: [u8; 3] = [128, 84, 52];
const IRON: [u8; 3] = [84, 84, 88];
const EMBER: [u8; 3] = [206, 96, 48];

/// Profiles (r, y), closed along the axis, running up on the outside. The sculpt rounds their edges by `BEVEL`.
const BASE: [(f32, f32); 7] =
    [(0.0, -1.10), (0.84, -1.10), (0.84, -0.98), (0.74, -0.90), (0.74, -0.85), (0.50, -0.85), (0.0, -0.85)];
const HOUSING: [(f32, f32); 6] =
    [(0.0, -0.83), (0.50, -0.83), (0.66, -0.83), (0.66, -0.28), (0.46, -0.28), (0.0, -0.28)];
const CAP: [(f32, f32); 10] = [
    (0.0, 0.54),
    (0.74, 0.54),
    (0.74, 0.63),
    (0.31, 0.88),
    (0.28, 0.90),
    (0.28, 1.02),
    (0.37, 1.02),
    (0.37, 1.08),
    (0.10, 1.17),
    (0.0, 1.18),
];
const BEVEL: f32 = 0.016;

const PANE_APOTHEM: f32 = 0.53;
const PANE_LOW: f32 = -0.265;
const PANE_HIGH: f32 = 0.525;

/// The bail: half an ellipse from ear to ear, with a wooden grip on top.
const BAIL_CENTRE: f32 = 0.60;
const BAIL_WIDE: f32 = 0.83;
const BAIL_TALL: f32 = 0.92;
const BAIL_RADIUS: f32 = 0.028;
const GRIP_RADIUS: f32 = 0.058;
const GRIP_HALF: f32 = 0.26;

fn profile(points: &[(f32, f32)]) -> Vec<Vec2> {
    points.iter().map(|&(r, y)| vec2(r, y)).collect()
}

fn turned(p: Vec3, inner: &[Vec2]) -> f32 {
    polygon(vec2(vec2(p.x, p.z).length(), p.y), inner) - BEVEL
}

/// Place on the drum's front, unrolled: x to the right along the curve, y up, z out of the surface.
fn on_front(p: Vec3, radius: f32) -> Vec3 {
    vec3(p.x.atan2(p.z) * radius, p.y, vec2(p.x, p.z).length() - radius)
}

fn base_field(p: Vec3, inner: &[Vec2]) -> f32 {
    let mut d = turned(p, inner);
    let q = around(p, 56);
    d = cut(d, capsule(q, vec3(0.853, -1.055, 0.0), vec3(0.853, -0.985, 0.0), 0.020), 0.008);
    d = cut(d, ring(p - vec3(0.0, -0.875, 0.0), 0.742, 0.010), 0.006);
    // A stamped ring and three drain holes underneath.
    d = cut(d, ring(p - vec3(0.0, -1.10, 0.0), 0.62, 0.016), 0.008);
    let hole = around(p, 3) - vec3(0.4, -1.10, 0.0);
    cut(d, vec2(vec2(hole.x, hole.z).length() - 0.05, hole.y.abs() - 0.03).max_element(), 0.010)
}

fn housing_field(p: Vec3, inner: &[Vec2]) -> f32 {
    let mut d = turned(p, inner);
    for y in [-0.755, -0.365] {
        d = join(d, ring(p - vec3(0.0, y, 0.0), 0.656, 0.012), 0.008);
    }
    let q = on_front(p, 0.66);
    if q.x.abs() < 0.40 {
        // A door: its gap, its hinges, its knob, and the ridge stamped into it.
        let door = rounded_box(vec3(q.x, q.y + 0.56, 0.0), vec3(0.20, 0.155, 1.0), 0.03).abs() - 0.006;
        d = cut(d, door.max(q.z.abs() - 0.014), 0.004);
        for y in [-0.63, -0.49] {
            d = join(d, capsule(q, vec3(-0.215, y - 0.028, 0.006), vec3(-0.215, y + 0.028, 0.006), 0.014), 0.006);
        }
        d = join(d, ball(q - vec3(0.155, -0.56, 0.010), 0.020), 0.008);
        let ridge = [(-0.12, -0.63), (-0.055, -0.53), (-0.02, -0.575), (0.03, -0.49), (0.11, -0.63)];
        let stamp = line(vec2(q.x, q.y), &ridge.map(|(x, y)| vec2(x, y))) - 0.010;
        d = join(d, stamp.max(q.z.abs() - 0.008), 0.008);
        d = join(d, ball(vec3(q.x - 0.03, q.y + 0.452, q.z * 1.5), 0.014), 0.005);
    }
    // Pressed flutes around the rest of the drum.
    if q.x.abs() > 0.42 {
        let r = around(p, 40);
        d = cut(d, capsule(r, vec3(0.678, -0.69, 0.0), vec3(0.678, -0.43, 0.0), 0.028), 0.012);
    }
    d
}

fn frame_field(p: Vec3, octagon: &[Vec2]) -> f32 {
    let middle = (PANE_LOW + PANE_HIGH) / 2.0;
    let tall = (PANE_HIGH - PANE_LOW) / 2.0;
    let flat = polygon(vec2(p.x, p.z), octagon);
    let prism = join_max(flat, (p.y - middle).abs() - tall + BEVEL) - BEVEL;
    let q = around(p, 8);
    let face = q - vec3(PANE_APOTHEM, middle, 0.0);
    let mut d = cut(prism, rounded_box(face, vec3(0.034, tall - 0.075, 0.160), 0.016), 0.006);
    for y in [-0.11, 0.11] {
        d = join(d, capsule(face, vec3(-0.012, y, -0.2), vec3(-0.012, y, 0.2), 0.012), 0.006);
    }
    // Screws at the four corners of every pane.
    let screw = vec3(face.x, face.y.abs() - (tall - 0.038), face.z);
    d = join(d, ball(screw + vec3(0.006, 0.0, 0.0), 0.020), 0.004);
    cut(d, rounded_box(screw - vec3(0.014, 0.0, 0.0), vec3(0.006, 0.020, 0.003), 0.001), 0.002)
}

/// The exact corner of two half spaces: distance outside both sides is Euclidean.
fn join_max(a: f32, b: f32) -> f32 {
    vec2(a, b).max(Vec2::ZERO).length() + a.max(b).min(0.0)
}

fn cap_field(p: Vec3, inner: &[Vec2]) -> f32 {
    let mut d = turned(p, inner);
    // Standing seams down the roof.
    let seam = around(p, 12);
    d = join(d, capsule(seam, vec3(0.70, 0.655, 0.0), vec3(0.38, 0.847, 0.0), 0.014), 0.012);
    // Slots around the neck, and a rolled rim on the hood.
    let slot = around(p, 14) - vec3(0.28, 0.955, 0.0);
    d = cut(d, rounded_box(slot, vec3(0.03, 0.032, 0.020), 0.012), 0.005);
    d = join(d, ring(p - vec3(0.0, 1.06, 0.0), 0.368, 0.013), 0.008);
    cut(d, ring(p - vec3(0.0, 0.60, 0.0), 0.742, 0.008), 0.005)
}

fn rivets_field(p: Vec3, count: u32, radius: f32, y: f32, size: f32) -> f32 {
    let q = around(p, count) - vec3(radius, y, 0.0);
    // A dome over a thin washer, both clear of the sheet below.
    let dome = ball(vec3(q.x, q.y, q.z), size).max(-q.x);
    let washer = vec2(q.x.abs() - size * 0.34, vec2(q.y, q.z).length() - size * 1.35);
    join(dome, join_max(washer.x, washer.y), size * 0.2)
}

fn louvre_field(p: Vec3) -> f32 {
    // Four hoods one above the other, left and right of the door.
    let q = on_front(vec3(p.x.abs(), p.y, p.z), 0.66);
    let hood = |y: f32| {
        let c = q - vec3(1.037, y, 0.014);
        let shell = rounded_box(c, vec3(0.10, 0.020, 0.012), 0.010);
        cut(shell, rounded_box(c - vec3(0.0, -0.016, 0.006), vec3(0.085, 0.010, 0.010), 0.004), 0.004)
    };
    [-0.66, -0.59, -0.52, -0.45].map(hood).into_iter().fold(f32::INFINITY, f32::min)
}

fn bail_point(angle: f32) -> Vec2 {
    vec2(BAIL_WIDE * angle.cos(), BAIL_CENTRE + BAIL_TALL * angle.sin())
}

fn handle_field(p: Vec3, path: &[Vec3]) -> f32 {
    let wire = path.windows(2).map(|s| capsule(p, s[0], s[1], BAIL_RADIUS)).fold(f32::INFINITY, f32::min);
    let mut d = wire;
    for side in [-1.0, 1.0] {
        let ear = p - vec3(BAIL_WIDE * side, BAIL_CENTRE, 0.0);
        d = join(d, ball(ear, 0.054), 0.020);
    }
    if p.y > BAIL_CENTRE + 0.4 {
        // The grip follows the wire: turned wood with finger grooves, held by two collars.
        let x = p.x.clamp(-GRIP_HALF, GRIP_HALF);
        let curve = BAIL_CENTRE + BAIL_TALL * (1.0 - (x / BAIL_WIDE).powi(2)).max(0.0).sqrt();
        let off = vec2(p.y - curve, p.z).length();
        let groove =
            0.005 * (1.0 - (x / GRIP_HALF * 5.0 * PI).cos()) * smoothstep(GRIP_HALF, GRIP_HALF - 0.05, x.abs());
        let grip = join_max(off - GRIP_RADIUS + groove, p.x.abs() - GRIP_HALF + 0.012) - 0.002;
        d = join(d, grip, 0.006);
        for side in [-1.0, 1.0] {
            let collar = vec2(off - GRIP_RADIUS, p.x.abs() - GRIP_HALF);
            d = join(d, if p.x * side > 0.0 { collar.length() - 0.011 } else { f32::MAX / 4.0 }, 0.004);
        }
    }
    d
}

fn high(detail: Detail) -> Mesh {
    let (base, housing, cap) =
        (inset(&profile(&BASE), BEVEL), inset(&profile(&HOUSING), BEVEL), inset(&profile(&CAP), BEVEL));
    let corner = PANE_APOTHEM / (PI / 8.0).cos();
    let octagon: Vec<Vec2> =
        (0..8).map(|i| Vec2::from_angle((i as f32 + 0.5) * TAU / 8.0) * (corner - BEVEL / (PI / 8.0).cos())).collect();
    let path: Vec<Vec3> = (0..=64).map(|i| bail_point(i as f32 / 64.0 * PI).extend(0.0)).collect();
    let around_axis = |r: f32, low: f32, high: f32| (vec3(-r, low, -r), vec3(r, high, r));
    let flat = |c: [u8; 3]| -> Box<dyn Fn(Vec3) -> [u8; 3]> { Box::new(move |_| c) };
    let mut pieces: Vec<Piece> = Vec::new();
    let mut add = |name, material, bounds: (Vec3, Vec3), cell, field, color| {
        pieces.push(Piece { name, material, low: bounds.0, high: bounds.1, cell: detail.cell(cell), field, color });
    };
    add(
        "base_high",
        "enamel",
        around_axis(0.87, -1.13, -0.80),
        0.0110,
        Box::new(|p| base_field(p, &base)),
        flat(ENAMEL),
    );
    let drum_color = |p: Vec3| {
        let q = on_front(p, 0.66);
        let stamped = q.z > 0.004 && vec2(q.x, q.y + 0.56).length() < 0.145 && q.x.abs() < 0.13;
        let fitting = q.x.abs() < 0.25 && q.z > 0.004;
        if stamped {
            EMBER
        } else if fitting || (q.z > 0.003 && q.y.abs() < 1.0 && q.x.abs() > 0.42) {
            BRASS
        } else {
            ENAMEL
        }
    };
    add(
        "housing_high",
        "enamel",
        around_axis(0.70, -0.86, -0.25),
        0.0086,
        Box::new(|p| housing_field(p, &housing)),
        Box::new(drum_color),
    );
    let drum_rivets =
        |p: Vec3| rivets_field(p, 28, 0.680, -0.795 + 0.075, 0.0135).min(rivets_field(p, 28, 0.680, -0.398, 0.0135));
    add("housing_rivets_high", "brass", around_axis(0.71, -0.76, -0.37), 0.0044, Box::new(drum_rivets), flat(BRASS));
    let louvres = (vec3(-0.70, -0.71, -0.25), vec3(0.70, -0.41, 0.25));
    add("housing_vents_high", "iron", louvres, 0.0042, Box::new(louvre_field), flat(IRON));
    let pane_color = |p: Vec3| {
        let face = around(p, 8);
        let wire = face.x > PANE_APOTHEM - 0.030;
        let window = face.z.abs() < 0.155 && (p.y - 0.13).abs() < 0.315;
        if window && !wire {
            GLASS
        } else if window {
            IRON
        } else {
            BRASS
        }
    };
    add(
        "frame_high",
        "brass",
        around_axis(0.60, PANE_LOW - 0.02, PANE_HIGH + 0.02),
        0.0094,
        Box::new(|p| frame_field(p, &octagon)),
        Box::new(pane_color),
    );
    add("cap_high", "enamel", around_axis(0.78, 0.50, 1.21), 0.0098, Box::new(|p| cap_field(p, &cap)), flat(ENAMEL));
    let cap_rivets = |p: Vec3| rivets_field(p, 20, 0.392, 1.06, 0.010);
    add("cap_rivets_high", "brass", around_axis(0.42, 1.03, 1.09), 0.0036, Box::new(cap_rivets), flat(BRASS));
    let bail = (vec3(-0.90, 0.52, -0.10), vec3(0.90, 1.62, 0.10));
    let handle_color = |p: Vec3| {
        let wood = p.x.abs() < GRIP_HALF - 0.006 && p.y > 1.2;
        let collar = p.y > 1.2 && p.x.abs() < GRIP_HALF + 0.02;
        if wood {
            WOOD
        } else if collar {
            BRASS
        } else {
            IRON
        }
    };
    let handle = Box::new(|p: Vec3| handle_field(p, &path));
    add("handle_high", "wood", bail, 0.0062, handle, Box::new(handle_color));

    polygonise_all(pieces)
}

fn low() -> Mesh {
    let (base, housing, cap) = (profile(&BASE), profile(&HOUSING), profile(&CAP));
    let mut islands: Vec<Island> = Vec::new();
    islands.extend(lathe(0, &base[..6], 24, 2));
    islands.extend(lathe(1, &housing[2..5], 24, 2));
    islands.extend(panes());
    islands.extend(lathe(3, &cap, 24, 2));
    let steps = 24;
    let path: Vec<Vec2> = (0..=steps).map(|i| bail_point(bail_angle(i, steps))).collect();
    let radii: Vec<f32> = path.iter().map(|p| bail_radius(*p)).collect();
    islands.extend(tube(4, &path, &radii, 8, 2));
    let parts = [
        ("base_low", "enamel"),
        ("housing_low", "enamel"),
        ("frame_low", "brass"),
        ("cap_low", "enamel"),
        ("handle_low", "wood"),
    ];
    build(&parts, islands)
}

/// Steps along the bail, set so that the grip's ends and the ears get an edge loop of their own.
fn bail_angle(i: usize, steps: usize) -> f32 {
    let half = steps / 2;
    let k = if i <= half { i } else { steps - i };
    let at_grip = ((GRIP_HALF + 0.006) / BAIL_WIDE).acos();
    let angle = match k {
        0 => -0.057,
        1 => -0.030,
        2 => 0.070,
        k if k <= 8 => 0.070 + (at_grip - 0.012 - 0.070) * (k - 2) as f32 / 6.0,
        9 => at_grip + 0.004,
        k => at_grip + 0.004 + (PI / 2.0 - at_grip - 0.004) * (k - 9) as f32 / (half - 9) as f32,
    };
    if i <= half { angle } else { PI - angle }
}

fn bail_radius(p: Vec2) -> f32 {
    if p.x.abs() < GRIP_HALF + 0.003 && p.y > 1.2 {
        GRIP_RADIUS + 0.002
    } else if p.y < BAIL_CENTRE - 0.04 {
        0.012
    } else if p.y < BAIL_CENTRE {
        0.050
    } else {
        BAIL_RADIUS
    }
}

/// Eight flat panes, each an island of its own: their edges are hard.
fn panes() -> Vec<Island> {
    let half = PANE_APOTHEM * (PI / 8.0).tan();
    (0..8)
        .map(|face| {
            let out = Vec2::from_angle(face as f32 * TAU / 8.0);
            let (normal, right) = (vec3(out.x, 0.0, -out.y), vec3(-out.y, 0.0, -out.x));
            grid_island(2, 2, 3, |i, j| {
                let (x, t) = ((i as f32 - 1.0) * half, j as f32 / 3.0);
                let y = PANE_LOW + (PANE_HIGH - PANE_LOW) * t;
                (normal * PANE_APOTHEM + right * x + Vec3::Y * y, normal, vec2(x, y))
            })
        })
        .collect()
}

pub(super) const LABEL: &str = "Lookout lantern";

pub(super) fn make(detail: Detail) -> Sample {
    let (low_file, high_file) = ("lookout_lantern_low.obj", "lookout_lantern_high.glb");
    let (low, high) = (low(), high(detail));
    let mut maps = plain_maps(["normal", "curvature", "cavity", "color", "miss"]);
    // Rivets and vents float a little off the body; their shadow would be a blotch.
    let clear = ["housing_rivets_high", "housing_vents_high", "cap_rivets_high"].map(str::to_owned).to_vec();
    maps.insert(1, MapSettings::Ao(AoSettings { clear, ..AoSettings::default() }));
    maps.insert(4, MapSettings::Id(IdSettings { from: IdSource::Color }));
    let mut recipe = recipe(LABEL, low_file, high_file, maps);
    let body = body(&low, &high);
    let finishes = [
        ready("weathered enamel", &body, FinishOn::All),
        ready("brass with verdigris", &body, by_color(&[BRASS])),
        Some(lamp_iron(&body, by_color(&[IRON]))),
        Some(oiled_ash(&body, by_color(&[WOOD]))),
        ready("sooted glass", &body, by_color(&[GLASS])),
        ready("ember glow", &body, by_color(&[EMBER])),
    ];
    let shown = ["base-color", "roughness", "metallic", "emission", "opacity"];
    give(&mut recipe, finishes.into_iter().flatten(), &shown);
    Sample { name: "lookout-lantern", label: LABEL, finished: true, low, high, low_file, high_file, recipe }
}
