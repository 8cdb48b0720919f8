//! Levels against arithmetic: cages refined here by the rules as they are printed, moved at the finest level, and given back; sculpts
//! reduced to shapes whose distances are known.

use crate::shapes::Shape;
use crate::support::*;
use ember_ridge_core::glam::{DVec3, Vec2, Vec3, dvec3, vec2, vec3};
use ember_ridge_core::levels::*;
use ember_ridge_core::mesh::weld;
use ember_ridge_core::surface::Axis;
use ember_ridge_core::{Draft, DraftPart, Mesh};
use std::collections::{BTreeSet, HashMap};

/// The outside of three blocks in a corner: points where three, four and five faces meet.
fn corner_of_blocks() -> Shape {
    let blocks = [[0, 0, 0], [1, 0, 0], [0, 0, 1], [0, 1, 0]];
    let mut numbers: HashMap<[i32; 3], usize> = HashMap::new();
    let mut shape = Shape { points: Vec::new(), faces: Vec::new() };
    for block in blocks {
        for axis in 0..3 {
            for out in [-1, 1] {
                let mut beside = block;
                beside[axis] += out;
                if blocks.contains(&beside) {
                    continue;
                }
                let (u, v) = ((axis + 1) % 3, (axis + 2) % 3);
                let mut square = [[0, 0], [1, 0], [1, 1], [0, 1]].map(|[du, dv]| {
                    let mut at = block;
                    at[axis] += i32::from(out > 0);
                    at[u] += du;
                    at[v] += dv;
                    at
                });
                if out < 0 {
                    square.reverse();
                }
                let points = &mut shape.points;
                let face = square.map(|at| {
                    *numbers.entry(at).or_insert_with(|| {
                        points.push(dvec3(f64::from(at[0]), 1.3 * f64::from(at[1]), 0.8 * f64::from(at[2])));
                        points.len() - 1
                    })
                });
                shape.faces.push(face.to_vec());
            }
        }
    }
    shape
}

/// A pyramid over six sides, without its floor, and a fin that stands out: a border, and points of three to seven neighbours.
fn pyramid() -> Shape {
    let rim = |k: usize| {
        let angle = std::f64::consts::TAU * k as f64 / 6.0;
        dvec3(angle.cos(), 0.0, angle.sin())
    };
    let mut points: Vec<DVec3> = (0..6).map(rim).collect();
    points.push(dvec3(0.1, 1.2, 0.0));
    let mut faces: Vec<Vec<usize>> = (1..6).map(|k| vec![k, 6, (k + 1) % 6]).collect();
    // In place of the first side, three around a point that stands out.
    points.push(dvec3(1.1, 0.7, 0.6));
    faces.extend([vec![0, 6, 7], vec![6, 1, 7], vec![1, 0, 7]]);
    Shape { points, faces }
}

/// That a level is the cage: each point within a thousandth of the diagonal, and the same faces over them.
fn is_the_cage(level: &Level, cage: &Shape) {
    let mesh = &level.mesh;
    let points = weld(mesh);
    assert_eq!(points.points, cage.points.len());
    let near = |v: usize| -> usize {
        let at = mesh.positions[v].as_dvec3();
        let best =
            (0..cage.points.len()).min_by(|a, b| cage.points[*a].distance(at).total_cmp(&cage.points[*b].distance(at)));
        let best = best.expect("a point");
        let off = cage.points[best].distance(at) / cage.diagonal();
        assert!(off < 1e-3, "{:.3} % of the diagonal off", 100.0 * off);
        best
    };
    let faces: Vec<Vec<u32>> = match mesh.quads() {
        Some(quads) => quads.iter().map(|quad| quad.to_vec()).collect(),
        None => mesh.triangles.iter().map(|t| t.to_vec()).collect(),
    };
    let turned = |face: Vec<usize>| {
        let first = (0..face.len()).min_by_key(|k| face[*k]).expect("corners");
        (0..face.len()).map(|k| face[(first + k) % face.len()]).collect::<Vec<usize>>()
    };
    let found: BTreeSet<Vec<usize>> =
        faces.iter().map(|face| turned(face.iter().map(|v| near(*v as usize)).collect())).collect();
    let wanted: BTreeSet<Vec<usize>> = cage.faces.iter().cloned().map(turned).collect();
    assert_eq!(found, wanted);
}

