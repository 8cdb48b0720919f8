//! The real program in a real browser: starts `ember-ridge serve` on a fresh data folder, ChromeDriver and a headless
//! Chromium with a fresh profile, and offers the few ways a person has: find, click, type, press, look.

mod samples;

use anyhow::{Context, Result, bail};
use fantoccini::elements::Element;
use fantoccini::key::Key;
use fantoccini::{Client, ClientBuilder, Locator};
use serde_json::{Value, json};
use std::net::TcpStream;
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::sync::atomic::{AtomicU16, Ordering};
use std::time::{Duration, Instant};
use tempfile::TempDir;
use tokio::io::{AsyncReadExt, AsyncWriteExt};

/// Longest that anything on the page may take to appear: bakes in test builds on a busy machine.
pub const PATIENCE: Duration = Duration::from_secs(240);

/// [`PATIENCE`], or as many seconds as `EMBER_RIDGE_PATIENCE` says: for one who looks for a fault.
pub fn patience() -> Duration {
    let seconds = std::env::var("EMBER_RIDGE_PATIENCE").ok().and_then(|s| s.parse().ok());
    seconds.map_or(PATIENCE, Duration::from_secs)
}

/// Looks again and again until there is something to see.
///
/// # Errors
/// What looking itself fails with, or that it was in vain.
pub async fn wait_for<T>(what: &str, mut look: impl AsyncFnMut() -> Result<Option<T>>) -> Result<T> {
    let begun = Instant::now();
    while begun.elapsed() < patience() {
        if let Some(seen) = look().await? {
            return Ok(seen);
        }
        tokio::time::sleep(Duration::from_millis(40)).await;
    }
    bail!("waited in vain: {what}")
}

/// The same, for what is there or is not.
pub async fn wait_until(what: &str, mut look: impl AsyncFnMut() -> Result<bool>) -> Result<()> {
    wait_for(what, async || Ok(look().await?.then_some(()))).await
}

/// A running program and a browser that shows it.
pub struct Session {
    pub page: Client,
    pub port: u16,
    /// Where the browser puts what it downloads.
    pub downloads: PathBuf,
    program: Option<Child>,
    driver: Child,
    data: TempDir,
    draft_samples: bool,
}

/// How a session starts.
pub struct Start {
    pub samples: bool,
    /// Coarse sculpts, for tests that need the flow and not the look.
    pub draft: bool,
    pub width: u32,
    pub height: u32,
    /// A file that describes a cluster for finals.
    pub cluster: Option<&'static str>,
}

impl Default for Start {
    fn default() -> Self {
        Start { samples: true, draft: true, width: 1280, height: 800, cluster: None }
    }
}

/// A port that nothing uses, and that no other session of this test is given. It is not tried by listening on it: a process that
/// another session starts at that moment would hold the listener a while longer.
fn free_port() -> u16 {
    static NEXT: AtomicU16 = AtomicU16::new(0);
    // Below those that the system gives out by itself.
    let first = 10_000 + (std::process::id() % 100) as u16 * 100;
    loop {
        let port = first + NEXT.fetch_add(1, Ordering::Relaxed);
        if TcpStream::connect(("127.0.0.1", port)).is_err() {
            return port;
        }
    }
}

/// The program under test: given outright, or where Cargo put it.
pub fn program() -> Result<PathBuf> {
    if let Some(path) = std::env::var_os("EMBER_RIDGE_PROGRAM") {
        return Ok(path.into());
    }
    let mut folder = std::env::current_exe()?;
    while folder.pop() {
        let candidate = folder.join("ember-ridge");
        if candidate.is_file() {
            return Ok(candidate);
        }
    }
    bail!("the program is not built; run `cargo build --bin ember-ridge` first, or set EMBER_RIDGE_PROGRAM")
}

fn quiet(command: &mut Command) -> &mut Command {
    command.stdin(Stdio::null()).stdout(Stdio::null()).stderr(Stdio::null())
}

