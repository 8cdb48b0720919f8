//! A low-poly's layout on the sheet in figures: density island by island against the rest, stretch, unused room, and the room
//! between islands at the size that is baked and at each smaller one that a renderer makes of it.

use super::checks::place_of;
use super::{Gap, Mesh, Overlap, Unwrap, find_gaps, find_overlaps};
use crate::finding::{Finding, FindingKind, Severity};
use crate::recipe::{Layout, Padding, SheetSettings};
use rustc_hash::FxHashSet;
use serde::Serialize;
use ts_rs::TS;

/// One island.
#[derive(Clone, Debug, Serialize, TS)]
pub struct IslandLine {
    /// Counted from 1, by first triangle.
    pub number: u32,
    pub part: String,
    pub triangles: u32,
    /// Share of the unit square.
    pub uv_area: f32,
    /// UV units per scene unit; times the sheet's size, texels per scene unit.
    pub density: f32,
    /// Mean stretch over its surface; 1 keeps angles.
    pub stretch: f32,
    pub mirrored: bool,
    /// Lower left and upper right corner, UV units.
    pub low: [f32; 2],
    pub high: [f32; 2],
    /// A point of the model to look at.
    pub point: [f32; 3],
    /// UV units to the nearest other island; None where there is room around.
    pub gap: Option<f32>,
}

/// Room between islands at one mip level.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, TS)]
pub struct MipLine {
    pub level: u32,
    /// Texels a side.
    pub size: u32,
    /// Texels between the two nearest islands; None where all have more room than was looked for.
    pub narrowest: Option<f32>,
    /// Islands with less than two texels to another: their borders mix here.
    pub mixing: u32,
}

/// The layout in figures.
#[derive(Clone, Debug, Serialize, TS)]
pub struct UvReport {
    pub size: u32,
    pub islands: Vec<IslandLine>,
    /// Half of the surface has no more than this, UV units per scene unit.
    pub median_density: f32,
    /// The finest over the coarsest island's density; small islands aside.
    pub spread: f32,
    /// Share of the unit square that no island covers, 0 to 1.
    pub unused: f32,
    /// Share of the unit square that is covered twice or more.
    pub overlapping: f32,
    pub mips: Vec<MipLine>,
    pub findings: Vec<Finding>,
}

/// Islands this near are looked for: two texels of a sheet of 32.
const WIDEST_GAP: f32 = 1.0 / 16.0;
/// Islands nearer than this many texels mix.
const MIXING: f32 = 2.0;
/// Levels below this size are not told.
const SMALLEST_MIP: u32 = 32;
/// Islands with less than this share of the surface do not count for the spread.
const SMALL: f64 = 1e-3;

