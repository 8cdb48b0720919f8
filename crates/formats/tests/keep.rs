//! The files of a run: every map of every sheet, whatever becomes of one of them.

use ember_ridge_core::bake::{Plan, Unwatched, run};
use ember_ridge_core::glam::{vec2, vec3};
use ember_ridge_core::maps::MapSettings;
use ember_ridge_core::picture::ImageFormat;
use ember_ridge_core::recipe::MeshSource;
use ember_ridge_core::scene::BakeScene;
use ember_ridge_core::sheet::Layout;
use ember_ridge_core::{Draft, DraftPart, Mesh, Recipe};
use ember_ridge_formats::keep::{KeptRun, MapFile, keep_run};
use std::sync::atomic::{AtomicUsize, Ordering};

/// Two squares beside each other, on UDIM tiles 1001 and 1002.
fn squares() -> Mesh {
    let mut draft = Draft::default();
    for x in [0.0, 1.0] {
        for (u, v) in [(0.0, 0.0), (0.9, 0.0), (0.9, 0.9), (0.0, 0.9)] {
            draft.positions.push(vec3(x + u, v, 0.0));
            draft.uvs.push(vec2(x + u, v));
        }
    }
    let indices = vec![0, 1, 2, 0, 2, 3, 4, 5, 6, 4, 6, 7];
    draft.parts.push(DraftPart { name: "squares".into(), indices, ..DraftPart::default() });
    draft.finish().expect("a whole mesh")
}

fn kept(
    layout: Layout,
    stopped: &(dyn Fn() -> bool + Sync),
    write: impl Fn(&MapFile) -> Result<String, String> + Sync,
) -> KeptRun<String, String> {
    let mesh = squares();
    let mut recipe = Recipe::new("squares");
    recipe.low.push(MeshSource::file("folder/squares_low.obj"));
    recipe.high.push(MeshSource::file("squares_high.obj"));
    recipe.sheet.size = 32;
    recipe.sheet.samples = 1;
    recipe.sheet.layout = layout;
    recipe.sheet.color_format = Some(ImageFormat::Tga);
    // The sculpt carries no colours, so that one map cannot be made.
    recipe.maps = ["normal", "color", "miss"].iter().filter_map(|id| MapSettings::by_key(id)).collect();
    let scene = BakeScene::new(&[&mesh], &[&mesh], None).expect("no cage");
    let plan = Plan::new(&recipe, &scene).expect("sound");
    keep_run(run(&plan, 2, &Unwatched).expect("not stopped"), stopped, |_, file| write(file))
}

fn never() -> bool {
    false
}

#[test]
fn every_map_of_every_sheet_is_made_and_named() {
    let kept = kept(Layout::Udim, &never, |file| Ok(file.file.clone()));
    assert_eq!(
        kept.made,
        [
            "squares_low_normal.1001.png",
            "squares_low_normal.1002.png",
            "squares_low_miss.1001.png",
            "squares_low_miss.1002.png"
        ]
    );
    assert!(kept.faults.is_empty());
    let normal = &kept.report.maps["normal"];
    assert_eq!(normal.file, "squares_low_normal.1001.png");
    let sheets: Vec<_> = normal.files.iter().map(|f| (f.sheet.as_str(), f.file.as_str())).collect();
    assert_eq!(sheets, [("1001", "squares_low_normal.1001.png"), ("1002", "squares_low_normal.1002.png")]);
    // What could not be made says why, and names no file.
    let color = &kept.report.maps["color"];
    assert!(color.error.as_ref().is_some_and(|e| e.contains("no vertex colours")) && color.file.is_empty());
}

#[test]
fn one_sheet_needs_no_list() {
    let kept = kept(Layout::One, &never, |file| Ok(file.file.clone()));
    assert_eq!(kept.made, ["squares_low_normal.png", "squares_low_miss.png"]);
    assert!(kept.report.maps.values().all(|map| map.files.is_empty()));
}

#[test]
fn a_map_that_fails_leaves_the_others_and_its_fault_is_told_once() {
    let write = |file: &MapFile| match file.file.contains("normal") {
        true => Err("the disk is full".to_owned()),
        false => Ok(file.file.clone()),
    };
    let kept = kept(Layout::Udim, &never, write);
    assert_eq!(kept.made, ["squares_low_miss.1001.png", "squares_low_miss.1002.png"]);
    assert_eq!(kept.faults, [("normal".to_owned(), "the disk is full".to_owned())]);
    let normal = &kept.report.maps["normal"];
    assert_eq!((normal.error.as_deref(), normal.file.as_str()), (Some("the disk is full"), ""));
    assert!(kept.report.maps["miss"].error.is_none());
}

#[test]
fn once_stopped_no_further_file_is_begun() {
    let begun = AtomicUsize::new(0);
    let kept = kept(Layout::Udim, &|| begun.load(Ordering::SeqCst) > 0, |file| {
        begun.fetch_add(1, Ordering::SeqCst);
        Ok(file.file.clone())
    });
    // Two threads may each have begun one.
    assert!((1..=2).contains(&kept.made.len()), "{:?}", kept.made);
}
