//! Ways along edges, for seams that are marked from one click to the next.

use super::net::NONE;
use super::sheet::Sheet;
use crate::mesh::Mesh;
use std::cmp::Reverse;
use std::collections::BinaryHeap;

/// A right angle makes an edge this much shorter for a way along the sharpest.
const SHARP_GAIN: f64 = 9.0;

/// The way along edges between two corners (three times a triangle plus the number of its corner), as sides: the shortest, or one that
/// keeps to sharp edges. Empty where there is none.
pub fn edge_path(mesh: &Mesh, from: u32, to: u32, sharpest: bool) -> Vec<u32> {
    let sheet = Sheet::new(mesh.clone());
    let net = &sheet.net;
    let point = |corner: u32| net.faces.get(corner as usize / 3).map(|f| f[corner as usize % 3]);
    let (Some(from), Some(to)) = (point(from), point(to)) else { return Vec::new() };
    let mut around: Vec<Vec<(u32, u32, f64)>> = vec![Vec::new(); net.points.len()];
    for side in 0..3 * net.faces.len() as u32 {
        let [a, b] = net.ends(side);
        let long = net.points[a as usize].distance(net.points[b as usize]);
        let bend = net.across(side).map_or(1.0, |other| {
            let (one, two) = (net.area_normal(side / 3), net.area_normal(other / 3));
            1.0 - one.normalize_or_zero().dot(two.normalize_or_zero()).clamp(0.0, 1.0)
        });
        let cost = if sharpest { long / (1.0 + SHARP_GAIN * bend) } else { long };
        around[a as usize].push((b, side, cost));
        around[b as usize].push((a, side, cost));
    }
    let mut far = vec![f64::INFINITY; net.points.len()];
    let mut by = vec![NONE; net.points.len()];
    // Lengths are never negative: their bits are in order as they are.
    let mut open = BinaryHeap::from([Reverse((0u64, from))]);
    far[from as usize] = 0.0;
    while let Some(Reverse((bits, at))) = open.pop() {
        if f64::from_bits(bits) > far[at as usize] {
            continue;
        }
        if at == to {
            break;
        }
        for &(next, side, cost) in &around[at as usize] {
            let gone = far[at as usize] + cost;
            if gone < far[next as usize] {
                (far[next as usize], by[next as usize]) = (gone, side);
                open.push(Reverse((gone.to_bits(), next)));
            }
        }
    }
    let (mut at, mut sides) = (to, Vec::new());
    while at != from {
        let side = by[at as usize];
        if side == NONE {
            return Vec::new();
        }
        sides.push(side);
        let [a, b] = net.ends(side);
        at = if a == at { b } else { a };
    }
    sides.reverse();
    sides
}
