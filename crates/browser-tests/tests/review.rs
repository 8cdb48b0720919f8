//! Review in a real browser: maps are mended on the sheet and on the model, seen before and after, undone, and held through a re-bake of
//! another size; runs are named, starred, found, restored, compared side by side; files are held against the sculpt.

use anyhow::{Context, Result, ensure};
use ember_ridge_browser_tests::{Session, Start, wait_until};
use fantoccini::key::Key;
use serde_json::Value;

/// The middle of a stage's canvas, and its sides, in pixels of the window.
async fn place_of(session: &Session, canvas: &str) -> Result<[f64; 4]> {
    let script = format!(
        "const b = document.querySelector(\"canvas[aria-label^='{canvas}']\").getBoundingClientRect();
         return [b.x + b.width / 2, b.y + b.height / 2, b.width, b.height];"
    );
    let told = session.page.execute(&script, Vec::new()).await?;
    Ok(serde_json::from_value(told)?)
}

async fn mends(session: &Session) -> Result<Vec<Value>> {
    let asset = session.api("/assets/1").await?;
    Ok(asset["recipe"]["mends"]["strokes"].as_array().cloned().unwrap_or_default())
}

async fn mends_until(session: &Session, count: usize) -> Result<Vec<Value>> {
    wait_until(&format!("{count} mends to be kept"), async || Ok(mends(session).await?.len() == count)).await?;
    mends(session).await
}

/// Whether the sheet shows a picture in place of the run's own.
const DRAWN: &str =
    "document.querySelector(\"section[aria-label='Sheet stage']\").dataset.picture?.startsWith('blob:')";

/// The share open of a run at the middle of its sheet.
async fn occlusion(session: &Session, run: &Value) -> Result<f64> {
    let middle = run["size"].as_u64().context("a size")? / 2;
    let texel = session.api(&format!("/runs/{}/texel?x={middle}&y={middle}", run["id"])).await?;
    let map = texel["maps"].as_array().into_iter().flatten().find(|map| map["map"] == "ao").context("occlusion")?;
    map["channels"][0].as_f64().context("a number")
}

