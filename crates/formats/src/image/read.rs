//! Pictures in: source textures and normal maps, from PNG, TIFF, JPEG, TGA and EXR, by the `image` crate and, for float
//! depths, as they stand.

use crate::mesh::ReadFault;
use ember_ridge_core::FindingKind;
use ember_ridge_core::picture::{Coding, Image, Pixels};
use image::{DynamicImage, ImageDecoder, ImageReader, Limits};
use std::io::Cursor;

/// Pictures of more texels than this are refused before memory is set aside.
pub const MOST_TEXELS: u64 = 16_384 * 16_384;

/// Endings of the names of pictures that are read, in small letters.
pub const PICTURE_ENDINGS: [&str; 7] = ["png", "tif", "tiff", "jpg", "jpeg", "tga", "exr"];

/// Reads a picture from the bytes of a file named `file`.
///
/// # Errors
/// A [`ReadFault`] that names the file: unknown format, damaged, or too large.
pub fn read_image(file: &str, bytes: &[u8]) -> Result<Image, ReadFault> {
    read_image_within(file, bytes, u64::MAX)
}

/// The same, for a picture that may take so many bytes once decoded.
pub(crate) fn read_image_within(file: &str, bytes: &[u8], most_bytes: u64) -> Result<Image, ReadFault> {
    let fault = |fault: String, remedy: &str| ReadFault {
        file: file.to_owned(),
        place: "the picture".into(),
        fault,
        remedy: remedy.into(),
        kind: FindingKind::Unreadable,
    };
    const KNOWN: &str = "Save it as PNG, TIFF, JPEG, TGA or EXR";
    const AGAIN: &str = "The file is cut short or damaged; save it again";
    let extension = file.rsplit('.').next().unwrap_or_default().to_lowercase();
    let by_name = image::ImageFormat::from_extension(extension);
    let by_bytes = image::guess_format(bytes).ok();
    let format = by_bytes.or(by_name).ok_or_else(|| fault("its format is not known".into(), KNOWN))?;
    let remedy = if by_bytes.is_some() { AGAIN } else { KNOWN };
    if format == image::ImageFormat::OpenExr && !exr_keeps_within(bytes, most_for(bytes).min(most_bytes)) {
        return Err(fault(format!("its header claims more than {} bytes can hold", bytes.len()), AGAIN));
    }
    if let Some(image) = grey_floats(bytes, format, MOST_TEXELS.min(most_bytes.min(most_for(bytes)) / 4)) {
        return Ok(image);
    }
    // A decoder's own sentence is for programmers.
    let damaged = |_| fault(format!("it cannot be decoded as {}", name_of(format)), remedy);
    let mut decoder = ImageReader::with_format(Cursor::new(bytes), format).into_decoder().map_err(damaged)?;
    let (width, height) = decoder.dimensions();
    if u64::from(width) * u64::from(height) > MOST_TEXELS || width == 0 || height == 0 {
        return Err(fault(
            format!("it is {width} x {height} texels; at most 16384 x 16384 are read"),
            "Scale it down and save it again",
        ));
    }
    if decoder.total_bytes() > most_for(bytes) {
        return Err(fault(format!("its header claims {width} x {height} texels in {} bytes", bytes.len()), AGAIN));
    }
    if decoder.total_bytes() > most_bytes {
        let fault_text = format!("it is {width} x {height} texels, more than the room left for this file's pictures");
        return Err(fault(fault_text, "Scale it down and save it again"));
    }
    let mut limits = Limits::default();
    limits.max_alloc = Some(MOST_TEXELS * 8);
    decoder.set_limits(limits).map_err(damaged)?;
    let picture = DynamicImage::from_decoder(decoder).map_err(damaged)?;
    let (channels, pixels) = match picture {
        DynamicImage::ImageLuma8(p) => (1, Pixels::U8(p.into_raw())),
        DynamicImage::ImageLumaA8(p) => (2, Pixels::U8(p.into_raw())),
        DynamicImage::ImageRgb8(p) => (3, Pixels::U8(p.into_raw())),
        DynamicImage::ImageRgba8(p) => (4, Pixels::U8(p.into_raw())),
        DynamicImage::ImageLuma16(p) => (1, Pixels::U16(p.into_raw())),
        DynamicImage::ImageLumaA16(p) => (2, Pixels::U16(p.into_raw())),
        DynamicImage::ImageRgb16(p) => (3, Pixels::U16(p.into_raw())),
        DynamicImage::ImageRgba16(p) => (4, Pixels::U16(p.into_raw())),
        DynamicImage::ImageRgb32F(p) => (3, Pixels::F32(p.into_raw())),
        DynamicImage::ImageRgba32F(p) => (4, Pixels::F32(p.into_raw())),
        other => (4, Pixels::F32(other.into_rgba32f().into_raw())),
    };
    let coding = if matches!(pixels, Pixels::F32(_)) { Coding::Linear } else { Coding::Srgb };
    Ok(Image::new(width, height, channels, pixels, coding))
}

