//! `thickness`: how far light could go inward: the mean free path of cosine-weighted rays into the body, up to a distance.

use super::fan::{Falloff, FanRequest, Occluders, RayWish, Rays, Side};
use super::{Automatic, Map, MapKind, MapShape, MapWork, Setup, TileWork};
use crate::surface::Distance;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Share of the asset's diagonal that `auto` takes as the thickness that reads white.
const AUTO_DISTANCE: f32 = 0.1;

#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(default, deny_unknown_fields)]
pub struct ThicknessSettings {
    /// Rays per texel.
    pub rays: Rays,
    /// The thickness that reads white, scene units; `auto` is a tenth of the asset's diagonal.
    pub distance: Distance,
    pub occluders: Occluders,
}

impl Default for ThicknessSettings {
    fn default() -> Self {
        ThicknessSettings { rays: Rays::Fixed(32), distance: Distance::Auto, occluders: Occluders::Pair }
    }
}

impl Map for ThicknessSettings {
    const KIND: MapKind = MapKind {
        explains: "How thick the body is under each point: dark where it is thin. For light that shines through.",
        encoding: "mean free path inward over the set distance, 1 = thick; linear",
        automatic: &[Automatic::new("distance", AUTO_DISTANCE)],
        ..MapKind::data("thickness", "Thickness", MapShape::grey(&[1.0]))
    };

    fn prepare(&self, setup: &Setup) -> Result<Box<dyn MapWork>, String> {
        setup.needs_sculpt()?;
        let distance = setup.distance(self.distance, AUTO_DISTANCE);
        let wish = RayWish {
            rays: self.rays,
            distance,
            falloff: Falloff::Linear,
            side: Side::Inward,
            occluders: &self.occluders,
            clear: &[],
            way: false,
        };
        let request = FanRequest::new(setup, &wish)?;
        Ok(Box::new(ThicknessTask { request }))
    }

    fn words(&self) -> String {
        format!("{} to {}", self.rays.words(), self.distance.words())
    }

    fn validate(&self) -> Result<(), String> {
        self.rays.check()?;
        self.distance.check("distance")
    }

    fn rays(&self) -> Option<Rays> {
        Some(self.rays)
    }
}

struct ThicknessTask {
    request: FanRequest,
}

impl MapWork for ThicknessTask {
    fn evaluate(&self, tile: &mut TileWork, out: &mut [f32]) {
        let met = tile.fan(&self.request);
        for (texel, _) in tile.wanted_texels() {
            out[texel] = met.open[texel];
        }
    }

    fn requests(&self) -> Vec<&FanRequest> {
        vec![&self.request]
    }
}
