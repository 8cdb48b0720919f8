//! Finishes and masks: numbers over a surface, placed by what the bake measured. One typed expression graph ([`graph`]) is evaluated in
//! batches over columns of places; places ([`PlaceSettings`]) compile to it, and patterns are its leaves. What has to be measured with
//! rays, hits or neighbours is not here: the graph names it ([`Graph::measured`]), and whoever evaluates it brings the column.

mod compile;
mod examples;
mod graph;
mod histogram;
mod kept;
mod lanes;
mod patterns;
mod presets;
mod settings;
mod signal;
mod words;

pub use compile::{PlaceFault, Sources, compile_mask, compile_place, compile_signal};
pub use examples::{Candidate, Proposal, propose};
pub use graph::{BATCH, Columns, Graph, Input, Measured, NodeId, Type};
pub use histogram::{Histogram, HistogramRange};
pub use kept::KeptMasks;
pub use patterns::*;
pub use presets::{Body, PRESETS, Preset, rounded};
pub(crate) use settings::file_name;
pub use settings::{BreakUp, Combine, Levels, MOST_MASKS, MOST_TERMS, Mask, OPEN_END, PlaceSettings, SoftRange, Term};
pub use signal::{Channel, MaskBrush, MaskStroke, RegionBy, SIGNALS, Signal, SignalInfo, SignalMeasure, SignalUnit};
pub use words::figures;
