//! Assets: list, make, show, edit, undo, redo.

use crate::App;
use crate::api::{AssetLine, AssetView, Event, Freed, NewAsset, Revision, Role};
use crate::fault::{Fault, Result, aside};
use crate::jobs::forget;
use crate::routes::sent::{Refused, Sent};
use crate::views;
use ember_ridge_core::recipe::{Change, MOST_NAME, PatchFault, all_in_conflict, difference, merge};
use ember_ridge_core::{Recipe, changes};
use ember_ridge_store::Asset;
use rocket::http::{Header, Status};
use rocket::request::{FromRequest, Outcome};
use rocket::response::status::Created;
use rocket::serde::json::Json;
use rocket::{Request, Responder, State, delete, get, patch, post, put};
use std::sync::Arc;

described_routes!(
    list_assets,
    add_asset,
    show_asset,
    change_recipe,
    replace_recipe,
    undo,
    redo,
    asset_frees,
    delete_asset
);

/// All assets, oldest first.
#[utoipa::path(tag = "assets", responses((status = 200, description = "The assets", body = ref("AssetLine[]"))))]
#[get("/assets")]
async fn list_assets(app: &State<Arc<App>>) -> Result<Json<Vec<AssetLine>>> {
    let assets = app.store.assets().await?;
    Ok(Json(assets.into_iter().map(|(id, name)| AssetLine { id, name }).collect()))
}

/// Adds an asset without meshes.
#[utoipa::path(
    tag = "assets",
    request_body(content = ref("NewAsset"), content_type = "application/json"),
    responses((status = 201, description = "The new asset; Location names it", body = ref("AssetView"))),
)]
#[post("/assets", data = "<new>")]
async fn add_asset(app: &State<Arc<App>>, new: Sent<NewAsset>) -> Result<Created<Tagged>> {
    let name = new.0.name.trim();
    if name.is_empty() || name.chars().count() > MOST_NAME || name.chars().any(char::is_control) {
        return Err(Fault::unusable("An asset's name has 1 to 80 characters"));
    }
    let mut recipe = Recipe::new(name);
    // Names are given by habit: the suffixes of the asset made last hold for the next one.
    if let Some((last, _)) = app.store.assets().await?.into_iter().max_by_key(|(id, _)| *id) {
        // One that cannot be read keeps nobody from making another.
        if let Ok(last) = app.store.asset(last).await {
            recipe.endings = last.recipe.endings;
        }
    }
    let id = app.store.add_asset(&recipe).await?;
    app.jobs.tell(Event::Asset { asset: id });
    Ok(Created::new(format!("/api/assets/{id}")).body(view(app, id).await?))
}

/// An asset with its meshes, pairs, findings and newest runs; the ETag is its revision.
#[utoipa::path(tag = "assets", responses((status = 200, description = "The asset", body = ref("AssetView"))))]
#[get("/assets/<id>")]
async fn show_asset(app: &State<Arc<App>>, id: i64) -> Result<Tagged> {
    view(app, id).await
}

/// An answer with the revision it tells of, so that a client can say what its next edit is made to.
#[derive(Responder)]
pub struct Tagged {
    body: Json<AssetView>,
    tag: Header<'static>,
}

impl Tagged {
    pub fn new(view: AssetView) -> Tagged {
        let tag = Header::new("ETag", format!("\"{}\"", view.revision));
        Tagged { body: Json(view), tag }
    }

    pub fn map(self, change: impl FnOnce(&mut AssetView)) -> Tagged {
        let mut view = self.body.into_inner();
        change(&mut view);
        Tagged::new(view)
    }
}

/// An asset as it stands, under the tag of its revision.
pub(super) async fn view(app: &Arc<App>, id: i64) -> Result<Tagged> {
    Ok(Tagged::new(views::asset(app, id).await?))
}

/// The revision that a request names in its If-Match header.
pub struct IfMatch(i64);

#[rocket::async_trait]
impl<'r> FromRequest<'r> for IfMatch {
    type Error = ();

    async fn from_request(request: &'r Request<'_>) -> Outcome<Self, ()> {
        let header = request.headers().get_one("If-Match");
        match header.and_then(|h| h.trim().trim_start_matches("W/").trim_matches('"').parse().ok()) {
            Some(revision) => Outcome::Success(IfMatch(revision)),
            None => {
                let text = "say in an If-Match header which revision the edit was made to";
                Refused::keep(request, Fault::new(Status::PreconditionRequired, text));
                Outcome::Error((Status::PreconditionRequired, ()))
            }
        }
    }
}

