//! Each working stop's main job, done by clicks and keys in headless Chromium against the real program.

use anyhow::{Context, Result, ensure};
use ember_ridge_browser_tests::{Session, Start, program};
use fantoccini::Locator;
use fantoccini::key::Key;
use serde_json::Value;
use std::io::Read;
use std::path::{Path, PathBuf};
use std::process::Command;

/// A square lid, and a sculpt of it that rises to a point.
const LID: &str = "o lid\nv 0 0 0\nv 0 0 1\nv 1 0 1\nv 1 0 0\nvt 0 1\nvt 0 0\nvt 1 0\nvt 1 1\nf 1/1 2/2 3/3 4/4\n";
const CARVED: &str =
    "o lid\nv 0 0.02 0\nv 0 0.02 1\nv 1 0.02 1\nv 1 0.02 0\nv 0.5 0.1 0.5\nf 1 2 5\nf 2 3 5\nf 3 4 5\nf 4 1 5\n";

fn states(runs: &[Value]) -> Vec<&str> {
    runs.iter().filter_map(|r| r["status"].as_str()).collect()
}

async fn type_number(session: &Session, label: &str, text: &str) -> Result<()> {
    let field = session.css(&format!("input[aria-label='{label}']")).await?;
    field.click().await?;
    // A click selects all of the number; typing replaces it.
    field.send_keys(&format!("{text}{}", char::from(Key::Enter))).await?;
    Ok(())
}

/// The model stage holds the many greys of a lit, baked prop: a stage that failed to draw has one.
async fn model_is_drawn(session: &Session) -> Result<()> {
    let greys = |pixels: &[[u8; 3]]| pixels.iter().map(|p| p[0]).collect::<std::collections::BTreeSet<u8>>().len();
    session.drawn_until("Model", "the model to be drawn", |pixels| greys(pixels) > 60).await?;
    Ok(())
}

