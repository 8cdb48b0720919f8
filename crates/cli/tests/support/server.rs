//! The program as a server on a data folder, and requests to it over plain sockets, so that they can be broken off anywhere.

use super::LOW;
use serde_json::{Value, json};
use std::io::{Read, Write};
use std::net::TcpStream;
use std::path::Path;
use std::process::{Child, Command, Stdio};
use std::sync::atomic::{AtomicU16, Ordering};
use std::time::{Duration, Instant};

/// A sculpt of the lid that slopes both ways, so that its normal map is no single colour.
pub const SLOPED: &str = "o lid_high\nv 0 0.05 0\nv 0 0.06 1\nv 1 0.07 1\nv 1 0.05 0\nf 1 2 3\nf 1 3 4\n";
/// Longest that anything is waited for; it only bounds a hang.
pub const PATIENCE: Duration = Duration::from_secs(120);

/// A server on a folder, and requests to it.
pub struct Server {
    pub child: Child,
    pub port: u16,
    pub data: std::path::PathBuf,
}

pub fn serving(data: &Path, port: u16) -> Command {
    let mut program = Command::new(env!("CARGO_BIN_EXE_ember-ridge"));
    program.args(["serve", "--port", &port.to_string(), "--data"]).arg(data);
    program.stdin(Stdio::null()).stdout(Stdio::null()).stderr(Stdio::piped());
    program
}

/// A port that nothing uses, and that no other test of this program is given. It is not tried by listening on it: a process that
/// another test starts at that moment would hold the listener a while longer.
pub fn free_port() -> u16 {
    static NEXT: AtomicU16 = AtomicU16::new(0);
    // Below those that the system gives out by itself.
    let first = 20_000 + (std::process::id() % 100) as u16 * 100;
    loop {
        let port = first + NEXT.fetch_add(1, Ordering::Relaxed);
        if TcpStream::connect(("127.0.0.1", port)).is_err() {
            return port;
        }
    }
}

impl Server {
    pub fn start(data: &Path) -> Server {
        Server::start_with(data, &[])
    }

    /// The same with more in its environment.
    pub fn start_with(data: &Path, more: &[(&str, &Path)]) -> Server {
        let port = free_port();
        let child = serving(data, port).envs(more.iter().copied()).spawn().expect("it starts");
        let server = Server { child, port, data: data.to_owned() };
        let began = Instant::now();
        // An answer, not a mere connection: the test goes on only with the server itself.
        while server.try_ask("GET", "/api/assets", b"", "").is_err() {
            assert!(began.elapsed() < PATIENCE, "the server does not answer");
            std::thread::sleep(Duration::from_millis(5));
        }
        server
    }

    /// As a power cut would.
    pub fn kill(mut self) {
        self.child.kill().expect("it ran");
        self.child.wait().expect("it ended");
    }

    pub fn open(&self, method: &str, path: &str, length: usize, more: &str) -> TcpStream {
        self.try_open(method, path, length, more).expect("it listens and reads")
    }

    fn try_open(&self, method: &str, path: &str, length: usize, more: &str) -> std::io::Result<TcpStream> {
        let mut stream = TcpStream::connect(("127.0.0.1", self.port))?;
        stream.set_read_timeout(Some(PATIENCE))?;
        let head = format!(
            "{method} {path} HTTP/1.1\r\nHost: 127.0.0.1:{}\r\nConnection: close\r\nContent-Length: {length}\r\n\
             Content-Type: application/json\r\n{more}\r\n",
            self.port
        );
        stream.write_all(head.as_bytes())?;
        Ok(stream)
    }

    /// Status and body of an answer.
    pub fn ask(&self, method: &str, path: &str, body: &[u8], more: &str) -> (u16, Vec<u8>) {
        self.try_ask(method, path, body, more).expect("it answers")
    }

