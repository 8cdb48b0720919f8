//! Steps of a mesh file, carried out: each time the file is read, in order.

use super::{lay_out_parts, move_islands};
use crate::mesh::{Mesh, UvMarks, merge_points, normals_at_seams, normals_by_angle_in, turn_faces};
use crate::step::MeshStep;
use crate::uvs;
use glam::Vec3;

fn moved(mut mesh: Mesh, place: impl Fn(Vec3) -> Vec3, normal: impl Fn(Vec3) -> Vec3) -> Mesh {
    mesh.positions.iter_mut().for_each(|p| *p = place(*p));
    mesh.normals.iter_mut().for_each(|n| *n = normal(*n));
    mesh
}

fn unmarked(mut mesh: Mesh) -> Mesh {
    mesh.marks = UvMarks::default();
    mesh
}

impl MeshStep {
    /// The mesh after this step.
    fn carried_out(&self, mesh: Mesh) -> Mesh {
        match self {
            MeshStep::Scale { factor } => moved(mesh, |p| p * *factor, |n| n),
            MeshStep::Turn { turn } => moved(mesh, |p| turn.apply(p), |n| turn.apply(n)),
            MeshStep::Move { by } => moved(mesh, |p| p + Vec3::from(*by), |n| n),
            // Faces and points are others then: what steps on UVs have marked is gone.
            MeshStep::TurnFaces { part } => turn_faces(unmarked(mesh), part.as_deref()),
            MeshStep::MergePoints { part, distance } => merge_points(unmarked(mesh), part.as_deref(), *distance),
            MeshStep::NormalsByAngle { part, degrees } => normals_by_angle_in(&mesh, part.as_deref(), *degrees),
            MeshStep::NormalsAtSeams { part, degrees } => normals_at_seams(&mesh, part.as_deref(), *degrees),
            MeshStep::MoveIslands { part } => move_islands(mesh, part.as_deref()),
            MeshStep::LayOut { part } => lay_out_parts(mesh, part.as_deref()),
            MeshStep::Seams(step) => uvs::mark_seams(mesh, step),
            MeshStep::Unwrap(step) => uvs::unwrap(mesh, step),
            MeshStep::Relax(step) => uvs::relax_islands(mesh, step),
            MeshStep::Pin(step) => uvs::pin(mesh, step),
            MeshStep::MoveUvs(step) => uvs::move_uvs(mesh, step),
            MeshStep::Density(step) => uvs::set_density(mesh, step),
            MeshStep::Straighten(step) => uvs::straighten(mesh, step),
            MeshStep::Stitch(step) => uvs::stitch(mesh, step),
            MeshStep::Pack(step) => uvs::packed(mesh, step),
            MeshStep::Stack(step) => uvs::stack(mesh, step),
        }
    }
}

impl Mesh {
    /// The mesh after `steps`, taken in order. A step for a part that is not there changes nothing.
    pub fn with_steps(self, steps: &[MeshStep]) -> Mesh {
        steps.iter().fold(self, |mesh, step| step.carried_out(mesh))
    }
}
