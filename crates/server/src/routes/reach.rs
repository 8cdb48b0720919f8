//! Reaches while they are tuned: the envelope and needles of a recipe that is not kept yet, one map of it at once, what leans, the
//! cage as a file, and the story of a texel.

use crate::App;
use crate::api::{EnvelopeHeader, MarkCount, MeshFormat, NeedleCounts, PartReachLine, TraceView};
use crate::display::Packer;
use crate::fault::{Fault, Result, aside};
use crate::keep::write_view;
use crate::routes::mesh_file::MeshFile;
use crate::routes::runs::texel_maps;
use crate::routes::sent::{Given, Sent};
use crate::routes::shared::Shared;
use ember_ridge_core::Recipe;
use ember_ridge_core::bake::{Canvas, Outcome, Plan, SoFar, Watch, run};
use ember_ridge_core::maps::MapSettings;
use ember_ridge_core::picture::{Depth, ImageFormat};
use ember_ridge_core::reach::{EnvelopeMark, FitLimit, MarkKind, Stroke, envelope_marks};
use ember_ridge_core::recipe::MeshSource;
use ember_ridge_core::review::{Needle, NeedleFate};
use ember_ridge_core::scene::Meter;
use ember_ridge_core::stop::never;
use ember_ridge_formats::image::write_png;
use rocket::http::ContentType;
use rocket::serde::json::Json;
use rocket::{State, get, post};
use std::io::Cursor;
use std::sync::Arc;

described_routes!(show_envelope, show_look, show_plumb, find_upright, show_cage, show_trace);

/// Rays per texel that a look takes at most for maps that trace their own.
const LOOK_RAYS: u32 = 4;
/// Texels per side of what is looked at while a hand is on it, at most, whatever a proof's size is.
const LOOK_SIZE: u32 = 1024;
/// Marks and places that are sent at most.
const MOST_MARKS: usize = 600;

/// A draft over the meshes of its asset, planned as a proof of `maps`.
pub(super) fn plan_of(app: &App, mut recipe: Recipe, maps: Vec<MapSettings>) -> Result<Plan> {
    recipe.maps = maps;
    recipe.finish_rays = recipe.finish_rays.at_most(LOOK_RAYS);
    recipe.sheet.size = recipe.sheet.size.min(LOOK_SIZE);
    recipe.sheet.proof_size = recipe.sheet.proof_size.min(LOOK_SIZE);
    recipe.sheet.format = ImageFormat::Png;
    recipe.sheet.depth = Depth::Eight;
    recipe.sheet.color_format = None;
    recipe.validate().map_err(Fault::unusable)?;
    let scene = app.scene(&recipe, &|_| true)?;
    let plan = Plan::new(&recipe.as_proof(), &scene).map_err(|f| Fault::unusable(f.to_string()))?;
    Ok(plan.keeping(&app.kept_tiles(&recipe)?))
}

/// What is worked out of a draft, ready to send. Equal questions that come at once are worked out once.
pub(super) async fn worked_out(
    app: &State<Arc<App>>,
    asset: i64,
    kind: ContentType,
    question: String,
    recipe: Recipe,
    make: impl FnOnce(&App, Recipe) -> Result<Vec<u8>> + Send + 'static,
) -> Result<Shared> {
    app.store.asset(asset).await?;
    let app = app.inner().clone();
    let key = format!("{question} {}", serde_json::to_string(&recipe)?);
    let bytes = aside(move || app.memory.together(&key, || Ok(Arc::new(make(&app, recipe)?)))).await?;
    Ok(Shared::new(kind, bytes))
}

fn miss() -> Vec<MapSettings> {
    MapSettings::by_key("miss").into_iter().collect()
}

