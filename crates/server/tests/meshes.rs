//! Meshes and pairs through the real routes: steps that fix, notes, replaced files and what they lose, planes, layouts.

use crate::support::{client, get, post, revise, square, upload, with_square};
use rocket::http::Status;
use serde_json::{Value, json};

fn kinds(asset: &Value, side: &str) -> Vec<String> {
    let of_side = asset["meshes"].as_array().into_iter().flatten().filter(|m| m["role"] == side);
    let findings = of_side.flat_map(|m| m["summary"]["findings"].as_array().cloned().unwrap_or_default());
    findings.filter_map(|f| f["kind"].as_str().map(str::to_owned)).collect()
}

/// A square whose islands lie a square to the right.
fn aside_square() -> Vec<u8> {
    let text = String::from_utf8(square("tile", 0.0)).expect("text");
    let moved = text.lines().map(|line| match line.strip_prefix("vt ") {
        Some(uv) => {
            let (u, v) = uv.split_once(' ').expect("two numbers");
            format!("vt {} {v}", u.parse::<f32>().expect("a number") * 0.5 + 1.2)
        }
        None => line.to_owned(),
    });
    moved.collect::<Vec<_>>().join("\n").into_bytes()
}

#[rocket::async_test]
async fn steps_are_recorded_undone_and_checked_anew() {
    let data = tempfile::tempdir().expect("a folder");
    let client = client(data.path()).await;
    post(&client, "/api/assets", json!({ "name": "Tile" })).await;
    let (_, asset) = upload(&client, "tile_low.obj", "low", aside_square()).await;
    assert_eq!(kinds(&asset, "low"), ["island-outside"]);
    let fix = asset["meshes"][0]["summary"]["findings"][0]["fixes"][0].clone();
    assert_eq!(fix["step"], json!({ "step": "move-islands", "part": "tile" }));
    let (status, asset) = revise(&client, |r| r["low"][0]["steps"] = json!([fix["step"]])).await;
    assert_eq!((status, kinds(&asset, "low")), (Status::Ok, vec![]));
    assert_eq!(asset["meshes"][0]["steps"], json!(["islands of tile moved into the square"]));
    assert_eq!(asset["undo"], "tile_low.obj: islands of tile moved into the square");
    let (_, asset) = post(&client, "/api/assets/1/undo", json!({})).await;
    assert_eq!(kinds(&asset, "low"), ["island-outside"]);

    for (step, word) in [
        (json!({ "step": "scale", "factor": 0 }), "factor is 0"),
        (json!({ "step": "merge-points", "distance": -1 }), "distance is -1"),
        (json!({ "step": "normals-by-angle", "degrees": 400 }), "degrees is 400"),
        (json!({ "step": "melt" }), "form"),
    ] {
        let (status, body) = revise(&client, |r| r["low"][0]["steps"] = json!([step])).await;
        assert_eq!(status, Status::UnprocessableEntity, "{step}");
        assert!(body["error"].as_str().unwrap_or_default().contains(word), "{body}");
    }
}

#[rocket::async_test]
async fn notes_let_findings_stand() {
    let data = tempfile::tempdir().expect("a folder");
    let client = client(data.path()).await;
    post(&client, "/api/assets", json!({ "name": "Tile" })).await;
    upload(&client, "tile_low.obj", "low", aside_square()).await;
    let exception = json!({ "kind": "island-outside", "part": "tile", "note": "baked elsewhere" });
    let (_, asset) = revise(&client, |r| r["exceptions"] = json!([exception])).await;
    assert_eq!(asset["meshes"][0]["summary"]["findings"][0]["allowed"], "baked elsewhere");
    assert_eq!(asset["undo"], "a finding accepted");
}

