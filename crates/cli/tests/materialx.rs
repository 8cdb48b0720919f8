//! MaterialX documents by the command line: shown node by node, baked to what their formulas say, written from a finish and read back.

use crate::support::{error, run, with_pair};
use serde_json::{Value, json};
use std::fs;
use std::path::Path;

fn texel(path: &Path, x: u32, y: u32) -> [f32; 3] {
    let bytes = fs::read(path).unwrap_or_else(|e| panic!("{}: {e}", path.display()));
    let picture = ember_ridge_formats::image::read_image("map.exr", &bytes).expect("a picture");
    let [r, g, b, _] = picture.texel(x, y);
    [r, g, b]
}

/// A square in x and z that faces up. Its first UV set is four times as dense as its second, and turned.
fn tiled_square() -> (Value, Vec<u8>) {
    let corners = [[0.0f32, 0.0], [0.0, 1.0], [1.0, 1.0], [1.0, 0.0]];
    let places = corners.iter().flat_map(|[x, z]| [*x, 0.0, *z]);
    let tiled = corners.iter().flat_map(|[x, z]| [4.0 * z, 4.0 * x]);
    let floats: Vec<f32> = places.chain(tiled).chain(corners.into_iter().flatten()).collect();
    let mut bytes: Vec<u8> = floats.iter().flat_map(|v| v.to_le_bytes()).collect();
    bytes.extend([0u16, 1, 2, 0, 2, 3].iter().flat_map(|v| v.to_le_bytes()));
    let view = |at: usize, length: usize| json!({ "buffer": 0, "byteOffset": at, "byteLength": length });
    let floats = |view: usize, kind: &str| {
        json!({ "bufferView": view, "componentType": 5126, "count": 4, "type": kind,
        "min": if kind == "VEC3" { json!([0, 0, 0]) } else { json!([0, 0]) }, "max": if kind == "VEC3" { json!([1, 0, 1]) } else { json!([4, 4]) } })
    };
    let json = json!({
        "asset": { "version": "2.0" }, "scene": 0, "scenes": [{ "nodes": [0] }], "nodes": [{ "mesh": 0, "name": "slab_low" }],
        "meshes": [{ "primitives": [{ "attributes": { "POSITION": 0, "TEXCOORD_0": 1, "TEXCOORD_1": 2 }, "indices": 3 }] }],
        "accessors": [floats(0, "VEC3"), floats(1, "VEC2"), floats(2, "VEC2"),
            { "bufferView": 3, "componentType": 5123, "count": 6, "type": "SCALAR" }],
        "bufferViews": [view(0, 48), view(48, 32), view(80, 32), view(112, 12)],
        "buffers": [{ "byteLength": bytes.len(), "uri": "slab.bin" }],
    });
    (json, bytes)
}

