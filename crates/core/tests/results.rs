//! Findings on what a bake made: a fault of each kind is planted, found as what it is and where it lies; what is sound is not.

use crate::support::*;
use ember_ridge_core::bake::{KeptTiles, Plan, Unwatched, run};
use ember_ridge_core::glam::{vec2, vec3};
use ember_ridge_core::maps::{DisplacementSettings, MapSettings, Rays, RaysByError};
use ember_ridge_core::picture::Depth;
use ember_ridge_core::reach::PartReach;
use ember_ridge_core::recipe::{Recipe, merge};
use ember_ridge_core::scene::BakeScene;
use ember_ridge_core::sheet::Padding;
use ember_ridge_core::surface::Distance;
use ember_ridge_core::{Draft, DraftPart, Finding, FindingKind, Mesh, Severity};
use std::sync::Arc;

const SIZE: u32 = 128;

fn of_kind(whole: &Whole, kind: FindingKind) -> Vec<&Finding> {
    whole.report.findings.iter().filter(|found| found.kind == kind).collect()
}

/// The only finding of a kind.
fn only(whole: &Whole, kind: FindingKind) -> &Finding {
    let found = of_kind(whole, kind);
    assert_eq!(found.len(), 1, "{kind:?} among {:#?}", whole.report.findings);
    found[0]
}

/// The recipe with the first remedy of a finding.
fn remedied(recipe: &Recipe, finding: &Finding) -> Recipe {
    let remedy = finding.remedies.first().expect("there is a remedy");
    merge(recipe, recipe, &remedy.changes).expect("it fits the recipe")
}

/// The figure that stands in a text between two pieces of it.
fn figure(text: &str, before: &str, after: &str) -> f32 {
    let rest = text.split(before).nth(1).expect("it is told");
    rest.split(after).next().and_then(|number| number.parse().ok()).expect("a number")
}

/// A hill in the middle of the square.
fn hill(x: f32, z: f32) -> f32 {
    let far = vec2(x - 0.5, z - 0.5).length() / 0.2;
    if far < 1.0 { 0.2 * (1.0 - far * far).powi(2) } else { 0.0 }
}

#[test]
fn sculpt_beyond_the_envelope_is_found_and_the_remedy_reaches_it() {
    let high = height_field("hill_high", 64, hill);
    let clipped = recipe(SIZE, 1, (0.05, 0.05), maps(&["normal"]));
    let whole = bake(&clipped, &flat(), &[&high]);
    let found = only(&whole, FindingKind::EnvelopeClips);
    // The texels that the hill is higher than the reach on.
    let higher = (0..(SIZE * SIZE) as usize).filter(|&t| {
        let at = texel_of_flat(t, SIZE);
        hill(at.x, at.z) > 0.05
    });
    let (count, higher) = (found.place.count as f32, higher.count() as f32);
    assert!((count / higher - 1.0).abs() < 0.03, "{count} of {higher}");
    let most = figure(&found.reason, "up to ", " outside");
    assert!((most - 0.2).abs() < 0.003, "{}", found.reason);
    let point = found.place.point.expect("it lies somewhere");
    assert!(vec2(point[0] - 0.5, point[2] - 0.5).length() < 0.2, "{point:?}");
    let after = bake(&remedied(&clipped, found), &flat(), &[&high]);
    assert!(of_kind(&after, FindingKind::EnvelopeClips).is_empty(), "{:#?}", after.report.findings);
    assert!(of_kind(&after, FindingKind::Misses).is_empty());
    // What reached further elsewhere reaches no less far after it.
    let mut uneven = clipped.clone();
    uneven.reach.out = Distance::Units(0.5);
    uneven.reach.parts.push(PartReach { part: "hill_low".into(), out: Some(Distance::Units(0.05)), inward: None });
    let half = |mesh: &Mesh, shift: f32| with_uvs(mesh, |uv| vec2(uv.x * 0.49 + shift, uv.y));
    let beside = moved(&half(&flat(), 0.0), vec3(2.0, 0.0, 0.0));
    let both = Mesh::joined(&[&beside, &half(&renamed(&flat(), "hill_low"), 0.51)]);
    let whole = bake(&uneven, &both, &[&high]);
    let found = only(&whole, FindingKind::EnvelopeClips);
    let value = remedied(&uneven, found).reach.strokes[0].value.expect("a distance");
    assert_eq!(value, 0.5);
    // The inside of a box, seen from within, is no sculpt that stands out: rays start in the open.
    let room = cube("room_high", 1.0);
    let within = moved(&flat(), vec3(-0.5, -1.0, -0.5));
    let whole = bake(&recipe(32, 1, (0.3, 0.05), maps(&["normal"])), &within, &[&turned_inward(&room)]);
    assert!(of_kind(&whole, FindingKind::EnvelopeClips).is_empty(), "{:#?}", whole.report.findings);
}

