//! Occlusion and bent normals against arithmetic: beside walls, over convex bodies, among parts.

use crate::support::*;
use ember_ridge_core::glam::{EulerRot, Quat, Vec3, vec3};
use ember_ridge_core::maps::*;
use ember_ridge_core::pairs::Pairing;
use ember_ridge_core::picture::{Depth, ImageFormat};
use ember_ridge_core::surface::Distance;
use ember_ridge_core::{Mesh, Part};

/// A floor from x = 0 to 1 and, at x = 0, a wall of height `h`, both very long in z.
fn floor_and_wall(h: f32) -> Mesh {
    let stretch = |p: Vec3| vec3(p.x, p.y, (p.z - 0.5) * 400.0);
    let mut floor = height_field("floor", 1, |_, _| 0.0);
    floor.positions.iter_mut().for_each(|p| *p = stretch(*p));
    let mut wall = floor.clone();
    wall.positions.iter_mut().for_each(|p| *p = vec3(0.0, (1.0 - p.x) * h, p.z));
    wall.normals.fill(Vec3::X);
    let mut both = Mesh::joined(&[&floor, &wall]);
    both.parts = vec![Part { name: "field".into(), triangles: 0..both.triangles.len() as u32 }];
    both
}

#[test]
fn occlusion_beside_a_wall_is_what_the_formula_says() {
    let h = 0.5f32;
    let low = height_field("field", 1, |_, _| 0.0);
    let whole = bake(&sixteen(64, 0.05, vec![MapSettings::Ao(ao(256, 150.0))]), &low, &[&floor_and_wall(h)]);
    let open = values(&whole, "ao");
    for column in [2, 8, 16, 32, 56] {
        let x = (column as f32 + 0.5) / 64.0;
        let expected = open_beside_wall(x, h);
        let errors: Vec<f32> = (0..64).map(|row| open[row * 64 + column] - expected).collect();
        let mean = errors.iter().sum::<f32>() / 64.0;
        let spread = (errors.iter().map(|e| e * e).sum::<f32>() / 64.0).sqrt();
        assert!(mean.abs() < 0.004, "x {x}: off by {mean}");
        // One texel alone strays by what 256 rays cannot tell.
        assert!(spread < 0.008 && errors.iter().all(|e| e.abs() < 0.03), "x {x}: strays by {spread}");
    }
}

#[test]
fn a_wall_that_darkens_less_the_further_off_is_what_an_integral_says() {
    // Rays that meet the wall within the distance let through how far off they met it, as a share of that.
    let (h, reach) = (0.5f64, 0.8f64);
    let low = height_field("field", 1, |_, _| 0.0);
    let settings = AoSettings { falloff: Falloff::Linear, ..ao(512, reach as f32) };
    let mut recipe = sixteen(64, 0.05, vec![MapSettings::Ao(settings)]);
    recipe.sheet.samples = 1;
    let open = values(&bake(&recipe, &low, &[&floor_and_wall(h as f32)]), "ao");
    for column in [3, 16, 40, 60] {
        let x = (f64::from(column) + 0.5) / 64.0;
        // Over the disc that cosine-weighted directions fall on evenly: (a, b) is the direction's part along the floor.
        let (steps, mut let_through) = (1200, 0.0);
        for i in 0..steps * steps {
            let (a, b) = (f64::from(i % steps), f64::from(i / steps));
            let (a, b) = ((a + 0.5) / f64::from(steps) * 2.0 - 1.0, (b + 0.5) / f64::from(steps) * 2.0 - 1.0);
            let up = 1.0 - a * a - b * b;
            if up < 0.0 {
                continue;
            }
            let way = if a < 0.0 { x / -a } else { f64::INFINITY };
            let meets = way <= reach && way * up.sqrt() <= h;
            let_through += if meets { way / reach } else { 1.0 };
        }
        let expected = let_through * 4.0 / f64::from(steps).powi(2) / std::f64::consts::PI;
        let mean = (0..64).map(|row| f64::from(open[row * 64 + column as usize])).sum::<f64>() / 64.0;
        assert!((mean - expected).abs() < 0.002, "x {x}: {mean} for {expected}");
    }
}

