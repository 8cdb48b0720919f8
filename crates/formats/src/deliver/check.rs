//! Delivered pictures read back and held against the run, by another path than they were written by: the whole file through a decoder
//! that the writer does not use, single texels worked out from whole maps, tags read from the bytes.

use crate::image::read_image;
use ember_ridge_core::deliver::{PlannedChannel, PlannedPicture};
use ember_ridge_core::maps::Reads;
use ember_ridge_core::picture::{Depth, Image, ImageFormat, Pixels, linear_to_srgb, srgb_to_linear};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::collections::HashMap;
use std::io::Cursor;
use std::sync::Arc;

/// Texels of a picture that are held against the run.
pub const TEST_TEXELS: u32 = 16_384;

/// One thing about a file that was looked at.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Check {
    /// Path within the delivery.
    pub file: String,
    pub what: String,
    /// What was read, with its figure.
    pub found: String,
    pub fine: bool,
    /// What to do where it is not fine; empty otherwise.
    pub remedy: String,
}

/// A map of the run as a picture, by its number among the sources and its sheet.
pub type WholeMap<'a> = dyn Fn(usize, usize) -> Result<Arc<Image>, String> + 'a;

const AGAIN: &str = "Deliver it again; if that does not help, bake again";

/// Everything that is looked at in one picture. Where it cannot be read the first check says so, and is the only one.
pub fn check_picture(picture: &PlannedPicture, bytes: &[u8], whole: &WholeMap) -> Vec<Check> {
    let check = |what: &str, fine: bool, found: String, remedy: &str| Check {
        file: picture.file.clone(),
        what: what.to_owned(),
        found,
        fine,
        remedy: if fine { String::new() } else { remedy.to_owned() },
    };
    let image = match read_image(&picture.file, bytes) {
        Ok(image) => image,
        Err(fault) => return vec![check("read", false, fault.to_string(), AGAIN)],
    };
    let size = picture.size;
    let mut checks = vec![check(
        "size",
        (image.width, image.height) == (size, size),
        format!("{} x {} texels", image.width, image.height),
        AGAIN,
    )];
    let depth = depth_of(picture.format, bytes, &image);
    let channels = image.channels;
    checks.push(check(
        "numbers",
        depth == Some(picture.depth) && channels == picture.channels.len(),
        format!("{channels} channel{} of {}", if channels == 1 { "" } else { "s" }, depth.map_or("?", Depth::words)),
        AGAIN,
    ));
    if let Some(marked) = marked_srgb(picture.format, bytes) {
        let words = if marked { "marked sRGB" } else { "no colour space: data" };
        checks.push(check("colour space", marked == picture.color, words.to_owned(), AGAIN));
    }
    if checks.iter().all(|check| check.fine) {
        let lossy = picture.format == ImageFormat::Jpeg;
        checks.push(match texels(picture, &image, whole) {
            Ok(found) => {
                let fine = found.most_steps <= if lossy { 48.0 } else { 1.01 };
                let guess = (!fine).then(|| found.guess()).flatten();
                let told = match (guess, found.most_steps) {
                    (Some(guess), _) => guess.to_owned(),
                    (None, 0.0) => format!("{} test texels, all as the run has them", found.count),
                    (None, most) => {
                        let [x, y] = found.worst;
                        format!("{} test texels, at most {most:.2} {} off, at {x}, {y}", found.count, found.unit)
                    }
                };
                check("texels", fine, told, "Deliver it again, and change nothing in it on the way")
            }
            Err(fault) => check("texels", false, fault, AGAIN),
        });
    }
    checks
}

/// How far test texels are off.
struct Off {
    count: u32,
    /// In steps of the file's whole numbers, or of 65535 in floats.
    most_steps: f32,
    unit: &'static str,
    worst: [u32; 2],
    /// The same if green were turned, red turned, or the sheet stood on its head, or red and blue had changed places.
    if_green: f32,
    if_red: f32,
    if_upside_down: f32,
    if_swapped: f32,
}

