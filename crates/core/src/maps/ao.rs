//! `ao`: ambient occlusion, the share of the cosine-weighted sky that a point of the sculpt sees up to a distance.

use super::fan::{Falloff, FanRequest, Occluders, RayWish, Rays, Side};
use super::{Automatic, DetailMap, MadeFrom, Map, MapKind, MapShape, MapWork, Setup, TileWork};
use crate::surface::Distance;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::sync::Arc;

/// Share of the asset's diagonal that `auto` takes as distance.
pub(super) const AUTO_DISTANCE: f32 = 0.2;

#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(default, deny_unknown_fields)]
pub struct AoSettings {
    pub from: MadeFrom,
    /// Rays per texel.
    pub rays: Rays,
    /// How far off a surface still darkens, scene units; `auto` is a fifth of the asset's diagonal.
    pub distance: Distance,
    pub falloff: Falloff,
    pub occluders: Occluders,
    /// High-poly parts that never block rays: floating details.
    pub clear: Vec<String>,
    /// Darken also by the heights of finishes.
    #[serde(skip_serializing_if = "std::ops::Not::not")]
    pub detail: bool,
}

impl Default for AoSettings {
    fn default() -> Self {
        AoSettings {
            from: MadeFrom::Sculpt,
            rays: Rays::Fixed(64),
            distance: Distance::Auto,
            falloff: Falloff::None,
            occluders: Occluders::Pair,
            clear: Vec::new(),
            detail: false,
        }
    }
}

impl Map for AoSettings {
    const KIND: MapKind = MapKind {
        explains: "How much of the sky each point sees: dark in corners and creases. Multiplied over ambient light.",
        encoding: "share of the cosine-weighted hemisphere that is open, 1 = open; linear",
        automatic: &[Automatic::new("distance", AUTO_DISTANCE)],
        ..MapKind::data("ao", "Occlusion", MapShape::grey(&[1.0]))
    };

    fn prepare(&self, setup: &Setup) -> Result<Box<dyn MapWork>, String> {
        let distance = setup.distance(self.distance, AUTO_DISTANCE);
        let wish = RayWish {
            rays: self.rays,
            distance,
            falloff: self.falloff,
            side: Side::Outward,
            occluders: &self.occluders,
            clear: &self.clear,
            way: false,
        };
        let request = FanRequest::new(setup, &wish)?;
        let finishes = setup.relief().filter(|_| self.detail);
        let mut reliefs = Vec::new();
        if let Some(finishes) = &finishes {
            reliefs.push(Arc::new(finishes.relief(setup)?));
        }
        let request = match self.from {
            MadeFrom::Sculpt => {
                if finishes.is_none() {
                    setup.needs_sculpt()?;
                }
                if setup.scene.own_surface { request.on_low(setup.scene) } else { request }
            }
            MadeFrom::NormalMap => {
                reliefs.push(setup.detail.clone()?);
                request.on_low(setup.scene)
            }
        };
        Ok(Box::new(AoTask { request, reliefs, distance }))
    }

    fn words(&self) -> String {
        format!(
            "{} to {} by {}{}{}",
            self.rays.words(),
            self.distance.words(),
            self.occluders.words(),
            self.from.words(),
            if self.detail { ", with detail of finishes" } else { "" }
        )
    }

    fn validate(&self) -> Result<(), String> {
        self.rays.check()?;
        self.distance.check("distance")
    }

    fn rays(&self) -> Option<Rays> {
        Some(self.rays)
    }

    fn uses_normal_map(&self) -> bool {
        self.from == MadeFrom::NormalMap
    }
}

struct AoTask {
    request: FanRequest,
    /// What stands on the surface besides: a normal map, heights of finishes.
    reliefs: Vec<Arc<DetailMap>>,
    /// How far relief darkens.
    distance: f32,
}

impl MapWork for AoTask {
    fn evaluate(&self, tile: &mut TileWork, out: &mut [f32]) {
        let met = tile.fan(&self.request);
        for (texel, samples) in tile.wanted_texels() {
            // The surface's own occlusion times that of the relief on it.
            let open = |detail: &Arc<DetailMap>| {
                detail.mean(&tile.plan.scene, tile.hits, samples.clone(), |at| detail.openness(at, self.distance))
            };
            out[texel] = met.open[texel] * self.reliefs.iter().map(open).product::<f32>();
        }
    }

    fn requests(&self) -> Vec<&FanRequest> {
        vec![&self.request]
    }
}
