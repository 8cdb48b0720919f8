//! Drafts to meshes, and the checks on them.

use crate::support::*;
use ember_ridge_core::glam::{Vec3, vec2, vec3};
use ember_ridge_core::inspect::{check_mesh, compare_placing};
use ember_ridge_core::layout::{Unwrap, find_islands, find_overlaps};
use ember_ridge_core::mesh::{angle_weighted_directions, corner_tangents, normals_by_angle, triangulate_polygon, weld};
use ember_ridge_core::reach::LowSurface;
use ember_ridge_core::recipe::MeshSource;
use ember_ridge_core::{Draft, DraftPart, FindingKind, Mesh, Recipe, Severity, changes};

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
    assert_eq!(mesh.triangle_materials, vec![u32::MAX, 0, 0, 0, u32::MAX]);
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
    let hard = normals_by_angle(bare.clone(), 60.0);
    assert!((0..12).all(|t| hard.triangles[t].iter().all(|&v| hard.normals[v as usize] == hard.face_normal(t as u32))));
    let soft = normals_by_angle(bare.clone(), 120.0);
    for (p, n) in soft.positions.iter().zip(&soft.normals) {
        // All three sides take up the same angle at a corner, however they are cut: the mean is the diagonal.
        assert!(n.distance(p.normalize()) < 1e-5, "{p} {n}");
    }
    for (p, d) in bare.positions.iter().zip(angle_weighted_directions(&bare)) {
        assert!(d.distance(p.normalize()) < 1e-5, "averaged directions join across hard edges");
    }
    assert_eq!((weld(&bare).points, find_islands(&bare).count), (8, 6));
}

