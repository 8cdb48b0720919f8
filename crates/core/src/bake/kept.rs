//! What a bake leaves for the next one of the same asset: each tile's hits with the rays that made them, the maps' values and the
//! signals. A ray that runs as it did before is not traced again, and a texel whose rays all do is not worked on again; because a
//! tile is a pure function of these, the bytes are those of a bake from nothing. Kept for sheets as small as proofs.

use super::plan::Plan;
use crate::hits::{EarlierHits, HitRule, TileHits, TileNumber};
use crate::sheet::SheetSettings;
use crate::trace::{BackFaces, Sight};
use parking_lot::Mutex;
use rustc_hash::FxHashMap;
use std::sync::Arc;

/// Sheets with more samples than this leave nothing: they are finals, and their rays would fill memory.
const MOST_SAMPLES: u64 = 1 << 20;

/// What must be the same for any ray to be the same.
#[derive(Clone, Debug, PartialEq)]
struct Frame {
    sheet: SheetSettings,
    hit: HitRule,
    back_faces: BackFaces,
    sights: Vec<Sight>,
    /// Whatever else maps read besides hits: seed and pictures.
    beside: String,
}

impl Frame {
    fn of(plan: &Plan) -> Frame {
        let recipe = &plan.recipe;
        Frame {
            // Proofs and finals of one size and sampling share their rays, whatever they are written as.
            sheet: SheetSettings {
                size: recipe.sheet.size,
                samples: recipe.sheet.samples,
                layout: recipe.sheet.layout,
                ..SheetSettings::default()
            },
            hit: recipe.hit,
            back_faces: recipe.back_faces,
            sights: plan.rays.pairs.sights.clone(),
            beside: format!("{} {:?}", recipe.seed, recipe.normal_map),
        }
    }

    /// Whether rays of the other frame start at the same texels and follow the same rules.
    fn same_rays(&self, other: &Frame) -> bool {
        (&self.sheet, self.hit, self.back_faces) == (&other.sheet, other.hit, other.back_faces)
    }
}

/// A map's values over a tile, and the texels whose values are no longer those of the hits.
#[derive(Clone)]
struct KeptValues {
    map: String,
    values: Arc<Vec<f32>>,
    stale: Arc<Vec<bool>>,
    errors: Arc<TexelErrors>,
}

/// What the rays of texels leave uncertain, by texel.
pub(super) type TexelErrors = Vec<(usize, f32)>;

/// What a map begins with in a tile that an earlier bake made.
pub(super) struct Begun {
    pub values: Arc<Vec<f32>>,
    /// Marks texels that it has to work on again.
    pub wanted: Vec<bool>,
    /// Of the others.
    pub errors: TexelErrors,
}

/// One tile.
#[derive(Clone)]
pub(super) struct KeptTile {
    pub hits: Arc<TileHits>,
    maps: Vec<KeptValues>,
    /// Signals that masks had measured.
    signals: Signals,
}

/// Signals, a number per sample, by what they were measured with.
pub(super) type Signals = Vec<(String, Arc<Vec<f32>>)>;

/// What a bake leaves of a tile besides its hits.
pub(super) struct Left {
    /// Values and errors of maps by the maps' keys.
    pub maps: Vec<(String, Vec<f32>, TexelErrors)>,
    pub signals: Signals,
}

#[derive(Default)]
struct Store {
    frame: Option<Frame>,
    tiles: FxHashMap<TileNumber, KeptTile>,
}

/// What the last bakes of a scene left.
#[derive(Default)]
pub struct KeptTiles {
    store: Mutex<Store>,
}

/// What one bake may take over, and what it leaves.
pub(super) struct Keeping<'a> {
    kept: &'a KeptTiles,
    /// By low part: the parts of the sculpt it sees are those of before.
    same_part: Vec<bool>,
    same_beside: bool,
    tiles: FxHashMap<TileNumber, KeptTile>,
    frame: Frame,
    left: Mutex<FxHashMap<TileNumber, KeptTile>>,
}

/// Maps kept beside the present ones, such as those of fewer rays; of more the latest.
const OTHER_MAPS: usize = 24;
/// Signals kept of a tile: as many as all finishes of an asset measure, and more, or those that come first would be measured again and
/// again.
const MOST_SIGNALS: usize = 64;

impl KeptTiles {
    /// Nothing was left yet.
    pub fn is_empty(&self) -> bool {
        self.store.lock().tiles.is_empty()
    }