/// Bytes that a picture of so many may unpack to. Deflate, the tightest of the packings, makes at most 1032 of one (RFC 1951).
fn most_for(bytes: &[u8]) -> u64 {
    (64 << 20) + 1100 * bytes.len() as u64
}

/// Whether no layer of an EXR unpacks to more than so many bytes. The size that decoders tell is that of the window shown; what they
/// unpack is the window of the data, which may be another.
fn exr_keeps_within(bytes: &[u8], most: u64) -> bool {
    let Ok(meta) = exr::meta::MetaData::read_from_buffered(Cursor::new(bytes), false) else { return true };
    let unpacked = |header: &exr::meta::header::Header| {
        let (width, height) = (header.layer_size.width() as u64, header.layer_size.height() as u64);
        width.checked_mul(height).and_then(|texels| texels.checked_mul(header.channels.bytes_per_pixel as u64))
    };
    meta.headers.iter().all(|header| unpacked(header).is_some_and(|bytes| bytes <= most))
}

fn name_of(format: image::ImageFormat) -> String {
    format.extensions_str().first().copied().unwrap_or("a picture").to_uppercase()
}

/// Grey floats, which the `image` crate does not read; None for everything else.
fn grey_floats(bytes: &[u8], format: image::ImageFormat, most_texels: u64) -> Option<Image> {
    match format {
        image::ImageFormat::Tiff => grey_tiff(bytes, most_texels),
        image::ImageFormat::OpenExr => grey_exr(bytes, most_texels),
        _ => None,
    }
}

fn grey_exr(bytes: &[u8], most_texels: u64) -> Option<Image> {
    use exr::prelude::{FlatSamples, ReadChannels, ReadLayers, read};
    let meta = exr::meta::MetaData::read_from_buffered(Cursor::new(bytes), false).ok()?;
    let header = meta.headers.first().filter(|h| h.channels.list.len() == 1)?;
    let (width, height) = (header.layer_size.width(), header.layer_size.height());
    if (width as u64).checked_mul(height as u64)? > most_texels {
        return None;
    }
    let reader = read().no_deep_data().largest_resolution_level().all_channels().first_valid_layer().all_attributes();
    let layer = reader.from_buffered(Cursor::new(bytes)).ok()?.layer_data;
    let values = match &layer.channel_data.list.first()?.sample_data {
        FlatSamples::F16(values) => values.iter().map(|v| v.to_f32()).collect(),
        FlatSamples::F32(values) => values.clone(),
        FlatSamples::U32(_) => return None,
    };
    Some(Image::new(width as u32, height as u32, 1, Pixels::F32(values), Coding::Linear))
}

fn grey_tiff(bytes: &[u8], most_texels: u64) -> Option<Image> {
    let mut decoder = tiff::decoder::Decoder::new(Cursor::new(bytes)).ok()?;
    if decoder.colortype().ok()? != tiff::ColorType::Gray(32) {
        return None;
    }
    let (width, height) = decoder.dimensions().ok()?;
    if u64::from(width) * u64::from(height) > most_texels {
        return None;
    }
    match decoder.read_image().ok()? {
        tiff::decoder::DecodingResult::F32(values) => {
            Some(Image::new(width, height, 1, Pixels::F32(values), Coding::Linear))
        }
        _ => None,
    }
}
