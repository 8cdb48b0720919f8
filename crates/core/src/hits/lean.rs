//! Whether a detail leans: the ray that found it ran aslant, so that it is drawn aside.

use super::{RayPlan, TileHits};

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
pub fn lean_of(plan: &RayPlan, hits: &TileHits, s: usize) -> Option<f32> {
    let height = hits.height(s)?;
    let (at, low) = (hits.low(s), &plan.scene.low);
    let shaded = low.mesh.normal_at(at);
    let outward = hits.course(s)?.outward;
    let cos = outward.dot(shaded);
    if cos > LEAN_COS {
        return None;
    }
    let normal = hits.normal(&plan.scene, s)?;
    if normal.dot(shaded) > DETAIL_COS || normal.dot(outward) > DETAIL_COS {
        return None;
    }
    let shift = height.abs() * (1.0 - cos * cos).max(0.0).sqrt();
    let texel = plan.side_of_uv_unit(at.triangle) / plan.size as f32;
    (texel > 0.0 && shift > SHIFT_TEXELS * texel).then_some(shift)
}