    /// Bytes it holds in memory.
    pub fn bytes(&self) -> usize {
        let store = self.store.lock();
        let maps = |tile: &KeptTile| {
            tile.maps.iter().map(|m| 4 * m.values.len() + m.stale.len() + 16 * m.errors.len()).sum::<usize>()
        };
        let signals = |tile: &KeptTile| tile.signals.iter().map(|(_, values)| 4 * values.len()).sum::<usize>();
        store.tiles.values().map(|tile| tile.hits.bytes() + maps(tile) + signals(tile)).sum()
    }

    /// What a bake of `plan` can take over; None when it is too large to leave anything.
    pub(super) fn for_plan<'a>(plan: &'a Plan) -> Option<Keeping<'a>> {
        let kept = plan.kept.as_deref()?;
        let sheet = &plan.recipe.sheet;
        let samples = u64::from(sheet.size).pow(2) * u64::from(sheet.samples) * plan.rays.sheets.len() as u64;
        if samples > MOST_SAMPLES {
            return None;
        }
        let frame = Frame::of(plan);
        let store = kept.store.lock();
        let before = store.frame.as_ref().filter(|f| f.same_rays(&frame));
        let parts = plan.rays.pairs.sights.len();
        let same = |part: usize| before.is_some_and(|b| b.sights.get(part) == frame.sights.get(part));
        Some(Keeping {
            kept,
            same_part: (0..parts).map(same).collect(),
            same_beside: before.is_some_and(|b| b.beside == frame.beside),
            tiles: if before.is_some() { store.tiles.clone() } else { FxHashMap::default() },
            frame,
            left: Mutex::default(),
        })
    }
}

impl Keeping<'_> {
    /// The tile as it was left.
    pub fn tile(&self, number: TileNumber) -> Option<EarlierHits<'_>> {
        self.tiles.get(&number).map(|kept| EarlierHits { hits: &kept.hits, same_part: &self.same_part })
    }

    /// What a map begins with, where the rays of texels are `changed`. None when nothing is kept of it.
    pub fn begun(&self, number: TileNumber, map: &str, changed: &[bool]) -> Option<Begun> {
        let kept = self.tiles.get(&number).filter(|_| self.same_beside)?;
        let own = kept.maps.iter().find(|v| v.map == map)?;
        let wanted: Vec<bool> = changed.iter().zip(own.stale.iter()).map(|(changed, stale)| changed | stale).collect();
        let errors = own.errors.iter().filter(|(texel, _)| !wanted[*texel]).copied().collect();
        Some(Begun { values: own.values.clone(), wanted, errors })
    }

    /// Signals of a tile whose rays all run as before.
    pub fn signals(&self, number: TileNumber, changed: &[bool]) -> Signals {
        let kept = self.tiles.get(&number).filter(|_| self.same_beside && !changed.contains(&true));
        kept.map(|kept| kept.signals.clone()).unwrap_or_default()
    }

    /// Leaves a tile for the next bake: its hits, the values of its maps and the latest of its signals. `changed` marks texels
    /// whose rays run otherwise than before: what is kept of other maps is stale there.
    pub fn leave(&self, number: TileNumber, hits: Arc<TileHits>, left: Left, changed: &[bool]) {
        let Left { maps, mut signals } = left;
        signals.drain(..signals.len().saturating_sub(MOST_SIGNALS));
        let own: Vec<&String> = maps.iter().map(|(m, ..)| m).collect();
        let before = self.tiles.get(&number).filter(|_| self.same_beside).into_iter().flat_map(|k| &k.maps);
        let others: Vec<&KeptValues> = before.filter(|v| !own.contains(&&v.map)).collect();
        let latest = others.len().saturating_sub(OTHER_MAPS);
        let mut entries: Vec<KeptValues> = others[latest..].iter().map(|v| (*v).clone()).collect();
        if changed.contains(&true) {
            for entry in &mut entries {
                let stale = Arc::make_mut(&mut entry.stale);
                stale.iter_mut().zip(changed).for_each(|(stale, changed)| *stale |= changed);
            }
        }
        entries.extend(maps.into_iter().map(|(map, values, errors)| KeptValues {
            map,
            values: Arc::new(values),
            stale: Arc::new(vec![false; changed.len()]),
            errors: Arc::new(errors),
        }));
        let kept = KeptTile { hits, maps: entries, signals };
        self.left.lock().insert(number, kept);
    }

    /// The bake ran to its end: what it left replaces what was kept.
    pub fn finish(self) {
        let mut store = self.kept.store.lock();
        store.frame = Some(self.frame);
        store.tiles = self.left.into_inner();
    }
}
