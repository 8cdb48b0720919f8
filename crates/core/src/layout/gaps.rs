//! Room between islands on the sheet: how near each comes to another, exact between its border edges. Textures are made
//! smaller in steps of two (mip levels), and islands whose gap shrinks below two texels mix there.

use super::Unwrap;
use crate::mesh::{Mesh, weld};
use glam::{DVec2, Vec2};
use rayon::prelude::*;
use rustc_hash::FxHashMap;

/// Nearest other island.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Gap {
    pub other: u32,
    /// UV units; 0 where they touch or overlap.
    pub distance: f32,
    /// Where, on this island's border.
    pub at: Vec2,
}

/// Cells a UV unit, and pieces of border are no longer than a cell.
const CELLS: f64 = 256.0;
/// Pieces a border edge is cut into at most, so that UVs far outside cannot ask for much.
const MOST_PIECES: f64 = 4096.0;

struct BorderPiece {
    island: u32,
    ends: [DVec2; 2],
}

/// For each island the nearest other one that comes within `radius` (UV units) of it and that `meet` accepts, told the two
/// islands' numbers. None for those with room around.
pub fn find_gaps(
    mesh: &Mesh,
    unwrap: &Unwrap,
    radius: f32,
    meet: impl Fn(u32, u32) -> bool + Sync,
) -> Vec<Option<Gap>> {
    let pieces = border_pieces(mesh, unwrap);
    let cell_of = |p: DVec2| (p * CELLS).floor().as_i64vec2();
    let middle = |piece: &BorderPiece| (piece.ends[0] + piece.ends[1]) * 0.5;
    let mut cells: FxHashMap<glam::I64Vec2, Vec<u32>> = FxHashMap::default();
    for (number, piece) in pieces.iter().enumerate() {
        cells.entry(cell_of(middle(piece))).or_default().push(number as u32);
    }
    let furthest = (f64::from(radius) * CELLS).ceil() as i64 + 2;
    let nearest = |piece: &BorderPiece| {
        let home = cell_of(middle(piece));
        let mut best: Option<(f64, u32, DVec2)> = None;
        for ring in 0..=furthest {
            // Two pieces reach at most half a cell each towards each other.
            if best.is_some_and(|(distance, ..)| distance * CELLS <= (ring - 2) as f64) {
                break;
            }
            let sides = (-ring..=ring).flat_map(|i| {
                let inner = if i.abs() == ring { 1 } else { (2 * ring).max(1) };
                (-ring..=ring).step_by(inner as usize).map(move |j| (i, j))
            });
            for (i, j) in sides {
                let members = cells.get(&(home + glam::I64Vec2::new(i, j)));
                for &number in members.into_iter().flatten() {
                    let other = &pieces[number as usize];
                    if other.island == piece.island || !meet(piece.island, other.island) {
                        continue;
                    }
                    let (distance, at) = between(piece.ends, other.ends);
                    let nearer = best.is_none_or(|(known, known_other, _)| {
                        distance < known || distance == known && other.island < known_other
                    });
                    if nearer && distance <= f64::from(radius) {
                        best = Some((distance, other.island, at));
                    }
                }
            }
        }
        best.map(|(distance, other, at)| Gap { other, distance: distance as f32, at: at.as_vec2() })
    };
    let found: Vec<Option<Gap>> = pieces.par_iter().map(nearest).collect();
    let mut gaps: Vec<Option<Gap>> = vec![None; unwrap.islands.len()];
    for (piece, gap) in pieces.iter().zip(found) {
        let slot = &mut gaps[piece.island as usize];
        if let Some(gap) = gap
            && slot.is_none_or(|s| gap.distance < s.distance)
        {
            *slot = Some(gap);
        }
    }
    gaps
}

/// Edges that one face of an island has alone, cut to at most a cell's length.
fn border_pieces(mesh: &Mesh, unwrap: &Unwrap) -> Vec<BorderPiece> {
    let point_of = weld(mesh).point_of;
    let key = |v: u32| {
        let uv = mesh.uvs[v as usize];
        (point_of[v as usize], (uv.x + 0.0).to_bits(), (uv.y + 0.0).to_bits())
    };
    type Corner = (u32, u32, u32);
    let mut uses: FxHashMap<(Corner, Corner), (u32, [u32; 2], u32)> = FxHashMap::default();
    for (t, triangle) in mesh.triangles.iter().enumerate() {
        let island = unwrap.island_of[t];
        if unwrap.islands[island as usize].uv_area == 0.0 {
            continue;
        }
        for i in 0..3 {
            let ends = [triangle[i], triangle[(i + 1) % 3]];
            let (a, b) = (key(ends[0]), key(ends[1]));
            uses.entry((a.min(b), a.max(b))).or_insert((island, ends, 0)).2 += 1;
        }
    }
    let mut borders: Vec<(u32, [u32; 2])> = uses.into_values().filter(|u| u.2 == 1).map(|u| (u.0, u.1)).collect();
    borders.sort_unstable();
    let mut pieces = Vec::new();
    for (island, ends) in borders {
        let [a, b] = ends.map(|v| mesh.uvs[v as usize].as_dvec2());
        let count = (a.distance(b) * CELLS).ceil().clamp(1.0, MOST_PIECES) as usize;
        let at = |i: usize| if i == count { b } else { a.lerp(b, i as f64 / count as f64) };
        pieces.extend((0..count).map(|i| BorderPiece { island, ends: [at(i), at(i + 1)] }));
    }
    pieces
}

/// Distance between two segments, and the point of the first it is measured from.
fn between(one: [DVec2; 2], two: [DVec2; 2]) -> (f64, DVec2) {
    let side = |s: [DVec2; 2], p: DVec2| (s[1] - s[0]).perp_dot(p - s[0]);
    let cross = |a: [DVec2; 2], b: [DVec2; 2]| side(a, b[0]) * side(a, b[1]) < 0.0;
    if cross(one, two) && cross(two, one) {
        return (0.0, (one[0] + one[1]) * 0.5);
    }
    let foot = |s: [DVec2; 2], p: DVec2| {
        let along = s[1] - s[0];
        let length = along.length_squared();
        let share = if length > 0.0 { ((p - s[0]).dot(along) / length).clamp(0.0, 1.0) } else { 0.0 };
        s[0] + along * share
    };
    let from_one = one.map(|p| (p.distance(foot(two, p)), p));
    let from_two = two.map(|p| (p.distance(foot(one, p)), foot(one, p)));
    let all = from_one.into_iter().chain(from_two);
    all.min_by(|a, b| a.0.total_cmp(&b.0)).unwrap_or((f64::INFINITY, one[0]))
}
