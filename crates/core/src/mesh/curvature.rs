//! Mean curvature averaged over a set size, at any point of a mesh.
//!
//! Curvature lives on edges: over an edge of length l that bends by the angle b (convex positive) the integral of mean
//! curvature is b*l/2 (Cohen-Steiner and Morvan, "Restricted Delaunay Triangulations and Normal Cycle", 2003). The value at a
//! point is the integral over a soft ball of the given radius, divided by the area within it. A ball of radius R reads
//! 1/R however it is cut into triangles, a cylinder 1/(2R), and a sharp edge reads the more the smaller the size.
//!
//! Area and curvature are spread as points, gathered in cells a third of the radius wide, apart by part and by facing, so
//! that neither a neighbouring part nor the far side of a thin wall is mixed in.

use super::{Mesh, weld};
use glam::Vec3;
use rayon::prelude::*;
use rustc_hash::FxHashMap;

/// Edges that bend less than this (radians) stand for a smooth surface: their curvature is spread over the faces beside them.
const SMOOTH: f32 = 0.6;
/// Cells along the radius.
const CELLS: f32 = 3.0;
/// A triangle or an edge is cut into this many pieces a side at most.
const MOST_PIECES: f32 = 128.0;
/// The radius is at least this share of the mesh's diagonal; below, cells would be countless.
const LEAST_RADIUS: f32 = 1.0 / 4000.0;

/// Part of a cell, and where it lies.
type Place = (u16, [i32; 3]);
/// Place of a cell, and its facing (axis and sign).
type Key = (Place, u8);

#[derive(Clone, Copy, Default)]
struct Cell {
    area: f32,
    /// Sum of area times place, and of area times normal.
    middle: Vec3,
    normal: Vec3,
    curvature: f32,
    /// The same for curvature, weighed by length of edge; zero where it lies with the area.
    line: f32,
    line_middle: Vec3,
    line_curvature: f32,
}

/// Mean curvature of a mesh at one size.
pub struct CurvatureField {
    radius: f32,
    cells: Vec<Cell>,
    /// For each cell, those that may lie within the radius of any point in it: a range of `near`.
    ranges: Vec<(u32, u32)>,
    near: Vec<u32>,
    index: FxHashMap<Key, u32>,
    /// Cells in rising order of part and place, each with its facing and its number.
    sorted: Vec<(Place, u8, u32)>,
    /// For each part, x and y the stretch of `sorted` that holds its cells.
    rows: FxHashMap<(u16, i32, i32), (u32, u32)>,
    /// Value at each vertex, for triangles small or smooth enough to blend between corners.
    corners: Vec<f32>,
    /// One entry a triangle: its values are gathered at the point itself.
    by_point: Vec<bool>,
    parts: Vec<u16>,
}

impl CurvatureField {
    /// Prepares a mesh for curvature averaged over `radius` (scene units).
    pub fn new(mesh: &Mesh, radius: f32) -> CurvatureField {
        let radius = radius.max(mesh.diagonal() * LEAST_RADIUS).max(f32::MIN_POSITIVE);
        let parts = mesh.triangle_parts();
        let edges = bent_edges(mesh, &parts);
        let mut field = CurvatureField {
            radius,
            cells: Vec::new(),
            ranges: Vec::new(),
            near: Vec::new(),
            index: FxHashMap::default(),
            sorted: Vec::new(),
            rows: FxHashMap::default(),
            corners: Vec::new(),
            by_point: vec![false; mesh.triangles.len()],
            parts,
        };
        field.spread(mesh, &edges);
        field.link();
        let first_part = vertex_parts(mesh, &field.parts);
        field.corners = (0..mesh.positions.len())
            .into_par_iter()
            .map(|v| field.gather(mesh.positions[v], mesh.normals[v], first_part[v]))
            .collect();
        field
    }

    /// Mean curvature at a point of a triangle, 1 / scene units, convex positive. `v` and `w` are the weights of its second and
    /// third corner, `position` the point.
    pub fn at(&self, mesh: &Mesh, triangle: u32, v: f32, w: f32, position: Vec3) -> f32 {
        if self.by_point[triangle as usize] {
            return self.gather(position, mesh.face_normal(triangle), self.parts[triangle as usize]);
        }
        let [a, b, c] = mesh.triangles[triangle as usize].map(|corner| self.corners[corner as usize]);
        a + (b - a) * v + (c - a) * w
    }

    fn key(&self, position: Vec3, normal: Vec3, part: u16) -> Key {
        let n = normal.to_array();
        let axis = (0..3).max_by(|&a, &b| n[a].abs().total_cmp(&n[b].abs())).unwrap_or(0);
        let cell = position * (CELLS / self.radius);
        ((part, cell.floor().as_ivec3().to_array()), (axis * 2 + usize::from(n[axis] < 0.0)) as u8)
    }

