//! Images that are written, read back by another library, and damaged ones refused.

use ember_ridge_core::bake::Spool;
use ember_ridge_core::picture::{Depth, ImageFormat, Pixels};
use ember_ridge_formats::files::{spool_for, write_whole};
use ember_ridge_formats::image::{ImageSpec, RowSink, read_image, read_png, write_image, write_png};
use image::ImageReader;
use proptest::prelude::*;
use std::io::Cursor;
use std::sync::Arc;

fn spec(size: u32, channels: usize, format: ImageFormat, depth: Depth) -> ImageSpec {
    ImageSpec { size, channels, format, depth, color: false, dither: false, notes: Vec::new() }
}

/// Values of a texture that has every row and channel different.
fn values(size: u32, channels: usize) -> Vec<f32> {
    (0..size as usize * size as usize * channels).map(|i| (i * 7919 % 1009) as f32 / 1008.0).collect()
}

/// Writes an image, its rows handed over unevenly.
fn written(spec: &ImageSpec, values: &[f32]) -> Vec<u8> {
    let mut out = Cursor::new(Vec::new());
    let row = spec.size as usize * spec.channels;
    write_image(&mut out, spec, &mut |sink: &mut RowSink| {
        let (first, rest) = values.split_at(row);
        sink(first)?;
        rest.chunks(row * 3).try_for_each(&mut *sink)
    })
    .expect("memory");
    out.into_inner()
}

#[test]
fn every_format_and_depth_is_read_back_by_another_library_within_half_a_step() {
    let size = 37;
    for format in [ImageFormat::Png, ImageFormat::Tiff, ImageFormat::Exr, ImageFormat::Tga] {
        for &depth in format.depths() {
            let four = (format != ImageFormat::Tga).then_some(4);
            for channels in [1, 3].into_iter().chain(four) {
                let values = values(size, channels);
                let bytes = written(&spec(size, channels, format, depth), &values);
                let name = format!("map.{}", format.extension());
                if channels == 1 && (format == ImageFormat::Exr || depth == Depth::Float) {
                    // The library reads no grey floats; they come back through the formats' own readers.
                    let grey = read_image(&name, &bytes).expect("our own");
                    let room = if depth == Depth::Float { 0.0 } else { 6e-4 };
                    assert!(
                        (0..values.len()).all(|i| (grey.pixels.get(i) - values[i]).abs() <= room),
                        "{name} {depth:?}"
                    );
                    continue;
                }
                let mut reader = ImageReader::new(Cursor::new(&bytes));
                reader.set_format(image::ImageFormat::from_path(&name).expect("a known ending"));
                let picture = reader.decode().unwrap_or_else(|e| panic!("{name} {depth:?} {channels}: {e}"));
                assert_eq!((picture.width(), picture.height()), (size, size));
                let room = match (format, depth) {
                    (_, Depth::Float) => 1e-7,
                    (ImageFormat::Exr, _) => 6e-4,
                    (_, Depth::Sixteen) => 0.51 / 65535.0,
                    (_, Depth::Eight) => 0.51 / 255.0,
                };
                let ours = read_image(&name, &bytes).expect("our own");
                // The library turns grey floats into colour: compare the first channel of what it says.
                let theirs = picture.to_rgba32f();
                for (texel, expected) in values.chunks(channels).enumerate() {
                    let (x, y) = (texel as u32 % size, texel as u32 / size);
                    let found = theirs.get_pixel(x, y).0;
                    let read = ours.texel(x, y);
                    for c in 0..channels {
                        assert!((found[c] - expected[c]).abs() <= room, "{name} {depth:?} texel {x}, {y}");
                        assert!((read[c] - expected[c]).abs() <= room, "{name} {depth:?} texel {x}, {y}");
                    }
                }
            }
        }
    }
}

