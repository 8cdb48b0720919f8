//! Places on a mesh, and what is resolved under samples: against plain geometry.

use crate::support::*;
use ember_ridge_core::bake::Plan;
use ember_ridge_core::glam::{Vec2, Vec3, vec2, vec3};
use ember_ridge_core::hits::{Resolved, Scratch, TileHits, TileSource};
use ember_ridge_core::maps::MapSettings;
use ember_ridge_core::scene::BakeScene;
use ember_ridge_core::surface::{MeshPoint, nearest_on_triangle};
use ember_ridge_core::trace::BackFaces;
use proptest::prelude::*;

fn corner() -> impl Strategy<Value = Vec3> {
    prop::array::uniform3(-2.0f32..2.0).prop_map(Vec3::from)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(300))]

    #[test]
    fn a_value_between_corners_is_the_weighted_sum(
        corners in prop::array::uniform3(corner()), a in 0.0f32..1.0, b in 0.0f32..1.0,
    ) {
        let (v, w) = if a + b > 1.0 { (1.0 - a, 1.0 - b) } else { (a, b) };
        let at = MeshPoint::new(0, v, w);
        let sum = corners[0] * (1.0 - v - w) + corners[1] * v + corners[2] * w;
        prop_assert!(at.between(corners).distance(sum) < 1e-5);
        // Exact where corners agree, whatever the weights.
        prop_assert_eq!(at.between([corners[0]; 3]), corners[0]);
        prop_assert_eq!(at.between([0.1f32; 3]), 0.1);
        prop_assert_eq!(MeshPoint::new(0, 0.0, 0.0).between(corners), corners[0]);
    }

    #[test]
    fn no_point_of_a_triangle_is_nearer_than_the_nearest(
        corners in prop::array::uniform3(corner()), p in corner(),
    ) {
        let (v, w) = nearest_on_triangle(p, corners);
        prop_assert!(v >= 0.0 && w >= 0.0 && v + w <= 1.0 + 1e-6);
        let nearest = MeshPoint::new(0, v, w).between(corners).distance(p);
        for i in 0..=24u8 {
            for j in 0..=24 - i {
                let other = MeshPoint::new(0, f32::from(i) / 24.0, f32::from(j) / 24.0).between(corners);
                prop_assert!(nearest <= other.distance(p) + 1e-5, "{other} is nearer");
            }
        }
    }
}

#[test]
fn what_is_resolved_lies_on_the_ball_that_was_hit() {
    // A smooth ball of a known radius in a box: points, normals and faces are those of the ball.
    let radius = 0.7f32;
    let (low, high) = (cube("box", 0.5), ball("box", radius, 120));
    let scene = BakeScene::new(&[&low], &[&high], None).expect("no cage");
    let size = 64;
    let recipe = recipe(size, 4, (0.4, 0.4), MapSettings::by_key("normal").into_iter().collect());
    let plan = Plan::new(&recipe, &scene).expect("sound");
    let mut scratch = Scratch::default();
    let mut seen = 0;
    for number in plan.rays.busy_tiles() {
        let hits = TileHits::trace(&plan.rays, number, &TileSource::default(), &mut scratch);
        let surface = Resolved::new(&plan.rays, &hits);
        for s in (0..hits.samples()).filter(|&s| hits.is_hit(s)) {
            let point = surface.points()[s];
            // Chords of 120 rings lie no deeper than this under the ball.
            assert!((point.length() - radius).abs() < radius * 4e-4, "{point}");
            assert!(surface.normals()[s].angle_between(point).to_degrees() < 0.3);
            assert!(surface.faces()[s].angle_between(point).to_degrees() < 1.5);
            // The ray that found it runs through it, as high over the box as it says.
            let course = hits.course(s).expect("there is a sculpt");
            let height = hits.height(s).expect("a hit");
            assert!((course.position + course.outward * height).distance(point) < 1e-4);
            // Every island is 0.29 by 0.46 of the sheet and one by one in size.
            let side = (1.0f32 / (0.29 * 0.46)).sqrt() / (size as f32 * 2.0);
            assert!((surface.sides()[s] / side - 1.0).abs() < 1e-3, "{} of {side}", surface.sides()[s]);
            seen += 1;
        }
    }
    assert!(seen > 5000, "{seen} samples");
}

#[test]
fn on_a_kept_back_face_what_is_resolved_looks_to_the_ray() {
    // The ball turned inside out: with back faces kept its far sides count, and are told as they are seen.
    let (low, mut high) = (cube("box", 0.5), ball("box", 0.7, 60));
    high.triangles.iter_mut().for_each(|t| t.swap(1, 2));
    high.normals.iter_mut().for_each(|n| *n = -*n);
    let scene = BakeScene::new(&[&low], &[&high], None).expect("no cage");
    let mut recipe = recipe(32, 1, (0.4, 0.4), MapSettings::by_key("normal").into_iter().collect());
    recipe.back_faces = BackFaces::Keep;
    let plan = Plan::new(&recipe, &scene).expect("sound");
    let mut seen = 0;
    for number in plan.rays.busy_tiles() {
        let hits = TileHits::trace(&plan.rays, number, &TileSource::default(), &mut Scratch::default());
        let surface = Resolved::new(&plan.rays, &hits);
        for s in (0..hits.samples()).filter(|&s| hits.hit(s).is_some_and(|hit| hit.back)) {
            let outward = hits.course(s).expect("there is a sculpt").outward;
            assert!(surface.normals()[s].dot(outward) > 0.0 && surface.faces()[s].dot(outward) > 0.0);
            seen += 1;
        }
    }
    assert!(seen > 300, "{seen} samples");
}

#[test]
fn without_a_sculpt_the_low_surface_is_what_is_resolved() {
    let low = height_field("field", 4, |x, z| 0.2 * x + 0.1 * z);
    let scene = BakeScene::new(&[&low], &[], None).expect("no cage");
    let mut recipe = recipe(32, 1, (0.1, 0.1), MapSettings::by_key("id").into_iter().collect());
    recipe.normal_map = serde_json::from_value(serde_json::json!({ "file": "n.png" })).ok();
    let plan = Plan::new(&recipe, &scene).expect("sound");
    let normal = vec3(-0.2, 1.0, -0.1).normalize();
    let mut texels = 0;
    for number in plan.rays.busy_tiles() {
        let hits = TileHits::trace(&plan.rays, number, &TileSource::default(), &mut Scratch::default());
        let surface = Resolved::new(&plan.rays, &hits);
        for (texel, samples) in hits.texels() {
            let at = hits.texel_on_sheet(texel, 32);
            let uv: Vec2 = (vec2((at % 32) as f32, (at / 32) as f32) + 0.5) / 32.0;
            let point = surface.points()[samples.start];
            // v runs up the sheet, rows run down it, and z runs with them.
            let expected = vec3(uv.x, 0.2 * uv.x + 0.1 * uv.y, uv.y);
            assert!(point.distance(expected) < 1e-5, "{point}, not {expected}");
            assert!(surface.faces()[samples.start].distance(normal) < 1e-4);
            texels += 1;
        }
    }
    assert_eq!(texels, 32 * 32);
}
