//! Drafts to meshes, and the checks on them.

mod support;

use ember_ridge_core::glam::{Vec3, vec2, vec3};
use ember_ridge_core::mesh::{
    angle_weighted_directions, check_mesh, corner_tangents, find_islands, normals_by_angle, triangulate_polygon, weld,
};
use ember_ridge_core::reach::LowSurface;
use ember_ridge_core::{Draft, DraftPart, FindingKind, Severity, changes};
use support::*;

fn one_triangle() -> Draft {
    Draft {
        positions: vec![Vec3::ZERO, Vec3::X, Vec3::Y],
        parts: vec![DraftPart { name: "lid".into(), indices: vec![0, 1, 2], ..DraftPart::default() }],
        ..Draft::default()
    }
}

#[test]
fn damaged_drafts_name_the_place() {
    let mut draft = one_triangle();
    draft.positions[1].y = f32::NAN;
    let fault = draft.finish().expect_err("a NaN is refused");
    assert_eq!((fault.kind, fault.place.as_str()), (FindingKind::NotANumber, "part 'lid', vertex 2"));
    let mut draft = one_triangle();
    draft.parts[0].indices[2] = 7;
    let fault = draft.finish().expect_err("an index out of range is refused");
    assert_eq!(fault.place, "part 'lid', corner 3");
    assert!(fault.fault.contains("vertex 8 of 3"), "{}", fault.fault);
    let mut draft = one_triangle();
    draft.parts[0].indices.pop();
    assert!(draft.finish().is_err());
    let mut draft = one_triangle();
    draft.uvs = vec![vec2(0.0, 0.0)];
    assert!(draft.finish().is_err_and(|f| f.fault.contains("1 UVs for 3 vertices")));
    assert!(Draft::default().finish().is_err_and(|f| f.fault.contains("no faces")));
}

#[test]
fn parts_of_one_name_become_one_and_polygons_are_cut_and_counted() {
    let mut draft = one_triangle();
    draft.positions.extend([vec3(1.0, 1.0, 0.0), vec3(2.0, 0.0, 0.0)]);
    draft.parts.push(DraftPart { name: "other".into(), indices: vec![0, 1, 2], ..DraftPart::default() });
    draft.parts.push(DraftPart {
        name: "lid".into(),
        material: Some("tin".into()),
        indices: vec![0, 1, 3, 2, 1, 4, 3],
        corners: vec![4, 3],
    });
    let mesh = draft.finish().expect("whole");
    let parts: Vec<_> = mesh.parts.iter().map(|p| (p.name.as_str(), p.triangles.clone())).collect();
    assert_eq!(parts, vec![("lid", 0..4), ("other", 4..5)]);
    assert_eq!((mesh.polygons, mesh.materials.len()), (1, 1));
    assert_eq!(mesh.triangle_materials, vec![u16::MAX, 0, 0, 0, u16::MAX]);
}

#[test]
fn cut_polygons_keep_their_area_and_winding() {
    // A concave arrowhead, a comb, and a quad whose short diagonal would fold over.
    let arrow = [(0.0, 0.0), (2.0, -1.0), (0.5, 0.0), (2.0, 1.0)];
    let comb = [(0.0, 0.0), (5.0, 0.0), (5.0, 2.0), (4.0, 0.5), (3.0, 2.0), (2.0, 0.5), (1.0, 2.0), (0.0, 0.5)];
    for shape in [&arrow[..], &comb[..]] {
        let points: Vec<Vec3> = shape.iter().map(|&(x, y)| vec3(x, y, 0.0)).collect();
        let shoelace: f32 = (0..points.len())
            .map(|i| {
                let (p, q) = (points[i], points[(i + 1) % points.len()]);
                (p.x * q.y - q.x * p.y) / 2.0
            })
            .sum();
        let cut = triangulate_polygon(&points);
        assert_eq!(cut.len(), points.len() - 2);
        let areas: Vec<f32> = cut
            .iter()
            .map(|t| {
                let [a, b, c] = t.map(|i| points[i as usize]);
                (b - a).cross(c - a).z / 2.0
            })
            .collect();
        assert!(areas.iter().all(|&a| a > 0.0), "{areas:?}");
        assert!((areas.iter().sum::<f32>() - shoelace).abs() < 1e-5);
    }
}

