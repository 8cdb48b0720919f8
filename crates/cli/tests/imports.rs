//! `ember-ridge import`: maps under names of other programs are compared and verified like those of a bake.

use crate::support::{error, run};
use crate::verify::{baked, change};
use ember_ridge_core::glam::Vec3;
use serde_json::{Value, json};
use std::fs;
use std::path::Path;

/// Maps of the bake under the names of another program, beside a recipe of the asset.
fn elsewhere() -> tempfile::TempDir {
    let folder = baked();
    let path = folder.path();
    let report: Value =
        serde_json::from_slice(&fs::read(path.join("out/report.json")).expect("a report")).expect("JSON");
    fs::write(path.join("recipe.json"), report["recipe"].to_string()).expect("written");
    fs::create_dir(path.join("maps")).expect("made");
    for (ours, theirs) in [("normal", "dune_Normal_DX"), ("displacement", "dune_height_16bit")] {
        fs::copy(path.join(format!("out/dune_low_{ours}.png")), path.join(format!("maps/{theirs}.png")))
            .expect("copied");
    }
    folder
}

fn imported(folder: &Path, more: &[&str]) -> (Option<i32>, Value, String) {
    let scale = {
        let report: Value =
            serde_json::from_slice(&fs::read(folder.join("out/report.json")).expect("a report")).expect("JSON");
        report["maps"]["displacement"]["scale"].to_string()
    };
    let arguments = ["import", "maps", "--recipe", "recipe.json", "--out", "in", "--scale", &scale, "--json"];
    let output = run(folder, &[&arguments[..], more].concat());
    let report = serde_json::from_slice(&output.stdout).unwrap_or(Value::Null);
    (output.status.code(), report, error(&output))
}

#[test]
fn maps_of_another_program_compare_and_verify_like_a_bake() {
    let folder = elsewhere();
    let folder = folder.path();
    let (code, report, said) = imported(folder, &[]);
    assert_eq!(code, Some(0), "{said}");
    // Its name says down; its slopes, which are up, are believed.
    assert!(said.contains("dune_Normal_DX.png: taken as Y+") && said.contains("times worse"), "{said}");
    assert_eq!(report["maps"]["normal"]["reads"], json!({ "as": "direction", "y": "+" }));
    let compared = run(folder, &["compare", "out", "in", "--json"]);
    let compared: Value = serde_json::from_slice(&compared.stdout).expect("JSON");
    for map in ["normal", "displacement"] {
        assert_eq!(compared["maps"][map]["max"], 0.0, "{compared}");
    }
    let sound = run(folder, &["verify", "in"]);
    assert_eq!(sound.status.code(), Some(0), "{}", error(&sound));

    // The same with green turned: read as it is now, it holds; read the other way, it is named.
    change(folder, "../maps/dune_Normal_DX.png", |_, _, n| Vec3::new(n.x, 1.0 - n.y, n.z));
    let (_, report, said) = imported(folder, &[]);
    assert!(said.contains("taken as Y-"), "{said}");
    assert_eq!(report["maps"]["normal"]["reads"]["y"], "-");
    assert_eq!(run(folder, &["verify", "in"]).status.code(), Some(0));
    imported(folder, &["--normal-y", "+"]);
    let wrong = run(folder, &["verify", "in", "--json"]);
    let answer: Value = serde_json::from_slice(&wrong.stdout).expect("JSON");
    assert_eq!(
        (wrong.status.code(), &answer["faults"][0]["file"]),
        (Some(1), &json!("dune_Normal_DX.png")),
        "{answer}"
    );
}

#[test]
fn what_is_not_known_is_left_out_and_said_and_sources_stay() {
    let folder = elsewhere();
    let folder = folder.path();
    fs::copy(folder.join("maps/dune_Normal_DX.png"), folder.join("maps/reference.png")).expect("copied");
    let (code, _, said) = imported(folder, &[]);
    assert!(code == Some(0) && said.contains("reference.png: left out"), "{said}");
    assert!(!folder.join("in/reference.png").exists());
    let (code, _, said) = imported(folder, &["--as", "reference=normal"]);
    assert!(code == Some(2) && said.contains("was taken for normal already"), "{said}");
    fs::remove_file(folder.join("maps/reference.png")).expect("removed");
    // Into the folder of the maps themselves.
    let output = run(folder, &["import", "maps", "--recipe", "recipe.json", "--out", "maps", "--scale", "1"]);
    assert!(output.status.code() == Some(2) && error(&output).contains("would write over it"), "{}", error(&output));
    assert!(!folder.join("maps/report.json").exists());
    let no_scale = run(folder, &["import", "maps", "--recipe", "recipe.json", "--out", "in2"]);
    assert!(error(&no_scale).contains("dune_height_16bit.png: heights in whole numbers"), "{}", error(&no_scale));
    assert!(!folder.join("in2/report.json").exists());
    fs::create_dir(folder.join("none")).expect("made");
    let none = run(folder, &["import", "none", "--recipe", "recipe.json", "--out", "in2"]);
    assert!(error(&none).contains("there is no picture in it"), "{}", error(&none));
    fs::write(folder.join("none/a_ao.png"), b"\x89PNG\r\n\x1a\n cut").expect("written");
    let cut = run(folder, &["import", "none", "--recipe", "recipe.json", "--out", "in2"]);
    assert!(error(&cut).contains("a_ao.png") && cut.status.code() == Some(2), "{}", error(&cut));
    let rule = run(folder, &["import", "maps", "--recipe", "recipe.json", "--out", "in2", "--as", "h=nonsense"]);
    assert!(error(&rule).contains("h=displacement"), "{}", error(&rule));
}
