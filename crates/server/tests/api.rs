//! Every route through a real server on a real data folder: what it gives, and what it answers to nonsense.

use crate::support::{answer, baked, client, get, host, kept_files, post, revise, upload, with_square};
use ember_ridge_formats::image::read_png;
use rocket::http::{ContentType, Status};
use serde_json::{Value, json};
use std::io::Read;
use std::time::Duration;

#[rocket::async_test]
async fn from_two_files_to_a_package() {
    let data = tempfile::tempdir().expect("a folder");
    let client = with_square(data.path()).await;
    let (_, asset) = get(&client, "/api/assets/1").await;
    assert_eq!(asset["meshes"][0]["summary"]["triangles"], 2);
    let high = json!({ "name": "tile", "why": "all see all", "by_hand": false, "by_default": false });
    assert_eq!(asset["pairs"], json!([{ "number": 1, "low": "tile", "high": [high] }]));
    assert_eq!(asset["undo"], "sculpt tile_high.obj added");
    revise(&client, |r| r["sheet"]["size"] = json!(64)).await;
    let run = baked(&client, "final").await;
    assert_eq!((&run["status"], &run["number"], &run["report"]["misses"]), (&json!("done"), &json!(1), &json!(0)));
    let reach = &run["report"]["reach"];
    assert!(reach["out"].as_f64().is_some_and(|d| (0.09..0.14).contains(&d)), "{reach}");

    let png = client.get("/api/runs/1/maps/normal").header(host()).dispatch().await;
    assert_eq!(png.content_type(), Some(ContentType::PNG));
    let (side, _, channels, _) = read_png(&png.into_bytes().await.expect("bytes")).expect("a PNG");
    assert_eq!((side, channels), (64, 3));

    let (_, texel) = get(&client, "/api/runs/1/texel?x=10&y=30").await;
    let words = |map: &str| {
        texel["maps"]
            .as_array()
            .and_then(|m| m.iter().find(|m| m["map"] == map))
            .map(|m| m["words"].as_str().unwrap_or_default().to_owned())
    };
    // It rises by 0.1 over 1: the normal leans to the left by atan(0.1).
    assert_eq!(words("normal").as_deref(), Some("-0.10, 0.00, 1.00"));
    assert_eq!((words("id").as_deref(), words("miss").as_deref()), (Some("tile"), Some("0 % missed")));

    let zip = client.get("/api/runs/1/package").header(host()).dispatch().await.into_bytes().await.expect("bytes");
    let mut archive = zip::ZipArchive::new(std::io::Cursor::new(zip)).expect("a zip");
    let mut names: Vec<String> = archive.file_names().map(|n| n.expect("plain names").into_owned()).collect();
    names.sort();
    assert_eq!(
        names,
        [
            "recipe.json",
            "report.json",
            "tile_low_ao.png",
            "tile_low_curvature.png",
            "tile_low_id.png",
            "tile_low_miss.png",
            "tile_low_normal.png"
        ]
    );
    let mut recipe = String::new();
    archive.by_name("recipe.json").expect("there").read_to_string(&mut recipe).expect("text");
    let recipe: ember_ridge_core::Recipe = serde_json::from_str(&recipe).expect("a recipe");
    assert_eq!(recipe.sheet.size, 64);
    for side in ["low", "high"] {
        let shown = client.get(format!("/api/assets/1/display/{side}")).header(host()).dispatch().await;
        let bytes = shown.into_bytes().await.expect("bytes");
        let length = u32::from_le_bytes([bytes[0], bytes[1], bytes[2], bytes[3]]) as usize;
        let header: Value = serde_json::from_slice(&bytes[4..4 + length]).expect("a header");
        assert_eq!(header["real_triangles"], 2, "{side}");
    }
}

