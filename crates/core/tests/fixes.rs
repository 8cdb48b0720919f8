//! Steps that fix meshes, against arithmetic: what they change, what they leave, and that checks agree afterwards.

use ember_ridge_core::finding::{Exception, FindingKind, mark_allowed};
use ember_ridge_core::glam::{Vec2, Vec3, vec2, vec3};
use ember_ridge_core::inspect::{check_mesh, compare_placing, fix_all, tight_islands, uv_report};
use ember_ridge_core::layout::{Unwrap, find_gaps, find_overlaps};
use ember_ridge_core::mesh::{Neighbours, find_shells, weld};
use ember_ridge_core::sheet::SheetSettings;
use ember_ridge_core::step::{MeshStep, Turn};
use ember_ridge_core::{Draft, DraftPart, Finding, Mesh};

/// Squares of UV space, each two triangles standing on its own in space, one part.
fn squares(places: &[(Vec2, f32)]) -> Mesh {
    let mut draft = Draft::default();
    let mut indices = Vec::new();
    for (i, &(corner, side)) in places.iter().enumerate() {
        for (x, y) in [(0.0, 0.0), (1.0, 0.0), (1.0, 1.0), (0.0, 1.0)] {
            draft.positions.push(vec3(2.0 * i as f32 + x, y, 0.0));
            draft.normals.push(Vec3::Z);
            draft.uvs.push(corner + vec2(x, y) * side);
        }
        let v = i as u32 * 4;
        indices.extend([v, v + 1, v + 2, v, v + 2, v + 3]);
    }
    draft.parts.push(DraftPart { name: "squares".into(), indices, ..DraftPart::default() });
    draft.finish().expect("whole")
}

/// A box of 12 triangles about the origin, flat normals, without UVs.
fn cuboid(half: Vec3) -> Mesh {
    let mut draft = Draft::default();
    let mut indices = Vec::new();
    for axis in 0..3 {
        for sign in [-1.0f32, 1.0] {
            let n = Vec3::AXES[axis] * sign;
            let (u, v) = (Vec3::AXES[(axis + 1) % 3] * sign, Vec3::AXES[(axis + 2) % 3]);
            let first = draft.positions.len() as u32;
            for (x, y) in [(-1.0, -1.0), (1.0, -1.0), (1.0, 1.0), (-1.0, 1.0)] {
                draft.positions.push((n + u * x + v * y) * half);
                draft.normals.push(n);
            }
            indices.extend([0, 1, 2, 0, 2, 3].map(|i| first + i));
        }
    }
    draft.parts.push(DraftPart { name: "box".into(), indices, ..DraftPart::default() });
    draft.finish().expect("whole")
}

fn kinds(mesh: &Mesh) -> Vec<FindingKind> {
    check_mesh(mesh, true).iter().map(|f| f.kind).collect()
}

#[test]
fn shells_know_which_side_is_out() {
    let mesh = cuboid(vec3(1.0, 2.0, 3.0));
    let neighbours = Neighbours::new(&mesh);
    let shells = find_shells(&mesh, &mesh.parts[0], &neighbours);
    assert_eq!(shells.len(), 1);
    assert!(shells[0].closed && shells[0].turned.is_empty());
    // 48 of volume over 88 of area to the power 1.5.
    assert!((shells[0].outward - 48.0 / 88.0f32.powf(1.5)).abs() < 1e-6, "{}", shells[0].outward);
    let mut turned = mesh.clone();
    turned.triangles.iter_mut().for_each(|t| t.swap(1, 2));
    let shells = find_shells(&turned, &turned.parts[0], &neighbours);
    assert!(shells[0].looks_inward() && (shells[0].outward + 48.0 / 88.0f32.powf(1.5)).abs() < 1e-6);
    // Without its lid it encloses what it did, once the hole is closed.
    let mut open = turned.clone();
    open.triangles.truncate(10);
    open.parts[0].triangles = 0..10;
    let shells = find_shells(&open, &open.parts[0], &Neighbours::new(&open));
    assert!(!shells[0].closed && shells[0].looks_inward());
    assert!((shells[0].outward + 48.0 / 80.0f32.powf(1.5)).abs() < 1e-2, "{}", shells[0].outward);
}

#[test]
fn a_flat_sheet_and_a_hollow_are_not_inside_out() {
    assert!(!kinds(&squares(&[(vec2(0.1, 0.1), 0.5)])).contains(&FindingKind::InsideOut));
    let (outer, mut inner) = (cuboid(Vec3::ONE), cuboid(Vec3::splat(0.5)));
    inner.triangles.iter_mut().for_each(|t| t.swap(1, 2));
    let mut hollow = Mesh::joined(&[&outer, &inner]);
    hollow.parts = vec![ember_ridge_core::Part { name: "hollow".into(), triangles: 0..24 }];
    assert!(!kinds(&hollow).contains(&FindingKind::InsideOut));
}