/// Lays changes, made to the revision that If-Match names, over the recipe as it stands.
#[utoipa::path(
    tag = "assets",
    params(("If-Match" = String, Header, description = "The revision the changes were made to, in quotes")),
    request_body(content = ref("Change[]"), content_type = "application/json"),
    responses(
        (status = 200, description = "The asset with the changes", body = ref("AssetView")),
        (status = 409, description = "Changed elsewhere to other values; both are given", body = ref("Problem")),
    ),
)]
#[patch("/assets/<id>/recipe", data = "<changes>")]
async fn change_recipe(app: &State<Arc<App>>, id: i64, made_to: IfMatch, changes: Sent<Vec<Change>>) -> Result<Tagged> {
    let Sent(changes) = changes;
    let turn = app.turn(id).await;
    let asset = app.store.asset(id).await?;
    let Some(before) = app.store.revision(id, made_to.0).await? else {
        let places = all_in_conflict(&asset.recipe, &changes);
        return Err(Fault::conflict(
            format!("revision {} is no longer known. Choose for each value", made_to.0),
            places,
        ));
    };
    lay_over(app, &asset, &before, &changes).await?;
    drop(turn);
    view(app, id).await
}

/// The same as a whole recipe: what differs from the revision it was edited from is laid over the recipe as it stands.
#[utoipa::path(
    tag = "assets",
    request_body(content = ref("Revision"), content_type = "application/json"),
    responses(
        (status = 200, description = "The asset with the changes", body = ref("AssetView")),
        (status = 409, description = "Changed elsewhere to other values; both are given", body = ref("Problem")),
    ),
)]
#[put("/assets/<id>/recipe", data = "<revision>")]
async fn replace_recipe(app: &State<Arc<App>>, id: i64, revision: Sent<Revision>) -> Result<Tagged> {
    let Sent(Revision { base, recipe }) = revision;
    recipe.validate_settings().map_err(Fault::unusable)?;
    let turn = app.turn(id).await;
    let asset = app.store.asset(id).await?;
    let Some(before) = app.store.revision(id, base).await? else {
        let text = format!("revision {base} is no longer known. Get the asset again and edit that");
        return Err(Fault::conflict(text, Vec::new()));
    };
    lay_over(app, &asset, &before, &difference(&before, &recipe)).await?;
    drop(turn);
    view(app, id).await
}

async fn lay_over(app: &Arc<App>, asset: &Asset, before: &Recipe, changes: &[Change]) -> Result<()> {
    let merged = merge(before, &asset.recipe, changes).map_err(|fault| match fault {
        PatchFault::Wrong(text) => Fault::unusable(text),
        PatchFault::Conflicts(conflicts) => {
            let places: Vec<&str> = conflicts.iter().map(|c| c.words.as_str()).collect();
            let text = format!("changed elsewhere meanwhile: {}. Keep one of the two values", places.join(", "));
            Fault::conflict(text, conflicts)
        }
    })?;
    edit(app, asset, merged).await
}

/// Changes an asset's recipe as it stands, in its turn.
pub(super) async fn edit_with(
    app: &Arc<App>,
    id: i64,
    change: impl AsyncFnOnce(&mut Recipe) -> Result<()>,
) -> Result<()> {
    let _turn = app.turn(id).await;
    let asset = app.store.asset(id).await?;
    let mut recipe = asset.recipe.clone();
    change(&mut recipe).await?;
    edit(app, &asset, recipe).await
}

