//! Islands much finer or coarser than the rest.

use super::islands::{islands_of_parts, islands_words, picked};
use super::{LowPoly, place_of};
use crate::finding::{Finding, FindingKind, Severity};
use crate::layout::Unwrap;
use crate::mesh::{Mesh, Part};

/// An island this many times finer or coarser than the median is named.
const UNEVEN: f32 = 2.0;

/// Islands with less than this share of the surface are too small to judge the density of.
const SMALL: f64 = 1e-3;

pub(super) fn uneven(low: &LowPoly) -> Vec<Finding> {
    let Some(unwrap) = low.unwrap() else { return Vec::new() };
    let rest = Rest {
        median: unwrap.median_density(),
        least: unwrap.islands.iter().map(|i| f64::from(i.area)).sum::<f64>() * SMALL,
    };
    let parts = low.mesh.parts.iter().zip(islands_of_parts(low.mesh, unwrap));
    parts.flat_map(|(part, own)| uneven_in(low.mesh, unwrap, part, &own, &rest)).collect()
}

/// What islands are measured against.
struct Rest {
    /// UV units per scene unit.
    median: f32,
    /// Area from which an island's density is judged, square units.
    least: f64,
}

fn uneven_in(mesh: &Mesh, unwrap: &Unwrap, part: &Part, own: &[usize], rest: &Rest) -> Vec<Finding> {
    let &Rest { median, least } = rest;
    let judged = |i: usize| unwrap.islands[i].uv_area > 0.0 && f64::from(unwrap.islands[i].area) >= least;
    let texels = |density: f32| density * 1024.0;
    let side = |words: &str, remedy: &str, off: &dyn Fn(f32) -> bool| {
        let (count, triangles) = picked(unwrap, own, |i| judged(i) && off(unwrap.islands[i].density()));
        let extreme = triangles
            .iter()
            .map(|&t| unwrap.islands[unwrap.island_of[t as usize] as usize].density())
            .max_by(|a, b| libm::fabsf(libm::logf(a / median)).total_cmp(&libm::fabsf(libm::logf(b / median))))?;
        Some(
            Finding::new(
                FindingKind::DensitySpread,
                Severity::Note,
                format!(
                    "{} of '{}' {} {words} the texels per unit of the rest: {:.1} against {:.1} at 1024 px",
                    islands_words(count),
                    part.name,
                    if count == 1 { "gets" } else { "get" },
                    texels(extreme),
                    texels(median)
                ),
                remedy,
            )
            .at(place_of(mesh, part, &triangles)),
        )
    };
    let coarse =
        side("less than half", "Give it more of the sheet, or detail there will look soft", &|d| d * UNEVEN < median);
    let fine = side("more than twice", "Shrink it on the sheet to make room for others", &|d| d > median * UNEVEN);
    coarse.into_iter().chain(fine).collect()
}
