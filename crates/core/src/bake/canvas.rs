//! Small pictures of the maps of a bake while they fill. Anyone may look at any time; they are for looking only.

use super::facts::MapFacts;
use super::plan::{Plan, PlannedMap};
use crate::hits::TileHits;
use crate::picture::quantise;
use parking_lot::Mutex;
use std::sync::Arc;

/// Texels along the side of a small picture, at most.
pub const PREVIEW_SIDE: u32 = 512;

/// A small 8-bit picture: its side in texels, its channels, and its rows from the top.
#[derive(Clone, Debug, PartialEq)]
pub struct Preview {
    pub side: u32,
    pub channels: usize,
    pub rows: Vec<u8>,
}

/// The maps of a bake as they stand; a sheet takes memory once something of it is there.
pub struct Canvas {
    side: u32,
    sheets: usize,
    /// Nobody looks: nothing is kept.
    blind: bool,
    maps: Vec<MapView>,
}

struct MapView {
    facts: Arc<MapFacts>,
    sheets: Vec<Mutex<Picture>>,
}

#[derive(Default)]
struct Picture {
    /// Empty until a tile is there.
    values: Vec<f32>,
    covered: Vec<bool>,
    extreme: f32,
}

impl Canvas {
    pub(super) fn new(plan: &Plan, blind: bool) -> Canvas {
        let side = plan.recipe.sheet.size.min(PREVIEW_SIDE);
        let view = |map: &PlannedMap| MapView {
            facts: map.facts.clone(),
            sheets: plan.rays.sheets.iter().map(|_| Mutex::default()).collect(),
        };
        Canvas { side, sheets: plan.rays.sheets.len(), blind, maps: plan.maps.iter().map(view).collect() }
    }

    pub fn sheets(&self) -> usize {
        self.sheets
    }

    /// A map as it stands; None for an unknown map or sheet, or when nobody was to look.
    pub fn preview(&self, sheet: usize, map: &str) -> Option<Preview> {
        let view = self.maps.iter().find(|m| m.facts.key() == map).filter(|_| !self.blind)?;
        let channels = view.facts.shape.channels;
        let extreme = view.sheets.iter().map(|sheet| sheet.lock().extreme).fold(f32::MIN_POSITIVE, f32::max);
        // The range of heights is what has been met so far, or what was set.
        let scale = view.facts.set_scale().unwrap_or(2.0 * extreme);
        let picture = view.sheets.get(sheet)?.lock();
        let texels = (self.side * self.side) as usize;
        let mut rows = Vec::with_capacity(texels * channels);
        for texel in 0..texels {
            for c in 0..channels {
                let shown = match picture.covered.get(texel) {
                    None | Some(false) => view.facts.shape.neutral[c],
                    Some(true) if view.facts.heights() => 0.5 + picture.values[texel * channels + c] / scale,
                    Some(true) => picture.values[texel * channels + c],
                };
                rows.push(quantise(shown, 255.0) as u8);
            }
        }
        Some(Preview { side: self.side, channels, rows })
    }

    pub(super) fn put(&self, map: usize, hits: &TileHits, values: &[f32], size: u32, extreme: f32) {
        if self.blind {
            return;
        }
        let view = &self.maps[map];
        let channels = view.facts.shape.channels;
        let mut picture = view.sheets[hits.sheet].lock();
        picture.extreme = picture.extreme.max(extreme);
        if picture.covered.is_empty() {
            let texels = (self.side * self.side) as usize;
            picture.covered = vec![false; texels];
            picture.values = vec![0.0; texels * channels];
        }
        // The texel a small one shows: the first of its square.
        let small = |at: u32| {
            let s = u64::from(at) * u64::from(self.side);
            let here = s.div_ceil(u64::from(size));
            (here * u64::from(size) / u64::from(self.side) == u64::from(at)).then_some(here as u32)
        };
        for (texel, _) in hits.texels() {
            let (x, y) = (texel as u32 % hits.tile.width + hits.tile.x, texel as u32 / hits.tile.width + hits.tile.y);
            if let (Some(x), Some(y)) = (small(x), small(y)) {
                let at = (y * self.side + x) as usize;
                picture.covered[at] = true;
                picture.values[at * channels..(at + 1) * channels]
                    .copy_from_slice(&values[texel * channels..(texel + 1) * channels]);
            }
        }
    }
}
