//! Mends against arithmetic: what each tool makes of a map whose every texel is known, on a square where the way along the surface is
//! the straight one. Heights are baked as floats, so that values are lengths.

use crate::support::*;
use ember_ridge_core::bake::{Layer, Plan, Unwatched, run};
use ember_ridge_core::glam::{Vec3, vec3};
use ember_ridge_core::maps::{Green, decode_normal};
use ember_ridge_core::mend::{MapTexels, Mend, MendMap, MendScene, MendTool};
use ember_ridge_core::picture::{Depth, ImageFormat};
use ember_ridge_core::recipe::Recipe;
use ember_ridge_core::scene::BakeScene;
use ember_ridge_core::{FindingKind, Mesh, changes};
use std::collections::BTreeMap;

const SIZE: u32 = 128;

/// Heights of a sculpt over the square, all different.
fn waves(x: f32, z: f32) -> f32 {
    0.02 * (17.0 * x).sin() + 0.015 * (23.0 * z + 4.0 * x).cos()
}

fn mend(tool: MendTool, maps: &[&str], size: f32, path: &[[f32; 2]]) -> Mend {
    Mend {
        tool,
        maps: maps.iter().map(|map| (*map).to_owned()).collect(),
        size,
        strength: 1.0,
        value: None,
        color: None,
        from: None,
        path: path.iter().map(|[x, z]| [*x, 0.0, *z, 1.0]).collect(),
        beneath: BTreeMap::new(),
    }
}

/// A bake of maps as floats.
fn floats(names: &[&str]) -> Recipe {
    let mut recipe = recipe(SIZE, 1, (0.1, 0.1), maps(names));
    recipe.sheet.format = ImageFormat::Exr;
    recipe.sheet.depth = Depth::Float;
    recipe
}

fn mended(recipe: &Recipe, high: &Mesh, mends: Vec<Mend>) -> Whole {
    let mut recipe = recipe.clone();
    recipe.mends.strokes = mends;
    bake(&recipe, &flat(), &[high])
}

/// What a brush weighs at a distance: flat at its middle and at its edge.
fn weight(distance: f32, size: f32) -> f32 {
    let x = distance / size;
    if x >= 1.0 { 0.0 } else { (1.0 - x * x).powi(2) }
}

/// Holds every texel against what it should be by its place, and counts those that a brush about `middle` changes.
fn each_texel(
    (before, after): (&[f32], &[f32]),
    (middle, size): (Vec3, f32),
    want: impl Fn(usize, Vec3, f32) -> f32,
) -> usize {
    let mut count = 0;
    for t in 0..(SIZE * SIZE) as usize {
        let at = texel_of_flat(t, SIZE);
        let weight = weight(at.distance(middle), size);
        if weight == 0.0 {
            assert_eq!(before[t].to_bits(), after[t].to_bits(), "texel {t} lies outside of the brush");
            continue;
        }
        count += 1;
        let want = want(t, at, weight);
        assert!((after[t] - want).abs() < 2e-5, "texel {t} at {at}: {}, not {want}", after[t]);
    }
    count
}

#[test]
fn set_moves_heights_to_a_value_by_the_weight_of_the_brush() {
    let high = height_field("waves", 96, waves);
    let recipe = floats(&["displacement"]);
    let before = values(&mended(&recipe, &high, Vec::new()), "displacement");
    let (middle, size) = (vec3(0.4, 0.0, 0.55), 0.2);
    let set = |strength| Mend {
        value: Some(0.05),
        strength,
        ..mend(MendTool::Set, &["displacement"], size, &[[middle.x, middle.z]])
    };
    for strength in [1.0, 0.25] {
        let after = values(&mended(&recipe, &high, vec![set(strength)]), "displacement");
        let want = |t: usize, _, weight: f32| before[t] + (0.05 - before[t]) * weight * strength;
        let count = each_texel((&before, &after), (middle, size), want);
        let disc = std::f32::consts::PI * (size * SIZE as f32).powi(2);
        assert!((count as f32 - disc).abs() < 0.02 * disc, "{count} texels, not {disc}");
    }
    // One after the other: the second finds what the first left.
    let after = values(&mended(&recipe, &high, vec![set(0.5), set(0.5)]), "displacement");
    each_texel((&before, &after), (middle, size), |t, _, weight| {
        let once = before[t] + (0.05 - before[t]) * weight * 0.5;
        once + (0.05 - once) * weight * 0.5
    });
}

