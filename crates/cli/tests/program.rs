//! The program as it is run: files in, files and exit codes out.

use crate::support::{HIGH, LOW, error, run, with_pair};
use serde_json::Value;
use std::fs;
use std::process::Output;

/// A recipe may say which files lay beside a mesh: others, or none, would bake something else.
#[test]
fn files_beside_a_mesh_must_be_those_of_the_recipe() {
    let folder = with_pair();
    let at = |name: &str| folder.path().join(name);
    let library = "newmtl tin\nKd 1 0 0\n";
    fs::write(at("lid_high.obj"), format!("mtllib lid.mtl\nusemtl tin\n{HIGH}")).expect("written");
    fs::write(at("lid.mtl"), library).expect("written");
    let recipe = serde_json::json!({
        "version": 1, "low": [{ "file": "lid_low.obj" }], "sheet": { "size": 16, "samples": 1 }, "maps": [{ "map": "normal" }],
        "reach": { "out": 0.1, "in": 0.1 },
        "high": [{ "file": "lid_high.obj",
                   "beside": [{ "file": "lid.mtl", "hash": blake3::hash(library.as_bytes()).to_hex().as_str() }] }],
    });
    fs::write(at("lid.json"), recipe.to_string()).expect("written");
    let bake = || run(folder.path(), &["bake", "lid.json", "--out", "out"]);
    assert_eq!(bake().status.code(), Some(0), "{}", error(&bake()));
    fs::write(at("lid.mtl"), "newmtl tin\nKd 0 1 0\n").expect("written");
    assert!(
        bake().status.code() == Some(2)
            && error(&bake()).contains("lid.mtl: it is not the file")
            && error(&bake()).contains("remove it from \"beside\""),
        "{}",
        error(&bake())
    );
    fs::remove_file(at("lid.mtl")).expect("there");
    assert!(
        bake().status.code() == Some(2) && error(&bake()).contains("'lid.mtl' is not beside it"),
        "{}",
        error(&bake())
    );
}

#[test]
fn two_files_become_maps_and_a_report_and_the_recipe_repeats_them() {
    let folder = with_pair();
    let at = |name: &str| folder.path().join(name);
    let options = [
        "--size",
        "64",
        "--samples",
        "1",
        "--normal-y",
        "-",
        "--depth",
        "16",
        "--reach-out",
        "0.1",
        "--reach-in",
        "0.1",
    ];
    let first = ["bake", "--low", "lid_low.obj", "--high", "lid_high.obj", "--out", "out", "--json"];
    let output = run(folder.path(), &[&first[..], &options[..]].concat());
    assert_eq!(output.status.code(), Some(0), "{}", error(&output));
    let report: Value = serde_json::from_slice(&output.stdout).expect("JSON on standard output alone");
    assert_eq!((&report["texels"], &report["covered"], &report["misses"]), (&4096.into(), &4096.into(), &0.into()));
    assert_eq!(report["maps"]["normal"]["file"], "lid_low_normal.png");
    assert!(report["maps"]["normal"]["encoding"].as_str().is_some_and(|e| e.contains("Y- (green down)")));
    assert_eq!(report["maps"]["id"]["palette"][0]["name"], "lid_high");
    let written: Value = serde_json::from_slice(&fs::read(at("out/report.json")).expect("there")).expect("JSON");
    assert_eq!(written, report);

    fs::write(at("again.json"), report["recipe"].to_string()).expect("written");
    let output = run(folder.path(), &["bake", "again.json", "--out", "again", "--threads", "1"]);
    assert_eq!(output.status.code(), Some(0), "{}", error(&output));
    for map in ["normal", "id", "miss"] {
        let name = format!("lid_low_{map}.png");
        assert_eq!(fs::read(at("out").join(&name)).expect("there"), fs::read(at("again").join(&name)).expect("there"));
    }
}

