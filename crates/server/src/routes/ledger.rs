//! The ledger in a person's hands: runs are named, starred and restored, and proofs have so much room.

use crate::App;
use crate::api::{Event, ProofLimit, ProofRoom, RunLabel, RunView};
use crate::fault::{Fault, Result};
use crate::routes::assets::{Tagged, edit_with, view};
use crate::routes::run_orders::NOT_BAKED;
use crate::routes::sent::Sent;
use crate::views::run_view;
use ember_ridge_store::{MOST_PROOFS, RunKind};
use rocket::serde::json::Json;
use rocket::{State, get, post, put};
use std::sync::Arc;

described_routes!(label_run, restore_run, show_proof_room, set_proof_room);

/// Characters of a run's name, at most.
const MOST_NAME: usize = 60;
/// Name of the setting in the database, and bytes of proofs that are kept unless the user says otherwise.
const PROOFS_SETTING: &str = "most-proof-bytes";
const MOST_PROOF_BYTES: i64 = 2_000_000_000;
/// Numbers in JSON are exact up to here.
const LIMIT: i64 = 1 << 53;

/// Bytes that proofs may take.
pub async fn most_proof_bytes(app: &App) -> Result<i64> {
    Ok(app.store.setting(PROOFS_SETTING).await?.unwrap_or(MOST_PROOF_BYTES))
}

/// Names a run, or gives it a star.
#[utoipa::path(
    tag = "runs",
    request_body(content = ref("RunLabel"), content_type = "application/json"),
    responses((status = 200, description = "The run", body = ref("RunView"))),
)]
#[put("/runs/<id>/label", data = "<label>")]
async fn label_run(app: &State<Arc<App>>, id: i64, label: Sent<RunLabel>) -> Result<Json<RunView>> {
    let line = app.store.run_line(id).await?;
    if let Some(name) = label.0.name.as_deref().map(str::trim) {
        let length = name.chars().count();
        if length > MOST_NAME || name.chars().any(char::is_control) {
            return Err(Fault::unusable(format!("name has {length} characters; give one line of at most {MOST_NAME}")));
        }
        app.store.name_run(id, name).await?;
    }
    if let Some(starred) = label.0.starred {
        app.store.star_run(id, starred).await?;
    }
    app.jobs.tell(Event::Asset { asset: line.asset });
    Ok(Json(run_view(app, app.store.run_line(id).await?)))
}

/// Makes the settings that a run was baked with those of its asset again, as one edit. Of a proof whose settings before it were lowered are
/// not remembered any more, what proofs lower stays as it is.
#[utoipa::path(tag = "runs", responses((status = 200, description = "The asset", body = ref("AssetView"))))]
#[post("/runs/<id>/restore")]
async fn restore_run(app: &State<Arc<App>>, id: i64) -> Result<Tagged> {
    let run = app.store.run(id).await?;
    let asset = run.line.asset;
    let remembered = app.store.recipe_before_run(asset, id).await?;
    edit_with(app, asset, async move |recipe| {
        let restored = match (remembered, run.line.kind) {
            (Some(remembered), _) => remembered,
            (None, RunKind::Final) => run.recipe,
            (None, RunKind::Proof) => run.recipe.of_proof(recipe),
            // It lists maps of another program, and what these were made by is not known.
            (None, RunKind::Imported) => return Err(Fault::unusable(NOT_BAKED)),
        };
        // What an asset is called, and what is accepted of it, are not settings of a bake.
        let (name, exceptions) = (std::mem::take(&mut recipe.asset), std::mem::take(&mut recipe.exceptions));
        *recipe = restored;
        (recipe.asset, recipe.exceptions) = (name, exceptions);
        // A region is one of that run alone.
        recipe.region = None;
        Ok(())
    })
    .await?;
    view(app, asset).await
}

/// What proofs take, and may take.
#[utoipa::path(tag = "runs", responses((status = 200, description = "Bytes", body = ref("ProofRoom"))))]
#[get("/proof-room")]
async fn show_proof_room(app: &State<Arc<App>>) -> Result<Json<ProofRoom>> {
    let (held, most) = (app.store.proof_bytes().await?, most_proof_bytes(app).await?);
    Ok(Json(ProofRoom { held, most, most_of_asset: MOST_PROOFS }))
}

/// Sets how much proofs may take, in bytes; the oldest of what is above that go at once.
#[utoipa::path(
    tag = "runs",
    request_body(content = ref("ProofLimit"), content_type = "application/json"),
    responses((status = 200, description = "Bytes", body = ref("ProofRoom"))),
)]
#[put("/proof-room", data = "<limit>")]
async fn set_proof_room(app: &State<Arc<App>>, limit: Sent<ProofLimit>) -> Result<Json<ProofRoom>> {
    let ProofLimit { most } = limit.0;
    if !(0..=LIMIT).contains(&most) {
        return Err(Fault::unusable(format!("most is {most} bytes; give 0 to {LIMIT}")));
    }
    app.store.set_setting(PROOFS_SETTING, &most).await?;
    if app.store.age_proofs(most).await? > 0 {
        app.store.collect().await?;
        for (asset, _) in app.store.assets().await? {
            app.jobs.tell(Event::Asset { asset });
        }
    }
    show_proof_room(app).await
}
