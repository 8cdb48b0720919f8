//! From places to the graph.

use super::graph::{Graph, Input, Measured, NodeId};
use super::patterns::{Making, PatternSettings, Space};
use super::settings::{Combine, Levels, Mask, PlaceSettings, Term};
use super::signal::Signal;
use crate::document::Documents;
use crate::picture::Pictures;

/// What places may refer to.
#[derive(Clone, Copy)]
pub struct Sources<'a> {
    pub masks: &'a [Mask],
    /// Pictures by the file name that the recipe gives them.
    pub images: &'a Pictures,
    /// Documents by the file name that the recipe gives them.
    pub documents: &'a Documents,
}

/// Why a place cannot be made.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum PlaceFault {
    #[error("there is no mask '{missing}'; {}", masks_there(.known))]
    NoMask { missing: String, known: Vec<String> },
    #[error("masks lead back to themselves: {}. Take one of them out of the other", .names.join(" uses "))]
    Circle { names: Vec<String> },
    #[error(
        "term {number} has an empty range: from {from:?} to {to:?}; give four numbers, none below the one before it"
    )]
    EmptyRange { number: usize, from: [f32; 2], to: [f32; 2] },
    #[error("{0}")]
    Pattern(String),
}

fn masks_there(known: &[String]) -> String {
    match known.is_empty() {
        true => "the recipe has none".into(),
        false => format!("the recipe has {}", known.join(", ")),
    }
}

pub(super) struct Compiler<'a> {
    pub(super) graph: Graph,
    sources: Sources<'a>,
    /// Masks that are being compiled, outermost first.
    open: Vec<String>,
}

/// The graph of a mask, and the node that is its value.
///
/// # Errors
/// A mask that is not there or leads back to itself, a picture that was not read.
pub fn compile_mask(name: &str, sources: Sources) -> Result<(Graph, NodeId), PlaceFault> {
    let mut compiler = Compiler::new(sources);
    let node = compiler.mask(name)?;
    Ok((compiler.graph, node))
}

/// The graph of a place by itself.
///
/// # Errors
/// As [`compile_mask`].
pub fn compile_place(place: &PlaceSettings, sources: Sources) -> Result<(Graph, NodeId), PlaceFault> {
    let mut compiler = Compiler::new(sources);
    let node = compiler.place(place)?;
    Ok((compiler.graph, node))
}

/// The graph of a signal as its range sees it, broken up where a pattern is given.
///
/// # Errors
/// As [`compile_mask`].
pub fn compile_signal(signal: &Signal, sources: Sources) -> Result<(Graph, NodeId), PlaceFault> {
    let mut compiler = Compiler::new(sources);
    let node = compiler.signal(signal)?;
    Ok((compiler.graph, node))
}

impl<'a> Compiler<'a> {
    pub(super) fn new(sources: Sources<'a>) -> Compiler<'a> {
        Compiler { graph: Graph::default(), sources, open: Vec::new() }
    }

    /// What a pattern gets ready with.
    pub(super) fn making(&self, pattern: &PatternSettings) -> Making<'a> {
        let frame = pattern.frame();
        Making { seed: frame.seed, repeats: frame.space.is_uv(), images: self.sources.images }
    }
}

