//! Runs: start, stop, look at, take away.

use crate::App;
use crate::api::{Event, RunOrder, RunView, TexelMap, TexelView};
use crate::fault::{Fault, Result, aside};
use crate::keep::{is_map, map_key, small_name, view_name};
use crate::routes::assets::run_view;
use crate::scenes::missing_side;
use ember_ridge_core::Recipe;
use ember_ridge_core::bake::Report;
use ember_ridge_core::maps::{CurvatureEncoding, Green, MapSettings, decode_normal};
use ember_ridge_core::sheet::Image;
use ember_ridge_formats::image::{read_image, write_png};
use ember_ridge_store::{RunFile, RunKind, RunStatus};
use rocket::http::{ContentType, Header};
use rocket::serde::json::Json;
use rocket::{Responder, Route, State, get, post, routes};
use std::collections::HashMap;
use std::io::{Cursor, Write};
use std::sync::{Arc, Mutex, PoisonError};

pub fn routes() -> Vec<Route> {
    routes![start, again, stop, picture, small, live, texel, package]
}

/// Decoded maps of the run that was asked about last, for reading texels.
#[derive(Default)]
pub struct ImageCache {
    last: Mutex<Option<(i64, DecodedMaps)>>,
}

type DecodedMaps = Arc<HashMap<String, Image>>;

#[post("/assets/<id>/runs", data = "<order>")]
async fn start(app: &State<Arc<App>>, id: i64, order: Json<RunOrder>) -> Result<Json<RunView>> {
    let asset = app.store.asset(id).await?;
    let recipe = match order.kind {
        RunKind::Proof => asset.recipe.as_proof(),
        RunKind::Final => asset.recipe,
    };
    enqueue(app, id, order.kind, &recipe).await
}

async fn enqueue(app: &Arc<App>, asset: i64, kind: RunKind, recipe: &Recipe) -> Result<Json<RunView>> {
    recipe.validate().map_err(Fault::unusable)?;
    if let Some(what) = missing_side(recipe) {
        return Err(Fault::unusable(format!("No {what} yet. Bring one in at the Meshes stop, then bake")));
    }
    // A newer proof makes an older one that still waits pointless.
    if kind == RunKind::Proof {
        for old in app.store.runs(asset).await?.iter().filter(|r| r.kind == kind && r.status == RunStatus::Waiting) {
            if app.jobs.stop(old.id) {
                app.store.set_run_status(old.id, RunStatus::Stopped, None).await?;
            }
        }
    }
    let run = app.store.add_run(asset, kind, recipe).await?;
    app.jobs.add(run, kind);
    app.jobs.tell(Event::Asset { asset });
    Ok(Json(run_view(app, &app.store.run(run).await?, None).await?))
}

/// Runs the recipe of an earlier run once more.
#[post("/runs/<id>/again")]
async fn again(app: &State<Arc<App>>, id: i64) -> Result<Json<RunView>> {
    let run = app.store.run(id).await?;
    enqueue(app, run.asset, run.kind, &run.recipe).await
}

#[post("/runs/<id>/stop")]
async fn stop(app: &State<Arc<App>>, id: i64) -> Result<()> {
    let run = app.store.run(id).await?;
    if app.jobs.stop(id) {
        app.store.set_run_status(id, RunStatus::Stopped, None).await?;
        app.jobs.tell(Event::Asset { asset: run.asset });
    }
    Ok(())
}

/// A finished map never changes: the browser may keep it.
#[derive(Responder)]
struct Kept<T> {
    body: T,
    cache: Header<'static>,
}

fn kept<T>(body: T) -> Kept<T> {
    Kept { body, cache: Header::new("Cache-Control", "private, max-age=31536000, immutable") }
}

async fn file_of(app: &App, run: i64, map: &str) -> Result<RunFile> {
    let files = app.store.run_files(run).await?;
    files.into_iter().find(|f| f.map == map).ok_or_else(|| Fault::missing("such map in this run"))
}

