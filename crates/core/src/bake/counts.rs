//! What is counted over all tiles of a run, in an order-free way: any thread may count any tile.

use super::plan::{Plan, PlannedMap};
use crate::finding::Finding;
use crate::hits::{RayPlan, TileHits, lean_of};
use crate::inspect::{
    ClippedHeights, PartTroubles, TexelPlace, TroubledSheet, Troubles, mask_empty, part_findings, range_clipped,
};
use crate::maps::RaysSpent;
use serde::{Deserialize, Serialize};

/// What was counted.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Counts {
    /// Primary rays.
    pub rays: u64,
    /// Primary rays taken over from an earlier bake.
    pub kept_rays: u64,
    pub covered: u64,
    pub misses: u64,
    pub back_faces: u64,
    pub(super) ray_seconds: f64,
    pub(super) maps: Vec<MapCounts>,
    #[serde(with = "parts_met")]
    parts: Vec<PartTroubles>,
}

/// Parts of which something was covered, by number: a tile meets few of many.
mod parts_met {
    use super::PartTroubles;
    use serde::{Deserialize, Deserializer, Serialize, Serializer};

    pub fn serialize<S: Serializer>(parts: &[PartTroubles], to: S) -> Result<S::Ok, S::Error> {
        let met = parts.iter().enumerate().filter(|(_, part)| part.covered > 0);
        (parts.len(), met.collect::<Vec<(usize, &PartTroubles)>>()).serialize(to)
    }

    pub fn deserialize<'de, D: Deserializer<'de>>(from: D) -> Result<Vec<PartTroubles>, D::Error> {
        let (count, met) = <(u32, Vec<(usize, PartTroubles)>)>::deserialize(from)?;
        let mut parts = vec![PartTroubles::default(); count as usize];
        for (number, part) in met {
            if let Some(slot) = parts.get_mut(number) {
                *slot = part;
            }
        }
        Ok(parts)
    }
}

/// What one map took and met.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
pub(super) struct MapCounts {
    pub seconds: f64,
    /// Rays beyond the primary ones, traced for this map.
    pub rays: u64,
    pub by_error: RaysSpent,
    /// Largest distance of a value from zero.
    pub extreme: f32,
    /// Largest value of a mask.
    pub most: f32,
    /// Texels whose value lies beyond a set range.
    pub clipped: Troubles,
}

impl Counts {
    pub(super) fn for_plan(plan: &Plan) -> Counts {
        Counts {
            maps: vec![MapCounts::default(); plan.maps.len()],
            parts: vec![PartTroubles::default(); plan.rays.scene.low.mesh.parts.len()],
            ..Counts::default()
        }
    }

    /// Whether it counts the maps and parts of a plan.
    pub(super) fn fits(&self, plan: &Plan) -> bool {
        self.maps.len() == plan.maps.len() && self.parts.len() == plan.rays.scene.low.mesh.parts.len()
    }

    /// All rays that were traced.
    pub(super) fn all_rays(&self) -> u64 {
        self.rays + self.maps.iter().map(|m| m.rays).sum::<u64>()
    }

    pub(super) fn take(&mut self, plan: &RayPlan, hits: &TileHits) {
        self.rays += hits.rays();
        self.kept_rays += hits.kept_rays();
        let mut touched: Vec<u32> = Vec::new();
        for (texel, samples) in hits.texels() {
            let place = texel_place(plan, hits, texel, samples.start);
            let low_part = plan.scene.low.parts[place.at.triangle as usize];
            let part = &mut self.parts[low_part as usize];
            self.covered += 1;
            part.covered += 1;
            if samples.clone().all(|s| !hits.is_hit(s)) {
                self.misses += 1;
                part.misses.add(place);
            }
            if samples.clone().any(|s| hits.skipped_back(s)) {
                self.back_faces += 1;
                part.back_faces.add(place);
            }
            let wrong = |s: usize| hits.hit(s).is_some_and(|h| plan.is_elsewhere(low_part, h.at.triangle));
            if samples.clone().any(wrong) {
                part.wrong_parts.add(place);
            }
            if let Some(shift) = lean_of(plan, hits, samples.start) {
                part.leaning.add(place);
                part.most_shift = part.most_shift.max(shift);
            }
            touched.push(low_part);
        }
        touched.sort_unstable();
        touched.dedup();
        for part in touched {
            self.parts[part as usize].end_tile();
        }
    }

