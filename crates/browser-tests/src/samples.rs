//! The draft samples, baked: made once for each build of the program, then copied for every session. Making them takes a minute
//! in a test build.

use crate::{free_port, program, serve, wait_for_program, wait_until};
use anyhow::{Context, Result};
use serde_json::Value;
use std::fs::{self, File};
use std::path::Path;

use tokio::io::{AsyncReadExt, AsyncWriteExt};

/// Puts a data folder with the baked draft samples into `folder`, under `data`.
pub async fn put_into(folder: &Path) -> Result<()> {
    let program = program()?;
    let made = program.with_file_name("draft-samples");
    fs::create_dir_all(&made)?;
    let lock = File::create(made.join("lock"))?;
    // Held until the copy is made: tests that start together make the samples once.
    let _held = tokio::task::spawn_blocking(move || lock.lock().map(|()| lock)).await??;
    let about = fs::metadata(&program)?;
    let build = format!("{} bytes, {:?}", about.len(), about.modified()?);
    let stamp = made.join("build");
    if fs::read_to_string(&stamp).ok().as_ref() != Some(&build) {
        let _ = fs::remove_dir_all(made.join("data"));
        make(&made).await?;
        fs::write(&stamp, build)?;
    }
    copy(&made.join("data"), &folder.join("data"))
}

async fn make(folder: &Path) -> Result<()> {
    let port = free_port();
    let mut serving = serve(folder, port, true, true)?;
    let ready = async {
        wait_for_program(port).await?;
        wait_until("the samples to be made and baked", async || all_baked(port).await).await
    };
    let ready = ready.await;
    serving.kill()?;
    serving.wait()?;
    ready
}

/// Five samples, of which four come baked: a proof and a final each.
async fn all_baked(port: u16) -> Result<bool> {
    if json(port, "/api/assets").await?.as_array().map_or(0, Vec::len) < 5 {
        return Ok(false);
    }
    for asset in [1, 2, 3, 5] {
        let view = json(port, &format!("/api/assets/{asset}")).await?;
        let runs = view["runs"].as_array().context("runs")?;
        if runs.len() < 2 || runs.iter().any(|r| r["status"] != "done") {
            return Ok(false);
        }
    }
    Ok(true)
}

async fn json(port: u16, path: &str) -> Result<Value> {
    let mut stream = tokio::net::TcpStream::connect(("127.0.0.1", port)).await?;
    let request = format!("GET {path} HTTP/1.0\r\nHost: 127.0.0.1:{port}\r\n\r\n");
    stream.write_all(request.as_bytes()).await?;
    let mut answer = String::new();
    stream.read_to_string(&mut answer).await?;
    let (_, body) = answer.split_once("\r\n\r\n").context("a head and a body")?;
    Ok(serde_json::from_str(body)?)
}

fn copy(from: &Path, to: &Path) -> Result<()> {
    fs::create_dir_all(to)?;
    for entry in fs::read_dir(from)? {
        let entry = entry?;
        let target = to.join(entry.file_name());
        if entry.file_type()?.is_dir() {
            copy(&entry.path(), &target)?;
        } else {
            fs::copy(entry.path(), target)?;
        }
    }
    Ok(())
}
