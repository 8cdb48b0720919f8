//! Finishes against arithmetic: what coats set, blends in linear light, who lies where, heights as displacement and as normals, and what
//! cannot be made.

use crate::support::*;
use crate::surfaces::*;
use ember_ridge_core::bake::{Plan, Unwatched, run};
use ember_ridge_core::finish::*;
use ember_ridge_core::glam::{Vec3, vec2, vec3};
use ember_ridge_core::maps::*;
use ember_ridge_core::picture::linear_to_srgb;
use ember_ridge_core::scene::BakeScene;
use ember_ridge_core::surface::Distance;
use ember_ridge_core::{FindingKind, Mesh};

fn encoded(light: Vec3) -> Vec3 {
    light.to_array().map(linear_to_srgb).into()
}

fn check_colors(found: &[Vec3], wanted: impl Fn(Vec3) -> Vec3) {
    for (t, color) in found.iter().enumerate() {
        let wanted = encoded(wanted(texel(t)));
        assert!((*color - wanted).abs().max_element() < 2e-3, "at {}: {color}, not {wanted}", texel(t));
    }
}

#[test]
fn a_ramp_along_an_axis_runs_in_linear_light() {
    let (from, to) = (hex("#101010"), hex("#e04020"));
    let ramp = SetColor::ramp(along_x(0.0, 1.0), [(0.0, from), (1.0, to)]);
    let made = bake(&recipe_of(vec![finish("f", vec![coat("c", color(ramp))])], &["base-color"]), &flat(), &[]);
    check_colors(&colors(&made, "base-color"), |p| from.linear().lerp(to.linear(), p.x));
}

#[test]
fn blends_are_those_of_their_formulas_in_linear_light() {
    let (a, b) = (hex("#b08040"), hex("#3060c0"));
    let base = Base { color: BaseColor::Value(a), ..Base::default() };
    type Of = fn(f32, f32) -> f32;
    let blends: [(Blend, Of); 6] = [
        (Blend::Over, |_, b| b),
        (Blend::Multiply, |a, b| a * b),
        (Blend::Screen, |a, b| a + b - a * b),
        (Blend::Add, |a, b| (a + b).min(1.0)),
        (Blend::Minimum, f32::min),
        (Blend::Maximum, f32::max),
    ];
    for (blend, of) in blends {
        let mut half = coat("c", color(SetColor::to(b).blended(blend)));
        half.amount = 0.5;
        half.place.terms = vec![term(along_x(0.0, 1.0), [0.0, 1.0], [2.0, 2.0])];
        let made = bake(&recipe_of(vec![Finish { base, ..finish("f", vec![half]) }], &["base-color"]), &flat(), &[]);
        let (a, b) = (a.linear(), b.linear());
        let full = Vec3::new(of(a.x, b.x), of(a.y, b.y), of(a.z, b.z));
        // Adding goes beyond white only where all of it is laid on.
        let full = if blend == Blend::Add { a + b } else { full };
        check_colors(&colors(&made, "base-color"), |p| a.lerp(full, 0.5 * p.x).min(Vec3::ONE));
    }
}

#[test]
fn numbers_are_laid_as_colours_are_and_opacity_does_not_darken() {
    let mut worn = coat(
        "worn",
        Sets {
            roughness: Some(SetNumber::to(0.9)),
            metallic: Some(SetNumber::to(1.0)),
            opacity: Some(SetNumber::to(0.25)),
            emission: Some(SetColor { strength: 3.0, ..SetColor::to(hex("#808080")) }),
            ..Sets::default()
        },
    );
    worn.place.terms = vec![term(along_x(0.0, 1.0), [0.0, 1.0], [2.0, 2.0])];
    let base = Base { roughness: 0.1, ..Base::default() };
    let maps = ["base-color", "roughness", "metallic", "opacity", "emission"];
    let made = bake(&recipe_of(vec![Finish { base, ..finish("f", vec![worn]) }], &maps), &flat(), &[]);
    let number = |map: &str, of: fn(f32) -> f32| {
        for (t, value) in values(&made, map).iter().enumerate() {
            let wanted = of(texel(t).x);
            assert!((value - wanted).abs() < 1e-4, "{map} at {}: {value}, not {wanted}", texel(t));
        }
    };
    number("roughness", |x| 0.1 + 0.8 * x);
    number("metallic", |x| x);
    number("opacity", |x| 1.0 - 0.75 * x);
    check_colors(&colors(&made, "base-color"), |_| hex("#808080").linear());
    check_colors(&colors(&made, "emission"), |p| hex("#808080").linear() * 3.0 * p.x);
}