#[rocket::async_test]
async fn undo_redo_and_two_tabs() {
    let data = tempfile::tempdir().expect("a folder");
    let client = with_square(data.path()).await;
    let size = |v: &Value| v["recipe"]["sheet"]["size"].as_u64();
    let (_, first) = get(&client, "/api/assets/1").await;
    let (_, second) = revise(&client, |r| r["sheet"]["size"] = json!(256)).await;
    assert_eq!((size(&second), &second["undo"]), (Some(256), &json!("size 1024 to 256")));
    let (_, back) = post(&client, "/api/assets/1/undo", json!({})).await;
    assert_eq!((size(&back), &back["redo"]), (Some(1024), &json!("size 1024 to 256")));
    let (_, forth) = post(&client, "/api/assets/1/redo", json!({})).await;
    assert_eq!(size(&forth), Some(256));
    // Another tab still has the first revision in hand: what it changes elsewhere merges, what both changed is answered with both.
    let mut recipe = first["recipe"].clone();
    recipe["sheet"]["samples"] = json!(16);
    let put = |recipe: &Value| {
        let stale = json!({ "base": first["revision"], "recipe": recipe });
        client.put("/api/assets/1/recipe").header(host()).header(ContentType::JSON).body(stale.to_string()).dispatch()
    };
    let (status, merged) = answer(put(&recipe).await).await;
    assert_eq!((status, size(&merged), &merged["recipe"]["sheet"]["samples"]), (Status::Ok, Some(256), &json!(16)));
    recipe["sheet"]["size"] = json!(512);
    let (status, problem) = answer(put(&recipe).await).await;
    assert_eq!(status, Status::Conflict);
    assert!(problem["error"].as_str().is_some_and(|e| e.contains("changed elsewhere") && e.contains("sheet size")));
    let conflict = json!({ "at": ["sheet", "size"], "words": "sheet size", "mine": 512, "theirs": 256 });
    assert_eq!(problem["conflicts"], json!([conflict]));
    assert_eq!(size(&get(&client, "/api/assets/1").await.1), Some(256));
    // Back to the very beginning and no further.
    for _ in 0..9 {
        post(&client, "/api/assets/1/undo", json!({})).await;
    }
    let (_, start) = get(&client, "/api/assets/1").await;
    assert_eq!((&start["revision"], &start["undo"], &start["meshes"]), (&json!(0), &Value::Null, &json!([])));
}

#[rocket::async_test]
async fn uvs_are_chosen_by_mesh_and_a_set_that_is_not_there_is_refused() {
    let data = tempfile::tempdir().expect("a folder");
    let client = with_square(data.path()).await;
    let (status, flat) = revise(&client, |r| r["low"][0]["uvs"] = json!("planar-y")).await;
    assert_eq!((status, &flat["undo"]), (Status::Ok, &json!("UVs of tile_low.obj set 1 to flat along Y")));
    let (status, problem) = revise(&client, |r| r["low"][0]["uvs"] = json!(2)).await;
    assert_eq!(status, Status::UnprocessableEntity);
    let error = problem["error"].as_str().unwrap_or_default();
    assert!(error.contains("tile_low.obj") && error.contains("UV"), "{error}");
    let (_, kept) = get(&client, "/api/assets/1").await;
    assert_eq!(kept["recipe"]["low"][0]["uvs"], json!("planar-y"));
}

#[rocket::async_test]
async fn a_final_after_a_proof_tells_only_what_was_changed_by_hand() {
    let data = tempfile::tempdir().expect("a folder");
    let client = with_square(data.path()).await;
    let set = |r: &mut Value| {
        r["sheet"]["size"] = json!(64);
        r["sheet"]["proof_size"] = json!(32);
        r["maps"] = json!([{ "map": "ao", "rays": 64 }]);
    };
    assert_eq!(revise(&client, set).await.0, Status::Ok);
    let proof = baked(&client, "proof").await;
    assert_eq!(proof["report"]["maps"]["ao"]["rays"], json!(32 * 32 * 16), "16 rays per texel are enough for a proof");
    let whole = baked(&client, "final").await;
    assert_eq!(whole["report"]["maps"]["ao"]["rays"], json!(64 * 64 * 64));
    assert_eq!(whole["changes"], json!([]));
    assert_eq!(revise(&client, |r| r["sheet"]["padding"] = json!(4)).await.0, Status::Ok);
    assert_eq!(baked(&client, "proof").await["changes"], json!(["padding 16 to 4"]));
}