#[test]
fn a_proof_is_small() {
    let folder = with_pair();
    let output = run(folder.path(), &["bake", "--low", "lid_low.obj", "--high", "lid_high.obj", "--proof", "--json"]);
    let report: Value = serde_json::from_slice(&output.stdout).expect("JSON");
    assert_eq!((&report["maps"]["miss"]["width"], &report["recipe"]["sheet"]["samples"]), (&512.into(), &1.into()));
    assert!(folder.path().join("baked/lid_low_miss.png").is_file(), "without --out they go to `baked`");
}

#[test]
fn formats_settings_and_udim_names_are_as_asked() {
    let folder = with_pair();
    let pair = ["bake", "--low", "lid_low.obj", "--high", "lid_high.obj", "--size", "32", "--json"];
    let bake = |more: &[&str]| {
        let output = run(folder.path(), &[&pair[..], more].concat());
        assert_eq!(output.status.code(), Some(0), "{more:?}: {}", error(&output));
        serde_json::from_slice::<Value>(&output.stdout).expect("JSON")
    };
    let maps = ["--maps", "displacement,cavity,position", "--out", "exr"];
    let set = ["--set", "cavity.method=curvature", "--set", "position.axis=y", "--displacement-scale", "0.5"];
    let report = bake(&[&maps[..], &set[..], &["--format", "exr", "--depth", "32f"]].concat());
    assert!(folder.path().join("exr/lid_low_displacement.exr").is_file());
    assert_eq!(report["recipe"]["maps"][1]["method"], "curvature");
    assert!(report["maps"]["displacement"]["scale"].is_null(), "floats hold the height itself");
    let report =
        bake(&["--maps", "displacement", "--sheets", "udim", "--format", "tiff", "--depth", "16", "--out", "udim"]);
    assert_eq!(report["maps"]["displacement"]["file"], "lid_low_displacement.1001.tif");
    assert!(report["maps"]["displacement"]["scale"].is_number());
    let wrong = run(folder.path(), &[&pair[..], &["--set", "normal.gloss=1"]].concat());
    assert_eq!(wrong.status.code(), Some(2));
    assert!(error(&wrong).contains("normal.gloss = 1: unknown field `gloss`"), "{}", error(&wrong));
    let wrong = run(folder.path(), &[&pair[..], &["--depth", "32f"]].concat());
    assert!(error(&wrong).contains("PNG holds 8 bit or 16 bit"), "{}", error(&wrong));
}

#[test]
fn a_normal_map_alone_makes_occlusion_and_a_damaged_one_is_named() {
    let folder = with_pair();
    let bake = ["bake", "--low", "lid_low.obj", "--high", "lid_high.obj", "--maps", "normal", "--out", "first"];
    assert_eq!(run(folder.path(), &[&bake[..], &["--size", "32"]].concat()).status.code(), Some(0));
    let again = ["bake", "--low", "lid_low.obj", "--normal-map", "first/lid_low_normal.png", "--size", "32"];
    let output = run(folder.path(), &[&again[..], &["--maps", "ao,curvature", "--out", "second"]].concat());
    assert_eq!(output.status.code(), Some(0), "{}", error(&output));
    assert!(folder.path().join("second/lid_low_curvature.png").is_file());
    fs::write(folder.path().join("first/lid_low_normal.png"), b"no picture").expect("written");
    let output = run(folder.path(), &[&again[..], &["--maps", "ao"]].concat());
    assert_eq!(output.status.code(), Some(2));
    assert!(error(&output).contains("lid_low_normal.png: the picture"), "{}", error(&output));
}

