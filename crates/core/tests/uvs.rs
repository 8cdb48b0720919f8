//! UVs made and mended: no face flips, the energy is as low as plain descent finds it, pins hold, margins are exact, and steps outlast a newer
//! file. Figures are worked out here from the mesh alone.

use crate::support::{ball, cube, height_field, with_uvs};
use ember_ridge_core::Mesh;
use ember_ridge_core::glam::{DMat2, DVec2, DVec3, Vec2, Vec3, vec2, vec3};
use ember_ridge_core::layout::{Unwrap, find_overlaps};
use ember_ridge_core::step::{
    DensityStep, MeshStep, MoveUvsStep, PackStep, PinStep, RelaxStep, SeamsStep, StackStep, StitchStep, StraightenStep,
    UnwrapStep,
};
use ember_ridge_core::surface::Axis;
use ember_ridge_core::uvs::{UvSummary, falloff, name_corners, name_edges, name_faces, relax_watched};
use std::collections::HashMap;
use std::sync::Mutex;

/// A closed ball, pushed in and out along its directions.
fn shaped(rings: usize, radius: impl Fn(Vec3) -> Vec3) -> Mesh {
    let mut mesh = ball("shape_low", 1.0, rings);
    mesh.positions.iter_mut().for_each(|p| *p = radius(p.normalize()));
    mesh
}

/// A head with a bag behind its lips.
fn head() -> Mesh {
    let mouth = vec3(1.0, -0.2, 0.0).normalize();
    shaped(24, |d| {
        let angle = d.angle_between(mouth);
        let inside = (angle / 0.5).min(1.0);
        if inside >= 1.0 {
            return d;
        }
        let aside = (d - mouth * d.dot(mouth)).normalize_or_zero();
        let wide = 0.5f32.sin() * inside + 0.3 * (std::f32::consts::PI * inside).sin();
        mouth * (0.5f32.cos() - 0.7 * (1.0 - inside * inside)) + aside * wide
    })
}

/// A palm with five fingers.
fn hand() -> Mesh {
    shaped(28, |d| {
        let finger = |k: i32| {
            let turn = -0.9 + 0.45 * k as f32;
            (-(d.angle_between(vec3(turn.sin(), turn.cos(), 0.0)) / 0.16).powi(4)).exp()
        };
        d * (0.5 + 1.2 * (0..5).map(finger).sum::<f32>()) * vec3(1.0, 1.0, 0.6)
    })
}

/// A face at rest: the inverse of its two sides in a frame of its own, and its area.
fn rest(mesh: &Mesh, t: u32) -> (DMat2, f64) {
    let [p, q, r] = mesh.corners(t).map(Vec3::as_dvec3);
    let along = (q - p).normalize();
    let to: DVec3 = r - p;
    let (x, y) = (to.dot(along), (to - along * to.dot(along)).length());
    (DMat2::from_cols(DVec2::new((q - p).length(), 0.0), DVec2::new(x, y)).inverse(), 0.5 * (q - p).length() * y)
}

/// Symmetric Dirichlet energy of a face, times its area: squares of the map and of its inverse.
fn face_energy((inverse, area): (DMat2, f64), [a, b, c]: [DVec2; 3]) -> f64 {
    let map = DMat2::from_cols(b - a, c - a) * inverse;
    if map.determinant() <= 0.0 {
        return f64::INFINITY;
    }
    let squares = |m: DMat2| m.x_axis.length_squared() + m.y_axis.length_squared();
    area * (squares(map) + squares(map.inverse()))
}

/// The layout of one island at the scale of its surface, by its corners on the sheet.
struct Plain {
    faces: Vec<[usize; 3]>,
    rest: Vec<(DMat2, f64)>,
    at: Vec<DVec2>,
}