#[test]
fn jpeg_colours_come_back_close() {
    let size = 64;
    let smooth: Vec<f32> =
        (0..size * size).flat_map(|i| [(i % size) as f32 / 63.0, (i / size) as f32 / 63.0, 0.5]).collect();
    let bytes = written(&spec(size, 3, ImageFormat::Jpeg, Depth::Eight), &smooth);
    let read = read_image("map.jpg", &bytes).expect("our own");
    assert_eq!((read.width, read.height), (size, size));
    for y in 0..size {
        for x in 0..size {
            let expected = &smooth[(y * size + x) as usize * 3..][..3];
            let found = read.texel(x, y);
            assert!((0..3).all(|c| (found[c] - expected[c]).abs() < 0.03), "texel {x}, {y}: {found:?} {expected:?}");
        }
    }
}

#[test]
fn data_carries_no_gamma_and_notes_travel_along() {
    let mut wanted = spec(16, 1, ImageFormat::Png, Depth::Sixteen);
    wanted.notes = vec![("Displacement".into(), "scale=0.25 zero=0.5".into())];
    let png = written(&wanted, &values(16, 1));
    let decoder = png::Decoder::new(Cursor::new(&png));
    let info = decoder.read_info().expect("our own");
    let info = info.info();
    assert!(info.gama_chunk.is_none() && info.srgb.is_none() && info.icc_profile.is_none());
    assert_eq!(info.uncompressed_latin1_text[0].text, "scale=0.25 zero=0.5");
    for format in [ImageFormat::Tiff, ImageFormat::Exr] {
        wanted.format = format;
        let bytes = written(&wanted, &values(16, 1));
        let found = bytes.windows(10).any(|w| w == b"scale=0.25");
        assert!(found, "{format:?} holds the scale as text");
    }
    let mut color = spec(16, 3, ImageFormat::Png, Depth::Eight);
    color.color = true;
    let png = written(&color, &values(16, 3));
    assert!(png::Decoder::new(Cursor::new(&png)).read_info().expect("our own").info().srgb.is_some());
}

#[test]
fn the_same_map_is_the_same_bytes_however_often_it_is_written() {
    let notes = ["Software", "Encoding", "Displacement"].map(|name| (name.to_owned(), format!("{name} of the test")));
    for (format, depth) in [
        (ImageFormat::Exr, Depth::Float),
        (ImageFormat::Exr, Depth::Sixteen),
        (ImageFormat::Tiff, Depth::Float),
        (ImageFormat::Png, Depth::Sixteen),
    ] {
        let wanted = ImageSpec { notes: notes.to_vec(), ..spec(16, 1, format, depth) };
        let first = written(&wanted, &values(16, 1));
        let again = (0..24).all(|_| written(&wanted, &values(16, 1)) == first);
        assert!(again, "{format:?} {depth:?}");
        let kept = notes.iter().all(|(_, text)| first.windows(text.len()).any(|bytes| bytes == text.as_bytes()));
        assert!(kept || format == ImageFormat::Png, "{format:?} {depth:?} lost a note");
    }
}

#[test]
fn dither_keeps_the_mean_of_a_slow_gradient_and_off_means_plain_rounding() {
    // A value a quarter of a step above 100: rounded it is 100 everywhere, dithered it averages out.
    let value = 100.25 / 255.0;
    let flat = vec![value; 64 * 64];
    let mean = |dither: bool| {
        let mut wanted = spec(64, 1, ImageFormat::Png, Depth::Eight);
        wanted.dither = dither;
        let (_, _, _, pixels) = read_png(&written(&wanted, &flat)).expect("our own");
        let Pixels::U8(bytes) = pixels else { panic!("8 bits were asked for") };
        assert!(bytes.iter().all(|b| (100..=101).contains(b)));
        bytes.iter().map(|&b| f64::from(b)).sum::<f64>() / bytes.len() as f64
    };
    assert_eq!(mean(false), 100.0);
    assert!((mean(true) - 100.25).abs() < 0.01, "{}", mean(true));
}

#[test]
fn a_small_picture_is_whole() {
    let mut out = Vec::new();
    write_png(&mut out, 2, 3, &[1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12]).expect("memory");
    let (width, height, channels, pixels) = read_png(&out).expect("our own");
    assert_eq!((width, height, channels), (2, 2, 3));
    assert_eq!(pixels, Pixels::U8((1..=12).collect()));
}

