//! The samples themselves: sound meshes, the same every time, and bakes with next to no misses.

use ember_ridge_core::bake::{BakeScene, Plan, Unwatched, run};
use ember_ridge_core::mesh::{check_mesh, find_islands};
use ember_ridge_core::{FindingKind, Severity, mesh::weld};
use ember_ridge_samples::{Detail, SAMPLES, make};
use std::collections::HashMap;

#[test]
fn low_polys_have_no_findings_and_uvs_inside_the_square() {
    for name in SAMPLES {
        let sample = make(name, Detail::Draft).expect("listed");
        assert_eq!(check_mesh(&sample.low, true), vec![], "{name}");
        let worse = check_mesh(&sample.high, false).into_iter().filter(|f| f.severity > Severity::Note);
        assert_eq!(worse.collect::<Vec<_>>(), vec![], "{name}");
        assert!(find_islands(&sample.low).count >= 6, "{name}");
        assert_eq!(sample.high.colors.len(), sample.high.positions.len(), "{name}");
    }
}

#[test]
fn sculpts_are_closed() {
    for name in SAMPLES {
        let sample = make(name, Detail::Draft).expect("listed");
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
    for name in SAMPLES {
        let sample = make(name, Detail::Draft).expect("listed");
        let scene = BakeScene::new(&[&sample.low], &[&sample.high], None).expect("no cage");
        let mut recipe = sample.recipe.clone();
        recipe.sheet.size = 512;
        let outcome = run(&Plan::new(&recipe, &scene).expect("sound"), 2, &Unwatched).expect("not stopped");
        let (missed, covered) = (outcome.counts.misses, outcome.counts.covered);
        assert!(covered > 512 * 512 / 2, "{name}: the sheet is well used");
        assert!((missed as f64) < covered as f64 * 0.001, "{name}: {missed} of {covered} texels missed");
        // Coarse rivets show a few back faces, which is said; nothing worse is.
        let kinds: Vec<FindingKind> = outcome.report.findings.iter().map(|f| f.kind).collect();
        let harmless = [FindingKind::BackFaceHits, FindingKind::ColoursMerged];
        assert!(kinds.iter().all(|k| harmless.contains(k)), "{name}: {kinds:?}");
    }
}
