//! What lies around a region that is baked by itself: the maps of an earlier run, read at any size.

use super::counts::Counts;
use super::facts::MapFacts;
use super::run::{Ended, Shared};
use crate::hits::TileNumber;
use crate::picture::Image;
use crate::sheet::{Tile, rasterise_tile};
use rayon::prelude::*;

/// The run that a region is baked into.
pub trait Around: Send + Sync {
    /// A map of it by its name in its recipe, as it was before mends; None where it has none.
    ///
    /// # Errors
    /// Why it cannot be read, with its file and what to do.
    fn map(&self, key: &str) -> Result<Option<AroundMap>, String>;
}

/// A map of the earlier run.
#[derive(Clone)]
pub struct AroundMap {
    /// By sheet.
    pub sheets: Vec<Image>,
    /// Heights: from black to white, scene units; none where the file holds them.
    pub scale: Option<f32>,
}

impl AroundMap {
    /// Values at covered texels of a tile of a sheet of `size` texels per side, one after the other; heights in scene units. Pictures of the
    /// same size are taken over texel by texel, others between their texels, flat colours from the nearest. None without such a sheet.
    fn values(&self, facts: &MapFacts, sheet: usize, (tile, size): (&Tile, u32), covered: &[u32]) -> Option<Vec<f32>> {
        let picture = self.sheets.get(sheet)?;
        let at = |texel: u32| {
            let (x, y) = (tile.x + texel % tile.width, tile.y + texel / tile.width);
            let value = at(picture, [x, y].map(|i| (i as f32 + 0.5) / size as f32), facts.kind().flat);
            value.map(|value| match self.scale {
                Some(scale) if facts.heights() => (value - 0.5) * scale,
                _ => value,
            })
        };
        Some(covered.iter().flat_map(|texel| at(*texel).into_iter().take(facts.shape.channels)).collect())
    }
}

/// What a picture holds at a place, from its top left corner, each side 1 long.
fn at(picture: &Image, place: [f32; 2], nearest: bool) -> [f32; 4] {
    let (width, height) = (picture.width, picture.height);
    let inside = |at: f32, length: u32| at.clamp(0.0, length as f32 - 1.0) as u32;
    let [x, y] = [place[0] * width as f32, place[1] * height as f32];
    if nearest {
        return picture.texel(inside(x.floor(), width), inside(y.floor(), height));
    }
    let (x, y) = (x - 0.5, y - 0.5);
    let (left, top) = (x.floor(), y.floor());
    let mut sum = [0.0; 4];
    for (dx, dy) in [(0.0, 0.0), (1.0, 0.0), (0.0, 1.0), (1.0, 1.0)] {
        let of = |step: f32, share: f32| if step == 0.0 { 1.0 - share } else { share };
        let weight = of(dx, x - left) * of(dy, y - top);
        if weight > 0.0 {
            let texel = picture.texel(inside(left + dx, width), inside(top + dy, height));
            sum.iter_mut().zip(texel).for_each(|(sum, value)| *sum += weight * value);
        }
    }
    sum
}

impl Shared<'_> {
    /// Takes tiles over from an earlier run, map by map: no more than one of its maps is in memory at a time. Where it lacks a map, what
    /// stands outside of islands stands there.
    ///
    /// # Errors
    /// A map cannot be read, or the watch asked to stop.
    pub(super) fn lay(&self, tiles: &[TileNumber], around: &dyn Around) -> Result<Counts, Ended> {
        let plan = self.plan;
        let cover = |number: &TileNumber| {
            let sheet = &plan.rays.sheets[number.sheet];
            let (tile, candidates) = (&sheet.tiles[number.tile], &sheet.candidates[number.tile]);
            let samples = rasterise_tile(&sheet.triangles, candidates, tile, &plan.rays.derived.pattern);
            let ends = samples.starts.windows(2).enumerate().filter(|(_, ends)| ends[0] < ends[1]);
            self.covers(*number, &ends.map(|(texel, _)| texel as u32).collect::<Vec<_>>());
        };
        tiles.par_iter().for_each(cover);
        let fresh = |number: &TileNumber| {
            let mut counts = Counts::for_plan(plan);
            counts.covered = self.covered_in(*number).len() as u64;
            counts
        };
        let mut counts: Vec<Counts> = tiles.par_iter().map(fresh).collect();
        for (map, planned) in plan.maps.iter().enumerate().filter(|(_, planned)| planned.work.is_ok()) {
            if self.watch.stopped() {
                return Err(Ended::Stopped);
            }
            let facts = &planned.facts;
            let earlier = around.map(facts.key()).map_err(Ended::Around)?;
            let neutral = if facts.heights() { &[0.0; 4][..facts.shape.channels] } else { facts.shape.neutral };
            tiles.par_iter().zip(&mut counts).for_each(|(number, counts)| {
                let (covered, tile) = (self.covered_in(*number), &plan.rays.sheets[number.sheet].tiles[number.tile]);
                let of = |map: &AroundMap| map.values(facts, number.sheet, (tile, plan.rays.size), &covered);
                let values = earlier.as_ref().and_then(of).unwrap_or_else(|| neutral.repeat(covered.len()));
                let furthest = || values.iter().fold(0.0f32, |most, height| most.max(height.abs()));
                let extreme = if facts.heights() { furthest() } else { 0.0 };
                counts.maps[map].extreme = extreme;
                self.keep((*number, map), &covered, &values, extreme);
            });
        }
        let of_all = tiles.par_iter().zip(counts).map(|(number, counts)| {
            self.close(self.spool, *number, &self.covered_in(*number), &counts);
            counts
        });
        Ok(of_all.reduce(|| Counts::for_plan(plan), Counts::merged))
    }
}