    fn cell(&mut self, position: Vec3, normal: Vec3, part: u16) -> &mut Cell {
        let key = self.key(position, normal, part);
        let next = self.cells.len() as u32;
        let number = *self.index.entry(key).or_insert(next);
        if number == next {
            self.cells.push(Cell::default());
        }
        &mut self.cells[number as usize]
    }

    fn spread(&mut self, mesh: &Mesh, edges: &[BentEdge]) {
        let piece = self.radius / 3.0;
        let mut with_area = vec![0.0f32; mesh.triangles.len()];
        let mut sharp = vec![false; mesh.triangles.len()];
        for edge in edges {
            let smooth = edge.bend.abs() < SMOOTH;
            for t in edge.triangles {
                sharp[t as usize] |= !smooth;
            }
            if smooth || edge.length < piece {
                for t in edge.triangles {
                    with_area[t as usize] += 0.25 * edge.bend * edge.length;
                }
                continue;
            }
            let pieces = (edge.length / piece).ceil().min(MOST_PIECES);
            for i in 0..pieces as u32 {
                let at = edge.from + (edge.to - edge.from) * ((i as f32 + 0.5) / pieces);
                let share = edge.length / pieces;
                let cell = self.cell(at, edge.normal, edge.part);
                cell.line += share;
                cell.line_middle += at * share;
                cell.line_curvature += 0.5 * edge.bend * share;
            }
        }
        for t in 0..mesh.triangles.len() as u32 {
            let [a, b, c] = mesh.corners(t);
            let normal = mesh.area_normal(t);
            let area = normal.length() * 0.5;
            let Some(normal) = normal.try_normalize() else { continue };
            let longest = (b - a).length().max((c - b).length()).max((a - c).length());
            self.by_point[t as usize] = longest > self.radius * 0.5 && sharp[t as usize];
            let n = (longest / piece).ceil().clamp(1.0, MOST_PIECES) as u32;
            let (part, share) = (self.parts[t as usize], 1.0 / (n * n) as f32);
            let mut put = |v: f32, w: f32| {
                let at = a + (b - a) * v + (c - a) * w;
                let cell = self.cell(at, normal, part);
                cell.area += area * share;
                cell.middle += at * (area * share);
                cell.normal += normal * (area * share);
                cell.curvature += with_area[t as usize] * share;
            };
            // Middles of the n * n small triangles.
            for i in 0..n {
                for j in 0..n - i {
                    put((i as f32 + 1.0 / 3.0) / n as f32, (j as f32 + 1.0 / 3.0) / n as f32);
                    if i + j + 1 < n {
                        put((i as f32 + 2.0 / 3.0) / n as f32, (j as f32 + 2.0 / 3.0) / n as f32);
                    }
                }
            }
        }
        for cell in &mut self.cells {
            cell.middle /= cell.area.max(f32::MIN_POSITIVE);
            cell.normal = cell.normal.normalize_or_zero();
            cell.line_middle /= cell.line.max(f32::MIN_POSITIVE);
        }
    }

    /// For each cell, the cells around it.
    fn link(&mut self) {
        self.sorted = self.index.iter().map(|(&(place, facing), &number)| (place, facing, number)).collect();
        self.sorted.par_sort_unstable();
        let mut start = 0;
        for row in self.sorted.chunk_by(|(a, ..), (b, ..)| row_of(*a) == row_of(*b)) {
            let end = start + row.len() as u32;
            self.rows.insert(row_of(row[0].0), (start, end));
            start = end;
        }
        let lists: Vec<(u32, Vec<u32>)> =
            self.sorted.par_iter().map(|&(place, facing, number)| (number, self.around(place, facing))).collect();
        self.ranges = vec![(0, 0); lists.len()];
        for (number, list) in lists {
            let start = self.near.len() as u32;
            self.near.extend(list);
            self.ranges[number as usize] = (start, self.near.len() as u32);
        }
    }

    /// Cells that may lie within the radius of a point in the cell at `place`, but for those that face the other way.
    fn around(&self, (part, [x, y, z]): Place, facing: u8) -> Vec<u32> {
        let reach = CELLS as i32 + 1;
        // Distance between the nearest corners of two cells, in cells.
        let apart = |d: i32| ((d.abs() - 1).max(0) as f32).powi(2);
        let mut list = Vec::new();
        for dx in -reach..=reach {
            for dy in -reach..=reach {
                let room = CELLS * CELLS - apart(dx) - apart(dy);
                if room < 0.0 {
                    continue;
                }
                let Some(&(from, to)) = self.rows.get(&(part, x + dx, y + dy)) else { continue };
                let row = &self.sorted[from as usize..to as usize];
                let first = row.partition_point(|((_, at), ..)| at[2] < z - reach);
                let row = row[first..].iter().take_while(|((_, at), ..)| at[2] <= z + reach);
                let near = row.filter(|((_, at), other, _)| apart(at[2] - z) <= room && *other != facing ^ 1);
                list.extend(near.map(|(.., number)| number));
            }
        }
        list.sort_unstable();
        list
    }

