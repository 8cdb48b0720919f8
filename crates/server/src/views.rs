//! An asset and its runs as the page shows them, put together from what the store holds and what the core says of it.

use crate::App;
use crate::api::{AssetView, Estimates, MeshView, PairView, PairedPart, Role, RunView};
use crate::fault::Result;
use ember_ridge_core::bake::estimate;
use ember_ridge_core::glam::Vec3;
use ember_ridge_core::pairs::{PairRow, PairedBy, Pairing};
use ember_ridge_core::review::{check_pairs, check_placing};
use ember_ridge_core::step::MeshStep;
use ember_ridge_core::{Finding, Part, Recipe, changes, mark_allowed};
use ember_ridge_formats::job::Job;
use ember_ridge_store::{OnCluster, Run, RunFilter, RunKind, RunLine, RunStatus};
use std::collections::BTreeMap;
use std::sync::Arc;

/// Runs an asset's first page shows, and those of each further one.
pub const RUNS_SHOWN: u32 = 50;

/// Some of an asset's runs that are wanted, newest first, and whether there are older ones.
pub async fn some_runs(
    app: &Arc<App>,
    asset: i64,
    before: Option<i64>,
    most: u32,
    wanted: &RunFilter,
) -> Result<(Vec<RunView>, bool)> {
    let mut lines = app.store.runs(asset, before, most + 1, wanted).await?;
    let more = lines.len() > most as usize;
    lines.truncate(most as usize);
    let span = lines.last().map_or(0, |l| l.number)..=lines.first().map_or(0, |l| l.number);
    let pictures = app.store.small_pictures(asset, *span.start(), *span.end()).await?;
    let mut runs: Vec<RunView> = lines.into_iter().map(|line| run_view(app, line)).collect();
    for (run, map, hash) in pictures {
        if let Some(view) = runs.iter_mut().find(|r| r.id == run) {
            view.small.insert(map, hash);
        }
    }
    Ok((runs, more))
}

/// The files of a recipe, low-poly first, with what was seen when they came in; findings that were accepted are marked.
pub async fn meshes(app: &Arc<App>, recipe: &Recipe) -> Result<Vec<MeshView>> {
    let mut meshes = Vec::new();
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
    Ok(meshes)
}

pub async fn asset(app: &Arc<App>, id: i64) -> Result<AssetView> {
    let asset = app.store.asset(id).await?;
    let recipe = &asset.recipe;
    let meshes = meshes(app, recipe).await?;
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
    let (table, mut left) = check_pairs(recipe, &low, &high, share.as_ref().map(|s| s.as_slice()));
    mark_allowed(&mut left, &recipe.exceptions);
    let mut seen = vec![low.is_empty(); high.len()];
    let pair = |(number, (part, row)): (usize, (&Part, &PairRow))| {
        let paired = row.pairs(high.len()).map(|(h, by)| {
            // A part that nothing fits sees everything; that does not make a pair.
            seen[h as usize] |= by != PairedBy::Default;
            paired_part(&high[h as usize].name, by)
        });
        PairView { high: paired.collect(), number: number as u32 + 1, low: part.name.clone() }
    };
    let pairs: Vec<PairView> = low.iter().zip(&table.rows).enumerate().map(pair).collect();
    let unseen = high.iter().zip(&seen).filter(|(_, seen)| !**seen).map(|(part, _)| part.name.clone());
    let missing = recipe.missing();
    let diagonal = diagonal(&meshes);
    let (runs, _) = some_runs(app, id, None, RUNS_SHOWN, &RunFilter::default()).await?;
    let (run_count, run_bytes) = app.store.run_totals(id).await?;
    let estimates = estimates(app, id, recipe).await?;
    Ok(AssetView {
        id,
        name: asset.name,
        revision: asset.head,
        undo: asset.undo,
        redo: asset.redo,
        pairs,
        unseen: unseen.collect(),
        told: Vec::new(),
        placing: placing(recipe, &meshes),
        pair_findings: left,
        recipe: asset.recipe,
        meshes,
        runs,
        run_count,
        missing,
        diagonal,
        run_bytes,
        estimates,
    })
}