#[tokio::test(flavor = "multi_thread")]
async fn maps_are_mended_and_runs_kept_compared_and_measured() -> Result<()> {
    let session = Session::start(Start::default()).await?;
    session.samples_ready().await?;
    session.stop("Review").await?;
    session.choose("Map", "Occlusion").await?;

    // A value is set by a drag over the sheet: at once on screen, kept with what lies beneath.
    session.xpath("//*[@aria-label='Tool for mends']//*[.='Set']").await?.click().await?;
    let [x, y, width, _] = place_of(&session, "Sheet").await?;
    // Tools stand above the sheet, so that its middle lies below that of the stage.
    let y = y + 15.0;
    let step = width / 20.0;
    session.drag((x - step, y), (x + step, y)).await?;
    let kept = mends_until(&session, 1).await?;
    ensure!(kept[0]["tool"] == "set" && kept[0]["maps"] == serde_json::json!(["ao"]), "{kept:?}");
    ensure!(kept[0]["beneath"]["ao"].as_array().is_some_and(|places| !places.is_empty()), "{kept:?}");
    session.until("the mended map", DRAWN).await?;
    // No proof follows: the run that is looked at stays.
    let runs = session.api("/assets/1/runs").await?;
    let first = runs["runs"][0].clone();

    // Before and after, by key and by the box.
    session.press(&['v']).await?;
    session.until("the run's own map", &format!("!{DRAWN}")).await?;
    session.press(&['v']).await?;
    session.until("the mended map again", DRAWN).await?;

    // On the model too; then the newest is undone, first by its button, then by step.
    let [x, y, ..] = place_of(&session, "Model").await?;
    session.drag((x, y + 60.0), (x + 30.0, y + 60.0)).await?;
    mends_until(&session, 2).await?;
    session.xpath("//button[@aria-label='Undo the newest mend']").await?.click().await?;
    mends_until(&session, 1).await?;
    session.control('z').await?;
    mends_until(&session, 2).await?;
    session.control('z').await?;
    mends_until(&session, 1).await?;

    // Baked at another size it lies in the same place. Its middle is where the first drag went.
    session.stop("Bake").await?;
    session.button_starting("Bake a proof").await?.click().await?;
    let done = |runs: &[Value]| runs[0]["id"] != first["id"] && runs[0]["status"] == "done";
    let runs = session.runs_until(1, "a proof with the mend", done).await?;
    let proof = &runs[0];
    ensure!(proof["changes"].as_array().is_some_and(|said| said.iter().any(|s| s == "1 mend made")), "{proof}");
    let report = session.api(&format!("/runs/{}", proof["id"])).await?;
    ensure!(report["report"]["maps"]["ao"]["mends"] == 1, "{}", report["report"]["maps"]["ao"]);
    // The middle of the sheet lies under the stroke.
    let (before, after) = (occlusion(&session, &first).await?, occlusion(&session, proof).await?);
    ensure!(after < 0.05 && before > 0.2, "{before} before, {after} with the mend, which sets 0");

    // The run is named, starred, and found by its star.
    session.stop("Review").await?;
    let number = proof["number"].as_i64().context("a number")?;
    session.xpath(&format!("//button[@aria-label='Star run {number}']")).await?.click().await?;
    session.xpath(&format!("//button[@aria-label='More for run {number}']")).await?.click().await?;
    session.xpath("//*[@role='menuitem'][starts-with(., 'Name')]").await?.click().await?;
    let field = session.css(&format!("input[aria-label='Name of run {number}']")).await?;
    field.send_keys(&format!("with a mend{}", char::from(Key::Enter))).await?;
    session.xpath("//*[@aria-label='Runs']//*[.='with a mend']").await?;
    session.xpath("//button[@aria-label='Filter runs']").await?.click().await?;
    session.xpath("//label[contains(., 'Only with a star')]").await?.click().await?;
    session.until("one run", "document.querySelectorAll(\"[aria-label='Runs'] li\").length === 1").await?;
    session.button("Show all").await?.click().await?;
    session.until("all runs", "document.querySelectorAll(\"[aria-label='Runs'] li\").length > 1").await?;
    session.press(&[Key::Escape.into()]).await?;

    // Two runs beside each other on both stages.
    let other = session.xpath("//button[starts-with(@aria-label, 'B: compare')]").await?;
    session.page.execute("arguments[0].click()", vec![serde_json::to_value(other)?]).await?;
    session.xpath("//*[@aria-label='Shown of the two runs']//*[.='Beside']").await?.click().await?;
    session.xpath(&format!("//section[@aria-label='Sheet stage']//*[.='run {number}']")).await?;
    session.xpath("//*[@aria-label='Shown of the two runs']//*[.='Wipe']").await?.click().await?;
    session.css("section[aria-label='Sheet stage'] [role=slider]").await?.send_keys(&Key::Left.to_string()).await?;
    session.css("section[aria-label='Model stage'] [role=slider]").await?;
    session.choose("Other run", "no other").await?;

    // Files against the sculpt, with what the lantern's finishes add to it. A click shows where they are off.
    session.css("[data-truth=seams]").await?;
    session.xpath("//*[contains(., 'finishes add to the sculpt is counted in')]").await?;
    session.css("[data-truth=lit]").await?;
    session.xpath("//tr[@data-truth='seams']//button[.='Seams']").await?.click().await?;
    session
        .until(
            "where seams are off",
            "document.querySelector(\"section[aria-label='Sheet stage']\").dataset.picture?.includes('/heat?of=seams')",
        )
        .await?;

    // The settings of the first run come back as one step: without the mend.
    session.xpath(&format!("//button[@aria-label='More for run {}']", first["number"])).await?.click().await?;
    session.xpath("//*[@role='menuitem'][.='Restore its settings']").await?.click().await?;
    mends_until(&session, 0).await?;
    session.control('z').await?;
    mends_until(&session, 1).await?;
    session.close().await
}