    fn try_ask(&self, method: &str, path: &str, body: &[u8], more: &str) -> std::io::Result<(u16, Vec<u8>)> {
        let mut stream = self.try_open(method, path, body.len(), more)?;
        stream.write_all(body)?;
        let mut answer = Vec::new();
        stream.read_to_end(&mut answer)?;
        let cut_off = || std::io::Error::from(std::io::ErrorKind::UnexpectedEof);
        let end = answer.windows(4).position(|w| w == b"\r\n\r\n").ok_or_else(cut_off)? + 4;
        let head = String::from_utf8_lossy(&answer[..end]).into_owned();
        let status = head.split(' ').nth(1).and_then(|s| s.parse().ok()).ok_or_else(cut_off)?;
        Ok((status, answer[end..].to_vec()))
    }

    pub fn json(&self, method: &str, path: &str, body: &Value) -> Value {
        // A body that nobody reads would break the answer off.
        let sent = if body.is_null() { String::new() } else { body.to_string() };
        let (status, answer) = self.ask(method, path, sent.as_bytes(), "");
        let text = String::from_utf8_lossy(&answer).into_owned();
        assert!((200..300).contains(&status), "{method} {path}: {status} {text}");
        serde_json::from_str(&text).unwrap_or(Value::Null)
    }

    pub fn asset(&self) -> Value {
        self.json("GET", "/api/assets/1", &Value::Null)
    }

    pub fn edit(&self, at: &[&str], to: Value) -> Value {
        let base = self.asset()["revision"].clone();
        let body = json!([{ "at": at, "to": to }]).to_string();
        let (status, answer) =
            self.ask("PATCH", "/api/assets/1/recipe", body.as_bytes(), &format!("If-Match: \"{base}\"\r\n"));
        assert_eq!(status, 200, "{}", String::from_utf8_lossy(&answer));
        serde_json::from_slice(&answer).expect("JSON")
    }

    pub fn run(&self, id: &Value) -> Value {
        self.json("GET", &format!("/api/runs/{id}"), &Value::Null)["run"].clone()
    }

    pub fn bake(&self, kind: &str) -> Value {
        self.json("POST", "/api/assets/1/runs", &json!({ "kind": kind }))["id"].clone()
    }

    pub fn wait(&self, id: &Value, until: impl Fn(&Value) -> bool) -> Value {
        let began = Instant::now();
        loop {
            let run = self.run(id);
            if until(&run) {
                return run;
            }
            assert!(began.elapsed() < PATIENCE, "it does not come to that: {run}");
            std::thread::sleep(Duration::from_millis(3));
        }
    }

    /// Waits until no run waits or is worked on.
    pub fn rest(&self) {
        let began = Instant::now();
        while self.json("GET", "/api/queue", &Value::Null) != json!([]) {
            assert!(began.elapsed() < PATIENCE, "the queue does not end");
            std::thread::sleep(Duration::from_millis(10));
        }
    }

    /// The normal map of a final of the recipe as it stands.
    pub fn final_map(&self) -> Vec<u8> {
        let id = self.bake("final");
        let run = self.wait(&id, |r| r["status"] != "waiting" && r["status"] != "running");
        assert_eq!(run["status"], "done", "{run}");
        self.ask("GET", &format!("/api/runs/{id}/maps/normal"), b"", "").1
    }
}

impl Drop for Server {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

pub fn with_lid(data: &Path) -> Server {
    with_lid_on(data, &[])
}

/// The same with more in its environment.
pub fn with_lid_on(data: &Path, more: &[(&str, &Path)]) -> Server {
    let server = Server::start_with(data, more);
    server.json("POST", "/api/assets", &json!({ "name": "Lid" }));
    for (file, role, text) in [("lid_low.obj", "low", LOW), ("lid_high.obj", "high", SLOPED)] {
        let path = format!("/api/assets/1/meshes?file={file}&role={role}");
        assert_eq!(server.ask("POST", &path, text.as_bytes(), "").0, 200);
    }
    server.edit(&["maps"], json!([{ "map": "normal" }, { "map": "ao", "rays": 16 }]));
    server.edit(&["sheet", "size"], json!(256));
    server
}
