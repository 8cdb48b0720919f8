//! Reaches through the real routes: envelopes and looks of drafts, cages out and in, stories of texels, strokes as undo steps.

use crate::support::{answer, baked, bytes, client, get, host, post, revise, square, unpack, upload, with_square};
use ember_ridge_formats::image::read_image;
use rocket::http::{ContentType, Status};
use rocket::local::asynchronous::Client;
use serde_json::{Value, json};

async fn recipe(client: &Client) -> Value {
    get(client, "/api/assets/1").await.1["recipe"].clone()
}

#[rocket::async_test]
async fn a_draft_shows_its_envelope_and_a_look_is_the_proof_to_come() {
    let data = tempfile::tempdir().expect("a folder");
    let client = with_square(data.path()).await;
    let mut draft = recipe(&client).await;
    draft["reach"] = json!({ "out": 0.2, "in": 0.1 });
    draft["sheet"]["proof_size"] = json!(64);
    let (status, envelope) = bytes(&client, "/api/assets/1/envelope?needles=200", Some(draft.clone())).await;
    assert_eq!(status, Status::Ok, "{}", String::from_utf8_lossy(&envelope));
    let (header, out) = unpack(&envelope, "out");
    assert_eq!(out, [0.2f32; 6], "one per corner");
    assert_eq!(header["parts"][0]["part"], "tile");
    let (_, needles) = unpack(&envelope, "needles");
    assert_eq!(needles.len() / 10, header["needles"]["hit"].as_u64().expect("a count") as usize, "all hit");
    assert!((190..=210).contains(&(needles.len() / 10)));
    // The sculpt rises to 0.1: nothing pokes out. Under a shorter envelope it does, and by how much is said.
    assert_eq!(header["marks"], json!([]));
    draft["reach"]["out"] = json!(0.04);
    let (_, short) = bytes(&client, "/api/assets/1/envelope", Some(draft.clone())).await;
    let (header, _) = unpack(&short, "marks");
    assert_eq!(header["marks"][0]["kind"], "pokes-out");
    assert!((header["marks"][0]["most"].as_f64().expect("a length") - 0.06).abs() < 1e-3);
    assert_eq!(recipe(&client).await["reach"]["out"], "auto", "nothing of a draft is kept");

    // A look at the draft is, texel for texel, what its proof holds.
    draft["reach"]["out"] = json!(0.2);
    let (status, look) = bytes(&client, "/api/assets/1/look?map=normal", Some(draft.clone())).await;
    assert_eq!(status, Status::Ok);
    revise(&client, |r| *r = draft.clone()).await;
    let run = baked(&client, "proof").await;
    let (_, map) = bytes(&client, &format!("/api/runs/{}/maps/normal", run["id"]), None).await;
    let (look, map) = (read_image("look.png", &look).expect("a PNG"), read_image("map.png", &map).expect("a PNG"));
    for (x, y) in (0..64).flat_map(|y| (0..64).map(move |x| (x, y))) {
        assert_eq!(look.texel(x, y), map.texel(x, y), "{x}, {y}");
    }
    assert!(run["report"]["kept_rays"].as_u64().expect("a count") > 0, "the look's rays serve the proof");

    for (path, words) in [
        ("/api/assets/1/look?map=shoes", "no map of this name"),
        ("/api/assets/9/look?map=normal", "no asset"),
        ("/api/assets/1/plumb?sheet=7", "no sheet of this number"),
    ] {
        let (status, text) = bytes(&client, path, Some(draft.clone())).await;
        assert!(status.code == 404 && String::from_utf8_lossy(&text).contains(words), "{path}: {text:?}");
    }
    draft["reach"]["out"] = json!(-1);
    let (status, text) = bytes(&client, "/api/assets/1/envelope", Some(draft)).await;
    assert_eq!(status, Status::UnprocessableEntity);
    assert!(String::from_utf8_lossy(&text).contains("reach.out is -1"));
}

#[rocket::async_test]
async fn a_cage_goes_out_and_comes_back_and_bad_ones_leave_the_envelope_alone() {
    let data = tempfile::tempdir().expect("a folder");
    let client = with_square(data.path()).await;
    revise(&client, |r| r["reach"] = json!({ "out": 0.25, "in": 0.1 })).await;
    for format in ["glb", "obj"] {
        let response = client.get(format!("/api/assets/1/cage?format={format}")).header(host()).dispatch().await;
        let name = response.headers().get_one("Content-Disposition").unwrap_or_default().to_owned();
        assert!(name.contains(&format!("tile_cage.{format}")), "{name}");
        let cage = response.into_bytes().await.expect("a file");
        let (status, asset) = upload(&client, &format!("tile_cage.{format}"), "cage", cage).await;
        assert_eq!(status, Status::Ok, "{asset}");
        assert_eq!(asset["recipe"]["cage"]["file"], format!("tile_cage.{format}"));
        let (_, envelope) = bytes(&client, "/api/assets/1/envelope", Some(recipe(&client).await)).await;
        let (_, points) = unpack(&envelope, "cage");
        assert_eq!(points.len(), 18);
        assert!(points.chunks(3).all(|p| (p[1] - 0.25).abs() < 1e-6), "{points:?}");
    }
    let kept = recipe(&client).await["cage"].clone();
    let low = String::from_utf8(square("tile", 0.0)).expect("text");
    let sunk = low.lines().map(|l| match l.strip_prefix("v ") {
        Some(p) => {
            let p: Vec<&str> = p.split(' ').collect();
            format!("v {} -0.3 {}", p[0], p[2])
        }
        None => l.to_owned(),
    });
    let other = "v 0 9 0\nv 1 9 0\nv 0 9 1\nf 1 2 3\n".to_owned();
    for (file, text, words) in [
        ("other.obj", other, "the cage has 1 triangles and the low-poly 2"),
        ("sunk.obj", sunk.collect::<Vec<_>>().join("\n"), "lies inside the low-poly at 2 of its 2 triangles"),
        ("nan.obj", low.replacen("v 0 0 0", "v 0 NaN 0", 1), "nan.obj"),
    ] {
        let (status, body) = upload(&client, file, "cage", text.into_bytes()).await;
        let told = body["error"].as_str().unwrap_or_default().to_owned();
        assert_eq!(status, Status::UnprocessableEntity, "{file}: {body}");
        assert!(told.starts_with(file) && told.contains(words), "{told}");
        assert_eq!(recipe(&client).await["cage"], kept, "the old one stays");
    }
    let (status, body) = get(&client, "/api/assets/1/cage?format=doc").await;
    assert_eq!(status, Status::UnprocessableEntity);
    assert!(body["error"].as_str().unwrap_or_default().contains("Obj"));
}