impl Off {
    fn guess(&self) -> Option<&'static str> {
        let close = |off: f32| off <= 2.0;
        match () {
            () if close(self.if_green) => Some("green is turned"),
            () if close(self.if_red) => Some("red is turned"),
            () if close(self.if_upside_down) => Some("the sheet stands on its head"),
            () if close(self.if_swapped) => Some("red and blue have changed places"),
            () => None,
        }
    }
}

fn texels(picture: &PlannedPicture, image: &Image, whole: &WholeMap) -> Result<Off, String> {
    let maps = picture.used.iter().map(|map| whole(map.source, picture.sheet)).collect::<Result<Vec<_>, _>>()?;
    let steps = match (picture.floats(), picture.depth) {
        (false, Depth::Eight) => 255.0,
        _ => 65535.0,
    };
    let size = picture.size;
    // Roberts' sequence spreads any number of places evenly ("The Unreasonable Effectiveness of Quasirandom Sequences", 2018).
    let along = |n: u32, share: f64| (((f64::from(n) * share).fract()) * f64::from(size)) as u32;
    let spread = (0..TEST_TEXELS).map(|n| [along(n, 0.754_877_666_246_692_8), along(n, 0.569_840_290_998_053_2)]);
    let corners = [[0, 0], [size - 1, 0], [0, size - 1], [size - 1, size - 1]];
    let mut off = Off {
        count: 0,
        most_steps: 0.0,
        unit: if picture.floats() { "of 65535" } else { "steps" },
        worst: [0, 0],
        if_green: 0.0,
        if_red: 0.0,
        if_upside_down: 0.0,
        if_swapped: 0.0,
    };
    let count = picture.channels.len();
    for [x, y] in corners.into_iter().chain(spread) {
        let at = (y as usize * size as usize + x as usize) * image.channels;
        let found: Vec<f32> = (0..count).map(|c| image.pixels.get(at + c)).collect();
        let wanted = expected(picture, &maps, x, y);
        let apart = |wanted: &[f32]| {
            // What the file cannot hold is not its fault; of light and heights it is the share that counts.
            let held = |value: f32| if picture.floats() { value } else { value.clamp(0.0, 1.0) };
            let share = |value: f32| if picture.floats() { value.abs().max(1.0) } else { 1.0 };
            found.iter().zip(wanted).map(|(a, b)| (a - held(*b)).abs() / share(*b)).fold(0.0, f32::max) * steps
        };
        let turned = |channel: usize| {
            let mut turned = wanted.clone();
            turned[channel] = 1.0 - turned[channel];
            turned
        };
        // Half floats have 11 bits.
        let half = picture.format == ImageFormat::Exr && picture.depth == Depth::Sixteen;
        let most = if half { apart(&wanted) / 32.0 } else { apart(&wanted) };
        if most > off.most_steps {
            (off.most_steps, off.worst) = (most, [x, y]);
        }
        off.count += 1;
        if count >= 3 {
            let mut swapped = wanted.clone();
            swapped.swap(0, 2);
            off.if_green = off.if_green.max(apart(&turned(1)));
            off.if_red = off.if_red.max(apart(&turned(0)));
            off.if_swapped = off.if_swapped.max(apart(&swapped));
        } else {
            (off.if_green, off.if_red, off.if_swapped) = (f32::MAX, f32::MAX, f32::MAX);
        }
        off.if_upside_down = off.if_upside_down.max(apart(&expected(picture, &maps, x, size - 1 - y)));
    }
    Ok(off)
}

