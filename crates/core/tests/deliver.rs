//! Deliveries: names from patterns, what a profile makes of a run, what stands against it, and texels against arithmetic.

use crate::support::*;
use ember_ridge_core::bake::Report;
use ember_ridge_core::deliver::*;
use ember_ridge_core::glam::{Vec3, vec3};
use ember_ridge_core::maps::{Green, MapSettings, Reads, Unit};
use ember_ridge_core::picture::{Coding, Depth, Image, ImageFormat, Pixels, linear_to_srgb, srgb_to_linear};
use ember_ridge_core::sheet::Layout;
use ember_ridge_core::{FindingKind, Severity};
use serde_json::json;

/// The report of a bake of a hollow with these maps, as if all its files had been written.
fn report(ids: &[&str], change: impl Fn(&mut Vec<MapSettings>)) -> Report {
    let mut maps = maps(ids);
    change(&mut maps);
    let mut recipe = recipe(64, 1, (0.2, 0.2), maps);
    recipe.asset = "Garden lamp".into();
    let bumps = height_field("high", 20, |x, z| 0.05 * (6.0 * x).sin() * (5.0 * z).cos());
    let mut report = bake(&recipe, &flat(), &[&bumps]).report;
    for (id, map) in &mut report.maps {
        assert_eq!(map.error, None, "{id}");
        map.file = format!("lamp_{id}.png");
    }
    report
}

fn shipped(name: &str) -> Profile {
    shipped_profiles().into_iter().find(|profile| profile.name == name).expect("it is shipped")
}

fn first() -> DeliveryNames {
    DeliveryNames { version: 1, parts: Vec::new() }
}

fn fields() -> NameFields {
    NameFields {
        asset: "Garden lamp".into(),
        sheet: "glass".into(),
        part: "hood".into(),
        map: "Normal".into(),
        size: 2048,
        tile: "1002".into(),
        version: 7,
    }
}

#[test]
fn names_follow_their_pattern_and_empty_fields_take_their_separators_with_them() {
    let name = |pattern: &str, fields: &NameFields| Pattern::parse(pattern).expect("a pattern").name(fields);
    let all = fields();
    assert_eq!(name("{asset}_{sheet}_{map}.{tile}", &all), "Garden_lamp_glass_Normal.1002");
    assert_eq!(name("{version}/{part}/{map}-{size}", &all), "v007/hood/Normal-2048");
    let bare = NameFields { sheet: String::new(), tile: String::new(), part: String::new(), ..all.clone() };
    assert_eq!(name("{asset}_{sheet}_{map}.{tile}", &bare), "Garden_lamp_Normal");
    assert_eq!(name("{sheet}_{map}", &bare), "Normal");
    assert_eq!(name("{part}/{map}", &bare), "Normal", "a folder without a name is none");
    // What fields hold never leaves the delivery.
    let sly = NameFields { asset: "../..".into(), sheet: "a/b\\c".into(), ..all };
    assert_eq!(name("{asset}/{sheet}/{map}", &sly), "a-b-c/Normal");
    let empty = NameFields::default();
    assert_eq!(name("{asset}{map}", &empty), "unnamed");
}

#[test]
fn patterns_that_make_no_names_are_refused_with_the_reason() {
    let fault = |pattern: &str| Pattern::parse(pattern).expect_err("no pattern").to_string();
    assert!(fault("{asset}_{colour}_{map}").starts_with("{colour} is no field; there are {asset}, {sheet}"));
    assert!(fault("{asset}").contains("lacks {map}"));
    assert!(fault("{asset_{map}").contains("no field") || fault("{asset_{map}").contains("brace"));
    assert!(fault("{map").contains("brace") && fault("map}").contains("brace"));
    assert!(fault("../{map}").contains("folder") && fault("/{map}").contains("folder"));
    assert!(fault("{map}:{asset}").contains("':'"));
}

#[test]
fn profiles_survive_json_and_say_what_is_wrong_with_them() {
    let mut names = Vec::new();
    for profile in shipped_profiles() {
        let text = serde_json::to_string_pretty(&profile).expect("plain data");
        assert_eq!(Profile::from_json(&text).as_ref(), Ok(&profile), "{text}");
        names.push(profile.name);
    }
    assert_eq!(names, ["metal-rough-packed", "separate", "gltf", "film-exr", "painting-16"]);
    let with = |path: &str, value: serde_json::Value| {
        let mut json = serde_json::to_value(shipped("gltf")).expect("plain data");
        *json.pointer_mut(path).expect("it is there") = value;
        Profile::from_json(&json.to_string()).expect_err(path)
    };
    assert!(with("/version", json!(9)).contains("version 9"), "{}", with("/version", json!(9)));
    assert!(with("/pictures/0/depth", json!("32f")).contains("number 1 ('baseColor'): PNG cannot hold 32-bit float"));
    assert!(with("/pictures/0/holds", json!({ "channels": [0.5, 0.5] })).contains("2 channels"));
    assert!(with("/pictures/0/holds", json!({ "channels": [1.5] })).contains("1.5 lies outside"));
    assert!(with("/pattern", json!("{asset}")).contains("lacks {map}"));
    assert!(with("/pictures", json!([])).contains("delivers none"));
    assert!(with("/name", json!("a/b")).contains("a/b"));
    assert!(Profile::from_json("{}").expect_err("no version").contains("no profile"));
    assert!(with("/meshes", json!({ "fbx": true })).contains("fbx"));
}

