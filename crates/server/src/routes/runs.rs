//! Runs: listed, looked at, taken away.

use crate::App;
use crate::api::{Event, Freed, PictureLine, RunDetail, RunPage, TexelMap, TexelView};
use crate::fault::{Fault, Result, aside};
use crate::jobs::{Stopped, forget};
use crate::keep::{is_map, map_key, small_name, squares_name, view_name, with_squares};
use crate::routes::sent::Given;
use crate::routes::shared::{Stored, Zip, overwritten};
use crate::views::{RUNS_SHOWN, run_view, some_runs};
use ember_ridge_core::bake::MapReport;
use ember_ridge_core::maps::{MapSettings, Reads, Unit};
use ember_ridge_core::picture::{Coding, Image, linear_to_srgb};
use ember_ridge_formats::image::{level_sizes, read_image, write_png};
use ember_ridge_store::{FoundBy, RunFile, RunFilter};
use rocket::http::{ContentType, Status};
use rocket::serde::json::Json;
use rocket::{State, delete, get};
use serde::de::DeserializeOwned;
use std::io::Write;
use std::sync::Arc;

described_routes!(
    list_runs,
    show_run,
    run_frees,
    delete_run,
    show_map,
    show_small_map,
    show_picture,
    show_live_map,
    show_texel,
    show_package
);

/// An asset's runs below a number, newest first.
#[utoipa::path(
    tag = "runs",
    params(
        ("before" = Option<i64>, Query, description = "Number of a run: older ones are given"),
        ("limit" = Option<u32>, Query, description = "At most 500; 50 unless said otherwise"),
        ("kind" = Option<String>, Query, description = "Only runs of this kind"),
        ("map" = Option<String>, Query, description = "Only runs that made this map"),
        ("finding" = Option<String>, Query, description = "Only runs with a finding of this kind"),
        ("starred" = Option<bool>, Query, description = "Only runs with a star"),
    ),
    responses((status = 200, description = "A page of runs", body = ref("RunPage"))),
)]
#[get("/assets/<id>/runs?<before>&<limit>&<kind>&<map>&<finding>&<starred>")]
#[expect(clippy::too_many_arguments, reason = "one for each part of the address")]
async fn list_runs(
    app: &State<Arc<App>>,
    id: i64,
    before: Given<i64>,
    limit: Given<u32>,
    kind: Option<&str>,
    map: Option<&str>,
    finding: Option<&str>,
    starred: Given<bool>,
) -> Result<Json<RunPage>> {
    app.store.asset_exists(id).await?;
    let wanted = RunFilter {
        kind: kind.map(|kind| by_word("kind", kind)).transpose()?,
        map: map.map(str::to_owned),
        finding: finding.map(|finding| by_word("finding", finding)).transpose()?,
        starred: starred.optional()?.unwrap_or(false),
    };
    let most = limit.optional()?.unwrap_or(RUNS_SHOWN).clamp(1, 500);
    let (runs, more) = some_runs(app, id, before.optional()?, most, &wanted).await?;
    let FoundBy { maps, findings } = app.store.found_by(id).await?;
    Ok(Json(RunPage { runs, more, maps, findings }))
}

/// A value of the query that is one of some words.
fn by_word<T: DeserializeOwned>(name: &str, word: &str) -> Result<T> {
    serde_json::from_value(word.into()).map_err(|why| Fault::unusable(format!("{name} is '{word}': {why}")))
}

/// A run with its report and the addresses of its pictures.
#[utoipa::path(tag = "runs", responses((status = 200, description = "The run", body = ref("RunDetail"))))]
#[get("/runs/<id>")]
async fn show_run(app: &State<Arc<App>>, id: i64) -> Result<Json<RunDetail>> {
    let run = app.store.run(id).await?;
    let files = app.store.run_files(id).await?;
    let pictures = files.iter().filter(|f| is_map(f)).map(|file| {
        let shown = files.iter().find(|v| v.map == view_name(&file.map)).unwrap_or(file);
        let (map, sheet) = file.map.split_once('@').unwrap_or((&file.map, "0"));
        let large = files.iter().any(|v| v.map == squares_name(&file.map));
        let squares = if large { level_sizes(run.recipe.sheet.size) } else { Vec::new() };
        PictureLine { map: map.to_owned(), sheet: sheet.parse().unwrap_or(0), hash: shown.hash.clone(), squares }
    });
    let pictures = pictures.collect();
    let findings = run.report.iter().flat_map(|r| &r.findings).filter(|f| f.kind.is_of_result()).cloned().collect();
    Ok(Json(RunDetail { run: run_view(app, run.line), report: run.report, findings, pictures }))
}

