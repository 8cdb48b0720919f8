//! Pictures laid over UVs as a source of colour: decoded to linear light, repeated as its sampler says, and averaged over the
//! footprint that is asked for, so that a large picture on a small sheet neither sparkles nor skips.

use super::{Coding, Image, Pixels, linear_to_srgb, srgb_byte_to_linear, srgb_to_linear};
use glam::{Vec2, Vec4};
use rayon::prelude::*;

/// What lies beyond the picture's edges.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, serde::Serialize, serde::Deserialize)]
pub enum Wrap {
    #[default]
    Repeat,
    /// Its outermost texels go on.
    Clamp,
    /// It is repeated, every other time as in a mirror.
    Mirror,
}

/// How a picture is read between its texels and beyond its edges.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, serde::Serialize, serde::Deserialize)]
pub struct Sampler {
    /// Along U and along V.
    pub wrap: [Wrap; 2],
    /// Texels are squares of one colour where they are larger than what is asked for.
    pub nearest: bool,
}

/// A picture made smaller, rows from the top down, linear light and alpha.
#[derive(Clone, Debug, PartialEq)]
pub(super) struct Level {
    width: u32,
    height: u32,
    texels: Vec<Vec4>,
}

impl Level {
    pub fn bytes(&self) -> u64 {
        size_of_val(&*self.texels) as u64
    }
}

impl Image {
    /// Linear light and alpha at a UV (origin bottom-left), averaged over a square of `footprint` texels per side: between
    /// the two sizes of the picture whose texels come nearest to that (Williams, "Pyramidal Parametrics", 1983).
    pub fn light(&self, uv: Vec2, footprint: f32, sampler: Sampler) -> Vec4 {
        if footprint <= 1.0 {
            return self.at_level(0, uv, sampler);
        }
        let level = libm::log2f(footprint).min(self.smaller().len() as f32);
        let (finer, share) = (level as usize, level.fract());
        let found = self.at_level(finer, uv, sampler);
        if share > 0.0 { found.lerp(self.at_level(finer + 1, uv, sampler), share) } else { found }
    }

    /// Copies of it, each half as wide and half as high as the one before: a third of its texels once more, at 16 bytes each.
    fn smaller(&self) -> &[Level] {
        self.smaller.get_or_init(|| {
            let mut levels: Vec<Level> = Vec::new();
            let (mut width, mut height) = (self.width, self.height);
            while width > 1 || height > 1 {
                let next = match levels.last() {
                    None => halved(width, height, |x, y| self.texel_light(x, y)),
                    Some(before) => halved(width, height, |x, y| before.texels[(y * width + x) as usize]),
                };
                (width, height) = (next.width, next.height);
                levels.push(next);
            }
            levels
        })
    }

    /// What a renderer reads from far away: the picture halved so many times, sizes rounded down. Colours are mixed as light, other numbers
    /// as they stand.
    pub fn mip(&self, level: u32, color: bool) -> Image {
        let encoded = color && self.coding == Coding::Srgb;
        let (mut width, mut height) = (self.width, self.height);
        let mut before: Option<Level> = None;
        for _ in 0..level {
            let next = match &before {
                Some(before) => halved(width, height, |x, y| before.texels[(y * width + x) as usize]),
                None if encoded => halved(width, height, |x, y| self.texel_light(x, y)),
                None => halved(width, height, |x, y| Vec4::from_array(self.texel(x, y))),
            };
            (width, height) = (next.width, next.height);
            before = Some(next);
        }
        let Some(made) = before else { return self.clone() };
        let texel = |texel: Vec4| {
            let mut channels = texel.to_array();
            if encoded {
                channels[..3].iter_mut().for_each(|light| *light = linear_to_srgb(*light));
            }
            // Of two, the second is the alpha.
            let alpha = channels[3];
            if self.channels == 2 {
                channels[1] = alpha;
            }
            channels
        };
        let values = made.texels.iter().flat_map(|of| texel(*of).into_iter().take(self.channels)).collect();
        Image::new(width, height, self.channels, Pixels::F32(values), self.coding)
    }

    fn at_level(&self, level: usize, uv: Vec2, sampler: Sampler) -> Vec4 {
        let smaller = (level > 0).then(|| &self.smaller()[level - 1]);
        let (width, height) = smaller.map_or((self.width, self.height), |l| (l.width, l.height));
        let (x, y) = (uv.x * width as f32, (1.0 - uv.y) * height as f32);
        let [wrap_u, wrap_v] = sampler.wrap;
        let get = |x: f32, y: f32| {
            let (x, y) = (wrapped(x as i64, width, wrap_u), wrapped(y as i64, height, wrap_v));
            smaller.map_or_else(|| self.texel_light(x, y), |l| l.texels[(y * width + x) as usize])
        };
        if level == 0 && sampler.nearest {
            return get(x.floor(), y.floor());
        }
        let (x, y) = (x - 0.5, y - 0.5);
        let (left, top) = (x.floor(), y.floor());
        let row = |y: f32| get(left, y).lerp(get(left + 1.0, y), x - left);
        row(top).lerp(row(top + 1.0), y - top)
    }

    /// Linear light and alpha of one texel.
    fn texel_light(&self, x: u32, y: u32) -> Vec4 {
        let [r, g, b, alpha] = self.texel(x, y);
        let light = |value: f32| match (self.coding, &self.pixels) {
            (Coding::Linear, _) => value,
            (Coding::Srgb, Pixels::U8(_)) => srgb_byte_to_linear((value * 255.0).round() as u8),
            (Coding::Srgb, Pixels::U16(_) | Pixels::F32(_)) => srgb_to_linear(value),
        };
        Vec4::new(light(r), light(g), light(b), alpha)
    }
}

