//! `mask`: a mask of the recipe as a map: 0 outside, 1 inside.

use super::fan::{FanRequest, Rays};
use super::placed::Placed;
use super::{Map, MapKind, MapShape, MapWork, Setup, TileWork};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct MaskMapSettings {
    /// Name of the mask.
    pub mask: String,
    /// Rays per texel of signals that trace rays.
    #[serde(default = "default_rays", skip_serializing_if = "are_default_rays")]
    pub rays: Rays,
}

pub(super) fn default_rays() -> Rays {
    Rays::Fixed(64)
}

pub(super) fn are_default_rays(rays: &Rays) -> bool {
    *rays == default_rays()
}

impl MaskMapSettings {
    /// The mask of this name.
    pub fn of(mask: impl Into<String>) -> MaskMapSettings {
        MaskMapSettings { mask: mask.into(), rays: default_rays() }
    }
}

impl Default for MaskMapSettings {
    fn default() -> Self {
        MaskMapSettings::of("")
    }
}

impl Map for MaskMapSettings {
    const KIND: MapKind = MapKind {
        explains: "A mask made at Finish: white inside, black outside.",
        encoding: "0 = outside, 1 = inside; linear",
        named: true,
        ..MapKind::data("mask", "Mask", MapShape::grey(&[0.0]))
    };

    fn prepare(&self, setup: &Setup) -> Result<Box<dyn MapWork>, String> {
        Ok(Box::new(MaskTask { placed: Placed::mask(&self.mask, setup, self.rays)? }))
    }

    fn name(&self) -> Option<&str> {
        Some(&self.mask)
    }

    fn masks(&self) -> Vec<&str> {
        vec![&self.mask]
    }

    fn validate(&self) -> Result<(), String> {
        self.rays.check()
    }

    fn rays(&self) -> Option<Rays> {
        Some(self.rays)
    }
}

/// A mask ready to work on tiles.
struct MaskTask {
    placed: Placed,
}

impl MapWork for MaskTask {
    fn evaluate(&self, tile: &mut TileWork, out: &mut [f32]) {
        fill_channel(&self.placed, tile, out, 1, 0);
    }

    fn requests(&self) -> Vec<&FanRequest> {
        self.placed.requests()
    }
}

/// Fills a channel of a map with the mean of a place over each texel's hits; 0 where none of them hit anything.
pub(super) fn fill_channel(placed: &Placed, tile: &mut TileWork, out: &mut [f32], channels: usize, channel: usize) {
    let values = placed.values(tile);
    for (texel, samples) in tile.wanted_texels() {
        let hit = samples.filter(|s| tile.hits.is_hit(*s));
        let (sum, count) = hit.fold((0.0f32, 0u32), |(sum, count), s| (sum + values[s], count + 1));
        out[texel * channels + channel] = sum / count.max(1) as f32;
    }
}
