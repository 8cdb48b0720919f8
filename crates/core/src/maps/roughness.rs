//! `roughness`: the roughness that the sculpt's materials carry where rays hit.

use super::carried::{CarriedTask, Shown};
use super::finished::FinishTask;
use super::{Map, MapKind, MapShape, MapWork, Setup};
use crate::finish::FinishChannel;
use glam::Vec3;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct RoughnessSettings {}

impl Map for RoughnessSettings {
    const KIND: MapKind = MapKind {
        explains: "How dull the sculpt says it is: white scatters light, black mirrors it. Moved from its materials to the low-poly.",
        encoding: "roughness of the hit, 0 smooth to 1 rough, as glTF means it; linear",
        ..MapKind::data("roughness", "Roughness", MapShape::grey(&[1.0]))
    };

    fn prepare(&self, setup: &Setup) -> Result<Box<dyn MapWork>, String> {
        if let Ok(finish) = FinishTask::new(setup, FinishChannel::Roughness) {
            return Ok(Box::new(finish));
        }
        let shown = Shown {
            bare: Vec3::ONE,
            picture: |surface| surface.rough_metal.as_ref(),
            value: |surface, picture| Vec3::splat(surface.roughness * picture.y),
            written: |value| value,
        };
        Ok(Box::new(CarriedTask::new(setup, &Self::KIND, shown)?))
    }
}