#[test]
fn turning_mends_winding_and_normals() {
    let sound = cuboid(Vec3::ONE);
    let mut wrong = sound.clone();
    for t in [3, 7] {
        wrong.triangles[t].swap(1, 2);
    }
    let found = check_mesh(&wrong, false);
    assert_eq!(
        found.iter().map(|f| (f.kind, f.place.triangles.clone())).collect::<Vec<_>>(),
        vec![(FindingKind::TurnedFaces, vec![3, 7])]
    );
    let fixed = wrong.clone().with_steps(&[found[0].fixes[0].step.clone()]);
    assert_eq!(check_mesh(&fixed, false), vec![]);
    // All of it inside out, normals too.
    let mut wrong = sound.clone();
    wrong.triangles.iter_mut().for_each(|t| t.swap(1, 2));
    wrong.normals.iter_mut().for_each(|n| *n = -*n);
    let fixed = wrong.with_steps(&[MeshStep::TurnFaces { part: None }]);
    for t in 0..12 {
        let face = fixed.face_normal(t);
        assert!(fixed.triangles[t as usize].iter().all(|&v| fixed.normals[v as usize] == face));
        assert_eq!(face, sound.face_normal(t));
    }
}

#[test]
fn doubled_points_become_one_and_nothing_else_moves() {
    let mut mesh = cuboid(Vec3::ONE);
    let before = mesh.clone();
    mesh.positions[0] += vec3(1e-6, 0.0, 0.0);
    assert_eq!(weld(&mesh).points, 9);
    let finding = check_mesh(&mesh, true).into_iter().find(|f| f.kind == FindingKind::DoubledPoints).expect("found");
    let fixed = mesh.clone().with_steps(&[finding.fixes[0].step.clone()]);
    assert_eq!(weld(&fixed).points, 8);
    let off = fixed.positions.iter().zip(&before.positions).map(|(a, b)| a.distance(*b)).fold(0.0, f32::max);
    assert!(off <= 1.2e-6 && fixed.triangles.len() == 12);
    // Another part is left alone.
    let other = mesh.clone().with_steps(&[MeshStep::MergePoints { part: Some("lid".into()), distance: 1.0 }]);
    assert_eq!(other.positions, mesh.positions);
    // A distance that would swallow the whole part changes nothing.
    let all = mesh.clone().with_steps(&[MeshStep::MergePoints { part: None, distance: 100.0 }]);
    assert_eq!(all.triangles.len(), 12);
}

#[test]
fn a_face_that_stands_twice_is_dropped() {
    let mut mesh = cuboid(Vec3::ONE);
    mesh.triangles.push(mesh.triangles[4]);
    mesh.parts[0].triangles = 0..13;
    let finding = check_mesh(&mesh, true).into_iter().find(|f| f.kind == FindingKind::NonManifoldEdges).expect("found");
    let fixed = mesh.with_steps(&[finding.fixes[0].step.clone()]);
    assert_eq!((fixed.triangles.len(), fixed.parts[0].triangles.clone()), (12, 0..12));
}

#[test]
fn islands_come_back_by_whole_squares() {
    let mesh = squares(&[(vec2(0.1, 0.1), 0.25), (vec2(2.25, -0.75), 0.25), (vec2(0.9, 0.5), 0.25)]);
    let moved = mesh.clone().with_steps(&[MeshStep::MoveIslands { part: None }]);
    assert_eq!(moved.corner_uvs(0), mesh.corner_uvs(0));
    assert_eq!(moved.corner_uvs(2)[0], vec2(0.25, 0.25));
    // This one lies across the border: no whole square helps, free room does.
    assert_eq!(moved.corner_uvs(4), mesh.corner_uvs(4));
    let outside = check_mesh(&moved, true).into_iter().find(|f| f.kind == FindingKind::IslandOutside).expect("one");
    let laid = moved.with_steps(&[outside.fixes[0].step.clone()]);
    assert!(!kinds(&laid).contains(&FindingKind::IslandOutside));
    assert!(!kinds(&laid).contains(&FindingKind::OverlappingUvs));
}