impl Plain {
    /// Of the triangles of each island.
    fn islands(mesh: &Mesh) -> Vec<Plain> {
        let unwrap = Unwrap::new(mesh).expect("it has UVs");
        let island = |triangles: &Vec<u32>| {
            let rest: Vec<_> = triangles.iter().map(|&t| rest(mesh, t)).collect();
            let surface: f64 = rest.iter().map(|r| r.1).sum();
            let (mut number, mut at) = (HashMap::new(), Vec::new());
            let mut corner = |uv: Vec2, p: Vec3| {
                let key = (uv.to_array().map(f32::to_bits), p.to_array().map(f32::to_bits));
                *number.entry(key).or_insert_with(|| {
                    at.push(uv.as_dvec2());
                    at.len() - 1
                })
            };
            let faces: Vec<[usize; 3]> = triangles
                .iter()
                .map(|&t| {
                    let (uvs, places) = (mesh.corner_uvs(t), mesh.corners(t));
                    std::array::from_fn(|k| corner(uvs[k], places[k]))
                })
                .collect();
            let area = |t: &[usize; 3]| 0.5 * (at[t[1]] - at[t[0]]).perp_dot(at[t[2]] - at[t[0]]);
            let scale = (surface / faces.iter().map(area).sum::<f64>()).sqrt();
            let at = at.iter().map(|uv| *uv * scale).collect();
            Plain { faces, rest, at }
        };
        unwrap.islands.iter().map(|i| island(&i.triangles)).collect()
    }

    fn area(&self) -> f64 {
        self.rest.iter().map(|r| r.1).sum()
    }

    fn energy(&self) -> f64 {
        self.faces.iter().zip(&self.rest).map(|(t, rest)| face_energy(*rest, t.map(|p| self.at[p]))).sum()
    }

    /// Moves one corner at a time to less energy, along the slope as differences tell it, until a round gains next to nothing.
    fn descend(&mut self) {
        let mut around = vec![Vec::new(); self.at.len()];
        self.faces.iter().enumerate().for_each(|(f, t)| t.iter().for_each(|&p| around[p].push(f)));
        let size = (self.area() / self.faces.len() as f64).sqrt();
        let mut before = self.energy();
        for _ in 0..400 {
            for (p, own_faces) in around.iter().enumerate() {
                let here = self.at[p];
                let mut near = |at: DVec2| -> f64 {
                    self.at[p] = at;
                    let sum =
                        own_faces.iter().map(|&f| face_energy(self.rest[f], self.faces[f].map(|q| self.at[q]))).sum();
                    self.at[p] = here;
                    sum
                };
                let hair = 1e-6 * size;
                let slope = DVec2::new(
                    near(here + DVec2::X * hair) - near(here - DVec2::X * hair),
                    near(here + DVec2::Y * hair) - near(here - DVec2::Y * hair),
                );
                let Some(way) = slope.try_normalize() else { continue };
                let (own, mut step) = (near(here), 0.2 * size);
                while step > 1e-7 * size && near(here - way * step) >= own {
                    step *= 0.5;
                }
                if near(here - way * step) < own {
                    self.at[p] = here - way * step;
                }
            }
            let now = self.energy();
            if before - now < 1e-6 * before {
                break;
            }
            before = now;
        }
    }
}

fn unwrapped(mesh: &Mesh, angle: Option<f32>) -> Mesh {
    mesh.clone().with_steps(&[MeshStep::Unwrap(UnwrapStep { islands: None, angle })])
}

/// No face is flipped, no island lies on itself or another, and plain descent from there gains less than 5 %.
fn sound(mesh: &Mesh, name: &str) -> f64 {
    let summary = UvSummary::new(mesh).expect("it has UVs");
    assert_eq!(summary.flipped, 0, "{name}");
    let islands = Plain::islands(mesh);
    let (mut own, mut found, mut area) = (0.0, 0.0, 0.0);
    for mut island in islands {
        own += island.energy();
        island.descend();
        found += island.energy();
        area += island.area();
    }
    assert!(own.is_finite() && own < 1.05 * found, "{name}: {} of {}", own / area, found / area);
    let told = summary.energy.expect("none is flipped");
    assert!((told - own / area).abs() < 1e-3 * told, "{name}: {told} told, {} found", own / area);
    own / area
}

