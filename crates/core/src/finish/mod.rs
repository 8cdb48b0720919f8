//! Finishes and masks: numbers over a surface, placed by what the bake measured. One typed expression graph ([`graph`]) is evaluated in
//! batches over columns of places; places ([`PlaceSettings`]) compile to it, and patterns are its leaves. What has to be measured with
//! rays, hits or neighbours is not here: the graph names it ([`Graph::measured`]), and whoever evaluates it brings the column.

mod coat_words;
mod coats;
mod color;
mod columns;
mod compile;
mod curve;
mod document;
mod examples;
mod graph;
mod histogram;
mod kept;
mod lanes;
mod patterns;
mod presets;
mod ready;
mod settings;
mod signal;
mod stack;
mod words;

pub use coat_words::finishes_changed;
pub use coats::{
    Base, BaseColor, Blend, Carrier, Coat, DocumentSource, Finish, FinishOn, MOST_COATS, MOST_FINISHES, RampOver,
    SetColor, SetNumber, SetTo, Sets,
};
pub use color::Color;
pub use columns::Columns;
pub use compile::{PlaceFault, Sources, compile_mask, compile_place, compile_signal};
pub use document::{DocumentShows, Understood, understands, understood_categories};
pub use examples::{Candidate, Proposal, propose};
pub use graph::{BATCH, Graph, Input, Measured, NodeId, Type};
pub use histogram::{Histogram, HistogramRange};
pub use kept::{KeptFile, KeptFinishes, KeptMasks};
pub use patterns::*;
pub use presets::{Body, PRESETS, Preset, rounded};
pub use ready::{READY_FINISHES, ReadyFinish};
pub(crate) use settings::file_name;
pub use settings::{BreakUp, Combine, Levels, MOST_MASKS, MOST_TERMS, Mask, OPEN_END, PlaceSettings, SoftRange, Term};
pub use signal::{Channel, MaskBrush, MaskStroke, RegionBy, SIGNALS, Signal, SignalInfo, SignalMeasure, SignalUnit};
pub use stack::{FinishChannel, FinishFault, FinishGraph, compile_finish};
pub use words::figures;
pub(crate) use words::lower_first;
