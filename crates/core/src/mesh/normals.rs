//! Normals and averaged directions, both weighted by the angle a face takes up at the corner (Thurmer and Wuethrich,
//! "Computing Vertex Normals from Polygonal Facets", 1998), so that the triangulation of a flat side has no say.

use super::{DisjointSets, Mesh, Neighbours, weld};
use glam::Vec3;
use rayon::prelude::*;
use rustc_hash::FxHashMap;

/// The angle at a corner of a triangle in radians; zero for a triangle without area.
fn corner_angle(corners: [Vec3; 3], corner: usize) -> f32 {
    let [p, q, r] = [0, 1, 2].map(|i| corners[(corner + i) % 3]);
    let (u, v) = (q - p, r - p);
    let across = u.cross(v);
    if across == Vec3::ZERO { 0.0 } else { libm::atan2f(across.length(), u.dot(v)) }
}

/// The angle at each corner.
fn corner_angles(corners: [Vec3; 3]) -> [f32; 3] {
    [0, 1, 2].map(|corner| corner_angle(corners, corner))
}

/// Unit directions, one per vertex: the angle-weighted mean of the face normals around its *point*. Vertices that share
/// a point share the direction, so an envelope along it has no gaps at hard edges.
pub fn angle_weighted_directions(mesh: &Mesh) -> Vec<Vec3> {
    let welded = weld(mesh);
    let mut sums = vec![Vec3::ZERO; welded.points];
    for (t, triangle) in mesh.triangles.iter().enumerate() {
        let normal = mesh.face_normal(t as u32);
        let angles = corner_angles(mesh.corners(t as u32));
        for (v, angle) in triangle.iter().zip(angles) {
            sums[welded.point_of[*v as usize] as usize] += normal * angle;
        }
    }
    welded
        .point_of
        .iter()
        .zip(&mesh.normals)
        .map(|(&point, &normal)| sums[point as usize].try_normalize().unwrap_or(normal))
        .collect()
}

/// Where more corners than this meet at a point, each keeps its face's normal: all against all would take hours on a file that
/// has millions of them at one.
const MOST_SMOOTHED: usize = 1024;

/// Points whose normals are found at once, before vertices are split for them.
const POINTS_AT_ONCE: u32 = 1 << 16;

/// The same mesh with normals made anew: corners at one point are smoothed together where their faces differ by at most
/// `degrees`, and vertices are split where they are not. Other vertex data is kept.
///
/// It goes point by point, so that beside the mesh it needs little more than the list of triangles around each point.
pub fn normals_by_angle(mut mesh: Mesh, degrees: f32) -> Mesh {
    let least = libm::cosf(degrees.clamp(0.0, 180.0).to_radians());
    let neighbours = Neighbours::new(&mesh);
    mesh.normals_from_file = false;
    mesh.normals.clear();
    mesh.normals.resize(mesh.positions.len(), Vec3::ZERO);
    // Copies of each vertex made so far: (copy, next in chain). The first normal a vertex gets is written in place.
    let mut next_copy: Vec<u32> = vec![u32::MAX; mesh.positions.len()];
    for first in (0..neighbours.count()).step_by(POINTS_AT_ONCE as usize) {
        let points = first..(first + POINTS_AT_ONCE).min(neighbours.count());
        let made: Vec<(u32, usize, Vec3)> = points
            .into_par_iter()
            .flat_map_iter(|point| normals_at_point(&mesh, &neighbours.corners_at(&mesh, point), least))
            .collect();
        for (triangle, corner, normal) in made {
            let v = mesh.triangles[triangle as usize][corner];
            mesh.triangles[triangle as usize][corner] = place_normal(&mut mesh, &mut next_copy, v, normal);
        }
    }
    for n in mesh.normals.iter_mut().filter(|n| **n == Vec3::ZERO) {
        *n = Vec3::Y;
    }
    mesh
}

/// The normal of each corner at a point, as (triangle, corner, normal). `least` is the cosine of the widest angle that is smooth.
fn normals_at_point(mesh: &Mesh, corners: &[(u32, usize)], least: f32) -> Vec<(u32, usize, Vec3)> {
    let face =
        |&(triangle, corner): &(u32, usize)| (mesh.face_normal(triangle), corner_angle(mesh.corners(triangle), corner));
    let faces: Vec<(Vec3, f32)> = corners.iter().map(face).collect();
    let normal_of = |own: Vec3| {
        // `>=` on the face itself always holds; a face without area follows its neighbours.
        let smooth = |(other, _): &&(Vec3, f32)| own.dot(*other) >= least - 1e-6 || own == Vec3::ZERO;
        let sum = match faces.len() > MOST_SMOOTHED {
            true => own,
            false => faces.iter().filter(smooth).map(|(normal, angle)| *normal * *angle).sum(),
        };
        sum.try_normalize().unwrap_or(if own == Vec3::ZERO { Vec3::Y } else { own })
    };
    corners.iter().zip(&faces).map(|(&(triangle, corner), &(own, _))| (triangle, corner, normal_of(own))).collect()
}

