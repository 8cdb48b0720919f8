//! Finish by clicks, drags and keys: a mask from a preset, set on its histogram, by example, by paint and by picking; broken up, baked,
//! delivered, and repeated by the command line to the byte.

use anyhow::{Context, Result, ensure};
use ember_ridge_browser_tests::{Session, Start};
use fantoccini::key::Key;
use serde_json::Value;

const LANTERN: i64 = 1;

async fn recipe_until(session: &Session, what: &str, enough: impl Fn(&Value) -> bool) -> Result<Value> {
    Ok(session.asset_until(LANTERN, what, |view| enough(&view["recipe"])).await?["recipe"].clone())
}

/// The place of the first mask, once `enough` says so.
async fn place_until(session: &Session, mask: usize, what: &str, enough: impl Fn(&Value) -> bool) -> Result<Value> {
    let recipe = recipe_until(session, what, |r| enough(&r["masks"][mask]["place"])).await?;
    Ok(recipe["masks"][mask]["place"].clone())
}

/// Waits until the open mask is measured, and gives its sentence.
async fn measured(session: &Session) -> Result<String> {
    session
        .until(
            "the mask to be measured",
            "document.querySelector(\"[aria-label='Mask on the stages']\")?.dataset.busy === 'false'",
        )
        .await?;
    Ok(session.css("[aria-label='The mask as a sentence']").await?.text().await?)
}

/// A place of the model stage, as shares of its width and height.
async fn on_model(session: &Session, x: f64, y: f64) -> Result<(f64, f64)> {
    let script = "const b = document.querySelector(\"section[aria-label='Model stage']\").getBoundingClientRect(); \
                  return [b.left, b.top, b.width, b.height]";
    let stage = session.page.execute(script, vec![]).await?;
    let number = |at: usize| stage[at].as_f64().context("a number");
    Ok((number(0)? + x * number(2)?, number(1)? + y * number(3)?))
}

/// Waits until no proof is under way: one that ends gives the stages other maps in the middle of a press.
async fn at_rest(session: &Session) -> Result<()> {
    let ended = |r: &Value| r["status"] != "running" && r["status"] != "waiting";
    session.runs_until(LANTERN, "proofs to end", |r| r.iter().all(ended)).await.map(drop)
}

async fn add_signal(session: &Session, label: &str) -> Result<()> {
    session.choose("Add a signal", label).await
}

#[tokio::test(flavor = "multi_thread")]
async fn masks_are_made_baked_and_repeated() -> Result<()> {
    let session = Session::start(Start::default()).await?;
    session.samples_ready().await?;
    // A small sheet of one other map: what is baked here is masks.
    let small = "const json = { 'Content-Type': 'application/json' }; \
        const asset = await (await fetch('/api/assets/1')).json(); \
        const recipe = { ...asset.recipe, maps: asset.recipe.maps.filter((m) => m.map === 'normal') }; \
        recipe.sheet = { ...recipe.sheet, size: 256 }; \
        await fetch('/api/assets/1/recipe', \
            { method: 'PUT', headers: json, body: JSON.stringify({ base: asset.revision, recipe }) });";
    session.page.execute(&format!("return (async () => {{ {small} }})()"), vec![]).await?;
    recipe_until(&session, "a small sheet", |r| r["sheet"]["size"] == 256).await?;
    session.masks().await?;

    // From a preset: it reads as a sentence, and both stages show it.
    session.xpath("//aside//button[b[.='rain-washed top']]").await?.click().await?;
    let sentence = measured(&session).await?;
    ensure!(sentence.starts_with("Facing up within") && sentence.contains("frayed by noise"), "{sentence}");
    let preset = place_until(&session, 0, "the preset", |p| p["terms"][0]["break_up"].is_object()).await?;

    // On the histogram, by the handle's keys: one rest of the hand, one undo step.
    let handle = "document.querySelector(\"[role=slider][aria-label$=': 1 from']\")";
    session.page.execute(&format!("{handle}.focus()"), vec![]).await?;
    session.press(&[Key::Right.into()]).await?;
    let from = |p: &Value| p["terms"][0]["from"][1].as_f64().unwrap_or_default();
    let before = from(&preset);
    place_until(&session, 0, "the end to move", |p| from(p) > before).await?;
    session.control('z').await?;
    place_until(&session, 0, "one undo", |p| from(p) == before).await?;

    by_example(&session).await?;
    by_paint(&session).await?;
    by_picking(&session).await?;
    broken_up(&session).await?;
    baked_and_repeated(&session).await?;
    session.close().await
}

