//! Reaches and directions at any point of the low surface, as one bake uses them: what was fitted or typed, with what was painted.

use super::fit::{Fit, FitReport, SuggestedReach};
use super::grid::SurfaceGrid;
use super::points::ReachPoints;
use super::strokes::{Painted, paint};
use super::{Direction, LowSurface, ReachRules, SurfacePoint};
use crate::mesh::Mesh;
use crate::surface::{Distance, MeshPoint};
use crate::trace::TraceScene;
use glam::Vec3;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// The reaches a bake used, in scene units.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct ResolvedReach {
    /// The longest of each.
    pub out: f32,
    #[serde(rename = "in")]
    pub inward: f32,
    /// One pair of numbers for the whole asset, for comparison. Present when anything was fitted.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub suggested: Option<SuggestedReach>,
    /// How well the fit did. Present when anything was fitted.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub fit: Option<FitReport>,
    /// Strokes that changed nothing, because they touch no vertex.
    #[serde(default)]
    pub idle_strokes: u32,
}

/// Reaches by triangle corner, and where rays are plumb.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct ReachField {
    pub out: Vec<[f32; 3]>,
    pub inward: Vec<[f32; 3]>,
    pub plumb: SurfaceGrid,
    /// Where rays start above each corner, when there is a cage.
    pub cage: Option<Vec<[Vec3; 3]>>,
    pub summary: ResolvedReach,
}

impl ReachField {
    /// No reach at all: the low-poly is its own surface.
    pub fn none(low: &LowSurface) -> ReachField {
        let zeros = vec![[0.0; 3]; low.mesh.triangles.len()];
        ReachField { out: zeros.clone(), inward: zeros, ..ReachField::default() }
    }

