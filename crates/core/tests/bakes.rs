//! Whole bakes against arithmetic.

use crate::support::*;
use ember_ridge_core::bake::{Canvas, Ended, Plan, SoFar, Unwatched, Watch, run};
use ember_ridge_core::glam::{Vec3, vec2, vec3};
use ember_ridge_core::hits::HitRule;
use ember_ridge_core::maps::{
    DisplacementSettings, Green, IdSettings, IdSource, MapSettings, MissSettings, NormalSettings, decode_normal,
};
use ember_ridge_core::pairs::Pairing;
use ember_ridge_core::picture::{Depth, Pixels};
use ember_ridge_core::reach::Direction;
use ember_ridge_core::scene::BakeScene;
use ember_ridge_core::sheet::{Layout, Padding, SheetName};
use ember_ridge_core::surface::MeshPoint;
use ember_ridge_core::{FindingKind, Mesh, Recipe};
use std::sync::atomic::{AtomicUsize, Ordering};

const NORMAL: MapSettings = MapSettings::Normal(NormalSettings { y: Green::Up, carried: true });
const MISS: MapSettings = MapSettings::Miss(MissSettings {});
const BY_PART: MapSettings = MapSettings::Id(IdSettings { from: IdSource::Part });

fn normal_at(pixels: &Pixels, texel: usize) -> Vec3 {
    decode_normal([pixels.get(texel * 3), pixels.get(texel * 3 + 1), pixels.get(texel * 3 + 2)], Green::Up)
}

#[test]
fn a_height_fields_normal_is_its_gradients() {
    let (a, k) = (0.02f32, 25.0f32);
    let high = height_field("field", 500, |x, z| a * (k * x).sin() * (k * z).sin());
    let low = height_field("field", 1, |_, _| 0.0);
    let mut recipe = recipe(1024, 1, (0.05, 0.05), vec![NORMAL]);
    recipe.sheet.depth = Depth::Sixteen;
    let outcome = bake(&recipe, &low, &[&high]);
    assert_eq!(outcome.counts.covered, 1024 * 1024);
    assert_eq!(outcome.counts.misses, 0);
    let mut sum = 0.0;
    for texel in 0..1024 * 1024usize {
        let (x, z) = (((texel % 1024) as f32 + 0.5) / 1024.0, ((texel / 1024) as f32 + 0.5) / 1024.0);
        let slope_x = a * k * (k * x).cos() * (k * z).sin();
        let slope_z = a * k * (k * x).sin() * (k * z).cos();
        // On this sheet u runs along +x and v along -z, so the tangent frame is (x, -z, y).
        let expected = vec3(-slope_x, slope_z, 1.0).normalize();
        sum += f64::from(normal_at(&outcome.maps[0].pixels, texel).angle_between(expected));
    }
    let mean = (sum / f64::from(1024 * 1024)).to_degrees();
    assert!(mean < 0.2, "mean angle {mean} degrees");
}

#[test]
fn green_down_differs_from_green_up_in_green_alone() {
    let high = height_field("field", 60, |x, z| 0.03 * (9.0 * x).sin() * (7.0 * z).cos());
    let low = height_field("field", 1, |_, _| 0.0);
    let map = |y| {
        let recipe = recipe(64, 4, (0.1, 0.1), vec![MapSettings::Normal(NormalSettings { y, carried: true })]);
        match bake(&recipe, &low, &[&high]).maps.remove(0).pixels {
            Pixels::U8(bytes) => bytes,
            Pixels::U16(_) | Pixels::F32(_) => unreachable!("the recipe asks for 8 bits"),
        }
    };
    let (up, down) = (map(Green::Up), map(Green::Down));
    let mut turned = 0;
    for (u, d) in up.as_chunks::<3>().0.iter().zip(down.as_chunks::<3>().0) {
        assert_eq!((u[0], u[2]), (d[0], d[2]));
        // 0.5 lies between two steps, so the two greens add up to 255, or to 256 where both were rounded up.
        let sum = u16::from(u[1]) + u16::from(d[1]);
        assert!(sum == 255 || sum == 256, "{u:?} {d:?}");
        turned += usize::from(u[1] != d[1]);
    }
    assert!(turned > 2000, "the field has slopes along v nearly everywhere");
}

