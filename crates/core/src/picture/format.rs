//! The file formats that maps are written in, and what each can hold.

use super::Depth;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// The file format of the maps.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum ImageFormat {
    #[default]
    Png,
    Tiff,
    Exr,
    /// For colour only, 8 bit.
    Tga,
    /// For colour only, 8 bit, with losses.
    Jpeg,
}

impl ImageFormat {
    pub fn extension(self) -> &'static str {
        match self {
            ImageFormat::Png => "png",
            ImageFormat::Tiff => "tif",
            ImageFormat::Exr => "exr",
            ImageFormat::Tga => "tga",
            ImageFormat::Jpeg => "jpg",
        }
    }

    pub fn label(self) -> &'static str {
        match self {
            ImageFormat::Png => "PNG",
            ImageFormat::Tiff => "TIFF",
            ImageFormat::Exr => "EXR",
            ImageFormat::Tga => "TGA",
            ImageFormat::Jpeg => "JPEG",
        }
    }

    /// Whether it is for colour maps only: it loses what data maps need.
    pub fn color_only(self) -> bool {
        match self {
            ImageFormat::Png | ImageFormat::Tiff | ImageFormat::Exr => false,
            ImageFormat::Tga | ImageFormat::Jpeg => true,
        }
    }

    /// Every format, in the order they are offered.
    pub const ALL: [ImageFormat; 5] =
        [ImageFormat::Png, ImageFormat::Tiff, ImageFormat::Exr, ImageFormat::Tga, ImageFormat::Jpeg];

    /// Depths this format can hold.
    pub fn depths(self) -> &'static [Depth] {
        match self {
            ImageFormat::Png => &[Depth::Eight, Depth::Sixteen],
            ImageFormat::Tiff => &[Depth::Eight, Depth::Sixteen, Depth::Float],
            ImageFormat::Exr => &[Depth::Sixteen, Depth::Float],
            ImageFormat::Tga | ImageFormat::Jpeg => &[Depth::Eight],
        }
    }
}
