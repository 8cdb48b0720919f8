//! Squares of a map: at full size the very numbers of its file, at smaller sizes their mean; damaged ones are refused.

use ember_ridge_core::picture::{Depth, ImageFormat, linear_to_srgb, srgb_to_linear};
use ember_ridge_formats::image::{
    ImageSpec, Pyramid, PyramidWriter, RowSink, SQUARE, level_sizes, read_image, write_image,
};
use std::io::Cursor;

/// Not a multiple of a square's side, and odd: the last texel of a row has no neighbour.
const SIZE: u32 = 2 * SQUARE + 37;

fn spec(channels: usize, format: ImageFormat, depth: Depth) -> ImageSpec {
    ImageSpec { size: SIZE, channels, format, depth, color: false, dither: false, notes: Vec::new() }
}

fn values(channels: usize) -> Vec<f32> {
    (0..(SIZE * SIZE) as usize * channels).map(|i| (i * 7919 % 10007) as f32 / 10006.0).collect()
}

/// The squares of a map whose rows come unevenly.
fn squares(spec: &ImageSpec, values: &[f32]) -> Pyramid<Cursor<Vec<u8>>> {
    Pyramid::open(Cursor::new(packed(spec, values))).expect("squares")
}

fn packed(spec: &ImageSpec, values: &[f32]) -> Vec<u8> {
    let mut writer = PyramidWriter::new(Vec::new(), spec).expect("memory");
    let row = SIZE as usize * spec.channels;
    let (first, rest) = values.split_at(row);
    writer.push(first).expect("memory");
    rest.chunks(row * 5).for_each(|rows| writer.push(rows).expect("memory"));
    writer.finish().expect("all rows")
}

#[test]
fn at_full_size_they_hold_the_numbers_of_the_file() {
    let (png, tiff, exr) = (ImageFormat::Png, ImageFormat::Tiff, ImageFormat::Exr);
    let kinds = [
        (png, Depth::Eight, false, true),
        (png, Depth::Sixteen, false, false),
        (png, Depth::Eight, true, false),
        (tiff, Depth::Float, false, false),
        (exr, Depth::Sixteen, false, false),
        (exr, Depth::Sixteen, true, false),
        (exr, Depth::Float, true, false),
    ];
    for channels in [1, 3] {
        for (format, depth, color, dither) in kinds {
            let spec = ImageSpec { color, dither, ..spec(channels, format, depth) };
            let values = values(channels);
            let mut file = Cursor::new(Vec::new());
            write_image(&mut file, &spec, &mut |sink: &mut RowSink| sink(&values)).expect("memory");
            let file = read_image(&format!("map.{}", format.extension()), &file.into_inner()).expect("the file");
            let mut squares = squares(&spec, &values);
            assert_eq!(squares.coding(), file.coding);
            for (column, row) in [(0, 0), (1, 2), (2, 1), (2, 2)] {
                let square = squares.square(0, column, row).expect("a square");
                for (x, y) in (0..square.height).flat_map(|y| (0..square.width).map(move |x| (x, y))) {
                    let at = (column * SQUARE + x, row * SQUARE + y);
                    assert_eq!(square.texel(x, y), file.texel(at.0, at.1), "{format:?} {depth:?} {at:?}");
                }
            }
            for at in [(0, 0), (SIZE - 1, SIZE - 1), (SQUARE, SQUARE - 1)] {
                assert_eq!(squares.texel(at.0, at.1).expect("a texel"), file.texel(at.0, at.1));
            }
        }
    }
}

#[test]
fn smaller_sizes_are_the_mean_of_four_and_colours_are_mixed_as_light() {
    assert_eq!(level_sizes(SIZE), [549, 275, 138]);
    assert_eq!(level_sizes(16384), [16384, 8192, 4096, 2048, 1024, 512, 256]);
    assert_eq!(level_sizes(100), [100]);
    for color in [false, true] {
        let spec = ImageSpec { color, ..spec(3, ImageFormat::Png, Depth::Sixteen) };
        let mut squares = squares(&spec, &values(3));
        let (full, half) = (squares.level(0).expect("a level"), squares.level(1).expect("a level"));
        assert_eq!((half.width, half.height), (275, 275));
        let to = |value: f32| if color { srgb_to_linear(value) } else { value };
        let from = |value: f32| if color { linear_to_srgb(value) } else { value };
        for (x, y) in (0..275).flat_map(|y| (0..275).map(move |x| (x, y))) {
            let across = |v: u32| (2 * v..2 * v + 2).filter(|v| *v < SIZE);
            let under: Vec<[f32; 4]> =
                across(y).flat_map(|y| across(x).map(move |x| (x, y))).map(|(x, y)| full.texel(x, y)).collect();
            for c in 0..3 {
                let mean = from(under.iter().map(|texel| to(texel[c])).sum::<f32>() / under.len() as f32);
                let told = half.texel(x, y)[c];
                assert!((told - mean).abs() < 1.0 / 65535.0, "{x} {y}: {told}, not {mean}");
            }
        }
    }
}

#[test]
fn a_damaged_file_is_refused_and_no_other_square_with_it() {
    let spec = spec(1, ImageFormat::Png, Depth::Sixteen);
    let whole = packed(&spec, &values(1));
    let open = |bytes: Vec<u8>| Pyramid::open(Cursor::new(bytes));
    // Bytes of the first square were changed.
    let mut torn = whole.clone();
    torn[200..240].fill(0x55);
    let mut torn = open(torn).expect("its head is whole");
    torn.square(0, 0, 0).expect_err("it is damaged");
    torn.square(0, 1, 0).expect("this one is whole");
    torn.square(0, 3, 0).expect_err("there are three across");
    torn.square(3, 0, 0).expect_err("there are three levels");
    assert!(open(whole[..100].to_vec()).is_err());
    assert!(open(b"no squares at all, but long enough for a head".to_vec()).is_err());
    let mut missing = PyramidWriter::new(Vec::new(), &spec).expect("memory");
    missing.push(&vec![0.5; SIZE as usize * 7]).expect("memory");
    assert!(missing.finish().is_err(), "rows are missing");
}
