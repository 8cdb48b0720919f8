//! `metallic`: how much of metal the sculpt's materials are where rays hit.

use super::carried::{CarriedTask, needs_surfaces, texels_unlike};
use super::{Map, MapKind, MapShape, MapWork, Setup};
use glam::Vec3;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct MetallicSettings {}

impl Map for MetallicSettings {
    const KIND: MapKind = MapKind {
        explains: "Where the sculpt says it is bare metal: white is metal, black is not. Moved from its materials to the low-poly.",
        encoding: "metallic of the hit, 0 none to 1 metal, as glTF means it; linear",
        ..MapKind::data("metallic", "Metallic", MapShape::grey(&[0.0]))
    };

    fn prepare(&self, setup: &Setup) -> Result<Box<dyn MapWork>, String> {
        needs_surfaces(setup, "metallic")?;
        let picture = |t| setup.scene.high.look_of(t).and_then(|look| look.surface.as_ref()?.rough_metal.as_ref());
        Ok(Box::new(CarriedTask {
            channels: Self::KIND.shape.channels,
            bare: Vec3::ZERO,
            value: |surface, mesh, hit, side| {
                let place = (hit.triangle, hit.v, hit.w);
                let picture = surface.rough_metal.as_ref().and_then(|p| p.at(mesh, place, side));
                Vec3::splat(surface.metallic * picture.map_or(1.0, |p| p.z))
            },
            written: |value| value,
            findings: texels_unlike(setup, picture).into_iter().collect(),
        }))
    }
}
