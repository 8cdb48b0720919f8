//! Finishes while they are made: how they read and what they cover, the model as it would look, and ready-made ones to start from.

use crate::App;
use crate::api::{ReadyFinishLine, Swatch};
use crate::fault::{Fault, Result, aside};
use crate::keep::write_view;
use crate::routes::masks::{asked, with_some_mask};
use crate::routes::reach::{look_at, plan_of, worked_out};
use crate::routes::sent::{Given, Sent};
use crate::routes::shared::Shared;
use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use ember_ridge_core::Recipe;
use ember_ridge_core::finish::{Body, Finish, FinishOn, PlaceSettings, READY_FINISHES, ReadyFinish};
use ember_ridge_core::maps::MapSettings;
use ember_ridge_core::mesh::{Facing, PlaneTarget};
use ember_ridge_core::recipe::MeshSource;
use ember_ridge_core::stop::never;
use rayon::prelude::*;
use rocket::http::ContentType;
use rocket::serde::json::Json;
use rocket::{State, get, post};
use std::io::Cursor;
use std::sync::Arc;

described_routes!(list_ready_finishes, show_finishes, show_material, show_coat_pictures);

/// Texels along the side of a finish's small picture, and of a coat's.
pub(super) const PICTURE_SIDE: u32 = 96;
const COAT_SIDE: u32 = 288;
/// How much of the asset, from corner to corner, these pictures show.
const FLAT_SHARE: f32 = 0.3;
/// Maps that a lit model needs.
pub(super) const MATERIAL: [&str; 7] = ["base-color", "roughness", "metallic", "emission", "opacity", "normal", "ao"];

/// Finishes to start from, for an asset.
#[utoipa::path(
    tag = "finishes",
    responses((status = 200, description = "The ready-made finishes", body = ref("ReadyFinishLine[]"))),
)]
#[get("/assets/<id>/ready-finishes")]
async fn list_ready_finishes(app: &State<Arc<App>>, id: i64) -> Result<Json<Vec<ReadyFinishLine>>> {
    let recipe = with_some_mask(app.store.asset(id).await?.recipe);
    let app = app.inner().clone();
    aside(move || {
        let scene = app.scene(&recipe, &|_| true)?;
        let body = Body::of(scene.diagonal(), scene.low.mesh.bounds(), scene.high_bounds());
        let line = |ready: &ReadyFinish| ReadyFinishLine {
            explains: ready.explains.to_owned(),
            tags: ready.tags.iter().map(|tag| (*tag).to_owned()).collect(),
            finish: ready.finish(&body),
        };
        Ok(Json(READY_FINISHES.iter().map(line).collect()))
    })
    .await
}

/// How the finishes of a draft and their coats read, and what each covers.
#[utoipa::path(
    tag = "finishes",
    request_body(content = ref("Recipe"), content_type = "application/json"),
    responses((status = 200, description = "The finishes", body = ref("FinishView[]"))),
)]
#[post("/assets/<id>/finishes", data = "<draft>")]
async fn show_finishes(app: &State<Arc<App>>, id: i64, draft: Sent<Recipe>) -> Result<Shared> {
    worked_out(app, id, ContentType::JSON, "finishes".to_owned(), draft.0, |app, recipe| {
        let views = asked(app, recipe)?.finish_views(&never).map_err(Fault::unusable)?;
        Ok(serde_json::to_vec(&views)?)
    })
    .await
}

