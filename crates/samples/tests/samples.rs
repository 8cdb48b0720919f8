//! The samples themselves: sound meshes, the same every time, and bakes with next to no misses.

use ember_ridge_core::bake::{Outcome, Plan, Unwatched, run};
use ember_ridge_core::glam::Vec3;
use ember_ridge_core::inspect::{check_mesh, tight_islands};
use ember_ridge_core::layout::find_islands;
use ember_ridge_core::maps::{AoSettings, Green, MapSettings, Rays, RaysByError, decode_normal};
use ember_ridge_core::mesh::weld;
use ember_ridge_core::picture::{Coding, Depth, Image, Pixels, Sampler};
use ember_ridge_core::scene::BakeScene;
use ember_ridge_core::sheet::{SheetTriangles, rasterise_tile, sample_pattern, tiles_in_morton_order};
use ember_ridge_core::surface::MeshPoint;
use ember_ridge_core::trace::{BackFaces, RaySpan, SightMask};
use ember_ridge_core::{FindingKind, Severity};
use ember_ridge_samples::{Detail, SAMPLES, Sample, make};
use std::collections::HashMap;

/// Samples with a sculpt that are not made wrong on purpose.
fn sound_ones() -> impl Iterator<Item = Sample> {
    let sculpted = |sample: &Sample| sample.finished && !sample.high_file.is_empty();
    SAMPLES.iter().filter_map(|name| make(name, Detail::Draft)).filter(sculpted)
}

#[test]
fn low_polys_have_no_findings_and_uvs_inside_the_square() {
    for sample in sound_ones() {
        let name = sample.name;
        assert_eq!(check_mesh(&sample.low, true), vec![], "{name}");
        assert_eq!(tight_islands(&sample.low, &sample.recipe.sheet), vec![], "{name}");
        assert_eq!(check_mesh(&sample.high, false), vec![], "{name}");
        assert!(find_islands(&sample.low).count >= 6 || sample.low_file.is_empty(), "{name}");
        assert_eq!(sample.high.colors.len(), sample.high.positions.len(), "{name}");
    }
}

#[test]
fn sculpts_are_closed() {
    // The tile goes on in its copies.
    for sample in sound_ones().filter(|sample| sample.recipe.repeats().is_none()) {
        let name = sample.name;
        let welded = weld(&sample.high);
        let mut edges: HashMap<(u32, u32), i32> = HashMap::new();
        for triangle in &sample.high.triangles {
            let p = triangle.map(|v| welded.point_of[v as usize]);
            // A triangle that shrank to a line closes onto itself; only edges between two points count.
            for (a, b) in [(p[0], p[1]), (p[1], p[2]), (p[2], p[0])].into_iter().filter(|(a, b)| a != b) {
                *edges.entry((a.min(b), a.max(b))).or_default() += if a < b { 1 } else { -1 };
            }
        }
        assert!(edges.values().all(|&sum| sum == 0), "{name}: every edge runs both ways equally often");
    }
}

#[test]
fn samples_come_out_the_same_every_time() {
    for name in SAMPLES {
        let (one, two) = (make(name, Detail::Draft).expect("listed"), make(name, Detail::Draft).expect("listed"));
        assert!(one.high.positions == two.high.positions && one.high.triangles == two.high.triangles, "{name}");
        assert!(one.low.uvs == two.low.uvs && one.recipe == two.recipe, "{name}");
    }
}

/// With measured reaches fewer than one texel in a thousand is missed, on each sample.
#[test]
fn samples_bake_with_next_to_no_misses() {
    for sample in sound_ones() {
        let name = sample.name;
        let plane = sample.recipe.repeats();
        let scene = BakeScene::repeating(&[&sample.low], &[&sample.high], None, plane.as_ref()).expect("no cage");
        let mut recipe = sample.recipe.clone();
        recipe.sheet.size = 512;
        recipe.sheet.samples = 4;
        let outcome = run(&Plan::new(&recipe, &scene).expect("sound"), 2, &Unwatched).expect("not stopped");
        let (missed, covered) = (outcome.counts.misses, outcome.counts.covered);
        assert!(covered > 512 * 512 / 2, "{name}: the sheet is well used");
        assert!((missed as f64) < covered as f64 * 0.001, "{name}: {missed} of {covered} texels missed");
        // Coarse rivets show a few back faces and drafts have few rays, which is said; nothing worse is.
        let grave = outcome.report.findings.iter().filter(|f| f.severity > Severity::Note);
        let kinds: Vec<FindingKind> = grave.map(|f| f.kind).collect();
        let harmless = [FindingKind::BackFaceHits, FindingKind::Noise];
        assert!(kinds.iter().all(|k| harmless.contains(k)), "{name}: {kinds:?}");
    }
}

/// What a texel's centre sees: its place on the low-poly, and the sculpt's normal where its ray hits.
struct Centre {
    texel: usize,
    low: MeshPoint,
    normal: Vec3,
}

