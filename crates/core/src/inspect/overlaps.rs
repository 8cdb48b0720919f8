//! Faces on each other on the sheet.

use super::{LowPoly, place_of};
use crate::finding::{Finding, FindingKind, Fix, Place, Severity};
use crate::layout::{Overlap, find_overlaps};
use crate::mesh::Mesh;
use crate::step::MeshStep;
use std::collections::BTreeMap;

/// Overlaps of less than this share of the UV square are no warning, and those of less than a texel of the largest sheet nothing.
const NO_WARNING: f64 = 5e-5;

const NO_TEXEL: f64 = 1.0 / (16384.0 * 16384.0);

fn share_words(share: f64) -> String {
    if share < NO_WARNING { "less than 0.01 %".into() } else { format!("{:.2} %", share * 100.0) }
}

/// One finding for each two parts (or one part with itself) whose faces overlap.
pub(super) fn overlaps(low: &LowPoly) -> Vec<Finding> {
    let Some(unwrap) = low.unwrap() else { return Vec::new() };
    let mesh = low.mesh;
    let Some(found) = find_overlaps(mesh, &unwrap.island_of) else {
        return vec![
            Finding::new(
                FindingKind::OverlappingUvs,
                Severity::Warning,
                "So many faces overlap on the sheet that the overlaps were not measured",
                "Unwrap the mesh so that each face has a place of its own, and export again",
            )
            .at(Place { count: mesh.triangles.len() as u32, ..Place::default() }),
        ];
    };
    let mut by_parts: BTreeMap<(usize, usize), Vec<&Overlap>> = BTreeMap::new();
    for overlap in &found {
        let [a, b] = overlap.islands.map(|i| mesh.part_of(unwrap.islands[i as usize].triangles[0]));
        by_parts.entry((a.min(b), a.max(b))).or_default().push(overlap);
    }
    let finding = |((a, b), overlaps): ((usize, usize), Vec<&Overlap>)| {
        let area: f64 = overlaps.iter().map(|o| o.area).sum();
        let mut triangles: Vec<u32> = overlaps.iter().flat_map(|o| o.triangles.iter().copied()).collect();
        triangles.sort_unstable();
        triangles.dedup();
        let who = match a == b {
            true => format!("Faces of '{}' overlap", mesh.parts[a].name),
            false => format!("'{}' and '{}' overlap", mesh.parts[a].name, mesh.parts[b].name),
        };
        let apart = on_other_materials(mesh, &overlaps);
        // An island folded onto itself needs another unwrap; one that lies on another can move.
        let movable = overlaps.iter().any(|o| o.islands[0] != o.islands[1]);
        let step = MeshStep::LayOut { part: Some(mesh.parts[b].name.clone()) };
        let fix = || Fix::of_file(format!("Move '{}' into free space", mesh.parts[b].name), step);
        Finding::new(FindingKind::OverlappingUvs, if apart || area < NO_WARNING { Severity::Note } else { Severity::Warning }, format!("{who} on {} of the UV square", share_words(area)), if apart {
                "They have different materials: bake one sheet per material, and each gets its own texels"
            } else {
                "Both write the same texels. Move one of them, or give each a material of its own and bake one sheet per material. Accept it if they are meant to share"
            }).at(Place { uv: Some(overlaps[0].at.to_array()), ..place_of(mesh, &mesh.parts[a], &triangles) }).with_fixes((movable && !apart).then(fix).into_iter().collect())
    };
    let felt = |(_, overlaps): &(_, Vec<&Overlap>)| overlaps.iter().map(|o| o.area).sum::<f64>() >= NO_TEXEL;
    by_parts.into_iter().filter(felt).map(finding).collect()
}

/// True when each pair of islands that overlap have different materials.
fn on_other_materials(mesh: &Mesh, overlaps: &[&Overlap]) -> bool {
    let material = |triangle: u32| mesh.triangle_materials.get(triangle as usize);
    overlaps.iter().all(|o| {
        let first = material(o.triangles[0]);
        o.islands[0] != o.islands[1] && first.is_some() && o.triangles.iter().any(|&t| material(t) != first)
    })
}
