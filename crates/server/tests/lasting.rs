//! Nothing is lost: edits from several places, uploads at once, numbers that are never used again, one program a folder, blobs that
//! changed on the disk, rows that cannot be read, and room taken back.

use crate::support::*;
use ember_ridge_server::prepare;
use ember_ridge_store::Store;
use rocket::http::{ContentType, Header, Status};
use rocket::local::asynchronous::Client;
use serde_json::{Value, json};
use std::path::Path;

async fn patch(client: &Client, base: &Value, changes: Value) -> (Status, Value) {
    let tag = Header::new("If-Match", format!("\"{base}\""));
    let request = client.patch("/api/assets/1/recipe").header(host()).header(tag).header(ContentType::JSON);
    answer(request.body(changes.to_string()).dispatch().await).await
}

async fn asset(client: &Client) -> Value {
    get(client, "/api/assets/1").await.1
}

async fn delete(client: &Client, path: &str) -> (Status, Value) {
    answer(client.delete(path.to_owned()).header(host()).dispatch().await).await
}

#[rocket::async_test]
async fn edits_are_small_and_say_what_they_were_made_to() {
    let data = tempfile::tempdir().expect("a folder");
    let client = with_square(data.path()).await;
    let shown = client.get("/api/assets/1").header(host()).dispatch().await;
    let tag = shown.headers().get_one("ETag").expect("it tells its revision").to_owned();
    assert_eq!(tag, "\"2\"", "two files came in");
    let (status, after) = patch(&client, &json!(2), json!([{ "at": ["sheet", "size"], "to": 256 }])).await;
    assert_eq!((status, &after["revision"], &after["recipe"]["sheet"]["size"]), (Status::Ok, &json!(3), &json!(256)));
    // Made to an older one, elsewhere: merges. In the same place: both values.
    let (status, after) = patch(&client, &json!(2), json!([{ "at": ["maps", "ao", "rays"], "to": 16 }])).await;
    assert_eq!((status, &after["recipe"]["sheet"]["size"]), (Status::Ok, &json!(256)));
    let (status, problem) = patch(&client, &json!(2), json!([{ "at": ["sheet", "size"], "to": 512 }])).await;
    assert_eq!(status, Status::Conflict);
    assert_eq!((&problem["conflicts"][0]["mine"], &problem["conflicts"][0]["theirs"]), (&json!(512), &json!(256)));
    // What is no edit, and one that does not say what it was made to.
    for (base, changes, status) in [
        (json!(4), json!([{ "at": ["sheet", "size"], "to": 3 }]), Status::UnprocessableEntity),
        (json!(4), json!([{ "att": ["sheet", "size"], "to": 64 }]), Status::UnprocessableEntity),
        (json!(77), json!([{ "at": ["sheet", "size"], "to": 64 }]), Status::Conflict),
        (json!("x"), json!([{ "at": ["sheet", "size"], "to": 64 }]), Status::PreconditionRequired),
    ] {
        let (found, problem) = patch(&client, &base, changes).await;
        assert!(found == status && problem["error"].is_string(), "{found}: {problem}");
    }
    // Of a revision that nobody has any more every place is asked about.
    let (_, problem) = patch(&client, &json!(77), json!([{ "at": ["maps", "ao", "rays"], "to": 64 }])).await;
    let asked = json!([{ "at": ["maps", "ao", "rays"], "words": "Occlusion: rays", "mine": 64, "theirs": 16 }]);
    assert_eq!(problem["conflicts"], asked);
    let request = client.patch("/api/assets/1/recipe").header(host()).header(ContentType::JSON).body("[");
    assert_eq!(answer(request.dispatch().await).await.0, Status::PreconditionRequired);
    let tag = Header::new("If-Match", "\"4\"");
    let request = client.patch("/api/assets/1/recipe").header(host()).header(tag).header(ContentType::JSON).body("[");
    assert_eq!(answer(request.dispatch().await).await.0, Status::BadRequest);
}

