//! The low-poly's UVs measured: how much sheet each face and island gets, how it is stretched, and which faces overlap.

use super::find_islands;
use crate::mesh::Mesh;
use crate::polygon::Polygon;
use glam::{DVec2, Vec2};
use rayon::prelude::*;
use rustc_hash::FxHashMap;

/// One triangle on the sheet.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct FaceUnwrap {
    /// Square root of UV area over surface area: UV units per scene unit. Times the sheet's size, texels per scene unit.
    /// 0 without UV or surface area.
    pub density: f32,
    /// The longer over the shorter axis of a unit circle of the sheet laid on the surface; 1 keeps angles. 0 where the face
    /// has no UV area.
    pub stretch: f32,
}

/// How far over the edge of the square is let pass, UV units.
const HAIR: f32 = 1e-5;

/// One UV island.
#[derive(Clone, Debug, PartialEq)]
pub struct IslandUnwrap {
    /// Its triangles, rising.
    pub triangles: Vec<u32>,
    /// Square UV units, all triangles counted positive.
    pub uv_area: f32,
    /// Square scene units.
    pub area: f32,
    /// Most of its area is turned over on the sheet.
    pub mirrored: bool,
    pub low: Vec2,
    pub high: Vec2,
}

impl IslandUnwrap {
    /// Whether a corner lies outside the unit square; a hair over the edge (rounding in exporters) is let pass.
    pub fn is_outside(&self) -> bool {
        self.low.min_element() < -HAIR || self.high.max_element() > 1.0 + HAIR
    }

    /// Whole squares that bring an island into the unit square; None when it is too large or lies across a border.
    pub fn squares_back(&self) -> Option<Vec2> {
        let by = -((self.low + self.high) * 0.5).floor();
        let inside = (self.low + by).min_element() >= -HAIR && (self.high + by).max_element() <= 1.0 + HAIR;
        inside.then_some(by)
    }

    /// As [`FaceUnwrap::density`], over the whole island.
    pub fn density(&self) -> f32 {
        if self.area > 0.0 { (self.uv_area / self.area).sqrt() } else { 0.0 }
    }
}

/// A mesh's UVs, measured.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Unwrap {
    /// One entry a triangle.
    pub faces: Vec<FaceUnwrap>,
    pub islands: Vec<IslandUnwrap>,
    /// Island of each triangle.
    pub island_of: Vec<u32>,
}

impl Unwrap {
    /// Measures `mesh`; None without UVs.
    pub fn new(mesh: &Mesh) -> Option<Unwrap> {
        if mesh.uvs.is_empty() {
            return None;
        }
        let found = find_islands(mesh);
        let faces = (0..mesh.triangles.len() as u32).into_par_iter().map(|t| face(mesh, t)).collect();
        let fresh = IslandUnwrap {
            triangles: Vec::new(),
            uv_area: 0.0,
            area: 0.0,
            mirrored: false,
            low: Vec2::INFINITY,
            high: Vec2::NEG_INFINITY,
        };
        let mut islands = vec![fresh; found.count];
        let mut signed = vec![(0.0f64, 0.0f64, 0.0f64); found.count];
        for (t, &island) in found.island_of.iter().enumerate() {
            let (island, sums) = (&mut islands[island as usize], &mut signed[island as usize]);
            let uv_area = signed_area(mesh.corner_uvs(t as u32));
            sums.0 += uv_area;
            sums.1 += uv_area.abs();
            sums.2 += 0.5 * f64::from(mesh.area_normal(t as u32).length());
            island.triangles.push(t as u32);
            for uv in mesh.corner_uvs(t as u32) {
                island.low = island.low.min(uv);
                island.high = island.high.max(uv);
            }
        }
        for (island, (turned, uv_area, area)) in islands.iter_mut().zip(signed) {
            (island.uv_area, island.area, island.mirrored) = (uv_area as f32, area as f32, turned < 0.0);
        }
        Some(Unwrap { faces, islands, island_of: found.island_of })
    }

    /// The density that half of the surface has no more than; 0 without any.
    pub fn median_density(&self) -> f32 {
        let mut by_density: Vec<(f32, f32)> =
            self.islands.iter().filter(|i| i.uv_area > 0.0).map(|i| (i.density(), i.area)).collect();
        by_density.sort_unstable_by(|a, b| a.0.total_cmp(&b.0));
        let half = 0.5 * by_density.iter().map(|(_, area)| f64::from(*area)).sum::<f64>();
        let mut sum = 0.0;
        let median = by_density.iter().find(|(_, area)| {
            sum += f64::from(*area);
            sum >= half
        });
        median.map_or(0.0, |(density, _)| *density)
    }
}

