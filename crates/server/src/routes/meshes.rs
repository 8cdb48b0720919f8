//! Meshes in, and meshes as the page draws them.

use crate::api::{Event, FileNames, MeshFormat, MeshSummary, NewPlane, Offered, PictureUse, Role, Side};
use crate::fault::{Fault, Result, aside};
use crate::intake::{carry_over, place};
use crate::routes::assets::{self, Tagged};
use crate::routes::mesh_file::MeshFile;
use crate::routes::sent::{Given, Sent};
use crate::routes::shared::Shared;
use crate::scenes::{mesh_key, summary_name};
use crate::upload::{Companions, Incoming, open};
use crate::{App, display, locked};
use ember_ridge_core::Recipe;
use ember_ridge_core::finish::Term;
use ember_ridge_core::glam::Vec3;
use ember_ridge_core::maps::{ColorSettings, Green, MapSettings, green_of};
use ember_ridge_core::mesh::PlaneTarget;
use ember_ridge_core::pairs::NamedRole;
use ember_ridge_core::picture::PictureSource;
use ember_ridge_core::reach::LowSurface;
use ember_ridge_core::recipe::{MeshSource, NormalMapSource};
use ember_ridge_core::sheet::{SheetTable, sheet_table};
use ember_ridge_formats::image::read_image;
use ember_ridge_formats::mesh::{lies_beside, names_others};
use ember_ridge_formats::read_mesh;
use rocket::data::Data;
use rocket::http::ContentType;
use rocket::serde::json::Json;
use rocket::{State, get, post};
use std::sync::Arc;

described_routes!(add_mesh, add_picture, make_plane, show_display, show_low_poly, offer, show_sheets);

/// What of a recipe reads a picture that is sent.
#[derive(rocket::FromForm)]
struct Reader<'r> {
    mask: Given<&'r str>,
    term: Given<usize>,
    finish: Given<&'r str>,
    coat: Given<&'r str>,
    channel: Given<&'r str>,
}