#[test]
fn unusable_input_exits_with_two_and_says_what_to_do() {
    let folder = with_pair();
    fs::write(folder.path().join("cut.obj"), "v 0 0 0\nv 1 0 0\nv 0 oops 0\n").expect("written");
    fs::write(folder.path().join("bare_low.obj"), "v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n").expect("written");
    fs::write(folder.path().join("odd.json"), "{\"version\":1,\"low\":[],\"hihg\":[]}").expect("written");
    fs::write(folder.path().join("new.json"), "{\"version\":9,\"low\":[],\"high\":[]}").expect("written");
    let low_high = |low: &'static str, high: &'static str| vec!["bake", "--low", low, "--high", high];
    for (arguments, expected) in [
        (low_high("missing.obj", "lid_high.obj"), "missing.obj: cannot be read"),
        (low_high("lid_low.obj", "cut.obj"), "cut.obj: line 3 ('v 0 oops 0')"),
        (low_high("bare_low.obj", "lid_high.obj"), "Unwrap the mesh"),
        ([low_high("lid_low.obj", "lid_high.obj"), vec!["--size", "7"]].concat(), "sheet.size is 7"),
        ([low_high("lid_low.obj", "lid_high.obj"), vec!["--maps", "normal,gloss"]].concat(), "no map 'gloss'"),
        ([low_high("lid_low.obj", "lid_high.obj"), vec!["--reach-out", "far"]].concat(), "scene units"),
        (vec!["bake", "odd.json"], "hihg"),
        (vec!["bake", "new.json"], "version is 9"),
        (vec!["sample", "teapot", "--out", "x"], "lookout-lantern, boundary-stone"),
    ] {
        let output = run(folder.path(), &arguments);
        assert_eq!(output.status.code(), Some(2), "{arguments:?}");
        assert!(error(&output).contains(expected), "{arguments:?}: {}", error(&output));
    }
}

#[test]
fn another_file_of_the_same_name_is_refused() {
    let folder = with_pair();
    let recipe = r#"{"version":1,"low":[{"file":"lid_low.obj","hash":"00"}],"high":[{"file":"lid_high.obj"}]}"#;
    fs::write(folder.path().join("r.json"), recipe).expect("written");
    let output = run(folder.path(), &["bake", "r.json"]);
    assert_eq!(output.status.code(), Some(2));
    assert!(error(&output).contains("not the file the recipe was made with"), "{}", error(&output));
}

#[test]
fn a_map_that_cannot_be_written_leaves_the_others() {
    let folder = with_pair();
    // A folder stands where the ID map should go.
    fs::create_dir_all(folder.path().join("out/lid_low_id.png")).expect("made");
    let arguments =
        ["bake", "--low", "lid_low.obj", "--high", "lid_high.obj", "--out", "out", "--size", "32", "--json"];
    let output = run(folder.path(), &arguments);
    assert_eq!(output.status.code(), Some(1), "{}", error(&output));
    let report: Value = serde_json::from_slice(&output.stdout).expect("JSON");
    assert!(report["maps"]["id"]["error"].is_string() && report["maps"]["normal"]["error"].is_null());
    assert!(folder.path().join("out/lid_low_normal.png").is_file());
}

#[test]
fn a_map_that_cannot_be_made_says_why_once_and_leaves_the_others() {
    let folder = with_pair();
    let set = ["--maps", "normal,ao", "--set", "ao.clear=[\"no such part\"]", "--size", "32", "--out", "out"];
    let output = run(folder.path(), &[&["bake", "--low", "lid_low.obj", "--high", "lid_high.obj"][..], &set].concat());
    assert_eq!(output.status.code(), Some(1));
    assert_eq!(
        error(&output).matches("error: ao: the sculpt has no part 'no such part'").count(),
        1,
        "{}",
        error(&output)
    );
    assert!(
        folder.path().join("out/lid_low_normal.png").is_file() && !folder.path().join("out/lid_low_ao.png").exists()
    );
}

