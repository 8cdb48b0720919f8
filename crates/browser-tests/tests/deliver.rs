//! Deliver in a real browser: a profile is changed as a copy, files are listed, a delivery is made and replaced once that was confirmed, its
//! bytes are the command line's, and the receiver shows the GLB beside the sculpt.

use anyhow::{Context, Result, ensure};
use ember_ridge_browser_tests::{Session, Start, program, wait_for, wait_until};
use fantoccini::key::Key;
use serde_json::Value;
use std::collections::BTreeMap;
use std::path::Path;
use std::process::Command;

/// The files of a delivery by their BLAKE3, but for those that tell its version.
fn hashes(facts: &Value) -> BTreeMap<String, String> {
    let files = facts["files"].as_array().into_iter().flatten();
    let word = |file: &Value, key: &str| file[key].as_str().unwrap_or_default().to_owned();
    files.map(|file| (word(file, "file"), word(file, "blake3"))).collect()
}

async fn delivered(session: &Session, count: usize) -> Result<Value> {
    wait_for("the delivery", async || {
        let list = session.api("/assets/1/deliveries").await?;
        Ok(list.as_array().filter(|all| all.len() == count).map(|all| all[0].clone()))
    })
    .await
}

#[tokio::test(flavor = "multi_thread")]
async fn a_profile_is_changed_and_what_it_delivers_is_the_command_lines() -> Result<()> {
    let session = Session::start(Start::default()).await?;
    session.samples_ready().await?;
    session.stop("Deliver").await?;
    session.xpath("//aside//li//b[.='Lookout_lantern_Normal.png']").await?;
    // A shipped profile is changed as a copy: no picture changes its green in silence.
    session.button("Names, orientation, size").await?.click().await?;
    session.xpath("//*[@aria-label='Green of normals']//button[.='Y-']").await?.click().await?;
    let name = session.css("input[aria-label='Name of the changed profile']").await?;
    ensure!(name.prop("value").await?.as_deref() == Some("metal-rough-packed-2"));
    let pattern = session.css("input[aria-label='File names']").await?;
    pattern.click().await?;
    session.control('a').await?;
    pattern.send_keys("{map}/{asset}_{size}").await?;
    let of_size = session.xpath("//aside//li//b[starts-with(., 'Normal/Lookout_lantern_')]").await?;
    ensure!(of_size.text().await?.ends_with(".png"));
    session.button("Keep").await?.click().await?;
    wait_until("the profile to be kept", async || {
        let profiles = session.api("/profiles").await?;
        Ok(profiles.as_array().is_some_and(|all| all.len() == 6 && all[5]["profile"]["y"] == "-"))
    })
    .await?;

    session.xpath("//aside//button[normalize-space()='Deliver']").await?.click().await?;
    let first = delivered(&session, 1).await?;
    session.xpath("//section[@aria-label='Delivered']//p[contains(., 'checks, all fine')]").await?;
    // Into the same folder only when that is confirmed; what was there stays.
    session.button("Deliver version 2").await?.click().await?;
    let asked = session.css("[role=alertdialog]").await?.text().await?;
    ensure!(asked.contains("Version 1 is there") && asked.contains("metal-rough-packed-2.v001"), "{asked}");
    session.button("Cancel").await?.click().await?;
    ensure!(session.api("/assets/1/deliveries").await?.as_array().map(Vec::len) == Some(1));
    session.button("Deliver version 2").await?.click().await?;
    session.button("Replace").await?.click().await?;
    let second = delivered(&session, 2).await?;
    let place = Path::new(second["place"].as_str().context("a place")?);
    ensure!(place.with_file_name("metal-rough-packed-2.v001").join("facts.json").is_file());

    // The command line delivers the same bytes of the same bake.
    let run = &session.api("/assets/1").await?["runs"];
    let run = run.as_array().into_iter().flatten().find(|run| run["number"] == first["run"]).context("the run")?["id"]
        .clone();
    let folder = tempfile::tempdir()?;
    let at = folder.path();
    let script = "const [run, done] = arguments; fetch(`/api/runs/${run}/package`).then(r => r.blob()).then(b => { \
        const reader = new FileReader(); reader.onload = () => done(reader.result.split(',')[1]); reader.readAsDataURL(b); });";
    let packed = session.page.execute_async(script, vec![run]).await?;
    let packed = base64::Engine::decode(&base64::engine::general_purpose::STANDARD, packed.as_str().context("a zip")?)?;
    zip::ZipArchive::new(std::io::Cursor::new(packed))?.extract(at.join("out"))?;
    std::fs::copy(place.join("profile.json"), at.join("mine.json"))?;
    let command = |arguments: &[&str]| -> Result<()> {
        let made =
            Command::new(program()?).args(arguments).current_dir(at).env("EMBER_RIDGE_DRAFT_SAMPLES", "1").output()?;
        ensure!(made.status.success(), "{}", String::from_utf8_lossy(&made.stderr));
        Ok(())
    };
    command(&["sample", "lookout-lantern", "--out", "meshes"])?;
    command(&["deliver", "out", "--profile", "mine.json", "--to", "to", "--meshes", "meshes"])?;
    let facts: Value = serde_json::from_str(&std::fs::read_to_string(at.join("to/facts.json"))?)?;
    ensure!(hashes(&facts) == hashes(&first), "{:#?}\n{:#?}", hashes(&facts), hashes(&first));
    ensure!(
        std::fs::read(at.join("to/facts.json"))?
            == std::fs::read(place.with_file_name("metal-rough-packed-2.v001").join("facts.json"))?
    );

    receiver(&session, &second).await?;
    session.close().await
}