/// A picture, read once to see that it can be; then it stands in the recipe.
#[utoipa::path(
    tag = "meshes",
    params(
        ("file" = String, Query, description = "Name of the file"),
        ("used_as" = PictureUse, Query),
        ("mask" = Option<String>, Query, description = "Name of the mask that reads it, for `mask`"),
        ("term" = Option<usize>, Query, description = "Number of its term, counted from 0"),
        ("finish" = Option<String>, Query, description = "Name of the finish whose coat reads it, for `coat`"),
        ("coat" = Option<String>, Query, description = "Name of the coat"),
        ("channel" = Option<String>, Query, description = "What of the coat it sets; without it, a term of its place reads it"),
    ),
    request_body(content = Vec<u8>, content_type = "application/octet-stream", description = "The picture file"),
    responses((status = 200, description = "The asset with the picture", body = ref("AssetView"))),
)]
#[post("/assets/<id>/pictures?<file>&<used_as>&<reader..>", data = "<data>")]
async fn add_picture(
    app: &State<Arc<App>>,
    id: i64,
    file: Given<&str>,
    used_as: Given<PictureUse>,
    reader: Reader<'_>,
    data: Data<'_>,
) -> Result<Tagged> {
    let used_as = used_as.required("used_as")?;
    let Reader { mask, term, finish, coat, channel } = reader;
    let named = |name: Given<&str>| Ok::<_, Fault>(name.optional()?.map(str::to_owned));
    let in_mask = (named(mask)?, term.optional()?);
    let in_coat = (named(finish)?, named(coat)?, named(channel)?);
    app.store.asset(id).await?;
    let mut picture = Incoming::new(app, file.required("file")?)?;
    let name = picture.name.clone();
    picture.take_rest(&mut open(data)).await?;
    let (picture, guess) = aside(move || {
        let image = read_image(&picture.name, &picture.writer.read_back()?)?;
        let guess = if used_as == PictureUse::NormalMap { green_of(&image) } else { None };
        Ok((picture, guess))
    })
    .await?;
    let told = guess.map(|guess| guess.words(&name));
    let naming = app.store.naming().await;
    let (hash, _) = aside(move || Ok(picture.writer.keep()?)).await?;
    let edited = assets::edit_with(app, id, async move |recipe| {
        match used_as {
            PictureUse::NormalMap => {
                let before = recipe.normal_map.as_ref().map_or(Green::Up, |n| n.y);
                let y = guess.map_or(before, |guess| guess.green);
                recipe.normal_map = Some(NormalMapSource { file: name, hash: Some(hash), y });
            }
            PictureUse::Mask => {
                let term = in_mask.0.and_then(|name| {
                    let mask = recipe.masks.iter_mut().find(|mask| mask.name == name)?;
                    mask.place.terms.get_mut(in_mask.1.unwrap_or(0))
                });
                read_by(term, PictureSource { file: name, hash: Some(hash) })?;
            }
            PictureUse::Coat => {
                let (finish, coat, channel) = in_coat;
                let finish = recipe.finishes.iter_mut().find(|f| Some(&f.name) == finish.as_ref());
                let coat = finish.and_then(|f| f.coats.iter_mut().find(|c| Some(&c.name) == coat.as_ref()));
                let coat = coat.ok_or_else(|| Fault::missing("coat of this name"))?;
                let picture = PictureSource { file: name, hash: Some(hash) };
                match channel {
                    None => read_by(coat.place.terms.get_mut(in_mask.1.unwrap_or(0)), picture)?,
                    Some(channel) if coat.sets.take_picture(&channel, picture) => {}
                    Some(channel) => {
                        return Err(Fault::unusable(format!("a coat has no channel '{channel}'")));
                    }
                }
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
    Ok(assets::view(app, id).await?.map(|view| view.told.extend(told)))
}

/// Gives a term the picture that it reads.
fn read_by(term: Option<&mut Term>, picture: PictureSource) -> Result<()> {
    match term.ok_or_else(|| Fault::missing("term of a mask"))?.read(picture) {
        true => Ok(()),
        false => Err(Fault::unusable("the term reads no picture; choose Picture as its signal or pattern")),
    }
}

/// Takes a mesh file. With `replaces`, a file of the asset in that role, the new one takes its place and its settings. Each
/// `beside`, a name and a length in bytes such as `lid.mtl:204`, is a file that stands ahead of the mesh in the body; what the mesh
/// does not name of them is not kept.
#[utoipa::path(
    tag = "meshes",
    params(
        ("file" = String, Query, description = "Name of the file"),
        ("role" = Role, Query),
        ("replaces" = Option<String>, Query),
        ("beside" = Option<Vec<String>>, Query),
    ),
    request_body(
        content = Vec<u8>,
        content_type = "application/octet-stream",
        description = "The files beside the mesh, one after the other, then the mesh file",
    ),
    responses((status = 200, description = "The asset with the mesh", body = ref("AssetView"))),
)]
#[post("/assets/<id>/meshes?<file>&<role>&<replaces>&<beside>", data = "<data>")]
async fn add_mesh(
    app: &State<Arc<App>>,
    id: i64,
    file: Given<&str>,
    role: Given<Role>,
    replaces: Option<&str>,
    beside: Vec<&str>,
    data: Data<'_>,
) -> Result<Tagged> {
    let (file, role) = (file.required("file")?, role.required("role")?);
    let low = app.store.asset(id).await?.recipe.low;
    let mut stream = open(data);
    let companions = Companions::take(app, &beside, &mut stream).await?;
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
        *lost = without_lost_parts(&there, recipe).await?;
        Ok(())
    })
    .await;
    drop(naming);
    or_nothing_stays(app, edited).await?;
    told.extend(missing.iter().map(|path| {
        format!("{name} refers to '{path}', which was not imported with it: import both together to get its colours")
    }));
    Ok(assets::view(app, id).await?.map(|view| view.told = told))
}

/// Removes what names parts that no mesh of the recipe has any more, and says each in words.
pub(super) async fn without_lost_parts(app: &Arc<App>, recipe: &mut Recipe) -> Result<Vec<String>> {
    let (mut low, mut high) = (Vec::new(), Vec::new());
    for (role, side, names) in [(Role::Low, &recipe.low, &mut low), (Role::High, &recipe.high, &mut high)] {
        for source in side {
            names.extend(app.summary(source, role).await?.parts.into_iter().map(|p| p.name));
        }
    }
    Ok(carry_over(recipe, &low, &high))
}

/// Of a file that did not get into the recipe nothing stays on the disk.
pub(super) async fn or_nothing_stays(app: &App, edited: Result<()>) -> Result<()> {
    if edited.is_err() {
        app.store.collect().await?;
    }
    edited
}