#[test]
fn stacked_islands_find_room_at_their_size() {
    let mesh = squares(&[(vec2(0.1, 0.1), 0.4), (vec2(0.12, 0.12), 0.4), (vec2(0.1, 0.1), 0.4)]);
    let laid = mesh.with_steps(&[MeshStep::LayOut { part: None }]);
    let unwrap = Unwrap::new(&laid).expect("UVs");
    assert_eq!(find_overlaps(&laid, &unwrap.island_of), Some(vec![]));
    for island in &unwrap.islands {
        assert!((island.uv_area - 0.16).abs() < 1e-6 && !island.is_outside(), "{island:?}");
    }
    // The gap that is kept: nine cells of 512.
    let gaps = find_gaps(&laid, &unwrap, 0.1, |_, _| true);
    assert!(gaps.iter().flatten().all(|g| g.distance >= 9.0 / 512.0), "{gaps:?}");
}

#[test]
fn a_part_without_uvs_is_laid_out_flat_and_even() {
    let with = squares(&[(vec2(0.5, 0.5), 0.25)]);
    let mut mesh = Mesh::joined(&[&with, &cuboid(vec3(0.5, 0.25, 0.125))]);
    mesh.parts[0].name = "plate".into();
    assert!(kinds(&mesh).contains(&FindingKind::MissingUvs));
    mesh = mesh.with_steps(&[MeshStep::LayOut { part: Some("box".into()) }]);
    assert_eq!(kinds(&mesh), vec![], "{:?}", check_mesh(&mesh, true));
    let unwrap = Unwrap::new(&mesh).expect("UVs");
    assert_eq!(unwrap.islands.len(), 7);
    for face in &unwrap.faces {
        // A quarter of a UV unit a scene unit, as the plate has it, and no stretch.
        assert!((face.density - 0.25).abs() < 1e-5 && (face.stretch - 1.0).abs() < 1e-4, "{face:?}");
    }
}

#[test]
fn thousands_of_patches_are_laid_out_in_rows() {
    let boxes: Vec<Mesh> = (0..500)
        .map(|i| {
            cuboid(vec3(0.1 + 0.01 * (i % 7) as f32, 0.1, 0.2))
                .with_steps(&[MeshStep::Move { by: [i as f32, 0.0, 0.0] }])
        })
        .collect();
    let laid = Mesh::joined(&boxes.iter().collect::<Vec<_>>()).with_steps(&[MeshStep::LayOut { part: None }]);
    let unwrap = Unwrap::new(&laid).expect("UVs");
    assert_eq!(unwrap.islands.len(), 3000);
    assert!(unwrap.islands.iter().all(|i| !i.is_outside() && i.uv_area > 0.0));
    assert_eq!(find_overlaps(&laid, &unwrap.island_of), Some(vec![]));
}

#[test]
fn normals_are_hard_where_asked() {
    let mesh = cuboid(Vec3::ONE);
    let corner = Vec3::ONE / 3.0f32.sqrt();
    // Without UVs there is no seam, so all edges become smooth: a corner's normal is the mean of its three sides.
    let smooth = mesh.clone().with_steps(&[MeshStep::NormalsAtSeams { part: None, degrees: 30.0 }]);
    for (p, n) in smooth.positions.iter().zip(&smooth.normals) {
        assert!(n.distance(p.signum() * corner) < 1e-6);
    }
    let hard = smooth.clone().with_steps(&[MeshStep::NormalsByAngle { part: None, degrees: 89.0 }]);
    for t in 0..12 {
        assert!(
            hard.triangles[t as usize].iter().all(|&v| hard.normals[v as usize].distance(hard.face_normal(t)) < 1e-6)
        );
    }
    let smooth = hard.with_steps(&[MeshStep::NormalsByAngle { part: None, degrees: 91.0 }]);
    assert!(smooth.normals.iter().zip(&smooth.positions).all(|(n, p)| n.distance(p.signum() * corner) < 1e-6));
    // Laid out box by box every edge is a seam, and sharper than 30 degrees: hard again.
    let laid =
        mesh.with_steps(&[MeshStep::LayOut { part: None }, MeshStep::NormalsAtSeams { part: None, degrees: 30.0 }]);
    assert!(
        (0..12).all(|t| laid.triangles[t as usize].iter().all(|&v| laid.normals[v as usize] == laid.face_normal(t)))
    );
}

#[test]
fn placing_slips_are_mended_by_what_they_offer() {
    let low = cuboid(vec3(1.0, 2.0, 0.5));
    let fix = |high: Mesh| {
        let mut high = high;
        for _ in 0..3 {
            let Some(finding) = compare_placing(low.bounds(), high.bounds()) else { return high };
            high = high.with_steps(&[finding.fixes[0].step.clone()]);
        }
        high
    };
    let slips = [
        vec![MeshStep::Scale { factor: 100.0 }],
        vec![MeshStep::Scale { factor: 0.0254 }],
        vec![MeshStep::Move { by: [3.0, -1.0, 0.0] }],
        vec![MeshStep::Turn { turn: Turn::YDown }],
        vec![MeshStep::Scale { factor: 100.0 }, MeshStep::Move { by: [700.0, 0.0, 0.0] }],
    ];
    for slip in slips {
        let fixed = fix(low.clone().with_steps(&slip));
        for (a, b) in fixed.positions.iter().zip(&low.positions) {
            assert!(a.distance(*b) < 0.01, "{slip:?}: {a} for {b}");
        }
    }
    let there = vec3(1.0, 2.0, 3.0);
    assert_eq!(Turn::YDown.apply(Turn::ZUp.apply(there)), there);
}

