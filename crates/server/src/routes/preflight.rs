//! What a final will take and write, before it is begun.

use crate::App;
use crate::api::{PlannedFile, Preflight};
use crate::fault::{Result, aside};
use crate::keep::{MOST_UNPACKED, is_map, map_key};
use crate::routes::shared::overwritten;
use ember_ridge_core::Recipe;
use ember_ridge_core::bake::{MapFacts, PREVIEW_SIDE};
use ember_ridge_core::sheet::plan_sheets;
use ember_ridge_formats::files::free_room;
use ember_ridge_formats::keep::{MapFile, planned_files};
use ember_ridge_store::{RunFile, RunKind};
use rocket::serde::json::Json;
use rocket::{State, get};
use std::sync::Arc;

described_routes!(show_preflight);

/// A run that tells how small the files of maps get.
struct Before {
    number: i64,
    recipe: Recipe,
    files: Vec<RunFile>,
}

/// What a final of the recipe as it stands will take and write.
#[utoipa::path(tag = "runs", responses((status = 200, description = "Files, memory, disk", body = ref("Preflight"))))]
#[get("/assets/<id>/preflight")]
async fn show_preflight(app: &State<Arc<App>>, id: i64) -> Result<Json<Preflight>> {
    let recipe = app.store.asset(id).await?.recipe;
    let before = match app.store.newest_run(id, Some(RunKind::Final), true).await? {
        Some(run) => {
            let files = app.store.run_files(run.line.id).await?.into_iter().filter(is_map).collect();
            Some(Before { number: run.line.number, recipe: run.recipe, files })
        }
        None => None,
    };
    let app = app.inner().clone();
    aside(move || preflight(&app, &recipe, before.as_ref()).map(Json)).await
}

fn preflight(app: &App, recipe: &Recipe, before: Option<&Before>) -> Result<Preflight> {
    let scene = app.scene(recipe, &|_| true)?;
    let sheets: Vec<_> = plan_sheets(&scene.low.mesh, &recipe.sheet).into_iter().map(|sheet| sheet.name).collect();
    let facts: Vec<MapFacts> = recipe.maps.iter().map(|map| MapFacts::new(map, recipe)).collect();
    let texels = u64::from(recipe.sheet.size).pow(2);
    let planned = planned_files(recipe, &sheets);
    let clashes = overwritten(recipe, planned.iter().map(|file| file.file.as_str()));
    let (mut files, mut waiting, mut measured) = (Vec::new(), 0, false);
    for MapFile { sheet, map, file } in planned {
        let facts = &facts[map];
        let plain = texels * facts.waiting_bytes() as u64;
        let by_run = before.and_then(|before| bytes_by(before, recipe, facts, sheet));
        measured |= by_run.is_some();
        waiting += plain;
        files.push(PlannedFile { map: facts.key().to_owned(), file, bytes: by_run.unwrap_or(plain) });
    }
    // Beside meshes and trees: pictures on screen (four bytes per channel and a mark per texel) and a bit per texel for coverage.
    let side = u64::from(recipe.sheet.size.min(PREVIEW_SIDE));
    let channels: u64 = facts.iter().map(|facts| facts.shape.channels as u64).sum();
    let canvas = side * side * sheets.len() as u64 * (4 * channels + facts.len() as u64);
    let written = files.iter().map(|file| file.bytes).sum::<u64>();
    // A large map lies on the disk once more in squares, with a third for the smaller sizes.
    let squares = if recipe.sheet.size > MOST_UNPACKED { written * 4 / 3 } else { 0 };
    Ok(Preflight {
        memory: app.memory.held() + canvas + sheets.len() as u64 * texels / 8,
        memory_most: app.memory.most(),
        disk: waiting + written + squares,
        disk_left: free_room(app.store.blobs.folder()),
        by_run: before.filter(|_| measured).map(|before| before.number),
        files,
        clashes,
    })
}

/// Bytes of a map's file by those of an earlier final of the same format and depth: they grow with the texels.
fn bytes_by(before: &Before, recipe: &Recipe, facts: &MapFacts, sheet: usize) -> Option<u64> {
    let map = before.recipe.maps.iter().find(|map| map.key() == facts.key())?;
    let earlier = MapFacts::new(map, &before.recipe);
    let key = map_key(facts.key(), sheet);
    let file = before.files.iter().find(|file| file.map == key)?;
    let same = (earlier.format, earlier.depth) == (facts.format, facts.depth);
    let grown = f64::from(recipe.sheet.size) / f64::from(before.recipe.sheet.size);
    same.then_some((file.bytes as f64 * grown * grown) as u64)
}
