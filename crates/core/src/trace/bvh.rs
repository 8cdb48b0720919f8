//! The high-poly mesh made ready for rays: an eight-wide compressed tree (built by `obvhs`), with triangle corners laid
//! out in leaf order so that a leaf reads one stretch of memory. Which parts a ray may hit is a mask on the ray, so one
//! tree serves every pair.

use super::triangle::ShearedRay;
use crate::mesh::Mesh;
use glam::{UVec2, Vec3, Vec3A};
use obvhs::aabb::Aabb;
use obvhs::cwbvh::CwBvh;
use obvhs::cwbvh::builder::build_cwbvh;
use obvhs::ray::Ray;
use obvhs::{BvhBuildParams, traverse};
use std::time::Duration;

/// What rays do with triangles that look away from them.
#[derive(Clone, Copy, Debug, PartialEq, Eq, serde::Serialize, serde::Deserialize, ts_rs::TS)]
#[serde(rename_all = "kebab-case")]
pub enum BackFaces {
    Skip,
    Keep,
}

/// A piece of a ray: `origin + t * direction` for `0 <= t <= length`. `direction` is a unit vector.
#[derive(Clone, Copy, Debug)]
pub struct RaySpan {
    pub origin: Vec3,
    pub direction: Vec3,
    pub length: f32,
}

/// Where a ray met the mesh.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Hit {
    /// Triangle number in the mesh.
    pub triangle: u32,
    /// Barycentric weights of the second and third corner; the first has `1 - v - w`.
    pub v: f32,
    pub w: f32,
    /// Distance from the ray's origin in scene units.
    pub t: f32,
    pub back: bool,
}

/// A closest-hit answer.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct TraceAnswer {
    pub hit: Option<Hit>,
    /// A back face was skipped in front of the hit, or with no hit at all.
    pub skipped_back: bool,
}

/// The tree's box test drops what lies within an absolute 0.0001 of a ray's start. Meshes are scaled, by a power of two and so
/// exactly, to about this size inside the tree, and box tests start a little behind the ray; then nothing is dropped at any
/// scale.
const INNER_SIZE: f32 = 1024.0;
/// How far behind the ray box tests start, in the tree's units.
const BACK_OFF: f32 = 0.001;

/// A mesh that can be traced.
pub struct TraceScene {
    /// From scene units to the tree's.
    scale: f32,
    tree: CwBvh,
    /// Nine floats a triangle, in leaf order.
    corners: Vec<[f32; 9]>,
    /// Part and mesh triangle of each entry of `corners`.
    parts: Vec<u16>,
    triangles: Vec<u32>,
}

impl TraceScene {
    /// Builds the tree over all triangles of `mesh`. Triangles without area are left out: no ray can meet them.
    pub fn new(mesh: &Mesh) -> TraceScene {
        let part_of = mesh.triangle_parts();
        let solid: Vec<u32> = (0..mesh.triangles.len() as u32).filter(|&t| mesh.area_normal(t) != Vec3::ZERO).collect();
        // Box tests round: by parts in ten million of the coordinates, and along an axis that a ray hardly moves on by what the
        // tree's clamped reciprocal takes off. Boxes are padded by more than both, so that no box that holds a hit is left
        // out and the watertight triangle test has the last word.
        let (low, high) = mesh.bounds();
        let largest = low.abs().max(high.abs()).max_element() + (high - low).length();
        let scale = if largest > 0.0 { (INNER_SIZE / largest).log2().floor().clamp(-100.0, 100.0).exp2() } else { 1.0 };
        let pad = Vec3A::splat(4e-6 * largest * scale);
        let boxes: Vec<Aabb> = solid
            .iter()
            .map(|&t| {
                let [a, b, c] = mesh.corners(t).map(|p| Vec3A::from(p * scale));
                Aabb::new(a.min(b).min(c) - pad, a.max(b).max(c) + pad)
            })
            .collect();
        let tree = if boxes.is_empty() {
            CwBvh::default()
        } else {
            build_cwbvh(&boxes, BvhBuildParams::fast_build(), &mut Duration::default())
        };
        let triangles: Vec<u32> = tree.primitive_indices.iter().map(|&p| solid[p as usize]).collect();
        let corners = triangles
            .iter()
            .map(|&t| {
                let [a, b, c] = mesh.corners(t).map(|p| p * scale);
                [a.x, a.y, a.z, b.x, b.y, b.z, c.x, c.y, c.z]
            })
            .collect();
        let parts = triangles.iter().map(|&t| part_of[t as usize]).collect();
        TraceScene { scale, tree, corners, parts, triangles }
    }

    /// Bytes held by the tree and its triangles.
    pub fn bytes(&self) -> usize {
        self.tree.nodes.len() * 80 + self.corners.len() * (36 + 2 + 4 + 4)
    }

    /// The closest hit along `span` among the parts that `allowed` (one entry a part) lets through.
    pub fn closest(&self, span: &RaySpan, allowed: &[bool], back_faces: BackFaces) -> TraceAnswer {
        self.walk(span, allowed, back_faces == BackFaces::Skip, true)
    }

    /// The same, for one who looks back along the span from its far end: a triangle that faces the span's direction is a
    /// front face here.
    pub fn closest_seen_from_ahead(&self, span: &RaySpan, allowed: &[bool], back_faces: BackFaces) -> TraceAnswer {
        self.walk(span, allowed, back_faces == BackFaces::Skip, false)
    }

    fn walk(&self, span: &RaySpan, allowed: &[bool], skip_back: bool, looks_along: bool) -> TraceAnswer {
        if self.tree.nodes.is_empty() || span.length.is_nan() || span.length <= 0.0 {
            return TraceAnswer::default();
        }
        // Adding zero turns -0 into +0: the tree's octant test reads -0 as positive and its reciprocal as negative.
        let (origin, direction) = (Vec3A::from(span.origin * self.scale), Vec3A::from(span.direction) + Vec3A::ZERO);
        let length = span.length * self.scale;
        let sheared = ShearedRay::new(origin, direction);
        let mut ray = Ray::new(origin - direction * BACK_OFF, direction, 0.0, length + BACK_OFF);
        let mut reach = length;
        let mut best: Option<Hit> = None;
        let mut nearest_back = f32::INFINITY;
        let mut state = self.tree.new_traversal(direction);
        let mut node;
        traverse!(self.tree, node, state, node.intersect_ray(&ray, state.oct_inv4), {
            let at = state.primitive_id as usize;
            if allowed[self.parts[at] as usize]
                && let Some(found) = sheared.test(&self.corners[at])
                && found.t >= 0.0
                && found.t <= reach
            {
                if skip_back && found.back == looks_along {
                    nearest_back = nearest_back.min(found.t);
                } else if best.is_none_or(|b| {
                    // Equal distances go to the lower triangle number, whatever the order of visits.
                    found.t < b.t || (found.t == b.t && self.triangles[at] < b.triangle)
                }) {
                    reach = found.t;
                    ray.tmax = found.t + BACK_OFF;
                    best = Some(Hit {
                        triangle: self.triangles[at],
                        v: found.v,
                        w: found.w,
                        t: found.t,
                        back: found.back == looks_along,
                    });
                }
            }
        });
        let reached = best.map_or(f32::INFINITY, |b| b.t);
        let hit = best.map(|b| Hit { t: b.t / self.scale, ..b });
        TraceAnswer { hit, skipped_back: nearest_back < reached && nearest_back.is_finite() }
    }
}
