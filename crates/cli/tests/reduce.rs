//! `ember-ridge reduce`: low-polys of sculpts and coarser levels, and what it refuses.

use crate::support::{error, run};
use ember_ridge_formats::read_mesh;
use serde_json::{Value, json};
use std::fmt::Write;
use std::fs;
use std::path::Path;

/// A square of n x n quads, bent by a height.
fn grid(folder: &Path, n: usize, height: impl Fn(f32, f32) -> f32) {
    let mut text = "o hill\n".to_owned();
    for j in 0..=n {
        for i in 0..=n {
            let (x, z) = (i as f32 / n as f32, j as f32 / n as f32);
            writeln!(text, "v {x} {} {z}", height(x, z)).expect("memory");
        }
    }
    for j in 0..n {
        for i in 0..n {
            let a = j * (n + 1) + i + 1;
            writeln!(text, "f {a} {} {} {}", a + n + 1, a + n + 2, a + 1).expect("memory");
        }
    }
    fs::write(folder.join("hill_high.obj"), text).expect("written");
}

fn told(folder: &Path, arguments: &[&str]) -> Value {
    let output = run(folder, &[&["reduce", "hill_high.obj", "--json"], arguments].concat());
    assert_eq!(output.status.code(), Some(0), "{}", error(&output));
    serde_json::from_slice(&output.stdout).expect("JSON")
}

#[test]
fn a_sculpt_becomes_a_low_poly_with_its_names_and_a_measured_error() {
    let folder = tempfile::tempdir().expect("a folder");
    let folder = folder.path();
    grid(folder, 64, |x, z| 0.2 * (5.0 * x).sin() * (4.0 * z).cos());
    let made = told(folder, &["--triangles", "200", "--out", "hill_low.glb"]);
    assert_eq!((&made["from"], &made["short"], &made["off"]["unit"]), (&json!(8192), &json!(false), &json!("units")));
    let bytes = fs::read(folder.join("hill_low.glb")).expect("written");
    let mesh = read_mesh("hill_low.glb", &bytes, &|_| None).expect("readable");
    assert_eq!((mesh.parts[0].name.as_str(), json!(mesh.triangles.len())), ("hill", made["triangles"].clone()));
    assert!((150..=200).contains(&mesh.triangles.len()));
    let [mean, max] = ["mean", "max"].map(|figure| made["off"][figure].as_f64().expect("a number"));
    assert!(mean > 0.0 && mean < max && max < 0.02, "{made}");
    // By error: what is told is about what was asked for.
    let by = told(folder, &["--error", "0.005", "--out", "by.obj"]);
    assert!(by["off"]["max"].as_f64().is_some_and(|max| max > 0.001 && max < 0.01), "{by}");
    assert!(by["level"].is_null() && by["levels"].is_null());
}

#[test]
fn levels_are_listed_and_written_as_quads() {
    let folder = tempfile::tempdir().expect("a folder");
    let folder = folder.path();
    grid(folder, 16, |x, _| 0.5 * x);
    let listed = told(folder, &["--levels"]);
    let levels: Vec<Value> =
        [(-1, 64), (-2, 16), (-3, 4), (-4, 1)].map(|(level, faces)| json!({ "level": level, "faces": faces })).to_vec();
    assert_eq!(listed["levels"], json!(levels));
    let made = told(folder, &["--level", "-2", "--out", "cage.obj"]);
    assert_eq!((&made["level"], &made["refining"]), (&json!(-2), &json!("plain")));
    let text = fs::read_to_string(folder.join("cage.obj")).expect("written");
    let faces: Vec<usize> =
        text.lines().filter(|line| line.starts_with("f ")).map(|line| line.split(' ').count() - 1).collect();
    assert_eq!(faces, [4; 16]);
    for line in text.lines().filter(|line| line.starts_with("v ")) {
        let at: Vec<f32> = line[2..].split(' ').map(|number| number.parse().expect("a number")).collect();
        let off = (at[0] * 4.0 - (at[0] * 4.0).round()).abs().max((at[1] - 0.5 * at[0]).abs());
        assert!(off < 1e-4, "{line}");
    }
    let output = run(folder, &["reduce", "hill_high.obj", "--level", "-5", "--out", "x.obj"]);
    assert_eq!(output.status.code(), Some(2));
    assert!(
        error(&output).contains("hill_high.obj: there is no level -5; this mesh has -1 to -4"),
        "{}",
        error(&output)
    );
}

#[test]
fn what_cannot_be_reduced_is_refused_by_name() {
    let folder = tempfile::tempdir().expect("a folder");
    let folder = folder.path();
    grid(folder, 7, |_, _| 0.0);
    let refused = |arguments: &[&str], word: &str| {
        let output = run(folder, &[&["reduce", "hill_high.obj"], arguments].concat());
        assert_eq!(output.status.code(), Some(2), "{arguments:?}: {}", error(&output));
        assert!(error(&output).contains(word), "{arguments:?}: {}", error(&output));
    };
    refused(&["--triangles", "2", "--out", "a.glb"], "hill_high.obj: 2 triangles hold nothing");
    refused(&["--error", "-1", "--out", "a.glb"], "error");
    refused(&["--triangles", "50", "--out", "a.fbx"], "a.fbx: a mesh is written as .glb, .obj or .ply");
    refused(&["--triangles", "50", "--out", "hill_high.obj"], "would write over it");
    refused(&["--level", "2", "--out", "a.glb"], "-1, -2 and so on");
    // Seven by seven was never refined.
    refused(
        &["--levels"],
        "hill_high.obj: no coarser level: the pattern of faces split in four breaks there (part 'hill', at ",
    );
    refused(&["--out", "a.glb"], "--triangles");
    assert!(!folder.join("a.glb").exists());
}
