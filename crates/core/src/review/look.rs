//! Maps as they are looked at: how their values are spread over a sheet, and pictures of a part of their range.

use super::compare::{MapFile, told};
use crate::maps::Reads;
use crate::picture::{Coding, Pixels, linear_to_srgb, srgb_to_linear};
use schemars::JsonSchema;
use serde::Serialize;

/// Steps that a distribution counts in.
pub const BINS: usize = 128;

/// How a picture of a map is made.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Looked {
    /// What stands for black and for white, in the map's unit; as the file has it where there is none. Not for directions and colours.
    pub range: Option<[f32; 2]>,
    /// Colours brighter by so many doublings of their light.
    pub stops: f32,
}

/// Values of a channel over the covered texels of a sheet.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
pub struct Spread {
    pub mean: f32,
    pub least: f32,
    pub most: f32,
    /// Texels of each step of the distribution's range, from its low end.
    pub bins: Vec<u32>,
}

/// How the values of a sheet are spread, in the map's unit: of directions the x, y and z of the unit vector, of colours steps of 255.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
pub struct Distribution {
    pub unit: &'static str,
    /// What the file can hold, or what it does hold where it is of floats.
    pub low: f32,
    pub high: f32,
    /// Covered texels that were counted.
    pub texels: u64,
    /// One for each channel, three at most.
    pub channels: Vec<Spread>,
}

/// What black and white of a map stand for: of whole numbers what the file can hold, of floats what it does hold where `covered`.
fn ends(file: MapFile, covered: &dyn Fn(usize) -> bool) -> [f32; 2] {
    match file.reads {
        Reads::Direction { .. } => [-1.0, 1.0],
        Reads::Color => [0.0, 255.0],
        _ if !matches!(file.image.pixels, Pixels::F32(_)) => {
            let of = |value: f32| file.reads.told([value; 3], file.scale, false)[0];
            [of(0.0), of(1.0)]
        }
        _ => {
            let channels = file.image.channels.min(3);
            let (mut low, mut high) = (f32::INFINITY, f32::NEG_INFINITY);
            for told in texels(file, covered) {
                for value in &told[..channels] {
                    (low, high) = (low.min(*value), high.max(*value));
                }
            }
            // One value alone, and none, have a range too.
            if low < high { [low, high] } else { [low.min(0.0), high.max(0.0) + 1.0] }
        }
    }
}

/// What the covered texels say in the map's unit.
fn texels<'a>(file: MapFile<'a>, covered: &'a dyn Fn(usize) -> bool) -> impl Iterator<Item = [f32; 3]> + 'a {
    let wide = file.image.width as usize;
    let all = 0..wide * file.image.height as usize;
    all.filter(|at| covered(*at)).map(move |at| told(file, (at % wide) as u32, (at / wide) as u32))
}

/// Counts the values of a sheet over the texels that count, which `covered` tells row by row from the top.
pub fn distribution(file: MapFile, covered: &dyn Fn(usize) -> bool) -> Distribution {
    let [low, high] = ends(file, covered);
    let channels = file.image.channels.min(3);
    let fresh = Spread { mean: 0.0, least: f32::INFINITY, most: f32::NEG_INFINITY, bins: vec![0; BINS] };
    let mut spreads = vec![fresh; channels];
    let mut sums = vec![0.0_f64; channels];
    let mut count = 0_u64;
    for told in texels(file, covered) {
        count += 1;
        for ((spread, sum), value) in spreads.iter_mut().zip(&mut sums).zip(told) {
            *sum += f64::from(value);
            (spread.least, spread.most) = (spread.least.min(value), spread.most.max(value));
            let share = (value - low) / (high - low);
            // A cast of what lies beyond ends at the nearest.
            spread.bins[((share * BINS as f32) as usize).min(BINS - 1)] += 1;
        }
    }
    for (spread, sum) in spreads.iter_mut().zip(sums) {
        if count == 0 {
            (spread.least, spread.most) = (0.0, 0.0);
        } else {
            spread.mean = (sum / count as f64) as f32;
        }
    }
    let unit = if matches!(file.reads, Reads::Direction { .. }) { "" } else { file.reads.unit().words() };
    Distribution { unit, low, high, texels: count, channels: spreads }
}