#[test]
fn a_profile_makes_its_files_of_a_run_and_says_what_the_run_lacks() {
    let report = report(&["normal", "ao", "displacement"], |_| {});
    let delivery = plan_delivery(&shipped("metal-rough-packed"), &report, &first()).expect("valid");
    let names: Vec<&str> = delivery.pictures.iter().map(|picture| picture.file.as_str()).collect();
    assert_eq!(
        names,
        ["Garden_lamp_OcclusionRoughnessMetallic.png", "Garden_lamp_Normal.png", "Garden_lamp_Height.png"]
    );
    let packed = &delivery.pictures[0];
    assert_eq!(packed.channels[1..], [PlannedChannel::Value(0.8), PlannedChannel::Value(0.0)]);
    assert_eq!(packed.encoding, "R = ao, G = 0.8, B = 0");
    assert!(!packed.color);
    let [note] = &delivery.findings[..] else { panic!("{:#?}", delivery.findings) };
    assert_eq!((note.kind, note.severity), (FindingKind::DeliveryFilled, Severity::Note));
    assert!(note.reason.contains("no roughness and no metallic"), "{}", note.reason);
    let height = &delivery.pictures[2];
    let extreme = report.maps["displacement"].extreme.expect("heights have one");
    assert_eq!(height.scale, report.maps["displacement"].scale);
    assert!((height.scale.expect("whole numbers") - 2.0 * extreme).abs() < 1e-6);

    // What is needed and not there is told, with the run's own reason.
    let mut failed = report.clone();
    failed.maps.get_mut("normal").expect("baked").error = Some("the disk was full".into());
    let delivery = plan_delivery(&shipped("painting-16"), &failed, &first()).expect("valid");
    let missing: Vec<_> = delivery.findings.iter().filter(|f| f.kind == FindingKind::DeliveryMissing).collect();
    assert_eq!(missing.len(), 1, "{:#?}", delivery.findings);
    assert!(missing[0].reason.contains("no normal (the disk was full)"), "{}", missing[0].reason);
    assert!(!delivery.pictures.iter().any(|picture| picture.file.contains("normal")));
}

#[test]
fn files_of_one_name_forbid_a_delivery() {
    let mut report = report(&["normal"], |_| {});
    report.recipe.sheet.layout = Layout::Udim;
    report.sheets = vec!["1001".into(), "1002".into()];
    let profile = Profile { pattern: "{asset}_{map}".into(), ..shipped("painting-16") };
    let delivery = plan_delivery(&profile, &report, &first()).expect("valid");
    assert!(delivery.forbidden());
    let clash = &delivery.findings[0];
    assert_eq!(clash.kind, FindingKind::DeliveryClash);
    assert!(clash.reason.contains("Garden_lamp_normal.png") && clash.remedy.contains("{tile}"), "{clash:?}");
    let named = plan_delivery(&shipped("painting-16"), &report, &first()).expect("valid");
    let names: Vec<&str> = named.pictures.iter().map(|picture| picture.file.as_str()).collect();
    assert_eq!(names, ["Garden_lamp_normal.1001.png", "Garden_lamp_normal.1002.png"]);
    // Systems that do not tell large letters from small would lose one too.
    let mut twice = shipped("painting-16");
    twice.pictures =
        vec![twice.pictures[0].clone(), PictureRule { suffix: "NORMAL".into(), ..twice.pictures[0].clone() }];
    report.recipe.sheet.layout = Layout::One;
    report.sheets = vec![String::new()];
    assert!(plan_delivery(&twice, &report, &first()).expect("valid").forbidden());
}

