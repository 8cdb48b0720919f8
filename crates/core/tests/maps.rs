//! Maps against arithmetic: curvature of known surfaces, occlusion beside a wall, heights, positions, colours.

use crate::support::*;
use ember_ridge_core::bake::Unwatched;
use ember_ridge_core::finish::{Body, ReadyFinish};
use ember_ridge_core::glam::{Vec2, Vec3, vec2, vec3};
use ember_ridge_core::maps::*;
use ember_ridge_core::pairs::Pairing;
use ember_ridge_core::picture::{Coding, Depth, Image, Pictures, Pixels};
use ember_ridge_core::scene::BakeScene;
use ember_ridge_core::sheet::Padding;
use ember_ridge_core::surface::Distance;
use std::sync::Arc;

#[test]
fn heights_come_back_from_the_file_and_depths_agree() {
    let (low, a) = (height_field("field", 1, |_, _| 0.0), 0.04f32);
    let high = height_field("field", 300, |x, z| a * (9.0 * x).sin() * (7.0 * z).cos() + 0.01);
    let displacement = MapSettings::Displacement(DisplacementSettings::default());
    let mut recipe = sixteen(128, 0.1, vec![displacement]);
    let whole = bake(&recipe, &low, &[&high]);
    let scale = whole.maps[0].scale.expect("whole numbers have a scale");
    let extreme = whole.report.maps["displacement"].extreme.expect("it is told");
    assert!((scale - 2.0 * extreme).abs() < 1e-6 && (extreme - 0.05).abs() < 0.001, "{scale} {extreme}");
    let encoded = values(&whole, "displacement");
    recipe.sheet.depth = Depth::Float;
    recipe.sheet.format = ember_ridge_core::picture::ImageFormat::Exr;
    let floats = values(&bake(&recipe, &low, &[&high]), "displacement");
    for t in 0..128 * 128usize {
        let (x, z) = (((t % 128) as f32 + 0.5) / 128.0, ((t / 128) as f32 + 0.5) / 128.0);
        let expected = a * (9.0 * x).sin() * (7.0 * z).cos() + 0.01;
        let height = (encoded[t] - 0.5) * scale;
        // Half a percent of the range.
        assert!((height - expected).abs() < 0.005 * 0.08, "texel {t}: {height} {expected}");
        assert!((floats[t] - height).abs() <= 0.51 * scale / 65535.0 + 1e-7, "texel {t}: {} {height}", floats[t]);
    }
}

#[test]
fn displacement_runs_along_the_averaged_direction_whatever_the_others_do() {
    use ember_ridge_core::reach::Direction;
    let mut low = cube("box", 0.5);
    low.normals = low.positions.iter().map(|p| p.normalize()).collect();
    let high = ball("box", 0.9, 60);
    let displacement = MapSettings::Displacement(DisplacementSettings { scale: Distance::Units(2.0) });
    let mut recipe = sixteen(48, 0.6, vec![displacement]);
    let averaged = values(&bake(&recipe, &low, &[&high]), "displacement");
    recipe.direction = Direction::Plumb;
    let plumb = bake(&recipe, &low, &[&high]);
    assert!(values(&plumb, "displacement") == averaged);
    assert!(plumb.report.maps["displacement"].rays > 0, "its own rays are counted");
}

#[test]
fn a_set_scale_that_cuts_off_is_a_finding() {
    let low = height_field("field", 1, |_, _| 0.0);
    let high = moved(&low, vec3(0.0, 0.05, 0.0));
    let scaled_to = |scale| {
        let displacement = MapSettings::Displacement(DisplacementSettings { scale: Distance::Units(scale) });
        bake(&sixteen(16, 0.1, vec![displacement]), &low, &[&high]).report
    };
    let kinds = |scale| scaled_to(scale).findings.into_iter().map(|f| f.kind).collect::<Vec<_>>();
    assert_eq!(kinds(0.08), [ember_ridge_core::FindingKind::RangeClipped]);
    assert_eq!(kinds(0.11), []);
}

#[test]
fn thickness_of_a_slab_is_its_mean_path_and_thick_reads_white() {
    let low = height_field("field", 1, |_, _| 0.0);
    // A wide slab of thickness 0.02: the mean of cosine-weighted paths t / cos is 2 t as long as none leaves the slab.
    let top = moved(&height_field("field", 1, |_, _| 0.0), vec3(0.0, 0.0, 0.0));
    let mut bottom = moved(&top, vec3(0.0, -0.02, 0.0));
    bottom.triangles.iter_mut().for_each(|t| t.swap(1, 2));
    bottom.normals.fill(Vec3::NEG_Y);
    let settings =
        ThicknessSettings { rays: 256.into(), distance: Distance::Units(0.4), ..ThicknessSettings::default() };
    let mut recipe = sixteen(32, 0.01, vec![MapSettings::Thickness(settings)]);
    recipe.pairing = Pairing::All;
    let whole = bake(&recipe, &low, &[&top, &bottom]);
    let middle = values(&whole, "thickness")[16 * 32 + 16];
    // Paths longer than 0.4 count as 0.4: mean = 2t/d - (t/d)^2 with t = 0.02, d = 0.4.
    assert!((middle - (0.1 - 0.0025)).abs() < 0.004, "{middle}");
}

