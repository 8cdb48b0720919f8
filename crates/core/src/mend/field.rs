//! The texels of a map while mends change them: tiles are read when they are first looked at, and those that were changed are handed back.

use crate::sheet::SheetPlan;
use parking_lot::Mutex;
use std::collections::{BTreeMap, BTreeSet};
use std::sync::OnceLock;

/// Where the texels of a map come from.
pub trait MapTexels: Sync {
    /// Values of a tile of a sheet (in Morton order), all channels of each texel row by row; of texels that are not covered they count for
    /// nothing. Heights are scene units, everything else is as the file holds it, colours encoded for the eye.
    ///
    /// # Errors
    /// Why they cannot be read.
    fn tile(&self, sheet: usize, tile: usize) -> Result<Vec<f32>, String>;

    /// Whether a texel of a sheet, counted row by row from the top, holds anything.
    fn covers(&self, sheet: usize, texel: usize) -> bool;
}

/// Tiles that mends changed, by sheet and tile: values of all texels of the tile.
pub type MendedTiles = BTreeMap<(usize, usize), Vec<f32>>;

/// A texel of a sheet.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(super) struct Texel {
    pub sheet: u32,
    pub x: u32,
    pub y: u32,
}

pub(super) struct Field<'a> {
    beneath: &'a dyn MapTexels,
    sheets: &'a [SheetPlan],
    channels: usize,
    tiles: Vec<Vec<OnceLock<Vec<f32>>>>,
    changed: BTreeSet<(usize, usize)>,
    fault: Mutex<Option<String>>,
}

impl<'a> Field<'a> {
    pub fn new(beneath: &'a dyn MapTexels, sheets: &'a [SheetPlan], channels: usize) -> Field<'a> {
        let tiles = sheets.iter().map(|sheet| sheet.tiles.iter().map(|_| OnceLock::new()).collect()).collect();
        Field { beneath, sheets, channels, tiles, changed: BTreeSet::new(), fault: Mutex::default() }
    }

    /// The tile of a texel and where the texel's values begin in it.
    fn slot(&self, at: Texel) -> (usize, usize, usize) {
        let sheet = at.sheet as usize;
        let tile = self.sheets[sheet].tile_at(at.x, at.y);
        let rect = &self.sheets[sheet].tiles[tile];
        (sheet, tile, ((at.y - rect.y) * rect.width + at.x - rect.x) as usize * self.channels)
    }

    fn read(&self, sheet: usize, tile: usize) -> &[f32] {
        self.tiles[sheet][tile].get_or_init(|| {
            self.beneath.tile(sheet, tile).unwrap_or_else(|fault| {
                *self.fault.lock() = Some(fault);
                vec![0.0; self.sheets[sheet].tiles[tile].texels() * self.channels]
            })
        })
    }

    /// A texel as it stands; none where nothing is covered, or beyond the sheet.
    pub fn get(&self, sheet: u32, x: i64, y: i64) -> Option<[f32; 4]> {
        let size = i64::from(self.sheets[sheet as usize].triangles.size);
        if !(0..size).contains(&x)
            || !(0..size).contains(&y)
            || !self.beneath.covers(sheet as usize, (y * size + x) as usize)
        {
            return None;
        }
        let (sheet, tile, at) = self.slot(Texel { sheet, x: x as u32, y: y as u32 });
        let own = &self.read(sheet, tile)[at..at + self.channels.min(4)];
        let mut value = [0.0; 4];
        value[..own.len()].copy_from_slice(own);
        Some(value)
    }

    pub fn set(&mut self, at: Texel, value: [f32; 4]) {
        let (sheet, tile, start) = self.slot(at);
        self.read(sheet, tile);
        if let Some(values) = self.tiles[sheet][tile].get_mut() {
            let channels = self.channels.min(4);
            values[start..start + channels].copy_from_slice(&value[..channels]);
            self.changed.insert((sheet, tile));
        }
    }

    /// The tiles that were changed.
    ///
    /// # Errors
    /// Why what lies beneath could not be read.
    pub fn finish(mut self) -> Result<MendedTiles, String> {
        if let Some(fault) = self.fault.into_inner() {
            return Err(fault);
        }
        let taken = self.changed.into_iter().filter_map(|at| Some((at, self.tiles[at.0][at.1].take()?)));
        Ok(taken.collect())
    }
}
