//! Maps looked at closely: how their values are spread, parts of their range, mip levels and what they mix, squares of large ones.

use super::compare::{Side, covered, side};
use super::runs::whole_map;
use crate::App;
use crate::api::MipView;
use crate::fault::{Fault, Result, aside};
use crate::keep::{MOST_UNPACKED, copy_level, map_key, squares_name, with_squares};
use crate::routes::sent::Given;
use crate::routes::shared::Shared;
use ember_ridge_core::bake::{Mixing, mixing};
use ember_ridge_core::maps::Reads;
use ember_ridge_core::picture::Image;
use ember_ridge_core::review::{Distribution, Looked, MapFile, distribution, looked};
use ember_ridge_formats::image::{SQUARE, level_sizes, write_picture, write_png};
use ember_ridge_store::RunFile;
use rocket::http::ContentType;
use rocket::serde::json::Json;
use rocket::{State, get};
use std::sync::Arc;

described_routes!(show_distribution, show_map_look, list_mips, show_mixing, show_square);

/// Mips smaller than this are not told of: they stand for next to nothing of the sheet.
const LEAST_SIDE: u32 = 4;

/// How the values of a map are spread over the covered texels of a sheet. Of a large map a copy of at most 2048 texels per side is counted.
#[utoipa::path(
    tag = "runs",
    params(("sheet" = Option<usize>, Query)),
    responses((status = 200, description = "By channel, in the map's unit", body = ref("Distribution"))),
)]
#[get("/runs/<id>/distribution/<map>?<sheet>")]
async fn show_distribution(
    app: &State<Arc<App>>,
    id: i64,
    map: &str,
    sheet: Given<usize>,
) -> Result<Json<Distribution>> {
    let (side, sheet) = (side(app, id).await?, sheet.optional()?.unwrap_or(0));
    let (app, map) = (app.inner().clone(), map.to_owned());
    aside(move || {
        let image = shown(&app, &side, &map, sheet, 0)?;
        let all = covered(&app, &side.run)?;
        let of = all.get(sheet).ok_or_else(|| Fault::missing("such sheet in this run"))?;
        let size = side.run.recipe.sheet.size as usize;
        // A texel of a smaller copy counts by the one in its middle.
        let (wide, times) = (image.width as usize, size.div_ceil(image.width as usize));
        let middle = |at: usize| (at * times + times / 2).min(size - 1);
        let counts = |at: usize| of.get(middle(at / wide) * size + middle(at % wide));
        Ok(Json(distribution(map_file(&side, &map, &image)?, &counts)))
    })
    .await
}

/// A map as it is looked at: a part of its range from black to white, brighter, a mip level of it.
#[utoipa::path(
    tag = "runs",
    params(
        ("sheet" = Option<usize>, Query),
        ("level" = Option<u32>, Query, description = "Times that it is halved; of a large map so often that 4096 texels per side are left"),
        ("from" = Option<f32>, Query, description = "What is black, in the map's unit; with `to`"),
        ("to" = Option<f32>, Query, description = "What is white"),
        ("stops" = Option<f32>, Query, description = "Colours brighter by so many doublings of their light"),
    ),
    responses((status = 200, description = "A PNG", body = Vec<u8>, content_type = "image/png")),
)]
#[get("/runs/<id>/look/<map>?<sheet>&<level>&<from>&<to>&<stops>")]
#[expect(clippy::too_many_arguments, reason = "one for each part of the address")]
async fn show_map_look(
    app: &State<Arc<App>>,
    id: i64,
    map: &str,
    sheet: Given<usize>,
    level: Given<u32>,
    from: Given<f32>,
    to: Given<f32>,
    stops: Given<f32>,
) -> Result<(ContentType, Vec<u8>)> {
    let look = look_of(from, to, stops)?;
    let (sheet, level) = (sheet.optional()?.unwrap_or(0), level.optional()?.unwrap_or(0));
    let side = side(app, id).await?;
    let (app, map) = (app.inner().clone(), map.to_owned());
    aside(move || picture(map_file(&side, &map, &*shown(&app, &side, &map, sheet, level)?)?, look)).await
}

