//! Triangles that are small beside the ball, gathered in cells a third of its radius wide, apart by part and by facing, so that
//! neither a neighbouring part nor the far side of a thin wall is mixed in.

use super::kernel::Ball;
use super::{CELLS_ALONG, facing_weight};
use crate::flat::{Flat, Packed, Packing};
use crate::mesh::Mesh;
use bytemuck::{Pod, Zeroable};
use glam::{IVec3, Vec3};
use rayon::prelude::*;
use std::ops::Range;

/// Bits of a cell's number along an axis; three of them and the facing make a key.
const BITS: u32 = 20;
/// Cells along an axis, at most.
pub(super) const MOST_ALONG: f32 = 1_000_000.0;

#[derive(Clone, Copy, Default, Pod, Zeroable)]
#[repr(C)]
struct Cell {
    area: f32,
    /// Mean place and unit mean normal of what lies in it.
    middle: Vec3,
    normal: Vec3,
    /// Integral of mean curvature, scene units.
    curvature: f32,
}

/// The cells of a mesh, part by part and in rising order of x, y, z and facing.
#[derive(Default)]
pub(super) struct Cells {
    low: Vec3,
    size: f32,
    keys: Flat<u64>,
    cells: Flat<Cell>,
    /// For each part, its stretch of `cells`.
    parts: Vec<Range<u32>>,
}

/// Stretches of cells that may hold some within the radius of a place in one row of cells along z.
pub(super) struct Rows(Vec<Range<u32>>);

impl Cells {
    /// Gathers triangles, in rising order, each with the integral of mean curvature in it.
    pub fn new(mesh: &Mesh, radius: f32, small: &[(u32, f32)]) -> Cells {
        let mut all = Cells { low: mesh.bounds().0, size: radius / CELLS_ALONG, ..Cells::default() };
        let (mut keys, mut cells) = (Vec::new(), Vec::new());
        let mut start = 0;
        for part in &mesh.parts {
            let first = cells.len() as u32;
            let count = small[start..].partition_point(|s| s.0 < part.triangles.end);
            let own = &small[start..start + count];
            start += count;
            let key_of = |(i, &(t, _)): (usize, &(u32, f32))| {
                let [a, b, c] = mesh.corners(t);
                (all.key((a + b + c) / 3.0, mesh.area_normal(t)), i as u32)
            };
            let mut keyed: Vec<(u64, u32)> = own.par_iter().enumerate().map(key_of).collect();
            keyed.par_sort_unstable();
            let count = keyed.chunk_by(|a, b| a.0 == b.0).count();
            keys.reserve_exact(count);
            cells.reserve_exact(count);
            for of_cell in keyed.chunk_by(|a, b| a.0 == b.0) {
                keys.push(of_cell[0].0);
                cells.push(Cell::of(mesh, of_cell.iter().map(|&(_, i)| own[i as usize])));
            }
            all.parts.push(first..cells.len() as u32);
        }
        (all.keys, all.cells) = (keys.into(), cells.into());
        all
    }