fn renamed(mesh: &Mesh, part: &str) -> Mesh {
    let mut mesh = mesh.clone();
    mesh.parts[0].name = part.into();
    mesh
}

fn turned_inward(mesh: &Mesh) -> Mesh {
    let mut mesh = mesh.clone();
    mesh.triangles.iter_mut().for_each(|t| t.swap(1, 2));
    mesh.normals.iter_mut().for_each(|n| *n = -*n);
    mesh
}

/// A box over part of the square, from one height to another; open at the bottom or not.
fn block(name: &str, from: f32, to: f32, open: bool) -> Mesh {
    let mut draft = Draft::default();
    let corner = |i: usize| {
        let pick = |bit: usize, low: f32, high: f32| if i >> bit & 1 == 0 { low } else { high };
        vec3(pick(0, 0.303, 0.698), pick(1, from, to), pick(2, 0.303, 0.698))
    };
    draft.positions = (0..8).map(corner).collect();
    let side = |a: u32, b: u32, c: u32, d: u32| [a, b, c, a, c, d];
    let mut indices = Vec::new();
    for sides in [side(2, 6, 7, 3), side(0, 2, 3, 1), side(5, 7, 6, 4), side(4, 6, 2, 0), side(1, 3, 7, 5)] {
        indices.extend(sides);
    }
    if !open {
        indices.extend(side(0, 1, 5, 4));
    }
    draft.parts.push(DraftPart { name: name.into(), indices, ..DraftPart::default() });
    draft.finish().expect("a box is a whole mesh")
}

#[test]
fn texels_half_on_a_floating_detail_are_found_at_its_edge() {
    let ground = height_field("ground_high", 4, |_, _| 0.0);
    let sheet = recipe(SIZE, 16, (0.2, 0.05), maps(&["normal"]));
    let found_with = |detail: &Mesh| {
        let whole = bake(&sheet, &flat(), &[&ground, detail]);
        of_kind(&whole, FindingKind::HalfCovered).into_iter().cloned().collect::<Vec<_>>()
    };
    // Its outline of 4 x 0.395 crosses so many texels.
    let crossed = 4.0 * 0.395 * SIZE as f32;
    for detail in [block("plate_high", 0.05, 0.06, false), block("shell_high", 0.05, 0.06, true)] {
        let found = found_with(&detail);
        assert_eq!(found.len(), 1, "{}: {found:#?}", detail.parts[0].name);
        let count = found[0].place.count as f32;
        assert!((count / crossed - 1.0).abs() < 0.1, "{count} of {crossed}");
        assert!(found[0].reason.contains("0.06") && found[0].severity == Severity::Note, "{}", found[0].reason);
        let [x, _, z] = found[0].place.point.expect("it lies somewhere");
        let off = [x, z].map(|at| (at - 0.303).abs().min((at - 0.698).abs()));
        assert!(off[0].min(off[1]) < 1.0 / SIZE as f32, "on the outline, not at {x} {z}");
    }
    // One that is stuck into the ground meets it without a gap; so does a step of one skin.
    assert_eq!(found_with(&block("stuck_high", -0.03, 0.06, false)), []);
    let step = height_field("step_high", 200, |x, _| if x < 0.5 { 0.0 } else { 0.06 });
    let whole = bake(&sheet, &flat(), &[&step]);
    assert!(of_kind(&whole, FindingKind::HalfCovered).is_empty(), "{:#?}", whole.report.findings);
}

