//! PNG with 8 or 16 bits per channel, one, three or four channels.

use super::{ImageSpec, Place, Quantiser, RowSource, WriteFault, words};
use ember_ridge_core::picture::{Depth, Pixels};
use std::io::{self, Write};

fn encoder<W: Write>(
    out: W,
    (width, height): (u32, u32),
    channels: usize,
    depth: png::BitDepth,
) -> png::Encoder<'static, W> {
    let mut encoder = png::Encoder::new(out, width, height);
    encoder.set_color(match channels {
        1 => png::ColorType::Grayscale,
        3 => png::ColorType::Rgb,
        _ => png::ColorType::Rgba,
    });
    encoder.set_depth(depth);
    encoder.set_compression(png::Compression::Fast);
    encoder
}

pub(super) fn write(place: &mut dyn Place, spec: &ImageSpec, rows: &mut RowSource) -> Result<(), WriteFault> {
    let depth = if spec.depth == Depth::Eight { png::BitDepth::Eight } else { png::BitDepth::Sixteen };
    let mut encoder = encoder(place, (spec.size, spec.size), spec.channels, depth);
    if spec.color {
        encoder.set_source_srgb(png::SrgbRenderingIntent::RelativeColorimetric);
    }
    for (name, text) in &spec.notes {
        encoder.add_text_chunk(name.clone(), text.clone()).map_err(io::Error::from)?;
    }
    let mut quantiser = Quantiser::new(spec);
    let mut writer = encoder.write_header().map_err(io::Error::from)?;
    let mut stream = writer.stream_writer_with_size(1 << 18).map_err(io::Error::from)?;
    rows(&mut |values| {
        match spec.depth {
            Depth::Eight => stream.write_all(&quantiser.bytes(values))?,
            Depth::Sixteen | Depth::Float => {
                let swapped: Vec<u8> = words(values).into_iter().flat_map(u16::to_be_bytes).collect();
                stream.write_all(&swapped)?;
            }
        }
        Ok(())
    })?;
    stream.finish().map_err(io::Error::from)?;
    writer.finish().map_err(io::Error::from)?;
    Ok(())
}

/// Writes a small 8-bit picture that is in memory: thumbnails and live pictures.
///
/// # Errors
/// What the writer answers.
pub fn write_png(out: impl Write, size: u32, channels: usize, rows: &[u8]) -> io::Result<()> {
    write_picture(out, (size, size), channels, rows)
}

/// The same of a picture that is not square: its width and height.
///
/// # Errors
/// What the writer answers.
pub fn write_picture(out: impl Write, sides: (u32, u32), channels: usize, rows: &[u8]) -> io::Result<()> {
    let mut writer = encoder(out, sides, channels, png::BitDepth::Eight).write_header().map_err(io::Error::from)?;
    writer.write_image_data(rows).map_err(io::Error::from)?;
    writer.finish().map_err(io::Error::from)
}

/// Reads a PNG back: side lengths, channels and pixels. For previews and verification.
///
/// # Errors
/// A damaged file, or one that is neither 8 nor 16 bits per channel.
pub fn read_png(bytes: &[u8]) -> io::Result<(u32, u32, usize, Pixels)> {
    let bad = |e: &dyn std::fmt::Display| io::Error::new(io::ErrorKind::InvalidData, e.to_string());
    let decoder = png::Decoder::new(io::Cursor::new(bytes));
    let mut reader = decoder.read_info().map_err(|e| bad(&e))?;
    let needed = reader.output_buffer_size().ok_or_else(|| bad(&"the image is too large to read"))?;
    let mut buffer = vec![0; needed];
    let info = reader.next_frame(&mut buffer).map_err(|e| bad(&e))?;
    buffer.truncate(info.buffer_size());
    let pixels = match info.bit_depth {
        png::BitDepth::Eight => Pixels::U8(buffer),
        png::BitDepth::Sixteen => {
            Pixels::U16(buffer.as_chunks::<2>().0.iter().map(|b| u16::from_be_bytes(*b)).collect())
        }
        other => return Err(bad(&format!("{other:?} bits per channel; 8 or 16 are read"))),
    };
    Ok((info.width, info.height, info.color_type.samples(), pixels))
}
