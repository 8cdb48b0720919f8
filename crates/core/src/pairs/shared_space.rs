//! Shared space: how much of each high-poly part lies nearest to each low-poly part. The high part is told by points spread evenly
//! over its area; the same meshes give the same points.

use crate::mesh::{Mesh, Part};
use crate::trace::TraceScene;
use glam::Vec3;
use rayon::prelude::*;

/// Points a high-poly part is told by: so many, or fewer where there are so many parts that all together pass a bound.
const HIGH_POINTS: usize = 256;
const FEWEST_POINTS: usize = 24;
const POINTS_IN_ALL: usize = 2_000_000;
/// Points further from the low-poly than this share of its diagonal are near to nothing.
const FAR: f32 = 0.15;

/// How much of a high part lies nearest to low parts, as far as it does: their numbers, rising, each with a share above 0 and at
/// most 1.
pub type Shares = Vec<(u32, f32)>;

/// For each high part, the low parts that some of its surface lies nearest to, by number, each with the share that does. Shares
/// of a part sum to at most 1; what lies far from all counts for none. `high_parts` are parts of `high`, or the faces of them
/// that count.
pub fn shared_space(low: &Mesh, high: &Mesh, high_parts: &[Part]) -> Vec<Shares> {
    let tree = TraceScene::new(low);
    let part_of = low.triangle_parts();
    let far = low.diagonal() * FAR;
    let points = (POINTS_IN_ALL / high_parts.len().max(1)).clamp(FEWEST_POINTS, HIGH_POINTS);
    let row = |part: &Part| {
        let own = spread_points(high, part, points);
        let near = own.iter().filter_map(|&p| tree.nearest(p, far, |_| true));
        let mut near: Vec<u32> = near.map(|n| part_of[n.at.triangle as usize]).collect();
        near.sort_unstable();
        near.chunk_by(|a, b| a == b).map(|run| (run[0], run.len() as f32 / own.len() as f32)).collect()
    };
    high_parts.par_iter().map(row).collect()
}

/// `count` points on a part, evenly by area: at regular steps of the area summed over its faces, each face hit at points of the
/// R2 sequence (Roberts 2018).
fn spread_points(mesh: &Mesh, part: &Part, count: usize) -> Vec<Vec3> {
    let sums: Vec<f64> = part
        .triangles
        .clone()
        .scan(0.0, |sum, t| {
            *sum += f64::from(mesh.area_normal(t).length());
            Some(*sum)
        })
        .collect();
    let all = sums.last().copied().unwrap_or(0.0);
    (0..count)
        .map(|i| {
            let at = sums.partition_point(|s| *s < all * (i as f64 + 0.5) / count as f64).min(sums.len().max(1) - 1);
            let [a, b, c] = mesh.corners(part.triangles.start + at as u32);
            let (mut v, mut w) = ((i as f32 * 0.754_877_7).fract(), (i as f32 * 0.569_840_3).fract());
            if v + w > 1.0 {
                (v, w) = (1.0 - v, 1.0 - w);
            }
            a + (b - a) * v + (c - a) * w
        })
        .collect()
}
