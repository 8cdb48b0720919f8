//! Meshes sent as files.

use crate::api::MeshFormat;
use crate::fault::Result;
use ember_ridge_core::Mesh;
use ember_ridge_formats::mesh::{write_glb, write_obj};
use rocket::Responder;
use rocket::http::{ContentType, Header};

/// A mesh as a file to save.
#[derive(Responder)]
pub struct MeshFile {
    body: (ContentType, Vec<u8>),
    name: Header<'static>,
}

impl MeshFile {
    /// `stem` is its name without the ending.
    ///
    /// # Errors
    /// A mesh that is too large for the format.
    pub fn new(stem: &str, format: MeshFormat, mesh: &Mesh) -> Result<MeshFile> {
        let mut bytes = Vec::new();
        let ending = match format {
            MeshFormat::Glb => write_glb(&mut bytes, mesh).map(|()| "glb"),
            MeshFormat::Obj => write_obj(&mut bytes, mesh).map(|()| "obj"),
        }?;
        let stem = stem.replace(['"', '/', '\\', '\n', '\r'], "_");
        let name = Header::new("Content-Disposition", format!("attachment; filename=\"{stem}.{ending}\""));
        Ok(MeshFile { body: (ContentType::Binary, bytes), name })
    }
}
