//! Tangents of the low-poly mesh by the MikkTSpace standard, one per corner, as a renderer that follows it makes them.

use super::Mesh;
use bevy_mikktspace::{Geometry, Ops, TangentSpace, generate_tangents};
use glam::Vec3;

/// Tangent of one triangle corner. The bitangent is `sign * normal.cross(tangent)`.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct CornerTangent {
    pub tangent: Vec3,
    pub sign: f32,
}

/// Functions that give the same bits on every machine.
struct SameEverywhere;

impl Ops for SameEverywhere {
    fn sqrt(x: f32) -> f32 {
        x.sqrt()
    }

    fn acos(x: f32) -> f32 {
        libm::acos(f64::from(x)) as f32
    }
}

struct Corners<'a> {
    mesh: &'a Mesh,
    made: Vec<[CornerTangent; 3]>,
}

impl Corners<'_> {
    fn vertex(&self, face: usize, corner: usize) -> usize {
        self.mesh.triangles[face][corner] as usize
    }
}

impl Geometry<SameEverywhere> for Corners<'_> {
    fn num_faces(&self) -> usize {
        self.mesh.triangles.len()
    }

    fn num_vertices_of_face(&self, _face: usize) -> usize {
        3
    }

    fn position(&self, face: usize, corner: usize) -> [f32; 3] {
        self.mesh.positions[self.vertex(face, corner)].to_array()
    }

    fn normal(&self, face: usize, corner: usize) -> [f32; 3] {
        self.mesh.normals[self.vertex(face, corner)].to_array()
    }

    fn tex_coord(&self, face: usize, corner: usize) -> [f32; 2] {
        self.mesh.uvs[self.vertex(face, corner)].to_array()
    }

    fn set_tangent(&mut self, space: Option<TangentSpace>, face: usize, corner: usize) {
        let normal = self.mesh.normals[self.vertex(face, corner)];
        let encoded = space.unwrap_or_default().tangent_encoded();
        let [x, y, z, sign] = encoded;
        // A face without UV area gives a zero tangent; any direction square to the normal will do there.
        let tangent = Vec3::new(x, y, z).try_normalize().unwrap_or_else(|| normal.any_orthonormal_vector());
        self.made[face][corner] = CornerTangent { tangent, sign };
    }
}

/// Tangents for every triangle corner of a mesh that has UVs, in triangle order.
pub fn corner_tangents(mesh: &Mesh) -> Vec<[CornerTangent; 3]> {
    let none = CornerTangent { tangent: Vec3::X, sign: 1.0 };
    let mut corners = Corners { mesh, made: vec![[none; 3]; mesh.triangles.len()] };
    generate_tangents(&mut corners).expect("the generator's error type has no variants: triangles always succeed");
    corners.made
}
