//! Islands moved on the sheet: back by whole squares, or into free space. Free space is found in a grid of cells, largest
//! island first, each where it fits nearest to the lower left; islands keep their turn, and a gap stays around each. Faces
//! without UVs are first laid flat, patch by patch along the axis they face most.

use super::{Unwrap, find_overlaps};
use crate::mesh::{DisjointSets, Mesh, weld};
use glam::{DVec2, Vec2, Vec3, vec2};
use rustc_hash::{FxHashMap, FxHashSet};

/// Cells a side of the sheet.
const CELLS: usize = 512;
/// Cells left free around islands and at the border: a little more than 16 texels of a sheet of 1024.
const GAP: usize = 9;
/// More pieces than this are laid in rows on one block: a place for each would take minutes.
const MOST_SINGLE: usize = 256;
/// Islands that find no room are made smaller by this, at most so many times.
const SMALLER: f32 = 0.9;
const TRIES: usize = 30;

/// Moves islands that lie outside the unit square by whole squares, in the parts of a name or in all; those that would not
/// fit stay.
pub fn move_islands(mesh: Mesh, part: Option<&str>) -> Mesh {
    let Some(unwrap) = Unwrap::new(&mesh) else { return mesh };
    let chosen = mesh.chosen(part);
    let away = unwrap.islands.iter().filter(|i| i.is_outside() && chosen[i.triangles[0] as usize]);
    let moves = away.filter_map(|island| {
        let by = island.squares_back()?;
        Some((island.triangles.clone(), move |_: u32, uv: Vec2| uv + by))
    });
    let moves: Vec<_> = moves.collect();
    mesh.with_uvs_moved(moves)
}

/// Gives a place in free space to faces without UVs and to islands that lie outside the square or on others, in the parts of a
/// name or in all. Of two islands on each other in the parts chosen, the later one moves. What finds no room, even smaller,
/// stays.
pub fn lay_out_parts(mut mesh: Mesh, part: Option<&str>) -> Mesh {
    if mesh.uvs.is_empty() {
        mesh.uvs = vec![Vec2::ZERO; mesh.positions.len()];
    }
    let chosen = mesh.chosen(part);
    let Some(unwrap) = Unwrap::new(&mesh) else { return mesh };
    let homeless = homeless_islands(&mesh, &unwrap, &chosen);
    let bare = |t: u32| unwrap.faces[t as usize].density == 0.0;
    let mut pieces: Vec<Piece> = flat_patches(&mesh, |t| chosen[t as usize] && bare(t));
    let kept_density = {
        let settled = (0..unwrap.islands.len()).filter(|i| !homeless.contains(&(*i as u32)));
        let (uv, area) = settled.fold((0.0f64, 0.0f64), |(uv, area), i| {
            let island = &unwrap.islands[i];
            if island.uv_area > 0.0 {
                (uv + f64::from(island.uv_area), area + f64::from(island.area))
            } else {
                (uv, area)
            }
        });
        if uv > 0.0 { (uv / area).sqrt() as f32 } else { 0.0 }
    };
    let bare_area: f32 = pieces.iter().flat_map(|p| &p.triangles).map(|&t| mesh.area_normal(t).length() * 0.5).sum();
    let density = if kept_density > 0.0 { kept_density } else { (0.5 / bare_area.max(f32::MIN_POSITIVE)).sqrt() };
    pieces.iter_mut().flat_map(|p| &mut p.corners).flatten().for_each(|c| *c *= density);
    for &island in &homeless {
        let triangles: Vec<u32> = unwrap.islands[island as usize].triangles.clone();
        let corners = triangles.iter().map(|&t| mesh.corner_uvs(t)).collect();
        pieces.push(Piece { triangles, corners });
    }
    if pieces.is_empty() {
        return mesh;
    }
    pieces.iter_mut().for_each(Piece::lie_at_origin);
    pieces.sort_by(|a, b| b.size().max_element().total_cmp(&a.size().max_element()));
    let moving: FxHashSet<u32> = pieces.iter().flat_map(|p| p.triangles.iter().copied()).collect();
    let mut taken = Cells::default();
    for t in (0..mesh.triangles.len() as u32).filter(|t| !moving.contains(t) && !bare(*t)) {
        taken.add(mesh.corner_uvs(t));
    }
    let free_of = taken.grown(GAP);
    let found =
        if pieces.len() > MOST_SINGLE { block_places(&pieces, &free_of) } else { find_places(&pieces, &free_of) };
    let Some((scale, places)) = found else { return mesh };
    let moves: Vec<_> = pieces
        .into_iter()
        .zip(places)
        .map(|(piece, place)| {
            // Corners by vertex: within a piece, a vertex has one flat place.
            let mut flat: FxHashMap<u32, Vec2> = FxHashMap::default();
            for (&t, corners) in piece.triangles.iter().zip(&piece.corners) {
                flat.extend(mesh.triangles[t as usize].into_iter().zip(*corners));
            }
            (piece.triangles, move |v: u32, _: Vec2| place + flat[&v] * scale)
        })
        .collect();
    mesh.with_uvs_moved(moves)
}

