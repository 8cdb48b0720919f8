//! Points that lie beside each other without being the same.

use super::{LowPoly, counted, place_of};
use crate::finding::{Finding, FindingKind, Fix, Severity};
use crate::mesh::merged_positions;
use crate::step::MeshStep;
use rustc_hash::FxHashSet;

/// Points closer than this share of the diagonal are taken to be one that came apart.
const DOUBLED: f32 = 1e-5;

/// Points of a part that lie beside each other without being the same: a crack that rays slip through.
pub(super) fn doubled_points(low: &LowPoly) -> Vec<Finding> {
    let mesh = low.mesh;
    let diagonal = mesh.diagonal();
    let distance = diagonal * DOUBLED;
    let mut found = Vec::new();
    for part in &mesh.parts {
        let merged = merged_positions(mesh, part, distance, diagonal);
        let off = |v: &u32| merged.get(v).is_some_and(|p| *p != mesh.positions[*v as usize]);
        let triangles: Vec<u32> =
            part.triangles.clone().filter(|&t| mesh.triangles[t as usize].iter().any(off)).collect();
        if triangles.is_empty() {
            continue;
        }
        let points: FxHashSet<[u32; 3]> = merged
            .keys()
            .filter(|v| off(v))
            .map(|&v| mesh.positions[v as usize].to_array().map(f32::to_bits))
            .collect();
        let step = MeshStep::MergePoints { part: Some(part.name.clone()), distance };
        found.push(
            Finding::new(
                FindingKind::DoubledPoints,
                Severity::Warning,
                format!(
                    "{} of '{}' {} a hair's breadth from another (less than {distance:.2e} away)",
                    counted(points.len(), "point", "points"),
                    part.name,
                    if points.len() == 1 { "lies" } else { "lie" },
                ),
                "Merge them: the surface is cracked there, and shading and rays break along the crack",
            )
            .at(place_of(mesh, part, &triangles))
            .with_fixes(vec![Fix::of_file("Merge them", step)]),
        );
    }
    found
}
