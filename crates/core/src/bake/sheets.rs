//! Which sheets a low-poly needs, and what lies on each.

use crate::mesh::{Mesh, NO_MATERIAL};
use crate::recipe::{Layout, SheetName, SheetSettings};
use crate::sheet::{SheetShare, SheetTriangles, Tile, tiles_in_morton_order};
use std::collections::BTreeSet;

/// One sheet of a run.
pub struct SheetPlan {
    pub name: SheetName,
    pub(super) triangles: SheetTriangles,
    pub(super) tiles: Vec<Tile>,
    pub(super) candidates: Vec<Vec<u32>>,
}

/// UDIM tiles are numbered ten to a row, and this many rows are taken.
const UDIM_COLUMNS: i32 = 10;
const UDIM_ROWS: i32 = 100;

/// The sheets of `mesh` that hold anything.
pub(super) fn plan_sheets(mesh: &Mesh, settings: &SheetSettings) -> Vec<SheetPlan> {
    let mut shares = Vec::new();
    match settings.layout {
        Layout::One => shares.push((SheetName::One, SheetShare::default())),
        Layout::Materials if mesh.materials.is_empty() => shares.push((SheetName::One, SheetShare::default())),
        Layout::Materials => {
            // Materials of one name, from several files, are one material.
            let mut named: Vec<(&str, Vec<u16>)> = Vec::new();
            for (number, name) in mesh.materials.iter().enumerate() {
                match named.iter_mut().find(|(known, _)| known == name) {
                    Some((_, numbers)) => numbers.push(number as u16),
                    None => named.push((name, vec![number as u16])),
                }
            }
            named.push(("no-material", vec![NO_MATERIAL]));
            for (name, numbers) in named {
                let share = SheetShare { materials: Some(numbers), ..SheetShare::default() };
                shares.push((SheetName::Material(name.to_owned()), share));
            }
        }
        Layout::Udim => {
            for (u, v) in udim_squares(mesh) {
                let number = 1001 + u + UDIM_COLUMNS * v;
                shares.push((SheetName::Udim(number as u32), SheetShare { square: (u, v), ..SheetShare::default() }));
            }
        }
    }
    let planned = shares.into_iter().map(|(name, share)| {
        let triangles = SheetTriangles::new(mesh, settings.size, &share);
        let tiles = tiles_in_morton_order(settings.size);
        let candidates = triangles.bin(&tiles);
        SheetPlan { name, triangles, tiles, candidates }
    });
    planned.filter(|sheet| sheet.candidates.iter().any(|c| !c.is_empty())).collect()
}

/// Unit squares that UV triangles reach into, in order of their numbers.
fn udim_squares(mesh: &Mesh) -> BTreeSet<(i32, i32)> {
    let mut squares = BTreeSet::new();
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
                squares.insert((u, v));
            }
        }
    }
    squares
}
