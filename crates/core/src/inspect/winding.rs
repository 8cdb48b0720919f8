//! Faces wound against their neighbours, and shells that look inward.

use super::{counted, percent, place_of};
use crate::finding::{Finding, FindingKind, Fix, Severity};
use crate::mesh::{Mesh, Neighbours, Shell, find_shells, inward_shells};
use crate::step::MeshStep;

/// Faces wound against their neighbours, and shells that look inward. Two faces that agree run along their shared edge in
/// opposite ways; within each shell the smaller camp is called turned.
pub(super) fn winding(mesh: &Mesh) -> Vec<Finding> {
    let neighbours = Neighbours::new(mesh);
    let mut found = Vec::new();
    for part in &mesh.parts {
        let shells = find_shells(mesh, part, &neighbours);
        let fix = || vec![Fix::of_file("Flip them outward", MeshStep::TurnFaces { part: Some(part.name.clone()) })];
        let mut turned: Vec<u32> = shells.iter().flat_map(|s| &s.turned).copied().collect();
        turned.sort_unstable();
        if !turned.is_empty() {
            found.push(
                Finding::new(
                    FindingKind::TurnedFaces,
                    Severity::Fault,
                    format!(
                        "{} of {} faces of '{}' ({:.1} %) are wound against their neighbours, so they look inside out",
                        turned.len(),
                        part.triangles.len(),
                        part.name,
                        percent(turned.len(), part.triangles.len())
                    ),
                    "Flip these faces: rays skip faces that point away",
                )
                .at(place_of(mesh, part, &turned))
                .with_fixes(fix()),
            );
        }
        let inward: Vec<&Shell> = inward_shells(&shells).collect();
        if !inward.is_empty() {
            let sure = inward.iter().all(|s| s.closed);
            let triangles: Vec<u32> = inward.iter().flat_map(|s| &s.triangles).copied().collect();
            found.push(
                Finding::new(
                    FindingKind::InsideOut,
                    if sure { Severity::Fault } else { Severity::Warning },
                    format!(
                        "{} of '{}' {} inside out, {} faces",
                        counted(inward.len(), "shell", "shells"),
                        part.name,
                        match (sure, inward.len()) {
                            (true, 1) => "is",
                            (true, _) => "are",
                            (false, 1) => "seems to be",
                            (false, _) => "seem to be",
                        },
                        triangles.len()
                    ),
                    "Flip all of its faces, or accept it if it is meant to be seen from inside",
                )
                .at(place_of(mesh, part, &triangles))
                .with_fixes(fix()),
            );
        }
    }
    found
}