    /// Fitted reaches where the rules say so, else typed ones, then what was painted. The low-poly's tree is asked for only when
    /// something was.
    pub fn new<'a>(
        rules: ReachRules,
        low: &LowSurface,
        low_trace: impl FnOnce() -> &'a TraceScene,
        points: &ReachPoints,
        fit: Option<&Fit>,
    ) -> ReachField {
        let mut out = vec![0.0f32; points.count];
        let mut inward = vec![0.0f32; points.count];
        for part in &low.mesh.parts {
            let (set_out, set_in) = rules.reach.of_part(&part.name);
            for t in part.triangles.clone() {
                for p in points.of[t as usize].map(|p| p as usize) {
                    out[p] = pick(set_out, fit.map(|f| f.out[p]));
                    inward[p] = pick(set_in, fit.map(|f| f.inward[p]));
                }
            }
        }
        let base = if rules.direction == Direction::Plumb { 1.0 } else { 0.0 };
        let mut plumb = SurfaceGrid::new(base);
        let mut idle_strokes = 0;
        if !rules.reach.strokes.is_empty() {
            let (fitted_out, fitted_in) = (out.clone(), inward.clone());
            let mut sides = (
                Painted { values: &mut out, fitted: &fitted_out },
                Painted { values: &mut inward, fitted: &fitted_in },
            );
            let painted = (&mut sides.0, &mut sides.1);
            idle_strokes = paint(&rules.reach.strokes, low, low_trace(), points, painted, &mut plumb);
        }
        let longest = |values: &[f32]| values.iter().copied().fold(0.0, f32::max);
        let summary = ResolvedReach {
            out: longest(&out),
            inward: longest(&inward),
            suggested: fit.map(|f| f.uniform),
            fit: fit.map(|f| f.report),
            idle_strokes,
        };
        let (out, inward) = (points.spread(&out), points.spread(&inward));
        let cage = low.cage.as_ref().map(|cage| {
            // A corner that the cage has no point for keeps the envelope's.
            let corner = |t: usize, c: usize| {
                let v = low.mesh.triangles[t][c] as usize;
                cage.corners[t][c].unwrap_or(low.mesh.positions[v] + low.directions()[v] * out[t][c])
            };
            (0..out.len()).map(|t| [corner(t, 0), corner(t, 1), corner(t, 2)]).collect()
        });
        ReachField { out, inward, plumb, cage, summary }
    }

    /// Reach out and reach in at a place of a triangle.
    pub fn at(&self, at: MeshPoint) -> (f32, f32) {
        (at.between(self.out[at.triangle as usize]), at.between(self.inward[at.triangle as usize]))
    }

    /// The ray over a place of a triangle.
    pub fn course(&self, low: &LowSurface, at: MeshPoint) -> Course {
        let (out, inward) = self.at(at);
        let SurfacePoint { position, outward } = low.turned_point(at, self.plumb.at(at));
        let Some(cage) = &self.cage else { return Course { position, outward, run_up: out, inward } };
        let start = at.between(cage[at.triangle as usize]);
        match (start - position).try_normalize() {
            Some(outward) => Course { position, outward, run_up: start.distance(position), inward },
            // A cage point on the surface itself leaves the direction to the averaged one.
            None => Course { position, outward, run_up: 0.0, inward },
        }
    }

    /// The rays over many places, such as those of a tile, of which most lie on the triangle of the one before.
    pub fn courses(&self, low: &LowSurface, places: &[MeshPoint]) -> Vec<Course> {
        if self.cage.is_some() || !self.plumb.is_zero() {
            return places.iter().map(|&at| self.course(low, at)).collect();
        }
        let mut last = None;
        let mut corners = Corners::default();
        let one = |&at: &MeshPoint| {
            if last.replace(at.triangle) != Some(at.triangle) {
                corners = self.corners(low, at.triangle);
            }
            corners.averaged(low, at)
        };
        places.iter().map(one).collect()
    }

    fn corners(&self, low: &LowSurface, triangle: u32) -> Corners {
        let t = triangle as usize;
        Corners {
            positions: low.mesh.corners(triangle),
            directions: low.mesh.triangles[t].map(|v| low.directions()[v as usize]),
            out: self.out[t],
            inward: self.inward[t],
        }
    }

    /// The same along the averaged direction, without a cage.
    pub fn averaged_course(&self, low: &LowSurface, at: MeshPoint) -> Course {
        self.corners(low, at.triangle).averaged(low, at)
    }

    /// The low-poly with its points moved to where rays start: a cage for work elsewhere. Vertices that parts share stand as the last
    /// of them has it.
    pub fn cage_mesh(&self, low: &LowSurface) -> Mesh {
        let mut mesh = low.mesh.clone();
        for (t, corners) in low.mesh.triangles.iter().enumerate() {
            for (c, &v) in corners.iter().enumerate() {
                mesh.positions[v as usize] = match &self.cage {
                    Some(cage) => cage[t][c],
                    None => low.mesh.positions[v as usize] + low.directions()[v as usize] * self.out[t][c],
                };
            }
        }
        mesh
    }

    /// Whether the ray over a place of a triangle runs along the averaged direction.
    pub fn is_averaged(&self, at: MeshPoint) -> bool {
        self.cage.is_none() && self.plumb.at(at) == 0.0
    }

    /// Whether all rays do.
    pub fn all_averaged(&self) -> bool {
        self.cage.is_none() && self.plumb.is_zero()
    }
}

/// What averaged rays over a triangle follow from.
#[derive(Default)]
struct Corners {
    positions: [Vec3; 3],
    directions: [Vec3; 3],
    out: [f32; 3],
    inward: [f32; 3],
}

impl Corners {
    #[inline]
    fn averaged(&self, low: &LowSurface, at: MeshPoint) -> Course {
        let averaged = at.between(self.directions).try_normalize();
        Course {
            position: at.between(self.positions),
            outward: averaged.unwrap_or_else(|| low.mesh.face_normal(at.triangle)),
            run_up: at.between(self.out),
            inward: at.between(self.inward),
        }
    }
}

/// Where a ray starts and how it runs: from `position + outward * run_up`, along `-outward`, for `run_up + inward`.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Course {
    /// On the low surface.
    pub position: Vec3,
    /// Unit vector.
    pub outward: Vec3,
    /// Scene units.
    pub run_up: f32,
    pub inward: f32,
}

fn pick(set: Distance, fitted: Option<f32>) -> f32 {
    match set {
        Distance::Units(units) => units,
        Distance::Auto => fitted.unwrap_or_default(),
    }
}