/// Makes a recipe the next revision, labelled with what changed in words.
async fn edit(app: &Arc<App>, before: &Asset, recipe: Recipe) -> Result<()> {
    let id = before.id;
    let mut said = changes(&before.recipe, &recipe);
    if before.recipe.asset != recipe.asset {
        said.push(format!("name to {}", recipe.asset));
    }
    let notes = |r: &Recipe| r.exceptions.len();
    match notes(&recipe).cmp(&notes(&before.recipe)) {
        std::cmp::Ordering::Greater => said.push("a finding accepted".into()),
        std::cmp::Ordering::Less => said.push("a finding no longer accepted".into()),
        std::cmp::Ordering::Equal if recipe.exceptions != before.recipe.exceptions => said.push("notes".into()),
        std::cmp::Ordering::Equal => {}
    }
    if said.is_empty() && before.recipe == recipe {
        return Ok(());
    }
    recipe.validate_settings().map_err(Fault::unusable)?;
    files_are_here(app, &recipe)?;
    // A mesh that cannot be read as the recipe wants it (a UV set it does not have) is refused before anything is kept.
    let known: Vec<_> = before.recipe.low.iter().chain(&before.recipe.high).collect();
    for (role, side) in [(Role::Low, &recipe.low), (Role::High, &recipe.high)] {
        for source in side.iter().filter(|s| !known.contains(s)) {
            app.summary(source, role).await?;
        }
    }
    app.store.revise(id, before.head, &said.join("; "), &recipe).await?;
    app.jobs.tell(Event::Asset { asset: id });
    Ok(())
}

/// Every file a recipe names must be in the store: one that is not could never be baked.
fn files_are_here(app: &App, recipe: &Recipe) -> Result<()> {
    let sources = recipe.low.iter().chain(&recipe.high).chain(&recipe.cage).filter(|s| s.plane.is_none());
    let beside = sources.clone().flat_map(|s| &s.beside).map(|f| (&f.file, Some(&f.hash)));
    let documents = recipe.documents().map(|document| (&document.file, document.hash.as_ref()));
    let of_documents = recipe.documents().flat_map(|d| &d.beside).map(|f| (&f.file, Some(&f.hash)));
    let pictures = recipe.pictures();
    let pictures = pictures.iter().map(|p| (&p.file, p.hash.as_ref()));
    let sources = sources.map(|s| (&s.file, s.hash.as_ref())).chain(beside);
    for (file, hash) in sources.chain(documents).chain(of_documents).chain(pictures) {
        if !hash.is_some_and(|h| app.store.blobs.has(h)) {
            return Err(Fault::unusable(format!("{file}: its bytes are not here. Import the file")));
        }
    }
    Ok(())
}

/// Takes the last edit back.
#[utoipa::path(
    tag = "assets",
    responses((status = 200, description = "The asset as it was before", body = ref("AssetView"))),
)]
#[post("/assets/<id>/undo")]
async fn undo(app: &State<Arc<App>>, id: i64) -> Result<Tagged> {
    let turn = app.turn(id).await;
    app.store.undo(id).await?;
    drop(turn);
    stepped(app, id).await
}

/// Makes an edit again that was undone.
#[utoipa::path(
    tag = "assets",
    responses((status = 200, description = "The asset with the edit", body = ref("AssetView"))),
)]
#[post("/assets/<id>/redo")]
async fn redo(app: &State<Arc<App>>, id: i64) -> Result<Tagged> {
    let turn = app.turn(id).await;
    app.store.redo(id).await?;
    drop(turn);
    stepped(app, id).await
}

async fn stepped(app: &Arc<App>, id: i64) -> Result<Tagged> {
    let view = view(app, id).await?;
    app.jobs.tell(Event::Asset { asset: id });
    Ok(view)
}

/// Bytes that deleting the asset would free.
#[utoipa::path(tag = "assets", responses((status = 200, description = "Bytes", body = ref("Freed"))))]
#[get("/assets/<id>/frees")]
async fn asset_frees(app: &State<Arc<App>>, id: i64) -> Result<Json<Freed>> {
    app.store.asset_exists(id).await?;
    Ok(Json(Freed { bytes: app.store.asset_frees(id).await? }))
}

/// Deletes an asset with its runs, and the files that only it names.
#[utoipa::path(tag = "assets", responses((status = 200, description = "What was freed", body = ref("Freed"))))]
#[delete("/assets/<id>")]
async fn delete_asset(app: &State<Arc<App>>, id: i64) -> Result<Json<Freed>> {
    app.store.asset_exists(id).await?;
    let turn = app.turn(id).await;
    for run in app.store.open_runs(id).await? {
        app.jobs.stop(run.id);
    }
    let far = app.store.runs_on_clusters(id).await?;
    app.store.delete_asset(id).await?;
    drop(turn);
    let there = app.inner().clone();
    aside(move || {
        far.iter().for_each(|line| forget(&there, line));
        Ok(())
    })
    .await?;
    let bytes = app.store.collect().await?;
    app.jobs.tell(Event::Asset { asset: id });
    Ok(Json(Freed { bytes }))
}
