//! Profiles of deliveries: those that come with the program, and those that were made here.

use crate::App;
use crate::api::ProfileLine;
use crate::fault::{Fault, Result};
use crate::routes::sent::Sent;
use ember_ridge_core::deliver::{Profile, shipped_profiles};
use rocket::serde::json::Json;
use rocket::{State, delete, get, put};
use std::sync::Arc;

described_routes!(list_profiles, keep_profile, drop_profile);

/// Those that come with the program, then those that were kept.
#[utoipa::path(
    tag = "deliveries",
    responses((status = 200, description = "Every profile", body = ref("ProfileLine[]"))),
)]
#[get("/profiles")]
async fn list_profiles(app: &State<Arc<App>>) -> Result<Json<Vec<ProfileLine>>> {
    Ok(Json(lines(app.library_of().await?)))
}

/// Keeps a profile in place of one that had its name.
#[utoipa::path(
    tag = "deliveries",
    request_body(content = ref("Profile"), content_type = "application/json"),
    responses((status = 200, description = "Every profile", body = ref("ProfileLine[]"))),
)]
#[put("/profiles", data = "<profile>")]
async fn keep_profile(app: &State<Arc<App>>, profile: Sent<Profile>) -> Result<Json<Vec<ProfileLine>>> {
    let profile = profile.0;
    profile.validate().map_err(Fault::unusable)?;
    own(&profile.name)?;
    Ok(Json(lines(app.keep_in_library(vec![profile]).await?)))
}

/// Takes a profile away that was made here.
#[utoipa::path(
    tag = "deliveries",
    responses((status = 200, description = "Every profile", body = ref("ProfileLine[]"))),
)]
#[delete("/profiles/<name>")]
async fn drop_profile(app: &State<Arc<App>>, name: &str) -> Result<Json<Vec<ProfileLine>>> {
    own(name)?;
    Ok(Json(lines(app.drop_from_library(name).await?)))
}

fn lines(kept: Vec<Profile>) -> Vec<ProfileLine> {
    let shipped = shipped_profiles().into_iter().map(|profile| ProfileLine { profile, shipped: true });
    shipped.chain(kept.into_iter().map(|profile| ProfileLine { profile, shipped: false })).collect()
}

/// Refuses the names of profiles that come with the program.
fn own(name: &str) -> Result<()> {
    match shipped_profiles().iter().any(|profile| profile.name == name) {
        true => {
            Err(Fault::unusable(format!("{name} comes with the program and stays as it is. Give yours another name")))
        }
        false => Ok(()),
    }
}