#[test]
fn a_sculpt_equal_to_the_low_poly_bakes_flat_across_smooth_and_mirrored_frames() {
    // Averaged normals on a box: the frames lean, and encoding must undo that lean exactly.
    let mut low = cube("box", 1.0);
    low.normals = low.positions.iter().map(|p| p.normalize()).collect();
    // Mirror three islands in u, so that their frames are left-handed.
    for (i, uv) in low.uvs.iter_mut().enumerate() {
        if i < 12 {
            uv.x = 1.0 - uv.x;
        }
    }
    let outcome = bake(&recipe(128, 4, (0.2, 0.2), vec![NORMAL]), &low, &[&low]);
    assert_eq!(outcome.counts.misses, 0);
    for texel in (0..128 * 128).filter(|&t| outcome.covered[t]) {
        let n = normal_at(&outcome.maps[0].pixels, texel);
        assert!(n.z > 0.9999, "texel {texel}: {n}");
    }
}

#[test]
fn decoding_returns_the_sculpts_normal_within_half_a_step() {
    let mut low = cube("box", 1.0);
    low.normals = low.positions.iter().map(|p| p.normalize()).collect();
    let high = ball("box", 1.2, 200);
    for (depth, limit) in [(Depth::Eight, 0.7f32), (Depth::Sixteen, 0.05)] {
        let mut recipe = recipe(96, 1, (1.0, 1.0), vec![NORMAL]);
        recipe.sheet.depth = depth;
        let scene = BakeScene::new(&[&low], &[&high], None).expect("no cage");
        let outcome = bake_scene(&recipe, &scene, 2, &Unwatched).expect("not stopped");
        let (mut sum, mut count) = (0.0, 0);
        for side in 0..6u32 {
            // Read the map back through the renderer's frame at the middle texels of each island.
            for (v, w) in [(0.5, 0.2), (0.3, 0.3), (0.2, 0.6)] {
                let triangle = side * 2;
                let uvs = scene.low.mesh.corner_uvs(triangle);
                let uv = uvs[0] + (uvs[1] - uvs[0]) * v + (uvs[2] - uvs[0]) * w;
                let (x, y) = ((uv.x * 96.0) as usize, ((1.0 - uv.y) * 96.0) as usize);
                // The texel's own centre, in weights of the triangle.
                let centre = ember_ridge_core::glam::vec2((x as f32 + 0.5) / 96.0, 1.0 - (y as f32 + 0.5) / 96.0);
                let (e, f, p) = (uvs[1] - uvs[0], uvs[2] - uvs[0], centre - uvs[0]);
                let (v, w) = (p.perp_dot(f) / e.perp_dot(f), e.perp_dot(p) / e.perp_dot(f));
                let frame = scene.low.frame(MeshPoint::new(triangle, v, w)).expect("the island has area");
                let decoded = (frame * normal_at(&outcome.maps[0].pixels, y * 96 + x)).normalize();
                let point = scene.low.point(MeshPoint::new(triangle, v, w), Direction::Averaged);
                // The ray's own hit on a perfect ball, from outside.
                let (o, d) = (point.position + point.outward, -point.outward);
                let b = o.dot(d);
                let t = -b - (b * b - o.length_squared() + 1.44).sqrt();
                sum += decoded.angle_between((o + d * t).normalize()).to_degrees();
                count += 1;
            }
        }
        let mean = sum / count as f32;
        assert!(mean < limit, "{depth:?}: mean {mean} degrees");
    }
}

#[test]
fn bytes_do_not_depend_on_threads() {
    let high = height_field("field", 80, |x, z| 0.05 * (12.0 * x).sin() * (5.0 * z).sin());
    let low = cube("box", 0.5);
    let mut recipe = recipe(200, 16, (0.4, 0.4), vec![NORMAL, BY_PART, MISS]);
    recipe.sheet.padding = Padding::All;
    let one = bake_on(&recipe, &low, &[&high], 1);
    for threads in [2, 5] {
        let many = bake_on(&recipe, &low, &[&high], threads);
        assert!(one.maps == many.maps, "{threads} threads");
        assert_eq!(one.report.findings, many.report.findings);
        assert_eq!((one.counts.rays, one.counts.misses), (many.counts.rays, many.counts.misses));
    }
}

