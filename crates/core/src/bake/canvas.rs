//! Small pictures of the maps of a bake while they fill. Anyone may look at any time; they are for looking only.

use super::facts::MapFacts;
use super::plan::{Plan, PlannedMap};
use crate::picture::quantise;
use crate::sheet::Tile;
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
    /// Of the sheet, and of its picture, in texels.
    size: u32,
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
    /// Empty until something is there.
    values: Vec<f32>,
    covered: Vec<bool>,
    extreme: f32,
}

/// A finished tile of a map.
pub(super) struct Landed<'a> {
    pub sheet: usize,
    pub tile: &'a Tile,
    /// Its covered texels, in order.
    pub covered: &'a [u32],
    /// Values of these, one after the other.
    pub values: &'a [f32],
    /// Largest distance of a height from zero.
    pub extreme: f32,
}

impl Canvas {
    pub(super) fn new(plan: &Plan, blind: bool) -> Canvas {
        let size = plan.recipe.sheet.size;
        let view = |map: &PlannedMap| MapView {
            facts: map.facts.clone(),
            sheets: plan.rays.sheets.iter().map(|_| Mutex::default()).collect(),
        };
        let canvas = Canvas {
            size,
            side: size.min(PREVIEW_SIDE),
            sheets: plan.rays.sheets.len(),
            blind,
            maps: plan.maps.iter().map(view).collect(),
        };
        if let Some(first) = &plan.first {
            canvas.lay_under(&first.canvas);
        }
        canvas
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

    /// Puts a tile in its place, over whatever was there.
    pub(super) fn put(&self, map: usize, landed: &Landed) {
        if self.blind {
            return;
        }
        let &Landed { sheet, tile, covered, values, extreme } = landed;
        let view = &self.maps[map];
        let channels = view.facts.shape.channels;
        let mut picture = view.sheets[sheet].lock();
        picture.extreme = picture.extreme.max(extreme);
        picture.take_room(self.side, channels);
        // What was there coarsely reached beyond what is covered.
        let (rows, columns) = (self.shown(tile.y, tile.height), self.shown(tile.x, tile.width));
        for y in rows {
            picture.covered[y * self.side as usize..][columns.clone()].fill(false);
        }
        let (size, side) = (u64::from(self.size), u64::from(self.side));
        // The texel a small one shows: the first of its square.
        let small = |at: u32| {
            let here = (u64::from(at) * side).div_ceil(size);
            (here * size / side == u64::from(at)).then_some(here as usize)
        };
        for (value, texel) in values.chunks_exact(channels).zip(covered) {
            let (x, y) = (texel % tile.width + tile.x, texel / tile.width + tile.y);
            if let (Some(x), Some(y)) = (small(x), small(y)) {
                let at = y * self.side as usize + x;
                picture.covered[at] = true;
                picture.values[at * channels..(at + 1) * channels].copy_from_slice(value);
            }
        }
    }

    /// The texels of the small picture that show some of the sheet's along an axis.
    fn shown(&self, from: u32, length: u32) -> std::ops::Range<usize> {
        let small = |at: u32| (u64::from(at) * u64::from(self.side)).div_ceil(u64::from(self.size)) as usize;
        small(from)..small(from + length)
    }

    /// Lays a coarser bake of the same maps under what is to come.
    pub(super) fn lay_under(&self, coarse: &Canvas) {
        let factor = |at: usize| at * coarse.side as usize / self.side as usize;
        for (view, under) in self.maps.iter().zip(&coarse.maps).filter(|_| !self.blind) {
            let channels = view.facts.shape.channels;
            for (sheet, below) in view.sheets.iter().zip(&under.sheets) {
                let (mut picture, below) = (sheet.lock(), below.lock());
                if below.values.is_empty() {
                    continue;
                }
                picture.take_room(self.side, channels);
                picture.extreme = picture.extreme.max(below.extreme);
                let side = self.side as usize;
                for at in 0..side * side {
                    let from = factor(at / side) * coarse.side as usize + factor(at % side);
                    picture.covered[at] = below.covered[from];
                    let value = &below.values[from * channels..(from + 1) * channels];
                    picture.values[at * channels..(at + 1) * channels].copy_from_slice(value);
                }
            }
        }
    }
}

impl Picture {
    fn take_room(&mut self, side: u32, channels: usize) {
        if self.covered.is_empty() {
            let texels = side as usize * side as usize;
            self.covered = vec![false; texels];
            self.values = vec![0.0; texels * channels];
        }
    }
}
