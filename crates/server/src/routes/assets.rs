//! Assets: list, make, show, edit, undo, redo.

use crate::App;
use crate::api::{AssetLine, AssetView, Estimates, MeshView, NewAsset, PairView, PairedPart, Revision, Role, RunView};
use crate::fault::{Fault, Result};
use crate::keep::is_map;
use ember_ridge_core::bake::{PairRules, PairedBy, estimate, pair_parts};
use ember_ridge_core::glam::Vec3;
use ember_ridge_core::mesh::{MeshStep, compare_placing};
use ember_ridge_core::recipe::Pairing;
use ember_ridge_core::{Finding, Part, Recipe, changes, mark_allowed};
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
    let mut recipe = Recipe::new(name);
    // Names are given by habit: the endings of the asset made last hold for the next one.
    if let Some((last, _)) = app.store.assets().await?.into_iter().max_by_key(|(id, _)| *id) {
        recipe.endings = app.store.asset(last).await?.recipe.endings;
    }
    let id = app.store.add_asset(&recipe).await?;
    view(app, id).await
}

#[get("/assets/<id>")]
async fn show(app: &State<Arc<App>>, id: i64) -> Result<Json<AssetView>> {
    view(app, id).await
}

#[put("/assets/<id>/recipe", data = "<revision>")]
async fn revise(app: &State<Arc<App>>, id: i64, revision: Json<Revision>) -> Result<Json<AssetView>> {
    let Revision { base, recipe } = revision.into_inner();
    recipe.validate_settings().map_err(Fault::unusable)?;
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
    let notes = |r: &Recipe| r.exceptions.len();
    match notes(&recipe).cmp(&notes(&before.recipe)) {
        std::cmp::Ordering::Greater => said.push("a finding let stand".into()),
        std::cmp::Ordering::Less => said.push("a finding no longer let stand".into()),
        std::cmp::Ordering::Equal if recipe.exceptions != before.recipe.exceptions => said.push("notes".into()),
        std::cmp::Ordering::Equal => {}
    }
    if said.is_empty() && before.recipe == recipe {
        return Ok(());
    }
    // A mesh that cannot be read as the recipe wants it (a UV set it does not have) is refused before anything is kept.
    let known: Vec<_> = before.recipe.low.iter().chain(&before.recipe.high).collect();
    for (role, side) in [(Role::Low, &recipe.low), (Role::High, &recipe.high)] {
        for source in side.iter().filter(|s| !known.contains(s)) {
            app.summary(source, role).await?;
        }
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
            let mut summary = app.summary(source, role).await?;
            mark_allowed(&mut summary.findings, &recipe.exceptions);
            meshes.push(MeshView {
                role,
                file: source.file.clone(),
                hash: source.hash.clone().unwrap_or_default(),
                summary,
                steps: source.steps.iter().map(MeshStep::words).collect(),
            });
        }
    }
    let parts = |role: Role| -> Vec<Part> {
        let of_role = meshes.iter().filter(|m| m.role == role).flat_map(|m| &m.summary.parts);
        of_role.map(|p| Part { name: p.name.clone(), triangles: 0..p.triangles }).collect()
    };
    let (low, high) = (parts(Role::Low), parts(Role::High));
    let whole = !low.is_empty() && !high.is_empty();
    let share = match recipe.pairing == Pairing::Space && whole {
        true => Some(app.shared_space(recipe).await?),
        false => None,
    };
    let mut table = pair_parts(&low, &high, PairRules::of(recipe, share.as_ref().map(|s| s.as_slice())));
    mark_allowed(&mut table.findings, &recipe.exceptions);
    let pairs = low.iter().zip(&table.by).enumerate().map(|(i, (part, by))| PairView {
        number: i as u32 + 1,
        low: part.name.clone(),
        high: high.iter().zip(by).filter_map(|(h, by)| by.map(|by| paired_part(&h.name, by))).collect(),
    });
    // A part that nothing fits sees everything; that does not make a pair.
    let seen = |h: usize| table.by.iter().any(|row| row[h].is_some_and(|by| by != PairedBy::Default));
    let unseen = (0..high.len()).filter(|&h| !low.is_empty() && !seen(h)).map(|h| high[h].name.clone());
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
        unseen: unseen.collect(),
        told: Vec::new(),
        placing: placing(recipe, &meshes),
        pair_findings: if high.is_empty() { Vec::new() } else { table.findings },
        recipe: asset.recipe,
        meshes,
        runs: lines,
        estimates,
    }))
}

fn paired_part(name: &str, by: PairedBy) -> PairedPart {
    let why = match by {
        PairedBy::Hand => "by hand".to_owned(),
        PairedBy::Name => "by name".to_owned(),
        PairedBy::Space(share) => format!("{:.0} % nearest", share * 100.0),
        PairedBy::All => "all see all".to_owned(),
        PairedBy::Default => "nothing fits".to_owned(),
    };
    PairedPart { name: name.to_owned(), why, by_hand: by == PairedBy::Hand, by_default: by == PairedBy::Default }
}

/// Boxes of all low-poly files against those of all sculpt files. A plane made here lies where it was put.
fn placing(recipe: &Recipe, meshes: &[MeshView]) -> Option<Finding> {
    if recipe.low.iter().any(|s| s.plane.is_some()) {
        return None;
    }
    let bounds = |role: Role| {
        let of_role = meshes.iter().filter(|m| m.role == role).map(|m| &m.summary);
        of_role
            .map(|s| (Vec3::from(s.low_corner), Vec3::from(s.high_corner)))
            .reduce(|a, b| (a.0.min(b.0), a.1.max(b.1)))
    };
    let mut finding = compare_placing(bounds(Role::Low)?, bounds(Role::High)?)?;
    mark_allowed([&mut finding], &recipe.exceptions);
    Some(finding)
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