/// Bytes that deleting the run would free.
#[utoipa::path(tag = "runs", responses((status = 200, description = "Bytes", body = ref("Freed"))))]
#[get("/runs/<id>/frees")]
async fn run_frees(app: &State<Arc<App>>, id: i64) -> Result<Json<Freed>> {
    app.store.run_line(id).await?;
    Ok(Json(Freed { bytes: app.store.run_frees(id).await? }))
}

/// Deletes a run, and the files that only it names. One that waits or runs is stopped first.
#[utoipa::path(tag = "runs", responses((status = 200, description = "What was freed", body = ref("Freed"))))]
#[delete("/runs/<id>")]
async fn delete_run(app: &State<Arc<App>>, id: i64) -> Result<Json<Freed>> {
    let line = app.store.run_line(id).await?;
    if app.jobs.stop(id) == Stopped::Soon {
        return Err(Fault::new(
            Status::Conflict,
            "this run is still baking and is being stopped. Delete it once it has stopped",
        ));
    }
    let there = app.inner().clone();
    let of_run = line.clone();
    aside(move || {
        forget(&there, &of_run);
        Ok(())
    })
    .await?;
    app.store.delete_run(id).await?;
    let bytes = app.store.collect().await?;
    app.jobs.tell(Event::Asset { asset: line.asset });
    Ok(Json(Freed { bytes }))
}

async fn file_of(app: &App, run: i64, map: &str) -> Result<RunFile> {
    let files = app.store.run_files(run).await?;
    files.into_iter().find(|f| f.map == map).ok_or_else(|| Fault::missing("such map in this run"))
}

/// A small picture of a map.
#[utoipa::path(
    tag = "runs",
    params(("sheet" = Option<usize>, Query)),
    responses(
        (status = 200, description = "A PNG of at most 96 texels per side", body = Vec<u8>, content_type = "image/png"),
    ),
)]
#[get("/runs/<id>/small/<map>?<sheet>")]
async fn show_small_map(app: &State<Arc<App>>, id: i64, map: &str, sheet: Given<usize>) -> Result<Stored> {
    let file = file_of(app, id, &small_name(&map_key(map, sheet.optional()?.unwrap_or(0)))).await?;
    send(app, file.hash, false).await
}

/// A map as a browser can show it: the file itself where it is a PNG; of one of more than 4096 texels per side a copy of at most 2048.
#[utoipa::path(
    tag = "runs",
    params(("sheet" = Option<usize>, Query)),
    responses((status = 200, description = "The picture", body = Vec<u8>, content_type = "image/png")),
)]
#[get("/runs/<id>/maps/<map>?<sheet>")]
async fn show_map(app: &State<Arc<App>>, id: i64, map: &str, sheet: Given<usize>) -> Result<Stored> {
    let key = map_key(map, sheet.optional()?.unwrap_or(0));
    let file = match file_of(app, id, &view_name(&key)).await {
        Ok(view) => view,
        Err(_) => file_of(app, id, &key).await?,
    };
    send(app, file.hash, false).await
}

/// A picture of some run, by its content: the address never shows another.
#[utoipa::path(
    tag = "runs",
    responses((status = 200, description = "The picture", body = Vec<u8>, content_type = "image/png")),
)]
#[get("/pictures/<hash>")]
async fn show_picture(app: &State<Arc<App>>, hash: &str) -> Result<Stored> {
    let file = app.store.file_by_hash(hash).await?.ok_or_else(|| Fault::missing("such picture"))?;
    send(app, file.hash, true).await
}

async fn send(app: &State<Arc<App>>, hash: String, forever: bool) -> Result<Stored> {
    let app = app.inner().clone();
    aside(move || {
        let (file, length) = app.store.blobs.open_blob(&hash)?;
        Ok(Stored { kind: ContentType::PNG, hash, file, length, forever })
    })
    .await
}

