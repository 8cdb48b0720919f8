//! Faces over points, and who lies across each edge.

use crate::mesh::{Mesh, weld};
use glam::Vec3;
use rayon::prelude::*;

/// No face lies across.
pub(super) const NONE: u32 = u32::MAX;

/// Faces of the same number of corners, or of any, over points. A side runs from a corner of a face to the next.
#[derive(Clone, Debug, Default)]
pub(super) struct Polygons {
    /// Where each face's corners begin, and where those of the last one end.
    pub starts: Vec<u32>,
    /// The point at each corner.
    pub points: Vec<u32>,
    /// The vertex of the mesh at each corner, which tells its UVs.
    pub vertices: Vec<u32>,
    /// A triangle of the mesh that each face is of, which tells its part and material.
    pub triangles: Vec<u32>,
    pub count: usize,
}

/// Why faces have no pattern: where, and what is wrong there.
#[derive(Clone, Debug, PartialEq)]
pub(super) struct Fault {
    pub point: u32,
    pub why: &'static str,
}

impl Polygons {
    /// The faces of a mesh: triangles, or quads where every face of its file was one.
    pub fn of(mesh: &Mesh) -> (Polygons, Vec<Vec3>) {
        let weld = weld(mesh);
        let mut positions = vec![Vec3::ZERO; weld.points];
        mesh.positions.iter().zip(&weld.point_of).for_each(|(at, point)| positions[*point as usize] = *at);
        let quads = mesh.quads();
        let sides = if quads.is_some() { 4 } else { 3 };
        let vertices =
            quads.map_or_else(|| mesh.triangles.as_flattened().to_vec(), |quads| quads.as_flattened().to_vec());
        let points = vertices.iter().map(|v| weld.point_of[*v as usize]).collect();
        let faces = vertices.len() / sides;
        let polygons = Polygons {
            starts: (0..=faces as u32).map(|face| face * sides as u32).collect(),
            points,
            vertices,
            triangles: (0..faces as u32).map(|face| face * (sides as u32 - 2)).collect(),
            count: weld.points,
        };
        (polygons, positions)
    }

    pub fn faces(&self) -> usize {
        self.triangles.len()
    }

    /// Corners of a face.
    pub fn corners(&self, face: usize) -> std::ops::Range<usize> {
        self.starts[face] as usize..self.starts[face + 1] as usize
    }

    /// How many corners every face has, where they all have as many.
    pub fn sides(&self) -> Option<usize> {
        let sides = self.corners(0).len();
        (0..self.faces()).all(|face| self.corners(face).len() == sides).then_some(sides)
    }

    /// The corner after another one of its face.
    pub fn next(&self, face: usize, corner: usize) -> usize {
        let corners = self.corners(face);
        if corner + 1 == corners.end { corners.start } else { corner + 1 }
    }

    pub fn before(&self, face: usize, corner: usize) -> usize {
        let corners = self.corners(face);
        if corner == corners.start { corners.end - 1 } else { corner - 1 }
    }

    /// The face of each corner.
    pub fn face_of(&self) -> Vec<u32> {
        let mut of = vec![0; self.points.len()];
        (0..self.faces()).for_each(|face| of[self.corners(face)].fill(face as u32));
        of
    }

    /// The corner that the side across each side begins at; [`NONE`] at borders.
    ///
    /// # Errors
    /// Three faces meet at an edge, or two that face different ways.
    pub fn across(&self) -> Result<Vec<u32>, Fault> {
        let mut sides: Vec<([u32; 2], u32)> = Vec::with_capacity(self.points.len());
        for face in 0..self.faces() {
            for corner in self.corners(face) {
                let (a, b) = (self.points[corner], self.points[self.next(face, corner)]);
                sides.push(([a.min(b), a.max(b)], corner as u32));
            }
        }
        sides.par_sort_unstable();
        let mut across = vec![NONE; self.points.len()];
        for same in sides.chunk_by(|one, other| one.0 == other.0) {
            let fault = |why| Err(Fault { point: same[0].0[0], why });
            match same {
                [_] => {}
                [(_, one), (_, other)] if self.points[*one as usize] == self.points[*other as usize] => {
                    return fault("two faces that meet there face different ways");
                }
                [(_, one), (_, other)] => {
                    (across[*one as usize], across[*other as usize]) = (*other, *one);
                }
                _ => return fault("more than two faces meet at an edge there"),
            }
        }
        Ok(across)
    }
}
