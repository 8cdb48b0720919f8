//! What finishes stand above the surface at single places: the height there, and how it bends the normal. Maps measure both over a sheet's
//! texels; this is for what is asked at places of its own.

use super::Setup;
use super::finished::{Finishes, bent_by, gradient, rise};
use super::survey::Survey;
use super::texel_steps;
use crate::mesh::Mesh;
use crate::reach::Direction;
use crate::surface::MeshPoint;
use glam::{Vec2, Vec3, vec2};
use std::sync::Arc;

/// What finishes add at a place of the low surface.
#[derive(Clone, Copy, Debug)]
pub struct Standing {
    /// Along the averaged direction, scene units; NaN where no ray meets the sculpt.
    pub height: f32,
    /// Its gradient along the low surface, over a texel of the sheet.
    slope: Vec3,
    /// The averaged direction.
    up: Vec3,
}

impl Standing {
    /// A normal of the sculpt there, bent as a normal map's is.
    pub fn bent(&self, normal: Vec3) -> Vec3 {
        bent_by(normal, self.up, self.slope)
    }
}

/// The finishes of a recipe that stand above or below the surface, to be asked at places; none where they all lie flat.
pub struct StandingFinishes(Arc<Finishes>);

impl StandingFinishes {
    pub fn of(setup: &Setup) -> Option<StandingFinishes> {
        setup.relief().map(StandingFinishes)
    }

    /// The height at each of these places, along the averaged direction, scene units; NaN where no ray meets the sculpt.
    pub fn heights(&self, setup: &Setup, places: &[MeshPoint]) -> Vec<f32> {
        Survey::at(setup.rays, places).heights(&self.0, setup)
    }

    /// What stands at each place of a survey.
    pub fn at(&self, setup: &Setup, survey: &Survey) -> Vec<Standing> {
        let low = &setup.scene.low;
        let places: Vec<MeshPoint> = survey.places().collect();
        let sides: Vec<[Side; 4]> = places.iter().map(|at| sides(&low.mesh, *at, setup.size)).collect();
        let here = survey.heights(&self.0, setup);
        let around = [0, 1, 2, 3].map(|way| {
            let beside: Vec<MeshPoint> = sides.iter().map(|sides| sides[way].at).collect();
            self.heights(setup, &beside)
        });
        let standing = |(number, at): (usize, MeshPoint)| {
            let height = here[number];
            // As much as it would rise over a whole texel; there is nothing to tell where the triangle ends at once, or no ray hits.
            let [before, after, above, below] = [0, 1, 2, 3].map(|way| {
                let share = sides[number][way].share;
                let beside = around[way][number];
                let known = share >= LEAST_SHARE && beside.is_finite() && height.is_finite();
                known.then(|| height + (beside - height) / share)
            });
            let steps = texel_steps(&low.mesh, at.triangle, setup.size, setup.size);
            let slope = steps.map_or(Vec3::ZERO, |[right, down]| {
                gradient([right.as_vec3(), down.as_vec3()], [rise(before, height, after), rise(above, height, below)])
            });
            Standing { height, slope, up: low.point(at, Direction::Averaged).outward }
        };
        places.into_iter().enumerate().map(standing).collect()
    }
}

/// A step shorter than this share of a texel says nothing of a slope.
const LEAST_SHARE: f32 = 1e-2;

/// A place beside another, in the same triangle.
#[derive(Clone, Copy)]
struct Side {
    at: MeshPoint,
    /// How much of a texel it is away.
    share: f32,
}

/// The places a texel to the left, right, above and below, or as far as the triangle goes.
fn sides(mesh: &Mesh, at: MeshPoint, size: u32) -> [Side; 4] {
    let [a, b, c] = mesh.corner_uvs(at.triangle);
    let (e, f) = (b - a, c - a);
    let area = e.perp_dot(f);
    let texel = 1.0 / size as f32;
    [vec2(-texel, 0.0), vec2(texel, 0.0), vec2(0.0, texel), vec2(0.0, -texel)].map(|step| {
        if area == 0.0 {
            return Side { at, share: 0.0 };
        }
        // The step in the triangle's own coordinates (Cramer), and how much of it stays inside.
        let way = vec2(step.perp_dot(f), e.perp_dot(step)) / area;
        let share = within(vec2(at.v, at.w), way);
        Side { at: MeshPoint::new(at.triangle, at.v + way.x * share, at.w + way.y * share), share }
    })
}

/// The share of a way that stays within v >= 0, w >= 0, v + w <= 1; at most 1.
fn within(from: Vec2, way: Vec2) -> f32 {
    let room = [(from.x, way.x), (from.y, way.y), (1.0 - from.x - from.y, -way.x - way.y)];
    let shares = room.into_iter().filter(|(_, by)| *by < 0.0).map(|(room, by)| (room / -by).max(0.0));
    shares.fold(1.0, f32::min)
}
