//! Batches of the page: chosen assets are baked and delivered one after the other, one that cannot be holds up none, what has not changed
//! is left alone, and what a kill kept from being delivered is delivered at the next start.

use crate::support::*;
use rocket::http::{ContentType, Status};
use rocket::local::asynchronous::Client;
use serde_json::{Value, json};
use std::path::Path;

/// Three assets: two squares that bear one name but for capitals, and one without a low-poly.
async fn three(data: &Path) -> Client {
    let client = with_square(data).await;
    for name in ["tile", "Empty"] {
        assert_eq!(post(&client, "/api/assets", json!({ "name": name })).await.0, Status::Created);
    }
    for (file, role, lift) in [("tile_low.obj", "low", 0.0), ("tile_high.obj", "high", 0.2)] {
        let path = format!("/api/assets/2/meshes?file={file}&role={role}");
        let sent = client.post(path).header(host()).header(ContentType::Binary).body(square("tile", lift));
        assert_eq!(answer(sent.dispatch().await).await.0, Status::Ok);
    }
    for asset in [1, 2] {
        small(&client, asset, 64).await;
    }
    client
}

async fn small(client: &Client, asset: i64, size: u32) {
    let (_, view) = get(client, &format!("/api/assets/{asset}")).await;
    let mut recipe = view["recipe"].clone();
    recipe["sheet"]["size"] = json!(size);
    recipe["sheet"]["samples"] = json!(1);
    let body = json!({ "base": view["revision"], "recipe": recipe }).to_string();
    let path = format!("/api/assets/{asset}/recipe");
    let (status, why) =
        answer(client.put(path).header(host()).header(ContentType::JSON).body(body).dispatch().await).await;
    assert_eq!(status, Status::Ok, "{why}");
}

async fn profile(client: &Client, name: &str) -> Value {
    let (_, lines) = get(client, "/api/profiles").await;
    let named = lines.as_array().into_iter().flatten().find(|line| line["profile"]["name"] == name);
    named.expect("it is shipped")["profile"].clone()
}

/// The newest batch once nothing of it is on its way.
async fn settled(client: &Client) -> Value {
    for _ in 0..3000 {
        let (_, batches) = get(client, "/api/batches").await;
        let lines = batches[0]["lines"].as_array().expect("lines");
        let on_its_way = |line: &Value| ["waiting", "baking", "delivering"].iter().any(|s| line["state"] == *s);
        if !lines.iter().any(on_its_way) {
            return batches[0].clone();
        }
        tokio::time::sleep(std::time::Duration::from_millis(20)).await;
    }
    panic!("the batch does not end");
}

fn states(batch: &Value) -> Vec<&str> {
    batch["lines"].as_array().into_iter().flatten().filter_map(|line| line["state"].as_str()).collect()
}

#[rocket::async_test]
async fn chosen_assets_are_baked_and_delivered_and_the_unchanged_left_alone() {
    let data = tempfile::tempdir().expect("a folder");
    let client = three(data.path()).await;
    let order = json!({ "assets": [3, 1, 2], "profile": profile(&client, "separate").await, "only_changed": true });
    let (status, begun) = post(&client, "/api/batches", order.clone()).await;
    assert_eq!((status, &begun["profile"]), (Status::Ok, &json!("separate")), "{begun}");
    let batch = settled(&client).await;
    assert_eq!(states(&batch), ["failed", "done", "done"], "{batch}");
    let why = batch["lines"][0]["fault"].as_str().unwrap_or_default();
    assert!(why.contains("low-poly") && batch["lines"][0]["run"].is_null(), "{batch}");
    // Names that a disk may take for one are told apart.
    for (line, folder) in [(1, "Tile 1"), (2, "tile 2")] {
        let delivery = &batch["lines"][line]["delivery"];
        assert_eq!((&delivery["folder"], &delivery["version"]), (&json!(folder), &json!(1)), "{batch}");
        let contact = delivery["contact"].as_str().expect("a contact sheet");
        assert!(data.path().join("deliveries").join(folder).join(contact).is_file());
    }

    // Nothing has changed: nothing is baked, and nothing is delivered.
    post(&client, "/api/batches", order.clone()).await;
    let again = settled(&client).await;
    assert_eq!(states(&again), ["failed", "unchanged", "unchanged"], "{again}");
    assert_eq!(again["lines"][1]["delivery"], batch["lines"][1]["delivery"]);
    assert_eq!(again["lines"][1]["run"]["id"], batch["lines"][1]["run"]["id"]);
    // A setting of one, and a file of the other's delivery that is gone.
    small(&client, 1, 32).await;
    std::fs::remove_file(data.path().join("deliveries/tile 2/facts.json")).expect("removed");
    post(&client, "/api/batches", order.clone()).await;
    let third = settled(&client).await;
    // What stands in the second's folder is no delivery any more, and is not written over.
    assert_eq!(states(&third), ["failed", "done", "failed"], "{third}");
    assert_eq!(third["lines"][1]["delivery"]["version"], 2, "{third}");
    let why = third["lines"][2]["fault"].as_str().unwrap_or_default();
    assert!(why.contains("something else than a delivery"), "{third}");
    // By another profile the final that stands is delivered; without any nothing is done.
    let packed = json!({ "assets": [1], "profile": profile(&client, "gltf").await, "only_changed": true });
    post(&client, "/api/batches", packed).await;
    let fourth = settled(&client).await;
    assert_eq!((states(&fourth), &fourth["lines"][0]["delivery"]["version"]), (vec!["done"], &json!(3)), "{fourth}");
    assert_eq!(fourth["lines"][0]["run"]["id"], third["lines"][1]["run"]["id"]);
    post(&client, "/api/batches", json!({ "assets": [1, 2, 1], "only_changed": true })).await;
    assert_eq!(states(&settled(&client).await), ["unchanged", "unchanged"]);
    for wrong in [json!({ "assets": [] }), json!({ "assets": [1, 99] })] {
        assert!(post(&client, "/api/batches", wrong).await.0.code >= 400);
    }
}

#[rocket::async_test]
async fn what_a_kill_kept_from_being_delivered_is_delivered_at_the_next_start() {
    let data = tempfile::tempdir().expect("a folder");
    let by;
    {
        let client = three(data.path()).await;
        by = profile(&client, "separate").await;
        assert_eq!(baked(&client, "final").await["status"], "done");
        end(client, data.path()).await;
        // Baked, and killed before it was delivered.
        let store = ember_ridge_store::Store::open(data.path()).await.expect("opens");
        let line = ember_ridge_store::BatchLine {
            asset: 1,
            folder: "Tile".into(),
            run: Some(1),
            ..ember_ridge_store::BatchLine::default()
        };
        store.add_batch(Some(&by), &[line]).await.expect("added");
    }
    let client = client(data.path()).await;
    let batch = settled(&client).await;
    assert_eq!((states(&batch), &batch["lines"][0]["delivery"]["folder"]), (vec!["done"], &json!("Tile")), "{batch}");
    assert!(data.path().join("deliveries/Tile/facts.json").is_file());
}