    fn gather(&self, position: Vec3, normal: Vec3, part: u16) -> f32 {
        let key = self.key(position, normal, part);
        let own;
        let list = match self.index.get(&key) {
            Some(&number) => {
                let (from, to) = self.ranges[number as usize];
                &self.near[from as usize..to as usize]
            }
            // Between the pieces of a coarse mesh no cell may hold the point itself.
            None => {
                own = self.around(key.0, key.1);
                &own
            }
        };
        let limit = self.radius * self.radius;
        let soft = |at: Vec3| {
            let share = 1.0 - (at - position).length_squared() / limit;
            if share > 0.0 { share * share } else { 0.0 }
        };
        let (mut area, mut bend) = (0.0, 0.0);
        for &near in list {
            let cell = &self.cells[near as usize];
            if cell.area > 0.0 {
                // The far side of a thin wall looks the other way.
                let facing = ((cell.normal.dot(normal) + 0.6) * 2.0).clamp(0.0, 1.0);
                let weight = soft(cell.middle) * facing;
                area += weight * cell.area;
                bend += weight * cell.curvature;
            }
            if cell.line > 0.0 {
                bend += soft(cell.line_middle) * cell.line_curvature;
            }
        }
        if area > 0.0 { bend / area } else { 0.0 }
    }
}

fn row_of((part, [x, y, _]): Place) -> (u16, i32, i32) {
    (part, x, y)
}

/// An edge between two faces of a part.
struct BentEdge {
    from: Vec3,
    to: Vec3,
    length: f32,
    /// Angle between the two faces' normals, convex positive, radians.
    bend: f32,
    normal: Vec3,
    triangles: [u32; 2],
    part: u16,
}

/// One face's side of an edge: its ends in rising order, the part, the triangle, and whether it runs from the lower end.
type EdgeSide = (u32, u32, u16, u32, bool);

/// All edges that exactly two faces of one part share, running along them in opposite ways.
fn bent_edges(mesh: &Mesh, parts: &[u16]) -> Vec<BentEdge> {
    let point_of = weld(mesh).point_of;
    let mut sides: Vec<EdgeSide> = Vec::with_capacity(mesh.triangles.len() * 3);
    for (t, triangle) in mesh.triangles.iter().enumerate() {
        let p = triangle.map(|v| point_of[v as usize]);
        for i in 0..3 {
            let (a, b) = (p[i], p[(i + 1) % 3]);
            if a != b {
                sides.push((a.min(b), a.max(b), parts[t], t as u32, a < b));
            }
        }
    }
    sides.par_sort_unstable();
    let mut place_of = vec![Vec3::ZERO; mesh.positions.len()];
    for (v, &point) in point_of.iter().enumerate() {
        place_of[point as usize] = mesh.positions[v];
    }
    let groups: Vec<&[EdgeSide]> = sides.chunk_by(|a, b| (a.0, a.1, a.2) == (b.0, b.1, b.2)).collect();
    groups
        .par_iter()
        .filter_map(|group| {
            let [one, two] = group else { return None };
            if one.4 == two.4 {
                return None;
            }
            // The face that runs from the lower end to the higher, and the other.
            let (first, second) = if one.4 { (one.3, two.3) } else { (two.3, one.3) };
            let (from, to) = (place_of[one.0 as usize], place_of[one.1 as usize]);
            let (m, n) = (mesh.area_normal(first).as_dvec3(), mesh.area_normal(second).as_dvec3());
            let along = (to - from).as_dvec3();
            let (m, n, along_unit) = (m.try_normalize()?, n.try_normalize()?, along.try_normalize()?);
            // Turning the first normal about the edge into the second: positive when the edge is convex.
            let bend = m.cross(n).dot(along_unit).atan2(m.dot(n)) as f32;
            Some(BentEdge {
                from,
                to,
                length: along.length() as f32,
                bend,
                normal: (m + n).as_vec3().normalize_or(m.as_vec3()),
                triangles: [first, second],
                part: one.2,
            })
        })
        .collect()
}

/// A part each vertex belongs to.
fn vertex_parts(mesh: &Mesh, parts: &[u16]) -> Vec<u16> {
    let mut of = vec![0; mesh.positions.len()];
    for (triangle, &part) in mesh.triangles.iter().zip(parts) {
        triangle.iter().for_each(|&v| of[v as usize] = part);
    }
    of
}
