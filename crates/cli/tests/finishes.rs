//! Finishes on the command line: from a recipe and from files, without a sculpt, ready-made ones, pictures that are missing and pictures
//! that would be written over.

use crate::support::{error, run, with_pair};
use serde_json::{Value, json};
use std::fs;
use std::path::Path;

fn texel(path: &Path, x: u32, y: u32) -> [u8; 3] {
    let bytes = fs::read(path).unwrap_or_else(|e| panic!("{}: {e}", path.display()));
    let picture = ember_ridge_formats::image::read_image("map.png", &bytes).expect("a picture");
    let texel = picture.texel(x, y);
    [0, 1, 2].map(|c| (texel[c] * 255.0).round() as u8)
}

/// sRGB as its standard has it (IEC 61966-2-1).
fn encoded(light: f64) -> u8 {
    let value = if light <= 0.003_130_8 { 12.92 * light } else { 1.055 * light.powf(1.0 / 2.4) - 0.055 };
    (value * 255.0).round() as u8
}

fn light(byte: u8) -> f64 {
    let value = f64::from(byte) / 255.0;
    if value <= 0.040_45 { value / 12.92 } else { ((value + 0.055) / 1.055).powf(2.4) }
}

/// A colour that runs along x, and a coat that lies on what faces up.
fn finishes() -> Value {
    json!([{ "name": "sign", "on": "all", "base": { "color": "#204060", "roughness": 0.25, "metallic": 1.0 },
        "coats": [
            { "name": "run", "sets": { "color": { "ramp": {
                "over": { "kind": "pattern", "pattern": { "kind": "gradient", "axis": "x", "from": 0.0, "to": 1.0 } },
                "stops": [[0.0, "#000000"], [1.0, "#ffffff"]] } } } },
            { "name": "dust", "amount": 0.5, "sets": { "color": { "value": "#ff0000", "blend": "over" }, "opacity": { "value": 0.0 } },
              "place": { "terms": [{ "signal": { "kind": "facing", "direction": [0, 1, 0] }, "from": [0.5, 0.8], "to": [1.0, 1.0] }] } }
        ] }])
}

#[test]
fn a_recipe_of_finishes_needs_no_sculpt_and_follows_their_formulas() {
    let folder = with_pair();
    let maps = ["base-color", "roughness", "metallic", "opacity"].map(|map| json!({ "map": map }));
    let recipe = json!({
        "version": 1, "low": [{ "file": "lid_low.obj" }], "sheet": { "size": 16, "samples": 1 },
        "finishes": finishes(), "maps": maps,
    });
    fs::write(folder.path().join("lid.json"), recipe.to_string()).expect("written");
    let output = run(folder.path(), &["bake", "lid.json", "--out", "out", "--json"]);
    assert_eq!(output.status.code(), Some(0), "{}", error(&output));
    let report: Value = serde_json::from_slice(&output.stdout).expect("JSON");
    assert_eq!(report["maps"]["base-color"]["file"], "lid_low_base-color.png");
    let file = |map: &str| folder.path().join(format!("out/lid_low_{map}.png"));
    for x in 0..16 {
        // The lid lies flat: half of the dust on a grey that grows with x, in linear light.
        let grey = (f64::from(x) + 0.5) / 16.0;
        let wanted = [0.5 * grey + 0.5 * light(255), 0.5 * grey, 0.5 * grey].map(encoded);
        let found = texel(&file("base-color"), x, 7);
        let off = found.iter().zip(wanted).map(|(a, b)| a.abs_diff(b)).max();
        assert!(off <= Some(1), "at {x}: {found:?}, not {wanted:?}");
    }
    assert_eq!(texel(&file("roughness"), 3, 3)[0], 64);
    assert_eq!(texel(&file("metallic"), 3, 3)[0], 255);
    // Half clear, and no darker for it.
    assert_eq!(texel(&file("opacity"), 3, 3)[0], 128);
}

