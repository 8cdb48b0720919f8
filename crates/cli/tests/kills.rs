//! The server as a program that is killed, doubled and left without room: whatever the moment, the next start finds everything whole.

mod support;

use serde_json::{Value, json};
use std::io::Write;
use std::path::Path;
use std::process::{Command, Output};
use std::time::{Duration, Instant};
use support::disk::SmallDisk;
use support::server::{PATIENCE, SLOPED, Server, free_port, serving, with_lid};

fn files_in(folder: &Path) -> Vec<std::path::PathBuf> {
    let entries = std::fs::read_dir(folder).into_iter().flatten().flatten();
    entries.flat_map(|e| if e.path().is_dir() { files_in(&e.path()) } else { vec![e.path()] }).collect()
}

/// The database is sound, every file it names is there and whole, nothing is half-done and nothing temporary is left.
fn check_whole(data: &Path, moment: &str) {
    let runtime = tokio::runtime::Builder::new_current_thread().enable_all().build().expect("a runtime");
    runtime.block_on(async {
        use sqlx::Row;
        let options = sqlx::sqlite::SqliteConnectOptions::new().filename(data.join("ember-ridge.sqlite"));
        let pool = sqlx::SqlitePool::connect_with(options).await.expect("opens");
        let sound: String = sqlx::query("PRAGMA integrity_check").fetch_one(&pool).await.expect("answers").get(0);
        assert_eq!(sound, "ok", "{moment}");
        let fouls = sqlx::query("PRAGMA foreign_key_check").fetch_all(&pool).await.expect("answers").len();
        assert_eq!(fouls, 0, "{moment}");
        let open: i64 = sqlx::query("SELECT count(*) FROM runs WHERE status IN ('waiting', 'running')")
            .fetch_one(&pool)
            .await
            .expect("answers")
            .get(0);
        assert_eq!(open, 0, "{moment}: no run hangs");
        for row in sqlx::query("SELECT DISTINCT hash FROM run_files").fetch_all(&pool).await.expect("answers") {
            let hash: String = row.get(0);
            assert!(data.join("blobs").join(&hash[..2]).join(&hash[2..]).is_file(), "{moment}: {hash} is missing");
        }
        pool.close().await;
    });
    for file in files_in(&data.join("blobs")) {
        let parent = file.parent().and_then(Path::file_name).expect("a shelf").to_string_lossy().into_owned();
        let name = format!("{parent}{}", file.file_name().expect("a name").to_string_lossy());
        let bytes = std::fs::read(&file).expect("readable");
        assert_eq!(blake3::hash(&bytes).to_hex().as_str(), name, "{moment}: a blob is what its name says");
    }
    assert_eq!(
        files_in(&data.join("incoming")),
        Vec::<std::path::PathBuf>::new(),
        "{moment}: nothing temporary is left"
    );
    assert_eq!(files_in(&data.join("runs")), Vec::<std::path::PathBuf>::new(), "{moment}: no tiles of finished runs");
}

