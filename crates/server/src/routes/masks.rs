//! Masks while they are made: what they are made of, how they read and what they cover, what they hold at a place, places by example,
//! and the library of masks to start from.

use crate::App;
use crate::api::{
    AskedAt, AskedByExample, MaskChoices, MeasuringShare, PatternLine, PickedPlace, PresetLine, RegionName, Swatch,
};
use crate::fault::{Fault, Result, aside};
use crate::routes::maps::pictures_of;
use crate::routes::reach::{plan_of, worked_out};
use crate::routes::sent::{Given, Sent};
use crate::routes::shared::Shared;
use ember_ridge_core::Recipe;
use ember_ridge_core::bake::Plan;
use ember_ridge_core::finish::{
    Body, KeptMasks, Mask, OPEN_END, PATTERNS, PRESETS, PatternSettings, RegionBy, SIGNALS,
};
use ember_ridge_core::maps::{MapSettings, MaskMapSettings};
use ember_ridge_core::stop::never;
use ember_ridge_core::surface::{MeshPoint, nearest_on_triangle};
use rocket::http::{ContentType, Header};
use rocket::serde::json::Json;
use rocket::{Responder, State, delete, get, post, put};
use serde::Serialize;
use std::sync::Arc;

described_routes!(
    list_choices,
    list_presets,
    show_mask,
    show_mask_at,
    find_region,
    find_places,
    show_mask_pictures,
    show_measuring,
    export_masks,
    fit_masks,
    list_library,
    keep_masks,
    drop_mask,
);

/// Examples of a question, at most.
const MOST_EXAMPLES: usize = 200;
/// Texels along the side of a mask's small picture.
const PICTURE_SIDE: u32 = 128;

/// Every signal and every pattern.
#[utoipa::path(
    tag = "masks",
    responses((status = 200, description = "What masks are made of", body = ref("MaskChoices"))),
)]
#[get("/mask-choices")]
fn list_choices() -> Json<MaskChoices> {
    let patterns = PATTERNS.iter().zip(PatternSettings::all()).map(|(info, fresh)| PatternLine { info: *info, fresh });
    Json(MaskChoices { signals: SIGNALS.to_vec(), patterns: patterns.collect(), open_end: OPEN_END })
}

/// Masks to start from, for an asset.
#[utoipa::path(
    tag = "masks",
    responses((status = 200, description = "The presets", body = ref("PresetLine[]"))),
)]
#[get("/assets/<id>/presets")]
async fn list_presets(app: &State<Arc<App>>, id: i64) -> Result<Json<Vec<PresetLine>>> {
    let recipe = with_some_mask(app.store.asset(id).await?.recipe);
    let app = app.inner().clone();
    aside(move || {
        let scene = app.scene(&recipe, &|_| true)?;
        let body = Body::of(scene.diagonal(), scene.low.mesh.bounds(), scene.high_bounds());
        let line = |preset: &ember_ridge_core::finish::Preset| {
            let place = preset.place(&body);
            PresetLine {
                id: preset.id.to_owned(),
                explains: preset.explains.to_owned(),
                sentence: place.sentence(),
                mask: Mask { name: preset.name.to_owned(), place },
            }
        };
        Ok(Json(PRESETS.iter().map(line).collect()))
    })
    .await
}

/// A recipe that can be planned without a sculpt: its masks alone are asked about.
pub(super) fn with_some_mask(mut recipe: Recipe) -> Recipe {
    recipe.maps = vec![MapSettings::Mask(MaskMapSettings::of("-"))];
    recipe
}

/// A draft planned to be asked about its masks. No map of it is made: what stands in its place cannot be.
pub(super) fn asked(app: &App, recipe: Recipe) -> Result<Plan> {
    plan_of(app, recipe, vec![MapSettings::Mask(MaskMapSettings::of("-"))])
}

fn place_of(plan: &Plan, PickedPlace { triangle, point }: PickedPlace) -> Result<MeshPoint> {
    let mesh = &plan.rays.scene.low.mesh;
    let triangles = mesh.triangles.len();
    if triangle as usize >= triangles || point.iter().any(|c| !c.is_finite()) {
        return Err(Fault::unusable(format!(
            "triangle {triangle} at {point:?} is no place of the low-poly, which has {triangles} triangles"
        )));
    }
    let (v, w) = nearest_on_triangle(point.into(), mesh.corners(triangle));
    Ok(MeshPoint::new(triangle, v, w))
}

fn json(answer: &impl Serialize) -> Result<Vec<u8>> {
    Ok(serde_json::to_vec(answer)?)
}

fn no_mask() -> Fault {
    Fault::missing("mask of this name")
}

