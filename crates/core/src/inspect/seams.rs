//! Edges that the UVs are cut along.

use super::edges::{EdgeSide, edge_sides};
use crate::mesh::Mesh;
use crate::surface::MeshPoint;

/// An edge as its two faces have it: both ends, in the same order on either side.
pub type Seam = [[MeshPoint; 2]; 2];

/// Places along a seam, at most.
const MOST_ALONG: u32 = 64;

/// Places along a seam, about one for each texel of its longer side on a sheet of `size` texels per side, as either face has them.
pub fn along_seam(mesh: &Mesh, seam: &Seam, size: u32) -> impl Iterator<Item = [MeshPoint; 2]> + use<> {
    let texels = seam.map(|ends| {
        let [a, b] = ends.map(|end| end.between(mesh.corner_uvs(end.triangle)));
        a.distance(b) * size as f32
    });
    let count = (texels[0].max(texels[1]).ceil() as u32).clamp(1, MOST_ALONG);
    let seam = *seam;
    (0..count).map(move |i| {
        let share = (i as f32 + 0.5) / count as f32;
        seam.map(|[a, b]| MeshPoint::new(a.triangle, a.v + (b.v - a.v) * share, a.w + (b.w - a.w) * share))
    })
}

/// Edges whose two faces have other UVs there, those between parts among them. Of an edge with more than two faces, each with the next.
pub fn uv_seams(mesh: &Mesh) -> Vec<Seam> {
    let sides = edge_sides(mesh);
    let mut by_edge: Vec<&EdgeSide> = sides.iter().collect();
    by_edge.sort_by_key(|side| side.0);
    // Triangle and corner of both ends.
    let ends = |side: &EdgeSide| [side.3, (side.3 + 1) % 3].map(|corner| (side.2, corner));
    let vertex = |(triangle, corner): (u32, usize)| mesh.triangles[triangle as usize][corner] as usize;
    let place = |(triangle, corner)| {
        MeshPoint::new(triangle, if corner == 1 { 1.0 } else { 0.0 }, if corner == 2 { 1.0 } else { 0.0 })
    };
    let mut seams = Vec::new();
    for edge in by_edge.chunk_by(|a, b| a.0 == b.0) {
        for pair in edge.windows(2) {
            let (one, mut other) = (ends(pair[0]), ends(pair[1]));
            if mesh.positions[vertex(one[0])] != mesh.positions[vertex(other[0])] {
                other.reverse();
            }
            if (0..2).any(|end| mesh.uvs[vertex(one[end])] != mesh.uvs[vertex(other[end])]) {
                seams.push([one.map(place), other.map(place)]);
            }
        }
    }
    seams
}
