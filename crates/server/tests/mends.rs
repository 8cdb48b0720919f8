//! Mends by the API: drawn onto a run while they are made, and for good by the next bake, to the same values.

use crate::support::*;
use ember_ridge_formats::image::read_image;
use rocket::http::{ContentType, Status};
use rocket::local::asynchronous::Client;
use serde_json::{Value, json};

const SIZE: u32 = 64;

async fn picture(client: &Client, address: &str, body: Option<&Value>) -> Vec<[u8; 3]> {
    let request = match body {
        Some(body) => client.post(address.to_owned()).header(ContentType::JSON).body(body.to_string()),
        None => client.get(address.to_owned()),
    };
    let answer = request.header(host()).dispatch().await;
    assert_eq!(answer.status(), Status::Ok, "{address}");
    let image = read_image("map.png", &answer.into_bytes().await.expect("bytes")).expect("a PNG");
    assert_eq!((image.width, image.height), (SIZE, SIZE));
    let texel = |at: u32| image.texel(at % SIZE, at / SIZE);
    (0..SIZE * SIZE).map(|at| [0, 1, 2].map(|c| (texel(at)[c] * 255.0).round() as u8)).collect()
}

#[rocket::async_test]
async fn what_is_drawn_at_once_is_what_the_next_bake_holds() {
    let data = tempfile::tempdir().expect("a folder");
    let client = with_square(data.path()).await;
    revise(&client, |r| {
        r["maps"] = json!([{ "map": "normal" }, { "map": "ao" }]);
        r["sheet"]["size"] = json!(SIZE);
        r["sheet"]["samples"] = json!(4);
    })
    .await;
    let first = baked(&client, "final").await;
    let at = |run: &Value, rest: &str| format!("/api/runs/{}/{rest}", run["id"]);
    let stroke = |x: f32, maps: Value| {
        json!({ "tool": "set", "maps": maps, "size": 0.15, "strength": 1.0, "value": 0.25,
            "path": [[x, 0.1 * x, 0.4, 1.0], [x, 0.1 * x, 0.6, 1.0]] })
    };
    let (_, told) = post(&client, &at(&first, "beneath"), stroke(0.3, json!(["normal", "ao"]))).await;
    let strokes = [told["mend"].clone(), stroke(0.7, json!(["ao"]))];
    // One after the other, as a hand makes them: the second finds the first drawn already.
    let mut live = Vec::new();
    for count in 1..=strokes.len() {
        let mends = json!({ "strokes": strokes[..count] });
        live = picture(&client, &at(&first, "mended/ao"), Some(&mends)).await;
    }
    let before = picture(&client, &at(&first, "maps/ao"), None).await;
    let middle = |x: f32| (0.5 * SIZE as f32) as usize * SIZE as usize + (x * SIZE as f32) as usize;
    for x in [0.3, 0.7] {
        assert!(before[middle(x)][0] > 240 && live[middle(x)] == [64; 3], "{:?}", live[middle(x)]);
    }
    let all = json!({ "strokes": strokes });
    let live_normal = picture(&client, &at(&first, "mended/normal"), Some(&all)).await;
    // Nearly all of the way: the texel lies a little beside the path.
    assert!(live_normal[middle(0.3)].into_iter().zip([128, 128, 255]).all(|(a, b)| a.abs_diff(b) <= 1));
    revise(&client, |r| r["mends"] = all.clone()).await;
    let second = baked(&client, "final").await;
    assert_eq!(second["changes"], json!(["2 mends made"]));
    assert_eq!(second["report"]["maps"]["ao"]["mends"], 2);
    assert_eq!(second["report"]["maps"]["normal"]["mends"], 1);
    assert!(picture(&client, &at(&second, "maps/ao"), None).await == live);
    assert!(picture(&client, &at(&second, "maps/normal"), None).await == live_normal);
    // What lies beneath is kept with the run: hidden mends show it, and other ones are drawn onto it.
    let hidden = json!({ "hidden": true, "strokes": strokes });
    assert!(picture(&client, &at(&second, "mended/ao"), Some(&hidden)).await == before);
    let other = json!({ "strokes": [strokes[1]] });
    let alone = picture(&client, &at(&first, "mended/ao"), Some(&other)).await;
    assert!(picture(&client, &at(&second, "mended/ao"), Some(&other)).await == alone);
    assert_eq!(alone[middle(0.3)], before[middle(0.3)]);
    // Hidden, they are left out of what is delivered.
    revise(&client, |r| r["mends"] = hidden.clone()).await;
    let third = baked(&client, "final").await;
    assert_eq!(third["changes"], json!(["mends hidden"]));
    assert!(picture(&client, &at(&third, "maps/ao"), None).await == before);
}