/// One ray per texel, from its centre, found apart from the bake: the rasteriser's sample, one ray, the mesh's own normals.
fn centres(scene: &BakeScene, plan: &Plan) -> Vec<Centre> {
    let size = plan.recipe.sheet.size;
    let sheet = SheetTriangles::of_mesh(&scene.low.mesh, size);
    let tiles = tiles_in_morton_order(size);
    let mut mask = SightMask::default();
    let mut found = Vec::new();
    for (tile, candidates) in tiles.iter().zip(sheet.bin(&tiles).iter()) {
        let samples = rasterise_tile(&sheet, candidates, tile, &sample_pattern(1));
        for (texel, bounds) in samples.starts.windows(2).enumerate().filter(|(_, b)| b[0] < b[1]) {
            let s = bounds[0] as usize;
            let low = samples.places[s];
            let point = scene.low.point(low, plan.recipe.direction);
            let (out, inward) = plan.rays.field.at(low);
            let origin = point.position + point.outward * out;
            let span = RaySpan { origin, direction: -point.outward, length: out + inward };
            let mask = mask
                .of(&plan.rays.pairs.sights[scene.low.parts[low.triangle as usize] as usize], scene.high.parts.len());
            let Some(hit) = scene.trace.closest(&span, mask, BackFaces::Skip).hit else { continue };
            let [a, b, c] = scene.high.triangles[hit.at.triangle as usize].map(|v| scene.high.normals[v as usize]);
            let (x, y) = (texel as u32 % tile.width + tile.x, texel as u32 / tile.width + tile.y);
            found.push(Centre {
                texel: (y * size + x) as usize,
                low,
                normal: (a + (b - a) * hit.at.v + (c - a) * hit.at.w).normalize(),
            });
        }
    }
    found
}

fn baked(sample: &Sample, size: u32, depth: Depth, map: &str) -> (BakeScene, Plan, Outcome) {
    let scene = BakeScene::new(&[&sample.low], &[&sample.high], None).expect("no cage");
    let mut recipe = sample.recipe.clone();
    // What the sculpt alone gives.
    recipe.finishes.clear();
    recipe.maps = MapSettings::by_key(map).into_iter().collect();
    recipe.sheet.size = size;
    recipe.sheet.samples = 1;
    recipe.sheet.depth = depth;
    let plan = Plan::new(&recipe, &scene).expect("sound");
    let outcome = run(&plan, 2, &Unwatched).expect("not stopped");
    (scene, plan, outcome)
}

/// Decoded as a renderer does it, the normal map gives the sculpt's own normal: under 0.7 degree in the mean at 8 bit, 0.05 at 16.
#[test]
fn a_renderer_that_decodes_the_normal_map_shades_as_the_sculpt_does() {
    for name in ["lookout-lantern", "boundary-stone"] {
        let sample = make(name, Detail::Full).expect("listed");
        for (depth, limit) in [(Depth::Eight, 0.7), (Depth::Sixteen, 0.05)] {
            let (scene, plan, outcome) = baked(&sample, 512, depth, "normal");
            let pixels = outcome.pixels(0, 0).expect("in memory");
            let (mut sum, mut count) = (0.0, 0);
            for centre in centres(&scene, &plan) {
                let rgb = [0, 1, 2].map(|c| pixels.get(centre.texel * 3 + c));
                let Some(frame) = scene.low.frame(centre.low) else { continue };
                let decoded = (frame * decode_normal(rgb, Green::Up)).normalize();
                sum += f64::from(decoded.dot(centre.normal).clamp(-1.0, 1.0).acos().to_degrees());
                count += 1;
            }
            let mean = sum / f64::from(count);
            println!("{name}, {depth:?}: mean angle {mean:.4} degrees over {count} texels");
            assert!(count > 100_000 && mean < limit, "{name}, {depth:?}: {mean} degrees");
        }
    }
}

/// The subdivided low-poly, moved by the delivered heights, lies on the sculpt: in the mean within 0.1 % of the asset's size.
#[test]
fn the_displaced_low_poly_is_the_stone() {
    let sample = make("boundary-stone", Detail::Full).expect("listed");
    let (scene, plan, outcome) = baked(&sample, 1024, Depth::Sixteen, "displacement");
    let scale = outcome.maps[0].scale.expect("whole numbers have a scale");
    let file = Image::new(1024, 1024, 1, outcome.pixels(0, 0).expect("in memory"), Coding::Linear);
    let length = scene.diagonal();
    let mut mask = SightMask::default();
    let mask = mask.of(&plan.rays.pairs.sights[0], scene.high.parts.len());
    // A subdivision of each triangle into 40 x 40, between texel centres as they come.
    let (mut sum, mut count) = (0.0, 0);
    for triangle in 0..scene.low.mesh.triangles.len() as u32 {
        for i in 0..40u32 {
            for j in 0..40 - i {
                let (v, w) = ((i as f32 + 0.33) / 40.0, (j as f32 + 0.33) / 40.0);
                let point = scene.low.point(MeshPoint::new(triangle, v, w), plan.recipe.direction);
                let uvs = scene.low.mesh.corner_uvs(triangle);
                let uv = uvs[0] + (uvs[1] - uvs[0]) * v + (uvs[2] - uvs[0]) * w;
                let height = (file.light(uv, 1.0, Sampler::default()).x - 0.5) * scale;
                let moved = point.position + point.outward * height;
                // The sculpt along the direction the point was moved by: the true distance is this or less.
                let near = |direction: Vec3| {
                    let span = RaySpan { origin: moved, direction, length };
                    scene.trace.closest(&span, mask, BackFaces::Keep).hit.map(|h| h.t)
                };
                let distance = [near(point.outward), near(-point.outward)].into_iter().flatten().reduce(f32::min);
                sum += f64::from(distance.expect("the sculpt is in front or behind"));
                count += 1;
            }
        }
    }
    let mean = sum / f64::from(count) / f64::from(length);
    println!("mean distance {:.4} % of the stone over {count} points", mean * 100.0);
    assert!(mean < 0.001, "{:.4} %", mean * 100.0);
}