/// The receiver draws both halves, says what a loader found, and draws otherwise without the normals.
async fn receiver(session: &Session, delivery: &Value) -> Result<()> {
    let link = session.xpath("//section[@aria-label='Delivered']//a[normalize-space()='Receiver']").await?;
    let address = link.attr("href").await?.context("an address")?;
    session.page.goto(&format!("http://127.0.0.1:{}{address}", session.port)).await?;
    session.css("#receiver[data-ready=yes]").await?;
    let left = session.css(".caption.left .about").await?.text().await?;
    ensure!(left.contains("tangents inside") && left.contains("normals") && left.contains("occlusion"), "{left}");
    let right = session.css(".caption.right .about").await?.text().await?;
    ensure!(right.contains("triangles shown"), "{right}");
    ensure!(session.page.execute("return document.querySelectorAll('.fault').length", vec![]).await? == 0);
    let before = wait_for("both halves to be drawn", async || {
        Ok(Some(halves(session).await?).filter(|h| h.iter().all(|v| *v > 8.0)))
    })
    .await?;
    session.button("Normals").await?.click().await?;
    wait_until("the left half alone to change", async || {
        let after = halves(session).await?;
        Ok(after[0] != before[0] && after[1] == before[1])
    })
    .await?;
    session.press(&[Key::Right.into()]).await?;
    wait_until("the sun to move over both", async || {
        let after = halves(session).await?;
        Ok(after[0] != before[0] && after[1] != before[1])
    })
    .await?;
    // A delivery that is not there is told in the page's own words.
    session
        .page
        .goto(&format!("http://127.0.0.1:{}/receiver.html?asset=1&delivery=99&file=none.glb", session.port))
        .await?;
    let told = session.css(".caption.left .fault").await?.text().await?;
    ensure!(!told.is_empty() && delivery["version"] == 2, "{told}");
    Ok(())
}

/// How far each half is from one colour: the standard deviation of its brightness.
async fn halves(session: &Session) -> Result<[f64; 2]> {
    let script = "const from = document.querySelector('canvas'); const to = document.createElement('canvas'); \
        [to.width, to.height] = [256, 128]; const pen = to.getContext('2d'); pen.drawImage(from, 0, 0, 256, 128); \
        return [0, 128].map(x => { const d = pen.getImageData(x, 24, 128, 80).data; let [s, q, n] = [0, 0, 0]; \
        for (let i = 0; i < d.length; i += 4) { const v = d[i] + d[i + 1] + d[i + 2]; s += v; q += v * v; n++; } \
        return Math.sqrt(q / n - (s / n) ** 2); })";
    let told = session.page.execute(script, vec![]).await?;
    let half = |n: usize| told[n].as_f64().context("a number");
    Ok([half(0)?, half(1)?])
}