/// The envelope of a draft: reaches by corner, marks, places the fit was limited, and needles if any are asked for, all of
/// the low-poly or of one part.
#[utoipa::path(
    tag = "reach",
    params(("needles" = Option<usize>, Query, description = "How many; none unless said otherwise")),
    request_body(content = ref("Recipe"), content_type = "application/json"),
    responses(
        (
            status = 200,
            description = "The length of an EnvelopeHeader (u32, little endian), the header as JSON, then the arrays it lists",
            body = Vec<u8>,
            content_type = "application/octet-stream",
        ),
    ),
)]
#[post("/assets/<id>/envelope?<needles>&<part>", data = "<draft>")]
async fn show_envelope(
    app: &State<Arc<App>>,
    id: i64,
    needles: Given<usize>,
    part: Option<&str>,
    draft: Sent<Recipe>,
) -> Result<Shared> {
    let part = part.map(str::to_owned);
    let needles = needles.optional()?.unwrap_or(0);
    let question = format!("envelope {needles} {part:?}");
    worked_out(app, id, ContentType::Binary, question, draft.0, move |app, mut recipe| {
        recipe.sheet.size = 16;
        let plan = plan_of(app, recipe, miss())?;
        let needles = plan.needles(needles, &|name| part.as_deref().is_none_or(|p| p == name));
        pack_envelope(&plan, &needles)
    })
    .await
}

fn pack_envelope(plan: &Plan, needles: &[Needle]) -> Result<Vec<u8>> {
    let (low, field) = (&plan.rays.scene.low, &plan.rays.field);
    let fit = plan.rays.scene.fit(&plan.rays.pairs, plan.recipe.back_faces, &never);
    let fit = fit.map_err(|stopped| Fault::unusable(stopped.to_string()))?;
    let marks = if plan.rays.scene.own_surface { Vec::new() } else { envelope_marks(low, field, &fit.probes) };
    let mut packer = Packer::default();
    packer.floats("out", field.out.iter().flatten().copied());
    packer.floats("in", field.inward.iter().flatten().copied());
    if let Some(cage) = &field.cage {
        packer.floats("cage", cage.iter().flatten().flat_map(|p| p.to_array()));
    }
    let every = marks.len().div_ceil(MOST_MARKS).max(1);
    let flat = |m: &EnvelopeMark| [m.point[0], m.point[1], m.point[2], mark_number(m.kind), m.by];
    packer.floats("marks", marks.iter().step_by(every).flat_map(flat));
    packer.floats("spots", fit.spots.iter().flat_map(|s| [s.point[0], s.point[1], s.point[2], limit_number(s.why)]));
    let needle = |n: &Needle| {
        let ([a, b, c], [d, e, f], [g, h, i]) = (n.start, n.surface, n.end);
        [a, b, c, d, e, f, g, h, i, fate_number(n.fate)]
    };
    packer.floats("needles", needles.iter().flat_map(needle));
    let count = |fate: NeedleFate| needles.iter().filter(|n| n.fate == fate).count() as u32;
    let of_kind = |kind: MarkKind| {
        let own = marks.iter().filter(|m| m.kind == kind);
        MarkCount { kind, count: own.clone().count() as u32, most: own.map(|m| m.by).fold(0.0, f32::max) }
    };
    let kinds = [MarkKind::PokesOut, MarkKind::TooDeep, MarkKind::CrossesItself, MarkKind::CrossesAnother];
    let parts = low.mesh.parts.iter().map(|p| {
        let own = p.triangles.start as usize..p.triangles.end as usize;
        let span = |values: &[[f32; 3]]| {
            let all = values[own.clone()].iter().flatten().copied();
            [all.clone().fold(f32::INFINITY, f32::min), all.fold(0.0, f32::max)]
        };
        PartReachLine { part: p.name.clone(), out: span(&field.out), inward: span(&field.inward) }
    });
    let (parts, reach) = (parts.collect(), field.summary);
    Ok(packer.finish(|arrays| EnvelopeHeader {
        reach,
        diagonal: low.mesh.diagonal(),
        probed: fit.probes.len() as u32,
        parts,
        marks: kinds.map(of_kind).into_iter().filter(|m| m.count > 0).collect(),
        needles: NeedleCounts {
            hit: count(NeedleFate::Hit),
            miss: count(NeedleFate::Miss),
            back_face: count(NeedleFate::BackFace),
            wrong_part: count(NeedleFate::WrongPart),
        },
        plumb: !field.plumb.is_zero(),
        arrays,
    }))
}

