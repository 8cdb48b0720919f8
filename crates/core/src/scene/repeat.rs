//! A sculpt that repeats: copies of it around the plane it is baked onto, as far as rays from the plane can see, so that what
//! lies beyond an edge is what begins at the opposite one.

use crate::mesh::{Mesh, NO_MATERIAL, Part, PlaneTarget};
use glam::Vec3;

/// Copies reach this share of the plane's size past each edge.
pub(super) const MARGIN: f32 = 0.5;

/// A mesh with copies of itself around it. Each part is followed by its own copies, so that parts stay what they were.
pub(super) struct Repeated {
    pub mesh: Mesh,
    /// For each triangle the one it is a copy of; an original names itself.
    pub copy_of: Vec<u32>,
}

/// Repeats `high` around `plane`: what lies within half a plane of its edges, on all sides.
pub(super) fn repeat_around(high: &Mesh, plane: &PlaneTarget) -> Repeated {
    let [u, v] = plane.steps();
    let middle = Vec3::from(plane.middle);
    // Along an axis of the plane, in planes from its middle: -0.5 to 0.5 lies on it.
    let along = |p: Vec3, axis: Vec3| (p - middle).dot(axis) / axis.length_squared();
    let reach = 0.5 + MARGIN;
    let mut mesh = high.clone();
    let mut triangles = Vec::new();
    let mut materials = Vec::new();
    let mut copy_of = Vec::new();
    let mut parts = Vec::new();
    let with_materials = !high.triangle_materials.is_empty();
    let shifts: Vec<Vec3> = (-1..=1)
        .flat_map(|i| (-1..=1).map(move |j| (i, j)))
        .filter(|s| *s != (0, 0))
        .map(|(i, j)| u * i as f32 + v * j as f32)
        .collect();
    let mut numbers = vec![u32::MAX; high.positions.len()];
    for part in &high.parts {
        let start = triangles.len() as u32;
        let own = part.triangles.clone();
        triangles.extend(own.clone().map(|t| high.triangles[t as usize]));
        copy_of.extend(own.clone());
        for &shift in &shifts {
            numbers.fill(u32::MAX);
            for t in own.clone() {
                let corners = high.corners(t).map(|p| p + shift);
                let beyond = |axis: Vec3| {
                    let at = corners.map(|p| along(p, axis));
                    at.iter().all(|x| *x > reach) || at.iter().all(|x| *x < -reach)
                };
                if beyond(u) || beyond(v) {
                    continue;
                }
                let copy = high.triangles[t as usize].map(|vertex| {
                    let slot = &mut numbers[vertex as usize];
                    if *slot == u32::MAX {
                        *slot = mesh.copy_vertex(vertex, high.normals[vertex as usize]);
                        mesh.positions[*slot as usize] += shift;
                    }
                    *slot
                });
                triangles.push(copy);
                copy_of.push(t);
            }
        }
        parts.push(Part { name: part.name.clone(), triangles: start..triangles.len() as u32 });
    }
    if with_materials {
        materials
            .extend(copy_of.iter().map(|&t| high.triangle_materials.get(t as usize).copied().unwrap_or(NO_MATERIAL)));
    }
    // Triangles were regrouped by part, so an original's number is where it stands now.
    let mut place = vec![0u32; high.triangles.len()];
    for (now, &t) in copy_of.iter().enumerate().rev() {
        place[t as usize] = now as u32;
    }
    let copy_of = copy_of.into_iter().map(|t| place[t as usize]).collect();
    mesh.triangles = triangles;
    mesh.parts = parts;
    mesh.triangle_materials = materials;
    Repeated { mesh, copy_of }
}
