//! Findings: one file per kind, on meshes, UVs, placing, pairs, cages, maps' sources and results. The checks on one mesh stand in two
//! tables here; the others are asked by whoever has what they look at.

mod back_faces;
mod bleeding;
mod cage;
mod colours;
mod density;
mod doubled_points;
mod edges;
mod envelope;
mod finishes;
mod fix_all;
mod half_covered;
mod hard_edges;
mod islands;
mod islands_outside;
mod lean;
mod masks;
mod mends;
mod mirrored;
mod misses;
mod missing_uvs;
mod noise;
mod non_manifold;
mod overlaps;
mod pairing;
mod picture_texels;
mod placing;
mod polygons;
mod range;
mod read_in_part;
mod seam_difference;
mod seams;
mod stepping;
mod stretch;
mod tight;
mod troubles;
mod uv_report;
mod winding;
mod wrong_parts;
mod zero_area;

pub use bleeding::{BledSheet, bleeding};
pub use cage::cage_gaps;
pub use colours::{colours_merged, colours_moved, colours_shared, no_colours};
pub use finishes::{finish_document, finish_document_picture, finish_picture_missing, finish_unusable};
pub use fix_all::fix_all;
pub use masks::{mask_empty, mask_unusable};
pub use mends::{mend_ground, mend_idle};
pub use noise::{NoisyMap, noisy};
pub use pairing::pair_findings;
pub use picture_texels::MovedPicture;
pub use placing::compare_placing;
pub use range::{ClippedHeights, range_clipped};
pub use seam_difference::{SeamedMap, seam_difference};
pub use seams::{Seam, along_seam, uv_seams};
pub use stepping::{SteppedMap, stepped};
pub use tight::tight_islands;
pub use troubles::{PartTroubles, TexelPlace, TroubledSheet, Troubles, part_findings};
pub use uv_report::{IslandLine, MipLine, UvReport, uv_report};

use crate::finding::{Finding, Place};
use crate::layout::Unwrap;
use crate::mesh::{Mesh, Part};
use edges::{EdgeSide, edge_sides};
use glam::{Vec2, Vec3};
use std::cell::OnceCell;

/// Checks on any mesh, in the order they are told.
const EVERY_MESH: &[fn(&Mesh) -> Vec<Finding>] = &[read_in_part::notes, winding::winding, zero_area::zero_area];

/// Checks that only matter on a low-poly: points, edges, UVs, cut polygons.
const LOW_POLY: &[fn(&LowPoly) -> Vec<Finding>] = &[
    doubled_points::doubled_points,
    missing_uvs::missing_uvs,
    non_manifold::non_manifold,
    islands_outside::islands_outside,
    overlaps::overlaps,
    mirrored::mirrored,
    density::uneven,
    stretch::stretched,
    hard_edges::without_seam,
    polygons::triangulated,
];

/// A low-poly with what several checks look at, made when the first one does.
struct LowPoly<'a> {
    mesh: &'a Mesh,
    unwrap: OnceCell<Option<Unwrap>>,
    sides: OnceCell<Vec<EdgeSide>>,
}

impl LowPoly<'_> {
    /// None without UVs.
    fn unwrap(&self) -> Option<&Unwrap> {
        self.unwrap.get_or_init(|| Unwrap::new(self.mesh)).as_ref()
    }

    fn sides(&self) -> &[EdgeSide] {
        self.sides.get_or_init(|| edge_sides(self.mesh))
    }
}

/// All findings on a mesh. `as_low` adds what only matters on a low-poly.
pub fn check_mesh(mesh: &Mesh, as_low: bool) -> Vec<Finding> {
    let mut found: Vec<Finding> = EVERY_MESH.iter().flat_map(|check| check(mesh)).collect();
    if as_low {
        let low = LowPoly { mesh, unwrap: OnceCell::new(), sides: OnceCell::new() };
        found.extend(LOW_POLY.iter().flat_map(|check| check(&low)));
    }
    found
}

/// A place on `part` made of the given triangles, looking at the first of them.
fn place_of(mesh: &Mesh, part: &Part, triangles: &[u32]) -> Place {
    let middle = |t: u32| mesh.corners(t).iter().sum::<Vec3>() / 3.0;
    let uv_middle = |t: u32| mesh.corner_uvs(t).iter().sum::<Vec2>() / 3.0;
    Place {
        part: Some(part.name.clone()),
        triangles: triangles.iter().copied().take(Place::MOST_TRIANGLES).collect(),
        count: triangles.len() as u32,
        point: triangles.first().map(|&t| middle(t).to_array()),
        uv: triangles.first().filter(|_| !mesh.uvs.is_empty()).map(|&t| uv_middle(t).to_array()),
        ..Place::default()
    }
}

fn percent(count: usize, of: usize) -> f64 {
    100.0 * count as f64 / of.max(1) as f64
}

fn counted(count: usize, one: &str, several: &str) -> String {
    format!("{count} {}", if count == 1 { one } else { several })
}