fn mark_number(kind: MarkKind) -> f32 {
    match kind {
        MarkKind::PokesOut => 0.0,
        MarkKind::TooDeep => 1.0,
        MarkKind::CrossesItself => 2.0,
        MarkKind::CrossesAnother => 3.0,
    }
}

fn limit_number(why: FitLimit) -> f32 {
    match why {
        FitLimit::Own => 0.0,
        FitLimit::Neighbour => 1.0,
        FitLimit::Left => 2.0,
    }
}

fn fate_number(fate: NeedleFate) -> f32 {
    match fate {
        NeedleFate::Hit => 0.0,
        NeedleFate::Miss => 1.0,
        NeedleFate::BackFace => 2.0,
        NeedleFate::WrongPart => 3.0,
    }
}

/// About what a tile takes, as a [`Meter`] counts it.
const TILE_WORK: u64 = 1 << 16;

/// A look that is metered.
struct Looking<'a> {
    meter: &'a Meter,
}

impl Watch for Looking<'_> {
    fn now(&self) -> f64 {
        0.0
    }

    fn stopped(&self) -> bool {
        false
    }

    fn looks(&self) -> bool {
        false
    }

    fn judges(&self) -> bool {
        false
    }

    fn tile_done(&self, _: &SoFar, _: &Canvas) {
        self.meter.did(TILE_WORK);
    }
}

/// The maps of a plan at once.
pub(super) fn look_at(plan: &Plan) -> Result<Outcome> {
    let meter = &plan.rays.scene.meter;
    let _metered = meter.begin(TILE_WORK * plan.busy_tiles() as u64);
    run(plan, 0, &Looking { meter }).map_err(|f| Fault::unusable(f.to_string()))
}

/// One map of a draft, as small as a proof and at once: what is looked at while a hand is on a number or a brush.
#[utoipa::path(
    tag = "reach",
    params(
        ("map" = String, Query, description = "Id of a map"),
        ("sheet" = Option<usize>, Query),
    ),
    request_body(content = ref("Recipe"), content_type = "application/json"),
    responses((status = 200, description = "The map as a PNG", body = Vec<u8>, content_type = "image/png")),
)]
#[post("/assets/<id>/look?<map>&<sheet>", data = "<draft>")]
async fn show_look(
    app: &State<Arc<App>>,
    id: i64,
    map: Given<&str>,
    sheet: Given<usize>,
    draft: Sent<Recipe>,
) -> Result<Shared> {
    let (map, sheet) = (map.required("map")?.to_owned(), sheet.optional()?.unwrap_or(0));
    worked_out(app, id, ContentType::PNG, format!("look {map:?} {sheet}"), draft.0, move |app, recipe| {
        let settings = recipe.maps.iter().find(|m| m.key() == map).cloned().or_else(|| MapSettings::by_key(&map));
        let settings = settings.ok_or_else(|| Fault::missing("map of this name"))?;
        let plan = plan_of(app, recipe, vec![settings.with_at_most(LOOK_RAYS)])?;
        let outcome = look_at(&plan)?;
        if let Some(error) = &outcome.maps[0].error {
            return Err(Fault::unusable(error.clone()));
        }
        let sheet = sheet.min(outcome.sheets.len().saturating_sub(1));
        let mut png = Cursor::new(Vec::new());
        write_view(&mut png, &outcome, sheet, 0).map_err(std::io::Error::from)?;
        Ok(png.into_inner())
    })
    .await
}

