//! Truths of files against arithmetic: a map of a known surface, turned, moved and scaled by known amounts, reads just those.

use crate::support::*;
use crate::surfaces::*;
use ember_ridge_core::bake::Plan;
use ember_ridge_core::finish::{Channel, Finish, SetNumber, Signal};
use ember_ridge_core::glam::{Quat, Vec2, Vec3};
use ember_ridge_core::inspect::uv_seams;
use ember_ridge_core::maps::{Green, MapSettings};
use ember_ridge_core::picture::{Coding, Image, Pixels};
use ember_ridge_core::review::{Difference, HEAT_SIDE, NormalReading, Question, Truths, displaced_levels};
use ember_ridge_core::scene::BakeScene;
use ember_ridge_core::{Mesh, Recipe};

const SIDE: u32 = 128;
const UP: NormalReading = NormalReading::Tangent(Green::Up);

/// A ramp over the unit square that rises by `RISE` along x: one normal, and heights that run straight.
const RISE: f32 = 0.2;

fn ramp() -> Mesh {
    height_field("flat_high", 1, |x, _| RISE * (x - 0.5))
}

fn sheet(channels: usize, value: impl Fn(f32, f32) -> Vec<f32>) -> Vec<Image> {
    let texels = (0..SIDE * SIDE).flat_map(|t| {
        let (x, y) = (t % SIDE, t / SIDE);
        value((x as f32 + 0.5) / SIDE as f32, 1.0 - (y as f32 + 0.5) / SIDE as f32)
    });
    vec![Image::new(SIDE, SIDE, channels, Pixels::F32(texels.collect()), Coding::Linear)]
}

/// The normal of the ramp in the tangent space of the flat square below it: u along x, the third axis up.
fn slope() -> Vec3 {
    Vec3::new(-RISE, 0.0, 1.0).normalize()
}

fn normals(n: Vec3) -> Vec<Image> {
    sheet(3, |_, _| (n * 0.5 + 0.5).to_array().to_vec())
}

fn with_truths(low: &Mesh, ask: impl Fn(&Truths)) {
    with_finishes(low, Vec::new(), ask);
}

fn with_finishes(low: &Mesh, finishes: Vec<Finish>, ask: impl Fn(&Truths)) {
    let high = ramp();
    let scene = BakeScene::new(&[low], &[&high], None).expect("no cage");
    let recipe = recipe(SIDE, 1, (0.3, 0.3), vec![MapSettings::by_key("displacement").expect("a map")]);
    let plan = Plan::new(&Recipe { finishes, ..recipe }, &scene).expect("sound");
    ask(&Truths::new(&plan, &[String::new()]).expect("a sculpt"));
}

#[test]
fn a_map_that_is_turned_by_an_angle_reads_the_angle_at_every_level() {
    with_truths(&flat(), |truths| {
        for angle in [0.0f32, 1.0, 7.5] {
            let turned = normals(Quat::from_rotation_y(angle.to_radians()) * slope());
            for level in [0, 2, 4] {
                let truth = truths.truth(&turned, Question::Lit { reading: UP, level });
                let Difference { mean, p99, max } = truth.difference;
                assert!(
                    [mean, p99, max].iter().all(|off| (off - angle).abs() < 1e-3),
                    "{angle}, level {level}: {truth:?}"
                );
                assert!(truth.points > 60_000 && truth.unit == "degrees", "{truth:?}");
            }
        }
        // What is off lies where it lies.
        let marred = sheet(3, |u, v| {
            let there = (u - 0.25).abs() < 0.1 && (v - 0.75).abs() < 0.1;
            let n = if there { Quat::from_rotation_y(0.2) * slope() } else { slope() };
            (n * 0.5 + 0.5).to_array().to_vec()
        });
        let question = Question::Lit { reading: UP, level: 0 };
        let worst = truths.truth(&marred, question).worst.expect("some are off");
        assert!(Vec2::from(worst.uv).distance(Vec2::new(0.25, 0.75)) < 0.16, "{worst:?}");
        let heat = truths.heat(&marred, question, 0);
        let side = HEAT_SIDE as usize;
        assert_eq!(heat.len(), side * side);
        let at = |u: f32, v: f32| heat[((1.0 - v) * side as f32) as usize * side + (u * side as f32) as usize];
        assert!((at(0.25, 0.75) - 0.2f32.to_degrees()).abs() < 0.01 && at(0.75, 0.25).abs() < 1e-3);
        assert!(heat.iter().all(|far| *far >= 0.0), "the square covers its sheet");
    });
}

