//! A region by the API: baked into an earlier run, it holds the new bake there and the earlier picture everywhere else, and says so.

use crate::support::*;
use ember_ridge_formats::image::read_image;
use rocket::http::Status;
use rocket::local::asynchronous::Client;
use serde_json::{Value, json};

const SIZE: u32 = 128;

async fn normals(client: &Client, run: &Value) -> Vec<[u8; 3]> {
    let answer = client.get(format!("/api/runs/{}/maps/normal", run["id"])).header(host()).dispatch().await;
    assert_eq!(answer.status(), Status::Ok);
    let image = read_image("map.png", &answer.into_bytes().await.expect("bytes")).expect("a PNG");
    assert_eq!((image.width, image.height), (SIZE, SIZE));
    let texel = |at: u32| image.texel(at % SIZE, at / SIZE);
    (0..SIZE * SIZE).map(|at| [0, 1, 2].map(|c| (texel(at)[c] * 255.0).round() as u8)).collect()
}

fn order(run: &Value, from: [f32; 2], to: [f32; 2]) -> Value {
    json!({ "kind": "final", "region": { "run": run["id"], "rectangles": [{ "from": from, "to": to }] } })
}

#[rocket::async_test]
async fn a_region_goes_into_the_run_on_screen() {
    let data = tempfile::tempdir().expect("a folder");
    let client = with_square(data.path()).await;
    // With next to no reach, rays miss the slope nearly everywhere.
    revise(&client, |r| {
        r["maps"] = json!([{ "map": "normal" }]);
        r["sheet"] = json!({ "size": SIZE, "samples": 4, "padding": 0, "depth": "8" });
        r["reach"] = json!({ "out": 0.0001, "in": 0.0001 });
    })
    .await;
    let missed = baked(&client, "final").await;
    revise(&client, |r| r["reach"] = json!({ "out": 0.2, "in": 0.2 })).await;
    let (status, run) = post(&client, "/api/assets/1/runs", order(&missed, [0.3, 0.3], [0.45, 0.45])).await;
    assert_eq!(status, Status::Created, "{run}");
    let run = ended(&client, &run["id"]).await;
    assert_eq!(run["status"], "done", "{run}");
    assert_eq!(run["region"], "region of 6 % into run 1");
    assert!(run["changes"].as_array().is_some_and(|told| told.contains(&run["region"])), "{run}");
    let whole = baked(&client, "final").await;
    assert_eq!(whole["region"], Value::Null);
    let (old, new, mixed) =
        (normals(&client, &missed).await, normals(&client, &whole).await, normals(&client, &run).await);
    // One tile of 32 texels a side: the second from the left and the third from the top.
    let mut differ = 0;
    for at in 0..(SIZE * SIZE) as usize {
        let (x, y) = (at as u32 % SIZE / 32, at as u32 / SIZE / 32);
        let expected = if (x, y) == (1, 2) { new[at] } else { old[at] };
        assert_eq!(mixed[at], expected, "tile {x} {y}");
        differ += usize::from(new[at] != old[at]);
    }
    assert!(differ > 10_000, "the two bakes are alike");
    // Baked again it is the same; the report repeats what it is.
    let (_, again) = post(&client, &format!("/api/runs/{}/again", run["id"]), json!({})).await;
    assert_eq!(ended(&client, &again["id"]).await["status"], "done");
    assert!(normals(&client, &again).await == mixed);
    // Its settings come back without the region, and a recipe that names one bakes all of the sheet.
    assert_eq!(post(&client, &format!("/api/runs/{}/restore", run["id"]), json!({})).await.0, Status::Ok);
    assert_eq!(get(&client, "/api/assets/1").await.1["recipe"]["region"], Value::Null);
    revise(&client, |r| r["region"] = json!({ "run": 1, "rectangles": [{ "from": [0, 0], "to": [0.1, 0.1] }] })).await;
    let whole_again = baked(&client, "final").await;
    assert!(whole_again["region"].is_null() && normals(&client, &whole_again).await == new);
    let (_, detail) = get(&client, &format!("/api/runs/{}", run["id"])).await;
    assert_eq!(detail["report"]["recipe"]["region"]["run"], 1);
}

#[rocket::async_test]
async fn what_no_region_fits_is_refused_with_the_reason() {
    let data = tempfile::tempdir().expect("a folder");
    let client = with_square(data.path()).await;
    revise(&client, |r| {
        r["maps"] = json!([{ "map": "normal" }]);
        r["sheet"]["size"] = json!(64);
    })
    .await;
    let run = baked(&client, "proof").await;
    let refused = async |body: Value, says: &str| {
        let (status, told) = post(&client, "/api/assets/1/runs", body).await;
        assert_eq!(status, Status::UnprocessableEntity, "{told}");
        assert!(told["error"].as_str().is_some_and(|error| error.contains(says)), "{told}");
    };
    refused(order(&run, [0.5, 0.5], [0.4, 0.6]), "lower left one first").await;
    refused(json!({ "kind": "final", "region": { "run": run["id"], "rectangles": [] } }), "give 1 to 256").await;
    let mut proof = order(&run, [0.1, 0.1], [0.2, 0.2]);
    proof["kind"] = json!("proof");
    refused(proof, "baked as a final").await;
    // Another low-poly has another sheet.
    assert_eq!(upload(&client, "tile_low.obj", "low", square("tile", 0.05)).await.0, Status::Ok);
    refused(order(&run, [0.1, 0.1], [0.2, 0.2]), "another low-poly").await;
}
