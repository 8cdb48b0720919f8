//! Meshes in, and meshes as the page draws them.

use crate::App;
use crate::api::{AssetView, Event, MeshSummary, Role};
use crate::fault::{Fault, Result, aside};
use crate::intake::{carry_over, place};
use crate::scenes::{mesh_key, summary_name};
use crate::upload::{Companions, Incoming, open};
use crate::{display, routes::assets};
use ember_ridge_core::Recipe;
use ember_ridge_core::glam::Vec3;
use ember_ridge_core::maps::{ColorSettings, Green, MapSettings};
use ember_ridge_core::mesh::{UvReport, uv_report};
use ember_ridge_core::reach::LowSurface;
use ember_ridge_core::recipe::{self, NormalMapSource, PictureSource, PlaneTarget, Source};
use ember_ridge_formats::image::read_image;
use ember_ridge_formats::read_mesh;
use rocket::data::Data;
use rocket::http::ContentType;
use rocket::serde::json::Json;
use rocket::{Route, State, get, post, routes};
use std::sync::Arc;

pub fn routes() -> Vec<Route> {
    routes![bring_in, bring_in_picture, make_plane, show_low, show_high, uvs]
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
    let mut picture = Incoming::new(app, file)?;
    let name = picture.name.clone();
    picture.take_rest(&mut open(data)).await?;
    let picture = aside(move || {
        read_image(&picture.name, &picture.writer.read_back()?)?;
        Ok(picture)
    })
    .await?;
    let (hash, _) = picture.writer.keep()?;
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

/// Takes a mesh file. With `replaces`, a file of the asset in that role, the new one takes its place and its settings. With
/// `beside`, a list of names and lengths as JSON, those files stand ahead of the mesh in the body; what the mesh does not name of
/// them is not kept.
#[post("/assets/<id>/meshes?<file>&<role>&<replaces>&<beside>", data = "<data>")]
async fn bring_in(
    app: &State<Arc<App>>,
    id: i64,
    file: &str,
    role: Role,
    replaces: Option<&str>,
    beside: Option<&str>,
    data: Data<'_>,
) -> Result<Json<AssetView>> {
    let low = app.store.asset(id).await?.recipe.low;
    let mut stream = open(data);
    let companions = Companions::take(app, beside.unwrap_or("[]"), &mut stream).await?;
    let mut incoming = Incoming::new(app, file)?;
    incoming.take_rest(&mut stream).await?;
    let name = incoming.name.clone();
    let (there, told) = (app.inner().clone(), name.clone());
    let (incoming, companions, mesh, mut summary) = aside(move || {
        let stage = |stage: &str| {
            let (file, stage) = (told.clone(), stage.to_owned());
            there.jobs.tell(Event::Intake { asset: id, file, stage });
        };
        stage("reading");
        let content = incoming.writer.read_back()?;
        let mesh = Arc::new(read_mesh(&told, &content, &|path| companions.read(path))?);
        drop(content);
        stage("checking");
        if role == Role::Cage && !low.is_empty() {
            LowSurface::new(Arc::unwrap_or_clone(there.joined(&low)?), Some(&mesh))
                .map_err(|f| Fault::unusable(format!("{told}: {f}. The envelope stays as it was")))?;
        }
        let summary = MeshSummary::of(&mesh, 0, role);
        Ok((incoming, companions, mesh, summary))
    })
    .await?;
    // Only what can be read is kept.
    let (hash, bytes) = incoming.writer.keep()?;
    let (beside, missing) = companions.keep()?;
    summary.bytes = bytes;
    let source = Source { hash: Some(hash.clone()), beside, ..Source::file(&name) };
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
    let mut told = carry_over(&mut recipe, &low, &high);
    told.extend(missing.iter().map(|path| {
        format!("{name} names '{path}', which did not come with it: bring in both together to have its colours")
    }));
    assets::edit(app, id, asset.head, recipe).await?;
    let Json(mut view) = assets::view(app, id).await?;
    view.told = told;
    Ok(Json(view))
}

/// The layout of the low-poly in figures, for the sheet as it is set; null without UVs.
#[get("/assets/<id>/uvs")]
async fn uvs(app: &State<Arc<App>>, id: i64) -> Result<Json<Option<UvReport>>> {
    let (app, sources) = joined(app, id, |r| &r.low, "low-poly yet").await?;
    let sheet = app.store.asset(id).await?.recipe.sheet;
    aside(move || {
        let mesh = app.joined(&sources)?;
        Ok(Json(uv_report(&mesh, &sheet)))
    })
    .await
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
        let mesh = Arc::unwrap_or_clone(app.joined(&sources)?);
        let surface = LowSurface::new(mesh, None).map_err(|f| Fault::unusable(f.to_string()))?;
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
        let mesh = app.joined(&sources)?;
        let made = display::high(&mesh);
        let mut shown = app.shown.lock().unwrap_or_else(std::sync::PoisonError::into_inner);
        if shown.len() >= 6 {
            shown.clear();
        }
        shown.insert(key, Arc::new(made.clone()));
        Ok(made)
    });
    Ok((ContentType::Binary, bytes.await?))
}
