//! The contact sheet of a delivery: the lit model and every picture, small, each with its name, in one PNG.

use super::facts::PictureFacts;
use super::package::{RunToDeliver, packed_pictures};
use super::picture::write_delivered;
use crate::image::{read_image, write_picture};
use ab_glyph::{Font, FontRef, Glyph, PxScale, ScaleFont, point};
use ember_ridge_core::deliver::{BACKDROP, Delivery, Dress, PlannedPicture, Profile, asset_name, portrait};
use ember_ridge_core::picture::{Coding, Depth, Image, ImageFormat};
use rayon::prelude::*;
use std::io::{self, Cursor, Write};

/// Columns of small pictures, the lit model among them: at least, at most.
const COLUMNS: [usize; 2] = [4, 6];
/// Pixels of a small picture per side, between two, below one for its words, around all, above all for the title.
const CELL: usize = 240;
const GAP: usize = 16;
const WORDS: usize = 44;
const MARGIN: usize = 36;
const TITLE: usize = 84;
/// Rows and columns that the lit model takes, and pixels.
const PORTRAIT_CELLS: usize = 2;
const PORTRAIT: [usize; 2] = [PORTRAIT_CELLS * CELL + GAP, PORTRAIT_CELLS * CELL + GAP + WORDS];
/// Texels per side of the textures of the lit model, at most.
const MOST_TEXTURE: u32 = 1024;

/// What it is, in the facts.
pub(super) const CONTACT: &str = "the lit model and every picture, small";

const PAPER: [u8; 3] = [52, 52, 52];
const INK: [u8; 3] = [236, 236, 236];
const PALE: [u8; 3] = [176, 176, 176];

/// Writes the contact sheet. `sheet_of` tells of a triangle of the low-poly on which sheet it lies.
///
/// # Errors
/// A map that cannot be read, or what `out` answers.
pub fn write_contact_sheet(
    out: &mut dyn Write,
    run: &RunToDeliver,
    profile: &Profile,
    delivery: &Delivery,
    version: u32,
    sheet_of: &(dyn Fn(u32) -> usize + Sync),
) -> io::Result<()> {
    let small: Vec<io::Result<Image>> =
        delivery.pictures.par_iter().map(|picture| small_picture(picture, 2 * CELL as u32, run)).collect();
    let small = small.into_iter().collect::<io::Result<Vec<_>>>()?;
    let model = portrait(run.low, &dresses(run)?, sheet_of, PORTRAIT[0] as u32);
    let columns = (PORTRAIT_CELLS + small.len().div_ceil(PORTRAIT_CELLS)).clamp(COLUMNS[0], COLUMNS[1]);
    let places = places(small.len(), columns);
    let rows = places.last().map_or(PORTRAIT_CELLS, |[_, row]| (row + 1).max(PORTRAIT_CELLS));
    let wide = 2 * MARGIN + columns * CELL + (columns - 1) * GAP;
    let high = 2 * MARGIN + TITLE + rows * (CELL + WORDS) + (rows - 1) * GAP;
    let mut page = Page::new(wide, high)?;
    page.write(&asset_name(run.report), [MARGIN, MARGIN + 24], 26.0, INK, wide - 2 * MARGIN);
    let about = format!(
        "profile {}   version {version}   {} pictures   normals {}",
        profile.name,
        small.len(),
        profile.y.short()
    );
    page.write(&about, [MARGIN, MARGIN + 50], 14.0, PALE, wide - 2 * MARGIN);
    let top = MARGIN + TITLE;
    page.fill([MARGIN, top], PORTRAIT, BACKDROP);
    page.put([MARGIN, top + (PORTRAIT[1] - PORTRAIT[0]) / 2], PORTRAIT[0], &model);
    for ((picture, image), [column, row]) in delivery.pictures.iter().zip(&small).zip(places) {
        let at = [MARGIN + column * (CELL + GAP), top + row * (CELL + WORDS + GAP)];
        page.put(at, CELL, &fitted(image, CELL));
        let facts = PictureFacts::of(picture);
        let name = picture.file.rsplit('/').next().unwrap_or(&picture.file);
        page.write(name, [at[0], at[1] + CELL + 17], 13.0, INK, CELL);
        let about = format!("{} x {}, {}, {}", facts.width, facts.height, facts.depth.words(), facts.color_space);
        page.write(&about, [at[0], at[1] + CELL + 35], 12.0, PALE, CELL);
    }
    write_picture(out, (wide as u32, high as u32), 3, &page.pixels)
}

/// Column and row of each small picture: to the right of the lit model first, then below it.
fn places(count: usize, columns: usize) -> Vec<[usize; 2]> {
    let cells = (0..).flat_map(|row| (0..columns).map(move |column| [column, row]));
    cells.filter(|[column, row]| *row >= PORTRAIT_CELLS || *column >= PORTRAIT_CELLS).take(count).collect()
}