/// What bakes will cost. A final tells more of finals than a proof does, unless all that it is of was kept.
async fn estimates(app: &Arc<App>, asset: i64, recipe: &Recipe) -> Result<Option<Estimates>> {
    for kind in [RunKind::Final, RunKind::Proof] {
        let report = app.store.newest_run(asset, Some(kind), true).await?.and_then(|run| run.report);
        let told = report.and_then(|report| {
            let (proof, whole) = (estimate(&recipe.as_proof(), &report)?, estimate(recipe, &report)?);
            Some(Estimates { proof, whole })
        });
        if told.is_some() {
            return Ok(told);
        }
    }
    Ok(None)
}

fn paired_part(name: &str, by: PairedBy) -> PairedPart {
    let why = match by {
        PairedBy::Hand => "manual".to_owned(),
        PairedBy::Name => "by name".to_owned(),
        PairedBy::Space(share) => format!("{:.0} % nearest", share * 100.0),
        PairedBy::All => "all see all".to_owned(),
        PairedBy::Default => "no match".to_owned(),
    };
    PairedPart { name: name.to_owned(), why, by_hand: by == PairedBy::Hand, by_default: by == PairedBy::Default }
}

/// Length of the box around low-poly and sculpt, corner to corner.
fn diagonal(meshes: &[MeshView]) -> f32 {
    let sides = meshes.iter().filter(|m| m.role != Role::Cage).map(|m| &m.summary);
    let boxes = sides.map(|s| (Vec3::from(s.low_corner), Vec3::from(s.high_corner)));
    boxes.reduce(|(a, b), (c, d)| (a.min(c), b.max(d))).map_or(0.0, |(low, high)| (high - low).length())
}

/// Boxes of all low-poly files against those of all sculpt files. A plane made here lies where it was put.
pub fn placing(recipe: &Recipe, meshes: &[MeshView]) -> Option<Finding> {
    let bounds = |role: Role| {
        let of_role = meshes.iter().filter(move |m| m.role == role).map(|m| &m.summary);
        of_role.map(|s| (Vec3::from(s.low_corner), Vec3::from(s.high_corner)))
    };
    let mut finding = check_placing(recipe, bounds(Role::Low), bounds(Role::High))?;
    mark_allowed([&mut finding], &recipe.exceptions);
    Some(finding)
}

pub fn run_view(app: &App, line: RunLine) -> RunView {
    let (status, error) = match app.jobs.ended(line.id) {
        Some((status, why)) => (status, Some(why).filter(|w| !w.is_empty())),
        None if line.status == RunStatus::Waiting && app.jobs.works_on(line.id) => (RunStatus::Running, None),
        None => (line.status, line.error),
    };
    RunView {
        id: line.id,
        number: line.number,
        kind: line.kind,
        status,
        created: line.created,
        size: line.size,
        samples: line.samples,
        changes: line.changes,
        error,
        bytes: line.bytes,
        maps: line.maps,
        failed_maps: line.failed_maps,
        findings: line.findings,
        seconds: line.seconds,
        held: line.held,
        landed: if status.has_maps() { 0 } else { landed(app, line.id, line.cluster.as_ref()) },
        cluster: line.cluster.filter(|cluster| !cluster.here).map(|cluster| cluster.name),
        small: BTreeMap::new(),
        name: line.name,
        starred: line.starred,
        region: line.region,
    }
}

/// Bytes that a run goes on from: of finished tiles, or of what its job on a cluster begins with.
fn landed(app: &App, run: i64, cluster: Option<&OnCluster>) -> u64 {
    let far = cluster.and_then(|cluster| cluster.folder.as_deref());
    far.map_or_else(|| app.store.tile_bytes(run), Job::prepared_bytes)
}

/// What a new run differs in from the one before, in words.
/// A proof differs from a final in size, samples and rays by nature: that goes without saying.
pub fn run_changes(before: Option<&Run>, kind: RunKind, recipe: &Recipe) -> Vec<String> {
    let Some(before) = before else { return vec!["first run".into()] };
    if before.line.kind == kind {
        return changes(&before.recipe, recipe);
    }
    let (mut earlier, later) = (before.recipe.as_proof(), recipe.as_proof());
    earlier.sheet.size = later.sheet.size;
    changes(&earlier, &later)
}
