//! Truths of a run: what its files say, read as a renderer reads them, held against the sculpt; and where they are off.

use crate::App;
use crate::fault::{Fault, Result, aside};
use crate::routes::compare::{Side, image, side};
use crate::routes::sent::Given;
use crate::routes::shared::Shared;
use ember_ridge_core::Recipe;
use ember_ridge_core::bake::{Plan, Report};
use ember_ridge_core::picture::{Coding, Image};
use ember_ridge_core::review::{ASKED_MAPS, AskedTruths, HEAT_SIDE, Question, Truths, asking, heat_color, questions};
use ember_ridge_formats::image::write_png;
use rocket::http::ContentType;
use rocket::serde::json::Json;
use rocket::{FromFormField, State, get};
use std::collections::BTreeMap;
use std::sync::Arc;

described_routes!(show_truths, show_heat);

/// One of the truths, as a picture.
#[derive(Clone, Copy, Debug, PartialEq, Eq, FromFormField)]
enum Heat {
    Lit,
    Displaced,
    Seams,
}

/// What the files of a run say, held against the sculpt.
#[utoipa::path(tag = "runs", responses((status = 200, description = "Figures, faults, notes", body = ref("AskedTruths"))))]
#[get("/runs/<id>/truths")]
async fn show_truths(app: &State<Arc<App>>, id: i64) -> Result<Json<AskedTruths>> {
    let side = side(app, id).await?;
    let app = app.inner().clone();
    aside(move || {
        let report = report_of(&side)?;
        let asking = match asking(&side.run.recipe) {
            Ok(asking) => asking,
            Err(why) => return Ok(Json(AskedTruths { notes: vec![why], ..AskedTruths::default() })),
        };
        let maps = ASKED_MAPS.into_iter().filter(|key| side.maps().any(|own| own == *key));
        let maps = maps.map(|key| Ok((key, sheets(&app, &side, key)?))).collect::<Result<BTreeMap<_, _>>>()?;
        if maps.is_empty() {
            let why = "the run has neither a normal map nor displacement to hold against the sculpt";
            return Ok(Json(AskedTruths { notes: vec![why.into()], ..AskedTruths::default() }));
        }
        with_truths(&app, &asking, report, |truths| Ok(Json(truths.ask(&maps, report))))
    })
    .await
}

/// Where one of them is off: dark where the file says what the sculpt is like, brightest where it is `most` off or more; grey where nothing
/// was asked.
#[utoipa::path(
    tag = "runs",
    params(
        ("of" = String, Query, description = "lit, displaced or seams"),
        ("most" = f32, Query, description = "What the brightest stands for: degrees, or scene units of displaced"),
        ("sheet" = Option<usize>, Query),
    ),
    responses((status = 200, description = "A PNG", body = Vec<u8>, content_type = "image/png")),
)]
#[get("/runs/<id>/heat?<of>&<most>&<sheet>")]
async fn show_heat(
    app: &State<Arc<App>>,
    id: i64,
    of: Given<Heat>,
    most: Given<f32>,
    sheet: Given<usize>,
) -> Result<Shared> {
    let (of, most, sheet) = (of.required("of")?, most.required("most")?, sheet.optional()?.unwrap_or(0));
    let side = side(app, id).await?;
    let app = app.inner().clone();
    let png = aside(move || {
        // Where it is off is worked out once, however it is coloured.
        let heat = app.memory.once(&format!("heat/{id}/{of:?}/{sheet}"), || heat_of(&app, &side, of, sheet))?;
        let rows: Vec<u8> = heat.iter().flat_map(|far| heat_color(*far, most)).collect();
        let mut png = Vec::new();
        write_png(&mut png, HEAT_SIDE, 3, &rows)?;
        Ok(Arc::new(png))
    });
    Ok(Shared::new(ContentType::PNG, png.await?))
}

fn heat_of(app: &App, side: &Side, of: Heat, sheet: usize) -> Result<Vec<f32>> {
    let report = report_of(side)?;
    let asking = asking(&side.run.recipe).map_err(Fault::unusable)?;
    let map = if of == Heat::Displaced { "displacement" } else { "normal" };
    let told = report.maps.get(map).filter(|told| told.error.is_none());
    let told = told.ok_or_else(|| Fault::missing("such map in this run"))?;
    let all = told.reads.map(|reads| questions(reads, told.scale, told.width)).unwrap_or_default();
    let asked = all.into_iter().find(|question| match question {
        Question::Lit { .. } => of == Heat::Lit,
        Question::Displaced { .. } => of == Heat::Displaced,
        Question::Seams { .. } => of == Heat::Seams,
    });
    let old =
        || Fault::unusable(format!("{map}: an earlier version made it, without saying how it is read; bake it again"));
    let question = asked.ok_or_else(old)?;
    with_truths(app, &asking, report, |truths| Ok(truths.heat(&sheets(app, side, map)?, question, sheet)))
}

/// Asks something of a run's places, traced now.
pub(super) fn with_truths<T>(
    app: &App,
    recipe: &Recipe,
    report: &Report,
    ask: impl FnOnce(&Truths) -> Result<T>,
) -> Result<T> {
    let scene = app.scene(recipe, &|_| true)?;
    let plan = Plan::new(recipe, &scene).map_err(|fault| Fault::unusable(fault.to_string()))?;
    ask(&Truths::new(&plan, &report.sheets).map_err(Fault::unusable)?)
}

pub(super) fn report_of(side: &Side) -> Result<&Report> {
    side.run.report.as_ref().ok_or_else(|| Fault::missing("report of this run"))
}

/// The sheets of a map as numbers.
pub(super) fn sheets(app: &App, side: &Side, map: &str) -> Result<Vec<Image>> {
    let one = |sheet: usize| {
        let mut image = image(app, side, map, sheet)?;
        image.coding = Coding::Linear;
        Ok(image)
    };
    (0..side.sheets()).map(one).collect()
}
