//! Mends on the lantern: strokes over its parts lie in the same places at any size of the sheet.

use ember_ridge_core::Recipe;
use ember_ridge_core::bake::{Layer, Outcome, Plan, Unwatched, run};
use ember_ridge_core::glam::Vec3;
use ember_ridge_core::maps::MapSettings;
use ember_ridge_core::mend::{Mend, MendTool};
use ember_ridge_core::reach::spread_points;
use ember_ridge_core::scene::BakeScene;
use ember_ridge_samples::{Detail, make};
use std::collections::BTreeMap;

const STROKES: usize = 40;

/// The rows of a map's layer, whole.
fn rows(outcome: &Outcome, layer: Layer, map: usize) -> Vec<f32> {
    let mut all = Vec::new();
    let mut sink = |rows: &[f32]| {
        all.extend_from_slice(rows);
        Ok::<(), String>(())
    };
    outcome.stream_layer(layer, 0, map, &mut sink).expect("in memory");
    all
}

/// Texels of a map that a bake's mends changed at all, and by at least half of what they held; column and row.
fn changed(outcome: &Outcome, map: usize) -> [Vec<[i32; 2]>; 2] {
    let (mended, beneath) = (rows(outcome, Layer::Mended, map), rows(outcome, Layer::Beneath, map));
    let size = outcome.size as usize;
    let by_at_least = |share: f32| {
        let texels = mended.iter().zip(&beneath).enumerate();
        // Padding repeats what is covered.
        let texels = texels.filter(|(texel, (a, b))| outcome.covered(0).get(*texel) && **b - **a > share * **b);
        texels.map(|(texel, _)| [(texel % size) as i32, (texel / size) as i32]).collect()
    };
    [by_at_least(0.0), by_at_least(0.5)]
}

/// Whether each of some texels, made smaller by a factor, lies within a texel of one of others, made smaller by another.
fn all_near((some, by): (&[[i32; 2]], i32), (others, other_by): (&[[i32; 2]], i32)) -> bool {
    some.iter().all(|[x, y]| {
        let near = |[a, b]: &[i32; 2]| (a / other_by - x / by).abs() <= 1 && (b / other_by - y / by).abs() <= 1;
        others.iter().any(near)
    })
}

#[test]
fn forty_strokes_on_the_lantern_lie_in_the_same_places_at_double_size() {
    let lantern = make("lookout-lantern", Detail::Draft).expect("a sample");
    let (low, high) = (&lantern.low, &lantern.high);
    let scene = BakeScene::new(&[low], &[high], None).expect("no cage");
    let mut recipe = Recipe::new("lantern");
    recipe.low.push(ember_ridge_core::recipe::MeshSource::file("low"));
    recipe.high.push(ember_ridge_core::recipe::MeshSource::file("high"));
    recipe.sheet.samples = 1;
    recipe.maps = ["ao", "normal"].iter().filter_map(|id| MapSettings::by_key(id)).collect();
    recipe.maps[0] = recipe.maps[0].clone().with_at_most(4);
    let size = 0.03 * scene.diagonal();
    let places = spread_points(&scene.low, STROKES + 8, 0, 5);
    let strokes: Vec<Mend> = places
        .iter()
        .take(STROKES)
        .enumerate()
        .map(|(n, at)| {
            let point = scene.low.mesh.at(*at);
            let across = scene.low.mesh.face_normal(at.triangle).any_orthonormal_vector() * size * 0.5;
            let path = [point, point + across].map(|p: Vec3| [p.x, p.y, p.z, 1.0]).to_vec();
            let tool = if n % 2 == 0 { MendTool::Set } else { MendTool::Smooth };
            Mend {
                tool,
                maps: vec!["ao".into(), "normal".into()],
                size,
                strength: 1.0,
                value: (tool == MendTool::Set).then_some(0.0),
                color: None,
                from: None,
                path,
                beneath: BTreeMap::new(),
            }
        })
        .collect();
    let bake = |size: u32, strokes: Vec<Mend>| {
        let mut recipe = recipe.clone();
        recipe.sheet.size = size;
        recipe.mends.strokes = strokes;
        run(&Plan::new(&recipe, &scene).expect("sound"), 0, &Unwatched).expect("nobody stops it")
    };
    let all = bake(256, strokes.clone());
    assert_eq!(all.report.maps["normal"].mends, STROKES, "none is idle");
    // All of them at once: what they change stays a direction out of the surface, of unit length.
    let (mended, beneath) = (rows(&all, Layer::Mended, 1), rows(&all, Layer::Beneath, 1));
    let both = mended.chunks(3).zip(beneath.chunks(3)).filter(|(a, b)| a != b);
    let directions: Vec<Vec3> = both.map(|(texel, _)| Vec3::from_slice(texel) * 2.0 - 1.0).collect();
    assert!(directions.len() > 1000, "{} texels", directions.len());
    for n in directions {
        assert!((n.length() - 1.0).abs() < 0.012 && n.z > -0.004, "{n}");
    }
    // Each alone, where a value is set: at both sizes the same places change, within a texel of the smaller sheet.
    let mut held = 0;
    for stroke in strokes.iter().filter(|stroke| stroke.tool == MendTool::Set).take(12) {
        let [[any, half], [any_large, half_large]] =
            [256, 512].map(|size| changed(&bake(size, vec![stroke.clone()]), 0));
        assert!(half.len() >= 3 && half_large.len() >= 12, "{} and {} texels", half.len(), half_large.len());
        assert!(all_near((&half_large, 2), (&any, 1)), "{:?}", stroke.path);
        assert!(all_near((&half, 1), (&any_large, 2)), "{:?}", stroke.path);
        held += 1;
    }
    assert_eq!(held, 12);
}
