//! Cutting one polygon into triangles, always the same way. Quads are cut along the shorter diagonal that keeps both halves
//! the right way round; larger faces lose ears in the plane of their Newell normal.

use glam::{Vec2, Vec3};

/// Triangles of a simple polygon as corner numbers `0..n`, in the polygon's own winding. `points` are its corners in scene
/// units. A polygon that is not simple still gives `n - 2` triangles.
pub fn triangulate_polygon(points: &[Vec3]) -> Vec<[u32; 3]> {
    match points.len() {
        0..=2 => Vec::new(),
        3 => vec![[0, 1, 2]],
        4 => cut_quad(points),
        _ => cut_ears(points),
    }
}

/// Twice the vector area of the polygon (Newell's method), which is robust for bent and concave faces.
fn newell(points: &[Vec3]) -> Vec3 {
    let mut sum = Vec3::ZERO;
    for (i, &p) in points.iter().enumerate() {
        let q = points[(i + 1) % points.len()];
        sum += (p - points[0]).cross(q - points[0]);
    }
    sum
}

fn cut_quad(p: &[Vec3]) -> Vec<[u32; 3]> {
    let up = newell(p);
    let fits = |a: usize, b: usize, c: usize| (p[b] - p[a]).cross(p[c] - p[a]).dot(up) >= 0.0;
    let across_02 = fits(0, 1, 2) && fits(0, 2, 3);
    let across_13 = fits(1, 2, 3) && fits(1, 3, 0);
    let shorter_02 = p[0].distance_squared(p[2]) <= p[1].distance_squared(p[3]);
    if (across_02 && shorter_02) || !across_13 { vec![[0, 1, 2], [0, 2, 3]] } else { vec![[1, 2, 3], [1, 3, 0]] }
}

fn cut_ears(points: &[Vec3]) -> Vec<[u32; 3]> {
    let up = newell(points).normalize_or(Vec3::Y);
    let (right, ahead) = up.any_orthonormal_pair();
    let flat: Vec<Vec2> = points.iter().map(|p| Vec2::new(p.dot(right), p.dot(ahead))).collect();
    let mut left: Vec<u32> = (0..points.len() as u32).collect();
    let mut cut = Vec::with_capacity(points.len() - 2);
    while left.len() > 3 {
        let n = left.len();
        let ear = (0..n).find(|&i| is_ear(&flat, &left, i)).unwrap_or(0);
        cut.push([left[(ear + n - 1) % n], left[ear], left[(ear + 1) % n]]);
        left.remove(ear);
    }
    cut.push([left[0], left[1], left[2]]);
    cut
}

fn is_ear(flat: &[Vec2], left: &[u32], i: usize) -> bool {
    let n = left.len();
    let [a, b, c] = [left[(i + n - 1) % n], left[i], left[(i + 1) % n]].map(|v| flat[v as usize]);
    if (b - a).perp_dot(c - b) <= 0.0 {
        return false;
    }
    let inside =
        |p: Vec2| (b - a).perp_dot(p - a) >= 0.0 && (c - b).perp_dot(p - b) >= 0.0 && (a - c).perp_dot(p - c) >= 0.0;
    left.iter().map(|&v| flat[v as usize]).filter(|&p| p != a && p != b && p != c).all(|p| !inside(p))
}
