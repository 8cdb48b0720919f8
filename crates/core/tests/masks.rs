//! Masks against arithmetic: signals of known bodies, soft ranges and break-up by their formulas, seams, paint, regions, faults.

use crate::support::*;
use ember_ridge_core::bake::{KeptTiles, Plan, Unwatched, run};
use ember_ridge_core::finish::*;
use ember_ridge_core::glam::{Vec3, vec2, vec3};
use ember_ridge_core::maps::*;
use ember_ridge_core::picture::Depth;
use ember_ridge_core::recipe::Recipe;
use ember_ridge_core::scene::BakeScene;
use ember_ridge_core::stop::never;
use ember_ridge_core::surface::{Axis, MeshPoint};
use ember_ridge_core::{FindingKind, Mesh};
use std::sync::Arc;

const SIZE: u32 = 64;

fn term(signal: Signal, from: [f32; 2], to: [f32; 2]) -> Term {
    Term { signal, from, to, combine: Combine::And, break_up: None }
}

fn gradient(axis: Axis, from: f32, to: f32) -> PatternSettings {
    PatternSettings::Gradient(GradientSettings { axis, from, to, ..GradientSettings::default() })
}

fn place(terms: impl Into<Vec<Term>>) -> PlaceSettings {
    PlaceSettings { terms: terms.into(), ..PlaceSettings::default() }
}

fn mask(name: &str, place: PlaceSettings) -> Mask {
    Mask { name: name.into(), place }
}

/// A recipe of these masks, each baked, in floats.
fn recipe_of(masks: Vec<Mask>) -> Recipe {
    let maps = masks.iter().map(|m| MapSettings::Mask(MaskMapSettings::of(&m.name))).collect();
    let mut recipe = recipe(SIZE, 1, (0.5, 0.5), maps);
    recipe.sheet.depth = Depth::Float;
    recipe.sheet.format = ember_ridge_core::picture::ImageFormat::Tiff;
    recipe.masks = masks;
    recipe
}

/// The centre of a texel of [`flat`].
fn texel(t: usize) -> Vec3 {
    texel_of_flat(t, SIZE)
}

/// One mask baked over the flat square, or over a sculpt above it.
fn baked(place: PlaceSettings, high: &[&Mesh]) -> Vec<f32> {
    values(&bake(&recipe_of(vec![mask("m", place)]), &flat(), high), "mask:m")
}

/// The soft range as the format tells it: from [0 at, 1 at] to [1 at, 0 at], straight between.
fn soft(value: f32, [a, b]: [f32; 2], [c, d]: [f32; 2]) -> f32 {
    let up = if b > a {
        (value - a) / (b - a)
    } else if value >= b {
        1.0
    } else {
        0.0
    };
    let down = if d > c {
        (d - value) / (d - c)
    } else if value <= c {
        1.0
    } else {
        0.0
    };
    up.min(down).clamp(0.0, 1.0)
}

fn close(found: &[f32], wanted: impl Fn(Vec3) -> f32, most: f32) {
    assert_eq!(found.len(), (SIZE * SIZE) as usize);
    for (t, value) in found.iter().enumerate() {
        let wanted = wanted(texel(t));
        assert!((value - wanted).abs() <= most, "at {}: {value}, not {wanted}", texel(t));
    }
}

#[test]
fn height_and_its_soft_range_follow_the_formula() {
    let (from, to) = ([0.2, 0.35], [0.6, 0.9]);
    let found = baked(place([term(Signal::Height { axis: Axis::X }, from, to)]), &[]);
    close(&found, |p| soft(p.x, from, to), 1e-5);
    // Hard ends hold their own value.
    let found = baked(place([term(Signal::Height { axis: Axis::Z }, [0.5, 0.5], [0.75, 0.75])]), &[]);
    close(&found, |p| f32::from(u8::from((0.5..=0.75).contains(&p.z))), 0.0);
}

