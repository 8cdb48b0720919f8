//! The point of a mesh nearest to a point in space, found by a walk down the same tree that rays use. It knows nothing of
//! facing: who wants a side asks the triangle.

use super::tree::{Child, TraceScene};
use crate::surface::{MeshPoint, nearest_on_triangle};
use glam::Vec3;

/// The nearest point of a mesh.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct NearestPoint {
    pub at: MeshPoint,
    /// Scene units.
    pub distance: f32,
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
    pub fn nearest(&self, point: Vec3, most: f32, wanted: impl Fn(u32) -> bool) -> Option<NearestPoint> {
        let tree = self.tree();
        let p = point * self.scale;
        let mut limit = (most * self.scale).powi(2);
        let mut best: Option<NearestPoint> = None;
        let mut open: Vec<(f32, u32)> = Vec::new();
        if !tree.nodes.is_empty() {
            open.push((0.0, 0));
        }
        while let Some((near, node)) = open.pop() {
            if near > limit {
                continue;
            }
            let mut inner: [Option<(f32, u32)>; 2] = [None; 2];
            for (slot, child) in inner.iter_mut().zip(&tree.nodes[node as usize].0) {
                let distance = to_box(p, child);
                if distance > limit {
                    continue;
                }
                if child.count == 0 {
                    *slot = Some((distance, child.first));
                    continue;
                }
                let leaf = &tree.leaves[child.first as usize];
                for i in 0..child.count as usize {
                    let triangle = leaf.triangle[i];
                    let corner = |c: usize| Vec3::from(std::array::from_fn(|axis| leaf.at[c][axis].0[i]));
                    let corners = [corner(0), corner(1), corner(2)];
                    let (v, w) = nearest_on_triangle(p, corners);
                    let at = MeshPoint::new(triangle, v, w);
                    let d = p.distance_squared(at.between(corners));
                    let nearer = d < limit || (d == limit && best.is_none_or(|b| triangle < b.at.triangle));
                    if nearer && wanted(triangle) {
                        limit = d;
                        best = Some(NearestPoint { at, distance: d.sqrt() / self.scale });
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
