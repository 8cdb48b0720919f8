//! Baked against live: what the files of a run hold beside what the recipe on screen makes now, at the size and samples of the run.

use crate::App;
use crate::api::{AgainstLive, LiveDifference, Swatch};
use crate::fault::{Fault, Result, aside};
use crate::keep::{map_key, write_view};
use crate::routes::finishes::MATERIAL;
use crate::routes::reach::look_at;
use crate::routes::sent::{Given, Sent};
use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use ember_ridge_core::Recipe;
use ember_ridge_core::bake::{Outcome, Plan};
use ember_ridge_core::picture::{Coding, linear_to_srgb};
use ember_ridge_core::review::Difference;
use ember_ridge_formats::image::read_image;
use ember_ridge_store::RunFile;
use rocket::serde::json::Json;
use rocket::{State, post};
use std::io::Cursor;
use std::sync::Arc;

described_routes!(show_against_live);

/// The maps of a material as a draft makes them now, at the size and samples of a run, and how far the run's files are from them: of 255,
/// over the texels that hold anything.
#[utoipa::path(
    tag = "finishes",
    params(("sheet" = Option<usize>, Query)),
    request_body(content = ref("Recipe"), content_type = "application/json"),
    responses((status = 200, description = "The live maps and the differences", body = ref("AgainstLive"))),
)]
#[post("/runs/<id>/against-live?<sheet>", data = "<draft>")]
async fn show_against_live(
    app: &State<Arc<App>>,
    id: i64,
    sheet: Given<usize>,
    draft: Sent<Recipe>,
) -> Result<Json<AgainstLive>> {
    let sheet = sheet.optional()?.unwrap_or(0);
    let run = app.store.run(id).await?;
    let files = app.store.run_files(id).await?;
    let app = app.inner().clone();
    aside(move || {
        let mut recipe = draft.0;
        recipe.sheet = run.recipe.sheet;
        recipe.finish_rays = run.recipe.finish_rays;
        recipe.maps = run.recipe.maps.iter().filter(|map| MATERIAL.contains(&map.key().as_str())).cloned().collect();
        if recipe.maps.is_empty() {
            return Err(Fault::unusable("The run has none of the maps of a material"));
        }
        recipe.validate().map_err(Fault::unusable)?;
        let scene = app.scene(&recipe, &|_| true)?;
        // Nothing is taken over from earlier work: what is compared has to be made anew.
        let outcome = look_at(&Plan::new(&recipe, &scene).map_err(|fault| Fault::unusable(fault.to_string()))?)?;
        let sheet = sheet.min(outcome.sheets.len().saturating_sub(1));
        let mut answer = AgainstLive { size: outcome.size, pictures: Vec::new(), differences: Vec::new() };
        for (number, map) in outcome.maps.iter().enumerate().filter(|(_, map)| map.error.is_none()) {
            let key = map.facts.key().to_owned();
            let mut png = Cursor::new(Vec::new());
            write_view(&mut png, &outcome, sheet, number).map_err(std::io::Error::from)?;
            let picture = Some(format!("data:image/png;base64,{}", STANDARD.encode(png.into_inner())));
            answer.pictures.push(Swatch { map: key.clone(), picture, error: None });
            if let Some(file) = files.iter().find(|file| file.map == map_key(&key, sheet)) {
                let Difference { mean, p99, max } = apart(&app, &outcome, sheet, number, file)?;
                answer.differences.push(LiveDifference { map: key, mean, p99, max });
            }
        }
        Ok(Json(answer))
    })
    .await
}

/// How far a file is from what was made now, of 255.
fn apart(app: &App, outcome: &Outcome, sheet: usize, number: usize, file: &RunFile) -> Result<Difference> {
    let image = read_image(&file.file, &app.store.blobs.read(&file.hash)?)?;
    if image.width != outcome.size || image.height != outcome.size {
        return Err(Fault::unusable(format!("{}: it is not as large as its run says", file.file)));
    }
    let pixels = outcome.pixels(sheet, number).map_err(Fault::unusable)?;
    let covered = outcome.covered(sheet);
    let facts = &outcome.maps[number].facts;
    let channels = facts.shape.channels;
    // Files of floats hold the light of colours; they are held against each other as the eye sees them.
    let light = facts.kind().color && image.coding == Coding::Linear;
    let encoded = |value: f32| if light { linear_to_srgb(value.max(0.0)) } else { value };
    let texels = (0..outcome.size * outcome.size).filter(|at| covered.get(*at as usize));
    let off = texels.flat_map(|at| {
        let baked = image.texel(at % outcome.size, at / outcome.size).map(encoded);
        let live = |c: usize| pixels.get(at as usize * channels + c);
        (0..channels.min(4)).map(|c| 255.0 * (baked[c] - live(c)).abs()).collect::<Vec<_>>()
    });
    Ok(Difference::of(off))
}
