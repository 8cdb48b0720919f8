//! The low-poly as rays see it: positions, shading frames and ray directions at any point of any triangle.

use super::Direction;
use super::cage::{CageFault, CageMatch, match_cage};
use crate::mesh::{CornerTangent, Mesh, angle_weighted_directions, corner_tangents};
use crate::surface::MeshPoint;
use glam::{Mat3, Vec3};

/// The low-poly with what baking adds to it.
pub struct LowSurface {
    pub mesh: Mesh,
    /// Part number of each triangle.
    pub parts: Vec<u32>,
    /// MikkTSpace tangents, one per corner; empty without UVs.
    tangents: Vec<[CornerTangent; 3]>,
    /// Averaged ray direction of each vertex.
    directions: Vec<Vec3>,
    /// The cage's points, when there is a cage.
    pub cage: Option<CageMatch>,
}

/// A point on the low surface.
#[derive(Clone, Copy, Debug)]
pub struct SurfacePoint {
    pub position: Vec3,
    /// Unit direction from the surface outward; rays run against it.
    pub outward: Vec3,
}

impl LowSurface {
    /// Prepares a low-poly for baking.
    ///
    /// # Errors
    /// A [`CageFault`] when the cage's points cannot be told to be those of the low-poly, or lie inside of it.
    pub fn new(mesh: Mesh, cage: Option<&Mesh>) -> Result<LowSurface, CageFault> {
        let tangents = if mesh.uvs.is_empty() { Vec::new() } else { corner_tangents(&mesh) };
        let directions = angle_weighted_directions(&mesh);
        let cage = cage.map(|cage| match_cage(&mesh, &directions, cage)).transpose()?;
        let parts = mesh.triangle_parts();
        Ok(LowSurface { mesh, parts, tangents, directions, cage })
    }

    /// Averaged ray directions, one per vertex.
    pub fn directions(&self) -> &[Vec3] {
        &self.directions
    }

    /// Tangents of a triangle's corners. Call only on a mesh with UVs.
    pub fn tangents(&self, triangle: u32) -> &[CornerTangent; 3] {
        &self.tangents[triangle as usize]
    }

    /// A place of the low surface, and the way out from there.
    #[inline]
    pub fn point(&self, at: MeshPoint, direction: Direction) -> SurfacePoint {
        let plumb = if direction == Direction::Plumb { 1.0 } else { 0.0 };
        self.turned_point(at, plumb)
    }

    /// The same with the direction turned by `plumb`: 0 = averaged, 1 = square to the face.
    #[inline]
    pub fn turned_point(&self, at: MeshPoint, plumb: f32) -> SurfacePoint {
        let position = self.mesh.at(at);
        let face = || self.mesh.face_normal(at.triangle);
        let averaged = || {
            let corners = self.mesh.triangles[at.triangle as usize].map(|c| self.directions[c as usize]);
            at.between(corners).try_normalize().unwrap_or_else(face)
        };
        let outward = match plumb {
            0.0 => averaged(),
            1.0 => face(),
            _ => averaged().lerp(face(), plumb).try_normalize().unwrap_or_else(face),
        };
        SurfacePoint { position, outward }
    }

    /// The tangent frame a renderer uses at a point: columns T, B, N from interpolated, not normalised, T and N, with
    /// B = sign * cross(N, T). None when the frame has no volume (no UV area).
    #[inline]
    pub fn frame(&self, at: MeshPoint) -> Option<Mat3> {
        let corners = &self.tangents[at.triangle as usize];
        let normals = self.mesh.triangles[at.triangle as usize].map(|c| self.mesh.normals[c as usize]);
        let n = at.between(normals);
        let t = at.between(corners.map(|c| c.tangent));
        let b = n.cross(t) * corners[0].sign;
        let frame = Mat3::from_cols(t, b, n);
        (frame.determinant().abs() > 1e-9).then_some(frame)
    }
}
