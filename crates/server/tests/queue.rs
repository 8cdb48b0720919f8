//! The queue: it goes on after a kill, is held and put in order, outlives the program, and proofs go before finals.

use crate::support::*;
use rocket::http::{ContentType, Status};
use rocket::local::asynchronous::Client;
use serde_json::{Value, json};

#[rocket::async_test]
async fn a_run_that_a_kill_cut_off_goes_on_by_itself() {
    let data = tempfile::tempdir().expect("a folder");
    {
        let client = with_square(data.path()).await;
        revise(&client, |r| r["sheet"]["size"] = json!(64)).await;
        // Entered in the ledger, never worked on: as a crash leaves it.
        end(client, data.path()).await;
        let store = ember_ridge_store::Store::open(data.path()).await.expect("opens");
        let recipe = store.asset(1).await.expect("there").recipe;
        store.add_run(1, ember_ridge_store::RunKind::Final, &recipe, &[]).await.expect("added");
    }
    let client = client(data.path()).await;
    assert_eq!(ended(&client, &json!(1)).await["status"], "done");
    let (status, why) = post(&client, "/api/runs/1/resume", json!({})).await;
    assert!(
        status == Status::Conflict && why["error"].as_str().unwrap_or_default().contains("nothing to go on with"),
        "{why}"
    );
    let (status, again) = post(&client, "/api/runs/1/again", json!({})).await;
    assert_eq!(status, Status::Created, "{again}");
    assert_eq!(ended(&client, &again["id"]).await["status"], "done");
    let run = baked(&client, "proof").await;
    assert_eq!(run["status"], "done");
}

/// Ids of the runs in the queue, in order.
async fn queue(client: &Client) -> Vec<Value> {
    let (_, queue) = get(client, "/api/queue").await;
    queue.as_array().into_iter().flatten().map(|queued| queued["run"]["id"].clone()).collect()
}

#[rocket::async_test]
async fn the_queue_is_held_ordered_and_outlives_the_program() {
    let data = tempfile::tempdir().expect("a folder");
    let ids: Vec<Value>;
    {
        let client = with_square(data.path()).await;
        revise(&client, |r| {
            r["sheet"]["size"] = json!(2048);
            r["sheet"]["samples"] = json!(64);
        })
        .await;
        // The first is held at once, so that none is done before it is looked at.
        let bake =
            async |kind: &str| post(&client, "/api/assets/1/runs", json!({ "kind": kind })).await.1["id"].clone();
        let hold = async |id: &Value, held: bool| {
            post(&client, &format!("/api/runs/{id}/hold"), json!({ "held": held })).await
        };
        let mut finals = Vec::new();
        for _ in 0..4 {
            let id = bake("final").await;
            let (status, run) = hold(&id, true).await;
            assert!(status == Status::Ok && run["held"] == true, "{run}");
            finals.push(id);
        }
        // The first may have been begun: it pauses, and waits held before the others.
        let began = std::time::Instant::now();
        while get(&client, "/api/queue")
            .await
            .1
            .as_array()
            .into_iter()
            .flatten()
            .any(|q| q["run"]["status"] != "waiting")
        {
            assert!(began.elapsed().as_secs() < 60, "it does not pause");
        }
        assert_eq!(queue(&client).await, finals);
        let order = json!({ "runs": [finals[2], finals[0], finals[3]] });
        let (status, _) = answer(
            client.put("/api/queue").header(host()).header(ContentType::JSON).body(order.to_string()).dispatch().await,
        )
        .await;
        assert_eq!(status, Status::Ok);
        ids = [2, 1, 0, 3].map(|n| finals[n].clone()).to_vec();
        assert_eq!(queue(&client).await, ids);
        // A proof is worked on although all finals are held.
        revise(&client, |r| r["sheet"]["proof_size"] = json!(64)).await;
        assert_eq!(baked(&client, "proof").await["status"], "done");
        let (status, _) = hold(&json!(999), true).await;
        assert_eq!(status, Status::NotFound);
    }
    let client = client(data.path()).await;
    assert_eq!(queue(&client).await, ids, "as it was");
    let (_, first) = get(&client, "/api/queue").await;
    assert_eq!((&first[0]["asset_name"], &first[0]["run"]["held"]), (&json!("Tile"), &json!(true)));
    for id in &ids {
        post(&client, &format!("/api/runs/{id}/stop"), json!({})).await;
        assert_eq!(ended(&client, id).await["status"], "stopped");
    }
    assert!(queue(&client).await.is_empty());
    // What was stopped waits again when it is let go on, behind what waits.
    let (status, run) = post(&client, &format!("/api/runs/{}/resume", ids[0]), json!({})).await;
    assert!(status == Status::Ok && (run["status"] == "waiting" || run["status"] == "running"), "{run}");
    post(&client, &format!("/api/runs/{}/stop", ids[0]), json!({})).await;
    ended(&client, &ids[0]).await;
    let (status, why) = post(&client, &format!("/api/runs/{}/hold", ids[0]), json!({ "held": true })).await;
    assert!(
        status == Status::Conflict && why["error"].as_str().unwrap_or_default().contains("cannot be held"),
        "{why}"
    );
}

