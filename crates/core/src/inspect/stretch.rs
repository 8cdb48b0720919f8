//! Faces stretched on the sheet.

use super::{LowPoly, percent, place_of};
use crate::finding::{Finding, FindingKind, Severity};
use crate::layout::Unwrap;
use crate::mesh::{Mesh, Part};

/// Faces stretched beyond this are counted, and named from this share of a part's surface on.
const STRETCHED: f32 = 2.5;

const STRETCHED_SHARE: f64 = 0.05;

pub(super) fn stretched(low: &LowPoly) -> Vec<Finding> {
    let Some(unwrap) = low.unwrap() else { return Vec::new() };
    low.mesh.parts.iter().filter_map(|part| stretched_in(low.mesh, unwrap, part)).collect()
}

fn stretched_in(mesh: &Mesh, unwrap: &Unwrap, part: &Part) -> Option<Finding> {
    let area = |t: u32| f64::from(mesh.area_normal(t).length());
    let triangles: Vec<u32> =
        part.triangles.clone().filter(|&t| unwrap.faces[t as usize].stretch > STRETCHED).collect();
    let of_part: f64 = part.triangles.clone().map(area).sum();
    let share = triangles.iter().map(|&t| area(t)).sum::<f64>() / of_part.max(f64::MIN_POSITIVE);
    (share >= STRETCHED_SHARE).then(|| {
        Finding::new(
            FindingKind::StretchedUvs,
            Severity::Note,
            format!(
                "{} faces of '{}' ({:.0} % of its surface) are stretched more than {STRETCHED} to 1 on the sheet",
                triangles.len(),
                part.name,
                percent((share * 1000.0) as usize, 1000)
            ),
            "Detail there is sharp one way and soft the other; unwrap these faces to their own shape",
        )
        .at(place_of(mesh, part, &triangles))
    })
}
