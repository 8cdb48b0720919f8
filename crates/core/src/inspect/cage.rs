//! A cage that lacks points of the low-poly, or lies inside of it.

use crate::finding::{Finding, FindingKind, Place, Severity};
use crate::mesh::Mesh;
use crate::reach::CageMatch;
use glam::Vec3;

/// What the artist should know of a cage's match with its low-poly.
pub fn cage_gaps(cage: &CageMatch, low: &Mesh) -> Vec<Finding> {
    let place = |triangles: &[u32]| Place {
        triangles: triangles.iter().copied().take(Place::MOST_TRIANGLES).collect(),
        count: triangles.len() as u32,
        point: triangles.first().map(|&t| (low.corners(t).iter().sum::<Vec3>() / 3.0).to_array()),
        ..Place::default()
    };
    let finding = |triangles: &[u32], reason: String, remedy: &str| {
        (!triangles.is_empty())
            .then(|| Finding::new(FindingKind::CageGaps, Severity::Warning, reason, remedy).at(place(triangles)))
    };
    let all = cage.corners.len();
    let gaps = format!(
        "{} of {all} triangles have a corner with no matching point in the cage (matched by UV and position); rays start on the envelope there",
        cage.unmatched.len()
    );
    let below = format!(
        "The cage lies inside the low-poly at {} of {all} triangles; rays start too deep there",
        cage.inside.len()
    );
    [
        finding(&cage.unmatched, gaps, "Export the envelope as a new cage and move its points, or leave it as it is"),
        finding(&cage.inside, below, "Move these cage points outward"),
    ]
    .into_iter()
    .flatten()
    .collect()
}
