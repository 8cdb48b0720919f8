//! Finishes of a few coats over the unit square, and bakes of them.

use super::support::*;
use ember_ridge_core::finish::*;
use ember_ridge_core::glam::Vec3;
use ember_ridge_core::maps::*;
use ember_ridge_core::picture::{Depth, ImageFormat};
use ember_ridge_core::recipe::Recipe;
use ember_ridge_core::surface::Axis;

/// Texels per side.
pub const SIZE: u32 = 64;

pub fn hex(text: &str) -> Color {
    Color::try_from(text.to_owned()).expect("a colour")
}

pub fn finish(name: &str, coats: Vec<Coat>) -> Finish {
    Finish::everywhere(name, Base::default(), coats)
}

pub fn coat(name: &str, sets: Sets) -> Coat {
    Coat {
        name: name.into(),
        sets,
        place: PlaceSettings::default(),
        amount: 1.0,
        muted: false,
        solo: false,
        group: None,
    }
}

pub fn color(set: SetColor) -> Sets {
    Sets { color: Some(set), ..Sets::default() }
}

pub fn height(set: SetNumber) -> Sets {
    Sets { height: Some(set), ..Sets::default() }
}

pub fn along_x(from: f32, to: f32) -> Signal {
    let gradient = GradientSettings { axis: Axis::X, from, to, ..GradientSettings::default() };
    Signal::Pattern { pattern: PatternSettings::Gradient(gradient) }
}

pub fn term(signal: Signal, from: [f32; 2], to: [f32; 2]) -> Term {
    Term { signal, from, to, combine: Combine::And, break_up: None }
}

pub fn recipe_of(finishes: Vec<Finish>, maps: &[&str]) -> Recipe {
    let maps = maps.iter().map(|key| MapSettings::by_key(key).expect("a map")).collect();
    let mut recipe = recipe(SIZE, 1, (0.5, 0.5), maps);
    recipe.sheet.depth = Depth::Float;
    recipe.sheet.format = ImageFormat::Tiff;
    recipe.finishes = finishes;
    recipe
}

/// The centre of a texel of [`flat`].
pub fn texel(t: usize) -> Vec3 {
    texel_of_flat(t, SIZE)
}

pub fn colors(whole: &Whole, map: &str) -> Vec<Vec3> {
    values(whole, map).chunks(3).map(Vec3::from_slice).collect()
}

/// A finish with relief of every kind: a coarse pattern, and a coat whose edge comes from another.
pub fn relief() -> Finish {
    let noise = |size: f32, seed: u32| {
        let settings = NoiseSettings { size, seed, octaves: 2, ..NoiseSettings::default() };
        PatternSettings::Noise(settings)
    };
    let mut waves =
        coat("waves", height(SetNumber::ramp(Signal::Pattern { pattern: noise(0.4, 1) }, [(0.0, 0.0), (1.0, 0.08)])));
    waves.amount = 0.9;
    let mut paint = coat("paint", height(SetNumber::to(0.02).blended(Blend::Add)));
    paint.place.terms = vec![term(Signal::Pattern { pattern: noise(0.5, 2) }, [0.4, 0.6], [2.0, 2.0])];
    finish("relief", vec![waves, paint])
}