#[test]
fn positions_and_gradients_are_coordinates() {
    let low = height_field("field", 1, |_, _| 0.0);
    let high = height_field("field", 1, |_, _| 0.0);
    let y = |from, to| MapSettings::Position(PositionSettings { axis: PositionAxis::X, from, to });
    let whole = bake(&sixteen(20, 0.1, vec![MapSettings::Position(PositionSettings::default())]), &low, &[&high]);
    let all = values(&whole, "position");
    let gradient = values(&bake(&sixteen(20, 0.1, vec![y(Some(0.25), Some(0.75))]), &low, &[&high]), "position");
    for t in 0..400usize {
        let (x, z) = (((t % 20) as f32 + 0.5) / 20.0, ((t / 20) as f32 + 0.5) / 20.0);
        assert!((all[t * 3] - x).abs() < 1e-4 && all[t * 3 + 1] == 0.0 && (all[t * 3 + 2] - z).abs() < 1e-4);
        assert!((gradient[t] - ((x - 0.25) * 2.0).clamp(0.0, 1.0)).abs() < 1e-4);
    }
}

#[test]
fn object_normals_are_those_of_the_ball_and_opacity_is_its_share() {
    let mut low = height_field("field", 1, |_, _| 0.0);
    low.positions.iter_mut().for_each(|p| *p = vec3((p.x - 0.5) * 2.0, 1.0, (p.z - 0.5) * 2.0));
    let high = ball("field", 0.8, 200);
    let maps = ["normal-object", "opacity"].map(|id| MapSettings::by_key(id).expect("a map")).to_vec();
    let whole = bake(&sixteen(40, 1.5, maps), &low, &[&high]);
    let (normals, hit) = (values(&whole, "normal-object"), values(&whole, "opacity"));
    for t in 0..1600usize {
        let (x, z) = (((t % 40) as f32 + 0.5) / 20.0 - 1.0, ((t / 40) as f32 + 0.5) / 20.0 - 1.0);
        let inside = (x * x + z * z).sqrt();
        if inside < 0.75 {
            let expected = vec3(x, (0.64 - x * x - z * z).sqrt(), z) / 0.8;
            let found = Vec3::from_slice(&normals[t * 3..]) * 2.0 - 1.0;
            assert!(found.distance(expected) < 0.01, "{x} {z}: {found} {expected}");
        }
        if (inside - 0.8).abs() > 0.05 {
            assert_eq!(hit[t], if inside < 0.8 { 1.0 } else { 0.0 }, "{x} {z}");
        }
    }
}

#[test]
fn cavities_are_dark_and_bumps_are_not_by_either_method() {
    let low = height_field("field", 1, |_, _| 0.0);
    let ridge = |x: f32, _: f32| {
        let groove = |at: f32| 0.03 * (-((x - at) / 0.02).powi(2)).exp();
        groove(0.75) - groove(0.25)
    };
    let high = height_field("field", 250, ridge);
    for method in [CavityMethod::Occlusion, CavityMethod::Curvature] {
        let settings =
            CavitySettings { method, detail: Distance::Units(0.02), rays: 128.into(), ..CavitySettings::default() };
        let whole = bake(&sixteen(100, 0.1, vec![MapSettings::Cavity(settings)]), &low, &[&high]);
        let found = values(&whole, "cavity");
        let at = |x: usize| found[50 * 100 + x];
        assert!(at(25) < 0.85, "{method:?} in the groove: {}", at(25));
        assert!(at(75) > 0.97, "{method:?} on the ridge: {}", at(75));
        assert!(at(50) > 0.99, "{method:?} on the flat: {}", at(50));
    }
}

#[test]
fn colours_are_averaged_in_linear_light_and_moved_from_one_set_of_uvs_to_another() {
    let low = height_field("field", 1, |_, _| 0.0);
    let mut high = height_field("field", 1, |_, _| 0.0);
    high.colors = vec![[200, 100, 50]; 4];
    let color = |settings: ColorSettings| sixteen(16, 0.1, vec![MapSettings::Color(settings)]);
    let plain = values(&bake(&color(ColorSettings::default()), &low, &[&high]), "color");
    for (c, byte) in [200.0, 100.0, 50.0].into_iter().enumerate() {
        assert!((plain[c] - byte / 255.0).abs() < 1e-4);
    }
    // A gradient laid flat over the sculpt from above, baked to the low-poly's turned UVs.
    let ramp = Image::new(256, 1, 1, Pixels::U8((0..=255).collect()), Coding::Srgb);
    high.uvs = high.projected_uvs(ember_ridge_core::mesh::Plane::PlanarY);
    let turned = with_uvs(&low, |uv: Vec2| vec2(uv.y, 1.0 - uv.x));
    let picture = ember_ridge_core::picture::PictureSource { file: "ramp.png".into(), hash: None };
    let recipe = color(ColorSettings { picture: Some(picture), ..ColorSettings::default() });
    let images = Pictures::from_iter([("ramp.png".to_owned(), Arc::new(ramp))]);
    let scene = BakeScene::new(&[&turned], &[&high], None).expect("no cage").with_images(images);
    let moved = values(&bake_scene(&recipe, &scene, 2, &Unwatched).expect("not stopped"), "color");
    for t in 0..256usize {
        // On the turned sheet x runs down: row r shows x = (r + 0.5) / 16.
        let expected = ((t / 16) as f32 + 0.5) / 16.0 * 256.0 - 0.5;
        assert!((moved[t * 3] * 255.0 - expected).abs() < 1.0, "texel {t}: {} {expected}", moved[t * 3] * 255.0);
    }
}

