//! Kept hits: how much of them there is, and how much there may be.

use crate::App;
use crate::api::KeptHitsView;
use crate::fault::{Fault, Result, aside};
use rocket::http::Status;
use rocket::serde::json::Json;
use rocket::{Route, State, get, put, routes};
use std::sync::Arc;

/// Name of the setting in the database.
pub const HITS_SETTING: &str = "most-kept-hits";
/// Bytes of hits that are kept unless the user says otherwise.
pub const MOST_HITS: u64 = 4_000_000_000;
/// No more can be asked for: numbers in JSON are exact up to here.
const LIMIT: u64 = 1 << 53;

pub fn routes() -> Vec<Route> {
    routes![show, set]
}

fn view(app: &App) -> KeptHitsView {
    KeptHitsView { held: app.hits.held(), most: app.hits.most() }
}

/// What is kept now.
#[get("/hits")]
async fn show(app: &State<Arc<App>>) -> Result<Json<KeptHitsView>> {
    let app = app.inner().clone();
    aside(move || Ok(Json(view(&app)))).await
}

/// Sets how much may be kept, in bytes; what is above that goes at once.
#[put("/hits?<most>")]
async fn set(app: &State<Arc<App>>, most: u64) -> Result<Json<KeptHitsView>> {
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