/// What a texel of the delivery should hold, from whole maps.
fn expected(picture: &PlannedPicture, maps: &[Arc<Image>], x: u32, y: u32) -> Vec<f32> {
    let shrink = picture.shrink;
    let y = if picture.flip_v { picture.size - 1 - y } else { y };
    let texels = |image: &Image| -> Vec<[f32; 3]> {
        let mut held = Vec::new();
        for row in y * shrink..(y + 1) * shrink {
            for column in x * shrink..(x + 1) * shrink {
                let [r, g, b, _] = image.texel(column, row);
                held.push([r, g, b]);
            }
        }
        held
    };
    let of = |channel: &PlannedChannel| {
        let (used, channel, invert) = match *channel {
            PlannedChannel::Value(value) => return value,
            PlannedChannel::Map { used, channel, invert } => (used, channel, invert),
        };
        let (map, held) = (&picture.used[used], texels(&maps[used]));
        let count = held.len() as f32;
        let mean = held.iter().map(|t| t[channel]).sum::<f32>() / count;
        let value = match map.reads {
            Reads::Direction { .. } => {
                let sum = |c: usize| held.iter().map(|t| 2.0 * t[c] - 1.0).sum::<f32>();
                let length = (sum(0).powi(2) + sum(1).powi(2) + sum(2).powi(2)).sqrt();
                let value = if held.len() == 1 || length == 0.0 { mean } else { 0.5 + 0.5 * sum(channel) / length };
                if map.turn_green && channel == 1 { 1.0 - value } else { value }
            }
            Reads::Height => {
                let scale = map.scale.unwrap_or(1.0);
                match (map.floats, picture.floats()) {
                    (true, false) => mean / scale + 0.5,
                    (false, true) => scale * (mean - 0.5),
                    _ => mean,
                }
            }
            Reads::Color if map.flat => most_common(&held)[channel],
            Reads::Color => {
                let light = |value: f32| if map.floats { value } else { srgb_to_linear(value) };
                let light = held.iter().map(|t| light(t[channel])).sum::<f32>() / count;
                if picture.floats() { light } else { linear_to_srgb(light.max(0.0)) }
            }
            Reads::Number { .. } => mean,
        };
        match (invert, map.reads == Reads::Height && picture.floats()) {
            (false, _) => value,
            (true, true) => -value,
            (true, false) => 1.0 - value,
        }
    };
    picture.channels.iter().map(of).collect()
}

fn most_common(held: &[[f32; 3]]) -> [f32; 3] {
    let mut times: HashMap<[u32; 3], (usize, usize)> = HashMap::new();
    for (at, color) in held.iter().enumerate() {
        times.entry(color.map(f32::to_bits)).or_insert((0, at)).0 += 1;
    }
    let most = times.values().max_by_key(|(count, at)| (*count, std::cmp::Reverse(*at)));
    most.map_or([0.0; 3], |(_, at)| held[*at])
}

/// The depth of a file; none where it is not one that is written.
fn depth_of(format: ImageFormat, bytes: &[u8], image: &Image) -> Option<Depth> {
    if format == ImageFormat::Exr {
        let meta = exr::meta::MetaData::read_from_buffered(Cursor::new(bytes), false).ok()?;
        return match meta.headers.first()?.channels.list.first()?.sample_type {
            exr::meta::attribute::SampleType::F16 => Some(Depth::Sixteen),
            exr::meta::attribute::SampleType::F32 => Some(Depth::Float),
            exr::meta::attribute::SampleType::U32 => None,
        };
    }
    Some(match &image.pixels {
        Pixels::U8(_) => Depth::Eight,
        Pixels::U16(_) => Depth::Sixteen,
        Pixels::F32(_) => Depth::Float,
    })
}

/// Whether a PNG says that it is sRGB; none where the format has no such mark.
fn marked_srgb(format: ImageFormat, bytes: &[u8]) -> Option<bool> {
    if format != ImageFormat::Png {
        return None;
    }
    // Behind eight bytes of signature: length, kind, data, checksum (PNG specification, 5.3).
    let mut at = 8;
    while let Some(head) = bytes.get(at..at + 8) {
        match &head[4..] {
            b"sRGB" | b"iCCP" | b"cICP" => return Some(true),
            b"IDAT" => break,
            _ => {}
        }
        at += 12 + u32::from_be_bytes([head[0], head[1], head[2], head[3]]) as usize;
    }
    Some(false)
}
