//! Edges that more than two faces share.

use super::edges::{FaultyEdges, same_edge};
use super::{LowPoly, counted};
use crate::finding::{Finding, FindingKind, Fix};
use crate::mesh::weld;
use crate::step::MeshStep;
use rustc_hash::FxHashSet;

/// Edges that more than two faces of a part share.
pub(super) fn non_manifold(low: &LowPoly) -> Vec<Finding> {
    let mesh = low.mesh;
    let mut faulty = FaultyEdges::default();
    low.sides().chunk_by(same_edge).filter(|edge| edge.len() > 2).for_each(|edge| faulty.add(edge));
    let reason = |edges, part: &str| {
        format!("{} by three or more faces in '{part}'", counted(edges, "edge is shared", "edges are shared"))
    };
    let remedy = "Remove doubled faces and inner walls: nothing tells there which side is out";
    let point_of = weld(mesh).point_of;
    // Only faces that stand twice can be taken away safely.
    let fix = |part: &str, triangles: &[u32]| {
        let mut seen = FxHashSet::default();
        let twice = triangles.iter().any(|&t| {
            let mut points = mesh.triangles[t as usize].map(|v| point_of[v as usize]);
            points.sort_unstable();
            !seen.insert(points)
        });
        let step = MeshStep::MergePoints { part: Some(part.to_owned()), distance: 0.0 };
        twice.then(|| Fix::of_file("Remove doubled faces", step))
    };
    faulty.findings(mesh, FindingKind::NonManifoldEdges, reason, remedy, fix)
}