/// A reads a revision; it is undone and another takes its place; A's edit of what it read is not taken for an edit of the new one.
#[rocket::async_test]
async fn a_revisions_number_is_never_used_again() {
    let data = tempfile::tempdir().expect("a folder");
    let client = with_square(data.path()).await;
    let (_, read) = patch(&client, &json!(2), json!([{ "at": ["sheet", "size"], "to": 256 }])).await;
    assert_eq!(read["revision"], 3);
    let (_, back) = post(&client, "/api/assets/1/undo", json!({})).await;
    assert_eq!((&back["revision"], &back["recipe"]["sheet"]["size"]), (&json!(2), &json!(1024)));
    let (_, new) = patch(&client, &json!(2), json!([{ "at": ["sheet", "size"], "to": 512 }])).await;
    assert_eq!((&new["revision"], &new["redo"]), (&json!(4), &Value::Null));
    let (status, problem) = patch(&client, &json!(3), json!([{ "at": ["sheet", "size"], "to": 128 }])).await;
    assert_eq!((status, &problem["conflicts"][0]["theirs"]), (Status::Conflict, &json!(512)));
    assert_eq!(asset(&client).await["recipe"]["sheet"]["size"], 512, "B's change is there");
    // Undo goes back the way it came, redo forth again.
    let (_, back) = post(&client, "/api/assets/1/undo", json!({})).await;
    assert_eq!(back["revision"], 2);
    let (_, forth) = post(&client, "/api/assets/1/redo", json!({})).await;
    assert_eq!((&forth["revision"], &forth["recipe"]["sheet"]["size"]), (&json!(4), &json!(512)));
}

#[rocket::async_test]
async fn two_hundred_files_at_once_all_arrive() {
    let data = tempfile::tempdir().expect("a folder");
    let client = with_square(data.path()).await;
    const FILES: usize = 200;
    let uploads = (0..FILES).map(|i| {
        let name = format!("piece_{i}");
        let bytes = square(&name, i as f32 * 0.001);
        let client = &client;
        async move { upload(client, &format!("{name}.obj"), "high", bytes).await }
    });
    let all = rocket::futures::future::join_all(uploads).await;
    for (status, body) in &all {
        assert_eq!(*status, Status::Ok, "{body}");
    }
    let asset = asset(&client).await;
    assert_eq!(asset["recipe"]["high"].as_array().map(Vec::len), Some(FILES + 1));
    assert_eq!(kept_files(data.path()), (FILES + 2, 0), "each file's blob, and nothing on its way");
}

#[rocket::async_test]
async fn a_folder_belongs_to_one_program() {
    let data = tempfile::tempdir().expect("a folder");
    let client = with_square(data.path()).await;
    revise(&client, |r| r["sheet"]["size"] = json!(4096)).await;
    let (_, run) = post(&client, "/api/assets/1/runs", json!({ "kind": "final" })).await;
    std::fs::write(data.path().join("incoming/on-its-way"), "half a file").expect("written");
    let second = prepare(&settings(data.path())).await.err().expect("it is held").to_string();
    assert!(second.contains(&format!("process {}", std::process::id())) && second.contains("--data"), "{second}");
    assert!(data.path().join("incoming/on-its-way").is_file(), "nothing is touched");
    let (_, now) = get(&client, &format!("/api/runs/{}", run["id"])).await;
    assert!(now["run"]["status"] != "interrupted", "{now}");
    post(&client, &format!("/api/runs/{}/stop", run["id"]), json!({})).await;
    ended(&client, &run["id"]).await;
}

/// The blob files of a data folder that hold these bytes.
fn blob_of(data: &Path, bytes: &[u8]) -> std::path::PathBuf {
    let hash = blake3::hash(bytes).to_hex().to_string();
    data.join("blobs").join(&hash[..2]).join(&hash[2..])
}

