//! UVs mended by clicks: an edge is cut, islands are unwrapped, relaxed and packed, a point is pinned; figures and the proof follow, and undo
//! takes it all back. Islands are dragged on the sheet.

use anyhow::{Context, Result, bail, ensure};
use ember_ridge_browser_tests::{Session, Start, wait_until};
use serde_json::Value;
use std::time::Duration;

const STONE: i64 = 2;

fn steps(view: &Value) -> Vec<String> {
    let steps = view["recipe"]["low"][0]["steps"].as_array().cloned().unwrap_or_default();
    steps.iter().filter_map(|s| s["step"].as_str().map(str::to_owned)).collect()
}

/// Waits until the low-poly has just these steps.
async fn steps_until(session: &Session, wanted: &[&str]) -> Result<()> {
    session.asset_until(STONE, &format!("steps {wanted:?}"), |view| steps(view) == wanted).await?;
    // The next edit waits for this one.
    session.xpath("//section[@aria-label='UVs']//*[.='as steps']").await?;
    Ok(())
}

async fn figure(session: &Session, name: &str) -> Result<f64> {
    let state = session.api(&format!("/assets/{STONE}/uv-state")).await?;
    state["summary"][name].as_f64().with_context(|| format!("{name}: {state}"))
}

async fn median_density(session: &Session) -> Result<f64> {
    let report = session.api(&format!("/assets/{STONE}/uvs")).await?;
    report["median_density"].as_f64().context("a density")
}

/// The program with its samples, and the stone at Meshes.
async fn stone_at_meshes() -> Result<Session> {
    let session = Session::start(Start::default()).await?;
    session.samples_ready().await?;
    session.asset_menu().await?.click().await?;
    session.xpath("//*[@role='menuitem' and contains(., 'Boundary stone')]").await?.click().await?;
    session.stop("Meshes").await?;
    Ok(session)
}

/// Clicks the middle of the model.
async fn click_the_model(session: &Session) -> Result<()> {
    let (x, y, width, height) = session.css("section[aria-label='Model stage'] canvas").await?.rectangle().await?;
    let at = (x + width * 0.5, y + height * 0.5);
    session.point_at(at.0, at.1).await?;
    session.drag(at, at).await
}

#[tokio::test(flavor = "multi_thread")]
async fn an_edge_is_cut_islands_are_laid_flat_and_packed_and_undo_takes_it_back() -> Result<()> {
    let session = stone_at_meshes().await?;
    let before = median_density(&session).await?;
    let runs = session.asset_until(STONE, "the stone", |v| v["runs"].is_array()).await?["run_count"].clone();

    // Cut, and told before it is done.
    session.button("Seams").await?.click().await?;
    let marked = async || session.api(&format!("/assets/{STONE}")).await.map(|view| !steps(&view).is_empty());
    wait_until("an edge to be marked", async || {
        // A click too early, before the model is there, does nothing; one too many would clear the seam.
        if !marked().await? {
            click_the_model(&session).await?;
            tokio::time::sleep(Duration::from_secs(4)).await;
        }
        marked().await
    })
    .await?;
    steps_until(&session, &["seams"]).await?;
    ensure!((figure(&session, "marked").await? - 1.0).abs() < 0.5, "one edge is marked");

    // Laid flat: no face is flipped, and a proof follows.
    session.button("Unwrap all").await?.click().await?;
    steps_until(&session, &["seams", "unwrap"]).await?;
    ensure!(figure(&session, "flipped").await? == 0.0 && figure(&session, "marked").await? == 0.0);
    let laid = figure(&session, "energy").await?;
    session.asset_until(STONE, "a proof", |v| v["run_count"] != runs && v["runs"][0]["status"] == "done").await?;
    session.button("Relax all").await?.click().await?;
    steps_until(&session, &["seams", "unwrap", "relax"]).await?;
    ensure!(figure(&session, "energy").await? <= laid * 1.000_001, "relaxing does not raise the energy");

    session.button("Pins").await?.click().await?;
    click_the_model(&session).await?;
    steps_until(&session, &["seams", "unwrap", "relax", "pin"]).await?;
    ensure!((figure(&session, "pinned").await? - 1.0).abs() < 0.5, "one point is pinned");

    session.button("Pack").await?.click().await?;
    steps_until(&session, &["seams", "unwrap", "relax", "pin", "pack"]).await?;
    let packed = median_density(&session).await?;
    ensure!((packed / before - 1.0).abs() > 0.01, "density changed: {before} to {packed}");
    session.xpath("//table[@aria-label='UVs in figures']//th[contains(., 'Islands')]").await?;
    session.xpath("//ol[contains(@aria-label, 'Steps of')]/li[contains(., 'islands packed')]").await?;

    // Chosen islands are moved.
    session.button("Islands").await?.click().await?;
    click_the_model(&session).await?;
    session.button("Flip").await?.click().await?;
    steps_until(&session, &["seams", "unwrap", "relax", "pin", "pack", "move-uvs"]).await?;

    session.css("aside h1").await?.click().await?;
    for left in (0..6).rev() {
        session.control('z').await?;
        session.asset_until(STONE, "one step less", |view| steps(view).len() == left).await?;
    }
    ensure!((median_density(&session).await? / before - 1.0).abs() < 1e-6, "the layout is as it was");
    session.close().await
}