/// A planned picture halved until it has at most `most` texels per side, as 8 bit from the top down.
fn small_picture(picture: &PlannedPicture, most: u32, run: &RunToDeliver) -> io::Result<Image> {
    let (mut size, mut shrink) = (picture.size, picture.shrink);
    while size > most && size.is_multiple_of(2) {
        (size, shrink) = (size / 2, shrink * 2);
    }
    let plain = PlannedPicture {
        size,
        shrink,
        format: ImageFormat::Png,
        depth: Depth::Eight,
        flip_v: false,
        dither: false,
        scale: None,
        ..picture.clone()
    };
    let mut bytes = Cursor::new(Vec::new());
    write_delivered(&mut bytes, &plain, run.open)?;
    read_image(&picture.file, bytes.get_ref()).map_err(io::Error::other)
}

/// The textures of the lit model, sheet by sheet.
fn dresses(run: &RunToDeliver) -> io::Result<Vec<Dress>> {
    let pictures = packed_pictures(run, MOST_TEXTURE)?;
    let read: Vec<io::Result<Image>> =
        pictures.par_iter().map(|picture| small_picture(picture, MOST_TEXTURE, run)).collect();
    let mut dresses = vec![Dress::default(); run.report.sheets.len().max(1)];
    for (picture, image) in pictures.iter().zip(read) {
        let mut image = image?;
        let Dress { base_color, packed, normal, emissive } = &mut dresses[picture.sheet];
        let slots = [base_color, packed, normal, emissive];
        image.coding = if picture.color { Coding::Srgb } else { Coding::Linear };
        if let Some(slot) = slots.into_iter().nth(picture.rule) {
            *slot = Some(image);
        }
    }
    Ok(dresses)
}

/// An image as `side` by `side` pixels of red, green and blue, each the mean of the texels below it.
fn fitted(image: &Image, side: usize) -> Vec<u8> {
    let span = |at: usize, of: u32| {
        let [from, to] = [at, at + 1].map(|at| at * of as usize / side);
        from as u32..(to.max(from + 1) as u32).min(of)
    };
    let pixel = |at: usize| {
        let texels = span(at / side, image.height).flat_map(|y| span(at % side, image.width).map(move |x| (x, y)));
        let (sum, count) = texels.fold(([0.0f32; 3], 0.0f32), |(sum, count), (x, y)| {
            let texel = image.texel(x, y);
            (std::array::from_fn(|c| sum[c] + texel[c]), count + 1.0)
        });
        sum.map(|sum| (sum / count * 255.0).round() as u8)
    };
    (0..side * side).into_par_iter().map(pixel).collect::<Vec<_>>().into_flattened()
}

struct Page {
    wide: usize,
    /// Red, green, blue, from the top down.
    pixels: Vec<u8>,
    font: FontRef<'static>,
}

impl Page {
    fn new(wide: usize, high: usize) -> io::Result<Page> {
        let font = FontRef::try_from_slice(epaint_default_fonts::HACK_REGULAR).map_err(io::Error::other)?;
        Ok(Page { wide, pixels: PAPER.repeat(wide * high), font })
    }

    fn fill(&mut self, [x, y]: [usize; 2], [wide, high]: [usize; 2], color: [u8; 3]) {
        for row in y..y + high {
            let from = 3 * (row * self.wide + x);
            self.pixels[from..from + 3 * wide].copy_from_slice(&color.repeat(wide));
        }
    }

    /// Puts a square picture with its top left at a place.
    fn put(&mut self, [x, y]: [usize; 2], side: usize, picture: &[u8]) {
        for (row, line) in picture.chunks_exact(3 * side).enumerate() {
            let from = 3 * ((y + row) * self.wide + x);
            self.pixels[from..from + line.len()].copy_from_slice(line);
        }
    }

    /// Writes one line from a place on its base line; what does not fit in `room` pixels is cut in its middle.
    fn write(&mut self, text: &str, at: [usize; 2], size: f32, color: [u8; 3], room: usize) {
        let scaled = self.font.as_scaled(PxScale::from(size));
        // All characters of this typeface are equally wide.
        let step = scaled.h_advance(scaled.glyph_id('m'));
        let most = (room as f32 / step) as usize;
        let letters: Vec<char> = text.chars().collect();
        let letters = match letters.len() > most && most > 3 {
            true => {
                let tail = (most - 1) / 2;
                let head = most - 1 - tail;
                [&letters[..head], &['\u{2026}'], &letters[letters.len() - tail..]].concat()
            }
            false => letters,
        };
        let mut dots = Vec::new();
        for (n, letter) in letters.into_iter().enumerate() {
            let place = point(at[0] as f32 + n as f32 * step, at[1] as f32);
            let glyph: Glyph = scaled.glyph_id(letter).with_scale_and_position(PxScale::from(size), place);
            let Some(outline) = self.font.outline_glyph(glyph) else { continue };
            let corner = outline.px_bounds().min;
            outline
                .draw(|x, y, cover| dots.push((corner.x as i64 + i64::from(x), corner.y as i64 + i64::from(y), cover)));
        }
        for (x, y, cover) in dots {
            let (Ok(x), Ok(y)) = (usize::try_from(x), usize::try_from(y)) else { continue };
            let from = 3 * (y * self.wide + x);
            let Some(pixel) = self.pixels.get_mut(from..from + 3).filter(|_| x < self.wide) else { continue };
            for (value, ink) in pixel.iter_mut().zip(color) {
                let mixed = f32::from(*value) + (f32::from(ink) - f32::from(*value)) * cover.clamp(0.0, 1.0);
                *value = mixed.round() as u8;
            }
        }
    }
}