#[test]
fn muted_coats_are_left_out_and_solo_ones_stand_alone() {
    let one = |name: &str, value: &str| coat(name, color(SetColor::to(hex(value))));
    let shown = |coats: Vec<Coat>| {
        let made = bake(&recipe_of(vec![finish("f", coats)], &["base-color"]), &flat(), &[]);
        colors(&made, "base-color")[0]
    };
    let mut coats = vec![one("red", "#ff0000"), one("green", "#00ff00"), one("blue", "#0000ff")];
    assert_eq!(shown(coats.clone()).round(), Vec3::Z);
    coats[2].muted = true;
    assert_eq!(shown(coats.clone()).round(), Vec3::Y);
    coats[0].solo = true;
    assert_eq!(shown(coats.clone()).round(), Vec3::X);
    coats.swap(0, 2);
    coats[2].solo = false;
    assert_eq!(shown(coats).round(), Vec3::X, "the order is from the ground up");
}

#[test]
fn the_last_finish_given_to_a_place_counts_and_the_rest_stays_as_it_is() {
    let (left, right) = (height_field("left_low", 1, |_, _| 0.0), height_field("right_low", 1, |_, _| 0.0));
    let halves = [(left, 0.0), (right, 0.5)]
        .map(|(mesh, at)| with_uvs(&mesh, |uv| uv * vec2(0.5, 0.5) + at * Vec3::X.truncate()));
    let red =
        Finish { base: Base { color: BaseColor::Value(hex("#ff0000")), ..Base::default() }, ..finish("red", vec![]) };
    let blue = Finish {
        base: Base { color: BaseColor::Value(hex("#0000ff")), ..Base::default() },
        on: FinishOn::Parts(vec!["right_low".into()]),
        ..finish("blue", vec![])
    };
    let scene = BakeScene::new(&[&halves[0], &halves[1]], &[], None).expect("no cage");
    let of = |finishes: Vec<Finish>| {
        let whole = bake_scene(&recipe_of(finishes, &["base-color"]), &scene, 1, &Unwatched).expect("nobody stops it");
        let all = colors(&whole, "base-color");
        let row = SIZE as usize * 48;
        let clean = |at: usize| (all[at] * 255.0).round() / 255.0;
        (clean(row + 8), clean(row + 40))
    };
    assert_eq!(of(vec![red.clone(), blue.clone()]), (Vec3::X, Vec3::Z));
    assert_eq!(of(vec![blue.clone(), red]), (Vec3::X, Vec3::X));
    // Nothing is given to the left half: mid-grey, as it carries no colour.
    let grey = encoded(hex("#808080").linear());
    let (left, right) = of(vec![blue]);
    assert!((left - grey).abs().max_element() < 4e-3 && right == Vec3::Z, "{left} {right}");
}

#[test]
fn heights_bend_the_normal_as_the_displacement_rises() {
    let mut recipe = recipe_of(vec![relief()], &["normal", "displacement", "height"]);
    recipe.sheet.size = 256;
    let n = 256i32;
    // On the low-poly by itself, and on a sculpt that has relief of its own.
    let bowl = height_field("flat_high", 96, |x, z| 0.06 * (6.0 * x).sin() * (5.0 * z).cos());
    for high in [vec![], vec![&bowl]] {
        let made = bake(&recipe, &flat(), &high);
        let (heights, normals) = (values(&made, "displacement"), values(&made, "normal"));
        let at = |x: i32, y: i32| heights[(y * n + x) as usize];
        let (mut worst, mut bent) = (0.0f32, 0.0f32);
        for y in 1..n - 1 {
            for x in 1..n - 1 {
                let rise = |a: f32, b: f32| 0.5 * (b - a) * n as f32;
                let (dx, dy) = (rise(at(x - 1, y), at(x + 1, y)), rise(at(x, y - 1), at(x, y + 1)));
                // Tangent space: x along u, y along v, which runs against the rows.
                let wanted = vec3(-dx, dy, 1.0).normalize();
                let t = (y * n + x) as usize * 3;
                let found = decode_normal([normals[t], normals[t + 1], normals[t + 2]], Green::Up);
                bent = bent.max(found.angle_between(Vec3::Z).to_degrees());
                // A sculpt of triangles is smooth-shaded: its own edges are not the finish's.
                let edge = high.len() as f32 * 1.0;
                worst = worst.max(found.angle_between(wanted).to_degrees() - edge);
            }
        }
        assert!(bent > 10.0, "it is hardly bent: {bent}");
        assert!(worst < 1.0, "{worst} degrees off");
    }
}

