//! Small pictures of the maps of a bake while they fill. Anyone may look at any time; they are for looking only.

use super::hits::TileHits;
use super::plan::Plan;
use crate::maps::MapShape;
use crate::sheet::quantise;
use std::sync::{Mutex, MutexGuard, PoisonError};

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
    id: &'static str,
    shape: MapShape,
    /// Full range of raw values that have no fixed one, as half the scale: what has been met so far, or what was set.
    heights: bool,
    set_scale: Option<f32>,
    sheets: Vec<Mutex<Picture>>,
}

#[derive(Default)]
struct Picture {
    /// Empty until a tile is there.
    values: Vec<f32>,
    covered: Vec<bool>,
    extreme: f32,
}

fn locked<T>(mutex: &Mutex<T>) -> MutexGuard<'_, T> {
    mutex.lock().unwrap_or_else(PoisonError::into_inner)
}

impl Canvas {
    pub(super) fn new(plan: &Plan, blind: bool) -> Canvas {
        let side = plan.recipe.sheet.size.min(PREVIEW_SIDE);
        let view = |map: &super::plan::PlannedMap| MapView {
            id: map.settings.id(),
            shape: map.shape,
            heights: map.heights,
            set_scale: map.set_scale,
            sheets: plan.sheets.iter().map(|_| Mutex::default()).collect(),
        };
        Canvas { side, sheets: plan.sheets.len(), blind, maps: plan.maps.iter().map(view).collect() }
    }

    pub fn sheets(&self) -> usize {
        self.sheets
    }

    /// A map as it stands; None for an unknown map or sheet, or when nobody was to look.
    pub fn preview(&self, sheet: usize, map: &str) -> Option<Preview> {
        let view = self.maps.iter().find(|m| m.id == map).filter(|_| !self.blind)?;
        let channels = view.shape.channels;
        let extreme = view.sheets.iter().map(|sheet| locked(sheet).extreme).fold(f32::MIN_POSITIVE, f32::max);
        let scale = view.set_scale.unwrap_or(2.0 * extreme);
        let picture = locked(view.sheets.get(sheet)?);
        let texels = (self.side * self.side) as usize;
        let mut rows = Vec::with_capacity(texels * channels);
        for texel in 0..texels {
            for c in 0..channels {
                let shown = match picture.covered.get(texel) {
                    None | Some(false) => view.shape.neutral[c],
                    Some(true) if view.heights => 0.5 + picture.values[texel * channels + c] / scale,
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
        let channels = view.shape.channels;
        let mut picture = locked(&view.sheets[hits.sheet]);
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
