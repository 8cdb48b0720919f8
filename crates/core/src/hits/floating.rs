//! Texels at the silhouette of a detail that floats over the surface: some of their samples hit the detail, the others what lies below it.

use super::{RayPlan, Scratch, TileHits};
use crate::trace::{BackFaces, Hit, RaySpan};
use std::ops::Range;

/// Hits of one texel on one part may lie as far apart as the texel is wide: a slope of 45 degrees. Parts meet more closely.
const APART_TEXELS: f32 = 1.0;
const PARTS_APART_TEXELS: f32 = 0.05;
/// A step past a surface, as a share of the diagonal.
const PAST: f32 = 1e-5;

/// How far a detail stands over what lies below it, scene units, where a texel's samples hit both and no wall joins the two: a map
/// holds something between them there. None anywhere else.
pub fn half_covered(plan: &RayPlan, hits: &TileHits, samples: Range<usize>, scratch: &mut Scratch) -> Option<f32> {
    let heights = || samples.clone().filter_map(|s| Some((s, hits.height(s)?)));
    let (upper, top) = heights().max_by(|a, b| a.1.total_cmp(&b.1))?;
    let (lower, bottom) = heights().min_by(|a, b| a.1.total_cmp(&b.1))?;
    let jump = top - bottom;
    let part = |s: usize| hits.hit(s).map(|hit| plan.scene.high.part_of(hit.at.triangle));
    let apart = if part(upper) == part(lower) { APART_TEXELS } else { PARTS_APART_TEXELS };
    let texel = plan.side_of_uv_unit(hits.low(lower).triangle) / plan.size as f32;
    if jump <= 0.0 || jump <= apart * texel {
        return None;
    }
    let course = hits.course(upper)?;
    let low_part = plan.scene.low.parts[hits.low(upper).triangle as usize];
    let parts = plan.scene.high.parts.len();
    let past = plan.scene.diagonal() * PAST;
    let mask = scratch.mask.of(&plan.pairs.sights[low_part as usize], parts);
    // The next surface below a height, and the height that it lies at.
    let below = |height: f32, length: f32| -> Option<(Hit, f32)> {
        let origin = course.position + course.outward * (height - past);
        let span = RaySpan { origin, direction: -course.outward, length };
        let hit = plan.scene.trace.closest(&span, mask, BackFaces::Keep).hit?;
        Some((hit, height - past - hit.t))
    };
    let is_lower = |hit: &Hit, height: f32| !hit.back && (height - bottom).abs() < 0.5 * jump;
    let far = 1.5 * jump + texel;
    let (next, height) = below(top, far)?;
    let floats = if next.back {
        // Through the underside of a detail that has one.
        below(height, far).is_some_and(|(hit, height)| is_lower(&hit, height))
    } else {
        // A detail without an underside; not one that is stuck into the surface and closed below it.
        let own = |hit: &Hit| Some(plan.scene.high.part_of(hit.at.triangle)) == part(upper);
        let stuck = |height: f32| below(height, 2.0 * far).is_some_and(|(hit, _)| hit.back && own(&hit));
        is_lower(&next, height) && (own(&next) || !stuck(height))
    };
    floats.then_some(jump)
}
