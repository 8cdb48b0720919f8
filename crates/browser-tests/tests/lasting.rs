//! What is edited in the page lasts: through a server that ends and begins, a reload before the hand has rested, and another place's
//! edits. And one press of Escape does one thing.

use anyhow::{Context, Result, ensure};
use ember_ridge_browser_tests::{Session, Start};
use fantoccini::key::Key;
use serde_json::{Value, json};

async fn type_size(session: &Session, text: &str) -> Result<()> {
    let field = session.css("input[aria-label='Reach out']").await?;
    field.click().await?;
    field.send_keys(&format!("{text}{}", char::from(Key::Enter))).await?;
    Ok(())
}

async fn reach_out(session: &Session) -> Result<Value> {
    Ok(session.api("/assets/1").await?["recipe"]["reach"]["out"].clone())
}

/// An edit from elsewhere, as another tab makes it: over a way of asking that the page under test does not use.
async fn edit_elsewhere(session: &Session, at: Value, to: Value) -> Result<()> {
    let script = "const [at, to, done] = arguments; const ask = window.realFetch ?? window.fetch;
        ask('/api/assets/1').then(r => r.json()).then(a => ask('/api/assets/1/recipe', { method: 'PATCH',
            headers: { 'Content-Type': 'application/json', 'If-Match': `\"${a.revision}\"` },
            body: JSON.stringify([{ at, to }]) })).then(r => done(r.status), e => done(String(e)));";
    let status = session.page.execute_async(script, vec![at, to]).await?;
    ensure!(status == 200, "{status}");
    Ok(())
}

/// From here on edits find no server, until [`connect`].
async fn disconnect(session: &Session) -> Result<()> {
    let script = "window.realFetch ??= window.fetch; window.fetch = (asked, init) =>
        (asked.method ?? init?.method) === 'PATCH' ? Promise.reject(new TypeError('unplugged')) : window.realFetch(asked, init);";
    session.page.execute(script, vec![]).await?;
    Ok(())
}

async fn connect(session: &Session) -> Result<()> {
    session.page.execute("window.fetch = window.realFetch;", vec![]).await?;
    Ok(())
}

const NOT_SAVED: &str =
    "[...document.querySelectorAll('[role=status]')].some(e => e.textContent.includes('Not saved yet'))";

