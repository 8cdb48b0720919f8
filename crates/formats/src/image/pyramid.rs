//! A map in squares, at its full size and at every half of it: what a page shows of a sheet that is too large to be unpacked whole. Made
//! while the map's file is written, from the same rows: at full size a square holds exactly the numbers of the file.
//!
//! The file: a head of 16 bytes (mark, size, channels, kind of numbers, whether they are light), the squares, each deflated by itself
//! with a checksum (zlib, RFC 1950), and at the end the place and the length of each: levels from the full size down, rows from the
//! top. Numbers are little-endian.

use super::{ImageSpec, Quantiser, WriteFault, holds_light, words};
use ember_ridge_core::picture::{Coding, Depth, Image, ImageFormat, Pixels, linear_to_srgb, quantise, srgb_to_linear};
use exr::prelude::f16;
use flate2::Compression;
use flate2::bufread::ZlibDecoder;
use flate2::write::ZlibEncoder;
use rayon::prelude::*;
use std::io::{self, Read, Seek, SeekFrom, Write};

/// Texels along the side of a square; those at the right and the lower edge may be smaller.
pub const SQUARE: u32 = 256;
const MARK: [u8; 8] = *b"ERsquar1";
const HEAD: usize = 16;
/// A place and a length.
const ENTRY: usize = 12;

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Numbers {
    U8,
    U16,
    F32,
}

/// Sides of the levels of a sheet: the full size, then halves, rounded up, down to the first that is a single square.
pub fn level_sizes(size: u32) -> Vec<u32> {
    let halves = std::iter::successors(Some(size), |&side| (side > SQUARE).then(|| side.div_ceil(2)));
    halves.collect()
}

/// Makes the squares of a map as its rows come from the top.
pub struct PyramidWriter<W> {
    out: W,
    at: u64,
    numbers: Numbers,
    /// Numbers are sRGB-encoded colours, which are mixed as light.
    mixes_light: bool,
    /// Colours come sRGB-encoded and are kept as light.
    to_light: bool,
    half: bool,
    channels: usize,
    quantiser: Quantiser,
    levels: Vec<Level>,
}

struct Level {
    size: usize,
    /// Rows that came so far, and those of the row of squares that is not full yet.
    came: usize,
    band: Vec<f32>,
    /// The upper of two rows that one of the next level stands for.
    upper: Vec<f32>,
    places: Vec<(u64, u32)>,
}

impl<W: Write> PyramidWriter<W> {
    /// Begins the squares of a map whose file is of this kind.
    ///
    /// # Errors
    /// What the place answers.
    pub fn new(mut out: W, spec: &ImageSpec) -> Result<PyramidWriter<W>, WriteFault> {
        let light = holds_light(spec.format, spec.depth);
        let numbers = match spec.depth {
            _ if light => Numbers::F32,
            Depth::Eight => Numbers::U8,
            Depth::Sixteen | Depth::Float => Numbers::U16,
        };
        let mut head = [0; HEAD];
        head[..8].copy_from_slice(&MARK);
        head[8..12].copy_from_slice(&spec.size.to_le_bytes());
        head[12..15].copy_from_slice(&[spec.channels as u8, numbers as u8, u8::from(light)]);
        out.write_all(&head)?;
        let level =
            |size: u32| Level { size: size as usize, came: 0, band: Vec::new(), upper: Vec::new(), places: Vec::new() };
        Ok(PyramidWriter {
            out,
            at: HEAD as u64,
            numbers,
            mixes_light: spec.color && !light,
            to_light: spec.color && light,
            half: spec.format == ImageFormat::Exr && spec.depth != Depth::Float,
            channels: spec.channels,
            quantiser: Quantiser::new(spec),
            levels: level_sizes(spec.size).into_iter().map(level).collect(),
        })
    }

    /// Takes whole rows, as a file is given them.
    ///
    /// # Errors
    /// What the place answers.
    pub fn push(&mut self, values: &[f32]) -> Result<(), WriteFault> {
        let as_kept: Vec<f32> = match self.numbers {
            Numbers::U8 => self.quantiser.bytes(values).into_iter().map(|byte| f32::from(byte) / 255.0).collect(),
            Numbers::U16 => words(values).into_iter().map(|word| f32::from(word) / 65535.0).collect(),
            Numbers::F32 => values.iter().map(|&value| self.float(value)).collect(),
        };
        let row = self.levels[0].size * self.channels;
        as_kept.chunks_exact(row).try_for_each(|row| self.row(0, row))
    }

    fn float(&self, value: f32) -> f32 {
        let value = if self.to_light { srgb_to_linear(value) } else { value };
        if self.half { f16::from_f32(value).to_f32() } else { value }
    }