    pub fn pack<'a>(&'a self, name: &str, into: &mut Packing<'a>) {
        into.told(format!("{name}/grid"), &(self.low, self.size, &self.parts));
        into.flat(format!("{name}/keys"), &self.keys);
        into.flat(format!("{name}/cells"), &self.cells);
    }

    pub fn unpack(name: &str, from: &Packed) -> Result<Cells, String> {
        let (low, size, parts) = from.told(&format!("{name}/grid"))?;
        let (keys, cells) = (from.flat(&format!("{name}/keys"))?, from.flat(&format!("{name}/cells"))?);
        Ok(Cells { low, size, keys, cells, parts })
    }

    pub fn bytes(&self) -> usize {
        self.keys.own_bytes() + self.cells.own_bytes() + self.parts.len() * size_of::<Range<u32>>()
    }

    /// Number of the cell that holds a place.
    pub fn place(&self, at: Vec3) -> IVec3 {
        ((at - self.low) / self.size).floor().as_ivec3()
    }

    fn key(&self, at: Vec3, normal: Vec3) -> u64 {
        let n = normal.to_array();
        let axis = (0..3).max_by(|&a, &b| n[a].abs().total_cmp(&n[b].abs())).unwrap_or(0);
        let facing = (axis * 2 + usize::from(n[axis] < 0.0)) as u64;
        place_key(self.place(at)) | facing
    }

    /// The rows around one of a part.
    pub fn rows(&self, part: usize, x: i32, y: i32) -> Rows {
        let own = &self.parts[part];
        let keys = &self.keys[own.start as usize..own.end as usize];
        let reach = CELLS_ALONG as i32 + 1;
        // Distance between the nearest sides of two cells, in cells.
        let apart = |d: i32| ((d.abs() - 1).max(0) as f32).powi(2);
        let mut rows = Vec::new();
        for x_there in (x - reach).max(0)..=x + reach {
            let from = |y: i32| place_key(IVec3::new(x_there, y, 0));
            let first = keys.partition_point(|&k| k < from(0));
            let slab = &keys[first..];
            let slab = &slab[..slab.partition_point(|&k| k < place_key(IVec3::new(x_there + 1, 0, 0)))];
            if slab.is_empty() {
                continue;
            }
            for y_there in (y - reach).max(0)..=y + reach {
                if apart(x_there - x) + apart(y_there - y) > CELLS_ALONG * CELLS_ALONG {
                    continue;
                }
                let start = slab.partition_point(|&k| k < from(y_there));
                let count = slab[start..].partition_point(|&k| k < from(y_there + 1));
                let start = own.start + (first + start) as u32;
                if count > 0 {
                    rows.push(start..start + count as u32);
                }
            }
        }
        Rows(rows)
    }

    /// Area and integral of curvature within a ball, both weighed; of what faces as `normal` does.
    pub fn within(&self, rows: &Rows, ball: &Ball, normal: Vec3) -> (f64, f64) {
        let reach = CELLS_ALONG as i32 + 1;
        let middle = ball.middle.as_vec3();
        let z = self.place(middle).z;
        let z_of = |key: u64| (key >> 3) as i32 & ((1 << BITS) - 1);
        let (mut area, mut bend) = (0.0f32, 0.0f32);
        let room = (ball.radius * ball.radius) as f32;
        let (all_keys, cells) = (&*self.keys, &*self.cells);
        for row in &rows.0 {
            let keys = &all_keys[row.start as usize..row.end as usize];
            let first = keys.partition_point(|&k| z_of(k) < z - reach);
            for (i, _) in keys[first..].iter().enumerate().take_while(|(_, k)| z_of(**k) <= z + reach) {
                let cell = &cells[row.start as usize + first + i];
                let share = 1.0 - cell.middle.distance_squared(middle) / room;
                if share > 0.0 {
                    let weight = share * share * facing_weight(cell.normal, normal);
                    area += weight * cell.area;
                    bend += weight * cell.curvature;
                }
            }
        }
        (f64::from(area), f64::from(bend))
    }
}

impl Cell {
    fn of(mesh: &Mesh, triangles: impl Iterator<Item = (u32, f32)>) -> Cell {
        let mut cell = Cell::default();
        for (t, curvature) in triangles {
            let [a, b, c] = mesh.corners(t);
            let normal = mesh.area_normal(t);
            let area = normal.length() * 0.5;
            cell.area += area;
            cell.middle += (a + b + c) / 3.0 * area;
            cell.normal += normal;
            cell.curvature += curvature;
        }
        cell.middle /= cell.area.max(f32::MIN_POSITIVE);
        cell.normal = cell.normal.normalize_or_zero();
        cell
    }
}

fn place_key(place: IVec3) -> u64 {
    let along = |n: i32| u64::from(n.max(0).unsigned_abs());
    ((along(place.x) << (2 * BITS)) + (along(place.y) << BITS) + along(place.z)) << 3
}
