//! From a distance field to triangles: naive surface nets (Gibson 1998) on a regular grid, each vertex then pulled onto the
//! surface and given the field's gradient as its normal. Only blocks near the surface are evaluated.

use ember_ridge_core::glam::{IVec3, Vec3};
use rayon::prelude::*;

/// Triangles of one polygonised field.
pub struct Net {
    pub positions: Vec<Vec3>,
    pub normals: Vec<Vec3>,
    pub triangles: Vec<[u32; 3]>,
}

/// Cells along a block's side: the field is asked once a block whether the surface can be near.
const BLOCK: usize = 4;
/// Fields here may grow faster than distance by this factor (noise, warps).
const STEEPEST: f32 = 1.6;

struct Grid {
    low: Vec3,
    cell: f32,
    points: [usize; 3],
    values: Vec<f32>,
}

impl Grid {
    fn at(&self, x: usize, y: usize, z: usize) -> f32 {
        self.values[(z * self.points[1] + y) * self.points[0] + x]
    }

    fn place(&self, x: f32, y: f32, z: f32) -> Vec3 {
        self.low + Vec3::new(x, y, z) * self.cell
    }
}

/// Polygonises `field` inside the box `low`..`high` with cells of side `cell`. The surface must not leave the box.
pub fn polygonise(field: &(impl Fn(Vec3) -> f32 + Sync), low: Vec3, high: Vec3, cell: f32) -> Net {
    let low = low - 2.0 * cell;
    let points = (((high - low) / cell).ceil().as_ivec3() + IVec3::splat(4)).to_array().map(|n| n as usize);
    let grid = sample(field, low, cell, points);

    // One slab of cells per z, each with its own vertices; slabs are numbered one after the other.
    let slabs: Vec<Vec<(u32, Vec3)>> = (0..points[2] - 1).into_par_iter().map(|z| slab_vertices(&grid, z)).collect();
    let layer = points[0] * points[1];
    let mut number = vec![u32::MAX; layer * (points[2] - 1)];
    let mut rough = Vec::new();
    for (z, slab) in slabs.iter().enumerate() {
        for &(cell_of_layer, place) in slab {
            number[z * layer + cell_of_layer as usize] = rough.len() as u32;
            rough.push(place);
        }
    }
    let triangles = (1..points[2] - 1).into_par_iter().flat_map_iter(|z| slab_faces(&grid, &number, z)).collect();
    let (positions, normals) = rough.par_iter().map(|&p| settle(field, p, cell)).unzip();
    Net { positions, normals, triangles }
}

fn sample(field: &(impl Fn(Vec3) -> f32 + Sync), low: Vec3, cell: f32, points: [usize; 3]) -> Grid {
    let mut grid = Grid { low, cell, points, values: Vec::new() };
    let layer = points[0] * points[1];
    let mut values = vec![0.0f32; layer * points[2]];
    values.par_chunks_mut(layer * BLOCK).enumerate().for_each(|(bz, chunk)| {
        let depth = chunk.len() / layer;
        for by in (0..points[1]).step_by(BLOCK) {
            for bx in (0..points[0]).step_by(BLOCK) {
                let half = BLOCK as f32 / 2.0;
                let middle = grid.place(bx as f32 + half, by as f32 + half, (bz * BLOCK) as f32 + half);
                let there = field(middle);
                let far = there.abs() > half * cell * 3f32.sqrt() * STEEPEST;
                for z in 0..depth {
                    for y in by..(by + BLOCK).min(points[1]) {
                        for x in bx..(bx + BLOCK).min(points[0]) {
                            let value = match far {
                                true => there,
                                false => field(grid.place(x as f32, y as f32, (bz * BLOCK + z) as f32)),
                            };
                            chunk[z * layer + y * points[0] + x] = value;
                        }
                    }
                }
            }
        }
    });
    grid.values = values;
    grid
}