#[test]
fn a_document_lies_on_the_texture_uvs_while_another_set_is_baked() {
    let folder = tempfile::tempdir().expect("a folder");
    let (json, bytes) = tiled_square();
    fs::write(folder.path().join("slab.gltf"), json.to_string()).expect("written");
    fs::write(folder.path().join("slab.bin"), bytes).expect("written");
    let document = r#"<materialx version="1.39">
        <texcoord name="uv" type="vector2"/>
        <separate2 name="parts" type="multioutput"><input name="in" type="vector2" nodename="uv"/></separate2>
        <fract name="f" type="float"><input name="in" type="float" nodename="parts" output="outx"/></fract>
        <convert name="c" type="color3"><input name="in" type="float" nodename="f"/></convert>
        <gltf_pbr name="s" type="surfaceshader"><input name="base_color" type="color3" nodename="c"/></gltf_pbr>
        <surfacematerial name="Run" type="material"><input name="surfaceshader" type="surfaceshader" nodename="s"/></surfacematerial>
        </materialx>"#;
    fs::write(folder.path().join("run.mtlx"), document).expect("written");
    let bake = |out: &str, more: &[&str]| {
        let plain = ["bake", "--low", "slab.gltf", "--finish", "run.mtlx", "--maps", "base-color", "--size", "32"];
        let form = ["--samples", "1", "--format", "exr", "--depth", "32f", "--out", out];
        run(folder.path(), &[&plain[..], &form, more].concat())
    };
    let file = |out: &str| folder.path().join(out).join("slab_base-color.exr");
    let by_name = bake("named", &["--low-uvs", "TEXCOORD_1", "--low-texture-uvs", "TEXCOORD_0"]);
    assert_eq!(by_name.status.code(), Some(0), "{}", error(&by_name));
    let plain = bake("plain", &["--low-uvs", "1"]);
    assert_eq!(plain.status.code(), Some(0), "{}", error(&plain));
    for (x, y) in [(3u32, 3u32), (9, 4), (17, 26), (30, 12)] {
        let at = |t: u32| (t as f32 + 0.5) / 32.0;
        // In glTF V runs downward: the file's `4 x` is turned to `1 - 4 x`, and the first coordinate stays.
        for (out, wanted) in [("named", (4.0 * at(y)).fract()), ("plain", at(x))] {
            let found = texel(&file(out), x, y)[0];
            assert!((found - wanted).abs() < 1e-4, "{out} {x} {y}: {found}, wanted {wanted}");
        }
    }
    let by_number = bake("number", &["--low-uvs", "1", "--low-texture-uvs", "0"]);
    assert_eq!(by_number.status.code(), Some(0), "{}", error(&by_number));
    assert_eq!(fs::read(file("named")).expect("a file"), fs::read(file("number")).expect("a file"));
    let missing = bake("missing", &["--low-texture-uvs", "TEXCOORD_7"]);
    assert_eq!(missing.status.code(), Some(2), "{}", error(&missing));
    assert!(error(&missing).contains("UV set 7 is asked for, and no part has it"), "{}", error(&missing));
    let unknown = bake("unknown", &["--low-uvs", "second"]);
    assert!(error(&unknown).contains("'second' names no UV set"), "{}", error(&unknown));
}

const DOCUMENT: &str = r#"<?xml version="1.0"?>
<materialx version="1.39">
  <nodegraph name="NG_run">
    <ramplr name="run" type="color3">
      <input name="valuel" type="color3" value="0.1, 0.2, 0.3"/>
      <input name="valuer" type="color3" value="0.9, 0.6, 0.3"/>
    </ramplr>
    <cellnoise2d name="cells" type="float">
      <input name="texcoord" type="vector2" nodename="many"/>
    </cellnoise2d>
    <multiply name="many" type="vector2">
      <input name="in1" type="vector2" nodename="uv"/>
      <input name="in2" type="float" value="4"/>
    </multiply>
    <texcoord name="uv" type="vector2"/>
    <output name="color" type="color3" nodename="run"/>
    <output name="rough" type="float" nodename="cells"/>
  </nodegraph>
  <gltf_pbr name="SR_run" type="surfaceshader">
    <input name="base_color" type="color3" nodegraph="NG_run" output="color"/>
    <input name="roughness" type="float" nodegraph="NG_run" output="rough"/>
    <input name="metallic" type="float" value="0.25"/>
    <input name="clearcoat" type="float" value="1"/>
  </gltf_pbr>
  <surfacematerial name="Run" type="material">
    <input name="surfaceshader" type="surfaceshader" nodename="SR_run"/>
  </surfacematerial>
</materialx>
"#;

const EXR: [&str; 6] = ["--size", "16", "--samples", "1", "--format", "exr"];