#[test]
fn clone_takes_what_lies_as_far_from_its_source() {
    let high = height_field("waves", 96, waves);
    let recipe = floats(&["displacement"]);
    let before = values(&mended(&recipe, &high, Vec::new()), "displacement");
    // A quarter of the square away: 32 texels, so that texels meet texels.
    let clone = Mend { from: Some([0.7, 0.0, 0.5]), ..mend(MendTool::Clone, &["displacement"], 0.15, &[[0.45, 0.5]]) };
    let after = values(&mended(&recipe, &high, vec![clone]), "displacement");
    each_texel((&before, &after), (vec3(0.45, 0.0, 0.5), 0.15), |t, _, weight| {
        before[t] + (before[t + SIZE as usize / 4] - before[t]) * weight
    });
}

#[test]
fn smooth_evens_out_and_keeps_the_mean() {
    let high = height_field("rough", 128, |x, z| 0.01 * ((x * 250.0).sin() * (z * 250.0).cos()) + 0.1 * x);
    let recipe = floats(&["displacement"]);
    let path: Vec<[f32; 2]> = (0..=8).map(|n| [0.3 + 0.05 * n as f32, 0.5]).collect();
    let before = values(&mended(&recipe, &high, Vec::new()), "displacement");
    let after =
        values(&mended(&recipe, &high, vec![mend(MendTool::Smooth, &["displacement"], 0.15, &path)]), "displacement");
    // What is left of the slope of 0.1 in the middle of the stroke, and of what stood on it.
    let inner: Vec<usize> = (0..(SIZE * SIZE) as usize)
        .filter(|t| {
            let at = texel_of_flat(*t, SIZE);
            (0.4..0.6).contains(&at.x) && (at.z - 0.5).abs() < 0.02
        })
        .collect();
    let rough = |values: &[f32]| {
        let off = inner.iter().map(|t| (values[*t] - 0.1 * texel_of_flat(*t, SIZE).x).powi(2)).sum::<f32>();
        (off / inner.len() as f32).sqrt()
    };
    assert!(rough(&before) > 0.003, "{}", rough(&before));
    assert!(rough(&after) < 0.15 * rough(&before), "{} of {}", rough(&after), rough(&before));
    // A plane is its own mean.
    let plane = height_field("plane", 1, |_, _| 0.03);
    let flat =
        values(&mended(&recipe, &plane, vec![mend(MendTool::Smooth, &["displacement"], 0.15, &path)]), "displacement");
    assert!(flat.iter().all(|h| (h - 0.03).abs() < 1e-6));
}

#[test]
fn smudge_drags_a_step_along_the_stroke_and_leaves_the_rest() {
    let step = |x: f32| if x < 0.4 { 0.05 } else { 0.0 };
    let high = height_field("step", 200, |x, _| step(x));
    let recipe = floats(&["displacement"]);
    let path: Vec<[f32; 2]> = (0..=20).map(|n| [0.3 + 0.015 * n as f32, 0.5]).collect();
    let before = values(&mended(&recipe, &high, Vec::new()), "displacement");
    let after =
        values(&mended(&recipe, &high, vec![mend(MendTool::Smudge, &["displacement"], 0.08, &path)]), "displacement");
    let at = |values: &[f32], x: f32, z: f32| {
        values[(z * SIZE as f32) as usize * SIZE as usize + (x * SIZE as f32) as usize]
    };
    assert!(at(&before, 0.5, 0.5).abs() < 1e-6 && at(&after, 0.5, 0.5) > 0.04, "{}", at(&after, 0.5, 0.5));
    assert!(at(&after, 0.5, 0.6).abs() < 1e-6, "beside the stroke");
    assert!(at(&after, 0.75, 0.5).abs() < 1e-6, "beyond its end");
}

