//! UVs of the low-poly, edited by steps that are recorded with its file.

use crate::App;
use crate::api::{UvOrder, UvState};
use crate::fault::{Fault, Result, aside};
use crate::routes::assets::{self, Tagged};
use crate::routes::sent::Sent;
use ember_ridge_core::Mesh;
use ember_ridge_core::recipe::MeshSource;
use ember_ridge_core::step::{
    DensityStep, MeshStep, MoveUvsStep, NamedPoints, PackStep, PinStep, RelaxStep, SeamsStep, StackStep, StitchStep,
    StraightenStep, UnwrapStep,
};
use ember_ridge_core::uvs::{MarkedCorners, UvSummary, edge_path, name_corners, name_edges, name_faces};
use rocket::serde::json::Json;
use rocket::{State, get, post};
use std::sync::Arc;

described_routes!(show_uv_state, edit_uvs);

/// How well the low-poly lies on the sheet, before and after its steps, and what is marked on it.
#[utoipa::path(tag = "meshes", responses((status = 200, description = "The UVs in figures, and marks", body = ref("UvState"))))]
#[get("/assets/<id>/uv-state")]
async fn show_uv_state(app: &State<Arc<App>>, id: i64) -> Result<Json<UvState>> {
    let (app, sources) = (app.inner().clone(), app.store.asset(id).await?.recipe.low);
    let text = aside(move || {
        app.memory.once(&format!("uv-state/{}", serde_json::to_string(&sources)?), || {
            let [source] = &sources[..] else { return Ok(serde_json::to_vec(&UvState::default())?) };
            let mesh = app.joined(&sources)?;
            let plain = app.joined(&[MeshSource { steps: Vec::new(), ..source.clone() }])?;
            let MarkedCorners { seams, cleared, pins } = MarkedCorners::new(&mesh);
            let state = UvState {
                summary: UvSummary::new(&mesh),
                before: UvSummary::new(&plain).filter(|_| !source.steps.is_empty()),
                seams,
                cleared,
                pins,
            };
            Ok(serde_json::to_vec(&state)?)
        })
    });
    Ok(Json(serde_json::from_slice(&text.await?)?))
}

/// Edits the UVs of the low-poly: one more step of its file, which undo takes back.
#[utoipa::path(
    tag = "meshes",
    request_body(content = ref("UvOrder"), content_type = "application/json"),
    responses((status = 200, description = "The asset with the step", body = ref("AssetView"))),
)]
#[post("/assets/<id>/uv-steps", data = "<order>")]
async fn edit_uvs(app: &State<Arc<App>>, id: i64, order: Sent<UvOrder>) -> Result<Tagged> {
    let (there, order) = (app.inner().clone(), order.0);
    assets::edit_with(app, id, async move |recipe| {
        let size = recipe.sheet.size;
        let [source] = &mut recipe.low[..] else {
            return Err(Fault::unusable(match recipe.low.len() {
                0 => "No low-poly yet whose UVs could be edited. Import one, or make one of the sculpt",
                _ => "UVs are edited of a low-poly of one file; this one has several. Join them in one file",
            }));
        };
        if source.plane.is_some() {
            return Err(Fault::unusable("A plane made here fills the sheet; its UVs are not edited"));
        }
        let sources = [source.clone()];
        let step = aside(move || step_of(&*there.joined(&sources)?, order, size)).await?;
        source.steps.push(step);
        Ok(())
    })
    .await?;
    assets::view(app, id).await
}

/// The step that an order stands for, its places named.
fn step_of(mesh: &Mesh, order: UvOrder, size: u32) -> Result<MeshStep> {
    let count = mesh.triangles.len();
    let within = |numbers: &[u32], each: usize, what: &str| match numbers.iter().find(|n| **n as usize >= each * count)
    {
        Some(n) => Err(Fault::unusable(format!(
            "{what} {n} is not one of the low-poly, which has {count} triangles. Read the mesh again: it may be another one by now"
        ))),
        None => Ok(()),
    };
    let islands = |triangles: &[u32]| -> Result<NamedPoints> {
        within(triangles, 1, "Triangle")?;
        Ok(name_faces(mesh, triangles))
    };
    let chosen = |triangles: Vec<u32>| -> Result<Option<NamedPoints>> {
        (!triangles.is_empty()).then(|| islands(&triangles)).transpose()
    };
    let edges = |sides: &[u32]| -> Result<NamedPoints> {
        within(sides, 3, "Side")?;
        if sides.is_empty() {
            return Err(Fault::unusable("No edge is named. Name at least one side"));
        }
        Ok(name_edges(mesh, sides))
    };
    let way = |from: u32, to: u32, sharpest: bool| -> Result<NamedPoints> {
        within(&[from, to], 3, "Corner")?;
        match edge_path(mesh, from, to, sharpest) {
            sides if sides.is_empty() => Err(Fault::unusable("No edges lead from one of these points to the other")),
            sides => Ok(name_edges(mesh, &sides)),
        }
    };
    Ok(match order {
        UvOrder::Seams { sides, clear } => MeshStep::Seams(SeamsStep { edges: edges(&sides)?, sharper: None, clear }),
        UvOrder::SeamPath { from, to, sharpest, clear } => {
            MeshStep::Seams(SeamsStep { edges: way(from, to, sharpest)?, sharper: None, clear })
        }
        UvOrder::SharpSeams { degrees } => {
            MeshStep::Seams(SeamsStep { edges: NamedPoints::default(), sharper: Some(degrees), clear: false })
        }
        UvOrder::Unwrap { triangles, angle } => MeshStep::Unwrap(UnwrapStep { islands: chosen(triangles)?, angle }),
        UvOrder::Relax { triangles } => MeshStep::Relax(RelaxStep { islands: chosen(triangles)? }),
        UvOrder::Pin { corners, release } => {
            within(&corners, 3, "Corner")?;
            MeshStep::Pin(PinStep { points: name_corners(mesh, &corners), release })
        }
        UvOrder::Move { triangles, scale, turn, by, within } => {
            MeshStep::MoveUvs(MoveUvsStep { islands: islands(&triangles)?, scale, turn, by, within })
        }
        UvOrder::Density { triangles, texels } => {
            MeshStep::Density(DensityStep { islands: chosen(triangles)?, texels, size })
        }
        UvOrder::Straighten { from, to } => MeshStep::Straighten(StraightenStep { edges: way(from, to, false)? }),
        UvOrder::Stitch { side } => MeshStep::Stitch(StitchStep { edge: edges(&[side])? }),
        UvOrder::Pack { margin, upright, keep_density } => {
            MeshStep::Pack(PackStep { margin, size, upright, keep_density })
        }
        UvOrder::Stack { axis } => MeshStep::Stack(StackStep { axis }),
    })
}