#[test]
fn noise_is_told_by_the_error_that_rays_leave_and_more_rays_end_it() {
    // A trench whose ground sees half of the sky.
    let trench = height_field("trench_high", 96, |x, _| 0.1 * (40.0 * x).sin());
    let with = |rays: Rays| recipe(SIZE, 1, (0.2, 0.2), vec![MapSettings::Ao(ao(rays, 0.5))]);
    let whole = bake(&with(Rays::Fixed(16)), &flat(), &[&trench]);
    let found = only(&whole, FindingKind::Noise);
    assert!(found.reason.contains("Occlusion is noisy"), "{}", found.reason);
    // The error it tells is about the one there is, against the most rays there are.
    let of = |whole: &Whole| values(whole, "ao");
    let (noisy, still) = (of(&whole), of(&bake(&with(Rays::Fixed(512)), &flat(), &[&trench])));
    let squares: f32 = noisy.iter().zip(&still).map(|(a, b)| (a - b).powi(2)).sum();
    let true_error = (squares / noisy.len() as f32).sqrt();
    let mean = figure(&found.reason, "mean ", ";");
    // The estimate is on the safe side.
    assert!((1.0..1.8).contains(&(mean / true_error)), "told {mean}, is {true_error}");
    assert!(whole.report.maps["ao"].rays > 0 && found.place.uv.is_some());
    let after = bake(&remedied(&with(Rays::Fixed(16)), found), &flat(), &[&trench]);
    assert!(of_kind(&after, FindingKind::Noise).is_empty(), "{:#?}", after.report.findings);
    // An error that the most rays cannot keep is told, one that they keep is not.
    let missed = bake(&with(Rays::ByError(RaysByError { most: 32, error: 0.004 })), &flat(), &[&trench]);
    only(&missed, FindingKind::Noise);
    let kept = bake(&with(Rays::ByError(RaysByError { most: 512, error: 0.02 })), &flat(), &[&trench]);
    assert!(of_kind(&kept, FindingKind::Noise).is_empty(), "{:#?}", kept.report.findings);
    // Baked again from what is kept of it, or of a proof of the same size, it is as noisy as it was.
    let scene = BakeScene::new(&[&flat()], &[&trench], None).expect("sound");
    let store = Arc::new(KeptTiles::default());
    let again = |proof: bool| {
        let plan = Plan::new(&with(Rays::Fixed(16)), &scene).expect("sound").keeping(&store).for_proof(proof);
        run(&plan, 2, &Unwatched).expect("nobody stops it").report
    };
    again(true);
    for report in [again(false), again(false)] {
        assert_eq!(report.maps["ao"].rays, 0, "its values are kept");
        assert_eq!(report.findings.iter().find(|found| found.kind == FindingKind::Noise), Some(found));
    }
    // A proof has few rays on purpose.
    let scene = BakeScene::new(&[&flat()], &[&trench], None).expect("sound");
    let plan = Plan::new(&with(Rays::Fixed(16)), &scene).expect("sound").for_proof(true);
    let proof = run(&plan, 1, &Unwatched).expect("nobody stops it");
    assert!(proof.report.findings.iter().all(|found| found.kind != FindingKind::Noise));
}

#[test]
fn slow_slopes_in_eight_bits_are_found() {
    let slope = height_field("slope_high", 1, |x, _| 0.02 * x);
    let scaled = |scale: Distance| {
        let settings = DisplacementSettings { scale };
        recipe(SIZE, 1, (0.1, 0.1), vec![MapSettings::Displacement(settings)])
    };
    // Over a distance of 0.5, 0.02 are ten steps: each more than twelve texels wide.
    let coarse = scaled(Distance::Units(0.5));
    let whole = bake(&coarse, &flat(), &[&slope]);
    let found = only(&whole, FindingKind::Stepping);
    assert!(found.severity == Severity::Warning && found.reason.contains("100 %"), "{}", found.reason);
    assert_eq!(found.remedies.len(), 2);
    let deeper = remedied(&coarse, found);
    assert_eq!(deeper.sheet.depth, Depth::Sixteen);
    assert!(of_kind(&bake(&deeper, &flat(), &[&slope]), FindingKind::Stepping).is_empty());
    let mut dithered = coarse.clone();
    dithered.sheet.dither = true;
    assert!(of_kind(&bake(&dithered, &flat(), &[&slope]), FindingKind::Stepping).is_empty());
    // With a scale that fits, 128 steps over 128 texels are none that show.
    assert!(of_kind(&bake(&scaled(Distance::Auto), &flat(), &[&slope]), FindingKind::Stepping).is_empty());
}