#[test]
fn killed_at_ten_moments_nothing_is_lost_and_the_bytes_are_the_same() {
    let folder = tempfile::tempdir().expect("a folder");
    let data = folder.path();
    let server = with_lid(data);
    let expected = server.final_map();
    assert!(expected.len() > 1000);
    server.kill();
    type Act = fn(&Server);
    let moments: [(&str, Act); 10] = [
        ("half an upload sent", |s| {
            let mut stream = s.open("POST", "/api/assets/1/meshes?file=more_high.obj&role=high", SLOPED.len() * 2, "");
            stream.write_all(SLOPED.as_bytes()).expect("it reads");
            std::thread::sleep(Duration::from_millis(20));
        }),
        ("an upload sent, not answered", |s| {
            let text = format!("# {}\n{SLOPED}", "x".repeat(4_000_000));
            let mut stream = s.open("POST", "/api/assets/1/meshes?file=lid_high.obj&role=high", text.len(), "");
            stream.write_all(text.as_bytes()).expect("it reads");
        }),
        ("a proof asked for", |s| {
            s.bake("proof");
        }),
        ("a proof running", |s| {
            s.edit(&["sheet", "proof_size"], json!(2048));
            s.edit(&["sheet", "size"], json!(2048));
            let id = s.bake("proof");
            s.wait(&id, |r| r["status"] != "waiting");
        }),
        ("a final begun", |s| {
            let id = s.bake("final");
            s.wait(&id, |r| r["status"] != "waiting");
        }),
        ("a final half done", |s| {
            let id = s.bake("final");
            s.wait(&id, |r| r["status"] != "waiting");
            std::thread::sleep(Duration::from_millis(300));
        }),
        ("a final being written", |s| {
            s.edit(&["maps", "ao"], Value::Null);
            let id = s.bake("final");
            // Files on their way show that it writes.
            let began = Instant::now();
            while s.run(&id)["status"] != "done" && began.elapsed() < PATIENCE {
                if !files_in(&s.data.join("incoming")).is_empty() {
                    break;
                }
            }
        }),
        ("an edit sent", |s| {
            let base = s.asset()["revision"].clone();
            let body = json!([{ "at": ["sheet", "padding"], "to": 7 }]).to_string();
            let tag = format!("If-Match: \"{base}\"\r\n");
            let mut stream = s.open("PATCH", "/api/assets/1/recipe", body.len(), &tag);
            stream.write_all(body.as_bytes()).expect("it reads");
        }),
        ("an undo sent", |s| {
            s.open("POST", "/api/assets/1/undo", 0, "");
        }),
        ("a run being deleted", |s| {
            let runs = s.asset()["runs"].clone();
            s.open("DELETE", &format!("/api/runs/{}", runs[0]["id"]), 0, "");
        }),
    ];
    for (moment, act) in moments {
        let server = Server::start(data);
        act(&server);
        server.kill();
        let server = Server::start(data);
        server.rest();
        check_whole(data, moment);
        // What it says of itself can be read, and it bakes on.
        assert!(server.asset()["recipe"]["maps"].is_array(), "{moment}");
        server.kill();
    }
    let server = Server::start(data);
    server.edit(&["maps"], json!([{ "map": "normal" }, { "map": "ao", "rays": 16 }]));
    server.edit(&["sheet"], json!({ "size": 256, "samples": 4, "padding": 16, "depth": "8" }));
    let high = "/api/assets/1/meshes?file=lid_high.obj&role=high";
    assert_eq!(server.ask("POST", high, SLOPED.as_bytes(), "").0, 200);
    assert_eq!(server.final_map(), expected, "the same recipe bakes the same bytes");
    server.kill();
}

/// Whole numbers that look thrown, the same every time (the multiplier is that of Steele and Vigna, "Computationally Easy, Spectrally
/// Good Multipliers", 2021).
struct Dice(u64);

impl Dice {
    fn below(&mut self, most: u64) -> u64 {
        self.0 = self.0.wrapping_mul(0xd134_2543_de82_ef95).wrapping_add(1);
        (self.0 >> 33) % most
    }
}

const OVER: [&str; 4] = ["done", "partial", "stopped", "failed"];

/// Three finals that take long enough to be killed in.
fn queue_of_three(server: &Server) -> [Value; 3] {
    [768, 1024, 512].map(|size| {
        server.edit(&["sheet", "size"], json!(size));
        server.bake("final")
    })
}

fn maps_of(server: &Server, id: &Value) -> [Vec<u8>; 2] {
    let run = server.wait(id, |r| OVER.iter().any(|over| r["status"] == *over));
    assert_eq!(run["status"], "done", "{run}");
    ["normal", "ao"].map(|map| {
        let (status, bytes) = server.ask("GET", &format!("/api/runs/{id}/maps/{map}"), b"", "");
        assert_eq!(status, 200);
        bytes
    })
}