#[test]
fn made_normals_follow_the_angle() {
    let bare = cube("box", 1.0);
    let hard = normals_by_angle(&bare, 60.0);
    assert!((0..12).all(|t| hard.triangles[t].iter().all(|&v| hard.normals[v as usize] == hard.face_normal(t as u32))));
    let soft = normals_by_angle(&bare, 120.0);
    for (p, n) in soft.positions.iter().zip(&soft.normals) {
        // All three sides take up the same angle at a corner, however they are cut: the mean is the diagonal.
        assert!(n.distance(p.normalize()) < 1e-5, "{p} {n}");
    }
    for (p, d) in bare.positions.iter().zip(angle_weighted_directions(&bare)) {
        assert!(d.distance(p.normalize()) < 1e-5, "averaged directions join across hard edges");
    }
    assert_eq!((weld(&bare).points, find_islands(&bare).count), (8, 6));
}

#[test]
fn tangents_run_along_u() {
    let mesh = height_field("plane", 3, |_, _| 0.0);
    for t in corner_tangents(&mesh).iter().flatten() {
        assert!(t.tangent.distance(Vec3::X) < 1e-5);
        // v grows towards -z: cross(N, T) = cross(Y, X) = -Z.
        assert_eq!(t.sign, 1.0);
    }
}

#[test]
fn turned_faces_are_found_exactly() {
    let mut mesh = ball("ball", 1.0, 12);
    let turned = [5u32, 6, 40, 41, 100];
    for t in turned {
        mesh.triangles[t as usize].swap(1, 2);
    }
    let found = check_mesh(&mesh, false);
    assert_eq!(found.len(), 1, "{found:?}");
    assert_eq!((found[0].kind, found[0].severity), (FindingKind::TurnedFaces, Severity::Fault));
    assert_eq!(found[0].place.triangles, turned);
    assert!(check_mesh(&ball("ball", 1.0, 12), false).is_empty());
}

#[test]
fn islands_outside_and_missing_uvs_are_found() {
    assert!(check_mesh(&cube("box", 1.0), true).is_empty());
    let mut mesh = cube("box", 1.0);
    // The first side's island, one square to the right.
    mesh.uvs[..4].iter_mut().for_each(|uv| uv.x += 1.0);
    let found = check_mesh(&mesh, true);
    assert_eq!(found.len(), 1, "{found:?}");
    assert_eq!((found[0].kind, &found[0].place.triangles), (FindingKind::IslandOutside, &vec![0, 1]));
    assert!(found[0].remedy.contains("(-1, 0)"), "{}", found[0].remedy);
    mesh.uvs.clear();
    let found = check_mesh(&mesh, true);
    assert_eq!(found.iter().map(|f| f.kind).collect::<Vec<_>>(), vec![FindingKind::MissingUvs]);
    assert!(check_mesh(&mesh, false).is_empty(), "a sculpt needs no UVs");
}

#[test]
fn a_cage_must_match_face_by_face() {
    let low = cube("box", 1.0);
    assert!(LowSurface::new(low.clone(), Some(&scaled(&low, 1.2))).is_ok());
    let fault = LowSurface::new(low, Some(&ball("ball", 1.2, 8))).err().expect("another topology is refused");
    assert!(fault.fault.contains("the low-poly 12"), "{}", fault.fault);
}

#[test]
fn recipes_read_back_and_tell_what_changed() {
    let text = r#"{"version":1,"low":[{"file":"a.obj"}],"high":[{"file":"b.ply"}],"reach":{"out":"auto","in":0.25},
        "sheet":{"size":512,"samples":16,"padding":"all","depth":"16"},"maps":[{"map":"normal","y":"-"},{"map":"miss"}]}"#;
    let recipe: ember_ridge_core::Recipe = serde_json::from_str(text).expect("readable");
    assert_eq!(recipe.validate(), Ok(()));
    let again: ember_ridge_core::Recipe =
        serde_json::from_str(&serde_json::to_string(&recipe).expect("writable")).expect("readable");
    assert_eq!(recipe, again);
    let mut other = recipe.clone();
    other.reach.out = ember_ridge_core::recipe::Distance::Units(0.5);
    other.sheet.size = 1024;
    other.maps.pop();
    assert_eq!(changes(&recipe, &other), vec!["reach out auto to 0.5", "size 512 to 1024", "Miss left out"]);
    assert!(serde_json::from_str::<ember_ridge_core::Recipe>(&text.replace("\"auto\"", "\"far\"")).is_err());
    assert!(serde_json::from_str::<ember_ridge_core::Recipe>(&text.replace("version", "verison")).is_err());
    other.sheet.samples = 5;
    assert!(other.validate().is_err_and(|e| e.contains("sheet.samples is 5")));
}
