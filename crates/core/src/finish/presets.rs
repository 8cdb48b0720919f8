//! Places to start from. Each is a place like any other, in lengths that suit the size of the asset; nothing in it is hidden.

use super::patterns::{NoiseForm, NoiseSettings, PatternSettings};
use super::settings::{BreakUp, Combine, OPEN_END, PlaceSettings, Term};
use super::signal::Signal;
use super::words::figures;
use crate::surface::Axis;
use glam::Vec3;

/// A place to start from.
pub struct Preset {
    pub id: &'static str,
    pub name: &'static str,
    /// One line of what it is for.
    pub explains: &'static str,
    make: fn(&Body) -> PlaceSettings,
}

/// The asset that a preset is made for.
pub struct Body {
    /// Corner to corner, scene units.
    pub diagonal: f32,
    /// Its box: low and high corner.
    pub bounds: (Vec3, Vec3),
}

impl Body {
    /// The asset of meshes.
    pub fn of(diagonal: f32, low: (Vec3, Vec3), high: (Vec3, Vec3)) -> Body {
        Body { diagonal, bounds: (low.0.min(high.0), low.1.max(high.1)) }
    }

    /// A share of the diagonal, to two figures so that it reads well.
    pub(super) fn share(&self, share: f32) -> f32 {
        rounded(share * self.diagonal)
    }

    /// A coordinate at a share of the way up.
    pub(super) fn up(&self, share: f32) -> f32 {
        let (low, high) = self.bounds;
        rounded_to(low.y + share * (high.y - low.y), 0.01 * (high.y - low.y))
    }
}

/// A number to two figures.
pub fn rounded(value: f32) -> f32 {
    let step = libm::powf(10.0, libm::log10f(value.abs().max(f32::MIN_POSITIVE)).floor() - 1.0);
    figures((value / step).round() * step).parse().unwrap_or(value)
}

/// To a decimal place no coarser than `step`.
fn rounded_to(value: f32, step: f32) -> f32 {
    let unit = libm::powf(10.0, libm::log10f(step.max(f32::MIN_POSITIVE)).floor());
    figures((value / unit).round() * unit).parse().unwrap_or(value)
}

pub(super) fn noise(size: f32) -> NoiseSettings {
    NoiseSettings { size, ..NoiseSettings::default() }
}

pub(super) fn term(signal: Signal, from: [f32; 2], to: [f32; 2]) -> Term {
    Term { signal, from, to, combine: Combine::And, break_up: None }
}

impl Term {
    pub(super) fn frayed(self, amount: f32, pattern: NoiseSettings) -> Term {
        Term { break_up: Some(BreakUp { amount, pattern: PatternSettings::Noise(pattern) }), ..self }
    }

    pub(super) fn joined(self, combine: Combine) -> Term {
        Term { combine, ..self }
    }
}

pub(super) fn place(terms: impl Into<Vec<Term>>) -> PlaceSettings {
    PlaceSettings { terms: terms.into(), ..PlaceSettings::default() }
}

pub(super) fn facing_up(from: [f32; 2], to: [f32; 2]) -> Term {
    term(Signal::Facing { direction: [0.0, 1.0, 0.0] }, from, to)
}

/// All of them, in the order they are offered.
pub const PRESETS: &[Preset] = &[
    Preset {
        id: "edge-wear",
        name: "edge wear",
        explains: "Worn edges, frayed by noise.",
        make: |body| {
            let edges = term(Signal::Curvature { size: body.share(0.008) }, [0.3, 0.5], [1.0, 1.0]);
            place([edges.frayed(0.25, noise(body.share(0.05)))])
        },
    },
    Preset {
        id: "crevice-dirt",
        name: "crevice dirt",
        explains: "Dirt that gathers in creases and corners.",
        make: |body| {
            let closed = term(Signal::Occlusion { distance: body.share(0.06) }, [0.0, 0.0], [0.45, 0.85]);
            place([closed.frayed(0.2, noise(body.share(0.04)))])
        },
    },
    Preset {
        id: "rain-washed-top",
        name: "rain-washed top",
        explains: "Open places that face up, washed in streaks.",
        make: |body| {
            let up = facing_up([0.35, 0.75], [1.0, 1.0]).frayed(0.35, noise(body.share(0.08)));
            place([up, term(Signal::Occlusion { distance: body.share(0.2) }, [0.4, 0.75], [1.0, 1.0])])
        },
    },
    Preset {
        id: "ground-splash",
        name: "ground splash",
        explains: "Mud thrown up from the ground.",
        make: |body| {
            let (low, top) = (body.up(0.0), body.up(0.28));
            let height = top - low;
            let low_down = term(Signal::Height { axis: Axis::Y }, [-OPEN_END; 2], [low, top]);
            let speckled = NoiseSettings { octaves: 5, gain: 0.65, ..noise(body.share(0.04)) };
            place([low_down.frayed(rounded(0.7 * height), speckled)])
        },
    },
    Preset {
        id: "dust",
        name: "dust",
        explains: "Dust that settles on what faces up, most of all in sheltered corners.",
        make: |body| {
            let up = facing_up([0.45, 0.85], [1.0, 1.0]).frayed(0.2, noise(body.share(0.1)));
            let corners = term(Signal::Occlusion { distance: body.share(0.1) }, [0.0, 0.0], [0.35, 0.7]);
            let any_up = facing_up([0.0, 0.3], [1.0, 1.0]);
            place([corners, any_up, up.joined(Combine::Or)])
        },
    },
    Preset {
        id: "handled-places",
        name: "handled places",
        explains: "Open, bulging places that hands rub smooth.",
        make: |body| {
            let bulging = term(Signal::Curvature { size: body.share(0.04) }, [0.08, 0.3], [1.0, 1.0]);
            let open = term(Signal::Occlusion { distance: body.share(0.15) }, [0.7, 0.9], [1.0, 1.0]);
            place([bulging.frayed(0.12, noise(body.share(0.06))), open])
        },
    },
    Preset {
        id: "sun-side",
        name: "sun side",
        explains: "The side that the sun bleaches.",
        make: |body| {
            let sun = term(Signal::Facing { direction: [0.5, 0.7, 0.5] }, [0.1, 0.7], [1.0, 1.0]);
            let open = term(Signal::Occlusion { distance: body.share(0.3) }, [0.35, 0.8], [1.0, 1.0]);
            place([sun.frayed(0.25, noise(body.share(0.15))), open])
        },
    },
    Preset {
        id: "drips-below-edges",
        name: "drips below edges",
        explains: "Streaks that run down walls from under rims.",
        make: |body| {
            let streaks = NoiseSettings {
                stretch: 12.0,
                along: Axis::Y,
                form: NoiseForm::Plain,
                octaves: 3,
                ..noise(body.share(0.02))
            };
            let under_rims = term(Signal::Occlusion { distance: body.share(0.12) }, [0.0, 0.0], [0.5, 0.75]);
            let walls = facing_up([-0.6, -0.35], [0.35, 0.6]);
            place([under_rims.frayed(0.55, streaks), walls])
        },
    },
];

impl Preset {
    /// The place for an asset.
    pub fn place(&self, body: &Body) -> PlaceSettings {
        (self.make)(body)
    }
}