/// Measures the layout of a low-poly for a sheet; None without UVs.
pub fn uv_report(mesh: &Mesh, sheet: &SheetSettings) -> Option<UvReport> {
    let unwrap = Unwrap::new(mesh)?;
    let gaps = sheet_gaps(mesh, &unwrap, sheet, WIDEST_GAP);
    let overlaps = find_overlaps(mesh, &unwrap.island_of).unwrap_or_default();
    let overlapping: f64 = overlaps.iter().map(|o| o.area).sum();
    let covered: f64 = unwrap.islands.iter().map(|i| f64::from(i.uv_area)).sum();
    let surface: f64 = unwrap.islands.iter().map(|i| f64::from(i.area)).sum();
    let judged = unwrap.islands.iter().filter(|i| i.uv_area > 0.0 && f64::from(i.area) >= surface * SMALL);
    let (coarsest, finest) =
        judged.map(|i| i.density()).fold((f32::INFINITY, 0.0f32), |(low, high), d| (low.min(d), high.max(d)));
    let part_of = mesh.triangle_parts();
    let islands = unwrap.islands.iter().zip(&gaps).enumerate().map(|(i, (island, gap))| {
        let first = island.triangles[0];
        let area = |t: u32| f64::from(mesh.area_normal(t).length());
        let stretch = |t: u32| f64::from(unwrap.faces[t as usize].stretch.min(1e6));
        let all: f64 = island.triangles.iter().map(|&t| area(t)).sum();
        let stretched: f64 = island.triangles.iter().map(|&t| area(t) * stretch(t)).sum();
        IslandLine {
            number: i as u32 + 1,
            part: mesh.parts[part_of[first as usize] as usize].name.clone(),
            triangles: island.triangles.len() as u32,
            uv_area: island.uv_area,
            density: island.density(),
            stretch: (stretched / all.max(f64::MIN_POSITIVE)) as f32,
            mirrored: island.mirrored,
            low: island.low.to_array(),
            high: island.high.to_array(),
            point: (mesh.corners(first).iter().sum::<glam::Vec3>() / 3.0).to_array(),
            gap: gap.map(|g| g.distance),
        }
    });
    Some(UvReport {
        size: sheet.size,
        islands: islands.collect(),
        median_density: unwrap.median_density(),
        spread: if finest > 0.0 { finest / coarsest } else { 1.0 },
        unused: (1.0 - (covered - overlapping)).clamp(0.0, 1.0) as f32,
        overlapping: overlapping as f32,
        mips: mips(sheet.size, &gaps),
        findings: tight(mesh, &unwrap, &gaps, &overlaps, sheet),
    })
}

fn mips(size: u32, gaps: &[Option<Gap>]) -> Vec<MipLine> {
    let line = |level: u32| {
        let texels = (size >> level) as f32;
        let within = |g: &Gap| g.distance * texels;
        MipLine {
            level,
            size: size >> level,
            narrowest: gaps.iter().flatten().map(within).reduce(f32::min),
            mixing: gaps.iter().flatten().filter(|g| within(g) < MIXING).count() as u32,
        }
    };
    (0..size.ilog2()).take_while(|&level| level == 0 || size >> level >= SMALLEST_MIP).map(line).collect()
}

/// Gaps between islands that share a sheet; islands on other sheets do not meet.
fn sheet_gaps(mesh: &Mesh, unwrap: &Unwrap, sheet: &SheetSettings, radius: f32) -> Vec<Option<Gap>> {
    let material = |i: u32| {
        let first = unwrap.islands[i as usize].triangles[0] as usize;
        mesh.triangle_materials.get(first).and_then(|&m| mesh.materials.get(m as usize))
    };
    let by_material = sheet.layout == Layout::Materials;
    find_gaps(mesh, unwrap, radius, |a, b| !by_material || material(a) == material(b))
}

/// Islands nearer to each other than the padding, part by part; those that lie on each other are another finding.
pub fn tight_islands(mesh: &Mesh, sheet: &SheetSettings) -> Vec<Finding> {
    let Some(unwrap) = Unwrap::new(mesh) else { return Vec::new() };
    let gaps = sheet_gaps(mesh, &unwrap, sheet, WIDEST_GAP);
    let overlaps = find_overlaps(mesh, &unwrap.island_of).unwrap_or_default();
    tight(mesh, &unwrap, &gaps, &overlaps, sheet)
}

fn tight(
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
        found.push(Finding {
            fixes: Vec::new(),
            allowed: None,
            kind: FindingKind::TightIslands,
            severity: if mixes { Severity::Warning } else { Severity::Note },
            reason: format!(
                "{} of '{}' {} as near as {texels:.1} texels to another at {} px, less than the padding of {wanted:.0}",
                if own.len() == 1 { "A UV island".to_owned() } else { format!("{} UV islands", own.len()) },
                part.name,
                if own.len() == 1 { "comes" } else { "come" },
                sheet.size
            ),
            remedy: if mixes {
                "Move them apart or bake a larger sheet; they bleed into each other already at full size".into()
            } else {
                "Move them apart, or accept that they mix where the texture is drawn small".into()
            },
            place,
        });
    }
    found
}
