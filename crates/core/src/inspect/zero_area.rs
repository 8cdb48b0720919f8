//! Faces without area.

use super::{counted, place_of};
use crate::finding::{Finding, FindingKind, Fix, Severity};
use crate::mesh::Mesh;
use crate::step::MeshStep;
use glam::Vec3;

pub(super) fn zero_area(mesh: &Mesh) -> Vec<Finding> {
    let mut found = Vec::new();
    for part in &mesh.parts {
        let empty: Vec<u32> = part.triangles.clone().filter(|&t| mesh.area_normal(t) == Vec3::ZERO).collect();
        if empty.is_empty() {
            continue;
        }
        found.push(
            Finding::new(
                FindingKind::ZeroAreaFaces,
                Severity::Note,
                format!(
                    "{} of '{}' {} no area",
                    counted(empty.len(), "face", "faces"),
                    part.name,
                    if empty.len() == 1 { "has" } else { "have" }
                ),
                "They take up no texels and stop no rays; merge their doubled points to remove them",
            )
            .at(place_of(mesh, part, &empty))
            .with_fixes(vec![Fix::of_file(
                "Drop them",
                MeshStep::MergePoints { part: Some(part.name.clone()), distance: 0.0 },
            )]),
        );
    }
    found
}