#[rocket::async_test]
async fn strokes_are_undone_one_by_one_and_bad_ones_are_refused() {
    let data = tempfile::tempdir().expect("a folder");
    let client = with_square(data.path()).await;
    let stroke = |brush: &str| json!({ "brush": brush, "size": 0.6, "strength": 1.0, "path": [[0.5, 0.0, 0.5, 1.0]] });
    let (status, asset) = revise(&client, |r| r["reach"]["strokes"] = json!([stroke("plumb")])).await;
    assert_eq!((status, &asset["undo"]), (Status::Ok, &json!("plumb painted")));
    let (_, asset) = revise(&client, |r| r["reach"]["strokes"] = json!([stroke("plumb"), stroke("averaged")])).await;
    assert_eq!(asset["undo"], "averaged again painted");
    let (_, asset) = post(&client, "/api/assets/1/undo", json!(null)).await;
    assert_eq!(asset["recipe"]["reach"]["strokes"].as_array().map(Vec::len), Some(1));
    let (_, mask) = bytes(&client, "/api/assets/1/plumb", Some(asset["recipe"].clone())).await;
    let mask = read_image("mask.png", &mask).expect("a PNG");
    assert_eq!(mask.texel(256, 256)[0], 1.0, "plumb in the middle");
    assert_eq!(mask.texel(2, 2)[0], 0.0, "and nowhere near the corner");
    let (status, body) = revise(&client, |r| r["reach"]["strokes"][0]["size"] = json!(0)).await;
    assert_eq!(status, Status::UnprocessableEntity);
    assert!(body["error"].as_str().unwrap_or_default().contains("reach.strokes: number 1: size is 0"), "{body}");
    let (_, none) = post(&client, "/api/assets/1/upright", recipe(&client).await).await;
    assert_eq!(none, json!([]), "nothing on a flat square leans");
}

#[rocket::async_test]
async fn a_texels_story_is_told_with_what_the_maps_made_of_it() {
    let data = tempfile::tempdir().expect("a folder");
    let client = with_square(data.path()).await;
    revise(&client, |r| {
        r["reach"] = json!({ "out": 0.2, "in": 0.1 });
        r["sheet"]["proof_size"] = json!(64);
    })
    .await;
    let run = baked(&client, "proof").await;
    let (status, view) = get(&client, &format!("/api/runs/{}/trace?x=31&y=40", run["id"])).await;
    assert_eq!(status, Status::Ok, "{view}");
    let ray = &view["trace"]["rays"][0];
    let crossing = &ray["crossings"][0];
    assert_eq!((&crossing["part"], &crossing["fate"]), (&json!("tile"), &json!("taken")));
    // The sculpt rises by a tenth along x; the texel's middle lies at 31.5 / 64.
    let height = crossing["height"].as_f64().expect("a height");
    assert!((height - 0.1 * 31.5 / 64.0).abs() < 1e-5, "{height}");
    assert_eq!(view["trace"]["neighbours"].as_array().map(Vec::len), Some(9));
    assert!(view["maps"].as_array().is_some_and(|m| m.iter().any(|m| m["map"] == "normal")));
    let (status, _) = get(&client, &format!("/api/runs/{}/trace?x=64&y=0", run["id"])).await;
    assert_eq!(status, Status::UnprocessableEntity);
    assert_eq!(get(&client, "/api/runs/99/trace?x=0&y=0").await.0, Status::NotFound);
}

#[rocket::async_test]
async fn reaches_of_parts_go_with_their_parts() {
    let data = tempfile::tempdir().expect("a folder");
    let client = client(data.path()).await;
    post(&client, "/api/assets", json!({ "name": "Tile" })).await;
    upload(&client, "tile_low.obj", "low", square("tile", 0.0)).await;
    upload(&client, "tile_high.obj", "high", square("tile", 0.1)).await;
    let own = |part: &str| json!({ "part": part, "out": 0.3 });
    let (status, asset) = revise(&client, |r| r["reach"]["parts"] = json!([own("tile")])).await;
    assert_eq!((status, &asset["undo"]), (Status::Ok, &json!("reach out of tile the asset's to 0.3")));
    let (_, asset) = upload(&client, "tile_low.obj", "low", square("plate", 0.0)).await;
    assert_eq!(asset["recipe"]["reach"]["parts"], json!(null));
    let lost = asset["told"].as_array().cloned().unwrap_or_default();
    assert!(lost.iter().any(|l| l.as_str().is_some_and(|l| l.contains("'tile'"))), "{lost:?}");
    let unknown =
        client.post("/api/assets/1/envelope").header(host()).header(ContentType::JSON).body("{").dispatch().await;
    assert!(answer(unknown).await.0.code >= 400);
}