#[test]
fn a_document_is_shown_node_by_node_and_baked_by_its_formulas() {
    let folder = with_pair();
    fs::write(folder.path().join("run.mtlx"), DOCUMENT).expect("written");
    let shown = run(folder.path(), &["finish", "show", "run.mtlx", "--json"]);
    let told: Value = serde_json::from_slice(&shown.stdout).unwrap_or_else(|_| panic!("{}", error(&shown)));
    assert_eq!((&told["version"], &told["materials"][0]["name"]), (&json!("1.39"), &json!("Run")));
    assert_eq!(told["materials"][0]["shader"], "gltf_pbr");
    let nodes = told["materials"][0]["nodes"].as_array().expect("nodes");
    let named = |name: &str| nodes.iter().find(|n| n["name"] == name).unwrap_or_else(|| panic!("{name}: {nodes:?}"));
    assert_eq!((&named("NG_run/run")["line"], &named("NG_run/run")["understood"]), (&json!(4), &json!(true)));
    let notes = told["materials"][0]["notes"].to_string();
    assert!(notes.contains("no map shows clearcoat of gltf_pbr"), "{notes}");
    let plain = run(folder.path(), &["finish", "show", "run.mtlx:Run"]);
    assert!(String::from_utf8_lossy(&plain.stdout).contains("cellnoise2d"), "{}", error(&plain));

    let baked =
        ["bake", "--low", "lid_low.obj", "--finish", "run.mtlx:Run", "--out", "out", "--json", "--depth", "32f"];
    let output = run(folder.path(), &[&baked[..], &EXR].concat());
    assert_eq!(output.status.code(), Some(0), "{}", error(&output));
    let report: Value = serde_json::from_slice(&output.stdout).expect("JSON");
    let kinds: Vec<&str> =
        report["findings"].as_array().into_iter().flatten().filter_map(|f| f["kind"].as_str()).collect();
    assert!(kinds.contains(&"finish-document"), "{kinds:?}");
    let file = |map: &str| folder.path().join("out").join(report["maps"][map]["file"].as_str().expect("a file"));
    // The lid's UVs fill the square.
    for x in 0..16 {
        let t = (x as f32 + 0.5) / 16.0;
        let wanted = [0.1 + 0.8 * t, 0.2 + 0.4 * t, 0.3];
        // Files of floats hold light itself.
        let found = texel(&file("base-color"), x, 5);
        assert!(found.iter().zip(wanted).all(|(a, b)| (a - b).abs() < 2e-5), "at {x}: {found:?}, not {wanted:?}");
    }
    assert_eq!(texel(&file("metallic"), 3, 3)[0], 0.25);
    // Four cells a side, each of one number.
    let rough = |x, y| texel(&file("roughness"), x, y)[0];
    assert_eq!(rough(0, 0), rough(3, 3));
    assert_ne!(rough(0, 0), rough(4, 0));
    // The recipe that was used repeats it.
    let again = json!({
        "version": 1, "low": [{ "file": "lid_low.obj" }], "maps": [{ "map": "base-color" }], "sheet": { "size": 16, "samples": 1 },
        "finishes": [{ "name": "Run", "on": "all", "materialx": { "file": "run.mtlx", "material": "Run" } }],
    });
    fs::write(folder.path().join("again.json"), again.to_string()).expect("written");
    let output = run(folder.path(), &["bake", "again.json", "--out", "again", "--json"]);
    assert_eq!(output.status.code(), Some(0), "{}", error(&output));
}