#[test]
fn cages_come_back_from_what_was_refined_and_then_sculpted() {
    let quads = corner_of_blocks();
    let fine = quads.catmull_clark().catmull_clark().catmull_clark();
    let exact = coarser_levels(&fine.mesh()).expect("refined").level(3).expect("there");
    assert!(exact.off.max < 1e-6, "{:?}", exact.off);
    is_the_cage(&exact, &quads);
    let sculpt = fine.clone().shaken(4e-4 * fine.diagonal()).mesh();
    let levels = coarser_levels(&sculpt).expect("refined");
    let n = quads.faces.len();
    assert_eq!(levels.faces(), [16 * n, 4 * n, n]);
    let cage = levels.level(3).expect("there");
    assert_eq!(cage.refining, Refining::CatmullClark);
    is_the_cage(&cage, &quads);
    let off = f64::from(cage.off.max) / fine.diagonal();
    assert!((4e-4..1e-3).contains(&off), "{off}");
    assert!(levels.level(4).is_err_and(|why| why.contains("-1 to -3")));

    let cage = pyramid();
    let fine = cage.in_four(true).in_four(true).in_four(true);
    let sculpt = fine.clone().shaken(4e-4 * fine.diagonal()).mesh();
    let levels = coarser_levels(&sculpt).expect("refined");
    assert_eq!(levels.faces(), [128, 32, 8]);
    let found = levels.level(3).expect("there");
    assert_eq!(found.refining, Refining::Loop);
    is_the_cage(&found, &cage);

    // Only split: the points are those that were there.
    let split = cage.in_four(false).in_four(false);
    let found = coarser_levels(&split.mesh()).expect("split").level(2).expect("there");
    assert_eq!(found.refining, Refining::Flat);
    is_the_cage(&found, &cage);
    assert!(found.off.max < 1e-6, "{:?}", found.off);
}

#[test]
fn a_broken_patch_is_refused_with_its_place() {
    let mut fine = pyramid().in_four(true).in_four(true);
    // One edge is turned the other way.
    let edges = fine.edges();
    let ((a, b), faces) = edges.iter().filter(|(_, faces)| faces.len() == 2).min().expect("an edge");
    let tip = |face: usize| *fine.faces[face].iter().find(|p| *p != a && *p != b).expect("a tip");
    let (one, other) = (tip(faces[0]), tip(faces[1]));
    let first = &fine.faces[faces[0]];
    let runs = (0..3).any(|k| first[k] == *a && first[(k + 1) % 3] == *b);
    let (a, b) = if runs { (*a, *b) } else { (*b, *a) };
    let at = [a, b, one, other].map(|p| fine.points[p].as_vec3());
    let faces = faces.clone();
    (fine.faces[faces[0]], fine.faces[faces[1]]) = (vec![a, other, one], vec![other, b, one]);
    let broken = coarser_levels(&fine.mesh()).err().expect("broken");
    let size = fine.diagonal() as f32;
    assert!(at.iter().any(|p| p.distance(broken.at) < 0.3 * size), "{broken}");
    assert_eq!(broken.part, "cage");
    assert!(broken.to_string().contains("split in four breaks"), "{broken}");
    // And what never was refined.
    assert!(coarser_levels(&pyramid().mesh()).is_err());
    assert!(coarser_levels(&corner_of_blocks().mesh()).is_err());
}

/// A sphere of radius 1 from an octahedron split so many times; the part of its points by `part`.
fn sphere(times: usize, place: impl Fn(DVec3) -> DVec3) -> Mesh {
    let points = [DVec3::X, DVec3::Y, DVec3::Z, -DVec3::X, -DVec3::Y, -DVec3::Z].to_vec();
    let faces = [[0, 1, 2], [1, 3, 2], [3, 4, 2], [4, 0, 2], [1, 0, 5], [3, 1, 5], [4, 3, 5], [0, 4, 5]];
    let mut shape = Shape { points, faces: faces.map(|face| face.to_vec()).to_vec() };
    for _ in 0..times {
        shape = shape.in_four(false);
        shape.points.iter_mut().for_each(|p| *p = p.normalize());
    }
    shape.points.iter_mut().for_each(|p| *p = place(*p));
    shape.mesh()
}

fn to(count: usize) -> ReduceSettings {
    ReduceSettings { to: ReduceTo::Triangles(count), ..ReduceSettings::default() }
}

/// How many faces each edge has.
fn faces_at_edges(mesh: &Mesh) -> BTreeSet<usize> {
    let points = weld(mesh).point_of;
    let mut edges: HashMap<(u32, u32), usize> = HashMap::new();
    for t in &mesh.triangles {
        let t = t.map(|v| points[v as usize]);
        for k in 0..3 {
            let (a, b) = (t[k], t[(k + 1) % 3]);
            *edges.entry((a.min(b), a.max(b))).or_default() += 1;
        }
    }
    edges.into_values().collect()
}