struct StopAfter(AtomicUsize);

impl Watch for StopAfter {
    fn now(&self) -> f64 {
        0.0
    }
    fn stopped(&self) -> bool {
        self.0.load(Ordering::Relaxed) == 0
    }
    fn tile_done(&self, _: &SoFar, canvas: &Canvas) {
        assert!(canvas.preview(0, "normal").is_some());
        let _ = self.0.fetch_update(Ordering::Relaxed, Ordering::Relaxed, |left| left.checked_sub(1));
    }
}

#[test]
fn a_stopped_bake_gives_nothing_and_the_next_one_is_whole() {
    let low = height_field("field", 1, |_, _| 0.0);
    let recipe = recipe(512, 1, (0.1, 0.1), vec![NORMAL]);
    let scene = BakeScene::new(&[&low], &[&low], None).expect("no cage");
    let plan = Plan::new(&recipe, &scene).expect("sound");
    assert_eq!(plan.busy_tiles(), 256);
    let stop = StopAfter(AtomicUsize::new(10));
    assert!(matches!(run(&plan, 2, &stop), Err(Ended::Stopped)));
    assert_eq!(run(&plan, 2, &Unwatched).map(|o| o.counts.covered), Ok(512 * 512));
}

#[test]
fn short_reaches_miss_and_say_where() {
    let low = height_field("field", 1, |_, _| 0.0);
    // Half of the sculpt lies 0.2 above the low-poly.
    let high = height_field("field", 100, |x, _| if x < 0.5 { 0.0 } else { 0.2 });
    let outcome = bake(&recipe(64, 1, (0.1, 0.1), vec![NORMAL, MISS]), &low, &[&high]);
    let missed = outcome.counts.misses as f64 / 4096.0;
    assert!((missed - 0.5).abs() < 0.02, "{missed}");
    let finding = outcome.report.findings.iter().find(|f| f.kind == FindingKind::Misses).expect("it is found");
    assert_eq!(finding.place.part.as_deref(), Some("field"));
    assert!(finding.place.point.is_some_and(|p| p[0] > 0.49), "{:?}", finding.place.point);
    // The miss map is white there and the normal map says flat.
    let right = 20 * 64 + 60;
    assert_eq!((outcome.maps[1].pixels.get(right), outcome.maps[1].pixels.get(20 * 64 + 3)), (1.0, 0.0));
    assert!(normal_at(&outcome.maps[0].pixels, right).z > 0.999);
    let enough = bake(&recipe(64, 1, (0.25, 0.1), vec![NORMAL]), &low, &[&high]);
    assert_eq!(enough.counts.misses, 0);
}

#[test]
fn pairs_keep_nested_parts_from_bleeding() {
    // A small box within a large one, nearly touching: without pairs the inner part's rays start outside the outer one.
    let low = ember_ridge_core::Mesh::joined(&[
        &with_uvs(&cube("outer_low", 1.0), |uv| uv * 0.5),
        &with_uvs(&cube("inner_low", 0.97), |uv| uv * 0.5 + 0.5),
    ]);
    let (outer, inner) = (cube("outer_high", 1.0), cube("inner_high", 0.97));
    let mut recipe = recipe(256, 1, (0.08, 0.08), vec![BY_PART]);
    let regions = |pairing: Pairing, recipe: &mut ember_ridge_core::Recipe| {
        recipe.pairing = pairing;
        let outcome = bake(recipe, &low, &[&outer, &inner]);
        let palette = outcome.maps[0].palette.clone().expect("an ID map has a palette");
        let color = |texel: usize| [0, 1, 2].map(|c| (outcome.maps[0].pixels.get(texel * 3 + c) * 255.0).round() as u8);
        let inner = palette.iter().find(|p| p.name == "inner_high").expect("named").color;
        // The inner part's islands lie in the upper right quarter of the sheet.
        let own: Vec<usize> =
            (0..256 * 256).filter(|&t| outcome.covered[t] && t % 256 >= 128 && t / 256 < 128).collect();
        assert!(own.len() > 5000);
        own.iter().filter(|&&t| color(t) == inner).count() as f64 / own.len() as f64
    };
    assert_eq!(regions(Pairing::Names, &mut recipe), 1.0);
    assert!(regions(Pairing::All, &mut recipe) < 0.05);
}

