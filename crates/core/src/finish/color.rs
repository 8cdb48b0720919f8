//! Colours as a recipe writes them.

use crate::picture::srgb_byte_to_linear;
use glam::Vec3;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// A colour, sRGB: `#rrggbb`.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(try_from = "String", into = "String")]
#[schemars(with = "String")]
pub struct Color(pub [u8; 3]);

impl Color {
    /// In linear light.
    pub fn linear(self) -> Vec3 {
        self.0.map(srgb_byte_to_linear).into()
    }
}

impl std::fmt::Display for Color {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        let [r, g, b] = self.0;
        write!(f, "#{r:02x}{g:02x}{b:02x}")
    }
}

impl From<Color> for String {
    fn from(color: Color) -> String {
        color.to_string()
    }
}

impl TryFrom<String> for Color {
    type Error = String;

    fn try_from(text: String) -> Result<Color, String> {
        let wrong = || format!("'{text}' is no colour; write it as \"#rrggbb\"");
        let digits = text.strip_prefix('#').filter(|d| d.len() == 6 && d.bytes().all(|b| b.is_ascii_hexdigit()));
        let number = u32::from_str_radix(digits.ok_or_else(wrong)?, 16).map_err(|_| wrong())?;
        let [_, r, g, b] = number.to_be_bytes();
        Ok(Color([r, g, b]))
    }
}
