//! `ember-ridge unwrap`, and a prop from a sculpt alone: what they write, read by another reader, and what they refuse.

use crate::support::{error, run};
use ember_ridge_formats::read_mesh;
use serde_json::{Value, json};
use std::fmt::Write;
use std::fs;
use std::path::Path;

/// A tube, open at both ends, without UVs.
fn tube(folder: &Path, around: usize) {
    let mut text = "o tube_low\n".to_owned();
    for y in 0..=4 {
        for k in 0..around {
            let turn = std::f32::consts::TAU * k as f32 / around as f32;
            writeln!(text, "v {} {} {}", turn.cos(), y as f32 * 0.5, turn.sin()).expect("memory");
        }
    }
    for y in 0..4 {
        for k in 0..around {
            let (a, b) = (y * around + k + 1, y * around + (k + 1) % around + 1);
            writeln!(text, "f {a} {} {} {b}", a + around, b + around).expect("memory");
        }
    }
    fs::write(folder.join("tube_low.obj"), text).expect("written");
}

fn told(folder: &Path, arguments: &[&str]) -> Value {
    let output = run(folder, &[&["unwrap", "tube_low.obj", "--json"], arguments].concat());
    assert_eq!(output.status.code(), Some(0), "{}", error(&output));
    serde_json::from_slice(&output.stdout).expect("JSON")
}

/// Islands, lowest and highest UV, and the longest edge on the sheet over its length on the surface, with the shortest.
fn seen(folder: &Path, file: &str) -> ([f32; 2], [f32; 2]) {
    let bytes = fs::read(folder.join(file)).expect("written");
    let mesh = read_mesh(file, &bytes, &|_| None).expect("readable");
    let all = mesh.uvs.iter().flat_map(|uv| uv.to_array());
    let range = all.fold([f32::MAX, f32::MIN], |[low, high], x| [low.min(x), high.max(x)]);
    let mut ratios = [f32::MAX, f32::MIN];
    for t in 0..mesh.triangles.len() as u32 {
        let (at, uvs) = (mesh.corners(t), mesh.corner_uvs(t));
        for k in 0..3 {
            let ratio = uvs[k].distance(uvs[(k + 1) % 3]) / at[k].distance(at[(k + 1) % 3]);
            ratios = [ratios[0].min(ratio), ratios[1].max(ratio)];
        }
    }
    (range, ratios)
}

#[test]
fn a_tube_is_cut_and_rolled_out_without_stretch() {
    let folder = tempfile::tempdir().expect("a folder");
    let folder = folder.path();
    tube(folder, 24);
    for out in ["rolled.glb", "rolled.obj"] {
        let made = told(folder, &["--margin", "16@512", "--out", out]);
        assert_eq!((&made["after"]["islands"], &made["after"]["flipped"]), (&json!(1), &json!(0)), "{made}");
        assert_eq!(
            (&made["triangles"], &made["margin"], &made["before"]),
            (&json!(192), &json!(0.03125), &Value::Null)
        );
        let (range, ratios) = seen(folder, out);
        assert!(range[0] >= 0.031_249 && range[1] <= 1.0 - 0.031_249, "{out}: {range:?}");
        assert!(ratios[1] / ratios[0] < 1.001, "{out}: lengths {ratios:?}");
    }
    // Along a line of its own, by places; once more along the seam it has.
    let edges: Vec<[[f32; 3]; 2]> = (0..4).map(|y| [0.0, 0.5].map(|up| [1.0, y as f32 * 0.5 + up, 0.0])).collect();
    fs::write(folder.join("seams.json"), json!({ "edges": edges }).to_string()).expect("written");
    let made = told(folder, &["--seams", "seams.json", "--out", "cut.obj"]);
    assert_eq!((&made["after"]["islands"], &made["after"]["flipped"]), (&json!(1), &json!(0)));
    let bytes = fs::read(folder.join("cut.obj")).expect("written");
    let mesh = read_mesh("cut.obj", &bytes, &|_| None).expect("readable");
    let mut on_seam = std::collections::BTreeSet::new();
    for (p, uv) in mesh.positions.iter().zip(&mesh.uvs) {
        if p.distance((1.0, 1.0, 0.0).into()) < 1e-5 {
            on_seam.insert(uv.to_array().map(f32::to_bits));
        }
    }
    assert_eq!(on_seam.len(), 2, "the point lies on both sides of the seam");
}

#[test]
fn what_cannot_be_is_told_and_nothing_is_written() {
    let folder = tempfile::tempdir().expect("a folder");
    let folder = folder.path();
    tube(folder, 12);
    fs::write(folder.join("far.json"), r#"{ "edges": [[[9, 9, 9], [8, 8, 8]]] }"#).expect("written");
    fs::write(folder.join("bad.json"), r#"{ "lines": [] }"#).expect("written");
    for (arguments, words) in [
        (&["--seams", "far.json", "--out", "no.obj"][..], "1 of 1 edges that a step on its UVs names are not there"),
        (&["--seams", "bad.json", "--out", "no.obj"], "not a file of seams"),
        (&["--seams", "none.json", "--out", "no.obj"], "none.json"),
        (&["--margin", "8", "--out", "no.obj"], "8@1024"),
        (&["--margin", "600@1024", "--out", "no.obj"], "margin is 600"),
        (&["--out", "no.stl"], ".glb, .obj or .ply"),
        (&["--out", "tube_low.obj"], "tube_low.obj"),
    ] {
        let output = run(folder, &[&["unwrap", "tube_low.obj"], arguments].concat());
        assert_eq!(output.status.code(), Some(2), "{arguments:?}");
        assert!(error(&output).contains(words), "{arguments:?}: {}", error(&output));
    }
    assert!(!folder.join("no.obj").exists() && !folder.join("no.stl").exists());
}

#[test]
fn a_sculpt_alone_becomes_a_baked_prop() {
    let folder = tempfile::tempdir().expect("a folder");
    let folder = folder.path();
    let made = run(folder, &["sample", "boundary-stone", "--out", "."]);
    assert_eq!(made.status.code(), Some(0), "{}", error(&made));
    let bake = ["bake", "--high", "boundary_stone_high.ply", "--make-low", "500", "--size", "256", "--maps"];
    let output = run(folder, &[&bake[..], &["normal,displacement", "--out", "out"]].concat());
    assert_eq!(output.status.code(), Some(0), "{}", error(&output));
    assert!(error(&output).contains("off from the sculpt by"), "{}", error(&output));
    let report: Value =
        serde_json::from_slice(&fs::read(folder.join("out/report.json")).expect("a report")).expect("JSON");
    let steps = report["recipe"]["low"][0]["steps"].as_array().expect("steps");
    assert_eq!(steps.iter().map(|s| s["step"].as_str().unwrap_or_default()).collect::<Vec<_>>(), ["unwrap", "pack"]);
    for map in ["normal", "displacement"] {
        assert!(folder.join(format!("out/boundary_stone_low_{map}.png")).exists(), "{map}");
    }
    let verified = run(folder, &["verify", "out", "--json"]);
    assert_eq!(verified.status.code(), Some(0), "{}", error(&verified));
}
