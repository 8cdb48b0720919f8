//! The low-poly as a run's displacement map moves it: drawn, and how far it is from the sculpt after so many subdivisions.

use super::compare::{Side, side};
use super::truths::{report_of, sheets, with_truths};
use crate::App;
use crate::api::{DisplacedHeader, Subdivision, Subdivisions};
use crate::display::Packer;
use crate::fault::{Fault, Result, aside};
use crate::routes::sent::Given;
use crate::routes::shared::Shared;
use ember_ridge_core::bake::MapReport;
use ember_ridge_core::picture::{Sampler, Wrap};
use ember_ridge_core::review::{Difference, DisplacedMesh, Displacing, Question, asking, displaced_levels};
use ember_ridge_core::sheet::sheet_table;
use rocket::http::ContentType;
use rocket::serde::json::Json;
use rocket::{State, get};
use std::sync::Arc;

described_routes!(list_subdivisions, show_displaced);

const MAP: &str = "displacement";
/// Subdivisions that are measured.
const MEASURED: std::ops::RangeInclusive<u32> = 0..=6;

/// How far the displaced low-poly is from the sculpt, by how often it is subdivided.
#[utoipa::path(
    tag = "runs",
    responses((status = 200, description = "By number of subdivisions", body = ref("Subdivisions"))),
)]
#[get("/runs/<id>/subdivisions")]
async fn list_subdivisions(app: &State<Arc<App>>, id: i64) -> Result<Json<Subdivisions>> {
    let side = side(app, id).await?;
    let app = app.inner().clone();
    aside(move || {
        let scale = map_of(&side)?.scale;
        let triangles = app.scene(&side.run.recipe, &|_| true)?.low.mesh.triangles.len();
        let with = |off: &dyn Fn(u32) -> Option<Difference>| {
            let after = |level: u32| Subdivision {
                level,
                triangles: (triangles as u64) << (2 * level),
                drawn: level <= displaced_levels(triangles),
                off: off(level),
            };
            MEASURED.map(after).collect()
        };
        let asking = match asking(&side.run.recipe) {
            Ok(asking) => asking,
            Err(why) => {
                return Ok(Json(Subdivisions { levels: with(&|_| None), finishes: false, unmeasured: Some(why) }));
            }
        };
        let sheets = sheets(&app, &side, MAP)?;
        with_truths(&app, &asking, report_of(&side)?, |truths| {
            let off = |level| Some(truths.truth(&sheets, Question::Displaced { scale, level: Some(level) }).difference);
            Ok(Json(Subdivisions { levels: with(&off), finishes: truths.counts_finishes(), unmeasured: None }))
        })
    })
    .await
}

/// The displaced low-poly as arrays behind a header.
#[utoipa::path(
    tag = "runs",
    params(("level" = u32, Query, description = "Subdivisions: each makes four of every triangle")),
    responses(
        (status = 200, description = "A length, a header, arrays", body = Vec<u8>, content_type = "application/octet-stream"),
    ),
)]
#[get("/runs/<id>/displaced?<level>")]
async fn show_displaced(app: &State<Arc<App>>, id: i64, level: Given<u32>) -> Result<Shared> {
    let level = level.required("level")?;
    let side = side(app, id).await?;
    let app = app.inner().clone();
    let made = aside(move || app.memory.once(&format!("displaced/{id}/{level}"), || packed(&app, &side, level)));
    Ok(Shared::new(ContentType::Binary, made.await?).lasting())
}

fn map_of(side: &Side) -> Result<&MapReport> {
    let map = report_of(side)?.maps.get(MAP).filter(|map| map.error.is_none());
    map.ok_or_else(|| Fault::unusable("this run has no displacement map. Choose one at Maps, and bake again"))
}

fn packed(app: &App, side: &Side, level: u32) -> Result<Vec<u8>> {
    let map = map_of(side)?;
    let images = sheets(app, side, MAP)?;
    let recipe = &side.run.recipe;
    let scene = app.scene(recipe, &|_| true)?;
    let most = displaced_levels(scene.low.mesh.triangles.len());
    if level > most {
        return Err(Fault::unusable(format!("this low-poly is drawn with at most {most} subdivisions, not {level}")));
    }
    let names = &report_of(side)?.sheets;
    let table = sheet_table(&scene.low.mesh, recipe.sheet.layout, names);
    let edge = if recipe.repeats().is_some() { Wrap::Repeat } else { Wrap::Clamp };
    let sampler = Sampler { wrap: [edge; 2], nearest: false };
    let (low, scale) = (&scene.low, map.scale);
    let displaced = Displacing { low, table: &table, sheets: &images, scale, sampler }.mesh(level);
    let off = match asking(recipe) {
        Ok(asking) => {
            Some(with_truths(app, &asking, report_of(side)?, |truths| Ok(truths.far_from_sculpt(&displaced)))?)
        }
        Err(_) => None,
    };
    Ok(arrays(&displaced, off.as_deref(), level))
}

fn arrays(displaced: &DisplacedMesh, off: Option<&[f32]>, level: u32) -> Vec<u8> {
    let mut packer = Packer::default();
    packer.floats("position", displaced.positions.iter().flat_map(|p| p.to_array()));
    packer.floats("way", displaced.ways.iter().flat_map(|p| p.to_array()));
    if let Some(off) = off {
        packer.floats("off", off.iter().copied());
    }
    packer.whole("index", displaced.triangles.iter().flatten().copied());
    let (vertices, triangles) = (displaced.positions.len() as u32, displaced.triangles.len() as u32);
    packer.finish(|arrays| DisplacedHeader { level, vertices, triangles, arrays })
}
