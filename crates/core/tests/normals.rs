//! Points, made normals and what lies across edges, on meshes thrown together at random, beside the plainest code that says the
//! same: every corner against every other.

use ember_ridge_core::glam::{Vec3, vec3};
use ember_ridge_core::mesh::{Neighbours, find_shells, normals_by_angle, weld};
use ember_ridge_core::{Mesh, Part};
use proptest::prelude::*;
use std::collections::{BTreeMap, BTreeSet};

/// Triangles over few places, several vertices at each: doubled faces, folds, edges of three faces, faces without area.
fn tangles() -> impl Strategy<Value = Mesh> {
    let vertices = proptest::collection::vec((0u8..3, 0u8..3, 0u8..2), 6..16);
    let corners = proptest::collection::vec((0usize..64, 0usize..64, 0usize..64), 1..24);
    (vertices, corners).prop_map(|(vertices, corners)| {
        let count = vertices.len();
        // Minus zero is the same place as zero.
        let place =
            |&(x, y, z): &(u8, u8, u8)| vec3(f32::from(x), f32::from(y), if z == 0 { -0.0 } else { f32::from(z) });
        let triangles: Vec<[u32; 3]> =
            corners.into_iter().map(|(a, b, c)| [a, b, c].map(|v| (v % count) as u32)).collect();
        Mesh {
            normals: vec![Vec3::Y; count],
            uvs: Vec::new(),
            positions: vertices.iter().map(place).collect(),
            parts: vec![Part { name: "tangle".into(), triangles: 0..triangles.len() as u32 }],
            triangles,
            ..Mesh::default()
        }
    })
}

fn angle_at(mesh: &Mesh, t: usize, corner: usize) -> f32 {
    let [p, q, r] = [0, 1, 2].map(|i| mesh.positions[mesh.triangles[t][(corner + i) % 3] as usize]);
    if (q - p).cross(r - p) == Vec3::ZERO { 0.0 } else { (q - p).angle_between(r - p) }
}

/// Point numbers of a triangle's corners, by place.
fn places(mesh: &Mesh, t: usize) -> [[i64; 3]; 3] {
    mesh.triangles[t].map(|v| mesh.positions[v as usize].to_array().map(|x| x as i64))
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(300))]

    #[test]
    fn points_are_places(mesh in tangles()) {
        let welded = weld(&mesh);
        for (a, p) in mesh.positions.iter().enumerate() {
            for (b, q) in mesh.positions.iter().enumerate() {
                prop_assert_eq!(p == q, welded.point_of[a] == welded.point_of[b]);
            }
        }
        // Numbered in the order they are first met, without gaps.
        let mut met = 0;
        for &point in &welded.point_of {
            prop_assert!(point <= met);
            met = met.max(point + 1);
        }
        prop_assert_eq!(met as usize, welded.points);
    }

    #[test]
    fn made_normals_are_the_weighted_mean_of_what_is_smooth(mesh in tangles(), degrees in 10.0f32..170.0) {
        let made = normals_by_angle(mesh.clone(), degrees);
        prop_assert_eq!(made.triangles.len(), mesh.triangles.len());
        prop_assert_eq!(made.normals.len(), made.positions.len());
        let least = degrees.to_radians().cos() - 1e-6;
        for t in 0..mesh.triangles.len() {
            prop_assert_eq!(places(&mesh, t), places(&made, t), "corners stay where they are");
            let own = mesh.face_normal(t as u32);
            for corner in 0..3 {
                let here = mesh.positions[mesh.triangles[t][corner] as usize];
                let mut sum = Vec3::ZERO;
                // How near a face came to being on the other side of the limit, where rounding may decide.
                let mut doubtful = false;
                for other in 0..mesh.triangles.len() {
                    let normal = mesh.face_normal(other as u32);
                    for c in (0..3).filter(|&c| mesh.positions[mesh.triangles[other][c] as usize] == here) {
                        doubtful |= (own.dot(normal) - least).abs() < 1e-5;
                        if own == Vec3::ZERO || own.dot(normal) >= least {
                            sum += normal * angle_at(&mesh, other, c);
                        }
                    }
                }
                let normal = made.normals[made.triangles[t][corner] as usize];
                prop_assert!((normal.length() - 1.0).abs() < 1e-4);
                if !doubtful && sum.length() > 1e-3 {
                    prop_assert!(normal.distance(sum.normalize()) < 1e-3, "{} {}", normal, sum.normalize());
                }
            }
        }
    }

    #[test]
    fn shells_are_faces_joined_over_edges_of_two(mesh in tangles()) {
        let count = mesh.triangles.len();
        let mut of_edge: BTreeMap<[[i64; 3]; 2], Vec<usize>> = BTreeMap::new();
        for t in 0..count {
            let p = places(&mesh, t);
            for i in 0..3 {
                let mut edge = [p[i], p[(i + 1) % 3]];
                edge.sort_unstable();
                if edge[0] != edge[1] {
                    of_edge.entry(edge).or_default().push(t);
                }
            }
        }
        let mut group: Vec<usize> = (0..count).collect();
        let joined: Vec<&Vec<usize>> = of_edge.values().filter(|faces| faces.len() == 2).collect();
        for _ in 0..count {
            for pair in &joined {
                let least = group[pair[0]].min(group[pair[1]]);
                (group[pair[0]], group[pair[1]]) = (least, least);
            }
        }
        let expected: BTreeSet<Vec<u32>> = (0..count)
            .map(|g| (0..count as u32).filter(|&t| group[t as usize] == group[g]).collect())
            .collect();
        let shells = find_shells(&mesh, &mesh.parts[0], &Neighbours::new(&mesh));
        let found: BTreeSet<Vec<u32>> = shells.iter().map(|s| s.triangles.clone()).collect();
        prop_assert_eq!(&found, &expected);
        for shell in &shells {
            let inside = |t: &usize| shell.triangles.contains(&(*t as u32));
            let closed = of_edge.values().filter(|faces| faces.iter().any(inside)).all(|faces| faces.len() == 2);
            prop_assert_eq!(shell.closed, closed);
        }
    }
}
