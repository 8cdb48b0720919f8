//! The page for those who do not see it, or use no mouse: what axe-core finds wrong at every stop, in both themes, and with what opens
//! over the page; and the way from files to a zip by keys alone.

use anyhow::{Context, Result, ensure};
use ember_ridge_browser_tests::{Session, Start};
use fantoccini::key::Key;
use serde_json::Value;

const AXE: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/../../web/node_modules/axe-core/axe.min.js");
const STOPS: [&str; 8] = ["Meshes", "Pairs", "Reach", "Maps", "Bake", "Review", "Finish", "Deliver"];

/// What axe-core finds wrong with the page as it is, one line for each place. `rules` is all of them, or one by name.
async fn violations(session: &Session, rules: &str) -> Result<Vec<String>> {
    if session.page.execute("return window.axe === undefined", vec![]).await? == Value::Bool(true) {
        let source = std::fs::read_to_string(AXE).context("`make web` fetches axe-core")?;
        session.page.execute(&format!("{source}; window.axe = axe;"), vec![]).await?;
    }
    let run = "const [rules, done] = arguments; \
        axe.run(document, { resultTypes: ['violations'], ...(rules === 'all' ? {} : { runOnly: [rules] }) }).then( \
        r => done(r.violations.flatMap(v => v.nodes.map(n => `${v.id}: ${n.target.join(' ')}: ${n.failureSummary}`))), \
        e => done([String(e)]))";
    let found = session.page.execute_async(run, vec![Value::from(rules)]).await?;
    let lines = found.as_array().context("a list")?.iter().filter_map(Value::as_str);
    Ok(lines.map(str::to_owned).collect())
}

async fn sound(session: &Session, theme: &str, whereabouts: &str) -> Result<()> {
    // Themes differ in their colours alone.
    let rules = if theme == "day" { "all" } else { "color-contrast" };
    let found = violations(session, rules).await?;
    ensure!(found.is_empty(), "{whereabouts}, {theme}: {found:#?}");
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn every_stop_is_sound_in_both_themes() -> Result<()> {
    let session = Session::start(Start::default()).await?;
    session.samples_ready().await?;
    // The check can fail: a picture without words is found.
    session.page.execute("document.body.append(document.createElement('img'))", vec![]).await?;
    ensure!(violations(&session, "all").await?.iter().any(|v| v.starts_with("image-alt")));
    session.page.execute("document.querySelector('body > img').remove()", vec![]).await?;
    for theme in ["day", "night"] {
        for stop in STOPS {
            session.stop(stop).await?;
            sound(&session, theme, stop).await?;
        }
        session.control('k').await?;
        session.css("[role=dialog]").await?;
        sound(&session, theme, "commands").await?;
        session.press(&[Key::Escape.into()]).await?;
        session.until("it to close", "!document.querySelector('[role=dialog]')").await?;
        session.asset_menu().await?.click().await?;
        session.xpath("//*[@role='menuitem' and contains(., 'watering can')]").await?.click().await?;
        session.xpath("//section[@aria-label='Ledger' and contains(., 'first proof')]").await?;
        session.stop("Meshes").await?;
        session.xpath("//section[@aria-label='Findings']//button[@aria-expanded]").await?.click().await?;
        sound(&session, theme, "a finding opened").await?;
        session.page.back().await?;
        session.page.back().await?;
        session.xpath("//header//button[contains(., 'Lookout lantern')]").await?;
        if theme == "day" {
            session.button("Night theme").await?.click().await?;
            session.until("night", "document.documentElement.dataset.theme === 'night'").await?;
        }
    }
    session.close().await
}

/// The address names asset, stop and run: a reload, the way back and a sent link open the same.
#[tokio::test(flavor = "multi_thread")]
async fn the_address_says_what_is_open() -> Result<()> {
    let session = Session::start(Start::default()).await?;
    session.samples_ready().await?;
    let at = |path: &str| format!("location.pathname + location.search === '{path}'");
    session.until("the first asset", &at("/asset/1/review")).await?;
    session.stop("Reach").await?;
    session.until("the stop", &at("/asset/1/reach")).await?;
    session.xpath("//section[@aria-label='Ledger']//button[contains(., '1 proof')]").await?.click().await?;
    let run = session.api("/assets/1").await?["runs"][1]["id"].clone();
    session.until("the run", &at(&format!("/asset/1/reach?run={run}"))).await?;
    session.page.refresh().await?;
    session.css("aside[aria-label='Reach']").await?;
    session.xpath("//section[@aria-label='Ledger']//button[@aria-pressed='true' and contains(., '1 proof')]").await?;
    session.page.back().await?;
    session.until("the newest run", &at("/asset/1/reach")).await?;
    session.page.back().await?;
    session.css("aside[aria-label='Review']").await?;
    session.page.forward().await.ok();
    // A link to another asset; one that names nothing that is there opens what is there.
    let port = session.port;
    for (path, opens, stop) in [
        ("asset/2/maps", "/asset/2/maps", "Maps"),
        ("asset/99/bake", "/asset/1/bake", "Bake"),
        ("asset/1/nowhere", "/asset/1/review", "Review"),
    ] {
        session.page.goto(&format!("http://127.0.0.1:{port}/{path}")).await?;
        session.until(path, &at(opens)).await?;
        session.css(&format!("aside[aria-label='{stop}']")).await?;
    }
    session.close().await
}

/// The stages by keys: the cursor is moved over the model and the sheet, and the texel under it traced.
#[tokio::test(flavor = "multi_thread")]
async fn a_texel_is_traced_by_keys() -> Result<()> {
    let session = Session::start(Start::default()).await?;
    session.samples_ready().await?;
    session.xpath("//h2[starts-with(., 'Run 2, final')]").await?;
    for stage in ["Model", "Sheet"] {
        let canvas = format!("section[aria-label='{stage} stage'] canvas");
        session.css(&canvas).await?;
        session.page.execute(&format!("document.querySelector(\"{canvas}\").focus()"), vec![]).await?;
        session.press(&[Key::Shift.into(), Key::Down.into()]).await?;
        session.css("[role=status][aria-label='Texel under the pointer']").await?;
        session.press(&[Key::Enter.into()]).await?;
        session.css("section[aria-label='Trace']").await?;
        session.press(&[Key::Escape.into()]).await?;
        session.until("the trace to close", "!document.querySelector(\"section[aria-label='Trace']\")").await?;
    }
    session.close().await
}