#[test]
fn a_ball_is_as_thick_as_its_mean_chord() {
    // A chord at an angle from the normal is 2 R cos long; its mean over cosine-weighted directions is 4/3 R.
    let (radius, white) = (0.5f32, 2.0f32);
    let (low, high) = (cube("box", 0.5), ball("box", radius, 90));
    let settings =
        ThicknessSettings { rays: 256.into(), distance: Distance::Units(white), ..ThicknessSettings::default() };
    let whole = bake(&recipe(64, 4, (0.2, 0.6), vec![MapSettings::Thickness(settings)]), &low, &[&high]);
    let thick = values(&whole, "thickness");
    let covered: Vec<f32> = (0..64 * 64).filter(|&t| whole.covered[t]).map(|t| thick[t]).collect();
    let expected = 4.0 / 3.0 * radius / white;
    let mean = covered.iter().sum::<f32>() / covered.len() as f32;
    assert!((mean - expected).abs() < 0.003, "{mean} for {expected}");
    assert!(covered.iter().all(|v| (v - expected).abs() < 0.02), "everywhere alike");
}

/// Share of the sky that a floor sees at `x` from a wall of height `h`.
fn open_beside_wall(x: f32, h: f32) -> f32 {
    1.0 - (1.0 - x / (x * x + h * h).sqrt()) / 2.0
}

#[test]
fn several_samples_are_no_noisier_than_one() {
    let (h, size) = (0.5f32, 64);
    let low = height_field("field", 1, |_, _| 0.0);
    let high = floor_and_wall(h);
    let error = |samples: u32, rays: u32| {
        let mut recipe = sixteen(size, 0.05, vec![MapSettings::Ao(ao(rays, 150.0))]);
        recipe.sheet.samples = samples;
        // A texel of several samples holds the mean over its width.
        let expected = |column: usize| {
            let over = if samples == 1 { 1 } else { 64 };
            let at = |i: usize| (column as f32 + (i as f32 + 0.5) / over as f32) / size as f32;
            (0..over).map(|i| open_beside_wall(at(i), h)).sum::<f32>() / over as f32
        };
        let columns: Vec<f32> = (0..size as usize).map(expected).collect();
        // A seed has 256 sets of directions, which tell an error to a twentieth or so.
        let squares = (0..12).map(|seed| {
            recipe.seed = seed;
            let open = values(&bake(&recipe, &low, &[&high]), "ao");
            let squares = open.iter().enumerate().map(|(texel, v)| (v - columns[texel % size as usize]).powi(2));
            squares.sum::<f32>() / open.len() as f32
        });
        (squares.sum::<f32>() / 12.0).sqrt()
    };
    for rays in [64, 256] {
        let one = error(1, rays);
        for samples in [4, 16] {
            let several = error(samples, rays);
            println!("{rays} rays: one sample {one:.5}, {samples} samples {several:.5}");
            // Of a hundred seeds the error itself is known to about a hundredth.
            assert!(several <= one * 1.02, "{rays} rays, {samples} samples: {several} above {one}");
        }
    }
}

#[test]
fn a_flat_face_never_stands_in_its_own_way() {
    // Rays that run along a face far longer than a texel, from places that rounding leaves a little off it, at any slant.
    let low = height_field("field", 1, |_, _| 0.0);
    let mut high = low.clone();
    high.positions.iter_mut().for_each(|p| *p = vec3(p.x, 0.0, (p.z - 0.5) * 400.0));
    for (turn, shift) in [(0.0f32, 0.0f32), (0.3, 0.0), (0.3, 500.0), (1.1, -90.0), (2.0, 3000.0)] {
        let turned = Quat::from_euler(EulerRot::XYZ, turn, 0.7 * turn, 1.9 * turn);
        let placed = |mesh: &Mesh| {
            let mut placed = mesh.clone();
            placed.positions.iter_mut().for_each(|p| *p = turned * *p + vec3(1.0, 0.3, -0.7) * shift);
            placed.normals.iter_mut().for_each(|n| *n = turned * *n);
            placed
        };
        let whole = bake(&sixteen(64, 1.0, vec![MapSettings::Ao(ao(256, 1e4))]), &placed(&low), &[&placed(&high)]);
        let open = values(&whole, "ao");
        let dark = open.iter().filter(|v| **v < 1.0).count();
        assert_eq!(dark, 0, "of {} texels, turned by {turn}, {shift} away", open.len());
    }
}

fn by_error(most: u32, error: f32) -> Rays {
    Rays::ByError(RaysByError { most, error })
}

