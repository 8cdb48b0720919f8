//! Low-polys made here, of an asset's sculpt.

use crate::App;
use crate::api::{LevelsView, LowOff, LowPolyOrder, LowPolyTo, MeshSummary, Role};
use crate::fault::{Fault, Result, aside};
use crate::intake::place;
use crate::locked;
use crate::routes::assets::{self, Tagged};
use crate::routes::meshes::{keys_of, or_nothing_stays, without_lost_parts};
use crate::routes::sent::Sent;
use crate::scenes::summary_name;
use ember_ridge_core::Mesh;
use ember_ridge_core::levels::{Broken, Off, ReduceSettings, ReduceTo, coarser_levels, reduce};
use ember_ridge_core::recipe::MeshSource;
use ember_ridge_core::step::{MeshStep, SHARP_OF_MADE};
use ember_ridge_core::surface::Difference;
use ember_ridge_formats::mesh::write_glb;
use rocket::serde::json::Json;
use rocket::{State, get, post};
use std::io::Write;
use std::sync::Arc;

described_routes!(list_levels, show_low_off, make_low_poly);

/// The coarser levels of the sculpt, where it was refined face by face.
#[utoipa::path(tag = "meshes", responses((status = 200, description = "Faces of each level, or why there is none", body = ref("LevelsView"))))]
#[get("/assets/<id>/levels")]
async fn list_levels(app: &State<Arc<App>>, id: i64) -> Result<Json<LevelsView>> {
    let (app, sources) = (app.inner().clone(), app.store.asset(id).await?.recipe.high);
    let text = aside(move || {
        // Asked whenever the form opens; on a large sculpt it takes seconds.
        app.memory.once(&format!("levels/{}", keys_of(&sources)), || {
            let view = match coarser_levels(&*app.joined(&sources)?) {
                Ok(levels) => LevelsView { faces: levels.faces(), none: None },
                Err(Broken { at, part, why }) => {
                    let none = format!("{why} (part '{part}', at {:.3}, {:.3}, {:.3})", at.x, at.y, at.z);
                    LevelsView { faces: Vec::new(), none: Some(none) }
                }
            };
            Ok(serde_json::to_vec(&view)?)
        })
    });
    Ok(Json(serde_json::from_slice(&text.await?)?))
}

/// How far the sculpt lies from the low-poly, over all and by triangle.
#[utoipa::path(tag = "meshes", responses((status = 200, description = "Distances in scene units", body = ref("LowOff"))))]
#[get("/assets/<id>/low-off")]
async fn show_low_off(app: &State<Arc<App>>, id: i64) -> Result<Json<LowOff>> {
    let (app, recipe) = (app.inner().clone(), app.store.asset(id).await?.recipe);
    for (side, what) in [(&recipe.low, "low-poly"), (&recipe.high, "sculpt")] {
        if side.is_empty() {
            return Err(Fault::unusable(format!("No {what} yet. Import one at the Meshes stop")));
        }
    }
    // Steps on UVs move no point.
    let plain: Vec<MeshSource> = recipe.low.iter().map(MeshSource::without_uv_steps).collect();
    let text = aside(move || {
        app.memory.once(&format!("off/{}|{}", keys_of(&plain), keys_of(&recipe.high)), || {
            let Off { difference, faces } = Off::of(&*app.joined(&recipe.high)?, &*app.joined(&plain)?);
            let Difference { mean, p99, max } = difference;
            Ok(serde_json::to_vec(&LowOff { mean, p99, max, triangles: faces })?)
        })
    });
    Ok(Json(serde_json::from_slice(&text.await?)?))
}

/// Makes a low-poly of the sculpt, with UVs laid out, in place of the one that is there.
#[utoipa::path(
    tag = "meshes",
    request_body(content = ref("LowPolyOrder"), content_type = "application/json"),
    responses((status = 200, description = "The asset with the low-poly", body = ref("AssetView"))),
)]
#[post("/assets/<id>/low-poly", data = "<order>")]
async fn make_low_poly(app: &State<Arc<App>>, id: i64, order: Sent<LowPolyOrder>) -> Result<Tagged> {
    let (order, recipe) = (order.0, app.store.asset(id).await?.recipe);
    let Some(first) = recipe.high.first() else {
        return Err(Fault::unusable("No sculpt yet to make a low-poly of. Import one at the Meshes stop"));
    };
    let name = format!("{}.glb", recipe.endings.low_name(first.stem()));
    let (there, sources, endings) = (app.inner().clone(), recipe.high.clone(), recipe.endings.clone());
    let (mesh, told, writer) = aside(move || {
        // As when one is read: it takes several times its size, and all cores.
        let _turn = locked(&there.reading);
        let (mut mesh, off, short) = made(&*there.joined(&sources)?, order)?;
        for part in &mut mesh.parts {
            part.name = endings.low_name(&part.name);
        }
        let mut writer = there.store.blobs.writer()?;
        let mut bytes = Vec::new();
        write_glb(&mut bytes, &mesh)?;
        writer.write_all(&bytes)?;
        let mut told = format!(
            "{} triangles, off from the sculpt by {:.4} units on average, 99 % within {:.4}, {:.4} at worst",
            mesh.triangles.len(),
            off.mean,
            off.p99,
            off.max
        );
        if short {
            told += ". Sharp edges and borders of parts need more triangles than were asked for";
        }
        Ok((mesh, told, writer))
    })
    .await?;
    let naming = app.store.naming().await;
    let (hash, bytes) = aside(move || Ok(writer.keep()?)).await?;
    let source = MeshSource { hash: Some(hash.clone()), ..MeshSource::file(&name) };
    let summary = MeshSummary::of(&mesh, bytes, Role::Low);
    app.store.put_mesh(&hash, &summary_name(&source, Role::Low), &summary).await?;
    let mut told = vec![format!("{name}: {told}")];
    let (there, lost) = (app.inner().clone(), &mut told);
    let edited = assets::edit_with(app, id, async move |recipe| {
        recipe.low.clear();
        recipe.cage = None;
        let steps = MeshStep::fresh_uvs(SHARP_OF_MADE, recipe.sheet.size as f32 / 128.0, recipe.sheet.size);
        place(recipe, Role::Low, MeshSource { steps, ..source }, None);
        lost.extend(without_lost_parts(&there, recipe).await?);
        Ok(())
    })
    .await;
    drop(naming);
    or_nothing_stays(app, edited).await?;
    Ok(assets::view(app, id).await?.map(|view| view.told = told))
}

/// The low-poly, how far it is off, and whether it has more triangles than were asked for.
fn made(sculpt: &Mesh, order: LowPolyOrder) -> Result<(Mesh, Difference, bool)> {
    let LowPolyOrder { to, sharp, symmetric } = order;
    let to = match to {
        LowPolyTo::Triangles(count) => ReduceTo::Triangles(count),
        LowPolyTo::Error(error) => ReduceTo::Error(error),
        LowPolyTo::Level(below) => {
            let levels = coarser_levels(sculpt).map_err(|broken| Fault::unusable(broken.to_string()))?;
            let level = levels.level(below).map_err(Fault::unusable)?;
            return Ok((level.mesh, level.off, false));
        }
    };
    let settings = ReduceSettings { to, sharp, symmetric, ..ReduceSettings::default() };
    let made = reduce(sculpt, &settings).map_err(|fault| Fault::unusable(fault.to_string()))?;
    Ok((made.mesh, made.off, made.short))
}