#[test]
fn nearest_takes_the_surface_by_the_low_poly_and_outermost_the_first_one() {
    let low = height_field("field", 1, |_, _| 0.0);
    let sheet = moved(&height_field("near", 1, |_, _| 0.0), vec3(0.0, 0.01, 0.0));
    let cover = moved(&height_field("far", 1, |_, _| 0.0), vec3(0.0, 0.05, 0.0));
    let below = moved(&height_field("below", 1, |_, _| 0.0), vec3(0.0, -0.02, 0.0));
    let seen = |hit: HitRule, high: &[&ember_ridge_core::Mesh]| {
        let mut recipe = recipe(16, 1, (0.1, 0.1), vec![BY_PART]);
        recipe.pairing = Pairing::All;
        recipe.hit = hit;
        let outcome = bake(&recipe, &low, high);
        let rgb = [0, 1, 2].map(|c| (outcome.maps[0].pixels.get(c) * 255.0).round() as u8);
        let palette = outcome.maps[0].palette.clone().unwrap_or_default();
        palette.into_iter().find(|p| p.color == rgb).map(|p| p.name)
    };
    assert_eq!(seen(HitRule::Outermost, &[&below, &sheet, &cover]).as_deref(), Some("far"));
    assert_eq!(seen(HitRule::Nearest, &[&below, &sheet, &cover]).as_deref(), Some("near"));
    assert_eq!(seen(HitRule::Nearest, &[&below, &cover]).as_deref(), Some("below"));
}

#[test]
fn a_detail_that_floats_clear_of_the_surface_is_in_the_map() {
    let low = height_field("field", 1, |_, _| 0.0);
    let ground = height_field("field", 2, |_, _| 0.0);
    let mut button = ball("field_button", 0.1, 24);
    button.positions.iter_mut().for_each(|p| *p = vec3(p.x + 0.5, p.y * 0.2 + 0.03, p.z + 0.5));
    let outcome = bake(&recipe(64, 1, (0.08, 0.08), vec![BY_PART]), &low, &[&ground, &button]);
    let palette = outcome.maps[0].palette.clone().expect("palette");
    let rgb = |texel: usize| [0, 1, 2].map(|c| (outcome.maps[0].pixels.get(texel * 3 + c) * 255.0).round() as u8);
    assert_eq!(rgb(32 * 64 + 32), palette[1].color, "the button in the middle");
    assert_eq!(rgb(5 * 64 + 5), palette[0].color, "the ground at the corner");
    assert_eq!((outcome.counts.misses, outcome.counts.back_faces), (0, 0));
}

#[test]
fn id_holds_no_colour_that_is_not_in_its_table_and_parts_keep_theirs() {
    let low = height_field("field", 1, |_, _| 0.0);
    let strip = |name: &str, at: f32| {
        let mut mesh = height_field(name, 1, |_, _| 0.0);
        mesh.positions.iter_mut().for_each(|p| p.x = p.x * 0.25 + at);
        mesh
    };
    let parts = [strip("a", 0.0), strip("b", 0.25), strip("c", 0.5), strip("d", 0.75)];
    let mut recipe = recipe(50, 16, (0.1, 0.1), vec![BY_PART]);
    recipe.pairing = Pairing::All;
    let outcome = bake(&recipe, &low, &parts.iter().collect::<Vec<_>>());
    let palette = outcome.maps[0].palette.clone().expect("palette");
    let Pixels::U8(bytes) = &outcome.maps[0].pixels else { unreachable!("8 bits were asked for") };
    let seen: std::collections::BTreeSet<[u8; 3]> = bytes.as_chunks::<3>().0.iter().copied().collect();
    assert_eq!(seen.len(), 4, "flat regions only, though columns of texels lie across two parts");
    assert!(seen.iter().all(|c| palette.iter().any(|p| p.color == *c)));
    let fewer = bake(&recipe, &low, &[&parts[0], &parts[3]]);
    let fewer = fewer.maps[0].palette.clone().expect("palette");
    assert_eq!((&fewer[0], &fewer[1]), (&palette[0], &palette[3]));
}

