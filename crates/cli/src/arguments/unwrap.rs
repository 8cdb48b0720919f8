//! The words of `ember-ridge unwrap`.

use crate::words::{finite, parse_margin};
use clap::Args;
use std::path::PathBuf;

/// A margin of texels on a sheet of a size.
#[derive(Clone, Copy, Debug)]
pub struct Margin {
    pub texels: f32,
    pub size: u32,
}

#[derive(Args)]
pub struct Unwrap {
    /// The low-poly
    pub low: PathBuf,
    /// Where it is cut: `angle`, along sharp edges and where islands would be stretched too much; or a JSON file of edges,
    /// {"edges": [[[x,y,z],[x,y,z]], ...]} [default: along the seams it has, or by angle where it has no UVs]
    #[arg(long, value_name = "angle|FILE")]
    pub seams: Option<String>,
    /// With --seams angle: edges sharper than so many degrees are cut
    #[arg(long, value_name = "DEGREES", value_parser = finite, default_value_t = 60.0)]
    pub angle: f32,
    /// Texels left between islands and to the border, on a sheet of a size
    #[arg(long, value_name = "N@SIZE", value_parser = parse_margin, default_value = "8@1024")]
    pub margin: Margin,
    /// File to write: .glb, .obj or .ply
    #[arg(long, value_name = "FILE")]
    pub out: PathBuf,
    /// Print the layout's figures as JSON
    #[arg(long)]
    pub json: bool,
}
