//! Several assets in one go, and maps that come from elsewhere: an asset is baked and delivered by a batch, and the files that this wrote
//! come back in under the names of another program, to be held against the run they are of.

use anyhow::{Context, Result, ensure};
use ember_ridge_browser_tests::{Session, Start, wait_for};
use serde_json::Value;
use std::path::Path;

#[tokio::test(flavor = "multi_thread")]
async fn a_batch_delivers_an_asset_and_its_maps_come_back_as_another_programs() -> Result<()> {
    let session = Session::start(Start::default()).await?;
    session.samples_ready().await?;
    session.stop("Bake").await?;
    session.button("Choose assets…").await?.click().await?;
    session.button("None").await?.click().await?;
    session.xpath("//*[@role='dialog']//label[contains(., 'Lookout lantern')]").await?.click().await?;
    session.button("Bake 1 asset").await?.click().await?;
    // Its final stands already, so that it is only delivered.
    session.xpath("//li[@data-state='done']//*[contains(., 'version 1,')]").await?;
    let batch = session.api("/batches").await?[0].clone();
    let line = &batch["lines"][0];
    ensure!(line["delivery"]["folder"] == "Lookout lantern" && line["run"]["number"] == 2, "{batch}");
    let delivered = session.api("/assets/1/deliveries").await?;
    let place = Path::new(delivered[0]["place"].as_str().context("a place")?);

    let folder = tempfile::tempdir()?;
    let mut files = Vec::new();
    for (ours, theirs) in [("Normal", "lamp_NRM_4k"), ("Occlusion", "lamp-ambient-occlusion"), ("Id", "lamp_reference")]
    {
        let path = folder.path().join(format!("{theirs}.png"));
        std::fs::copy(place.join(format!("Lookout_lantern_{ours}.png")), &path)?;
        files.push(path.to_str().context("a path")?.to_owned());
    }
    session.stop("Review").await?;
    let input = session.css("input[aria-label='Map files']").await?;
    input.send_keys(&files.join("\n")).await?;
    let offered = session.xpath("//*[@role='dialog']//*[@aria-label='What lamp_reference.png holds']").await?;
    ensure!(offered.text().await? == "Leave out");
    session.choose("What lamp_reference.png holds", "ID").await?;
    session.button("Import 3 files").await?.click().await?;
    let run: Value = wait_for("the imported maps in the ledger", async || {
        let runs = session.api("/assets/1").await?["runs"].clone();
        Ok(runs.as_array().into_iter().flatten().find(|run| run["kind"] == "imported").cloned())
    })
    .await?;
    // What was looked at stays on screen, with the imported maps held against it: they are the same.
    let same = session.css("[data-same='3']").await?.text().await?;
    ensure!(same.contains("Normal") && same.contains("Occlusion") && same.contains("ID"), "{same}");
    ensure!(session.xpath("//section[@aria-label='Run 2, final']").await.is_ok());
    // They can be looked at themselves, and say what they are.
    let card = format!("//section[@aria-label='Ledger']//button[contains(., '{} imported')]", run["number"]);
    session.xpath(&card).await?.click().await?;
    let about = session.xpath(&format!("//section[@aria-label='Run {}, imported']", run["number"])).await?;
    ensure!(about.text().await?.contains("Made by another program"), "{}", about.text().await?);
    session.stop("Deliver").await?;
    session.xpath("//aside//p[contains(., 'These maps were imported')]").await?;
    session.close().await
}
