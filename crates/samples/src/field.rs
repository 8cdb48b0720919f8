//! Signed distance fields: primitives, ways to join and cut them, and noise. Distances are in scene units, negative inside.
//! The primitives' formulas are the common ones (Quilez, "Distance functions").

use ember_ridge_core::glam::{IVec3, Vec2, Vec3, vec2, vec3};

pub fn ball(p: Vec3, radius: f32) -> f32 {
    p.length() - radius
}

/// A box with rounded edges; `half` includes the rounding.
pub fn rounded_box(p: Vec3, half: Vec3, round: f32) -> f32 {
    let q = p.abs() - half + round;
    q.max(Vec3::ZERO).length() + q.max_element().min(0.0) - round
}

pub fn capsule(p: Vec3, a: Vec3, b: Vec3, radius: f32) -> f32 {
    let (pa, ba) = (p - a, b - a);
    let h = (pa.dot(ba) / ba.length_squared()).clamp(0.0, 1.0);
    (pa - ba * h).length() - radius
}

/// A ring around the y axis.
pub fn ring(p: Vec3, radius: f32, thickness: f32) -> f32 {
    vec2(vec2(p.x, p.z).length() - radius, p.y).length() - thickness
}

/// Distance to a closed polygon in the plane, negative inside.
pub fn polygon(p: Vec2, corners: &[Vec2]) -> f32 {
    let mut squared = f32::INFINITY;
    let mut sign = 1.0;
    for (i, &a) in corners.iter().enumerate() {
        let b = corners[(i + corners.len() - 1) % corners.len()];
        let (edge, from) = (b - a, p - a);
        let nearest = from - edge * (from.dot(edge) / edge.length_squared()).clamp(0.0, 1.0);
        squared = squared.min(nearest.length_squared());
        let side = edge.perp_dot(from) > 0.0;
        let (above, below) = (p.y >= a.y, p.y < b.y);
        if (above && below && side) || (!above && !below && !side) {
            sign = -sign;
        }
    }
    sign * squared.sqrt()
}

/// Distance to an open line of segments in the plane.
pub fn line(p: Vec2, points: &[Vec2]) -> f32 {
    let mut nearest = f32::INFINITY;
    for pair in points.windows(2) {
        let (pa, ba) = (p - pair[0], pair[1] - pair[0]);
        let h = (pa.dot(ba) / ba.length_squared()).clamp(0.0, 1.0);
        nearest = nearest.min((pa - ba * h).length());
    }
    nearest
}

/// Union with a fillet of size `k`.
pub fn join(a: f32, b: f32, k: f32) -> f32 {
    let h = (k - (a - b).abs()).max(0.0);
    a.min(b) - h * h / (4.0 * k)
}

/// `a` without `b`, with the cut's edge rounded by `k`.
pub fn cut(a: f32, b: f32, k: f32) -> f32 {
    -join(-a, b, k)
}

pub fn smoothstep(from: f32, to: f32, x: f32) -> f32 {
    let t = ((x - from) / (to - from)).clamp(0.0, 1.0);
    t * t * (3.0 - 2.0 * t)
}

/// Turns `p` into the sector of the y axis nearest to +x, one of `count`, so that one shape there stands for all.
pub fn around(p: Vec3, count: u32) -> Vec3 {
    let sector = std::f32::consts::TAU / count as f32;
    let angle = p.z.atan2(p.x);
    let turned = angle - (angle / sector).round() * sector;
    let radius = vec2(p.x, p.z).length();
    vec3(radius * turned.cos(), p.y, radius * turned.sin())
}

fn hash(cell: IVec3) -> u32 {
    let mut h = (cell.x as u32).wrapping_mul(0x8da6_b343)
        ^ (cell.y as u32).wrapping_mul(0xd816_3841)
        ^ (cell.z as u32).wrapping_mul(0xcb1a_b31f);
    h = (h ^ h >> 15).wrapping_mul(0x2c1b_3c6d);
    h = (h ^ h >> 12).wrapping_mul(0x297a_2d39);
    h ^ h >> 15
}

/// A fixed pseudo-random number in 0..1 for a counter.
pub fn random(n: i32, salt: i32) -> f32 {
    (hash(IVec3::new(n, salt, 77)) >> 8) as f32 / 16_777_216.0
}

/// Smooth gradient noise in about -1..1, one feature a unit (Perlin, "Improving Noise", 2002).
pub fn noise(p: Vec3) -> f32 {
    let cell = p.floor();
    let f = p - cell;
    let blend = f * f * f * (f * (f * 6.0 - 15.0) + 10.0);
    let cell = cell.as_ivec3();
    let corner = |x: i32, y: i32, z: i32| {
        let d = f - vec3(x as f32, y as f32, z as f32);
        // Twelve edge directions of a cube.
        let h = hash(cell + IVec3::new(x, y, z)) >> 5;
        let (a, b) = match h % 3 {
            0 => (d.x, d.y),
            1 => (d.y, d.z),
            _ => (d.z, d.x),
        };
        (if h & 64 == 0 { a } else { -a }) + (if h & 128 == 0 { b } else { -b })
    };
    let mix = |a: f32, b: f32, t: f32| a + (b - a) * t;
    let row = |y, z| mix(corner(0, y, z), corner(1, y, z), blend.x);
    let plane = |z| mix(row(0, z), row(1, z), blend.y);
    mix(plane(0), plane(1), blend.z)
}

/// Layers of noise, each twice as fine and half as strong; about -1..1.
pub fn layered_noise(p: Vec3, layers: u32) -> f32 {
    let mut sum = 0.0;
    let (mut at, mut strength) = (p, 0.5);
    for _ in 0..layers {
        sum += noise(at) * strength;
        at = at * 2.03 + vec3(17.1, 3.7, 9.2);
        strength *= 0.5;
    }
    sum
}