impl Session {
    pub async fn start(how: Start) -> Result<Session> {
        let data = tempfile::tempdir()?;
        let downloads = data.path().join("downloads");
        std::fs::create_dir_all(&downloads)?;
        if how.samples && how.draft {
            samples::put_into(data.path()).await?;
        }
        if let Some(cluster) = how.cluster {
            std::fs::create_dir_all(data.path().join("data"))?;
            std::fs::write(data.path().join("data/cluster.json"), cluster)?;
        }
        let (port, driver_port) = (free_port(), free_port());
        let serving = serve(data.path(), port, how.samples, how.draft)?;
        let driver = quiet(Command::new("chromedriver").arg(format!("--port={driver_port}")))
            .spawn()
            .context("chromedriver cannot be started; `make test` installs it (Debian: chromium-driver)")?;
        let page = connect(driver_port, &data, &downloads, &how).await;
        let mut session = match page {
            Ok(page) => {
                Session { page, port, downloads, program: Some(serving), driver, data, draft_samples: how.draft }
            }
            Err(error) => {
                let (mut serving, mut driver) = (serving, driver);
                let _ = serving.kill();
                let _ = driver.kill();
                return Err(error);
            }
        };
        session.open().await?;
        Ok(session)
    }

    /// Loads the page, once the program answers.
    pub async fn open(&mut self) -> Result<()> {
        wait_for_program(self.port).await?;
        self.page.goto(&format!("http://127.0.0.1:{}/", self.port)).await?;
        self.css("nav[aria-label=Trail]").await?;
        Ok(())
    }

    /// Kills the program as a power cut would, and starts it again on the same data.
    pub async fn restart_program(&mut self) -> Result<()> {
        self.kill_program()?;
        self.program = Some(serve(self.data.path(), self.port, false, self.draft_samples)?);
        wait_for_program(self.port).await
    }

    /// Ends the program as a power cut would.
    pub fn kill_program(&mut self) -> Result<()> {
        if let Some(mut program) = self.program.take() {
            program.kill()?;
            program.wait()?;
        }
        Ok(())
    }

    pub async fn css(&self, selector: &str) -> Result<Element> {
        let found = self.page.wait().at_most(patience()).for_element(Locator::Css(selector)).await;
        found.with_context(|| format!("waiting for {selector}"))
    }

    pub async fn xpath(&self, path: &str) -> Result<Element> {
        let found = self.page.wait().at_most(patience()).for_element(Locator::XPath(path)).await;
        found.with_context(|| format!("waiting for {path}"))
    }

    /// A button by its visible text or label, as a person or a screen reader finds it.
    pub async fn button(&self, name: &str) -> Result<Element> {
        self.xpath(&format!(
            "//button[normalize-space()='{name}' or @aria-label='{name}'] | //a[normalize-space()='{name}']"
        ))
        .await
    }

    /// A button whose text starts so.
    pub async fn button_starting(&self, name: &str) -> Result<Element> {
        self.xpath(&format!("//button[starts-with(normalize-space(), '{name}')]")).await
    }

    /// The picture that a stage itself has drawn, without anything that lies over it: the pixels of its canvas, shrunk to at most
    /// 240 wide, red, green and blue each, row by row. Of the model once it is drawn sharp: a rough one differs from it without anything
    /// having changed.
    pub async fn drawn(&self, stage: &str) -> Result<Vec<[u8; 3]>> {
        let script = "const from = document.querySelector(`section[aria-label='${arguments[0]} stage'] canvas`); \
            if (from.dataset.sharp === 'false') return null; \
            const to = document.createElement('canvas'); to.width = Math.min(240, from.width); \
            to.height = Math.max(1, Math.round(from.height * to.width / from.width)); \
            const pen = to.getContext('2d'); pen.fillStyle = '#757575'; pen.fillRect(0, 0, to.width, to.height); \
            pen.drawImage(from, 0, 0, to.width, to.height); \
            return Array.from(pen.getImageData(0, 0, to.width, to.height).data)";
        let pixels = wait_for("the stage to rest", async || {
            Ok(self.page.execute(script, vec![json!(stage)]).await?.as_array().cloned())
        });
        let bytes: Vec<u8> = pixels.await?.iter().map(|v| v.as_u64().unwrap_or(0) as u8).collect();
        Ok(bytes.chunks_exact(4).map(|p| [p[0], p[1], p[2]]).collect())
    }

