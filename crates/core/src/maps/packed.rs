//! `packed`: up to four masks in the channels of one picture.

use super::fan::{FanRequest, Rays};
use super::mask::{are_default_rays, default_rays, fill_channel};
use super::placed::Placed;
use super::{Map, MapKind, MapShape, MapWork, Setup, TileWork};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct PackedSettings {
    /// What the picture is called.
    pub name: String,
    /// The mask in each channel; black in a channel without one. Without an alpha the picture has three channels.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub red: Option<String>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub green: Option<String>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub blue: Option<String>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub alpha: Option<String>,
    /// Rays per texel of signals that trace rays.
    #[serde(default = "default_rays", skip_serializing_if = "are_default_rays")]
    pub rays: Rays,
}

impl Default for PackedSettings {
    fn default() -> Self {
        let name = "masks".to_owned();
        PackedSettings { name, red: None, green: None, blue: None, alpha: None, rays: default_rays() }
    }
}

impl PackedSettings {
    /// Masks by channel, as many channels as the picture has.
    fn channels(&self) -> Vec<Option<&str>> {
        let mut channels = vec![&self.red, &self.green, &self.blue];
        channels.extend(self.alpha.is_some().then_some(&self.alpha));
        channels.into_iter().map(Option::as_deref).collect()
    }
}

impl Map for PackedSettings {
    const KIND: MapKind = MapKind {
        explains: "Several masks in the channels of one picture.",
        encoding: "one mask per channel, 0 = outside, 1 = inside; linear",
        named: true,
        ..MapKind::data("packed", "Packed masks", MapShape::rgb(&[0.0, 0.0, 0.0]))
    };

    fn shape(&self) -> MapShape {
        match self.alpha {
            Some(_) => MapShape { channels: 4, neutral: &[0.0; 4] },
            None => Self::KIND.shape,
        }
    }

    fn prepare(&self, setup: &Setup) -> Result<Box<dyn MapWork>, String> {
        let channels = self.channels().into_iter();
        let placed = channels.map(|mask| mask.map(|mask| Placed::mask(mask, setup, self.rays)).transpose());
        Ok(Box::new(PackedTask { channels: placed.collect::<Result<_, String>>()? }))
    }

    fn encoding(&self) -> String {
        let letters = ["red", "green", "blue", "alpha"];
        let named = self
            .channels()
            .into_iter()
            .zip(letters)
            .map(|(mask, letter)| format!("{} in {letter}", mask.unwrap_or("none")));
        format!("{}; {}", Self::KIND.encoding, named.collect::<Vec<_>>().join(", "))
    }

    fn name(&self) -> Option<&str> {
        Some(&self.name)
    }

    fn masks(&self) -> Vec<&str> {
        self.channels().into_iter().flatten().collect()
    }

    fn validate(&self) -> Result<(), String> {
        self.rays.check()?;
        match self.name.chars().any(char::is_alphanumeric) && self.name.chars().count() <= 60 {
            true => Ok(()),
            false => Err(format!("name is '{}'; give 1 to 60 characters, a letter or a figure among them", self.name)),
        }
    }

    fn rays(&self) -> Option<Rays> {
        Some(self.rays)
    }
}

/// Packed masks ready to work on tiles.
struct PackedTask {
    channels: Vec<Option<Placed>>,
}

impl MapWork for PackedTask {
    fn evaluate(&self, tile: &mut TileWork, out: &mut [f32]) {
        for (channel, placed) in self.channels.iter().enumerate() {
            if let Some(placed) = placed {
                fill_channel(placed, tile, out, self.channels.len(), channel);
            }
        }
    }

    fn requests(&self) -> Vec<&FanRequest> {
        self.channels.iter().flatten().flat_map(Placed::requests).collect()
    }
}
