//! What a bake will cost, from the rates an earlier one of the same asset ran at. Only where that run made nothing of the kind
//! does a rate come from its primary rays.

use super::facts::MapFacts;
use super::report::Report;
use crate::maps::MapSettings;
use crate::recipe::Recipe;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Expected cost of a bake.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Estimate {
    /// Wall-clock seconds of tracing, without reading meshes, building trees and getting maps ready.
    pub seconds: f32,
    /// Seconds of that on one thread, were there no others.
    pub thread_seconds: f32,
    /// Bytes of finished texels that wait until they are written, in memory or beyond that on the disk.
    pub bytes: u64,
}

/// Rays that a texel of a map is likely to get: where their number follows from an error, as many as it did with the same settings.
fn rays_of_texel(map: &MapSettings, last: &Report) -> Option<f64> {
    let rays = map.rays()?;
    let mean = last.maps.get(&map.key()).and_then(|m| m.mean_rays);
    let asked_alike = last.recipe.maps.iter().any(|m| m.key() == map.key() && m.rays() == Some(rays));
    Some(mean.filter(|_| asked_alike).map_or(f64::from(rays.most()), f64::from))
}

/// Estimates `recipe` from a finished run's report. None when that run measured no time.
pub fn estimate(recipe: &Recipe, last: &Report) -> Option<Estimate> {
    let spent = last.ray_seconds + last.maps.values().map(|m| m.seconds).sum::<f64>();
    if spent <= 0.0 || last.seconds <= 0.0 || last.covered == 0 || last.rays == 0 {
        return None;
    }
    let texels = (f64::from(recipe.sheet.size) / f64::from(last.recipe.sheet.size)).powi(2);
    let samples = texels * f64::from(recipe.sheet.samples) / f64::from(last.recipe.sheet.samples);
    let covered = last.covered as f64 * texels;
    let map_rays: u64 = last.maps.values().map(|m| m.rays).sum();
    let primary_rays = (last.rays - map_rays).max(1) as f64;
    // Seconds that a ray leaving the sculpt took; before any was traced, as long as a primary one.
    let traced = last.maps.values().filter(|m| m.rays > 0);
    let (ray_seconds, rays) = traced.fold((0.0, 0.0), |(s, r), m| (s + m.seconds, r + m.rays as f64));
    let per_ray = if rays > 0.0 { ray_seconds / rays } else { last.ray_seconds / primary_rays };
    // Seconds that a sample took in maps without rays; before any was made, a tenth of a primary ray.
    let plain = last.maps.values().filter(|m| m.rays == 0 && m.error.is_none());
    let (plain_seconds, plain_maps) = plain.fold((0.0, 0.0), |(s, n), m| (s + m.seconds, n + 1.0));
    let per_plain = if plain_maps > 0.0 { plain_seconds / plain_maps } else { 0.1 * last.ray_seconds };
    // A map costs no rays where another that looks out of the sculpt too had traced them with its own, and is there again.
    let outward = |map: &&MapSettings| map.rays().is_some() && !matches!(map, MapSettings::Thickness(_));
    let rays_of = |map: &MapSettings| last.maps.get(&map.key()).map(|m| m.rays);
    let traced_for_others = recipe.maps.iter().filter(outward).any(|map| rays_of(map).is_some_and(|rays| rays > 0));
    let shares = |map: &MapSettings| outward(&map) && traced_for_others && rays_of(map) == Some(0);
    let of_map = |map: &MapSettings| match rays_of_texel(map, last) {
        Some(rays) if !shares(map) => covered * rays * per_ray,
        _ => last.maps.get(&map.key()).map_or(per_plain, |m| m.seconds) * samples,
    };
    let work = last.ray_seconds * samples + recipe.maps.iter().map(of_map).sum::<f64>();
    let side = u64::from(recipe.sheet.size);
    let sheets = last.sheets.len().max(1) as u64;
    let bytes_of = |map: &MapSettings| MapFacts::new(map, recipe).waiting_bytes() as u64;
    let bytes = side * side * sheets * recipe.maps.iter().map(bytes_of).sum::<u64>();
    let seconds = (work * last.seconds / spent) as f32;
    Some(Estimate { seconds, thread_seconds: work as f32, bytes })
}