/// All against all at a point of a million faces would never end; beyond a thousand each keeps its own normal.
#[test]
fn a_point_of_very_many_faces_stays_flat() {
    let cone = |around: u32| {
        let rim = |i: u32| std::f32::consts::TAU * i as f32 / around as f32;
        let mut positions = vec![vec3(0.0, 1.0, 0.0)];
        positions.extend((0..around).map(|i| vec3(rim(i).sin(), 0.0, rim(i).cos())));
        let indices = (0..around).flat_map(|i| [0, 1 + i, 1 + (i + 1) % around]).collect();
        let part = DraftPart { name: "cone".into(), indices, ..DraftPart::default() };
        Draft { positions, parts: vec![part], ..Draft::default() }.finish().expect("whole")
    };
    let tip_normals = |mesh: &Mesh| {
        let at_tip = |v: &usize| mesh.positions[*v] == vec3(0.0, 1.0, 0.0);
        (0..mesh.positions.len()).filter(at_tip).map(|v| mesh.normals[v]).collect::<Vec<_>>()
    };
    // Faces opposite each other differ by 90 degrees: what is smoothed differs by corner, but no normal is a face's own.
    let few = cone(64);
    assert!((0..64).all(|t| few.normals[few.triangles[t][0] as usize].distance(few.face_normal(t as u32)) > 0.1));
    let many = cone(3000);
    assert!((0..3000).all(|t| many.normals[many.triangles[t][0] as usize].distance(many.face_normal(t as u32)) < 1e-4));
    assert!(tip_normals(&many).len() > tip_normals(&few).len());
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
fn a_cage_must_be_of_this_low_poly() {
    let low = cube("box", 1.0);
    assert!(LowSurface::new(low.clone(), Some(&scaled(&low, 1.2))).is_ok());
    // A ball that the box's corners stick out of.
    let fault = LowSurface::new(low, Some(&ball("ball", 1.2, 8))).err().expect("another mesh is refused");
    assert!(fault.fault.contains("inside the low-poly at 12 of its 12 triangles"), "{}", fault.fault);
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
    other.reach.out = ember_ridge_core::surface::Distance::Units(0.5);
    other.sheet.size = 1024;
    other.maps.pop();
    assert_eq!(changes(&recipe, &other), vec!["reach out auto to 0.5", "size 512 to 1024", "Miss left out"]);
    let with_library = |hash: &str| {
        let mut recipe = recipe.clone();
        recipe.low[0].beside =
            vec![ember_ridge_core::recipe::FileBeside { file: "a.mtl".into(), hash: hash.to_owned() }];
        recipe
    };
    assert_eq!(changes(&recipe, &with_library("1")), vec!["files beside a.obj none to a.mtl"]);
    assert_eq!(changes(&with_library("1"), &with_library("2")), vec!["files beside a.obj a.mtl to newer a.mtl"]);
    assert!(serde_json::from_str::<ember_ridge_core::Recipe>(&text.replace("\"auto\"", "\"far\"")).is_err());
    assert!(serde_json::from_str::<ember_ridge_core::Recipe>(&text.replace("version", "verison")).is_err());
    other.sheet.samples = 5;
    assert!(other.validate().is_err_and(|e| e.contains("sheet.samples is 5")));
}

/// A flat sheet of `n` by `n` squares, two by two units, over the unit square of UVs.
fn sheet(name: &str, n: usize) -> Mesh {
    scaled(&height_field(name, n, |_, _| 0.0), 2.0)
}

#[test]
fn density_and_stretch_are_those_of_the_map_from_sheet_to_surface() {
    // Two units of surface a UV unit along u and, squeezed to a third, six along v: ratio 3, density sqrt(1/2 * 1/6).
    let plane = with_uvs(&sheet("plane", 4), |uv| vec2(uv.x, uv.y / 3.0));
    let side = plane.diagonal() / std::f32::consts::SQRT_2;
    let unwrap = Unwrap::new(&plane).expect("UVs");
    for face in &unwrap.faces {
        assert!((face.stretch - 3.0).abs() < 1e-4, "{face:?}");
        assert!((face.density - (1.0f32 / 3.0).sqrt() / side).abs() < 1e-5, "{face:?}");
    }
    assert_eq!(unwrap.islands.len(), 1);
    assert!((unwrap.islands[0].uv_area - 1.0 / 3.0).abs() < 1e-5 && !unwrap.islands[0].mirrored);
    // A shear by one: singular values of [[1, 1], [0, 1]] are the golden ratio and its inverse.
    let sheared = Unwrap::new(&with_uvs(&sheet("plane", 2), |uv| vec2(uv.x + uv.y, uv.y))).expect("UVs");
    let golden = (1.0 + 5.0f32.sqrt()) / 2.0;
    assert!(sheared.faces.iter().all(|f| (f.stretch - golden * golden).abs() < 1e-3), "{:?}", sheared.faces[0]);
    let turned = Unwrap::new(&with_uvs(&plane, |uv| vec2(1.0 - uv.x, uv.y))).expect("UVs");
    assert!(turned.islands[0].mirrored);
}

#[test]
fn overlaps_are_the_area_that_both_cover() {
    let one = with_uvs(&sheet("one", 40), |uv| uv * 0.5);
    let two = with_uvs(&sheet("two", 37), |uv| uv * 0.5 + vec2(0.375, 0.3));
    let both = Mesh::joined(&[&one, &two]);
    let islands = find_islands(&both);
    let overlaps = find_overlaps(&both, &islands.island_of).expect("few");
    assert_eq!(overlaps.len(), 1);
    let expected = (0.5 - 0.375) * (0.5 - 0.3);
    assert!((overlaps[0].area - expected).abs() < expected * 1e-4, "{} and {expected}", overlaps[0].area);
    assert!(overlaps[0].at.cmpgt(vec2(0.375, 0.3)).all() && overlaps[0].at.cmplt(vec2(0.5, 0.5)).all());
    // Side by side, turned over and next square: nothing shared.
    let beside = with_uvs(&one, |uv| vec2(1.0 - uv.x, uv.y));
    let away = with_uvs(&one, |uv| uv + vec2(1.0, 0.0));
    for other in [beside, away] {
        let apart = Mesh::joined(&[&one, &other]);
        assert_eq!(find_overlaps(&apart, &find_islands(&apart).island_of), Some(Vec::new()));
    }
}

#[test]
fn faces_folded_onto_their_own_island_overlap() {
    // The right half of the sheet is folded back over the left one.
    let folded = with_uvs(&sheet("folded", 8), |uv| vec2(if uv.x > 0.5 { 1.0 - uv.x } else { uv.x }, uv.y));
    let overlaps = find_overlaps(&folded, &find_islands(&folded).island_of).expect("few");
    assert_eq!((overlaps.len(), overlaps[0].islands), (1, [0, 0]));
    assert!((overlaps[0].area - 0.5).abs() < 1e-5, "{}", overlaps[0].area);
    assert_eq!(overlaps[0].triangles.len(), folded.triangles.len());
}

#[test]
fn findings_on_uvs_name_the_parts_and_the_place() {
    let one = with_uvs(&sheet("one", 6), |uv| uv * 0.5);
    let two = with_uvs(&sheet("two", 6), |uv| vec2(0.95 - uv.x * 0.5, 0.4 + uv.y * 0.15));
    let both = Mesh::joined(&[&one, &two]);
    let found = check_mesh(&both, true);
    let of = |kind: FindingKind| found.iter().filter(move |f| f.kind == kind).collect::<Vec<_>>();
    let overlap = of(FindingKind::OverlappingUvs);
    assert_eq!(overlap.len(), 1);
    // u 0.45 to 0.5 and v 0.4 to 0.5: half a hundredth of the square.
    assert_eq!(overlap[0].reason, "'one' and 'two' overlap on 0.50 % of the UV square");
    assert_eq!(overlap[0].severity, Severity::Warning);
    let at = overlap[0].place.uv.expect("a place");
    assert!(at[0] > 0.45 && at[0] < 0.5 && at[1] > 0.4 && at[1] < 0.5, "{at:?}");
    assert!(of(FindingKind::MirroredIslands)[0].reason.starts_with("A UV island of 'two' is mirrored"));
    assert!(of(FindingKind::StretchedUvs)[0].reason.contains("'two' (100 %"), "{:?}", of(FindingKind::StretchedUvs));
    assert!(check_mesh(&one, true).is_empty(), "nothing is wrong with one alone: {:?}", check_mesh(&one, true));
    // Told apart by material, they only need a sheet each.
    let mut told = both.clone();
    told.materials = vec!["wood".into(), "tin".into()];
    told.triangle_materials = (0..told.triangles.len()).map(|t| u32::from(t >= one.triangles.len())).collect();
    let overlap = check_mesh(&told, true).into_iter().find(|f| f.kind == FindingKind::OverlappingUvs).expect("still");
    assert_eq!(overlap.severity, Severity::Note);
    // A quarter of the length in UVs is a quarter of the density.
    let beside = with_uvs(&sheet("three", 6), |uv| uv * 0.5 + vec2(0.5, 0.0));
    let small = Mesh::joined(&[&one, &with_uvs(&sheet("two", 6), |uv| uv * 0.125 + vec2(0.6, 0.6)), &beside]);
    let uneven = check_mesh(&small, true).into_iter().find(|f| f.kind == FindingKind::DensitySpread).expect("uneven");
    assert!(uneven.reason.starts_with("A UV island of 'two' gets less than half"), "{}", uneven.reason);
}

/// `n` squares, each laid over the whole sheet.
fn stack(n: usize) -> Mesh {
    let square = |i: usize| {
        let y = i as f32;
        [vec3(0.0, y, 0.0), vec3(0.0, y, 1.0), vec3(1.0, y, 1.0), vec3(1.0, y, 0.0)]
    };
    Draft {
        positions: (0..n).flat_map(square).collect(),
        uvs: [vec2(0.0, 1.0), vec2(0.0, 0.0), vec2(1.0, 0.0), vec2(1.0, 1.0)].repeat(n),
        parts: vec![DraftPart {
            name: "stack".into(),
            indices: (0..n as u32).flat_map(|i| [0, 1, 2, 0, 2, 3].map(|c| c + 4 * i)).collect(),
            ..DraftPart::default()
        }],
        ..Draft::default()
    }
    .finish()
    .expect("whole")
}

#[test]
fn faces_stacked_by_the_hundred_are_measured_and_by_the_thousands_only_told() {
    let few = stack(100);
    let overlaps = find_overlaps(&few, &find_islands(&few).island_of).expect("few");
    // Each of 100 * 99 / 2 pairs of squares shares all of the sheet.
    assert_eq!(overlaps.len(), 4950);
    assert!((overlaps.iter().map(|o| o.area).sum::<f64>() - 4950.0).abs() < 1e-6);
    let many = stack(15_000);
    assert_eq!(find_overlaps(&many, &find_islands(&many).island_of), None);
    let found = check_mesh(&many, true);
    let told = found.iter().find(|f| f.kind == FindingKind::OverlappingUvs).expect("told");
    assert!(told.reason.ends_with("were not measured"), "{}", told.reason);
}

#[test]
fn edges_of_three_faces_are_found() {
    let fan = Draft {
        positions: vec![Vec3::ZERO, Vec3::X, Vec3::Y, Vec3::Z, vec3(0.0, -1.0, 0.0)],
        parts: vec![DraftPart { name: "fan".into(), indices: vec![0, 1, 2, 1, 0, 3, 0, 1, 4], ..DraftPart::default() }],
        ..Draft::default()
    };
    let found = check_mesh(&fan.finish().expect("whole"), true);
    let edges = found.iter().find(|f| f.kind == FindingKind::NonManifoldEdges).expect("found");
    assert_eq!((edges.place.count, edges.reason.as_str()), (3, "1 edge is shared by three or more faces in 'fan'"));
    // The same faces in two parts are two shells that touch.
    let closed = cube("box", 1.0);
    let edges = |mesh: &Mesh| check_mesh(mesh, true).into_iter().any(|f| f.kind == FindingKind::NonManifoldEdges);
    assert!(!edges(&Mesh::joined(&[&closed, &closed])));
}

#[test]
fn a_hard_edge_needs_a_seam() {
    // Two faces of a fold along the y axis, each with its own normals there, in one island or in two.
    let fold = |gap: f32, hard: bool| {
        let (left, right) = (vec3(-1.0, 0.0, 1.0).normalize(), vec3(1.0, 0.0, 1.0).normalize());
        let normals = [left, left, left, right, right, right];
        Draft {
            positions: vec![Vec3::ZERO, Vec3::Y, vec3(-1.0, 0.0, -1.0), Vec3::ZERO, vec3(1.0, 0.0, -1.0), Vec3::Y],
            normals: if hard { normals.to_vec() } else { vec![Vec3::Z; 6] },
            uvs: vec![
                vec2(0.4, 0.0),
                vec2(0.4, 0.4),
                vec2(0.0, 0.0),
                vec2(0.4 + gap, 0.0),
                vec2(0.8 + gap, 0.0),
                vec2(0.4 + gap, 0.4),
            ],
            parts: vec![DraftPart { name: "fold".into(), indices: vec![0, 1, 2, 3, 4, 5], ..DraftPart::default() }],
            ..Draft::default()
        }
        .finish()
        .expect("whole")
    };
    let seen = |mesh: &Mesh| check_mesh(mesh, true).iter().any(|f| f.kind == FindingKind::HardEdgesWithoutSeam);
    assert!(seen(&fold(0.0, true)));
    assert!(!seen(&fold(0.1, true)), "a seam makes it right");
    assert!(!seen(&fold(0.0, false)), "a smooth edge needs none");
}

#[test]
fn slips_of_scale_axis_and_place_are_told_apart() {
    let low = (vec3(-1.0, 0.0, -0.5), vec3(1.0, 4.0, 0.5));
    let kind = |high: (Vec3, Vec3)| compare_placing(low, high).map(|f| f.kind);
    let times = |by: f32| (low.0 * by, low.1 * by);
    assert_eq!(kind(low), None);
    assert_eq!(kind((low.0 * 1.04, low.1 * 1.04)), None, "a sculpt stands a little proud");
    for (by, words) in [(100.0, "centimetres taken for metres"), (0.001, "millimetres taken for metres")] {
        let found = compare_placing(low, times(by)).expect("a slip");
        assert_eq!(found.kind, FindingKind::ScaleSlip);
        assert!(found.reason.ends_with(&format!("probably {words}")), "{}", found.reason);
    }
    assert!(compare_placing(low, times(100.0)).is_some_and(|f| f.reason.contains("is 100 times as large")));
    assert!(compare_placing(low, times(7.0)).is_some_and(|f| !f.reason.contains("taken for")), "no unit is guessed");
    // Z up: y and z change places.
    assert_eq!(kind((vec3(-1.0, -0.5, 0.0), vec3(1.0, 0.5, 4.0))), Some(FindingKind::AxisSwap));
    let away = compare_placing(low, (low.0 + Vec3::X, low.1 + Vec3::X)).expect("apart");
    assert_eq!(away.kind, FindingKind::MeshesApart);
    assert!(away.reason.contains("(1.0000, 0.0000, 0.0000)"), "{}", away.reason);
    assert_eq!(kind((Vec3::ONE, Vec3::ONE)), None, "a point has no size to compare");
}

/// What an undo button and the ledger say of files.
#[test]
fn files_that_come_and_go_are_told_in_words() {
    let with = |names: &[(&str, &str)]| {
        let mut recipe = Recipe::new("lid");
        let source = |&(file, hash): &(&str, &str)| MeshSource { hash: Some(hash.into()), ..MeshSource::file(file) };
        recipe.high = names.iter().map(source).collect();
        recipe
    };
    let (none, one, two) = (with(&[]), with(&[("a.obj", "1")]), with(&[("a.obj", "1"), ("b.obj", "2")]));
    for (before, after, words) in [
        (&none, &one, "sculpt a.obj added"),
        (&none, &two, "sculpt a.obj, b.obj added"),
        (&one, &two, "sculpt b.obj added"),
        (&two, &one, "sculpt b.obj removed"),
        (&one, &with(&[("a.obj", "9")]), "sculpt newer file"),
        (&one, &with(&[("c.obj", "1")]), "sculpt a.obj to c.obj"),
    ] {
        assert_eq!(changes(before, after), vec![words]);
    }
}