#[test]
fn ready_made_finishes_are_listed_shown_and_baked() {
    let folder = with_pair();
    let output = run(folder.path(), &["finish", "list", "--json"]);
    let list: Value = serde_json::from_slice(&output.stdout).expect("JSON");
    let names: Vec<&str> = list.as_array().into_iter().flatten().filter_map(|f| f["name"].as_str()).collect();
    assert!(names.len() >= 13 && names.contains(&"weathered enamel"), "{names:?}");

    let output = run(folder.path(), &["finish", "show", "weathered enamel"]);
    let text = String::from_utf8_lossy(&output.stdout).into_owned();
    assert!(text.contains("weathered enamel, on everything") && text.contains("enamel: Colour by noise"), "{text}");
    let output = run(folder.path(), &["finish", "show", "no such thing"]);
    assert_eq!(output.status.code(), Some(2));
    assert!(
        error(&output).contains("there is no finish 'no such thing'; there are weathered enamel"),
        "{}",
        error(&output)
    );

    // What is shown as JSON is a file that can be baked.
    let output = run(folder.path(), &["finish", "show", "brass with verdigris", "--json", "--diagonal", "1.41"]);
    fs::write(folder.path().join("brass.json"), &output.stdout).expect("written");
    let pair =
        ["--low", "lid_low.obj", "--high", "lid_high.obj", "--size", "16", "--reach-out", "0.1", "--reach-in", "0.1"];
    for (out, finish) in [("named", "brass with verdigris"), ("filed", "brass.json")] {
        let output = run(folder.path(), &[&["bake", "--out", out, "--finish", finish][..], &pair].concat());
        assert_eq!(output.status.code(), Some(0), "{}", error(&output));
        for map in ["base-color", "roughness", "metallic", "height", "normal"] {
            assert!(folder.path().join(format!("{out}/lid_low_{map}.png")).exists(), "{map}");
        }
    }
}

#[test]
fn every_ready_made_finish_is_sound() {
    let folder = with_pair();
    let list = run(folder.path(), &["finish", "list", "--json"]);
    let list: Value = serde_json::from_slice(&list.stdout).expect("JSON");
    for name in list.as_array().into_iter().flatten().filter_map(|f| f["name"].as_str()) {
        let maps = ["--maps", "base-color,roughness,metallic", "--json", "--out", "out", "--size", "32"];
        let output = run(folder.path(), &[&["bake", "--low", "lid_low.obj", "--finish", name][..], &maps].concat());
        assert_eq!(output.status.code(), Some(0), "{name}: {}", error(&output));
        let report: Value = serde_json::from_slice(&output.stdout).expect("JSON");
        let of_finish = |f: &&Value| f["kind"].as_str().is_some_and(|kind| kind.starts_with("finish"));
        let found: Vec<&Value> = report["findings"].as_array().into_iter().flatten().filter(of_finish).collect();
        assert!(found.is_empty(), "{name}: {found:?}");
    }
}

#[test]
fn a_missing_picture_is_a_finding_and_a_picture_that_is_read_is_never_written() {
    let folder = with_pair();
    let pictured = |file: &str| json!([{ "name": "sign", "coats": [{ "name": "paint", "sets": { "color": { "picture": { "picture": { "file": file } } } } }] }]);
    let recipe = |file: &str| {
        json!({ "version": 1, "low": [{ "file": "lid_low.obj" }], "sheet": { "size": 16, "samples": 1 },
            "finishes": pictured(file), "maps": [{ "map": "base-color" }] })
    };
    fs::write(folder.path().join("lid.json"), recipe("sign.png").to_string()).expect("written");
    let output = run(folder.path(), &["bake", "lid.json", "--out", "out", "--json"]);
    assert_eq!(output.status.code(), Some(0), "{}", error(&output));
    let report: Value = serde_json::from_slice(&output.stdout).expect("JSON");
    let kinds: Vec<&str> =
        report["findings"].as_array().into_iter().flatten().filter_map(|f| f["kind"].as_str()).collect();
    assert!(kinds.contains(&"finish-picture"), "{kinds:?}");
    let made = folder.path().join("out/lid_low_base-color.png");
    assert!((0..16).all(|x| texel(&made, x, 8)[0] > 180), "the placeholder is nowhere black");

    // The map of an earlier bake as the picture of this one, written to the same place.
    fs::copy(&made, folder.path().join("lid_low_base-color.png")).expect("copied");
    let before = fs::read(folder.path().join("lid_low_base-color.png")).expect("there");
    fs::write(folder.path().join("lid.json"), recipe("lid_low_base-color.png").to_string()).expect("written");
    let output = run(folder.path(), &["bake", "lid.json"]);
    assert_eq!(output.status.code(), Some(2));
    let said = error(&output);
    assert!(said.contains("lid_low_base-color.png") && said.contains("reads this file"), "{said}");
    assert_eq!(fs::read(folder.path().join("lid_low_base-color.png")).expect("there"), before);
}
