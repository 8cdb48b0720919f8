//! One pair of numbers that suits a whole asset: how far the sculpt lies outside and inside the low-poly, measured by
//! rays from points spread over the low surface. The fit per vertex is another matter and not done here.

use super::LowSurface;
use crate::recipe::Direction;
use crate::trace::{BackFaces, RaySpan, TraceScene};
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// Reaches in scene units, and how well they fit the points that were probed.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize, TS)]
pub struct SuggestedReach {
    pub out: f32,
    #[serde(rename = "in")]
    pub inward: f32,
    /// Share (0..1) of probed points whose sculpt surface lies within these reaches.
    pub enclosed: f32,
}

/// How many points of the low surface are probed.
const PROBES: usize = 24_000;
/// Nothing further off than this share of the asset's diagonal is taken for the surface that belongs to a point.
const FURTHEST: f32 = 0.08;
/// Room left beyond the measured distance: what the probes did not see lies a little further out.
const ROOM: f32 = 1.2;
/// Share of probes whose distance the reach must cover.
const COVER: f64 = 0.9995;
/// Least reach, as a share of the diagonal: rays need some run-up even where both surfaces agree.
const LEAST: f32 = 0.002;

/// Measures reaches for `low` against the sculpt. `allowed[low part][high part]` tells which parts a ray may hit.
pub fn suggest_reach(low: &LowSurface, scene: &TraceScene, allowed: &[Vec<bool>]) -> SuggestedReach {
    let furthest = low.mesh.diagonal() * FURTHEST;
    let mut out = Vec::new();
    let mut inward = Vec::new();
    for (triangle, v, w) in probe_points(low) {
        let point = low.point(triangle, v, w, Direction::Averaged);
        let mask = &allowed[low.parts[triangle as usize] as usize];
        let look = |direction| {
            let span = RaySpan { origin: point.position, direction, length: furthest };
            scene.closest(&span, mask, BackFaces::Keep).hit
        };
        let (above, below) = (look(point.outward), look(-point.outward));
        // Outside the low surface a sculpt shows its back to a ray that leaves the surface; inside it shows its front.
        let above = above.filter(|h| h.back).map(|h| h.t);
        let below = below.filter(|h| !h.back).map(|h| h.t);
        match (above, below) {
            (Some(a), Some(b)) if a > b => inward.push(b),
            (Some(a), _) => out.push(a + floating_above(scene, &point, mask, a, furthest)),
            (None, Some(b)) => {
                out.push(floating_above(scene, &point, mask, 0.0, furthest));
                inward.push(b);
            }
            (None, None) => {}
        }
    }
    let least = low.mesh.diagonal() * LEAST;
    let probes = (out.len() + inward.len()).max(1);
    let reach_over = |distances: &mut Vec<f32>| {
        distances.sort_unstable_by(f32::total_cmp);
        let spare = ((1.0 - COVER) * probes as f64) as usize;
        let covered = distances.len().checked_sub(spare + 1).map_or(0.0, |last| distances[last]);
        (covered * ROOM).max(least)
    };
    let (out_reach, in_reach) = (reach_over(&mut out), reach_over(&mut inward));
    let inside = out.iter().filter(|&&d| d <= out_reach).count() + inward.iter().filter(|&&d| d <= in_reach).count();
    SuggestedReach { out: out_reach, inward: in_reach, enclosed: inside as f32 / probes as f32 }
}

/// How much further out a detail floats above the surface already found at `from`, or 0. Only a surface that faces the
/// same way counts, and only close by: beyond that it is another part of the shape.
fn floating_above(scene: &TraceScene, point: &super::SurfacePoint, mask: &[bool], from: f32, furthest: f32) -> f32 {
    let close = furthest * 0.25;
    let span =
        RaySpan { origin: point.position + point.outward * (from + close), direction: -point.outward, length: close };
    let hit = scene.closest(&span, mask, BackFaces::Skip).hit;
    hit.map_or(0.0, |h| close - h.t)
}

/// Points spread evenly by area: each triangle gets its share, laid out by the R2 sequence (Roberts 2018).
fn probe_points(low: &LowSurface) -> Vec<(u32, f32, f32)> {
    let mesh = &low.mesh;
    let areas: Vec<f64> = (0..mesh.triangles.len() as u32).map(|t| f64::from(mesh.area_normal(t).length())).collect();
    let total: f64 = areas.iter().sum();
    let mut points = Vec::with_capacity(PROBES + areas.len());
    let mut owed = 0.0;
    let mut n = 0u32;
    for (t, area) in areas.iter().enumerate() {
        owed += PROBES as f64 * area / total.max(f64::MIN_POSITIVE);
        while owed >= 1.0 {
            owed -= 1.0;
            n += 1;
            let a = (f64::from(n) * 0.754_877_666_246_692_8).fract();
            let b = (f64::from(n) * 0.569_840_290_998_053_2).fract();
            let (a, b) = if a + b > 1.0 { (1.0 - a, 1.0 - b) } else { (a, b) };
            points.push((t as u32, a as f32, b as f32));
        }
    }
    points
}