#[test]
fn a_height_by_itself_is_the_displacement_without_a_sculpt() {
    let made = bake(&recipe_of(vec![relief()], &["displacement", "height"]), &flat(), &[]);
    assert_eq!(values(&made, "displacement"), values(&made, "height"));
}

#[test]
fn patterns_lie_on_the_texture_uvs_and_repeat_there() {
    let noise = |space| NoiseSettings { space, size: 0.25, seed: 3, ..NoiseSettings::default() };
    let checker = |space, size| CheckerSettings { space, size, ..CheckerSettings::default() };
    let heights = |low: &Mesh, pattern: PatternSettings| {
        let laid = coat("laid", height(SetNumber::ramp(Signal::Pattern { pattern }, [(0.0, 0.0), (1.0, 1.0)])));
        values(&bake(&recipe_of(vec![finish("laid", vec![laid])], &["height"]), low, &[]), "height")
    };
    let plain = flat();
    // Four times as dense as the sheet, turned, and beyond the square.
    let tiled = Mesh { texture_uvs: plain.uvs.iter().map(|uv| vec2(4.0 * uv.y + 2.0, 4.0 * uv.x)).collect(), ..flat() };
    let near = |a: &[f32], b: &[f32]| a.iter().zip(b).all(|(a, b)| (a - b).abs() < 1e-4);
    let over = |low, space, size| heights(low, PatternSettings::Checker(checker(space, size)));
    let squares = over(&plain, Space::Uv, 0.125);
    assert!(squares.iter().any(|v| *v > 0.9) && squares.iter().any(|v| *v < 0.1));
    assert!(near(&over(&tiled, Space::TextureUv, 0.5), &squares), "as large as their own square says");
    assert_eq!(over(&tiled, Space::Uv, 0.125), squares, "the sheet's stay");
    assert_eq!(over(&plain, Space::TextureUv, 0.125), squares, "there are no others");
    let rough = heights(&tiled, PatternSettings::Noise(noise(Space::TextureUv)));
    let side = SIZE as usize;
    let back = |t: usize| (t / side + side / 4) % side * side + t % side;
    let repeated: Vec<f32> = (0..side * side).map(|t| rough[back(t)]).collect();
    assert!(near(&rough, &repeated), "it repeats from square to square");
    let turned: Vec<f32> = (0..side * side).map(|t| rough[t % side * side + t / side]).collect();
    assert!(!near(&rough, &turned));
}

/// Dunes, eased between crests and troughs, as a finish and as a sculpt.
const CRESTS: usize = 14;

fn dune(x: f32) -> f32 {
    let (at, t) = ((x * CRESTS as f32).floor(), (x * CRESTS as f32).fract());
    let eased = t * t * (3.0 - 2.0 * t);
    0.06 * if (at as usize).is_multiple_of(2) { eased } else { 1.0 - eased }
}