/// From the demo as it opens to a zip whose maps are the command line's, texel for texel.
#[tokio::test(flavor = "multi_thread")]
async fn tune_bake_undo_and_deliver() -> Result<()> {
    let session = Session::start(Start::default()).await?;
    session.samples_ready().await?;

    // The first sight is a baked prop: the finished final is in Review, its map on the sheet.
    session.css("aside[aria-label='Review']").await?;
    session.xpath("//h2[starts-with(., 'Run 2, final')]").await?;
    session.xpath("//section[@aria-label='Findings']//li[contains(., 'Details lean on')]").await?;
    model_is_drawn(&session).await?;

    // Reach: type a distance with arithmetic; a proof follows by itself and the ledger says what changed.
    session.stop("Reach").await?;
    type_number(&session, "Reach out", "0.03 + 0.02").await?;
    let runs = session.runs_until(1, "a proof to follow", |r| r.len() == 3 && r[0]["status"] == "done").await?;
    ensure!(runs[0]["kind"] == "proof" && runs[0]["size"] == 512, "{}", runs[0]);
    ensure!((runs[0]["report"]["reach"]["out"].as_f64().unwrap_or(0.0) - 0.05).abs() < 1e-6, "{}", runs[0]);
    session.xpath("//section[@aria-label='Ledger']//*[contains(text(), 'reach out auto to 0.05')]").await?;

    // Undo and redo by keys, off the field.
    session.css("aside h1").await?.click().await?;
    session.control('z').await?;
    session.xpath("//*[@aria-label='Reach out of the whole asset' and contains(., 'fitted, at most')]").await?;
    let asset = session.api("/assets/1").await?;
    ensure!(asset["recipe"]["reach"]["out"] == "auto", "{}", asset["recipe"]["reach"]);
    session.press(&[Key::Control.into(), Key::Shift.into(), 'Z']).await?;
    let back = "document.querySelector('input[aria-label=\"Reach out\"]').value.startsWith('0.05')";
    session.until("the typed reach to be back", back).await?;

    // Maps: green down, 16 bit, and occlusion with as many rays as its error asks for.
    session.stop("Maps").await?;
    session.button("Y- down").await?.click().await?;
    session.button("16 bit").await?.click().await?;
    session.css("button[aria-label='Occlusion: show settings']").await?.click().await?;
    session.button("By error").await?.click().await?;

    // Bake: the final, watched to its end.
    session.stop("Bake").await?;
    session.button_starting("Bake the final").await?.click().await?;
    let done =
        |r: &[Value]| r.iter().any(|r| r["number"].as_i64() > Some(2) && r["kind"] == "final" && r["status"] == "done");
    let runs = session.runs_until(1, "the final", done).await?;
    let last = runs.iter().find(|r| r["kind"] == "final").context("a final")?;
    let recipe = &last["report"]["recipe"];
    ensure!(recipe["sheet"]["depth"] == "16" && recipe["maps"][0]["y"] == "-", "{recipe}");
    let (ao, told) = (&recipe["maps"][1], &last["report"]["maps"]["ao"]["mean_rays"]);
    ensure!(ao["map"] == "ao" && ao["rays"]["most"] == 256, "{ao}");
    ensure!(told.as_f64().is_some_and(|mean| (16.0..256.0).contains(&mean)), "{told}");
    session.xpath("//p[contains(., 'rays per texel on average')]").await?;
    session.xpath("//*[contains(., 'on disk; the least recently used are removed first')]").await?;

    // Deliver: the zip, as the browser saves it.
    session
        .xpath(&format!("//section[@aria-label='Ledger']//button[contains(., '{} final')]", last["number"]))
        .await?
        .click()
        .await?;
    session.stop("Deliver").await?;
    session.xpath(&format!("//h2[starts-with(., 'Run {}, final')]", last["number"])).await?;
    session.button("Download the maps").await?.click().await?;
    let zip = session.downloaded("zip").await?;
    let folder = tempfile::tempdir()?;
    unpack(&zip, folder.path())?;

    // The command line repeats it from the delivered recipe and the meshes. The recipe names the meshes by their hash, so
    // this also proves that the sample is made the same every time.
    let mut sample = Command::new(program()?);
    sample.args(["sample", "lookout-lantern", "--out"]).arg(folder.path()).env("EMBER_RIDGE_DRAFT_SAMPLES", "1");
    let made = sample.output()?;
    ensure!(made.status.success(), "{}", String::from_utf8_lossy(&made.stderr));
    let out = folder.path().join("again");
    let recipe = folder.path().join("recipe.json");
    let baked = Command::new(program()?).arg("bake").arg(recipe).arg("--out").arg(&out).output()?;
    ensure!(baked.status.success(), "{}", String::from_utf8_lossy(&baked.stderr));
    for map in ["normal", "ao", "curvature", "id", "miss"] {
        let name = format!("lookout_lantern_low_{map}.png");
        let (ours, theirs) = (pixels(&out.join(&name))?, pixels(&folder.path().join(&name))?);
        ensure!(ours.0 == png::BitDepth::Sixteen && ours == theirs, "{name} differs from the browser's");
    }
    session.close().await
}

/// The newest proof held against the first one: both are proofs of 512, so nothing is apart; a run of another size cannot be compared.
async fn compared(session: &Session) -> Result<()> {
    session.stop("Review").await?;
    session.choose("Other run", "1 proof, 512 px").await?;
    session.until("all maps to be the same", "document.querySelector('[data-same]')?.dataset.same > 4").await?;
    session.xpath("//*[@aria-label='Shown of the two runs']//*[.='Difference']").await?.click().await?;
    session.xpath("//input[@aria-label='Brightest stands for']").await?;
    session.css("aside h1").await?.click().await?;
    let shows = |name: &str| {
        format!(
            "document.querySelector(\"[aria-label='Shown of the two runs'] [data-state=on]\")?.textContent === '{name}'"
        )
    };
    session.press(&['x']).await?;
    session.until("this one", &shows("This")).await?;
    session.press(&['x']).await?;
    session.until("the other one", &shows("Other")).await?;
    session.choose("Other run", "2 final, 1024 px").await?;
    session.xpath("//*[contains(., 'bake both at one size')]").await?;
    session.choose("Other run", "no other").await
}

