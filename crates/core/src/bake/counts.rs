//! What is counted over all tiles of a run, in an order-free way: any thread may count any tile.

use super::hits::TileHits;
use super::lean::lean_of;
use super::plan::Plan;
use crate::finding::{Finding, FindingKind, Place, Severity};
use crate::reach::ResolvedReach;

/// What was counted.
#[derive(Clone, Debug, Default, PartialEq)]
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
    parts: Vec<PartCounts>,
}

/// What one map took and met.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub(super) struct MapCounts {
    pub seconds: f64,
    /// Rays beyond the primary ones, traced for this map.
    pub rays: u64,
    /// Largest distance of a value from zero.
    pub extreme: f32,
    /// Texels whose value lies beyond a set range.
    pub clipped: Troubles,
}

#[derive(Clone, Copy, Debug, Default, PartialEq)]
struct PartCounts {
    covered: u64,
    misses: Troubles,
    back_faces: Troubles,
    wrong_parts: Troubles,
    leaning: Troubles,
    /// Sideways shift of details over the leaning texels, scene units, the largest.
    most_shift: f32,
}

/// Where a trouble was met: sheet, texel on it, low-poly triangle, v, w.
type Spot = (usize, u32, u32, f32, f32);

/// How many texels had a trouble, and the tile of the sheet that has most of them.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub(super) struct Troubles {
    pub count: u64,
    /// The tile with most, of those that are done; the one on an earlier place of two that have as many.
    most: Option<InTile>,
    /// The tile in work.
    now: Option<InTile>,
}

/// Troubled texels of a tile.
#[derive(Clone, Copy, Debug, PartialEq)]
struct InTile {
    count: u64,
    /// The first of them in reading order.
    first: Spot,
}

impl InTile {
    fn rank(&self) -> (u64, std::cmp::Reverse<(usize, u32)>) {
        (self.count, std::cmp::Reverse((self.first.0, self.first.1)))
    }
}

impl Troubles {
    /// A texel more, of the tile in work.
    fn add(&mut self, at: Spot) {
        self.count += 1;
        self.now.get_or_insert(InTile { count: 0, first: at }).count += 1;
    }

    /// The tile in work is done.
    fn end_tile(&mut self) {
        let both = self.most.into_iter().chain(self.now.take());
        self.most = both.max_by_key(InTile::rank);
    }

    fn merge(&mut self, other: &Troubles) {
        self.count += other.count;
        let both = self.most.into_iter().chain(other.most);
        self.most = both.max_by_key(InTile::rank);
    }
}

impl PartCounts {
    fn end_tile(&mut self) {
        for troubles in [&mut self.misses, &mut self.back_faces, &mut self.wrong_parts, &mut self.leaning] {
            troubles.end_tile();
        }
    }
}

impl Counts {
    pub(super) fn for_plan(plan: &Plan) -> Counts {
        Counts {
            maps: vec![MapCounts::default(); plan.maps.len()],
            parts: vec![PartCounts::default(); plan.scene.low.mesh.parts.len()],
            ..Counts::default()
        }
    }