#[test]
fn faults_of_normals_are_told_by_the_reading_that_fits() {
    with_truths(&flat(), |truths| {
        let n = slope();
        let said = |n: Vec3| truths.normal_fault(&normals(n), UP).map(|[fault, _]| fault);
        assert_eq!(said(n), None);
        assert_eq!(said(Quat::from_rotation_y(0.03) * n), None, "under two degrees nothing is a fault");
        assert!(said(Vec3::new(-n.x, n.y, n.z)).is_some_and(|f| f.contains("red channel is turned round")));
        // Tangent space lies along X, -Z and Y here.
        assert!(said(Vec3::new(n.x, n.z, -n.y)).is_some_and(|f| f.contains("object-space")));
        assert!(said(Vec3::new(0.6, 0.6, 0.5).normalize()).is_some_and(|f| f.contains("no way of reading it")));
    });
}

#[test]
fn a_displacement_reads_how_far_it_leaves_the_sculpt_and_by_what_factor() {
    with_truths(&flat(), |truths| {
        let heights = |by: f32| sheet(1, |u, _| vec![0.5 + by * (u - 0.5)]);
        let exact = truths.truth(&heights(1.0), Question::Displaced { scale: Some(RISE), level: None });
        assert!(exact.difference.max < 5e-3 * RISE, "{exact:?}");
        assert_eq!(truths.height_fault(&heights(1.0), Some(RISE)), None);
        // Lifted by a tenth of the scale everywhere: as far as that along the ramp's own normal, but for its ends.
        let lifted =
            truths.truth(&sheet(1, |u, _| vec![0.6 + u - 0.5]), Question::Displaced { scale: Some(RISE), level: None });
        let wanted = 0.1 * RISE * slope().z;
        assert!((lifted.difference.mean - wanted).abs() < 0.03 * wanted, "{lifted:?}, wanted {wanted}");
        for (factor, said) in [
            (1.01, "reads 1.010 times"),
            (1.25, "reads 1.250 times"),
            (0.5, "reads 0.500 times"),
            (-1.0, "run the other way"),
        ] {
            let fault = truths.height_fault(&heights(factor), Some(RISE)).map(|[fault, _]| fault);
            assert!(fault.as_ref().is_some_and(|fault| fault.contains(said)), "{factor}: {fault:?}");
        }
    });
}

#[test]
fn seams_are_edges_with_other_uvs_on_either_side() {
    let whole = flat();
    assert!(uv_seams(&whole).is_empty());
    // The two triangles of the square apart on the sheet: their one common edge is a seam.
    let mut cut = whole.clone();
    let corners = cut.triangles[1].map(|v| v as usize);
    cut.positions.extend(corners.map(|v| whole.positions[v]));
    cut.normals.extend(corners.map(|v| whole.normals[v]));
    cut.uvs = whole.uvs.iter().map(|uv| *uv * 0.5).collect();
    cut.uvs.extend(corners.map(|v| whole.uvs[v] * 0.5 + Vec2::splat(0.5)));
    let first = whole.positions.len() as u32;
    cut.triangles[1] = [first, first + 1, first + 2];
    let seams = uv_seams(&cut);
    assert_eq!(seams.len(), 1);
    let [one, other] = seams[0];
    for end in 0..2 {
        assert!(cut.at(one[end]).distance(cut.at(other[end])) < 1e-6, "{seams:?}");
    }
    with_truths(&cut, |truths| {
        let turned = |by: f32| {
            sheet(3, |u, v| {
                let n = if u > 0.5 && v > 0.5 { Quat::from_rotation_y(by.to_radians()) * slope() } else { slope() };
                (n * 0.5 + 0.5).to_array().to_vec()
            })
        };
        for by in [0.0, 3.0] {
            let truth = truths.truth(&turned(by), Question::Seams { reading: UP });
            assert!((truth.difference.mean - by).abs() < 0.1 && truth.points > 50, "{by}: {truth:?}");
        }
    });
}