impl Compiler<'_> {
    fn mask(&mut self, name: &str) -> Result<NodeId, PlaceFault> {
        if let Some(at) = self.open.iter().position(|open| open == name) {
            let names = self.open[at..].iter().cloned().chain([name.to_owned()]).collect();
            return Err(PlaceFault::Circle { names });
        }
        let masks = self.sources.masks;
        let Some(mask) = masks.iter().find(|mask| mask.name == name) else {
            let known = masks.iter().map(|mask| mask.name.clone()).collect();
            return Err(PlaceFault::NoMask { missing: name.to_owned(), known });
        };
        self.open.push(name.to_owned());
        let node = self.place(&mask.place)?;
        self.open.pop();
        Ok(node)
    }

    pub(super) fn place(&mut self, place: &PlaceSettings) -> Result<NodeId, PlaceFault> {
        let mut whole = None;
        for (at, term) in place.terms.iter().enumerate() {
            if !term.holds_anything() {
                return Err(PlaceFault::EmptyRange { number: at + 1, from: term.from, to: term.to });
            }
            let own = self.term(term)?;
            whole = Some(match (whole, term.combine) {
                // Before the first term lies everything.
                (None, Combine::Minus) => self.graph.invert(own),
                (None, Combine::And | Combine::Or) => own,
                (Some(so_far), Combine::And) => self.graph.and(so_far, own),
                (Some(so_far), Combine::Or) => self.graph.or(so_far, own),
                (Some(so_far), Combine::Minus) => self.graph.minus(so_far, own),
            });
        }
        let mut value = whole.unwrap_or_else(|| self.graph.constant(1.0));
        if place.blur > 0.0 && !place.terms.is_empty() {
            let sharp = PlaceSettings { terms: place.terms.clone(), ..PlaceSettings::default() };
            value = self.graph.measure(Measured::Blurred(Box::new(sharp), place.blur));
        }
        if let Some(Levels { low, high }) = place.levels {
            value = self.graph.levels(value, [low, high]);
        }
        if place.invert {
            value = self.graph.invert(value);
        }
        if place.amount != 1.0 {
            value = self.graph.scale(value, place.amount);
        }
        Ok(value)
    }

    fn term(&mut self, term: &Term) -> Result<NodeId, PlaceFault> {
        let mut signal = self.signal(&term.signal)?;
        if let Some(break_up) = &term.break_up {
            let pattern = self.pattern(&break_up.pattern)?;
            signal = self.graph.break_up(signal, pattern, break_up.amount);
        }
        Ok(self.graph.range(signal, term.range()))
    }

    pub(super) fn signal(&mut self, signal: &Signal) -> Result<NodeId, PlaceFault> {
        Ok(match signal {
            Signal::Facing { direction } => {
                let normal = self.graph.input(Input::Normal);
                self.graph.facing(normal, (*direction).into())
            }
            Signal::Height { axis } => {
                let position = self.graph.input(Input::Position);
                self.graph.coordinate(position, *axis as usize)
            }
            Signal::Pattern { pattern } => self.pattern(pattern)?,
            Signal::Mask { mask } => self.mask(mask)?,
            Signal::Curvature { .. } => {
                let bend = self.graph.measure(Measured::Signal(signal.clone()));
                self.graph.clamp(bend, [-1.0, 1.0])
            }
            Signal::Occlusion { .. }
            | Signal::Cavity { .. }
            | Signal::Thickness { .. }
            | Signal::Distance { .. }
            | Signal::Region { .. }
            | Signal::Channel { .. }
            | Signal::Picture { .. }
            | Signal::Paint { .. } => self.graph.measure(Measured::Signal(signal.clone())),
        })
    }

    /// What a pattern is asked about: place, normal and side, in the space that it is laid out in.
    pub(super) fn pattern_arguments(&mut self, pattern: &PatternSettings) -> [NodeId; 3] {
        let frame = pattern.frame();
        let (place, side) = match (frame.space, pattern.along_part()) {
            (Space::Uv, None) => (Input::Uv, Input::UvSide),
            (Space::TextureUv, None) => (Input::TextureUv, Input::TextureUvSide),
            (Space::Object, None) => (Input::Position, Input::Side),
            (Space::Part, None) => (Input::PartPosition, Input::Side),
            (_, Some(_)) => (Input::PartShare, Input::PartSide),
        };
        [self.graph.input(place), self.graph.input(Input::Normal), self.graph.input(side)]
    }

    pub(super) fn pattern(&mut self, pattern: &PatternSettings) -> Result<NodeId, PlaceFault> {
        let frame = pattern.frame();
        let [mut place, normal, side] = self.pattern_arguments(pattern);
        if let Some(warp) = frame.warp {
            // Three looks at the warping pattern, by seeds of their own, move the three coordinates.
            let by = [0, 1, 2].map(|axis| self.pattern(&warp.pattern.reseeded(axis)));
            let [x, y, z] = by;
            place = self.graph.warp(place, [x?, y?, z?], warp.amount);
        }
        let making = self.making(pattern);
        let name = format!("{:?}", pattern.bare());
        let made = self.graph.pattern(name, [place, normal, side], || pattern.kernel(&making));
        let mut value = made.map_err(PlaceFault::Pattern)?;
        if let Some(ramp) = frame.ramp {
            value = self.graph.curve(value, ramp.into());
        }
        Ok(if frame.invert { self.graph.invert(value) } else { value })
    }
}