    /// Waits until what a stage has drawn is as it should be.
    pub async fn drawn_until(
        &self,
        stage: &str,
        what: &str,
        enough: impl Fn(&[[u8; 3]]) -> bool,
    ) -> Result<Vec<[u8; 3]>> {
        wait_for(what, async || Ok(Some(self.drawn(stage).await?).filter(|pixels| enough(pixels)))).await
    }

    /// What opens the list of assets.
    pub async fn asset_menu(&self) -> Result<Element> {
        self.css("header button[aria-haspopup=menu]").await
    }

    /// Chooses one of a list by the list's label and the name that is seen.
    pub async fn choose(&self, label: &str, option: &str) -> Result<()> {
        self.css(&format!("button[role=combobox][aria-label='{label}']")).await?.click().await?;
        self.xpath(&format!("//*[@role='option' and normalize-space()='{option}']")).await?.click().await?;
        self.until("the list to close", "!document.querySelector('[role=listbox]')").await
    }

    /// Lets a low-poly part see one more part of the sculpt, found by its name.
    pub async fn add_part(&self, low: &str, part: &str) -> Result<()> {
        let opens = format!("//li[@aria-label='{low}']//button[contains(@aria-label, ': {low}')]");
        self.xpath(&opens).await?.click().await?;
        self.css("input[placeholder='Search parts']").await?.send_keys(part).await?;
        self.xpath(&format!("//*[@role='option' and normalize-space()='{part}']")).await?.click().await?;
        Ok(())
    }

    /// Goes to a stop of the trail.
    pub async fn stop(&self, name: &str) -> Result<()> {
        self.xpath(&format!("//nav[@aria-label='Trail']//button[contains(., '{name}')]")).await?.click().await?;
        self.css(&format!("aside[aria-label='{name}']")).await?;
        Ok(())
    }

    /// Goes to the masks at Finish.
    pub async fn masks(&self) -> Result<()> {
        self.stop("Finish").await?;
        self.xpath("//aside//button[@role='radio' and .='Masks']").await?.click().await?;
        Ok(())
    }

    /// Bakes the final of an asset that is open, delivers it, and has the command line repeat it from its recipe: the folders of both.
    pub async fn delivered_and_repeated(&self, asset: i64, sample: &str) -> Result<[TempDir; 2]> {
        self.stop("Bake").await?;
        let before = self.api(&format!("/assets/{asset}/runs")).await?["runs"].as_array().map_or(0, Vec::len);
        self.button_starting("Bake the final").await?.click().await?;
        let ended = |r: &Value| r["kind"] == "final" && r["status"] != "running" && r["status"] != "waiting";
        let done = |r: &[Value]| r.len() > before && r.first().is_some_and(ended);
        let runs = self.runs_until(asset, "the final", done).await?;
        let last = runs.first().context("a final")?;
        for (key, map) in last["report"]["maps"].as_object().context("maps")? {
            if !map["error"].is_null() {
                bail!("{key}: {}", map["error"]);
            }
        }
        self.stop("Deliver").await?;
        self.button("Download the maps").await?.click().await?;
        let zip = self.downloaded("zip").await?;
        let (folder, again) = (tempfile::tempdir()?, tempfile::tempdir()?);
        zip::ZipArchive::new(std::fs::File::open(zip)?)?.extract(folder.path())?;
        let mut meshes = Command::new(program()?);
        meshes.args(["sample", sample, "--out"]).arg(folder.path()).env("EMBER_RIDGE_DRAFT_SAMPLES", "1");
        meshes.output()?;
        let recipe = folder.path().join("recipe.json");
        let baked = Command::new(program()?).arg("bake").arg(recipe).arg("--out").arg(again.path()).output()?;
        if !baked.status.success() {
            bail!("{}", String::from_utf8_lossy(&baked.stderr));
        }
        Ok([folder, again])
    }

    /// Presses keys on the page itself, as with the hand off every field. Modifiers come before the key and are let go after.
    pub async fn press(&self, keys: &[char]) -> Result<()> {
        use fantoccini::actions::{InputSource, KeyAction, KeyActions};
        let mut actions = KeyActions::new("keys".into());
        for &key in keys {
            actions = actions.then(KeyAction::Down { value: key });
        }
        for &key in keys.iter().rev() {
            actions = actions.then(KeyAction::Up { value: key });
        }
        self.page.perform_actions(actions).await?;
        Ok(())
    }