#[rocket::async_test]
async fn what_changed_on_the_disk_is_told_and_never_served() {
    let data = tempfile::tempdir().expect("a folder");
    let mesh = square("tile", 0.1);
    {
        let client = with_square(data.path()).await;
        revise(&client, |r| r["sheet"]["size"] = json!(64)).await;
        assert_eq!(baked(&client, "final").await["status"], "done");
        // An emptied map is an error, in a picture as in the zip.
        let png =
            client.get("/api/runs/1/maps/normal").header(host()).dispatch().await.into_bytes().await.expect("bytes");
        std::fs::write(blob_of(data.path(), &png), b"").expect("written");
        for path in ["/api/runs/1/maps/normal", "/api/runs/1/package", "/api/runs/1/texel?x=1&y=1"] {
            let (status, problem) = get(&client, path).await;
            assert_eq!(status, Status::InternalServerError, "{path}");
            assert!(
                problem["error"].as_str().is_some_and(|e| e.contains("not those that were stored")),
                "{path}: {problem}"
            );
        }
    }
    // An altered mesh is not baked as if nothing were.
    let altered = String::from_utf8(mesh.clone()).expect("text").replace("v 1 0.1 0", "v 1 0.2 0").into_bytes();
    assert_ne!(altered, mesh);
    std::fs::write(blob_of(data.path(), &mesh), altered).expect("written");
    let client = client(data.path()).await;
    let run = baked(&client, "final").await;
    assert_eq!(run["status"], "failed", "{run}");
    assert!(run["error"].as_str().is_some_and(|e| e.contains("not those that were stored")), "{run}");
}

#[rocket::async_test]
async fn files_that_are_not_here_are_refused_before_anything_is_kept() {
    let data = tempfile::tempdir().expect("a folder");
    let client = with_square(data.path()).await;
    let absent = "ab".repeat(32);
    let before = asset(&client).await["revision"].clone();
    let normal_map = |hash: &Value| json!({ "file": "n.png", "hash": hash });
    for hash in [json!(absent), Value::Null] {
        for change in [
            json!({ "at": ["cage"], "to": { "file": "c.obj", "hash": hash } }),
            json!({ "at": ["normal_map"], "to": normal_map(&hash) }),
            json!({ "at": ["low", "other.obj"], "to": { "file": "other.obj", "hash": hash } }),
            json!({ "at": ["maps", "color"], "to": { "map": "color", "picture": { "file": "p.png", "hash": hash } } }),
        ] {
            let (status, problem) = patch(&client, &before, json!([change])).await;
            assert_eq!(status, Status::UnprocessableEntity, "{change}");
            assert!(problem["error"].as_str().is_some_and(|e| e.contains("not here")), "{problem}");
        }
    }
    for (at, to) in [
        (json!(["asset"]), json!("x".repeat(1 << 20))),
        (json!(["low", "tile_low.obj", "file"]), json!("y".repeat(1 << 20))),
        (json!(["low", "tile_low.obj", "file"]), json!(" ")),
    ] {
        assert_eq!(patch(&client, &before, json!([{ "at": at, "to": to }])).await.0, Status::UnprocessableEntity);
    }
    assert_eq!(asset(&client).await["revision"], before);
}

#[rocket::async_test]
async fn what_is_deleted_gives_its_room_back() {
    let data = tempfile::tempdir().expect("a folder");
    let client = with_square(data.path()).await;
    revise(&client, |r| r["sheet"]["size"] = json!(64)).await;
    let meshes = kept_files(data.path()).0;
    let first = baked(&client, "final").await;
    let files = kept_files(data.path()).0;
    // The same bake again keeps the same bytes once.
    let second = baked(&client, "final").await;
    assert_eq!(kept_files(data.path()).0, files);
    let frees = |id: &Value| format!("/api/runs/{id}/frees");
    assert_eq!(get(&client, &frees(&first["id"])).await.1, json!({ "bytes": 0 }), "another run names them too");
    assert_eq!(delete(&client, &format!("/api/runs/{}", first["id"])).await, (Status::Ok, json!({ "bytes": 0 })));
    let would = get(&client, &frees(&second["id"])).await.1;
    assert!(would["bytes"].as_u64().is_some_and(|b| b > 1000), "{would}");
    assert_eq!(delete(&client, &format!("/api/runs/{}", second["id"])).await, (Status::Ok, would));
    assert_eq!(kept_files(data.path()).0, meshes);
    assert_eq!(get(&client, "/api/runs/2").await.0, Status::NotFound);
    // Numbers of what is gone are not given again.
    let third = baked(&client, "final").await;
    assert_eq!((&third["id"], &third["number"]), (&json!(3), &json!(3)));
    let whole = get(&client, "/api/assets/1/frees").await.1;
    assert_eq!(delete(&client, "/api/assets/1").await, (Status::Ok, whole));
    assert_eq!(kept_files(data.path()), (0, 0));
    assert_eq!(post(&client, "/api/assets", json!({ "name": "Next" })).await.1["id"], 2);
}