#[test]
fn shapes_lie_flat_without_a_flipped_face_and_with_as_little_energy_as_descent_finds() {
    for (name, mesh) in [("ball", ball("ball_low", 2.0, 12)), ("head", head()), ("hand", hand())] {
        let auto = unwrapped(&mesh, Some(60.0));
        let mean = sound(&auto, name);
        assert!(mean < 4.5, "{name}: {mean}");
        let unwrap = Unwrap::new(&auto).expect("UVs");
        assert_eq!(find_overlaps(&auto, &unwrap.island_of).expect("few").len(), 0, "{name}: islands overlap");
        // Closed as they are, without a seam of their own, they are cut to one island each.
        let whole = unwrapped(&mesh, None);
        sound(&whole, name);
        assert_eq!(Unwrap::new(&whole).expect("UVs").islands.len(), 1, "{name}");
    }
}

#[test]
fn what_can_be_rolled_out_lies_flat_without_stretch() {
    let roll = |x: f32, z: f32| vec3(0.7 * (4.0 * x).cos(), z, 0.7 * (4.0 * x).sin());
    let cone = |x: f32, z: f32| vec3((5.0 * x).cos(), 2.0, (5.0 * x).sin()) * (0.3 + z);
    for (name, place) in [("roll", &roll as &dyn Fn(f32, f32) -> Vec3), ("cone", &cone)] {
        let mut mesh = height_field("sheet_low", 40, |_, _| 0.0);
        mesh.positions.iter_mut().for_each(|p| *p = place(p.x, p.z));
        let mesh = with_uvs(&mesh, |uv| uv * uv * 0.5 + 0.1);
        let flat = unwrapped(&mesh, None);
        let worst = Unwrap::new(&flat).expect("UVs").faces.iter().map(|f| f.stretch).fold(0.0, f32::max);
        assert!(worst < 1.001, "{name}: stretched {worst}");
    }
}

#[test]
fn pins_stay_while_the_rest_relaxes() {
    let mesh = height_field("sheet_low", 24, |x, z| 0.2 * (9.0 * x).sin() * (7.0 * z).cos());
    let mesh = with_uvs(&mesh, |uv| vec2(uv.x * 0.8 + 0.1 * uv.y * uv.y, uv.y * 0.5 + 0.2));
    // First corners of four triangles far from each other.
    let corners = [0, 3 * 200, 3 * 700, 3 * 1100];
    let at = |mesh: &Mesh| corners.map(|c| mesh.uvs[mesh.triangles[c as usize / 3][0] as usize]);
    let steps = [
        MeshStep::Pin(PinStep { points: name_corners(&mesh, &corners), release: false }),
        MeshStep::Relax(RelaxStep::default()),
    ];
    let relaxed = mesh.clone().with_steps(&steps);
    for (before, after) in at(&mesh).into_iter().zip(at(&relaxed)) {
        assert!(before.distance(after) < 1e-6, "{before} to {after}");
    }
    let energy = |mesh: &Mesh| UvSummary::new(mesh).and_then(|s| s.energy).expect("none is flipped");
    let free = mesh.clone().with_steps(&[MeshStep::Relax(RelaxStep::default())]);
    assert!(energy(&relaxed) < energy(&mesh) && energy(&free) < energy(&relaxed));
    assert_eq!(relaxed.marks.pins.len(), 4);
    // Unwrapped anew they come back to where they were.
    let anew = relaxed.clone().with_steps(&[MeshStep::Unwrap(UnwrapStep::default())]);
    for (before, after) in at(&mesh).into_iter().zip(at(&anew)) {
        assert!(before.distance(after) < 1e-6, "{before} to {after} unwrapped anew");
    }
    let released = anew.with_steps(&[MeshStep::Pin(PinStep { points: name_corners(&mesh, &corners), release: true })]);
    assert!(released.marks.pins.is_empty());
}

