//! Mean curvature averaged over a set size, at any point of a mesh.
//!
//! Curvature lives on edges: over an edge of length l that bends by the angle b (convex positive) the integral of mean
//! curvature is b*l/2 (Cohen-Steiner and Morvan, "Restricted Delaunay Triangulations and Normal Cycle", 2003). The value at a
//! point is the integral over a soft ball of the given radius, divided by the area within it. A ball of radius R reads
//! 1/R however it is cut into triangles, a cylinder 1/(2R), a bevel its own radius, the flat beside it nothing, and a sharp edge
//! reads the more the smaller the size. `bends` says which face an edge's curvature belongs to.
//!
//! Triangles that are small beside the ball are gathered in cells, large ones are integrated as they are: the memory of both is
//! bounded by the mesh, whatever the size.

mod bends;
mod cells;
mod kernel;
mod pieces;

use crate::flat::{Flat, Packed, Packing};
use crate::mesh::Mesh;
use crate::stop::{Stop, Stopped, never};
use crate::surface::MeshPoint;
use bends::{Bends, EdgeShare};
use cells::{Cells, MOST_ALONG};
use glam::Vec3;
use kernel::Ball;
use pieces::{Piece, Pieces};
use rayon::prelude::*;

/// Cells along the radius.
const CELLS_ALONG: f32 = 3.0;
/// Triangles whose longest edge is at most this share of the radius are small.
const SMALL: f32 = 0.5;
/// Those of at most the radius read between their corners, unless one of their edges is sharp; larger ones at the point itself.
const BLENDED: f32 = 1.0;

/// Triangles whose edges are looked at in one go.
const AT_ONCE: u32 = 16_384;

/// Mean curvature of a mesh at one size.
pub struct CurvatureField {
    radius: f32,
    cells: Cells,
    pieces: Pieces,
    /// One entry a triangle: its values are gathered at the point itself, and not read between its corners.
    by_point: Flat<u8>,
    /// Value at each vertex of a triangle that is read between them.
    corners: Flat<f32>,
}

impl CurvatureField {
    /// Prepares a mesh for curvature averaged over `radius` (scene units). A radius below some millionths of the mesh's size, which
    /// its coordinates do not resolve, counts as that.
    pub fn new(mesh: &Mesh, radius: f32) -> CurvatureField {
        CurvatureField::build(mesh, radius, &never)
    }

    /// The same, unless it is to end before it is done.
    ///
    /// # Errors
    /// [`Stopped`] when `stop` asked for it.
    pub fn unless_stopped(mesh: &Mesh, radius: f32, stop: Stop) -> Result<CurvatureField, Stopped> {
        let field = CurvatureField::build(mesh, radius, stop);
        if stop() { Err(Stopped) } else { Ok(field) }
    }

    /// Left unfinished once `stop` asks for it.
    fn build(mesh: &Mesh, radius: f32, stop: Stop) -> CurvatureField {
        let radius = radius.max(mesh.diagonal() * (CELLS_ALONG / MOST_ALONG)).max(f32::MIN_POSITIVE);
        let (small, large, by_point) = shared_out(mesh, radius, stop);
        let (cells, pieces) = (Cells::new(mesh, radius, &small), Pieces::new(mesh, large));
        drop(small);
        let by_point: Vec<u8> = by_point.into_iter().map(u8::from).collect();
        let mut field = CurvatureField { radius, cells, pieces, by_point: by_point.into(), corners: Flat::default() };
        field.corners = field.at_vertices(mesh, stop).into();
        field
    }

    /// Mean curvature at a point of a triangle, 1 / scene units, convex positive. `v` and `w` are the weights of its second and
    /// third corner, `position` the point.
    pub fn at(&self, mesh: &Mesh, at: MeshPoint) -> f32 {
        let triangle = at.triangle;
        if self.by_point[triangle as usize] != 0 {
            let part = mesh.part_of(triangle);
            let position = mesh.at(at);
            let place = self.cells.place(position);
            let rows = self.cells.rows(part, place.x, place.y);
            return self.gather(mesh, part, &rows, position, mesh.face_normal(triangle));
        }
        let corners = &*self.corners;
        at.between(mesh.triangles[triangle as usize].map(|corner| corners[corner as usize]))
    }