/// A finish that rises with the ramp, half as steeply: what is asked of files counts it in, whatever it is measured by.
#[test]
fn what_finishes_add_is_counted_in() {
    let rise = 1.5 * RISE;
    let set = SetNumber::ramp(along_x(0.0, 1.0), [(0.0, 0.0), (1.0, 0.5 * RISE)]);
    let finishes = vec![finish("f", vec![coat("c", height(set))])];
    with_finishes(&flat(), finishes, |truths| {
        assert!(truths.counts_finishes());
        let whole = Vec3::new(-rise, 0.0, 1.0).normalize();
        for angle in [0.0f32, 1.0] {
            let turned = normals(Quat::from_rotation_y(angle.to_radians()) * whole);
            let Difference { mean, max, .. } =
                truths.truth(&turned, Question::Lit { reading: UP, level: 0 }).difference;
            assert!((mean - angle).abs() < 1e-2 && (max - angle).abs() < 5e-2, "{angle}: {mean}, {max}");
        }
        // The sculpt alone is not what was baked.
        let bare = truths.truth(&normals(slope()), Question::Lit { reading: UP, level: 0 }).difference;
        let apart = (rise.atan() - RISE.atan()).to_degrees();
        assert!((bare.mean - apart).abs() < 1e-2, "{}, not {apart}", bare.mean);
        assert!(truths.normal_fault(&normals(whole), UP).is_none());
        let [fault, _] = truths.normal_fault(&normals(whole * Vec3::new(-1.0, 1.0, 1.0)), UP).expect("turned");
        assert!(fault.contains("red channel is turned round"), "{fault}");

        // The sculpt's own heights begin below the square; what the finish adds begins at it.
        let added = |u: f32| RISE * (u - 0.5) + 0.5 * RISE * u;
        let heights = |scale: f32| sheet(1, move |u, _| vec![added(u) * scale]);
        let displaced = Question::Displaced { scale: None, level: None };
        let off = truths.truth(&heights(1.0), displaced).difference;
        assert!(off.max < 2e-3 && off.mean < 1e-4, "{off:?}");
        assert!(truths.height_fault(&heights(1.0), None).is_none());
        let [fault, _] = truths.height_fault(&heights(1.01), None).expect("off");
        assert!(fault.contains("1.01"), "{fault}");
        let far = truths.far_from_sculpt(&truths.displacing(&heights(1.0), None).mesh(4));
        assert!(far.iter().all(|off| (0.0..2e-3).contains(off)), "{:?}", far.iter().copied().fold(0.0, f32::max));
    });
    // A coat that cannot be measured adds nothing, here as in the bake.
    let set = SetNumber::ramp(Signal::Channel { of: Channel::R }, [(0.0, 0.0), (1.0, 0.1)]);
    with_finishes(&flat(), vec![finish("f", vec![coat("c", height(set))])], |truths| {
        let off = truths.truth(&normals(slope()), Question::Lit { reading: UP, level: 0 }).difference;
        assert!(!truths.counts_finishes() && off.max < 1e-3, "{off:?}");
    });
}

/// A bump whose heights the map holds: a renderer that moves vertices alone comes nearer with each subdivision.
#[test]
fn a_displaced_low_poly_comes_nearer_with_each_subdivision() {
    let rise = |x: f32, z: f32| 0.1 * (std::f32::consts::TAU * x).sin() * (std::f32::consts::TAU * z).sin();
    let high = height_field("flat_high", 128, rise);
    let low = flat();
    let scene = BakeScene::new(&[&low], &[&high], None).expect("no cage");
    let recipe = recipe(SIDE, 1, (0.3, 0.3), vec![MapSettings::by_key("displacement").expect("a map")]);
    let plan = Plan::new(&recipe, &scene).expect("sound");
    let truths = Truths::new(&plan, &[String::new()]).expect("a sculpt");
    let heights = sheet(1, |u, v| vec![rise(u, 1.0 - v)]);
    let mean = |level| truths.truth(&heights, Question::Displaced { scale: None, level: Some(level) }).difference.mean;
    let means: Vec<f32> = (0..=6).map(mean).collect();
    // Without a subdivision no corner moves: the mean is that of the sculpt's own heights, (2 / pi)^2 of a tenth, less what lies nearer
    // aside of a slope.
    let flat_mean = 0.1 * (2.0 / std::f32::consts::PI).powi(2);
    assert!(means[0] < flat_mean && means[0] > 0.8 * flat_mean, "{means:?}");
    // Straight between vertices, what is left goes down by four each time, until the texels of the map are what is left.
    for level in 3..5 {
        let by = means[level] / means[level + 1];
        assert!((3.0..5.0).contains(&by), "{level}: {by}, {means:?}");
    }
    let file = truths.truth(&heights, Question::Displaced { scale: None, level: None }).difference.mean;
    assert!((means[6] - file).abs() < 2e-4, "{means:?}, the file itself {file}");

    // Drawn, vertices lie where the map says, every facet faces up, and each level has four times the facets.
    let displacing = truths.displacing(&heights, None);
    for level in [0, 1, 3] {
        let mesh = displacing.mesh(level);
        assert_eq!(mesh.triangles.len(), low.triangles.len() << (2 * level));
        let moved: Vec<Vec3> = mesh.positions.iter().zip(&mesh.ways).map(|(at, way)| *at + *way).collect();
        for (at, moved) in mesh.positions.iter().zip(&moved) {
            let height = rise(at.x, at.z);
            assert!((moved.y - height).abs() < 3e-3 && (moved.x, moved.z) == (at.x, at.z), "{at} to {moved}");
        }
        let area = |[a, b, c]: [u32; 3]| {
            let [a, b, c] = [a, b, c].map(|v| mesh.positions[v as usize]);
            (b - a).cross(c - a).y / 2.0
        };
        let areas: Vec<f32> = mesh.triangles.iter().map(|t| area(*t)).collect();
        assert!(areas.iter().all(|a| *a > 0.0) && (areas.iter().sum::<f32>() - 1.0).abs() < 1e-4, "{level}");
        let far = truths.far_from_sculpt(&mesh);
        assert!(far.iter().all(|off| (0.0..4e-3).contains(off)), "{:?}", far.iter().copied().fold(0.0, f32::max));
    }
    assert_eq!([displaced_levels(2), displaced_levels(1500), displaced_levels(400_001)], [8, 4, 0]);
}
