//! Which sheets a low-poly needs, and what lies on each.

use super::{
    Candidates, Coverage, Layout, SheetName, SheetSettings, SheetTriangle, SheetTriangles, TILE, Tile, rasterise_tile,
    sample_pattern, tiles_in_morton_order,
};
use crate::mesh::{Mesh, NO_MATERIAL};
use crate::surface::MeshPoint;
use glam::Vec2;
use schemars::JsonSchema;
use serde::Serialize;
use std::collections::{BTreeMap, HashMap};
use std::sync::Arc;

/// One sheet of a run.
pub struct SheetPlan {
    pub name: SheetName,
    pub triangles: SheetTriangles,
    /// The same for all sheets of a size.
    pub tiles: Arc<[Tile]>,
    pub candidates: Candidates,
    /// Numbers of the tiles by their place in the grid of tiles, row by row.
    in_grid: Arc<[u32]>,
}

impl SheetPlan {
    fn new(name: SheetName, triangles: SheetTriangles, (tiles, in_grid): (Arc<[Tile]>, Arc<[u32]>)) -> SheetPlan {
        let candidates = triangles.bin(&tiles);
        SheetPlan { name, triangles, tiles, candidates, in_grid }
    }

    /// Texels that hold something, with so many samples per texel.
    pub fn coverage(&self, samples: u32) -> Coverage {
        let size = self.triangles.size;
        let pattern = sample_pattern(samples);
        let mut covered = Coverage::new(size);
        for (tile, candidates) in self.tiles.iter().zip(self.candidates.iter()) {
            let starts = rasterise_tile(&self.triangles, candidates, tile, &pattern).starts;
            for (texel, _) in starts.windows(2).enumerate().filter(|(_, ends)| ends[0] < ends[1]) {
                covered.set(tile.texel_on_sheet(texel, size));
            }
        }
        covered
    }

    /// Bytes it holds in memory.
    pub fn bytes(&self) -> usize {
        self.candidates.bytes() + self.triangles.triangles.len() * size_of::<SheetTriangle>()
    }

    /// Number of the tile that a texel lies in.
    pub fn tile_at(&self, x: u32, y: u32) -> usize {
        self.in_grid[(y / TILE * self.triangles.size.div_ceil(TILE) + x / TILE) as usize] as usize
    }

    /// Triangles that may touch a rectangle of texels, in ascending order.
    pub fn candidates_of(&self, rect: &Tile) -> Vec<u32> {
        let across = self.triangles.size.div_ceil(TILE);
        let cells = |from: u32, long: u32| from / TILE..=(from + long - 1) / TILE;
        let tiles = cells(rect.y, rect.height).flat_map(|y| cells(rect.x, rect.width).map(move |x| y * across + x));
        let met = tiles.flat_map(|cell| &self.candidates[self.in_grid[cell as usize] as usize]);
        let mut candidates: Vec<u32> = met.copied().collect();
        candidates.sort_unstable();
        candidates.dedup();
        candidates
    }
}

/// UDIM tiles are numbered ten to a row, and this many rows are taken.
const UDIM_COLUMNS: i32 = 10;
const UDIM_ROWS: i32 = 100;

/// Which texels of each of its sheets a low-poly covers.
pub fn coverage_of(mesh: &Mesh, sheet: &SheetSettings) -> Vec<Coverage> {
    plan_sheets(mesh, sheet).iter().map(|plan| plan.coverage(sheet.samples)).collect()
}

/// The sheets of `mesh` that hold anything.
pub fn plan_sheets(mesh: &Mesh, settings: &SheetSettings) -> Vec<SheetPlan> {
    let all = || (0..mesh.triangles.len() as u32).collect::<Vec<u32>>();
    let shares: Vec<(SheetName, (i32, i32), Vec<u32>)> = match settings.layout {
        Layout::One => vec![(SheetName::One, (0, 0), all())],
        Layout::Materials if mesh.materials.is_empty() => vec![(SheetName::One, (0, 0), all())],
        Layout::Materials => by_material(mesh)
            .into_iter()
            .map(|(name, triangles)| (SheetName::Material(name.to_owned()), (0, 0), triangles))
            .collect(),
        Layout::Udim => by_square(mesh)
            .into_iter()
            .map(|((v, u), triangles)| (SheetName::Udim((1001 + u + UDIM_COLUMNS * v) as u32), (u, v), triangles))
            .collect(),
    };
    let tiles: Arc<[Tile]> = tiles_in_morton_order(settings.size).into();
    let across = settings.size.div_ceil(TILE);
    let mut in_grid = vec![0; tiles.len()];
    for (number, tile) in tiles.iter().enumerate() {
        in_grid[(tile.y / TILE * across + tile.x / TILE) as usize] = number as u32;
    }
    let in_grid: Arc<[u32]> = in_grid.into();
    let planned = shares.into_iter().map(|(name, square, own)| {
        let triangles = SheetTriangles::new(mesh, settings.size, square, own);
        SheetPlan::new(name, triangles, (tiles.clone(), in_grid.clone()))
    });
    planned.filter(|sheet| sheet.candidates.iter().any(|c| !c.is_empty())).collect()
}

