//! Shared space: how much of each high-poly part lies nearest to each low-poly part. The high part is told by points spread evenly
//! over its area; the same meshes give the same points.

use crate::mesh::{Mesh, Part};
use crate::trace::TraceScene;
use glam::Vec3;
use rayon::prelude::*;

/// Points a high-poly part is told by.
const HIGH_POINTS: usize = 256;
/// Points further from the low-poly than this share of its diagonal are near to nothing.
const FAR: f32 = 0.15;

/// `share[high part][low part]`, 0 to 1: the share of the high part's surface that lies nearest to the low part. A row sums to
/// at most 1; what lies far from all counts for none. `high_parts` are parts of `high`, or the faces of them that count.
pub fn shared_space(low: &Mesh, high: &Mesh, high_parts: &[Part]) -> Vec<Vec<f32>> {
    let tree = TraceScene::new(low);
    let part_of = low.triangle_parts();
    let far = low.diagonal() * FAR;
    let row = |part: &Part| {
        let mut row = vec![0.0f32; low.parts.len()];
        let own = spread_points(high, part, HIGH_POINTS);
        for &p in &own {
            if let Some(nearest) = tree.nearest(p, far, |_| true) {
                row[part_of[nearest.triangle as usize] as usize] += 1.0 / own.len() as f32;
            }
        }
        row
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
