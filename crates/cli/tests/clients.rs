//! Twenty people at once: all are answered, none waits long, and memory keeps within its bounds. `make test` does so for some
//! seconds, `make load` for minutes with large meshes; both print what they measured.

mod support;

use serde_json::{Value, json};
use std::sync::Mutex;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, Instant};
use support::server::{Server, with_lid};

const CLIENTS: usize = 20;

fn seconds() -> u64 {
    std::env::var("EMBER_RIDGE_LOAD_SECONDS").ok().and_then(|s| s.parse().ok()).unwrap_or(6)
}

/// Kilobytes that the program holds, now and at most.
fn memory(server: &Server) -> (u64, u64) {
    let text = std::fs::read_to_string(format!("/proc/{}/status", server.child.id())).unwrap_or_default();
    let line = |name: &str| {
        let line = text.lines().find_map(|l| l.strip_prefix(name));
        line.and_then(|l| l.trim().strip_suffix(" kB")?.parse().ok()).unwrap_or(0)
    };
    (line("VmRSS:"), line("VmHWM:"))
}

/// A bumpy sheet of `n` x `n` quads over the lid.
fn bumps(n: usize) -> Vec<u8> {
    use std::fmt::Write;
    let mut text = String::from("o lid_high\n");
    for j in 0..=n {
        for i in 0..=n {
            let (x, z) = (i as f32 / n as f32, j as f32 / n as f32);
            let y = 0.05 + 0.01 * (x * 40.0).sin() * (z * 40.0).cos();
            writeln!(text, "v {x} {y} {z}").expect("memory");
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

#[test]
fn twenty_clients_and_two_finals() {
    let folder = tempfile::tempdir().expect("a folder");
    let server = with_lid(folder.path());
    let side = if seconds() > 60 { 1000 } else { 200 };
    let high = "/api/assets/1/meshes?file=lid_high.obj&role=high";
    assert_eq!(server.ask("POST", high, &bumps(side), "").0, 200);
    server.edit(&["sheet", "size"], json!(2048));
    server.edit(&["sheet", "proof_size"], json!(256));
    let idle = memory(&server).0;
    let finals = [server.bake("final"), server.bake("final")];
    let first = server.wait(&finals[0], |r| r["status"] != "waiting");
    assert!(first["status"] == "running" || first["status"] == "done", "{first}");

    let (took, over) = (Mutex::new(Vec::new()), AtomicBool::new(false));
    std::thread::scope(|scope| {
        for client in 0..CLIENTS {
            let (server, took, over) = (&server, &took, &over);
            scope.spawn(move || {
                let mut round = 0usize;
                while !over.load(Ordering::Relaxed) {
                    round += 1;
                    let began = Instant::now();
                    let status = match (client + round) % 5 {
                        0 => server.ask("GET", "/api/assets/1", b"", "").0,
                        1 => server.ask("GET", "/api/assets/1/uvs", b"", "").0,
                        2 => server.ask("GET", "/api/assets/1/display/low", b"", "").0,
                        3 => server.ask("GET", "/api/assets/1/runs?before=99", b"", "").0,
                        _ => {
                            // An edit of a place of one's own merges with all others.
                            let view: Value = server.asset();
                            let tag = format!("If-Match: \"{}\"\r\n", view["revision"]);
                            let name = format!("part {client}");
                            let edit = json!([{ "at": ["reach", "parts", name], "to": { "part": name, "out": 0.1 + round as f32 * 0.001 } }]);
                            server.ask("PATCH", "/api/assets/1/recipe", edit.to_string().as_bytes(), &tag).0
                        }
                    };
                    assert_eq!(status, 200, "client {client}, round {round}");
                    took.lock().expect("no client failed").push(began.elapsed());
                    // A person looks before asking again.
                    std::thread::sleep(Duration::from_millis(50));
                }
            });
        }
        std::thread::sleep(Duration::from_secs(seconds()));
        over.store(true, Ordering::Relaxed);
    });
    for run in &finals {
        let run = server.wait(run, |r| r["status"] != "waiting" && r["status"] != "running");
        assert_eq!(run["status"], "done", "{run}");
    }
    let parts = server.asset()["recipe"]["reach"]["parts"].as_array().map_or(0, Vec::len);
    assert_eq!(parts, CLIENTS, "every client's edits are there");
    let mut took = took.into_inner().expect("no client failed");
    took.sort_unstable();
    let at = |share: f64| took[((took.len() - 1) as f64 * share) as usize];
    let (now, most) = memory(&server);
    println!(
        "{} requests of {CLIENTS} clients beside two finals: median {:?}, 99th percentile {:?}, longest {:?}; memory {} MB idle, \
         {} MB at most, {} MB after",
        took.len(),
        at(0.5),
        at(0.99),
        at(1.0),
        idle / 1024,
        most / 1024,
        now / 1024
    );
    assert!(took.len() > 100);
    server.kill();
}