#[rocket::async_test]
async fn proofs_age_out_and_finals_stay() {
    let data = tempfile::tempdir().expect("a folder");
    let client = with_square(data.path()).await;
    let recipe: ember_ridge_core::Recipe =
        serde_json::from_value(asset(&client).await["recipe"].clone()).expect("a recipe");
    end(client, data.path()).await;
    let store = Store::open(data.path()).await.expect("opens");
    use ember_ridge_store::{MOST_PROOFS, RunKind, RunStatus};
    store.add_run(1, RunKind::Final, &recipe, &[]).await.expect("added");
    for _ in 0..MOST_PROOFS + 20 {
        store.add_run(1, RunKind::Proof, &recipe, &[]).await.expect("added");
    }
    assert_eq!(store.age_proofs(1 << 40).await.expect("works"), 0, "what waits stays");
    for run in store.open_runs(1).await.expect("works") {
        store.set_run_status(run.id, RunStatus::Stopped, None).await.expect("works");
    }
    assert_eq!(store.age_proofs(1 << 40).await.expect("works"), 20);
    let kept = store.runs(1, None, 1000, &ember_ridge_store::RunFilter::default()).await.expect("works");
    assert_eq!(kept.len() as i64, MOST_PROOFS + 1);
    assert!(kept.iter().any(|r| r.kind == RunKind::Final && r.number == 1));
    assert!(kept.iter().filter(|r| r.kind == RunKind::Proof).all(|r| r.number > 21), "the oldest went");
}

/// An asset of 5,000 runs, some of whose rows hold nonsense, opens as one of few does, and is read page by page.
#[rocket::async_test]
async fn thousands_of_runs_are_read_by_the_page() {
    let data = tempfile::tempdir().expect("a folder");
    let client = with_square(data.path()).await;
    revise(&client, |r| r["sheet"]["size"] = json!(64)).await;
    baked(&client, "final").await;
    end(client, data.path()).await;
    let options = sqlx::sqlite::SqliteConnectOptions::new().filename(data.path().join("ember-ridge.sqlite"));
    let pool = sqlx::SqlitePool::connect_with(options).await.expect("opens");
    // Each a copy of the one that was baked, report and all; every hundredth cannot be read.
    let copies = "WITH RECURSIVE n(i) AS (SELECT 2 UNION ALL SELECT i + 1 FROM n WHERE i < 5000)
        INSERT INTO runs (id, asset, number, kind, status, recipe, created, report, size, samples, maps, bytes)
        SELECT i, 1, i, kind, CASE WHEN i % 100 = 0 THEN 'melted' ELSE status END,
            CASE WHEN i % 50 = 0 THEN '{' ELSE recipe END, created, CASE WHEN i % 50 = 0 THEN '}' ELSE report END, size, samples, maps, bytes
        FROM n, runs WHERE runs.id = 1";
    sqlx::query(copies).execute(&pool).await.expect("runs");
    pool.close().await;
    let client = crate::support::client(data.path()).await;
    let began = std::time::Instant::now();
    let asset = asset(&client).await;
    println!("5000 runs: {:?} to open, {} bytes", began.elapsed(), asset.to_string().len());
    let numbers = |runs: &Value| -> Vec<i64> {
        runs.as_array().into_iter().flatten().filter_map(|r| r["number"].as_i64()).collect()
    };
    let first = numbers(&asset["runs"]);
    assert_eq!((first.len(), first[0], asset["run_count"].as_i64()), (50, 5000, Some(5000)));
    assert!(asset["runs"][0]["error"].as_str().is_some_and(|e| e.contains("'melted'")), "{}", asset["runs"][0]);
    assert!(asset["runs"][0]["report"].is_null() && asset.to_string().len() < 100_000);
    let mut seen = first;
    while let Some(last) = seen.last().copied() {
        let (_, page) = get(&client, &format!("/api/assets/1/runs?before={last}&limit=500")).await;
        seen.extend(numbers(&page["runs"]));
        if page["more"] == false {
            break;
        }
    }
    assert_eq!(seen.len(), 5000);
    assert!(seen.windows(2).all(|w| w[0] > w[1]));
    // One whose recipe cannot be read says so, and the rest is as it was.
    assert_eq!(get(&client, "/api/runs/4950").await.0, Status::InternalServerError);
    assert_eq!(get(&client, "/api/runs/4949").await.0, Status::Ok);
}

