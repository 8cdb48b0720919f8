//! The point of a mesh nearest to a point in space, found by a walk down the same tree that rays use. It knows nothing of
//! facing: who wants a side asks the triangle.

use super::tree::{Child, TraceScene};
use glam::Vec3;

/// The nearest point of a mesh.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Nearest {
    /// Triangle number in the mesh.
    pub triangle: u32,
    /// Barycentric weights of the second and third corner.
    pub v: f32,
    pub w: f32,
    /// Scene units.
    pub distance: f32,
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

/// Squared distance from a point to a child's box; infinite to nothing.
fn to_box(p: Vec3, child: &Child) -> f32 {
    let (low, high) = (Vec3::from(child.low), Vec3::from(child.high));
    if low.x == f32::INFINITY {
        return f32::INFINITY;
    }
    p.distance_squared(p.clamp(low, high))
}

impl TraceScene {
    /// The nearest point no further than `most` (scene units) among the triangles that `wanted` takes. Of equally near ones
    /// that of the lower number.
    pub fn nearest(&self, point: Vec3, most: f32, wanted: impl Fn(u32) -> bool) -> Option<Nearest> {
        let p = point * self.scale;
        let mut limit = (most * self.scale).powi(2);
        let mut best: Option<Nearest> = None;
        let mut open: Vec<(f32, u32)> = Vec::new();
        if !self.nodes.is_empty() {
            open.push((0.0, 0));
        }
        while let Some((near, node)) = open.pop() {
            if near > limit {
                continue;
            }
            let mut inner: [Option<(f32, u32)>; 2] = [None; 2];
            for (slot, child) in inner.iter_mut().zip(&self.nodes[node as usize].0) {
                let distance = to_box(p, child);
                if distance > limit {
                    continue;
                }
                if child.count == 0 {
                    *slot = Some((distance, child.first));
                    continue;
                }
                let leaf = &self.leaves[child.first as usize];
                for i in 0..child.count as usize {
                    let triangle = leaf.triangle[i];
                    let corner = |c: usize| Vec3::from(std::array::from_fn(|axis| leaf.at[c][axis].0[i]));
                    let corners = [corner(0), corner(1), corner(2)];
                    let (v, w) = nearest_on_triangle(p, corners);
                    let [a, b, c] = corners;
                    let d = p.distance_squared(a + (b - a) * v + (c - a) * w);
                    let nearer = d < limit || (d == limit && best.is_none_or(|b| triangle < b.triangle));
                    if nearer && wanted(triangle) {
                        limit = d;
                        best = Some(Nearest { triangle, v, w, distance: d.sqrt() / self.scale });
                    }
                }
            }
            // The nearer child is looked into first: it is pushed last.
            inner.sort_by(|a, b| b.map_or(f32::INFINITY, |c| c.0).total_cmp(&a.map_or(f32::INFINITY, |c| c.0)));
            open.extend(inner.into_iter().flatten());
        }
        best
    }
}