/// The maps that a lit model needs, of a draft as small as a proof and at once: what is looked at while a hand is on a coat.
#[utoipa::path(
    tag = "finishes",
    params(("sheet" = Option<usize>, Query)),
    request_body(content = ref("Recipe"), content_type = "application/json"),
    responses((status = 200, description = "A picture of each map, or why there is none", body = ref("Swatch[]"))),
)]
#[post("/assets/<id>/material?<sheet>", data = "<draft>")]
async fn show_material(app: &State<Arc<App>>, id: i64, sheet: Given<usize>, draft: Sent<Recipe>) -> Result<Shared> {
    let sheet = sheet.optional()?.unwrap_or(0);
    worked_out(app, id, ContentType::JSON, format!("material {sheet}"), draft.0, move |app, recipe| {
        let own = |key: &str| recipe.maps.iter().find(|m| m.key() == key).cloned().or_else(|| MapSettings::by_key(key));
        let maps = MATERIAL.into_iter().filter_map(own).collect();
        let outcome = look_at(&plan_of(app, recipe, maps)?)?;
        let sheet = sheet.min(outcome.sheets.len().saturating_sub(1));
        let pictures = outcome.maps.par_iter().enumerate().map(|(number, map)| {
            let mut swatch = Swatch { map: map.facts.key().to_owned(), picture: None, error: map.error.clone() };
            if map.error.is_none() {
                let mut png = Cursor::new(Vec::new());
                write_view(&mut png, &outcome, sheet, number).map_err(std::io::Error::from)?;
                swatch.picture = Some(format!("data:image/png;base64,{}", STANDARD.encode(png.into_inner())));
            }
            Ok(swatch)
        });
        Ok(serde_json::to_vec(&pictures.collect::<Result<Vec<_>>>()?)?)
    })
    .await
}

/// A picture of every coat of a finish of a draft, as if it lay by itself on a flat piece through the middle of the asset; of the base last.
#[utoipa::path(
    tag = "finishes",
    params(("finish" = String, Query, description = "Its name")),
    request_body(content = ref("Recipe"), content_type = "application/json"),
    responses((status = 200, description = "A picture of each coat, by its name, and of the base", body = ref("Swatch[]"))),
)]
#[post("/assets/<id>/coat-pictures?<finish>", data = "<draft>")]
async fn show_coat_pictures(
    app: &State<Arc<App>>,
    id: i64,
    finish: Given<&str>,
    draft: Sent<Recipe>,
) -> Result<Shared> {
    let finish = finish.required("finish")?.to_owned();
    worked_out(app, id, ContentType::JSON, format!("coats {finish:?}"), draft.0, move |app, recipe| {
        let found = recipe.finishes.iter().find(|f| f.name == finish).cloned();
        let whole = found.ok_or_else(|| Fault::missing("finish of this name"))?;
        let recipe = flat_piece(app, recipe, COAT_SIDE)?;
        let base = Finish { on: FinishOn::All, coats: Vec::new(), ..whole.clone() };
        let coats = whole.coats.iter().map(|coat| {
            let mut alone = coat.clone();
            (alone.place, alone.amount, alone.muted, alone.solo) = (PlaceSettings::default(), 1.0, false, false);
            (coat.name.clone(), Finish { coats: vec![alone], ..base.clone() })
        });
        let pictures = coats.chain([(String::new(), base.clone())]).map(|(name, finish)| {
            let swatch = base_color_of(app, recipe.clone(), finish)?;
            Ok(Swatch { map: name, ..swatch })
        });
        Ok(serde_json::to_vec(&pictures.collect::<Result<Vec<_>>>()?)?)
    })
    .await
}

/// The base colour of an asset that has this finish alone.
pub(super) fn base_color_of(app: &App, recipe: Recipe, finish: Finish) -> Result<Swatch> {
    let recipe = Recipe { finishes: vec![finish], ..recipe };
    let maps = MapSettings::by_key("base-color").into_iter().collect();
    super::maps::pictures_of(&plan_of(app, recipe, maps)?)?.pop().ok_or_else(|| Fault::missing("picture of the finish"))
}

/// A recipe of a flat piece through the middle of the asset, of `side` texels: what a finish looks like where nothing wears it.
pub(super) fn flat_piece(app: &App, mut recipe: Recipe, side: u32) -> Result<Recipe> {
    let scene = app.scene(&recipe, &|_| true)?;
    let (low, high) = scene.high_bounds();
    let middle = (0.5 * (low + high)).to_array();
    let plane = PlaneTarget { facing: Facing::Z, middle, size: [FLAT_SHARE * scene.diagonal(); 2], repeats: false };
    recipe.low = vec![MeshSource::plane("flat piece", plane)];
    recipe.high.clear();
    (recipe.cage, recipe.normal_map) = (None, None);
    (recipe.sheet.size, recipe.sheet.proof_size) = (side, side);
    Ok(recipe)
}