/// Islands of chosen parts that are outside the square or lie on others.
fn homeless_islands(mesh: &Mesh, unwrap: &Unwrap, chosen: &[bool]) -> Vec<u32> {
    let is_chosen = |i: u32| chosen[unwrap.islands[i as usize].triangles[0] as usize];
    let mut homeless: Vec<u32> = (0..unwrap.islands.len() as u32)
        .filter(|&i| {
            is_chosen(i) && unwrap.islands[i as usize].is_outside() && unwrap.islands[i as usize].uv_area > 0.0
        })
        .collect();
    for overlap in find_overlaps(mesh, &unwrap.island_of).unwrap_or_default() {
        let [a, b] = overlap.islands;
        if a == b || homeless.contains(&a) || homeless.contains(&b) {
            continue;
        }
        homeless.extend([b, a].into_iter().find(|&i| is_chosen(i)));
    }
    homeless.sort_unstable();
    homeless.dedup();
    homeless
}

/// Triangles that move together, each corner with its flat place.
struct Piece {
    triangles: Vec<u32>,
    corners: Vec<[Vec2; 3]>,
}

impl Piece {
    fn lie_at_origin(&mut self) {
        let low = self.corners.iter().flatten().fold(Vec2::INFINITY, |low, c| low.min(*c));
        self.corners.iter_mut().flatten().for_each(|c| *c -= low);
    }

    /// Far corner, once the near one is at the origin.
    fn size(&self) -> Vec2 {
        self.corners.iter().flatten().fold(Vec2::ZERO, |high, c| high.max(*c))
    }
}

/// Patches of connected faces that look the same way among the six along the axes, laid flat along it in scene units.
fn flat_patches(mesh: &Mesh, wanted: impl Fn(u32) -> bool) -> Vec<Piece> {
    let triangles: Vec<u32> = (0..mesh.triangles.len() as u32).filter(|&t| wanted(t)).collect();
    if triangles.is_empty() {
        return Vec::new();
    }
    let welded = weld(mesh);
    let side_of = |t: u32| {
        let n = mesh.area_normal(t);
        let axis = if n.x.abs() >= n.y.abs() && n.x.abs() >= n.z.abs() {
            0
        } else if n.y.abs() >= n.z.abs() {
            1
        } else {
            2
        };
        (axis, n[axis] >= 0.0)
    };
    let mut sets = DisjointSets::new(mesh.triangles.len());
    let mut edges: FxHashMap<(u32, u32, (usize, bool)), u32> = FxHashMap::default();
    for &t in &triangles {
        let points = mesh.triangles[t as usize].map(|v| welded.point_of[v as usize]);
        for i in 0..3 {
            let (a, b) = (points[i], points[(i + 1) % 3]);
            sets.join(*edges.entry((a.min(b), a.max(b), side_of(t))).or_insert(t), t);
        }
    }
    let (patch_of, count) = sets.numbered(triangles.iter().copied());
    let mut pieces: Vec<Piece> = (0..count).map(|_| Piece { triangles: Vec::new(), corners: Vec::new() }).collect();
    for (&t, patch) in triangles.iter().zip(patch_of) {
        let (axis, front) = side_of(t);
        let flat = |p: Vec3| {
            let (x, y) = match axis {
                0 => (-p.z, p.y),
                1 => (p.x, -p.z),
                _ => (p.x, p.y),
            };
            // Seen from outside, so that nothing is mirrored.
            if front { vec2(x, y) } else { vec2(-x, y) }
        };
        pieces[patch as usize].triangles.push(t);
        pieces[patch as usize].corners.push(mesh.corners(t).map(flat));
    }
    pieces
}

