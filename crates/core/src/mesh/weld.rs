//! Points from vertices: vertices at exactly the same place are one point, whatever their normals and UVs.

use super::Mesh;
use rustc_hash::FxHashMap;

/// Which point each vertex is.
pub struct Weld {
    /// Point number of each vertex.
    pub point_of: Vec<u32>,
    /// How many points there are.
    pub points: usize,
}

/// Welds vertices whose positions are equal bit for bit (with -0 taken as 0). Points are numbered by first vertex.
pub fn weld(mesh: &Mesh) -> Weld {
    let mut seen: FxHashMap<[u32; 3], u32> = FxHashMap::default();
    seen.reserve(mesh.positions.len());
    let point_of = mesh
        .positions
        .iter()
        .map(|p| {
            let key = p.to_array().map(|x| (x + 0.0).to_bits());
            let next = seen.len() as u32;
            *seen.entry(key).or_insert(next)
        })
        .collect();
    Weld { point_of, points: seen.len() }
}