#[rocket::async_test]
async fn a_newer_file_keeps_what_still_holds_and_says_what_does_not() {
    let data = tempfile::tempdir().expect("a folder");
    let client = with_square(data.path()).await;
    let settle = |r: &mut Value| {
        r["low"][0]["steps"] = json!([{ "step": "turn-faces", "part": "tile" }, { "step": "scale", "factor": 1.0 }]);
        r["hand_pairs"] = json!([{ "high": "tile", "low": ["tile"] }]);
        r["exceptions"] = json!([{ "kind": "stretched-uvs", "part": "tile", "note": "meant" }]);
        r["reach"] = json!({ "out": 0.25, "in": 0.125 });
    };
    assert_eq!(revise(&client, settle).await.0, Status::Ok);
    let path = "/api/assets/1/meshes?file=newer.obj&role=low&replaces=tile_low.obj";
    let put = |name: &str| {
        let bytes = square(name, 0.0);
        client.post(path).header(crate::support::host()).body(bytes).dispatch()
    };
    // The same part: everything is kept.
    let (status, asset) = crate::support::answer(put("tile").await).await;
    assert_eq!((status, &asset["told"]), (Status::Ok, &json!([])));
    let recipe = &asset["recipe"];
    assert_eq!((recipe["low"].as_array().map(Vec::len), &recipe["low"][0]["file"]), (Some(1), &json!("newer.obj")));
    assert_eq!(recipe["low"][0]["steps"].as_array().map(Vec::len), Some(2));
    assert_eq!((&recipe["hand_pairs"][0]["high"], &recipe["reach"]["out"]), (&json!("tile"), &json!(0.25)));
    // Another part: what names the old one goes, and is said; what names none stays.
    let path = "/api/assets/1/meshes?file=other.obj&role=low&replaces=newer.obj";
    let response = client.post(path).header(crate::support::host()).body(square("slab", 0.0)).dispatch().await;
    let (_, asset) = crate::support::answer(response).await;
    let lost = asset["told"].to_string();
    assert!(lost.contains("faces of tile flipped") && lost.contains("paired manually with 'tile'"), "{lost}");
    let recipe = &asset["recipe"];
    assert_eq!(recipe["low"][0]["steps"], json!([{ "step": "scale", "factor": 1.0 }]));
    assert_eq!((&recipe["hand_pairs"], &recipe["reach"]["in"]), (&Value::Null, &json!(0.125)));
}

/// A body of files beside a mesh and then the mesh, and the path that tells their lengths.
fn with_beside(file: &str, beside: &[(&str, &[u8])], mesh: &[u8]) -> (String, Vec<u8>) {
    let list: String = beside.iter().map(|(name, b)| format!("&beside={name}:{}", b.len())).collect();
    let body = beside.iter().flat_map(|(_, b)| b.iter()).chain(mesh).copied().collect();
    (format!("/api/assets/1/meshes?file={file}&role=low{list}"), body)
}

const POINTS: &str = r#"{"asset":{"version":"2.0"},"scene":0,"scenes":[{"nodes":[0]}],"nodes":[{"mesh":0,"name":"tri"}],
    "meshes":[{"primitives":[{"attributes":{"POSITION":0}}]}],
    "accessors":[{"bufferView":0,"componentType":5126,"count":3,"type":"VEC3","min":[0,0,0],"max":[1,1,0]}],
    "bufferViews":[{"buffer":0,"byteLength":36}],"buffers":[{"uri":"parts/tri.bin","byteLength":36}]}"#;

#[rocket::async_test]
async fn files_beside_a_mesh_come_in_with_it_and_are_there_after_a_restart() {
    let data = tempfile::tempdir().expect("a folder");
    let points: Vec<u8> = [0f32, 0.0, 0.0, 1.0, 0.0, 0.0, 0.0, 1.0, 0.0].iter().flat_map(|x| x.to_le_bytes()).collect();
    let before = {
        let client = client(data.path()).await;
        post(&client, "/api/assets", json!({ "name": "Tile" })).await;
        let send =
            |(path, body): (String, Vec<u8>)| client.post(path).header(crate::support::host()).body(body).dispatch();
        // Alone it is refused, with what to do; nothing is kept.
        let (status, body) = upload(&client, "tri.gltf", "low", POINTS.into()).await;
        let text = body["error"].as_str().unwrap_or_default();
        assert!(status == Status::UnprocessableEntity && text.contains("parts/tri.bin"), "{text}");
        // Bad as well: another length than there is, a list that is none, and a mesh that fails with its files beside it.
        let (path, _) = with_beside("tri.gltf", &[("tri.bin", points.as_slice())], POINTS.as_bytes());
        for (path, body) in [
            (path, points[..20].to_vec()),
            ("/api/assets/1/meshes?file=tri.gltf&role=low&beside=nonsense".into(), POINTS.into()),
            with_beside("tri.gltf", &[("tri.bin", &points[..20])], POINTS.as_bytes()),
        ] {
            let (status, _) = crate::support::answer(send((path, body)).await).await;
            assert_eq!(status, Status::UnprocessableEntity);
        }
        let many: Vec<(&str, &[u8])> = vec![("one_of_many.png", b"x"); 65];
        let (_, body) = crate::support::answer(send(with_beside("tri.gltf", &many, POINTS.as_bytes())).await).await;
        let text = body["error"].as_str().unwrap_or_default();
        assert!(text.contains("one_of_many.png") && text.contains("Leave some out"), "{text}");
        assert_eq!(crate::support::kept_files(data.path()), (0, 0));

        let all: [(&str, &[u8]); 2] = [("other.png", b"nobody asks for this"), ("TRI.bin", &points)];
        let (status, asset) =
            crate::support::answer(send(with_beside("tri.gltf", &all, POINTS.as_bytes())).await).await;
        assert_eq!((status, &asset["told"]), (Status::Ok, &json!([])), "{asset}");
        let beside = &asset["recipe"]["low"][0]["beside"];
        assert_eq!((beside.as_array().map(Vec::len), &beside[0]["file"]), (Some(1), &json!("TRI.bin")));
        assert_eq!(crate::support::kept_files(data.path()), (2, 0), "the mesh and what it names");

        // An OBJ does without its library, and says so.
        let text = String::from_utf8(square("tile", 0.0)).expect("text");
        let obj = format!("mtllib lost.mtl\n{text}").into_bytes();
        let (_, asset) = upload(&client, "tile_high.obj", "high", obj).await;
        assert!(asset["told"][0].as_str().is_some_and(|t| t.contains("tile_high.obj refers to 'lost.mtl'")), "{asset}");
        get(&client, "/api/assets/1").await.1["meshes"].clone()
    };
    let client = client(data.path()).await;
    assert_eq!(get(&client, "/api/assets/1").await.1["meshes"], before);
    let shown = client.get("/api/assets/1/display/low").header(crate::support::host()).dispatch().await;
    assert_eq!(shown.status(), Status::Ok, "its points are read again from what was kept");
}

