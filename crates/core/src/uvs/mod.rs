//! UVs made and mended: seams, unwrapping without a flipped face, relaxing, packing, and the steps that do so. Charts are laid with
//! symmetric Dirichlet energy as small as can be found; islands are packed with an exact margin.

mod arrange;
mod cholesky;
mod cut;
mod edit;
mod energy;
mod join;
mod lay;
mod names;
mod net;
mod pack;
mod path;
mod relax;
mod sheet;
mod start;
mod summary;

pub use arrange::{falloff, move_uvs, packed, set_density, stack};
pub use edit::{mark_seams, pin, relax_islands, relax_watched, stitch, straighten, unwrap};
pub use names::{MarkedCorners, Points, name_corners, name_edges, name_faces};
pub use pack::{Packing, Placed, pack};
pub use path::edge_path;
pub use summary::UvSummary;
