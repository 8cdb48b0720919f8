//! Turning and merging: faces wound alike and outward, points that should be one made one.

use super::{Mesh, NO_MATERIAL, Neighbours, Part, find_shells, inward_shells, weld};
use glam::{IVec3, Vec3};
use rustc_hash::{FxHashMap, FxHashSet};

/// Winds the faces of each shell alike and shells that look inward outward, in the parts of a name or in all. Normals that
/// then look away from their face are turned with it.
pub fn turn_faces(mut mesh: Mesh, part: Option<&str>) -> Mesh {
    let neighbours = Neighbours::new(&mesh);
    let mut turn = vec![false; mesh.triangles.len()];
    for own in mesh.parts.iter().filter(|p| part.is_none_or(|name| p.name == name)) {
        let shells = find_shells(&mesh, own, &neighbours);
        shells.iter().flat_map(|s| &s.turned).for_each(|&t| turn[t as usize] ^= true);
        for shell in inward_shells(&shells) {
            shell.triangles.iter().for_each(|&t| turn[t as usize] ^= true);
        }
    }
    let mut copies: FxHashMap<u32, u32> = FxHashMap::default();
    for t in (0..mesh.triangles.len()).filter(|&t| turn[t]) {
        mesh.triangles[t].swap(1, 2);
        let face = mesh.face_normal(t as u32);
        for corner in 0..3 {
            let v = mesh.triangles[t][corner];
            if mesh.normals[v as usize].dot(face) < 0.0 {
                let turned = -mesh.normals[v as usize];
                mesh.triangles[t][corner] = *copies.entry(v).or_insert_with(|| mesh.copy_vertex(v, turned));
            }
        }
    }
    mesh.drop_unused_vertices();
    mesh
}

/// Where each vertex of a part goes when points within `distance` of each other become one: the first of them, by vertex
/// number, stands for those that come later.
/// `diagonal` is the mesh's, which a caller with many parts works out once.
pub fn merged_positions(mesh: &Mesh, part: &Part, distance: f32, diagonal: f32) -> FxHashMap<u32, Vec3> {
    let own = &mesh.triangles[part.triangles.start as usize..part.triangles.end as usize];
    let mut vertices: Vec<u32> = own.iter().flatten().copied().collect();
    vertices.sort_unstable();
    vertices.dedup();
    let cell = distance.max(diagonal * 1e-6).max(f32::MIN_POSITIVE);
    let of = |p: Vec3| (p / cell).floor().clamp(Vec3::splat(-1e9), Vec3::splat(1e9)).as_ivec3();
    let mut kept: FxHashMap<IVec3, Vec<Vec3>> = FxHashMap::default();
    let mut merged = FxHashMap::default();
    for v in vertices {
        let p = mesh.positions[v as usize];
        let home = of(p);
        let around = (0..27).map(|n| home + IVec3::new(n % 3 - 1, n / 3 % 3 - 1, n / 9 - 1));
        let near = around.filter_map(|c| kept.get(&c)).flatten().copied().find(|q| q.distance(p) <= distance);
        if near.is_none() {
            kept.entry(home).or_default().push(p);
        }
        merged.insert(v, near.unwrap_or(p));
    }
    merged
}

/// Makes points within `distance` of each other one, in the parts of a name or in all; faces that lose their area and faces
/// that stand twice on the same three points are dropped. A part that would be left without a face stays as it is.
pub fn merge_points(mut mesh: Mesh, part: Option<&str>, distance: f32) -> Mesh {
    let before = mesh.clone();
    let (chosen, diagonal) = (mesh.chosen(part), mesh.diagonal());
    for own in before.parts.iter().filter(|p| part.is_none_or(|name| p.name == name)) {
        for (v, p) in merged_positions(&before, own, distance, diagonal) {
            mesh.positions[v as usize] = p;
        }
    }
    let point_of = weld(&mesh).point_of;
    let mut seen: FxHashSet<(usize, [u32; 3])> = FxHashSet::default();
    let part_of = mesh.triangle_parts();
    let keep: Vec<bool> = (0..mesh.triangles.len())
        .map(|t| {
            if !chosen[t] {
                return true;
            }
            let mut points = mesh.triangles[t].map(|v| point_of[v as usize]);
            points.sort_unstable();
            mesh.area_normal(t as u32) != Vec3::ZERO && seen.insert((part_of[t] as usize, points))
        })
        .collect();
    let emptied = |p: &Part| !p.triangles.clone().any(|t| keep[t as usize]);
    if mesh.parts.iter().any(emptied) {
        return before;
    }
    mesh.retain_triangles(&keep);
    mesh.drop_unused_vertices();
    mesh
}

impl Mesh {
    /// Adds a copy of a vertex with another normal, and returns its number.
    pub(crate) fn copy_vertex(&mut self, v: u32, normal: Vec3) -> u32 {
        let copy = self.positions.len() as u32;
        let v = v as usize;
        self.positions.push(self.positions[v]);
        self.normals.push(normal);
        if !self.uvs.is_empty() {
            self.uvs.push(self.uvs[v]);
        }
        if !self.texture_uvs.is_empty() {
            self.texture_uvs.push(self.texture_uvs[v]);
        }
        if !self.colors.is_empty() {
            self.colors.push(self.colors[v]);
        }
        copy
    }

    /// Leaves out the triangles whose flag is false; parts and materials follow.
    fn retain_triangles(&mut self, keep: &[bool]) {
        let mut kept_before = vec![0u32; keep.len() + 1];
        for (t, &k) in keep.iter().enumerate() {
            kept_before[t + 1] = kept_before[t] + u32::from(k);
        }
        for part in &mut self.parts {
            let place = |t: u32| kept_before[t as usize];
            part.triangles = place(part.triangles.start)..place(part.triangles.end);
        }
        let mut flags = keep.iter();
        self.triangles.retain(|_| flags.next() == Some(&true));
        let mut flags = keep.iter();
        self.triangle_materials.retain(|_| flags.next() == Some(&true));
        debug_assert!(self.triangle_materials.iter().all(|&m| m == NO_MATERIAL || (m as usize) < self.materials.len()));
    }
}
