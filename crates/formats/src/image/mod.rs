//! Images out and in. A map is written as its rows come, a strip at a time; nothing here holds a whole map. Which formats
//! there are is one table; each has its own file. Data maps carry no gamma and no colour profile; colour says it is
//! sRGB, and is linear light in files of floats.

mod exr;
mod jpeg;
mod png;
mod pyramid;
mod read;
mod tga;
mod tiff;

pub use self::png::{read_png, write_picture, write_png};
pub use pyramid::{Pyramid, PyramidWriter, SQUARE, level_sizes};
pub(crate) use read::read_image_within;
pub use read::{MOST_TEXELS, PICTURE_ENDINGS, read_image};

use ember_ridge_core::bake::{Layer, Outcome};
use ember_ridge_core::picture::{Depth, ImageFormat, quantise, srgb_to_linear};
use std::io::{self, Seek, Write};

/// What a file is to be.
#[derive(Clone, Debug)]
pub struct ImageSpec {
    /// Texels per side.
    pub size: u32,
    /// 1, 3, or 4 with alpha.
    pub channels: usize,
    pub format: ImageFormat,
    pub depth: Depth,
    /// Colours meant to be seen: marked as sRGB where the format can say so.
    pub color: bool,
    /// At 8 bit, spread rounding over neighbouring texels.
    pub dither: bool,
    /// Words to go with the picture, such as the scale of heights: name and text.
    pub notes: Vec<(String, String)>,
}

/// Why a file could not be written.
#[derive(Debug, thiserror::Error)]
#[error("{0}")]
pub struct WriteFault(io::Error);

impl From<io::Error> for WriteFault {
    fn from(error: io::Error) -> Self {
        WriteFault(error)
    }
}

impl From<String> for WriteFault {
    fn from(text: String) -> Self {
        WriteFault(io::Error::other(text))
    }
}

impl From<WriteFault> for io::Error {
    fn from(fault: WriteFault) -> Self {
        fault.0
    }
}

/// Takes rows as they come, whole ones, any number at a time; values in 0..1 unless the file holds floats.
pub type RowSink<'a> = dyn FnMut(&[f32]) -> Result<(), WriteFault> + 'a;

/// Gives all rows of an image from the top to a sink.
pub type RowSource<'a> = dyn FnMut(&mut RowSink) -> Result<(), WriteFault> + Send + 'a;

/// A place to write to that can be written out of order.
pub trait Place: Write + Seek {}

impl<T: Write + Seek> Place for T {}

type Writer = fn(&mut dyn Place, &ImageSpec, &mut RowSource) -> Result<(), WriteFault>;

fn writer(format: ImageFormat) -> Writer {
    match format {
        ImageFormat::Png => png::write,
        ImageFormat::Tiff => tiff::write,
        ImageFormat::Exr => exr::write,
        ImageFormat::Tga => tga::write,
        ImageFormat::Jpeg => jpeg::write,
    }
}

/// Writes an image from its rows. Colours come sRGB-encoded; files of floats hold light itself, as readers of them expect.
///
/// # Errors
/// What the place or the source answers, or a depth the format cannot hold.
pub fn write_image(place: &mut dyn Place, spec: &ImageSpec, rows: &mut RowSource) -> Result<(), WriteFault> {
    if spec.color && holds_light(spec.format, spec.depth) {
        let mut light = |sink: &mut RowSink| {
            rows(&mut |values| sink(&values.iter().map(|&v| srgb_to_linear(v)).collect::<Vec<_>>()))
        };
        return write_rows(place, spec, &mut light);
    }
    write_rows(place, spec, rows)
}

/// Writes an image from rows that are as the file is to hold them: colours in files of floats are light already.
///
/// # Errors
/// As [`write_image`].
pub fn write_rows(place: &mut dyn Place, spec: &ImageSpec, rows: &mut RowSource) -> Result<(), WriteFault> {
    if !spec.format.depths().contains(&spec.depth) {
        return Err(format!("{} cannot hold {}", spec.format.label(), spec.depth.words()).into());
    }
    writer(spec.format)(place, spec, rows)
}

