//! Flat things: a square made here to bake onto, and UVs laid flat along an axis.

use super::{Mesh, Part};
use glam::{Vec3, vec2};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::fmt;
use std::str::FromStr;

/// A flat square of two triangles to bake onto, UVs filling the unit square, facing up its axis.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
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
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
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

/// A UV set of a file, by number from 0, or by the name it has in glTF files: TEXCOORD_0, TEXCOORD_1.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(try_from = "WrittenUvSet", into = "u32")]
pub struct UvSet(pub u32);

#[derive(Deserialize, JsonSchema)]
#[serde(untagged)]
enum WrittenUvSet {
    Number(u32),
    Named(String),
}

const UV_SET_NAME: &str = "TEXCOORD_";

impl TryFrom<WrittenUvSet> for UvSet {
    type Error = String;

    fn try_from(written: WrittenUvSet) -> Result<UvSet, String> {
        match written {
            WrittenUvSet::Number(number) => Ok(UvSet(number)),
            WrittenUvSet::Named(name) => name.parse(),
        }
    }
}

impl From<UvSet> for u32 {
    fn from(set: UvSet) -> u32 {
        set.0
    }
}

impl FromStr for UvSet {
    type Err = String;

    fn from_str(text: &str) -> Result<UvSet, String> {
        let number = text.strip_prefix(UV_SET_NAME).unwrap_or(text);
        let unknown = || format!("'{text}' names no UV set; give its number from 0, or its name, {UV_SET_NAME}1");
        number.parse().map(UvSet).map_err(|_| unknown())
    }
}

impl fmt::Display for UvSet {
    fn fmt(&self, f: &mut fmt::Formatter) -> fmt::Result {
        write!(f, "{UV_SET_NAME}{}", self.0)
    }
}

/// The UVs of a mesh: a set of the file, or a flat projection along an axis, the bounding box filling the unit square.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(untagged, expecting = "UVs are the number or the name of a set, or \"planar-x\", \"planar-y\" or \"planar-z\"")]
pub enum UvChoice {
    Set(UvSet),
    Planar(Plane),
}

/// A flat projection: along x (u from -z, v from y), along y (u from x, v from -z) or along z (u from x, v from y).
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Plane {
    PlanarX,
    PlanarY,
    PlanarZ,
}

impl Default for UvChoice {
    fn default() -> Self {
        UvChoice::Set(UvSet(0))
    }
}

impl UvChoice {
    pub fn is_first(&self) -> bool {
        *self == UvChoice::Set(UvSet(0))
    }

    /// The number of the file's UV set that is to be read.
    pub fn set(self) -> UvSet {
        match self {
            UvChoice::Set(set) => set,
            UvChoice::Planar(_) => UvSet(0),
        }
    }
}
