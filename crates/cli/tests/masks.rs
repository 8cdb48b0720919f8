//! Masks on the command line: from a recipe, from a file of masks, set by name, without a sculpt, and what cannot be made.

use crate::support::{error, run, with_pair};
use serde_json::{Value, json};
use std::fs;

fn texel(path: &std::path::Path, x: u32, y: u32) -> u8 {
    let bytes = fs::read(path).unwrap_or_else(|e| panic!("{}: {e}", path.display()));
    let picture = ember_ridge_formats::image::read_image("mask.png", &bytes).expect("a picture");
    (picture.texel(x, y)[0] * 255.0).round() as u8
}

/// White where x is above a half, soft by a tenth on each side.
fn right_half() -> Value {
    json!({ "name": "right half", "place": { "terms": [
        { "signal": { "kind": "height", "axis": "x" }, "from": [0.4, 0.6], "to": [2.0, 2.0] }] } })
}

#[test]
fn a_recipe_without_a_sculpt_bakes_its_masks_and_settings_reach_into_them() {
    let folder = with_pair();
    let recipe = json!({
        "version": 1, "low": [{ "file": "lid_low.obj" }], "high": [], "sheet": { "size": 16, "samples": 1 },
        "masks": [right_half()], "maps": [{ "map": "mask", "mask": "right half" }],
    });
    fs::write(folder.path().join("lid.json"), recipe.to_string()).expect("written");
    let output = run(folder.path(), &["bake", "lid.json", "--out", "out", "--json"]);
    assert_eq!(output.status.code(), Some(0), "{}", error(&output));
    let report: Value = serde_json::from_slice(&output.stdout).expect("JSON");
    assert_eq!(report["maps"]["mask:right half"]["file"], "lid_low_right-half.png");
    let file = folder.path().join("out/lid_low_right-half.png");
    // Texel 8 of 16 stands at x = 0.53125: (0.53125 - 0.4) / 0.2 of the way up.
    assert_eq!([0, 8, 15].map(|x| texel(&file, x, 7)), [0, 167, 255]);
    let turned = ["--set", "masks.right half.place.invert=true", "--set", "mask:right half.rays=32"];
    let output = run(folder.path(), &[&["bake", "lid.json", "--out", "turned"][..], &turned].concat());
    assert_eq!(output.status.code(), Some(0), "{}", error(&output));
    let file = folder.path().join("turned/lid_low_right-half.png");
    assert_eq!([0, 8, 15].map(|x| texel(&file, x, 7)), [255, 88, 0]);
    for (set, says) in [
        ("masks.left.place.invert=true", "there is no such mask; the recipe has right half"),
        ("masks.right half.place.terms.4.from=[0,1]", "'4' is none of the 1 entries"),
        ("masks.right half.place.inverted=true", "unknown field `inverted`"),
    ] {
        let output = run(folder.path(), &["bake", "lid.json", "--out", "x", "--set", set]);
        assert!(output.status.code() == Some(2) && error(&output).contains(says), "{set}: {}", error(&output));
    }
}

#[test]
fn a_file_of_masks_joins_and_what_cannot_be_made_leaves_the_others() {
    let folder = with_pair();
    let lost = json!({ "name": "lost", "place": { "terms": [
        { "signal": { "kind": "mask", "mask": "gone" }, "from": [0.0, 1.0], "to": [1.0, 1.0] }] } });
    let kept = json!({ "masks": [right_half(), lost], "diagonal": 1.5 });
    fs::write(folder.path().join("masks.json"), kept.to_string()).expect("written");
    let pair = ["bake", "--low", "lid_low.obj", "--high", "lid_high.obj", "--out", "out", "--size", "16", "--json"];
    let reach = ["--reach-out", "0.1", "--reach-in", "0.1", "--masks", "masks.json"];
    let output = run(folder.path(), &[&pair[..], &reach].concat());
    assert_eq!(output.status.code(), Some(1), "{}", error(&output));
    let report: Value = serde_json::from_slice(&output.stdout).expect("JSON");
    let fault = report["maps"]["mask:lost"]["error"].as_str().unwrap_or_default();
    assert!(fault.contains("there is no mask 'gone'; the recipe has right half, lost"), "{fault}");
    let kinds: Vec<&str> =
        report["findings"].as_array().into_iter().flatten().filter_map(|f| f["kind"].as_str()).collect();
    assert!(kinds.contains(&"mask-unusable"), "{kinds:?}");
    assert!(
        folder.path().join("out/lid_low_right-half.png").exists() && folder.path().join("out/lid_low_ao.png").exists()
    );
    fs::write(folder.path().join("masks.json"), "{ \"masks\": [{ \"nome\": 1 }] }").expect("written");
    let output = run(folder.path(), &[&pair[..], &reach].concat());
    assert!(output.status.code() == Some(2) && error(&output).contains("masks.json: "), "{}", error(&output));
}

#[test]
fn a_picture_that_cannot_be_read_is_told_with_its_reason() {
    let folder = with_pair();
    let of = |name: &str, file: &str| {
        json!({ "name": name, "place": { "terms": [
            { "signal": { "kind": "picture", "file": file }, "from": [0.0, 1.0], "to": [1.0, 1.0] }] } })
    };
    fs::write(folder.path().join("dirt.png"), "no picture").expect("written");
    let recipe = json!({
        "version": 1, "low": [{ "file": "lid_low.obj" }], "high": [], "sheet": { "size": 16, "samples": 1 },
        "masks": [of("torn", "dirt.png"), of("lost", "gone.png"), right_half()],
        "maps": [{ "map": "mask", "mask": "torn" }, { "map": "mask", "mask": "lost" }, { "map": "mask", "mask": "right half" }],
    });
    fs::write(folder.path().join("lid.json"), recipe.to_string()).expect("written");
    let output = run(folder.path(), &["bake", "lid.json", "--out", "out", "--json"]);
    assert_eq!(output.status.code(), Some(1), "{}", error(&output));
    let report: Value = serde_json::from_slice(&output.stdout).expect("JSON");
    let fault = |map: &str| report["maps"][map]["error"].as_str().unwrap_or_default().to_owned();
    let (torn, lost) = (fault("mask:torn"), fault("mask:lost"));
    assert!(torn.contains("dirt.png") && torn.contains("it cannot be decoded as PNG"), "{torn}");
    assert!(lost.contains("gone.png") && lost.contains("cannot be read"), "{lost}");
    assert!(folder.path().join("out/lid_low_right-half.png").exists());
}
