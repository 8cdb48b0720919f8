//! Places as sentences: what stands over a mask, in the ledger and on an undo step.

use super::settings::{Combine, OPEN_END, PlaceSettings, Term};
use super::signal::Signal;
use crate::surface::Axis;
use glam::Vec3;

/// A number to three figures, without trailing zeros.
pub fn figures(value: f32) -> String {
    if value == 0.0 || !value.is_finite() {
        return format!("{}", if value == 0.0 { 0.0 } else { value });
    }
    let decimals = (2.0 - libm::log10f(value.abs()).floor()).clamp(0.0, 9.0) as usize;
    let text = format!("{value:.decimals$}");
    if text.contains('.') { text.trim_end_matches('0').trim_end_matches('.').to_owned() } else { text }
}

pub(super) fn percent(share: f32) -> String {
    format!("{} %", figures(100.0 * share))
}

pub(super) fn listed(names: &[String]) -> String {
    match names {
        [] => "nothing".into(),
        [one] => one.clone(),
        [rest @ .., last] if names.len() < 4 => format!("{} and {last}", rest.join(", ")),
        [first, second, rest @ ..] => format!("{first}, {second} and {} more", rest.len()),
    }
}

/// Where a range begins and ends, at half of its soft ends; None on a side where it holds all that the signal can be.
struct Bounds {
    low: Option<f32>,
    high: Option<f32>,
}

impl Bounds {
    fn of(term: &Term) -> Bounds {
        let within = term.signal.info().range;
        let (low, high) = (0.5 * (term.from[0] + term.from[1]), 0.5 * (term.to[0] + term.to[1]));
        Bounds {
            low: (within.is_none_or(|[least, _]| term.from[1] > least) && low > -OPEN_END).then_some(low),
            high: (within.is_none_or(|[_, most]| term.to[0] < most) && high < OPEN_END).then_some(high),
        }
    }

    /// "above 0.3", "below 2", "from 0.3 to 2".
    fn words(&self, above: &str, below: &str, unit: impl Fn(f32) -> String) -> Option<String> {
        match (self.low, self.high) {
            (None, None) => None,
            (Some(low), None) => Some(format!("{above} {}", unit(low))),
            (None, Some(high)) => Some(format!("{below} {}", unit(high))),
            (Some(low), Some(high)) => Some(format!("from {} to {}", unit(low), unit(high))),
        }
    }
}

fn direction_words(direction: [f32; 3]) -> String {
    let unit = Vec3::from(direction).normalize_or_zero();
    let named =
        [(Vec3::Y, "up"), (-Vec3::Y, "down"), (Vec3::X, "+X"), (-Vec3::X, "-X"), (Vec3::Z, "+Z"), (-Vec3::Z, "-Z")];
    let near = named.into_iter().find(|(axis, _)| axis.dot(unit) > 0.999);
    near.map_or_else(|| format!("({})", unit.to_array().map(figures).join(", ")), |(_, name)| name.to_owned())
}

fn axis_words(axis: Axis) -> &'static str {
    match axis {
        Axis::X => "X",
        Axis::Y => "Y",
        Axis::Z => "Z",
    }
}

impl Signal {
    /// What is measured, as a short name with its settings: "curvature at 0.02".
    pub fn words(&self) -> String {
        match self {
            Signal::Curvature { size } => format!("curvature at {}", figures(*size)),
            Signal::Occlusion { distance } => format!("occlusion within {}", figures(*distance)),
            Signal::Cavity { size } => format!("cavity of {}", figures(*size)),
            Signal::Thickness { distance } => format!("thickness up to {}", figures(*distance)),
            Signal::Facing { direction } => format!("facing {}", direction_words(*direction)),
            Signal::Height { axis } => format!("height along {}", axis_words(*axis)),
            Signal::Distance { part } => format!("distance to {part}"),
            Signal::Region { by, names } => format!("{} {}", by.words(), listed(names)),
            Signal::Channel { of } => format!("vertex colour {of:?}"),
            Signal::Picture { file, .. } => format!("picture {file}"),
            Signal::Paint { .. } => "paint".into(),
            Signal::Pattern { pattern } => pattern.info().label.to_lowercase(),
            Signal::Mask { mask } => format!("mask {mask}"),
        }
    }
}