#[test]
fn break_up_moves_the_signal_before_the_range_is_taken() {
    let broken = Term {
        break_up: Some(BreakUp { amount: 0.2, pattern: gradient(Axis::Z, 0.0, 1.0) }),
        ..term(Signal::Height { axis: Axis::X }, [0.4, 0.6], [2.0, 2.0])
    };
    let found = baked(place([broken]), &[]);
    close(&found, |p| soft(p.x + 0.2 * (2.0 * p.z - 1.0), [0.4, 0.6], [2.0, 2.0]), 1e-5);
}

#[test]
fn terms_combine_and_places_are_levelled_inverted_and_scaled() {
    let x = || term(Signal::Height { axis: Axis::X }, [0.0, 1.0], [2.0, 2.0]);
    let z = |combine| Term { combine, ..term(Signal::Height { axis: Axis::Z }, [0.0, 1.0], [2.0, 2.0]) };
    close(&baked(place([x(), z(Combine::And)]), &[]), |p| p.x * p.z, 1e-5);
    close(&baked(place([x(), z(Combine::Or)]), &[]), |p| p.x.max(p.z), 1e-5);
    close(&baked(place([x(), z(Combine::Minus)]), &[]), |p| p.x * (1.0 - p.z), 1e-5);
    close(&baked(place([z(Combine::Minus)]), &[]), |p| 1.0 - p.z, 1e-5);
    close(&baked(place([]), &[]), |_| 1.0, 0.0);
    let all =
        PlaceSettings { levels: Some(Levels { low: 0.25, high: 0.75 }), invert: true, amount: 0.5, ..place([x()]) };
    close(&baked(all, &[]), |p| 0.5 * (1.0 - ((p.x - 0.25) / 0.5).clamp(0.0, 1.0)), 1e-5);
}

/// A piece of a ball about the origin, bulging along y, over the unit square's parameters.
fn cap(radius: f32) -> Mesh {
    let mut mesh = height_field("cap", 200, |_, _| 0.0);
    for (p, n) in mesh.positions.iter_mut().zip(&mut mesh.normals) {
        let d = vec2(p.x - 0.5, p.z - 0.5) * 2.0;
        *n = vec3(d.x, (4.0 - d.length_squared()).sqrt(), d.y) / 2.0;
        *p = *n * radius;
    }
    mesh
}

#[test]
fn facing_on_a_ball_is_the_cosine() {
    let ball = cap(1.0);
    let facing = Signal::Facing { direction: [0.0, 2.0, 0.0] };
    let masks = vec![mask("m", place([term(facing, [0.0, 1.0], [1.0, 1.0])]))];
    let found = values(&bake(&recipe_of(masks), &ball, &[]), "mask:m");
    close(
        &found,
        |p| {
            let d = vec2(p.x - 0.5, p.z - 0.5) * 2.0;
            (4.0 - d.length_squared()).sqrt() / 2.0
        },
        1e-4,
    );
}

#[test]
fn a_curvature_range_selects_a_ball_between_its_ends_alone() {
    // Away from its rim the cap of a ball of radius 2 bends by 1/2 everywhere: at size 0.2 that is 0.1.
    let ball = cap(2.0);
    let at = |from: f32, to: f32| {
        let curvature = Signal::Curvature { size: 0.2 };
        let masks = vec![mask("m", place([term(curvature, [from, from], [to, to])]))];
        let found = values(&bake(&recipe_of(masks), &ball, &[]), "mask:m");
        let inner = |t: &usize| vec2(texel(*t).x - 0.5, texel(*t).z - 0.5).length() < 0.3;
        let seen: Vec<f32> = (0..found.len()).filter(inner).map(|t| found[t]).collect();
        assert!(seen.len() > 900);
        seen.iter().sum::<f32>() / seen.len() as f32
    };
    assert_eq!([at(0.09, 0.11), at(0.11, 1.0), at(-1.0, 0.09)], [1.0, 0.0, 0.0]);
    assert_eq!(at(-1.0, 1.0), 1.0);
}

