//! `base-color`: the colour that finishes give the surface, without any light, shadow or view in it.

use super::finished::FinishTask;
use super::{Map, MapKind, MapShape, MapWork, Setup};
use crate::finish::FinishChannel;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct BaseColorSettings {}

impl Map for BaseColorSettings {
    const KIND: MapKind = MapKind {
        explains: "Colour of the finishes made at Finish, without light or shadow.",
        encoding: "base colour, sRGB; kept under clear places, opacity is apart",
        color: true,
        ..MapKind::data("base-color", "Base colour", MapShape::rgb(&[0.0, 0.0, 0.0]))
    };

    fn prepare(&self, setup: &Setup) -> Result<Box<dyn MapWork>, String> {
        Ok(Box::new(FinishTask::new(setup, FinishChannel::Color)?))
    }
}