/// Name of the sheet of triangles without a material.
const NO_MATERIAL_NAME: &str = "no-material";

/// Triangles by the name of their material, in the order of materials; those without one come last. Materials of one name, from
/// several files, are one material.
fn by_material(mesh: &Mesh) -> Vec<(&str, Vec<u32>)> {
    let mut named: Vec<(&str, Vec<u32>)> = Vec::new();
    let mut sheet_of_name: HashMap<&str, usize> = HashMap::new();
    let mut sheet_of = Vec::with_capacity(mesh.materials.len());
    for name in &mesh.materials {
        sheet_of.push(*sheet_of_name.entry(name).or_insert_with(|| {
            named.push((name, Vec::new()));
            named.len() - 1
        }));
    }
    let none = named.len();
    named.push((NO_MATERIAL_NAME, Vec::new()));
    for (t, &material) in mesh.triangle_materials.iter().enumerate() {
        named[if material == NO_MATERIAL { none } else { sheet_of[material as usize] }].1.push(t as u32);
    }
    named
}

/// Triangles by the unit squares of UV space that they reach into, row by row.
fn by_square(mesh: &Mesh) -> BTreeMap<(i32, i32), Vec<u32>> {
    let mut squares: BTreeMap<(i32, i32), Vec<u32>> = BTreeMap::new();
    if mesh.uvs.is_empty() {
        return squares;
    }
    for t in 0..mesh.triangles.len() as u32 {
        let [a, b, c] = mesh.corner_uvs(t);
        let (low, high) = (a.min(b).min(c), a.max(b).max(c));
        if low == high {
            continue;
        }
        // A triangle that only touches the next square with its border does not reach into it.
        let last = |x: f32| x.ceil() as i32 - 1;
        for v in (low.y.floor() as i32).max(0)..=last(high.y).min(UDIM_ROWS - 1) {
            for u in (low.x.floor() as i32).max(0)..=last(high.x).min(UDIM_COLUMNS - 1) {
                squares.entry((v, u)).or_default().push(t);
            }
        }
    }
    squares
}

/// Which sheet of a run each triangle of a low-poly lies on.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, JsonSchema)]
pub struct SheetTable {
    /// Number of the sheet of each triangle, counted from 0; none for one that lies on none of them.
    pub of: Vec<Option<u32>>,
    /// Lower left corner of each sheet in UV space.
    pub corners: Vec<[i32; 2]>,
}

impl SheetTable {
    /// Which sheet a place of the low-poly lies on, and where on it, in UV units; None where it lies on none.
    pub fn place(&self, mesh: &Mesh, at: MeshPoint) -> Option<(usize, Vec2)> {
        let sheet = self.of[at.triangle as usize]? as usize;
        let corner = self.corners.get(sheet).map_or(Vec2::ZERO, |[x, y]| Vec2::new(*x as f32, *y as f32));
        Some((sheet, at.between(mesh.corner_uvs(at.triangle)) - corner))
    }
}

/// The table for sheets by the names a report gives them. A triangle that reaches over the border of a UDIM tile lies on the tile of
/// its middle.
pub fn sheet_table(mesh: &Mesh, layout: Layout, sheets: &[String]) -> SheetTable {
    let number = |name: &str| sheets.iter().position(|s| s == name).map(|at| at as u32);
    let tile = |t: u32| {
        let [a, b, c] = mesh.corner_uvs(t);
        let middle = ((a + b + c) / 3.0).floor().as_ivec2();
        number(&(1001 + middle.x + UDIM_COLUMNS * middle.y).to_string())
    };
    let material = |t: usize| match mesh.triangle_materials.get(t).copied().unwrap_or(NO_MATERIAL) {
        NO_MATERIAL => number(NO_MATERIAL_NAME),
        own => number(&mesh.materials[own as usize]),
    };
    let of = (0..mesh.triangles.len()).map(|t| match layout {
        Layout::One => Some(0),
        Layout::Udim if mesh.uvs.is_empty() => None,
        Layout::Udim => tile(t as u32),
        Layout::Materials => material(t),
    });
    let corner = |name: &String| match layout {
        Layout::Udim => name.parse::<i32>().map_or([0, 0], |n| [(n - 1001) % UDIM_COLUMNS, (n - 1001) / UDIM_COLUMNS]),
        Layout::One | Layout::Materials => [0, 0],
    };
    SheetTable { of: of.collect(), corners: sheets.iter().map(corner).collect() }
}
