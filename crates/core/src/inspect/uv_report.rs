//! A low-poly's layout on the sheet in figures: density island by island against the rest, stretch, unused room, and the room
//! between islands at the size that is baked and at each smaller one that a renderer makes of it.

use super::tight::{MIXING, WIDEST_GAP, sheet_gaps, tight};
use crate::finding::Finding;
use crate::layout::{Gap, Unwrap, find_overlaps};
use crate::mesh::Mesh;
use crate::sheet::SheetSettings;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// One island.
#[derive(Clone, Debug, Serialize, Deserialize, JsonSchema)]
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
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct MipLine {
    pub level: u32,
    /// Texels per side.
    pub size: u32,
    /// Texels between the two nearest islands; None where all have more room than was looked for.
    pub narrowest: Option<f32>,
    /// Islands with less than two texels to another: their borders mix here.
    pub mixing: u32,
}

/// The layout in figures.
#[derive(Clone, Debug, Serialize, Deserialize, JsonSchema)]
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