    pub(super) fn take(&mut self, plan: &Plan, hits: &TileHits) {
        self.rays += hits.rays();
        self.kept_rays += hits.kept_rays();
        let mut touched: Vec<u32> = Vec::new();
        for (texel, samples) in hits.texels() {
            let spot = spot(plan, hits, texel, samples.start);
            let low_part = plan.scene.low.parts[spot.2 as usize];
            let part = &mut self.parts[low_part as usize];
            self.covered += 1;
            part.covered += 1;
            if samples.clone().all(|s| !hits.is_hit(s)) {
                self.misses += 1;
                part.misses.add(spot);
            }
            if samples.clone().any(|s| hits.skipped_back(s)) {
                self.back_faces += 1;
                part.back_faces.add(spot);
            }
            let wrong = |s: usize| hits.hit(s).is_some_and(|h| plan.is_elsewhere(low_part, h.triangle));
            if samples.clone().any(wrong) {
                part.wrong_parts.add(spot);
            }
            if let Some(shift) = lean_of(plan, hits, samples.start) {
                part.leaning.add(spot);
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
        let limit = plan.maps[map].set_scale.map_or(f32::INFINITY, |scale| scale * 0.5);
        let mut extreme = 0.0f32;
        for (texel, samples) in hits.texels() {
            let height = values[texel].abs();
            extreme = extreme.max(height);
            if height > limit {
                self.maps[map].clipped.add(spot(plan, hits, texel, samples.start));
            }
        }
        self.maps[map].clipped.end_tile();
        let kept = &mut self.maps[map].extreme;
        *kept = kept.max(extreme);
        extreme
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
            mine.extreme = mine.extreme.max(theirs.extreme);
            mine.clipped.merge(&theirs.clipped);
        }
        for (mine, theirs) in self.parts.iter_mut().zip(other.parts) {
            mine.covered += theirs.covered;
            mine.misses.merge(&theirs.misses);
            mine.back_faces.merge(&theirs.back_faces);
            mine.wrong_parts.merge(&theirs.wrong_parts);
            mine.leaning.merge(&theirs.leaning);
            mine.most_shift = mine.most_shift.max(theirs.most_shift);
        }
        self
    }

    /// Findings on what was met.
    pub(super) fn findings(&self, plan: &Plan) -> Vec<Finding> {
        let mut found = Vec::new();
        for (part, tally) in plan.scene.low.mesh.parts.iter().zip(&self.parts) {
            let name = Some(part.name.as_str());
            found.extend(miss_finding(plan, name, tally.covered, &tally.misses, plan.field.summary));
            found.extend(back_face_finding(plan, name, tally.covered, &tally.back_faces));
            found.extend(wrong_part_finding(plan, name, tally.covered, &tally.wrong_parts));
            found.extend(lean_finding(plan, name, tally));
        }
        for (map, tally) in plan.maps.iter().zip(&self.maps) {
            found.extend(clip_finding(plan, map.set_scale, self.covered, tally));
        }
        found
    }
}

fn spot(plan: &Plan, hits: &TileHits, texel: usize, sample: usize) -> Spot {
    let (triangle, v, w) = hits.low(sample);
    (hits.sheet, hits.texel_on_sheet(texel, plan.recipe.sheet.size), triangle, v, w)
}

/// A part with fewer troubled texels than this share is not worth a finding.
const WORTH_SAYING: f64 = 0.0005;

fn place(plan: &Plan, part: Option<&str>, count: u64, (sheet, texel, triangle, v, w): Spot) -> Place {
    let size = plan.recipe.sheet.size;
    Place {
        file: None,
        part: part.map(str::to_owned),
        triangles: vec![triangle],
        count: count.min(u64::from(u32::MAX)) as u32,
        point: Some(plan.scene.low.point(triangle, v, w, plan.recipe.direction).position.to_array()),
        uv: Some(uv_of(size, texel)),
        sheet: Some(sheet as u32),
    }
}

fn severity(share: f64) -> Severity {
    if share > 0.01 { Severity::Fault } else { Severity::Warning }
}

fn share_of(troubles: &Troubles, covered: u64) -> Option<(f64, Spot)> {
    let share = troubles.count as f64 / covered.max(1) as f64;
    troubles.most.filter(|_| share >= WORTH_SAYING).map(|most| (share, most.first))
}

/// How many texels, and where the most of them are when they are not all in one place.
fn how_many(plan: &Plan, part: Option<&str>, troubles: &Troubles, share: f64) -> String {
    let size = plan.recipe.sheet.size;
    let count = troubles.count;
    let counted = if count == 1 { "1 texel".to_owned() } else { format!("{count} texels") };
    let all = format!("{counted} of '{}' ({:.2} %)", part.unwrap_or_default(), share * 100.0);
    match troubles.most {
        Some(InTile { count: most, first }) if most < count => {
            let [u, v] = uv_of(size, first.1);
            format!("{all}, most densely around UV {u:.2} {v:.2}")
        }
        _ => all,
    }
}

/// Middle of a texel, in UV units.
fn uv_of(size: u32, texel: u32) -> [f32; 2] {
    let middle = |at: u32| (at as f32 + 0.5) / size as f32;
    [middle(texel % size), 1.0 - middle(texel / size)]
}

fn miss_finding(
    plan: &Plan,
    part: Option<&str>,
    covered: u64,
    troubles: &Troubles,
    reach: ResolvedReach,
) -> Option<Finding> {
    let (share, first) = share_of(troubles, covered)?;
    Some(Finding {
        fixes: Vec::new(),
        allowed: None,
        kind: FindingKind::Misses,
        severity: severity(share),
        place: place(plan, part, troubles.count, first),
        reason: format!("No ray hits the sculpt on {}", how_many(plan, part, troubles, share)),
        remedy: format!("Raise reach out above {:.4} or reach in above {:.4}", reach.out, reach.inward),
    })
}

fn back_face_finding(plan: &Plan, part: Option<&str>, covered: u64, troubles: &Troubles) -> Option<Finding> {
    let (share, first) = share_of(troubles, covered)?;
    Some(Finding {
        fixes: Vec::new(),
        allowed: None,
        kind: FindingKind::BackFaceHits,
        severity: severity(share),
        place: place(plan, part, troubles.count, first),
        reason: format!("Rays pass through back faces on {}", how_many(plan, part, troubles, share)),
        remedy: "Look for turned faces on the sculpt here, or lower reach out so that rays start nearer".to_owned(),
    })
}

fn wrong_part_finding(plan: &Plan, part: Option<&str>, covered: u64, troubles: &Troubles) -> Option<Finding> {
    let (share, first) = share_of(troubles, covered)?;
    Some(Finding {
        fixes: Vec::new(),
        allowed: None,
        kind: FindingKind::WrongPartHits,
        severity: severity(share),
        place: place(plan, part, troubles.count, first),
        reason: format!(
            "Rays hit a part that lies with another low-poly part on {}",
            how_many(plan, part, troubles, share)
        ),
        remedy: "Pair parts by name, by space or manually at Pairs, so that each sees only its own".to_owned(),
    })
}

fn lean_finding(plan: &Plan, part: Option<&str>, tally: &PartCounts) -> Option<Finding> {
    let (share, first) = share_of(&tally.leaning, tally.covered)?;
    Some(Finding {
        fixes: Vec::new(),
        allowed: None,
        kind: FindingKind::Lean,
        severity: Severity::Warning,
        place: place(plan, part, tally.leaning.count, first),
        reason: format!(
            "Details lean on {}: drawn up to {:.4} aside, because rays near hard edges run aslant",
            how_many(plan, part, &tally.leaning, share),
            tally.most_shift
        ),
        remedy: "Paint plumb over them at Reach, stroke by stroke or with one click".to_owned(),
    })
}

fn clip_finding(plan: &Plan, scale: Option<f32>, covered: u64, tally: &MapCounts) -> Option<Finding> {
    let (share, first) = share_of(&tally.clipped, covered)?;
    let scale = scale?;
    Some(Finding {
        fixes: Vec::new(),
        allowed: None,
        kind: FindingKind::RangeClipped,
        severity: severity(share),
        place: place(plan, None, tally.clipped.count, first),
        reason: format!(
            "Displacement goes to {:.5} and a scale of {scale} holds {:.5}: {} texels ({:.2} %) are cut off",
            tally.extreme,
            scale * 0.5,
            tally.clipped.count,
            share * 100.0
        ),
        remedy: format!("Set the scale to {:.5} or more, or leave it to be measured", tally.extreme * 2.0),
    })
}
