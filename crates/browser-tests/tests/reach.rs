//! Reach by clicks, drags and keys: fit, numbers with a look that follows, brushes and their undo, plumb, needles, a cage out and
//! in, and the story of a texel.

use anyhow::{Context, Result, ensure};
use ember_ridge_browser_tests::{Session, Start};
use fantoccini::key::Key;
use serde_json::Value;

const LANTERN: i64 = 1;

/// The recipe's reach, once `enough` says so.
async fn reach_until(session: &Session, what: &str, enough: impl Fn(&Value) -> bool) -> Result<Value> {
    Ok(session.asset_until(LANTERN, what, |view| enough(&view["recipe"])).await?["recipe"].clone())
}

/// The middle of the model stage, in the window.
async fn middle(session: &Session) -> Result<(f64, f64)> {
    let script = "const b = document.querySelector(\"section[aria-label='Model stage']\").getBoundingClientRect(); \
                  return [b.left + b.width / 2, b.top + b.height * 0.62]";
    let place = session.page.execute(script, vec![]).await?;
    Ok((place[0].as_f64().context("x")?, place[1].as_f64().context("y")?))
}

async fn type_into(session: &Session, label: &str, text: &str) -> Result<()> {
    let field = session.css(&format!("input[aria-label='{label}']")).await?;
    field.click().await?;
    field.send_keys(&format!("{text}{}", char::from(Key::Enter))).await?;
    Ok(())
}

fn strokes(recipe: &Value) -> usize {
    recipe["reach"]["strokes"].as_array().map_or(0, Vec::len)
}

async fn legend(session: &Session, label: &str) -> Result<String> {
    let line = session.css(&format!("section[aria-label='Model stage'] [role=group][aria-label='{label}']")).await?;
    Ok(line.text().await?)
}

#[tokio::test(flavor = "multi_thread")]
async fn reaches_are_fitted_set_painted_and_traced() -> Result<()> {
    let session = Session::start(Start::default()).await?;
    session.samples_ready().await?;
    session.stop("Reach").await?;

    // The samples come fitted: the envelope holds the sculpt, and says so.
    session.xpath("//aside[@aria-label='Reach']//*[.='Sculpt enclosed']").await?;
    ensure!(legend(&session, "Envelope").await?.contains("rays start up to"));
    let marks =
        session.page.find_all(fantoccini::Locator::Css("[aria-label='Where the envelope falls short']")).await?;

    // A typed number: what follows the hand is told with its time, the envelope falls short, and that is marked.
    session
        .page
        .execute(
            "window.took = []; new MutationObserver(() => { const s = document.querySelector('[data-took]'); \
             if (s) window.took.push(Number(s.dataset.took)) }).observe(document.body, { subtree: true, childList: true, \
             attributes: true, attributeFilter: ['data-took'] })",
            vec![],
        )
        .await?;
    type_into(&session, "Reach out", "0.004").await?;
    reach_until(&session, "the number to be kept", |r| r["reach"]["out"] == 0.004).await?;
    session.until("a look to follow the hand", "window.took.length > 0").await?;
    let took = session.page.execute("return window.took", vec![]).await?;
    println!("reach change to its look on screen (draft lantern, 512): {took} ms");
    ensure!(legend(&session, "Where the envelope falls short").await?.contains("sculpt pokes out"));

    // Fit takes it back to every vertex's own.
    session.button("Fit").await?.click().await?;
    reach_until(&session, "the fit", |r| r["reach"]["out"] == "auto").await?;
    if marks.is_empty() {
        session.until("no marks", "!document.querySelector(\"[aria-label='Where the envelope falls short']\")").await?;
    }

    // A number of one pair's own.
    session.xpath("//section[@aria-label='Pairs']//button[contains(., 'cap_low')]").await?.click().await?;
    let own = session.css("[role=group][aria-label='Reach out of cap_low'] input[aria-label='Reach out']").await?;
    own.click().await?;
    own.send_keys(&format!("0.05{}", char::from(Key::Enter))).await?;
    let kept = reach_until(&session, "the pair's own number", |r| !r["reach"]["parts"].is_null()).await?;
    ensure!(kept["reach"]["parts"][0]["part"] == "cap_low" && kept["reach"]["parts"][0]["out"] == 0.05, "{kept}");

    // Needles by key, counted by what became of them.
    session.press(&['n']).await?;
    session.until("needles", "document.querySelector(\"[aria-label='Needles']\")").await?;
    ensure!(legend(&session, "Needles").await?.contains("hit"));

    // A stroke is one undo step; Escape puts the brush down, and then a drag turns the model instead.
    session.xpath("//*[@aria-label='Brush for reaches']//button[.='More']").await?.click().await?;
    let (x, y) = middle(&session).await?;
    session.drag((x - 20.0, y), (x + 40.0, y)).await?;
    let one = reach_until(&session, "a stroke", |r| strokes(r) == 1).await?;
    ensure!(one["reach"]["strokes"][0]["brush"] == "more", "{one}");
    ensure!(one["reach"]["strokes"][0]["path"].as_array().map_or(0, Vec::len) > 1, "{one}");
    session.xpath("//*[@aria-label='Brush for directions']//button[.='Plumb']").await?.click().await?;
    session.drag((x, y + 10.0), (x + 30.0, y + 10.0)).await?;
    reach_until(&session, "a second stroke", |r| strokes(r) == 2).await?;
    session.control('z').await?;
    reach_until(&session, "undo of the second alone", |r| strokes(r) == 1).await?;
    session.control('z').await?;
    reach_until(&session, "undo of the first", |r| strokes(r) == 0).await?;
    session.press(&[Key::Escape.into()]).await?;
    session.drag((x - 20.0, y), (x + 40.0, y)).await?;

    // All that leans, by one click.
    session.button("Paint plumb where details lean").await?.click().await?;
    let painted = reach_until(&session, "strokes over what leans", |r| strokes(r) > 0).await?;
    let all = painted["reach"]["strokes"].as_array().cloned().unwrap_or_default();
    ensure!(all.iter().all(|s| s["brush"] == "plumb"), "{painted}");
    session.control('z').await?;
    reach_until(&session, "one undo for all of them", |r| strokes(r) == 0).await?;

    // A click tells a texel's story: what the ray crossed, and what was taken.
    session
        .runs_until(LANTERN, "proofs to end", |r| {
            r.iter().all(|r| r["status"] != "running" && r["status"] != "waiting")
        })
        .await?;
    session.drag((x, y), (x, y)).await?;
    session.css("section[aria-label='Trace']").await?;
    session.xpath("//section[@aria-label='Trace']//li[contains(., 'hit')]").await?;
    session.press(&[Key::Escape.into()]).await?;
    session.until("the trace to close", "!document.querySelector(\"section[aria-label='Trace']\")").await?;
    a_cage_out_and_in(&session).await?;
    rays_of_a_texel(&session, (x, y)).await?;
    session.close().await
}