/// How a mask of a draft reads, what its terms see and how much of the surface each covers.
#[utoipa::path(
    tag = "masks",
    params(("mask" = String, Query, description = "Its name")),
    request_body(content = ref("Recipe"), content_type = "application/json"),
    responses((status = 200, description = "The mask", body = ref("MaskView"))),
)]
#[post("/assets/<id>/mask?<mask>", data = "<draft>")]
async fn show_mask(app: &State<Arc<App>>, id: i64, mask: Given<&str>, draft: Sent<Recipe>) -> Result<Shared> {
    let mask = mask.required("mask")?.to_owned();
    worked_out(app, id, ContentType::JSON, format!("mask {mask:?}"), draft.0, move |app, recipe| {
        json(&asked(app, recipe)?.mask_view(&mask, &never).ok_or_else(no_mask)?)
    })
    .await
}

/// What a mask of a draft and its signals are at a place of the low-poly.
#[utoipa::path(
    tag = "masks",
    params(("mask" = String, Query, description = "Its name")),
    request_body(content = ref("AskedAt"), content_type = "application/json"),
    responses((status = 200, description = "The values", body = ref("MaskAt"))),
)]
#[post("/assets/<id>/mask-at?<mask>", data = "<question>")]
async fn show_mask_at(app: &State<Arc<App>>, id: i64, mask: Given<&str>, question: Sent<AskedAt>) -> Result<Shared> {
    let (mask, AskedAt { recipe, at }) = (mask.required("mask")?.to_owned(), question.0);
    worked_out(app, id, ContentType::JSON, format!("mask {mask:?} {at:?}"), recipe, move |app, recipe| {
        let plan = asked(app, recipe)?;
        let at = place_of(&plan, at)?;
        json(&plan.mask_at(&mask, at, &never).ok_or_else(no_mask)?)
    })
    .await
}

/// The region that a place of the low-poly lies in.
#[utoipa::path(
    tag = "masks",
    params(("by" = String, Query, description = "What tells regions apart, as in a mask")),
    request_body(content = ref("AskedAt"), content_type = "application/json"),
    responses((status = 200, description = "Its name", body = ref("RegionName"))),
)]
#[post("/assets/<id>/region-at?<by>", data = "<question>")]
async fn find_region(app: &State<Arc<App>>, id: i64, by: Given<&str>, question: Sent<AskedAt>) -> Result<Shared> {
    let (by, AskedAt { mut recipe, at }) = (by.required("by")?.to_owned(), question.0);
    let known: RegionBy =
        serde_json::from_value(by.clone().into()).map_err(|e| Fault::unusable(format!("by is '{by}': {e}")))?;
    worked_out(app, id, ContentType::JSON, format!("region {by} {at:?}"), recipe.clone(), move |app, _| {
        // How the ID map tells regions apart is a setting of the map.
        let id = recipe.maps.iter().find(|map| map.id() == "id").cloned();
        let maps = id.into_iter().chain([MapSettings::Mask(MaskMapSettings::of("-"))]).collect();
        recipe.masks.clear();
        let plan = plan_of(app, recipe, maps)?;
        let at = place_of(&plan, at)?;
        json(&RegionName { name: plan.region_at(known, at, &never) })
    })
    .await
}

/// Places that would explain examples, the simplest first. Asked without examples, it measures what later questions need.
#[utoipa::path(
    tag = "masks",
    request_body(content = ref("AskedByExample"), content_type = "application/json"),
    responses((status = 200, description = "Up to three places", body = ref("Proposals"))),
)]
#[post("/assets/<id>/proposals", data = "<question>")]
async fn find_places(app: &State<Arc<App>>, id: i64, question: Sent<AskedByExample>) -> Result<Shared> {
    let AskedByExample { recipe, examples } = question.0;
    if examples.len() > MOST_EXAMPLES {
        return Err(Fault::unusable(format!("{} examples; give at most {MOST_EXAMPLES}", examples.len())));
    }
    worked_out(app, id, ContentType::JSON, format!("proposals {examples:?}"), recipe, move |app, recipe| {
        let plan = asked(app, recipe)?;
        let places = examples.iter().map(|e| place_of(&plan, e.at)).collect::<Result<Vec<_>>>()?;
        let wanted: Vec<bool> = examples.iter().map(|e| e.wanted).collect();
        json(&plan.propose(&places, &wanted, &never))
    })
    .await
}