/// The mip levels of a run's sheet, the largest first, and what they mix.
#[utoipa::path(
    tag = "runs",
    params(("sheet" = Option<usize>, Query)),
    responses((status = 200, description = "By level", body = ref("MipView[]"))),
)]
#[get("/runs/<id>/mips?<sheet>")]
async fn list_mips(app: &State<Arc<App>>, id: i64, sheet: Given<usize>) -> Result<Json<Vec<MipView>>> {
    let (side, sheet) = (side(app, id).await?, sheet.optional()?.unwrap_or(0));
    let app = app.inner().clone();
    aside(move || {
        let size = side.run.recipe.sheet.size;
        let view = |(level, all): (u32, &Vec<Mixing>)| {
            let count = |of: Mixing| all.iter().filter(|one| **one == of).count() as u64;
            MipView {
                level,
                side: size >> level,
                texels: all.len() as u64 - count(Mixing::Empty),
                background: count(Mixing::Background),
                islands: count(Mixing::Island),
            }
        };
        Ok(Json((1..).zip(levels(&app, &side, sheet)?.iter()).map(view).collect()))
    })
    .await
}

/// What the texels of a mip level mix: black nothing, grey background, white another island.
#[utoipa::path(
    tag = "runs",
    params(("sheet" = Option<usize>, Query), ("level" = u32, Query, description = "Times that the sheet is halved")),
    responses((status = 200, description = "A PNG", body = Vec<u8>, content_type = "image/png")),
)]
#[get("/runs/<id>/mixing?<sheet>&<level>")]
async fn show_mixing(
    app: &State<Arc<App>>,
    id: i64,
    sheet: Given<usize>,
    level: Given<u32>,
) -> Result<(ContentType, Vec<u8>)> {
    let (sheet, level) = (sheet.optional()?.unwrap_or(0), level.required("level")?);
    let side = side(app, id).await?;
    let app = app.inner().clone();
    aside(move || {
        let all = levels(&app, &side, sheet)?;
        let of = (level as usize).checked_sub(1).and_then(|at| all.get(at));
        let of = of.ok_or_else(|| Fault::missing("such mip level of this run"))?;
        let shade = |mixes: &Mixing| match mixes {
            Mixing::Empty | Mixing::Nothing => 0,
            Mixing::Background => 128,
            Mixing::Island => 255,
        };
        let mut png = Vec::new();
        write_png(&mut png, side.run.recipe.sheet.size >> level, 1, &of.iter().map(shade).collect::<Vec<u8>>())?;
        Ok((ContentType::PNG, png))
    })
    .await
}

/// A square of a large map, of 256 texels per side.
#[utoipa::path(
    tag = "runs",
    params(
        ("sheet" = Option<usize>, Query),
        ("from" = Option<f32>, Query, description = "What is black, in the map's unit; with `to`"),
        ("to" = Option<f32>, Query, description = "What is white"),
        ("stops" = Option<f32>, Query, description = "Colours brighter by so many doublings of their light"),
    ),
    responses((status = 200, description = "A PNG", body = Vec<u8>, content_type = "image/png")),
)]
#[get("/runs/<id>/squares/<map>/<level>/<column>/<row>?<sheet>&<from>&<to>&<stops>")]
#[expect(clippy::too_many_arguments, reason = "one for each part of the address")]
async fn show_square(
    app: &State<Arc<App>>,
    id: i64,
    map: &str,
    level: usize,
    column: u32,
    row: u32,
    sheet: Given<usize>,
    from: Given<f32>,
    to: Given<f32>,
    stops: Given<f32>,
) -> Result<Shared> {
    let look = look_of(from, to, stops)?;
    let sheet = sheet.optional()?.unwrap_or(0);
    let side = side(app, id).await?;
    let (app, map) = (app.inner().clone(), map.to_owned());
    let made = aside(move || {
        let key = format!("square/{id}/{map}/{sheet}/{level}/{column}/{row}/{look:?}");
        app.memory.once(&key, || {
            let file = squares_of(&side, &map, sheet).ok_or_else(|| Fault::missing("such squares"))?;
            let image = with_squares(&app, file, |squares| {
                let across = squares.sizes().get(level).map_or(0, |side| side.div_ceil(SQUARE));
                let there = column < across && row < across;
                there.then(|| squares.square(level, column, row)).transpose()
            })?;
            let image = image.ok_or_else(|| Fault::missing("such square"))?;
            let (channels, rows) = looked(map_file(&side, &map, &image)?, look);
            let mut png = Vec::new();
            write_picture(&mut png, (image.width, image.height), channels, &rows)?;
            Ok(png)
        })
    })
    .await?;
    Ok(Shared::new(ContentType::PNG, made).lasting())
}

