//! Islands nearer to each other than the padding.

use super::place_of;
use crate::finding::{Finding, FindingKind, Severity};
use crate::layout::{Gap, Overlap, Unwrap, find_gaps, find_overlaps};
use crate::mesh::Mesh;
use crate::sheet::{Layout, Padding, SheetSettings};
use rustc_hash::FxHashSet;

/// Islands this near are looked for: two texels of a sheet of 32.
pub(super) const WIDEST_GAP: f32 = 1.0 / 16.0;

/// Islands nearer than this many texels mix.
pub(super) const MIXING: f32 = 2.0;

/// Gaps between islands that share a sheet; islands on other sheets do not meet.
pub(super) fn sheet_gaps(mesh: &Mesh, unwrap: &Unwrap, sheet: &SheetSettings, radius: f32) -> Vec<Option<Gap>> {
    let material = |i: u32| {
        let first = unwrap.islands[i as usize].triangles[0] as usize;
        mesh.triangle_materials.get(first).and_then(|&m| mesh.materials.get(m as usize))
    };
    let by_material = sheet.layout == Layout::Materials;
    find_gaps(mesh, unwrap, radius, |a, b| !by_material || material(a) == material(b))
}

/// Islands nearer to each other than the padding, part by part; those that overlap are another finding.
pub fn tight_islands(mesh: &Mesh, sheet: &SheetSettings) -> Vec<Finding> {
    let Some(unwrap) = Unwrap::new(mesh) else { return Vec::new() };
    let gaps = sheet_gaps(mesh, &unwrap, sheet, WIDEST_GAP);
    let overlaps = find_overlaps(mesh, &unwrap.island_of).unwrap_or_default();
    tight(mesh, &unwrap, &gaps, &overlaps, sheet)
}

pub(super) fn tight(
    mesh: &Mesh,
    unwrap: &Unwrap,
    gaps: &[Option<Gap>],
    overlaps: &[Overlap],
    sheet: &SheetSettings,
) -> Vec<Finding> {
    let wanted = match sheet.padding {
        Padding::Texels(texels) => texels as f32,
        Padding::All => MIXING,
    };
    let size = sheet.size as f32;
    let on_others: FxHashSet<u32> = overlaps.iter().flat_map(|o| o.islands).collect();
    let tight = |i: &u32| {
        let near = |g: &Gap| g.distance * size < wanted && !on_others.contains(&g.other);
        !on_others.contains(i) && gaps[*i as usize].as_ref().is_some_and(near)
    };
    let mut found = Vec::new();
    for part in &mesh.parts {
        let own = (0..unwrap.islands.len() as u32)
            .filter(|&i| part.triangles.contains(&unwrap.islands[i as usize].triangles[0]))
            .filter(tight);
        let mut own: Vec<(u32, Gap)> = own.filter_map(|i| Some((i, gaps[i as usize]?))).collect();
        own.sort_by(|a, b| a.1.distance.total_cmp(&b.1.distance));
        let Some((_, nearest)) = own.first().copied() else { continue };
        let triangles: Vec<u32> = own.iter().flat_map(|(i, _)| unwrap.islands[*i as usize].triangles.clone()).collect();
        let texels = nearest.distance * size;
        let mixes = texels < MIXING;
        let mut place = place_of(mesh, part, &triangles);
        place.uv = Some(nearest.at.to_array());
        found.push(Finding::new(FindingKind::TightIslands, if mixes { Severity::Warning } else { Severity::Note }, format!(
                "{} of '{}' {} within {texels:.1} texels of another at {} px, closer than the padding of {wanted:.0}",
                if own.len() == 1 { "A UV island".to_owned() } else { format!("{} UV islands", own.len()) },
                part.name,
                if own.len() == 1 { "comes" } else { "come" },
                sheet.size
            ), if mixes {
                "Move them apart or bake a larger sheet; they bleed into each other even at full size"
            } else {
                "Move them apart, or accept that they blend where the texture is drawn small"
            }).at(place));
    }
    found
}