#[test]
fn occlusion_with_detail_is_that_of_the_same_detail_in_geometry() {
    let stops: Vec<(f32, f32)> = (0..=CRESTS).map(|i| (i as f32 / CRESTS as f32, 0.06 * (i % 2) as f32)).collect();
    let mut set = SetNumber::ramp(along_x(0.0, 1.0), stops);
    set.ramp.iter_mut().for_each(|ramp| ramp.smooth = true);
    let dunes = coat("dunes", height(set));
    let ao =
        AoSettings { detail: true, distance: Distance::Units(0.2), rays: Rays::Fixed(256), ..AoSettings::default() };
    let mut recipe = recipe_of(vec![finish("f", vec![dunes])], &["ao"]);
    recipe.sheet.size = 256;
    recipe.maps = vec![MapSettings::Ao(ao)];
    let by_finish = values(&bake(&recipe, &flat(), &[]), "ao");
    recipe.finishes.clear();
    let sculpt = height_field("flat_high", 504, |x, _| dune(x));
    let modelled = values(&bake(&recipe, &flat(), &[&sculpt]), "ao");
    // Columns far from the rim: there both see dunes on all sides. Rays of one texel are few: rows are averaged.
    let column = |all: &[f32], x: usize| (64..192).map(|y| all[y * 256 + x]).sum::<f32>() / 128.0;
    let (mut worst, mut dark) = (0.0f32, 1.0f32);
    for x in 64..192 {
        let (a, b) = (column(&by_finish, x), column(&modelled, x));
        worst = worst.max((a - b).abs());
        dark = dark.min(b);
    }
    assert!(dark < 0.75, "the dunes hardly darken: {dark}");
    assert!(worst < 0.03, "{worst} apart");
}

#[test]
fn tiles_and_threads_do_not_show() {
    let mut recipe = recipe_of(vec![relief()], &["normal", "base-color", "height"]);
    recipe.sheet.size = 96;
    recipe.sheet.samples = 4;
    assert!(bake_on(&recipe, &flat(), &[], 1).maps == bake_on(&recipe, &flat(), &[], 3).maps);
}

#[test]
fn a_missing_picture_shows_stripes_and_one_lost_coat_leaves_the_others() {
    let lost = PicturePatternSettings {
        picture: Some(ember_ridge_core::picture::PictureSource { file: "wood.png".into(), hash: None }),
        size: 0.5,
        ..PicturePatternSettings::default()
    };
    let pictured = coat("wood", color(SetColor { picture: Some(lost), ..SetColor::default() }));
    let mut unplaced = coat("soot", color(SetColor::to(hex("#000000"))));
    unplaced.place.terms = vec![term(Signal::Distance { part: "chimney".into() }, [0.0, 0.0], [0.1, 0.2])];
    let recipe = recipe_of(vec![finish("f", vec![pictured, unplaced])], &["base-color"]);
    let scene = BakeScene::new(&[&flat()], &[], None).expect("no cage");
    let plan = Plan::new(&recipe, &scene).expect("sound");
    let told: Vec<(FindingKind, String)> = plan.findings.iter().map(|f| (f.kind, f.reason.clone())).collect();
    let has = |kind: FindingKind, text: &str| told.iter().any(|(k, words)| *k == kind && words.contains(text));
    assert!(has(FindingKind::FinishPicture, "wood.png: it was not read"), "{told:?}");
    assert!(has(FindingKind::FinishUnusable, "Coat soot of f cannot be made: there is no part 'chimney'"), "{told:?}");
    let made = Whole::of(&run(&plan, 1, &Unwatched).expect("nobody stops it"), 0);
    let seen = colors(&made, "base-color");
    // Ember on one stripe, ash on the next, black nowhere.
    assert!(seen.iter().all(|c| c.x > 0.5));
    let (least, most) = seen.iter().fold((1.0f32, 0.0f32), |(a, b), c| (a.min(c.z), b.max(c.z)));
    assert!(least < 0.2 && most > 0.7, "{least} to {most}");
}

#[test]
fn a_number_whose_picture_is_missing_stays_as_it_is_below() {
    let lost = PicturePatternSettings {
        picture: Some(ember_ridge_core::picture::PictureSource { file: "grain.png".into(), hash: None }),
        ..PicturePatternSettings::default()
    };
    let rough = Sets { roughness: Some(SetNumber { picture: Some(lost), ..SetNumber::default() }), ..Sets::default() };
    let base = Base { roughness: 0.7, ..Base::default() };
    let finish = Finish { base, ..finish("f", vec![coat("grain", rough)]) };
    let made = bake(&recipe_of(vec![finish], &["roughness"]), &flat(), &[]);
    assert!(values(&made, "roughness").iter().all(|v| (v - 0.7).abs() < 1e-6));
}