/// Places for very many pieces: in rows on one block, which is then placed as one piece.
fn block_places(pieces: &[Piece], taken: &Cells) -> Option<(f32, Vec<Vec2>)> {
    let gap = GAP as f32 / CELLS as f32;
    let area: f32 = pieces.iter().map(|p| (p.size() + gap).element_product()).sum();
    let wide = pieces.iter().map(|p| p.size().x).fold(area.sqrt(), f32::max);
    let mut order: Vec<usize> = (0..pieces.len()).collect();
    order.sort_by(|&a, &b| pieces[b].size().y.total_cmp(&pieces[a].size().y));
    let mut offsets = vec![Vec2::ZERO; pieces.len()];
    let (mut at, mut row, mut whole) = (Vec2::ZERO, 0.0f32, Vec2::ZERO);
    for number in order {
        let size = pieces[number].size();
        if at.x > 0.0 && at.x + size.x > wide {
            at = vec2(0.0, at.y + row + gap);
            row = 0.0;
        }
        offsets[number] = at;
        whole = whole.max(at + size);
        row = row.max(size.y);
        at.x += size.x + gap;
    }
    let far = whole;
    let corners = vec![[Vec2::ZERO, vec2(far.x, 0.0), far], [Vec2::ZERO, far, vec2(0.0, far.y)]];
    let (scale, places) = find_places(&[Piece { triangles: Vec::new(), corners }], taken)?;
    Some((scale, offsets.into_iter().map(|offset| places[0] + offset * scale).collect()))
}

/// A scale all pieces fit at, and each one's lower left corner.
fn find_places(pieces: &[Piece], taken: &Cells) -> Option<(f32, Vec<Vec2>)> {
    let mut scale = 1.0f32;
    for _ in 0..TRIES {
        let mut now = taken.clone();
        let placed: Option<Vec<Vec2>> = pieces
            .iter()
            .map(|piece| {
                let mut own = Cells::default();
                piece.corners.iter().for_each(|c| own.add(c.map(|p| p * scale)));
                let (x, y) = now.room_for(&own, piece.size() * scale)?;
                let place = vec2(x as f32, y as f32) / CELLS as f32;
                let mut there = Cells::default();
                piece.corners.iter().for_each(|c| there.add(c.map(|p| place + p * scale)));
                now.join(&there.grown(GAP));
                Some(place)
            })
            .collect();
        if let Some(places) = placed {
            return Some((scale, places));
        }
        scale *= SMALLER;
    }
    None
}

const WORDS: usize = CELLS / 64;

/// Cells of the sheet that something touches, a bit each.
#[derive(Clone)]
struct Cells {
    rows: Vec<[u64; WORDS]>,
}

impl Default for Cells {
    fn default() -> Self {
        Cells { rows: vec![[0; WORDS]; CELLS] }
    }
}

