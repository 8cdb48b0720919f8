//! What a recipe reads: mesh files with their UVs and steps, planes made here, pictures.

use crate::maps::Green;
use crate::mesh::{MOST_STEPS, Mesh, MeshStep, Part};
use glam::{Vec3, vec2};
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// A mesh file. On the command line `file` is a path, relative to the recipe; in the browser it is the name it came with.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct Source {
    pub file: String,
    /// BLAKE3 of the file's bytes, hexadecimal. When given, another file of the same name is refused.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[ts(optional = nullable)]
    pub hash: Option<String>,
    /// Which UVs of the mesh are used.
    #[serde(default, skip_serializing_if = "UvChoice::is_first")]
    pub uvs: UvChoice,
    /// What is done to the mesh each time it is read, in order; the file stays as it is.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    #[ts(optional, as = "Option<Vec<MeshStep>>")]
    pub steps: Vec<MeshStep>,
    /// Files that belong to it and lie beside it: material libraries, textures, buffers.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    #[ts(optional, as = "Option<Vec<FileBeside>>")]
    pub beside: Vec<FileBeside>,
    /// A plane made here in place of a file; `file` then only names what is baked.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[ts(optional = nullable)]
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

/// A file that a mesh file names: a material library, a texture, a buffer.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct FileBeside {
    /// The name it is known by in the mesh file, without folders.
    pub file: String,
    /// BLAKE3 of its bytes, hexadecimal; another file of that name is refused.
    pub hash: String,
}

impl FileBeside {
    /// Which of some names a mesh file means by a path: the one that is its last part, if need be in other case.
    pub fn meant<'a>(mut names: impl Iterator<Item = &'a str> + Clone, path: &str) -> Option<usize> {
        let wanted = path.rsplit(['/', '\\']).next().unwrap_or(path);
        let mut in_any_case = names.clone();
        names.position(|n| n == wanted).or_else(|| in_any_case.position(|n| n.eq_ignore_ascii_case(wanted)))
    }
}

/// A flat square of two triangles to bake onto, UVs filling the unit square, facing up its axis.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct PlaneTarget {
    /// The axis it faces.
    pub facing: Facing,
    /// Where its middle lies, scene units; the coordinate along the axis is its height.
    pub middle: [f32; 3],
    /// Width and height as its UVs run, scene units.
    pub size: [f32; 2],
    /// The sculpt goes on past each edge as it begins at the opposite one: rays and occlusion meet it there.
    #[serde(default)]
    pub repeats: bool,
}

/// An axis to face.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "kebab-case")]
pub enum Facing {
    /// Right: u runs along -Z, v along Y.
    X,
    /// Up, as a floor lies: u runs along X, v along -Z.
    Y,
    /// To the front: u runs along X, v along Y.
    Z,
}

impl Facing {
    /// Unit vectors along u, along v, and out of the plane.
    pub fn frame(self) -> [Vec3; 3] {
        match self {
            Facing::X => [Vec3::NEG_Z, Vec3::Y, Vec3::X],
            Facing::Y => [Vec3::X, Vec3::NEG_Z, Vec3::Y],
            Facing::Z => [Vec3::X, Vec3::Y, Vec3::Z],
        }
    }
}

impl PlaneTarget {
    /// A plane over the box of a sculpt, at height 0.
    pub fn over(facing: Facing, (low, high): (Vec3, Vec3)) -> PlaneTarget {
        let [u, v, n] = facing.frame();
        let (middle, size) = ((low + high) * 0.5, high - low);
        let middle = middle - n * middle.dot(n);
        PlaneTarget { facing, middle: middle.to_array(), size: [size.dot(u.abs()), size.dot(v.abs())], repeats: false }
    }

    /// The two steps, in scene units, after which it repeats.
    pub fn steps(&self) -> [Vec3; 2] {
        let [u, v, _] = self.facing.frame();
        [u * self.size[0], v * self.size[1]]
    }

    /// # Errors
    /// The field, what it holds, what it may hold.
    pub fn validate(&self) -> Result<(), String> {
        if let Some(side) = self.size.iter().find(|s| !(s.is_finite() && **s > 0.0)) {
            return Err(format!("plane.size holds {side}; give two lengths above 0 in scene units"));
        }
        match self.middle.iter().find(|c| !c.is_finite()) {
            Some(bad) => Err(format!("plane.middle holds {bad}; give three finite coordinates")),
            None => Ok(()),
        }
    }

    /// The mesh: four vertices, two triangles, one part named `name`.
    pub fn mesh(&self, name: &str) -> Mesh {
        let [_, _, n] = self.facing.frame();
        let [u, v] = self.steps().map(|s| s * 0.5);
        let middle = Vec3::from(self.middle);
        Mesh {
            positions: vec![middle - u - v, middle + u - v, middle + u + v, middle - u + v],
            normals: vec![n; 4],
            uvs: vec![vec2(0.0, 0.0), vec2(1.0, 0.0), vec2(1.0, 1.0), vec2(0.0, 1.0)],
            triangles: vec![[0, 1, 2], [0, 2, 3]],
            parts: vec![Part { name: name.to_owned(), triangles: 0..2 }],
            normals_from_file: true,
            ..Mesh::default()
        }
    }
}

impl Source {
    /// A plane made here, called `name`.
    pub fn plane(name: impl Into<String>, plane: PlaneTarget) -> Source {
        Source { plane: Some(plane), ..Source::file(name) }
    }

    /// The file beside it that the mesh file means by a path.
    pub fn file_beside(&self, path: &str) -> Option<&FileBeside> {
        FileBeside::meant(self.beside.iter().map(|f| f.file.as_str()), path).map(|at| &self.beside[at])
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
    pub fn file(file: impl Into<String>) -> Source {
        Source {
            file: file.into(),
            hash: None,
            uvs: UvChoice::default(),
            steps: Vec::new(),
            beside: Vec::new(),
            plane: None,
        }
    }
}

/// The UVs of a mesh: a set of the file by number, or a flat projection along an axis, the bounding box filling the unit
/// square.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(untagged, expecting = "UVs are the number of a set, or \"planar-x\", \"planar-y\" or \"planar-z\"")]
pub enum UvChoice {
    Set(u32),
    Planar(Plane),
}

/// A flat projection: along x (u from -z, v from y), along y (u from x, v from -z) or along z (u from x, v from y).
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "kebab-case")]
pub enum Plane {
    PlanarX,
    PlanarY,
    PlanarZ,
}

impl Default for UvChoice {
    fn default() -> Self {
        UvChoice::Set(0)
    }
}

impl UvChoice {
    pub fn is_first(&self) -> bool {
        *self == UvChoice::Set(0)
    }

    /// The number of the file's UV set that is to be read.
    pub fn set(self) -> u32 {
        match self {
            UvChoice::Set(set) => set,
            UvChoice::Planar(_) => 0,
        }
    }
}

/// A picture file that a bake reads: a source texture.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct PictureSource {
    pub file: String,
    /// BLAKE3 of the file's bytes, hexadecimal. When given, another file of the same name is refused.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[ts(optional = nullable)]
    pub hash: Option<String>,
}

/// An existing tangent-space normal map of the low-poly, from which maps may be made in place of a sculpt.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct NormalMapSource {
    pub file: String,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[ts(optional = nullable)]
    pub hash: Option<String>,
    /// Which way its green channel points.
    #[serde(default)]
    pub y: Green,
}
