//! Stretches of the walk over every route: masks, finishes, documents, and what is done with finished runs.

use super::held::Held;
use super::support::ended;
use rocket::http::{Method, Status};
use serde_json::{Value, json};

/// Masks of a draft: how they read, what they hold, places by example, and the library.
pub async fn masks(held: &Held, recipe: &Value) {
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
pub async fn finishes(held: &Held, recipe: &Value) {
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
pub async fn library_of_finishes(held: &Held) {
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
pub async fn documents(held: &Held) {
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

/// The files of a run are held against the sculpt, with finishes and without.
pub async fn truths(held: &Held) {
    let told = held.get("/api/runs/1/truths").await;
    assert_eq!((&told["faults"], &told["notes"]), (&json!([]), &json!([])), "{told}");
    assert!(told["truths"]["lit"][0]["mean"].as_f64().is_some_and(|mean| mean < 3.0), "{told}");
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
    let after = held.get(&format!("/api/runs/{}/subdivisions", run["id"])).await;
    let means: Vec<f64> =
        after["levels"].as_array().expect("levels").iter().filter_map(|l| l["off"]["mean"].as_f64()).collect();
    assert!(means.len() == 7 && means[6] <= means[0], "{after}");
    held.get(&format!("/api/runs/{}/displaced?level=2", run["id"])).await;
    assert_eq!(held.get("/api/runs/1/distribution/normal").await["channels"].as_array().map(Vec::len), Some(3));
    held.get("/api/runs/1/look/normal?level=2&sheet=0").await;
    assert!(held.get("/api/runs/1/mips").await.as_array().is_some_and(|levels| levels.len() == 4));
    held.get("/api/runs/1/mixing?level=1").await;
    large(held).await;
    held.send(Method::Post, "/api/assets/1/undo", json!(null)).await;
}

/// A run is named, starred, found and restored.
pub async fn in_the_ledger(held: &Held) {
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
pub async fn mended(held: &Held) {
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

/// A sheet too large to be sent as one picture is sent in squares.
async fn large(held: &Held) {
    let before = held.get("/api/assets/1").await;
    let mut recipe = before["recipe"].clone();
    recipe["maps"] = json!([{ "map": "opacity" }]);
    recipe["sheet"]["size"] = json!(4097);
    recipe["sheet"]["samples"] = json!(1);
    held.send(Method::Put, "/api/assets/1/recipe", json!({ "base": before["revision"], "recipe": recipe })).await;
    let run = held.send(Method::Post, "/api/assets/1/runs", json!({ "kind": "final" })).await;
    assert_eq!(ended(&held.client, &run["id"]).await["status"], "done");
    let detail = held.get(&format!("/api/runs/{}", run["id"])).await;
    assert_eq!(detail["pictures"][0]["squares"][1], 2049);
    held.get(&format!("/api/runs/{}/squares/opacity/1/0/8?sheet=0", run["id"])).await;
    held.get(&format!("/api/runs/{}/texel?x=4096&y=4096", run["id"])).await;
    held.send(Method::Post, "/api/assets/1/undo", json!(null)).await;
}

/// The maps of a run under other names, brought in as another program's: they are the same, and are not taken for a bake.
pub async fn imports(held: &Held) {
    let post = Method::Post;
    let run = held.get("/api/runs/1").await;
    let mut files = Vec::new();
    for picture in run["pictures"].as_array().expect("a list") {
        let map = picture["map"].as_str().filter(|map| ["normal", "ao", "curvature", "id"].contains(map));
        let Some(map) = map else { continue };
        let address = format!("/api/pictures/{}", picture["hash"].as_str().expect("a hash"));
        files.push((format!("crate_{map}_2k.png"), map, held.bytes(&address).await));
    }
    assert!(files.iter().any(|(_, map, _)| *map == "normal"), "{run}");
    let names: Vec<&str> = files.iter().map(|(name, ..)| name.as_str()).collect();
    let sorted = held.send(post, "/api/assets/1/sorted-maps", json!({ "files": names })).await;
    for ((name, map, _), sorted) in files.iter().zip(sorted["files"].as_array().expect("a list")) {
        assert_eq!((&sorted["file"], &sorted["map"], &sorted["sheet"]), (&json!(name), &json!(map), &json!(0)));
    }
    let query: Vec<String> =
        files.iter().map(|(name, map, bytes)| format!("file={name}:{}&map={map}", bytes.len())).collect();
    let body: Vec<u8> = files.iter().flat_map(|(_, _, bytes)| bytes.clone()).collect();
    let address = format!("/api/assets/1/imported-runs?{}", query.join("&"));
    let (status, brought) = held.ask(post, &address, body, None).await;
    assert_eq!(status, Status::Created, "{brought}");
    assert_eq!((&brought["kind"], &brought["status"]), (&json!("imported"), &json!("done")), "{brought}");
    let id = &brought["id"];
    let compared = held.get(&format!("/api/runs/1/compare/{id}")).await;
    let maps = compared["maps"].as_object().expect("by map");
    assert!(maps.len() == files.len() && maps.values().all(|map| map["max"] == 0.0), "{compared}");
    for (_, map, _) in &files {
        let shown = held.get(&format!("/api/runs/{id}/distribution/{map}?sheet=0")).await;
        assert!(shown["texels"].as_u64().is_some_and(|count| count > 0), "{shown}");
    }
    held.get(&format!("/api/runs/{id}/truths")).await;
    held.refused(post, &format!("/api/runs/{id}/again"), "", 422, "imported, not baked").await;
    let order = json!({ "profile": held.get("/api/profiles").await[0]["profile"], "folder": "tiles/brought" });
    held.refused(post, &format!("/api/runs/{id}/deliveries"), &order.to_string(), 422, "imported, not baked").await;
    held.refused(post, "/api/assets/1/runs", &json!({ "kind": "imported" }).to_string(), 422, "not baked").await;
    for (address, words) in [
        ("/api/assets/1/imported-runs?file=a.png:4&map=ao", "a.png"),
        ("/api/assets/1/imported-runs?file=a.png&map=ao", "a name and a length"),
        ("/api/assets/1/imported-runs?file=a.png:1", "different lengths"),
        ("/api/assets/1/imported-runs?file=a.png:99&map=ao", "arrived incomplete"),
        ("/api/assets/1/imported-runs?scale=-1", "above 0"),
        ("/api/assets/1/imported-runs", "none of the files"),
    ] {
        held.refused(post, address, "none", 422, words).await;
    }
    let freed = held.send(Method::Delete, &format!("/api/runs/{id}"), json!(null)).await;
    assert!(freed["bytes"].as_i64().is_some_and(|bytes| bytes > 0), "{freed}");
}

/// Profiles are kept and dropped; a run is planned, delivered, delivered again over it, and taken away as a zip and file by file.
pub async fn deliveries(held: &Held) {
    let (post, put) = (Method::Post, Method::Put);
    let profiles = held.get("/api/profiles").await;
    assert!(profiles.as_array().is_some_and(|all| all.len() == 5 && all.iter().all(|p| p["shipped"] == true)));
    let mut mine = profiles[1]["profile"].clone();
    mine["name"] = json!("mine");
    mine["pictures"] = json!([{ "suffix": "N", "holds": { "map": "normal" }, "depth": "16" }]);
    let kept = held.send(put, "/api/profiles", mine.clone()).await;
    assert_eq!((&kept[5]["profile"]["name"], &kept[5]["shipped"]), (&json!("mine"), &json!(false)));
    held.refused(put, "/api/profiles", &profiles[0]["profile"].to_string(), 422, "comes with the program").await;
    let order = json!({ "profile": mine, "folder": "tiles/mine" });
    let plan = held.send(post, "/api/runs/1/delivery-plan", order.clone()).await;
    assert_eq!(
        (&plan["version"], &plan["taken"], &plan["refused"]),
        (&json!(1), &json!(false), &json!(null)),
        "{plan}"
    );
    assert_eq!(
        (&plan["pictures"][0]["file"], &plan["pictures"][0]["most_bytes"]),
        (&json!("Tile_N.png"), &json!(64 * 64 * 6))
    );
    let first = held.send(post, "/api/runs/1/deliveries", order.clone()).await;
    assert!(
        first["checks"].as_array().is_some_and(|all| all.len() > 10 && all.iter().all(|c| c["fine"] == true)),
        "{first}"
    );
    let folder = std::path::PathBuf::from(first["place"].as_str().expect("a place"));
    for file in first["files"].as_array().expect("files") {
        let bytes = std::fs::read(folder.join(file["file"].as_str().expect("a name"))).expect("it is there");
        assert_eq!(blake3::hash(&bytes).to_hex().as_str(), file["blake3"]);
    }
    // Nothing is replaced unless that is asked for, and what was there is kept.
    held.refused(post, "/api/runs/1/deliveries", &order.to_string(), 409, "delivered there already").await;
    mine["y"] = json!("-");
    let again = json!({ "profile": mine, "folder": "tiles/mine", "replace": true });
    let second = held.send(post, "/api/runs/1/deliveries", again).await;
    assert_eq!(second["version"], 2);
    let changes = second["changes"].to_string();
    assert!(changes.contains("green Y-, was Y+") && changes.contains("Tile_N.png"), "{changes}");
    assert!(folder.with_file_name("mine.v001").join("facts.json").is_file());
    // The first is still found where it is kept.
    for delivery in [&first, &second] {
        let of = |what: &str| format!("/api/deliveries/{}/{what}", delivery["id"]);
        let wanted = delivery["files"].as_array().and_then(|all| all.iter().find(|f| f["file"] == "Tile_N.png"));
        let sent = held.bytes(&of("files/Tile_N.png")).await;
        assert_eq!(blake3::hash(&sent).to_hex().as_str(), wanted.expect("the picture")["blake3"]);
        let mut zip = zip::ZipArchive::new(std::io::Cursor::new(held.bytes(&of("zip")).await)).expect("a zip");
        let names: Vec<String> = zip.file_names().map(|name| name.expect("text").into_owned()).collect();
        assert_eq!(names.len(), delivery["files"].as_array().map_or(0, Vec::len) + 2, "{names:?}");
        let mut inside = Vec::new();
        std::io::Read::read_to_end(&mut zip.by_name("Tile_N.png").expect("it is inside"), &mut inside).expect("whole");
        assert_eq!(inside, sent);
    }
    let listed = held.get("/api/assets/1/deliveries").await;
    assert_eq!((&listed[0]["id"], &listed[1]["id"]), (&second["id"], &first["id"]));
    for folder in ["../out", "a//b", "a/.b", "/etc", "a.zip", ""] {
        let order = json!({ "profile": mine, "folder": folder }).to_string();
        held.refused(post, "/api/runs/1/delivery-plan", &order, 422, "folder").await;
    }
    let foreign = folder.with_file_name("foreign");
    std::fs::create_dir_all(&foreign).expect("made");
    std::fs::write(foreign.join("mine.txt"), "mine").expect("written");
    let order = json!({ "profile": mine, "folder": "tiles/foreign", "replace": true });
    held.refused(post, "/api/runs/1/deliveries", &order.to_string(), 409, "something else than a delivery").await;
    assert_eq!(std::fs::read_to_string(foreign.join("mine.txt")).expect("still there"), "mine");
    assert_eq!(held.send(Method::Delete, "/api/profiles/mine", json!(null)).await.as_array().map(Vec::len), Some(5));
}
