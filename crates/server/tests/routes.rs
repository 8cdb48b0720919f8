//! The description of the API against the routes: what is described is what answers, with the statuses and in the form it says. One
//! walk asks every route for what it is for, and each kind of route for what it cannot give.

use crate::held::Held;
use crate::support::{client, ended, host, square};
use crate::walks::*;
use rocket::http::{ContentType, Method, Status};
use serde_json::{Value, json};
use std::collections::BTreeSet;
use tokio::io::{AsyncBufReadExt, BufReader};

#[rocket::async_test]
async fn every_route_answers_as_it_is_described() {
    let data = tempfile::tempdir().expect("a folder");
    let held = Held::new(client(data.path()).await);
    held.get("/api/about").await;
    assert_eq!(held.get("/api/openapi.json").await, held.description);
    assert!(held.get("/api/maps").await.as_array().is_some_and(|maps| maps.len() > 10));
    assert_eq!(held.get("/api/assets").await, json!([]));
    assert_eq!(held.get("/api/clusters").await, json!([]), "none is set up");
    let (post, put, delete) = (Method::Post, Method::Put, Method::Delete);
    held.send(post, "/api/assets", json!({ "name": "Tile" })).await;
    for (file, role, slope) in [("tile_low.obj", "low", 0.0), ("tile_high.obj", "high", 0.1)] {
        let address = format!("/api/assets/1/meshes?file={file}&role={role}");
        assert_eq!(held.ask(post, &address, square("tile", slope), None).await.0, Status::Ok);
    }
    let mut png = Vec::new();
    ember_ridge_formats::image::write_png(&mut png, 2, 3, &[128; 12]).expect("memory");
    let address = "/api/assets/1/pictures?file=paint.png&used_as=color";
    assert_eq!(held.ask(post, address, png, None).await.0, Status::Ok);
    held.send(post, "/api/assets/1/undo", json!(null)).await;

    let asset = held.get("/api/assets/1").await;
    let base = asset["revision"].clone();
    let smaller = json!([{ "at": ["sheet", "size"], "to": 64 }]).to_string().into_bytes();
    let quoted = format!("\"{base}\"");
    let (status, asset) = held.ask(Method::Patch, "/api/assets/1/recipe", smaller, Some(&quoted)).await;
    assert_eq!((status, &asset["recipe"]["sheet"]["size"]), (Status::Ok, &json!(64)));
    let mut recipe = asset["recipe"].clone();
    recipe["sheet"]["samples"] = json!(1);
    held.send(put, "/api/assets/1/recipe", json!({ "base": asset["revision"], "recipe": recipe })).await;
    held.send(post, "/api/assets/1/undo", json!(null)).await;
    held.send(post, "/api/assets/1/redo", json!(null)).await;

    for side in ["low", "high"] {
        held.get(&format!("/api/assets/1/display/{side}")).await;
    }
    assert_eq!(held.get("/api/assets/1/swatches").await.as_array().map(Vec::len), Some(18));
    held.get("/api/assets/1/uvs").await;
    let choices = held.get("/api/choices").await;
    assert_eq!(
        choices["formats"][0],
        json!({ "format": "png", "label": "PNG", "depths": ["8", "16"], "color_only": false })
    );
    assert_eq!(choices["most_rays"], json!([32, 64, 128, 256, 512]));
    findings_and_offers(&held).await;
    for format in ["", "?format=glb", "?format=obj"] {
        held.get(&format!("/api/assets/1/cage{format}")).await;
    }
    held.send(post, "/api/assets/1/envelope?needles=8&part=tile", recipe.clone()).await;
    held.send(post, "/api/assets/1/look?map=normal&sheet=0", recipe.clone()).await;
    held.send(post, "/api/assets/1/plumb", recipe.clone()).await;
    held.send(post, "/api/assets/1/upright", recipe.clone()).await;
    masks(&held, &recipe).await;
    finishes(&held, &recipe).await;
    library_of_finishes(&held).await;
    documents(&held).await;

    let run = held.send(post, "/api/assets/1/runs", json!({ "kind": "final" })).await;
    assert_eq!(ended(&held.client, &run["id"]).await["status"], "done");
    let detail = held.get("/api/runs/1").await;
    let picture = detail["pictures"][0]["hash"].as_str().expect("a picture").to_owned();
    held.get(&format!("/api/pictures/{picture}")).await;
    held.get("/api/runs/1/maps/normal?sheet=0").await;
    held.get("/api/runs/1/small/normal").await;
    held.get("/api/runs/1/texel?x=3&y=60").await;
    held.get("/api/runs/1/trace?x=3&y=60&sheet=0").await;
    held.get("/api/runs/1/package").await;
    deliveries(&held).await;
    imports(&held).await;
    against_live(&held).await;
    compared(&held).await;
    assert_eq!(held.get("/api/runs/1/sheets").await, json!({ "of": [0, 0], "corners": [[0, 0]] }));
    held.get("/api/runs/1/frees").await;
    held.get("/api/assets/1/runs?before=9&limit=5").await;
    truths(&held).await;
    in_the_ledger(&held).await;
    mended(&held).await;
    held.send(post, "/api/batches", json!({ "assets": [1] })).await;
    let batches = held.get("/api/batches").await;
    assert_eq!(ended(&held.client, &batches[0]["lines"][0]["run"]["id"]).await["status"], "done");
    held.get("/api/hits").await;
    held.send(put, "/api/hits", json!({ "most": 1_000_000 })).await;
    live_and_stopped(&held).await;

    held.get("/api/assets/1/levels").await;
    assert_eq!(held.get("/api/assets/1/low-off").await["triangles"].as_array().map(Vec::len), Some(2));
    held.send(post, "/api/assets/1/low-poly", json!({ "to": { "triangles": 4 } })).await;
    held.send(post, "/api/assets/1/uv-steps", json!({ "edit": "relax", "triangles": [] })).await;
    assert!(held.get("/api/assets/1/uv-state").await["summary"]["islands"].as_u64().is_some_and(|n| n > 0));
    held.get("/api/assets/1/uv-falloff?triangle=0&within=1").await;
    held.bytes("/api/assets/1/low-poly?format=obj").await;
    held.send(post, "/api/assets/1/plane", json!({ "facing": "y" })).await;
    held.get("/api/assets/1/frees").await;
    held.send(delete, "/api/runs/1", json!(null)).await;
    held.send(delete, "/api/assets/1", json!(null)).await;

    // The stream has no end to wait for; it has a test of its own.
    let all: BTreeSet<String> = held.description["paths"]
        .as_object()
        .expect("paths")
        .iter()
        .flat_map(|(path, item)| item.as_object().expect("verbs").keys().map(move |verb| format!("{verb} {path}")))
        .filter(|named| named != "get /events")
        .collect();
    assert_eq!(all, held.answered.into_inner());
}