/// A map whose file would have the name of a picture that the asset reads: told before the bake, refused by name after it.
#[rocket::async_test]
async fn a_package_that_would_replace_a_file_of_the_asset_is_refused_by_name() {
    let data = tempfile::tempdir().expect("a folder");
    let client = with_square(data.path()).await;
    let clashes = async || get(&client, "/api/assets/1/preflight").await.1["clashes"].clone();
    assert_eq!(clashes().await, json!([]));
    let mut png = Vec::new();
    ember_ridge_formats::image::write_png(&mut png, 2, 3, &[128, 128, 255].repeat(4)).expect("memory");
    let named = |file: &str| format!("/api/assets/1/pictures?file={file}&used_as=normal-map");
    let send =
        async |file: &str| answer(client.post(named(file)).header(host()).body(png.clone()).dispatch().await).await;
    assert_eq!(send("Tile_Low_Normal.png").await.0, Status::Ok);
    revise(&client, |r| r["sheet"]["size"] = json!(64)).await;
    assert_eq!(clashes().await, json!(["tile_low_normal.png"]), "letters count alike in either case");
    let run = baked(&client, "final").await;
    assert_eq!(run["status"], "done", "{run}");
    let (status, why) = get(&client, &format!("/api/runs/{}/package", run["id"])).await;
    let said = why["error"].as_str().unwrap_or_default();
    assert_eq!(status, Status::UnprocessableEntity);
    assert!(said.starts_with("tile_low_normal.png: ") && said.contains("under another name"), "{said}");
    // Under another name it is read, and the package goes out.
    assert_eq!(send("carved.png").await.0, Status::Ok);
    assert_eq!(clashes().await, json!([]));
    let run = baked(&client, "final").await;
    let package = client.get(format!("/api/runs/{}/package", run["id"])).header(host()).dispatch().await;
    assert_eq!(package.status(), Status::Ok);
}

/// A final makes room for a proof and goes on from its tiles; its bytes are those of one that was left alone.
#[rocket::async_test]
async fn a_proof_goes_before_a_final_that_is_worked_on() {
    let data = tempfile::tempdir().expect("a folder");
    let client = with_square(data.path()).await;
    revise(&client, |r| {
        r["maps"] = json!([{ "map": "normal" }, { "map": "ao", "rays": 256 }]);
        r["sheet"]["size"] = json!(512);
        r["sheet"]["samples"] = json!(16);
        r["sheet"]["proof_size"] = json!(64);
    })
    .await;
    let (_, whole) = post(&client, "/api/assets/1/runs", json!({ "kind": "final" })).await;
    let (_, proof) = post(&client, "/api/assets/1/runs", json!({ "kind": "proof" })).await;
    assert_eq!(ended(&client, &proof["id"]).await["status"], "done");
    let (_, run) = get(&client, &format!("/api/runs/{}", whole["id"])).await;
    assert!(run["run"]["status"] == "waiting" || run["run"]["status"] == "running", "{}", run["run"]);
    assert_eq!(ended(&client, &whole["id"]).await["status"], "done");
    let alone = baked(&client, "final").await;
    let map = async |id: &Value, map: &str| {
        let answer = client.get(format!("/api/runs/{id}/maps/{map}")).header(host()).dispatch().await;
        answer.into_bytes().await.expect("bytes")
    };
    for name in ["normal", "ao"] {
        assert!(map(&whole["id"], name).await == map(&alone["id"], name).await, "{name}");
    }
}