#[test]
fn rays_by_error_on_the_lantern_take_fewer_for_the_same_error() {
    let lantern = make("lookout-lantern", Detail::Draft).expect("listed");
    let scene = BakeScene::new(&[&lantern.low], &[&lantern.high], None).expect("no cage");
    let mut recipe = lantern.recipe.clone();
    (recipe.sheet.size, recipe.sheet.samples, recipe.sheet.depth) = (128, 4, Depth::Sixteen);
    let mut open = |rays: Rays, seed: u64| {
        recipe.maps = vec![MapSettings::Ao(AoSettings { rays, ..AoSettings::default() })];
        recipe.seed = seed;
        let outcome = run(&Plan::new(&recipe, &scene).expect("sound"), 2, &Unwatched).expect("not stopped");
        let Pixels::U16(values) = outcome.pixels(0, 0).expect("in memory") else { panic!("of sixteen bits") };
        let covered = values.iter().enumerate().filter(|(texel, _)| outcome.covered(0).get(*texel));
        let open: Vec<f64> = covered.map(|(_, v)| f64::from(*v) / 65535.0).collect();
        (open, outcome.report.maps["ao"].mean_rays.unwrap_or(rays.most() as f32))
    };
    let many: Vec<Vec<f64>> = (10..14).map(|seed| open(Rays::Fixed(512), seed).0).collect();
    let truth: Vec<f64> = (0..many[0].len()).map(|t| many.iter().map(|m| m[t]).sum::<f64>() / 4.0).collect();
    let mut measured = |rays: Rays| {
        let (open, mean) = open(rays, 1);
        let squares: f64 = open.iter().zip(&truth).map(|(a, b)| (a - b).powi(2)).sum();
        ((squares / truth.len() as f64).sqrt(), mean)
    };
    let (error, mean) = measured(Rays::ByError(RaysByError { most: 256, error: 0.01 }));
    let (few, many) = (measured(Rays::Fixed(128)).0, measured(Rays::Fixed(256)).0);
    // Rays per texel that would give the same error, on the line between the two in powers of rays.
    let equal = 128.0 * 2f64.powf((few / error).ln() / (few / many).ln());
    println!("{error:.5} with {mean:.0} rays; {few:.5} with 128, {many:.5} with 256: {:.2}", equal / f64::from(mean));
    assert!(error <= 0.01 && many < error && error < few);
    assert!(f64::from(mean) * 1.25 < equal, "{mean} rays for an error that {equal} would have");
}

/// What a map says from one texel to the next over the edge of the sheet differs no more than it does inside.
#[test]
fn trail_ground_closes_at_its_edges() {
    let sample = make("trail-ground", Detail::Draft).expect("listed");
    let mut recipe = sample.recipe;
    recipe.sheet.size = 256;
    recipe.sheet.samples = 1;
    let plane = recipe.repeats();
    let scene = BakeScene::repeating(&[&sample.low], &[], None, plane.as_ref()).expect("no cage");
    let outcome = run(&Plan::new(&recipe, &scene).expect("sound"), 2, &Unwatched).expect("not stopped");
    for key in ["base-color", "height", "normal"] {
        let number = outcome.maps.iter().position(|map| map.facts.key() == key).expect("baked");
        let channels = outcome.maps[number].facts.shape.channels;
        let pixels = outcome.pixels(0, number).expect("tiles wait in memory");
        let step = |a: (usize, usize), b: (usize, usize)| {
            let at = |(x, y): (usize, usize), c: usize| pixels.get((y * 256 + x) * channels + c);
            (0..channels).map(|c| (at(a, c) - at(b, c)).abs()).sum::<f32>()
        };
        let mean = |over: &dyn Fn(usize) -> f32| (0..256).map(over).sum::<f32>() / 256.0;
        let inside = mean(&|i| step((127, i), (128, i)) + step((i, 127), (i, 128)));
        let edge = mean(&|i| step((255, i), (0, i)) + step((i, 255), (i, 0)));
        assert!(inside > 0.0 && edge < 2.0 * inside, "{key}: {edge} at the edge against {inside} inside");
    }
}
