//! A bake that ran to its end: its report, and its maps as rows from the top, padded, ready to be written. Rows come out
//! one tile's height at a time; no map is ever whole in memory unless someone asks for [`Outcome::pixels`].

use super::counts::Counts;
use super::facts::MapFacts;
use super::padding::SheetPadding;
use super::plan::Plan;
use super::report::Report;
use super::spool::{Slots, Spool};
use super::{Canvas, Preview};
use crate::hits::TileNumber;
use crate::maps::PaletteEntry;
use crate::picture::Pixels;
use crate::scene::Few;
use crate::sheet::{Coverage, Padding, SheetName, TILE, Tile, tiles_in_morton_order};
use std::collections::BTreeMap;
use std::sync::Arc;

/// One finished map.
#[derive(Clone, Debug, PartialEq)]
pub struct BakedMap {
    pub facts: Arc<MapFacts>,
    /// Displacement: the distance from black to white, scene units. None for float files, which hold the height itself.
    pub scale: Option<f32>,
    pub palette: Option<Vec<PaletteEntry>>,
    /// Why it could not be made; there are no rows then.
    pub error: Option<String>,
}

/// Sheets whose padding is held at a time: those that are being written.
pub(super) const SHEETS_AT_WORK: usize = 2;

/// A bake that ran to its end.
pub struct Outcome {
    pub maps: Vec<BakedMap>,
    pub sheets: Vec<SheetName>,
    pub size: u32,
    pub counts: Counts,
    /// The report, with empty file names.
    pub report: Report,
    padding: Padding,
    covered: Vec<Coverage>,
    paddings: Few<usize, Option<SheetPadding>>,
    order: Vec<Tile>,
    /// Number of each tile by its place in the grid.
    tiles: Vec<u32>,
    spool: Arc<dyn Spool>,
    pub(super) canvas: Canvas,
    /// Tiles of each map that mends changed, by sheet and tile, as the spool would hold them.
    pub(super) mended: Vec<BTreeMap<(usize, usize), Vec<u8>>>,
}

/// A map as it is delivered, or without the mends that are drawn onto it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Layer {
    Mended,
    Beneath,
}

impl Outcome {
    pub(super) fn new(
        plan: &Plan,
        covered: Vec<Coverage>,
        counts: Counts,
        report: Report,
        spool: Arc<dyn Spool>,
        canvas: Canvas,
    ) -> Outcome {
        let size = plan.recipe.sheet.size;
        let order = tiles_in_morton_order(size);
        let across = size.div_ceil(TILE);
        let mut tiles = vec![0; order.len()];
        for (number, tile) in order.iter().enumerate() {
            tiles[(tile.y / TILE * across + tile.x / TILE) as usize] = number as u32;
        }
        let maps = plan.maps.iter().zip(&counts.maps).map(|(map, tally)| {
            // Nothing stands out: any scale says so; one that is a fair length keeps readers from dividing by zero.
            let flat = || plan.rays.scene.diagonal().max(1e-30);
            let measured = || if tally.extreme > 0.0 { 2.0 * tally.extreme } else { flat() };
            let scaled = map.facts.heights() && !map.facts.floats();
            BakedMap {
                facts: map.facts.clone(),
                scale: scaled.then(|| map.facts.set_scale().unwrap_or_else(measured)),
                palette: map.work.as_ref().ok().and_then(|w| w.palette()).map(<[PaletteEntry]>::to_vec),
                error: map.work.as_ref().err().cloned(),
            }
        });
        let mended = plan.maps.iter().map(|_| BTreeMap::new()).collect();
        Outcome {
            maps: maps.collect(),
            sheets: plan.sheet_names(),
            size,
            padding: plan.recipe.sheet.padding,
            covered,
            paddings: Few::new(SHEETS_AT_WORK),
            order,
            tiles,
            spool,
            canvas,
            counts,
            report,
            mended,
        }
    }

    /// Whether mends changed any of a map.
    pub fn is_mended(&self, map: usize) -> bool {
        !self.mended[map].is_empty()
    }

    /// The tiles of a sheet, in the order of their numbers.
    pub(super) fn tiles(&self) -> &[Tile] {
        &self.order
    }

    /// The packed values of a tile; false, and nothing in it, when none were kept.
    fn fetch(&self, layer: Layer, map: usize, number: TileNumber, bytes: &mut Vec<u8>) -> Result<bool, String> {
        let mended = (layer == Layer::Mended).then(|| self.mended[map].get(&(number.sheet, number.tile))).flatten();
        match mended {
            Some(own) => {
                bytes.clone_from(own);
                Ok(true)
            }
            None => self.spool.fetch(self.slots().of_map(number, map), bytes),
        }
    }

    /// One entry a texel: the low-poly lies there.
    pub fn covered(&self, sheet: usize) -> &Coverage {
        &self.covered[sheet]
    }

    fn slots(&self) -> Slots {
        Slots { maps: self.maps.len(), tiles: self.order.len() }
    }

    /// A small picture of a map, without padding.
    pub fn preview(&self, sheet: usize, map: &str) -> Option<Preview> {
        self.canvas.preview(sheet, map)
    }

    /// Gives a map's rows from the top, some at a time: values as the file is to hold them, 0..1 for whole-number files.
    ///
    /// # Errors
    /// What `sink` answers, or why the spool cannot be read (through `From<String>`).
    pub fn stream<E: From<String>>(
        &self,
        sheet: usize,
        map: usize,
        sink: &mut dyn FnMut(&[f32]) -> Result<(), E>,
    ) -> Result<(), E> {
        self.stream_layer(Layer::Mended, sheet, map, sink)
    }

