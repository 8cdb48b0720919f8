//! Meshes in, and meshes as the page draws them.

use crate::api::{Event, MeshSummary, Role};
use crate::fault::{Fault, Result, aside};
use crate::intake::{carry_over, place};
use crate::routes::assets::{self, Tagged};
use crate::routes::shared::Shared;
use crate::scenes::{mesh_key, summary_name};
use crate::upload::{Companions, Incoming, open};
use crate::{App, display, locked};
use ember_ridge_core::Recipe;
use ember_ridge_core::glam::Vec3;
use ember_ridge_core::inspect::{UvReport, uv_report};
use ember_ridge_core::maps::{ColorSettings, Green, MapSettings};
use ember_ridge_core::mesh::{self, PlaneTarget};
use ember_ridge_core::picture::PictureSource;
use ember_ridge_core::reach::LowSurface;
use ember_ridge_core::recipe::{MeshSource, NormalMapSource};
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
) -> Result<Tagged> {
    app.store.asset(id).await?;
    let mut picture = Incoming::new(app, file)?;
    let name = picture.name.clone();
    picture.take_rest(&mut open(data)).await?;
    let picture = aside(move || {
        read_image(&picture.name, &picture.writer.read_back()?)?;
        Ok(picture)
    })
    .await?;
    let naming = app.store.naming().await;
    let (hash, _) = aside(move || Ok(picture.writer.keep()?)).await?;
    let edited = assets::edit_with(app, id, async move |recipe| {
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
        Ok(())
    })
    .await;
    drop(naming);
    or_nothing_stays(app, edited).await?;
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
) -> Result<Tagged> {
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
        // One file at a time: each takes several times its size, and all cores.
        let _turn = locked(&there.reading);
        there.memory.room_to_read(&told, incoming.writer.length())?;
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
    let naming = app.store.naming().await;
    let ((hash, bytes), (beside, missing)) = aside(move || Ok((incoming.writer.keep()?, companions.keep()?))).await?;
    summary.bytes = bytes;
    let source = MeshSource { hash: Some(hash.clone()), beside, ..MeshSource::file(&name) };
    app.keep_mesh(&source, mesh);
    app.store.put_mesh(&hash, &summary_name(&source, role), &summary).await?;

    let mut told = Vec::new();
    let (there, lost) = (app.inner().clone(), &mut told);
    let edited = assets::edit_with(app, id, async move |recipe| {
        place(recipe, role, source, replaces);
        let (mut low, mut high) = (Vec::new(), Vec::new());
        for (role, side, names) in [(Role::Low, &recipe.low, &mut low), (Role::High, &recipe.high, &mut high)] {
            for source in side {
                names.extend(there.summary(source, role).await?.parts.into_iter().map(|p| p.name));
            }
        }
        *lost = carry_over(recipe, &low, &high);
        Ok(())
    })
    .await;
    drop(naming);
    or_nothing_stays(app, edited).await?;
    told.extend(missing.iter().map(|path| {
        format!("{name} names '{path}', which did not come with it: import both together to have its colours")
    }));
    Ok(assets::view(app, id).await?.map(|view| view.told = told))
}

/// Of a file that did not get into the recipe nothing stays on the disk.
async fn or_nothing_stays(app: &App, edited: Result<()>) -> Result<()> {
    if edited.is_err() {
        app.store.collect().await?;
    }
    edited
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
async fn make_plane(app: &State<Arc<App>>, id: i64, facing: Facing) -> Result<Tagged> {
    let facing = match facing {
        Facing::X => mesh::Facing::X,
        Facing::Y => mesh::Facing::Y,
        Facing::Z => mesh::Facing::Z,
    };
    let there = app.inner().clone();
    assets::edit_with(app, id, async move |recipe| {
        let mut whole: Option<(Vec3, Vec3)> = None;
        for source in &recipe.high {
            let summary = there.summary(source, Role::High).await?;
            let (low, high) = (Vec3::from(summary.low_corner), Vec3::from(summary.high_corner));
            whole = Some(whole.map_or((low, high), |(a, b)| (a.min(low), b.max(high))));
        }
        let whole = whole.unwrap_or((Vec3::splat(-1.0), Vec3::ONE));
        let mut plane = PlaneTarget::over(facing, whole);
        plane.size = plane.size.map(|side| if side > 0.0 { side } else { 1.0 });
        recipe.low = vec![MeshSource::plane("plane", plane)];
        Ok(())
    })
    .await?;
    assets::view(app, id).await
}

async fn joined(
    app: &Arc<App>,
    id: i64,
    pick: fn(&Recipe) -> &Vec<MeshSource>,
    what: &str,
) -> Result<(Arc<App>, Vec<MeshSource>)> {
    let asset = app.store.asset(id).await?;
    let sources = pick(&asset.recipe).clone();
    if sources.is_empty() {
        return Err(Fault::missing(what));
    }
    Ok((app.clone(), sources))
}

#[get("/assets/<id>/display/low")]
async fn show_low(app: &State<Arc<App>>, id: i64) -> Result<Shared> {
    let (app, sources) = joined(app, id, |r| &r.low, "low-poly yet").await?;
    let bytes = aside(move || {
        app.memory.once(&format!("shown low/{}", keys_of(&sources)), || {
            let mesh = Arc::unwrap_or_clone(app.joined(&sources)?);
            let surface = LowSurface::new(mesh, None).map_err(|f| Fault::unusable(f.to_string()))?;
            Ok(display::low(&surface))
        })
    });
    Ok(Shared::new(ContentType::Binary, bytes.await?))
}

fn keys_of(sources: &[MeshSource]) -> String {
    sources.iter().map(mesh_key).collect::<Vec<_>>().join("+")
}

#[get("/assets/<id>/display/high")]
async fn show_high(app: &State<Arc<App>>, id: i64) -> Result<Shared> {
    let (app, sources) = joined(app, id, |r| &r.high, "sculpt yet").await?;
    // Thinning takes seconds on a large sculpt.
    let bytes = aside(move || {
        app.memory.once(&format!("shown high/{}", keys_of(&sources)), || Ok(display::high(&*app.joined(&sources)?)))
    });
    Ok(Shared::new(ContentType::Binary, bytes.await?))
}
