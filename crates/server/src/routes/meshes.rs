//! Meshes in, and meshes as the page draws them.

use crate::App;
use crate::api::{AssetView, Event, MeshSummary, Role};
use crate::fault::{Fault, Result, aside};
use crate::intake::{carry_over, place};
use crate::scenes::{mesh_key, summary_name};
use crate::{display, routes::assets};
use ember_ridge_core::Recipe;
use ember_ridge_core::glam::Vec3;
use ember_ridge_core::maps::{ColorSettings, Green, MapSettings};
use ember_ridge_core::mesh::{UvReport, uv_report};
use ember_ridge_core::reach::LowSurface;
use ember_ridge_core::recipe::{self, NormalMapSource, PictureSource, PlaneTarget, Source};
use ember_ridge_formats::image::read_image;
use ember_ridge_formats::read_mesh;
use ember_ridge_store::BlobWriter;
use rocket::data::{Data, ToByteUnit};
use rocket::http::{ContentType, Status};
use rocket::serde::json::Json;
use rocket::{Route, State, get, post, routes};
use std::io::Write;
use std::sync::Arc;
use tokio::io::AsyncReadExt;

pub fn routes() -> Vec<Route> {
    routes![bring_in, bring_in_picture, make_plane, show_low, show_high, uvs]
}

/// Largest file that is taken.
pub const MOST_GIBIBYTES: u64 = 4;

/// Takes an upload to the disk: the file's own name, and its bytes under no name yet. Dropped, nothing of it stays.
async fn take_file(app: &App, file: &str, data: Data<'_>) -> Result<(String, BlobWriter)> {
    let name = file.rsplit(['/', '\\']).next().unwrap_or(file).trim();
    if name.is_empty() || name.chars().count() > 200 || name.chars().any(char::is_control) {
        return Err(Fault::unusable("The file has no usable name; rename it and bring it in again"));
    }
    let mut stream = data.open((MOST_GIBIBYTES + 1).gibibytes());
    let mut writer = app.store.blobs.writer()?;
    let mut chunk = vec![0u8; 1 << 18];
    let mut taken = 0u64;
    loop {
        let got = stream.read(&mut chunk).await?;
        if got == 0 {
            break;
        }
        taken += got as u64;
        if taken > MOST_GIBIBYTES << 30 {
            let text =
                format!("{name}: larger than the {MOST_GIBIBYTES} GiB that are taken. Split it into several files");
            return Err(Fault::new(Status::PayloadTooLarge, text));
        }
        writer.write_all(&chunk[..got])?;
    }
    Ok((name.to_owned(), writer))
}

/// The axis a plane is to face.
#[derive(Clone, Copy, Debug, PartialEq, Eq, rocket::FromFormField)]
enum Facing {
    X,
    Y,
    Z,
}

/// What a picture is brought in for.
#[derive(Clone, Copy, Debug, PartialEq, Eq, rocket::FromFormField)]
enum PictureUse {
    /// The low-poly's own normal map, to make occlusion, curvature and cavity from.
    NormalMap,
    /// Colours over the sculpt's UVs.
    Color,
}

/// A picture, read once to see that it can be; then it stands in the recipe.
#[post("/assets/<id>/pictures?<file>&<used_as>", data = "<data>")]
async fn bring_in_picture(
    app: &State<Arc<App>>,
    id: i64,
    file: &str,
    used_as: PictureUse,
    data: Data<'_>,
) -> Result<Json<AssetView>> {
    app.store.asset(id).await?;
    let (name, mut writer) = take_file(app, file, data).await?;
    let wanted = name.clone();
    let writer = aside(move || {
        read_image(&wanted, &writer.read_back()?)?;
        Ok(writer)
    })
    .await?;
    let (hash, _) = writer.keep()?;
    let asset = app.store.asset(id).await?;
    let mut recipe = asset.recipe;
    match used_as {
        PictureUse::NormalMap => {
            let y = recipe.normal_map.as_ref().map_or(Green::Up, |n| n.y);
            recipe.normal_map = Some(NormalMapSource { file: name, hash: Some(hash), y });
        }
        PictureUse::Color => {
            let picture = Some(PictureSource { file: name, hash: Some(hash) });
            match recipe.maps.iter_mut().find_map(|m| if let MapSettings::Color(c) = m { Some(c) } else { None }) {
                Some(color) => color.picture = picture,
                None => recipe.maps.push(MapSettings::Color(ColorSettings { picture, ..ColorSettings::default() })),
            }
        }
    }
    assets::edit(app, id, asset.head, recipe).await?;
    assets::view(app, id).await
}