#[test]
fn rays_by_error_keep_the_error_and_fall_where_they_are_needed() {
    let (h, size) = (0.5f32, 64usize);
    let low = height_field("field", 1, |_, _| 0.0);
    let high = floor_and_wall(h);
    let mut before = 0.0;
    for error in [0.03f32, 0.02, 0.01] {
        let mut recipe = sixteen(size as u32, 0.05, vec![MapSettings::Ao(ao(by_error(512, error), 150.0))]);
        recipe.sheet.samples = 1;
        let whole = bake(&recipe, &low, &[&high]);
        let open = values(&whole, "ao");
        let off = |texel: usize| open[texel] - open_beside_wall(((texel % size) as f32 + 0.5) / size as f32, h);
        let measured = ((0..size * size).map(|t| off(t).powi(2)).sum::<f32>() / (size * size) as f32).sqrt();
        let mean = whole.report.maps["ao"].mean_rays.expect("it is told");
        println!("error {error}: {measured:.5} with {mean} rays per texel");
        assert!(measured <= error && measured > error / 3.0, "{measured} for {error}");
        assert!((16.0..=512.0).contains(&mean) && mean > before, "{mean}");
        before = mean;
        assert!((whole.report.maps["ao"].rays as f32 / (size * size) as f32 - mean).abs() < 0.01);
    }
    // Where nothing blocks it none is wasted.
    let whole = bake(&sixteen(32, 0.05, vec![MapSettings::Ao(ao(by_error(512, 0.02), 150.0))]), &low, &[&low]);
    assert!(values(&whole, "ao").iter().all(|v| *v == 1.0));
    assert_eq!(whole.report.maps["ao"].mean_rays, Some(32.0));
}

#[test]
fn a_number_of_rays_or_an_error_is_read_and_checked() {
    let read = |rays: &str| serde_json::from_str::<AoSettings>(&format!("{{\"rays\": {rays}}}"));
    assert_eq!(read("128").expect("a number").rays, Rays::Fixed(128));
    assert_eq!(read("{\"most\": 256, \"error\": 0.01}").expect("an error").rays, by_error(256, 0.01));
    let told = read("{\"most\": 256, \"errors\": 0.01}").expect_err("no such field").to_string();
    assert!(told.contains("\"most\": 256, \"error\": 0.01"), "{told}");
    let checked = |rays: Rays| MapSettings::Ao(ao(rays, 1.0)).validate();
    assert_eq!(checked(by_error(32, 0.2)), Ok(()));
    let said = |rays: Rays, words: &str| checked(rays).expect_err("out of range").contains(words);
    assert!(said(Rays::Fixed(100), "rays is 100") && said(by_error(16, 0.1), "rays.most is 16"));
    assert!(said(by_error(64, 0.0), "rays.error is 0") && said(by_error(64, f32::NAN), "rays.error is NaN"));
    // A proof holds its limit, which leaves nothing to choose.
    assert_eq!(by_error(512, 0.01).at_most(16), Rays::Fixed(16));
    assert_eq!(by_error(512, 0.01).at_most(64), by_error(64, 0.01));
}

#[test]
fn a_convex_body_is_open_all_round_at_any_scale() {
    for scale in [0.001f32, 1.0, 10_000.0] {
        let low = scaled(&cube("box", 0.5), scale);
        let high = scaled(&ball("box", 0.7, 30), scale);
        let maps = vec![MapSettings::Ao(ao(64, 10.0 * scale))];
        let whole = bake(&recipe(48, 4, (0.6 * scale, 0.6 * scale), maps), &low, &[&high]);
        let open = values(&whole, "ao");
        assert!((0..48 * 48).all(|t| !whole.covered[t] || open[t] == 1.0), "scale {scale}");
    }
}

#[test]
fn a_floating_detail_told_not_to_occlude_changes_no_texel() {
    let low = height_field("field", 1, |_, _| 0.0);
    let ground = height_field("field", 40, |x, z| 0.03 * (20.0 * x).sin() * (20.0 * z).sin());
    let cover = moved(&height_field("cover", 1, |_, _| 0.0), vec3(0.0, 0.3, 0.0));
    let baked = |clear: &[&str], high: &[&Mesh]| {
        let clear = clear.iter().map(|s| (*s).to_owned()).collect();
        let mut recipe = sixteen(48, 0.1, vec![MapSettings::Ao(AoSettings { clear, ..ao(64, 1.0) })]);
        recipe.pairing = Pairing::All;
        values(&bake(&recipe, &low, high), "ao")
    };
    let bare = baked(&[], &[&ground]);
    assert!(baked(&[], &[&ground, &cover]) != bare, "it darkens when it may");
    assert!(baked(&["cover"], &[&ground, &cover]) == bare);
}