/// Borders of each island, as segments.
fn borders(mesh: &Mesh) -> Vec<Vec<[DVec2; 2]>> {
    Plain::islands(mesh)
        .iter()
        .map(|island| {
            let mut uses: HashMap<[usize; 2], usize> = HashMap::new();
            let sides = |t: &[usize; 3]| [[t[0], t[1]], [t[1], t[2]], [t[2], t[0]]];
            for [a, b] in island.faces.iter().flat_map(sides) {
                *uses.entry([a.min(b), a.max(b)]).or_default() += 1;
            }
            uses.into_iter().filter(|u| u.1 == 1).map(|u| u.0.map(|p| island.at[p])).collect()
        })
        .collect()
}

fn apart(p: DVec2, [a, b]: [DVec2; 2]) -> f64 {
    let along = b - a;
    p.distance(a + along * ((p - a).dot(along) / along.length_squared()).clamp(0.0, 1.0))
}

#[test]
fn packed_islands_keep_the_margin_everywhere() {
    for (mesh, margin, size) in [(cube("box_low", 1.0), 16.0, 512), (head(), 3.0, 256), (hand(), 0.0, 1024)] {
        let pack = PackStep { margin, size, upright: false, keep_density: false };
        let packed = unwrapped(&mesh, Some(60.0)).with_steps(&[MeshStep::Pack(pack)]);
        let wanted = f64::from(margin) / f64::from(size) - 1e-6;
        let (low, high) = packed.uvs.iter().fold((Vec2::MAX, Vec2::MIN), |(l, h), uv| (l.min(*uv), h.max(*uv)));
        let inside = low.min_element().min((1.0 - high).min_element());
        assert!(f64::from(inside) >= wanted, "{inside} to the border, {wanted} wanted");
        // At the scale of the surface: back to UV units by the density, which is one for all.
        let density = Unwrap::new(&packed).expect("UVs").islands[0].density();
        let borders = borders(&packed);
        for i in 0..borders.len() {
            // Scaled about the origin alike, as all have the same density.
            for j in i + 1..borders.len() {
                for (one, two) in [(i, j), (j, i)] {
                    for p in borders[one].iter().flatten() {
                        let least = borders[two].iter().map(|s| apart(*p, *s)).fold(f64::INFINITY, f64::min);
                        let least = least * f64::from(density);
                        assert!(
                            least >= wanted * (1.0 - 1e-4) - 1e-6,
                            "islands {i} and {j}: {least} apart, {wanted} wanted"
                        );
                    }
                }
            }
        }
        let unwrap = Unwrap::new(&packed).expect("UVs");
        assert_eq!(find_overlaps(&packed, &unwrap.island_of).expect("few").len(), 0);
        let densities: Vec<f32> = unwrap.islands.iter().map(|i| i.density()).collect();
        assert!(densities.iter().all(|d| (d / density - 1.0).abs() < 1e-3), "{densities:?}");
    }
}

#[test]
fn seams_are_marked_and_cleared_and_hold_for_a_newer_file_of_the_same_topology() {
    let mesh = height_field("sheet_low", 10, |x, _| x * x);
    // Sides along the middle row: the second triangle of each cell ends at its upper edge.
    let row: Vec<u32> = (0..10).map(|i| 3 * (2 * (5 * 10 + i) + 1) + 2).collect();
    let steps = [
        MeshStep::Seams(SeamsStep { edges: name_edges(&mesh, &row), sharper: None, clear: false }),
        MeshStep::Unwrap(UnwrapStep::default()),
    ];
    let islands = |mesh: Mesh| {
        let cut = mesh.with_steps(&steps);
        (Unwrap::new(&cut).expect("UVs").islands.len(), cut.notes.len())
    };
    assert_eq!(islands(mesh.clone()), (2, 0));
    // Points elsewhere, triangles as they were: by number.
    let mut newer = mesh.clone();
    newer.positions.iter_mut().for_each(|p| *p += vec3(0.3, p.x * 0.1, -0.2));
    assert_eq!(islands(newer), (2, 0));
    // Triangles in another order, points where they were: by place.
    let mut turned = mesh.clone();
    turned.triangles.reverse();
    assert_eq!(islands(turned), (2, 0));
    // Neither: they are lost, and that is said.
    let mut other = height_field("sheet_low", 11, |_, _| 0.5);
    other.positions.iter_mut().for_each(|p| *p *= 3.0);
    assert_eq!(islands(other), (1, 1));
    // What is cut is joined again where the seam is cleared.
    let cut = mesh.clone().with_steps(&steps);
    let joined = cut.with_steps(&[
        MeshStep::Seams(SeamsStep { edges: name_edges(&mesh, &row), sharper: None, clear: true }),
        MeshStep::Unwrap(UnwrapStep::default()),
    ]);
    assert_eq!(Unwrap::new(&joined).expect("UVs").islands.len(), 1);
    // By angle: a box falls into its sides.
    let mut closed = cube("box_low", 1.0);
    closed.uvs.clear();
    let sharp = SeamsStep { edges: Default::default(), sharper: Some(45.0), clear: false };
    let sides = closed.with_steps(&[MeshStep::Seams(sharp), MeshStep::Unwrap(UnwrapStep::default())]);
    assert_eq!(Unwrap::new(&sides).expect("UVs").islands.len(), 6);
}

