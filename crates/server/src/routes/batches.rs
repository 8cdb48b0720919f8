//! Batches: chosen assets go into the queue as finals, and each is delivered by one profile once it is done, with or without a page that
//! looks on. One that fails holds up none of the others.

use crate::App;
use crate::api::{BatchDelivery, BatchLineView, BatchOrder, BatchState, BatchView, DeliveryOrder, DeliveryTold, Event};
use crate::fault::{Fault, Result};
use crate::routes::deliveries::{deliver_run, folder_of, still_there};
use crate::routes::run_orders::queue_run;
use crate::routes::sent::Sent;
use crate::views::run_view;
use ember_ridge_core::deliver::Profile;
use ember_ridge_core::{Recipe, changes};
use ember_ridge_formats::deliver::contact_sheet_among;
use ember_ridge_store::{Asset, Batch, BatchLine, DeliveryLine, RunKind, RunStatus, Undelivered};
use rocket::serde::json::Json;
use rocket::{State, get, post};
use std::collections::HashSet;
use std::sync::Arc;

described_routes!(start_batch, list_batches);

/// Batches that are told of, at most: a line of each is looked up whenever one of them has changed.
const MOST_LISTED: u32 = 1;
/// Batches that may be begun while one is being answered for.
const MOST_MEANWHILE: u32 = 16;
/// Assets of a batch, at most.
const MOST_ASSETS: usize = 5000;

/// Queues a final of each asset, to be delivered once it is done.
#[utoipa::path(
    tag = "queue",
    request_body(content = ref("BatchOrder"), content_type = "application/json"),
    responses((status = 200, description = "The batch", body = ref("BatchView"))),
)]
#[post("/batches", data = "<order>")]
async fn start_batch(app: &State<Arc<App>>, order: Sent<BatchOrder>) -> Result<Json<BatchView>> {
    let BatchOrder { assets, profile, only_changed } = order.0;
    if assets.is_empty() || assets.len() > MOST_ASSETS {
        let count = assets.len();
        return Err(Fault::unusable(format!(
            "{count} assets; a batch takes 1 to {MOST_ASSETS}. Choose some, or fewer"
        )));
    }
    if let Some(profile) = &profile {
        profile.validate().map_err(|why| Fault::unusable(format!("profile: {why}")))?;
    }
    let names = app.store.assets().await?;
    let mut lines = Vec::new();
    let mut seen = HashSet::new();
    for id in assets.into_iter().filter(|id| seen.insert(*id)) {
        let asset = app.store.asset(id).await?;
        lines.push(line_of(app, asset, &names, profile.as_ref(), only_changed).await);
    }
    let id = app.store.add_batch(profile.as_ref(), &lines).await?;
    // One may have ended before the batch was known.
    deliver_finished(app);
    let batches: Vec<Batch<Profile>> = app.store.batches(MOST_MEANWHILE).await?;
    let batch = batches.into_iter().find(|batch| batch.id == id).ok_or_else(|| Fault::missing("such batch"))?;
    Ok(Json(view(app, batch, &names).await))
}

/// The newest batch, alone in the list; none where there was none yet.
#[utoipa::path(tag = "queue", responses((status = 200, description = "Batches", body = ref("BatchView[]"))))]
#[get("/batches")]
async fn list_batches(app: &State<Arc<App>>) -> Result<Json<Vec<BatchView>>> {
    let names = app.store.assets().await?;
    let mut views = Vec::new();
    for batch in app.store.batches(MOST_LISTED).await? {
        views.push(view(app, batch, &names).await);
    }
    Ok(Json(views))
}

/// An asset as it goes into a batch: queued, or why not.
async fn line_of(
    app: &Arc<App>,
    asset: Asset,
    names: &[(i64, String)],
    profile: Option<&Profile>,
    only_changed: bool,
) -> BatchLine {
    let folder = folder_of(asset.id, names);
    let line = BatchLine { asset: asset.id, folder, ..BatchLine::default() };
    let recipe = Recipe { region: None, ..asset.recipe };
    if only_changed && let Some(standing) = standing(app, &line, &recipe, profile).await {
        return standing;
    }
    match queue_run(app, asset.id, RunKind::Final, &recipe, Some(asset.head), None).await {
        Ok(run) => BatchLine { run: Some(run), ..line },
        Err(fault) => BatchLine { fault: Some(fault.text().to_owned()), ..line },
    }
}

