//! A picture that is read, not baked: a source texture or an existing normal map, sampled at any UV.

use super::Pixels;
use glam::Vec2;

/// Rows from the top (v = 1) down, 1 to 4 channels interleaved.
#[derive(Clone, Debug, PartialEq)]
pub struct Image {
    pub width: u32,
    pub height: u32,
    pub channels: usize,
    pub pixels: Pixels,
}

impl Image {
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

    /// The picture at a UV (origin bottom-left, repeating), between the four nearest texels. `decode` turns a channel's value
    /// into what may be averaged; it leaves alpha alone.
    pub fn sample(&self, uv: Vec2, decode: impl Fn(f32) -> f32) -> [f32; 4] {
        let (width, height) = (self.width as i64, self.height as i64);
        let (x, y) = (uv.x * width as f32 - 0.5, (1.0 - uv.y) * height as f32 - 0.5);
        let (left, top) = (x.floor(), y.floor());
        let (right_share, bottom_share) = (x - left, y - top);
        let (left, top) = (left as i64, top as i64);
        let mut sum = [0.0; 4];
        for (dx, dy, share) in [
            (0, 0, (1.0 - right_share) * (1.0 - bottom_share)),
            (1, 0, right_share * (1.0 - bottom_share)),
            (0, 1, (1.0 - right_share) * bottom_share),
            (1, 1, right_share * bottom_share),
        ] {
            let texel = self.texel((left + dx).rem_euclid(width) as u32, (top + dy).rem_euclid(height) as u32);
            for (c, (slot, value)) in sum.iter_mut().zip(texel).enumerate() {
                *slot += share * if c < 3 { decode(value) } else { value };
            }
        }
        sum
    }
}

/// sRGB-encoded to linear light, both 0..1 (IEC 61966-2-1).
pub fn srgb_to_linear(value: f32) -> f32 {
    if value <= 0.040_45 { value / 12.92 } else { ((value + 0.055) / 1.055).powf(2.4) }
}

/// Linear light to sRGB-encoded, both 0..1 (IEC 61966-2-1).
pub fn linear_to_srgb(value: f32) -> f32 {
    if value <= 0.003_130_8 { 12.92 * value } else { 1.055 * value.powf(1.0 / 2.4) - 0.055 }
}

#[cfg(test)]
mod tests {
    use super::*;
    use glam::vec2;

    #[test]
    fn samples_lie_between_texels_and_repeat() {
        let image = Image { width: 2, height: 2, channels: 1, pixels: Pixels::U8(vec![0, 255, 51, 102]) };
        let at = |u, v| image.sample(vec2(u, v), |x| x)[0];
        assert_eq!((at(0.25, 0.75), at(0.75, 0.75), at(0.25, 0.25)), (0.0, 1.0, 0.2));
        assert!((at(0.5, 0.75) - 0.5).abs() < 1e-6);
        assert!((at(0.0, 0.75) - 0.5).abs() < 1e-6, "the left border meets the right one");
        assert!((at(1.25, -0.25) - at(0.25, 0.75)).abs() < 1e-6);
    }

    #[test]
    fn srgb_there_and_back() {
        for byte in 0..=255u8 {
            let value = f32::from(byte) / 255.0;
            assert!((linear_to_srgb(srgb_to_linear(value)) - value).abs() < 1e-5);
        }
        assert!((srgb_to_linear(0.5) - 0.214_041).abs() < 1e-5);
    }
}
