//! Places by example: from places that should be in and places that should not, up to three places that explain them, the simplest first.
//!
//! What is searched: for every signal three ranges (open above, open below, closed on both sides) that hold all examples that are in,
//! and every pair of such ranges of two signals. How they are weighed: by the length of their description in bits, as the field calls it.
//! An example that is in is taken as drawn from the place, so that a place that covers little says more with the same examples (the size
//! principle of Tenenbaum and Griffiths, "Generalization, similarity, and Bayesian inference", 2001); one that is out, as drawn from the
//! rest. An example that is not explained costs [`MISTAKE`] bits, a signal its number among those that were searched, an end
//! [`AN_END`] bits. Where an end goes between the last example that is in and the first that is not: where the least of the surface lies.

use super::settings::{Combine, OPEN_END, PlaceSettings, Term};
use super::signal::Signal;
use schemars::JsonSchema;
use serde::Serialize;

/// A signal that may explain the examples. Values that are not there are NaN.
pub struct Candidate {
    pub signal: Signal,
    /// Its value at each example.
    pub at_examples: Vec<f32>,
    /// Its values at places spread evenly over the surface; the same places for every candidate.
    pub on_surface: Vec<f32>,
}

/// A place that explains examples.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
pub struct Proposal {
    pub place: PlaceSettings,
    pub sentence: String,
    /// How many examples it explains, of how many.
    pub explained: usize,
    pub examples: usize,
    /// Examples that it does not explain, by number.
    pub missed: Vec<usize>,
    /// Share of the surface that lies in it.
    pub covers: f32,
    /// Length of its description; the shorter, the better.
    pub bits: f32,
}

/// Bits that an example costs that is not explained, and one that is.
const MISTAKE: f32 = 8.0;
/// Bits that a set end costs.
const AN_END: f32 = 3.0;
/// Proposals at most.
const MOST: usize = 3;
/// How far, in shares of the surface, an end may lie beyond the examples where none that is out limits it.
const BEYOND: f32 = 0.08;
/// Bins in which the least dense place for an end is looked for.
const BINS: usize = 24;
/// A stretch is clearly less dense than the middle when it holds this share of it at most.
const VALLEY: f32 = 0.3;
/// Places that cover less than this share of the surface are no better for it: a few clicks do not tell how little is meant.
const SMALLEST: f32 = 0.02;

/// A range of one candidate.
#[derive(Clone)]
struct Span {
    candidate: usize,
    low: Option<End>,
    high: Option<End>,
    /// By example and by place of the surface: it lies in the range.
    examples: Vec<bool>,
    surface: Vec<u64>,
}

/// An end of a range: where it cuts, and where it is in full.
#[derive(Clone, Copy)]
struct End {
    cut: f32,
    full: f32,
}

/// Up to three places that explain which examples are `wanted`, the simplest first; the shortest description of each kind.
pub fn propose(candidates: &[Candidate], wanted: &[bool]) -> Vec<Proposal> {
    let places = candidates.first().map_or(0, |c| c.on_surface.len());
    if places == 0 || !wanted.contains(&true) {
        return Vec::new();
    }
    let spans: Vec<Span> = (0..candidates.len()).flat_map(|at| spans_of(candidates, at, wanted)).collect();
    let weigh = |parts: &[&Span]| weighed(parts, candidates.len(), wanted, places);
    let mut singles: Vec<(f32, usize)> = spans.iter().enumerate().map(|(at, span)| (weigh(&[span]).0, at)).collect();
    singles.sort_by(|a, b| a.0.total_cmp(&b.0));
    let mut pairs: Vec<(f32, usize, usize)> = Vec::new();
    for (at, one) in spans.iter().enumerate() {
        for (other_at, other) in spans.iter().enumerate().skip(at + 1) {
            if one.candidate != other.candidate {
                pairs.push((weigh(&[one, other]).0, at, other_at));
            }
        }
    }
    pairs.sort_by(|a, b| a.0.total_cmp(&b.0));
    // One of each kind: three ways to say the same are no choice.
    let mut chosen: Vec<Vec<&Span>> = Vec::new();
    let mut kinds: Vec<&str> = Vec::new();
    for (_, at) in &singles {
        let kind = candidates[spans[*at].candidate].signal.info().kind;
        if !kinds.contains(&kind) && chosen.len() < MOST {
            kinds.push(kind);
            chosen.push(vec![&spans[*at]]);
        }
    }
    if let (Some((bits, a, b)), Some((best, _))) = (pairs.first(), singles.first())
        && (bits < best || chosen.len() < MOST)
    {
        chosen.truncate(MOST - 1);
        chosen.push(vec![&spans[*a], &spans[*b]]);
    }
    chosen.into_iter().map(|parts| proposal(candidates, &parts, wanted, places)).collect()
}