#[test]
fn sentences_tell_what_a_coat_sets_and_where() {
    let mut dust = coat("dust", color(SetColor::to(hex("#b9a98a"))));
    dust.sets.height = Some(SetNumber::to(0.002).blended(Blend::Add));
    dust.sets.metallic = Some(SetNumber::to(0.0));
    dust.amount = 0.6;
    dust.place.terms = vec![term(Signal::Facing { direction: [0.0, 1.0, 0.0] }, [0.5, 0.8], [1.0, 1.0])];
    assert_eq!(dust.sentence(), "Colour #b9a98a, not metal, raised by 0.002; facing up within 49°; at 60 %");
    let before = finish("f", vec![dust.clone()]);
    let mut after = before.clone();
    after.coats[0].amount = 0.3;
    after.coats.push(coat("soot", color(SetColor::to(hex("#111111")))));
    assert_eq!(finishes_changed(&[before], &[after]), ["coat dust of f: at 30 %", "coat soot of f added"]);
}

#[test]
fn settings_out_of_range_name_themselves() {
    let fault = |change: fn(&mut Finish)| {
        let mut own = relief();
        change(&mut own);
        own.validate().expect_err("it is out of range")
    };
    assert_eq!(fault(|f| f.coats[1].name = "waves".into()), "finish 'relief' names the coat 'waves' twice; rename one");
    assert!(fault(|f| f.coats[0].amount = 2.0).contains("coat 'waves': amount is 2; give 0 to 1"));
    assert!(fault(|f| f.coats[0].sets.height = Some(SetTo::default())).contains("height needs one of value, ramp"));
    assert!(fault(|f| f.coats[0].sets.roughness = Some(SetNumber::to(-1.0))).contains("roughness is -1; give 0 to 1"));
    assert!(serde_json::from_str::<Color>("\"red\"").is_err_and(|e| e.to_string().contains("write it as \"#rrggbb\"")));
}

/// A sculpt of two materials and of two vertex colours that part it the other way.
#[test]
fn finishes_are_given_by_material_and_by_id_with_or_without_an_id_map() {
    let mut sculpt = height_field("sculpt_high", 2, |_, _| 0.01);
    let middle = |corners: [u32; 3]| corners.map(|v| sculpt.positions[v as usize]).iter().sum::<Vec3>() / 3.0;
    let left: Vec<bool> = sculpt.triangles.iter().map(|corners| middle(*corners).x < 0.5).collect();
    sculpt.materials = vec!["iron".into(), "glass".into()];
    sculpt.triangle_materials = left.iter().map(|left| u32::from(!left)).collect();
    let near = |p: &Vec3| if p.z < 0.25 { [10, 200, 30] } else { [200, 20, 30] };
    sculpt.colors = sculpt.positions.iter().map(near).collect();
    let given = |on: FinishOn| Finish { on, ..finish("f", vec![coat("c", color(SetColor::to(hex("#ff0000"))))]) };
    let red = |on: FinishOn, maps: Vec<MapSettings>| {
        let mut recipe = recipe_of(vec![given(on)], &["base-color"]);
        recipe.maps.extend(maps);
        let made = bake(&recipe, &flat(), &[&sculpt]);
        assert!(
            made.report.findings.iter().all(|f| f.kind != FindingKind::FinishUnusable),
            "{:?}",
            made.report.findings
        );
        colors(&made, "base-color").into_iter().map(|c| c.x > 0.9 && c.y < 0.1).collect::<Vec<bool>>()
    };
    let on_left = red(FinishOn::Materials(vec!["iron".into()]), vec![]);
    assert!(on_left.iter().enumerate().all(|(t, red)| (texel(t).x - 0.5).abs() < 0.05 || *red == (texel(t).x < 0.5)));
    // By colour without an ID map, and by the one that is set up.
    let by_color = FinishOn::Ids(vec!["#0ac81e".into()]);
    let found = red(by_color.clone(), vec![]);
    let id = MapSettings::Id(IdSettings { from: IdSource::Color });
    assert_eq!(found, red(by_color, vec![id]));
    let share = found.iter().filter(|red| **red).count() as f32 / found.len() as f32;
    assert!((0.2..0.3).contains(&share), "{share}");
    let by_name = red(FinishOn::Ids(vec!["glass".into()]), vec![]);
    assert!(by_name.iter().zip(&on_left).all(|(glass, iron)| glass != iron));
}