#[rocket::async_test]
async fn pictures_lie_under_their_content_and_a_known_one_is_not_sent_again() {
    let data = tempfile::tempdir().expect("a folder");
    let client = with_square(data.path()).await;
    revise(&client, |r| r["sheet"]["size"] = json!(64)).await;
    baked(&client, "final").await;
    let (_, detail) = get(&client, "/api/runs/1").await;
    let picture =
        detail["pictures"].as_array().and_then(|p| p.iter().find(|p| p["map"] == "normal")).expect("listed").clone();
    let path = format!("/api/pictures/{}", picture["hash"].as_str().expect("a hash"));
    let sent = client.get(path.clone()).header(host()).dispatch().await;
    assert_eq!(sent.headers().get_one("Cache-Control"), Some("private, max-age=31536000, immutable"));
    let tag = sent.headers().get_one("ETag").expect("a tag").to_owned();
    let bytes = sent.into_bytes().await.expect("bytes");
    assert_eq!(blake3::hash(&bytes).to_hex().as_str(), picture["hash"]);
    let again =
        client.get("/api/runs/1/maps/normal").header(host()).header(Header::new("If-None-Match", tag)).dispatch().await;
    assert_eq!((again.status(), again.into_bytes().await), (Status::NotModified, None));
    // A mesh is no picture, and neither is nonsense.
    let mesh = blake3::hash(&square("tile", 0.1)).to_hex().to_string();
    for hash in [mesh.as_str(), "..%2F..%2Fetc%2Fpasswd", "ab"] {
        assert_eq!(get(&client, &format!("/api/pictures/{hash}")).await.0, Status::NotFound);
    }
    let (_, asset) = get(&client, "/api/assets/1").await;
    assert!(asset["runs"][0]["small"]["normal"].is_string());
}

/// What a texel of a large map holds is read from its rows, not from the whole picture.
#[rocket::async_test]
async fn a_texel_of_a_large_sheet_is_told() {
    let data = tempfile::tempdir().expect("a folder");
    let client = with_square(data.path()).await;
    let set = |r: &mut Value| {
        r["sheet"] = json!({ "size": 8192, "samples": 1, "depth": "16", "padding": 0 });
        r["maps"] = json!([{ "map": "normal" }]);
        r["reach"] = json!({ "out": 0.2, "in": 0.2 });
    };
    let (status, body) = revise(&client, set).await;
    assert_eq!(status, Status::Ok, "{body}");
    let run = baked(&client, "final").await;
    assert_eq!(run["status"], "done", "{run}");
    let (status, texel) = get(&client, "/api/runs/1/texel?x=4500&y=6000").await;
    assert_eq!((status, &texel["maps"][0]["words"]), (Status::Ok, &json!("-0.10, 0.00, 1.00")));
    let (_, about) = get(&client, "/api/about").await;
    assert!(about["memory_held"].as_u64().is_some_and(|held| held < 64 << 20), "{about}");
    // Looks are as small as the eye needs, whatever size is asked for.
    let mut draft = get(&client, "/api/assets/1").await.1["recipe"].clone();
    draft["sheet"]["proof_size"] = json!(16384);
    let request = client.post("/api/assets/1/look?map=normal").header(host()).header(ContentType::JSON);
    let look = request.body(draft.to_string()).dispatch().await.into_bytes().await.expect("bytes");
    assert_eq!(ember_ridge_formats::image::read_image("look.png", &look).expect("a PNG").width, 1024);
}

