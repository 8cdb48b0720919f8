//! `ember-ridge batch`: a folder of assets by one template, with a broken file among them, cut off by a kill, and begun again.

use crate::support::{error, program, run, with_pair};
use serde_json::{Value, json};
use std::fs;
use std::path::Path;
use std::process::Stdio;
use std::time::{Duration, Instant};

/// So many copies of the lid under names of their own, and a template for them.
fn folder_of(count: usize) -> tempfile::TempDir {
    let folder = with_pair();
    let meshes = folder.path().join("meshes");
    fs::create_dir(&meshes).expect("made");
    for number in 0..count {
        for side in ["low", "high"] {
            let copy = meshes.join(format!("lid {number:02}_{side}.obj"));
            fs::copy(folder.path().join(format!("lid_{side}.obj")), copy).expect("copied");
        }
    }
    let template = json!({
        "recipe": { "sheet": { "size": 32, "samples": 1, "padding": 2, "depth": "16" }, "reach": { "out": 0.1, "in": 0.1 },
            "maps": [{ "map": "normal" }, { "map": "displacement" }] },
        "profile": "painting-16"
    });
    fs::write(folder.path().join("template.json"), template.to_string()).expect("written");
    folder
}

fn ledger(folder: &Path) -> Value {
    serde_json::from_str(&fs::read_to_string(folder.join("meshes/baked/batch.json")).expect("a file")).expect("JSON")
}

fn batch(folder: &Path, more: &[&str]) -> (Option<i32>, Value) {
    let output = run(folder, &[&["batch", "template.json", "meshes", "--json"], more].concat());
    (output.status.code(), serde_json::from_slice(&output.stdout).unwrap_or_else(|_| panic!("{}", error(&output))))
}

/// What was written of an asset, but for what tells versions.
fn maps_of(folder: &Path, asset: &str) -> Vec<Vec<u8>> {
    let files =
        ["normal", "displacement"].map(|map| format!("meshes/baked/{asset}/delivered/Lid_{}_{map}.png", &asset[4..]));
    files.iter().map(|file| fs::read(folder.join(file)).unwrap_or_else(|fault| panic!("{file}: {fault}"))).collect()
}