#[test]
fn check_finds_and_tells() {
    let folder = with_pair();
    let turned = LOW.replace("f 1/1 3/3 4/4", "f 1/1 4/4 3/3").replace("vt 1 0", "vt 1.5 0");
    fs::write(folder.path().join("bad_low.obj"), turned).expect("written");
    fs::write(folder.path().join("nan.obj"), "v 0 0 0\nv nan 0 0\nv 0 1 0\nf 1 2 3\n").expect("written");
    let fine = run(folder.path(), &["check", "lid_low.obj", "lid_high.obj"]);
    assert_eq!((fine.status.code(), String::from_utf8_lossy(&fine.stdout).trim()), (Some(0), "no findings"));
    let output = run(folder.path(), &["check", "--json", "bad_low.obj", "nan.obj"]);
    assert_eq!(output.status.code(), Some(1));
    let checked: Value = serde_json::from_slice(&output.stdout).expect("JSON");
    let line = serde_json::json!({
        "file": "bad_low.obj", "parts": ["lid_low"], "triangles": 2, "points": 4, "low": [0.0, 0.0, 0.0], "high": [1.0, 0.0, 1.0],
        "uv_sets": 1, "colors": false, "materials": [],
    });
    assert_eq!(checked["files"], serde_json::json!([line]), "of a file that cannot be read nothing is told");
    let findings = &checked["findings"];
    let kinds: Vec<&str> = findings.as_array().into_iter().flatten().filter_map(|f| f["kind"].as_str()).collect();
    assert_eq!(kinds, ["turned-faces", "island-outside", "not-a-number"]);
    assert_eq!(findings[0]["place"]["file"], "bad_low.obj");
    assert_eq!(findings[2]["reason"], "part 'nan', vertex 2: its position is [NaN, 0, 0]");
}

/// Fixing a recipe and a mesh file by the same checks; the files themselves stay as they are.
#[test]
fn check_mends_what_it_can_and_records_it() {
    let folder = with_pair();
    let at = |name: &str| folder.path().join(name);
    let bad = LOW.replace("f 1/1 3/3 4/4", "f 1/1 4/4 3/3").replace("vt 1 ", "vt 2 ").replace("vt 0 ", "vt 1 ");
    fs::write(at("bad_low.obj"), &bad).expect("written");
    let large = HIGH.replace('1', "100").replace("0.05", "5").replace("f 100 ", "f 1 ");
    fs::write(at("large_high.obj"), large).expect("written");
    let recipe = "{\"version\":1,\"low\":[{\"file\":\"bad_low.obj\"}],\"high\":[{\"file\":\"large_high.obj\"}],\
        \"exceptions\":[{\"kind\":\"mirrored-islands\",\"note\":\"seen from below\"}]}";
    fs::write(at("lid.json"), recipe).expect("written");
    let kinds = |output: &Output| -> Vec<String> {
        let checked: Value = serde_json::from_slice(&output.stdout).expect("JSON");
        checked["findings"]
            .as_array()
            .into_iter()
            .flatten()
            .filter_map(|f| f["kind"].as_str().map(str::to_owned))
            .collect()
    };
    let before = run(folder.path(), &["check", "lid.json", "--json"]);
    assert_eq!(before.status.code(), Some(1), "{}", error(&before));
    assert_eq!(kinds(&before), ["turned-faces", "island-outside", "scale-slip"]);
    let fixed = run(folder.path(), &["check", "lid.json", "--fix", "--json"]);
    assert_eq!((fixed.status.code(), kinds(&fixed)), (Some(0), vec![]), "{}", error(&fixed));
    let written: Value = serde_json::from_slice(&fs::read(at("lid.json")).expect("there")).expect("JSON");
    let steps: Vec<&str> = ["low", "high"]
        .iter()
        .flat_map(|side| written[side][0]["steps"].as_array().into_iter().flatten())
        .filter_map(|step| step["step"].as_str())
        .collect();
    assert_eq!(steps, ["turn-faces", "move-islands", "scale"]);
    assert_eq!(fs::read_to_string(at("bad_low.obj")).expect("there"), bad, "the file stays as it is");
    let baked = run(folder.path(), &["bake", "lid.json", "--out", "out", "--size", "32", "--maps", "normal", "--json"]);
    let report: Value = serde_json::from_slice(&baked.stdout).expect("JSON");
    assert_eq!((&report["covered"], &report["misses"]), (&1024.into(), &0.into()), "{}", error(&baked));

    // A mesh file by itself is fixed into a copy, never in place.
    let without = run(folder.path(), &["check", "bad_low.obj", "--fix"]);
    assert!(without.status.code() == Some(2) && error(&without).contains("--out"), "{}", error(&without));
    let copied = run(folder.path(), &["check", "bad_low.obj", "--fix", "--out", "fixed", "--json"]);
    assert_eq!((copied.status.code(), kinds(&copied)), (Some(0), vec![]), "{}", error(&copied));
    let onto = run(folder.path(), &["check", "--low", "fixed/bad_low.glb", "--fix", "--out", "./fixed/../fixed"]);
    assert!(onto.status.code() == Some(2) && error(&onto).contains("folder of the file itself"), "{}", error(&onto));
    fs::create_dir(at("other")).expect("room");
    fs::copy(at("bad_low.obj"), at("other/Bad_low.obj")).expect("room");
    let twice = ["check", "bad_low.obj", "other/Bad_low.obj", "--fix", "--out", "both"];
    let twice = run(folder.path(), &twice);
    assert!(twice.status.code() == Some(2) && error(&twice).contains("one at a time"), "{}", error(&twice));
    assert!(!at("both").exists(), "nothing is written before it is sure");
    let again = run(folder.path(), &["check", "--low", "fixed/bad_low.glb", "--json"]);
    assert_eq!((again.status.code(), kinds(&again)), (Some(0), vec![]), "{}", error(&again));
}

