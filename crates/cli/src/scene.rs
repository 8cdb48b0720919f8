//! Meshes and pictures of a recipe from the disk.

use crate::Unusable;
use crate::files::Files;
use crate::progress::Progress;
use anyhow::{Context, bail};
use ember_ridge_core::document::Document;
use ember_ridge_core::finish::DocumentSource;
use ember_ridge_core::recipe::{FileBeside, MeshSource};
use ember_ridge_core::scene::BakeScene;
use ember_ridge_core::{Mesh, Recipe};
use ember_ridge_formats::image::read_image;
use ember_ridge_formats::materialx::read_document;
use ember_ridge_formats::read_mesh_with;
use std::cell::RefCell;
use std::path::Path;
use std::sync::{Arc, Mutex, PoisonError};

const REMOVE_BESIDE: &str = "remove it from \"beside\"";

pub fn load_scene(recipe: &Recipe, files: &Files, progress: &Progress) -> Result<BakeScene, Unusable> {
    if recipe.missing().is_some() {
        bail!("recipe: it needs at least one low and one high mesh; name the files under \"low\" and \"high\"");
    }
    let load = |sources: &[MeshSource]| -> Result<Vec<Mesh>, Unusable> {
        sources.iter().map(|source| load_mesh(source, files, progress)).collect()
    };
    let (low, high) = (load(&recipe.low)?, load(&recipe.high)?);
    let cage = recipe.cage.as_ref().map(|source| load_mesh(source, files, progress)).transpose()?;
    let all = |meshes: &[Mesh]| meshes.iter().map(|m| m.triangles.len()).sum::<usize>();
    progress.say(&format!("building the tree over {} triangles", all(if high.is_empty() { &low } else { &high })));
    let (low_meshes, high_meshes): (Vec<&Mesh>, Vec<&Mesh>) = (low.iter().collect(), high.iter().collect());
    let scene = BakeScene::repeating(&low_meshes, &high_meshes, cage.as_ref(), recipe.repeats().as_ref());
    let scene = scene.with_context(|| recipe.cage.as_ref().map_or("cage".to_owned(), |c| c.file.clone()))?;
    progress.say(&format!("ready: {} low, {} high triangles", all(&low), all(&high)));
    with_pictures(scene, recipe, files, progress)
}

/// The same scene with the pictures and documents that a recipe names.
pub fn with_pictures(
    scene: BakeScene,
    recipe: &Recipe,
    files: &Files,
    progress: &Progress,
) -> Result<BakeScene, Unusable> {
    let images = recipe.read_pictures(|picture| -> Result<_, Unusable> {
        let bytes = read_checked(files, &picture.file, picture.hash.as_deref(), progress)?;
        Ok(Arc::new(read_image(&files.path(&picture.file).to_string_lossy(), &bytes)?))
    })?;
    let documents = recipe.read_documents(|source| load_document(source, files, progress).map(Arc::new));
    Ok(scene.with_images(images).with_documents(documents))
}

/// The document that a finish lies on, with the pictures beside it.
fn load_document(source: &DocumentSource, files: &Files, progress: &Progress) -> Result<Document, Unusable> {
    let bytes = read_checked(files, &source.file, source.hash.as_deref(), progress)?;
    let path = files.path(&source.file);
    let wrong = Mutex::new(None);
    let beside = |name: &str| {
        let known = FileBeside::meant(source.beside.iter().map(|f| f.file.as_str()), name).map(|at| &source.beside[at]);
        let bytes = read_beside(files, &path, name, known);
        if let Some(known) = known {
            let other =
                bytes.as_ref().and_then(|bytes| not_the_one(Path::new(name), bytes, &known.hash, REMOVE_BESIDE));
            let mut wrong = wrong.lock().unwrap_or_else(PoisonError::into_inner);
            *wrong = wrong.take().or(other);
        }
        bytes
    };
    let document = read_document(&path.to_string_lossy(), &bytes, &beside);
    match wrong.into_inner().unwrap_or_else(PoisonError::into_inner) {
        Some(fault) => bail!("{}: {fault}", path.display()),
        None => Ok(document?),
    }
}

pub fn load_mesh(source: &MeshSource, files: &Files, progress: &Progress) -> Result<Mesh, Unusable> {
    if let Some(plane) = source.plane {
        return Ok(plane.mesh(&source.file));
    }
    let bytes = read_checked(files, &source.file, source.hash.as_deref(), progress)?;
    let path = files.path(&source.file);
    // The recipe may say which files lay beside it; others of the same names would bake something else.
    let wrong = RefCell::new(None);
    let beside = |name: &str| {
        let known = source.file_beside(name);
        let bytes = read_beside(files, &path, name, known);
        if let Some(known) = known {
            let fault = match &bytes {
                Some(bytes) => not_the_one(Path::new(name), bytes, &known.hash, REMOVE_BESIDE),
                None => Some(format!("'{name}' is not beside it, and the recipe was made with it. Put it there")),
            };
            wrong.replace_with(|first| first.take().or(fault));
        }
        bytes
    };
    let mesh = read_mesh_with(&path.to_string_lossy(), &bytes, &beside, source.uvs, source.texture_uvs);
    match wrong.into_inner() {
        Some(fault) => bail!("{}: {fault}", path.display()),
        None => Ok(mesh?.with_steps(&source.steps)),
    }
}

/// A file that belongs to another: where that names it, or right beside it as the recipe knows it.
fn read_beside(files: &Files, path: &Path, name: &str, known: Option<&FileBeside>) -> Option<Vec<u8>> {
    files.read_beside(path, name).or_else(|| files.read_beside(path, &known?.file))
}

/// The bytes of a file, which must be the one the recipe was made with when it says which.
fn read_checked(files: &Files, file: &str, hash: Option<&str>, progress: &Progress) -> Result<Vec<u8>, Unusable> {
    let path = files.path(file);
    progress.say(&format!("reading {}", path.display()));
    let bytes = files.read(&path)?;
    let or = "remove the hash from the recipe";
    match hash.and_then(|expected| not_the_one(&path, &bytes, expected, or)) {
        Some(fault) => bail!(fault),
        None => Ok(bytes),
    }
}

/// What to say of a file whose bytes are not those of the recipe; `or` is what may be done besides putting the right one there.
fn not_the_one(path: &Path, bytes: &[u8], expected: &str, or: &str) -> Option<String> {
    let found = blake3::hash(bytes).to_hex();
    (found.as_str() != expected).then(|| {
        format!(
            "{}: it is not the file the recipe was made with (BLAKE3 {found}, not {expected}). \
             Put the right file there, or {or}",
            path.display()
        )
    })
}
