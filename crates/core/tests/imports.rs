//! Maps that another program made: what files are taken for by their names, and what of them cannot be taken.

use crate::support::*;
use ember_ridge_core::Recipe;
use ember_ridge_core::glam;
use ember_ridge_core::import::{
    ImportFault, ImportedFile, Reading, SuffixRule, green_named, imported_report, sort_by_suffix,
};
use ember_ridge_core::maps::{Green, MapSettings, NormalSettings, Reads};
use ember_ridge_core::picture::{Coding, Depth, Image, Pixels};
use ember_ridge_core::review::{MapFile, compare};
use ember_ridge_core::sheet::Layout;

#[test]
fn files_are_taken_for_what_their_names_end_in() {
    let cases = [
        ("lantern_normal.png", Some("normal")),
        ("Lantern_Normal_DX_4k.tga", Some("normal")),
        ("crate-ambient-occlusion.tif", Some("ao")),
        ("crateAO.png", Some("ao")),
        ("crate_AO_v012.png", Some("ao")),
        ("stoneBaseColor.jpg", Some("base-color")),
        ("stone.worldSpaceNormal.exr", Some("normal-object")),
        ("stone_bent_normal.png", Some("bent-normal")),
        ("stone_Height_16bit.png", Some("displacement")),
        ("stone_n.png", Some("normal")),
        ("normal_stone.png", None),
        ("stone.png", None),
        ("1024.png", None),
        ("_.png", None),
        ("", None),
    ];
    for (file, map) in cases {
        let sorted = sort_by_suffix(file, &[], &[]);
        assert_eq!((sorted.map.as_deref(), sorted.sheet), (map, Some(0)), "{file}");
    }
}

#[test]
fn sheets_are_found_anywhere_in_a_name_and_ones_own_rules_go_first() {
    let tiles = ["1001".to_owned(), "1002".to_owned()];
    for (file, map, sheet) in [
        ("boat.1002.normal.exr", Some("normal"), Some(1)),
        ("boat_ao_1001.png", Some("ao"), Some(0)),
        ("boat_ao.png", Some("ao"), None),
        ("boat_2048_1002.png", None, Some(1)),
    ] {
        let sorted = sort_by_suffix(file, &tiles, &[]);
        assert_eq!((sorted.map.as_deref(), sorted.sheet), (map, sheet), "{file}");
    }
    // Of two materials the longer name is meant where both fit.
    let materials = ["brass".to_owned(), "old brass".to_owned()];
    assert_eq!(sort_by_suffix("lamp_OldBrass_rough.png", &materials, &[]).sheet, Some(1));
    assert_eq!(sort_by_suffix("lamp_brass_rough.png", &materials, &[]).sheet, Some(0));
    let rules = [SuffixRule { suffix: "_h".into(), map: "displacement".into() }];
    assert_eq!(sort_by_suffix("lamp_h.png", &[], &rules).map.as_deref(), Some("displacement"));
    assert_eq!(green_named("lamp_normalDX.png"), Some(Green::Down));
    assert_eq!(green_named("lamp_normal_OpenGL.png"), Some(Green::Up));
    assert_eq!(green_named("glass_normal.png"), None);
}

fn asset() -> Recipe {
    recipe(64, 1, (0.1, 0.1), Vec::new())
}

fn grey(side: u32, pixels: Pixels) -> Image {
    Image::new(side, side, 1, pixels, Coding::Srgb)
}

