//! Findings on a low-poly's UVs: faces on each other, islands turned over, uneven density, stretch.

use super::checks::{percent, place_of};
use super::{Mesh, MeshStep, Overlap, Part, Unwrap, find_overlaps};
use crate::finding::{Finding, FindingKind, Fix, Place, Severity};
use std::collections::BTreeMap;

/// An island this many times finer or coarser than the median is named.
const UNEVEN: f32 = 2.0;
/// Faces stretched beyond this are counted, and named from this share of a part's surface on.
const STRETCHED: f32 = 2.5;
const STRETCHED_SHARE: f64 = 0.05;
/// Islands with less than this share of the surface are too small to judge the density of.
const SMALL: f64 = 1e-3;

/// Overlaps of less than this share of the UV square are no warning, and those of less than a texel of the largest sheet nothing.
const NO_WARNING: f64 = 5e-5;
const NO_TEXEL: f64 = 1.0 / (16384.0 * 16384.0);

fn share_words(share: f64) -> String {
    if share < NO_WARNING { "less than 0.01 %".into() } else { format!("{:.2} %", share * 100.0) }
}

pub(super) fn unwrap_findings(mesh: &Mesh, unwrap: &Unwrap) -> Vec<Finding> {
    let mut found = overlaps(mesh, unwrap);
    let mut of_part = vec![Vec::new(); mesh.parts.len()];
    for (number, island) in unwrap.islands.iter().enumerate() {
        of_part[part_of(mesh, island.triangles[0])].push(number);
    }
    let median = unwrap.median_density();
    let area = unwrap.islands.iter().map(|i| f64::from(i.area)).sum::<f64>();
    for (part, own) in mesh.parts.iter().zip(&of_part) {
        found.extend(mirrored(mesh, unwrap, part, own));
        found.extend(uneven(mesh, unwrap, part, own, (median, area * SMALL)));
        found.extend(stretched(mesh, unwrap, part));
    }
    found
}

fn part_of(mesh: &Mesh, triangle: u32) -> usize {
    mesh.parts.partition_point(|p| p.triangles.end <= triangle)
}

/// One finding for each two parts (or one part with itself) whose faces lie on each other.
fn overlaps(mesh: &Mesh, unwrap: &Unwrap) -> Vec<Finding> {
    let Some(found) = find_overlaps(mesh, &unwrap.island_of) else {
        return vec![Finding {
            fixes: Vec::new(),
            allowed: None,
            kind: FindingKind::OverlappingUvs,
            severity: Severity::Warning,
            reason: "So many faces lie on each other on the sheet that their overlaps were not measured".into(),
            remedy: "Unwrap the mesh so that each face has a place of its own, and export again".into(),
            place: Place { count: mesh.triangles.len() as u32, ..Place::default() },
        }];
    };
    let mut by_parts: BTreeMap<(usize, usize), Vec<&Overlap>> = BTreeMap::new();
    for overlap in &found {
        let [a, b] = overlap.islands.map(|i| part_of(mesh, unwrap.islands[i as usize].triangles[0]));
        by_parts.entry((a.min(b), a.max(b))).or_default().push(overlap);
    }
    let finding = |((a, b), overlaps): ((usize, usize), Vec<&Overlap>)| {
        let area: f64 = overlaps.iter().map(|o| o.area).sum();
        let mut triangles: Vec<u32> = overlaps.iter().flat_map(|o| o.triangles.iter().copied()).collect();
        triangles.sort_unstable();
        triangles.dedup();
        let who = match a == b {
            true => format!("Faces of '{}' lie on each other", mesh.parts[a].name),
            false => format!("'{}' and '{}' lie on each other", mesh.parts[a].name, mesh.parts[b].name),
        };
        let apart = on_other_materials(mesh, &overlaps);
        // An island folded onto itself needs another unwrap; one that lies on another can move.
        let movable = overlaps.iter().any(|o| o.islands[0] != o.islands[1]);
        let step = MeshStep::LayOut { part: Some(mesh.parts[b].name.clone()) };
        let fix = || Fix::of_file(format!("Lay '{}' into free room", mesh.parts[b].name), step);
        Finding {
            fixes: (movable && !apart).then(fix).into_iter().collect(),
            allowed: None,
            kind: FindingKind::OverlappingUvs,
            severity: if apart || area < NO_WARNING { Severity::Note } else { Severity::Warning },
            reason: format!("{who} on {} of the UV square", share_words(area)),
            remedy: if apart {
                "They have different materials: bake one sheet a material, and each gets its own texels".into()
            } else {
                "Move one of them aside, or give them materials of their own and bake one sheet per material; both write the same texels. Accept it if they are meant to share".into()
            },
            place: Place { uv: Some(overlaps[0].at.to_array()), ..place_of(mesh, &mesh.parts[a], &triangles) },
        }
    };
    let felt = |(_, overlaps): &(_, Vec<&Overlap>)| overlaps.iter().map(|o| o.area).sum::<f64>() >= NO_TEXEL;
    by_parts.into_iter().filter(felt).map(finding).collect()
}