/// What is held between requests keeps within the budget, and what was let go of is made again when it is asked for.
#[rocket::async_test]
async fn memory_keeps_within_its_budget() {
    let data = tempfile::tempdir().expect("a folder");
    let client = served(&ember_ridge_server::Settings { memory: 64 << 20, ..settings(data.path()) }).await;
    post(&client, "/api/assets", json!({ "name": "Tile" })).await;
    upload(&client, "tile_low.obj", "low", square("tile", 0.0)).await;
    let mut most = 0;
    for i in 0..12 {
        let high = grid(&format!("tile_{i}"), 220, i as f32 * 0.01);
        let path = "/api/assets/1/meshes?file=tile_high.obj&role=high";
        let (status, body) = answer(client.post(path).header(host()).body(high).dispatch().await).await;
        assert_eq!(status, Status::Ok, "{body}");
        let (status, _) = answer(client.get("/api/assets/1/display/high").header(host()).dispatch().await).await;
        assert_eq!(status, Status::Ok);
        revise(&client, |r| r["sheet"] = json!({ "size": 512, "samples": 1 })).await;
        assert_eq!(baked(&client, "proof").await["status"], "done");
        let (_, about) = get(&client, "/api/about").await;
        most = most.max(about["memory_held"].as_u64().expect("a number"));
        println!("{about}");
    }
    assert!(most > 8 << 20 && most <= 64 << 20, "{most}");

    let large = vec![b'#'; 33 << 20];
    let path = "/api/assets/1/meshes?file=large.obj&role=high";
    let (status, body) = answer(client.post(path).header(host()).body(large).dispatch().await).await;
    assert_eq!(status, Status::PayloadTooLarge, "{body}");
    let text = body["error"].as_str().expect("words");
    assert!(text.contains("large.obj: 33 MiB") && text.contains("this server has 64 MiB"), "{text}");
}

/// `n` x `n` cells over the unit square.
fn grid(name: &str, n: usize, slope: f32) -> Vec<u8> {
    use std::fmt::Write;
    let mut text = format!("o {name}\n");
    for j in 0..=n {
        for i in 0..=n {
            let (x, z) = (i as f32 / n as f32, j as f32 / n as f32);
            writeln!(text, "v {x} {} {z}", slope * x).expect("memory");
        }
    }
    for j in 0..n {
        for i in 0..n {
            let a = j * (n + 1) + i + 1;
            writeln!(text, "f {a} {} {} {}", a + n + 1, a + n + 2, a + 1).expect("memory");
        }
    }
    text.into_bytes()
}

#[rocket::async_test]
async fn finals_keep_their_hits_within_what_the_user_allows() {
    let data = tempfile::tempdir().expect("a folder");
    let client = with_square(data.path()).await;
    revise(&client, |r| r["sheet"]["size"] = json!(64)).await;
    let first = baked(&client, "final").await;
    assert_eq!(first["report"]["kept_rays"], 0);
    let (_, hits) = get(&client, "/api/hits").await;
    assert!(hits["held"].as_u64().is_some_and(|held| held > 0), "{hits}");
    assert_eq!(hits["most"], json!(4_000_000_000u64));
    // Another setting of a map: all rays are there, on a server that has just been started too.
    let rays = first["report"]["rays"].as_u64().expect("a number");
    revise(&client, |r| r["maps"][0]["y"] = json!("-")).await;
    end(client, data.path()).await;
    let client = crate::support::client(data.path()).await;
    let second = baked(&client, "final").await;
    let kept = second["report"]["kept_rays"].as_u64().expect("a number");
    assert!(kept > 0 && second["report"]["rays"].as_u64() == Some(rays - kept), "{kept} of {rays}");
    // No room: they go, and the next run casts its rays. The setting outlives the server.
    let set = |most: &str| client.put("/api/hits").header(host()).body(format!("{{ \"most\": {most} }}"));
    let (status, hits) = answer(set("0").dispatch().await).await;
    assert_eq!((status, hits), (Status::Ok, json!({ "held": 0, "most": 0 })));
    for nonsense in ["-1", "x", "99999999999999999999", "9007199254740993"] {
        let (status, problem) = answer(set(nonsense).dispatch().await).await;
        assert!(status.code >= 400 && problem["error"].is_string(), "{nonsense}: {status}");
    }
    end(client, data.path()).await;
    let client = crate::support::client(data.path()).await;
    assert_eq!(get(&client, "/api/hits").await.1["most"], 0);
    revise(&client, |r| r["maps"][0]["y"] = json!("+")).await;
    assert_eq!(baked(&client, "final").await["report"]["kept_rays"], 0);
}
