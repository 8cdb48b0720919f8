//! `roughness`: the roughness that the sculpt's materials carry where rays hit.

use super::carried::{CarriedTask, needs_surfaces, texels_unlike};
use super::{Map, MapKind, MapShape, MapWork, Setup};
use glam::Vec3;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct RoughnessSettings {}

impl Map for RoughnessSettings {
    const KIND: MapKind = MapKind {
        explains: "How dull the sculpt says it is: white scatters light, black mirrors it. Moved from its materials to the low-poly.",
        encoding: "roughness of the hit, 0 smooth to 1 rough, as glTF means it; linear",
        ..MapKind::data("roughness", "Roughness", MapShape::grey(&[1.0]))
    };

    fn prepare(&self, setup: &Setup) -> Result<Box<dyn MapWork>, String> {
        needs_surfaces(setup, "roughness")?;
        let picture = |t| setup.scene.high.look_of(t).and_then(|look| look.surface.as_ref()?.rough_metal.as_ref());
        Ok(Box::new(CarriedTask {
            channels: Self::KIND.shape.channels,
            bare: Vec3::ONE,
            value: |surface, mesh, hit, side| {
                let place = (hit.triangle, hit.v, hit.w);
                let picture = surface.rough_metal.as_ref().and_then(|p| p.at(mesh, place, side));
                Vec3::splat(surface.roughness * picture.map_or(1.0, |p| p.y))
            },
            written: |value| value,
            findings: texels_unlike(setup, picture).into_iter().collect(),
        }))
    }
}