#[test]
fn coarse_files_and_sizes_that_do_not_halve_are_told() {
    let mut report = report(&["displacement"], |_| {});
    let mut profile = shipped("painting-16");
    profile.pictures.retain(|rule| rule.suffix == "displacement");
    profile.pictures[0].depth = Depth::Eight;
    let kinds = |profile: &Profile, report: &Report| -> Vec<FindingKind> {
        plan_delivery(profile, report, &first()).expect("valid").findings.iter().map(|f| f.kind).collect()
    };
    assert_eq!(kinds(&profile, &report), [FindingKind::DeliveryDepth]);
    profile.pictures[0].depth = Depth::Sixteen;
    assert_eq!(kinds(&profile, &report), []);
    profile.most_size = Some(16);
    let delivery = plan_delivery(&profile, &report, &first()).expect("valid");
    assert_eq!((delivery.pictures[0].size, delivery.pictures[0].shrink), (16, 4));
    assert_eq!(delivery.findings, []);
    report.maps.values_mut().for_each(|map| (map.width, map.height) = (34, 34));
    assert_eq!(kinds(&profile, &report), [FindingKind::DeliverySize], "34 halves to 17, and no further");
}

/// A picture of one map that is made smaller.
fn of_map(reads: Reads, channels: usize, shrink: u32) -> PlannedPicture {
    let used = UsedMap { source: 0, reads, channels, floats: false, flat: false, turn_green: false, scale: None };
    PlannedPicture {
        file: "a.png".into(),
        rule: 0,
        sheet: 0,
        size: 2,
        shrink,
        format: ImageFormat::Png,
        depth: Depth::Eight,
        color: false,
        flip_v: false,
        dither: false,
        used: vec![used],
        channels: (0..channels).map(|channel| PlannedChannel::Map { used: 0, channel, invert: false }).collect(),
        encoding: String::new(),
        scale: None,
    }
}

fn row(picture: &PlannedPicture, sources: &[&[f32]]) -> Vec<f32> {
    let mut out = Vec::new();
    Mixer::new(picture).row(sources, &mut out);
    out
}

#[test]
fn packed_channels_are_those_of_their_maps() {
    let share = Reads::Number { unit: Unit::Share, zero: 0.0, span: 1.0 };
    let mut packed = of_map(share, 1, 1);
    packed.used.push(UsedMap { source: 1, reads: Reads::Color, channels: 3, ..packed.used[0] });
    packed.channels = vec![
        PlannedChannel::Map { used: 1, channel: 2, invert: false },
        PlannedChannel::Map { used: 0, channel: 0, invert: true },
        PlannedChannel::Value(0.25),
        PlannedChannel::Map { used: 0, channel: 0, invert: false },
    ];
    let byte = |value: u8| f32::from(value) / 255.0;
    let (grey, color) = ([byte(3), byte(200)], [byte(9), byte(8), byte(7), byte(90), byte(80), byte(70)]);
    let found = row(&packed, &[&grey, &color]);
    let wanted = [byte(7), 1.0 - byte(3), 0.25, byte(3), byte(70), 1.0 - byte(200), 0.25, byte(200)];
    assert_eq!(found, wanted);
    // To the byte, for every byte.
    for value in 0..=255u8 {
        let found = row(&packed, &[&[byte(value); 2], &color]);
        assert_eq!((found[3] * 255.0).round() as u8, value);
        assert_eq!((found[1] * 255.0).round() as u8, 255 - value);
    }
}

#[test]
fn smaller_normals_are_unit_and_green_turns() {
    let tilt = |x: f32, y: f32| (vec3(x, y, 1.0).normalize() * 0.5 + 0.5).to_array();
    let block = [tilt(0.4, 0.2), tilt(-0.1, 0.3), tilt(0.0, 0.0), tilt(0.2, -0.4)];
    // Two texels wide: the second block is the same.
    let rows: Vec<f32> = [block[0], block[1], block[0], block[1], block[2], block[3], block[2], block[3]].concat();
    let mut picture = of_map(Reads::Direction { y: Green::Up }, 3, 2);
    let found = row(&picture, &[&rows]);
    let sum: Vec3 = block.iter().map(|t| Vec3::from(*t) * 2.0 - 1.0).sum();
    let wanted = sum.normalize() * 0.5 + 0.5;
    for texel in found.chunks_exact(3) {
        assert!((Vec3::from_slice(texel) - wanted).length() < 1e-6, "{texel:?} {wanted}");
    }
    picture.used[0].turn_green = true;
    let turned = row(&picture, &[&rows]);
    assert_eq!(turned[0], found[0]);
    assert!((turned[1] - (1.0 - found[1])).abs() < 1e-7);
    // At full size nothing is worked out anew.
    let same = row(&of_map(Reads::Direction { y: Green::Up }, 3, 1), &[&rows[..6]]);
    assert_eq!(same, rows[..6]);
}