fn signed_area([a, b, c]: [Vec2; 3]) -> f64 {
    0.5 * (b.as_dvec2() - a.as_dvec2()).perp_dot(c.as_dvec2() - a.as_dvec2())
}

/// Density, and the ratio of the singular values of the map from sheet to surface (Sander, Snyder, Gortler and Hoppe,
/// "Texture Mapping Progressive Meshes", 2001, section 3).
fn face(mesh: &Mesh, t: u32) -> FaceUnwrap {
    let [p, q, r] = mesh.corners(t).map(|p| p.as_dvec3());
    let [a, b, c] = mesh.corner_uvs(t).map(|uv| uv.as_dvec2());
    let twice = (b - a).perp_dot(c - a);
    let area = 0.5 * (q - p).cross(r - p).length();
    if twice == 0.0 || area == 0.0 {
        return FaceUnwrap::default();
    }
    let along_u = (p * (b.y - c.y) + q * (c.y - a.y) + r * (a.y - b.y)) / twice;
    let along_v = (p * (c.x - b.x) + q * (a.x - c.x) + r * (b.x - a.x)) / twice;
    let (uu, uv, vv) = (along_u.dot(along_u), along_u.dot(along_v), along_v.dot(along_v));
    let root = ((uu - vv).powi(2) + 4.0 * uv * uv).sqrt();
    let (longer, shorter) = (0.5 * (uu + vv + root), (0.5 * (uu + vv - root)).max(0.0));
    let stretch = if shorter > 0.0 { (longer / shorter).sqrt() } else { f64::INFINITY };
    FaceUnwrap { density: (0.5 * twice.abs() / area).sqrt() as f32, stretch: stretch as f32 }
}

/// Two faces, of one island or of two, that overlap.
#[derive(Clone, Debug, PartialEq)]
pub struct Overlap {
    /// Islands, the lower number first.
    pub islands: [u32; 2],
    /// Square UV units that both cover, summed over pairs of faces.
    pub area: f64,
    /// Faces that take part, rising.
    pub triangles: Vec<u32>,
    /// A point that both cover.
    pub at: Vec2,
}

/// What pairs of faces share is counted from this share of the smaller face on: less is rounding in the file.
const LEAST_SHARE: f64 = 1e-4;

/// Pairs of faces that are compared at most; more only where hundreds of thousands of faces lie on one spot.
const MOST_PAIRS: u64 = 200_000_000;

/// All overlaps of a mesh's UVs by pair of islands, the largest first; None when so many faces overlap that
/// measuring would take minutes. Areas are those of the cut polygons, exact but for rounding. Faces are compared where their
/// boxes meet, in a grid of about one cell a face, coarser where faces are large.
pub fn find_overlaps(mesh: &Mesh, island_of: &[u32]) -> Option<Vec<Overlap>> {
    if mesh.uvs.is_empty() {
        return Some(Vec::new());
    }
    let faces: Vec<Face> = (0..mesh.triangles.len() as u32).filter_map(|t| Face::new(mesh, t)).collect();
    let grid = Grid::new(&faces);
    let pairs = |bounds: &[u32]| u64::from(bounds[1] - bounds[0]).pow(2) / 2;
    if grid.starts.windows(2).map(pairs).sum::<u64>() > MOST_PAIRS {
        return None;
    }
    let mut shared: Vec<Shared> = (0..grid.starts.len() - 1)
        .into_par_iter()
        .flat_map_iter(|cell| {
            let members = &grid.members[grid.starts[cell] as usize..grid.starts[cell + 1] as usize];
            let mut found = Vec::new();
            for (i, &one) in members.iter().enumerate() {
                for &two in &members[i + 1..] {
                    let (one, two) = (&faces[one as usize], &faces[two as usize]);
                    if grid.meets_first_in(cell, one, two)
                        && let Some((area, at)) = one.shared_with(two)
                    {
                        found.push(Shared { faces: [one.triangle, two.triangle], area, at });
                    }
                }
            }
            found
        })
        .collect();
    // In rising order, so that sums round alike with any number of threads.
    shared.sort_unstable_by_key(|s| s.faces);
    let mut by_islands: FxHashMap<[u32; 2], Overlap> = FxHashMap::default();
    for Shared { faces, area, at } in shared {
        let [a, b] = faces.map(|t| island_of[t as usize]);
        let islands = [a.min(b), a.max(b)];
        let fresh = || Overlap { islands, area: 0.0, triangles: Vec::new(), at: at.as_vec2() };
        let overlap = by_islands.entry(islands).or_insert_with(fresh);
        overlap.area += area;
        overlap.triangles.extend(faces);
    }
    let mut overlaps: Vec<Overlap> = by_islands.into_values().collect();
    for overlap in &mut overlaps {
        overlap.triangles.sort_unstable();
        overlap.triangles.dedup();
    }
    overlaps.sort_unstable_by(|a, b| b.area.total_cmp(&a.area).then(a.islands.cmp(&b.islands)));
    Some(overlaps)
}

