//! The texels that a stroke lies over: each with its place on the low-poly and the stroke's weight there. Both follow from the surface, not
//! from the sheet, so that a stroke lies in the same place at any size, and goes on over seams.

use super::field::Texel;
use super::scene::MendScene;
use super::settings::Mend;
use super::space::base;
use crate::reach::{Dab, dabs, falloff};
use crate::sheet::rasterise_tile;
use crate::surface::MeshPoint;
use glam::Vec3;
use rayon::prelude::*;
use rustc_hash::FxHashMap;

/// A texel under a stroke.
pub(super) struct Spot {
    pub texel: Texel,
    pub at: MeshPoint,
    pub position: Vec3,
    /// Shading normal of the low-poly.
    pub base: Vec3,
    /// 0 to 1, without the stroke's strength.
    pub weight: f32,
}

/// A stroke on the surface.
pub(super) struct Laid<'a> {
    pub mend: &'a Mend,
    pub dabs: Vec<Dab>,
    /// By sheet, row and column.
    pub spots: Vec<Spot>,
}

/// Texels are asked at their middle; those that the surface only grazes, at the nearest place of it.
const MIDDLE: [[f64; 2]; 1] = [[0.5, 0.5]];

impl Laid<'_> {
    /// The weight of one of its dabs at a place.
    pub fn weight(&self, scene: &MendScene, dab: &Dab, at: MeshPoint, position: Vec3) -> f32 {
        // The way along the surface is never shorter than the one through space.
        if dab.around.source().distance_squared(position) >= self.mend.size * self.mend.size {
            return 0.0;
        }
        falloff(dab.around.at(&scene.walk, at), self.mend.size) * dab.pressure
    }
}

/// Lays a stroke on the surface.
pub(super) fn lay<'a>(scene: &MendScene, mend: &'a Mend) -> Laid<'a> {
    let laid = Laid { mend, dabs: dabs(&mend.course(), scene.low, scene.trace, &scene.walk), spots: Vec::new() };
    let mut by_triangle: FxHashMap<u32, Vec<usize>> = FxHashMap::default();
    for (number, dab) in laid.dabs.iter().enumerate() {
        for &triangle in &dab.around.triangles {
            by_triangle.entry(triangle).or_default().push(number);
        }
    }
    let tiles: Vec<(usize, usize, Vec<u32>)> = scene
        .sheets
        .iter()
        .enumerate()
        .flat_map(|(s, sheet)| {
            let touched = |n: &u32| by_triangle.contains_key(&sheet.triangles.triangles[*n as usize].triangle);
            let of_tile = move |(tile, all): (usize, &[u32])| {
                let own: Vec<u32> = all.iter().copied().filter(touched).collect();
                (!own.is_empty()).then_some((s, tile, own))
            };
            sheet.candidates.iter().enumerate().filter_map(of_tile).collect::<Vec<_>>()
        })
        .collect();
    let found = tiles.par_iter().flat_map_iter(|(s, number, candidates)| {
        let sheet = &scene.sheets[*s];
        let tile = &sheet.tiles[*number];
        let samples = rasterise_tile(&sheet.triangles, candidates, tile, &MIDDLE);
        let ends: Vec<_> = samples.starts.windows(2).map(|ends| ends[0]..ends[1]).collect();
        let (laid, by_triangle) = (&laid, &by_triangle);
        let spots: Vec<Spot> = ends
            .into_iter()
            .enumerate()
            .filter_map(|(texel, own)| {
                let at = samples.places[own.clone().next()? as usize];
                let position = scene.low.mesh.at(at);
                let dabs = by_triangle.get(&at.triangle)?;
                let weights = dabs.iter().map(|dab| laid.weight(scene, &laid.dabs[*dab], at, position));
                let weight = weights.fold(0.0, f32::max);
                let place = || {
                    let (x, y) = (texel as u32 % tile.width + tile.x, texel as u32 / tile.width + tile.y);
                    Texel { sheet: *s as u32, x, y }
                };
                (weight > 0.0).then(|| Spot { texel: place(), at, position, base: base(scene.low, at), weight })
            })
            .collect();
        spots
    });
    let mut spots: Vec<Spot> = found.collect();
    spots.sort_unstable_by_key(|spot| (spot.texel.sheet, spot.texel.y, spot.texel.x));
    Laid { spots, ..laid }
}