#[test]
fn thirty_assets_survive_a_broken_file_and_a_kill_and_unchanged_ones_are_left_out() {
    let folder = folder_of(30);
    let at = folder.path();
    fs::write(at.join("meshes/lid 07_high.obj"), "v 0 0 0\nf 1 2 3\n").expect("broken");
    fs::write(at.join("meshes/notes.obj"), "v 0 0 0\n").expect("written");
    let out = at.join("meshes/baked");
    // Killed once some are made.
    let mut first = program(at)
        .args(["batch", "template.json", "meshes", "--processes", "2"])
        .stdout(Stdio::null())
        .stderr(Stdio::null())
        .spawn()
        .expect("starts");
    let made = || ledger_rows(&out).len();
    let began = Instant::now();
    while made() < 4 {
        assert!(began.elapsed() < Duration::from_secs(240), "only {} were made", made());
        assert!(first.try_wait().expect("it runs").is_none(), "it ended before it was killed");
        std::thread::sleep(Duration::from_millis(20));
    }
    first.kill().expect("killed");
    first.wait().expect("ended");
    let before = ledger_rows(&out);
    assert!((4..30).contains(&before.len()), "{}", before.len());

    let (code, told) = batch(at, &["--only-changed", "--processes", "2"]);
    assert_eq!(code, Some(1), "{told}");
    assert_eq!((&told["done"], &told["failed"], &told["wanting"]), (&json!(29), &json!(1), &json!(0)), "{told}");
    assert!(told["unchanged"].as_u64().is_some_and(|count| count >= 3), "{}", told["unchanged"]);
    let rows = told["assets"].as_array().expect("rows");
    let broken = rows.iter().find(|row| row["status"] == "failed").expect("the broken one");
    assert_eq!(broken["asset"], "lid_07");
    let fault = broken["faults"][0].as_str().expect("a reason");
    assert!(fault.contains("lid 07_high.obj") && fault.contains("line 2"), "{fault}");
    assert_eq!(told["left_out"].as_array().map(Vec::len), Some(1));
    assert!(told["left_out"][0].as_str().is_some_and(|left| left.starts_with("notes.obj")));
    // Each holds the same as one that nothing disturbed, and tells how far it is from its sculpt.
    let wanted = maps_of(at, "lid_00");
    for row in rows.iter().filter(|row| row["status"] == "done") {
        let asset = row["asset"].as_str().expect("a name");
        assert_eq!(maps_of(at, asset), wanted, "{asset}");
        assert!(row["truths"]["lit"][0]["mean"].as_f64().is_some_and(|mean| mean < 5.0), "{row}");
        assert!(out.join(row["contact"].as_str().expect("a contact sheet")).is_file());
    }
    let leftovers = |folder: &Path| -> Vec<String> {
        let names =
            fs::read_dir(folder).expect("a folder").flatten().map(|e| e.file_name().to_string_lossy().into_owned());
        names.filter(|name| name.starts_with('.') && name != ".batch.lock").collect()
    };
    for row in rows.iter().filter(|row| row["status"] == "done") {
        let place = out.join(row["asset"].as_str().expect("a name"));
        assert_eq!(leftovers(&place), Vec::<String>::new(), "{}", place.display());
    }

    // The second time nothing is done but for the one that failed; mended, it is made too, and no other.
    let stamp = |asset: &str| {
        fs::metadata(out.join(asset).join("delivered/facts.json"))
            .and_then(|about| about.modified())
            .expect("it is there")
    };
    let (before, pages) = (stamp("lid_00"), ledger(at));
    fs::copy(at.join("lid_high.obj"), at.join("meshes/lid 07_high.obj")).expect("mended");
    let (code, told) = batch(at, &["--only-changed"]);
    assert_eq!((code, &told["unchanged"], &told["done"]), (Some(0), &json!(29), &json!(30)), "{told}");
    assert_eq!(stamp("lid_00"), before);
    let (code, told) = batch(at, &["--only-changed"]);
    assert_eq!((code, &told["unchanged"]), (Some(0), &json!(30)), "{told}");
    assert_eq!(pages["assets"][0]["seconds"], told["assets"][0]["seconds"], "its line is from when it was made");
    let page = fs::read_to_string(out.join("batch.html")).expect("a page");
    assert!(page.contains("lid_07") && page.contains("src=\"lid_00/delivered/Lid_00_contact.png\""), "{page}");
    // Another template is another bake.
    let text =
        fs::read_to_string(at.join("template.json")).expect("the template").replace("\"padding\":2", "\"padding\":4");
    fs::write(at.join("template.json"), text).expect("written");
    fs::remove_dir_all(at.join("meshes/baked")).expect("removed");
    for number in 1..30 {
        for side in ["low", "high"] {
            fs::remove_file(at.join(format!("meshes/lid {number:02}_{side}.obj"))).expect("removed");
        }
    }
    let (code, told) = batch(at, &["--only-changed"]);
    assert_eq!((code, &told["unchanged"], &told["done"]), (Some(0), &json!(0), &json!(1)), "{told}");
}

fn ledger_rows(out: &Path) -> Vec<Value> {
    let text = fs::read_to_string(out.join("batch.json")).unwrap_or_default();
    let ledger: Value = serde_json::from_str(&text).unwrap_or_default();
    ledger["assets"].as_array().cloned().unwrap_or_default()
}

#[test]
fn a_template_that_cannot_be_is_told_with_its_place() {
    let folder = folder_of(1);
    let at = folder.path();
    let cases = [
        ("{", "not valid JSON"),
        (r#"{ "recipe": { "sheet": { "size": 7 } } }"#, "recipe: "),
        (r#"{ "recipe": {}, "profil": "gltf" }"#, "\"profil\" is no field of a template"),
        (r#"{ "recipe": {}, "profile": "nowhere" }"#, "there is no 'nowhere'"),
        (r#"{ "recipe": {}, "profile": { "version": 1, "name": "x", "pictures": [] } }"#, "profile: pictures"),
    ];
    for (text, wanted) in cases {
        fs::write(at.join("template.json"), text).expect("written");
        let output = run(at, &["batch", "template.json", "meshes"]);
        assert_eq!(output.status.code(), Some(2));
        assert!(error(&output).contains(wanted), "{text}: {}", error(&output));
    }
    fs::write(at.join("template.json"), r#"{ "version": 1 }"#).expect("written");
    fs::create_dir(at.join("none")).expect("made");
    let output = run(at, &["batch", "template.json", "none"]);
    assert!(
        output.status.code() == Some(2) && error(&output).contains("no file there is named as a low-poly"),
        "{}",
        error(&output)
    );
    assert!(!at.join("none/baked").exists(), "nothing is made for nothing");
}
