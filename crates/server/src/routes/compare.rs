//! Two runs of an asset held against each other, map by map, in true units.

use crate::App;
use crate::api::RunsCompared;
use crate::fault::{Fault, Result, aside};
use crate::keep::map_key;
use crate::routes::sent::Given;
use crate::routes::shared::Shared;
use ember_ridge_core::picture::Image;
use ember_ridge_core::review::{Compared, MapFile, compare, difference_picture};
use ember_ridge_core::sheet::{Coverage, coverage_of};
use ember_ridge_formats::image::{read_image, write_png};
use ember_ridge_store::{Run, RunFile};
use rocket::http::ContentType;
use rocket::serde::json::Json;
use rocket::{State, get};
use std::sync::Arc;

described_routes!(compare_runs, show_difference);

/// A run with its files.
pub(super) struct Side {
    pub run: Run,
    pub files: Vec<RunFile>,
}

/// How far each map of a run is from that of another, over texels that both cover.
#[utoipa::path(tag = "runs", responses((status = 200, description = "By map", body = ref("RunsCompared"))))]
#[get("/runs/<id>/compare/<other>")]
async fn compare_runs(app: &State<Arc<App>>, id: i64, other: i64) -> Result<Json<RunsCompared>> {
    let sides = [side(app, id).await?, side(app, other).await?];
    let app = app.inner().clone();
    aside(move || {
        let [a, b] = &sides;
        let covered = [covered(&app, &a.run)?, covered(&app, &b.run)?];
        let mut told = RunsCompared::default();
        for key in a.maps() {
            if !b.maps().any(|other| other == key) {
                told.only_a.push(key.to_owned());
                continue;
            }
            match of_map(&app, &sides, key, &covered) {
                Ok(apart) => drop(told.maps.insert(key.to_owned(), apart)),
                Err(why) => drop(told.faults.insert(key.to_owned(), why.text().to_owned())),
            }
        }
        told.only_b = b.maps().filter(|key| !a.maps().any(|other| other == *key)).map(str::to_owned).collect();
        Ok(Json(told))
    })
    .await
}

/// Where a map of a run is apart from that of another: dark where they agree, brightest where they are `most` apart or more.
#[utoipa::path(
    tag = "runs",
    params(
        ("most" = f32, Query, description = "What the brightest stands for, in the map's unit"),
        ("sheet" = Option<usize>, Query),
    ),
    responses((status = 200, description = "A PNG", body = Vec<u8>, content_type = "image/png")),
)]
#[get("/runs/<id>/difference/<other>/<map>?<most>&<sheet>")]
async fn show_difference(
    app: &State<Arc<App>>,
    id: i64,
    other: i64,
    map: &str,
    most: Given<f32>,
    sheet: Given<usize>,
) -> Result<Shared> {
    let (most, sheet) = (most.required("most")?, sheet.optional()?.unwrap_or(0));
    let (sides, map) = ([side(app, id).await?, side(app, other).await?], map.to_owned());
    let app = app.inner().clone();
    aside(move || {
        let key = format!("difference/{id}/{other}/{map}/{sheet}/{most}");
        let made = app.memory.once(&key, || {
            let images = [image(&app, &sides[0], &map, sheet)?, image(&app, &sides[1], &map, sheet)?];
            let covered = [covered(&app, &sides[0].run)?, covered(&app, &sides[1].run)?];
            let both = |at: usize| covered.iter().all(|of| of.get(sheet).is_some_and(|sheet| sheet.get(at)));
            let pair = pair(&sides, &images, &map)?;
            let rows = difference_picture(pair, &both, most).map_err(Fault::unusable)?;
            let mut png = Vec::new();
            write_png(&mut png, images[0].width, 3, &rows)?;
            Ok(png)
        })?;
        Ok(Shared::new(ContentType::PNG, made))
    })
    .await
}

pub(super) async fn side(app: &App, id: i64) -> Result<Side> {
    let run = app.store.run(id).await?;
    if !run.line.status.has_maps() {
        return Err(Fault::unusable(format!(
            "Run {} has no maps to compare; let it bake to the end first",
            run.line.number
        )));
    }
    Ok(Side { files: app.store.run_files(id).await?, run })
}

impl Side {
    /// Maps that were made.
    pub fn maps(&self) -> impl Iterator<Item = &str> {
        let maps = self.run.report.iter().flat_map(|report| &report.maps);
        maps.filter(|(_, map)| map.error.is_none()).map(|(key, _)| key.as_str())
    }

    pub fn sheets(&self) -> usize {
        self.run.report.as_ref().map_or(0, |report| report.sheets.len())
    }
}

/// Which texels of each sheet a run covers.
pub(super) fn covered(app: &App, run: &Run) -> Result<Arc<Vec<Coverage>>> {
    let recipe = &run.recipe;
    app.memory.once(&format!("covered/{}", run.line.id), || {
        Ok(coverage_of(&app.scene(recipe, &|_| true)?.low.mesh, &recipe.sheet))
    })
}

pub(super) fn image(app: &App, side: &Side, map: &str, sheet: usize) -> Result<Image> {
    let key = map_key(map, sheet);
    let file = side.files.iter().find(|file| file.map == key).ok_or_else(|| Fault::missing("such map in this run"))?;
    Ok(read_image(&file.file, &app.store.blobs.read(&file.hash)?)?)
}

fn pair<'i>(sides: &[Side; 2], [a, b]: &'i [Image; 2], map: &str) -> Result<[MapFile<'i>; 2]> {
    let file = |side: &Side, image: &'i Image| {
        let report = side.run.report.as_ref().and_then(|report| report.maps.get(map));
        let old = || {
            let number = side.run.line.number;
            Fault::unusable(format!(
                "an earlier version made run {number}, without saying how it is read; bake it again"
            ))
        };
        let reads = report.and_then(|report| report.reads).ok_or_else(old)?;
        Ok::<_, Fault>(MapFile { image, reads, scale: report.and_then(|report| report.scale) })
    };
    Ok([file(&sides[0], a)?, file(&sides[1], b)?])
}

fn of_map(app: &App, sides: &[Side; 2], map: &str, covered: &[Arc<Vec<Coverage>>; 2]) -> Result<Compared> {
    let [a, b] = [sides[0].sheets(), sides[1].sheets()];
    if a != b {
        return Err(Fault::unusable(format!("one has {a} sheets and the other {b}")));
    }
    let images = |sheet: usize| Ok([image(app, &sides[0], map, sheet)?, image(app, &sides[1], map, sheet)?]);
    let images = (0..a).map(images).collect::<Result<Vec<[Image; 2]>>>()?;
    let pairs = images.iter().map(|images| pair(sides, images, map)).collect::<Result<Vec<_>>>()?;
    let both = |sheet: usize, at: usize| covered.iter().all(|of| of.get(sheet).is_some_and(|sheet| sheet.get(at)));
    compare(pairs, &both).map_err(Fault::unusable)
}