#[test]
fn directions_stay_directions() {
    let high = height_field("waves", 96, waves);
    let names = ["normal", "normal-object", "bent-normal"];
    let mut recipe = recipe(SIZE, 1, (0.1, 0.1), maps(&names));
    recipe.sheet.depth = Depth::Sixteen;
    let path = [[0.3, 0.3], [0.6, 0.6]];
    let clone = Mend { from: Some([0.3, 0.0, 0.8]), ..mend(MendTool::Clone, &names, 0.2, &path) };
    let before = mended(&recipe, &high, Vec::new());
    for stroke in [
        mend(MendTool::Set, &names, 0.2, &path),
        clone,
        mend(MendTool::Smooth, &names, 0.2, &path),
        mend(MendTool::Smudge, &names, 0.2, &path),
    ] {
        let after = mended(&recipe, &high, vec![stroke.clone()]);
        for name in names {
            let (old, new) = (values(&before, name), values(&after, name));
            let changed = old.chunks(3).zip(new.chunks(3)).filter(|(a, b)| a != b).count();
            assert!(changed > 500, "{name}: {:?} changed {changed} texels", stroke.tool);
            for texel in new.chunks(3) {
                let n = Vec3::from_slice(texel) * 2.0 - 1.0;
                assert!((n.length() - 1.0).abs() < 1e-3, "{name}: {:?} left a length of {}", stroke.tool, n.length());
                let up = if name == "normal-object" { n.y } else { n.z };
                assert!(up > 0.0, "{name}: {:?} turned a direction into the surface", stroke.tool);
            }
        }
        if stroke.tool == MendTool::Set {
            let middle = (0.45 * SIZE as f32) as usize * (SIZE as usize + 1);
            let n = |name: &str| {
                let all = values(&after, name);
                decode_normal([all[middle * 3], all[middle * 3 + 1], all[middle * 3 + 2]], Green::Up)
            };
            assert!(n("normal").dot(Vec3::Z) > 0.9999 && n("normal-object").dot(Vec3::Y) > 0.9999);
        }
    }
}

/// A detail of one face of a cube cloned onto another stands there as it stood: turned with the face, whatever way its UVs run.
#[test]
fn a_clone_onto_another_face_is_turned_with_the_surface() {
    let low = cube("box", 0.5);
    // The sculpt's upper face leans towards +x; the others are the low-poly's own.
    let lean = 0.2f32;
    let mut high = cube("box", 0.5);
    for (position, normal) in high.positions.iter().zip(&mut high.normals) {
        if normal.y > 0.9 && position.y > 0.4 {
            *normal = vec3(lean.sin(), lean.cos(), 0.0);
        }
    }
    let mut recipe = recipe(256, 1, (0.05, 0.05), maps(&["normal-object", "normal"]));
    recipe.sheet.depth = Depth::Sixteen;
    let maps = vec!["normal-object".to_owned(), "normal".to_owned()];
    let stroke = Mend {
        maps,
        size: 0.3,
        from: Some([0.0, 0.5, 0.0]),
        path: vec![[0.5, 0.0, 0.0, 1.0]],
        ..mend(MendTool::Clone, &[], 0.3, &[])
    };
    recipe.mends.strokes = vec![stroke];
    let baked = bake(&recipe, &low, &[&high]);
    // The middle of the island of +x: the first of the layout.
    let uv = [0.02 + 0.145, 0.02 + 0.23];
    let texel = ((1.0 - uv[1]) * 256.0) as usize * 256 + (uv[0] * 256.0) as usize;
    let all = values(&baked, "normal-object");
    let n = decode_normal([all[texel * 3], all[texel * 3 + 1], all[texel * 3 + 2]], Green::Up);
    // The shortest turn from +y to +x takes +x to -y: what leaned towards +x leans towards -y.
    let want = vec3(lean.cos(), -lean.sin(), 0.0);
    assert!(n.dot(want) > 0.9995, "{n}, not {want}");
    // The tangent-space map says the same, read with the low-poly's frame.
    let scene = BakeScene::new(&[&low], &[&high], None).expect("no cage");
    let all = values(&baked, "normal");
    let own = decode_normal([all[texel * 3], all[texel * 3 + 1], all[texel * 3 + 2]], Green::Up);
    let on_x = (0..low.triangles.len() as u32).find(|t| low.face_normal(*t).x > 0.9).expect("a face");
    let frame = scene.low.frame(ember_ridge_core::surface::MeshPoint::new(on_x, 0.3, 0.3)).expect("UVs");
    assert!((frame * own).normalize().dot(want) > 0.9995, "{own}");
}