/// A texel of several samples has several rays; each is told.
async fn rays_of_a_texel(session: &Session, place: (f64, f64)) -> Result<()> {
    let bake = "const json = { 'Content-Type': 'application/json' }; \
        const asset = await (await fetch('/api/assets/1')).json(); \
        const recipe = { ...asset.recipe, maps: asset.recipe.maps.filter((m) => m.map === 'normal') }; \
        recipe.sheet = { ...recipe.sheet, size: 256, samples: 4 }; \
        await fetch('/api/assets/1/recipe', \
            { method: 'PUT', headers: json, body: JSON.stringify({ base: asset.revision, recipe }) }); \
        await fetch('/api/assets/1/runs', { method: 'POST', headers: json, body: JSON.stringify({ kind: 'final' }) });";
    session.page.execute(&format!("return (async () => {{ {bake} }})()"), vec![]).await?;
    let fine = |r: &Value| r["samples"] == 4 && r["size"] == 256 && r["status"] == "done";
    session.runs_until(LANTERN, "a final of four samples", |r| r.iter().any(fine)).await?;
    session.xpath("//*[@aria-label='Ledger']//button[contains(@title, '256 x 256, 4 samples')]").await?.click().await?;
    session.drag(place, place).await?;
    session.xpath("//section[@aria-label='Trace']//b[.='Ray 1 of 4']").await?;
    session.button("Next ray").await?.click().await?;
    session.xpath("//section[@aria-label='Trace']//b[.='Ray 2 of 4']").await?;
    session.xpath("//section[@aria-label='Trace']//button[starts-with(@aria-label, 'Ray 4')]").await?.click().await?;
    let chosen = "//section[@aria-label='Trace']//button[starts-with(@aria-label, 'Ray 4') and @aria-pressed='true']";
    session.xpath(chosen).await?;
    Ok(())
}

async fn a_cage_out_and_in(session: &Session) -> Result<()> {
    session.button("Export GLB").await?.click().await?;
    let cage = session.downloaded("glb").await?;
    let picker = session.css("input[aria-label='Cage file']").await?;
    picker.send_keys(&cage.display().to_string()).await?;
    let with = reach_until(session, "the cage to be kept", |r| !r["cage"].is_null()).await?;
    let kept = with["cage"].clone();
    session
        .until(
            "the cage's points to be told",
            "document.querySelector(\"aside[aria-label='Reach']\").innerText.includes('Use the envelope')",
        )
        .await?;

    // A cage of another mesh is refused with its name and what to do; the old one stays.
    let other = session.downloads.join("not_a_cage.obj");
    std::fs::write(&other, "v 0 0 0\nv 1 0 0\nv 0 0 1\nf 1 2 3\n")?;
    session.css("input[aria-label='Cage file']").await?.send_keys(&other.display().to_string()).await?;
    session
        .xpath("//*[contains(text(), 'not_a_cage.obj') and contains(text(), 'The envelope stays as it was')]")
        .await?;
    ensure!(session.api(&format!("/assets/{LANTERN}")).await?["recipe"]["cage"] == kept);
    session.button("Use the envelope").await?.click().await?;
    reach_until(session, "the envelope again", |r| r["cage"].is_null()).await?;
    Ok(())
}