/// Takes a mesh file. With `replaces`, a file of the asset in that role, the new one takes its place and its settings.
#[post("/assets/<id>/meshes?<file>&<role>&<replaces>", data = "<data>")]
async fn bring_in(
    app: &State<Arc<App>>,
    id: i64,
    file: &str,
    role: Role,
    replaces: Option<&str>,
    data: Data<'_>,
) -> Result<Json<AssetView>> {
    let low = app.store.asset(id).await?.recipe.low;
    let (name, mut writer) = take_file(app, file, data).await?;
    let (there, told) = (app.inner().clone(), name.clone());
    let (writer, mesh, mut summary) = aside(move || {
        let stage = |stage: &str| {
            let (file, stage) = (told.clone(), stage.to_owned());
            there.jobs.tell(Event::Intake { asset: id, file, stage });
        };
        stage("reading");
        let content = writer.read_back()?;
        let mesh = Arc::new(read_mesh(&told, &content, &|_| None)?);
        drop(content);
        stage("checking");
        if role == Role::Cage && !low.is_empty() {
            LowSurface::new(there.joined(&low)?, Some(&mesh))
                .map_err(|f| Fault::unusable(format!("{told}: {f}. The envelope stays as it was")))?;
        }
        let summary = MeshSummary::of(&mesh, 0, role);
        Ok((writer, mesh, summary))
    })
    .await?;
    // Only what can be read is kept.
    let (hash, bytes) = writer.keep()?;
    summary.bytes = bytes;
    let source = Source { hash: Some(hash.clone()), ..Source::file(&name) };
    app.keep_mesh(&source, mesh);
    app.store.put_mesh(&hash, &summary_name(&source, role), &summary).await?;

    let asset = app.store.asset(id).await?;
    let mut recipe = asset.recipe;
    place(&mut recipe, role, source, replaces);
    let parts = |side: &[Source], role: Role| {
        let (app, side) = (app.inner().clone(), side.to_vec());
        async move {
            let mut names = Vec::new();
            for source in &side {
                names.extend(app.summary(source, role).await?.parts.into_iter().map(|p| p.name));
            }
            Result::Ok(names)
        }
    };
    let (low, high) = (parts(&recipe.low, Role::Low).await?, parts(&recipe.high, Role::High).await?);
    let not_carried = carry_over(&mut recipe, &low, &high);
    assets::edit(app, id, asset.head, recipe).await?;
    let Json(mut view) = assets::view(app, id).await?;
    view.not_carried = not_carried;
    Ok(Json(view))
}

/// The layout of the low-poly in figures, for the sheet as it is set; null without UVs.
#[get("/assets/<id>/uvs")]
async fn uvs(app: &State<Arc<App>>, id: i64) -> Result<Json<Option<UvReport>>> {
    let (app, sources) = joined(app, id, |r| &r.low, "low-poly yet").await?;
    let sheet = app.store.asset(id).await?.recipe.sheet;
    aside(move || Ok(Json(uv_report(&app.joined(&sources)?, &sheet)))).await
}

/// A plane over the sculpt, as the low-poly: facing an axis, at height 0, as large as the sculpt.
#[post("/assets/<id>/plane?<facing>")]
async fn make_plane(app: &State<Arc<App>>, id: i64, facing: Facing) -> Result<Json<AssetView>> {
    let asset = app.store.asset(id).await?;
    let mut recipe = asset.recipe;
    let facing = match facing {
        Facing::X => recipe::Facing::X,
        Facing::Y => recipe::Facing::Y,
        Facing::Z => recipe::Facing::Z,
    };
    let mut whole: Option<(Vec3, Vec3)> = None;
    for source in &recipe.high {
        let summary = app.summary(source, Role::High).await?;
        let (low, high) = (Vec3::from(summary.low_corner), Vec3::from(summary.high_corner));
        whole = Some(whole.map_or((low, high), |(a, b)| (a.min(low), b.max(high))));
    }
    let whole = whole.unwrap_or((Vec3::splat(-1.0), Vec3::ONE));
    let mut plane = PlaneTarget::over(facing, whole);
    plane.size = plane.size.map(|side| if side > 0.0 { side } else { 1.0 });
    recipe.low = vec![Source::plane("plane", plane)];
    assets::edit(app, id, asset.head, recipe).await?;
    assets::view(app, id).await
}

async fn joined(
    app: &Arc<App>,
    id: i64,
    pick: fn(&Recipe) -> &Vec<Source>,
    what: &str,
) -> Result<(Arc<App>, Vec<Source>)> {
    let asset = app.store.asset(id).await?;
    let sources = pick(&asset.recipe).clone();
    if sources.is_empty() {
        return Err(Fault::missing(what));
    }
    Ok((app.clone(), sources))
}

#[get("/assets/<id>/display/low")]
async fn show_low(app: &State<Arc<App>>, id: i64) -> Result<(ContentType, Vec<u8>)> {
    let (app, sources) = joined(app, id, |r| &r.low, "low-poly yet").await?;
    let bytes = aside(move || {
        let surface = LowSurface::new(app.joined(&sources)?, None).map_err(|f| Fault::unusable(f.to_string()))?;
        Ok(display::low(&surface))
    });
    Ok((ContentType::Binary, bytes.await?))
}

#[get("/assets/<id>/display/high")]
async fn show_high(app: &State<Arc<App>>, id: i64) -> Result<(ContentType, Vec<u8>)> {
    let (app, sources) = joined(app, id, |r| &r.high, "sculpt yet").await?;
    let bytes = aside(move || {
        // Thinning takes seconds on a large sculpt; the result is kept under a name of its own.
        let key: Vec<String> = sources.iter().map(mesh_key).collect();
        let key = format!("stand-in 1 of {}", blake3::hash(key.join("+").as_bytes()).to_hex());
        if let Some(kept) = app.shown.lock().unwrap_or_else(std::sync::PoisonError::into_inner).get(&key) {
            return Ok((**kept).clone());
        }
        let made = display::high(&app.joined(&sources)?);
        let mut shown = app.shown.lock().unwrap_or_else(std::sync::PoisonError::into_inner);
        if shown.len() >= 6 {
            shown.clear();
        }
        shown.insert(key, Arc::new(made.clone()));
        Ok(made)
    });
    Ok((ContentType::Binary, bytes.await?))
}
