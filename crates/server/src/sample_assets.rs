//! Puts the sample assets into a fresh data folder, each with a finished bake, so that the first sight is a baked prop.

use crate::App;
use crate::api::{Event, MeshSummary, Role};
use crate::fault::{Result, aside};
use crate::scenes::summary_name;
use crate::views::run_changes;
use ember_ridge_core::Recipe;
use ember_ridge_core::recipe::MeshSource;
use ember_ridge_formats::mesh::{write_glb, write_obj, write_ply};
use ember_ridge_samples::{Detail, SAMPLES, make};
use ember_ridge_store::RunKind;
use std::sync::Arc;
use tokio::sync::broadcast::error::RecvError;

/// Adds what is missing, in the background: the page opens at once and fills as they come.
pub fn add_missing(app: Arc<App>) {
    tokio::spawn(async move {
        for name in SAMPLES {
            if let Err(fault) = add(&app, name).await {
                tracing::error!("sample {name}: {}", fault.text());
            }
        }
    });
}

async fn add(app: &Arc<App>, name: &'static str) -> Result<()> {
    let label = ember_ridge_samples::label(name).unwrap_or(name);
    if app.store.assets().await?.iter().any(|(_, n)| n == label) {
        return Ok(());
    }
    let naming = app.store.naming().await;
    let there = app.clone();
    let Stored { recipe, summaries, finished } = aside(move || store_meshes(&there, name)).await?;
    for (role, source, summary) in &summaries {
        app.store.put_mesh(source.hash.as_deref().unwrap_or_default(), &summary_name(source, *role), summary).await?;
    }
    let asset = app.store.add_asset(&recipe).await?;
    drop(naming);
    let bakes = if finished { vec![(RunKind::Proof, recipe.as_proof()), (RunKind::Final, recipe)] } else { Vec::new() };
    for (kind, recipe) in bakes {
        let before = app.store.newest_run(asset, None, false).await?;
        let run = app.store.add_run(asset, kind, &recipe, &run_changes(before.as_ref(), kind, &recipe)).await?;
        app.jobs.add(run, kind, false);
    }
    let mut events = app.jobs.events.subscribe();
    app.jobs.tell(Event::Asset { asset });
    // The next sample waits: polygonising it would take the bake's cores.
    while !app.store.open_runs(asset).await?.is_empty() {
        if matches!(events.recv().await, Err(RecvError::Closed)) {
            break;
        }
    }
    Ok(())
}

/// A sample whose files are in the store.
struct Stored {
    recipe: Recipe,
    summaries: Vec<(Role, MeshSource, MeshSummary)>,
    finished: bool,
}

fn store_meshes(app: &App, name: &str) -> Result<Stored> {
    let Some(sample) = make(name, Detail::from_environment()) else {
        return Err(crate::fault::Fault::missing("such sample"));
    };
    let mut recipe = sample.recipe;
    let mut summaries = Vec::new();
    for (role, sources, mesh) in [(Role::Low, &mut recipe.low, sample.low), (Role::High, &mut recipe.high, sample.high)]
    {
        let Some(source) = sources.first_mut().filter(|source| source.plane.is_none()) else { continue };
        let file = source.file.clone();
        let mut writer = app.store.blobs.writer()?;
        match file.rsplit('.').next() {
            Some("ply") => write_ply(&mut writer, &mesh)?,
            Some("glb") => write_glb(&mut writer, &mesh)?,
            _ => write_obj(&mut writer, &mesh)?,
        }
        let (hash, bytes) = writer.keep()?;
        // Not kept in memory: the first bake reads the file back, as it does with anyone's.
        *source = MeshSource { hash: Some(hash), ..MeshSource::file(file) };
        summaries.push((role, source.clone(), MeshSummary::of(&mesh, bytes, role)));
    }
    Ok(Stored { recipe, summaries, finished: sample.finished })
}