#[test]
fn documents_that_cannot_be_used_are_told_by_name() {
    let folder = with_pair();
    fs::write(folder.path().join("run.mtlx"), DOCUMENT).expect("written");
    fs::write(folder.path().join("cut.mtlx"), &DOCUMENT[..700]).expect("written");
    let bake = |finish: &str| run(folder.path(), &["bake", "--low", "lid_low.obj", "--finish", finish, "--out", "out"]);
    let output = bake("run.mtlx:Bark");
    assert_eq!(output.status.code(), Some(2));
    assert!(error(&output).contains("run.mtlx: it has no material 'Bark'; it has Run"), "{}", error(&output));
    let output = bake("cut.mtlx");
    assert_eq!(output.status.code(), Some(2));
    assert!(error(&output).contains("cut.mtlx: line "), "{}", error(&output));
    // In a recipe it is a finding, and the rest is baked.
    let hash = "0".repeat(64);
    for source in [json!({ "file": "gone.mtlx" }), json!({ "file": "run.mtlx", "hash": hash })] {
        let recipe = json!({
            "version": 1, "low": [{ "file": "lid_low.obj" }], "maps": [{ "map": "base-color" }], "sheet": { "size": 16 },
            "finishes": [{ "name": "f", "on": "all", "materialx": source }],
        });
        fs::write(folder.path().join("r.json"), recipe.to_string()).expect("written");
        let output = run(folder.path(), &["bake", "r.json", "--out", "out", "--json"]);
        assert_eq!(output.status.code(), Some(0), "{}", error(&output));
        let report: Value = serde_json::from_slice(&output.stdout).expect("JSON");
        assert!(report["findings"].to_string().contains("finish-unusable"), "{}", report["findings"]);
    }
}

#[test]
fn a_finish_that_is_written_as_a_document_bakes_the_same() {
    let folder = with_pair();
    let finish = json!({ "name": "sign", "base": { "color": "#204060", "roughness": 0.25, "metallic": 1.0 }, "coats": [
        { "name": "run", "sets": { "color": { "ramp": {
            "over": { "kind": "pattern", "pattern": { "kind": "gradient", "axis": "x", "from": 0.1, "to": 0.8 } },
            "stops": [[0.0, "#102030"], [0.4, "#f0e0d0"], [1.0, "#808000"]] }, "blend": "screen" } } },
        { "name": "up", "amount": 0.5, "sets": { "roughness": { "value": 0.8, "blend": "maximum" }, "opacity": { "value": 0.25 } },
          "place": { "terms": [{ "signal": { "kind": "facing", "direction": [0, 2, 1] }, "from": [0.2, 0.95], "to": [1.0, 1.0] },
                               { "signal": { "kind": "height", "axis": "x" }, "from": [0.2, 0.4], "to": [0.6, 0.9] }] } },
        { "name": "worn", "sets": { "metallic": { "value": 0.0 } },
          "place": { "terms": [{ "signal": { "kind": "curvature", "size": 0.1 }, "from": [0.1, 0.2], "to": [1.0, 1.0] }] } } ] });
    fs::write(folder.path().join("sign.json"), finish.to_string()).expect("written");
    let written = run(folder.path(), &["finish", "write", "sign.json", "--out", "sign.mtlx"]);
    assert_eq!(written.status.code(), Some(0), "{}", error(&written));
    let over = run(folder.path(), &["finish", "write", "sign.json", "--out", "./sign.json"]);
    assert_eq!(over.status.code(), Some(2));
    assert!(error(&over).contains("the finishes are read from this file"), "{}", error(&over));
    // What is measured on an asset has no node there.
    let said = error(&written);
    assert!(said.contains("left out: coat worn of sign: the standard has no node for"), "{said}");
    let maps = "base-color,roughness,opacity";
    for (file, out) in [("sign.json", "a"), ("sign.mtlx", "b")] {
        let bake = ["bake", "--low", "lid_low.obj", "--finish", file, "--maps", maps, "--out", out, "--depth", "32f"];
        let output = run(folder.path(), &[&bake[..], &EXR].concat());
        assert_eq!(output.status.code(), Some(0), "{}", error(&output));
    }
    for map in ["base-color", "roughness", "opacity"] {
        let file = |out: &str| folder.path().join(out).join(format!("lid_low_{map}.exr"));
        for (x, y) in (0..16).flat_map(|x| [(x, 3), (x, 12)]) {
            let (a, b) = (texel(&file("a"), x, y), texel(&file("b"), x, y));
            assert!(a.iter().zip(b).all(|(a, b)| (a - b).abs() < 1e-5), "{map} at {x}, {y}: {a:?} against {b:?}");
        }
    }
}