#[get("/runs/<id>/small/<map>?<sheet>")]
async fn small(
    app: &State<Arc<App>>,
    id: i64,
    map: &str,
    sheet: Option<usize>,
) -> Result<Kept<(ContentType, Vec<u8>)>> {
    let file = file_of(app, id, &small_name(&map_key(map, sheet.unwrap_or(0)))).await?;
    send(app, file).await
}

/// A map as a browser can show it: the file itself where it is a PNG.
#[get("/runs/<id>/maps/<map>?<sheet>")]
async fn picture(
    app: &State<Arc<App>>,
    id: i64,
    map: &str,
    sheet: Option<usize>,
) -> Result<Kept<(ContentType, Vec<u8>)>> {
    let key = map_key(map, sheet.unwrap_or(0));
    let file = match file_of(app, id, &view_name(&key)).await {
        Ok(view) => view,
        Err(_) => file_of(app, id, &key).await?,
    };
    send(app, file).await
}

async fn send(app: &State<Arc<App>>, file: RunFile) -> Result<Kept<(ContentType, Vec<u8>)>> {
    let app = app.inner().clone();
    let bytes = aside(move || Ok(app.store.blobs.read(&file.hash)?)).await?;
    Ok(kept((ContentType::PNG, bytes)))
}

/// A running bake's map as far as it is, at most 512 texels a side.
#[get("/runs/<id>/live/<map>?<sheet>")]
async fn live(app: &State<Arc<App>>, id: i64, map: &str, sheet: Option<usize>) -> Result<(ContentType, Vec<u8>)> {
    let picture = app.jobs.live(id, &map_key(map, sheet.unwrap_or(0)));
    let picture = picture.ok_or_else(|| Fault::missing("live picture of this map"))?;
    let bytes = aside(move || {
        let mut out = Vec::new();
        write_png(&mut out, picture.side, picture.channels, &picture.rows)?;
        Ok(out)
    });
    Ok((ContentType::PNG, bytes.await?))
}

/// What every map of a run holds at a texel, counted from the top left.
#[get("/runs/<id>/texel?<x>&<y>&<sheet>")]
async fn texel(app: &State<Arc<App>>, id: i64, x: u32, y: u32, sheet: Option<usize>) -> Result<Json<TexelView>> {
    Ok(Json(TexelView { x, y, maps: texel_maps(app, id, (x, y), sheet.unwrap_or(0)).await? }))
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
    let images = aside(move || app.images.of_run(id, &files, |hash| Ok(app.store.blobs.read(hash)?))).await?;
    let maps = run.recipe.maps.iter().filter_map(|settings| {
        let image = images.get(&map_key(settings.id(), sheet))?;
        let texel = image.texel(x, y);
        let channels = texel[..settings.shape().channels.min(texel.len())].to_vec();
        let words = words_of(settings, &channels, run.report.as_ref());
        Some(TexelMap { map: settings.id().to_owned(), channels, words })
    });
    Ok(maps.collect())
}

impl ImageCache {
    fn of_run(&self, run: i64, files: &[RunFile], read: impl Fn(&str) -> Result<Vec<u8>>) -> Result<DecodedMaps> {
        let mut last = self.last.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some((kept, images)) = &*last
            && *kept == run
        {
            return Ok(images.clone());
        }
        let mut images = HashMap::new();
        for file in files.iter().filter(|f| is_map(f)) {
            images.insert(file.map.clone(), read_image(&file.file, &read(&file.hash)?)?);
        }
        let images = Arc::new(images);
        *last = Some((run, images.clone()));
        Ok(images)
    }
}

