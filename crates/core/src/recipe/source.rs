//! What a recipe reads: mesh files with their UVs and steps, planes made here, pictures.

use crate::maps::Green;
use crate::mesh::{PlaneTarget, UvChoice, UvSet};
use crate::picture::FileBeside;
use crate::step::{MOST_STEPS, MeshStep};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// A mesh file. On the command line `file` is a path, relative to the recipe; in the browser it is the name it came with.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct MeshSource {
    pub file: String,
    /// BLAKE3 of the file's bytes, hexadecimal. When given, another file of the same name is refused.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub hash: Option<String>,
    /// Which UVs of the mesh are used.
    #[serde(default, skip_serializing_if = "UvChoice::is_first")]
    pub uvs: UvChoice,
    /// The UV set that textures lie on: patterns and pictures over texture UVs, MaterialX documents. Without it, the UVs that are baked, or
    /// those that the materials of the file name.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub texture_uvs: Option<UvSet>,
    /// What is done to the mesh each time it is read, in order; the file stays as it is.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub steps: Vec<MeshStep>,
    /// Files that belong to it and lie beside it: material libraries, textures, buffers.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub beside: Vec<FileBeside>,
    /// A plane made here in place of a file; `file` then only names what is baked.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub plane: Option<PlaneTarget>,
}

/// Bytes of a file's name or path, at most.
const MOST_PATH: usize = 4096;

/// Checks a file's name.
pub(super) fn check_file(field: &str, file: &str) -> Result<(), String> {
    if file.trim().is_empty() || file.len() > MOST_PATH || file.chars().any(char::is_control) {
        let shown: String = file.chars().take(40).collect();
        return Err(format!("{field} is '{shown}'; give a file's name of 1 to {MOST_PATH} bytes"));
    }
    Ok(())
}

impl MeshSource {
    /// A plane made here, called `name`.
    pub fn plane(name: impl Into<String>, plane: PlaneTarget) -> MeshSource {
        MeshSource { plane: Some(plane), ..MeshSource::file(name) }
    }

    /// The file beside it that the mesh file means by a path.
    pub fn file_beside(&self, path: &str) -> Option<&FileBeside> {
        FileBeside::meant(self.beside.iter().map(|f| f.file.as_str()), path).map(|at| &self.beside[at])
    }

    /// Its file's name without the ending.
    pub fn stem(&self) -> &str {
        self.file.rsplit_once('.').map_or(&self.file, |(stem, _)| stem)
    }

    /// The same without its steps on UVs: the layout as the file has it, with the same triangles in the same order.
    pub fn without_uv_steps(&self) -> MeshSource {
        let steps = self.steps.iter().filter(|step| !step.edits_uvs()).cloned().collect();
        MeshSource { steps, ..self.clone() }
    }

    /// # Errors
    /// The step or field, what it holds, what it may hold.
    pub fn validate(&self) -> Result<(), String> {
        check_file("file", &self.file)?;
        for beside in &self.beside {
            check_file("beside", &beside.file)?;
        }
        if self.steps.len() > MOST_STEPS {
            return Err(format!("{}: {} steps; a file takes at most {MOST_STEPS}", self.file, self.steps.len()));
        }
        for (number, step) in self.steps.iter().enumerate() {
            step.validate().map_err(|fault| format!("{}: step {}: {fault}", self.file, number + 1))?;
        }
        self.plane.map_or(Ok(()), |p| p.validate()).map_err(|fault| format!("{}: {fault}", self.file))
    }

    /// A file by name, with its first UV set.
    pub fn file(file: impl Into<String>) -> MeshSource {
        MeshSource {
            file: file.into(),
            hash: None,
            uvs: UvChoice::default(),
            texture_uvs: None,
            steps: Vec::new(),
            beside: Vec::new(),
            plane: None,
        }
    }
}

/// An existing tangent-space normal map of the low-poly, from which maps may be made in place of a sculpt.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct NormalMapSource {
    pub file: String,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub hash: Option<String>,
    /// Which way its green channel points.
    #[serde(default)]
    pub y: Green,
}