    /// Ranges of a map of signed heights: how far it goes, and what a set scale cuts off.
    pub(super) fn take_heights(&mut self, plan: &Plan, map: usize, hits: &TileHits, values: &[f32]) -> f32 {
        let limit = plan.maps[map].facts.set_scale().map_or(f32::INFINITY, |scale| scale * 0.5);
        let mut extreme = 0.0f32;
        for (texel, samples) in hits.texels() {
            let height = values[texel].abs();
            extreme = extreme.max(height);
            if height > limit {
                self.maps[map].clipped.add(texel_place(&plan.rays, hits, texel, samples.start));
            }
        }
        self.maps[map].clipped.end_tile();
        let kept = &mut self.maps[map].extreme;
        *kept = kept.max(extreme);
        extreme
    }

    /// How white a mask gets.
    pub(super) fn take_mask(&mut self, plan: &Plan, map: usize, values: &[f32]) {
        if is_mask(&plan.maps[map]) {
            let most = &mut self.maps[map].most;
            *most = values.iter().fold(*most, |most, value| most.max(*value));
        }
    }

    pub(super) fn merged(mut self, other: Counts) -> Counts {
        self.rays += other.rays;
        self.kept_rays += other.kept_rays;
        self.covered += other.covered;
        self.misses += other.misses;
        self.back_faces += other.back_faces;
        self.ray_seconds += other.ray_seconds;
        for (mine, theirs) in self.maps.iter_mut().zip(other.maps) {
            mine.seconds += theirs.seconds;
            mine.rays += theirs.rays;
            mine.by_error = mine.by_error + theirs.by_error;
            mine.extreme = mine.extreme.max(theirs.extreme);
            mine.most = mine.most.max(theirs.most);
            mine.clipped.merge(&theirs.clipped);
        }
        for (mine, theirs) in self.parts.iter_mut().zip(other.parts) {
            mine.merge(&theirs);
        }
        self
    }

    /// Findings on what was met.
    pub(super) fn findings(&self, plan: &Plan) -> Vec<Finding> {
        let low = &plan.rays.scene.low.mesh;
        let sheet = TroubledSheet { low, size: plan.rays.size, reach: plan.rays.field.summary };
        let parts = low.parts.iter().zip(&self.parts);
        let mut found: Vec<Finding> = parts.flat_map(|(part, met)| part_findings(sheet, &part.name, met)).collect();
        let masks = plan.maps.iter().zip(&self.maps).filter(|(map, _)| is_mask(map));
        let empty = masks.filter(|(map, tally)| map.work.is_ok() && tally.most == 0.0);
        found.extend(empty.map(|(map, _)| mask_empty(map.facts.label())));
        for (map, tally) in plan.maps.iter().zip(&self.maps) {
            let Some(scale) = map.facts.set_scale() else { continue };
            let (extreme, clipped) = (tally.extreme, &tally.clipped);
            found.extend(range_clipped(&sheet, &ClippedHeights { scale, extreme, clipped, covered: self.covered }));
        }
        found
    }
}

fn is_mask(map: &PlannedMap) -> bool {
    !map.facts.settings.masks().is_empty()
}

fn texel_place(plan: &RayPlan, hits: &TileHits, texel: usize, sample: usize) -> TexelPlace {
    TexelPlace { sheet: hits.sheet, texel: hits.texel_on_sheet(texel, plan.size), at: hits.low(sample) }
}
