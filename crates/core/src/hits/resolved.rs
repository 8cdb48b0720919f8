//! What a tile's samples hit, resolved once for all maps: a structure of arrays with one entry a sample, each made when a map first
//! asks. Where there is no sculpt it is the low surface itself. Entries of samples that hit nothing mean nothing.

use super::{RayPlan, TileHits};
use crate::mesh::{Laid, MaterialLook};
use crate::picture::srgb_byte_to_linear;
use crate::surface::MeshPoint;
use crate::trace::Hit;
use glam::{Vec3, Vec4};
use std::cell::OnceCell;

/// The surface under a tile's samples.
pub struct Resolved<'a> {
    plan: &'a RayPlan,
    hits: &'a TileHits,
    points: OnceCell<Vec<Vec3>>,
    normals: OnceCell<Vec<Vec3>>,
    faces: OnceCell<Vec<Vec3>>,
    colors: OnceCell<Vec<Vec3>>,
    sides: OnceCell<Vec<f32>>,
}

impl<'a> Resolved<'a> {
    pub fn new(plan: &'a RayPlan, hits: &'a TileHits) -> Resolved<'a> {
        let (points, normals, faces, colors, sides) = Default::default();
        Resolved { plan, hits, points, normals, faces, colors, sides }
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

    /// Vertex colours between the corners that were hit, linear light; black on a sculpt without any.
    pub fn colors(&self) -> &[Vec3] {
        let high = &self.plan.scene.high;
        let light = |v: u32| high.colors.get(v as usize).map_or(Vec3::ZERO, |c| c.map(srgb_byte_to_linear).into());
        self.column(&self.colors, |_, hit| hit.at.between(high.triangles[hit.at.triangle as usize].map(light)))
    }

    /// Whether the sculpt has vertex colours.
    pub fn has_colors(&self) -> bool {
        !self.plan.scene.high.colors.is_empty()
    }

    /// What sample `s` hit.
    pub fn place(&self, s: usize) -> Option<MeshPoint> {
        self.hits.hit(s).map(|hit| hit.at)
    }

    /// The look of the material at sample `s`.
    pub fn look(&self, s: usize) -> Option<&'a MaterialLook> {
        self.plan.scene.high.look_of(self.place(s)?.triangle)
    }

    /// A picture at sample `s`, averaged over the square of surface that the sample stands for: linear light and alpha.
    pub fn light(&self, s: usize, picture: &Laid) -> Option<Vec4> {
        picture.at(&self.plan.scene.high, self.place(s)?, self.sides()[s])
    }

    /// The sculpt's vertex whose corner sample `s` hit nearest to.
    pub fn vertex(&self, s: usize) -> Option<u32> {
        let MeshPoint { triangle, v, w } = self.place(s)?;
        let u = 1.0 - v - w;
        let corner = match (u >= v && u >= w, v >= w) {
            (true, _) => 0,
            (false, true) => 1,
            (false, false) => 2,
        };
        Some(self.plan.scene.high.triangles[triangle as usize][corner])
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