/// Half the size, rounded down: each texel is the mean over the area that it takes of the larger one.
fn halved(width: u32, height: u32, texel: impl Fn(u32, u32) -> Vec4 + Sync) -> Level {
    let (to_width, to_height) = ((width / 2).max(1), (height / 2).max(1));
    // The larger one's texels under one of the smaller, each with its share.
    let under = |at: u32, to: u32, from: u32| {
        let (low, high) =
            (f64::from(at) * f64::from(from) / f64::from(to), f64::from(at + 1) * f64::from(from) / f64::from(to));
        let share = move |i: u32| ((f64::from(i + 1).min(high) - f64::from(i).max(low)) / (high - low)) as f32;
        (low as u32..(high.ceil() as u32).min(from)).map(move |i| (i, share(i)))
    };
    let at = |i: u32| {
        let row = |(j, down): (u32, f32)| {
            let across = under(i % to_width, to_width, width);
            across.map(|(i, share)| texel(i, j) * (share * down)).sum::<Vec4>()
        };
        under(i / to_width, to_height, height).map(row).sum()
    };
    let texels = (0..to_width * to_height).into_par_iter().map(at).collect();
    Level { width: to_width, height: to_height, texels }
}

fn wrapped(at: i64, size: u32, wrap: Wrap) -> u32 {
    let size = i64::from(size);
    let at = match wrap {
        Wrap::Repeat => at.rem_euclid(size),
        Wrap::Clamp => at.clamp(0, size - 1),
        Wrap::Mirror => {
            let twice = at.rem_euclid(2 * size);
            twice.min(2 * size - 1 - twice)
        }
    };
    at as u32
}

#[cfg(test)]
mod tests {
    use super::*;
    use glam::vec2;

    fn grey(width: u32, bytes: &[u8]) -> Image {
        Image::new(width, bytes.len() as u32 / width, 1, Pixels::U8(bytes.to_vec()), Coding::Linear)
    }

    #[test]
    fn samples_lie_between_texels_and_go_on_as_the_sampler_says() {
        let at = |wrap, nearest, u: f32| {
            grey(4, &[0, 51, 102, 255]).light(vec2(u, 0.5), 1.0, Sampler { wrap: [wrap; 2], nearest }).x
        };
        let near = |found: f32, wanted: f32| assert!((found - wanted).abs() < 1e-6, "{found}, wanted {wanted}");
        near(at(Wrap::Repeat, false, 0.375), 0.2);
        near(at(Wrap::Repeat, false, 0.5), 0.3);
        near(at(Wrap::Repeat, true, 0.49), 0.2);
        near(at(Wrap::Repeat, false, 0.0), 0.5);
        near(at(Wrap::Repeat, false, 1.375), 0.2);
        near(at(Wrap::Clamp, false, 0.0), 0.0);
        near(at(Wrap::Clamp, false, 1.7), 1.0);
        near(at(Wrap::Mirror, false, 1.125), 1.0);
        near(at(Wrap::Mirror, false, -0.375), 0.2);
    }

    #[test]
    fn a_mip_is_the_mean_of_what_it_stands_for() {
        let bytes: Vec<u8> = (0..16 * 16 * 3).map(|i| (i * 37 % 251) as u8).collect();
        let image = Image::new(16, 16, 3, Pixels::U8(bytes), Coding::Srgb);
        for (color, to, from) in [
            (false, (|v| v) as fn(f32) -> f32, (|v| v) as fn(f32) -> f32),
            (true, srgb_to_linear as fn(f32) -> f32, linear_to_srgb as fn(f32) -> f32),
        ] {
            let small = image.mip(2, color);
            assert_eq!((small.width, small.height, small.channels, small.coding), (4, 4, 3, Coding::Srgb));
            for (x, y, c) in [(0, 0, 0), (3, 1, 2), (2, 3, 1)] {
                let under = (0..16).map(|i| to(image.texel(4 * x + i % 4, 4 * y + i / 4)[c]));
                let mean = from(under.sum::<f32>() / 16.0);
                assert!((small.texel(x, y)[c] - mean).abs() < 1e-5, "{color} {x} {y} {c}");
            }
        }
        assert_eq!(image.mip(0, true), image);
        assert_eq!(grey(3, &[0, 10, 20, 30, 40, 50, 60, 70, 80]).mip(1, false).width, 1);
    }

    #[test]
    fn a_footprint_reads_the_mean_of_what_it_covers_whatever_the_width() {
        for width in [64u32, 63, 48] {
            // Black and white by turns: one texel is either, many are the mean.
            let bytes: Vec<u8> =
                (0..width * width).map(|i| if (i % width + i / width) % 2 == 0 { 255 } else { 0 }).collect();
            let image = grey(width, &bytes);
            for i in 0..50 {
                let uv = vec2(0.37 * i as f32, 0.11 * i as f32);
                let found = image.light(uv, 8.0, Sampler::default()).x;
                assert!((found - 0.5).abs() < 0.03, "{width}: {found}");
            }
            let whole = image.light(vec2(0.3, 0.3), 1e9, Sampler::default()).x;
            let mean = bytes.iter().map(|&b| f32::from(b)).sum::<f32>() / 255.0 / bytes.len() as f32;
            assert!((whole - mean).abs() < 1e-4, "{width}: {whole}, wanted {mean}");
            assert!(image.bytes() > 4 * u64::from(width * width), "the smaller copies are counted");
        }
    }
}
