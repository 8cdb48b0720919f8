//! Bakes over many processes: samples to bake, and what is in their folders.

use super::{error, program, run};
use ember_ridge_core::Recipe;
use ember_ridge_core::sheet::SheetSettings;
use serde_json::{Value, json};
use std::collections::BTreeMap;
use std::fs;
use std::path::{Path, PathBuf};
use std::process::Output;

/// A draft sample in a folder, with its recipe at a size.
pub fn sample(name: &str, size: u32) -> (tempfile::TempDir, String) {
    let folder = tempfile::tempdir().expect("a folder");
    let made = program(folder.path())
        .env("EMBER_RIDGE_DRAFT_SAMPLES", "1")
        .args(["sample", name, "--out", "."])
        .output()
        .expect("it starts");
    assert!(made.status.success(), "{}", error(&made));
    let file = format!("{name}.recipe.json");
    let path = folder.path().join(&file);
    let mut recipe = Recipe::from_json(&fs::read_to_string(&path).expect("written")).expect("a recipe");
    recipe.sheet = SheetSettings { size, ..recipe.sheet };
    fs::write(path, serde_json::to_string(&recipe).expect("JSON")).expect("written");
    (folder, file)
}

pub fn ok(folder: &Path, arguments: &[&str]) -> Output {
    let output = run(folder, arguments);
    assert_eq!(output.status.code(), Some(0), "{arguments:?}: {}", error(&output));
    output
}

pub fn split(folder: &Path, recipe: &str, jobs: usize) -> Value {
    let output = ok(folder, &["split", recipe, "--jobs", &jobs.to_string(), "--to", "job", "--json"]);
    serde_json::from_slice(&output.stdout).expect("JSON")
}

/// The maps of a bake, by name.
pub fn maps(folder: &Path) -> BTreeMap<String, Vec<u8>> {
    let files = fs::read_dir(folder).expect("a folder").map(|entry| entry.expect("readable").path());
    let maps = files.filter(|path| path.extension().is_some_and(|e| e != "json"));
    let name = |path: &PathBuf| path.file_name().expect("a name").to_string_lossy().into_owned();
    maps.map(|path| (name(&path), fs::read(&path).expect("readable"))).collect()
}

/// The report of a bake without what it took.
pub fn report(folder: &Path) -> Value {
    let mut report: Value =
        serde_json::from_slice(&fs::read(folder.join("report.json")).expect("written")).expect("JSON");
    for map in report["maps"].as_object_mut().expect("maps").values_mut() {
        map["seconds"] = json!(0);
        map["preparing"] = json!(0);
    }
    report["seconds"] = json!(0);
    report["ray_seconds"] = json!(0);
    report
}

pub fn tile_files(job: &Path) -> Vec<PathBuf> {
    let folders = fs::read_dir(job.join("tiles")).into_iter().flatten().flatten();
    let mut files: Vec<PathBuf> =
        folders.flat_map(|f| fs::read_dir(f.path()).expect("a folder")).map(|e| e.expect("readable").path()).collect();
    files.sort();
    files
}

/// A square part of an OBJ file on a UDIM tile (0 is 1001), at a height; `first` is the number of its first point.
pub fn quad(part: &str, tile: f32, height: f32, first: usize) -> String {
    let corners = [[0.0, 0.0], [0.0, 1.0], [1.0, 1.0], [1.0, 0.0]];
    let points: String = corners.iter().map(|[x, z]| format!("v {} {height} {z}\n", x + tile * 1.5)).collect();
    let uvs: String =
        corners.iter().map(|[x, z]| format!("vt {} {}\n", x * 0.9 + 0.05 + tile, 0.95 - z * 0.9)).collect();
    let (a, b, c, d) = (first, first + 1, first + 2, first + 3);
    format!("o {part}\n{points}{uvs}f {a}/{a} {b}/{b} {c}/{c} {d}/{d}\n")
}
