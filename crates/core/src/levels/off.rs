//! How far a low-poly is off from its sculpt, over all and by face.

use crate::mesh::Mesh;
use crate::surface::Difference;
use crate::trace::TraceScene;
use glam::Vec3;
use rayon::prelude::*;

/// Points of the sculpt that it is measured at, at most.
const MEASURED: usize = 200_000;

/// How far a sculpt lies from a low-poly, scene units.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Off {
    pub difference: Difference,
    /// Of each face of the low-poly, the furthest of the sculpt's points that lie nearest to it; 0 where none do.
    pub faces: Vec<f32>,
}

impl Off {
    /// Measured from the sculpt's points, spread over its list of them.
    pub fn of(sculpt: &Mesh, low: &Mesh) -> Off {
        let trace = TraceScene::new(low);
        let step = sculpt.positions.len().div_ceil(MEASURED).max(1);
        let points: Vec<Vec3> = sculpt.positions.iter().step_by(step).copied().collect();
        let near = points.par_iter().filter_map(|at| trace.nearest(*at, f32::INFINITY, |_| true));
        let near: Vec<(u32, f32)> = near.map(|near| (near.at.triangle, near.distance)).collect();
        let mut faces = vec![0.0f32; low.triangles.len()];
        for &(face, distance) in &near {
            let furthest = &mut faces[face as usize];
            *furthest = furthest.max(distance);
        }
        Off { difference: Difference::of(near.into_iter().map(|(_, distance)| distance)), faces }
    }
}
