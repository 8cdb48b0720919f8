//! The words of `ember-ridge reduce`.

use crate::words::parse_level;
use clap::{Args, ValueEnum};
use ember_ridge_core::surface::Axis;
use std::path::PathBuf;

#[derive(Args)]
pub struct Reduce {
    /// The sculpt
    pub high: PathBuf,
    /// To at most so many triangles
    #[arg(long, value_name = "N", required_unless_present_any = ["error", "level", "levels"])]
    pub triangles: Option<usize>,
    /// As long as the surface moves no further than this, in scene units
    #[arg(long, value_name = "UNITS", conflicts_with = "triangles")]
    pub error: Option<f32>,
    /// The level so many below a sculpt that was refined by Loop, Catmull-Clark or plain splitting: -1, -2 and so on
    #[arg(long, value_name = "-K", allow_hyphen_values = true, conflicts_with_all = ["triangles", "error"], value_parser = parse_level)]
    pub level: Option<usize>,
    /// List the coarser levels, without writing one
    #[arg(long, conflicts_with_all = ["triangles", "error", "level", "out"])]
    pub levels: bool,
    /// File to write: .glb, .obj or .ply
    #[arg(long, value_name = "FILE", required_unless_present = "levels")]
    pub out: Option<PathBuf>,
    /// Keep edges where faces meet at more than so many degrees, and shade them hard
    #[arg(long, value_name = "DEGREES", conflicts_with_all = ["level", "levels"])]
    pub sharp: Option<f32>,
    /// Make it its own mirror image across this axis, from the half of rising coordinates
    #[arg(long, value_enum, value_name = "AXIS", conflicts_with_all = ["level", "levels"])]
    pub symmetric: Option<AxisWord>,
    /// How much outlines count beside flat detail, 0 to 1
    #[arg(long, value_name = "W", default_value_t = 1.0, conflicts_with_all = ["level", "levels"])]
    pub silhouette: f32,
    /// Print what was made as JSON
    #[arg(long)]
    pub json: bool,
}

/// An axis of the scene.
#[derive(Clone, Copy, ValueEnum)]
pub enum AxisWord {
    X,
    Y,
    Z,
}

impl From<AxisWord> for Axis {
    fn from(word: AxisWord) -> Axis {
        match word {
            AxisWord::X => Axis::X,
            AxisWord::Y => Axis::Y,
            AxisWord::Z => Axis::Z,
        }
    }
}