#[test]
fn a_sphere_is_reduced_as_far_as_triangles_can_be_from_it() {
    let sculpt = sphere(6, |p| p);
    let made = reduce(&sculpt, &to(500)).expect("reduced");
    assert!((450..=500).contains(&made.mesh.triangles.len()) && !made.short, "{}", made.mesh.triangles.len());
    assert_eq!(faces_at_edges(&made.mesh), BTreeSet::from([2]));
    // Even triangles of that number have sides of 0.24 and lie 0.0095 below the sphere in their middle; the worst may be twice as long.
    assert!(made.off.max < 4.0 * 0.0095 && made.off.mean < 0.0095, "{:?}", made.off);
    // Its points lie on the sphere, and it faces outward all over.
    assert!(made.mesh.positions.iter().all(|p| (p.length() - 1.0).abs() < 1e-6));
    assert!((0..made.mesh.triangles.len() as u32).all(|t| made.mesh.area_normal(t).dot(made.mesh.corners(t)[0]) > 0.0));
    assert!(made.mesh.uvs.is_empty() && made.mesh.uv_sets == 0);

    // By error: as many triangles as it takes, and no further off than about that.
    let by = |error: f32| {
        let settings = ReduceSettings { to: ReduceTo::Error(error), ..ReduceSettings::default() };
        let made = reduce(&sculpt, &settings).expect("reduced");
        assert!(made.off.max < 2.0 * error, "{error}: {:?}", made.off);
        made.mesh.triangles.len()
    };
    let (coarse, fine) = (by(0.02), by(0.005));
    assert!(coarse > 20 && fine > 2 * coarse && fine < sculpt.triangles.len() / 4, "{coarse}, {fine}");
}

#[test]
fn what_folds_flat_is_taken_out() {
    // So rough that thin spikes collapse into two triangles back to back.
    let spiky = |p: DVec3| p * (1.0 + 0.15 * (40.0 * p.x).sin() * (40.0 * p.y).sin() * (40.0 * p.z).sin());
    for count in [200, 600, 1500] {
        let made = reduce(&sphere(6, spiky), &to(count)).expect("reduced");
        let triangles: BTreeSet<BTreeSet<u32>> =
            made.mesh.triangles.iter().map(|triangle| triangle.iter().copied().collect()).collect();
        assert_eq!(triangles.len(), made.mesh.triangles.len());
        assert!(made.mesh.triangles.len() > count * 9 / 10, "{}", made.mesh.triangles.len());
    }
}

#[test]
fn what_is_thinned_in_slabs_first_has_no_trace_of_them() {
    // More than a million triangles, in two parts whose border runs along the slabs.
    let n = 720;
    let hills = height_field("hills", n, |x, z| 0.05 * (9.0 * x).sin() * (7.0 * z).cos());
    let mut draft = Draft { positions: hills.positions.clone(), ..Draft::default() };
    draft.parts = ["near", "far"].map(|name| DraftPart { name: name.into(), ..DraftPart::default() }).to_vec();
    for (t, triangle) in hills.triangles.iter().enumerate() {
        let middle: Vec3 = hills.corners(t as u32).iter().sum::<Vec3>() / 3.0;
        draft.parts[usize::from(middle.z > 0.5)].indices.extend(triangle);
    }
    let sculpt = draft.finish().expect("whole");
    assert!(sculpt.triangles.len() > 1_000_000);
    let made = reduce(&sculpt, &to(2000)).expect("reduced");
    let smaller = reduce(&height_field("hills", 300, |x, z| 0.05 * (9.0 * x).sin() * (7.0 * z).cos()), &to(2000));
    let (by_slabs, at_once) = (made.off, smaller.expect("reduced").off);
    assert!((1900..=2000).contains(&made.mesh.triangles.len()) && made.mesh.parts.len() == 2);
    assert!(by_slabs.mean < 1.5 * at_once.mean && by_slabs.max < 2.0 * at_once.max, "{by_slabs:?}, {at_once:?}");
    // Slabs keep their borders as they are; what is left of these would be rows of needles.
    let shortest = |t: u32| {
        let [a, b, c] = made.mesh.corners(t);
        a.distance(b).min(b.distance(c)).min(c.distance(a))
    };
    let needles = (0..made.mesh.triangles.len() as u32).filter(|t| shortest(*t) < 2.0 / n as f32).count();
    assert!(needles < 20, "{needles}");
    assert_eq!(faces_at_edges(&made.mesh), BTreeSet::from([1, 2]));
}