#[test]
fn what_cannot_stand_beside_the_others_is_refused_by_name() {
    let (low, recipe) = (flat(), asset());
    let eight = |side: u32| grey(side, Pixels::U8(vec![100; (side * side) as usize]));
    let of = |file: &str, map: &str, image: &Image| ImportedFile::of(file, map, 0, image);
    let refused = |files: &[ImportedFile]| -> ImportFault {
        imported_report(&recipe, &low, 1.0, files, Reading::default()).expect_err("refused")
    };
    let wide = Image::new(32, 16, 1, Pixels::U8(vec![0; 512]), Coding::Srgb);
    for (files, file, words) in [
        (vec![], "import", "none of the files"),
        (vec![of("a_ao.png", "ao", &wide)], "a_ao.png", "32 x 16"),
        (vec![of("a.png", "ao", &eight(32)), of("b.png", "cavity", &eight(16))], "b.png", "16 texels wide"),
        (vec![of("a.png", "ao", &eight(32)), of("b.png", "ao", &eight(32))], "b.png", "a.png was taken for ao already"),
        (vec![of("a.png", "normal", &eight(32))], "a.png", "three channels"),
        (vec![of("a.png", "displacement", &eight(32))], "a.png", "without a scale"),
        (vec![of("a.png", "mask:dust", &eight(32))], "a.png", "no map 'mask:dust'"),
        (vec![of("a.png", "nonsense", &eight(32))], "a.png", "no map 'nonsense'"),
        (vec![ImportedFile::of("a.png", "ao", 3, &eight(32))], "a.png", "1 sheets"),
    ] {
        let fault = refused(&files);
        assert_eq!(fault.file, file, "{fault}");
        assert!(fault.fault.contains(words) && !fault.remedy.is_empty(), "{fault}");
    }
    let mut tiled = recipe.clone();
    tiled.sheet.layout = Layout::Udim;
    // Half of it on the next tile.
    let two = with_uvs(&flat(), |uv| glam::Vec2::new(uv.x * 2.0, uv.y));
    let one = [of("a.1001.ao.png", "ao", &eight(32))];
    let fault = imported_report(&tiled, &two, 1.0, &one, Reading::default()).expect_err("a tile is missing");
    assert!(fault.fault.contains("ao lacks the sheet 1002"), "{fault}");

    // Sheets of one map are read alike, and what is furthest from 0 on any of them is known.
    let tile =
        |file: &str, sheet: usize, pixels: Pixels| ImportedFile::of(file, "displacement", sheet, &grey(16, pixels));
    let floats = |value: f32| Pixels::F32(vec![value; 256]);
    let mixed = [tile("a.1001.exr", 0, floats(0.1)), tile("a.1002.png", 1, Pixels::U16(vec![0; 256]))];
    let fault = imported_report(&tiled, &two, 1.0, &mixed, Reading::default()).expect_err("of two depths");
    assert!(fault.file == "a.1002.png" && fault.fault.contains("16 bit, and a.1001.exr 32-bit float"), "{fault}");
    let both = [tile("a.1001.exr", 0, floats(0.1)), tile("a.1002.exr", 1, floats(-0.7))];
    let (report, _) = imported_report(&tiled, &two, 1.0, &both, Reading::default()).expect("of one depth");
    assert_eq!(report.maps["displacement"].extreme, Some(0.7));
    assert_eq!(report.maps["displacement"].files.len(), 2);
}

#[test]
fn heights_are_read_by_the_scale_that_is_told_and_floats_as_they_are() {
    let told = |image: &Image, scale: Option<f32>| {
        let file = ImportedFile::of("a_disp.png", "displacement", 0, image);
        let reading = Reading { scale, green: None };
        let (report, _) = imported_report(&asset(), &flat(), 1.0, &[file], reading).expect("taken");
        assert_eq!(report.recipe.sheet.size, 16);
        report.maps["displacement"].clone()
    };
    // Sixteen bit, half of white above mid-grey: a quarter of 2 units, against the same height as a float.
    let whole = grey(16, Pixels::U16(vec![49151; 256]));
    let float = grey(16, Pixels::F32(vec![0.5; 256]));
    let (a, b) = (told(&whole, Some(2.0)), told(&float, None));
    assert_eq!((a.depth, b.depth, b.extreme), (Depth::Sixteen, Depth::Float, Some(0.5)));
    let file = |image, map: &ember_ridge_core::bake::MapReport| MapFile {
        image,
        reads: map.reads.expect("told"),
        scale: map.scale,
    };
    let apart = compare([[file(&whole, &a), file(&float, &b)]], &|_, _| true).expect("of one size");
    assert!(apart.difference.max < 2e-5, "{apart:?}");
}

#[test]
fn green_is_as_told_or_as_the_slopes_say_or_as_the_name_says() {
    let bumps = height_field("high", 40, |x, z| 0.03 * (22.0 * x).sin() * (19.0 * z).cos());
    let map = MapSettings::Normal(NormalSettings { y: Green::Down, ..NormalSettings::default() });
    let baked = bake(&recipe(128, 1, (0.2, 0.2), vec![map]), &flat(), &[&bumps]);
    let down = Image::new(128, 128, 3, baked.maps[0].pixels.clone(), Coding::Srgb);
    let level = Image::new(128, 128, 3, Pixels::U8([128, 128, 255].repeat(128 * 128)), Coding::Srgb);
    let read = |file: &str, image: &Image, green: Option<Green>| {
        let of = ImportedFile::of(file, "normal", 0, image);
        let reading = Reading { green, scale: None };
        let (report, told) = imported_report(&asset(), &flat(), 1.0, &[of], reading).expect("taken");
        let Some(Reads::Direction { y }) = report.maps["normal"].reads else { panic!("a direction") };
        (y, told.join("\n"))
    };
    let (y, told) = read("a_normal_gl.png", &down, None);
    assert!(y == Green::Down && told.contains("times worse"), "{told}");
    assert_eq!(read("a_normal.png", &down, Some(Green::Up)), (Green::Up, String::new()));
    let (y, told) = read("a_normal_dx.png", &level, None);
    assert!(y == Green::Down && told.contains("as its name says"), "{told}");
    let (y, told) = read("a_normal.png", &level, None);
    assert!(y == Green::Up && told.contains("for want of a hint"), "{told}");
}