    /// Puts it into bytes under a name.
    pub fn pack<'a>(&'a self, name: &str, into: &mut Packing<'a>) {
        into.told(format!("{name}/radius"), &self.radius);
        into.flat(format!("{name}/by-point"), &self.by_point);
        into.flat(format!("{name}/corners"), &self.corners);
        self.cells.pack(name, into);
        self.pieces.pack(name, into);
    }

    /// Takes it from bytes again; its rows stay where they lie.
    ///
    /// # Errors
    /// What of it is missing or damaged.
    pub fn unpack(name: &str, from: &Packed) -> Result<CurvatureField, String> {
        Ok(CurvatureField {
            radius: from.told(&format!("{name}/radius"))?,
            cells: Cells::unpack(name, from)?,
            pieces: Pieces::unpack(name, from)?,
            by_point: from.flat(&format!("{name}/by-point"))?,
            corners: from.flat(&format!("{name}/corners"))?,
        })
    }

    /// Bytes it holds.
    pub fn bytes(&self) -> usize {
        self.cells.bytes() + self.pieces.bytes() + self.by_point.own_bytes() + self.corners.own_bytes()
    }

    /// Values at the vertices of triangles that are read between them, row of cells by row, so that the rows around are looked up once.
    fn at_vertices(&self, mesh: &Mesh, stop: Stop) -> Vec<f32> {
        let mut values = vec![0.0; mesh.positions.len()];
        let mut seen = vec![false; mesh.positions.len()];
        let by_point = &*self.by_point;
        for (number, part) in mesh.parts.iter().enumerate() {
            let mut own = Vec::new();
            for t in part.triangles.clone().filter(|&t| by_point[t as usize] == 0) {
                for v in mesh.triangles[t as usize] {
                    if !std::mem::replace(&mut seen[v as usize], true) {
                        let place = self.cells.place(mesh.positions[v as usize]);
                        own.push((place.x, place.y, v));
                    }
                }
            }
            own.par_sort_unstable();
            let of_row = |row: &[(i32, i32, u32)]| {
                if stop() {
                    return Vec::new();
                }
                let rows = self.cells.rows(number, row[0].0, row[0].1);
                let value = |&(_, _, v): &(i32, i32, u32)| {
                    let (position, normal) = (mesh.positions[v as usize], mesh.normals[v as usize]);
                    (v, self.gather(mesh, number, &rows, position, normal))
                };
                row.iter().map(value).collect::<Vec<_>>()
            };
            let of_rows = own.par_chunk_by(|a, b| (a.0, a.1) == (b.0, b.1)).flat_map_iter(of_row);
            let found: Vec<(u32, f32)> = of_rows.collect();
            found.into_iter().for_each(|(v, value)| values[v as usize] = value);
        }
        values
    }

    fn gather(&self, mesh: &Mesh, part: usize, rows: &cells::Rows, position: Vec3, normal: Vec3) -> f32 {
        let ball = Ball { middle: position.as_dvec3(), radius: f64::from(self.radius) };
        let small = self.cells.within(rows, &ball, normal);
        let large = self.pieces.within(mesh, part, &ball, normal);
        let (area, bend) = (small.0 + large.0, small.1 + large.1);
        if area > 0.0 { (bend / area) as f32 } else { 0.0 }
    }
}

/// The curvature of each small triangle, and the large ones with what their edges give to them, both in rising order; and which
/// triangles are to be read at the point itself.
fn shared_out(mesh: &Mesh, radius: f32, stop: Stop) -> (Vec<(u32, f32)>, Vec<Piece>, Vec<bool>) {
    let bends = Bends::of(mesh, radius);
    let all = 0..mesh.triangles.len() as u32;
    let count = all.clone().into_par_iter().filter(|&t| is_small(mesh, t, radius)).count();
    let mut by_point = vec![false; mesh.triangles.len()];
    let (mut small, mut large) = (Vec::with_capacity(count), Vec::with_capacity(mesh.triangles.len() - count));
    // Many at a time on all cores, and no more of them than that held twice.
    for start in all.clone().step_by(AT_ONCE as usize) {
        if stop() {
            break;
        }
        let shares: Vec<[EdgeShare; 3]> =
            (start..(start + AT_ONCE).min(all.end)).into_par_iter().map(|t| bends.shares(t)).collect();
        for (t, edges) in (start..).zip(shares) {
            if is_small(mesh, t, radius) {
                small.push((t, edges.iter().map(|e| e.curvature).sum()));
            } else {
                let sharp = edges.iter().any(|e| e.depth == 0.0 && e.curvature != 0.0);
                by_point[t as usize] = sharp || longest(mesh, t) > BLENDED * radius;
                large.push(Piece::new(t, edges));
            }
        }
    }
    (small, large, by_point)
}

fn is_small(mesh: &Mesh, triangle: u32, radius: f32) -> bool {
    longest(mesh, triangle) <= SMALL * radius
}

/// Length of a triangle's longest edge.
fn longest(mesh: &Mesh, triangle: u32) -> f32 {
    let [a, b, c] = mesh.corners(triangle);
    a.distance_squared(b).max(b.distance_squared(c)).max(c.distance_squared(a)).sqrt()
}

/// What faces the other way, as the far side of a thin wall does, has no say.
fn facing_weight(one: Vec3, other: Vec3) -> f32 {
    ((one.dot(other) + 0.6) * 2.0).clamp(0.0, 1.0)
}
