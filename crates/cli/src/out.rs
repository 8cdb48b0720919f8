//! Mesh files that commands write: .glb, .obj or .ply, whole or not at all.

use crate::Unusable;
use crate::files::ready_folder;
use anyhow::{Context, bail};
use ember_ridge_core::Mesh;
use ember_ridge_formats::files::write_whole;
use ember_ridge_formats::mesh::{write_glb, write_obj_of_quads, write_ply};
use std::path::{Path, PathBuf};

/// A mesh file to write.
pub struct Out {
    pub path: PathBuf,
    ending: &'static str,
}

impl Out {
    /// # Errors
    /// A name without a known ending, or a folder that cannot be written to.
    pub fn of(path: &Path) -> Result<Out, Unusable> {
        let ending = path.extension().unwrap_or_default().to_string_lossy().to_lowercase();
        let Some(ending) = ["glb", "obj", "ply"].into_iter().find(|known| *known == ending) else {
            bail!("{}: a mesh is written as .glb, .obj or .ply. Name it so", path.display());
        };
        let out = Out { path: path.to_owned(), ending };
        ready_folder(out.folder())?;
        Ok(out)
    }

    pub fn folder(&self) -> &Path {
        self.path.parent().filter(|folder| !folder.as_os_str().is_empty()).unwrap_or(Path::new("."))
    }

    pub fn write(&self, mesh: &Mesh) -> Result<(), Unusable> {
        let written = write_whole(&self.path, |mut file| match self.ending {
            "glb" => write_glb(&mut file, mesh),
            "ply" => write_ply(&mut file, mesh),
            _ => write_obj_of_quads(&mut file, mesh),
        });
        written.with_context(|| format!("{}: cannot be written", self.path.display()))
    }
}
