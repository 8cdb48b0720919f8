//! What is fixed about a map of a run from its plan to its files; it stands once.

use super::spool::Stored;
use crate::maps::{MapKind, MapSettings, MapShape};
use crate::picture::{Depth, ImageFormat};
use crate::recipe::Recipe;

/// One map of a run.
#[derive(Clone, Debug, PartialEq)]
pub struct MapFacts {
    pub settings: MapSettings,
    key: String,
    label: String,
    file_part: String,
    pub shape: MapShape,
    pub format: ImageFormat,
    pub depth: Depth,
    /// How its values wait to be written.
    pub(super) stored: Stored,
}

impl MapFacts {
    pub fn new(settings: &MapSettings, recipe: &Recipe) -> MapFacts {
        let (format, depth) = recipe.file_kind(settings);
        let stored = Stored::for_file(settings.kind(), format, depth, recipe.sheet.dither);
        MapFacts {
            shape: settings.shape(),
            key: settings.key(),
            label: settings.label(),
            file_part: settings.file_part(),
            settings: settings.clone(),
            format,
            depth,
            stored,
        }
    }

    pub fn kind(&self) -> &'static MapKind {
        self.settings.kind()
    }

    /// As [`MapSettings::key`].
    pub fn key(&self) -> &str {
        &self.key
    }

    /// As [`MapSettings::label`].
    pub fn label(&self) -> &str {
        &self.label
    }

    /// As [`MapSettings::file_part`].
    pub fn file_part(&self) -> &str {
        &self.file_part
    }

    /// Values are signed heights in scene units, to be scaled once all are known.
    pub fn heights(&self) -> bool {
        self.kind().heights
    }

    /// The scale of heights when it is set, not measured.
    pub fn set_scale(&self) -> Option<f32> {
        self.settings.set_scale()
    }

    /// The file holds floats.
    pub fn floats(&self) -> bool {
        self.depth == Depth::Float || self.format == ImageFormat::Exr
    }

    /// Bytes of a texel while it waits to be written.
    pub fn waiting_bytes(&self) -> usize {
        self.shape.channels * self.stored.bytes()
    }
}
