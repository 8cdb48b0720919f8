//! Meshes and trees held in memory between bakes: loaded once, shared by every run, proof and picture of them.

use crate::App;
use crate::api::{MeshSummary, Role};
use crate::fault::{Fault, Result};
use ember_ridge_core::bake::KeptTiles;
use ember_ridge_core::document::Document;
use ember_ridge_core::finish::DocumentSource;
use ember_ridge_core::pairs::{Shares, shared_space};
use ember_ridge_core::picture::{PictureSource, Pictures};
use ember_ridge_core::recipe::{FileBeside, MeshSource};
use ember_ridge_core::scene::BakeScene;
use ember_ridge_core::{Mesh, Recipe};
use ember_ridge_formats::image::read_image;
use ember_ridge_formats::materialx::read_document;
use ember_ridge_formats::read_mesh_with;
use std::sync::Arc;

/// Summaries are kept under this number; it rises when checks find more, so that files imported earlier are checked anew.
const CHECKS: u32 = 5;

/// What a source's mesh is, as a key: the file's bytes, its name, which UVs are taken, and what is done to it.
pub fn mesh_key(source: &MeshSource) -> String {
    let hash = source.hash.as_deref().unwrap_or("-");
    let MeshSource { file, uvs, texture_uvs, steps, plane, beside, .. } = source;
    format!("{hash}/{file}/{uvs:?}/{texture_uvs:?}/{steps:?}/{plane:?}/{beside:?}")
}

/// What a recipe's meshes are, as a key: two recipes with the same key share a scene.
pub fn scene_key(recipe: &Recipe) -> String {
    let side = |sources: &[MeshSource]| sources.iter().map(mesh_key).collect::<Vec<_>>().join("+");
    let cage: Vec<MeshSource> = recipe.cage.iter().cloned().collect();
    // Low-poly planes say themselves whether the sculpt repeats.
    format!("{}|{}|{}", side(&recipe.low), side(&recipe.high), side(&cage))
}

/// Under this name a file's summary is kept beside its hash: other UVs of the same file, other steps, and
/// another use, are checked apart.
pub fn summary_name(source: &MeshSource, role: Role) -> String {
    let plain = source.uvs.is_first() && source.texture_uvs.is_none() && source.steps.is_empty();
    let how =
        if plain { String::new() } else { format!(" {:?} {:?} {:?}", source.uvs, source.texture_uvs, source.steps) };
    let beside: String = source.beside.iter().map(|f| format!(" {}", f.hash)).collect();
    format!("{CHECKS} {role:?} {}{how}{beside}", source.file)
}

impl App {
    /// The mesh of a source, from memory or from its blob. Takes as long as parsing does.
    pub fn mesh(&self, source: &MeshSource) -> Result<Arc<Mesh>> {
        if let Some(plane) = source.plane {
            return Ok(Arc::new(plane.mesh(&source.file)));
        }
        let hash = source
            .hash
            .as_deref()
            .ok_or_else(|| Fault::unusable(format!("{}: its bytes are not here", source.file)))?;
        self.memory.once(&format!("mesh/{}", mesh_key(source)), || {
            if let Some((last, before)) = source.steps.split_last() {
                // UVs are edited step by step: only the newest is worked out. Of other steps nothing in between is kept, as sculpts are large.
                let kept = if last.edits_uvs() { before } else { &[] };
                let known = self.mesh(&MeshSource { steps: kept.to_vec(), ..source.clone() })?;
                return Ok((*known).clone().with_steps(&source.steps[kept.len()..]));
            }
            self.memory.room_to_read(&source.file, self.store.blobs.length(hash)?)?;
            let bytes = self.store.blobs.read(hash)?;
            let beside = |path: &str| self.store.blobs.read(&source.file_beside(path)?.hash).ok();
            Ok(read_mesh_with(&source.file, &bytes, &beside, source.uvs, source.texture_uvs)?)
        })
    }

    pub fn keep_mesh(&self, source: &MeshSource, mesh: Arc<Mesh>) {
        self.memory.put(&format!("mesh/{}", mesh_key(source)), mesh);
    }

    /// The pictures a recipe reads, by the names it gives them.
    fn images(&self, recipe: &Recipe) -> Result<Pictures> {
        recipe.read_pictures(|PictureSource { file, hash }| {
            let hash = hash.as_ref().ok_or_else(|| Fault::unusable(format!("{file}: its bytes are not here")))?;
            let read = || Ok(read_image(file, &self.store.blobs.read(hash)?)?);
            self.memory.once(&format!("picture/{hash}/{file}"), read)
        })
    }

