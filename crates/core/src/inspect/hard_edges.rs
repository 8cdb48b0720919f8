//! Edges where shading breaks and UVs do not.

use super::edges::{EdgeSide, FaultyEdges, same_edge};
use super::{LowPoly, counted};
use crate::finding::{Finding, FindingKind, Fix};
use crate::step::MeshStep;

/// Seams sharper than this many degrees are made hard when normals are made anew.
const HARD_AT_SEAMS: f32 = 30.0;

/// Normals this far apart (cosine) make an edge hard.
const HARD: f32 = 0.9998;

/// Edges where shading breaks but UVs do not. Both sides share their texels, so a normal map cannot serve the two normals.
pub(super) fn without_seam(low: &LowPoly) -> Vec<Finding> {
    let Some(unwrap) = low.unwrap() else { return Vec::new() };
    let mesh = low.mesh;
    let mut faulty = FaultyEdges::default();
    for edge in low.sides().chunk_by(same_edge) {
        let [one, two] = edge else { continue };
        // The ends of the edge as each face has them. Two faces that agree run along it in opposite ways; of two that do
        // not, one is turned, and a finding of its own.
        let ends = |side: &EdgeSide| {
            let triangle = mesh.triangles[side.2 as usize];
            [triangle[side.3], triangle[(side.3 + 1) % 3]].map(|v| v as usize)
        };
        let ([a, b], [d, c]) = (ends(one), ends(two));
        if mesh.positions[a] != mesh.positions[c] {
            continue;
        }
        let hard = |v: usize, w: usize| mesh.normals[v].dot(mesh.normals[w]) < HARD;
        let seam = mesh.uvs[a] != mesh.uvs[c] || mesh.uvs[b] != mesh.uvs[d];
        let laid_out = |side: &EdgeSide| unwrap.faces[side.2 as usize].density > 0.0;
        if hard(a, c) && hard(b, d) && !seam && laid_out(one) && laid_out(two) {
            faulty.add(edge);
        }
    }
    let reason = |edges, part: &str| {
        format!("{} in '{part}'", counted(edges, "hard edge has no UV seam", "hard edges have no UV seam"))
    };
    let remedy = "Split the UVs along them, or smooth them; otherwise a line shows there";
    let fix = |part: &str, _: &[u32]| {
        let step = MeshStep::NormalsAtSeams { part: Some(part.to_owned()), degrees: HARD_AT_SEAMS };
        Some(Fix::of_file("Make edges hard at seams only", step))
    };
    faulty.findings(mesh, FindingKind::HardEdgesWithoutSeam, reason, remedy, fix)
}