#[test]
fn colours_that_stand_for_parts_are_set_and_never_mixed() {
    let mut recipe = recipe(SIZE, 4, (0.1, 0.1), maps(&["id"]));
    let high = height_field("waves", 8, waves);
    let set = Mend {
        color: Some("#123456".to_owned().try_into().expect("a colour")),
        ..mend(MendTool::Set, &["id"], 0.2, &[[0.5, 0.5]])
    };
    let before = values(&mended(&recipe, &high, Vec::new()), "id");
    let after = values(&mended(&recipe, &high, vec![set]), "id");
    let bytes = |texel: &[f32]| [0, 1, 2].map(|c| (texel[c] * 255.0).round() as u8);
    let own = bytes(&before[..3]);
    let mut seen = [0; 2];
    for texel in after.chunks(3) {
        let color = bytes(texel);
        assert!(color == own || color == [0x12, 0x34, 0x56], "{color:?}");
        seen[usize::from(color != own)] += 1;
    }
    assert!(seen[1] > 500, "{seen:?}");
    recipe.mends.strokes = vec![mend(MendTool::Smooth, &["id"], 0.2, &[[0.5, 0.5]])];
    let why = recipe.validate_settings().expect_err("it would mix them");
    assert!(why.starts_with("mends.strokes: number 1: \"smooth\" would mix the colours of id"), "{why}");
}

#[test]
fn strokes_that_make_no_sense_are_refused_by_number_and_field() {
    let good = Mend { value: Some(0.5), ..mend(MendTool::Set, &["ao"], 0.2, &[[0.5, 0.5]]) };
    let refused = |bad: Mend, says: &str| {
        let mut recipe = recipe(64, 1, (0.1, 0.1), maps(&["ao", "id"]));
        recipe.mends.strokes = vec![good.clone(), bad];
        let why = recipe.validate_settings().expect_err(says);
        assert!(why.starts_with("mends.strokes: number 2: ") && why.contains(says), "{why}");
    };
    refused(Mend { size: -1.0, ..good.clone() }, "size is -1");
    refused(Mend { strength: 2.0, ..good.clone() }, "strength is 2");
    refused(Mend { maps: Vec::new(), ..good.clone() }, "maps is empty");
    refused(Mend { path: Vec::new(), ..good.clone() }, "path has 0 points");
    refused(Mend { path: vec![[f32::NAN, 0.0, 0.0, 1.0]], ..good.clone() }, "path holds");
    refused(Mend { value: None, ..good.clone() }, "ao holds numbers; give a value in share");
    refused(Mend { value: Some(f32::INFINITY), ..good.clone() }, "value is not a number");
    refused(Mend { maps: vec!["id".into()], ..good.clone() }, "id holds colours");
    refused(Mend { from: Some([0.0; 3]), ..good.clone() }, "from is for \"clone\" only");
    refused(Mend { tool: MendTool::Clone, value: None, ..good.clone() }, "\"clone\" needs a place");
    refused(Mend { tool: MendTool::Smooth, ..good.clone() }, "value and color are for \"set\" only");
    // A map that the recipe does not make is passed over.
    let mut recipe = recipe(64, 1, (0.1, 0.1), maps(&["normal"]));
    recipe.mends.strokes = vec![good];
    assert_eq!(recipe.validate_settings(), Ok(()));
}

/// The texels of a finished map, for what is remembered of it.
struct Finished(Vec<f32>);

impl MapTexels for Finished {
    fn tile(&self, _: usize, tile: usize) -> Result<Vec<f32>, String> {
        let tile = ember_ridge_core::sheet::tiles_in_morton_order(SIZE)[tile];
        Ok((0..tile.texels()).map(|t| self.0[tile.texel_on_sheet(t, SIZE) as usize]).collect())
    }

    fn covers(&self, _: usize, _: usize) -> bool {
        true
    }
}