#[test]
fn slivers_do_not_drop_out_and_padding_leaves_covered_texels_alone() {
    // An island 0.2 texels wide that passes between all texel centres.
    let low = with_uvs(&height_field("field", 1, |_, _| 0.0), |uv| {
        ember_ridge_core::glam::vec2(10.1 / 64.0 + uv.x * 0.2 / 64.0, uv.y)
    });
    let mut recipe = recipe(64, 1, (0.1, 0.1), vec![NORMAL, MISS]);
    let bare = bake(&recipe, &low, &[&low]);
    assert_eq!(bare.counts.covered, 64);
    assert!((0..64).all(|y| bare.covered[y * 64 + 10]));
    let high = height_field("field", 40, |x, z| 0.1 * x + 0.02 * (20.0 * z).sin());
    recipe.sheet.padding = Padding::Texels(0);
    let bare = bake(&recipe, &low, &[&high]);
    recipe.sheet.padding = Padding::Texels(5);
    let padded = bake(&recipe, &low, &[&high]);
    let texel = |o: &Whole, t: usize| [0, 1, 2].map(|c| o.maps[0].pixels.get(t * 3 + c));
    for y in 0..64 {
        let own = y * 64 + 10;
        assert_eq!(texel(&padded, own), texel(&bare, own));
        assert_eq!(texel(&padded, own + 5), texel(&bare, own), "five texels out");
        assert_eq!(texel(&padded, own + 6), texel(&bare, own + 6), "six texels out");
    }
}

#[test]
fn a_measured_reach_holds_the_sculpt_and_little_more() {
    let low = height_field("field", 4, |_, _| 0.0);
    let high = height_field("field", 200, |x, z| 0.02 * (30.0 * x).sin() + 0.01 * (40.0 * z).cos());
    let mut recipe = recipe(128, 1, (0.0, 0.0), vec![NORMAL]);
    recipe.reach = Default::default();
    let outcome = bake(&recipe, &low, &[&high]);
    let reach = outcome.report.reach;
    assert_eq!(outcome.counts.misses, 0);
    for (name, distance) in [("out", reach.out), ("in", reach.inward)] {
        // Between vertices as far apart as two waves, the envelope stands a little over what it holds.
        assert!((0.03..0.06).contains(&distance), "{name} {distance}: the field lies within 0.03 of the plane");
    }
    assert!(reach.suggested.is_some_and(|s| s.enclosed > 0.999));
}

#[test]
fn an_asset_a_thousandth_or_ten_thousand_units_wide_gives_the_same_map() {
    let low = cube("box", 0.5);
    let high = ball("box", 0.7, 60);
    let map = |scale: f32| {
        let recipe = recipe(64, 4, (0.3 * scale, 0.3 * scale), vec![NORMAL]);
        bake(&recipe, &scaled(&low, scale), &[&scaled(&high, scale)])
    };
    let plain = map(1.0);
    // Powers of two scale floats exactly: not one step may differ.
    for scale in [1.0 / 1024.0, 8192.0] {
        let other = map(scale);
        assert_eq!(other.counts.misses, plain.counts.misses, "scale {scale}");
        let differing = (0..64 * 64 * 3)
            .filter(|&i| (plain.maps[0].pixels.get(i) - other.maps[0].pixels.get(i)).abs() > 1.5 / 255.0)
            .count();
        assert_eq!(differing, 0, "scale {scale}");
    }
}

