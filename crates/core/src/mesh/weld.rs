//! Points from vertices: vertices at exactly the same place are one point, whatever their normals and UVs.

use super::Mesh;
use hashbrown::HashTable;
use hashbrown::hash_table::Entry;
use rustc_hash::FxBuildHasher;
use std::hash::BuildHasher;

/// Which point each vertex is.
pub struct Weld {
    /// Point number of each vertex.
    pub point_of: Vec<u32>,
    /// How many points there are.
    pub points: usize,
}

/// Welds vertices whose positions are equal bit for bit (with -0 taken as 0). Points are numbered by first vertex.
pub fn weld(mesh: &Mesh) -> Weld {
    let key = |vertex: u32| mesh.positions[vertex as usize].to_array().map(|x| (x + 0.0).to_bits());
    let hash = |&vertex: &u32| FxBuildHasher.hash_one(key(vertex));
    // The first vertex of each point; a table of numbers alone takes a third of one that holds the positions too.
    let mut seen: HashTable<u32> = HashTable::with_capacity(mesh.positions.len());
    let mut point_of: Vec<u32> = Vec::with_capacity(mesh.positions.len());
    let mut points = 0;
    for vertex in 0..mesh.positions.len() as u32 {
        let entry = seen.entry(hash(&vertex), |&first| key(first) == key(vertex), hash);
        let point = match entry {
            Entry::Occupied(first) => point_of[*first.get() as usize],
            Entry::Vacant(free) => {
                free.insert(vertex);
                points += 1;
                points - 1
            }
        };
        point_of.push(point);
    }
    Weld { point_of, points: points as usize }
}