/// Writes one map of one sheet of a finished bake.
///
/// # Errors
/// Why the map was not made, or what the place answers.
pub fn write_map(place: &mut dyn Place, outcome: &Outcome, sheet: usize, map: usize) -> Result<(), WriteFault> {
    write_layer(place, outcome, (sheet, map), Layer::Mended)
}

/// The same of a layer of a map, by its sheet and its number.
///
/// # Errors
/// As [`write_map`].
pub fn write_layer(
    place: &mut dyn Place,
    outcome: &Outcome,
    (sheet, map): (usize, usize),
    layer: Layer,
) -> Result<(), WriteFault> {
    let spec = map_spec(outcome, map)?;
    write_image(place, &spec, &mut |sink| outcome.stream_layer(layer, sheet, map, &mut |rows| sink(rows)))
}

/// Writes one map of one sheet of a finished bake, and beside it the squares that it is looked at by; their place is given back.
///
/// # Errors
/// As [`write_map`].
pub fn write_map_and_squares<W: Write + Send>(
    place: &mut dyn Place,
    squares: W,
    outcome: &Outcome,
    sheet: usize,
    map: usize,
) -> Result<W, WriteFault> {
    let spec = map_spec(outcome, map)?;
    let mut squares = PyramidWriter::new(squares, &spec)?;
    write_image(place, &spec, &mut |sink| {
        outcome.stream(sheet, map, &mut |rows| {
            squares.push(rows)?;
            sink(rows)
        })
    })?;
    squares.finish()
}

/// What the file of a map is to be.
fn map_spec(outcome: &Outcome, map: usize) -> Result<ImageSpec, WriteFault> {
    let baked = &outcome.maps[map];
    if let Some(error) = &baked.error {
        return Err(error.clone().into());
    }
    let color = baked.facts.kind().color || baked.facts.kind().flat;
    let mut notes = vec![("Software".to_owned(), "Ember Ridge".to_owned())];
    if let Some(report) = outcome.report.maps.get(baked.facts.key()) {
        let light =
            if color && holds_light(baked.facts.format, baked.facts.depth) { "; written as linear light" } else { "" };
        notes.push(("Encoding".to_owned(), format!("{}{light}", report.encoding)));
        if let Some(extreme) = report.extreme {
            let (scale, zero) = (baked.scale.unwrap_or(1.0), if baked.scale.is_some() { 0.5 } else { 0.0 });
            notes.push(("Displacement".to_owned(), format!("scale={scale} zero={zero} furthest={extreme}")));
        }
    }
    Ok(ImageSpec {
        size: outcome.size,
        channels: baked.facts.shape.channels,
        format: baked.facts.format,
        depth: baked.facts.depth,
        color,
        dither: outcome.report.recipe.sheet.dither && !baked.facts.kind().flat,
        notes,
    })
}

/// Whether a file's numbers are floats, whatever their depth is called.
fn holds_light(format: ImageFormat, depth: Depth) -> bool {
    format == ImageFormat::Exr || depth == Depth::Float
}

/// Turns values into whole numbers of a depth, keeping count of where they lie for dithering.
struct Quantiser {
    size: usize,
    channels: usize,
    dither: bool,
    next: usize,
}

impl Quantiser {
    fn new(spec: &ImageSpec) -> Quantiser {
        Quantiser { size: spec.size as usize, channels: spec.channels, dither: spec.dither, next: 0 }
    }

    fn bytes(&mut self, values: &[f32]) -> Vec<u8> {
        if !self.dither {
            return values.iter().map(|&v| quantise(v, 255.0) as u8).collect();
        }
        let texel = |at: usize| at / self.channels;
        let first = self.next;
        self.next += values.len();
        let dithered = values.iter().enumerate().map(|(i, &v)| {
            let t = texel(first + i);
            // A low-discrepancy pattern (Roberts, "The Unreasonable Effectiveness of Quasirandom Sequences", 2018).
            let (x, y) = ((t % self.size) as f64, (t / self.size) as f64);
            let shift = (x * 0.754_877_666_246_692_8 + y * 0.569_840_290_998_053_2).fract() - 0.5;
            quantise(v + shift as f32 / 255.0, 255.0) as u8
        });
        dithered.collect()
    }
}

fn words(values: &[f32]) -> Vec<u16> {
    values.iter().map(|&v| quantise(v, 65535.0) as u16).collect()
}