/// A plane over the sculpt, as the low-poly: facing an axis, at height 0, as large as the sculpt.
#[utoipa::path(
    tag = "meshes",
    request_body(content = ref("NewPlane"), content_type = "application/json"),
    responses((status = 200, description = "The asset with the plane", body = ref("AssetView"))),
)]
#[post("/assets/<id>/plane", data = "<plane>")]
async fn make_plane(app: &State<Arc<App>>, id: i64, plane: Sent<NewPlane>) -> Result<Tagged> {
    let NewPlane { facing } = plane.0;
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

/// The meshes of one side as the page draws them; a large sculpt is thinned.
#[utoipa::path(
    tag = "meshes",
    params(
        ("side" = Side, Path),
        ("before" = Option<bool>, Query, description = "The low-poly before its steps on UVs"),
    ),
    responses(
        (
            status = 200,
            description = "The length of a DisplayHeader (u32, little endian), the header as JSON, then the arrays it lists",
            body = Vec<u8>,
            content_type = "application/octet-stream",
        ),
    ),
)]
#[get("/assets/<id>/display/<side>?<before>")]
async fn show_display(app: &State<Arc<App>>, id: i64, side: Side, before: Given<bool>) -> Result<Shared> {
    let before = before.optional()?.unwrap_or(false);
    let bytes = match side {
        Side::Low => {
            let (app, mut sources) = joined(app, id, |r| &r.low, "low-poly yet").await?;
            if before {
                sources.iter_mut().for_each(|source| *source = source.without_uv_steps());
            }
            aside(move || {
                app.memory.once(&format!("shown low/{}", keys_of(&sources)), || {
                    let mesh = Arc::unwrap_or_clone(app.joined(&sources)?);
                    let surface = LowSurface::new(mesh, None).map_err(|f| Fault::unusable(f.to_string()))?;
                    Ok(display::low(&surface))
                })
            })
            .await?
        }
        Side::High => {
            let (app, sources) = joined(app, id, |r| &r.high, "sculpt yet").await?;
            // Thinning takes seconds on a large sculpt.
            aside(move || {
                let key = format!("shown high/{}", keys_of(&sources));
                app.memory.once(&key, || Ok(display::high(&*app.joined(&sources)?)))
            })
            .await?
        }
    };
    Ok(Shared::new(ContentType::Binary, bytes))
}

/// The low-poly as its steps have left it, with its UVs.
#[utoipa::path(
    tag = "meshes",
    params(("format" = Option<MeshFormat>, Query, description = "GLB unless said otherwise")),
    responses(
        (status = 200, description = "The mesh file", body = Vec<u8>, content_type = "application/octet-stream"),
    ),
)]
#[get("/assets/<id>/low-poly?<format>")]
async fn show_low_poly(app: &State<Arc<App>>, id: i64, format: Given<MeshFormat>) -> Result<MeshFile> {
    let format = format.optional()?.unwrap_or_default();
    let (app, sources) = joined(app, id, |r| &r.low, "low-poly yet").await?;
    aside(move || MeshFile::new(sources[0].stem(), format, &*app.joined(&sources)?)).await
}

pub(super) fn keys_of(sources: &[MeshSource]) -> String {
    sources.iter().map(mesh_key).collect::<Vec<_>>().join("+")
}

/// What files are taken for by their names and the asset's suffixes.
#[utoipa::path(
    tag = "meshes",
    request_body(content = ref("FileNames"), content_type = "application/json"),
    responses((status = 200, description = "Each file in the order given", body = ref("Offered[]"))),
)]
#[post("/assets/<id>/offers", data = "<names>")]
async fn offer(app: &State<Arc<App>>, id: i64, names: Sent<FileNames>) -> Result<Json<Vec<Offered>>> {
    let recipe = app.store.asset(id).await?.recipe;
    let offered = |file: String| {
        let beside = lies_beside(&file);
        let role = recipe.endings.role_of(&file).filter(|_| !beside).map(|role| match role {
            NamedRole::Low => Role::Low,
            NamedRole::High => Role::High,
            NamedRole::Cage => Role::Cage,
        });
        let side = match role {
            Some(Role::Low) => recipe.low.as_slice(),
            Some(Role::High) => recipe.high.as_slice(),
            Some(Role::Cage) | None => &[],
        };
        let replaces = side.iter().any(|s| s.file == file && s.plane.is_none()).then(|| file.clone());
        Offered { role, replaces, beside, names_others: names_others(&file), file }
    };
    Ok(Json(names.0.files.into_iter().map(offered).collect()))
}

/// Which sheet of a run each triangle of its low-poly lies on.
#[utoipa::path(tag = "runs", responses((status = 200, description = "The table", body = ref("SheetTable"))))]
#[get("/runs/<id>/sheets")]
async fn show_sheets(app: &State<Arc<App>>, id: i64) -> Result<Json<SheetTable>> {
    let run = app.store.run(id).await?;
    let report = run.report.ok_or_else(|| Fault::missing("report of this run yet"))?;
    let app = app.inner().clone();
    aside(move || {
        let mesh = app.joined(&run.recipe.low)?;
        Ok(Json(sheet_table(&mesh, run.recipe.sheet.layout, &report.sheets)))
    })
    .await
}
