//! Islands that leave the unit square.

use super::{LowPoly, place_of};
use crate::finding::{Finding, FindingKind, Fix, Severity};
use crate::step::MeshStep;

/// Islands with a corner outside the unit square.
pub(super) fn islands_outside(low: &LowPoly) -> Vec<Finding> {
    let Some(unwrap) = low.unwrap() else { return Vec::new() };
    let mesh = low.mesh;
    let mut found = Vec::new();
    for island in unwrap.islands.iter().filter(|i| i.is_outside()) {
        let (low, high, first) = (island.low, island.high, island.triangles[0]);
        let Some(part) = mesh.parts.iter().find(|p| p.triangles.contains(&first)) else { continue };
        let lay_out = Fix::of_file("Move it into free space", MeshStep::LayOut { part: Some(part.name.clone()) });
        let (remedy, fixes) = match island.squares_back() {
            Some(by) => {
                let step = MeshStep::MoveIslands { part: Some(part.name.clone()) };
                let fix = Fix::of_file("Move it by whole squares", step);
                let by = (by.x as i32, by.y as i32);
                (
                    format!("Move the island by ({}, {}) whole squares to bring it back inside", by.0, by.1),
                    vec![fix, lay_out],
                )
            }
            None => ("Scale or move the island so that all of it lies between 0 and 1".to_owned(), vec![lay_out]),
        };
        found.push(
            Finding::new(
                FindingKind::IslandOutside,
                Severity::Fault,
                format!(
                    "A UV island of '{}' lies outside the square: u {:.3} to {:.3}, v {:.3} to {:.3}",
                    part.name, low.x, high.x, low.y, high.y
                ),
                remedy,
            )
            .at(place_of(mesh, part, &island.triangles))
            .with_fixes(fixes),
        );
    }
    found
}