/// Stop a final that would take minutes, and let it go on; kill the program, and see it go on by itself.
#[tokio::test(flavor = "multi_thread")]
async fn stop_and_survive() -> Result<()> {
    let mut session = Session::start(Start::default()).await?;
    session.samples_ready().await?;
    session.stop("Maps").await?;
    session.choose("Size", "4096 x 4096").await?;
    session.xpath("//*[@aria-label='Samples per texel']//button[.='64']").await?.click().await?;
    let follows = |r: &[Value]| r.len() >= 3 && r.iter().all(|r| r["status"] == "done");
    session.runs_until(1, "the proof that follows", follows).await?;
    compared(&session).await?;

    session.stop("Bake").await?;
    session.css("aside h1").await?.click().await?;
    session.press(&[Key::Shift.into(), 'B']).await?;
    session.runs_until(1, "the final to run", |r| r[0]["status"] == "running").await?;
    // It lands on the sheet while it runs.
    session.xpath("//*[starts-with(normalize-space(), 'Baking:')]").await?;
    session.button("Stop the bake").await?.click().await?;
    session.runs_until(1, "the stop", |r| r[0]["status"] == "stopped").await?;
    session.xpath("//section[@aria-label='Ledger']//*[contains(text(), 'stopped')]").await?;

    session.button("Go on").await?.click().await?;
    let runs = session.runs_until(1, "it to go on", |r| r[0]["status"] == "running").await?;
    session.restart_program().await?;
    session.open().await?;
    let after = session.runs_until(1, "the run that was cut off", |r| r[0]["status"] == "running").await?;
    ensure!(after.len() == runs.len(), "it is the same run: {:?}", states(&after));
    session.xpath("//*[starts-with(normalize-space(), 'Baking:')]").await?;
    session.button("Stop the bake").await?.click().await?;
    session.runs_until(1, "the stop", |r| r[0]["status"] == "stopped").await?;
    session.close().await
}

/// A newcomer's own pair of files, a broken one among them, through the picker to a baked map.
#[tokio::test(flavor = "multi_thread")]
async fn bring_in_your_own() -> Result<()> {
    let session = Session::start(Start { samples: false, ..Start::default() }).await?;
    let folder = tempfile::tempdir()?;
    let write = |name: &str, text: &str| -> Result<PathBuf> {
        let path = folder.path().join(name);
        std::fs::write(&path, text)?;
        Ok(path)
    };
    let (low, high) = (write("lid_low.obj", LID)?, write("carved.obj", CARVED)?);
    let broken = write("broken_high.obj", "v 0 0 0\nv 1 zero 0\n")?;

    session.asset_menu().await?.click().await?;
    session.xpath("//*[@role='menuitem' and contains(., 'New asset')]").await?.click().await?;
    session.css("aside[aria-label='Meshes']").await?;
    let picker = session.page.find(Locator::Css("input[aria-label='Mesh files']")).await?;
    let files = [&low, &broken, &high].map(|p| p.display().to_string()).join("\n");
    picker.send_keys(&files).await?;

    // Names told two; the third asks what it is, and nothing is sent before a word. The broken file names its line.
    session.xpath("//*[@aria-label='Use lid_low.obj as']//button[.='Low' and @data-state='on']").await?;
    session.xpath("//*[@aria-label='Use carved.obj as']//button[.='Sculpt']").await?.click().await?;
    ensure!(session.api("/assets/1").await?["recipe"]["low"] == serde_json::json!([]), "nothing is kept yet");
    session.button("Import 3 files").await?.click().await?;
    session.xpath("//aside//*[@role='alert' and contains(., \"line 2 ('v 1 zero 0')\")]").await?;
    session.xpath("//section[@aria-label='Sculpt (high-poly)']//*[text()='carved.obj']").await?;
    session.xpath("//section[@aria-label='Findings']//*[contains(., 'more than three corners')]").await?;
    let asset = session.api("/assets/1").await?;
    ensure!(asset["recipe"]["high"].as_array().map(Vec::len) == Some(1), "nothing of the broken file is kept");

    session.css("aside h1").await?.click().await?;
    session.press(&['b']).await?;
    let runs = session.runs_until(1, "the proof", |r| r.first().is_some_and(|r| r["status"] == "done")).await?;
    ensure!(runs[0]["report"]["misses"] == 0, "{}", runs[0]["report"]);
    session.stop("Review").await?;
    session.xpath(&format!("//h2[starts-with(., 'Run {}, proof')]", runs[0]["number"])).await?;

    // Pointing at the sheet tells the texel, and marks the model.
    let sheet = session.css("section[aria-label='Sheet stage'] canvas").await?;
    let (x, y, width, height) = sheet.rectangle().await?;
    session.point_at(x + width * 0.35, y + height * 0.55).await?;
    session.xpath("//section[@aria-label='Sheet stage']//*[@role='status' and contains(., 'lid')]").await?;
    let marked = "[...document.querySelectorAll('section[aria-label=\"Model stage\"] > div')].some(d => d.style.display === 'block')";
    session.until("the mark on the model", marked).await?;

    // Keys: the sheet alone, the list of keys, the command box.
    session.press(&['3']).await?;
    let alone = "document.querySelector('section[aria-label=\"Model stage\"]').clientWidth === 0";
    session.until("the sheet alone", alone).await?;
    session.press(&['2']).await?;
    session.press(&['?']).await?;
    session.xpath("//*[@role='dialog']//h1[.='Keyboard and mouse']").await?;
    session.press(&[Key::Escape.into()]).await?;
    session.until("the list to close", "!document.querySelector('[role=dialog]')").await?;
    session.control('k').await?;
    let command = session.css("input[placeholder='Find a command, part or finding']").await?;
    command.send_keys("deliv").await?;
    command.send_keys(&char::from(Key::Enter).to_string()).await?;
    session.css("aside[aria-label='Deliver']").await?;
    session.close().await
}