/// Vertices of the cells between layers `z` and `z + 1` that the surface passes: the mean of the edge crossings.
fn slab_vertices(grid: &Grid, z: usize) -> Vec<(u32, Vec3)> {
    let mut found = Vec::new();
    for y in 0..grid.points[1] - 1 {
        for x in 0..grid.points[0] - 1 {
            let corner = |i: usize| grid.at(x + (i & 1), y + (i >> 1 & 1), z + (i >> 2));
            let values: [f32; 8] = std::array::from_fn(corner);
            let inside = values.iter().filter(|v| **v < 0.0).count();
            if inside == 0 || inside == 8 {
                continue;
            }
            let (mut sum, mut crossings) = (Vec3::ZERO, 0.0);
            for a in 0..8usize {
                for axis in [1usize, 2, 4] {
                    let b = a | axis;
                    if a & axis == 0 && (values[a] < 0.0) != (values[b] < 0.0) {
                        let t = values[a] / (values[a] - values[b]);
                        let offset = |i: usize| Vec3::new((i & 1) as f32, (i >> 1 & 1) as f32, (i >> 2) as f32);
                        sum += offset(a).lerp(offset(b), t);
                        crossings += 1.0;
                    }
                }
            }
            let within = sum / crossings;
            let place = grid.place(x as f32 + within.x, y as f32 + within.y, z as f32 + within.z);
            found.push(((y * grid.points[0] + x) as u32, place));
        }
    }
    found
}

/// Quads around every grid edge that starts in layer `z` and that the surface cuts, as two triangles each.
fn slab_faces(grid: &Grid, number: &[u32], z: usize) -> Vec<[u32; 3]> {
    let [nx, ny, _] = grid.points;
    let vertex = |x: usize, y: usize, z: usize| number[z * nx * ny + y * nx + x];
    let mut faces = Vec::new();
    for y in 1..ny - 1 {
        for x in 1..nx - 1 {
            let here = grid.at(x, y, z) < 0.0;
            let mut quad = |ahead: f32, corners: [u32; 4]| {
                if here != (ahead < 0.0) {
                    let [a, b, c, d] = corners;
                    let (b, d) = if here { (b, d) } else { (d, b) };
                    faces.push([a, b, c]);
                    faces.push([a, c, d]);
                }
            };
            quad(
                grid.at(x + 1, y, z),
                [vertex(x, y - 1, z - 1), vertex(x, y, z - 1), vertex(x, y, z), vertex(x, y - 1, z)],
            );
            quad(
                grid.at(x, y + 1, z),
                [vertex(x - 1, y, z - 1), vertex(x - 1, y, z), vertex(x, y, z), vertex(x, y, z - 1)],
            );
            if z + 1 < grid.points[2] - 1 {
                quad(
                    grid.at(x, y, z + 1),
                    [vertex(x - 1, y - 1, z), vertex(x, y - 1, z), vertex(x, y, z), vertex(x - 1, y, z)],
                );
            }
        }
    }
    faces
}

fn gradient(field: &impl Fn(Vec3) -> f32, p: Vec3, step: f32) -> Vec3 {
    // Four points of a tetrahedron give the gradient with one evaluation less a side than central differences.
    let corners = [Vec3::new(1.0, -1.0, -1.0), Vec3::new(-1.0, -1.0, 1.0), Vec3::new(-1.0, 1.0, -1.0), Vec3::ONE];
    corners.iter().map(|&c| c * field(p + c * step)).sum::<Vec3>() / (4.0 * step)
}

fn settle(field: &impl Fn(Vec3) -> f32, rough: Vec3, cell: f32) -> (Vec3, Vec3) {
    // Two steps of Newton's method along one slope: the surface is nearly flat across a cell.
    let slope = gradient(field, rough, cell * 0.1);
    let step = |p: Vec3| p - (slope * (field(p) / slope.length_squared().max(0.05))).clamp_length_max(cell * 0.4);
    let p = step(step(rough));
    (p, gradient(field, p, cell * 0.25).normalize_or(Vec3::Y))
}
