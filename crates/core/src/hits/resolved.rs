//! What a tile's samples hit, resolved once for all maps: a structure of arrays with one entry a sample, each made when a map first
//! asks. Where there is no sculpt it is the low surface itself. Entries of samples that hit nothing mean nothing.

use super::{RayPlan, TileHits};
use crate::trace::Hit;
use glam::Vec3;
use std::cell::OnceCell;

/// The surface under a tile's samples.
pub struct Resolved<'a> {
    plan: &'a RayPlan,
    hits: &'a TileHits,
    points: OnceCell<Vec<Vec3>>,
    normals: OnceCell<Vec<Vec3>>,
    faces: OnceCell<Vec<Vec3>>,
    sides: OnceCell<Vec<f32>>,
}

impl<'a> Resolved<'a> {
    pub fn new(plan: &'a RayPlan, hits: &'a TileHits) -> Resolved<'a> {
        let (points, normals, faces, sides) = Default::default();
        Resolved { plan, hits, points, normals, faces, sides }
    }

    fn column<'s>(&self, cell: &'s OnceCell<Vec<Vec3>>, of: impl Fn(usize, &Hit) -> Vec3) -> &'s [Vec3] {
        let one = |s: usize| self.hits.hit(s).map_or(Vec3::ZERO, |hit| of(s, &hit));
        cell.get_or_init(|| (0..self.hits.samples()).map(one).collect())
    }

    /// Where each hit lies, scene units.
    pub fn points(&self) -> &[Vec3] {
        let high = &self.plan.scene.high;
        self.column(&self.points, |_, hit| high.at(hit.at))
    }

    /// Unit shading normals, turned towards the ray on a kept back face.
    pub fn normals(&self) -> &[Vec3] {
        self.column(&self.normals, |s, _| self.hits.normal(&self.plan.scene, s).unwrap_or_default())
    }

    /// Unit normals of the faces that were hit, turned towards the ray on a kept back face.
    pub fn faces(&self) -> &[Vec3] {
        let high = &self.plan.scene.high;
        let face = |hit: &Hit| high.face_normal(hit.at.triangle);
        self.column(&self.faces, |_, hit| if hit.back { -face(hit) } else { face(hit) })
    }

    /// Side of the square of surface that each sample stands for, scene units.
    pub fn sides(&self) -> &[f32] {
        let per_unit = self.plan.size as f32 * (self.plan.samples as f32).sqrt();
        let mut last = (u32::MAX, 0.0);
        self.sides.get_or_init(|| {
            let mut side = |s: usize| {
                let triangle = self.hits.low(s).triangle;
                if last.0 != triangle {
                    last = (triangle, self.plan.side_of_uv_unit(triangle) / per_unit);
                }
                last.1
            };
            (0..self.hits.samples()).map(&mut side).collect()
        })
    }
}