#[test]
fn a_plane_is_baked_in_place_of_a_low_poly() {
    let folder = with_pair();
    let options = [
        "bake",
        "--plane",
        "y",
        "--repeats",
        "--high",
        "lid_high.obj",
        "--out",
        "out",
        "--maps",
        "displacement",
        "--size",
        "32",
        "--format",
        "exr",
        "--depth",
        "32f",
        "--reach-out",
        "0.2",
        "--reach-in",
        "0.2",
        "--json",
    ];
    let output = run(folder.path(), &options);
    assert_eq!(output.status.code(), Some(0), "{}", error(&output));
    let report: Value = serde_json::from_slice(&output.stdout).expect("JSON");
    assert_eq!((&report["covered"], &report["misses"]), (&1024.into(), &0.into()));
    assert_eq!(report["maps"]["displacement"]["file"], "plane_displacement.exr");
    // The lid lies at 0.05 over the plane's height of 0.
    let height = report["maps"]["displacement"]["extreme"].as_f64().unwrap_or(0.0);
    assert!((height - 0.05).abs() < 1e-6, "{height}");
    let plane = &report["recipe"]["low"][0]["plane"];
    assert!(plane["repeats"] == true && plane["size"][0].as_f64() == Some(1.0), "{plane}");
    let both = run(folder.path(), &["bake", "--plane", "y", "--low", "lid_low.obj", "--high", "lid_high.obj"]);
    assert_eq!(both.status.code(), Some(2));
}

#[test]
fn a_painted_recipe_is_repeated_to_the_byte_on_any_number_of_threads() {
    let folder = with_pair();
    let first = run(
        folder.path(),
        &["bake", "--low", "lid_low.obj", "--high", "lid_high.obj", "--out", "first", "--size", "64"],
    );
    assert!(first.status.success(), "{}", error(&first));
    let report: Value =
        serde_json::from_slice(&fs::read(folder.path().join("first/report.json")).expect("written")).expect("JSON");
    let mut recipe = report["recipe"].clone();
    let stroke = |brush: &str| serde_json::json!({ "brush": brush, "size": 0.4, "strength": 0.8, "path": [[0.5, 0.0, 0.5, 1.0], [0.7, 0.0, 0.5, 0.5]] });
    recipe["reach"]["strokes"] = serde_json::json!([stroke("more"), stroke("plumb")]);
    fs::write(folder.path().join("painted.json"), recipe.to_string()).expect("room");
    for (out, threads) in [("one", "1"), ("two", "2")] {
        let baked = run(folder.path(), &["bake", "painted.json", "--out", out, "--threads", threads]);
        assert!(baked.status.success(), "{}", error(&baked));
    }
    let map = |out: &str| fs::read(folder.path().join(out).join("lid_low_normal.png")).expect("a map");
    assert!(map("one") == map("two"));
    // A stroke that cannot be is named with its place.
    recipe["reach"]["strokes"][1]["path"] = serde_json::json!([]);
    fs::write(folder.path().join("painted.json"), recipe.to_string()).expect("room");
    let refused = run(folder.path(), &["bake", "painted.json", "--out", "three"]);
    assert_eq!(refused.status.code(), Some(2));
    assert!(error(&refused).contains("reach.strokes: number 2: path has 0 points"), "{}", error(&refused));
}

