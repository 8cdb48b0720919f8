//! `normal-object`: the sculpt's normal at the hit, in the axes of the scene. It needs no tangents, and breaks when the model
//! bends.

use super::{Green, Map, MapKind, MapShape, MapWork, Reads, Setup, TileWork};
use glam::Vec3;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct NormalObjectSettings {}

impl Map for NormalObjectSettings {
    const KIND: MapKind = MapKind {
        explains: "The sculpt's surface direction in the scene's own axes (Y up), for masks by direction and for rigid props.",
        encoding: "object-space normal, Y up, right-handed, n*0.5+0.5; linear",
        slow: true,
        ..MapKind::data("normal-object", "Object normal", MapShape::rgb(&[0.5, 0.5, 0.5]))
    };

    fn reads(&self, _diagonal: f32) -> Reads {
        Reads::Direction { y: Green::Up }
    }

    fn prepare(&self, setup: &Setup) -> Result<Box<dyn MapWork>, String> {
        setup.needs_sculpt()?;
        Ok(Box::new(NormalObjectTask))
    }
}

struct NormalObjectTask;

impl MapWork for NormalObjectTask {
    fn evaluate(&self, tile: &mut TileWork, out: &mut [f32]) {
        let (scene, hits, normals) = (tile.scene(), tile.hits, tile.surface.normals());
        for (texel, samples) in tile.wanted_texels() {
            let first = samples.start;
            let sum: Vec3 = samples.filter(|&s| hits.is_hit(s)).map(|s| normals[s]).sum();
            // Where rays met nothing, the low-poly's own normal is the least surprise.
            let normal = sum.try_normalize().unwrap_or_else(|| scene.low.mesh.normal_at(hits.low(first)));
            for (slot, n) in out[texel * 3..texel * 3 + 3].iter_mut().zip(normal.to_array()) {
                *slot = n * 0.5 + 0.5;
            }
        }
    }
}