/// Files that a hand lets go of over a place of the page. The hand is the system's, which no driver moves: the page gets the events
/// that the browser makes of it, with real files in them.
async fn let_go(session: &Session, over: &str, files: &[(&str, &str)]) -> Result<()> {
    let script = "const [over, files] = arguments; const held = new DataTransfer(); \
        for (const [name, text] of files) held.items.add(new File([text], name)); \
        const at = document.querySelector(over); \
        const event = (type) => new DragEvent(type, { bubbles: true, cancelable: true, dataTransfer: held }); \
        const taken = !at.dispatchEvent(event('dragover')); \
        window.shown = document.body.innerText.includes('Drop files to import them'); \
        setTimeout(() => { \
            window.shown ||= document.body.innerText.includes('Drop files to import them'); at.dispatchEvent(event('drop')); \
        }, 100); return taken";
    let taken = session.page.execute(script, vec![over.into(), serde_json::json!(files)]).await?;
    ensure!(taken == Value::Bool(true), "the page lets files be dropped on {over}");
    Ok(())
}

/// Files dropped on the sheet stage, at another stop, come in: those whose names tell what they are by one button.
#[tokio::test(flavor = "multi_thread")]
async fn files_are_dropped_on_the_window() -> Result<()> {
    let session = Session::start(Start { samples: false, ..Start::default() }).await?;
    session.css("aside").await?;
    session.asset_menu().await?.click().await?;
    session.xpath("//*[@role='menuitem' and contains(., 'New asset')]").await?.click().await?;
    session.stop("Reach").await?;
    let stage = "section[aria-label='Sheet stage'] canvas";
    let_go(&session, stage, &[("lid_low.obj", LID), ("lid_high.obj", CARVED)]).await?;
    session.css("aside[aria-label='Meshes']").await?;
    ensure!(
        session.page.execute("return window.shown", vec![]).await? == Value::Bool(true),
        "the window says what it takes"
    );
    session.button("Import 2 files").await?.click().await?;
    let both = |view: &Value| view["missing"].is_null() && view["meshes"].as_array().is_some_and(|m| m.len() == 2);
    let asset = session.asset_until(1, "both files", both).await?;
    ensure!(asset["name"] == "Lid", "a new asset is named after its first file: {}", asset["name"]);
    // What is no mesh is refused in words, and nothing of it is kept.
    let_go(&session, "header", &[("notes.txt", "buy chalk")]).await?;
    session.xpath("//aside//*[contains(., 'notes.txt')]").await?;
    ensure!(session.api("/assets/1").await?["meshes"].as_array().map(Vec::len) == Some(2));
    session.close().await
}