#[test]
fn tighter_than_the_size_is_the_end_of_the_range() {
    // A ball of radius 0.05 at size 0.2 bends four times as tightly as reads 1: it is in all the same.
    let mut bump = ball("bump", 0.05, 40);
    bump.positions.iter_mut().for_each(|p| *p += vec3(0.5, 0.0, 0.5));
    let tight = term(Signal::Curvature { size: 0.02 }, [0.3, 0.3], [1.0, 1.0]);
    let found = baked(place([tight]), &[&bump]);
    let middle = (SIZE * SIZE / 2 + SIZE / 2) as usize;
    assert_eq!(found[middle], 1.0);
    assert_eq!(found[0], 0.0, "nothing was hit there");
}

#[test]
fn distance_between_two_boxes_is_the_gap() {
    // A box above the square, another at a gap of 0.3 along x.
    let place_at = |name: &str, x: f32| moved(&cube(name, 0.25), vec3(x, 0.0, 0.5));
    let (near, far) = (place_at("near", 0.5), place_at("far", 1.3));
    let found = baked(place([term(Signal::Distance { part: "far".into() }, [0.3, 0.8], [9.0, 9.0])]), &[&near, &far]);
    // Rays fall on the near box's top; from (x, 0.25, z) the far one's face is at x = 1.05.
    for (t, value) in found.iter().enumerate() {
        let p = texel(t);
        if (0.26..0.74).contains(&p.x) && (0.26..0.74).contains(&p.z) {
            assert!((value - soft(1.05 - p.x, [0.3, 0.8], [9.0, 9.0])).abs() < 1e-4, "at {p}: {value}");
        }
    }
}

#[test]
fn occlusion_is_that_of_the_map_of_the_same_distance() {
    let high = height_field("step", 64, |x, _| if x > 0.5 { 0.2 } else { 0.0 });
    let open = term(Signal::Occlusion { distance: 0.4 }, [0.0, 1.0], [1.0, 1.0]);
    let mut recipe = recipe_of(vec![mask("m", place([open]))]);
    recipe.maps.push(MapSettings::Ao(ao(64, 0.4)));
    let whole = bake(&recipe, &flat(), &[&high]);
    let (mask, map) = (values(&whole, "mask:m"), values(&whole, "ao"));
    assert!(mask.iter().any(|v| *v < 0.7) && mask.contains(&1.0));
    assert!(mask.iter().zip(&map).all(|(a, b)| (a - b).abs() < 1e-6));
    // One fan serves both.
    assert_eq!(whole.report.maps["mask:m"].rays.min(whole.report.maps["ao"].rays), 0);
}

#[test]
fn masks_use_masks_and_pack_into_channels() {
    let x = mask("along x", place([term(Signal::Height { axis: Axis::X }, [0.0, 1.0], [2.0, 2.0])]));
    let low = |name: &str| term(Signal::Mask { mask: name.into() }, [0.0, 1.0], [1.0, 1.0]);
    let z = Term { combine: Combine::And, ..term(Signal::Height { axis: Axis::Z }, [0.0, 1.0], [2.0, 2.0]) };
    let both = mask("both", place([low("along x"), z]));
    let mut recipe = recipe_of(vec![x, both]);
    let packed = PackedSettings { name: "pair".into(), green: Some("both".into()), ..PackedSettings::default() };
    recipe.maps.push(MapSettings::Packed(PackedSettings { alpha: Some("along x".into()), ..packed }));
    let whole = bake(&recipe, &flat(), &[]);
    close(&values(&whole, "mask:both"), |p| p.x * p.z, 1e-5);
    let four = values(&whole, "packed:pair");
    for (t, texels) in four.chunks(4).enumerate() {
        let p = texel(t);
        assert!(texels[0] == 0.0 && texels[2] == 0.0, "a channel without a mask is black");
        assert!((texels[1] - p.x * p.z).abs() < 1e-5 && (texels[3] - p.x).abs() < 1e-5, "at {p}: {texels:?}");
    }
}

