//! Where rays start, which way they run and how far: directions on the low-poly, reaches fitted to the sculpt, what was painted,
//! and cages made elsewhere.

mod cage;
mod direction;
mod field;
mod fit;
mod grid;
mod points;
mod probes;
mod relax;
mod settings;
mod shortfall;
mod strokes;
mod surface;

pub use cage::{CageFault, CageMatch};
pub use direction::Direction;
pub use field::{Course, ReachField, ResolvedReach};
pub use fit::{Fit, FitLimit, FitReport, FitSpot, SuggestedReach, fit_reach};
pub use grid::{GridEffect, GridStroke, SurfaceGrid};
pub use points::ReachPoints;
pub use probes::{Probe, ProbeScene, Wall, spread_points};
pub use settings::{Brush, MOST_PATH, MOST_STROKES, PartReach, Reach, ReachRules, ReachSide, Stroke};
pub use shortfall::{EnvelopeMark, MarkKind, envelope_marks};
pub use strokes::{BrushCourse, Dab, dabs, falloff};
pub use surface::{LowSurface, SurfacePoint};
