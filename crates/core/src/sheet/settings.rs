//! What a recipe says of its sheets: size, sampling, padding, and how a low-poly is shared out over them.

use crate::picture::{Depth, ImageFormat};
use schemars::{JsonSchema, Schema, SchemaGenerator, json_schema};
use serde::{Deserialize, Serialize};
use std::borrow::Cow;

/// Smallest and largest sheet, in texels per side.
pub const SHEET_SIZES: std::ops::RangeInclusive<u32> = 16..=16384;

/// How far covered texels are spread into the void around islands.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(untagged, expecting = "padding is a number of texels, or \"all\"")]
pub enum Padding {
    #[serde(with = "all_word")]
    All,
    Texels(u32),
}

impl JsonSchema for Padding {
    fn schema_name() -> Cow<'static, str> {
        "Padding".into()
    }

    fn json_schema(_: &mut SchemaGenerator) -> Schema {
        json_schema!({
            "description": "A number of texels, or \"all\" to fill the sheet.",
            "anyOf": [{ "const": "all" }, { "type": "integer", "minimum": 0 }],
        })
    }
}

mod all_word {
    use serde::{Deserialize, Deserializer, Serializer, de::Error};

    pub fn serialize<S: Serializer>(s: S) -> Result<S::Ok, S::Error> {
        s.serialize_str("all")
    }

    pub fn deserialize<'de, D: Deserializer<'de>>(d: D) -> Result<(), D::Error> {
        match String::deserialize(d)?.as_str() {
            "all" => Ok(()),
            other => Err(D::Error::custom(format!("'{other}' is not a padding; give a number or \"all\""))),
        }
    }
}

/// How a low-poly's triangles are shared out over sheets.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Layout {
    /// One sheet: the unit square of UV space, all materials.
    #[default]
    One,
    /// One sheet per material of the low-poly.
    Materials,
    /// One sheet a UDIM tile: 1001 for the unit square, one more to the right, ten more upwards.
    Udim,
}

/// Size and sampling of the sheet.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(default, deny_unknown_fields)]
pub struct SheetSettings {
    /// Texels per side.
    pub size: u32,
    /// Samples per texel: 1, 4, 16 or 64.
    pub samples: u32,
    pub padding: Padding,
    pub depth: Depth,
    #[serde(default)]
    pub format: ImageFormat,
    /// Another format for the colour map, such as TGA or JPEG; None writes it as the others.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub color_format: Option<ImageFormat>,
    /// At 8 bit, spread rounding over neighbouring texels, so that slow gradients show no steps.
    #[serde(default)]
    pub dither: bool,
    #[serde(default)]
    pub layout: Layout,
    /// Texels per side of a proof (never more than `size`).
    #[serde(default = "default_proof_size")]
    pub proof_size: u32,
}

fn default_proof_size() -> u32 {
    512
}

impl Default for SheetSettings {
    fn default() -> Self {
        SheetSettings {
            size: 1024,
            samples: 4,
            padding: Padding::Texels(16),
            depth: Depth::Eight,
            format: ImageFormat::Png,
            color_format: None,
            dither: false,
            layout: Layout::One,
            proof_size: default_proof_size(),
        }
    }
}

/// Which of several sheets a file is of.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum SheetName {
    /// The only one.
    One,
    Material(String),
    /// UDIM number.
    Udim(u32),
}

impl SheetName {
    /// How the sheet is called on the screen and in the report; empty for the only one.
    pub fn label(&self) -> String {
        match self {
            SheetName::One => String::new(),
            SheetName::Material(name) => name.clone(),
            SheetName::Udim(number) => number.to_string(),
        }
    }
}
