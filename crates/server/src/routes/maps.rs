//! The maps there are, and small pictures of each of them for an asset as it stands.

use crate::App;
use crate::api::{Choices, FormatLine, MapLine, Swatch};
use crate::fault::{Fault, Result, aside};
use crate::routes::shared::Shared;
use ember_ridge_core::Recipe;
use ember_ridge_core::bake::{Plan, Unwatched, run};
use ember_ridge_core::maps::{MapSettings, RAY_COUNTS, RAY_ERRORS, most_ray_counts};
use ember_ridge_core::picture::{Depth, ImageFormat};
use ember_ridge_core::sheet::{Layout, Padding, SAMPLE_COUNTS};
use ember_ridge_formats::image::write_png;
use ember_ridge_formats::mesh::{BESIDE_EXTENSIONS, MESH_FORMATS};
use rocket::http::ContentType;
use rocket::serde::json::Json;
use rocket::{State, get};
use std::sync::Arc;

described_routes!(list_maps, show_choices, show_swatches);

/// Texels along the side of a swatch.
const SIDE: u32 = 128;
/// Rays per texel in swatches of maps that trace their own.
const RAYS: u32 = 16;
/// Every kind of map, with its settings before anyone changes them.
#[utoipa::path(tag = "maps", responses((status = 200, description = "The kinds of map", body = ref("MapLine[]"))))]
#[get("/maps")]
fn list_maps() -> Json<Vec<MapLine>> {
    Json(MapSettings::every().into_iter().map(|fresh| MapLine { kind: *fresh.kind(), fresh }).collect())
}

/// What settings may be: files, formats and their depths, samples, rays.
#[utoipa::path(tag = "maps", responses((status = 200, description = "The choices", body = ref("Choices"))))]
#[get("/choices")]
fn show_choices() -> Json<Choices> {
    let words = |list: &[&str]| list.iter().map(|w| (*w).to_owned()).collect();
    let line = |format: ImageFormat| FormatLine {
        format,
        label: format.label().to_owned(),
        depths: format.depths().to_vec(),
        color_only: format.color_only(),
    };
    let meshes: Vec<&str> = MESH_FORMATS.iter().flat_map(|f| f.extensions).copied().collect();
    Json(Choices {
        meshes: words(&meshes),
        beside: words(BESIDE_EXTENSIONS),
        formats: ImageFormat::ALL.into_iter().map(line).collect(),
        samples: SAMPLE_COUNTS.to_vec(),
        rays: RAY_COUNTS.to_vec(),
        most_rays: most_ray_counts().collect(),
        ray_errors: [*RAY_ERRORS.start(), *RAY_ERRORS.end()],
    })
}

/// A small bake of every map with the recipe's settings, whether it is chosen or not.
#[utoipa::path(
    tag = "maps",
    responses((status = 200, description = "A picture of each map, or why there is none", body = ref("Swatch[]"))),
)]
#[get("/assets/<id>/swatches")]
async fn show_swatches(app: &State<Arc<App>>, id: i64) -> Result<Shared> {
    let recipe = swatch_recipe(app.store.asset(id).await?.recipe);
    let key = format!("swatches/{}", serde_json::to_string(&recipe)?);
    let there = app.inner().clone();
    let made = aside(move || there.memory.once(&key, || Ok(serde_json::to_vec(&make(&there, &recipe)?)?))).await?;
    Ok(Shared::new(ContentType::JSON, made))
}

fn swatch_recipe(mut recipe: Recipe) -> Recipe {
    let chosen = std::mem::take(&mut recipe.maps);
    recipe.masks.clear();
    recipe.finish_rays = recipe.finish_rays.at_most(RAYS);
    let as_chosen = |fresh: MapSettings| {
        let kept = chosen.iter().find(|m| m.key() == fresh.key()).cloned().unwrap_or(fresh);
        kept.with_at_most(RAYS)
    };
    recipe.maps = MapSettings::all().into_iter().map(as_chosen).collect();
    recipe.sheet.size = SIDE;
    recipe.sheet.samples = 1;
    recipe.sheet.padding = Padding::Texels(2);
    recipe.sheet.depth = Depth::Eight;
    recipe.sheet.format = ImageFormat::Png;
    recipe.sheet.color_format = None;
    recipe.sheet.layout = Layout::One;
    recipe.asset = String::new();
    recipe
}

fn make(app: &App, recipe: &Recipe) -> Result<Vec<Swatch>> {
    let scene = app.scene(recipe, &|_| true)?;
    pictures_of(&Plan::new(recipe, &scene).map_err(|f| Fault::unusable(f.to_string()))?)
}

/// A small picture of every map of a plan, or why there is none.
pub(super) fn pictures_of(plan: &Plan) -> Result<Vec<Swatch>> {
    let outcome = run(plan, 0, &Unwatched).map_err(|f| Fault::unusable(f.to_string()))?;
    let swatch = |map: &ember_ridge_core::bake::BakedMap| -> Result<Swatch> {
        let mut swatch = Swatch { map: map.facts.key().to_owned(), picture: None, error: map.error.clone() };
        if let (None, Some(preview)) = (&map.error, outcome.preview(0, map.facts.key())) {
            let mut png = Vec::new();
            write_png(&mut png, preview.side, preview.channels, &preview.rows)?;
            let text = base64::Engine::encode(&base64::engine::general_purpose::STANDARD, &png);
            swatch.picture = Some(format!("data:image/png;base64,{text}"));
        }
        Ok(swatch)
    };
    outcome.maps.iter().map(swatch).collect()
}