#[test]
fn a_cage_takes_the_place_of_the_reach() {
    let low = height_field("field", 1, |_, _| 0.0);
    let high = moved(&height_field("field", 1, |_, _| 0.0), vec3(0.0, 0.4, 0.0));
    let cage = moved(&low, vec3(0.0, 0.5, 0.0));
    let recipe = recipe(32, 1, (0.1, 0.1), vec![MISS]);
    assert_eq!(bake(&recipe, &low, &[&high]).counts.misses, 1024, "the reach is too short");
    let scene = BakeScene::new(&[&low], &[&high], Some(&cage)).expect("the cage fits");
    let outcome = bake_scene(&recipe, &scene, 2, &Unwatched).expect("not stopped");
    assert_eq!(outcome.counts.misses, 0);
}

#[test]
fn back_faces_are_skipped_and_counted_or_kept() {
    use ember_ridge_core::trace::BackFaces;
    let low = height_field("field", 1, |_, _| 0.0);
    let mut high = moved(&low, vec3(0.0, 0.01, 0.0));
    high.triangles.iter_mut().for_each(|t| t.swap(1, 2));
    let mut recipe = recipe(32, 1, (0.1, 0.1), vec![NORMAL]);
    let skipped = bake(&recipe, &low, &[&high]);
    assert_eq!((skipped.counts.misses, skipped.counts.back_faces), (1024, 1024));
    assert!(skipped.report.findings.iter().any(|f| f.kind == FindingKind::BackFaceHits));
    recipe.back_faces = BackFaces::Keep;
    let kept = bake(&recipe, &low, &[&high]);
    assert_eq!((kept.counts.misses, kept.counts.back_faces), (0, 0));
}

#[test]
fn regions_by_material_piece_and_island() {
    let low = cube("box", 1.0);
    // Two separate pieces in one part, of two materials.
    let mut high = ember_ridge_core::Mesh::joined(&[&cube("p", 1.0), &moved(&cube("p", 0.3), vec3(0.0, 0.75, 0.0))]);
    high.parts = vec![ember_ridge_core::Part { name: "p".into(), triangles: 0..24 }];
    high.materials = vec!["oak".into(), "tin".into()];
    high.triangle_materials = [vec![0; 12], vec![1; 12]].concat();
    let names = |from: IdSource| {
        let recipe = recipe(96, 1, (0.3, 0.3), vec![MapSettings::Id(IdSettings { from })]);
        let outcome = bake(&recipe, &low, &[&high]);
        let palette = outcome.maps[0].palette.clone().expect("palette");
        let Pixels::U8(bytes) = &outcome.maps[0].pixels else { unreachable!("8 bits were asked for") };
        let seen = |p: &&ember_ridge_core::maps::PaletteEntry| bytes.as_chunks::<3>().0.contains(&p.color);
        palette.iter().filter(seen).map(|p| p.name.clone()).collect::<Vec<_>>()
    };
    assert_eq!(names(IdSource::Material), ["oak", "tin"]);
    assert_eq!(names(IdSource::Piece), ["p at 0.0 0.0 0.0", "p at 0.0 0.8 0.0"]);
    assert_eq!(names(IdSource::Part), ["p"]);
    assert_eq!(names(IdSource::Island).len(), 6);
    assert_eq!(names(IdSource::LowPart), ["box"]);
}

#[test]
fn vertex_colours_make_regions_and_paint_is_merged() {
    let low = height_field("field", 1, |_, _| 0.0);
    let mut high = height_field("field", 40, |_, _| 0.0);
    let flat = |p: &Vec3| if p.x < 0.5 { [200, 30, 30] } else { [30, 60, 200] };
    high.colors = high.positions.iter().map(flat).collect();
    let by_color = MapSettings::Id(IdSettings { from: IdSource::Color });
    let recipe = recipe(32, 4, (0.1, 0.1), vec![by_color]);
    let outcome = bake(&recipe, &low, &[&high]);
    let names: Vec<String> = outcome.maps[0].palette.clone().unwrap_or_default().into_iter().map(|p| p.name).collect();
    assert_eq!(names, ["#c81e1e", "#1e3cc8"]);
    assert!(outcome.report.findings.is_empty());
    high.colors = high.positions.iter().map(|p| [(p.x * 255.0) as u8, (p.z * 255.0) as u8, 90]).collect();
    let outcome = bake(&recipe, &low, &[&high]);
    let colors = outcome.maps[0].palette.as_ref().map_or(0, Vec::len);
    assert!(colors <= 25, "{colors} regions: five levels of red and of green");
    assert!(outcome.report.findings.iter().any(|f| f.kind == FindingKind::ColoursMerged));
}

