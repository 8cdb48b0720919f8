//! Maps held against each other, against arithmetic: a turn of one degree reads one degree, heights by their scale, colours as the eye
//! sees them, over covered texels alone.

use crate::support::*;
use ember_ridge_core::glam::{Quat, Vec3};
use ember_ridge_core::maps::{CurvatureSettings, Green, MapSettings, Reads, Unit};
use ember_ridge_core::picture::{Coding, Image, Pixels};
use ember_ridge_core::review::{Compared, MapFile, compare, difference_picture};
use ember_ridge_core::sheet::plan_sheets;
use ember_ridge_core::surface::Distance;

const SIDE: u32 = 8;

fn image(channels: usize, coding: Coding, value: impl Fn(usize) -> Vec<f32>) -> Image {
    let texels = (0..(SIDE * SIDE) as usize).flat_map(value).collect();
    Image::new(SIDE, SIDE, channels, Pixels::F32(texels), coding)
}

fn file(image: &Image, reads: Reads) -> MapFile<'_> {
    MapFile { image, reads, scale: None }
}

fn all(_: usize, _: usize) -> bool {
    true
}

fn told(a: MapFile, b: MapFile) -> Compared {
    compare([[a, b]], &all).expect("comparable")
}

#[test]
fn a_turn_of_a_degree_reads_a_degree_whichever_way_green_points() {
    let normal = |t: usize, turned: f32| {
        let n = Vec3::new(0.3 * (t as f32 * 0.7).sin(), 0.3 * (t as f32).cos(), 1.0).normalize();
        let axis = n.any_orthonormal_vector();
        Quat::from_axis_angle(axis, turned.to_radians()) * n
    };
    let map = |turned: f32, green: f32| {
        image(3, Coding::Linear, |t| {
            let n = normal(t, turned);
            [n.x, green * n.y, n.z].map(|c| c * 0.5 + 0.5).to_vec()
        })
    };
    let up = Reads::Direction { y: Green::Up };
    let found = told(file(&map(0.0, 1.0), up), file(&map(1.0, 1.0), up));
    assert_eq!(found.unit, "degrees");
    for angle in [found.difference.mean, found.difference.p99, found.difference.max] {
        assert!((angle - 1.0).abs() < 1e-3, "{found:?}");
    }
    let down = Reads::Direction { y: Green::Down };
    let same = told(file(&map(0.0, 1.0), up), file(&map(0.0, -1.0), down));
    assert!(same.difference.max < 1e-4, "{same:?}");
}

#[test]
fn heights_go_by_their_own_scales_and_bends_by_their_radius() {
    let (grey, half) = (image(1, Coding::Linear, |_| vec![0.75]), image(1, Coding::Linear, |_| vec![0.625]));
    let scaled = |image, scale| MapFile { image, reads: Reads::Height, scale };
    let same = told(scaled(&grey, Some(0.2)), scaled(&half, Some(0.4)));
    assert!(same.difference.max < 1e-7 && same.unit == "units", "{same:?}");
    let apart = told(scaled(&grey, Some(0.2)), scaled(&half, None));
    assert!((apart.difference.mean - (0.625 - 0.05)).abs() < 1e-6, "{apart:?}");

    // A ball of radius 0.5 bends by 2; with 0.25 as full scale that is 0.75 of the file.
    let set = CurvatureSettings { radius: Distance::Units(0.25), ..CurvatureSettings::default() };
    let reads = MapSettings::Curvature(set).reads(1.0);
    assert_eq!(reads, Reads::Number { unit: Unit::PerUnit, zero: 0.5, span: 8.0 });
    let flat = image(1, Coding::Linear, |_| vec![0.5]);
    let bends = told(file(&grey, reads), file(&flat, reads));
    assert!((bends.difference.mean - 2.0).abs() < 1e-6 && bends.unit == "1/units", "{bends:?}");
}

