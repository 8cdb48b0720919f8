//! `emission`: light that the sculpt's materials give off where rays hit.

use super::carried::{CarriedTask, needs_surfaces, texels_unlike};
use super::{Map, MapKind, MapShape, MapWork, Setup};
use crate::sheet::linear_to_srgb;
use glam::Vec3;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct EmissionSettings {}

impl Map for EmissionSettings {
    const KIND: MapKind = MapKind {
        explains: "Light that the sculpt gives off by itself, such as lamps and screens. Moved from its materials to the low-poly.",
        encoding: "light given off at the hit, sRGB; beyond 1 in files of floats alone",
        color: true,
        ..MapKind::data("emission", "Emission", MapShape::rgb(&[0.0, 0.0, 0.0]))
    };

    fn prepare(&self, setup: &Setup) -> Result<Box<dyn MapWork>, String> {
        needs_surfaces(setup, "emission")?;
        let picture = |t| setup.scene.high.look_of(t).and_then(|look| look.surface.as_ref()?.emission_picture.as_ref());
        Ok(Box::new(CarriedTask {
            channels: Self::KIND.shape.channels,
            bare: Vec3::ZERO,
            value: |surface, mesh, hit, side| {
                let place = (hit.triangle, hit.v, hit.w);
                let picture = surface.emission_picture.as_ref().and_then(|p| p.at(mesh, place, side));
                Vec3::from(surface.emission) * picture.map_or(Vec3::ONE, |p| p.truncate())
            },
            written: |value| linear_to_srgb(value.max(0.0)),
            findings: texels_unlike(setup, picture).into_iter().collect(),
        }))
    }
}