/// What is wrong with the square, fixed and accepted; and what files are taken for.
async fn findings_and_offers(held: &Held) {
    let told = held.get("/api/assets/1/findings").await;
    let kinds: Vec<&str> =
        told["findings"].as_array().into_iter().flatten().filter_map(|f| f["kind"].as_str()).collect();
    assert_eq!((kinds.as_slice(), &told["fixes"]), (&[][..], &json!([])), "{told}");
    let order = json!([{ "file": "tile_high.obj", "step": { "step": "turn-faces" }, "on": "file" }]);
    let asset = held.send(Method::Post, "/api/assets/1/fixes", order).await;
    assert_eq!(asset["recipe"]["high"][0]["steps"], json!([{ "step": "turn-faces" }]));
    held.send(Method::Post, "/api/assets/1/undo", json!(null)).await;
    let note = |note: Value| json!({ "kind": "lean", "part": "tile", "note": note });
    let asset = held.send(Method::Put, "/api/assets/1/acceptance", note(json!("on purpose"))).await;
    assert_eq!(asset["recipe"]["exceptions"], json!([{ "kind": "lean", "part": "tile", "note": "on purpose" }]));
    let asset = held.send(Method::Put, "/api/assets/1/acceptance", note(json!(null))).await;
    assert_eq!(asset["recipe"]["exceptions"], Value::Null);
    let files = json!({ "files": ["tile_low.obj", "Rock-HI.gltf", "rock.mtl", "thing.ply"] });
    let offered = held.send(Method::Post, "/api/assets/1/offers", files).await;
    let of = |i: usize| ["role", "replaces", "beside", "names_others"].map(|f| offered[i][f].clone());
    assert_eq!(of(0), [json!("low"), json!("tile_low.obj"), json!(false), json!(true)]);
    assert_eq!(of(1), [json!("high"), json!(null), json!(false), json!(true)]);
    assert_eq!(of(2), [json!(null), json!(null), json!(true), json!(false)]);
    assert_eq!(of(3), [json!(null), json!(null), json!(false), json!(false)]);
}