/// A picture of a map: how many channels, and rows of eight bits from the top.
pub fn looked(file: MapFile, look: Looked) -> (usize, Vec<u8>) {
    let channels = if file.image.channels < 3 { 1 } else { 3 };
    let (wide, high) = (file.image.width, file.image.height);
    let mut rows = Vec::with_capacity(wide as usize * high as usize * channels);
    let gain = libm::exp2f(look.stops);
    let light = file.image.coding == Coding::Linear;
    for (x, y) in (0..high).flat_map(|y| (0..wide).map(move |x| (x, y))) {
        let [r, g, b, _] = file.image.texel(x, y);
        let stored = [r, g, b];
        let seen = match (file.reads, look.range) {
            (Reads::Color, _) if look.stops != 0.0 || light => stored.map(|value| {
                let value = if light { value.max(0.0) } else { srgb_to_linear(value) };
                linear_to_srgb((value * gain).min(1.0))
            }),
            (Reads::Height | Reads::Number { .. }, Some([from, to])) => {
                file.reads.told(stored, file.scale, light).map(|value| (value - from) / (to - from))
            }
            _ => stored,
        };
        rows.extend(seen[..channels].iter().map(|value| (value.clamp(0.0, 1.0) * 255.0).round() as u8));
    }
    (channels, rows)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::maps::{Green, Unit};
    use crate::picture::Image;

    const HEIGHT: Reads = Reads::Height;

    fn grey(values: &[u16]) -> Image {
        Image::new(values.len() as u32, 1, 1, Pixels::U16(values.to_vec()), Coding::Srgb)
    }

    fn file(image: &Image, reads: Reads, scale: Option<f32>) -> MapFile<'_> {
        MapFile { image, reads, scale }
    }

    #[test]
    fn heights_are_counted_in_scene_units() {
        // Black is -0.2 and white 0.2; the last texel is not covered.
        let image = grey(&[0, 16384, 32768, 65535, 65535]);
        let told = distribution(file(&image, HEIGHT, Some(0.4)), &|at| at < 4);
        assert_eq!((told.low, told.high, told.texels, told.unit), (-0.2, 0.2, 4, "units"));
        let one = &told.channels[0];
        assert!((one.mean - (-0.2 - 0.1 + 0.0 + 0.2) / 4.0).abs() < 1e-5, "{}", one.mean);
        assert_eq!((one.least, one.most), (-0.2, 0.2));
        let filled: Vec<usize> = (0..BINS).filter(|bin| one.bins[*bin] == 1).collect();
        assert_eq!(filled, [0, 32, 64, 127]);
        assert_eq!(one.bins.iter().sum::<u32>(), 4);
    }

    #[test]
    fn floats_end_where_their_values_do() {
        let image = Image::new(3, 1, 1, Pixels::F32(vec![-3.0, 1.0, 5.0]), Coding::Linear);
        let bend = Reads::Number { unit: Unit::PerUnit, zero: 0.0, span: 2.0 };
        let told = distribution(file(&image, bend, None), &|_| true);
        assert_eq!((told.low, told.high, told.channels[0].mean), (-6.0, 10.0, 2.0));
        // One value alone, and none, still have a range.
        let flat = Image::new(1, 1, 1, Pixels::F32(vec![2.0]), Coding::Linear);
        let told = distribution(file(&flat, bend, None), &|_| true);
        assert!(told.low < told.high && told.channels[0].bins.iter().sum::<u32>() == 1, "{told:?}");
        let none = distribution(file(&flat, bend, None), &|_| false);
        assert!(none.low < none.high && none.low.is_finite() && none.channels[0].mean == 0.0, "{none:?}");
    }

    #[test]
    fn directions_are_counted_as_unit_vectors() {
        let image = Image::new(1, 1, 3, Pixels::U8(vec![255, 128, 128]), Coding::Srgb);
        let told = distribution(file(&image, Reads::Direction { y: Green::Up }, None), &|_| true);
        assert_eq!((told.low, told.high), (-1.0, 1.0));
        assert!(told.channels[0].mean > 0.99 && told.channels[2].mean.abs() < 0.01, "{told:?}");
    }

    #[test]
    fn a_range_is_shown_from_black_to_white_without_steps_of_its_own() {
        // A hundredth of what the file can hold: sixteen bits have 655 steps there, so that each of 256 is seen.
        let image = grey(&(0..656).map(|i| 32768 + i).collect::<Vec<u16>>());
        let look = Looked { range: Some([0.0, 0.004]), stops: 0.0 };
        let (channels, rows) = looked(file(&image, HEIGHT, Some(0.4)), look);
        assert_eq!(channels, 1);
        let shades: std::collections::BTreeSet<u8> = rows.iter().copied().collect();
        assert_eq!(shades.len(), 256);
        // Turned round, black and white are swapped; without a range it is as the file has it.
        let turned = looked(file(&image, HEIGHT, Some(0.4)), Looked { range: Some([0.004, 0.0]), stops: 0.0 }).1;
        assert!(rows.iter().zip(&turned).all(|(a, b)| i32::from(*a) + i32::from(*b) - 255 <= 1));
        assert_eq!(looked(file(&image, HEIGHT, Some(0.4)), Looked::default()).1[0], 128);
    }

    #[test]
    fn colours_are_brighter_by_doublings_of_light() {
        let image = Image::new(1, 1, 3, Pixels::U8(vec![100, 55, 250]), Coding::Srgb);
        let rows = looked(file(&image, Reads::Color, None), Looked { range: None, stops: 1.0 }).1;
        let twice = |byte: u8| {
            let light = 2.0 * srgb_to_linear(f32::from(byte) / 255.0);
            (linear_to_srgb(light.min(1.0)) * 255.0).round() as u8
        };
        assert_eq!(rows, [twice(100), twice(55), 255]);
        assert_eq!(looked(file(&image, Reads::Color, None), Looked::default()).1, [100, 55, 250]);
    }
}
