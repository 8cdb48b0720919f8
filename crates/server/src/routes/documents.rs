//! Procedural surfaces made elsewhere: MaterialX documents with their pictures in.

use crate::App;
use crate::fault::{Fault, Result, aside};
use crate::routes::assets::{self, Tagged};
use crate::routes::meshes::or_nothing_stays;
use crate::routes::sent::Given;
use crate::upload::{Companions, Incoming, open};
use crate::{locked, upload};
use ember_ridge_core::Recipe;
use ember_ridge_core::finish::{DocumentShows, DocumentSource, Finish};
use ember_ridge_formats::materialx::read_document;
use rocket::data::Data;
use rocket::{State, post};
use std::sync::{Arc, Mutex};

described_routes!(add_document);

/// A MaterialX document as a finish of the asset, called after its first material. Each `beside`, a name and a length in bytes such as
/// `wood.png:204`, is a picture that stands ahead of the document in the body; what the document does not name of them is not kept.
#[utoipa::path(
    tag = "finishes",
    params(
        ("file" = String, Query, description = "Name of the file"),
        ("beside" = Option<Vec<String>>, Query),
    ),
    request_body(
        content = Vec<u8>,
        content_type = "application/octet-stream",
        description = "The pictures beside the document, one after the other, then the document",
    ),
    responses((status = 200, description = "The asset with the finish", body = ref("AssetView"))),
)]
#[post("/assets/<id>/documents?<file>&<beside>", data = "<data>")]
async fn add_document(
    app: &State<Arc<App>>,
    id: i64,
    file: Given<&str>,
    beside: Vec<&str>,
    data: Data<'_>,
) -> Result<Tagged> {
    let file = file.required("file")?;
    app.store.asset(id).await?;
    let mut stream = open(data);
    let companions = Companions::take(app, &beside, &mut stream).await?;
    let mut incoming = Incoming::new(app, file)?;
    incoming.take_rest(&mut stream).await?;
    let name = incoming.name.clone();
    let (incoming, companions, document) = aside(move || {
        let content = incoming.writer.read_back()?;
        let companions = Mutex::new(companions);
        let document = read_document(&incoming.name, &content, &|path| locked(&companions).read(path))?;
        Ok((incoming, companions.into_inner().unwrap_or_else(std::sync::PoisonError::into_inner), document))
    })
    .await?;
    let material = document.material(None).map_err(|fault| Fault::unusable(format!("{name}: {fault}")))?;
    let (called, shows) = (material.name.clone(), document.shows(material));
    let mut told = document.understood(material).told;
    let others: Vec<&str> = document.materials.iter().skip(1).map(|other| other.name.as_str()).collect();
    if !others.is_empty() {
        told.push(format!("{name} also holds {}; choose it under Material", others.join(", ")));
    }
    told.truncate(upload::MOST_TOLD);
    let naming = app.store.naming().await;
    let ((hash, _), (beside, _)) = aside(move || Ok((incoming.writer.keep()?, companions.keep()?))).await?;
    let source = DocumentSource { file: name, hash: Some(hash), material: Some(called), beside };
    let edited = assets::edit_with(app, id, async move |recipe| {
        lay_on(recipe, source, shows);
        Ok(())
    })
    .await;
    drop(naming);
    or_nothing_stays(app, edited).await?;
    Ok(assets::view(app, id).await?.map(|view| view.told = told))
}

/// A name that no other has, told apart by a number.
fn free(wanted: &str, taken: impl Fn(&str) -> bool) -> String {
    let numbered = (2..).map(|number| format!("{wanted} {number}"));
    [wanted.to_owned()].into_iter().chain(numbered).find(|name| !taken(name)).unwrap_or_default()
}

/// A finish of everything that lies on a document, under a name that is free, with the maps that show it.
fn lay_on(recipe: &mut Recipe, mut source: DocumentSource, shows: DocumentShows) {
    let (stem, ending) = source.file.rsplit_once('.').unwrap_or((&source.file, "mtlx"));
    let called = source.material.as_deref().filter(|name| !name.trim().is_empty()).unwrap_or(stem);
    let called: String = called.chars().filter(|c| !c.is_control()).take(50).collect();
    // Another document of this name stays what it is.
    let stem = free(stem, |stem| {
        let file = format!("{stem}.{ending}");
        recipe.documents().any(|other| other.file == file && other.hash != source.hash)
    });
    source.file = format!("{stem}.{ending}");
    let name = free(&called, |name| recipe.finishes.iter().any(|finish| finish.name == name));
    recipe.finishes.push(Finish::of_document(name, source));
    recipe.add_maps_of_finishes(shows);
}
