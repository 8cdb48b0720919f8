//! Lean: details drawn aside because the ray that found them ran aslant. Where it shows, how much, and the strokes that would set
//! rays upright there.

use super::hits::{Leave, Scratch, TileHits};
use super::plan::Plan;
use crate::recipe::{Brush, ReachSide, Stroke};
use glam::Vec3;
use rayon::prelude::*;

/// A ray leans where it meets the surface, as it is shaded, at more than this angle (cosine of 8 degrees). On a smooth low-poly rays
/// and shading turn together, and nothing leans; at hard edges they part.
const LEAN_COS: f32 = 0.990_268;
/// A detail is told by a surface that turns at least so far (cosine of 20 degrees) both from the shading and from the ray.
const DETAIL_COS: f32 = 0.939_693;
/// Shifts of less than this many texels do not show.
const SHIFT_TEXELS: f32 = 1.5;

/// How far sideways a detail is drawn that sample `s` hits, scene units, when that shows: its height times the sine of the
/// angle between ray and face. None where the ray is square to the face, or what it hits is no sharp detail (the rounding
/// of a hard edge turns with the ray).
pub(super) fn lean_of(plan: &Plan, hits: &TileHits, s: usize) -> Option<f32> {
    let (height, normal) = (hits.height(s)?, hits.normal(&plan.scene, s)?);
    let (triangle, v, w) = hits.low(s);
    let low = &plan.scene.low;
    let shaded = low.shading_normal((triangle, v, w));
    let outward = plan.field.course(low, triangle, v, w).outward;
    let cos = outward.dot(shaded);
    if cos > LEAN_COS || normal.dot(shaded) > DETAIL_COS || normal.dot(outward) > DETAIL_COS {
        return None;
    }
    let shift = height.abs() * (1.0 - cos * cos).max(0.0).sqrt();
    (shift > SHIFT_TEXELS * texel_size(plan, triangle)).then_some(shift)
}

/// Side of a texel on a triangle, scene units.
fn texel_size(plan: &Plan, triangle: u32) -> f32 {
    let mesh = &plan.scene.low.mesh;
    let [a, b, c] = mesh.corner_uvs(triangle);
    let uv_area = (b - a).perp_dot(c - a).abs();
    (mesh.area_normal(triangle).length() / uv_area.max(f32::MIN_POSITIVE)).sqrt() / plan.recipe.sheet.size as f32
}

/// Lean over a whole plan.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct LeanReport {
    /// Samples that lean, and the sum of their shifts, scene units.
    pub samples: usize,
    pub shift: f64,
    /// Where they lie on the low surface, in the order of sheets, tiles and samples.
    pub places: Vec<Vec3>,
}

/// Strokes are laid through leaning places thinned to this share of the diagonal; a stroke goes on to places within so many steps.
const THINNED: f32 = 0.01;
const NEXT: f32 = 2.5;
/// Size of such a stroke, in steps: all between its places is upright.
const SIZE: f32 = 3.6;
const MOST_PLACES: usize = 400;

impl Plan {
    /// Measures lean over all sheets.
    pub fn lean(&self) -> LeanReport {
        let tiles: Vec<(usize, usize)> = self
            .sheets
            .iter()
            .enumerate()
            .flat_map(|(s, sheet)| (0..sheet.tiles.len()).map(move |t| (s, t)))
            .filter(|&(s, t)| !self.sheets[s].candidates[t].is_empty())
            .collect();
        let of_tile = |&(sheet, tile): &(usize, usize)| {
            let hits = TileHits::trace(self, (sheet, tile), None, (Leave::Nothing, None), &mut Scratch::default());
            let mut own = LeanReport::default();
            for s in hits.texels().flat_map(|(_, samples)| samples) {
                if let Some(shift) = lean_of(self, &hits, s) {
                    let (triangle, v, w) = hits.low(s);
                    own.samples += 1;
                    own.shift += f64::from(shift);
                    own.places.push(self.field.averaged_course(&self.scene.low, triangle, v, w).position);
                }
            }
            own
        };
        let reports: Vec<LeanReport> = tiles.par_iter().map(of_tile).collect();
        reports.into_iter().fold(LeanReport::default(), |mut all, mut own| {
            all.samples += own.samples;
            all.shift += own.shift;
            all.places.append(&mut own.places);
            all
        })
    }

    /// Strokes of plumb over all that leans; none where nothing does.
    pub fn plumb_strokes(&self) -> Vec<Stroke> {
        let step = self.scene.low.mesh.diagonal() * THINNED;
        let mut places: Vec<Vec3> = Vec::new();
        for p in self.lean().places {
            if places.len() < MOST_PLACES && places.iter().all(|q| q.distance(p) >= step) {
                places.push(p);
            }
        }
        let mut strokes = Vec::new();
        while let Some(first) = places.pop() {
            let mut path = vec![first];
            // On to the nearest place that is left, as long as it is near.
            while let Some((next, _)) = places
                .iter()
                .enumerate()
                .map(|(i, q)| (i, q.distance(path[path.len() - 1])))
                .filter(|(_, d)| *d <= step * NEXT)
                .min_by(|a, b| a.1.total_cmp(&b.1))
            {
                path.push(places.swap_remove(next));
            }
            strokes.push(Stroke {
                brush: Brush::Plumb,
                side: ReachSide::Out,
                size: step * SIZE,
                strength: 1.0,
                value: None,
                mirror: None,
                path: path.iter().map(|p| [p.x, p.y, p.z, 1.0]).collect(),
            });
        }
        strokes
    }
}