/// The box of the first island, low and high corners.
async fn first_island(session: &Session) -> Result<[f64; 4]> {
    let report = session.api(&format!("/assets/{STONE}/uvs")).await?;
    let island = &report["islands"][0];
    let at = |side: &str, axis: usize| island[side][axis].as_f64().context("a corner");
    Ok([at("low", 0)?, at("low", 1)?, at("high", 0)?, at("high", 1)?])
}

/// Places of the sheet, fitted into its stage, in pixels of the page; and how many a side has.
async fn sheet_places(session: &Session) -> Result<(impl Fn(f64, f64) -> (f64, f64) + use<>, f64)> {
    let (x, y, width, height) = session.css("section[aria-label='Sheet stage'] canvas").await?.rectangle().await?;
    let (margin, above) = (14.0, 44.0);
    let side = (width - 2.0 * margin).min(height - above - margin);
    let (left, top) = (x + (width - side) / 2.0, y + above + (height - above - margin - side) / 2.0);
    Ok((move |u: f64, v: f64| (left + u * side, top + (1.0 - v) * side), side))
}

#[tokio::test(flavor = "multi_thread")]
async fn islands_are_dragged_on_the_sheet_and_compared_with_the_file() -> Result<()> {
    let session = stone_at_meshes().await?;
    session.button("Islands").await?.click().await?;
    session.xpath("//table[@aria-label='UVs in figures']").await?;
    let (place, side) = sheet_places(&session).await?;
    let before = first_island(&session).await?;
    let middle = |[left, below, right, above]: [f64; 4]| ((left + right) / 2.0, (below + above) / 2.0);
    let drag = async |from: (f64, f64), by: (f64, f64)| {
        session.drag(place(from.0, from.1), place(from.0 + by.0, from.1 + by.1)).await
    };

    drag(middle(before), (-0.04, 0.03)).await?;
    steps_until(&session, &["move-uvs"]).await?;
    let moved = first_island(&session).await?;
    for ((was, is), by) in before.into_iter().zip(moved).zip([-0.04, 0.03, -0.04, 0.03]) {
        ensure!((is - was - by).abs() < 1.5 / side, "{before:?} to {moved:?}");
    }

    // By its upper right corner it is made smaller; the lower left one stays.
    let [left, below, right, above] = moved;
    let inward = (0.2 * (left - right), 0.2 * (below - above));
    drag((right, above), inward).await?;
    steps_until(&session, &["move-uvs", "move-uvs"]).await?;
    let smaller = first_island(&session).await?;
    let wanted = [left, below, right + inward.0, above + inward.1];
    ensure!(smaller.iter().zip(wanted).all(|(is, to)| (is - to).abs() < 2.0 / side), "{smaller:?}, not {wanted:?}");

    // Part of it is dragged far: it follows as far as no face flips. Relaxed, the energy is seen to fall.
    let even = figure(&session, "energy").await?;
    session.xpath("//label[contains(., 'Soft')]").await?.click().await?;
    drag(middle(smaller), (-0.3, 0.0)).await?;
    steps_until(&session, &["move-uvs"; 3]).await?;
    let dragged = figure(&session, "energy").await?;
    ensure!(dragged > even && figure(&session, "flipped").await? == 0.0, "energy {even} to {dragged}");
    session.xpath("//button[starts-with(., 'Relax')]").await?.click().await?;
    steps_until(&session, &["move-uvs", "move-uvs", "move-uvs", "relax"]).await?;
    let told = session.xpath("//*[@aria-label='Stretch energy while relaxing']//figcaption").await?.text().await?;
    let energies: Vec<f64> = told.split_whitespace().filter_map(|word| word.parse().ok()).collect();
    let [first, last] = energies[..] else { bail!("{told}") };
    // That of the island alone; 4 where no length changes.
    ensure!(first > dragged && last < first && last >= 4.0, "{told}, after {dragged} of all");
    ensure!(figure(&session, "energy").await? < even * 1.001);

    session.button("Stretch").await?.click().await?;
    session.xpath("//label[contains(., 'own layout')]").await?.click().await?;
    session.xpath("//*[@role='slider' and @aria-label='Wipe between as in the file and now']").await?;
    session.button("Off the sculpt").await?.click().await?;
    session.xpath("//figure[@aria-label='What the colours mean']//*[contains(., '99 % within')]").await?;
    session.close().await
}