    /// Ctrl with a key.
    pub async fn control(&self, key: char) -> Result<()> {
        self.press(&[Key::Control.into(), key]).await
    }

    /// Moves the pointer to a place of the window, with a small step on the way as a hand makes it.
    pub async fn point_at(&self, x: f64, y: f64) -> Result<()> {
        use fantoccini::actions::{InputSource, MouseActions, PointerAction};
        let moves = MouseActions::new("mouse".into())
            .then(PointerAction::MoveTo { duration: None, x: x - 5.0, y })
            .then(PointerAction::MoveTo { duration: None, x, y });
        self.page.perform_actions(moves).await?;
        Ok(())
    }

    /// Presses at one place of the window, goes on to another in small steps, and lets go. One place is a click.
    pub async fn drag(&self, from: (f64, f64), to: (f64, f64)) -> Result<()> {
        use fantoccini::actions::{InputSource, MouseActions, PointerAction};
        let place = |x: f64, y: f64| PointerAction::MoveTo { duration: Some(Duration::from_millis(30)), x, y };
        let mut hand =
            MouseActions::new("mouse".into()).then(place(from.0, from.1)).then(PointerAction::Down { button: 0 });
        for i in 1..=8 {
            let share = f64::from(i) / 8.0;
            hand = hand.then(place(from.0 + (to.0 - from.0) * share, from.1 + (to.1 - from.1) * share));
        }
        self.page.perform_actions(hand.then(PointerAction::Up { button: 0 })).await?;
        Ok(())
    }

    /// Waits until a script gives true.
    pub async fn until(&self, what: &str, script: &str) -> Result<()> {
        let script = format!("return Boolean({script})");
        wait_until(what, async || Ok(self.page.execute(&script, vec![]).await? == Value::Bool(true))).await
    }

    /// JSON from the program's own interface, asked from within the page.
    pub async fn api(&self, path: &str) -> Result<Value> {
        let script = "const [path, done] = arguments; fetch('/api' + path).then(r => r.json()).then(done, e => done(String(e)));";
        Ok(self.page.execute_async(script, vec![json!(path)]).await?)
    }

    /// The runs of an asset, newest first and with their reports, once `enough` says so.
    pub async fn runs_until(&self, asset: i64, what: &str, enough: impl Fn(&[Value]) -> bool) -> Result<Vec<Value>> {
        let view = self.asset_until(asset, what, |view| view["runs"].as_array().is_some_and(|r| enough(r))).await?;
        let mut runs = view["runs"].as_array().cloned().unwrap_or_default();
        for run in &mut runs {
            run["report"] = self.api(&format!("/runs/{}", run["id"])).await?["report"].clone();
        }
        Ok(runs)
    }

    /// The asset, once `enough` says so.
    pub async fn asset_until(&self, asset: i64, what: &str, enough: impl Fn(&Value) -> bool) -> Result<Value> {
        wait_for(what, async || Ok(Some(self.api(&format!("/assets/{asset}")).await?).filter(|view| enough(view))))
            .await
    }

    /// The first file with an ending that the browser has downloaded whole.
    pub async fn downloaded(&self, ending: &str) -> Result<PathBuf> {
        wait_for(&format!("a .{ending} file to be downloaded"), async || {
            let files: Vec<PathBuf> = std::fs::read_dir(&self.downloads)?.flatten().map(|entry| entry.path()).collect();
            let ends = |path: &PathBuf, ending: &str| path.extension().is_some_and(|e| e == ending);
            // An empty file keeps the name until what comes in beside it is whole.
            let under_way = files.iter().any(|path| ends(path, "crdownload"));
            let whole = |path: &PathBuf| ends(path, ending) && path.metadata().is_ok_and(|about| about.len() > 0);
            Ok(files.into_iter().find(whole).filter(|_| !under_way))
        })
        .await
    }

