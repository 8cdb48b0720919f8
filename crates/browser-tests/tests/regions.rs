//! Baking a region and taking a finding's remedy in a real browser: a rectangle dragged on the sheet becomes a run of its own that says
//! what it is; a button at a finding changes the recipe, as one step that can be undone.

use anyhow::{Context, Result, ensure};
use ember_ridge_browser_tests::{Session, Start, wait_until};
use serde_json::Value;

/// The middle of a stage's canvas, and its width, in pixels of the window.
async fn middle_of(session: &Session, canvas: &str) -> Result<[f64; 3]> {
    let script = format!(
        "const b = document.querySelector(\"canvas[aria-label^='{canvas}']\").getBoundingClientRect();
         return [b.x + b.width / 2, b.y + b.height / 2, b.width];"
    );
    Ok(serde_json::from_value(session.page.execute(&script, Vec::new()).await?)?)
}

/// Changes the asset's recipe as another place would, and shows it.
async fn patch(session: &Session, changes: &str) -> Result<()> {
    let script = format!(
        "const done = arguments[0];
         fetch('/api/assets/1').then((answer) => answer.json()).then((asset) =>
            fetch('/api/assets/1/recipe', {{ method: 'PATCH', body: JSON.stringify({changes}),
                headers: {{ 'Content-Type': 'application/json', 'If-Match': `\"${{asset.revision}}\"` }} }}))
            .then((answer) => done(answer.status));"
    );
    let status = session.page.execute_async(&script, Vec::new()).await?;
    ensure!(status == 200, "{status}");
    Ok(())
}

async fn strokes(session: &Session) -> Result<Vec<Value>> {
    let asset = session.api("/assets/1").await?;
    Ok(asset["recipe"]["reach"]["strokes"].as_array().cloned().unwrap_or_default())
}

#[tokio::test(flavor = "multi_thread")]
async fn a_region_is_baked_and_a_remedy_taken() -> Result<()> {
    let session = Session::start(Start::default()).await?;
    session.samples_ready().await?;
    session.stop("Review").await?;
    session.button("Choose the region").await?.click().await?;
    let [x, y, width] = middle_of(&session, "Sheet").await?;
    session.drag((x - width / 12.0, y - 20.0), (x + width / 12.0, y + 40.0)).await?;
    session.button("Bake it").await?.click().await?;
    let is_done = |run: &Value| run["region"].is_string() && run["status"] == "done";
    let runs = session.runs_until(1, "the region to be baked", |runs| runs.iter().any(is_done)).await?;
    let run = runs.iter().find(|run| is_done(run)).context("a region")?;
    let words = run["region"].as_str().context("words")?;
    let number = run["number"].clone();
    ensure!(words.starts_with("region of ") && words.contains(" % into run "), "{words}");
    // The page shows it and says what it is; nothing is chosen any more.
    session.xpath(&format!("//*[.='Run {}, {words}']", run["number"])).await?;
    session.xpath(&format!("//*[@aria-label='Runs']//b[normalize-space()='{} region']", run["number"])).await?;
    session.button("Choose the region").await?;

    // Painted on the model it is one too.
    session.button("Choose the region").await?.click().await?;
    let [x, y, _] = middle_of(&session, "Model").await?;
    session.drag((x - 40.0, y + 60.0), (x + 40.0, y + 60.0)).await?;
    session.button("Bake it").await?.click().await?;
    let painted = |run: &Value| is_done(run) && run["number"] != number;
    let runs = session.runs_until(1, "the painted area to be baked", |runs| runs.iter().any(painted)).await?;
    let run = runs.iter().find(|run| painted(run)).context("a second region")?;
    let detail = session.api(&format!("/runs/{}", run["id"])).await?;
    let rectangles = detail["report"]["recipe"]["region"]["rectangles"].as_array().map_or(0, Vec::len);
    ensure!(rectangles > 1, "a drag over the model passes more than one place, not {rectangles}");

    // With next to no reach rays miss; the finding's button raises it there, and one undo takes it away again.
    patch(&session, r#"[{ "at": ["reach", "out"], "to": 0.0005 }, { "at": ["reach", "in"], "to": 0.0005 }]"#).await?;
    let known = session.api("/assets/1/runs").await?["runs"].as_array().map_or(0, Vec::len);
    session.press(&['b']).await?;
    session
        .runs_until(1, "a proof with misses", |runs| {
            runs.len() > known && runs.first().is_some_and(|run| run["status"] == "done")
        })
        .await?;
    let finding = session.xpath("//li//button[contains(., 'No ray hits the sculpt')]").await?;
    session
        .page
        .execute("arguments[0].scrollIntoView({ block: 'center' })", vec![serde_json::to_value(&finding)?])
        .await?;
    finding.click().await?;
    session.button("Raise reach there").await?.click().await?;
    wait_until("the stroke to be kept", async || Ok(strokes(&session).await?.len() == 1)).await?;
    ensure!(strokes(&session).await?[0]["brush"] == "more", "{:?}", strokes(&session).await?);
    session.control('z').await?;
    wait_until("the stroke to be undone", async || Ok(strokes(&session).await?.is_empty())).await?;
    session.close().await
}
