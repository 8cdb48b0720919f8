//! Islands turned over on the sheet.

use super::islands::{islands_of_parts, islands_words, picked};
use super::{LowPoly, place_of};
use crate::finding::{Finding, FindingKind, Severity};
use crate::layout::Unwrap;
use crate::mesh::{Mesh, Part};

pub(super) fn mirrored(low: &LowPoly) -> Vec<Finding> {
    let Some(unwrap) = low.unwrap() else { return Vec::new() };
    let parts = low.mesh.parts.iter().zip(islands_of_parts(low.mesh, unwrap));
    parts.filter_map(|(part, own)| mirrored_in(low.mesh, unwrap, part, &own)).collect()
}

fn mirrored_in(mesh: &Mesh, unwrap: &Unwrap, part: &Part, own: &[usize]) -> Option<Finding> {
    let (count, triangles) = picked(unwrap, own, |i| unwrap.islands[i].mirrored);
    (count > 0).then(|| {
        Finding::new(
            FindingKind::MirroredIslands,
            Severity::Note,
            format!("{} of '{}' {} mirrored", islands_words(count), part.name, if count == 1 { "is" } else { "are" }),
            "Normal maps cope with it, but lettering painted there reads backwards. Flip the island to avoid that",
        )
        .at(place_of(mesh, part, &triangles))
    })
}
