//! `height`: how far finishes stand above the surface that they lie on, or below it.

use super::finished::FinishTask;
use super::{Map, MapKind, MapShape, MapWork, Setup};
use crate::finish::FinishChannel;
use crate::surface::Distance;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct HeightSettings {
    /// The distance from black to white in whole-number files; `auto` takes twice the furthest height of the whole asset.
    #[serde(default)]
    pub scale: Distance,
}

impl Map for HeightSettings {
    const KIND: MapKind = MapKind {
        explains: "How far the finishes made at Finish stand above the surface, or below it, by themselves.",
        encoding: "height of the finish, outward positive; 0.5 + height/scale, mid-grey = the surface; \
                   float files hold the height itself; linear",
        heights: true,
        slow: true,
        ..MapKind::data("height", "Height", MapShape::grey(&[0.5]))
    };

    fn prepare(&self, setup: &Setup) -> Result<Box<dyn MapWork>, String> {
        Ok(Box::new(FinishTask::new(setup, FinishChannel::Height)?))
    }

    fn words(&self) -> String {
        format!("scale {}", self.scale.words())
    }

    fn validate(&self) -> Result<(), String> {
        self.scale.check("scale")
    }

    fn set_scale(&self) -> Option<f32> {
        self.scale.set()
    }
}