/// The three ranges of a candidate; fewer where an end would stand at the end of all values.
fn spans_of(candidates: &[Candidate], at: usize, wanted: &[bool]) -> Vec<Span> {
    let candidate = &candidates[at];
    let inside = candidate.at_examples.iter().zip(wanted).filter(|(v, wanted)| **wanted && v.is_finite());
    let (least, most) = inside.fold((f32::INFINITY, f32::NEG_INFINITY), |(l, h), (v, _)| (l.min(*v), h.max(*v)));
    if least > most {
        return Vec::new();
    }
    let mut sorted: Vec<f32> = candidate.on_surface.iter().copied().filter(|v| v.is_finite()).collect();
    sorted.sort_unstable_by(f32::total_cmp);
    if sorted.is_empty() {
        return Vec::new();
    }
    let outside = || candidate.at_examples.iter().zip(wanted).filter(|(v, w)| !**w && v.is_finite()).map(|(v, _)| *v);
    let below = outside().filter(|v| *v < least).fold(f32::NEG_INFINITY, f32::max);
    let above = outside().filter(|v| *v > most).fold(f32::INFINITY, f32::min);
    let low = end_between(&sorted, least, below);
    let high = end_between(&sorted, most, above);
    let ends = [(low, None), (None, high), (low, high)];
    let mut spans = Vec::new();
    for (low, high) in ends {
        if low.is_none() && high.is_none() {
            continue;
        }
        let holds = |v: f32| low.is_none_or(|end| v >= end.cut) && high.is_none_or(|end| v <= end.cut) && v.is_finite();
        let mut surface = vec![0u64; candidate.on_surface.len().div_ceil(64)];
        for (place, value) in candidate.on_surface.iter().enumerate() {
            surface[place / 64] |= u64::from(holds(*value)) << (place % 64);
        }
        let examples = candidate.at_examples.iter().map(|v| holds(*v)).collect();
        spans.push(Span { candidate: at, low, high, examples, surface });
    }
    spans
}

/// Where an end goes that holds `last` and leaves `first_out` out, if there is one: where the least of the surface lies between them. None
/// where nothing of the surface lies beyond.
fn end_between(sorted: &[f32], last: f32, first_out: f32) -> Option<End> {
    let downward = first_out < last;
    let rank = sorted.partition_point(|v| *v < last);
    let beyond = (BEYOND * sorted.len() as f32).ceil() as usize;
    let furthest = match (first_out.is_finite(), downward) {
        (true, _) => first_out,
        (false, true) => sorted[rank.saturating_sub(beyond)],
        (false, false) => sorted[(rank + beyond).min(sorted.len() - 1)],
    };
    let open = if downward { furthest >= last } else { furthest <= last };
    if open {
        return None;
    }
    let count = |a: f32, b: f32| {
        let (a, b) = (a.min(b), a.max(b));
        sorted.partition_point(|v| *v < b) - sorted.partition_point(|v| *v < a)
    };
    let edge = |bin: usize| last + (furthest - last) * bin as f32 / BINS as f32;
    // Halfway, unless another stretch holds clearly less: three bins at a time, against the accidents of single ones.
    let density = |bin: usize| count(edge(bin - 1), edge(bin + 2)) as f32;
    let least = (1..BINS - 1).min_by(|a, b| density(*a).total_cmp(&density(*b))).unwrap_or(BINS / 2);
    let cut = match density(least) < VALLEY * density(BINS / 2) {
        true => 0.5 * (edge(least) + edge(least + 1)),
        false => edge(BINS / 2),
    };
    Some(End { cut, full: last })
}

/// Bits of the description, which examples it explains, and how many places it covers.
fn weighed(parts: &[&Span], signals: usize, wanted: &[bool], places: usize) -> (f32, Vec<bool>, usize) {
    let covered: usize = match parts {
        [one] => one.surface.iter().map(|w| w.count_ones() as usize).sum(),
        _ => (0..parts[0].surface.len())
            .map(|at| parts.iter().fold(u64::MAX, |all, part| all & part.surface[at]).count_ones() as usize)
            .sum(),
    };
    // No place is held for certain to be empty or whole: half a place more on each side.
    let share = (covered as f32 + 0.5) / (places as f32 + 1.0);
    let choices = (3 * signals.max(1)) as f32;
    let ends = |span: &&Span| u32::from(span.low.is_some()) + u32::from(span.high.is_some());
    let mut bits: f32 = parts.iter().map(|span| libm::log2f(choices) + AN_END * ends(span) as f32).sum();
    let mut explained = Vec::with_capacity(wanted.len());
    for (example, wanted) in wanted.iter().enumerate() {
        let holds = parts.iter().all(|part| part.examples[example]);
        explained.push(holds == *wanted);
        bits += match (holds == *wanted, *wanted) {
            (true, true) => libm::log2f(share.max(SMALLEST)),
            (true, false) => libm::log2f(1.0 - share),
            (false, _) => MISTAKE,
        };
    }
    (bits, explained, covered)
}

fn proposal(candidates: &[Candidate], parts: &[&Span], wanted: &[bool], places: usize) -> Proposal {
    let (bits, explained, covered) = weighed(parts, candidates.len(), wanted, places);
    let term = |span: &&Span| {
        let signal = candidates[span.candidate].signal.clone();
        let [least, most] = signal.info().range.unwrap_or([-OPEN_END, OPEN_END]);
        // Half at the cut, full at the last example that is in.
        let soft = |end: End| {
            let wide = end.full - end.cut;
            [end.cut - wide, end.cut + wide]
        };
        let from = span.low.map_or([least; 2], soft);
        let to = span.high.map_or([most; 2], |end| {
            let [out, full] = soft(end);
            [full, out]
        });
        Term { signal, from, to, combine: Combine::And, break_up: None }
    };
    let place = PlaceSettings { terms: parts.iter().map(term).collect(), ..PlaceSettings::default() };
    let missed: Vec<usize> = explained.iter().enumerate().filter(|(_, e)| !**e).map(|(at, _)| at).collect();
    Proposal {
        sentence: place.sentence(),
        place,
        explained: wanted.len() - missed.len(),
        examples: wanted.len(),
        missed,
        covers: covered as f32 / places as f32,
        bits,
    }
}
