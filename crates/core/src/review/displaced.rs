//! The low-poly as a renderer displaces it: subdivided so many times, its vertices moved along their averaged directions by a displacement
//! map.

use crate::picture::{Image, Sampler};
use crate::reach::{Direction, LowSurface};
use crate::sheet::SheetTable;
use crate::surface::MeshPoint;
use glam::{Vec2, Vec3};
use rayon::prelude::*;

/// Triangles that a displaced low-poly may have, at most.
pub const MOST_DISPLACED: usize = 400_000;

/// A low-poly and the displacement map that moves it.
pub struct Displacing<'a> {
    pub low: &'a LowSurface,
    pub table: &'a SheetTable,
    pub sheets: &'a [Image],
    /// Distance from black to white; None where the file holds the heights themselves.
    pub scale: Option<f32>,
    pub sampler: Sampler,
}

/// A displaced low-poly, before it is moved and how far each vertex goes; vertices of each triangle of the low-poly are its own.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct DisplacedMesh {
    pub positions: Vec<Vec3>,
    /// From the place on the low-poly to the displaced one.
    pub ways: Vec<Vec3>,
    /// Where on the low-poly.
    pub places: Vec<MeshPoint>,
    pub triangles: Vec<[u32; 3]>,
}

/// Levels from none on that a low-poly of so many triangles can be subdivided to: each makes four of every triangle.
pub fn displaced_levels(triangles: usize) -> u32 {
    (0..).take_while(|level| triangles.max(1) << (2 * level) <= MOST_DISPLACED).last().unwrap_or(0)
}

impl Displacing<'_> {
    /// How far a place moves along its averaged direction, scene units; 0 where it lies on no sheet.
    pub(super) fn height(&self, at: MeshPoint) -> f32 {
        let height = |(sheet, uv): (usize, Vec2)| {
            let value = self.sheets.get(sheet)?.light(uv, 1.0, self.sampler).x;
            Some(self.scale.map_or(value, |scale| (value - 0.5) * scale))
        };
        self.table.place(&self.low.mesh, at).and_then(height).unwrap_or(0.0)
    }

    fn way(&self, at: MeshPoint) -> Vec3 {
        self.low.point(at, Direction::Averaged).outward * self.height(at)
    }

    /// Where the map moves a place itself.
    pub(super) fn moved(&self, at: MeshPoint) -> Vec3 {
        self.low.mesh.at(at) + self.way(at)
    }

    /// The place of the displaced low-poly that lies over one of the flat low-poly: on the facet between vertices that were moved.
    pub(super) fn on_facet(&self, at: MeshPoint, level: u32) -> Vec3 {
        let across = (1u32 << level) as f32;
        let (v, w) = (at.v * across, at.w * across);
        let (mut i, mut j) = (v.floor(), w.floor());
        // A place on the far edge belongs to the last facet.
        if i + j > across - 1.0 {
            if i > j { i -= 1.0 } else { j -= 1.0 }
        }
        let (own_v, own_w) = (v - i, w - j);
        let moved = |i: f32, j: f32| self.moved(MeshPoint::new(at.triangle, i / across, j / across));
        let (corners, weights) = if own_v + own_w <= 1.0 {
            ([[i, j], [i + 1.0, j], [i, j + 1.0]], [1.0 - own_v - own_w, own_v, own_w])
        } else {
            ([[i + 1.0, j + 1.0], [i, j + 1.0], [i + 1.0, j]], [own_v + own_w - 1.0, 1.0 - own_v, 1.0 - own_w])
        };
        corners.into_iter().zip(weights).map(|([i, j], weight)| moved(i, j) * weight).sum()
    }

    /// The low-poly subdivided so many times: each level makes four of every triangle.
    pub fn mesh(&self, level: u32) -> DisplacedMesh {
        let mesh = &self.low.mesh;
        let across = 1u32 << level;
        let places: Vec<MeshPoint> = (0..mesh.triangles.len() as u32)
            .flat_map(|triangle| {
                let share = move |i: u32| i as f32 / across as f32;
                let row = move |j| (0..=across - j).map(move |i| MeshPoint::new(triangle, share(i), share(j)));
                (0..=across).flat_map(row)
            })
            .collect();
        let of_one = (across + 1) * (across + 2) / 2;
        let facets = (0..mesh.triangles.len() as u32).flat_map(|triangle| {
            (0..across).flat_map(move |j| {
                // Where the row begins, and the next one.
                let start = |j: u32| triangle * of_one + j * (across + 1) - j * j.saturating_sub(1) / 2;
                let (own, next) = (start(j), start(j + 1));
                let upright = (0..across - j).map(move |i| [own + i, own + i + 1, next + i]);
                let hanging = (1..across - j).map(move |i| [own + i, next + i, next + i - 1]);
                upright.chain(hanging)
            })
        });
        DisplacedMesh {
            positions: places.iter().map(|at| mesh.at(*at)).collect(),
            ways: places.par_iter().map(|at| self.way(*at)).collect(),
            triangles: facets.collect(),
            places,
        }
    }
}