/// What is asked of a picture.
fn look_of(from: Given<f32>, to: Given<f32>, stops: Given<f32>) -> Result<Looked> {
    let range = match (from.optional()?, to.optional()?) {
        (None, None) => None,
        (Some(from), Some(to)) if from.is_finite() && to.is_finite() && from != to => Some([from, to]),
        _ => return Err(Fault::unusable("from and to are two different numbers: what is black, and what is white")),
    };
    let stops = stops.optional()?.unwrap_or(0.0);
    if !(-16.0..=16.0).contains(&stops) {
        return Err(Fault::unusable(format!("stops is {stops}; a picture is made brighter by -16 to 16 stops")));
    }
    Ok(Looked { range, stops })
}

fn picture(file: MapFile, look: Looked) -> Result<(ContentType, Vec<u8>)> {
    let (channels, rows) = looked(file, look);
    let mut png = Vec::new();
    write_picture(&mut png, (file.image.width, file.image.height), channels, &rows)?;
    Ok((ContentType::PNG, png))
}

fn map_file<'i>(side: &Side, map: &str, image: &'i Image) -> Result<MapFile<'i>> {
    let report = side.run.report.as_ref().and_then(|report| report.maps.get(map));
    let report = report.ok_or_else(|| Fault::missing("such map in this run"))?;
    // An earlier version did not say how its maps are read: they are shown as they stand.
    Ok(MapFile { image, reads: report.reads.unwrap_or(Reads::SHARE), scale: report.scale })
}

/// The squares of a large map; none where it is not.
fn squares_of<'s>(side: &'s Side, map: &str, sheet: usize) -> Option<&'s RunFile> {
    let name = squares_name(&map_key(map, sheet));
    side.files.iter().find(|file| file.map == name)
}

/// A map halved so many times; a large one that is not halved at all is the copy that stands for it.
fn shown(app: &App, side: &Side, map: &str, sheet: usize, level: u32) -> Result<Arc<Image>> {
    let key = map_key(map, sheet);
    let file = side.files.iter().find(|file| file.map == key).ok_or_else(|| Fault::missing("such map in this run"))?;
    let size = side.run.recipe.sheet.size;
    if level > size.ilog2() {
        return Err(Fault::missing("such mip level of this run"));
    }
    let color = side.run.report.as_ref().and_then(|report| report.maps.get(map)?.reads) == Some(Reads::Color);
    app.memory.once(&format!("shown/{}/{level}", file.hash), || {
        let Some(squares) = squares_of(side, map, sheet) else {
            return Ok(whole_map(app, file)?.mip(level, color));
        };
        if level > 0 && size >> level > MOST_UNPACKED {
            let most = format!("mip levels of at most {MOST_UNPACKED} texels per side are shown as one picture");
            return Err(Fault::unusable(most));
        }
        // What is not halved at all is the copy that stands for it; others are made from it, or from what is larger.
        let copy = copy_level(&level_sizes(size));
        let kept = if level == 0 { copy } else { copy.min(level as usize) };
        Ok(with_squares(app, squares, |squares| squares.level(kept))?.mip(level.saturating_sub(kept as u32), color))
    })
}

/// What every mip level of a sheet mixes, from the first on.
fn levels(app: &App, side: &Side, sheet: usize) -> Result<Arc<Vec<Vec<Mixing>>>> {
    let settings = &side.run.recipe.sheet;
    app.memory.once(&format!("mixing/{}/{sheet}", side.run.line.id), || {
        let all = covered(app, &side.run)?;
        let of = all.get(sheet).ok_or_else(|| Fault::missing("such sheet in this run"))?;
        let last = (settings.size / LEAST_SIDE).max(1).ilog2();
        Ok(if last == 0 { Vec::new() } else { mixing(of, settings.size, settings.padding, 1..=last) })
    })
}