/// A box of many faces a side.
fn block(n: usize) -> Mesh {
    let mut shape = Shape { points: Vec::new(), faces: Vec::new() };
    let mut numbers: HashMap<[usize; 3], usize> = HashMap::new();
    for axis in 0..3 {
        for side in [0, n] {
            for i in 0..n {
                for j in 0..n {
                    let mut square = [[i, j], [i + 1, j], [i + 1, j + 1], [i, j + 1]].map(|[u, v]| {
                        let mut at = [0; 3];
                        (at[axis], at[(axis + 1) % 3], at[(axis + 2) % 3]) = (side, u, v);
                        at
                    });
                    if side == 0 {
                        square.reverse();
                    }
                    let points = &mut shape.points;
                    let face = square.map(|at| {
                        *numbers.entry(at).or_insert_with(|| {
                            points.push(DVec3::from(at.map(|x| x as f64 / n as f64)));
                            points.len() - 1
                        })
                    });
                    shape.faces.push(face.to_vec());
                }
            }
        }
    }
    shape.mesh()
}

#[test]
fn flat_sides_take_two_triangles_each_and_edges_stay() {
    let settings = ReduceSettings { to: ReduceTo::Error(1e-3), sharp: Some(60.0), ..ReduceSettings::default() };
    let made = reduce(&block(24), &settings).expect("reduced");
    assert_eq!((made.mesh.triangles.len(), weld(&made.mesh).points), (12, 8));
    assert!(made.off.max < 1e-6, "{:?}", made.off);
    // Sharp edges shade hard: each corner has a normal for each of its sides.
    assert!(made.mesh.triangles.iter().enumerate().all(|(t, vertices)| {
        let facing = made.mesh.area_normal(t as u32).normalize();
        vertices.iter().all(|v| made.mesh.normals[*v as usize].distance(facing) < 1e-5)
    }));
    assert_eq!(made.mesh.positions.len(), 24);
    // And without that, one for all.
    let smooth = reduce(&block(24), &ReduceSettings { sharp: None, ..settings }).expect("reduced");
    assert_eq!((smooth.mesh.triangles.len(), smooth.mesh.positions.len()), (12, 8));
}

#[test]
fn parts_and_materials_keep_their_borders_without_a_crack() {
    let n = 60;
    let hills = height_field("left", n, |x, z| 0.05 * (9.0 * x).sin() * (7.0 * z).cos());
    let mut draft = Draft { positions: hills.positions.clone(), ..Draft::default() };
    let named = |name: &str, material: &str| DraftPart {
        name: name.into(),
        material: Some(material.into()),
        ..DraftPart::default()
    };
    draft.parts = vec![named("left", "moss"), named("right", "rock"), named("right", "moss")];
    for (t, triangle) in hills.triangles.iter().enumerate() {
        let middle: Vec3 = hills.corners(t as u32).iter().sum::<Vec3>() / 3.0;
        let part = usize::from(middle.x > 0.5) + usize::from(middle.x > 0.5 && middle.z > 0.5);
        draft.parts[part].indices.extend(triangle);
    }
    let sculpt = draft.finish().expect("whole");
    let made = reduce(&sculpt, &to(600)).expect("reduced");
    let names: Vec<&str> = made.mesh.parts.iter().map(|part| part.name.as_str()).collect();
    assert_eq!(
        (names, made.mesh.materials.as_slice()),
        (vec!["left", "right"], &["moss".to_owned(), "rock".to_owned()][..])
    );
    assert!(made.mesh.triangles.len() <= 600);
    // No edge is open but at the rim of the square, and no part reaches over its border.
    let points = weld(&made.mesh).point_of;
    let mut edges: HashMap<(u32, u32), Vec<[Vec3; 2]>> = HashMap::new();
    for t in &made.mesh.triangles {
        for k in 0..3 {
            let (a, b) = (t[k], t[(k + 1) % 3]);
            let (p, q) = (points[a as usize], points[b as usize]);
            edges.entry((p.min(q), p.max(q))).or_default().push([a, b].map(|v| made.mesh.positions[v as usize]));
        }
    }
    let rim = |p: Vec3, q: Vec3| [p.x, p.z].into_iter().zip([q.x, q.z]).any(|(a, b)| a == b && (a == 0.0 || a == 1.0));
    assert!(edges.values().all(|same| same.len() == 2 || rim(same[0][0], same[0][1])));
    for part in &made.mesh.parts {
        let far = part.triangles.clone().flat_map(|t| made.mesh.corners(t)).map(|p| p.x);
        let beyond = far.filter(|x| if part.name == "left" { *x > 0.5 } else { *x < 0.5 }).count();
        assert_eq!(beyond, 0, "{}", part.name);
    }
}