#[test]
fn occluders_are_the_own_pair_or_the_whole_sculpt() {
    let low = height_field("field", 1, |_, _| 0.0);
    let ground = height_field("field", 1, |_, _| 0.0);
    let other = moved(&height_field("other", 1, |_, _| 0.0), vec3(0.0, 0.2, 0.0));
    let mean = |occluders: Occluders| {
        let maps = vec![MapSettings::Ao(AoSettings { occluders, ..ao(64, 1.0) })];
        let open = values(&bake(&sixteen(32, 0.1, maps), &low, &[&ground, &other]), "ao");
        open.iter().sum::<f32>() / open.len() as f32
    };
    assert_eq!(mean(Occluders::Pair), 1.0);
    let all = mean(Occluders::All);
    assert!(all < 0.5, "{all}");
    assert!((mean(Occluders::Parts(vec!["other".into()])) - all).abs() < 1e-3);
}

#[test]
fn a_part_that_is_not_there_fails_its_map_and_leaves_the_others() {
    let low = height_field("field", 1, |_, _| 0.0);
    let clear = vec!["no such part".to_owned()];
    let maps = vec![MapSettings::Ao(AoSettings { clear, ..ao(64, 1.0) }), curvature(0.1, 0.1)];
    let whole = bake(&sixteen(16, 0.1, maps), &low, &[&low]);
    let error = whole.maps[0].error.as_deref().expect("it cannot be made");
    assert!(error.contains("no such part") && error.contains("field"), "{error}");
    assert_eq!(whole.report.maps["ao"].error.as_deref(), Some(error));
    assert!(values(&whole, "curvature").iter().all(|v| (v - 0.5).abs() < 1e-4));
}

#[test]
fn the_way_out_of_a_corner_leans_away_from_its_wall() {
    let low = height_field("field", 1, |_, _| 0.0);
    let maps = vec![MapSettings::BentNormal(BentNormalSettings {
        rays: 256.into(),
        distance: Distance::Units(150.0),
        ..BentNormalSettings::default()
    })];
    let whole = bake(&sixteen(32, 0.05, maps), &low, &[&floor_and_wall(2.0)]);
    let texels = values(&whole, "bent-normal");
    // A wall at x = 0 hides the half towards -x; what is left of a cosine-weighted sky leans to +x, by symmetry not along z.
    let at = (16 * 32 + 1) * 3;
    let bent = decode_normal([texels[at], texels[at + 1], texels[at + 2]], Green::Up);
    assert!(bent.x > 0.4 && bent.y.abs() < 0.03, "{bent}");
    let far = (16 * 32 + 31) * 3;
    assert!(texels[far] * 2.0 - 1.0 < bent.x, "it leans less further off");
}

#[test]
fn a_map_is_the_same_whether_it_shares_its_rays_or_has_them_to_itself() {
    // Other numbers of rays, other distances, by distance and not: each map weighs one fan in its own way.
    let (low, high) = (cube("box", 0.5), ball("box", 0.62, 60));
    let of = |id: &str| MapSettings::by_key(id).expect("a map");
    let mut near = ao(64, 0.9);
    near.falloff = Falloff::Linear;
    let bent = BentNormalSettings { rays: 128.into(), distance: Distance::Units(0.5), ..BentNormalSettings::default() };
    let cavity = CavitySettings { rays: 16.into(), detail: Distance::Units(0.1), ..CavitySettings::default() };
    for first in [ao(64, 0.9), ao(256, 0.2), ao(by_error(512, 0.01), 0.2), near] {
        let maps = [MapSettings::Ao(first), MapSettings::BentNormal(bent.clone()), MapSettings::Cavity(cavity.clone())];
        let maps = [maps.to_vec(), vec![of("thickness"), of("normal")]].concat();
        let mut all = recipe(64, 4, (0.3, 0.3), maps.clone());
        all.sheet.depth = Depth::Float;
        all.sheet.format = ImageFormat::Exr;
        let together = bake(&all, &low, &[&high]);
        let mut reversed = all.clone();
        reversed.maps.reverse();
        let turned = bake(&reversed, &low, &[&high]);
        for (at, map) in maps.into_iter().enumerate() {
            let id = map.id();
            let alone = bake(&ember_ridge_core::Recipe { maps: vec![map], ..all.clone() }, &low, &[&high]);
            assert!(together.maps[at].pixels == alone.maps[0].pixels, "{id} alone");
            assert!(together.maps[at].pixels == turned.maps[4 - at].pixels, "{id} in another order");
        }
        // The longest run of rays serves all that leave outward.
        let rays = |id: &str| together.report.maps[id].rays;
        assert!(rays("ao") > 0 && rays("bent-normal") == 0 && rays("cavity") == 0);
    }
}
