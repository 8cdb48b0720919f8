//! The folder of a bake read back: its report, its map files, and which texels of its sheets are covered.

use crate::Unusable;
use crate::files::{Files, read_plain, read_text};
use crate::progress::Progress;
use crate::scene::load_mesh;
use anyhow::{Context, anyhow};
use ember_ridge_core::Mesh;
use ember_ridge_core::bake::{MapReport, Report};
use ember_ridge_core::picture::Image;
use ember_ridge_core::sheet::{Coverage, plan_sheets};
use ember_ridge_formats::image::read_image;
use std::path::{Path, PathBuf};

/// A bake as it lies on the disk.
pub struct Baked {
    pub folder: PathBuf,
    pub report: Report,
}

impl Baked {
    /// Opens the folder of a bake.
    ///
    /// # Errors
    /// There is no report in it, or it cannot be read.
    pub fn open(folder: &Path) -> Result<Baked, Unusable> {
        let path = folder.join("report.json");
        let text = read_text(&path).with_context(|| {
            format!("{}: it holds no bake that can be read; name a folder that 'bake --out' wrote", folder.display())
        })?;
        let report = serde_json::from_str(&text)
            .map_err(|fault| anyhow!("{}: {fault}. Bake again with this version", path.display()))?;
        Ok(Baked { folder: folder.to_owned(), report })
    }

    /// The files of a map, a sheet each.
    ///
    /// # Errors
    /// A file that is missing or damaged.
    pub fn pictures(&self, map: &MapReport) -> Result<Vec<Image>, Unusable> {
        let one = [map.file.clone()];
        let files: Vec<&String> = match map.files.is_empty() {
            true => one.iter().collect(),
            false => map.files.iter().map(|sheet| &sheet.file).collect(),
        };
        let read = |name: &String| -> Result<Image, Unusable> {
            let path = self.folder.join(name);
            Ok(read_image(&path.to_string_lossy(), &read_plain(&path)?)?)
        };
        files.into_iter().map(read).collect()
    }

    /// Where the recipe's meshes lie: the folder that was named, or the first of the bake's own, the one above it and the current one that
    /// holds the low-poly. None where none does.
    pub fn meshes(&self, named: Option<&Path>) -> Option<Files> {
        let low = &self.report.recipe.low.first()?.file;
        let above = self.folder.parent().map(Path::to_owned);
        let near = [Some(self.folder.clone()), above, Some(PathBuf::new())];
        let folders = match named {
            Some(folder) => vec![folder.to_owned()],
            None => near.into_iter().flatten().collect(),
        };
        let plane = self.report.recipe.low.iter().all(|source| source.plane.is_some());
        folders.into_iter().find(|folder| plane || folder.join(low).is_file()).map(Files::in_folder)
    }

    /// Which texels of each sheet are covered.
    ///
    /// # Errors
    /// A low-poly that cannot be read, or is not the one that was baked.
    pub fn coverage(&self, files: &Files, progress: &Progress) -> Result<Vec<Coverage>, Unusable> {
        let recipe = &self.report.recipe;
        let meshes = recipe.low.iter().map(|source| load_mesh(source, files, progress));
        let meshes = meshes.collect::<Result<Vec<Mesh>, Unusable>>()?;
        let low = Mesh::joined(&meshes.iter().collect::<Vec<_>>());
        Ok(plan_sheets(&low, &recipe.sheet).iter().map(|sheet| sheet.coverage(recipe.sheet.samples)).collect())
    }
}