#[test]
fn smaller_colours_are_means_of_light_and_regions_keep_theirs() {
    let rows = [0.0, 1.0, 0.2, 0.2, 1.0, 0.0, 0.2, 0.2].map(|v: f32| [v; 3]).concat();
    let mut picture = of_map(Reads::Color, 3, 2);
    let found = row(&picture, &[&rows]);
    assert!((found[0] - linear_to_srgb(0.5)).abs() < 1e-6, "half the light is 0.735, not 0.5: {}", found[0]);
    assert!((found[3] - 0.2).abs() < 1e-6);
    picture.depth = Depth::Float;
    picture.format = ImageFormat::Exr;
    let light = row(&picture, &[&rows]);
    assert!((light[0] - 0.5).abs() < 1e-6 && (light[3] - srgb_to_linear(0.2)).abs() < 1e-6, "{light:?}");
    let regions = [[0.1, 0.0, 0.0], [0.9, 0.0, 0.0], [0.0, 0.5, 0.0], [0.0, 0.5, 0.0]];
    let rows: Vec<f32> =
        [regions[0], regions[1], regions[2], regions[3], regions[1], regions[1], regions[2], regions[0]].concat();
    let mut flat = of_map(Reads::Color, 3, 2);
    flat.used[0].flat = true;
    assert_eq!(row(&flat, &[&rows]), [regions[1], regions[2]].concat());
}

#[test]
fn heights_change_between_scene_units_and_whole_numbers_by_their_scale() {
    let mut whole = of_map(Reads::Height, 1, 1);
    whole.used[0].scale = Some(0.4);
    whole.used[0].floats = true;
    assert_eq!(row(&whole, &[&[0.1, -0.2]]), [0.75, 0.0]);
    let mut floats = of_map(Reads::Height, 1, 1);
    floats.used[0].scale = Some(0.4);
    (floats.format, floats.depth) = (ImageFormat::Exr, Depth::Float);
    let found = row(&floats, &[&[0.75, 0.5]]);
    assert!((found[0] - 0.1).abs() < 1e-7 && found[1] == 0.0, "{found:?}");
    floats.channels = vec![PlannedChannel::Map { used: 0, channel: 0, invert: true }];
    assert!((row(&floats, &[&[0.75, 0.5]])[0] + 0.1).abs() < 1e-7, "a height turns about 0");
}

/// A texture of one colour everywhere.
fn plain(texel: [u8; 4], coding: Coding) -> Option<Image> {
    Some(Image::new(2, 2, 4, Pixels::U8(texel.repeat(4)), coding))
}

#[test]
fn the_lit_model_is_seen_through_glows_and_follows_its_normal_map() {
    const SIDE: u32 = 32;
    let middle = |dress: Dress| {
        let picture = portrait(&flat(), &[dress], &|_| 0, SIDE);
        assert_eq!(picture.len(), 3 * (SIDE * SIDE) as usize);
        assert_eq!(picture[..3], BACKDROP, "beside the model");
        let at = 3 * (SIDE * SIDE / 2 + SIDE / 2) as usize;
        [picture[at], picture[at + 1], picture[at + 2]]
    };
    let base = |opacity: u8| plain([0, 0, 0, opacity], Coding::Srgb);
    let rough = || plain([0, 255, 0, 255], Coding::Linear);
    assert_eq!(middle(Dress { base_color: base(0), packed: rough(), ..Dress::default() }), BACKDROP);
    let glowing =
        Dress { base_color: base(255), packed: rough(), emissive: plain([255, 0, 0, 255], Coding::Srgb), normal: None };
    let [red, green, blue] = middle(glowing);
    assert!(red == 255 && green < 60 && blue < 60, "{red} {green} {blue}");
    // Half of what is behind shows through what is half opaque: as light, not as it is encoded.
    let half = Dress {
        base_color: base(128),
        packed: rough(),
        emissive: plain([255, 255, 255, 255], Coding::Srgb),
        normal: None,
    };
    let seen = srgb_to_linear(f32::from(middle(half)[0]) / 255.0);
    let behind = srgb_to_linear(f32::from(BACKDROP[0]) / 255.0);
    assert!((seen - (0.502 + 0.498 * behind)).abs() < 0.06, "{seen}");
    // A map that says the surface's own normal changes nothing; one that leans towards the light is brighter than one that leans away.
    let white = || plain([255, 255, 255, 255], Coding::Srgb);
    let leaning = |x: u8, y: u8, z: u8| {
        let normal = plain([x, y, z, 255], Coding::Linear);
        middle(Dress { base_color: white(), packed: plain([255, 255, 0, 255], Coding::Linear), normal, emissive: None })
            [1]
    };
    let without =
        middle(Dress { base_color: white(), packed: plain([255, 255, 0, 255], Coding::Linear), ..Dress::default() })[1];
    assert!(leaning(128, 128, 255).abs_diff(without) <= 1);
    let around = [(38, 128), (218, 128), (128, 38), (128, 218)].map(|(x, y)| leaning(x, y, 218));
    // The light comes from -x and +z: from low u and low v, as this sheet's u runs along x and its v against z.
    let [low_u, high_u, low_v, high_v] = around.map(i32::from);
    assert!(low_u > high_u + 10 && low_v > high_v + 25, "{around:?}");
}