    /// Waits until the sample assets are there, and those that come baked are baked.
    pub async fn samples_ready(&self) -> Result<()> {
        let made = async || Ok(self.api("/assets").await?.as_array().map_or(0, Vec::len) >= 5);
        wait_until("the samples to be made", made).await?;
        let done = |runs: &[Value]| runs.len() >= 2 && runs.iter().all(|r| r["status"] == "done");
        for asset in [1, 2, 3, 5] {
            self.runs_until(asset, "the samples to be baked", done).await?;
        }
        Ok(())
    }

    pub async fn picture(&self) -> Result<Vec<u8>> {
        Ok(self.page.screenshot().await?)
    }

    pub async fn close(mut self) -> Result<()> {
        self.page.clone().close().await?;
        self.end();
        Ok(())
    }

    fn end(&mut self) {
        if let Some(mut program) = self.program.take() {
            let _ = program.kill();
            let _ = program.wait();
        }
        let _ = self.driver.kill();
        let _ = self.driver.wait();
    }
}

impl Drop for Session {
    fn drop(&mut self) {
        self.end();
    }
}

fn serve(data: &Path, port: u16, samples: bool, draft: bool) -> Result<Child> {
    let mut command = Command::new(program()?);
    command.arg("serve").arg("--data").arg(data.join("data")).arg("--port").arg(port.to_string());
    if samples {
        command.arg("--samples");
    }
    if draft {
        command.env("EMBER_RIDGE_DRAFT_SAMPLES", "1");
    }
    quiet(&mut command).spawn().context("the program cannot be started")
}

/// Whether what listens on a port answers a request, not merely a connection.
async fn answers(port: u16, path: &str) -> Result<bool> {
    let mut stream = tokio::net::TcpStream::connect(("127.0.0.1", port)).await?;
    let request = format!("GET {path} HTTP/1.1\r\nHost: 127.0.0.1:{port}\r\n\r\n");
    stream.write_all(request.as_bytes()).await?;
    // The driver leaves the connection open, so its end is not waited for.
    let mut head = [0; 12];
    stream.read_exact(&mut head).await?;
    Ok(&head == b"HTTP/1.1 200")
}

async fn wait_for_answer(port: u16, path: &str) -> Result<()> {
    wait_until(&format!("an answer on port {port}"), async || {
        let answer = tokio::time::timeout(Duration::from_secs(5), answers(port, path)).await;
        Ok(matches!(answer, Ok(Ok(true))))
    })
    .await
}

/// Until the program answers.
async fn wait_for_program(port: u16) -> Result<()> {
    wait_for_answer(port, "/api/assets").await
}

async fn connect(driver_port: u16, data: &TempDir, downloads: &Path, how: &Start) -> Result<Client> {
    wait_for_answer(driver_port, "/status").await?;
    let arguments = [
        "--headless=new".to_owned(),
        "--no-sandbox".into(),
        "--use-angle=swiftshader".into(),
        "--enable-unsafe-swiftshader".into(),
        "--disable-quic".into(),
        "--no-first-run".into(),
        "--disable-background-networking".into(),
        "--disable-component-update".into(),
        "--disable-sync".into(),
        "--hide-scrollbars".into(),
        "--force-device-scale-factor=1".into(),
        format!("--user-data-dir={}", data.path().join("profile").display()),
    ];
    let mut capabilities = serde_json::Map::new();
    let prefs = json!({ "download.default_directory": downloads, "download.prompt_for_download": false });
    capabilities.insert("goog:chromeOptions".into(), json!({ "args": arguments, "prefs": prefs }));
    let page = ClientBuilder::new(hyper_util::client::legacy::connect::HttpConnector::new())
        .capabilities(capabilities)
        .connect(&format!("http://127.0.0.1:{driver_port}"))
        .await
        .context("Chromium cannot be started; `make test` installs it (Debian: chromium)")?;
    // The window's frame takes a part of it: measured, then added.
    page.set_window_size(how.width, how.height).await?;
    let inner = page.execute("return [innerWidth, innerHeight]", vec![]).await?;
    let (w, h) = (inner[0].as_u64().unwrap_or(0) as u32, inner[1].as_u64().unwrap_or(0) as u32);
    page.set_window_size(how.width + how.width.saturating_sub(w), how.height + how.height.saturating_sub(h)).await?;
    Ok(page)
}
