//! Images out: PNG with 8 or 16 bits a channel, one or three channels, no gamma chunk (maps are data).

use ember_ridge_core::sheet::Pixels;
use std::io::{self, Write};

/// Writes a square image of `size` texels a side.
///
/// # Errors
/// What the writer answers.
pub fn write_png(out: impl Write, size: u32, channels: usize, pixels: &Pixels) -> io::Result<()> {
    let (depth, bytes) = match pixels {
        Pixels::U8(values) => (png::BitDepth::Eight, std::borrow::Cow::Borrowed(values.as_slice())),
        Pixels::U16(values) => {
            let swapped: Vec<u8> = values.iter().flat_map(|v| v.to_be_bytes()).collect();
            (png::BitDepth::Sixteen, std::borrow::Cow::Owned(swapped))
        }
    };
    let mut encoder = png::Encoder::new(out, size, size);
    encoder.set_color(match channels {
        1 => png::ColorType::Grayscale,
        3 => png::ColorType::Rgb,
        _ => png::ColorType::Rgba,
    });
    encoder.set_depth(depth);
    encoder.set_compression(png::Compression::Fast);
    let mut writer = encoder.write_header().map_err(io::Error::from)?;
    writer.write_image_data(&bytes).map_err(io::Error::from)?;
    writer.finish().map_err(io::Error::from)
}

/// Reads a PNG back: side lengths, channels and pixels. For previews and verification.
///
/// # Errors
/// A damaged file, or one that is neither 8 nor 16 bits a channel.
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
        other => return Err(bad(&format!("{other:?} bits a channel; 8 or 16 are read"))),
    };
    Ok((info.width, info.height, info.color_type.samples(), pixels))
}
