//! A real server on a real data folder, and the few requests that most tests make.

use ember_ridge_core::glam::{vec2, vec3};
use ember_ridge_core::{Draft, DraftPart};
use ember_ridge_formats::mesh::write_obj;
use ember_ridge_server::{Settings, prepare};
use rocket::http::{ContentType, Header, Status};
use rocket::local::asynchronous::{Client, LocalResponse};
use serde_json::{Value, json};
use std::path::Path;

pub async fn client(data: &Path) -> Client {
    served(&settings(data)).await
}

pub fn settings(data: &Path) -> Settings {
    let address = [127, 0, 0, 1].into();
    Settings {
        data: data.to_path_buf(),
        address,
        port: 0,
        samples: false,
        deliveries: None,
        cluster: None,
        memory: 1 << 30,
    }
}

pub async fn served(settings: &Settings) -> Client {
    let ready = prepare(settings).await.expect("the folder can be used");
    Client::untracked(ready.rocket).await.expect("the routes fit together")
}

/// Ends a server and waits until its data folder is free: the worker may still be at what follows a run.
pub async fn end(client: Client, data: &Path) {
    drop(client);
    let lock = std::fs::File::open(data.join("lock")).expect("a folder in use has its lock");
    for _ in 0..3000 {
        if lock.try_lock().is_ok() {
            return;
        }
        tokio::time::sleep(std::time::Duration::from_millis(20)).await;
    }
    panic!("the folder stays in use");
}

/// Starts a run and waits until it is over; the run with its report.
pub async fn baked(client: &Client, kind: &str) -> Value {
    let (status, run) = post(client, "/api/assets/1/runs", json!({ "kind": kind })).await;
    assert_eq!(status, Status::Created, "{run}");
    ended(client, &run["id"]).await
}

/// Waits until a run is over.
pub async fn ended(client: &Client, id: &Value) -> Value {
    for _ in 0..9000 {
        let (_, detail) = get(client, &format!("/api/runs/{id}")).await;
        if detail["run"]["status"] != "waiting" && detail["run"]["status"] != "running" {
            let mut run = detail["run"].clone();
            run["report"] = detail["report"].clone();
            return run;
        }
        tokio::time::sleep(std::time::Duration::from_millis(20)).await;
    }
    panic!("the bake does not end");
}

pub fn host() -> Header<'static> {
    Header::new("Host", "127.0.0.1:4680")
}

pub async fn answer(response: LocalResponse<'_>) -> (Status, Value) {
    let status = response.status();
    let text = response.into_string().await.unwrap_or_default();
    (status, serde_json::from_str(&text).unwrap_or(Value::String(text)))
}

pub async fn get(client: &Client, path: &str) -> (Status, Value) {
    answer(client.get(path.to_owned()).header(host()).dispatch().await).await
}

pub async fn post(client: &Client, path: &str, body: Value) -> (Status, Value) {
    answer(
        client.post(path.to_owned()).header(host()).header(ContentType::JSON).body(body.to_string()).dispatch().await,
    )
    .await
}

pub async fn bytes(client: &Client, path: &str, body: Option<Value>) -> (Status, Vec<u8>) {
    let request = match body {
        Some(body) => client.post(path.to_owned()).header(ContentType::JSON).body(body.to_string()),
        None => client.get(path.to_owned()),
    };
    let response = request.header(host()).dispatch().await;
    (response.status(), response.into_bytes().await.unwrap_or_default())
}

/// The header of what is packed for drawing, and one of its arrays.
pub fn unpack(bytes: &[u8], name: &str) -> (Value, Vec<f32>) {
    let length = u32::from_le_bytes(bytes[..4].try_into().expect("four bytes")) as usize;
    let header: Value = serde_json::from_slice(&bytes[4..4 + length]).expect("JSON");
    let arrays = header["arrays"].as_array().cloned().unwrap_or_default();
    let place = arrays.iter().find(|a| a["name"] == name).cloned().unwrap_or_default();
    let (offset, size) =
        (place["offset"].as_u64().unwrap_or(0) as usize, place["length"].as_u64().unwrap_or(0) as usize);
    let own = &bytes[4 + length + offset..4 + length + offset + size];
    (header, own.chunks_exact(4).map(|b| f32::from_le_bytes(b.try_into().expect("four"))).collect())
}

pub async fn upload(client: &Client, file: &str, role: &str, bytes: Vec<u8>) -> (Status, Value) {
    let path = format!("/api/assets/1/meshes?file={file}&role={role}");
    answer(client.post(path).header(host()).header(ContentType::Binary).body(bytes).dispatch().await).await
}

/// A unit square that rises along +x by `slope`.
pub fn square(name: &str, slope: f32) -> Vec<u8> {
    let corners = [(0.0, 0.0), (0.0, 1.0), (1.0, 1.0), (1.0, 0.0)];
    let draft = Draft {
        positions: corners.iter().map(|&(x, z)| vec3(x, slope * x, z)).collect(),
        uvs: corners.iter().map(|&(x, z)| vec2(x, 1.0 - z)).collect(),
        parts: vec![DraftPart { name: name.into(), indices: vec![0, 1, 2, 0, 2, 3], ..DraftPart::default() }],
        ..Draft::default()
    };
    let mut bytes = Vec::new();
    write_obj(&mut bytes, &draft.finish().expect("whole")).expect("memory");
    bytes
}

/// How many files lie in the blob folder, and in the one for what is on its way in.
pub fn kept_files(data: &Path) -> (usize, usize) {
    fn count(folder: &Path) -> usize {
        let entries = std::fs::read_dir(folder).into_iter().flatten().flatten();
        entries.map(|e| if e.path().is_dir() { count(&e.path()) } else { 1 }).sum()
    }
    (count(&data.join("blobs")), count(&data.join("incoming")))
}

pub async fn with_square(data: &Path) -> Client {
    let client = client(data).await;
    assert_eq!(post(&client, "/api/assets", json!({ "name": "Tile" })).await.0, Status::Created);
    for (file, role, lift) in [("tile_low.obj", "low", 0.0), ("tile_high.obj", "high", 0.1)] {
        let (status, body) = upload(&client, file, role, square("tile", lift)).await;
        assert_eq!(status, Status::Ok, "{body}");
    }
    client
}

pub async fn revise(client: &Client, change: impl FnOnce(&mut Value)) -> (Status, Value) {
    let (_, asset) = get(client, "/api/assets/1").await;
    let mut recipe = asset["recipe"].clone();
    change(&mut recipe);
    let body = json!({ "base": asset["revision"], "recipe": recipe });
    answer(
        client
            .put("/api/assets/1/recipe")
            .header(host())
            .header(ContentType::JSON)
            .body(body.to_string())
            .dispatch()
            .await,
    )
    .await
}