#[test]
fn islands_are_moved_as_a_whole_or_softly() {
    let mesh = with_uvs(&height_field("sheet_low", 20, |_, _| 0.0), |uv| uv * 0.5 + 0.2);
    let islands = name_faces(&mesh, &[0]);
    let step = |within, by| MoveUvsStep { islands: islands.clone(), scale: [1.0; 2], turn: 0.0, by, within };
    let whole = mesh.clone().with_steps(&[MeshStep::MoveUvs(MoveUvsStep {
        scale: [2.0, -1.0],
        turn: 90.0,
        ..step(None, [0.1, 0.0])
    })]);
    // About the middle (0.45, 0.45): (0.2, 0.2) is scaled to (-0.05, 0.7), turned to (0.2, -0.05), moved to (0.3, -0.05).
    let corner = |mesh: &Mesh, at: Vec3| {
        let v = mesh.positions.iter().position(|p| p.distance(at) < 1e-6).expect("it is there");
        mesh.uvs[v]
    };
    assert!(
        corner(&whole, vec3(0.0, 0.0, 1.0)).distance(vec2(0.3, -0.05)) < 1e-6,
        "{}",
        corner(&whole, vec3(0.0, 0.0, 1.0))
    );
    let soft = mesh.clone().with_steps(&[MeshStep::MoveUvs(step(Some(0.5), [0.05, 0.0]))]);
    assert_eq!(corner(&soft, vec3(1.0, 0.0, 1.0)), corner(&mesh, vec3(1.0, 0.0, 1.0)));
    let near = corner(&soft, Vec3::ZERO) - corner(&mesh, Vec3::ZERO);
    assert!((near - vec2(0.05, 0.0)).length() < 0.005, "{near}");
    // Dragged further than the sheet can follow it goes as far as no face flips.
    let far = mesh.clone().with_steps(&[MeshStep::MoveUvs(step(Some(0.5), [3.0, 0.0]))]);
    assert_eq!(UvSummary::new(&far).expect("UVs").flipped, 0);
    assert!(corner(&far, Vec3::ZERO).x > corner(&mesh, Vec3::ZERO).x + 0.05);
    let dense = mesh.clone().with_steps(&[MeshStep::Density(DensityStep { islands: None, texels: 96.0, size: 512 })]);
    let density = Unwrap::new(&dense).expect("UVs").islands[0].density() * 512.0;
    assert!((density - 96.0).abs() < 1e-3, "{density} texels per unit");
}