#[test]
fn what_is_to_be_symmetric_is_its_own_mirror_image() {
    // A bump on one side alone, and another that lies across the plane.
    let bumpy = |p: DVec3| {
        p * (1.0
            + 0.3 * (-8.0 * p.distance_squared(dvec3(0.8, 0.6, 0.0))).exp()
            + 0.2 * (5.0 * p.x + 1.0).sin().abs() * p.y.max(0.0))
    };
    let sculpt = sphere(5, bumpy);
    let settings = ReduceSettings { symmetric: Some(Axis::X), ..to(400) };
    let made = reduce(&sculpt, &settings).expect("reduced");
    assert!((300..=400).contains(&made.mesh.triangles.len()), "{}", made.mesh.triangles.len());
    let place = |p: Vec3| p.to_array().map(|x| (x + 0.0).to_bits());
    let triangles = |turn: fn(Vec3) -> Vec3| -> BTreeSet<BTreeSet<[u32; 3]>> {
        made.mesh
            .triangles
            .iter()
            .map(|t| t.iter().map(|v| place(turn(made.mesh.positions[*v as usize]))).collect())
            .collect()
    };
    assert_eq!(triangles(|p| p), triangles(|p| vec3(-p.x, p.y, p.z)));
    assert_eq!(faces_at_edges(&made.mesh), BTreeSet::from([2]));
    let beside = sphere(2, |p| p + dvec3(-5.0, 0.0, 0.0));
    assert!(reduce(&beside, &settings).is_err_and(|fault| fault.to_string().contains("rising x")));
}

#[test]
fn settings_that_cannot_be_are_named() {
    let sculpt = sphere(1, |p| p);
    let refused = |settings: ReduceSettings, word: &str| {
        let fault = reduce(&sculpt, &settings).expect_err(word).to_string();
        assert!(fault.contains(word), "{fault}");
    };
    refused(to(3), "4 or more");
    refused(ReduceSettings { to: ReduceTo::Error(-1.0), ..to(9) }, "above 0");
    refused(ReduceSettings { to: ReduceTo::Error(f32::NAN), ..to(9) }, "above 0");
    refused(ReduceSettings { sharp: Some(0.0), ..to(9) }, "1 to 180");
    refused(ReduceSettings { silhouette: 2.0, ..to(9) }, "0 to 1");
    // More than there are: all stay.
    let all = reduce(&sculpt, &to(10_000)).expect("whole");
    assert_eq!(all.mesh.triangles.len(), sculpt.triangles.len());
}

#[test]
fn what_a_low_poly_is_off_is_told_by_face() {
    let low = height_field("plate_low", 1, |_, _| 0.0);
    // One point stands up over the face that it lies above, another a little over the other one.
    let bumps = [(vec2(0.2, 0.7), 0.3), (vec2(0.8, 0.1), 0.05)];
    let height = |at: Vec2| bumps.iter().find(|(p, _)| p.distance(at) < 1e-3).map_or(0.0, |(_, h)| *h);
    let sculpt = height_field("plate_high", 10, |x, z| height(vec2(x, z)));
    let off = Off::of(&sculpt, &low);
    let over = |at: Vec2| {
        let inside = |t: u32| {
            let [a, b, c] = low.corners(t).map(|p| vec2(p.x, p.z));
            let sides = [(b - a).perp_dot(at - a), (c - b).perp_dot(at - b), (a - c).perp_dot(at - c)];
            sides.iter().all(|s| *s <= 0.0) || sides.iter().all(|s| *s >= 0.0)
        };
        (0..2).find(|t| inside(*t)).expect("it lies over the plate") as usize
    };
    for (at, height) in bumps {
        assert!((off.faces[over(at)] - height).abs() < 1e-6, "{:?}", off.faces);
    }
    assert!((off.difference.max - 0.3).abs() < 1e-6);
    let mean = sculpt.positions.iter().map(|p| p.y).sum::<f32>() / sculpt.positions.len() as f32;
    assert!((off.difference.mean - mean).abs() < 1e-6, "{}, not {mean}", off.difference.mean);
}
