//! Pictures in: source textures and normal maps, from PNG, TIFF, JPEG, TGA and EXR, by the `image` crate and, for float
//! depths, as they stand.

use crate::mesh::ReadFault;
use ember_ridge_core::FindingKind;
use ember_ridge_core::sheet::{Image, Pixels};
use image::{DynamicImage, ImageReader, Limits};
use std::io::Cursor;

/// Pictures of more texels than this are refused before memory is set aside.
pub const MOST_TEXELS: u64 = 16_384 * 16_384;

/// Reads a picture from the bytes of a file named `file`.
///
/// # Errors
/// A [`ReadFault`] that names the file: unknown format, damaged, or too large.
pub fn read_image(file: &str, bytes: &[u8]) -> Result<Image, ReadFault> {
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
    if let Some(image) = grey_floats(bytes, format) {
        return Ok(image);
    }
    let mut reader = ImageReader::with_format(Cursor::new(bytes), format);
    let (width, height) = ImageReader::with_format(Cursor::new(bytes), format)
        .into_dimensions()
        .map_err(|e| fault(e.to_string(), if by_bytes.is_some() { AGAIN } else { KNOWN }))?;
    if u64::from(width) * u64::from(height) > MOST_TEXELS || width == 0 || height == 0 {
        return Err(fault(
            format!("it is {width} x {height} texels; at most 16384 x 16384 are read"),
            "Save it smaller",
        ));
    }
    let mut limits = Limits::default();
    limits.max_alloc = Some(MOST_TEXELS * 4);
    reader.limits(limits);
    let picture = reader.decode().map_err(|e| fault(e.to_string(), AGAIN))?;
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
    Ok(Image { width, height, channels, pixels })
}

/// Grey floats, which the `image` crate does not read; None for everything else.
fn grey_floats(bytes: &[u8], format: image::ImageFormat) -> Option<Image> {
    match format {
        image::ImageFormat::Tiff => grey_tiff(bytes),
        image::ImageFormat::OpenExr => grey_exr(bytes),
        _ => None,
    }
}

fn grey_exr(bytes: &[u8]) -> Option<Image> {
    use exr::prelude::{FlatSamples, ReadChannels, ReadLayers, read};
    let meta = exr::meta::MetaData::read_from_buffered(Cursor::new(bytes), false).ok()?;
    let header = meta.headers.first().filter(|h| h.channels.list.len() == 1)?;
    let (width, height) = (header.layer_size.width(), header.layer_size.height());
    if (width as u64).checked_mul(height as u64)? > MOST_TEXELS {
        return None;
    }
    let reader = read().no_deep_data().largest_resolution_level().all_channels().first_valid_layer().all_attributes();
    let layer = reader.from_buffered(Cursor::new(bytes)).ok()?.layer_data;
    let values = match &layer.channel_data.list.first()?.sample_data {
        FlatSamples::F16(values) => values.iter().map(|v| v.to_f32()).collect(),
        FlatSamples::F32(values) => values.clone(),
        FlatSamples::U32(_) => return None,
    };
    Some(Image { width: width as u32, height: height as u32, channels: 1, pixels: Pixels::F32(values) })
}

fn grey_tiff(bytes: &[u8]) -> Option<Image> {
    let mut decoder = tiff::decoder::Decoder::new(Cursor::new(bytes)).ok()?;
    if decoder.colortype().ok()? != tiff::ColorType::Gray(32) {
        return None;
    }
    let (width, height) = decoder.dimensions().ok()?;
    if u64::from(width) * u64::from(height) > MOST_TEXELS {
        return None;
    }
    match decoder.read_image().ok()? {
        tiff::decoder::DecodingResult::F32(values) => {
            Some(Image { width, height, channels: 1, pixels: Pixels::F32(values) })
        }
        _ => None,
    }
}
