//! What the meshes of an asset have to be told of, and what can be done about it: a fix, or accepting it.

use crate::App;
use crate::api::{Acceptance, FixLine, MeshFindings, Role};
use crate::fault::{Fault, Result, aside};
use crate::routes::assets::{Tagged, edit_with, view};
use crate::routes::sent::Sent;
use crate::views;
use ember_ridge_core::inspect::{UvReport, uv_report};
use ember_ridge_core::recipe::{FixOrder, safe_fixes};
use ember_ridge_core::{Exception, Finding, Recipe, mark_allowed, worst_first};
use rocket::serde::json::Json;
use rocket::{State, get, post, put};
use std::sync::Arc;

described_routes!(show_findings, show_uvs, take_fixes, accept);

/// Findings on the meshes, their placing and their layout, worst first, and the fixes they offer.
#[utoipa::path(tag = "meshes", responses((status = 200, description = "Findings and fixes", body = ref("MeshFindings"))))]
#[get("/assets/<id>/findings")]
async fn show_findings(app: &State<Arc<App>>, id: i64) -> Result<Json<MeshFindings>> {
    let recipe = app.store.asset(id).await?.recipe;
    let meshes = views::meshes(app, &recipe).await?;
    let mut findings: Vec<Finding> = views::placing(&recipe, &meshes).into_iter().collect();
    for mesh in meshes.iter().filter(|m| m.role != Role::Cage) {
        findings.extend(mesh.summary.findings.iter().cloned().map(|mut finding| {
            finding.place.file.get_or_insert_with(|| mesh.file.clone());
            finding
        }));
    }
    findings.extend(layout(app, recipe).await?.into_iter().flat_map(|report| report.findings));
    worst_first(&mut findings);
    let fixes = safe_fixes(&findings).into_iter().map(|order| FixLine { words: order.step.words(), order }).collect();
    Ok(Json(MeshFindings { findings, fixes }))
}

/// The layout of the low-poly in figures, for the sheet as it is set; null without UVs.
#[utoipa::path(
    tag = "meshes",
    responses(
        (status = 200, description = "The layout in figures; null where the low-poly has no UVs", body = ref("UvReport?")),
    ),
)]
#[get("/assets/<id>/uvs")]
async fn show_uvs(app: &State<Arc<App>>, id: i64) -> Result<Json<Option<UvReport>>> {
    let recipe = app.store.asset(id).await?.recipe;
    if recipe.low.is_empty() {
        return Err(Fault::missing("low-poly yet"));
    }
    Ok(Json(layout(app, recipe).await?))
}

/// The report on a recipe's layout, with its findings marked as the recipe accepts them. Measured once for the same meshes and sheet.
async fn layout(app: &State<Arc<App>>, recipe: Recipe) -> Result<Option<UvReport>> {
    if recipe.low.is_empty() {
        return Ok(None);
    }
    let app = app.inner().clone();
    aside(move || {
        let key = format!("uvs/{}", serde_json::to_string(&(&recipe.low, &recipe.sheet))?);
        let bytes = app.memory.once(&key, || {
            let mesh = app.joined(&recipe.low)?;
            Ok(serde_json::to_vec(&uv_report(&mesh, &recipe.sheet))?)
        })?;
        let mut report: Option<UvReport> = serde_json::from_slice(&bytes)?;
        if let Some(report) = &mut report {
            mark_allowed(&mut report.findings, &recipe.exceptions);
            for finding in &mut report.findings {
                finding.place.file = recipe.low.first().map(|s| s.file.clone());
            }
        }
        Ok(report)
    })
    .await
}

/// Records fixes with the files they are for, as one edit.
#[utoipa::path(
    tag = "meshes",
    request_body(content = ref("FixOrder[]"), content_type = "application/json"),
    responses((status = 200, description = "The asset with the fixes", body = ref("AssetView"))),
)]
#[post("/assets/<id>/fixes", data = "<orders>")]
async fn take_fixes(app: &State<Arc<App>>, id: i64, orders: Sent<Vec<FixOrder>>) -> Result<Tagged> {
    edit_with(app, id, async move |recipe| {
        orders.0.iter().try_for_each(|order| recipe.take_fix(order)).map_err(Fault::unusable)
    })
    .await?;
    view(app, id).await
}

/// Accepts a finding with a note why, or takes that back.
#[utoipa::path(
    tag = "meshes",
    request_body(content = ref("Acceptance"), content_type = "application/json"),
    responses((status = 200, description = "The asset with the finding accepted, or no longer", body = ref("AssetView"))),
)]
#[put("/assets/<id>/acceptance", data = "<acceptance>")]
async fn accept(app: &State<Arc<App>>, id: i64, acceptance: Sent<Acceptance>) -> Result<Tagged> {
    let Acceptance { kind, part, note } = acceptance.0;
    edit_with(app, id, async move |recipe| {
        recipe.exceptions.retain(|e| e.kind != kind || e.part != part);
        recipe.exceptions.extend(note.map(|note| Exception { kind, part, note }));
        Ok(())
    })
    .await?;
    view(app, id).await
}
