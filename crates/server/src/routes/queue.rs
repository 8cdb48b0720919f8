//! The queue: what waits and runs, in which order, held or not, and runs that go on from where they ended.

use crate::App;
use crate::api::{Event, HoldOrder, QueueOrder, QueuedRun, RunView};
use crate::fault::{Fault, Result};
use crate::jobs::call_off;
use crate::routes::sent::{Given, Sent};
use crate::views::run_view;
use ember_ridge_store::RunStatus;
use rocket::http::Status;
use rocket::serde::json::Json;
use rocket::{State, get, post, put};
use std::sync::Arc;

described_routes!(show_queue, order_queue, hold_run, resume_run);

/// What runs, and what waits in the order it is worked on.
#[utoipa::path(tag = "queue", responses((status = 200, description = "Runs", body = ref("QueuedRun[]"))))]
#[get("/queue")]
async fn show_queue(app: &State<Arc<App>>) -> Result<Json<Vec<QueuedRun>>> {
    let names = app.store.assets().await?;
    let mut queue = Vec::new();
    for id in app.jobs.queued() {
        // One that ended meanwhile is not in the queue any more.
        let Ok(line) = app.store.run_line(id).await else { continue };
        let asset = line.asset;
        let asset_name = names.iter().find(|(id, _)| *id == asset).map(|(_, name)| name.clone()).unwrap_or_default();
        queue.push(QueuedRun { run: run_view(app, line), asset, asset_name });
    }
    Ok(Json(queue))
}

/// Puts runs that wait into an order. Proofs go before finals all the same.
#[utoipa::path(
    tag = "queue",
    request_body(content = ref("QueueOrder"), content_type = "application/json"),
    responses((status = 200, description = "The queue", body = ref("QueuedRun[]"))),
)]
#[put("/queue", data = "<order>")]
async fn order_queue(app: &State<Arc<App>>, order: Sent<QueueOrder>) -> Result<Json<Vec<QueuedRun>>> {
    app.store.order_queue(&order.0.runs).await?;
    app.jobs.order(&order.0.runs);
    show_queue(app).await
}

/// Holds a run that waits or runs, or lets it go on. One that runs keeps its finished tiles.
#[utoipa::path(
    tag = "queue",
    request_body(content = ref("HoldOrder"), content_type = "application/json"),
    responses((status = 200, description = "The run", body = ref("RunView"))),
)]
#[post("/runs/<id>/hold", data = "<order>")]
async fn hold_run(app: &State<Arc<App>>, id: i64, order: Sent<HoldOrder>) -> Result<Json<RunView>> {
    let line = app.store.run_line(id).await?;
    if !app.jobs.hold(id, order.0.held) {
        return Err(Fault::new(Status::Conflict, "this run neither waits nor runs, so it cannot be held"));
    }
    app.store.hold_run(id, order.0.held).await?;
    // One that waits may have tasks at work; one that is worked on ends them itself.
    if order.0.held && !app.jobs.works_on(id) {
        call_off(app, id).await?;
    }
    app.jobs.tell(Event::Asset { asset: line.asset });
    Ok(Json(run_view(app, app.store.run_line(id).await?)))
}

/// Lets a run that was stopped, was interrupted or failed go on: a final from its finished tiles, a proof from the start. One that a cluster
/// works on may go on here.
#[utoipa::path(
    tag = "queue",
    params(("here" = Option<bool>, Query, description = "Of a run on a cluster: go on on this machine, from the tiles that came")),
    responses((status = 200, description = "The run, queued", body = ref("RunView"))),
)]
#[post("/runs/<id>/resume?<here>")]
async fn resume_run(app: &State<Arc<App>>, id: i64, here: Given<bool>) -> Result<Json<RunView>> {
    let here = here.optional()?.unwrap_or(false);
    // Asked for twice at once it waits once.
    let _turn = app.turn(app.store.run_line(id).await?.asset).await;
    let line = app.store.run_line(id).await?;
    let status = run_view(app, line.clone()).status;
    if here && matches!(status, RunStatus::Running | RunStatus::Waiting) && line.cluster.is_some() {
        app.store.bring_home(id).await?;
        app.jobs.come_home(id);
        return Ok(Json(run_view(app, app.store.run_line(id).await?)));
    }
    if !matches!(status, RunStatus::Stopped | RunStatus::Interrupted | RunStatus::Failed) {
        return Err(Fault::new(Status::Conflict, "this run was not cut off, so there is nothing to go on with"));
    }
    if here {
        app.store.bring_home(id).await?;
    }
    app.store.let_go_on(id).await?;
    app.jobs.forget(id);
    app.jobs.add(id, line.kind, false);
    app.jobs.tell(Event::Asset { asset: line.asset });
    Ok(Json(run_view(app, app.store.run_line(id).await?)))
}
