//! Maps read back row by row, so that none is ever whole in memory: PNG by its rows, TIFF by its strips, EXR by its blocks. The small
//! formats, TGA and JPEG, hold 8-bit colours alone and are read at once.

use crate::image::read_image;
use ember_ridge_core::picture::Image;
use exr::block::reader::{AllChunksReader, ChunksReader, SequentialBlockDecompressor};
use std::io::{self, BufReader, Read, Seek};

/// What a map is read from.
pub trait ReadPlace: Read + Seek + Send {}

impl<T: Read + Seek + Send> ReadPlace for T {}

type Buffered = BufReader<Box<dyn ReadPlace>>;

/// The rows of a picture file from the top.
pub struct RowReader {
    pub width: u32,
    pub height: u32,
    pub channels: usize,
    rows: Rows,
    /// Read last; from `given` on not given yet.
    waiting: Vec<f32>,
    given: usize,
}

enum Rows {
    Png(Box<png::Reader<Buffered>>),
    Tiff { decoder: Box<tiff::decoder::Decoder<Buffered>>, next: u32 },
    Exr(Box<SequentialBlockDecompressor<AllChunksReader<Buffered>>>),
    Whole { image: Image, next: u32 },
}

fn bad(fault: impl std::fmt::Display) -> io::Error {
    io::Error::new(io::ErrorKind::InvalidData, fault.to_string())
}

impl RowReader {
    /// Opens a file by the ending of its name.
    ///
    /// # Errors
    /// A damaged file, or one of a kind that maps are not written in.
    pub fn open(name: &str, place: Box<dyn ReadPlace>) -> io::Result<RowReader> {
        let reader = BufReader::with_capacity(1 << 16, place);
        match name.rsplit('.').next().unwrap_or_default() {
            "png" => open_png(reader),
            "tif" => open_tiff(reader),
            "exr" => open_exr(reader),
            _ => open_whole(name, reader),
        }
    }

    /// The next rows, values in 0..1 of whole numbers and as they stand of floats.
    ///
    /// # Errors
    /// A damaged file, or one that ends before that.
    pub fn read(&mut self, rows: u32) -> io::Result<Vec<f32>> {
        let wanted = rows as usize * self.width as usize * self.channels;
        while self.waiting.len() - self.given < wanted {
            self.waiting.drain(..self.given);
            self.given = 0;
            self.more()?;
        }
        let rows = self.waiting[self.given..self.given + wanted].to_vec();
        self.given += wanted;
        Ok(rows)
    }

    fn more(&mut self) -> io::Result<()> {
        match &mut self.rows {
            Rows::Png(reader) => {
                let deep = reader.info().bit_depth == png::BitDepth::Sixteen;
                let row = reader.next_row().map_err(bad)?.ok_or_else(|| bad("it ends before its last row"))?;
                let data = row.data();
                match deep {
                    true => self.waiting.extend(data.as_chunks::<2>().0.iter().map(|b| word(u16::from_be_bytes(*b)))),
                    false => self.waiting.extend(data.iter().map(|b| f32::from(*b) / 255.0)),
                }
            }
            Rows::Tiff { decoder, next } => {
                use tiff::decoder::DecodingResult;
                match decoder.read_chunk(*next).map_err(bad)? {
                    DecodingResult::U8(values) => self.waiting.extend(values.iter().map(|v| f32::from(*v) / 255.0)),
                    DecodingResult::U16(values) => self.waiting.extend(values.iter().map(|v| word(*v))),
                    DecodingResult::F32(values) => self.waiting.extend(values),
                    _ => return Err(bad("its numbers are of a kind that maps are not written in")),
                }
                *next += 1;
            }
            Rows::Exr(blocks) => {
                let block = blocks.next().ok_or_else(|| bad("it ends before its last row"))?.map_err(bad)?;
                let size = block.index.pixel_size;
                let (wide, channels) = (size.width(), self.channels);
                let begin = self.waiting.len();
                self.waiting.resize(begin + wide * size.height() * channels, 0.0);
                let header = &blocks.meta_data().headers[0];
                // Of each line all values of one channel, then of the next; channels in the order of their names, A B G R.
                let mut bytes = block.data.as_slice();
                for y in 0..size.height() {
                    for (number, channel) in header.channels.list.iter().enumerate() {
                        let at = if channels == 1 { 0 } else { channels - 1 - number };
                        for x in 0..wide {
                            let value = sample(&mut bytes, channel.sample_type)?;
                            self.waiting[begin + (y * wide + x) * channels + at] = value;
                        }
                    }
                }
            }
            Rows::Whole { image, next } => {
                if *next == image.height {
                    return Err(bad("it ends before its last row"));
                }
                let entries = image.width as usize * image.channels;
                let from = *next as usize * entries;
                self.waiting.extend((from..from + entries).map(|at| image.pixels.get(at)));
                *next += 1;
            }
        }
        Ok(())
    }
}

