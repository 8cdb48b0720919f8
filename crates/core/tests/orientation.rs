//! Which way green points, from normal maps alone: of surfaces given by a formula, of a bake, and of pictures that say nothing.

use crate::support::*;
use ember_ridge_core::maps::{Green, LEAST_MARGIN, MapSettings, NormalSettings, green_of};
use ember_ridge_core::picture::{Coding, Image, Pixels};

const SIDE: u32 = 96;

/// The tangent-space normals of heights over the unit square, by the formula of their slopes along u and v, to 8 bit.
fn painted(slopes: impl Fn(f32, f32) -> [f32; 2], green: Green) -> Image {
    let texel = |n: u32| {
        let (u, v) = ((n % SIDE) as f32 / SIDE as f32, 1.0 - (n / SIDE) as f32 / SIDE as f32);
        let [along_u, along_v] = slopes(u, v);
        let long = (along_u * along_u + along_v * along_v + 1.0).sqrt();
        let up = if green == Green::Up { -along_v } else { along_v };
        [-along_u / long, up / long, 1.0 / long].map(|c| ((c * 0.5 + 0.5) * 255.0).round() as u8)
    };
    Image::new(SIDE, SIDE, 3, Pixels::U8((0..SIDE * SIDE).flat_map(texel).collect()), Coding::Srgb)
}

#[test]
fn surfaces_by_formula_are_told_both_ways_round() {
    // Round bumps: height = cos(au) cos(bv); a saddle-like wave across both axes; grooves that run aslant.
    let bumps =
        |u: f32, v: f32| [-0.9 * (30.0 * u).sin() * (24.0 * v).cos(), -0.7 * (30.0 * u).cos() * (24.0 * v).sin()];
    let grooves = |u: f32, v: f32| [0.6 * (20.0 * u + 13.0 * v).cos(), 0.39 * (20.0 * u + 13.0 * v).cos()];
    for green in [Green::Up, Green::Down] {
        for image in [painted(bumps, green), painted(grooves, green)] {
            let guess = green_of(&image).expect("it bends");
            assert!(guess.green == green && guess.margin > 4.0, "{green:?}: {guess:?}");
        }
    }
}

#[test]
fn what_does_not_bend_or_is_no_surface_says_nothing() {
    let flat = painted(|_, _| [0.0, 0.0], Green::Up);
    // Waves along one axis alone look the same either way.
    let waves = painted(|u, _| [0.8 * (40.0 * u).cos(), 0.0], Green::Up);
    let mut seed = 7u32;
    let mut noise = || {
        seed = seed.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        (seed >> 24) as f32 / 255.0 - 0.5
    };
    let pairs: Vec<[f32; 2]> = (0..SIDE * SIDE).map(|_| [0.6 * noise(), 0.6 * noise()]).collect();
    let at = |u: f32, v: f32| {
        pairs[((u * SIDE as f32) as u32 + SIDE * (((1.0 - v) * SIDE as f32).round() as u32).min(SIDE - 1)) as usize]
    };
    let noisy = painted(at, Green::Up);
    let grey = Image::new(SIDE, SIDE, 1, Pixels::U8(vec![90; (SIDE * SIDE) as usize]), Coding::Srgb);
    let single = Image::new(1, 1, 3, Pixels::U8(vec![128, 128, 255]), Coding::Srgb);
    for (name, image) in [("flat", flat), ("waves", waves), ("noise", noisy), ("grey", grey), ("a texel", single)] {
        assert_eq!(green_of(&image), None, "{name}");
    }
}

#[test]
fn a_baked_normal_map_is_told_as_it_was_baked() {
    let bumps = height_field("high", 40, |x, z| 0.03 * (22.0 * x).sin() * (19.0 * z).cos());
    for y in [Green::Up, Green::Down] {
        let map = MapSettings::Normal(NormalSettings { y, ..NormalSettings::default() });
        let baked = bake(&recipe(128, 1, (0.2, 0.2), vec![map]), &flat(), &[&bumps]);
        let image = Image::new(128, 128, 3, baked.maps[0].pixels.clone(), Coding::Srgb);
        let guess = green_of(&image).expect("it bends");
        assert!(guess.green == y && guess.margin > 2.0 * LEAST_MARGIN, "{y:?}: {guess:?}");
    }
}
