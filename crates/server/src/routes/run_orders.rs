//! Orders: a proof or a final to be baked, one of a region or on the cluster, one to be baked again, one to be stopped.

use crate::App;
use crate::api::{Event, RegionOrder, RunOrder, RunView};
use crate::fault::{Fault, Result};
use crate::jobs::{Stopped, call_off};
use crate::routes::sent::Sent;
use crate::views::{run_changes, run_view};
use ember_ridge_core::Recipe;
use ember_ridge_core::sheet::Region;
use ember_ridge_store::{OnCluster, RunKind, RunStatus};
use rocket::response::status::{Created, NoContent};
use rocket::serde::json::Json;
use rocket::{State, post};
use std::sync::Arc;

described_routes!(start_run, run_again, stop_run);

/// Why a run of imported maps cannot be run again.
pub(super) const NOT_BAKED: &str =
    "these maps were imported, not baked, so there are no settings to use again. Choose a run that was baked";

/// Queues a proof or a final of the recipe as it stands.
#[utoipa::path(
    tag = "runs",
    request_body(content = ref("RunOrder"), content_type = "application/json"),
    responses((status = 201, description = "The run, queued; Location names it", body = ref("RunView"))),
)]
#[post("/assets/<id>/runs", data = "<order>")]
async fn start_run(app: &State<Arc<App>>, id: i64, order: Sent<RunOrder>) -> Result<Created<Json<RunView>>> {
    let asset = app.store.asset(id).await?;
    // A recipe that came from a region's run still names it.
    let whole = Recipe { region: None, ..asset.recipe };
    let cluster = if order.0.on_cluster { Some(on_cluster(app, &order.0)?) } else { None };
    let recipe = match (order.0.kind, order.0.region) {
        (RunKind::Proof, None) => whole.as_proof(),
        (RunKind::Final, None) => whole,
        (RunKind::Proof, Some(_)) => return Err(Fault::unusable("A region is baked as a final; ask for one")),
        (RunKind::Final, Some(region)) => with_region(app, id, whole, region).await?,
        (RunKind::Imported, _) => {
            return Err(Fault::unusable("imported maps are not baked; ask for a proof or a final"));
        }
    };
    created(app, queue_run(app, id, order.0.kind, &recipe, Some(asset.head), cluster).await?).await
}

/// What is known from the beginning of a run that is baked on the cluster.
fn on_cluster(app: &App, order: &RunOrder) -> Result<OnCluster> {
    let cluster = app.cluster.as_ref().ok_or_else(|| {
        Fault::unusable("No cluster is set up. Bake here, or describe one in cluster.json (docs/many-machines.md)")
    })?;
    if order.kind != RunKind::Final || order.region.is_some() {
        return Err(Fault::unusable(
            "Only whole finals are baked on a cluster; proofs and regions are done sooner here",
        ));
    }
    Ok(OnCluster { name: cluster.name.clone(), ..OnCluster::default() })
}

/// The recipe of a region that is baked into an earlier run.
async fn with_region(app: &Arc<App>, asset: i64, recipe: Recipe, order: RegionOrder) -> Result<Recipe> {
    let run = app.store.run(order.run).await?;
    let number = run.line.number;
    let no = |why: &str| Err(Fault::unusable(format!("Run {number} {why}. Bake a whole final first")));
    if run.line.asset != asset {
        return no("is one of another asset");
    }
    if !run.line.status.has_maps() {
        return no("has no maps that a region could be baked into");
    }
    if run.recipe.low != recipe.low || run.recipe.sheet.layout != recipe.sheet.layout {
        return no("was baked from another low-poly or other sheets, so its picture does not fit around a region");
    }
    let region = Region { run: Some(number), rectangles: order.rectangles };
    Ok(Recipe { region: Some(region), ..recipe })
}

/// A run that was queued.
async fn created(app: &App, run: i64) -> Result<Created<Json<RunView>>> {
    let view = Json(run_view(app, app.store.run_line(run).await?));
    Ok(Created::new(format!("/api/runs/{run}")).body(view))
}

/// Queues a run; its number. `revision`: that of the asset which the recipe comes from, where it is known.
pub(super) async fn queue_run(
    app: &Arc<App>,
    asset: i64,
    kind: RunKind,
    recipe: &Recipe,
    revision: Option<i64>,
    cluster: Option<OnCluster>,
) -> Result<i64> {
    recipe.validate().map_err(Fault::unusable)?;
    if let Some(what) = recipe.missing() {
        return Err(Fault::unusable(format!("No {what} yet. Import one at the Meshes stop, then bake")));
    }
    // A newer proof makes an older one that still waits pointless.
    if kind == RunKind::Proof {
        let open = app.store.open_runs(asset).await?;
        for old in open.iter().filter(|r| r.kind == kind && r.status == RunStatus::Waiting) {
            if app.jobs.stop(old.id) == Stopped::InQueue {
                app.store.set_run_status(old.id, RunStatus::Stopped, None).await?;
            }
        }
    }
    let before = app.store.newest_run(asset, None, false).await?;
    let changes = run_changes(before.as_ref(), kind, recipe);
    let run = match &cluster {
        Some(cluster) => app.store.add_run_on(asset, kind, recipe, &changes, cluster).await?,
        None => app.store.add_run(asset, kind, recipe, &changes).await?,
    };
    app.store.made_from(run, revision).await?;
    app.jobs.add(run, kind, false);
    app.jobs.tell(Event::Asset { asset });
    Ok(run)
}

/// Runs the recipe of an earlier run once more.
#[utoipa::path(
    tag = "runs",
    responses((status = 201, description = "The new run, queued; Location names it", body = ref("RunView"))),
)]
#[post("/runs/<id>/again")]
async fn run_again(app: &State<Arc<App>>, id: i64) -> Result<Created<Json<RunView>>> {
    let run = app.store.run(id).await?;
    if run.line.kind == RunKind::Imported {
        return Err(Fault::unusable(NOT_BAKED));
    }
    let revision = app.store.revision_of_run(id).await?;
    let again = |cluster: &OnCluster| OnCluster { name: cluster.name.clone(), ..OnCluster::default() };
    let cluster = run.line.cluster.as_ref().filter(|cluster| !cluster.here && app.cluster.is_some()).map(again);
    created(app, queue_run(app, run.line.asset, run.line.kind, &run.recipe, revision, cluster).await?).await
}

/// Stops a run that is queued or running; one that has ended stays as it is.
#[utoipa::path(tag = "runs", responses((status = 204, description = "It stops")))]
#[post("/runs/<id>/stop")]
async fn stop_run(app: &State<Arc<App>>, id: i64) -> Result<NoContent> {
    let line = app.store.run_line(id).await?;
    if app.jobs.stop(id) == Stopped::InQueue {
        app.store.set_run_status(id, RunStatus::Stopped, None).await?;
        call_off(app, id).await?;
        app.jobs.tell(Event::Asset { asset: line.asset });
    }
    Ok(NoContent)
}
