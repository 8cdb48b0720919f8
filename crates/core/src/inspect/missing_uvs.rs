//! Parts without a place on the sheet.

use super::{LowPoly, place_of};
use crate::finding::{Finding, FindingKind, Fix, Severity};
use crate::mesh::Part;
use crate::step::MeshStep;

/// A part has no UVs when the file has none, or when all its faces collapse to no UV area.
pub(super) fn missing_uvs(low: &LowPoly) -> Vec<Finding> {
    let mesh = low.mesh;
    let without = |part: &&Part| {
        mesh.uvs.is_empty()
            || part.triangles.clone().all(|t| {
                let [a, b, c] = mesh.corner_uvs(t);
                (b - a).perp_dot(c - a) == 0.0
            })
    };
    let finding = |part: &Part| {
        Finding::new(
            FindingKind::MissingUvs,
            Severity::Fault,
            format!("'{}' has no UVs, so none of its surface has a place on the sheet", part.name),
            "Unwrap it in the modelling program and export it again with UVs, or lay it out here",
        )
        .at(place_of(mesh, part, &part.triangles.clone().collect::<Vec<_>>()))
        .with_fixes(vec![Fix::of_file("Lay it flat in free space", MeshStep::LayOut { part: Some(part.name.clone()) })])
    };
    mesh.parts.iter().filter(without).map(finding).collect()
}
