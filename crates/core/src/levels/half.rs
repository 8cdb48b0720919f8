//! One half of a mesh on one side of a plane, and both halves of it again.

use super::reduce::Soup;
use crate::surface::Axis;
use glam::Vec3;
use rustc_hash::FxHashMap;

/// What lies on the side of rising coordinates of the plane across `axis` through `middle`; triangles that cross it are cut. Points within
/// `near` of the plane are put on it.
pub(super) fn half(soup: &Soup, axis: Axis, middle: f32, near: f32) -> Soup {
    let along = axis as usize;
    let mut positions = soup.positions.clone();
    let mut far: Vec<f32> = positions.iter().map(|p| p[along] - middle).collect();
    for (position, far) in positions.iter_mut().zip(&mut far).filter(|(_, far)| far.abs() <= near) {
        (position[along], *far) = (middle, 0.0);
    }
    // Where an edge meets the plane, by its ends.
    let mut cut: FxHashMap<[u32; 2], u32> = FxHashMap::default();
    let mut half = Soup { groups: soup.groups.clone(), triangles: Vec::new(), positions };
    for triangle in &soup.triangles {
        let depth = triangle.map(|v| far[v as usize]);
        // A triangle in the plane belongs to neither half.
        if depth.iter().all(|d| *d <= 0.0) {
            continue;
        }
        let mut rim: Vec<u32> = Vec::with_capacity(4);
        for k in 0..3 {
            let (a, b) = (triangle[k], triangle[(k + 1) % 3]);
            let (from, to) = (depth[k], depth[(k + 1) % 3]);
            if from >= 0.0 {
                rim.push(a);
            }
            if from * to < 0.0 {
                rim.push(*cut.entry([a.min(b), a.max(b)]).or_insert_with(|| {
                    // From the same end on either side of the edge, so that both triangles get the same point.
                    let (a, b) = (a.min(b) as usize, a.max(b) as usize);
                    let mut at = half.positions[a].lerp(half.positions[b], far[a] / (far[a] - far[b]));
                    at[along] = middle;
                    half.add(at, half.groups[a])
                }));
            }
        }
        for k in 2..rim.len() {
            half.triangles.push([rim[0], rim[k - 1], rim[k]]);
        }
    }
    half
}

/// A half and its mirror image, joined along the plane.
pub(super) fn both(half: Soup, axis: Axis, middle: f32) -> Soup {
    let (along, mut whole) = (axis as usize, half);
    let count = whole.positions.len();
    let mirrored: Vec<u32> = (0..count)
        .map(|v| {
            let at = whole.positions[v];
            if at[along] == middle {
                return v as u32;
            }
            let mut centre = Vec3::ZERO;
            centre[along] = middle;
            whole.add(axis.mirror(at, centre), whole.groups[v])
        })
        .collect();
    let other: Vec<[u32; 3]> =
        whole.triangles.iter().map(|[a, b, c]| [*a, *c, *b].map(|v| mirrored[v as usize])).collect();
    whole.triangles.extend(other);
    whole
}
