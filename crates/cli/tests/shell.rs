//! What shells and editors are given: completions, manual pages, and schemas that tell a good recipe from a bad one.

use crate::support::{error, run, with_pair};
use serde_json::{Value, json};
use std::fs;
use std::path::Path;

fn said(arguments: &[&str]) -> String {
    let output = run(Path::new("."), arguments);
    assert_eq!(output.status.code(), Some(0), "{}", error(&output));
    String::from_utf8(output.stdout).expect("text")
}

const COMMANDS: [&str; 10] =
    ["serve", "bake", "check", "compare", "verify", "deliver", "batch", "profile", "schema", "finish"];

#[test]
fn every_shell_is_given_completions_that_it_can_read() {
    for shell in ["bash", "zsh", "fish", "elvish", "powershell"] {
        let text = said(&["completions", shell]);
        assert!(COMMANDS.iter().all(|command| text.contains(command)), "{shell}");
        assert!(text.contains("only-changed"), "{shell}");
    }
    // Bash reads its own without a complaint, and completes by it.
    let script = "source /dev/stdin; COMP_WORDS=(ember-ridge del); COMP_CWORD=1; _ember__ridge ember-ridge del ember-ridge; echo ${COMPREPLY[@]}";
    let mut bash = std::process::Command::new("bash")
        .args(["-c", script])
        .stdin(std::process::Stdio::piped())
        .stdout(std::process::Stdio::piped())
        .spawn()
        .expect("bash is here");
    std::io::Write::write_all(&mut bash.stdin.take().expect("piped"), said(&["completions", "bash"]).as_bytes())
        .expect("heard");
    let answer = bash.wait_with_output().expect("it ends");
    assert_eq!(String::from_utf8_lossy(&answer.stdout).trim(), "deliver");
}

#[test]
fn each_command_has_a_manual_page() {
    let folder = tempfile::tempdir().expect("a folder");
    said(&["man", "--out", folder.path().to_str().expect("UTF-8")]);
    let page =
        |name: &str| fs::read_to_string(folder.path().join(name)).unwrap_or_else(|fault| panic!("{name}: {fault}"));
    assert!(page("ember-ridge.1").starts_with(".ie"));
    for command in COMMANDS {
        let text = page(&format!("ember-ridge-{command}.1"));
        assert!(text.contains(".SH NAME") && text.contains(&format!("ember\\-ridge\\-{command}")), "{command}");
    }
}

#[test]
fn the_schemas_in_docs_are_those_of_the_program() {
    for of in ["recipe", "profile"] {
        let path = Path::new(env!("CARGO_MANIFEST_DIR")).join(format!("../../docs/{of}.schema.json"));
        let text = said(&["schema", of]);
        if std::env::var_os("UPDATE_SCHEMAS").is_some() {
            fs::write(&path, &text).expect("written");
        }
        let kept = fs::read_to_string(&path).unwrap_or_default();
        assert!(kept == text, "docs/{of}.schema.json is another. Run this test once with UPDATE_SCHEMAS=1");
    }
}

#[test]
fn a_schema_takes_what_the_program_takes() {
    let schema: Value = serde_json::from_str(&said(&["schema"])).expect("JSON");
    let recipes = jsonschema::draft202012::new(&schema).expect("a schema");
    let folder = with_pair();
    // As short as a recipe may be, and as the program writes it out.
    let short = json!({ "version": 1, "low": [{ "file": "lid_low.obj" }], "high": [{ "file": "lid_high.obj" }],
        "sheet": { "size": 32, "samples": 1 }, "reach": { "out": 0.1, "in": "auto" }, "maps": [{ "map": "normal" }] });
    fs::write(folder.path().join("recipe.json"), short.to_string()).expect("written");
    let output = run(folder.path(), &["bake", "recipe.json", "--out", "out", "--json"]);
    assert_eq!(output.status.code(), Some(0), "{}", error(&output));
    let report: Value = serde_json::from_slice(&output.stdout).expect("JSON");
    for recipe in [&short, &report["recipe"]] {
        let faults: Vec<String> = recipes.iter_errors(recipe).map(|e| format!("{}: {e}", e.instance_path())).collect();
        assert_eq!(faults, Vec::<String>::new());
    }
    let changed = |field: &str, to: Value| {
        let mut recipe = short.clone();
        recipe[field] = to;
        recipe
    };
    for wrong in [
        changed("sheets", json!({})),
        changed("seed", json!("x")),
        changed("maps", json!([{ "map": "normals" }])),
        changed("low", json!(1)),
    ] {
        assert!(!recipes.is_valid(&wrong), "{wrong}");
        fs::write(folder.path().join("wrong.json"), wrong.to_string()).expect("written");
        assert_eq!(run(folder.path(), &["bake", "wrong.json"]).status.code(), Some(2), "{wrong}");
    }
    let schema: Value = serde_json::from_str(&said(&["schema", "profile"])).expect("JSON");
    let profiles = jsonschema::draft202012::new(&schema).expect("a schema");
    for name in ["metal-rough-packed", "separate", "gltf", "film-exr", "painting-16"] {
        let profile: Value = serde_json::from_str(&said(&["profile", name])).expect("JSON");
        let faults: Vec<String> =
            profiles.iter_errors(&profile).map(|e| format!("{}: {e}", e.instance_path())).collect();
        assert_eq!(faults, Vec::<String>::new(), "{name}");
    }
    assert!(!profiles.is_valid(&json!({ "version": 1, "name": "x", "pictures": [{ "suffix": "N" }] })));
}