#[test]
fn kept_hits_are_taken_over_by_other_maps_and_settings() {
    let folder = with_pair();
    let bake = |maps: &str, more: &[&str]| {
        let pair = ["bake", "--low", "lid_low.obj", "--high", "lid_high.obj", "--size", "64", "--json", "--maps", maps];
        let output = run(folder.path(), &[&pair[..], more].concat());
        assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
        let report: Value = serde_json::from_slice(&output.stdout).expect("JSON");
        (report["rays"].clone(), report["kept_rays"].clone())
    };
    let (rays, kept) = bake("normal,miss", &["--out", "first", "--keep-hits", "hits"]);
    assert_eq!(kept, 0);
    let made = std::fs::metadata(folder.path().join("hits/kept-hits.bin")).expect("kept").len();
    assert!(made > 100);
    let again = bake("normal,id,position", &["--out", "second", "--hits", "hits", "--normal-y", "-", "--threads", "1"]);
    assert_eq!(again, (0.into(), rays));
    bake("normal,id,position", &["--out", "third", "--normal-y", "-"]);
    for map in ["normal", "id", "position"] {
        let file = |of: &str| std::fs::read(folder.path().join(format!("{of}/lid_low_{map}.png"))).expect("a map");
        assert!(file("second") == file("third"), "{map}");
    }
    let output = run(folder.path(), &["bake", "--low", "lid_low.obj", "--high", "lid_high.obj", "--hits", "nowhere"]);
    assert_eq!(output.status.code(), Some(2));
    assert!(error(&output).contains("nowhere") && error(&output).contains("--keep-hits"), "{}", error(&output));
}

/// The green of a map that comes in is taken as its slopes say, unless something else is said.
#[test]
fn green_of_a_normal_map_is_guessed_from_its_slopes() {
    let folder = tempfile::tempdir().expect("a folder");
    crate::verify::write_pair(folder.path());
    let first = [
        "bake",
        "--low",
        "dune_low.obj",
        "--high",
        "dune_high.obj",
        "--maps",
        "normal",
        "--size",
        "128",
        "--samples",
        "1",
    ];
    let reach = ["--reach-out", "0.1", "--reach-in", "0.1"];
    for (y, out) in [("+", "up"), ("-", "down")] {
        let output = run(folder.path(), &[&first[..], &reach, &["--normal-y", y, "--out", out]].concat());
        assert_eq!(output.status.code(), Some(0), "{}", error(&output));
        let map = format!("{out}/dune_low_normal.png");
        let again = [
            "bake",
            "--low",
            "dune_low.obj",
            "--normal-map",
            &map,
            "--maps",
            "curvature",
            "--size",
            "64",
            "--out",
            "again",
            "--json",
        ];
        let guessed = |more: &[&str]| {
            let output = run(folder.path(), &[&again[..], more].concat());
            let report: serde_json::Value =
                serde_json::from_slice(&output.stdout).unwrap_or_else(|_| panic!("{}", error(&output)));
            (report["recipe"]["normal_map"]["y"].as_str().expect("a way").to_owned(), error(&output))
        };
        let (told, words) = guessed(&[]);
        assert!(told == y && words.contains(&format!("taken as Y{y} ")), "{y}: {told}: {words}");
        let (told, words) = guessed(&["--normal-map-y", "+"]);
        assert!(told == "+" && !words.contains("taken as Y"), "{words}");
    }
}