    /// A row of a level; every second one makes a row of the next.
    fn row(&mut self, at: usize, row: &[f32]) -> Result<(), WriteFault> {
        let more = at + 1 < self.levels.len();
        let level = &mut self.levels[at];
        level.band.extend_from_slice(row);
        level.came += 1;
        let last = level.came == level.size;
        if last || level.came.is_multiple_of(SQUARE as usize) {
            self.squares(at)?;
        }
        if !more {
            return Ok(());
        }
        let level = &mut self.levels[at];
        if level.came % 2 == 1 && !last {
            level.upper = row.to_vec();
            return Ok(());
        }
        let upper = std::mem::take(&mut level.upper);
        let rows = if upper.is_empty() { vec![row] } else { vec![upper.as_slice(), row] };
        let half = halved(&rows, self.channels, self.mixes_light);
        self.row(at + 1, &half)
    }

    /// Writes a row of squares.
    fn squares(&mut self, at: usize) -> Result<(), WriteFault> {
        let (channels, numbers) = (self.channels, self.numbers);
        let level = &mut self.levels[at];
        let band = std::mem::take(&mut level.band);
        let (side, row) = (SQUARE as usize, level.size * channels);
        let pack = |column: usize| -> io::Result<Vec<u8>> {
            let across = column * side * channels..((column + 1) * side * channels).min(row);
            let mut bytes = Vec::with_capacity(across.len() * side * 2);
            for row in band.chunks_exact(row) {
                for &value in &row[across.clone()] {
                    match numbers {
                        Numbers::U8 => bytes.push(quantise(value, 255.0) as u8),
                        Numbers::U16 => bytes.extend((quantise(value, 65535.0) as u16).to_le_bytes()),
                        Numbers::F32 => bytes.extend(value.to_le_bytes()),
                    }
                }
            }
            let mut packed = ZlibEncoder::new(Vec::new(), Compression::fast());
            packed.write_all(&bytes)?;
            packed.finish()
        };
        let packed: Vec<_> = (0..level.size.div_ceil(side)).into_par_iter().map(pack).collect();
        for square in packed {
            let square = square?;
            self.out.write_all(&square)?;
            level.places.push((self.at, square.len() as u32));
            self.at += square.len() as u64;
        }
        Ok(())
    }

    /// Ends the file once all rows came.
    ///
    /// # Errors
    /// What the place answers, or that rows are missing.
    pub fn finish(mut self) -> Result<W, WriteFault> {
        if self.levels.iter().any(|level| level.came != level.size) {
            return Err("not all rows of the map were given".to_owned().into());
        }
        let places = self.levels.iter().flat_map(|level| &level.places);
        let index: Vec<u8> =
            places.flat_map(|(at, bytes)| [&at.to_le_bytes()[..], &bytes.to_le_bytes()].concat()).collect();
        self.out.write_all(&index)?;
        Ok(self.out)
    }
}

/// One row that stands for one or two, texels across taken two by two; a last one without a neighbour stands alone.
fn halved(rows: &[&[f32]], channels: usize, light: bool) -> Vec<f32> {
    let texels = rows[0].len() / channels;
    let mut half = Vec::with_capacity(texels.div_ceil(2) * channels);
    for x in (0..texels).step_by(2) {
        let across = if x + 1 < texels { 2 } else { 1 };
        for c in 0..channels {
            let all = rows.iter().flat_map(|row| (0..across).map(move |i| row[(x + i) * channels + c]));
            let share = 1.0 / (across * rows.len()) as f32;
            // An alpha is no light.
            half.push(match light && c < 3 {
                true => linear_to_srgb(all.map(srgb_to_linear).sum::<f32>() * share),
                false => all.sum::<f32>() * share,
            });
        }
    }
    half
}

/// The squares of a map, read one at a time.
pub struct Pyramid<R> {
    from: R,
    numbers: Numbers,
    channels: usize,
    coding: Coding,
    sizes: Vec<u32>,
    /// Where the index begins.
    index: u64,
}

fn damaged(why: &str) -> io::Error {
    io::Error::new(io::ErrorKind::InvalidData, why)
}

impl<R: Read + Seek> Pyramid<R> {
    /// # Errors
    /// What the file answers, or that it is none of squares.
    pub fn open(mut from: R) -> io::Result<Pyramid<R>> {
        let length = from.seek(SeekFrom::End(0))?;
        from.seek(SeekFrom::Start(0))?;
        let mut head = [0; HEAD];
        from.read_exact(&mut head)?;
        let numbers = match head[13] {
            0 => Numbers::U8,
            1 => Numbers::U16,
            2 => Numbers::F32,
            _ => return Err(damaged("it holds numbers of an unknown kind")),
        };
        let size = u32::from_le_bytes([head[8], head[9], head[10], head[11]]);
        let channels = usize::from(head[12]);
        if head[..8] != MARK || size == 0 || !(1..=4).contains(&channels) {
            return Err(damaged("it holds no squares of a map"));
        }
        let sizes = level_sizes(size);
        let all: u64 = sizes.iter().map(|side| u64::from(side.div_ceil(SQUARE)).pow(2)).sum();
        let index = length.checked_sub(all * ENTRY as u64).ok_or_else(|| damaged("its index is cut off"))?;
        let coding = if head[14] == 1 { Coding::Linear } else { Coding::Srgb };
        Ok(Pyramid { from, numbers, channels, coding, sizes, index })
    }

