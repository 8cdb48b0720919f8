//! The queue in a real browser: finals of two assets, put in order, held, removed; a coarse picture at once; and what the tab tells.

use anyhow::{Result, ensure};
use ember_ridge_browser_tests::{Session, Start, wait_until};
use fantoccini::key::Key;
use serde_json::Value;

async fn names(session: &Session) -> Result<Vec<String>> {
    let queue = session.api("/queue").await?;
    let name = |q: &Value| format!("{} {}", q["asset_name"].as_str().unwrap_or_default(), q["run"]["status"]);
    Ok(queue.as_array().into_iter().flatten().map(name).collect())
}

async fn names_until(session: &Session, wanted: &[&str]) -> Result<()> {
    wait_until(&format!("the queue to be {wanted:?}"), async || Ok(names(session).await? == wanted)).await
}

#[tokio::test(flavor = "multi_thread")]
async fn finals_are_watched_held_put_in_order_and_removed() -> Result<()> {
    let session = Session::start(Start::default()).await?;
    session.samples_ready().await?;
    // A final of the lantern that takes minutes, then two of other assets.
    for asset in ["Lookout lantern", "Boundary stone", "Shingle tile"] {
        session.asset_menu().await?.click().await?;
        session.xpath(&format!("//*[@role='menuitem' and contains(., '{asset}')]")).await?.click().await?;
        session.stop("Maps").await?;
        session.choose("Size", "2048 x 2048").await?;
        session.xpath("//*[@aria-label='Samples per texel']//button[.='16']").await?.click().await?;
        session.stop("Bake").await?;
        session.button_starting("Bake the final").await?.click().await?;
        wait_until("the final to be queued", async || {
            let queue = session.api("/queue").await?;
            let own = |q: &Value| q["asset_name"] == asset && q["run"]["kind"] == "final";
            Ok(queue.as_array().is_some_and(|queue| queue.iter().any(own)))
        })
        .await?;
    }
    let running = ["Lookout lantern \"running\"", "Boundary stone \"waiting\"", "Shingle tile \"waiting\""];
    names_until(&session, &running).await?;
    // The sheet is full long before its first tiles are there.
    session.asset_menu().await?.click().await?;
    session.xpath("//*[@role='menuitem' and contains(., 'Lookout lantern')]").await?.click().await?;
    session.xpath("//*[starts-with(normalize-space(), 'Baking:')]").await?;
    session.until("the tab to tell", "/^\\d+ % Lookout lantern/.test(document.title)").await?;
    session.until("a ring in the tab", "document.querySelector('link[rel=icon]').href.startsWith('data:')").await?;

    // Put in order by keys, held while it runs, and removed.
    session
        .xpath("//button[starts-with(@aria-label, 'Move Shingle tile')]")
        .await?
        .send_keys(&Key::Up.to_string())
        .await?;
    let ordered = ["Lookout lantern \"running\"", "Shingle tile \"waiting\"", "Boundary stone \"waiting\""];
    names_until(&session, &ordered).await?;
    session.button("Hold").await?.click().await?;
    let held = ["Shingle tile \"running\"", "Lookout lantern \"waiting\"", "Boundary stone \"waiting\""];
    names_until(&session, &held).await?;
    session.xpath("//ol[@aria-label='Waiting']//*[contains(., 'on hold')]").await?;
    session.xpath("//button[starts-with(@aria-label, 'Remove Boundary stone')]").await?.click().await?;
    names_until(&session, &held[..2]).await?;
    session.button("Stop").await?.click().await?;
    names_until(&session, &held[1..2]).await?;
    // It goes on from what it had.
    session.xpath("//button[starts-with(@aria-label, 'Release Lookout lantern')]").await?.click().await?;
    names_until(&session, &running[..1]).await?;
    let queue = session.api("/queue").await?;
    ensure!(queue[0]["run"]["landed"].as_u64().is_some_and(|bytes| bytes > 0), "{queue}");
    session.button("Stop the bake").await?.click().await?;
    names_until(&session, &[]).await?;
    session.until("the tab to rest", "document.title === 'Lookout lantern – Ember Ridge'").await?;
    session.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn a_final_that_a_cluster_refuses_says_so_and_goes_on_here() -> Result<()> {
    // A command that answers with nothing but a failure.
    let cluster = Some(r#"{ "name": "night farm", "command": "false", "partition": "short" }"#);
    let session = Session::start(Start { cluster, ..Start::default() }).await?;
    session.samples_ready().await?;
    session.stop("Maps").await?;
    session.choose("Size", "512 x 512").await?;
    session.stop("Bake").await?;
    session.xpath("//*[@aria-label='Bake finals on']//button[.='night farm']").await?.click().await?;
    session.xpath("//*[@role='alert' and contains(., 'night farm does not answer now')]").await?;
    session.xpath("//p[contains(., '16 shares of 1 thread, partition short')]").await?;
    session.button_starting("Bake the final").await?.click().await?;
    let refused = session.xpath("//*[@role='alert' and contains(., 'night farm refused the job')]").await?;
    let words = refused.text().await?;
    ensure!(words.contains("Send it again once it is accepted, or go on here"), "{words}");
    let runs = session.runs_until(1, "the final to fail", |runs| runs[0]["status"] == "failed").await?;
    ensure!(runs[0]["cluster"] == "night farm", "{}", runs[0]);
    refused.find(fantoccini::Locator::XPath(".//button[.='Go on here']")).await?.click().await?;
    let runs = session.runs_until(1, "the final to be done", |runs| runs[0]["status"] == "done").await?;
    ensure!(runs[0]["cluster"].is_null() && runs[0]["size"] == 512, "{}", runs[0]);
    session.close().await
}