    /// The same of a layer of it.
    ///
    /// # Errors
    /// As [`Outcome::stream`].
    pub fn stream_layer<E: From<String>>(
        &self,
        layer: Layer,
        sheet: usize,
        map: usize,
        sink: &mut dyn FnMut(&[f32]) -> Result<(), E>,
    ) -> Result<(), E> {
        let (size, baked, covered) = (self.size as usize, &self.maps[map], &self.covered[sheet]);
        let channels = baked.facts.shape.channels;
        let neutral: Vec<f32> = match baked.scale {
            None if baked.facts.heights() => vec![0.0; channels],
            _ => baked.facts.shape.neutral.to_vec(),
        };
        let make = || Ok(SheetPadding::new(covered, self.size, self.padding, &self.order));
        let padding = self.paddings.get(sheet, make).map_err(|stopped| stopped.to_string())?;
        let borders =
            padding.as_ref().as_ref().map(|padding| self.border_values((layer, sheet, map), padding)).transpose()?;
        let mut walk = None;
        let mut bytes = Vec::new();
        for top in (0..size).step_by(TILE as usize) {
            let height = (TILE as usize).min(size - top);
            let mut band = neutral.repeat(size * height);
            for column in 0..size.div_ceil(TILE as usize) {
                let number = self.tiles[top / TILE as usize * size.div_ceil(TILE as usize) + column] as usize;
                self.unpack((layer, map), TileNumber { sheet, tile: number }, &mut bytes, |x, y, value| {
                    let at = ((y - top) * size + x) * channels;
                    band[at..at + channels].copy_from_slice(value);
                })?;
            }
            if let (Some(padding), Some(borders)) = (&*padding, &borders) {
                padding.rows(covered, &mut walk, top..top + height, |x, y, from| {
                    let at = ((y - top) * size + x) * channels;
                    band[at..at + channels].copy_from_slice(&borders[from * channels..(from + 1) * channels]);
                });
            }
            sink(&band)?;
        }
        Ok(())
    }

    /// Values of the texels that padding may copy, in the order of their numbers.
    pub(super) fn border_values(
        &self,
        (layer, sheet, map): (Layer, usize, usize),
        padding: &SheetPadding,
    ) -> Result<Vec<f32>, String> {
        let baked = &self.maps[map];
        let mut values = vec![0.0; padding.borders() * baked.facts.shape.channels];
        let mut bytes = Vec::new();
        for tile in (0..self.order.len()).filter(|&tile| !padding.in_tile(tile).is_empty()) {
            if !self.fetch(layer, map, TileNumber { sheet, tile }, &mut bytes)? {
                continue;
            }
            for &(nth, number) in padding.in_tile(tile) {
                let at = number as usize * baked.facts.shape.channels;
                baked.value(&bytes, nth as usize, &mut values[at..at + baked.facts.shape.channels]);
            }
        }
        Ok(values)
    }

    /// Values of a map's covered texels of a tile without mends, one after the other; heights in scene units. Empty where nothing was kept.
    pub(super) fn beneath(&self, map: usize, number: TileNumber) -> Result<Vec<f32>, String> {
        let mut bytes = Vec::new();
        self.fetch(Layer::Beneath, map, number, &mut bytes)?;
        let stored = self.maps[map].facts.stored;
        Ok((0..bytes.len() / stored.bytes()).map(|at| stored.unpack(&bytes, at)).collect())
    }

    /// Calls `each` with the place and the value of every covered texel of a tile.
    fn unpack(
        &self,
        (layer, map): (Layer, usize),
        number: TileNumber,
        bytes: &mut Vec<u8>,
        mut each: impl FnMut(usize, usize, &[f32]),
    ) -> Result<(), String> {
        if !self.fetch(layer, map, number, bytes)? {
            return Ok(());
        }
        let (tile, baked, covered) = (&self.order[number.tile], &self.maps[map], &self.covered[number.sheet]);
        let mut value = [0.0f32; 4];
        let mut next = 0;
        for y in tile.y as usize..(tile.y + tile.height) as usize {
            for x in tile.x as usize..(tile.x + tile.width) as usize {
                if !covered.get(y * self.size as usize + x) {
                    continue;
                }
                baked.value(bytes, next, &mut value[..baked.facts.shape.channels]);
                next += 1;
                each(x, y, &value[..baked.facts.shape.channels]);
            }
        }
        Ok(())
    }

    /// A whole map in memory, at the depth of its file. For tests and for small sheets.
    ///
    /// # Errors
    /// Why the spool cannot be read.
    pub fn pixels(&self, sheet: usize, map: usize) -> Result<Pixels, String> {
        let baked = &self.maps[map];
        let entries = self.size as usize * self.size as usize * baked.facts.shape.channels;
        let mut pixels = Pixels::filled(baked.facts.depth, entries, &[0.0]);
        let mut at = 0;
        self.stream::<String>(sheet, map, &mut |rows| {
            for &value in rows {
                pixels.set(at, value);
                at += 1;
            }
            Ok(())
        })?;
        Ok(pixels)
    }
}

impl BakedMap {
    /// The value of a tile's covered texel number `nth` as the file is to hold it.
    fn value(&self, tile: &[u8], nth: usize, value: &mut [f32]) {
        for (c, slot) in value.iter_mut().enumerate() {
            *slot = self.facts.stored.unpack(tile, nth * self.facts.shape.channels + c);
        }
        if let Some(scale) = self.scale {
            value[0] = 0.5 + value[0] / scale;
        }
    }
}
