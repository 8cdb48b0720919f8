//! The folder of a bake read back: its report, its map files, and which texels of its sheets are covered.

use crate::Unusable;
use crate::files::{Files, read_plain, read_text};
use crate::progress::Progress;
use crate::scene::load_mesh;
use anyhow::{Context, anyhow};
use ember_ridge_core::Mesh;
use ember_ridge_core::bake::{MapReport, Report};
use ember_ridge_core::deliver::SourceMap;
use ember_ridge_core::picture::Image;
use ember_ridge_core::recipe::MeshSource;
use ember_ridge_core::sheet::{Coverage, coverage_of};
use ember_ridge_formats::deliver::ReadPlace;
use ember_ridge_formats::image::read_image;
use std::fs::File;
use std::io;
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

    /// Names of the files of a map, a sheet each.
    pub fn names<'m>(&self, map: &'m MapReport) -> Vec<&'m str> {
        match map.files.is_empty() {
            true => vec![&map.file],
            false => map.files.iter().map(|sheet| sheet.file.as_str()).collect(),
        }
    }

    /// A file of the bake as a picture.
    ///
    /// # Errors
    /// It is missing or damaged.
    pub fn picture(&self, name: &str) -> Result<Image, Unusable> {
        let path = self.folder.join(name);
        Ok(read_image(&path.to_string_lossy(), &read_plain(&path)?)?)
    }

    /// Opens the file of a map on a sheet, with its name.
    ///
    /// # Errors
    /// The file's name, and why it cannot be opened.
    pub fn open_map(&self, map: &SourceMap, sheet: usize) -> io::Result<(String, Box<dyn ReadPlace>)> {
        let name = map.files().get(sheet).copied().unwrap_or_default().to_owned();
        let named = |fault: io::Error| io::Error::new(fault.kind(), format!("{name}: {fault}. Bake it again"));
        let file = File::open(self.folder.join(&name)).map_err(named)?;
        Ok((name, Box::new(file)))
    }

    /// Where meshes of its recipe lie: the folder that was named, or the first of the bake's own, the one above it and the current one that
    /// holds the first of their files. None where none does.
    pub fn folder_of<'s>(
        &self,
        mut meshes: impl Iterator<Item = &'s MeshSource>,
        named: Option<&Path>,
    ) -> Option<Files> {
        let file = meshes.find(|source| source.plane.is_none()).map(|source| &source.file);
        let above = self.folder.parent().map(Path::to_owned);
        let near = [Some(self.folder.clone()), above, Some(PathBuf::new())];
        let folders = match named {
            Some(folder) => vec![folder.to_owned()],
            None => near.into_iter().flatten().collect(),
        };
        let holds = |folder: &PathBuf| file.is_none_or(|file| folder.join(file).is_file());
        folders.into_iter().find(holds).map(Files::in_folder)
    }

    /// The low-poly that was baked.
    ///
    /// # Errors
    /// It cannot be read, or is another one.
    pub fn low(&self, files: &Files, progress: &Progress) -> Result<Mesh, Unusable> {
        let meshes = self.report.recipe.low.iter().map(|source| load_mesh(source, files, progress));
        let meshes = meshes.collect::<Result<Vec<Mesh>, Unusable>>()?;
        Ok(Mesh::joined(&meshes.iter().collect::<Vec<_>>()))
    }

    /// Which texels of each sheet its low-poly covers.
    pub fn coverage(&self, low: &Mesh) -> Vec<Coverage> {
        coverage_of(low, &self.report.recipe.sheet)
    }
}
