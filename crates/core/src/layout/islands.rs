//! UV islands: triangles joined through shared edges in UV space.

use crate::mesh::{DisjointSets, Mesh};
use glam::Vec2;
use rustc_hash::FxHashMap;

/// Island number of each triangle; islands are numbered by their first triangle.
pub struct Islands {
    pub island_of: Vec<u32>,
    pub count: usize,
}

/// Finds UV islands. Triangles are joined where they share an edge whose two ends agree bit for bit in UV *and* position.
/// Without UVs, every triangle is in island 0.
pub fn find_islands(mesh: &Mesh) -> Islands {
    if mesh.uvs.is_empty() {
        return Islands { island_of: vec![0; mesh.triangles.len()], count: 1 };
    }
    let mut sets = DisjointSets::new(mesh.triangles.len());
    let mut edges: FxHashMap<[[u32; 5]; 2], u32> = FxHashMap::default();
    edges.reserve(mesh.triangles.len() * 2);
    for (t, triangle) in mesh.triangles.iter().enumerate() {
        for i in 0..3 {
            let mut ends = [triangle[i], triangle[(i + 1) % 3]].map(|v| {
                let (p, uv): (_, Vec2) = (mesh.positions[v as usize], mesh.uvs[v as usize]);
                [p.x, p.y, p.z, uv.x, uv.y].map(|x| (x + 0.0).to_bits())
            });
            ends.sort_unstable();
            sets.join(*edges.entry(ends).or_insert(t as u32), t as u32);
        }
    }
    let (island_of, count) = sets.numbered(0..mesh.triangles.len() as u32);
    Islands { island_of, count }
}