/// A running bake's map as far as it is, at most 512 texels per side.
#[utoipa::path(
    tag = "runs",
    params(("sheet" = Option<usize>, Query)),
    responses((status = 200, description = "The picture so far", body = Vec<u8>, content_type = "image/png")),
)]
#[get("/runs/<id>/live/<map>?<sheet>")]
async fn show_live_map(
    app: &State<Arc<App>>,
    id: i64,
    map: &str,
    sheet: Given<usize>,
) -> Result<(ContentType, Vec<u8>)> {
    let picture = app.jobs.live(id, &map_key(map, sheet.optional()?.unwrap_or(0)));
    let picture = picture.ok_or_else(|| Fault::missing("live picture of this map"))?;
    let bytes = aside(move || {
        let mut out = Vec::new();
        write_png(&mut out, picture.side, picture.channels, &picture.rows)?;
        Ok(out)
    });
    Ok((ContentType::PNG, bytes.await?))
}

/// What every map of a run holds at a texel, counted from the top left.
#[utoipa::path(
    tag = "runs",
    params(
        ("x" = u32, Query, description = "From the left"),
        ("y" = u32, Query, description = "From the top"),
        ("sheet" = Option<usize>, Query),
    ),
    responses((status = 200, description = "Each map at the texel", body = ref("TexelView"))),
)]
#[get("/runs/<id>/texel?<x>&<y>&<sheet>")]
async fn show_texel(
    app: &State<Arc<App>>,
    id: i64,
    x: Given<u32>,
    y: Given<u32>,
    sheet: Given<usize>,
) -> Result<Json<TexelView>> {
    let (x, y) = (x.required("x")?, y.required("y")?);
    Ok(Json(TexelView { x, y, maps: texel_maps(app, id, (x, y), sheet.optional()?.unwrap_or(0)).await? }))
}

/// What the maps of a run hold at a texel.
pub(super) async fn texel_maps(app: &Arc<App>, id: i64, (x, y): (u32, u32), sheet: usize) -> Result<Vec<TexelMap>> {
    let run = app.store.run(id).await?;
    let size = run.recipe.sheet.size;
    if x >= size || y >= size {
        return Err(Fault::unusable(format!("texel {x}, {y} is not on a sheet of {size} x {size}")));
    }
    let files = app.store.run_files(id).await?;
    let app = app.clone();
    aside(move || {
        let mut maps = Vec::new();
        for settings in &run.recipe.maps {
            let key = map_key(&settings.key(), sheet);
            let Some(file) = files.iter().find(|f| is_map(f) && f.map == key) else { continue };
            let squares = files.iter().find(|f| f.map == squares_name(&key));
            let (mut texel, coding) = texel_of(&app, file, squares, (x, y))?;
            // Files of floats hold colours as light; here they are told as they are seen.
            let colors = settings.kind().color || settings.kind().flat;
            if colors && coding == Coding::Linear {
                texel.iter_mut().take(3).for_each(|c| *c = linear_to_srgb(c.clamp(0.0, 1.0)));
            }
            let channels = texel[..settings.shape().channels.min(texel.len())].to_vec();
            let key = settings.key();
            let told = run.report.as_ref().and_then(|report| report.maps.get(&key));
            let words = words_of(settings, &channels, told);
            maps.push(TexelMap { map: key, channels, words });
        }
        Ok(maps)
    })
    .await
}

/// A texel of a map: of a large one it lies in one of its squares.
fn texel_of(app: &App, file: &RunFile, squares: Option<&RunFile>, (x, y): (u32, u32)) -> Result<([f32; 4], Coding)> {
    if let Some(squares) = squares {
        return with_squares(app, squares, |squares| Ok((squares.texel(x, y)?, squares.coding())));
    }
    let image = whole_map(app, file)?;
    Ok((image.texel(x, y), image.coding))
}

/// A map as its file holds it.
pub(super) fn whole_map(app: &App, file: &RunFile) -> Result<Arc<Image>> {
    let key = format!("map/{}", file.hash);
    app.memory.once(&key, || Ok(read_image(&file.file, &app.store.blobs.read(&file.hash)?)?))
}

