//! `displacement`: how far the sculpt lies outside (positive) or inside the low-poly, along the averaged direction whatever
//! way the other rays run, so that a renderer can move the surface there without tearing it at hard edges.

use super::fan::FanRequest;
use super::finished::FinishTask;
use super::{Map, MapKind, MapShape, MapWork, Setup, TileWork};
use crate::finish::FinishChannel;
use crate::surface::Distance;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct DisplacementSettings {
    /// The distance from black to white in whole-number files; `auto` takes twice the furthest height of the whole asset.
    #[serde(default)]
    pub scale: Distance,
}

impl Map for DisplacementSettings {
    const KIND: MapKind = MapKind {
        explains: "How far the sculpt lies outside or inside the low-poly: moves the real surface in the renderer.",
        encoding: "height along the averaged direction, outward positive; 0.5 + height/scale, mid-grey = the low-poly; \
                   float files hold the height itself; linear",
        heights: true,
        slow: true,
        ..MapKind::data("displacement", "Displacement", MapShape::grey(&[0.5]))
    };

    fn prepare(&self, setup: &Setup) -> Result<Box<dyn MapWork>, String> {
        let finishes = setup.relief();
        if finishes.is_none() {
            setup.needs_sculpt()?;
        }
        let height = finishes.map(|_| FinishTask::new(setup, FinishChannel::Height)).transpose()?;
        Ok(Box::new(DisplacementTask { height }))
    }

    fn words(&self) -> String {
        format!("scale {}", self.scale.words())
    }

    fn validate(&self) -> Result<(), String> {
        self.scale.check("scale")
    }

    fn set_scale(&self) -> Option<f32> {
        self.scale.set()
    }
}

struct DisplacementTask {
    /// What finishes add.
    height: Option<FinishTask>,
}

impl MapWork for DisplacementTask {
    fn evaluate(&self, tile: &mut TileWork, out: &mut [f32]) {
        if let Some(height) = &self.height {
            height.evaluate(tile, out);
        }
        let own = tile.averaged_hits();
        let hits = own.as_deref().unwrap_or(tile.hits);
        for (texel, samples) in tile.wanted_texels() {
            let (mut sum, mut count) = (0.0, 0);
            for height in samples.filter_map(|s| hits.height(s)) {
                sum += height;
                count += 1;
            }
            if count > 0 {
                out[texel] += sum / count as f32;
            }
        }
    }
    fn requests(&self) -> Vec<&FanRequest> {
        self.height.as_ref().map_or(Vec::new(), |height| height.requests())
    }
}