/// A tangent-space normal map of a height field over the unit square, written as an image would hold it.
fn normal_map_of(size: u32, slope: impl Fn(f32, f32) -> (f32, f32)) -> Image {
    let mut bytes = Vec::new();
    for y in 0..size {
        for x in 0..size {
            let (sx, sz) = slope((x as f32 + 0.5) / size as f32, (y as f32 + 0.5) / size as f32);
            // u runs along +x and v along -z.
            let n = vec3(-sx, sz, 1.0).normalize() * 0.5 + 0.5;
            bytes.extend(n.to_array().map(|c| (c * 65535.0).round() as u16));
        }
    }
    Image::new(size, size, 3, Pixels::U16(bytes), Coding::Srgb)
}

#[test]
fn a_normal_map_alone_gives_the_curvature_and_the_occlusion_of_its_relief() {
    let low = height_field("field", 1, |_, _| 0.0);
    // A round valley z = k x^2 along x: H = k at its bottom; and flat ground beyond a wall of slope for occlusion.
    let bowl = normal_map_of(256, |x, _| (0.8 * (x - 0.5), 0.0));
    let source = ember_ridge_core::recipe::NormalMapSource { file: "n.png".into(), hash: None, y: Green::Up };
    let images = Pictures::from_iter([("n.png".to_owned(), Arc::new(bowl))]);
    let scene = BakeScene::new(&[&low], &[], None).expect("no cage").with_images(images);
    let from = MadeFrom::NormalMap;
    let mut recipe = sixteen(
        64,
        0.1,
        vec![
            MapSettings::Curvature(CurvatureSettings {
                from,
                detail: Distance::Units(0.02),
                radius: Distance::Units(1.0),
                ..CurvatureSettings::default()
            }),
            MapSettings::Ao(AoSettings { from, ..ao(64, 0.2) }),
            MapSettings::Normal(NormalSettings::default()),
        ],
    );
    recipe.normal_map = Some(source.clone());
    let whole = bake_scene(&recipe, &scene, 2, &Unwatched).expect("not stopped");
    let bend = values(&whole, "curvature");
    // h = 0.4 (x - 0.5)^2: concave upwards, H = -0.4 in the middle.
    let middle = bend[32 * 64 + 32];
    assert!((middle - (0.5 - 0.5 * 0.4)).abs() < 0.01, "{middle}");
    assert!(values(&whole, "ao").iter().all(|&v| v > 0.9 && v <= 1.0));
    assert!(whole.maps[2].error.as_deref().is_some_and(|e| e.contains("sculpt")), "a normal map needs a sculpt");

    // A groove of 45 degree sides: at its bottom a slice across sees 90 degrees of sky less than a plane does.
    let groove = normal_map_of(512, |x, _| {
        let d = x - 0.5;
        (if d.abs() < 0.06 { d.signum() } else { 0.0 }, 0.0)
    });
    let images = Pictures::from_iter([("n.png".to_owned(), Arc::new(groove))]);
    recipe.maps = vec![MapSettings::Ao(AoSettings { from, ..ao(64, 0.05) })];
    let scene = BakeScene::new(&[&low], &[], None).expect("no cage").with_images(images);
    let open = values(&bake_scene(&recipe, &scene, 2, &Unwatched).expect("not stopped"), "ao");
    let (bottom, far) = (open[32 * 64 + 32], open[32 * 64 + 5]);
    assert!(bottom < 0.85 && far > 0.995, "bottom {bottom}, far {far}");
}

#[test]
fn bytes_do_not_depend_on_threads_for_any_map() {
    let low = cube("box", 0.5);
    let mut high = with_surface(&ball("box", 0.7, 40));
    high.colors = high.positions.iter().map(|p| [(p.x * 99.0 + 99.0) as u8, 40, 90]).collect();
    let mut recipe = recipe(80, 4, (0.4, 0.4), MapSettings::all());
    recipe.sheet.padding = Padding::All;
    let name = "weathered enamel";
    let body = Body::of(2.0, low.bounds(), high.bounds());
    recipe.finishes.extend(ReadyFinish::named(name).map(|ready| ready.finish(&body)));
    let one = bake_on(&recipe, &low, &[&high], 1);
    assert!(one.maps.iter().all(|m| m.error.is_none()), "{:?}", one.maps.iter().map(|m| &m.error).collect::<Vec<_>>());
    for threads in [2, 5] {
        assert!(one.maps == bake_on(&recipe, &low, &[&high], threads).maps, "{threads} threads");
    }
}