#[test]
fn all_fixes_together_leave_a_mesh_without_faults() {
    let mut mesh =
        Mesh::joined(&[&squares(&[(vec2(1.1, 0.1), 0.3), (vec2(0.1, 0.1), 0.3)]), &cuboid(Vec3::splat(0.3))]);
    mesh.parts[0].name = "plates".into();
    mesh.triangles[9].swap(1, 2);
    let (steps, fixed) = fix_all(&mesh, true);
    assert!(steps.len() >= 3, "{steps:?}");
    assert_eq!(check_mesh(&fixed, true), vec![]);
    // The steps alone give the same mesh, bit for bit.
    let again = mesh.with_steps(&steps);
    assert_eq!((again.positions, again.uvs, again.triangles), (fixed.positions, fixed.uvs, fixed.triangles));
}

#[test]
fn gaps_are_exact() {
    // A square, one 0.03 to its right, one off its corner by (0.04, 0.03), one far away.
    let mesh =
        squares(&[(vec2(0.2, 0.2), 0.2), (vec2(0.43, 0.25), 0.05), (vec2(0.44, 0.43), 0.05), (vec2(0.9, 0.9), 0.05)]);
    let unwrap = Unwrap::new(&mesh).expect("UVs");
    let gaps = find_gaps(&mesh, &unwrap, 0.2, |_, _| true);
    let told: Vec<Option<(u32, f32)>> =
        gaps.iter().map(|g| g.map(|g| (g.other, (g.distance * 1e4).round() / 1e4))).collect();
    assert_eq!(told, vec![Some((1, 0.03)), Some((0, 0.03)), Some((0, 0.05)), None]);
    // Islands that do not share a sheet do not meet.
    assert!(find_gaps(&mesh, &unwrap, 0.2, |_, _| false).iter().all(Option::is_none));
}

#[test]
fn the_report_counts_room_and_mixing_by_mip_level() {
    let mesh = squares(&[(vec2(0.1, 0.1), 0.4), (vec2(0.51, 0.1), 0.4)]);
    let sheet = SheetSettings { size: 1024, ..SheetSettings::default() };
    let report = uv_report(&mesh, &sheet).expect("UVs");
    assert!((report.unused - 0.68).abs() < 1e-5 && report.overlapping == 0.0);
    assert!((report.median_density - 0.4).abs() < 1e-6 && (report.spread - 1.0).abs() < 1e-5);
    // The gap of 0.01 is 10.24 texels, and half of that at each level: below 2 from level 3 on.
    let told: Vec<(u32, u32)> = report.mips.iter().map(|m| (m.size, m.mixing)).collect();
    assert_eq!(told, vec![(1024, 0), (512, 0), (256, 0), (128, 2), (64, 2), (32, 2)]);
    assert!((report.mips[1].narrowest.expect("near") - 5.12).abs() < 1e-3);
    // Padding of 16 does not fit into 10 texels; padding of 8 does.
    assert_eq!(tight_islands(&mesh, &sheet).len(), 1);
    let padding = ember_ridge_core::sheet::Padding::Texels(8);
    assert_eq!(tight_islands(&mesh, &SheetSettings { padding, ..sheet }), vec![]);
}

#[test]
fn exceptions_mark_their_finding_and_no_other() {
    let mesh = squares(&[(vec2(0.1, 0.1), 0.4), (vec2(0.1, 0.1), 0.4), (vec2(1.2, 0.1), 0.1)]);
    let mut found: Vec<Finding> = check_mesh(&mesh, true);
    let exception = Exception {
        kind: FindingKind::OverlappingUvs,
        part: Some("squares".into()),
        note: "mirrored on purpose".into(),
    };
    mark_allowed(&mut found, &[exception]);
    let allowed: Vec<FindingKind> = found.iter().filter(|f| f.allowed.is_some()).map(|f| f.kind).collect();
    assert_eq!(allowed, vec![FindingKind::OverlappingUvs]);
    assert!(found.iter().any(|f| f.kind == FindingKind::IslandOutside && f.allowed.is_none()));
}
