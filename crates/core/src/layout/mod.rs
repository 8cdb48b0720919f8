//! A mesh's layout on the sheet: islands, density and stretch, overlaps, gaps, room, and steps that change it.

mod gaps;
mod islands;
mod lay_out;
mod steps;
mod unwrap;

pub use gaps::{Gap, find_gaps};
pub use islands::{Islands, find_islands};
pub use lay_out::{lay_out_parts, move_islands};
pub use unwrap::{FaceUnwrap, IslandUnwrap, Overlap, Unwrap, find_overlaps};
