//! Finishes that go from one asset to another: pictures of them to choose by, the library, and files of finishes with all that they read.

use crate::App;
use crate::api::Swatch;
use crate::fault::{Fault, Result, aside};
use crate::routes::finishes::{PICTURE_SIDE, base_color_of, flat_piece};
use crate::routes::masks::with_some_mask;
use crate::routes::sent::Sent;
use ember_ridge_core::finish::{Finish, FinishOn, KeptFinishes};
use ember_ridge_formats::kept::{bytes_of, kept_file};
use rocket::serde::json::Json;
use rocket::{State, delete, get, post, put};
use std::collections::HashMap;
use std::io::Write;
use std::sync::Arc;

described_routes!(fit_finishes, export_finishes, show_finish_pictures, list_finish_library, keep_finishes, drop_finish,);

/// Bytes that the files of finishes may take together: in Base64 they are a third more, and have to come in again within the limit of a
/// request.
const MOST_FILE_BYTES: u64 = 20 << 20;

/// Finishes of a file in lengths that suit an asset; the files that came with them are kept.
#[utoipa::path(
    tag = "finishes",
    request_body(content = ref("KeptFinishes"), content_type = "application/json"),
    responses((status = 200, description = "The finishes", body = ref("Finish[]"))),
)]
#[post("/assets/<id>/kept-finishes", data = "<finishes>")]
async fn fit_finishes(app: &State<Arc<App>>, id: i64, finishes: Sent<KeptFinishes>) -> Result<Json<Vec<Finish>>> {
    let finishes = finishes.0;
    finishes.validate().map_err(Fault::unusable)?;
    let recipe = with_some_mask(app.store.asset(id).await?.recipe);
    let naming = app.store.naming().await;
    let there = app.inner().clone();
    let fitted = aside(move || {
        let mut hashes = HashMap::new();
        for file in &finishes.files {
            let mut writer = there.store.blobs.writer()?;
            writer.write_all(&bytes_of(file).map_err(Fault::unusable)?)?;
            hashes.insert(file.file.clone(), writer.keep()?.0);
        }
        let known = finishes.with_hashes(&|file| hashes.get(file).cloned());
        Ok(known.scaled_to(there.scene(&recipe, &|_| true)?.diagonal()))
    })
    .await;
    drop(naming);
    Ok(Json(fitted?))
}

/// Finishes with the files that they read, as a file of their own holds them.
#[utoipa::path(
    tag = "finishes",
    request_body(content = ref("KeptFinishes"), content_type = "application/json"),
    responses((status = 200, description = "The same with their files", body = ref("KeptFinishes"))),
)]
#[post("/exported-finishes", data = "<finishes>")]
async fn export_finishes(app: &State<Arc<App>>, finishes: Sent<KeptFinishes>) -> Result<Json<KeptFinishes>> {
    Ok(Json(with_files(app, finishes.0).await?))
}

/// The files that finishes read, taken along from where the program keeps them.
async fn with_files(app: &State<Arc<App>>, mut finishes: KeptFinishes) -> Result<KeptFinishes> {
    finishes.validate().map_err(Fault::unusable)?;
    let app = app.inner().clone();
    aside(move || {
        let mut room = MOST_FILE_BYTES;
        for (file, hash) in finishes.files_read() {
            // What is missing here is missing there; the finish tells it.
            let Some(hash) = hash.filter(|hash| app.store.blobs.has(hash)) else { continue };
            let length = app.store.blobs.length(&hash)?;
            room = room.checked_sub(length).ok_or_else(|| {
                let most = MOST_FILE_BYTES >> 20;
                Fault::unusable(format!("{file}: the pictures come to more than {most} MiB; export fewer finishes"))
            })?;
            finishes.files.push(kept_file(&file, &app.store.blobs.read(&hash)?));
        }
        Ok(finishes)
    })
    .await
}

/// A small picture of each finish, on a flat piece through the middle of the asset.
#[utoipa::path(
    tag = "finishes",
    request_body(content = ref("KeptFinishes"), content_type = "application/json"),
    responses((status = 200, description = "A picture of each, by its name", body = ref("Swatch[]"))),
)]
#[post("/assets/<id>/finish-pictures", data = "<finishes>")]
async fn show_finish_pictures(
    app: &State<Arc<App>>,
    id: i64,
    finishes: Sent<KeptFinishes>,
) -> Result<Json<Vec<Swatch>>> {
    let finishes = finishes.0;
    finishes.validate().map_err(Fault::unusable)?;
    let recipe = with_some_mask(app.store.asset(id).await?.recipe);
    let app = app.inner().clone();
    aside(move || {
        let recipe = flat_piece(&app, recipe, PICTURE_SIDE)?;
        let picture = |finish: Finish| {
            let name = finish.name.clone();
            let alone = Finish { on: FinishOn::All, ..finish };
            Ok(Swatch { map: name, ..base_color_of(&app, recipe.clone(), alone)? })
        };
        Ok(Json(finishes.finishes.into_iter().map(picture).collect::<Result<Vec<_>>>()?))
    })
    .await
}

/// The finishes kept in the library, each with its files and the size of the asset that it was made for.
#[utoipa::path(
    tag = "finishes",
    responses((status = 200, description = "The library", body = ref("KeptFinishes[]"))),
)]
#[get("/finish-library")]
async fn list_finish_library(app: &State<Arc<App>>) -> Result<Json<Vec<KeptFinishes>>> {
    Ok(Json(app.library_of().await?))
}

/// Keeps finishes in the library, each under its name, in place of those that had it.
#[utoipa::path(
    tag = "finishes",
    request_body(content = ref("KeptFinishes"), content_type = "application/json"),
    responses((status = 200, description = "The library", body = ref("KeptFinishes[]"))),
)]
#[put("/finish-library", data = "<finishes>")]
async fn keep_finishes(app: &State<Arc<App>>, finishes: Sent<KeptFinishes>) -> Result<Json<Vec<KeptFinishes>>> {
    let KeptFinishes { finishes, diagonal, tags, .. } = finishes.0;
    let mut entries = Vec::new();
    for finish in finishes {
        let one = KeptFinishes { finishes: vec![finish], diagonal, tags: tags.clone(), files: Vec::new() };
        entries.push(with_files(app, one).await?);
    }
    Ok(Json(app.keep_in_library(entries).await?))
}

/// Takes a finish out of the library.
#[utoipa::path(
    tag = "finishes",
    responses((status = 200, description = "The library", body = ref("KeptFinishes[]"))),
)]
#[delete("/finish-library/<name>")]
async fn drop_finish(app: &State<Arc<App>>, name: &str) -> Result<Json<Vec<KeptFinishes>>> {
    Ok(Json(app.drop_from_library(name).await?))
}