    /// Sides of the levels, the full size first.
    pub fn sizes(&self) -> &[u32] {
        &self.sizes
    }

    /// The square in a column and a row of a level.
    ///
    /// # Errors
    /// What the file answers, or that there is no such square.
    pub fn square(&mut self, level: usize, column: u32, row: u32) -> io::Result<Image> {
        let Some(&size) = self.sizes.get(level) else { return Err(damaged("there is no such level")) };
        let across = size.div_ceil(SQUARE);
        if column >= across || row >= across {
            return Err(damaged("there is no such square"));
        }
        let before: u64 = self.sizes[..level].iter().map(|side| u64::from(side.div_ceil(SQUARE)).pow(2)).sum();
        let number = before + u64::from(row) * u64::from(across) + u64::from(column);
        self.from.seek(SeekFrom::Start(self.index + number * ENTRY as u64))?;
        let mut entry = [0; ENTRY];
        self.from.read_exact(&mut entry)?;
        let [a, b, c, d, e, f, g, h, i, j, k, l] = entry;
        let (at, bytes) = (u64::from_le_bytes([a, b, c, d, e, f, g, h]), u32::from_le_bytes([i, j, k, l]));
        if at + u64::from(bytes) > self.index {
            return Err(damaged("its index is damaged"));
        }
        self.from.seek(SeekFrom::Start(at))?;
        let mut packed = vec![0; bytes as usize];
        self.from.read_exact(&mut packed)?;
        let (width, height) = ((size - column * SQUARE).min(SQUARE), (size - row * SQUARE).min(SQUARE));
        let count = width as usize * height as usize * self.channels;
        let wide = [1, 2, 4][self.numbers as usize];
        let mut raw = Vec::with_capacity(count * wide);
        ZlibDecoder::new(packed.as_slice()).take((count * wide) as u64 + 1).read_to_end(&mut raw)?;
        if raw.len() != count * wide {
            return Err(damaged("a square of it is damaged"));
        }
        let pixels = match self.numbers {
            Numbers::U8 => Pixels::U8(raw),
            Numbers::U16 => Pixels::U16(raw.as_chunks::<2>().0.iter().map(|b| u16::from_le_bytes(*b)).collect()),
            Numbers::F32 => Pixels::F32(raw.as_chunks::<4>().0.iter().map(|b| f32::from_le_bytes(*b)).collect()),
        };
        Ok(Image::new(width, height, self.channels, pixels, self.coding))
    }

    /// A level as one picture.
    ///
    /// # Errors
    /// As [`Pyramid::square`].
    pub fn level(&mut self, level: usize) -> io::Result<Image> {
        let size = *self.sizes.get(level).ok_or_else(|| damaged("there is no such level"))?;
        let texels = size as usize * size as usize * self.channels;
        let mut whole = match self.numbers {
            Numbers::U8 => Pixels::U8(vec![0; texels]),
            Numbers::U16 => Pixels::U16(vec![0; texels]),
            Numbers::F32 => Pixels::F32(vec![0.0; texels]),
        };
        let across = size.div_ceil(SQUARE);
        for (row, column) in (0..across).flat_map(|row| (0..across).map(move |column| (row, column))) {
            let square = self.square(level, column, row)?;
            let wide = square.width as usize * self.channels;
            for y in 0..square.height {
                let to = ((row * SQUARE + y) as usize * size as usize + (column * SQUARE) as usize) * self.channels;
                let from = y as usize * wide;
                match (&mut whole, &square.pixels) {
                    (Pixels::U8(to_), Pixels::U8(own)) => to_[to..to + wide].copy_from_slice(&own[from..from + wide]),
                    (Pixels::U16(to_), Pixels::U16(own)) => to_[to..to + wide].copy_from_slice(&own[from..from + wide]),
                    (Pixels::F32(to_), Pixels::F32(own)) => to_[to..to + wide].copy_from_slice(&own[from..from + wide]),
                    _ => return Err(damaged("its squares are of several kinds")),
                }
            }
        }
        Ok(Image::new(size, size, self.channels, whole, self.coding))
    }

    /// One texel of the full size, as the map's file holds it: red, green, blue, alpha.
    ///
    /// # Errors
    /// As [`Pyramid::square`].
    pub fn texel(&mut self, x: u32, y: u32) -> io::Result<[f32; 4]> {
        let square = self.square(0, x / SQUARE, y / SQUARE)?;
        Ok(square.texel(x % SQUARE, y % SQUARE))
    }

    pub fn coding(&self) -> Coding {
        self.coding
    }
}