#[rocket::async_test]
async fn a_plane_lies_over_the_sculpt_and_layouts_are_told_in_figures() {
    let data = tempfile::tempdir().expect("a folder");
    let client = with_square(data.path()).await;
    let (status, report) = get(&client, "/api/assets/1/uvs").await;
    assert_eq!((status, report["islands"].as_array().map(Vec::len)), (Status::Ok, Some(1)));
    assert_eq!((&report["median_density"], &report["unused"]), (&json!(1.0), &json!(0.0)));
    let (status, asset) = post(&client, "/api/assets/1/plane", json!({ "facing": "y" })).await;
    assert_eq!(status, Status::Ok, "{asset}");
    let plane = &asset["recipe"]["low"][0]["plane"];
    assert_eq!(plane, &json!({ "facing": "y", "middle": [0.5, 0.0, 0.5], "size": [1.0, 1.0], "repeats": false }));
    // A file takes the plane's place.
    let (_, asset) = upload(&client, "tile_low.obj", "low", square("tile", 0.0)).await;
    assert_eq!(asset["recipe"]["low"].as_array().map(Vec::len), Some(1));
    assert_eq!(asset["recipe"]["low"][0]["plane"], Value::Null);
    let (status, body) = post(&client, "/api/assets/1/plane", json!({ "facing": "up" })).await;
    assert!(status != Status::Ok && !body["error"].as_str().unwrap_or_default().is_empty(), "{body}");
    let twisted = json!({ "facing": "z", "middle": [0, 0, 0], "size": [0, 1], "repeats": true });
    let (status, body) = revise(&client, |r| r["low"] = json!([{ "file": "plane", "plane": twisted }])).await;
    assert_eq!(status, Status::UnprocessableEntity);
    assert!(body["error"].as_str().unwrap_or_default().contains("plane.size holds 0"), "{body}");
}

#[rocket::async_test]
async fn pairs_by_space_by_hand_and_by_ones_own_endings() {
    let data = tempfile::tempdir().expect("a folder");
    let client = with_square(data.path()).await;
    let (_, asset) = revise(&client, |r| r["pairing"] = json!("space")).await;
    assert_eq!(asset["pairs"][0]["high"][0]["why"], "all see all", "one part on each side needs no rule");
    upload(
        &client,
        "far_high.obj",
        "high",
        String::from_utf8(square("lid", 0.0))
            .expect("text")
            .replace("v 0 ", "v 7 ")
            .replace("v 1 ", "v 8 ")
            .into_bytes(),
    )
    .await;
    let (_, asset) = get(&client, "/api/assets/1").await;
    assert_eq!(asset["pairs"][0]["high"][0]["why"], "100 % nearest", "{}", asset["pairs"]);
    assert_eq!(asset["unseen"], json!(["lid"]));
    let (_, asset) = revise(&client, |r| r["hand_pairs"] = json!([{ "high": "lid", "low": ["tile"] }])).await;
    assert_eq!((&asset["unseen"], &asset["pair_findings"]), (&json!([]), &json!([])));
    assert_eq!(asset["undo"], "lid paired with tile");
    // Endings are taken along to the next asset.
    let endings = json!({ "low": ["_game"], "high": ["_sculpt"], "cage": [] });
    assert_eq!(revise(&client, |r| r["endings"] = endings.clone()).await.0, Status::Ok);
    let (_, next) = post(&client, "/api/assets", json!({ "name": "Next" })).await;
    assert_eq!(next["recipe"]["endings"], endings);
    let (status, body) = revise(&client, |r| r["endings"]["low"] = json!([" "])).await;
    assert_eq!(status, Status::UnprocessableEntity, "{body}");
}