impl Term {
    /// The term as part of a sentence: "edges tighter than 0.05, frayed by noise".
    pub fn words(&self) -> String {
        let bounds = Bounds::of(self);
        let everywhere = || "everywhere".to_owned();
        let angle = |cosine: f32| format!("{:.0}°", libm::acosf(cosine.clamp(-1.0, 1.0)).to_degrees());
        let plain =
            |name: &str| bounds.words("above", "below", figures).map_or_else(everywhere, |b| format!("{name} {b}"));
        let said = match &self.signal {
            Signal::Curvature { size } => match (bounds.low, bounds.high) {
                (Some(low), None) if low > 0.0 => format!("edges tighter than {}", figures(size / low)),
                (None, Some(high)) if high < 0.0 => format!("creases tighter than {}", figures(-size / high)),
                _ => plain(&self.signal.words()),
            },
            Signal::Occlusion { distance } => {
                let within = figures(*distance);
                let said = bounds.words("more open than", "less open than", percent);
                said.map_or_else(everywhere, |b| format!("{b} within {within}").replace("from", "open from"))
            }
            Signal::Cavity { size } => match (bounds.low, bounds.high) {
                (None, Some(_)) => format!("creases of about {}", figures(*size)),
                _ => plain(&self.signal.words()),
            },
            Signal::Thickness { distance } => {
                let said = bounds.words("thicker than", "thinner than", |share| figures(share * distance));
                said.unwrap_or_else(everywhere)
            }
            Signal::Facing { direction } => {
                let to = direction_words(*direction);
                match (bounds.low, bounds.high) {
                    (Some(low), None) => format!("facing {to} within {}", angle(low)),
                    (None, Some(high)) => format!("facing {to} by no less than {}", angle(high)),
                    (Some(low), Some(high)) => format!("{} to {} from {to}", angle(high), angle(low)),
                    (None, None) => everywhere(),
                }
            }
            Signal::Height { axis } => {
                let axis = axis_words(*axis);
                let said = bounds.words("above", "below", |at| format!("{axis} {}", figures(at)));
                said.unwrap_or_else(everywhere)
            }
            Signal::Distance { part } => {
                let said = bounds.words("further than", "nearer than", figures);
                said.map_or_else(everywhere, |b| format!("{b} from {part}").replace("nearer than", "within"))
            }
            Signal::Region { by, names } => format!("on {} {}", by.words(), listed(names)),
            Signal::Paint { .. } => "where it is painted".into(),
            Signal::Mask { mask } => match (bounds.low, bounds.high) {
                (None, Some(_)) => format!("outside {mask}"),
                _ => format!("in {mask}"),
            },
            Signal::Pattern { .. } | Signal::Picture { .. } | Signal::Channel { .. } => plain(&self.signal.words()),
        };
        match &self.break_up {
            Some(break_up) if break_up.amount != 0.0 => {
                format!("{said}, frayed by {}", break_up.pattern.info().label.to_lowercase())
            }
            _ => said,
        }
    }
}

impl PlaceSettings {
    /// The place as a sentence without its full stop: "Edges tighter than 0.05 but not facing up within 30°".
    pub fn sentence(&self) -> String {
        let mut said = String::new();
        for (number, term) in self.terms.iter().enumerate() {
            let join = match (number, term.combine) {
                (0, Combine::Minus) => "everywhere but ",
                (0, Combine::And | Combine::Or) => "",
                (_, Combine::And) => " and ",
                (_, Combine::Or) => " or ",
                (_, Combine::Minus) => " but not ",
            };
            said += join;
            said += &term.words();
        }
        if said.is_empty() {
            said = "everywhere".into();
        }
        if self.blur > 0.0 {
            said += &format!(", blurred over {}", figures(self.blur));
        }
        if self.invert {
            said = format!("all but: {said}");
        }
        if self.amount != 1.0 {
            said += &format!(", at {}", percent(self.amount));
        }
        let first = said.chars().next().map(|c| c.to_uppercase().to_string()).unwrap_or_default();
        first + said.get(1..).unwrap_or_default()
    }
}

/// With a small letter at the front, but for a coordinate's.
pub fn lower_first(text: &str) -> String {
    let mut letters = text.chars();
    // A coordinate's letter stays as it is.
    match (letters.next(), letters.clone().next()) {
        (Some(first), Some(second)) if second.is_lowercase() => first.to_lowercase().chain(letters).collect(),
        _ => text.to_owned(),
    }
}

impl PlaceSettings {
    /// What changed since `old` that the sentence does not tell.
    pub fn change_since(&self, old: &PlaceSettings) -> String {
        if old.levels != self.levels {
            let levels = self.levels.map(|l| format!("{} to {}", figures(l.low), figures(l.high)));
            return format!("levels {}", levels.unwrap_or_else(|| "none".into()));
        }
        let mut pairs = old.terms.iter().zip(&self.terms).enumerate();
        let Some((number, (a, b))) = pairs.find(|(_, (a, b))| a != b) else { return "changed".into() };
        let what = match (a.signal == b.signal, a.range() == b.range()) {
            (false, _) => "signal",
            (true, false) => "softness",
            (true, true) => "break-up",
        };
        match number {
            0 => format!("{what} of {}", b.signal.words()),
            _ => format!("{what} of term {}, {}", number + 1, b.signal.words()),
        }
    }
}