/// What the files of the run hold is what the recipe makes now; another recipe is told apart.
async fn against_live(held: &Held) {
    let mut recipe = held.get("/api/assets/1").await["recipe"].clone();
    let address = "/api/runs/1/against-live";
    let mean = |answer: &Value, map: &str| {
        let found = answer["differences"].as_array().into_iter().flatten().find(|d| d["map"] == map);
        found.and_then(|d| d["mean"].as_f64()).unwrap_or_else(|| panic!("{map}: {answer}"))
    };
    let same = held.send(Method::Post, address, recipe.clone()).await;
    assert_eq!(same["size"], 64);
    for map in ["base-color", "roughness", "metallic", "normal"] {
        assert!(mean(&same, map) < 1.0, "{map}: {}", same["differences"]);
    }
    recipe["finishes"][0]["coats"] = json!([{ "name": "paint", "sets": { "color": { "value": "#ffffff" } } }]);
    let other = held.send(Method::Post, address, recipe).await;
    assert!(mean(&other, "base-color") > 80.0, "{}", other["differences"]);
}

/// What a final would write; then one more of another reach held against the first: heights are apart, and a picture shows where.
async fn compared(held: &Held) {
    let preflight = held.get("/api/assets/1/preflight").await;
    let first = held.get("/api/runs/1").await["run"].clone();
    let sum = |of: &Value| of.as_array().into_iter().flatten().filter_map(|f| f["bytes"].as_i64()).sum::<i64>();
    assert_eq!((&preflight["by_run"], preflight["clashes"].as_array().map(Vec::len)), (&json!(1), Some(0)));
    assert_eq!(sum(&preflight["files"]), first["bytes"].as_i64().expect("bytes"), "as it was: {preflight}");
    let same = held.get("/api/runs/1/compare/1").await;
    assert_eq!((&same["maps"]["normal"]["max"], &same["maps"]["normal"]["worst"]), (&json!(0.0), &Value::Null));
    crate::support::revise(&held.client, |r| {
        let normal = r["maps"].as_array_mut().into_iter().flatten().find(|m| m["map"] == "normal");
        normal.expect("a normal map")["y"] = json!("-");
    })
    .await;
    let run = held.send(Method::Post, "/api/assets/1/runs", json!({ "kind": "final" })).await;
    assert_eq!(ended(&held.client, &run["id"]).await["status"], "done");
    let apart = held.get(&format!("/api/runs/1/compare/{}", run["id"])).await;
    assert!(
        apart["maps"]["normal"]["max"].as_f64().is_some_and(|max| max < 1.0),
        "green is read as it stands: {apart}"
    );
    assert_eq!(apart["faults"], json!({}));
    held.get(&format!("/api/runs/1/difference/{}/normal?most=2&sheet=0", run["id"])).await;
}