#[tokio::test(flavor = "multi_thread")]
async fn edits_outlive_servers_reloads_and_other_tabs() -> Result<()> {
    let mut session = Session::start(Start::default()).await?;
    session.samples_ready().await?;
    session.stop("Reach").await?;
    // Fitted: a number that comes while another is being typed would stand among its digits.
    session.xpath("//*[@aria-label='Reach out of the whole asset' and contains(., 'fitted, at most')]").await?;

    // The program ends; what is typed stays on the screen, and the page says that it is not saved.
    session.kill_program()?;
    type_size(&session, "0.07").await?;
    session.until("the page to say so", NOT_SAVED).await?;
    session.restart_program().await?;
    session.until("it to be saved", &format!("!({NOT_SAVED})")).await?;
    ensure!((reach_out(&session).await?.as_f64().context("a number")? - 0.07).abs() < 1e-6);

    // A reload before the hand has rested.
    type_size(&session, "0.08").await?;
    session.page.refresh().await?;
    session.css("nav[aria-label=Trail]").await?;
    let saved = "fetch('/api/assets/1').then(r => r.json()).then(a => { window.seen = a.recipe.reach.out }) && window.seen === 0.08";
    session.until("the edit to be saved after the reload", saved).await?;
    ensure!(session.page.execute(&format!("return {NOT_SAVED}"), vec![]).await? == json!(false));

    // Another tab's edit of something else shows here by itself, and neither takes the other's back.
    session.stop("Reach").await?;
    edit_elsewhere(&session, json!(["reach", "in"]), json!(0.3)).await?;
    session
        .until("it to show", "document.querySelector('input[aria-label=\"Reach in\"]')?.value.startsWith('0.3')")
        .await?;
    disconnect(&session).await?;
    type_size(&session, "0.09").await?;
    session.until("the page to say so", NOT_SAVED).await?;
    edit_elsewhere(&session, json!(["sheet", "padding"]), json!(5)).await?;
    connect(&session).await?;
    session.until("it to be saved", &format!("!({NOT_SAVED})")).await?;
    let recipe = session.api("/assets/1").await?["recipe"].clone();
    ensure!(
        recipe["reach"]["out"] == 0.09 && recipe["sheet"]["padding"] == 5 && recipe["reach"]["in"] == 0.3,
        "{recipe}"
    );

    // The same setting in both: both values are shown, and the one that is chosen holds.
    for (choice, holds) in [("theirs", 0.2), ("yours", 0.12)] {
        disconnect(&session).await?;
        type_size(&session, "0.12").await?;
        session.until("the page to say so", NOT_SAVED).await?;
        edit_elsewhere(&session, json!(["reach", "out"]), json!(0.2)).await?;
        connect(&session).await?;
        let both = session.xpath("//*[@role='dialog' and contains(., '0.12') and contains(., '0.2')]").await?;
        ensure!(both.text().await?.contains("Changed in two places"));
        session.css(&format!("[role=dialog] input[aria-label='reach out: keep {choice}']")).await?.click().await?;
        session.button("Keep these").await?.click().await?;
        session
            .until("it to be settled", &format!("!({NOT_SAVED}) && !document.querySelector('[role=dialog]')"))
            .await?;
        let held = format!("document.querySelector('input[aria-label=\"Reach out\"]')?.value.startsWith('{holds}')");
        session.until("the choice to show", &held).await?;
        ensure!(reach_out(&session).await? == holds, "{choice}");
        edit_elsewhere(&session, json!(["reach", "out"]), json!("auto")).await?;
        session.until("it to be fitted again", &format!("!({held})")).await?;
    }

    // A tab that cannot send closes: what it held is taken over by the next one that opens the asset, and sent once.
    let first = session.page.window().await?;
    let address = session.page.current_url().await?;
    let tab = session.page.new_window(true).await?;
    session.page.switch_to_window(tab.handle).await?;
    session.page.goto(address.as_str()).await?;
    session.stop("Reach").await?;
    disconnect(&session).await?;
    type_size(&session, "0.11").await?;
    session.until("the page to say so", NOT_SAVED).await?;
    session.page.switch_to_window(first.clone()).await?;
    session.page.refresh().await?;
    session.css("nav[aria-label=Trail]").await?;
    session.stop("Reach").await?;
    session.until("the fitted reach", "document.querySelector('input[aria-label=\"Reach out\"]') !== null").await?;
    ensure!(reach_out(&session).await? == "auto", "an open tab's edit is its own to send");
    session.page.switch_to_window(session.page.windows().await?.pop().context("two windows")?).await?;
    session.page.close_window().await?;
    session.page.switch_to_window(first.clone()).await?;
    session.page.refresh().await?;
    session
        .until(
            "it to be taken over",
            "document.querySelector('input[aria-label=\"Reach out\"]')?.value.startsWith('0.11')",
        )
        .await?;
    session.until("it to be saved", &format!("!({NOT_SAVED})")).await?;
    ensure!(reach_out(&session).await? == 0.11);

    // All tabs share one stream of events: six more leave room for everything else to be asked.
    for _ in 0..7 {
        let tab = session.page.new_window(true).await?;
        session.page.switch_to_window(tab.handle).await?;
        session.page.goto(address.as_str()).await?;
        session.css("section[aria-label='Ledger']").await?;
        session.xpath("//header//button[@aria-haspopup='menu' and contains(., 'lantern')]").await?;
    }
    session.page.switch_to_window(first).await?;
    session.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn escape_closes_what_is_open_and_keys_stay_out_of_menus() -> Result<()> {
    let session = Session::start(Start::default()).await?;
    session.samples_ready().await?;
    edit_elsewhere(&session, json!(["sheet"]), json!({ "size": 8192, "samples": 16, "padding": 4, "depth": "8" }))
        .await?;
    session.css("aside h1").await?.click().await?;
    session.press(&[Key::Shift.into(), 'B']).await?;
    session.css("[role=status][aria-label='Bake running']").await?;
    let runs = session.api("/assets/1").await?["run_count"].clone();
    let opens = "document.querySelector('[role=menu], [role=dialog]') !== null";
    for open in [session.asset_menu().await?, session.button("Keyboard and mouse").await?] {
        open.click().await?;
        session.until("it to open", opens).await?;
        // A single key in a menu or a dialog starts nothing.
        session.press(&['b']).await?;
        session.press(&[Key::Escape.into()]).await?;
        session.until("it to close", &format!("!({opens})")).await?;
    }
    session.control('k').await?;
    session.until("the command box", opens).await?;
    session.press(&[Key::Escape.into()]).await?;
    session.until("it to close", &format!("!({opens})")).await?;
    let asset = session.api("/assets/1").await?;
    ensure!(asset["run_count"] == runs, "no proof was started");
    ensure!(asset["runs"][0]["status"] == "running" || asset["runs"][0]["status"] == "waiting", "{}", asset["runs"][0]);

    // With nothing open, Escape stops the bake; its run can then be deleted, and the page tells what that frees.
    session.css("aside h1").await?.click().await?;
    session.press(&[Key::Escape.into()]).await?;
    session.runs_until(1, "it to stop", |r| r[0]["status"] == "stopped").await?;
    let number = asset["runs"][0]["number"].clone();
    session.css(&format!("button[aria-label='More for run {number}']")).await?.click().await?;
    session.xpath("//*[@role='menuitem'][starts-with(., 'Delete')]").await?.click().await?;
    session.xpath("//*[@role='dialog' and contains(., 'Frees')]").await?;
    session.button("Delete").await?.click().await?;
    session.runs_until(1, "it to be gone", |r| r[0]["number"] != number).await?;
    session.xpath("//*[contains(., 'freed.')]").await?;
    session.close().await
}