#[rocket::async_test]
async fn nonsense_gets_a_sentence_and_keeps_nothing() {
    let data = tempfile::tempdir().expect("a folder");
    let client = client(data.path()).await;
    post(&client, "/api/assets", json!({ "name": "Tile" })).await;
    let said = |body: &Value| body["error"].as_str().unwrap_or_default().to_owned();

    let (status, body) = upload(&client, "bad_low.obj", "low", b"v 0 0 0\nf 1 2 3\n".to_vec()).await;
    assert_eq!(status, Status::UnprocessableEntity);
    assert!(said(&body).starts_with("bad_low.obj: "), "{body}");
    let (status, body) = upload(&client, "..%2F..%2Fevil.exe", "low", b"x".to_vec()).await;
    assert_eq!(status, Status::UnprocessableEntity);
    assert!(said(&body).starts_with("evil.exe: "), "{body}");
    let (_, asset) = get(&client, "/api/assets/1").await;
    assert_eq!((&asset["meshes"], &asset["revision"]), (&json!([]), &json!(0)));
    assert_eq!(kept_files(data.path()), (0, 0), "nothing of a failed import stays on the disk");

    for (path, expected) in [
        ("/api/assets/9", Status::NotFound),
        ("/api/runs/9/maps/normal", Status::NotFound),
        ("/api/runs/9/texel?x=0&y=0", Status::NotFound),
        ("/api/runs/9/package", Status::NotFound),
        ("/api/assets/1/display/low", Status::NotFound),
        ("/api/nowhere", Status::NotFound),
        ("/api/assets/1/cage", Status::UnprocessableEntity),
    ] {
        let (status, body) = get(&client, path).await;
        assert_eq!(status, expected, "{path}");
        assert!(!said(&body).is_empty(), "{path}: {body}");
    }
    let (status, body) = post(&client, "/api/assets/1/runs", json!({ "kind": "proof" })).await;
    assert_eq!(status, Status::UnprocessableEntity);
    assert!(said(&body).contains("No low-poly yet"), "{body}");
    assert_eq!(post(&client, "/api/assets", json!({ "name": "  " })).await.0, Status::UnprocessableEntity);
    assert_eq!(post(&client, "/api/assets", json!({ "nome": 3 })).await.0, Status::UnprocessableEntity);
    let (status, body) = revise(&client, |r| r["sheet"]["samples"] = json!(7)).await;
    assert_eq!(status, Status::UnprocessableEntity);
    assert!(said(&body).contains("samples is 7"), "{body}");
    let (status, _) = revise(&client, |r| r["sheet"]["size"] = json!(-5)).await;
    assert_eq!(status, Status::UnprocessableEntity);
}

#[rocket::async_test]
async fn a_running_bake_stops_soon() {
    let data = tempfile::tempdir().expect("a folder");
    let client = with_square(data.path()).await;
    revise(&client, |r| {
        r["sheet"]["size"] = json!(4096);
        r["sheet"]["samples"] = json!(64);
    })
    .await;
    let (_, run) = post(&client, "/api/assets/1/runs", json!({ "kind": "final" })).await;
    let state = || async { get(&client, "/api/assets/1").await.1["runs"][0]["status"].clone() };
    while state().await != "running" {
        tokio::time::sleep(Duration::from_millis(10)).await;
    }
    assert_eq!(post(&client, &format!("/api/runs/{}/stop", run["id"]), json!({})).await.0, Status::NoContent);
    // A bake of a billion rays would take minutes; the wait only bounds a hang.
    let mut waited = 0;
    while state().await == "running" && waited < 500 {
        tokio::time::sleep(Duration::from_millis(20)).await;
        waited += 1;
    }
    assert_eq!(state().await, "stopped");
    assert_eq!(get(&client, "/api/runs/1/package").await.0, Status::UnprocessableEntity);
}

/// What a bake made is told apart from what went into it.
#[rocket::async_test]
async fn a_run_tells_what_it_found_in_its_result() {
    let data = tempfile::tempdir().expect("a folder");
    let client = client(data.path()).await;
    post(&client, "/api/assets", json!({ "name": "tile" })).await;
    let four = "o tile\nv 0 0 0\nv 0 0 1\nv 1 0 1\nv 1 0 0\nvt 0 1\nvt 0 0\nvt 1 0\nvt 1 1\nf 1/1 2/2 3/3 4/4\n";
    upload(&client, "tile_low.obj", "low", four.into()).await;
    upload(&client, "tile_high.obj", "high", crate::support::square("tile", 0.1)).await;
    revise(&client, |r| {
        r["sheet"]["size"] = json!(64);
        r["reach"] = json!({ "out": 0.001, "in": 0.001 });
    })
    .await;
    let run = baked(&client, "final").await;
    let (_, detail) = get(&client, &format!("/api/runs/{}", run["id"])).await;
    let kinds = |of: &Value| -> Vec<String> {
        of.as_array().into_iter().flatten().filter_map(|f| f["kind"].as_str().map(str::to_owned)).collect()
    };
    // The sculpt rises to 0.1, so that such rays start beneath it and miss; that the square has four corners is no fault of the bake.
    assert_eq!(kinds(&detail["findings"]), ["misses", "envelope-clips"]);
    let all = kinds(&detail["report"]["findings"]);
    assert!(all.contains(&"misses".into()) && all.contains(&"polygons-triangulated".into()), "{all:?}");
    assert_eq!(detail["report"]["findings"][0]["kind"], "misses", "the worst stands first");
}
