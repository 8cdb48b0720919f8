//! What the primary rays of a run follow: meshes, pairs, reaches, rules, and the samples that they start from.

use super::{HitKey, HitRule};
use crate::pairs::{PairRow, PairTable, PairedBy, Shares};
use crate::reach::ReachField;
use crate::scene::BakeScene;
use crate::sheet::{SheetPlan, sample_pattern};
use crate::trace::BackFaces;
use std::sync::OnceLock;

/// All that a tile's hits follow from; the same for every tile of a run.
pub struct RayPlan {
    pub scene: BakeScene,
    pub pairs: PairTable,
    /// How far and which way rays run.
    pub field: ReachField,
    pub rule: HitRule,
    pub back_faces: BackFaces,
    pub sheets: Vec<SheetPlan>,
    /// Texels per side of a sheet.
    pub size: u32,
    /// Samples per texel.
    pub samples: u32,
    pub(crate) derived: Derived,
}

/// What follows from the rest of a [`RayPlan`].
pub(crate) struct Derived {
    /// Where the samples of a texel lie.
    pub pattern: Vec<[f64; 2]>,
    /// By high part: it lies with one low part by most of its surface. None when no low part sees anything for want of a
    /// better rule.
    with_one: Option<Vec<bool>>,
    sight_keys: OnceLock<Vec<HitKey>>,
}

impl Derived {
    pub fn of(scene: &BakeScene, pairs: &PairTable, samples: u32) -> Derived {
        let with_one = parts_with_one(scene, pairs);
        Derived { pattern: sample_pattern(samples), with_one, sight_keys: OnceLock::new() }
    }
}

/// Of a high part's surface this share at least lies with another low part, and no more than this with the one that sees it.
const MOST_OF_IT: f32 = 0.6;
const SLIVER: f32 = 0.02;

/// Paired for want of a better rule. What was paired by name or manually is meant so.
fn is_loose(by: PairedBy) -> bool {
    matches!(by, PairedBy::All | PairedBy::Default)
}

fn parts_with_one(scene: &BakeScene, pairs: &PairTable) -> Option<Vec<bool>> {
    let parts = scene.high.parts.len();
    let loose = |row: &PairRow| row.pairs(parts).any(|(_, by)| is_loose(by));
    if scene.own_surface || pairs.rows.len() < 2 || !pairs.rows.iter().any(loose) {
        return None;
    }
    let most = |row: &Shares| row.iter().map(|(_, share)| *share).fold(0.0, f32::max);
    Some(scene.shared_space().iter().map(|row| most(row) >= MOST_OF_IT).collect())
}

impl RayPlan {
    /// Whether a tile holds anything.
    pub fn is_busy(&self, tile: TileNumber) -> bool {
        !self.sheets[tile.sheet].candidates[tile.tile].is_empty()
    }

    /// The tiles that hold anything, over all sheets.
    pub fn busy_tiles(&self) -> Vec<TileNumber> {
        let sheets = self.sheets.iter().enumerate();
        let tiles = sheets.flat_map(|(s, sheet)| (0..sheet.tiles.len()).map(move |tile| TileNumber { sheet: s, tile }));
        tiles.filter(|at| self.is_busy(*at)).collect()
    }

    /// Side of the square of surface that a unit of UV space covers on a low-poly triangle, scene units; 0 without UV area.
    pub fn side_of_uv_unit(&self, triangle: u32) -> f32 {
        let mesh = &self.scene.low.mesh;
        let [a, b, c] = mesh.corner_uvs(triangle);
        let uv_area = (b - a).perp_dot(c - a).abs();
        if uv_area > 0.0 { (mesh.area_normal(triangle).length() / uv_area).sqrt() } else { 0.0 }
    }

    /// By low part, BLAKE3 of the parts that its rays may hit.
    pub(super) fn sight_keys(&self) -> &[HitKey] {
        self.derived
            .sight_keys
            .get_or_init(|| self.pairs.sights.iter().map(|sight| *blake3::hash(&sight.to_bytes()).as_bytes()).collect())
    }

    /// True when a triangle of the sculpt belongs, by all but a sliver of its part's surface, to another low-poly part than the
    /// one that sees it.
    pub fn is_elsewhere(&self, low_part: u32, high_triangle: u32) -> bool {
        let Some(with_one) = &self.derived.with_one else { return false };
        let part = self.scene.high.part_of(high_triangle);
        if !with_one.get(part).copied().unwrap_or(false) {
            return false;
        }
        let share = &self.scene.shared_space()[part];
        let own = share.binary_search_by_key(&low_part, |(low, _)| *low).map_or(0.0, |at| share[at].1);
        own <= SLIVER && self.pairs.rows[low_part as usize].by(part as u32).is_some_and(is_loose)
    }
}

/// A tile of a run.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub struct TileNumber {
    pub sheet: usize,
    /// Its number on the sheet, in Morton order.
    pub tile: usize,
}