#[test]
fn a_source_that_ends_early_is_an_error() {
    for format in [ImageFormat::Png, ImageFormat::Tiff, ImageFormat::Exr] {
        let wanted = spec(32, 1, format, if format == ImageFormat::Exr { Depth::Float } else { Depth::Eight });
        let mut out = Cursor::new(Vec::new());
        let result = write_image(&mut out, &wanted, &mut |sink: &mut RowSink| {
            sink(&[0.5; 32])?;
            Err("the spool is gone".to_owned().into())
        });
        assert!(result.is_err(), "{format:?}");
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(200))]

    /// Cut or scribbled pictures give an error with the file's name, or a picture; never a crash.
    #[test]
    fn damaged_pictures_are_refused_in_words(
        format in prop::sample::select(vec![ImageFormat::Png, ImageFormat::Tiff, ImageFormat::Exr, ImageFormat::Tga]),
        cut in 0usize..2000,
        scribbles in proptest::collection::vec((0usize..2000, any::<u8>()), 0..8),
    ) {
        let depth = if format == ImageFormat::Exr { Depth::Float } else { Depth::Eight };
        let mut bytes = written(&spec(19, 3, format, depth), &values(19, 3));
        for (at, byte) in scribbles {
            let length = bytes.len();
            bytes[at % length] = byte;
        }
        bytes.truncate(bytes.len().saturating_sub(cut % 1500));
        let name = format!("broken.{}", format.extension());
        if let Err(fault) = read_image(&name, &bytes) {
            prop_assert!(fault.to_string().starts_with(&name) && !fault.remedy.is_empty());
        }
    }
}

/// The window that is shown may be small and the one of the data huge: it is the data that is unpacked.
#[test]
fn an_exr_whose_data_is_larger_than_it_can_hold_is_refused() {
    let mut bytes = written(&spec(19, 3, ImageFormat::Exr, Depth::Float), &values(19, 3));
    let name = b"dataWindow\0box2i\0";
    let at = bytes.windows(name.len()).position(|w| w == name).expect("every EXR has one") + name.len() + 4;
    // The corners are least x, least y, greatest x, greatest y.
    bytes[at + 8..at + 12].copy_from_slice(&300_000i32.to_le_bytes());
    bytes[at + 12..at + 16].copy_from_slice(&300_000i32.to_le_bytes());
    let fault = read_image("wide.exr", &bytes).expect_err("a terabyte");
    assert!(fault.fault.contains("can hold") || fault.fault.contains("decoded"), "{fault}");
}

#[test]
fn a_write_that_fails_leaves_the_old_file_and_no_rest() {
    let folder = tempfile::tempdir().expect("a folder");
    let path = folder.path().join("map.png");
    write_whole(&path, |f| std::io::Write::write_all(f, b"old")).expect("written");
    let failed = write_whole(&path, |f| {
        std::io::Write::write_all(f, b"new")?;
        Err(std::io::Error::other("the disk is full"))
    });
    assert!(failed.is_err());
    assert_eq!(std::fs::read(&path).expect("there"), b"old");
    assert_eq!(std::fs::read_dir(folder.path()).expect("folder").count(), 1);
}

#[test]
fn tiles_wait_in_a_file_as_they_do_in_memory() {
    let folder = tempfile::tempdir().expect("a folder");
    let spools: [Arc<dyn Spool>; 2] =
        [spool_for(1, folder.path()).expect("memory"), spool_for(u64::MAX, folder.path()).expect("a file")];
    for spool in spools {
        for slot in [5usize, 0, 9] {
            spool.keep(slot, vec![slot as u8; 1000 + slot]).expect("room");
        }
        let mut bytes = vec![1];
        assert_eq!((spool.fetch(3, &mut bytes), bytes.len()), (Ok(false), 0));
        assert_eq!(spool.fetch(9, &mut bytes), Ok(true));
        assert!(bytes == vec![9; 1009]);
    }
    assert_eq!(std::fs::read_dir(folder.path()).expect("folder").count(), 0, "nothing stays behind");
}
