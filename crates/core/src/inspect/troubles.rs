//! What troubled a run's texels, part by part, and the findings on it. Counting is free of order: any thread may count any tile.

use super::{back_faces, envelope, half_covered, lean, misses, wrong_parts};
use crate::change::Change;
use crate::finding::{Finding, Place, Severity};
use crate::mesh::Mesh;
use crate::reach::{Brush, ReachSide, ResolvedReach, Stroke};
use crate::surface::MeshPoint;
use glam::Vec3;
use serde::{Deserialize, Serialize};
use std::cmp::Reverse;

/// A texel of a run.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct TexelPlace {
    pub sheet: usize,
    /// Its number on the sheet, row by row from the top.
    pub texel: u32,
    pub at: MeshPoint,
}

/// How many texels had a trouble, and the tile of the sheet that has most of them.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Troubles {
    pub count: u64,
    /// The tile with most, of those that are done; the one on an earlier place of two that have as many.
    most: Option<InTile>,
    /// The tile in work.
    now: Option<InTile>,
}

/// Troubled texels of a tile.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
struct InTile {
    count: u64,
    /// The first of them in reading order.
    first: TexelPlace,
}

impl InTile {
    fn rank(&self) -> (u64, Reverse<(usize, u32)>) {
        (self.count, Reverse((self.first.sheet, self.first.texel)))
    }
}

impl Troubles {
    /// A texel more, of the tile in work.
    pub fn add(&mut self, at: TexelPlace) {
        self.count += 1;
        self.now.get_or_insert(InTile { count: 0, first: at }).count += 1;
    }

    /// The tile in work is done.
    pub fn end_tile(&mut self) {
        let both = self.most.into_iter().chain(self.now.take());
        self.most = both.max_by_key(InTile::rank);
    }

    pub fn merge(&mut self, other: &Troubles) {
        self.count += other.count;
        let both = self.most.into_iter().chain(other.most);
        self.most = both.max_by_key(InTile::rank);
    }
}

/// What was met on one low-poly part.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct PartTroubles {
    pub covered: u64,
    pub misses: Troubles,
    pub back_faces: Troubles,
    pub wrong_parts: Troubles,
    pub leaning: Troubles,
    /// Sideways shift of details over the leaning texels, scene units, the largest.
    pub most_shift: f32,
    /// Texels that the sculpt stands out of the envelope at; how far it does outside the low-poly, scene units, the most.
    pub beyond: Troubles,
    pub most_beyond: f32,
    /// Texels half on a detail that floats; how far one does, scene units, the most.
    pub half_covered: Troubles,
    pub most_gap: f32,
}

impl PartTroubles {
    pub fn end_tile(&mut self) {
        let several = [&mut self.misses, &mut self.back_faces, &mut self.wrong_parts, &mut self.leaning];
        let more = [&mut self.beyond, &mut self.half_covered];
        several.into_iter().chain(more).for_each(Troubles::end_tile);
    }

    pub fn merge(&mut self, other: &PartTroubles) {
        self.covered += other.covered;
        self.misses.merge(&other.misses);
        self.back_faces.merge(&other.back_faces);
        self.wrong_parts.merge(&other.wrong_parts);
        self.leaning.merge(&other.leaning);
        self.most_shift = self.most_shift.max(other.most_shift);
        self.beyond.merge(&other.beyond);
        self.most_beyond = self.most_beyond.max(other.most_beyond);
        self.half_covered.merge(&other.half_covered);
        self.most_gap = self.most_gap.max(other.most_gap);
    }
}

/// Where troubles lie.
#[derive(Clone, Copy)]
pub struct TroubledSheet<'a> {
    pub low: &'a Mesh,
    /// Texels per side of a sheet.
    pub size: u32,
    pub reach: ResolvedReach,
}

/// A part with what was met on it.
pub(super) struct PartResult<'a> {
    pub sheet: TroubledSheet<'a>,
    pub part: &'a str,
    pub troubles: &'a PartTroubles,
}

/// Findings on a part's results, in the order they are told.
const RESULTS: &[fn(&PartResult) -> Option<Finding>] = &[
    misses::misses,
    envelope::clips,
    back_faces::back_faces,
    wrong_parts::wrong_parts,
    lean::leaning,
    half_covered::half_covered,
];

/// Findings on what was met on a part.
pub fn part_findings(sheet: TroubledSheet, part: &str, troubles: &PartTroubles) -> Vec<Finding> {
    let result = PartResult { sheet, part, troubles };
    RESULTS.iter().filter_map(|check| check(&result)).collect()
}

/// A part with fewer troubled texels than this share is not worth a finding.
const WORTH_SAYING: f64 = 0.0005;