/// Two places of the panes: what explains them is chosen, and is a place like any other.
async fn by_example(session: &Session) -> Result<()> {
    session.button("New mask").await?.click().await?;
    recipe_until(session, "a second mask", |r| r["masks"].as_array().is_some_and(|m| m.len() == 2)).await?;
    // At once, while the proof of the new mask lands.
    session.button("Pick examples").await?.click().await?;
    for (n, (x, y)) in [(0.47, 0.5), (0.55, 0.52)].into_iter().enumerate() {
        let at = on_model(session, x, y).await?;
        session.drag(at, at).await?;
        session.xpath(&format!("//button[@aria-label='Remove example {}']", n + 1)).await?;
    }
    // The answer to both places: each new example asks anew.
    let both = "document.querySelector(\"[aria-label='Proposals']\")?.innerText.includes('explains 2 of 2')";
    session.until("proposals for both", both).await?;
    let take = "const all = document.querySelectorAll(\"[aria-label='Proposals'] li button\"); \
        const said = all[0].querySelector('span').textContent; all[0].click(); return [all.length, said]";
    let taken = session.page.execute(take, vec![]).await?;
    let sentence = taken[1].as_str().context("a sentence")?.to_owned();
    ensure!(taken[0] == 3, "{taken}");
    place_until(session, 1, "the proposal", |p| p["terms"].as_array().is_some_and(|t| t.len() == 1)).await?;
    let told = measured(session).await?;
    ensure!(told.trim_end_matches('.') == sentence, "{told} and {sentence}");
    Ok(())
}

/// A stroke is one undo step, and takes white where it passes.
async fn by_paint(session: &Session) -> Result<()> {
    session.button("New mask").await?.click().await?;
    recipe_until(session, "a third mask", |r| r["masks"].as_array().is_some_and(|m| m.len() == 3)).await?;
    add_signal(session, "Paint").await?;
    at_rest(session).await?;
    session.xpath("//*[@aria-label='Brush']//button[.='Add']").await?.click().await?;
    let (from, to) = (on_model(session, 0.46, 0.7).await?, on_model(session, 0.56, 0.7).await?);
    session.drag(from, to).await?;
    let strokes = |p: &Value| p["terms"][0]["signal"]["strokes"].as_array().map_or(0, Vec::len);
    let place = place_until(session, 2, "a stroke", |p| strokes(p) == 1).await?;
    ensure!(place["terms"][0]["signal"]["strokes"][0]["brush"] == "add", "{place}");
    session.drag(to, from).await?;
    place_until(session, 2, "a second stroke", |p| strokes(p) == 2).await?;
    session.control('z').await?;
    place_until(session, 2, "undo of the second alone", |p| strokes(p) == 1).await?;
    session.press(&[Key::Escape.into()]).await?;
    ensure!(measured(session).await?.starts_with("Where it is painted"));
    Ok(())
}

/// A click picks a part; with Shift another joins it.
async fn by_picking(session: &Session) -> Result<()> {
    session.button("New mask").await?.click().await?;
    recipe_until(session, "a fourth mask", |r| r["masks"].as_array().is_some_and(|m| m.len() == 4)).await?;
    add_signal(session, "Region").await?;
    at_rest(session).await?;
    session.button("Pick").await?.click().await?;
    let at = on_model(session, 0.5, 0.7).await?;
    session.drag(at, at).await?;
    let names = |p: &Value| p["terms"][0]["signal"]["names"].as_array().cloned().unwrap_or_default();
    let place = place_until(session, 3, "a part", |p| names(p).len() == 1).await?;
    ensure!(names(&place)[0].as_str().is_some_and(|name| name.ends_with("_low")), "{place}");
    session.press(&[Key::Escape.into()]).await?;
    Ok(())
}

async fn broken_up(session: &Session) -> Result<()> {
    add_signal(session, "Facing").await?;
    place_until(session, 3, "a second term", |p| p["terms"].as_array().is_some_and(|t| t.len() == 2)).await?;
    session.xpath("//fieldset[@aria-label='Term 2']//label[contains(., 'Break up the edge')]").await?.click().await?;
    place_until(session, 3, "break-up", |p| p["terms"][1]["break_up"]["pattern"]["kind"] == "noise").await?;
    let sentence = measured(session).await?;
    ensure!(sentence.contains("and facing up") && sentence.contains("frayed by noise"), "{sentence}");
    session.button("Pack masks into one picture").await?.click().await?;
    recipe_until(session, "a packed picture", |r| {
        r["maps"].as_array().is_some_and(|maps| maps.iter().any(|m| m["map"] == "packed" && m["alpha"].is_string()))
    })
    .await?;
    Ok(())
}

/// The final with its masks, as the browser saves it, against the command line.
async fn baked_and_repeated(session: &Session) -> Result<()> {
    let [browser, line] = session.delivered_and_repeated(LANTERN, "lookout-lantern").await?;
    for part in ["rain-washed-top", "mask", "mask-2", "mask-3", "masks"] {
        let name = format!("lookout_lantern_low_{part}.png");
        let read = |folder: &tempfile::TempDir| std::fs::read(folder.path().join(&name)).context(name.clone());
        ensure!(read(&line)? == read(&browser)?, "{name} differs from the browser's");
    }
    Ok(())
}
