//! Edges of a mesh with the faces on them, and findings on faulty ones part by part.

use super::place_of;
use crate::finding::{Finding, FindingKind, Fix, Severity};
use crate::mesh::{Mesh, weld};
use rayon::prelude::*;
use std::collections::BTreeMap;

/// One side of an edge: its points in rising order, its part, the triangle, and which of its edges.
pub(super) type EdgeSide = ((u32, u32), usize, u32, usize);

/// Sides of all edges, those of one edge of one part beside each other.
pub(super) fn edge_sides(mesh: &Mesh) -> Vec<EdgeSide> {
    let point_of = weld(mesh).point_of;
    let mut sides: Vec<EdgeSide> = Vec::with_capacity(mesh.triangles.len() * 3);
    for (part, range) in mesh.parts.iter().map(|p| p.triangles.clone()).enumerate() {
        for t in range {
            let points = mesh.triangles[t as usize].map(|v| point_of[v as usize]);
            for i in 0..3 {
                let (a, b) = (points[i], points[(i + 1) % 3]);
                if a != b {
                    sides.push(((a.min(b), a.max(b)), part, t, i));
                }
            }
        }
    }
    sides.par_sort_unstable();
    sides
}

pub(super) fn same_edge(a: &EdgeSide, b: &EdgeSide) -> bool {
    (a.0, a.1) == (b.0, b.1)
}

/// Edges at fault, by part: how many, and the triangles on them.
#[derive(Default)]
pub(super) struct FaultyEdges(BTreeMap<usize, (usize, Vec<u32>)>);

impl FaultyEdges {
    pub fn add(&mut self, edge: &[EdgeSide]) {
        let (edges, triangles) = self.0.entry(edge[0].1).or_default();
        *edges += 1;
        triangles.extend(edge.iter().map(|side| side.2));
    }

    /// One finding a part; `reason` gets the number of edges and the part's name.
    pub fn findings(
        self,
        mesh: &Mesh,
        kind: FindingKind,
        reason: impl Fn(usize, &str) -> String,
        remedy: &str,
        fix: impl Fn(&str, &[u32]) -> Option<Fix>,
    ) -> Vec<Finding> {
        let finding = |(part, (edges, mut triangles)): (usize, (usize, Vec<u32>))| {
            triangles.sort_unstable();
            triangles.dedup();
            let part = &mesh.parts[part];
            Finding::new(kind, Severity::Warning, reason(edges, &part.name), remedy)
                .at(place_of(mesh, part, &triangles))
                .with_fixes(fix(&part.name, &triangles).into_iter().collect())
        };
        self.0.into_iter().map(finding).collect()
    }
}