/// A long bake, looked at while it runs, held and let go on, then stopped and let go on again; and once more from its ledger line.
async fn live_and_stopped(held: &Held) {
    let (_, asset) = crate::support::revise(&held.client, |r| {
        r["sheet"]["size"] = json!(4096);
        r["sheet"]["samples"] = json!(64);
    })
    .await;
    assert_eq!(asset["recipe"]["sheet"]["size"], 4096);
    let run = held.send(Method::Post, "/api/assets/1/runs", json!({ "kind": "final" })).await;
    let (id, mut looks) = (&run["id"], 0);
    let address = format!("/api/runs/{id}/live/normal");
    while held.ask(Method::Get, &address, Vec::new(), None).await.0 != Status::Ok {
        looks += 1;
        assert!(looks < 3000, "no live picture came");
        tokio::time::sleep(std::time::Duration::from_millis(10)).await;
    }
    assert_eq!(held.get("/api/queue").await[0]["run"]["id"], *id);
    let hold = format!("/api/runs/{id}/hold");
    assert_eq!(held.send(Method::Post, &hold, json!({ "held": true })).await["held"], true);
    held.send(Method::Put, "/api/queue", json!({ "runs": [id] })).await;
    assert_eq!(held.send(Method::Post, &hold, json!({ "held": false })).await["held"], false);
    held.send(Method::Post, &format!("/api/runs/{id}/stop"), json!(null)).await;
    assert_eq!(ended(&held.client, id).await["status"], "stopped");
    held.send(Method::Post, &format!("/api/runs/{id}/resume"), json!(null)).await;
    held.send(Method::Post, &format!("/api/runs/{id}/stop"), json!(null)).await;
    assert_eq!(ended(&held.client, id).await["status"], "stopped");
    let again = held.send(Method::Post, &format!("/api/runs/{id}/again"), json!(null)).await;
    held.send(Method::Post, &format!("/api/runs/{}/stop", again["id"]), json!(null)).await;
    ended(&held.client, &again["id"]).await;
}