/// The corners of a triangle and of those beside it, each once.
fn corners_around(low: &Mesh, triangle: u32) -> Vec<Vec3> {
    let own = low.corners(triangle);
    let mut found = own.to_vec();
    for other in (0..low.triangles.len() as u32).map(|t| low.corners(t)) {
        if other.iter().filter(|p| own.contains(p)).count() == 2 {
            found.extend(other.iter().find(|p| !own.contains(p)));
        }
    }
    found
}

/// A stroke is this many times as large as what it is for, since it fades towards its edge; and so many texels at least.
const OVER: f32 = 3.0;
const LEAST_TEXELS: f32 = 24.0;
/// It never goes further than this share of the low-poly's diagonal.
const MOST_SIZE: f32 = 0.25;

/// Troubles that are worth a finding: which share of the covered texels they are, and where.
pub(super) struct Worth {
    pub share: f64,
    pub place: Place,
    most: InTile,
}

impl TroubledSheet<'_> {
    /// None when there are too few to be worth a finding.
    pub(super) fn worth(&self, part: Option<&str>, troubles: &Troubles, covered: u64) -> Option<Worth> {
        self.worth_from(WORTH_SAYING, part, troubles, covered)
    }

    /// The same where fewer than the share `least` are not worth one.
    pub(super) fn worth_from(
        &self,
        least: f64,
        part: Option<&str>,
        troubles: &Troubles,
        covered: u64,
    ) -> Option<Worth> {
        let share = troubles.count as f64 / covered.max(1) as f64;
        let most = troubles.most.filter(|_| share >= least)?;
        let place = Place { part: part.map(str::to_owned), ..self.place(most.first, troubles.count) };
        Some(Worth { share, place, most })
    }

    /// A texel as the place of a finding on `count` of them.
    pub(super) fn place(&self, first: TexelPlace, count: u64) -> Place {
        Place {
            file: None,
            part: None,
            triangles: vec![first.at.triangle],
            count: count.min(u64::from(u32::MAX)) as u32,
            point: Some(self.low.at(first.at).to_array()),
            uv: Some(self.uv_of(first.texel)),
            sheet: Some(first.sheet as u32),
        }
    }

    /// Middle of a texel, in UV units.
    fn uv_of(&self, texel: u32) -> [f32; 2] {
        let middle = |at: u32| (at as f32 + 0.5) / self.size as f32;
        [middle(texel % self.size), 1.0 - middle(texel / self.size)]
    }
}

impl Worth {
    /// A stroke of a reach brush around the place with most of them, as large as if all lay there.
    pub fn stroke(&self, result: &PartResult, brush: Brush, side: ReachSide, value: Option<f32>) -> Change {
        let low = result.sheet.low;
        let at = self.most.first.at;
        let [a, b, c] = low.corner_uvs(at.triangle);
        let uv_area = (b - a).perp_dot(c - a).abs();
        let texel = (low.area_normal(at.triangle).length() / uv_area.max(1e-12)).sqrt() / result.sheet.size as f32;
        let radius = (self.place.count as f32 / std::f32::consts::PI).sqrt() * texel;
        let size = (radius * OVER).min(low.diagonal() * MOST_SIZE).max(texel * LEAST_TEXELS);
        // Reaches stand at vertices, so those around are passed; plumb stands anywhere.
        let passed = if brush.turns() { vec![low.at(at)] } else { corners_around(low, at.triangle) };
        let path = passed.iter().map(|p| [p.x, p.y, p.z, 1.0]).collect();
        let stroke = Stroke { brush, side, size, strength: 1.0, value, mirror: None, path };
        Change { at: ["reach", "strokes", "+"].map(str::to_owned).into(), to: Some(serde_json::json!([stroke])) }
    }

    pub fn severity(&self) -> Severity {
        if self.share > 0.01 { Severity::Fault } else { Severity::Warning }
    }
}

impl PartResult<'_> {
    pub fn worth(&self, troubles: &Troubles) -> Option<Worth> {
        self.sheet.worth(Some(self.part), troubles, self.troubles.covered)
    }

    /// How many texels, and where the most of them are when they are not all in one place.
    pub fn how_many(&self, troubles: &Troubles, worth: &Worth) -> String {
        let counted = super::counted(troubles.count as usize, "texel", "texels");
        let all = format!("{counted} of '{}' ({:.2} %)", self.part, worth.share * 100.0);
        if worth.most.count == troubles.count {
            return all;
        }
        let [u, v] = self.sheet.uv_of(worth.most.first.texel);
        format!("{all}, most densely around UV {u:.2} {v:.2}")
    }
}