/// Bytes of finished tiles on the disk.
fn landed_bytes(data: &Path) -> u64 {
    files_in(&data.join("runs")).iter().filter_map(|f| f.metadata().ok()).map(|m| m.len()).sum()
}

#[test]
fn killed_twenty_times_a_queue_goes_on_from_its_tiles_and_ends_the_same() {
    let folder = tempfile::tempdir().expect("a folder");
    let data = folder.path();
    let server = with_lid(data);
    server.edit(&["maps"], json!([{ "map": "normal" }, { "map": "ao", "rays": 256 }]));
    server.edit(&["sheet", "samples"], json!(16));
    server.edit(&["sheet", "proof_size"], json!(64));
    let expected = queue_of_three(&server).map(|id| maps_of(&server, &id));
    // What is kept of hits would make the second round another one.
    let most = json!({ "most": 0 });
    server.json("PUT", "/api/hits", &most);
    let ids = queue_of_three(&server);
    server.kill();
    let mut dice = Dice(20_261_128);
    let (mut landed, mut cut_off) = (0, 0);
    for round in 0..20 {
        let server = Server::start(data);
        if round % 4 == 1 {
            server.bake("proof");
        }
        // However slow the machine is: a third of the kills come with finished tiles on the disk.
        let over = |id: &Value| OVER.iter().any(|over| server.run(id)["status"] == *over);
        let began = Instant::now();
        while round % 3 == 2 && landed_bytes(data) <= 1000 && began.elapsed() < PATIENCE && !ids.iter().all(over) {
            std::thread::sleep(Duration::from_millis(20));
        }
        std::thread::sleep(Duration::from_millis(dice.below(600)));
        cut_off += usize::from(ids.iter().any(|id| server.run(id)["status"] == "running"));
        server.kill();
        let tiles = landed_bytes(data);
        landed += usize::from(tiles > 1000);
    }
    println!("of 20 kills {cut_off} while a run was worked on, {landed} with finished tiles on the disk");
    assert!(cut_off >= 5 && landed >= 5, "the runs are over before they can be killed");
    let server = Server::start(data);
    for (id, expected) in ids.iter().zip(&expected) {
        assert!(maps_of(&server, id) == *expected, "run {id} ends with other bytes");
    }
    server.rest();
    server.kill();
    check_whole(data, "after twenty kills");
}

#[test]
fn a_torn_tile_is_baked_again() {
    let folder = tempfile::tempdir().expect("a folder");
    let data = folder.path();
    let server = with_lid(data);
    server.edit(&["maps"], json!([{ "map": "normal" }, { "map": "ao", "rays": 256 }]));
    server.edit(&["sheet", "samples"], json!(4));
    server.edit(&["sheet", "size"], json!(640));
    let id = server.bake("final");
    let expected = maps_of(&server, &id);
    server.json("PUT", "/api/hits", &json!({ "most": 0 }));
    let id = server.bake("final");
    let tiles = data.join("runs").join(id.to_string()).join("tiles");
    let began = Instant::now();
    while tiles.metadata().map_or(0, |m| m.len()) < 60_000 {
        assert!(began.elapsed() < PATIENCE && server.run(&id)["status"] != "done", "no tile lands");
    }
    // Stopped, it keeps what landed and says so.
    server.json("POST", &format!("/api/runs/{id}/stop"), &Value::Null);
    let run = server.wait(&id, |r| r["status"] == "stopped");
    assert!(run["landed"].as_u64().is_some_and(|bytes| bytes >= 60_000), "{run}");
    server.kill();
    let mut bytes = std::fs::read(&tiles).expect("it keeps its tiles");
    (1..9).for_each(|n| bytes[n * 6000] ^= 0x55);
    std::fs::write(&tiles, bytes).expect("room");
    let server = Server::start(data);
    server.json("POST", &format!("/api/runs/{id}/resume"), &Value::Null);
    assert!(maps_of(&server, &id) == expected, "the bytes of a run that was not stopped");
    assert_eq!(server.run(&id)["landed"], 0);
    server.rest();
    server.kill();
    check_whole(data, "after a torn tile");
}

