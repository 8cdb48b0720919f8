//! `ember-ridge compare`: two bakes of one pair held against each other, as text and as JSON, and what cannot be compared.

use crate::support::{error, run, with_pair};
use serde_json::Value;
use std::fs;
use std::path::Path;

fn bake(folder: &Path, out: &str, more: &[&str]) {
    bake_at(folder, out, "32", more);
}

fn bake_at(folder: &Path, out: &str, size: &str, more: &[&str]) {
    let plain =
        ["bake", "--low", "lid_low.obj", "--high", "lid_high.obj", "--size", size, "--samples", "1", "--out", out];
    let output = run(folder, &[&plain[..], more].concat());
    assert_eq!(output.status.code(), Some(0), "{}", error(&output));
}

fn compared(folder: &Path, arguments: &[&str]) -> (Option<i32>, Value) {
    let output = run(folder, &[&["compare", "--json"], arguments].concat());
    (output.status.code(), serde_json::from_slice(&output.stdout).unwrap_or_default())
}

#[test]
fn bakes_are_held_against_each_other_in_true_units() {
    let folder = with_pair();
    let folder = folder.path();
    let maps = ["--maps", "normal,ao,displacement,curvature"];
    bake(folder, "a", &maps);
    bake(folder, "same", &maps);
    // Another file kind, green down, another scale: the same surface.
    let otherwise = ["--normal-y", "-", "--displacement-scale", "0.5", "--depth", "16"];
    bake(folder, "told-otherwise", &[&maps[..], &otherwise].concat());
    // The sculpt lifted by 0.02.
    let high = fs::read_to_string(folder.join("lid_high.obj")).expect("a file");
    fs::write(folder.join("lid_high.obj"), high.replace("0.05", "0.07")).expect("written");
    bake(folder, "lifted", &maps);
    let map = |answer: &Value, name: &str, field: &str| answer["maps"][name][field].as_f64().unwrap_or(f64::NAN);

    let (code, same) = compared(folder, &["a", "same"]);
    assert_eq!(code, Some(0));
    assert_eq!(same["covered"], true, "{same}");
    for name in ["normal", "ao", "displacement", "curvature"] {
        assert_eq!(
            (map(&same, name, "mean"), map(&same, name, "p99"), map(&same, name, "max")),
            (0.0, 0.0, 0.0),
            "{same}"
        );
        assert!(map(&same, name, "texels") > 100.0, "{same}");
    }
    let units = ["normal", "ao", "displacement", "curvature"].map(|name| same["maps"][name]["unit"].clone());
    assert_eq!(units, ["degrees", "share", "units", "1/units"]);

    let (code, otherwise) = compared(folder, &["a", "told-otherwise"]);
    assert_eq!(code, Some(0));
    // Half a step of 8 bits a channel: the angle of a normal stays within half a degree, heights within half a step of their scale.
    assert!(map(&otherwise, "normal", "max") < 0.5, "{otherwise}");
    assert!(map(&otherwise, "displacement", "max") < 0.5 / 255.0, "{otherwise}");

    let (_, lifted) = compared(folder, &["a", "lifted"]);
    assert_eq!(map(&lifted, "normal", "max"), 0.0);
    for name in ["mean", "p99", "max"] {
        assert!((map(&lifted, "displacement", name) - 0.02).abs() < 1e-6, "{lifted}");
    }
    let output = run(folder, &["compare", "a", "same"]);
    let text = String::from_utf8_lossy(&output.stdout);
    assert!(text.contains("normal") && text.contains("no texel differs"), "{text}");
}

#[test]
fn what_cannot_be_compared_is_told() {
    let folder = with_pair();
    let folder = folder.path();
    bake(folder, "a", &["--maps", "ao,normal"]);
    bake_at(folder, "b", "64", &["--maps", "ao,id"]);
    let (code, answer) = compared(folder, &["a", "b"]);
    assert_eq!(code, Some(1), "{answer}");
    let told = answer["maps"]["ao"]["error"].as_str().unwrap_or_default();
    assert!(told.contains("32 x 32") && told.contains("64 x 64"), "{answer}");
    assert_eq!((&answer["only_a"][0], &answer["only_b"][0]), (&Value::from("normal"), &Value::from("id")));

    // A damaged file is named; a folder without a bake is unusable.
    fs::write(folder.join("a/lid_low_ao.png"), b"not a picture").expect("written");
    let (code, answer) = compared(folder, &["a", "a"]);
    assert_eq!(code, Some(1));
    assert!(answer["maps"]["ao"]["error"].as_str().is_some_and(|e| e.contains("lid_low_ao.png")), "{answer}");
    assert_eq!(answer["maps"]["normal"]["max"], 0.0);
    let nowhere = run(folder, &["compare", "a", "nowhere"]);
    assert_eq!(nowhere.status.code(), Some(2));
    assert!(error(&nowhere).contains("nowhere") && error(&nowhere).contains("bake --out"), "{}", error(&nowhere));

    // Without the low-poly every texel counts, and that is said.
    fs::remove_file(folder.join("lid_low.obj")).expect("removed");
    let (_, answer) = compared(folder, &["b", "b"]);
    assert_eq!(answer["covered"], false);
    assert_eq!(answer["maps"]["ao"]["texels"], 64 * 64);
}
