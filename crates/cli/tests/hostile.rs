//! What the program does with odd options, odd files and odd places: it says what is wrong before any work, and harms nothing.

use crate::support::{HIGH, LOW, error, program, run, with_pair};
use serde_json::Value;
use std::ffi::OsStr;
use std::fs;
use std::os::unix::ffi::OsStrExt;
use std::process::{Command, Output, Stdio};

/// It ended with 2, and says all these words and nothing that only a programmer reads.
fn refused(output: &Output, words: &[&str]) {
    let said = error(output);
    assert_eq!(output.status.code(), Some(2), "{said}");
    assert!(words.iter().all(|w| said.contains(w)), "{words:?}: {said}");
    assert!(!said.contains("panicked"), "{said}");
}

const PAIR: [&str; 7] = ["bake", "--low", "lid_low.obj", "--high", "lid_high.obj", "--size", "32"];

#[test]
fn options_out_of_range_are_refused_at_once() {
    let folder = with_pair();
    for (option, value, word) in [
        ("--threads", "100000", "1024"),
        ("--ao-distance", "nan", "finite"),
        ("--ao-distance", "inf", "finite"),
        ("--reach-out", "nan", "finite"),
        ("--displacement-scale", "-inf", "finite"),
        ("--set", "ao.distance=nan", "auto"),
        ("--set", "ao.ray=512", "unknown field"),
        ("--samples", "7", "1, 4, 16 or 64"),
    ] {
        refused(&run(folder.path(), &[&PAIR[..], &[&format!("{option}={value}")]].concat()), &[word]);
    }
    assert!(!folder.path().join("baked/report.json").exists());
}

#[test]
fn settings_that_no_map_has_are_refused_in_a_recipe_too() {
    let folder = with_pair();
    for map in ember_ridge_core::maps::MapSettings::all() {
        let recipe = serde_json::json!({
            "version": 1, "low": [{ "file": "lid_low.obj" }], "high": [{ "file": "lid_high.obj" }],
            "maps": [{ "map": map.id(), "glosss": 512 }],
        });
        fs::write(folder.path().join("lid.json"), recipe.to_string()).expect("written");
        refused(&run(folder.path(), &["bake", "lid.json", "--out", "out"]), &["lid.json", "glosss"]);
    }
}

#[test]
fn only_plain_files_are_read() {
    let folder = with_pair();
    let pipe = folder.path().join("pipe.obj");
    assert!(Command::new("mkfifo").arg(&pipe).status().expect("mkfifo is there").success());
    std::os::unix::fs::symlink("/dev/zero", folder.path().join("zero.obj")).expect("a link");
    for file in ["pipe.obj", "zero.obj"] {
        let recipe =
            serde_json::json!({ "version": 1, "low": [{ "file": "lid_low.obj" }], "high": [{ "file": file }] });
        fs::write(folder.path().join("lid.json"), recipe.to_string()).expect("written");
        refused(&run(folder.path(), &["bake", "lid.json", "--out", "out"]), &[file, "pipe or a device"]);
        refused(&run(folder.path(), &["check", file]), &[file, "pipe or a device"]);
    }
    refused(&run(folder.path(), &["check", "."]), &["a folder"]);
    // Files beside a mesh are plain ones too: a library that is none is as if it were not there.
    fs::write(folder.path().join("lid_high.obj"), format!("mtllib zero.obj\nusemtl a\n{HIGH}")).expect("written");
    assert_eq!(run(folder.path(), &["check", "lid_high.obj"]).status.code(), Some(0));
}

#[test]
fn a_folder_that_cannot_be_written_is_told_before_the_bake() {
    let folder = with_pair();
    fs::write(folder.path().join("taken"), "a file").expect("written");
    for out in ["taken", "/proc/nowhere"] {
        let output = run(folder.path(), &[&PAIR[..], &["--out", out]].concat());
        refused(&output, &[out, "nothing can be written there", "--out"]);
        let said = error(&output);
        assert!(!said.contains("reading") && !said.contains("baking"), "before any work: {said}");
    }
}

