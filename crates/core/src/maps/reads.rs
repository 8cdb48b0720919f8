//! How the numbers of a file are read back: what a texel says in the true unit of its map.

use super::{Green, decode_normal};
use crate::picture::linear_to_srgb;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// What a number of a map counts.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub enum Unit {
    /// Angles between directions.
    #[serde(rename = "degrees")]
    Degrees,
    /// Scene units.
    #[serde(rename = "units")]
    Units,
    /// 1 over scene units: the bend of a ball of radius 1 is 1.
    #[serde(rename = "1/units")]
    PerUnit,
    /// Shares from 0 to 1.
    #[serde(rename = "share")]
    Share,
    /// Steps of 255 of a colour as the eye sees it.
    #[serde(rename = "of 255")]
    Step,
}

impl Unit {
    /// As it stands behind a number.
    pub fn words(self) -> &'static str {
        match self {
            Unit::Degrees => "degrees",
            Unit::Units => "units",
            Unit::PerUnit => "1/units",
            Unit::Share => "share",
            Unit::Step => "of 255",
        }
    }
}

/// How the file of a map is read.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(tag = "as", rename_all = "kebab-case")]
pub enum Reads {
    /// A direction: twice the channels less 1, green by `y`.
    Direction { y: Green },
    /// A height in scene units: (value - 0.5) times the map's scale; in float files the height itself.
    Height,
    /// (value - zero) times span, in `unit`.
    Number { unit: Unit, zero: f32, span: f32 },
    /// A colour, sRGB-encoded in files of whole numbers and light in files of floats.
    Color,
}

impl Reads {
    /// A share, as it stands.
    pub const SHARE: Reads = Reads::Number { unit: Unit::Share, zero: 0.0, span: 1.0 };

    /// What three channels of a texel say in the true unit: so many numbers, or a unit direction. `scale`: from black to white of heights
    /// in whole numbers; `light`: colours of the file are light.
    pub fn told(&self, channels: [f32; 3], scale: Option<f32>, light: bool) -> [f32; 3] {
        match *self {
            Reads::Direction { y } => decode_normal(channels, y).to_array(),
            Reads::Height => channels.map(|value| scale.map_or(value, |scale| (value - 0.5) * scale)),
            Reads::Number { zero, span, .. } => channels.map(|value| (value - zero) * span),
            Reads::Color => channels.map(|value| 255.0 * if light { linear_to_srgb(value.max(0.0)) } else { value }),
        }
    }

    /// What its differences are counted in.
    pub fn unit(&self) -> Unit {
        match self {
            Reads::Direction { .. } => Unit::Degrees,
            Reads::Height => Unit::Units,
            Reads::Number { unit, .. } => *unit,
            Reads::Color => Unit::Step,
        }
    }
}