#[test]
fn what_changed_beneath_a_mend_is_told_and_nothing_else() {
    let high = height_field("waves", 96, waves);
    let mut recipe = sixteen(SIZE, 0.1, maps(&["displacement"]));
    recipe.sheet.format = ImageFormat::Exr;
    recipe.sheet.depth = Depth::Float;
    let base = values(&mended(&recipe, &high, Vec::new()), "displacement");
    let (low, scene) = (flat(), BakeScene::new(&[&flat()], &[&high], None).expect("no cage"));
    let plan = Plan::new(&recipe, &scene).expect("sound");
    let mends = MendScene::new(&scene, &plan.rays.sheets, recipe.sheet.layout);
    let map = MendMap::new(&recipe.maps[0], scene.diagonal(), None, Some(0.035));
    let mut stroke =
        Mend { value: Some(0.0), ..mend(MendTool::Set, &["displacement"], 0.1, &[[0.2, 0.2], [0.3, 0.2], [0.4, 0.2]]) };
    let beneath = mends.beneath(&stroke, &map, &Finished(base)).expect("in memory");
    assert!(!beneath.is_empty() && beneath.len() <= 12, "{beneath:?}");
    stroke.beneath.insert("displacement".into(), beneath);
    let far =
        Mend { path: vec![[5.0, 0.0, 5.0, 1.0]], value: Some(0.0), ..mend(MendTool::Set, &["displacement"], 0.1, &[]) };
    let told = |high: &Mesh, strokes: Vec<Mend>, size: u32| {
        let mut recipe = recipe.clone();
        recipe.sheet.size = size;
        recipe.mends.strokes = strokes;
        let mut findings = bake(&recipe, &low, &[high]).report.findings;
        findings.retain(|f| matches!(f.kind, FindingKind::MendGround | FindingKind::MendIdle));
        findings
    };
    assert_eq!(told(&high, vec![stroke.clone()], SIZE), []);
    assert_eq!(told(&high, vec![stroke.clone()], 2 * SIZE), [], "at double size the ground is the same");
    // Somewhere else it may change as it likes.
    let bump =
        |x: f32, z: f32| move |a: f32, b: f32| waves(a, b) + if (a - x).hypot(b - z) < 0.06 { 0.05 } else { 0.0 };
    assert_eq!(told(&height_field("waves", 96, bump(0.7, 0.7)), vec![stroke.clone()], SIZE), []);
    let found = told(&height_field("waves", 96, bump(0.4, 0.2)), vec![far, stroke], SIZE);
    let [ground, idle] = &found[..] else { panic!("{found:#?}") };
    let (ground, idle) = if ground.kind == FindingKind::MendGround { (ground, idle) } else { (idle, ground) };
    assert!(ground.reason.starts_with("Displacement has changed by") && ground.reason.contains("under mend 2"));
    let place = Vec3::from(ground.place.point.expect("a place"));
    assert!(place.distance(vec3(0.4, 0.0, 0.2)) < 0.05, "{place}");
    assert!(idle.kind == FindingKind::MendIdle && idle.reason.starts_with("Mend 1 touches no texel"), "{idle:?}");
}

#[test]
fn hidden_mends_leave_no_trace_and_shown_ones_keep_what_lies_beneath() {
    let high = height_field("waves", 96, waves);
    let mut recipe = floats(&["displacement", "normal"]);
    let plain = bake(&recipe, &flat(), &[&high]);
    let set =
        Mend { value: Some(0.05), ..mend(MendTool::Set, &["displacement", "normal"], 0.2, &[[0.5, 0.5], [0.6, 0.2]]) };
    let before = recipe.clone();
    recipe.mends.strokes = vec![set];
    assert_eq!(changes(&before, &recipe), ["1 mend made"]);
    let one = bake_on(&recipe, &flat(), &[&high], 1);
    let four = bake_on(&recipe, &flat(), &[&high], 4);
    assert!(one.maps == four.maps && one.maps != plain.maps, "any number of threads gives the same");
    assert_eq!(one.report.maps["normal"].mends, 1);
    let scene = BakeScene::new(&[&flat()], &[&high], None).expect("no cage");
    let outcome = run(&Plan::new(&recipe, &scene).expect("sound"), 2, &Unwatched).expect("nobody stops it");
    for (number, map) in plain.maps.iter().enumerate() {
        assert!(outcome.is_mended(number));
        let mut beneath = Vec::new();
        let keep = |rows: &[f32]| {
            beneath.extend_from_slice(rows);
            Ok::<(), String>(())
        };
        outcome.stream_layer(Layer::Beneath, 0, number, &mut { keep }).expect("in memory");
        let own: Vec<f32> = (0..beneath.len()).map(|at| map.pixels.get(at)).collect();
        assert!(beneath == own, "{}", map.id);
    }
    let shown = recipe.clone();
    recipe.mends.hidden = true;
    assert_eq!(changes(&shown, &recipe), ["mends hidden"]);
    assert!(bake(&recipe, &flat(), &[&high]).maps == plain.maps);
    // The recipe comes back from its file as it was.
    let text = serde_json::to_string(&recipe).expect("a recipe");
    assert_eq!(Recipe::from_json(&text).expect("read"), recipe);
}