#[test]
fn the_worst_texel_is_named_and_uncovered_ones_do_not_count() {
    let plain = image(1, Coding::Linear, |_| vec![0.5]);
    let marred = image(1, Coding::Linear, |t| vec![if t == 19 { 0.9 } else { 0.5 }]);
    let files = || [[file(&plain, Reads::SHARE), file(&marred, Reads::SHARE)]];
    let found = compare(files(), &all).expect("comparable");
    let worst = found.worst.expect("one differs");
    assert_eq!((worst.sheet, worst.x, worst.y, found.texels), (0, 3, 2, 64));
    assert!((found.difference.max - 0.4).abs() < 1e-6);
    let without = compare(files(), &|_, texel| texel != 19).expect("comparable");
    assert_eq!((without.worst, without.difference.max, without.texels), (None, 0.0, 63));
}

#[test]
fn colours_are_held_against_each_other_as_the_eye_sees_them() {
    // sRGB 128 is 0.2158605 of the light (IEC 61966-2-1).
    let encoded = image(3, Coding::Srgb, |_| vec![128.0 / 255.0; 3]);
    let light = image(3, Coding::Linear, |_| vec![0.215_860_5; 3]);
    let found = told(file(&encoded, Reads::Color), file(&light, Reads::Color));
    assert!(found.difference.max < 1e-3 && found.unit == "of 255", "{found:?}");
}

#[test]
fn maps_of_other_sizes_and_units_are_refused_in_words() {
    let plain = image(1, Coding::Linear, |_| vec![0.5]);
    let small = Image::new(4, 4, 1, Pixels::F32(vec![0.5; 16]), Coding::Linear);
    let refused = |a, b| compare([[a, b]], &all).expect_err("not comparable");
    let sizes = refused(file(&plain, Reads::SHARE), file(&small, Reads::SHARE));
    assert!(sizes.contains("8 x 8") && sizes.contains("4 x 4"), "{sizes}");
    let units = refused(file(&plain, Reads::SHARE), file(&plain, Reads::Height));
    assert!(units.contains("share") && units.contains("units"), "{units}");
}

#[test]
fn covered_texels_are_those_that_the_bake_covers() {
    let mut low = ball("ball", 0.5, 6);
    low.uvs = low.positions.iter().map(|p| (p.truncate() + 0.5) * 0.8).collect();
    for samples in [1, 4, 16] {
        let mut recipe = recipe(64, samples, (0.1, 0.1), vec![MapSettings::by_key("ao").expect("a map")]);
        recipe.sheet.samples = samples;
        let made = bake(&recipe, &low, &[&low]);
        let sheets = plan_sheets(&low, &recipe.sheet);
        let covered = sheets[0].coverage(samples);
        let wrong = (0..64 * 64).filter(|t| covered.get(*t) != made.covered[*t]).count();
        assert_eq!(wrong, 0, "{samples} samples");
        assert!(covered.count() > 500);
    }
}

#[test]
fn the_picture_of_a_difference_is_dark_where_they_agree_and_bright_at_the_most() {
    let share = Reads::SHARE;
    let (a, b) =
        (image(1, Coding::Linear, |_| vec![0.25]), image(1, Coding::Linear, |t| vec![0.25 + t as f32 / 128.0]));
    let covered = |at: usize| at != 5;
    let rows = difference_picture([file(&a, share), file(&b, share)], &covered, 0.25).expect("comparable");
    let texel = |at: usize| [rows[3 * at], rows[3 * at + 1], rows[3 * at + 2]];
    assert_eq!(rows.len(), 3 * 64);
    // Nothing, half of the most, all of it, more than that, and what is left out.
    assert_eq!(
        [0, 16, 32, 50, 5].map(texel),
        [[24, 24, 26], [200, 86, 42], [255, 240, 214], [255, 240, 214], [118, 118, 118]]
    );
    let light: Vec<u32> = (6..32).map(|at| texel(at).iter().map(|c| u32::from(*c)).sum()).collect();
    assert!(light.windows(2).all(|pair| pair[0] < pair[1]), "it gets lighter all the way: {light:?}");
    let small = Image::new(4, 4, 1, Pixels::F32(vec![0.0; 16]), Coding::Linear);
    assert!(difference_picture([file(&a, share), file(&small, share)], &covered, 1.0).is_err());
}
