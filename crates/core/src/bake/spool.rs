//! Where finished tiles wait until whole rows can be written. Small bakes wait in memory; whoever bakes large sheets may give a
//! spool that lies elsewhere. Only covered texels are kept, at no more precision than the file will hold.

use super::plan::Plan;
use crate::hits::TileNumber;
use crate::maps::MapKind;
use crate::picture::{Depth, ImageFormat, quantise};
use parking_lot::Mutex;

/// Keeps the bytes of tiles by number. Called from many threads.
pub trait Spool: Send + Sync {
    /// Keeps `bytes` under `slot`; of a slot that is kept twice the later bytes count.
    ///
    /// # Errors
    /// Why they cannot be kept, in words for the user.
    fn keep(&self, slot: usize, bytes: Vec<u8>) -> Result<(), String>;

    /// The bytes of `slot` into `into`; false, and nothing in it, when none were kept.
    ///
    /// # Errors
    /// Why they cannot be read back.
    fn fetch(&self, slot: usize, into: &mut Vec<u8>) -> Result<bool, String>;

    /// Whether what it keeps outlasts the program. The tiles that a run finished are then taken over when the same run goes on.
    fn lasts(&self) -> bool {
        false
    }
}

/// Where the parts of each tile wait in a spool.
#[derive(Clone, Copy, Debug)]
pub(super) struct Slots {
    pub maps: usize,
    /// Of a sheet.
    pub tiles: usize,
}

impl Slots {
    pub fn of(plan: &Plan) -> Slots {
        Slots { maps: plan.maps.len(), tiles: plan.rays.sheets.first().map_or(0, |sheet| sheet.tiles.len()) }
    }

    /// The values of a map over a tile.
    pub fn of_map(self, number: TileNumber, map: usize) -> usize {
        (number.sheet * self.tiles + number.tile) * (self.maps + 1) + map
    }

    /// What closes a tile: it is kept after the values of all maps.
    pub fn end(self, number: TileNumber) -> usize {
        self.of_map(number, self.maps)
    }
}

/// A spool in memory.
#[derive(Default)]
pub struct MemorySpool {
    slots: Mutex<Vec<Option<Vec<u8>>>>,
}

impl Spool for MemorySpool {
    fn keep(&self, slot: usize, bytes: Vec<u8>) -> Result<(), String> {
        let mut slots = self.slots.lock();
        if slots.len() <= slot {
            slots.resize(slot + 1, None);
        }
        slots[slot] = Some(bytes);
        Ok(())
    }

    fn fetch(&self, slot: usize, into: &mut Vec<u8>) -> Result<bool, String> {
        into.clear();
        let slots = self.slots.lock();
        let kept = slots.get(slot).and_then(Option::as_ref);
        into.extend(kept.into_iter().flatten());
        Ok(kept.is_some())
    }
}

/// How values of a map wait in the spool.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Stored {
    U8,
    U16,
    F32,
}

impl Stored {
    /// No more precise than the file.
    pub fn for_file(kind: &MapKind, format: ImageFormat, depth: Depth, dither: bool) -> Stored {
        let floats = depth == Depth::Float || format == ImageFormat::Exr;
        match (kind.heights, floats, depth) {
            (true, ..) | (_, true, _) => Stored::F32,
            (_, _, Depth::Eight) if !dither || kind.flat => Stored::U8,
            _ => Stored::U16,
        }
    }

    pub fn bytes(self) -> usize {
        match self {
            Stored::U8 => 1,
            Stored::U16 => 2,
            Stored::F32 => 4,
        }
    }

    /// Values of a tile's covered texels, one after the other.
    pub fn pack(self, values: &[f32]) -> Vec<u8> {
        match self {
            Stored::U8 => values.iter().map(|&v| quantise(v, 255.0) as u8).collect(),
            Stored::U16 => values.iter().flat_map(|&v| (quantise(v, 65535.0) as u16).to_le_bytes()).collect(),
            Stored::F32 => values.iter().flat_map(|&v| v.to_le_bytes()).collect(),
        }
    }

    /// Value number `at` of packed bytes.
    pub fn unpack(self, bytes: &[u8], at: usize) -> f32 {
        match self {
            Stored::U8 => f32::from(bytes[at]) / 255.0,
            Stored::U16 => f32::from(u16::from_le_bytes([bytes[at * 2], bytes[at * 2 + 1]])) / 65535.0,
            Stored::F32 => {
                let b = &bytes[at * 4..at * 4 + 4];
                f32::from_le_bytes([b[0], b[1], b[2], b[3]])
            }
        }
    }
}