fn faults(masks: Vec<Mask>, high: &[&Mesh]) -> Vec<(FindingKind, String)> {
    let scene = BakeScene::new(&[&flat()], high, None).expect("no cage");
    let plan = Plan::new(&recipe_of(masks), &scene).expect("masks do not stop a bake");
    let whole = Whole::of(&run(&plan, 2, &Unwatched).expect("nobody stops it"), 0);
    let of_masks = |kind| matches!(kind, FindingKind::MaskUnusable | FindingKind::MaskEmpty);
    let found = whole.report.findings.into_iter().filter(|f| of_masks(f.kind));
    found.map(|f| (f.kind, format!("{}. {}", f.reason, f.remedy))).collect()
}

#[test]
fn what_cannot_be_made_is_a_finding_with_what_there_is() {
    let one = |signal: Signal| {
        let found = faults(vec![mask("m", place([term(signal, [0.1, 0.2], [1.0, 1.0])]))], &[]);
        assert_eq!(found.len(), 1, "{found:?}");
        assert_eq!(found[0].0, FindingKind::MaskUnusable);
        found[0].1.clone()
    };
    assert_eq!(
        one(Signal::Distance { part: "cap_high".into() }),
        "Mask m cannot be made: there is no part 'cap_high'; the asset has flat_low. Change it at Finish, or leave it out"
    );
    let region = Signal::Region { by: RegionBy::Part, names: vec!["flat_low".into(), "lid".into()] };
    assert!(one(region).contains("there is no part 'lid'"));
    let gone = Signal::Picture { file: "dirt.png".into(), hash: None, channel: PictureChannel::R };
    assert!(one(gone).contains("dirt.png: it was not read; add it again"));
    assert!(one(Signal::Channel { of: Channel::R }).contains("carries no vertex colours"));
    assert!(one(Signal::Mask { mask: "n".into() }).contains("there is no mask 'n'; the recipe has m"));

    let to = |name: &str| place([term(Signal::Mask { mask: name.into() }, [0.0, 1.0], [1.0, 1.0])]);
    let circle = faults(vec![mask("a", to("b")), mask("b", to("c")), mask("c", to("b"))], &[]);
    assert_eq!(circle.len(), 3);
    assert!(circle[0].1.contains("masks lead back to themselves: b uses c uses b. Take one of them out"), "{circle:?}");

    let beyond = place([term(Signal::Height { axis: Axis::X }, [3.0, 3.0], [4.0, 4.0])]);
    let empty = faults(vec![mask("beyond", beyond)], &[]);
    assert_eq!(empty[0].0, FindingKind::MaskEmpty);
    assert!(empty[0].1.starts_with("Mask beyond is black all over"), "{empty:?}");

    let turned = place([term(Signal::Height { axis: Axis::X }, [0.5, 0.6], [0.2, 0.3])]);
    let turned = faults(vec![mask("turned", turned)], &[]);
    assert!(turned[0].1.contains("term 1 has an empty range: from [0.5, 0.6] to [0.2, 0.3]"), "{turned:?}");
}

#[test]
fn the_bytes_do_not_depend_on_threads_and_a_changed_range_traces_nothing() {
    let high = height_field("step", 64, |x, _| if x > 0.5 { 0.2 } else { 0.0 });
    let with = |top: f32| {
        let open = Term {
            break_up: Some(BreakUp { amount: 0.1, pattern: PatternSettings::Noise(NoiseSettings::default()) }),
            ..term(Signal::Occlusion { distance: 0.4 }, [0.0, 0.0], [0.4, top])
        };
        let bends = Term { combine: Combine::Or, ..term(Signal::Curvature { size: 0.05 }, [0.1, 0.2], [1.0, 1.0]) };
        recipe_of(vec![mask("m", PlaceSettings { blur: 0.03, ..place([open, bends]) }), mask("n", place([]))])
    };
    let scene = BakeScene::new(&[&flat()], &[&high], None).expect("no cage");
    let one = values(&bake_scene(&with(0.9), &scene, 1, &Unwatched).expect("not stopped"), "mask:m");
    assert_eq!(one, values(&bake_on(&with(0.9), &flat(), &[&high], 3), "mask:m"));

    let sharp = |top: f32| {
        let mut recipe = with(top);
        recipe.masks[0].place.blur = 0.0;
        recipe
    };
    let kept = Arc::new(KeptTiles::default());
    let proof = |recipe: &Recipe| {
        let plan = Plan::new(recipe, &scene).expect("sound").keeping(&kept);
        Whole::of(&run(&plan, 2, &Unwatched).expect("not stopped"), 0)
    };
    assert!(proof(&sharp(0.9)).report.maps["mask:m"].rays > 0);
    let again = proof(&sharp(0.6));
    assert_eq!((again.report.rays, again.report.maps["mask:m"].rays), (0, 0));
    assert_eq!(values(&again, "mask:m"), values(&bake(&sharp(0.6), &flat(), &[&high]), "mask:m"));
}

