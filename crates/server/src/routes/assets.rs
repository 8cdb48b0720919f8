//! Assets: list, make, show, edit, undo, redo.

use crate::App;
use crate::api::{AssetLine, AssetView, Estimates, MeshView, NewAsset, PairView, Revision, Role, RunView};
use crate::fault::{Fault, Result};
use crate::keep::is_map;
use ember_ridge_core::bake::{estimate, pair_parts};
use ember_ridge_core::glam::Vec3;
use ember_ridge_core::mesh::compare_placing;
use ember_ridge_core::{Finding, Part, Recipe, changes};
use ember_ridge_store::{Run, RunKind};
use rocket::serde::json::Json;
use rocket::{Route, State, get, post, put, routes};
use std::sync::Arc;

pub fn routes() -> Vec<Route> {
    routes![list, add, show, revise, undo, redo]
}

#[get("/assets")]
async fn list(app: &State<Arc<App>>) -> Result<Json<Vec<AssetLine>>> {
    let assets = app.store.assets().await?;
    Ok(Json(assets.into_iter().map(|(id, name)| AssetLine { id, name }).collect()))
}

#[post("/assets", data = "<new>")]
async fn add(app: &State<Arc<App>>, new: Json<NewAsset>) -> Result<Json<AssetView>> {
    let name = new.name.trim();
    if name.is_empty() || name.chars().count() > 80 {
        return Err(Fault::unusable("An asset's name has 1 to 80 characters"));
    }
    let id = app.store.add_asset(&Recipe::new(name)).await?;
    view(app, id).await
}

#[get("/assets/<id>")]
async fn show(app: &State<Arc<App>>, id: i64) -> Result<Json<AssetView>> {
    view(app, id).await
}

#[put("/assets/<id>/recipe", data = "<revision>")]
async fn revise(app: &State<Arc<App>>, id: i64, revision: Json<Revision>) -> Result<Json<AssetView>> {
    let Revision { base, recipe } = revision.into_inner();
    recipe.validate().map_err(Fault::unusable)?;
    edit(app, id, base, recipe).await?;
    view(app, id).await
}

/// Makes a recipe the next revision, labelled with what changed in words.
pub(super) async fn edit(app: &Arc<App>, id: i64, base: i64, recipe: Recipe) -> Result<()> {
    let before = app.store.asset(id).await?;
    let mut said = changes(&before.recipe, &recipe);
    if before.recipe.asset != recipe.asset {
        said.push(format!("name to {}", recipe.asset));
    }
    if said.is_empty() && before.recipe == recipe {
        return Ok(());
    }
    // A mesh that cannot be read as the recipe wants it (a UV set it does not have) is refused before anything is kept.
    let known: Vec<_> = before.recipe.low.iter().chain(&before.recipe.high).collect();
    for source in recipe.low.iter().chain(&recipe.high).filter(|s| !known.contains(s)) {
        app.summary(source).await?;
    }
    app.store.revise(id, base, &said.join("; "), &recipe).await?;
    app.jobs.tell(crate::api::Event::Asset { asset: id });
    Ok(())
}

#[post("/assets/<id>/undo")]
async fn undo(app: &State<Arc<App>>, id: i64) -> Result<Json<AssetView>> {
    app.store.step(id, -1).await?;
    view(app, id).await
}

#[post("/assets/<id>/redo")]
async fn redo(app: &State<Arc<App>>, id: i64) -> Result<Json<AssetView>> {
    app.store.step(id, 1).await?;
    view(app, id).await
}

pub(super) async fn view(app: &Arc<App>, id: i64) -> Result<Json<AssetView>> {
    let asset = app.store.asset(id).await?;
    let mut meshes = Vec::new();
    let recipe = &asset.recipe;
    let cage: Vec<_> = recipe.cage.iter().cloned().collect();
    for (role, sources) in [(Role::Low, &recipe.low), (Role::High, &recipe.high), (Role::Cage, &cage)] {
        for source in sources {
            let summary = app.summary(source).await?;
            meshes.push(MeshView {
                role,
                file: source.file.clone(),
                hash: source.hash.clone().unwrap_or_default(),
                summary,
            });
        }
    }
    let parts = |role: Role| -> Vec<Part> {
        let of_role = meshes.iter().filter(|m| m.role == role).flat_map(|m| &m.summary.parts);
        of_role.map(|p| Part { name: p.name.clone(), triangles: 0..p.triangles }).collect()
    };
    let (low, high) = (parts(Role::Low), parts(Role::High));
    let table = pair_parts(&low, &high, recipe.pairing);
    let pairs = low.iter().zip(&table.allowed).enumerate().map(|(i, (part, mask))| PairView {
        number: i as u32 + 1,
        low: part.name.clone(),
        high: high.iter().zip(mask).filter(|(_, seen)| **seen).map(|(h, _)| h.name.clone()).collect(),
    });
    let runs = app.store.runs(id).await?;
    let mut lines = Vec::new();
    for (i, run) in runs.iter().enumerate() {
        lines.push(run_view(app, run, runs.get(i + 1)).await?);
    }
    // A final tells more of finals than a proof does.
    let done = |kind: RunKind| runs.iter().filter(move |r| r.kind == kind).find_map(|r| r.report.as_ref());
    let measured = done(RunKind::Final).or(done(RunKind::Proof));
    let estimates = measured.and_then(|report| {
        let (proof, whole) = (estimate(&recipe.as_proof(), report)?, estimate(recipe, report)?);
        Some(Estimates { proof, whole })
    });
    Ok(Json(AssetView {
        id,
        name: asset.name,
        revision: asset.head,
        undo: asset.undo,
        redo: asset.redo,
        pairs: pairs.collect(),
        placing: placing(&meshes),
        pair_findings: if high.is_empty() { Vec::new() } else { table.findings },
        recipe: asset.recipe,
        meshes,
        runs: lines,
        estimates,
    }))
}

/// Boxes of all low-poly files against those of all sculpt files.
fn placing(meshes: &[MeshView]) -> Option<Finding> {
    let bounds = |role: Role| {
        let of_role = meshes.iter().filter(|m| m.role == role).map(|m| &m.summary);
        of_role
            .map(|s| (Vec3::from(s.low_corner), Vec3::from(s.high_corner)))
            .reduce(|a, b| (a.0.min(b.0), a.1.max(b.1)))
    };
    compare_placing(bounds(Role::Low)?, bounds(Role::High)?)
}

pub(super) async fn run_view(app: &Arc<App>, run: &Run, before: Option<&Run>) -> Result<RunView> {
    let files = app.store.run_files(run.id).await?;
    Ok(RunView {
        id: run.id,
        number: run.number,
        kind: run.kind,
        status: run.status,
        created: run.created,
        size: run.recipe.sheet.size,
        samples: run.recipe.sheet.samples,
        changes: before.map_or_else(|| vec!["first run".into()], |b| run_changes(b, run)),
        report: run.report.clone(),
        error: run.error.clone(),
        bytes: files.iter().filter(|f| is_map(f)).map(|f| f.bytes).sum(),
    })
}

/// A proof differs from a final in size, samples and rays by nature: that goes without saying.
fn run_changes(before: &Run, run: &Run) -> Vec<String> {
    if before.kind == run.kind {
        return changes(&before.recipe, &run.recipe);
    }
    let (mut earlier, later) = (before.recipe.as_proof(), run.recipe.as_proof());
    earlier.sheet.size = later.sheet.size;
    changes(&earlier, &later)
}
