//! Finishes to start from, for the things of a ranger's ridge. Each is a finish like any other, in lengths that suit the size of the
//! asset; nothing in it is hidden.

mod ground;
mod grown;
mod metals;

use super::coats::{Base, BaseColor, Blend, Coat, Finish, SetColor, SetNumber, Sets};
use super::color::Color;
use super::patterns::{
    CellValue, CellsSettings, NoiseForm, NoiseSettings, PatternSettings, ScratchesSettings, Space, SpecklesSettings,
    Warp, WeaveSettings,
};
use super::presets::{Body, facing_up, noise, place, rounded, term};
use super::settings::{Combine, OPEN_END, PlaceSettings, Term};
use super::signal::Signal;
use crate::surface::Axis;

/// A finish to start from.
pub struct ReadyFinish {
    pub name: &'static str,
    /// One line of what it is for.
    pub explains: &'static str,
    pub tags: &'static [&'static str],
    make: fn(&Body) -> (Base, Vec<Coat>),
}

impl ReadyFinish {
    /// The finish for an asset, given to all of it.
    pub fn finish(&self, body: &Body) -> Finish {
        let (base, coats) = (self.make)(body);
        Finish::everywhere(self.name, base, coats)
    }

    /// The one of this name.
    pub fn named(name: &str) -> Option<&'static ReadyFinish> {
        READY_FINISHES.iter().find(|ready| ready.name == name)
    }
}

const fn rgb(number: u32) -> Color {
    let [_, r, g, b] = number.to_be_bytes();
    Color([r, g, b])
}

fn base(color: u32, roughness: f32, metallic: f32) -> Base {
    Base { color: BaseColor::Value(rgb(color)), roughness, metallic, ..Base::default() }
}

fn coat(name: &str, place: PlaceSettings, sets: Sets) -> Coat {
    Coat { name: name.into(), sets, place, amount: 1.0, muted: false, solo: false, group: None }
}

impl Coat {
    fn at(self, amount: f32) -> Coat {
        Coat { amount, ..self }
    }
}

fn everywhere() -> PlaceSettings {
    PlaceSettings::default()
}

fn sets(color: SetColor) -> Sets {
    Sets { color: Some(color), ..Sets::default() }
}

fn plain(color: u32) -> Sets {
    sets(SetColor::to(rgb(color)))
}

fn between(over: PatternSettings, stops: &[(f32, u32)]) -> SetColor {
    let stops: Vec<(f32, Color)> = stops.iter().map(|(at, color)| (*at, rgb(*color))).collect();
    SetColor::ramp(Signal::Pattern { pattern: over }, stops)
}

fn numbers(over: PatternSettings, stops: &[(f32, f32)]) -> SetNumber {
    SetNumber::ramp(Signal::Pattern { pattern: over }, stops)
}

impl Sets {
    fn rough(self, value: f32) -> Sets {
        Sets { roughness: Some(SetNumber::to(value)), ..self }
    }

    fn metal(self, value: f32) -> Sets {
        Sets { metallic: Some(SetNumber::to(value)), ..self }
    }

    fn raised(self, by: f32) -> Sets {
        Sets { height: Some(SetNumber::to(by).blended(Blend::Add)), ..self }
    }

    fn relief(self, height: SetNumber) -> Sets {
        Sets { height: Some(height.blended(Blend::Add)), ..self }
    }
}

fn blotches(size: f32, octaves: u32) -> PatternSettings {
    PatternSettings::Noise(NoiseSettings { octaves, gain: 0.55, ..noise(size) })
}

fn seeded(size: f32, octaves: u32, seed: u32) -> PatternSettings {
    PatternSettings::Noise(NoiseSettings { octaves, gain: 0.55, seed, ..noise(size) })
}

/// Noise laid out over the UVs.
fn over_uvs(pattern: PatternSettings) -> PatternSettings {
    match pattern {
        PatternSettings::Noise(noise) => PatternSettings::Noise(NoiseSettings { space: Space::Uv, ..noise }),
        other => other,
    }
}

fn streaks(size: f32, along: Axis, stretch: f32) -> PatternSettings {
    PatternSettings::Noise(NoiseSettings { octaves: 4, stretch, along, ..noise(size) })
}

fn where_pattern(pattern: PatternSettings, from: [f32; 2]) -> Term {
    term(Signal::Pattern { pattern }, from, [1.0, 1.0])
}

fn edges(body: &Body, from: [f32; 2], fray: f32) -> Term {
    let edges = term(Signal::Curvature { size: body.share(0.008) }, from, [1.0, 1.0]);
    edges.frayed(fray, NoiseSettings { octaves: 5, gain: 0.6, ..noise(body.share(0.03)) })
}

fn corners(body: &Body, within: f32, to: [f32; 2]) -> Term {
    let closed = term(Signal::Occlusion { distance: body.share(within) }, [0.0, 0.0], to);
    closed.frayed(0.15, noise(body.share(0.04)))
}

fn tall(body: &Body, from: f32, to: f32) -> Term {
    let (low, top) = (body.up(from), body.up(to));
    let low_down = term(Signal::Height { axis: Axis::Y }, [-OPEN_END; 2], [low, top]);
    low_down.frayed(rounded(0.5 * (top - low)), NoiseSettings { octaves: 5, gain: 0.6, ..noise(body.share(0.04)) })
}

fn dust(body: &Body, color: u32) -> Coat {
    let up = facing_up([0.75, 1.05], [2.0, 2.0])
        .frayed(0.3, NoiseSettings { octaves: 5, gain: 0.6, ..noise(body.share(0.12)) });
    let sheltered = term(Signal::Occlusion { distance: body.share(0.1) }, [0.0, 0.0], [0.4, 0.75]);
    let settled = place([sheltered, facing_up([-0.1, 0.3], [1.0, 1.0]), up.joined(Combine::Or)]);
    coat("dust", settled, plain(color).rough(0.95).metal(0.0)).at(0.45)
}

/// Darkened corners: grime that rain does not reach.
fn grime(body: &Body, color: u32) -> Coat {
    let multiplied = sets(SetColor::to(rgb(color)).blended(Blend::Multiply)).rough(0.85);
    coat("grime", place([corners(body, 0.05, [0.45, 0.9])]), multiplied).at(0.8)
}

/// All of them, in the order they are offered.
pub const READY_FINISHES: &[ReadyFinish] = &[
    metals::WEATHERED_ENAMEL,
    metals::GALVANISED_SHEET,
    grown::CEDAR_SHINGLE,
    ground::LICHENED_GRANITE,
    metals::SOOTED_GLASS,
    grown::CREOSOTED_POST,
    metals::BRASS_WITH_VERDIGRIS,
    grown::WAXED_CANVAS,
    grown::DRY_MOSS,
    ground::TRAIL_DUST,
    metals::HOAR_FROST,
    ground::EMBER_GLOW,
    ground::TRAIL_GROUND,
];
