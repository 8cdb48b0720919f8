//! `metallic`: how much of metal the sculpt's materials are where rays hit.

use super::carried::{CarriedTask, Shown};
use super::finished::FinishTask;
use super::{Map, MapKind, MapShape, MapWork, Setup};
use crate::finish::FinishChannel;
use glam::Vec3;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct MetallicSettings {}

impl Map for MetallicSettings {
    const KIND: MapKind = MapKind {
        explains: "Where the sculpt says it is bare metal: white is metal, black is not. Moved from its materials to the low-poly.",
        encoding: "metallic of the hit, 0 none to 1 metal, as glTF means it; linear",
        ..MapKind::data("metallic", "Metallic", MapShape::grey(&[0.0]))
    };

    fn prepare(&self, setup: &Setup) -> Result<Box<dyn MapWork>, String> {
        if let Ok(finish) = FinishTask::new(setup, FinishChannel::Metallic) {
            return Ok(Box::new(finish));
        }
        let shown = Shown {
            bare: Vec3::ZERO,
            picture: |surface| surface.rough_metal.as_ref(),
            value: |surface, picture| Vec3::splat(surface.metallic * picture.z),
            written: |value| value,
        };
        Ok(Box::new(CarriedTask::new(setup, &Self::KIND, shown)?))
    }
}
