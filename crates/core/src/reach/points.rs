//! Where reaches stand: the points of each part. Vertices at one place are one point within their part, so that an envelope has
//! no gaps at hard edges and seams, and two parts that touch may still differ.

use crate::mesh::Mesh;
use rustc_hash::FxHashMap;
use std::ops::Range;

/// Points of a low-poly, and which point each corner of each triangle is.
pub struct ReachPoints {
    pub of: Vec<[u32; 3]>,
    pub count: usize,
    /// Points next to point `p`: `next[starts[p]..starts[p + 1]]`, rising.
    starts: Vec<u32>,
    next: Vec<u32>,
}

impl ReachPoints {
    pub fn new(mesh: &Mesh) -> ReachPoints {
        let parts = mesh.triangle_parts();
        let mut seen: FxHashMap<(u32, [u32; 3]), u32> = FxHashMap::default();
        let mut of = Vec::with_capacity(mesh.triangles.len());
        for (t, part) in parts.iter().enumerate() {
            of.push(mesh.corners(t as u32).map(|p| {
                let key = p.to_array().map(|x| (x + 0.0).to_bits());
                let fresh = seen.len() as u32;
                *seen.entry((*part, key)).or_insert(fresh)
            }));
        }
        let count = seen.len();
        let mut pairs: Vec<(u32, u32)> = of
            .iter()
            .flat_map(|&[a, b, c]| [(a, b), (b, a), (b, c), (c, b), (c, a), (a, c)])
            .filter(|(a, b)| a != b)
            .collect();
        pairs.sort_unstable();
        pairs.dedup();
        let starts = (0..=count as u32).map(|p| pairs.partition_point(|(a, _)| *a < p) as u32).collect();
        ReachPoints { of, count, starts, next: pairs.into_iter().map(|(_, b)| b).collect() }
    }

    /// Points that share an edge with `point`.
    pub fn next_to(&self, point: usize) -> &[u32] {
        &self.next[self.starts[point] as usize..self.starts[point + 1] as usize]
    }

    /// The points of a part, by its triangles: points are numbered as triangles first have them, so they are a run.
    pub fn of_triangles(&self, triangles: &Range<u32>) -> Range<usize> {
        let corners = || self.of[triangles.start as usize..triangles.end as usize].iter().flatten();
        match (corners().min(), corners().max()) {
            (Some(first), Some(last)) => *first as usize..*last as usize + 1,
            _ => 0..0,
        }
    }

    /// Mean of the values around a point; its own where it stands alone. `values[0]` is that of point `first`.
    pub fn mean_around(&self, values: &[f32], first: usize, point: usize) -> f32 {
        let next = self.next_to(point);
        let sum: f32 = next.iter().map(|&n| values[n as usize - first]).sum();
        if next.is_empty() { values[point - first] } else { sum / next.len() as f32 }
    }

    /// Values of points as values of corners.
    pub fn spread(&self, values: &[f32]) -> Vec<[f32; 3]> {
        self.of.iter().map(|corners| corners.map(|p| values[p as usize])).collect()
    }
}