/// A lone sculpt gets a low-poly that can be baked at once; undo takes it away again.
#[rocket::async_test]
async fn a_low_poly_is_made_of_a_lone_sculpt() {
    let data = tempfile::tempdir().expect("a folder");
    let client = client(data.path()).await;
    post(&client, "/api/assets", json!({ "name": "Hill" })).await;
    let order = json!({ "to": { "triangles": 60 }, "sharp": 50.0 });
    let (status, body) = post(&client, "/api/assets/1/low-poly", order.clone()).await;
    assert!(
        status == Status::UnprocessableEntity && body["error"].as_str().is_some_and(|e| e.contains("No sculpt yet"))
    );
    // Sixteen quads a side: refined four times, as far as anyone can tell.
    let n = 16;
    let mut hill = "o Hill_high\n".to_owned();
    for at in 0..(n + 1) * (n + 1) {
        let (x, z) = ((at % (n + 1)) as f32 / n as f32, (at / (n + 1)) as f32 / n as f32);
        hill += &format!("v {x} {} {z}\n", 0.1 * (3.0 * x).sin() * (2.0 * z).cos());
    }
    for at in 0..n * n {
        let a = at / n * (n + 1) + at % n + 1;
        hill += &format!("f {a} {} {} {}\n", a + n + 1, a + n + 2, a + 1);
    }
    upload(&client, "hill_high.obj", "high", hill.into_bytes()).await;
    let (_, levels) = get(&client, "/api/assets/1/levels").await;
    assert_eq!(levels, json!({ "faces": [64, 16, 4, 1], "none": null }));

    let (status, asset) = post(&client, "/api/assets/1/low-poly", order).await;
    assert_eq!(status, Status::Ok, "{asset}");
    let told = asset["told"][0].as_str().expect("told");
    assert!(told.starts_with("hill_low.glb: ") && told.contains("off from the sculpt by 0.0"), "{told}");
    let steps = &asset["recipe"]["low"][0]["steps"];
    assert_eq!((&steps[0]["step"], &steps[1]["step"]), (&json!("unwrap"), &json!("pack")));
    let low = asset["meshes"].as_array().into_iter().flatten().find(|m| m["role"] == "low").expect("made").clone();
    assert!(low["summary"]["triangles"].as_u64().is_some_and(|n| (30..=60).contains(&n)), "{low}");
    assert_eq!((&low["summary"]["has_uvs"], &low["summary"]["parts"][0]["name"]), (&json!(true), &json!("Hill_low")));
    assert_eq!(asset["pairs"][0]["high"][0]["name"], "Hill_high");
    revise(&client, |r| r["sheet"]["size"] = json!(64)).await;
    assert_eq!(crate::support::baked(&client, "proof").await["status"], "done");

    // What names a part that the next one lacks goes with it, and is told.
    let (status, body) = upload(&client, "other_low.obj", "low", square("other", 0.0)).await;
    assert_eq!(status, Status::Ok, "{body}");
    revise(&client, |r| r["reach"]["parts"] = json!([{ "part": "other", "out": 0.3, "in": 0.3 }])).await;
    let (status, asset) = post(&client, "/api/assets/1/low-poly", json!({ "to": { "level": 3 } })).await;
    assert_eq!((status, &asset["recipe"]["reach"]["parts"]), (Status::Ok, &Value::Null), "{asset}");
    assert!(
        asset["told"].as_array().is_some_and(|told| told.len() == 2 && told[1].to_string().contains("other")),
        "{asset}"
    );
    assert_eq!((status, &asset["meshes"][0]["summary"]["triangles"]), (Status::Ok, &json!(8)), "{asset}");
    for _ in 0..5 {
        post(&client, "/api/assets/1/undo", json!({})).await;
    }
    assert_eq!(get(&client, "/api/assets/1").await.1["recipe"]["low"], json!([]));
    let (status, body) = post(&client, "/api/assets/1/low-poly", json!({ "to": { "level": 9 } })).await;
    assert!(
        status == Status::UnprocessableEntity && body["error"].as_str().is_some_and(|e| e.contains("-1 to -4")),
        "{body}"
    );
}