/// The value of a place at points of a surface, as a sheet of `size` sees it.
fn at_points(place: &PlaceSettings, low: &Mesh, points: &[MeshPoint], size: u32) -> Vec<f32> {
    let scene = BakeScene::new(&[low], &[], None).expect("no cage");
    let mut recipe = recipe_of(vec![mask("m", place.clone())]);
    recipe.sheet.size = size;
    let plan = Plan::new(&recipe, &scene).expect("sound");
    let setup = plan.setup(&never);
    let placed = Placed::mask("m", &setup, SURVEY_RAYS).expect("it can be made");
    Survey::at(&plan.rays, points).values(&placed, &setup)
}

#[test]
fn no_line_shows_at_a_seam() {
    // Every edge of the cube is a UV seam: the same places as points of both faces.
    let cube = cube("cube_low", 0.5);
    let mut pairs: Vec<(MeshPoint, MeshPoint)> = Vec::new();
    let edge_point = |t: u32, edge: usize, share: f32| match edge {
        0 => MeshPoint::new(t, share, 0.0),
        1 => MeshPoint::new(t, 1.0 - share, share),
        _ => MeshPoint::new(t, 0.0, 1.0 - share),
    };
    let count = cube.triangles.len() as u32;
    for (a, b) in (0..count).flat_map(|a| (a + 1..count).map(move |b| (a, b))) {
        if cube.face_normal(a).dot(cube.face_normal(b)) > 0.5 {
            continue;
        }
        for (one, other) in (0..3).flat_map(|i| (0..3).map(move |j| (i, j))) {
            for share in [0.1, 0.37, 0.5, 0.82] {
                let (p, q) = (edge_point(a, one, share), edge_point(b, other, 1.0 - share));
                if cube.at(p).distance(cube.at(q)) < 1e-6 {
                    pairs.push((p, q));
                }
            }
        }
    }
    assert_eq!(pairs.len(), 12 * 4);
    let (one, other): (Vec<_>, Vec<_>) = pairs.into_iter().unzip();
    let mut worst = (0.0f32, String::new());
    for pattern in PatternSettings::all().into_iter().filter(|p| !matches!(p, PatternSettings::Picture(_))) {
        // These are averaged over the texel as it lies on its face, which is another square on either face of a hard edge: the
        // two agree as texels grow fine.
        let flat = matches!(pattern, PatternSettings::Scratches(_) | PatternSettings::Cells(_));
        let size = if flat { 16_384 } else { SIZE };
        let signal = Signal::Pattern { pattern: pattern.clone() };
        for blur in [0.0, 0.08] {
            let place = PlaceSettings { blur, ..place([term(signal.clone(), [0.0, 1.0], [1.0, 1.0])]) };
            let (a, b) = (at_points(&place, &cube, &one, size), at_points(&place, &cube, &other, size));
            for (a, b) in a.iter().zip(&b) {
                if (a - b).abs() > worst.0 {
                    worst = ((a - b).abs(), format!("{a} and {b}, blur {blur}: {pattern:?}"));
                }
            }
        }
    }
    assert!(worst.0 <= 2.0 / 255.0, "{worst:?}");
}