#[test]
fn rows_are_straightened_and_islands_stitched() {
    let bent = with_uvs(&height_field("sheet_low", 16, |_, _| 0.0), |uv| {
        vec2(uv.x * 0.6 + 0.1, uv.y * 0.6 + 0.1 + 0.05 * (uv.x * 6.0).sin())
    });
    let row: Vec<u32> = (0..16).map(|i| 3 * (2 * (8 * 16 + i) + 1) + 2).collect();
    let straight = bent.clone().with_steps(&[MeshStep::Straighten(StraightenStep { edges: name_edges(&bent, &row) })]);
    let heights: Vec<f32> =
        row.iter().map(|s| straight.uvs[straight.triangles[*s as usize / 3][*s as usize % 3] as usize].y).collect();
    assert!(heights.iter().all(|y| (y - heights[0]).abs() < 1e-6), "{heights:?}");
    assert_eq!(UvSummary::new(&straight).expect("UVs").flipped, 0);
    let sides = cube("box_low", 1.0);
    // An edge of the box, not a diagonal of a side.
    let shared = (0..36).find(|&s: &u32| {
        let corners = sides.corners(s / 3);
        (corners[s as usize % 3] - corners[(s as usize + 1) % 3]).length() < 2.1
    });
    let edge = name_edges(&sides, &[shared.expect("a box has edges")]);
    let stitched = sides.with_steps(&[MeshStep::Stitch(StitchStep { edge })]);
    let unwrap = Unwrap::new(&stitched).expect("UVs");
    assert_eq!(unwrap.islands.len(), 5);
    assert_eq!(UvSummary::new(&stitched).expect("UVs").flipped, 0);
    let even = unwrap.faces.iter().filter(|f| f.stretch < 1.001).count();
    assert_eq!(even, 4, "the two sides that were joined are squares again, the others 0.29 by 0.46");
}

#[test]
fn mirror_images_are_stacked_and_stay_so_when_packed() {
    let mut half = height_field("sheet_low", 6, |x, z| 0.2 * x * z);
    half.positions.iter_mut().for_each(|p| p.x += 0.5);
    let mut other = half.clone();
    other.positions.iter_mut().for_each(|p| p.x = -p.x);
    other.triangles.iter_mut().for_each(|t| t.swap(1, 2));
    other = with_uvs(&other, |uv| uv * 0.3);
    let both = Mesh::joined(&[&half, &other]);
    let pack = PackStep { margin: 4.0, size: 256, upright: false, keep_density: false };
    let steps = [MeshStep::Stack(StackStep { axis: Axis::X }), MeshStep::Pack(pack)];
    let stacked = both.with_steps(&steps);
    for t in 0..72u32 {
        let (own, image) = (stacked.corner_uvs(t), stacked.corner_uvs(t + 72));
        let [a, b, c] = image;
        for (one, two) in own.into_iter().zip([a, c, b]) {
            assert!(one.distance(two) < 1e-6, "{one} and {two}");
        }
    }
    let covered = UvSummary::new(&stacked).expect("UVs").covered;
    assert!(covered > 1.5, "both cover the sheet: {covered}");
}

#[test]
fn any_number_of_threads_lays_the_same_bits() {
    let mesh = head();
    let laid = |threads: usize| {
        let pool = rayon::ThreadPoolBuilder::new().num_threads(threads).build().expect("threads");
        pool.install(|| mesh.clone().with_steps(&MeshStep::fresh_uvs(60.0, 8.0, 1024)))
    };
    let (one, three) = (laid(1), laid(3));
    assert!(Unwrap::new(&one).is_some_and(|u| u.islands.len() > 1), "it is laid");
    assert_eq!(one.triangles, three.triangles);
    assert!(
        one.uvs.iter().zip(&three.uvs).all(|(a, b)| a.to_array().map(f32::to_bits) == b.to_array().map(f32::to_bits))
    );
}

#[test]
fn faces_without_area_and_bare_meshes_are_taken() {
    let mut mesh = ball("ball_low", 1.0, 8);
    let first = mesh.triangles[0];
    mesh.triangles.push([first[0], first[1], first[1]]);
    mesh.parts[0].triangles.end += 1;
    let laid = unwrapped(&mesh, Some(60.0));
    assert_eq!(UvSummary::new(&laid).expect("UVs").flipped, 0);
    assert!(laid.uvs.iter().all(|uv| uv.is_finite()));
    let empty = Mesh::default().with_steps(&MeshStep::fresh_uvs(60.0, 8.0, 1024));
    assert!(empty.triangles.is_empty());
}