#[test]
fn asked_to_end_it_cuts_a_bake_off_and_goes_on_at_the_next_start() {
    let folder = tempfile::tempdir().expect("a folder");
    let mut server = with_lid(folder.path());
    server.edit(&["sheet", "size"], json!(8192));
    server.edit(&["sheet", "samples"], json!(16));
    let id = server.bake("final");
    server.wait(&id, |r| r["status"] == "running");
    let asked = Command::new("kill").args(["-TERM", &server.child.id().to_string()]).status().expect("it is there");
    assert!(asked.success());
    let began = Instant::now();
    while server.child.try_wait().expect("it ran").is_none() {
        assert!(began.elapsed() < PATIENCE / 4, "it bakes on");
        std::thread::sleep(std::time::Duration::from_millis(20));
    }
    let server = Server::start(folder.path());
    server.wait(&id, |r| r["status"] == "running");
    server.json("POST", &format!("/api/runs/{id}/stop"), &Value::Null);
    server.wait(&id, |r| r["status"] == "stopped");
    server.kill();
}

#[test]
fn a_second_server_on_a_folder_says_who_holds_it_and_touches_nothing() {
    let folder = tempfile::tempdir().expect("a folder");
    let server = with_lid(folder.path());
    server.edit(&["sheet", "size"], json!(4096));
    let id = server.bake("final");
    server.wait(&id, |r| r["status"] == "running");
    for port in [free_port(), server.port] {
        let Output { status, stderr, .. } = serving(folder.path(), port).output().expect("it starts");
        let said = String::from_utf8_lossy(&stderr).into_owned();
        assert!(status.code() == Some(2) && said.contains(&format!("process {}", server.child.id())), "{said}");
        assert!(said.contains("--data"), "{said}");
    }
    assert!(server.run(&id)["status"] == "running", "{}", server.run(&id));
    server.json("POST", &format!("/api/runs/{id}/stop"), &Value::Null);
    server.wait(&id, |r| r["status"] == "stopped");
    server.kill();
}

#[test]
fn a_disk_that_fills_ends_the_run_at_once_and_with_room_it_goes_on() {
    let Some(disk) = SmallDisk::new("48m") else {
        println!("skipped: this machine lets nobody mount a small disk");
        return;
    };
    let data = disk.path();
    let server = with_lid(data);
    // Sixteen bits of noise-free slopes at this size do not fit beside what else is to be there.
    server.edit(&["sheet", "depth"], json!("16"));
    server.edit(&["sheet", "size"], json!(1024));
    for keep in [0, 40_000] {
        // The run is entered while there is room, and finds none once it writes.
        let id = server.bake("final");
        disk.fill(keep);
        let run = server.wait(&id, |r| r["status"] != "waiting" && r["status"] != "running");
        assert_eq!(run["status"], "failed", "{run}");
        let why = run["error"].as_str().unwrap_or_default().to_lowercase();
        assert!(["room", "full", "space"].iter().any(|w| why.contains(w)), "{run}");
        // What is asked for meanwhile is answered, and refused where it would need room.
        assert_eq!(server.asset()["recipe"]["sheet"]["size"], 1024);
        disk.empty();
        let (status, again) = server.ask("POST", &format!("/api/runs/{id}/resume"), b"", "");
        assert_eq!(status, 200, "{}", String::from_utf8_lossy(&again));
        let run = server.wait(&id, |r| r["status"] != "waiting" && r["status"] != "running");
        assert_eq!(run["status"], "done", "{run}");
    }
    server.kill();
    let server = Server::start(data);
    server.rest();
    check_whole(data, "a full disk");
    server.kill();
}