#[test]
fn islands_that_bleed_at_smaller_sizes_are_found_with_the_first_of_them() {
    let (low, high) = (cube("box_low", 1.0), cube("box_high", 1.0));
    let bare = recipe(256, 1, (0.1, 0.1), maps(&["normal"]));
    let whole = bake(&bare, &low, &[&high]);
    let found = only(&whole, FindingKind::MipBleeding);
    assert!(
        found.reason.contains("from mip 1 on (128 x 128)") && found.reason.contains("background"),
        "{}",
        found.reason
    );
    assert_eq!(found.severity, Severity::Warning);
    // Its place is a texel at the border of an island.
    let uv = found.place.uv.expect("it lies on the sheet");
    let off = [0.02, 0.31, 0.353_33, 0.643_33].map(|edge: f32| (uv[0] - edge).abs());
    let off_v = [0.02, 0.48, 0.52, 0.98].map(|edge: f32| (uv[1] - edge).abs());
    assert!(off.into_iter().chain(off_v).fold(1.0, f32::min) < 2.0 / 256.0, "{uv:?}");
    let padded = bake(&remedied(&bare, found), &low, &[&high]);
    let left = of_kind(&padded, FindingKind::MipBleeding);
    assert!(left.iter().all(|found| !found.reason.contains("from mip 1 ")), "{left:#?}");
    let filled =
        Recipe { sheet: ember_ridge_core::sheet::SheetSettings { padding: Padding::All, ..bare.sheet }, ..bare };
    let filled = bake(&filled, &low, &[&high]);
    // The islands lie eleven texels apart: at the fourth level a texel stands for sixteen.
    let found = only(&filled, FindingKind::MipBleeding);
    assert!(found.reason.contains("another island") && !found.reason.contains("background"), "{}", found.reason);
    assert!(found.severity == Severity::Note && found.remedies.is_empty());
}

/// The unit square as two islands with a gap between them on the sheet, cut at x = 0.5.
fn cut_square() -> Mesh {
    let mut draft = Draft::default();
    let mut indices = Vec::new();
    for (left, right, shift) in [(0.0, 0.5, 0.0), (0.5, 1.0, 0.2)] {
        let first = draft.positions.len() as u32;
        for (x, z) in [(left, 0.0), (left, 1.0), (right, 1.0), (right, 0.0)] {
            draft.positions.push(vec3(x, 0.0, z));
            draft.uvs.push(vec2(0.02 + x * 0.7 + shift, 0.98 - z * 0.9));
        }
        indices.extend([0, 1, 2, 0, 2, 3].map(|i| i + first));
    }
    draft.parts.push(DraftPart { name: "cut_low".into(), indices, ..DraftPart::default() });
    draft.finish().expect("two squares are a whole mesh")
}

#[test]
fn seams_whose_sides_differ_are_found_and_others_are_not() {
    let names = ["normal", "displacement", "position"];
    let plain = recipe(SIZE, 4, (0.2, 0.2), maps(&names));
    let waves = height_field("waves_high", 64, |x, z| 0.03 * (9.0 * x).sin() * (11.0 * z).cos());
    let sound = bake(&plain, &cut_square(), &[&waves]);
    assert!(of_kind(&sound, FindingKind::SeamDifference).is_empty(), "{:#?}", sound.report.findings);
    // A sculpt that ends at the seam and goes on further up: its heights part, its normals do not.
    let mut half = height_field("half_high", 1, |_, _| 0.0);
    half.positions.iter_mut().for_each(|p| p.x *= 0.5);
    let parted = bake(&plain, &cut_square(), &[&half, &moved(&half, vec3(0.5, 0.05, 0.0))]);
    let found = of_kind(&parted, FindingKind::SeamDifference);
    let heights = found.iter().find(|found| found.reason.starts_with("Displacement")).expect("heights part");
    assert!(heights.severity == Severity::Warning && heights.reason.contains("100 %"), "{}", heights.reason);
    assert!((figure(&heights.reason, "by up to ", " units") - 0.05).abs() < 1e-3, "{}", heights.reason);
    let point = heights.place.point.expect("it lies somewhere");
    assert!((point[0] - 0.5).abs() < 0.01, "{point:?}");
    // So do places, which are told as values.
    let places = found.iter().find(|found| found.reason.starts_with("Position")).expect("places part");
    assert!((figure(&places.reason, "by up to ", " of its range") - 1.0).abs() < 0.01, "{}", places.reason);
    assert!(found.iter().all(|found| !found.reason.starts_with("Normal")), "{found:#?}");
    // A box on a box turns at its seams as the low-poly does.
    let whole = bake(&recipe(256, 4, (0.1, 0.1), maps(&names)), &cube("box_low", 1.0), &[&cube("box_high", 1.02)]);
    assert!(of_kind(&whole, FindingKind::SeamDifference).is_empty(), "{:#?}", whole.report.findings);
}
