//! `opacity`: the share of a texel's rays that hit the sculpt, for cut-outs such as leaves, grilles and torn cloth.

use super::{Map, MapKind, MapShape, MapWork, Setup, TileWork};
use serde::{Deserialize, Serialize};
use ts_rs::TS;

#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct OpacitySettings {}

impl Map for OpacitySettings {
    const KIND: MapKind = MapKind {
        explains: "White where the sculpt is, black where rays pass it: cut-outs baked onto a plain card.",
        encoding: "share of the texel's rays that hit, 0 none to 1 all; linear",
        ..MapKind::data("opacity", "Opacity", MapShape::grey(&[0.0]))
    };

    fn prepare(&self, setup: &Setup) -> Result<Box<dyn MapWork>, String> {
        setup.needs_sculpt()?;
        Ok(Box::new(OpacityTask))
    }
}

struct OpacityTask;

impl MapWork for OpacityTask {
    fn evaluate(&self, tile: &mut TileWork, out: &mut [f32]) {
        for (texel, samples) in tile.hits.wanted_texels() {
            let hit = samples.clone().filter(|&s| tile.hits.is_hit(s)).count();
            out[texel] = hit as f32 / samples.len() as f32;
        }
    }
}
