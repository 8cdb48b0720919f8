//! Faces that were cut into triangles here.

use super::{LowPoly, counted};
use crate::finding::{Finding, FindingKind, Place, Severity};

pub(super) fn triangulated(low: &LowPoly) -> Vec<Finding> {
    let mesh = low.mesh;
    let finding = (mesh.polygons > 0).then(|| {
        Finding::new(
            FindingKind::PolygonsTriangulated,
            Severity::Note,
            format!(
                "{} with more than three corners {} cut into triangles",
                counted(mesh.polygons as usize, "face", "faces"),
                if mesh.polygons == 1 { "was" } else { "were" }
            ),
            "Triangulate before export, so that the renderer cuts them the same way and shades them alike",
        )
        .at(Place { count: mesh.polygons, ..Place::default() })
    });
    finding.into_iter().collect()
}