/// Goes on with the Tab key until what has the focus is called so.
async fn tab_to(session: &Session, name: &str) -> Result<()> {
    let focused = "const e = document.activeElement; \
        return (e.getAttribute('aria-label') ?? e.textContent).replace(/\\s+/g, ' ').trim()";
    let mut met = Vec::new();
    for _ in 0..120 {
        session.press(&[Key::Tab.into()]).await?;
        let at = session.page.execute(focused, vec![]).await?;
        let at = at.as_str().unwrap_or_default();
        if at.starts_with(name) {
            return Ok(());
        }
        met.push(at.chars().take(40).collect::<String>());
    }
    anyhow::bail!("Tab never comes to {name}; it came to {met:?}")
}

/// From two files to a zip without a pointer.
#[tokio::test(flavor = "multi_thread")]
async fn from_files_to_a_zip_by_keys_alone() -> Result<()> {
    let session = Session::start(Start { samples: false, ..Start::default() }).await?;
    let folder = tempfile::tempdir()?;
    for (name, text) in [("lid_low.obj", LID), ("lid_high.obj", CARVED)] {
        std::fs::write(folder.path().join(name), text)?;
    }
    let enter = [char::from(Key::Enter)];
    // A new asset, from the menu.
    session.css("header button[aria-haspopup=menu]").await?;
    tab_to(&session, "Asset:").await?;
    session.press(&enter).await?;
    session.css("[role=menu]").await?;
    session
        .until("the first line to have the focus", "document.activeElement.getAttribute('role') === 'menuitem'")
        .await?;
    session.press(&enter).await?;
    session.until("the new asset", "location.pathname === '/asset/1/meshes'").await?;
    session.until("the menu to close", "!document.querySelector('[role=menu]')").await?;
    // The button opens the system's own list of files; what is chosen there is what the field holds.
    tab_to(&session, "Choose files").await?;
    session
        .page
        .execute(
            "window.opened = 0; document.querySelector(\"input[aria-label='Mesh files']\").addEventListener('click', e => { \
                window.opened += 1; e.preventDefault() })",
            vec![],
        )
        .await?;
    session.press(&enter).await?;
    session.until("the list of files to be asked for", "window.opened === 1").await?;
    let picker = session.page.find(Locator::Css("input[aria-label='Mesh files']")).await?;
    let names = ["lid_low.obj", "lid_high.obj"].map(|name| folder.path().join(name).display().to_string());
    picker.send_keys(&names.join("\n")).await?;
    session.button("Import 2 files").await?;
    tab_to(&session, "Import 2 files").await?;
    session.press(&enter).await?;
    session.asset_until(1, "both files", |view| view["missing"].is_null()).await?;
    // The final, by its key; then the stop and the zip.
    session.press(&[Key::Shift.into(), 'B']).await?;
    session.runs_until(1, "the final", |r| r.iter().any(|r| r["kind"] == "final" && r["status"] == "done")).await?;
    tab_to(&session, "Deliver").await?;
    session.press(&enter).await?;
    session.css("aside[aria-label='Deliver']").await?;
    session.xpath("//a[contains(., 'Download the maps')]").await?;
    tab_to(&session, "Download the maps").await?;
    session.press(&enter).await?;
    let zip = session.downloaded("zip").await?;
    let archive = zip::ZipArchive::new(std::fs::File::open(zip)?)?;
    let names = archive.file_names().collect::<Result<Vec<_>, _>>()?;
    ensure!(names.iter().any(|n| n == "lid_low_normal.png") && names.iter().any(|n| n == "recipe.json"), "{names:?}");
    session.close().await
}

fn unpack(zip: &Path, into: &Path) -> Result<()> {
    let mut archive = zip::ZipArchive::new(std::fs::File::open(zip)?)?;
    archive.extract(into)?;
    Ok(())
}

fn pixels(path: &Path) -> Result<(png::BitDepth, Vec<u8>)> {
    let mut bytes = Vec::new();
    std::fs::File::open(path).with_context(|| path.display().to_string())?.read_to_end(&mut bytes)?;
    let mut reader = png::Decoder::new(std::io::Cursor::new(bytes)).read_info()?;
    let mut out = vec![0; reader.output_buffer_size().context("size")?];
    let info = reader.next_frame(&mut out)?;
    out.truncate(info.buffer_size());
    Ok((info.bit_depth, out))
}
