//! A picture that is read, not baked: a source texture or an existing normal map, sampled at any UV.

use super::Pixels;
use super::texture::Level;
use std::sync::{LazyLock, OnceLock};

/// What the numbers of a picture of colours mean.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, serde::Serialize, serde::Deserialize)]
pub enum Coding {
    /// Encoded for the eye (IEC 61966-2-1), as files of whole numbers are.
    #[default]
    Srgb,
    /// Light itself, as files of floats hold it.
    Linear,
}

/// Rows from the top (v = 1) down, 1 to 4 channels interleaved.
#[derive(Clone, Debug, PartialEq, serde::Serialize, serde::Deserialize)]
pub struct Image {
    pub width: u32,
    pub height: u32,
    pub channels: usize,
    pub pixels: Pixels,
    pub coding: Coding,
    /// Made once it is looked at from afar.
    #[serde(skip)]
    pub(super) smaller: OnceLock<Vec<Level>>,
}

impl Image {
    pub fn new(width: u32, height: u32, channels: usize, pixels: Pixels, coding: Coding) -> Image {
        Image { width, height, channels, pixels, coding, smaller: OnceLock::new() }
    }

    /// Bytes that its texels take in memory, with those of the smaller copies that were made of it.
    pub fn bytes(&self) -> u64 {
        let wide = match self.pixels {
            Pixels::U8(_) => 1,
            Pixels::U16(_) => 2,
            Pixels::F32(_) => 4,
        };
        let smaller: u64 = self.smaller.get().into_iter().flatten().map(Level::bytes).sum();
        u64::from(self.width) * u64::from(self.height) * self.channels as u64 * wide + smaller
    }

    /// One texel as red, green, blue and alpha in 0..1 as they stand in the file; grey fills all three.
    pub fn texel(&self, x: u32, y: u32) -> [f32; 4] {
        let at = (y as usize * self.width as usize + x as usize) * self.channels;
        let get = |c: usize| self.pixels.get(at + c);
        match self.channels {
            1 => [get(0), get(0), get(0), 1.0],
            2 => [get(0), get(0), get(0), get(1)],
            3 => [get(0), get(1), get(2), 1.0],
            _ => [get(0), get(1), get(2), get(3)],
        }
    }
}

/// sRGB-encoded to linear light, both 0..1 (IEC 61966-2-1).
pub fn srgb_to_linear(value: f32) -> f32 {
    if value <= 0.040_45 { value / 12.92 } else { libm::powf((value + 0.055) / 1.055, 2.4) }
}

/// The same of a byte.
pub fn srgb_byte_to_linear(byte: u8) -> f32 {
    static TABLE: LazyLock<[f32; 256]> =
        LazyLock::new(|| std::array::from_fn(|byte| srgb_to_linear(byte as f32 / 255.0)));
    TABLE[usize::from(byte)]
}

/// Linear light to sRGB-encoded, both 0..1 (IEC 61966-2-1).
pub fn linear_to_srgb(value: f32) -> f32 {
    if value <= 0.003_130_8 { 12.92 * value } else { 1.055 * libm::powf(value, 1.0 / 2.4) - 0.055 }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn srgb_there_and_back() {
        for byte in 0..=255u8 {
            let value = f32::from(byte) / 255.0;
            assert!((linear_to_srgb(srgb_to_linear(value)) - value).abs() < 1e-5);
        }
        assert!((srgb_to_linear(0.5) - 0.214_041).abs() < 1e-5);
    }
}
