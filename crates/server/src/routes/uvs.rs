//! UVs of the low-poly, edited by steps that are recorded with its file.

use crate::api::{Event, UvFalloff, UvOrder, UvState};
use crate::fault::{Fault, Result, aside};
use crate::routes::assets::{self, Tagged};
use crate::routes::sent::{Given, Sent};
use crate::{App, locked};
use ember_ridge_core::Mesh;
use ember_ridge_core::recipe::MeshSource;
use ember_ridge_core::step::{
    DensityStep, MeshStep, MoveUvsStep, NamedPoints, PackStep, PinStep, RelaxStep, SeamsStep, StackStep, StitchStep,
    StraightenStep, UnwrapStep,
};
use ember_ridge_core::uvs::{
    MarkedCorners, UvSummary, edge_path, falloff, name_corners, name_edges, name_faces, relax_watched,
};
use rocket::serde::json::Json;
use rocket::{State, get, post};
use std::sync::{Arc, Mutex};
use std::time::{Duration, Instant};

described_routes!(show_uv_state, show_uv_falloff, edit_uvs);

/// How well the low-poly lies on the sheet, before and after its steps, and what is marked on it.
#[utoipa::path(tag = "meshes", responses((status = 200, description = "The UVs in figures, and marks", body = ref("UvState"))))]
#[get("/assets/<id>/uv-state")]
async fn show_uv_state(app: &State<Arc<App>>, id: i64) -> Result<Json<UvState>> {
    let (app, sources) = (app.inner().clone(), app.store.asset(id).await?.recipe.low);
    let text = aside(move || {
        app.memory.once(&format!("uv-state/{}", serde_json::to_string(&sources)?), || {
            let [source] = &sources[..] else { return Ok(serde_json::to_vec(&UvState::default())?) };
            let mesh = app.joined(&sources)?;
            let plain = app.joined(&[source.without_uv_steps()])?;
            let MarkedCorners { seams, cleared, pins } = MarkedCorners::new(&mesh);
            let state = UvState {
                summary: UvSummary::new(&mesh),
                before: UvSummary::new(&plain).filter(|_| source.steps.iter().any(MeshStep::edits_uvs)),
                seams,
                cleared,
                pins,
            };
            Ok(serde_json::to_vec(&state)?)
        })
    });
    Ok(Json(serde_json::from_slice(&text.await?)?))
}

/// What goes along when the low-poly's UVs are moved softly about a triangle.
#[utoipa::path(
    tag = "meshes",
    params(
        ("triangle" = u32, Query, description = "Where it is taken hold of"),
        ("within" = f32, Query, description = "How far the hold reaches, scene units along the surface"),
    ),
    responses((status = 200, description = "Corners, and how far each goes along", body = ref("UvFalloff"))),
)]
#[get("/assets/<id>/uv-falloff?<triangle>&<within>")]
async fn show_uv_falloff(
    app: &State<Arc<App>>,
    id: i64,
    triangle: Given<u32>,
    within: Given<f32>,
) -> Result<Json<UvFalloff>> {
    let (triangle, within) = (triangle.required("triangle")?, within.required("within")?);
    let (app, sources) = (app.inner().clone(), app.store.asset(id).await?.recipe.low);
    aside(move || {
        let mesh = app.joined(&sources)?;
        are_there(&mesh, &[triangle], 1, "Triangle")?;
        if !(within.is_finite() && within > 0.0) {
            return Err(Fault::unusable(format!("within is {within}; give a distance above 0, in scene units")));
        }
        let (corners, weights) = falloff((*mesh).clone(), triangle, within).into_iter().unzip();
        Ok(Json(UvFalloff { corners, weights }))
    })
    .await
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
        let known = source.clone();
        let step = aside(move || {
            let step = step_of(&*there.mesh(&known)?, order, size)?;
            if let MeshStep::Relax(relax) = &step {
                relaxed(&there, id, known, relax)?;
            }
            Ok(step)
        });
        source.steps.push(step.await?);
        Ok(())
    })
    .await?;
    assets::view(app, id).await
}

/// Time between two figures of energy that are told.
const BETWEEN_TOLD: Duration = Duration::from_millis(40);

/// Relaxes now what the step will be asked for, telling how the energy falls.
fn relaxed(app: &App, asset: i64, mut source: MeshSource, step: &RelaxStep) -> Result<()> {
    let mesh = (*app.mesh(&source)?).clone();
    // When one was told last, and the newest that was not.
    let told = Mutex::new((None::<Instant>, None));
    let tell = |energy: f64| app.jobs.tell(Event::Relaxing { asset, energy });
    let watch = |energy: f64| {
        let mut told = locked(&told);
        if told.0.is_none_or(|at| at.elapsed() >= BETWEEN_TOLD) {
            *told = (Some(Instant::now()), None);
            tell(energy);
        } else {
            told.1 = Some(energy);
        }
    };
    let mesh = relax_watched(mesh, step, &watch);
    if let Some(energy) = locked(&told).1 {
        tell(energy);
    }
    source.steps.push(MeshStep::Relax(step.clone()));
    app.keep_mesh(&source, Arc::new(mesh));
    Ok(())
}

/// # Errors
/// A number that is no triangle of the mesh, or no corner or side, of which each triangle has three.
fn are_there(mesh: &Mesh, numbers: &[u32], each: usize, what: &str) -> Result<()> {
    let count = mesh.triangles.len();
    match numbers.iter().find(|n| **n as usize >= each * count) {
        Some(n) => Err(Fault::unusable(format!(
            "{what} {n} is not one of the low-poly, which has {count} triangles. Read the mesh again: it may be another one by now"
        ))),
        None => Ok(()),
    }
}

/// The step that an order stands for, its places named.
fn step_of(mesh: &Mesh, order: UvOrder, size: u32) -> Result<MeshStep> {
    let within = |numbers: &[u32], each: usize, what: &str| are_there(mesh, numbers, each, what);
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
