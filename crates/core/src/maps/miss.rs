//! `miss`: the share of a texel's rays that met nothing, for review. 1 is a texel without any hit.

use super::{Map, MapKind, MapShape, MapWork, Setup, TileWork};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct MissSettings {}

impl Map for MissSettings {
    const KIND: MapKind = MapKind {
        explains: "White where rays met no sculpt. For review only.",
        encoding: "share of the texel's rays that missed, 0 none to 1 all; linear",
        ..MapKind::data("miss", "Miss", MapShape::grey(&[0.0]))
    };

    fn prepare(&self, _: &Setup) -> Result<Box<dyn MapWork>, String> {
        Ok(Box::new(MissTask))
    }
}

struct MissTask;

impl MapWork for MissTask {
    fn evaluate(&self, tile: &mut TileWork, out: &mut [f32]) {
        for (texel, samples) in tile.wanted_texels() {
            let missed = samples.clone().filter(|&s| !tile.hits.is_hit(s)).count();
            out[texel] = missed as f32 / samples.len() as f32;
        }
    }
}
