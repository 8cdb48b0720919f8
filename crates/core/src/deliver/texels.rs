//! Texels of a delivered picture from those of the maps it is made of, a row at a time.

use super::plan::{PlannedChannel, PlannedPicture, UsedMap};
use crate::maps::Reads;
use crate::picture::{linear_to_srgb, srgb_to_linear};
use glam::Vec3;

/// Rows of the file of one map, as its numbers stand there (0..1 of whole numbers), channels interleaved: as many rows as become one.
pub type SourceRows<'a> = &'a [f32];

/// Works out rows of a planned picture.
pub struct Mixer<'p> {
    picture: &'p PlannedPicture,
}

impl<'p> Mixer<'p> {
    pub fn new(picture: &'p PlannedPicture) -> Mixer<'p> {
        Mixer { picture }
    }

    /// One row of the picture from the rows of each map it uses, in their order; added to `out` as the file is to hold it: sRGB-encoded
    /// colour in whole numbers, light in floats.
    pub fn row(&self, sources: &[SourceRows], out: &mut Vec<f32>) {
        let mut told = vec![[0.0f32; 3]; self.picture.used.len()];
        for x in 0..self.picture.size as usize {
            for ((told, map), rows) in told.iter_mut().zip(&self.picture.used).zip(sources) {
                *told = self.block(map, rows, x);
            }
            out.extend(self.picture.channels.iter().map(|channel| match *channel {
                PlannedChannel::Value(value) => value,
                PlannedChannel::Map { used, channel, invert } => {
                    let value = told[used][channel];
                    match (invert, self.picture.used[used].reads == Reads::Height && self.picture.floats()) {
                        (false, _) => value,
                        (true, true) => -value,
                        (true, false) => 1.0 - value,
                    }
                }
            }));
        }
    }

    /// What a block of texels of a map comes to as one.
    fn block(&self, map: &UsedMap, rows: SourceRows, x: usize) -> [f32; 3] {
        let shrink = self.picture.shrink as usize;
        let wide = self.picture.size as usize * shrink;
        let texel = |n: usize| {
            let at = ((n / shrink) * wide + x * shrink + n % shrink) * map.channels;
            let channel = |c: usize| rows[at + c.min(map.channels - 1)];
            [channel(0), channel(1), channel(2)]
        };
        let texels = || (0..shrink * shrink).map(texel);
        let mean = |of: &dyn Fn(f32) -> f32| {
            let sum = texels().fold([0.0f64; 3], |sum, t| std::array::from_fn(|c| sum[c] + f64::from(of(t[c]))));
            sum.map(|sum| (sum / (shrink * shrink) as f64) as f32)
        };
        match map.reads {
            Reads::Direction { .. } => {
                let [r, g, b] = if shrink == 1 { texel(0) } else { mean_direction(texels()) };
                [r, if map.turn_green { 1.0 - g } else { g }, b]
            }
            Reads::Height => {
                let scale = map.scale.unwrap_or(1.0);
                mean(&|value| value).map(|value| match (map.floats, self.picture.floats()) {
                    (true, false) => 0.5 + value / scale,
                    (false, true) => (value - 0.5) * scale,
                    _ => value,
                })
            }
            Reads::Color => {
                let [r, g, b] = if map.flat {
                    most_frequent(texels())
                } else if shrink == 1 {
                    texel(0)
                } else if map.floats {
                    mean(&|value| value)
                } else {
                    mean(&srgb_to_linear).map(linear_to_srgb)
                };
                [r, g, b].map(|value| match (map.floats, self.picture.floats()) {
                    (true, false) => linear_to_srgb(value.max(0.0)),
                    (false, true) => srgb_to_linear(value),
                    _ => value,
                })
            }
            Reads::Number { .. } => mean(&|value| value),
        }
    }
}

/// Of encoded directions the mean one, of unit length, encoded again; the plain mean where they cancel out.
fn mean_direction(texels: impl Iterator<Item = [f32; 3]>) -> [f32; 3] {
    let (sum, count) = texels.fold((Vec3::ZERO, 0), |(sum, count), t| (sum + Vec3::from(t) * 2.0 - 1.0, count + 1));
    let mean = sum.try_normalize().unwrap_or(sum / count.max(1) as f32);
    (mean * 0.5 + 0.5).to_array()
}

/// The colour that stands in most of the texels; the first of several.
fn most_frequent(texels: impl Iterator<Item = [f32; 3]>) -> [f32; 3] {
    let mut counted: Vec<([f32; 3], usize)> = Vec::new();
    for texel in texels {
        match counted.iter_mut().find(|(color, _)| *color == texel) {
            Some((_, count)) => *count += 1,
            None => counted.push((texel, 1)),
        }
    }
    let most = counted.iter().map(|(_, count)| *count).max().unwrap_or(0);
    counted.into_iter().find(|(_, count)| *count == most).map_or([0.0; 3], |(color, _)| color)
}
