//! What is counted over all tiles of a run, in an order-free way: any thread may count any tile.

use super::plan::{Plan, PlannedMap};
use super::slopes::{Slopes, may_step};
use crate::finding::Finding;
use crate::hits::{RayPlan, Scratch, TileHits, half_covered, lean_of};
use crate::inspect::{
    ClippedHeights, NoisyMap, PartTroubles, SteppedMap, TexelPlace, TroubledSheet, Troubles, mask_empty, noisy,
    part_findings, range_clipped, stepped,
};
use crate::maps::{RAY_COUNTS, Rays, RaysSpent};
use crate::picture::Depth;
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
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
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
    pub slopes: Slopes,
    pub noise: Noise,
}

/// Standard errors of texels that follow from rays, of full range 1.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
pub(super) struct Noise {
    texels: u64,
    /// Squared errors, in whole numbers of 2^-32, so that no order tells.
    squares: u64,
    /// Texels above what is tolerable.
    above: Troubles,
}

/// Errors up to this, estimated, are tolerable where rays are counted. The estimate is on the safe side by about a half, so this is six
/// steps of 255.
const TOLERABLE: f32 = 0.035;
/// Where the number of rays follows from an error, it may be missed by this factor.
const MISSED_BY: f32 = 1.5;

/// What more rays should bring the error down to, where they are counted now.
const GOAL: f32 = 0.01;

fn tolerable(rays: Rays) -> f32 {
    match rays {
        Rays::Fixed(_) => TOLERABLE,
        Rays::ByError(by_error) => by_error.error * MISSED_BY,
    }
}

fn goal(rays: Rays) -> f32 {
    match rays {
        Rays::Fixed(_) => GOAL,
        Rays::ByError(by_error) => by_error.error,
    }
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

    pub(super) fn take(&mut self, plan: &RayPlan, hits: &TileHits, scratch: &mut Scratch) {
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
            if hits.beyond(texel) > 0.0 {
                part.beyond.add(place);
                part.most_beyond = part.most_beyond.max(hits.beyond(texel));
            }
            if let Some(gap) = half_covered(plan, hits, samples.clone(), scratch) {
                part.half_covered.add(place);
                part.most_gap = part.most_gap.max(gap);
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

    /// How fast a map changes, where steps of its file may show.
    pub(super) fn take_slopes(
        &mut self,
        plan: &Plan,
        map: usize,
        hits: &TileHits,
        (values, covered): (&[f32], &[u32]),
    ) {
        let facts = &plan.maps[map].facts;
        if plan.proof || !may_step(facts, plan.recipe.sheet.dither) {
            return;
        }
        let unit = if facts.heights() { plan.rays.scene.diagonal() } else { 1.0 };
        let place = |texel: usize| texel_place(&plan.rays, hits, texel, hits.samples_of(texel).start);
        self.maps[map].slopes.take(&hits.tile, (values, facts.shape.channels, unit), covered, place);
    }

    /// What noise rays leave in a map.
    pub(super) fn take_errors(&mut self, plan: &Plan, map: usize, hits: &TileHits, errors: &[(usize, f32)]) {
        let Some(rays) = plan.maps[map].facts.settings.rays().filter(|_| !plan.proof) else { return };
        let noise = &mut self.maps[map].noise;
        for &(texel, error) in errors {
            noise.texels += 1;
            noise.squares += (f64::from(error * error) * TWO_TO_32) as u64;
            if error > tolerable(rays) {
                noise.above.add(texel_place(&plan.rays, hits, texel, hits.samples_of(texel).start));
            }
        }
        noise.above.end_tile();
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
            mine.slopes.merge(&theirs.slopes);
            mine.noise.texels += theirs.noise.texels;
            mine.noise.squares += theirs.noise.squares;
            mine.noise.above.merge(&theirs.noise.above);
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
            let at = map.facts.key();
            found.extend(range_clipped(&sheet, &ClippedHeights { at, scale, extreme, clipped, covered: self.covered }));
        }
        // A proof is coarser and has fewer rays: what it lowers says nothing about the final.
        if !plan.proof {
            let maps = plan.maps.iter().zip(&self.maps);
            found.extend(maps.flat_map(|(map, tally)| self.quality_findings(plan, &sheet, (map, tally))));
        }
        found
    }

    /// Findings on a map's rays and on the depth of its file.
    fn quality_findings(
        &self,
        plan: &Plan,
        sheet: &TroubledSheet,
        (map, tally): (&PlannedMap, &MapCounts),
    ) -> Vec<Finding> {
        let (facts, noise) = (&map.facts, &tally.noise);
        let noise = facts.settings.rays().and_then(|rays| {
            let mean = (noise.squares as f64 / TWO_TO_32 / noise.texels.max(1) as f64).sqrt() as f32;
            let (label, at, limit) = (facts.label(), facts.key(), tolerable(rays));
            let (most, above, texels) = (rays.most(), &noise.above, noise.texels);
            let [.., most_of_all] = RAY_COUNTS;
            noisy(sheet, &NoisyMap { label, at, most, most_of_all, limit, goal: goal(rays), mean, above, texels })
        });
        let diagonal = plan.rays.scene.diagonal();
        let range = match facts.heights() {
            true => facts.set_scale().unwrap_or(2.0 * tally.extreme) / diagonal,
            false => 1.0,
        };
        let troubles = tally.slopes.stepped(range);
        let deeper = facts.format.depths().contains(&Depth::Sixteen);
        let (label, heights) = (facts.label(), facts.heights());
        let map = SteppedMap { label, heights, deeper, troubles: &troubles, covered: self.covered };
        noise.into_iter().chain(stepped(sheet, &map)).collect()
    }
}

const TWO_TO_32: f64 = 4_294_967_296.0;

fn is_mask(map: &PlannedMap) -> bool {
    !map.facts.settings.masks().is_empty()
}

fn texel_place(plan: &RayPlan, hits: &TileHits, texel: usize, sample: usize) -> TexelPlace {
    TexelPlace { sheet: hits.sheet, texel: hits.texel_on_sheet(texel, plan.size), at: hits.low(sample) }
}