#[test]
fn a_blur_is_the_mean_within_its_radius() {
    // A straight edge on a flat square, far from its rim: at distance d from it the kernel (1 - r^2)^2 gives its share.
    let radius = 0.1;
    let edge = place([term(Signal::Height { axis: Axis::X }, [0.5, 0.5], [9.0, 9.0])]);
    let found = baked(PlaceSettings { blur: radius, ..edge }, &[]);
    let share = |d: f32| {
        // The part of the disc beyond a chord at -d, by rings.
        let (mut inside, mut all) = (0.0f64, 0.0f64);
        let n = 400;
        for i in 0..n * n {
            let p = vec2((i % n) as f32 + 0.5, (i / n) as f32 + 0.5) / n as f32 * 2.0 - 1.0;
            let weight = f64::from((1.0 - p.length_squared()).max(0.0).powi(2));
            all += weight;
            inside += if p.x * radius + d >= 0.0 { weight } else { 0.0 };
        }
        (inside / all) as f32
    };
    let wanted: Vec<f32> = (0..SIZE).map(|x| share((x as f32 + 0.5) / SIZE as f32 - 0.5)).collect();
    for (t, value) in found.iter().enumerate() {
        let p = texel(t);
        if (0.15..0.85).contains(&p.z) {
            let wanted = wanted[t % SIZE as usize];
            assert!((value - wanted).abs() < 0.04, "at {p}: {value}, not {wanted}");
        }
    }
}

#[test]
fn paint_adds_takes_away_smooths_and_is_mirrored() {
    let stroke = |brush, x: f32, size: f32, mirror| MaskStroke {
        brush,
        size,
        strength: 1.0,
        mirror,
        path: vec![[x, 0.0, 0.5, 1.0]],
    };
    let painted =
        |strokes: Vec<MaskStroke>| baked(place([term(Signal::Paint { strokes }, [0.0, 1.0], [1.0, 1.0])]), &[]);
    let at = |values: &[f32], x: f32| values[(SIZE / 2 * SIZE) as usize + (x * SIZE as f32) as usize];
    let added = painted(vec![stroke(MaskBrush::Add, 0.3, 0.2, None)]);
    assert!(at(&added, 0.3) > 0.99 && at(&added, 0.55) == 0.0, "{} {}", at(&added, 0.3), at(&added, 0.55));
    let both = painted(vec![stroke(MaskBrush::Add, 0.3, 0.2, Some(Axis::X))]);
    assert!((at(&both, 0.3) - at(&both, 0.7)).abs() < 0.02 && at(&both, 0.7) > 0.98);
    let taken = painted(vec![stroke(MaskBrush::Add, 0.3, 0.2, None), stroke(MaskBrush::TakeAway, 0.3, 0.1, None)]);
    assert!(at(&taken, 0.3) < 0.01 && at(&taken, 0.42) > 0.5, "{} {}", at(&taken, 0.3), at(&taken, 0.42));
    let smooth = painted(vec![stroke(MaskBrush::Add, 0.3, 0.2, None), stroke(MaskBrush::Smooth, 0.45, 0.2, None)]);
    // The flank of the stroke is evened out; what lies far from the second stroke stays.
    let steep = |values: &[f32]| (at(values, 0.41) - at(values, 0.47)).abs();
    assert!(steep(&smooth) < steep(&added), "{} {}", steep(&smooth), steep(&added));
    assert_eq!(at(&smooth, 0.15), at(&added, 0.15));
}

#[test]
fn regions_are_picked_by_name_and_by_colour() {
    let left = height_field("left", 8, |_, _| 0.01);
    let mut right = moved(&height_field("right", 8, |_, _| 0.02), vec3(0.5, 0.0, 0.0));
    right.positions.iter_mut().for_each(|p| p.x = 0.5 + (p.x - 0.5) * 0.5);
    let mut left = scaled(&left, 1.0);
    left.positions.iter_mut().for_each(|p| p.x *= 0.5);
    let inside = |by, names: &[&str]| {
        let names = names.iter().map(|n| (*n).to_owned()).collect();
        let found = baked(place([term(Signal::Region { by, names }, [0.5, 0.5], [1.0, 1.0])]), &[&left, &right]);
        [found[SIZE as usize / 4 + 640], found[3 * SIZE as usize / 4 + 640]]
    };
    assert_eq!(inside(RegionBy::Part, &["right"]), [0.0, 1.0]);
    assert_eq!(inside(RegionBy::Part, &["flat_low"]), [1.0, 1.0]);
    let [r, g, b] = colour_of_name("left");
    assert_eq!(inside(RegionBy::Id, &[&format!("#{r:02X}{g:02x}{b:02x}")]), [1.0, 0.0]);
    assert_eq!(inside(RegionBy::Piece, &["left at 0.2 0.0 0.5"]), [1.0, 0.0]);
}