#[test]
fn materials_of_one_name_from_two_files_share_a_sheet() {
    let half = |at: f32| {
        let mut low = with_uvs(&height_field("half", 1, |_, _| 0.0), move |uv| vec2(uv.x * 0.5 + at, uv.y));
        low.materials = vec!["wood".into()];
        low.triangle_materials = vec![0; low.triangles.len()];
        low
    };
    let (one, two) = (half(0.0), half(0.5));
    let mut recipe = recipe(16, 1, (0.1, 0.1), vec![MISS]);
    recipe.sheet.layout = Layout::Materials;
    let scene = BakeScene::new(&[&one, &two], &[&one, &two], None).expect("no cage");
    let outcome = run(&Plan::new(&recipe, &scene).expect("sound"), 1, &Unwatched).expect("not stopped");
    assert_eq!(outcome.sheets, [SheetName::Material("wood".into())]);
    assert!(Whole::of(&outcome, 0).covered.iter().all(|&c| c), "both halves lie on it");
}

#[test]
fn sheets_by_material_and_by_udim_share_one_scale() {
    let strip = |name: &str, at: f32, height: f32| {
        let low = moved(&height_field("field", 1, |_, _| 0.0), vec3(at * 2.0, 0.0, 0.0));
        let high = moved(&low, vec3(0.0, height, 0.0));
        (with_uvs(&low, move |uv| uv + vec2(at, 0.0)), high, name.to_owned())
    };
    let (a, b) = (strip("wood", 0.0, 0.02), strip("tin", 1.0, 0.05));
    let high = Mesh::joined(&[&a.1, &b.1]);
    let displacement = MapSettings::Displacement(DisplacementSettings::default());
    let mut recipe = sixteen(32, 0.1, vec![displacement]);
    recipe.pairing = Pairing::All;
    let check = |low: &Mesh, recipe: &Recipe, names: [SheetName; 2]| {
        let scene = BakeScene::new(&[low], &[&high], None).expect("no cage");
        let outcome = run(&Plan::new(recipe, &scene).expect("sound"), 2, &Unwatched).expect("not stopped");
        assert_eq!(outcome.sheets, names);
        for (sheet, height) in [(0, 0.02f32), (1, 0.05)] {
            let whole = Whole::of(&outcome, sheet);
            assert!(whole.covered.iter().all(|&c| c), "sheet {sheet} is full");
            let scale = whole.maps[0].scale.expect("whole numbers");
            assert!((scale - 0.1).abs() < 1e-5, "one scale for both: {scale}");
            assert!((whole.maps[0].pixels.get(500) - (0.5 + height / scale)).abs() < 1e-4);
        }
        // Half of the sculpt taken away: the place that is told lies on the second sheet.
        let scene = BakeScene::new(&[low], &[&a.1], None).expect("no cage");
        let outcome = run(&Plan::new(recipe, &scene).expect("sound"), 2, &Unwatched).expect("not stopped");
        let missed = outcome.report.findings.iter().find(|f| f.kind == FindingKind::Misses).expect("half is bare");
        assert_eq!((missed.place.sheet, missed.place.uv), (Some(1), Some([0.5 / 32.0, 1.0 - 0.5 / 32.0])));
    };
    let mut both = Mesh::joined(&[&a.0, &b.0]);
    recipe.sheet.layout = Layout::Udim;
    check(&both, &recipe, [SheetName::Udim(1001), SheetName::Udim(1002)]);
    both.uvs.iter_mut().for_each(|uv| uv.x -= if uv.x > 1.0 { 1.0 } else { 0.0 });
    both.uvs[4..].iter_mut().zip(&a.0.uvs).for_each(|(uv, own)| *uv = *own);
    both.materials = vec!["wood".into(), "tin".into()];
    both.triangle_materials = vec![0, 0, 1, 1];
    recipe.sheet.layout = Layout::Materials;
    check(&both, &recipe, [SheetName::Material("wood".into()), SheetName::Material("tin".into())]);
}
