//! Memory of a low-poly on a hundred UDIM tiles: it grows with what lies on the sheets, not with sheets times mesh.

#[allow(dead_code, reason = "the other tests' helpers, of which these need few")]
mod support;

use ember_ridge_core::bake::{Canvas, Plan, SoFar, Watch, run};
use ember_ridge_core::glam::vec2;
use ember_ridge_core::maps::MapSettings;
use ember_ridge_core::scene::BakeScene;
use ember_ridge_core::sheet::Layout;
use peak_alloc::PeakAlloc;
use support::*;

#[global_allocator]
static HEAP: PeakAlloc = PeakAlloc;

/// A bake that nobody watches.
struct Blind;

impl Watch for Blind {
    fn now(&self) -> f64 {
        0.0
    }

    fn stopped(&self) -> bool {
        false
    }

    fn looks(&self) -> bool {
        false
    }

    fn tile_done(&self, _: &SoFar, canvas: &Canvas) {
        assert!(canvas.preview(0, "normal").is_none(), "a picture takes memory");
    }
}

#[test]
fn a_hundred_tiles_take_what_lies_on_them() {
    // 200,000 triangles, ten by ten tiles.
    let board = height_field("board", 316, |_, _| 0.0);
    let maps = || ["normal", "position", "miss"].into_iter().filter_map(MapSettings::by_key).collect::<Vec<_>>();
    let peak = |tiles: f32| {
        let low = with_uvs(&board, |uv| uv * vec2(tiles, tiles) * 0.9999);
        // As many texels in all, on one sheet or on a hundred.
        let mut recipe = recipe((1280.0 / tiles) as u32, 1, (0.1, 0.1), maps());
        recipe.sheet.layout = Layout::Udim;
        let scene = BakeScene::new(&[&low], &[], None).expect("no cage");
        scene.low_findings();
        let before = HEAP.current_usage();
        HEAP.reset_peak_usage();
        let plan = Plan::new(&recipe, &scene).expect("sound");
        assert_eq!(plan.rays.sheets.len(), (tiles * tiles) as usize);
        let outcome = run(&plan, 1, &Blind).expect("nobody stops it");
        assert!(outcome.counts.covered > 1_600_000);
        HEAP.peak_usage() - before
    };
    let (one, hundred) = (peak(1.0), peak(10.0));
    println!("one sheet {:.1} MB, a hundred {:.1} MB", one as f32 / 1e6, hundred as f32 / 1e6);
    assert!(hundred < one + one / 2, "{one} and {hundred} bytes");
}
