//! The low-poly as rays see it: positions, shading frames and ray directions at any point of any triangle.

use crate::mesh::{CornerTangent, Mesh, angle_weighted_directions, corner_tangents};
use crate::recipe::Direction;
use glam::{Mat3, Vec3};

/// Why a cage cannot be used with a low-poly.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
#[error("{fault}. {remedy}")]
pub struct CageFault {
    pub fault: String,
    pub remedy: String,
}

/// The low-poly with what baking adds to it.
pub struct LowSurface {
    pub mesh: Mesh,
    /// Part number of each triangle.
    pub parts: Vec<u16>,
    /// MikkTSpace tangents, one a corner; empty without UVs.
    tangents: Vec<[CornerTangent; 3]>,
    /// Averaged ray direction of each vertex.
    directions: Vec<Vec3>,
    /// Cage corner of each triangle corner, when there is a cage.
    cage: Option<Vec<[Vec3; 3]>>,
}

/// A point on the low surface.
#[derive(Clone, Copy, Debug)]
pub struct SurfacePoint {
    pub position: Vec3,
    /// Unit direction from the surface outward; rays run against it.
    pub outward: Vec3,
    /// The cage's point over this one, when there is a cage.
    pub cage: Option<Vec3>,
}

fn blend(corners: [Vec3; 3], v: f32, w: f32) -> Vec3 {
    // Differences, not three weights: exact on a triangle whose corners agree in a coordinate.
    corners[0] + (corners[1] - corners[0]) * v + (corners[2] - corners[0]) * w
}

impl LowSurface {
    /// Prepares a low-poly for baking.
    ///
    /// # Errors
    /// A [`CageFault`] when the cage's faces do not match the low-poly's one to one.
    pub fn new(mesh: Mesh, cage: Option<&Mesh>) -> Result<LowSurface, CageFault> {
        let cage = cage.map(|cage| match_cage(&mesh, cage)).transpose()?;
        let tangents = if mesh.uvs.is_empty() { Vec::new() } else { corner_tangents(&mesh) };
        let directions = angle_weighted_directions(&mesh);
        let parts = mesh.triangle_parts();
        Ok(LowSurface { mesh, parts, tangents, directions, cage })
    }

    /// True when rays start on a cage mesh.
    pub fn has_cage(&self) -> bool {
        self.cage.is_some()
    }

    /// The renderer's interpolated normal (unit) at a point of a triangle: its number, and weights of its second and third corner.
    pub fn shading_normal(&self, (triangle, v, w): (u32, f32, f32)) -> Vec3 {
        let normals = self.mesh.triangles[triangle as usize].map(|c| self.mesh.normals[c as usize]);
        blend(normals, v, w).try_normalize().unwrap_or_else(|| self.mesh.face_normal(triangle))
    }

    /// Averaged ray directions, one a vertex.
    pub fn directions(&self) -> &[Vec3] {
        &self.directions
    }

    /// Tangents of a triangle's corners. Call only on a mesh with UVs.
    pub fn tangents(&self, triangle: u32) -> &[CornerTangent; 3] {
        &self.tangents[triangle as usize]
    }

    /// The point of `triangle` with weights `v`, `w` of its second and third corner.
    pub fn point(&self, triangle: u32, v: f32, w: f32, direction: Direction) -> SurfacePoint {
        let position = blend(self.mesh.corners(triangle), v, w);
        let face = || self.mesh.face_normal(triangle);
        let outward = match direction {
            Direction::Plumb => face(),
            Direction::Averaged => {
                let corners = self.mesh.triangles[triangle as usize].map(|c| self.directions[c as usize]);
                blend(corners, v, w).try_normalize().unwrap_or_else(face)
            }
        };
        let cage = self.cage.as_ref().map(|c| blend(c[triangle as usize], v, w));
        SurfacePoint { position, outward, cage }
    }

    /// The tangent frame a renderer uses at a point: columns T, B, N from interpolated, not normalised, T and N, with
    /// B = sign * cross(N, T). None when the frame has no volume (no UV area).
    pub fn frame(&self, triangle: u32, v: f32, w: f32) -> Option<Mat3> {
        let corners = &self.tangents[triangle as usize];
        let normals = self.mesh.triangles[triangle as usize].map(|c| self.mesh.normals[c as usize]);
        let n = blend(normals, v, w);
        let t = blend(corners.map(|c| c.tangent), v, w);
        let b = n.cross(t) * corners[0].sign;
        let frame = Mat3::from_cols(t, b, n);
        (frame.determinant().abs() > 1e-9).then_some(frame)
    }
}

fn match_cage(low: &Mesh, cage: &Mesh) -> Result<Vec<[Vec3; 3]>, CageFault> {
    if cage.triangles.len() != low.triangles.len() {
        return Err(CageFault {
            fault: format!("the cage has {} triangles and the low-poly {}", cage.triangles.len(), low.triangles.len()),
            remedy: "Make the cage by moving points of a copy of this low-poly, without adding or removing faces"
                .into(),
        });
    }
    Ok((0..cage.triangles.len() as u32).map(|t| cage.corners(t)).collect())
}
