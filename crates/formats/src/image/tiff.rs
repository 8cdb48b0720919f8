//! TIFF with 8 or 16 bits or 32-bit floats a channel, in strips of one tile's height. Not
//! compressed: the encoder would pack the text beside the picture too, and readers then find neither.

use super::{ImageSpec, Place, Quantiser, RowSource, WriteFault, words};
use ember_ridge_core::picture::Depth;
use ember_ridge_core::sheet::TILE;
use std::io;
use tiff::encoder::colortype::{
    ColorType, Gray8, Gray16, Gray32Float, RGB8, RGB16, RGB32Float, RGBA8, RGBA16, RGBA32Float,
};
use tiff::encoder::{TiffEncoder, TiffValue};
use tiff::tags::Tag;

pub(super) fn write(place: &mut dyn Place, spec: &ImageSpec, rows: &mut RowSource) -> Result<(), WriteFault> {
    let mut quantiser = Quantiser::new(spec);
    match (spec.depth, spec.channels) {
        (Depth::Eight, 1) => strips::<Gray8>(place, spec, rows, &mut |v| quantiser.bytes(v)),
        (Depth::Eight, 4) => strips::<RGBA8>(place, spec, rows, &mut |v| quantiser.bytes(v)),
        (Depth::Eight, _) => strips::<RGB8>(place, spec, rows, &mut |v| quantiser.bytes(v)),
        (Depth::Sixteen, 1) => strips::<Gray16>(place, spec, rows, &mut words),
        (Depth::Sixteen, 4) => strips::<RGBA16>(place, spec, rows, &mut words),
        (Depth::Sixteen, _) => strips::<RGB16>(place, spec, rows, &mut words),
        (Depth::Float, 1) => strips::<Gray32Float>(place, spec, rows, &mut <[f32]>::to_vec),
        (Depth::Float, 4) => strips::<RGBA32Float>(place, spec, rows, &mut <[f32]>::to_vec),
        (Depth::Float, _) => strips::<RGB32Float>(place, spec, rows, &mut <[f32]>::to_vec),
    }
}

fn strips<C: ColorType>(
    place: &mut dyn Place,
    spec: &ImageSpec,
    rows: &mut RowSource,
    convert: &mut dyn FnMut(&[f32]) -> Vec<C::Inner>,
) -> Result<(), WriteFault>
where
    [C::Inner]: TiffValue,
{
    let bad = |e: tiff::TiffError| match e {
        tiff::TiffError::IoError(e) => WriteFault::from(e),
        other => WriteFault::from(io::Error::other(other.to_string())),
    };
    let mut encoder = TiffEncoder::new(place).map_err(bad)?;
    let mut image = encoder.new_image::<C>(spec.size, spec.size).map_err(bad)?;
    image.rows_per_strip(TILE).map_err(bad)?;
    let notes: Vec<String> = spec.notes.iter().map(|(name, text)| format!("{name}: {text}")).collect();
    // TIFF's text is ASCII.
    let text: String = notes.join("\n").chars().map(|c| if c.is_ascii() { c } else { '?' }).collect();
    image.encoder().write_tag(Tag::ImageDescription, text.as_str()).map_err(bad)?;
    let entries = spec.size as usize * spec.channels;
    let mut waiting: Vec<f32> = Vec::new();
    rows(&mut |values| {
        waiting.extend_from_slice(values);
        let mut taken = 0;
        loop {
            let strip = image.next_strip_sample_count() as usize;
            if strip == 0 || waiting.len() - taken < strip {
                break;
            }
            image.write_strip(&convert(&waiting[taken..taken + strip])).map_err(bad)?;
            taken += strip;
        }
        waiting.drain(..taken);
        Ok(())
    })?;
    if !waiting.is_empty() || image.next_strip_sample_count() != 0 {
        return Err(format!("the rows do not make {} lines of {entries} values", spec.size).into());
    }
    image.finish().map_err(bad)
}
