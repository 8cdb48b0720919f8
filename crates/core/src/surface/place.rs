//! A place on a mesh, and what lies there.

use glam::Vec3;
use serde::{Deserialize, Serialize};
use std::ops::{Add, Mul, Sub};

/// A place on a mesh: a triangle by number, and barycentric weights of its second and third corner; the first has `1 - v - w`.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct MeshPoint {
    pub triangle: u32,
    pub v: f32,
    pub w: f32,
}

impl MeshPoint {
    #[inline]
    pub fn new(triangle: u32, v: f32, w: f32) -> MeshPoint {
        MeshPoint { triangle, v, w }
    }

    /// The value here of something that runs straight between the triangle's corners.
    #[inline]
    pub fn between<T>(self, [a, b, c]: [T; 3]) -> T
    where
        T: Copy + Add<Output = T> + Sub<Output = T> + Mul<f32, Output = T>,
    {
        // Differences, not three weights: exact on a triangle whose corners agree.
        a + (b - a) * self.v + (c - a) * self.w
    }
}

/// Barycentric weights (of b and c) of the point of triangle a, b, c nearest to `p` (Ericson, "Real-Time Collision Detection",
/// 2005, section 5.1.5).
pub fn nearest_on_triangle(p: Vec3, [a, b, c]: [Vec3; 3]) -> (f32, f32) {
    let (ab, ac, ap) = (b - a, c - a, p - a);
    let (d1, d2) = (ab.dot(ap), ac.dot(ap));
    if d1 <= 0.0 && d2 <= 0.0 {
        return (0.0, 0.0);
    }
    let bp = p - b;
    let (d3, d4) = (ab.dot(bp), ac.dot(bp));
    if d3 >= 0.0 && d4 <= d3 {
        return (1.0, 0.0);
    }
    let vc = d1 * d4 - d3 * d2;
    if vc <= 0.0 && d1 >= 0.0 && d3 <= 0.0 {
        return (d1 / (d1 - d3), 0.0);
    }
    let cp = p - c;
    let (d5, d6) = (ab.dot(cp), ac.dot(cp));
    if d6 >= 0.0 && d5 <= d6 {
        return (0.0, 1.0);
    }
    let vb = d5 * d2 - d1 * d6;
    if vb <= 0.0 && d2 >= 0.0 && d6 <= 0.0 {
        return (0.0, d2 / (d2 - d6));
    }
    let va = d3 * d6 - d5 * d4;
    if va <= 0.0 && d4 - d3 >= 0.0 && d5 - d6 >= 0.0 {
        let w = (d4 - d3) / ((d4 - d3) + (d5 - d6));
        return (1.0 - w, w);
    }
    let whole = va + vb + vc;
    if whole > 0.0 { (vb / whole, vc / whole) } else { (0.0, 0.0) }
}