    /// The document that a finish lies on, with its pictures.
    pub fn document(&self, source: &DocumentSource) -> Result<Arc<Document>> {
        let DocumentSource { file, hash, beside, .. } = source;
        let hash = hash.as_ref().ok_or_else(|| Fault::unusable(format!("{file}: its bytes are not here")))?;
        self.memory.once(&format!("document/{hash}/{file}/{beside:?}"), || {
            let names = beside.iter().map(|beside| beside.file.as_str());
            let picture = |path: &str| {
                let at = FileBeside::meant(names.clone(), path)?;
                self.store.blobs.read(&beside[at].hash).ok()
            };
            Ok(read_document(file, &self.store.blobs.read(hash)?, &picture)?)
        })
    }

    /// The scene of a recipe, built when it is not in memory. `goes_on` hears of each stage before it begins, and says
    /// whether it shall.
    pub fn scene(&self, recipe: &Recipe, goes_on: &dyn Fn(&str) -> bool) -> Result<BakeScene> {
        let stage = |name: &str| if goes_on(name) { Ok(()) } else { Err(Fault::unusable("stopped")) };
        if let Some(wanted) = recipe.missing() {
            return Err(Fault::unusable(format!("No {wanted} yet. Import one at the Meshes stop")));
        }
        let images = self.images(recipe)?;
        let documents = recipe.read_documents(|source| self.document(source));
        let scene = self.memory.once(&format!("scene/{}", scene_key(recipe)), || {
            let load = |sources: &[MeshSource]| {
                let mesh = |source| stage("reading meshes").and_then(|()| self.mesh(source));
                sources.iter().map(mesh).collect::<Result<Vec<_>>>()
            };
            let (low, high) = (load(&recipe.low)?, load(&recipe.high)?);
            let cage = recipe.cage.as_ref().map(|s| self.mesh(s)).transpose()?;
            stage("building the tree")?;
            let low: Vec<&Mesh> = low.iter().map(|m| &**m).collect();
            let high: Vec<&Mesh> = high.iter().map(|m| &**m).collect();
            BakeScene::repeating(&low, &high, cage.as_deref(), recipe.repeats().as_ref()).map_err(|fault| {
                let file = recipe.cage.as_ref().map_or("cage", |c| &c.file);
                Fault::unusable(format!("{file}: {fault}"))
            })
        })?;
        Ok(scene.with_images(images).with_documents(documents))
    }

    /// How far measuring over the meshes of a recipe has come; none while nothing is being measured.
    pub fn measuring(&self, recipe: &Recipe) -> Option<f32> {
        self.memory.get::<BakeScene>(&format!("scene/{}", scene_key(recipe)))?.meter.share()
    }

    /// What proofs over the meshes of a recipe left for the next one.
    pub fn kept_tiles(&self, recipe: &Recipe) -> Result<Arc<KeptTiles>> {
        self.memory.once(&format!("kept/{}", scene_key(recipe)), || Ok(KeptTiles::default()))
    }

    /// How much of each sculpt part lies nearest to each low-poly part, from memory or measured now.
    pub async fn shared_space(self: &Arc<Self>, recipe: &Recipe) -> Result<Arc<Vec<Shares>>> {
        let key = format!("shared space/{}", scene_key(recipe));
        let (app, sources) = (self.clone(), [recipe.low.clone(), recipe.high.clone()]);
        crate::fault::aside(move || {
            app.memory.once(&key, || {
                let [low, high] = sources.map(|side| app.joined(&side));
                let (low, high) = (low?, high?);
                Ok(shared_space(&low, &high, &high.parts))
            })
        })
        .await
    }

    /// The meshes of one side as one.
    pub fn joined(&self, sources: &[MeshSource]) -> Result<Arc<Mesh>> {
        let meshes = sources.iter().map(|s| self.mesh(s)).collect::<Result<Vec<_>>>()?;
        // One file's mesh is shared, not copied: a sculpt's is large.
        match meshes.as_slice() {
            [only] => Ok(only.clone()),
            several => Ok(Arc::new(Mesh::joined(&several.iter().map(|m| &**m).collect::<Vec<_>>()))),
        }
    }

    /// What is known of a source's file, made now if it was not kept.
    pub async fn summary(self: &Arc<Self>, source: &MeshSource, role: Role) -> Result<MeshSummary> {
        let hash = source.hash.clone().unwrap_or_default();
        if let Some(plane) = source.plane {
            return Ok(MeshSummary::of(&plane.mesh(&source.file), 0, role));
        }
        let name = summary_name(source, role);
        if let Some(summary) = self.store.mesh(&hash, &name).await? {
            return Ok(summary);
        }
        let (app, wanted) = (self.clone(), source.clone());
        let key = format!("summary/{hash}/{name}");
        let text = crate::fault::aside(move || {
            app.memory.once(&key, || {
                let bytes = app.store.blobs.length(wanted.hash.as_deref().unwrap_or_default())?;
                Ok(serde_json::to_vec(&MeshSummary::of(&*app.mesh(&wanted)?, bytes, role))?)
            })
        })
        .await?;
        let summary: MeshSummary = serde_json::from_slice(&text)?;
        self.store.put_mesh(&hash, &name, &summary).await?;
        Ok(summary)
    }
}