fn word(value: u16) -> f32 {
    f32::from(value) / 65535.0
}

fn sample(bytes: &mut &[u8], kind: exr::meta::attribute::SampleType) -> io::Result<f32> {
    use exr::meta::attribute::SampleType;
    let mut take = |n: usize| {
        let (now, rest) = bytes.split_at_checked(n).ok_or_else(|| bad("a block of it is too short"))?;
        *bytes = rest;
        Ok::<_, io::Error>(now)
    };
    match kind {
        SampleType::F16 => {
            let b = take(2)?;
            Ok(exr::prelude::f16::from_ne_bytes([b[0], b[1]]).to_f32())
        }
        SampleType::F32 => {
            let b = take(4)?;
            Ok(f32::from_ne_bytes([b[0], b[1], b[2], b[3]]))
        }
        SampleType::U32 => Err(bad("its numbers are of a kind that maps are not written in")),
    }
}

fn open_png(reader: Buffered) -> io::Result<RowReader> {
    let reader = png::Decoder::new(reader).read_info().map_err(bad)?;
    let info = reader.info();
    if !matches!(info.bit_depth, png::BitDepth::Eight | png::BitDepth::Sixteen) || info.interlaced {
        return Err(bad("it is not written as maps are: 8 or 16 bits per channel, rows in order"));
    }
    let (width, height, channels) = (info.width, info.height, info.color_type.samples());
    Ok(RowReader { width, height, channels, rows: Rows::Png(Box::new(reader)), waiting: Vec::new(), given: 0 })
}

fn open_tiff(reader: Buffered) -> io::Result<RowReader> {
    let mut decoder = tiff::decoder::Decoder::new(reader).map_err(bad)?;
    let (width, height) = decoder.dimensions().map_err(bad)?;
    let channels = match decoder.colortype().map_err(bad)? {
        tiff::ColorType::Gray(_) => 1,
        tiff::ColorType::RGB(_) => 3,
        tiff::ColorType::RGBA(_) => 4,
        other => return Err(bad(format!("{other:?} is not written for maps"))),
    };
    if decoder.chunk_dimensions().0 != width {
        return Err(bad("it is cut into tiles, and maps are written in strips"));
    }
    Ok(RowReader {
        width,
        height,
        channels,
        rows: Rows::Tiff { decoder: Box::new(decoder), next: 0 },
        waiting: Vec::new(),
        given: 0,
    })
}

fn open_exr(reader: Buffered) -> io::Result<RowReader> {
    let reader = exr::block::read(reader, true).map_err(bad)?;
    let header = reader.headers().first().ok_or_else(|| bad("it holds no layer"))?;
    let (width, height) = (header.layer_size.width() as u32, header.layer_size.height() as u32);
    let channels = header.channels.list.len();
    if ![1, 3, 4].contains(&channels) || reader.headers().len() != 1 {
        return Err(bad("it is not written as maps are: one layer of 1, 3 or 4 channels"));
    }
    let blocks = reader.all_chunks(true).map_err(bad)?.sequential_decompressor(true);
    Ok(RowReader { width, height, channels, rows: Rows::Exr(Box::new(blocks)), waiting: Vec::new(), given: 0 })
}

fn open_whole(name: &str, mut reader: Buffered) -> io::Result<RowReader> {
    let mut bytes = Vec::new();
    reader.read_to_end(&mut bytes)?;
    let image = read_image(name, &bytes).map_err(bad)?;
    let (width, height, channels) = (image.width, image.height, image.channels);
    Ok(RowReader { width, height, channels, rows: Rows::Whole { image, next: 0 }, waiting: Vec::new(), given: 0 })
}