#[test]
fn a_bake_never_writes_over_what_it_reads() {
    let folder = with_pair();
    let at = |name: &str| folder.path().join(name);
    // The low-poly's own normal map lies where the new one would go.
    assert_eq!(run(folder.path(), &[&PAIR[..], &["--maps", "normal", "--out", "."]].concat()).status.code(), Some(0));
    let before = fs::read(at("lid_low_normal.png")).expect("baked");
    let from_map = ["--normal-map", "lid_low_normal.png", "--normal-map-y", "+", "--maps", "normal,ao", "--out", "."];
    refused(&run(folder.path(), &[&PAIR[..], &from_map].concat()), &["lid_low_normal.png", "write over it"]);
    // By another spelling too.
    fs::create_dir(at("sub")).expect("room");
    let from_map =
        ["--normal-map", "sub/../lid_low_normal.png", "--normal-map-y", "+", "--maps", "normal,ao", "--out", "sub/.."];
    refused(&run(folder.path(), &[&PAIR[..], &from_map].concat()), &["lid_low_normal.png", "write over it"]);
    assert_eq!(fs::read(at("lid_low_normal.png")).expect("still there"), before);
    // A recipe that is called as the report is.
    let recipe =
        serde_json::json!({ "version": 1, "low": [{ "file": "lid_low.obj" }], "high": [{ "file": "lid_high.obj" }] });
    fs::write(at("report.json"), recipe.to_string()).expect("written");
    refused(&run(folder.path(), &["bake", "report.json"]), &["report.json", "write over it"]);
    assert_eq!(fs::read_to_string(at("report.json")).expect("there"), recipe.to_string());
}

#[test]
fn two_materials_that_share_a_file_name_are_told() {
    let folder = with_pair();
    let low = LOW.replace("f 1/1 2", "usemtl a b\nf 1/1 2").replace("f 1/1 3", "usemtl a-b\nf 1/1 3");
    fs::write(folder.path().join("lid_low.obj"), low).expect("written");
    let output =
        run(folder.path(), &[&PAIR[..], &["--sheets", "materials", "--maps", "normal", "--out", "out"]].concat());
    refused(&output, &["lid_low_a-b_normal.png", "two sheets"]);
}

/// `ember-ridge check FILES | head -1`: the reader goes away, and the program goes too, without a word.
#[test]
fn a_reader_that_goes_away_ends_it_quietly() {
    let folder = with_pair();
    for arguments in [&["check", "--json", "lid_low.obj", "lid_high.obj"][..], &[&PAIR[..], &["--json"]].concat()] {
        let mut child = program(folder.path())
            .args(arguments)
            .stdout(Stdio::piped())
            .stderr(Stdio::piped())
            .spawn()
            .expect("it starts");
        drop(child.stdout.take());
        let output = child.wait_with_output().expect("it ends");
        assert_eq!(output.status.code(), Some(0), "{}", error(&output));
        assert!(!error(&output).contains("panicked"));
    }
    // Nobody to hear of progress is no reason to stop.
    let mut child =
        program(folder.path()).args(PAIR).stderr(Stdio::piped()).stdout(Stdio::null()).spawn().expect("it starts");
    drop(child.stderr.take());
    assert_eq!(child.wait().expect("it ends").code(), Some(0));
}

#[test]
fn file_names_need_not_be_utf8() {
    let folder = with_pair();
    let name = OsStr::from_bytes(b"lid_\xff_high.obj");
    fs::write(folder.path().join(name), HIGH).expect("written");
    let output = program(folder.path())
        .args(["bake", "--low", "lid_low.obj", "--size", "32", "--maps", "normal", "--json", "--high"])
        .arg(name)
        .output()
        .expect("it starts");
    assert_eq!(output.status.code(), Some(0), "{}", error(&output));
    let report: Value = serde_json::from_slice(&output.stdout).expect("JSON");
    assert_eq!(report["misses"], 0);
    let output = program(folder.path()).args(["check", "--json"]).arg(name).output().expect("it starts");
    assert_eq!(output.status.code(), Some(0), "{}", error(&output));
    let checked: Value = serde_json::from_slice(&output.stdout).expect("JSON");
    assert_eq!(checked["files"][0]["triangles"], 2);
}