/// True when each pair of islands that lie on each other have different materials.
fn on_other_materials(mesh: &Mesh, overlaps: &[&Overlap]) -> bool {
    let material = |triangle: u32| mesh.triangle_materials.get(triangle as usize);
    overlaps.iter().all(|o| {
        let first = material(o.triangles[0]);
        o.islands[0] != o.islands[1] && first.is_some() && o.triangles.iter().any(|&t| material(t) != first)
    })
}

/// Those of `own` islands that `which` picks: how many, and all their triangles.
fn picked(unwrap: &Unwrap, own: &[usize], which: impl Fn(usize) -> bool) -> (usize, Vec<u32>) {
    let islands: Vec<usize> = own.iter().copied().filter(|&i| which(i)).collect();
    (islands.len(), islands.iter().flat_map(|&i| unwrap.islands[i].triangles.iter().copied()).collect())
}

fn islands_words(count: usize) -> String {
    if count == 1 { "A UV island".into() } else { format!("{count} UV islands") }
}

fn mirrored(mesh: &Mesh, unwrap: &Unwrap, part: &Part, own: &[usize]) -> Option<Finding> {
    let (count, triangles) = picked(unwrap, own, |i| unwrap.islands[i].mirrored);
    (count > 0).then(|| Finding {
        fixes: Vec::new(),
        allowed: None,
        kind: FindingKind::MirroredIslands,
        severity: Severity::Note,
        reason: format!(
            "{} of '{}' {} mirrored",
            islands_words(count),
            part.name,
            if count == 1 { "is" } else { "are" }
        ),
        remedy: "Normal maps allow for it; lettering painted there reads backwards. Flip the island to be rid of it"
            .into(),
        place: place_of(mesh, part, &triangles),
    })
}

/// `least`: area from which an island's density is judged, square units.
fn uneven(mesh: &Mesh, unwrap: &Unwrap, part: &Part, own: &[usize], (median, least): (f32, f64)) -> Vec<Finding> {
    let judged = |i: usize| unwrap.islands[i].uv_area > 0.0 && f64::from(unwrap.islands[i].area) >= least;
    let texels = |density: f32| density * 1024.0;
    let side = |words: &str, remedy: &str, off: &dyn Fn(f32) -> bool| {
        let (count, triangles) = picked(unwrap, own, |i| judged(i) && off(unwrap.islands[i].density()));
        let extreme = triangles
            .iter()
            .map(|&t| unwrap.islands[unwrap.island_of[t as usize] as usize].density())
            .max_by(|a, b| libm::fabsf(libm::logf(a / median)).total_cmp(&libm::fabsf(libm::logf(b / median))))?;
        Some(Finding {
            fixes: Vec::new(),
            allowed: None,
            kind: FindingKind::DensitySpread,
            severity: Severity::Note,
            reason: format!(
                "{} of '{}' {} {words} the texels per unit of the rest: {:.1} beside {:.1} on a 1024 sheet",
                islands_words(count),
                part.name,
                if count == 1 { "gets" } else { "get" },
                texels(extreme),
                texels(median)
            ),
            remedy: remedy.into(),
            place: place_of(mesh, part, &triangles),
        })
    };
    let coarse =
        side("less than half", "Give it more of the sheet, or detail there will look soft", &|d| d * UNEVEN < median);
    let fine = side("more than twice", "Shrink it on the sheet and give the room to others", &|d| d > median * UNEVEN);
    coarse.into_iter().chain(fine).collect()
}

fn stretched(mesh: &Mesh, unwrap: &Unwrap, part: &Part) -> Option<Finding> {
    let area = |t: u32| f64::from(mesh.area_normal(t).length());
    let triangles: Vec<u32> =
        part.triangles.clone().filter(|&t| unwrap.faces[t as usize].stretch > STRETCHED).collect();
    let of_part: f64 = part.triangles.clone().map(area).sum();
    let share = triangles.iter().map(|&t| area(t)).sum::<f64>() / of_part.max(f64::MIN_POSITIVE);
    (share >= STRETCHED_SHARE).then(|| Finding {
        fixes: Vec::new(),
        allowed: None,
        kind: FindingKind::StretchedUvs,
        severity: Severity::Note,
        reason: format!(
            "{} faces of '{}' ({:.0} % of its surface) are stretched more than {STRETCHED} to 1 on the sheet",
            triangles.len(),
            part.name,
            percent((share * 1000.0) as usize, 1000)
        ),
        remedy: "Detail there is sharp one way and soft the other; unwrap these faces to their own shape".into(),
        place: place_of(mesh, part, &triangles),
    })
}