/// What the channels of a map mean, as its report says that they are read; nothing where an earlier version did not say.
fn words_of(settings: &MapSettings, channels: &[f32], map: Option<&MapReport>) -> String {
    let share = |what: &str| format!("{:.0} % {what}", 100.0 * channels.first().copied().unwrap_or_default());
    match settings {
        MapSettings::Ao(_) | MapSettings::Cavity(_) => return share("open"),
        MapSettings::Opacity(_) => return share("hit"),
        MapSettings::Miss(_) => return share("missed"),
        _ => {}
    }
    let Some((map, reads)) = map.and_then(|map| Some((map, map.reads?))) else { return String::new() };
    let channel = |c: usize| channels.get(c).copied().unwrap_or_default();
    // Colours come as they are seen.
    let told = reads.told([channel(0), channel(1), channel(2)], map.scale, false);
    match reads {
        Reads::Direction { .. } => {
            // Rounded first: a zero has no sign.
            let [x, y, z] = told.map(|c| (c * 100.0).round() / 100.0 + 0.0);
            format!("{x:.2}, {y:.2}, {z:.2}")
        }
        Reads::Height => format!("{:+.5} units", told[0]),
        Reads::Color => {
            let color = told.map(|step| step.round() as u8);
            let [r, g, b] = color;
            match &map.palette {
                Some(palette) => {
                    let region = palette.iter().find(|entry| entry.color == color);
                    region.map_or("no region".to_owned(), |entry| entry.name.clone())
                }
                None => format!("#{r:02x}{g:02x}{b:02x}"),
            }
        }
        Reads::Number { unit: Unit::PerUnit, .. } => {
            // Convex stands in the first of two channels, concave in the second.
            let bend = if channels.len() > 1 { told[0] - told[1] } else { told[0] };
            format!("{bend:+.2} {}", Unit::PerUnit.words())
        }
        Reads::Number { .. } => channels.iter().map(|v| format!("{v:.2}")).collect::<Vec<_>>().join(", "),
    }
}

/// The maps, the report and the recipe of a finished run, as a zip that is sent as it is made.
#[utoipa::path(
    tag = "runs",
    responses((status = 200, description = "The zip", body = Vec<u8>, content_type = "application/zip")),
)]
#[get("/runs/<id>/package")]
async fn show_package(app: &State<Arc<App>>, id: i64) -> Result<Zip> {
    let run = app.store.run(id).await?;
    let Some(report) = run.report.filter(|_| run.line.status.has_maps()) else {
        return Err(Fault::unusable("This run has no maps to deliver; let it bake to the end first"));
    };
    let files: Vec<RunFile> = app.store.run_files(id).await?.into_iter().filter(is_map).collect();
    if let Some(file) = overwritten(&run.recipe, files.iter().map(|file| file.file.as_str())).first() {
        return Err(Fault::unusable(format!(
            "{file}: the asset reads a file of this name, and unpacking the package beside it would replace it. Import that \
             file under another name, and bake again"
        )));
    }
    let name: String = run.recipe.asset.chars().map(|c| if c.is_ascii_alphanumeric() { c } else { '_' }).collect();
    let file_name = format!("{}_{}.zip", name.to_lowercase(), run.line.number);
    let app = app.inner().clone();
    let texts = [
        ("report.json", serde_json::to_vec_pretty(&report)?),
        ("recipe.json", serde_json::to_vec_pretty(&run.recipe)?),
    ];
    // Every file is looked through before the first byte goes out: a damaged one is an error, not a broken zip.
    let blobs = aside(move || {
        let open = |file: RunFile| Ok((file.file, app.store.blobs.open_blob(&file.hash)?.0));
        files.into_iter().map(open).collect::<Result<Vec<_>>>()
    })
    .await?;
    Ok(Zip::sent(&file_name, move |out| write_zip(out, blobs, &texts)))
}

fn write_zip(out: impl Write, blobs: Vec<(String, std::fs::File)>, texts: &[(&str, Vec<u8>)]) -> std::io::Result<()> {
    let stored = zip::write::SimpleFileOptions::default().compression_method(zip::CompressionMethod::Stored);
    let mut archive = zip::ZipWriter::new_stream(out);
    for (name, mut blob) in blobs {
        let large = blob.metadata()?.len() >= u64::from(u32::MAX);
        archive.start_file(name, stored.large_file(large))?;
        std::io::copy(&mut blob, &mut archive)?;
    }
    for (name, text) in texts {
        archive.start_file(*name, stored)?;
        archive.write_all(text)?;
    }
    archive.finish()?.into_inner().flush()
}