#[test]
fn a_view_tells_shares_by_area_and_what_each_term_sees() {
    let half = term(Signal::Height { axis: Axis::X }, [0.25, 0.25], [OPEN_END; 2]);
    let quarter = Term { combine: Combine::And, ..term(Signal::Height { axis: Axis::Z }, [-OPEN_END; 2], [0.5, 0.5]) };
    let scene = BakeScene::new(&[&flat()], &[], None).expect("no cage");
    let plan = Plan::new(&recipe_of(vec![mask("m", place([half, quarter]))]), &scene).expect("sound");
    let view = plan.mask_view("m", &never).expect("it is there");
    assert_eq!(view.sentence, "Above X 0.25 and below Z 0.5");
    assert!((view.covers.expect("made") - 0.375).abs() < 0.01);
    let covers: Vec<f32> = view.terms.iter().map(|t| t.covers.expect("made")).collect();
    assert!((covers[0] - 0.75).abs() < 0.01 && (covers[1] - 0.5).abs() < 0.01, "{covers:?}");
    let histogram = view.terms[0].histogram.as_ref().expect("made");
    assert!((histogram.bins.iter().sum::<f32>() - 1.0).abs() < 0.01);
    assert!(histogram.met.low >= 0.0 && histogram.met.high <= 1.0 && histogram.range.low > -0.1);
    assert!(plan.mask_view("n", &never).is_none());
    let found = plan.mask_at("m", MeshPoint::new(0, 0.0, 0.0), &never).expect("it is there");
    let [x, _, z] = flat().at(MeshPoint::new(0, 0.0, 0.0)).to_array();
    let signals: Vec<_> = found.terms.iter().map(|t| t.signal).collect();
    assert_eq!(signals, [Some(x), Some(z)]);
    let including = found.terms.iter().map(|t| t.including).collect::<Vec<_>>();
    assert!(including[0].at(x) == 1.0 && including[1].at(z) == 1.0);
    assert!(found.terms[0].leaving_out.at(x) == 0.0 && found.terms[1].leaving_out.at(z) == 0.0);
}

#[test]
fn a_range_grows_to_hold_a_value_and_is_cut_to_leave_one_out() {
    let range = term(Signal::Curvature { size: 0.1 }, [0.2, 0.4], [0.6, 0.7]);
    for value in [-0.9, 0.0, 0.3, 0.5, 0.65, 0.9] {
        let (grown, cut) = (range.including(value), range.leaving_out(value));
        assert_eq!(grown.at(value), 1.0, "{value}");
        assert_eq!(cut.at(value), 0.0, "{value}");
        // Softness is kept, and the ends stay in order.
        for r in [grown, cut] {
            assert!(r.from[0] <= r.from[1] && r.from[1] <= r.to[0] && r.to[0] <= r.to[1], "{value}: {r:?}");
            assert!(
                (r.from[1] - r.from[0] - 0.2).abs() < 1e-5 && (r.to[1] - r.to[0] - 0.1).abs() < 1e-5,
                "{value}: {r:?}"
            );
        }
    }
    // Of a side that stands open the other end is cut.
    let below = term(Signal::Height { axis: Axis::Y }, [-OPEN_END; 2], [2.0, 2.0]);
    assert_eq!((below.leaving_out(-3.0).at(-3.0), below.leaving_out(-3.0).from), (0.0, [-OPEN_END; 2]));
}
