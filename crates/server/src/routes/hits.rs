//! Kept hits: how much of them there is, and how much there may be.

use crate::App;
use crate::api::{HitsLimit, KeptHitsView};
use crate::fault::{Fault, Result, aside};
use crate::routes::sent::Sent;
use rocket::http::Status;
use rocket::serde::json::Json;
use rocket::{State, get, put};
use std::sync::Arc;

/// Name of the setting in the database.
pub const HITS_SETTING: &str = "most-kept-hits";
/// Bytes of hits that are kept unless the user says otherwise.
pub const MOST_HITS: u64 = 4_000_000_000;
/// No more can be asked for: numbers in JSON are exact up to here.
const LIMIT: u64 = 1 << 53;

described_routes!(show_hits, set_hits);

fn view(app: &App) -> KeptHitsView {
    KeptHitsView { held: app.hits.held(), most: app.hits.most() }
}

/// What is kept now.
#[utoipa::path(
    tag = "program",
    responses((status = 200, description = "Bytes held and the limit", body = ref("KeptHitsView"))),
)]
#[get("/hits")]
async fn show_hits(app: &State<Arc<App>>) -> Result<Json<KeptHitsView>> {
    let app = app.inner().clone();
    aside(move || Ok(Json(view(&app)))).await
}

/// Sets how much may be kept, in bytes; what is above that goes at once.
#[utoipa::path(
    tag = "program",
    request_body(content = ref("HitsLimit"), content_type = "application/json"),
    responses((status = 200, description = "Bytes held and the limit", body = ref("KeptHitsView"))),
)]
#[put("/hits", data = "<limit>")]
async fn set_hits(app: &State<Arc<App>>, limit: Sent<HitsLimit>) -> Result<Json<KeptHitsView>> {
    let HitsLimit { most } = limit.0;
    if most > LIMIT {
        return Err(Fault::new(Status::UnprocessableEntity, format!("most is {most} bytes; give at most {LIMIT}")));
    }
    app.store.set_setting(HITS_SETTING, &most).await?;
    let app = app.inner().clone();
    aside(move || {
        app.hits.set_most(most);
        Ok(Json(view(&app)))
    })
    .await
}