/// The line of an asset of which nothing has changed since its last final; that it is delivered by this profile in its folder already, or
/// that its delivery alone is to be made.
async fn standing(app: &App, line: &BatchLine, recipe: &Recipe, profile: Option<&Profile>) -> Option<BatchLine> {
    let run = app.store.newest_run(line.asset, Some(RunKind::Final), true).await.ok()??;
    if run.recipe.region.is_some() || run.line.status != RunStatus::Done || !changes(&run.recipe, recipe).is_empty() {
        return None;
    }
    let delivery = match profile {
        Some(profile) => delivered_so(app, line, run.line.number, profile).await,
        None => None,
    };
    let unchanged = profile.is_none() || delivery.is_some();
    Some(BatchLine { run: Some(run.line.id), unchanged, delivery, ..line.clone() })
}

/// The delivery of a run by a profile that stands in the folder of its line.
async fn delivered_so(app: &App, line: &BatchLine, run: i64, profile: &Profile) -> Option<i64> {
    let delivered: Vec<DeliveryLine<DeliveryTold>> = app.store.deliveries(line.asset).await.ok()?;
    let newest = delivered.into_iter().find(|delivery| delivery.folder == line.folder)?;
    let place = still_there(app, &newest).ok()?;
    let text = tokio::fs::read_to_string(place.join("profile.json")).await.ok()?;
    let so = newest.run == run && Profile::from_json(&text).is_ok_and(|own| own == *profile);
    so.then_some(newest.id)
}

/// Delivers what is done of batches, one after the other; what comes meanwhile is taken along.
pub fn deliver_finished(app: &Arc<App>) {
    let app = app.clone();
    tokio::spawn(async move {
        let _turn = app.batch_turn.lock().await;
        let waiting: Vec<Undelivered<Profile>> = app.store.undelivered().await.unwrap_or_default();
        for Undelivered { batch, place, asset, run, folder, profile } in waiting {
            let order = DeliveryOrder { profile, folder, replace: true };
            let ended = match deliver_run(&app, run, order).await {
                Ok(delivery) => delivery.id.ok_or_else(|| first_fault(&delivery.told)),
                Err(fault) => Err(fault.text().to_owned()),
            };
            // Without the database it is tried again when the next run ends, or at the next start.
            let _ = app.store.end_delivery(batch, place, ended.as_ref().copied().map_err(String::as_str)).await;
            app.jobs.tell(Event::Asset { asset });
            app.jobs.tell(Event::Queue);
        }
    });
}

fn first_fault(told: &DeliveryTold) -> String {
    let wrong = told.checks.iter().find(|check| !check.fine);
    wrong.map_or_else(String::new, |check| format!("{}: {}: {}. {}", check.file, check.what, check.found, check.remedy))
}

async fn view(app: &App, batch: Batch<Profile>, names: &[(i64, String)]) -> BatchView {
    let delivers = batch.profile.is_some();
    let mut lines = Vec::new();
    for line in batch.lines {
        let run = match line.run {
            Some(run) => app.store.run_line(run).await.ok().map(|line| run_view(app, line)),
            None => None,
        };
        let (state, why) = match (&line.fault, &run) {
            (Some(fault), _) => (BatchState::Failed, Some(fault.clone())),
            (None, None) => (BatchState::Failed, Some("its run was deleted".to_owned())),
            (None, Some(_)) if line.unchanged => (BatchState::Unchanged, None),
            (None, Some(run)) => match run.status {
                RunStatus::Waiting => (BatchState::Waiting, None),
                RunStatus::Running => (BatchState::Baking, None),
                RunStatus::Done | RunStatus::Partial if delivers && line.delivery.is_none() => {
                    (BatchState::Delivering, None)
                }
                RunStatus::Done | RunStatus::Partial => (BatchState::Done, None),
                RunStatus::Stopped => (BatchState::Stopped, None),
                RunStatus::Failed | RunStatus::Interrupted => (BatchState::Failed, run.error.clone()),
            },
        };
        let delivery = match line.delivery {
            Some(id) => app.store.delivery::<DeliveryTold>(id).await.ok(),
            None => None,
        };
        let delivery = delivery.map(|line| BatchDelivery {
            id: line.id,
            contact: contact_sheet_among(&line.told.files).map(str::to_owned),
            checks: line.told.checks.len(),
            folder: line.folder,
            version: line.version,
        });
        let asset_name = names.iter().find(|(id, _)| *id == line.asset).map(|(_, name)| name.clone());
        let asset_name = asset_name.unwrap_or_default();
        lines.push(BatchLineView { asset: line.asset, asset_name, state, run, delivery, fault: why });
    }
    BatchView { id: batch.id, made: batch.made, profile: batch.profile.map(|profile| profile.name), lines }
}
