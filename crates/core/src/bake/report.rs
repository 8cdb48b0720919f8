//! The written account of a bake, `report.json`: the recipe that made it, what it cost, what it found.

use super::counts::Counts;
use super::plan::Plan;
use crate::finding::{Finding, worst_first};
use crate::maps::{PaletteEntry, Reads};
use crate::picture::Depth;
use crate::reach::ResolvedReach;
use crate::recipe::Recipe;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// The file of one sheet of a map.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct SheetFile {
    /// Material or UDIM number.
    pub sheet: String,
    pub file: String,
}

/// One map in the report.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct MapReport {
    /// File name, empty when the map was not written; with several sheets, the first one's.
    pub file: String,
    /// With several sheets, each one's file.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub files: Vec<SheetFile>,
    /// Time spent on this map alone over all tiles, summed over threads.
    pub seconds: f64,
    /// Time spent getting ready, once; what was kept from an earlier bake takes none.
    #[serde(default)]
    pub preparing: f64,
    /// Rays traced for this map alone; the primary ones serve all and stand in the whole bake's sum.
    #[serde(default)]
    pub rays: u64,
    /// Rays that a texel got on average, where their number follows from an error; of texels taken over from an earlier bake it knows
    /// nothing.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub mean_rays: Option<f32>,
    pub width: u32,
    pub height: u32,
    pub depth: Depth,
    pub encoding: String,
    /// The same for a program.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub reads: Option<Reads>,
    /// Displacement in whole-number files: the distance from black to white, scene units; mid-grey is the low-poly. Height =
    /// (value - 0.5) * scale.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub scale: Option<f32>,
    /// Displacement: the furthest the sculpt lies from the low-poly, scene units.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub extreme: Option<f32>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub palette: Option<Vec<PaletteEntry>>,
    /// Mends that were drawn onto it.
    #[serde(default, skip_serializing_if = "is_zero")]
    pub mends: usize,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub error: Option<String>,
}

fn is_zero(count: &usize) -> bool {
    *count == 0
}

/// A whole bake.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Report {
    pub version: u32,
    pub recipe: Recipe,
    pub reach: ResolvedReach,
    /// Wall-clock time of the bake: planning, tracing, padding; not reading and writing files.
    pub seconds: f64,
    /// Time in primary rays, summed over threads.
    pub ray_seconds: f64,
    pub rays: u64,
    /// Primary rays that an earlier bake of the same asset had traced already.
    #[serde(default)]
    pub kept_rays: u64,
    pub texels: u64,
    pub covered: u64,
    /// Covered texels of which no ray hit anything.
    pub misses: u64,
    /// Covered texels of which at least one ray passed through a back face.
    pub back_faces: u64,
    /// Materials or UDIM numbers of the sheets; one empty name when there is one sheet.
    #[serde(default)]
    pub sheets: Vec<String>,
    pub maps: BTreeMap<String, MapReport>,
    pub findings: Vec<Finding>,
}

impl Report {
    /// What a bake counted, in so many seconds; scales and faults of maps are told by the outcome.
    pub(super) fn of(plan: &Plan, counts: &Counts, seconds: f64) -> Report {
        let size = plan.recipe.sheet.size;
        let diagonal = plan.rays.scene.diagonal();
        let mut findings = plan.findings.clone();
        findings.extend(counts.findings(plan));
        worst_first(&mut findings);
        let written: BTreeMap<String, MapReport> = plan
            .maps
            .iter()
            .zip(&counts.maps)
            .map(|(map, tally)| {
                let report = MapReport {
                    file: String::new(),
                    files: Vec::new(),
                    seconds: tally.seconds,
                    preparing: map.preparing,
                    rays: tally.rays,
                    mean_rays: tally.by_error.mean(),
                    width: size,
                    height: size,
                    depth: map.facts.depth,
                    encoding: map.facts.settings.encoding(),
                    reads: Some(map.facts.settings.reads(diagonal)),
                    scale: None,
                    extreme: map.facts.heights().then_some(tally.extreme),
                    palette: map.work.as_ref().ok().and_then(|w| w.palette()).map(<[_]>::to_vec),
                    mends: 0,
                    error: None,
                };
                (map.facts.key().to_owned(), report)
            })
            .collect();
        Report {
            version: 1,
            recipe: plan.recipe.clone(),
            reach: plan.rays.field.summary,
            seconds,
            ray_seconds: counts.ray_seconds,
            rays: counts.all_rays(),
            kept_rays: counts.kept_rays,
            texels: u64::from(size) * u64::from(size) * plan.rays.sheets.len() as u64,
            covered: counts.covered,
            misses: counts.misses,
            back_faces: counts.back_faces,
            sheets: plan.rays.sheets.iter().map(|s| s.name.label()).collect(),
            maps: written,
            findings,
        }
    }
}
