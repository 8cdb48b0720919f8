//! `emission`: light that the sculpt's materials give off where rays hit.

use super::carried::{CarriedTask, Shown};
use super::finished::FinishTask;
use super::{Map, MapKind, MapShape, MapWork, Setup};
use crate::finish::FinishChannel;
use crate::picture::linear_to_srgb;
use glam::Vec3;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct EmissionSettings {}

impl Map for EmissionSettings {
    const KIND: MapKind = MapKind {
        explains: "Light that the sculpt gives off itself, such as lamps and screens. Moved from its materials to the low-poly.",
        encoding: "emitted light at the hit, sRGB; above 1 in float files only",
        color: true,
        ..MapKind::data("emission", "Emission", MapShape::rgb(&[0.0, 0.0, 0.0]))
    };

    fn prepare(&self, setup: &Setup) -> Result<Box<dyn MapWork>, String> {
        if let Ok(finish) = FinishTask::new(setup, FinishChannel::Emission) {
            return Ok(Box::new(finish));
        }
        let shown = Shown {
            bare: Vec3::ZERO,
            picture: |surface| surface.emission_picture.as_ref(),
            value: |surface, picture| Vec3::from(surface.emission) * picture.truncate(),
            written: |value| linear_to_srgb(value.max(0.0)),
        };
        Ok(Box::new(CarriedTask::new(setup, &Self::KIND, shown)?))
    }
}