/// Where rays of a draft are plumb, as a grey picture.
#[utoipa::path(
    tag = "reach",
    params(("sheet" = Option<usize>, Query)),
    request_body(content = ref("Recipe"), content_type = "application/json"),
    responses(
        (status = 200, description = "A grey PNG; white is plumb", body = Vec<u8>, content_type = "image/png"),
    ),
)]
#[post("/assets/<id>/plumb?<sheet>", data = "<draft>")]
async fn show_plumb(app: &State<Arc<App>>, id: i64, sheet: Given<usize>, draft: Sent<Recipe>) -> Result<Shared> {
    let sheet = sheet.optional()?.unwrap_or(0);
    worked_out(app, id, ContentType::PNG, format!("plumb {sheet}"), draft.0, move |app, recipe| {
        let plan = plan_of(app, recipe, miss())?;
        let rows = plan.plumb_picture(sheet).ok_or_else(|| Fault::missing("sheet of this number"))?;
        let mut png = Vec::new();
        write_png(&mut png, plan.recipe.sheet.size, 1, &rows)?;
        Ok(png)
    })
    .await
}

/// Strokes that would set rays upright wherever details of a draft lean.
#[utoipa::path(
    tag = "reach",
    request_body(content = ref("Recipe"), content_type = "application/json"),
    responses((status = 200, description = "The strokes", body = ref("Stroke[]"))),
)]
#[post("/assets/<id>/upright", data = "<draft>")]
async fn find_upright(app: &State<Arc<App>>, id: i64, draft: Sent<Recipe>) -> Result<Shared> {
    worked_out(app, id, ContentType::JSON, "upright".to_owned(), draft.0, |app, recipe| {
        let strokes: Vec<Stroke> = plan_of(app, recipe, miss())?.plumb_strokes();
        Ok(serde_json::to_vec(&strokes)?)
    })
    .await
}

/// The envelope as a cage mesh: the low-poly with its points moved to where rays start.
#[utoipa::path(
    tag = "reach",
    params(("format" = Option<MeshFormat>, Query, description = "GLB unless said otherwise")),
    responses(
        (status = 200, description = "The mesh file", body = Vec<u8>, content_type = "application/octet-stream"),
    ),
)]
#[get("/assets/<id>/cage?<format>")]
async fn show_cage(app: &State<Arc<App>>, id: i64, format: Given<MeshFormat>) -> Result<MeshFile> {
    let recipe = app.store.asset(id).await?.recipe;
    let format = format.optional()?.unwrap_or_default();
    let stem = recipe.low.first().map_or("cage", MeshSource::stem);
    let stem = recipe.endings.low.iter().find_map(|e| stem.strip_suffix(e.as_str())).unwrap_or(stem).to_owned();
    let app = app.inner().clone();
    aside(move || {
        let plan = plan_of(&app, recipe, miss())?;
        MeshFile::new(&format!("{stem}_cage"), format, &plan.rays.field.cage_mesh(&plan.rays.scene.low))
    })
    .await
}

/// The story of one texel of a run.
#[utoipa::path(
    tag = "runs",
    params(
        ("x" = u32, Query, description = "From the left"),
        ("y" = u32, Query, description = "From the top"),
        ("sheet" = Option<usize>, Query),
    ),
    responses((status = 200, description = "The trace", body = ref("TraceView"))),
)]
#[get("/runs/<id>/trace?<x>&<y>&<sheet>")]
async fn show_trace(
    app: &State<Arc<App>>,
    id: i64,
    x: Given<u32>,
    y: Given<u32>,
    sheet: Given<usize>,
) -> Result<Json<TraceView>> {
    let (x, y, sheet) = (x.required("x")?, y.required("y")?, sheet.optional()?.unwrap_or(0));
    let recipe = app.store.run(id).await?.recipe;
    let maps = texel_maps(app, id, (x, y), sheet).await?;
    let app = app.inner().clone();
    let trace = aside(move || {
        let scene = app.scene(&recipe, &|_| true)?;
        let recipe = Recipe { maps: miss(), ..recipe };
        let plan = Plan::new(&recipe, &scene).map_err(|f| Fault::unusable(f.to_string()))?;
        plan.trace_texel(sheet, x, y).ok_or_else(|| Fault::missing("texel of this place"))
    });
    Ok(Json(TraceView { trace: trace.await?, maps }))
}