impl Cells {
    /// Adds every cell that a triangle touches.
    fn add(&mut self, uvs: [Vec2; 3]) {
        let corners = uvs.map(|uv| uv.as_dvec2() * CELLS as f64);
        let (low, high) = (corners[0].min(corners[1]).min(corners[2]), corners[0].max(corners[1]).max(corners[2]));
        let cell = |x: f64| x.floor().clamp(0.0, (CELLS - 1) as f64) as usize;
        let turned = (corners[1] - corners[0]).perp_dot(corners[2] - corners[0]) < 0.0;
        for y in cell(low.y)..=cell(high.y) {
            for x in cell(low.x)..=cell(high.x) {
                let middle = DVec2::new(x as f64 + 0.5, y as f64 + 0.5);
                let outside = (0..3).any(|i| {
                    let side = corners[(i + 1) % 3] - corners[i];
                    let side = if turned { -side } else { side };
                    // The cell's corner furthest to the inner side of the edge is still outside it.
                    side.perp_dot(middle - corners[i]) + 0.5 * (side.x.abs() + side.y.abs()) < 0.0
                });
                if !outside {
                    self.rows[y][x / 64] |= 1 << (x % 64);
                }
            }
        }
    }

    fn join(&mut self, other: &Cells) {
        for (row, others) in self.rows.iter_mut().zip(&other.rows) {
            row.iter_mut().zip(others).for_each(|(word, o)| *word |= o);
        }
    }

    /// With `by` more cells on every side.
    fn grown(&self, by: usize) -> Cells {
        let mut wide = self.clone();
        for row in &mut wide.rows {
            for _ in 0..by {
                let old = *row;
                for w in 0..WORDS {
                    let from_left = if w > 0 { old[w - 1] >> 63 } else { 0 };
                    let from_right = if w + 1 < WORDS { old[w + 1] << 63 } else { 0 };
                    row[w] = old[w] | old[w] << 1 | from_left | old[w] >> 1 | from_right;
                }
            }
        }
        let mut grown = Cells::default();
        for (y, row) in grown.rows.iter_mut().enumerate() {
            for near in &wide.rows[y.saturating_sub(by)..=(y + by).min(CELLS - 1)] {
                row.iter_mut().zip(near).for_each(|(word, o)| *word |= o);
            }
        }
        grown
    }

    /// The lower left cell where `piece` of `size` (UV units) touches nothing of these and keeps the gap to the border.
    fn room_for(&self, piece: &Cells, size: Vec2) -> Option<(usize, usize)> {
        let cells = |x: f32| (x * CELLS as f32).ceil() as usize + 1;
        let (width, height) = (cells(size.x), cells(size.y));
        let last = CELLS.checked_sub(GAP + width.max(height))?;
        if last < GAP || width > CELLS || height > CELLS {
            return None;
        }
        let rows = &piece.rows[..height.min(CELLS)];
        for y in GAP..=CELLS - GAP - height {
            for x in GAP..=CELLS - GAP - width {
                if rows.iter().zip(&self.rows[y..]).all(|(own, there)| clear(own, there, x)) {
                    return Some((x, y));
                }
            }
        }
        None
    }
}

/// Whether a row moved right by `x` cells meets nothing of another.
fn clear(own: &[u64; WORDS], there: &[u64; WORDS], x: usize) -> bool {
    let (words, bits) = (x / 64, x % 64);
    (words..WORDS).all(|w| {
        let mut moved = own[w - words] << bits;
        if bits > 0 && w > words {
            moved |= own[w - words - 1] >> (64 - bits);
        }
        moved & there[w] == 0
    })
}

impl Mesh {
    /// Gives the triangles of each move new UVs, from a vertex's number and its UV; vertices that other triangles use stay for
    /// those.
    fn with_uvs_moved<F: Fn(u32, Vec2) -> Vec2>(mut self, moves: Vec<(Vec<u32>, F)>) -> Mesh {
        for (triangles, place) in moves {
            let mut copies: FxHashMap<u32, u32> = FxHashMap::default();
            for t in triangles {
                for corner in 0..3 {
                    let v = self.triangles[t as usize][corner];
                    let copy = *copies.entry(v).or_insert_with(|| {
                        let copy = self.copy_vertex(v, self.normals[v as usize]);
                        self.uvs[copy as usize] = place(v, self.uvs[v as usize]);
                        copy
                    });
                    self.triangles[t as usize][corner] = copy;
                }
            }
        }
        self.drop_unused_vertices();
        self
    }
}
