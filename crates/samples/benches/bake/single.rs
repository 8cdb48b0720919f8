//! Single rays to measure packets against: the tree library's own traversal of its eight-wide compressed tree, with the
//! watertight test of Woop, Benthin and Wald one triangle and one ray at a time, part masks and the back-face rule: what a
//! bake needs of a ray, without packets.

use ember_ridge_core::Mesh;
use ember_ridge_core::glam::{UVec2, Vec3A};
use ember_ridge_core::trace::RaySpan;
use obvhs::BvhBuildParams;
use obvhs::aabb::Aabb;
use obvhs::cwbvh::CwBvh;
use obvhs::cwbvh::builder::build_cwbvh;
use obvhs::ray::Ray;
use obvhs::traverse;
use std::time::Duration;

pub struct SingleRays {
    tree: CwBvh,
    corners: Vec<[f32; 9]>,
    parts: Vec<u32>,
}

impl SingleRays {
    pub fn new(mesh: &Mesh) -> SingleRays {
        let boxes: Vec<Aabb> = (0..mesh.triangles.len() as u32)
            .map(|t| {
                let [a, b, c] = mesh.corners(t).map(Vec3A::from);
                Aabb::new(a.min(b).min(c), a.max(b).max(c))
            })
            .collect();
        let tree = build_cwbvh(&boxes, BvhBuildParams::fast_build(), &mut Duration::default());
        let part_of = mesh.triangle_parts();
        let corners = tree.primitive_indices.iter().map(|&t| {
            let [a, b, c] = mesh.corners(t);
            [a.x, a.y, a.z, b.x, b.y, b.z, c.x, c.y, c.z]
        });
        let parts = tree.primitive_indices.iter().map(|&t| part_of[t as usize]).collect();
        SingleRays { corners: corners.collect(), parts, tree }
    }

    /// Distance to the closest hit.
    pub fn closest(&self, span: &RaySpan, allowed: &[bool], skip_back: bool) -> Option<f32> {
        self.walk(span, allowed, skip_back, false)
    }

    pub fn occluded(&self, span: &RaySpan, allowed: &[bool]) -> bool {
        self.walk(span, allowed, false, true).is_some()
    }

    #[inline(always)]
    fn walk(&self, span: &RaySpan, allowed: &[bool], skip_back: bool, any: bool) -> Option<f32> {
        let (origin, direction) = (Vec3A::from(span.origin), Vec3A::from(span.direction) + Vec3A::ZERO);
        let sheared = ShearedRay::new(origin, direction);
        let mut ray = Ray::new(origin, direction, 0.0, span.length);
        let mut best = None;
        let mut state = self.tree.new_traversal(direction);
        let mut node;
        traverse!(self.tree, node, state, node.intersect_ray(&ray, state.oct_inv4), {
            let at = state.primitive_id as usize;
            if allowed[self.parts[at] as usize]
                && let Some((t, back)) = sheared.test(&self.corners[at])
                && t >= 0.0
                && t <= ray.tmax
                && !(skip_back && back)
            {
                ray.tmax = t;
                best = Some(t);
                if any {
                    return best;
                }
            }
        });
        best
    }
}

/// A ray made ready for many triangle tests: the axis it runs along most, and the shear that lays it on that axis.
struct ShearedRay {
    origin: [f32; 3],
    axes: [usize; 3],
    shear: [f32; 3],
}

impl ShearedRay {
    fn new(origin: Vec3A, direction: Vec3A) -> Self {
        let d = direction.to_array();
        let along = (0..3).max_by(|&a, &b| d[a].abs().total_cmp(&d[b].abs())).unwrap_or(2);
        let (mut kx, mut ky) = ((along + 1) % 3, (along + 2) % 3);
        // Swapping keeps the winding of projected triangles when the ray runs down the axis.
        if d[along] < 0.0 {
            std::mem::swap(&mut kx, &mut ky);
        }
        ShearedRay {
            origin: origin.to_array(),
            axes: [kx, ky, along],
            shear: [d[kx] / d[along], d[ky] / d[along], 1.0 / d[along]],
        }
    }

    /// Distance, and whether the back was met.
    #[inline(always)]
    fn test(&self, corners: &[f32; 9]) -> Option<(f32, bool)> {
        let [kx, ky, kz] = self.axes;
        let [sx, sy, sz] = self.shear;
        let at = |corner: usize, axis: usize| corners[corner * 3 + axis] - self.origin[axis];
        let (az, bz, cz) = (at(0, kz), at(1, kz), at(2, kz));
        let (ax, ay) = (at(0, kx) - sx * az, at(0, ky) - sy * az);
        let (bx, by) = (at(1, kx) - sx * bz, at(1, ky) - sy * bz);
        let (cx, cy) = (at(2, kx) - sx * cz, at(2, ky) - sy * cz);
        let mut u = cx * by - cy * bx;
        let mut v = ax * cy - ay * cx;
        let mut w = bx * ay - by * ax;
        // On an edge exactly: decide in double precision, as the paper does.
        if u == 0.0 || v == 0.0 || w == 0.0 {
            let cross = |px: f32, qy: f32, py: f32, qx: f32| {
                (f64::from(px) * f64::from(qy) - f64::from(py) * f64::from(qx)) as f32
            };
            u = cross(cx, by, cy, bx);
            v = cross(ax, cy, ay, cx);
            w = cross(bx, ay, by, ax);
        }
        if (u < 0.0 || v < 0.0 || w < 0.0) && (u > 0.0 || v > 0.0 || w > 0.0) {
            return None;
        }
        let det = u + v + w;
        if det == 0.0 {
            return None;
        }
        let inverse = 1.0 / det;
        let t = (u * (sz * az) + v * (sz * bz) + w * (sz * cz)) * inverse;
        Some((t, det < 0.0))
    }
}