fn words_of(settings: &MapSettings, channels: &[f32], report: Option<&Report>) -> String {
    let vector = |[r, g, b]: [f32; 3], y: Green| {
        let n = decode_normal([r, g, b], y);
        // Rounded first: a zero has no sign.
        let [x, y, z] = n.to_array().map(|c| (c * 100.0).round() / 100.0 + 0.0);
        format!("{x:.2}, {y:.2}, {z:.2}")
    };
    match (settings, channels) {
        (MapSettings::Normal(normal), &[r, g, b]) => vector([r, g, b], normal.y),
        (MapSettings::NormalObject(_), &[r, g, b]) => vector([r, g, b], Green::Up),
        (MapSettings::BentNormal(bent), &[r, g, b]) => vector([r, g, b], bent.y),
        (MapSettings::Displacement(_), &[value]) => {
            let map = report.and_then(|r| r.maps.get("displacement"));
            let height = match map.and_then(|m| m.scale) {
                Some(scale) => (value - 0.5) * scale,
                None => value,
            };
            format!("{height:+.5} units")
        }
        (MapSettings::Curvature(settings), _) if settings.encoding == CurvatureEncoding::RedGreen => {
            let [convex, concave] = [0, 1].map(|c| channels.get(c).copied().unwrap_or_default());
            format!("{:+.2}", convex - concave)
        }
        (MapSettings::Curvature(_), &[value]) => format!("{:+.2} of full scale", value * 2.0 - 1.0),
        (MapSettings::Color(_), &[r, g, b]) => {
            let [r, g, b] = [r, g, b].map(|c| (c * 255.0).round() as u8);
            format!("#{r:02x}{g:02x}{b:02x}")
        }
        (MapSettings::Ao(_) | MapSettings::Cavity(_), &[value]) => format!("{:.0} % open", value * 100.0),
        (MapSettings::Opacity(_), &[value]) => format!("{:.0} % hit", value * 100.0),
        (MapSettings::Thickness(_) | MapSettings::Position(_), values) => {
            values.iter().map(|v| format!("{v:.2}")).collect::<Vec<_>>().join(", ")
        }
        (MapSettings::Id(_), &[r, g, b]) => {
            let color = [r, g, b].map(|c| (c * 255.0).round() as u8);
            let palette = report.and_then(|r| r.maps.get("id")).and_then(|m| m.palette.as_ref());
            let entry = palette.and_then(|p| p.iter().find(|e| e.color == color));
            entry.map_or("no region".to_owned(), |e| e.name.clone())
        }
        (MapSettings::Miss(_), &[share]) => format!("{:.0} % missed", share * 100.0),
        _ => String::new(),
    }
}

#[derive(Responder)]
struct Package {
    body: (ContentType, Vec<u8>),
    name: Header<'static>,
}

/// The maps, the report and the recipe of a finished run, as a zip.
#[get("/runs/<id>/package")]
async fn package(app: &State<Arc<App>>, id: i64) -> Result<Package> {
    let run = app.store.run(id).await?;
    let Some(report) = run.report.filter(|_| run.status == RunStatus::Done) else {
        return Err(Fault::unusable("This run has no maps to deliver; bake it to the end first"));
    };
    let files = app.store.run_files(id).await?;
    let name: String = run.recipe.asset.chars().map(|c| if c.is_ascii_alphanumeric() { c } else { '_' }).collect();
    let file_name = format!("attachment; filename=\"{}_{}.zip\"", name.to_lowercase(), run.number);
    let app = app.inner().clone();
    let bytes = aside(move || {
        let stored = zip::write::SimpleFileOptions::default().compression_method(zip::CompressionMethod::Stored);
        let mut archive = zip::ZipWriter::new(Cursor::new(Vec::new()));
        let broken = |e: zip::result::ZipError| Fault::from(std::io::Error::other(e));
        for file in files.iter().filter(|f| is_map(f)) {
            archive.start_file(&*file.file, stored).map_err(broken)?;
            archive.write_all(&app.store.blobs.read(&file.hash)?)?;
        }
        for (name, text) in [
            ("report.json", serde_json::to_string_pretty(&report)),
            ("recipe.json", serde_json::to_string_pretty(&run.recipe)),
        ] {
            archive.start_file(name, stored).map_err(broken)?;
            archive.write_all(text.map_err(std::io::Error::from)?.as_bytes())?;
        }
        Ok(archive.finish().map_err(broken)?.into_inner())
    });
    Ok(Package { body: (ContentType::ZIP, bytes.await?), name: Header::new("Content-Disposition", file_name) })
}
