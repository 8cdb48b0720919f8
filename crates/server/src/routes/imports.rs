//! Maps that another program made: sorted by their names, and entered in the ledger as a run, so that everything that Review asks of a run
//! can be asked of them.

use crate::App;
use crate::api::{Event, FileNames, RunView, SortedFile, SortedFiles};
use crate::fault::{Fault, Result, aside};
use crate::keep::keep_imported;
use crate::routes::sent::{Given, Sent};
use crate::upload::{Incoming, open};
use crate::views::run_view;
use ember_ridge_core::import::{ImportedFile, Reading, imported_report, sort_by_suffix};
use ember_ridge_core::maps::Green;
use ember_ridge_core::sheet::plan_sheets;
use ember_ridge_formats::image::read_image;
use rocket::data::Data;
use rocket::response::status::Created;
use rocket::serde::json::Json;
use rocket::{FromFormField, State, post};
use std::sync::Arc;

described_routes!(sort_maps, import_maps);

/// Files of one import, at most: what fits in an address.
const MOST_FILES: usize = 256;

/// Which way green points: the + of an address would be a space.
#[derive(Clone, Copy, FromFormField)]
enum GreenWord {
    #[field(value = "up")]
    Up,
    #[field(value = "down")]
    Down,
}

/// What map files of another program are taken for by their names.
#[utoipa::path(
    tag = "runs",
    request_body(content = ref("FileNames"), content_type = "application/json"),
    responses((status = 200, description = "Each file in the order given", body = ref("SortedFiles"))),
)]
#[post("/assets/<id>/sorted-maps", data = "<names>")]
async fn sort_maps(app: &State<Arc<App>>, id: i64, names: Sent<FileNames>) -> Result<Json<SortedFiles>> {
    let recipe = app.store.asset(id).await?.recipe;
    let app = app.inner().clone();
    aside(move || {
        let low = app.joined(&recipe.low)?;
        let sheets: Vec<String> = plan_sheets(&low, &recipe.sheet).iter().map(|sheet| sheet.name.label()).collect();
        let sorted = |file: String| {
            let sorted = sort_by_suffix(&file, &sheets, &[]);
            SortedFile { map: sorted.map, sheet: sorted.sheet, file }
        };
        let files = names.0.files.into_iter().map(sorted).collect();
        Ok(Json(SortedFiles { files, sheets }))
    })
    .await
}

/// Enters maps of another program in the ledger. `file`, `map` and `sheet` are repeated in the same order, a file each.
#[utoipa::path(
    tag = "runs",
    params(
        ("file" = Vec<String>, Query, description = "A name and a length in bytes, such as lantern_normal.png:20480"),
        ("map" = Vec<String>, Query, description = "Key of the map that it holds"),
        ("sheet" = Option<Vec<usize>>, Query, description = "Number of its sheet, from 0; all lie on the first without it"),
        ("green" = Option<String>, Query, description = "up or down; found out from the slopes without it"),
        ("scale" = Option<f32>, Query, description = "Displacement in whole numbers: from black to white, scene units"),
    ),
    request_body(
        content = Vec<u8>,
        content_type = "application/octet-stream",
        description = "The files, one after the other",
    ),
    responses((status = 201, description = "The run; Location names it", body = ref("RunView"))),
)]
#[post("/assets/<id>/imported-runs?<file>&<map>&<sheet>&<green>&<scale>", data = "<data>")]
#[expect(clippy::too_many_arguments, reason = "one for each part of the address")]
async fn import_maps(
    app: &State<Arc<App>>,
    id: i64,
    file: Vec<String>,
    map: Vec<String>,
    sheet: Vec<usize>,
    green: Given<GreenWord>,
    scale: Given<f32>,
    data: Data<'_>,
) -> Result<Created<Json<RunView>>> {
    let asset = app.store.asset(id).await?;
    let green = green.optional()?.map(|green| match green {
        GreenWord::Up => Green::Up,
        GreenWord::Down => Green::Down,
    });
    let scale = scale.optional()?;
    if let Some(scale) = scale.filter(|scale| !(scale.is_finite() && *scale > 0.0)) {
        return Err(Fault::unusable(format!("scale is {scale}; give a distance above 0 in scene units")));
    }
    if file.len() != map.len() || (!sheet.is_empty() && sheet.len() != file.len()) {
        return Err(Fault::unusable("file, map and sheet are of different lengths; name each once for every file"));
    }
    if file.len() > MOST_FILES {
        let count = file.len();
        return Err(Fault::unusable(format!(
            "{count} files; at most {MOST_FILES} are imported at a time. Leave some out"
        )));
    }
    let mut files = Incoming::take_all(app, &file, &mut open(data)).await?;
    let there = app.inner().clone();
    let (files, report, told) = aside(move || {
        let scene = there.scene(&asset.recipe, &|_| true)?;
        let described = files.iter_mut().zip(&map).enumerate().map(|(number, (file, map))| {
            let image = read_image(&file.name, &file.writer.read_back()?)?;
            Ok(ImportedFile::of(&file.name, map, sheet.get(number).copied().unwrap_or(0), &image))
        });
        let described = described.collect::<Result<Vec<ImportedFile>>>()?;
        let reading = Reading { green, scale };
        let (report, told) = imported_report(&asset.recipe, &scene.low.mesh, scene.diagonal(), &described, reading)
            .map_err(|fault| Fault::unusable(fault.to_string()))?;
        let files: Vec<_> = files.into_iter().zip(described).collect();
        Ok((files, report, told))
    })
    .await?;
    let naming = app.store.naming().await;
    let there = app.inner().clone();
    let (files, report) = aside(move || {
        let kept = files.into_iter().map(|(file, of)| keep_imported(&there, &report, file, &of));
        Ok((kept.collect::<Result<Vec<_>>>()?.concat(), report))
    })
    .await?;
    let count = report.maps.len();
    let maps = if count == 1 { "1 map".to_owned() } else { format!("{count} maps") };
    let words: Vec<String> = [format!("{maps} of another program")].into_iter().chain(told).collect();
    let run = app.store.add_imported(id, &report, &files, &words).await?;
    drop(naming);
    app.jobs.tell(Event::Asset { asset: id });
    let view = Json(run_view(app, app.store.run_line(run).await?));
    Ok(Created::new(format!("/api/runs/{run}")).body(view))
}
