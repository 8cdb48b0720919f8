//! `bent-normal`: the mean of the directions in which nothing blocks a ray, in tangent space. It shares its rays with `ao`.

use super::ao::AUTO_DISTANCE;
use super::fan::{Falloff, FanRequest, Occluders, RayWish, Rays, Side};
use super::normal::{put_normal, to_tangent_space};
use super::{Automatic, Green, Map, MapKind, MapShape, MapWork, Reads, Setup, TileWork};
use crate::surface::Distance;
use glam::Vec3;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(default, deny_unknown_fields)]
pub struct BentNormalSettings {
    pub y: Green,
    /// Rays per texel.
    pub rays: Rays,
    /// How far off a surface still counts, scene units; `auto` is a fifth of the asset's diagonal.
    pub distance: Distance,
    pub occluders: Occluders,
    /// High-poly parts that never block rays: floating details.
    pub clear: Vec<String>,
}

impl Default for BentNormalSettings {
    fn default() -> Self {
        BentNormalSettings {
            y: Green::Up,
            rays: Rays::Fixed(64),
            distance: Distance::Auto,
            occluders: Occluders::Pair,
            clear: Vec::new(),
        }
    }
}

impl Map for BentNormalSettings {
    const KIND: MapKind = MapKind {
        explains: "The average open direction at each point. Lets the renderer give occlusion a direction.",
        encoding: "mean unoccluded direction, tangent space, n*0.5+0.5; linear",
        automatic: &[Automatic::new("distance", AUTO_DISTANCE)],
        ..MapKind::data("bent-normal", "Bent normal", MapShape::rgb(&[0.5, 0.5, 1.0]))
    };

    fn prepare(&self, setup: &Setup) -> Result<Box<dyn MapWork>, String> {
        setup.needs_sculpt()?;
        let distance = setup.distance(self.distance, AUTO_DISTANCE);
        let wish = RayWish {
            rays: self.rays,
            distance,
            falloff: Falloff::None,
            side: Side::Outward,
            occluders: &self.occluders,
            clear: &self.clear,
            way: true,
        };
        let request = FanRequest::new(setup, &wish)?;
        Ok(Box::new(BentNormalTask { request, green: self.y.sign() }))
    }

    fn tangent_space(&self) -> bool {
        true
    }

    fn reads(&self, _diagonal: f32) -> Reads {
        Reads::Direction { y: self.y }
    }

    fn encoding(&self) -> String {
        format!("{}; {}", Self::KIND.encoding, self.y.words())
    }

    fn words(&self) -> String {
        let distance = self.distance.words();
        format!("{}, {} to {distance} by {}", self.y.words(), self.rays.words(), self.occluders.words())
    }

    fn validate(&self) -> Result<(), String> {
        self.rays.check()?;
        self.distance.check("distance")
    }

    fn rays(&self) -> Option<Rays> {
        Some(self.rays)
    }
}

struct BentNormalTask {
    request: FanRequest,
    green: f32,
}

impl MapWork for BentNormalTask {
    fn evaluate(&self, tile: &mut TileWork, out: &mut [f32]) {
        let met = tile.fan(&self.request);
        let (scene, hits, normals) = (tile.scene(), tile.hits, tile.surface.normals());
        for (texel, mut samples) in tile.wanted_texels() {
            let hit = samples.find(|&s| hits.is_hit(s));
            let bent = hit.map_or(Vec3::ZERO, |s| {
                // Nothing open at all: the surface's own normal.
                let way = met.way[texel].try_normalize().unwrap_or(normals[s]);
                to_tangent_space(scene, hits, s, way)
            });
            put_normal(&mut out[texel * 3..texel * 3 + 3], bent, self.green);
        }
    }

    fn requests(&self) -> Vec<&FanRequest> {
        vec![&self.request]
    }
}