/// A small picture of every mask of a draft.
#[utoipa::path(
    tag = "masks",
    request_body(content = ref("Recipe"), content_type = "application/json"),
    responses((status = 200, description = "A picture of each mask, or why there is none", body = ref("Swatch[]"))),
)]
#[post("/assets/<id>/mask-pictures", data = "<draft>")]
async fn show_mask_pictures(app: &State<Arc<App>>, id: i64, draft: Sent<Recipe>) -> Result<Shared> {
    worked_out(app, id, ContentType::JSON, "mask pictures".to_owned(), draft.0, |app, mut recipe| {
        let map = |mask: &Mask| MapSettings::Mask(MaskMapSettings::of(&mask.name)).with_at_most(16);
        let maps: Vec<MapSettings> = recipe.masks.iter().map(map).collect();
        if maps.is_empty() {
            return json(&Vec::<Swatch>::new());
        }
        recipe.sheet.size = PICTURE_SIDE;
        recipe.sheet.proof_size = PICTURE_SIDE;
        json(&pictures_of(&plan_of(app, recipe, maps)?)?)
    })
    .await
}

/// How far signals that are being measured have come, over the meshes of an asset.
#[utoipa::path(
    tag = "masks",
    responses((status = 200, description = "The share that is done", body = ref("MeasuringShare"))),
)]
#[get("/assets/<id>/measuring")]
async fn show_measuring(app: &State<Arc<App>>, id: i64) -> Result<Json<MeasuringShare>> {
    let recipe = app.store.asset(id).await?.recipe;
    Ok(Json(MeasuringShare { share: app.measuring(&recipe) }))
}

#[derive(Responder)]
struct MasksFile {
    body: (ContentType, Vec<u8>),
    name: Header<'static>,
}

/// The masks of an asset as a file, with the asset's size.
#[utoipa::path(
    tag = "masks",
    responses((status = 200, description = "The file", body = ref("KeptMasks"))),
)]
#[get("/assets/<id>/masks")]
async fn export_masks(app: &State<Arc<App>>, id: i64) -> Result<MasksFile> {
    let recipe = app.store.asset(id).await?.recipe;
    let app = app.inner().clone();
    aside(move || {
        let scene = app.scene(&with_some_mask(recipe.clone()), &|_| true)?;
        let kept = KeptMasks { masks: recipe.masks, diagonal: Some(scene.diagonal()) };
        let name: String = recipe.asset.chars().map(|c| if c.is_alphanumeric() { c } else { '-' }).collect();
        let name = Header::new("Content-Disposition", format!("attachment; filename=\"{name}-masks.json\""));
        Ok(MasksFile { body: (ContentType::JSON, serde_json::to_vec_pretty(&kept)?), name })
    })
    .await
}

/// Masks of a file or of the library in lengths that suit an asset.
#[utoipa::path(
    tag = "masks",
    request_body(content = ref("KeptMasks"), content_type = "application/json"),
    responses((status = 200, description = "The masks", body = ref("Mask[]"))),
)]
#[post("/assets/<id>/masks", data = "<masks>")]
async fn fit_masks(app: &State<Arc<App>>, id: i64, masks: Sent<KeptMasks>) -> Result<Json<Vec<Mask>>> {
    let masks = masks.0;
    masks.validate().map_err(Fault::unusable)?;
    let recipe = with_some_mask(app.store.asset(id).await?.recipe);
    let app = app.inner().clone();
    aside(move || Ok(Json(masks.scaled_to(app.scene(&recipe, &|_| true)?.diagonal())))).await
}

/// The masks kept in the library, each with the size of the asset that it was made for.
#[utoipa::path(
    tag = "masks",
    responses((status = 200, description = "The library", body = ref("KeptMasks[]"))),
)]
#[get("/mask-library")]
async fn list_library(app: &State<Arc<App>>) -> Result<Json<Vec<KeptMasks>>> {
    Ok(Json(app.library_of().await?))
}

/// Keeps masks in the library, each under its name, in place of those that had it.
#[utoipa::path(
    tag = "masks",
    request_body(content = ref("KeptMasks"), content_type = "application/json"),
    responses((status = 200, description = "The library", body = ref("KeptMasks[]"))),
)]
#[put("/mask-library", data = "<masks>")]
async fn keep_masks(app: &State<Arc<App>>, masks: Sent<KeptMasks>) -> Result<Json<Vec<KeptMasks>>> {
    let KeptMasks { masks, diagonal } = masks.0;
    KeptMasks { masks: masks.clone(), diagonal }.validate().map_err(Fault::unusable)?;
    let entries = masks.into_iter().map(|mask| KeptMasks { masks: vec![mask], diagonal });
    Ok(Json(app.keep_in_library(entries.collect()).await?))
}

/// Takes a mask out of the library.
#[utoipa::path(
    tag = "masks",
    responses((status = 200, description = "The library", body = ref("KeptMasks[]"))),
)]
#[delete("/mask-library/<name>")]
async fn drop_mask(app: &State<Arc<App>>, name: &str) -> Result<Json<Vec<KeptMasks>>> {
    Ok(Json(app.drop_from_library(name).await?))
}