struct Shared {
    faces: [u32; 2],
    area: f64,
    at: DVec2,
}

/// A face on the sheet, wound so that its area is positive.
struct Face {
    triangle: u32,
    corners: [DVec2; 3],
    low: DVec2,
    high: DVec2,
    area: f64,
}

impl Face {
    fn new(mesh: &Mesh, triangle: u32) -> Option<Face> {
        let uvs = mesh.corner_uvs(triangle);
        let area = signed_area(uvs);
        let [a, b, c] = uvs.map(|uv| uv.as_dvec2());
        let corners = if area < 0.0 { [a, c, b] } else { [a, b, c] };
        let (low, high) = (a.min(b).min(c), a.max(b).max(c));
        (area != 0.0).then_some(Face { triangle, corners, low, high, area: area.abs() })
    }

    /// Area that both cover, and a point of it.
    fn shared_with(&self, other: &Face) -> Option<(f64, DVec2)> {
        if self.low.cmpge(other.high).any() || other.low.cmpge(self.high).any() {
            return None;
        }
        let mut shape = Polygon::from(self.corners);
        for i in 0..3 {
            let (from, to) = (other.corners[i], other.corners[(i + 1) % 3]);
            shape = shape.cut(|p| (to - from).perp_dot(p - from));
            if shape.corners().len() < 3 {
                return None;
            }
        }
        let area = 0.5 * shape.twice_area();
        (area > LEAST_SHARE * self.area.min(other.area)).then(|| (area, shape.middle()))
    }
}

/// Cells that a face is listed in, on average.
const CELLS_A_FACE: usize = 16;

/// Faces by the cells their boxes touch.
struct Grid {
    low: DVec2,
    per_unit: DVec2,
    across: usize,
    /// The members of cell `i` are `starts[i]..starts[i + 1]`.
    starts: Vec<u32>,
    members: Vec<u32>,
}

impl Grid {
    fn new(faces: &[Face]) -> Grid {
        let low = faces.iter().fold(DVec2::INFINITY, |low, f| low.min(f.low));
        let high = faces.iter().fold(DVec2::NEG_INFINITY, |high, f| high.max(f.high));
        let size = (high - low).max(DVec2::splat(f64::MIN_POSITIVE));
        let of_width = |across: usize| Grid {
            low,
            per_unit: across as f64 / size,
            across,
            starts: vec![0; across * across + 1],
            members: Vec::new(),
        };
        let mut grid = of_width((faces.len() as f64).sqrt().clamp(1.0, 1024.0) as usize);
        // Faces that each cover much of the sheet would stand in all cells.
        while grid.across > 1 && faces.iter().map(|f| grid.touched(f)).sum::<usize>() > CELLS_A_FACE * faces.len() {
            grid = of_width(grid.across / 2);
        }
        let across = grid.across;
        for face in faces {
            grid.cells(face).for_each(|cell| grid.starts[cell + 1] += 1);
        }
        for cell in 0..across * across {
            grid.starts[cell + 1] += grid.starts[cell];
        }
        grid.members = vec![0; grid.starts[across * across] as usize];
        let mut next = grid.starts.clone();
        for (number, face) in faces.iter().enumerate() {
            for cell in grid.cells(face) {
                grid.members[next[cell] as usize] = number as u32;
                next[cell] += 1;
            }
        }
        grid
    }

    fn cell_of(&self, p: DVec2) -> (usize, usize) {
        let at = ((p - self.low) * self.per_unit).clamp(DVec2::ZERO, DVec2::splat((self.across - 1) as f64));
        (at.x as usize, at.y as usize)
    }

    /// How many cells a face's box touches.
    fn touched(&self, face: &Face) -> usize {
        let ((x0, y0), (x1, y1)) = (self.cell_of(face.low), self.cell_of(face.high));
        (x1 - x0 + 1) * (y1 - y0 + 1)
    }

    fn cells(&self, face: &Face) -> impl Iterator<Item = usize> + use<> {
        let ((x0, y0), (x1, y1)) = (self.cell_of(face.low), self.cell_of(face.high));
        let across = self.across;
        (y0..=y1).flat_map(move |y| (x0..=x1).map(move |x| y * across + x))
    }

    /// True in one cell of those that two faces share: where the box they have in common begins.
    fn meets_first_in(&self, cell: usize, one: &Face, two: &Face) -> bool {
        let (x, y) = self.cell_of(one.low.max(two.low));
        y * self.across + x == cell
    }
}