#[test]
fn relaxing_tells_how_the_energy_falls() {
    let mesh = height_field("sheet_low", 24, |x, z| 0.2 * (9.0 * x).sin() * (7.0 * z).cos());
    let mesh = with_uvs(&mesh, |uv| vec2(uv.x * 0.8 + 0.1 * uv.y * uv.y, uv.y * 0.5 + 0.2));
    let energy = |mesh: &Mesh| UvSummary::new(mesh).and_then(|s| s.energy).expect("none is flipped");
    let told = Mutex::new(Vec::new());
    let watch = |energy| told.lock().expect("nobody panics").push(energy);
    let relaxed = relax_watched(mesh.clone(), &RelaxStep::default(), &watch);
    assert_eq!(relaxed.uvs, mesh.clone().with_steps(&[MeshStep::Relax(RelaxStep::default())]).uvs);
    // It stays where it lay, and as it was turned.
    let corners = |mesh: &Mesh| -> HashMap<[u32; 3], Vec2> {
        mesh.positions.iter().zip(&mesh.uvs).map(|(p, uv)| (p.to_array().map(f32::to_bits), *uv)).collect()
    };
    let (from, to) = (corners(&mesh), corners(&relaxed));
    let middle = |uvs: &HashMap<_, Vec2>| uvs.values().sum::<Vec2>() / uvs.len() as f32;
    assert!(middle(&from).distance(middle(&to)) < 1e-5);
    let turned = |(at, uv): (_, &Vec2)| (*uv - middle(&from)).perp_dot(to[at] - middle(&to));
    let turned = from.iter().map(turned).sum::<f32>() / from.len() as f32;
    assert!(turned.abs() < 1e-5, "turned by {turned}");
    let told = told.into_inner().expect("nobody panics");
    assert!((told[0] - energy(&mesh)).abs() < 1e-9 * told[0], "{} at the start, {}", told[0], energy(&mesh));
    assert!(told.len() > 3 && told.windows(2).all(|w| w[1] < w[0]), "{told:?}");
    // At the density it began with; the figure is at the one that it has now.
    let last = told[told.len() - 1];
    assert!((last - energy(&relaxed)).abs() < 1e-3 * last, "{last}, {}", energy(&relaxed));
}

#[test]
fn what_goes_along_softly_is_told_and_done_alike() {
    let mesh = with_uvs(&height_field("sheet_low", 20, |_, _| 0.0), |uv| uv * 0.5 + 0.2);
    let (triangle, within) = (421, 0.3);
    let told: HashMap<u32, f32> = falloff(mesh.clone(), triangle, within).into_iter().collect();
    let [a, b, c] = mesh.corners(triangle);
    let middle = (a + b + c) / 3.0;
    // On a plane the way along the surface is the straight one.
    for t in 0..mesh.triangles.len() as u32 {
        for (k, at) in (0..).zip(mesh.corners(t)) {
            let share = at.distance(middle) / within;
            let wanted = (1.0 - share * share).max(0.0).powi(2);
            let own = told.get(&(3 * t + k)).copied().unwrap_or(0.0);
            assert!((own - wanted).abs() < 0.02, "{at}: {own}, not {wanted}");
        }
    }
    let by = vec2(0.004, -0.003);
    let islands = name_faces(&mesh, &[triangle]);
    let step = MoveUvsStep { islands, scale: [1.0; 2], turn: 0.0, by: by.to_array(), within: Some(within) };
    let moved = mesh.clone().with_steps(&[MeshStep::MoveUvs(step)]);
    for t in 0..mesh.triangles.len() as u32 {
        for (k, (before, after)) in (0..).zip(mesh.corner_uvs(t).into_iter().zip(moved.corner_uvs(t))) {
            let weight = told.get(&(3 * t + k)).copied().unwrap_or(0.0);
            assert!((after - before - by * weight).length() < 1e-6, "corner {k} of {t} moved by {}", after - before);
        }
    }
}