#[rocket::async_test]
async fn what_cannot_be_given_is_told_in_one_form() {
    let data = tempfile::tempdir().expect("a folder");
    let held = Held::new(client(data.path()).await);
    held.send(Method::Post, "/api/assets", json!({ "name": "Tile" })).await;
    let (get, post, put) = (Method::Get, Method::Post, Method::Put);
    for (method, address, body, code, says) in [
        (get, "/api/assets/9", "", 404, "asset"),
        (get, "/api/assets/nine", "", 404, "/api/assets/nine"),
        (get, "/api/assets/1/display/middle", "", 404, "/api/assets/1/display/middle"),
        (get, "/api/assets/1/runs?before=x", "", 422, "before is 'x'"),
        (get, "/api/assets/1/runs?kind=third", "", 422, "kind is 'third'"),
        (get, "/api/assets/1/runs?finding=none", "", 422, "finding is 'none'"),
        (put, "/api/runs/9/label", r#"{ "name": "x" }"#, 404, "run"),
        (post, "/api/runs/9/restore", "", 404, "run"),
        (put, "/api/proof-room", r#"{ "most": -1 }"#, 422, "most is -1"),
        (post, "/api/runs/9/mended/normal", r#"{ "strokes": [] }"#, 404, "run"),
        (post, "/api/runs/9/beneath", r#"{ "tool": "paint" }"#, 422, "unknown variant `paint`"),
        (get, "/api/assets/1/cage?format=fbx", "", 422, "format is 'fbx'"),
        (get, "/api/runs/9", "", 404, "run"),
        (get, "/api/runs/9/texel?x=1&y=one", "", 422, "y is 'one'"),
        (get, "/api/runs/9/texel?x=1", "", 422, "y is missing"),
        (get, "/api/pictures/none", "", 404, "picture"),
        (post, "/api/assets", "{", 400, "not valid JSON"),
        (post, "/api/assets", r#"{ "nome": "x" }"#, 422, "missing field `name`"),
        (post, "/api/assets", r#"{ "name": "  " }"#, 422, "1 to 80 characters"),
        (post, "/api/assets/1/runs", r#"{ "kind": "third" }"#, 422, "unknown variant `third`"),
        (post, "/api/assets/1/runs", r#"{ "kind": "proof" }"#, 422, "No low-poly yet"),
        (post, "/api/assets/1/plane", r#"{ "facing": "up" }"#, 422, "unknown variant `up`"),
        (post, "/api/assets/1/low-poly", r#"{ "to": { "triangles": 9 } }"#, 422, "No sculpt yet"),
        (post, "/api/assets/1/uv-steps", r#"{ "edit": "relax", "triangles": [] }"#, 422, "No low-poly yet whose UVs"),
        (post, "/api/assets/1/low-poly", r#"{ "to": { "thirds": 9 } }"#, 422, "unknown variant `thirds`"),
        (post, "/api/assets/1/envelope", r#"{ "version": 1 }"#, 422, "missing field"),
        (
            post,
            "/api/assets/1/fixes",
            r#"[{ "file": "a.obj", "step": { "step": "turn-faces" }, "on": "file" }]"#,
            422,
            "no file 'a.obj'",
        ),
        (get, "/api/runs/9/sheets", "", 404, "run"),
        (get, "/api/runs/9/compare/8", "", 404, "run"),
        (get, "/api/runs/9/truths", "", 404, "run"),
        (get, "/api/runs/9/subdivisions", "", 404, "run"),
        (get, "/api/runs/9/displaced?level=x", "", 422, "level is 'x'"),
        (get, "/api/runs/9/distribution/normal", "", 404, "run"),
        (get, "/api/runs/9/look/normal?from=1", "", 422, "from and to"),
        (get, "/api/runs/9/mips", "", 404, "run"),
        (get, "/api/runs/9/mixing", "", 422, "level is missing"),
        (get, "/api/runs/9/squares/normal/0/0/0?stops=40", "", 422, "stops is 40"),
        (get, "/api/runs/9/heat?of=colour&most=1", "", 422, "of is 'colour'"),
        (get, "/api/runs/9/difference/8/normal", "", 422, "most is missing"),
        (post, "/api/runs/9/resume", "", 404, "run"),
        (post, "/api/runs/9/hold", r#"{ "held": 1 }"#, 422, "expected a boolean"),
        (put, "/api/queue", r#"{ "runs": "all" }"#, 422, "expected a sequence"),
        (get, "/api/assets/1/preflight", "", 422, "No low-poly yet"),
        (post, "/api/assets/1/masks", r#"{ "masks": [] }"#, 422, "masks has 0 entries"),
        (put, "/api/mask-library", r#"{ "masks": [{ "name": "a/b" }] }"#, 422, "a name goes without"),
        (Method::Delete, "/api/mask-library/none", "", 404, "mask"),
        (put, "/api/hits", r#"{ "most": -1 }"#, 422, "-1"),
        (put, "/api/hits", r#"{ "most": 1, "least": 0 }"#, 422, "least"),
        (Method::Patch, "/api/assets/1/recipe", "[]", 428, "If-Match"),
    ] {
        held.refused(method, address, body, code, says).await;
    }
}

/// The page is the same at each of its addresses, and packed for whoever takes it packed.
#[rocket::async_test]
async fn the_page_is_served_at_its_addresses_and_packed() {
    let data = tempfile::tempdir().expect("a folder");
    let client = client(data.path()).await;
    let ask = async |path: &'static str, encoding: &'static str| {
        let header = rocket::http::Header::new("Accept-Encoding", encoding);
        let answer = client.get(path).header(host()).header(header).dispatch().await;
        assert_eq!((answer.status(), answer.content_type()), (Status::Ok, Some(ContentType::HTML)), "{path}");
        let packed = answer.headers().get_one("Content-Encoding").map(str::to_owned);
        (packed, answer.into_bytes().await.expect("a body"))
    };
    let (packed, plain) = ask("/", "identity").await;
    assert!(packed.is_none() && plain.starts_with(b"<!doctype html>"));
    assert_eq!(ask("/asset/3/reach?run=12", "").await, (None, plain.clone()));
    let (packed, bytes) = ask("/", "br, gzip").await;
    assert_eq!(packed.as_deref(), Some("gzip"));
    let mut whole = Vec::new();
    std::io::Read::read_to_end(&mut flate2::read::GzDecoder::new(bytes.as_slice()), &mut whole).expect("gzip");
    assert!(whole == plain && bytes.len() < plain.len());
}

#[rocket::async_test]
async fn events_tell_what_happens_in_the_form_that_is_described() {
    let data = tempfile::tempdir().expect("a folder");
    let held = Held::new(client(data.path()).await);
    let stream = held.client.get("/api/events").header(host()).dispatch().await;
    assert_eq!((stream.status(), stream.content_type()), (Status::Ok, Some(ContentType::EventStream)));
    let (_, operation) = held.operation(Method::Get, "/api/events");
    let schema = &operation["responses"]["200"]["content"]["text/event-stream"]["schema"];
    let mut lines = BufReader::new(stream).lines();
    let mut next = async || loop {
        let line = lines.next_line().await.expect("open").expect("no end");
        if let Some(text) = line.strip_prefix("data:") {
            break serde_json::from_str::<Value>(text).expect("JSON");
        }
    };
    held.send(Method::Post, "/api/assets", json!({ "name": "Tile" })).await;
    let heard = next().await;
    assert_eq!(heard, json!({ "event": "asset", "asset": 1 }));
    held.check_form("an event", schema, &heard);
    for (file, role) in [("tile_low.obj", "low"), ("tile_high.obj", "high")] {
        crate::support::upload(&held.client, file, role, square("tile", 0.1)).await;
    }
    let heard = next().await;
    assert_eq!(heard, json!({ "event": "intake", "asset": 1, "file": "tile_low.obj", "stage": "reading" }));
    held.check_form("an event", schema, &heard);
    let run = held.send(Method::Post, "/api/assets/1/runs", json!({ "kind": "proof" })).await;
    let mut kinds = BTreeSet::new();
    loop {
        let heard = next().await;
        held.check_form("an event", schema, &heard);
        kinds.insert(heard["event"].as_str().expect("a name").to_owned());
        if heard["event"] == "ended" {
            assert_eq!(heard["run"], run["id"]);
            break;
        }
    }
    assert!(kinds.contains("asset") && kinds.contains("ended"), "{kinds:?}");
    held.send(Method::Post, "/api/assets/1/uv-steps", json!({ "edit": "relax", "triangles": [] })).await;
    let heard = loop {
        let heard = next().await;
        held.check_form("an event", schema, &heard);
        if heard["event"] == "relaxing" {
            break heard;
        }
    };
    // A square on a rectangle that is longer by √1.01, of the same area: each side is off by the fourth root.
    let energy = heard["energy"].as_f64().expect("a number");
    assert!((energy - 2.0 * (1.01f64.sqrt() + 1.01f64.sqrt().recip())).abs() < 1e-6, "{heard}");
}

#[rocket::async_test]
async fn a_delivery_that_was_cut_off_leaves_nothing_behind() {
    let data = tempfile::tempdir().expect("a folder");
    let folder = data.path().join("deliveries/tiles");
    let (left, other) = (folder.join(".delivery-Yx3"), folder.join("mine"));
    for place in [&left, &other] {
        std::fs::create_dir_all(place).expect("made");
        std::fs::write(place.join("Tile_N.png"), "half of it").expect("written");
    }
    let _client = client(data.path()).await;
    assert!(!left.exists() && other.join("Tile_N.png").is_file());
}
