//! The description of the API against the routes: what is described is what answers, with the statuses and in the form it says. One
//! walk asks every route for what it is for, and each kind of route for what it cannot give.

#[path = "support/held.rs"]
mod held;
mod support;

use held::Held;
use rocket::http::{ContentType, Method, Status};
use serde_json::{Value, json};
use std::collections::BTreeSet;
use support::{client, ended, host, square};
use tokio::io::{AsyncBufReadExt, BufReader};

#[rocket::async_test]
async fn every_route_answers_as_it_is_described() {
    let data = tempfile::tempdir().expect("a folder");
    let held = Held::new(client(data.path()).await);
    held.get("/api/about").await;
    assert_eq!(held.get("/api/openapi.json").await, held.description);
    assert!(held.get("/api/maps").await.as_array().is_some_and(|maps| maps.len() > 10));
    assert_eq!(held.get("/api/assets").await, json!([]));
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
    against_live(&held).await;
    compared(&held).await;
    assert_eq!(held.get("/api/runs/1/sheets").await, json!({ "of": [0, 0], "corners": [[0, 0]] }));
    held.get("/api/runs/1/frees").await;
    held.get("/api/assets/1/runs?before=9&limit=5").await;
    truths(&held).await;
    in_the_ledger(&held).await;
    mended(&held).await;
    held.get("/api/hits").await;
    held.send(put, "/api/hits", json!({ "most": 1_000_000 })).await;
    live_and_stopped(&held).await;

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

/// Masks of a draft: how they read, what they hold, places by example, and the library.
async fn masks(held: &Held, recipe: &Value) {
    let choices = held.get("/api/mask-choices").await;
    assert!(choices["signals"].as_array().is_some_and(|s| s.len() == 13), "{choices}");
    let presets = held.get("/api/assets/1/presets").await;
    assert_eq!(presets.as_array().map(Vec::len), Some(8));
    let mask = presets[0]["mask"].clone();
    let mut draft = recipe.clone();
    draft["masks"] = json!([mask]);
    let post = Method::Post;
    let view = held.send(post, "/api/assets/1/mask?mask=edge%20wear", draft.clone()).await;
    assert!(view["sentence"].as_str().is_some_and(|s| s.starts_with("Edges tighter than")), "{view}");
    let place = json!({ "triangle": 0, "point": [0.3, 0.0, 0.3] });
    let at = json!({ "recipe": draft, "at": place });
    let found = held.send(post, "/api/assets/1/mask-at?mask=edge%20wear", at.clone()).await;
    assert_eq!(found["terms"].as_array().map(Vec::len), Some(1));
    let region = held.send(post, "/api/assets/1/region-at?by=part", at).await;
    assert_eq!(region, json!({ "name": "tile" }));
    let examples = json!([{ "at": place, "wanted": true }]);
    let asked = json!({ "recipe": draft, "examples": examples });
    let found = held.send(post, "/api/assets/1/proposals", asked).await;
    assert_eq!(found["proposals"].as_array().map(Vec::len), Some(3), "{found}");
    let pictures = held.send(post, "/api/assets/1/mask-pictures", draft.clone()).await;
    assert!(pictures[0]["picture"].as_str().is_some_and(|p| p.starts_with("data:image/png")), "{pictures}");
    held.send(post, "/api/assets/1/look?map=mask:edge%20wear", draft).await;
    held.get("/api/assets/1/masks").await;
    assert_eq!(held.get("/api/assets/1/measuring").await, json!({ "share": null }));
    // Kept at one size, fitted to another.
    let kept = json!({ "masks": [presets[0]["mask"]], "diagonal": 100.0 });
    let library = held.send(Method::Put, "/api/mask-library", kept.clone()).await;
    assert_eq!(library.as_array().map(Vec::len), Some(1));
    assert_eq!(held.get("/api/mask-library").await, library);
    let fitted = held.send(post, "/api/assets/1/masks", kept).await;
    let size = |mask: &Value| mask["place"]["terms"][0]["signal"]["size"].as_f64().expect("a size");
    assert!(size(&fitted[0]) < 0.05 * size(&presets[0]["mask"]), "{fitted}");
    let left = held.send(Method::Delete, "/api/mask-library/edge%20wear", json!(null)).await;
    assert_eq!(left, json!([]));
}

/// Finishes of a draft: how they read and what they cover, what a lit model needs, and their pictures; ready-made and from a file.
async fn finishes(held: &Held, recipe: &Value) {
    let ready = held.get("/api/assets/1/ready-finishes").await;
    assert!(ready.as_array().is_some_and(|list| list.len() >= 13), "{ready}");
    let finish = ready[0]["finish"].clone();
    let mut draft = recipe.clone();
    draft["finishes"] = json!([finish]);
    let post = Method::Post;
    let views = held.send(post, "/api/assets/1/finishes", draft.clone()).await;
    assert_eq!((&views[0]["on"], &views[0]["share"]), (&json!("everything"), &json!(1.0)), "{views}");
    let coats = views[0]["coats"].as_array().expect("coats");
    assert!(coats.iter().all(|coat| coat["covers"].as_f64().is_some_and(|c| (0.0..=1.0).contains(&c))), "{views}");
    let pictures = held.send(post, "/api/assets/1/material", draft.clone()).await;
    for picture in pictures.as_array().into_iter().flatten().filter(|p| p["map"] != "ao") {
        assert!(picture["picture"].as_str().is_some_and(|p| p.starts_with("data:image/png")), "{picture}");
    }
    let name = "/api/assets/1/coat-pictures?finish=weathered%20enamel";
    let pictures = held.send(post, name, draft).await;
    assert_eq!(pictures.as_array().map(Vec::len), Some(coats.len() + 1));
    // Made for an asset a hundred times as large: lengths are a hundredth here.
    let kept = json!({ "finishes": [finish], "diagonal": 100.0 * 2f32.sqrt() });
    let fitted = held.send(post, "/api/assets/1/kept-finishes", kept).await;
    let high = |finish: &Value| {
        let coats = finish["coats"].as_array().into_iter().flatten();
        coats.filter_map(|c| c["sets"]["height"]["value"].as_f64()).fold(0.0, f64::max)
    };
    assert!((high(&fitted[0]) / high(&finish) - 0.01).abs() < 1e-3, "{fitted}");
}

/// A finish with a picture: its file goes with it out of the program and into it, by hand and by way of the library.
async fn library_of_finishes(held: &Held) {
    let (post, put) = (Method::Post, Method::Put);
    let mut png = Vec::new();
    ember_ridge_formats::image::write_png(&mut png, 2, 3, &[200; 12]).expect("memory");
    let data = base64::Engine::encode(&base64::engine::general_purpose::STANDARD, &png);
    let finish = json!({ "name": "papered", "on": "all", "base": { "color": "#808080", "roughness": 0.5, "metallic": 0.0 },
        "coats": [{ "name": "paper", "sets": { "color": { "picture": { "picture": { "file": "paper.png" }, "space": "uv" } } } }] });
    let brought = json!({ "finishes": [finish], "files": [{ "file": "paper.png", "data": data }] });
    let fitted = held.send(post, "/api/assets/1/kept-finishes", brought).await;
    let hash = fitted[0]["coats"][0]["sets"]["color"]["picture"]["picture"]["hash"].as_str().expect("a hash");
    assert_eq!(hash, blake3::hash(&png).to_hex().as_str());
    let exported = held.send(post, "/api/exported-finishes", json!({ "finishes": fitted })).await;
    assert_eq!(exported["files"], json!([{ "file": "paper.png", "data": data }]));
    let pictures = held.send(post, "/api/assets/1/finish-pictures", json!({ "finishes": fitted })).await;
    assert!(pictures[0]["picture"].as_str().is_some_and(|p| p.starts_with("data:image/png")), "{pictures}");
    let kept = held.send(put, "/api/finish-library", json!({ "finishes": fitted, "diagonal": 1.5 })).await;
    assert_eq!((&kept[0]["finishes"][0]["name"], &kept[0]["files"]), (&json!("papered"), &exported["files"]));
    assert_eq!(held.get("/api/finish-library").await, kept);
    assert_eq!(held.send(Method::Delete, "/api/finish-library/papered", json!(null)).await, json!([]));
    let damaged = json!({ "finishes": fitted, "files": [{ "file": "paper.png", "data": "?" }] }).to_string();
    held.refused(post, "/api/assets/1/kept-finishes", &damaged, 422, "paper.png: its data is not Base64").await;
}

/// A document with its picture becomes a finish with the maps that show it.
async fn documents(held: &Held) {
    let document = br#"<materialx version="1.39">
        <image name="i" type="color3"><input name="file" type="filename" value="textures/tile.png"/></image>
        <standard_surface name="s" type="surfaceshader"><input name="base_color" type="color3" nodename="i"/>
        <input name="coat" type="float" value="1"/></standard_surface>
        <surfacematerial name="Tile" type="material"><input name="surfaceshader" type="surfaceshader" nodename="s"/></surfacematerial>
        </materialx>"#;
    let mut png = Vec::new();
    ember_ridge_formats::image::write_png(&mut png, 2, 3, &[90; 12]).expect("memory");
    let body = [png.as_slice(), document].concat();
    let address = format!("/api/assets/1/documents?file=tile.mtlx&beside=tile.png:{}", png.len());
    let (status, asset) = held.ask(Method::Post, &address, body, None).await;
    assert_eq!(status, Status::Ok, "{asset}");
    let laid = &asset["recipe"]["finishes"][0];
    assert_eq!((&laid["name"], &laid["materialx"]["material"]), (&json!("Tile"), &json!("Tile")));
    assert_eq!(laid["materialx"]["beside"][0]["file"], "tile.png");
    assert!(asset["told"].to_string().contains("no map shows coat of standard_surface"), "{}", asset["told"]);
    let maps = asset["recipe"]["maps"].as_array().expect("maps");
    assert!(["base-color", "roughness", "metallic"].iter().all(|map| maps.iter().any(|m| m["map"] == *map)));
    let views = held.send(Method::Post, "/api/assets/1/finishes", asset["recipe"].clone()).await;
    assert_eq!((&views[0]["materials"], &views[0]["base"]), (&json!(["Tile"]), &json!("Tile of tile.mtlx")));
    let broken = "/api/assets/1/documents?file=bad.mtlx";
    held.refused(Method::Post, broken, "<materialx>\n<add", 422, "bad.mtlx: line 2").await;
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
    support::revise(&held.client, |r| {
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
    let (_, asset) = support::revise(&held.client, |r| {
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

/// The files of a run are held against the sculpt, where no finish adds heights.
async fn truths(held: &Held) {
    let told = held.get("/api/runs/1/truths").await;
    assert!(told["notes"][0].as_str().is_some_and(|note| note.contains("finishes add heights")), "{told}");
    let before = held.get("/api/assets/1").await;
    let mut recipe = before["recipe"].clone();
    recipe["finishes"] = json!([]);
    recipe["maps"] = json!([{ "map": "normal" }, { "map": "displacement" }]);
    held.send(Method::Put, "/api/assets/1/recipe", json!({ "base": before["revision"], "recipe": recipe })).await;
    let run = held.send(Method::Post, "/api/assets/1/runs", json!({ "kind": "final" })).await;
    assert_eq!(ended(&held.client, &run["id"]).await["status"], "done");
    let told = held.get(&format!("/api/runs/{}/truths", run["id"])).await;
    let (lit, displaced) = (&told["truths"]["lit"][0], &told["truths"]["displaced"]);
    assert!(lit["mean"].as_f64().is_some_and(|mean| mean < 1.0) && lit["unit"] == "degrees", "{told}");
    assert!(displaced["mean"].as_f64().is_some_and(|mean| mean < 1e-3) && displaced["unit"] == "units", "{told}");
    assert_eq!(told["faults"], json!([]));
    held.get(&format!("/api/runs/{}/heat?of=lit&most=2", run["id"])).await;
    held.send(Method::Post, "/api/assets/1/undo", json!(null)).await;
}

/// A run is named, starred, found and restored.
async fn in_the_ledger(held: &Held) {
    let run = held.send(Method::Put, "/api/runs/1/label", json!({ "name": " first light ", "starred": true })).await;
    assert_eq!((&run["name"], &run["starred"]), (&json!("first light"), &json!(true)));
    let page = held.get("/api/assets/1/runs?kind=final&map=normal&starred=true").await;
    assert_eq!(page["runs"][0]["id"], 1, "{page}");
    assert!(page["maps"].as_array().is_some_and(|maps| maps.contains(&json!("normal"))), "{page}");
    assert_eq!(held.get("/api/assets/1/runs?kind=proof").await["runs"], json!([]));
    held.refused(
        Method::Put,
        "/api/runs/1/label",
        &json!({ "name": "x".repeat(61) }).to_string(),
        422,
        "61 characters",
    )
    .await;
    let before = held.get("/api/assets/1").await;
    let mut recipe = before["recipe"].clone();
    recipe["sheet"]["padding"] = json!(3);
    held.send(Method::Put, "/api/assets/1/recipe", json!({ "base": before["revision"], "recipe": recipe })).await;
    let after = held.send(Method::Post, "/api/runs/1/restore", json!(null)).await;
    let run = held.get("/api/runs/1").await["report"]["recipe"].clone();
    assert_eq!((&after["recipe"]["sheet"], &after["recipe"]["maps"]), (&run["sheet"], &run["maps"]));
    assert!(after["undo"].as_str().is_some_and(|undo| undo.contains("padding 3")), "{}", after["undo"]);
    // One step takes it back.
    let undone = held.send(Method::Post, "/api/assets/1/undo", json!(null)).await;
    assert_eq!(undone["recipe"], recipe);
    held.send(Method::Post, "/api/assets/1/redo", json!(null)).await;
    let room = held.get("/api/proof-room").await;
    assert!(room["most"].as_i64().is_some_and(|most| most > 0), "{room}");
    held.send(Method::Put, "/api/proof-room", json!({ "most": 5_000_000 })).await;
}

/// A mend is drawn onto a run at once, and remembers what lies beneath it.
async fn mended(held: &Held) {
    let mend = json!({
        "tool": "set", "maps": ["normal"], "size": 0.2, "strength": 1.0, "path": [[0.5, 0.05, 0.5, 1.0]]
    });
    let told = held.send(Method::Post, "/api/runs/1/beneath", mend.clone()).await;
    assert_eq!(told["idle"], json!([]));
    let beneath = told["mend"]["beneath"]["normal"][0].as_array().expect("three numbers");
    // The sculpt rises by a tenth along +x: that is where its normal comes from.
    let slope = 0.1f64.atan();
    assert!((beneath[0].as_f64().expect("x") + slope.sin()).abs() < 0.01, "{beneath:?}");
    assert!((beneath[1].as_f64().expect("y") - slope.cos()).abs() < 0.01, "{beneath:?}");
    held.send(Method::Post, "/api/runs/1/mended/normal", json!({ "strokes": [mend] })).await;
    let wrong = json!({ "strokes": [{ "tool": "set", "maps": ["normal"], "size": 0, "strength": 1, "path": [] }] });
    held.refused(Method::Post, "/api/runs/1/mended/normal", &wrong.to_string(), 422, "number 1: size is 0").await;
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
        support::upload(&held.client, file, role, square("tile", 0.1)).await;
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
}