/// Normals made anew in the parts of a name, or in all: edges up to `degrees` are smooth.
pub fn normals_by_angle_in(mesh: &Mesh, part: Option<&str>, degrees: f32) -> Mesh {
    normals_by_edges(mesh, part, |angle, _| angle > degrees)
}

/// Normals made anew in the parts of a name, or in all: an edge is hard where it is a UV seam and sharper than `degrees`.
pub fn normals_at_seams(mesh: &Mesh, part: Option<&str>, degrees: f32) -> Mesh {
    normals_by_edges(mesh, part, |angle, seam| seam && angle > degrees)
}

/// Corners at one point are smoothed together where a way leads from one to the other over edges that are not `hard`, which is
/// told from the angle between the faces in degrees and whether the edge is a UV seam. Edges of three faces or more are hard.
fn normals_by_edges(mesh: &Mesh, part: Option<&str>, hard: impl Fn(f32, bool) -> bool) -> Mesh {
    let chosen = mesh.chosen(part);
    let welded = weld(mesh);
    let faces: Vec<Vec3> = (0..mesh.triangles.len() as u32).map(|t| mesh.face_normal(t)).collect();
    let mut sides: Vec<((u32, u32), u32, usize)> = Vec::with_capacity(mesh.triangles.len() * 3);
    for (t, triangle) in mesh.triangles.iter().enumerate().filter(|(t, _)| chosen[*t]) {
        let points = triangle.map(|v| welded.point_of[v as usize]);
        for i in 0..3 {
            let (a, b) = (points[i], points[(i + 1) % 3]);
            sides.push(((a.min(b), a.max(b)), t as u32, i));
        }
    }
    sides.sort_unstable();
    let mut corners = DisjointSets::new(mesh.triangles.len() * 3);
    let uv = |v: u32| mesh.uvs.get(v as usize);
    for edge in sides.chunk_by(|a, b| a.0 == b.0) {
        let [(_, t, i), (_, s, j)] = edge else { continue };
        // The corner of the other face at each end of the edge.
        let ends = [*i, (i + 1) % 3].map(|c| {
            let v = mesh.triangles[*t as usize][c];
            let same = |k: &usize| {
                let w = mesh.triangles[*s as usize][*k];
                welded.point_of[w as usize] == welded.point_of[v as usize]
            };
            (c, [*j, (j + 1) % 3].into_iter().find(same).unwrap_or(*j))
        });
        let vertex = |t: u32, c: usize| mesh.triangles[t as usize][c];
        let seam = ends.iter().any(|&(c, k)| uv(vertex(*t, c)) != uv(vertex(*s, k)));
        let angle = faces[*t as usize].angle_between(faces[*s as usize]).to_degrees();
        if angle.is_nan() || !hard(angle, seam) {
            for (c, k) in ends {
                corners.join(t * 3 + c as u32, s * 3 + k as u32);
            }
        }
    }
    let mut sums: FxHashMap<u32, Vec3> = FxHashMap::default();
    for t in (0..mesh.triangles.len() as u32).filter(|&t| chosen[t as usize]) {
        for (c, angle) in corner_angles(mesh.corners(t)).into_iter().enumerate() {
            *sums.entry(corners.root(t * 3 + c as u32)).or_default() += faces[t as usize] * angle;
        }
    }
    let mut made = Mesh { normals_from_file: false, ..mesh.clone() };
    let mut copies: FxHashMap<(u32, u32), u32> = FxHashMap::default();
    for t in (0..mesh.triangles.len()).filter(|&t| chosen[t]) {
        for c in 0..3 {
            let (v, set) = (mesh.triangles[t][c], corners.root((t * 3 + c) as u32));
            made.triangles[t][c] = *copies.entry((v, set)).or_insert_with(|| {
                let normal = sums[&set].try_normalize().unwrap_or(mesh.normals[v as usize]);
                made.copy_vertex(v, normal)
            });
        }
    }
    made.drop_unused_vertices();
    made
}

/// Puts `normal` on vertex `v`, or on a copy of it that carries the same normal already, or on a new copy.
fn place_normal(mesh: &mut Mesh, next_copy: &mut Vec<u32>, v: u32, normal: Vec3) -> u32 {
    let mut at = v;
    loop {
        let i = at as usize;
        if mesh.normals[i] == Vec3::ZERO || mesh.normals[i].distance_squared(normal) < 1e-10 {
            if mesh.normals[i] == Vec3::ZERO {
                mesh.normals[i] = normal;
            }
            return at;
        }
        if next_copy[i] == u32::MAX {
            break;
        }
        at = next_copy[i];
    }
    let copy = mesh.positions.len() as u32;
    next_copy[at as usize] = copy;
    next_copy.push(u32::MAX);
    mesh.positions.push(mesh.positions[v as usize]);
    mesh.normals.push(normal);
    if !mesh.uvs.is_empty() {
        mesh.uvs.push(mesh.uvs[v as usize]);
    }
    if !mesh.texture_uvs.is_empty() {
        mesh.texture_uvs.push(mesh.texture_uvs[v as usize]);
    }
    if !mesh.colors.is_empty() {
        mesh.colors.push(mesh.colors[v as usize]);
    }
    copy
}
