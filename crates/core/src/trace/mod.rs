//! Rays against the high-poly mesh: the acceleration tree, packets of sixteen rays through it, and the watertight triangle
//! test. It knows no sheet and no map.

mod lanes;
mod nearest;
mod packet;
mod ready;
mod sight;
mod tree;
mod walk;

pub use lanes::{LANES, PerRay, Registers};
pub use nearest::NearestPoint;
pub use packet::{FanAnswer, Packet, PacketAnswer, Walk};
pub use sight::{Sight, SightMask};
pub use tree::{Rounding, TraceScene};
pub use walk::ClosestRule;

use crate::surface::MeshPoint;
use glam::Vec3;

/// What rays do with triangles that look away from them.
#[derive(Clone, Copy, Debug, PartialEq, Eq, serde::Serialize, serde::Deserialize, schemars::JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum BackFaces {
    Skip,
    Keep,
}

/// From where a ray's hits are judged front or back.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Seen {
    /// By one who looks along the ray.
    Along,
    /// By one who looks back along it from its far end: a triangle that faces the ray's direction is a front face.
    FromAhead,
}

/// A piece of a ray: `origin + t * direction` for `0 <= t <= length`. `direction` is a unit vector.
#[derive(Clone, Copy, Debug)]
pub struct RaySpan {
    pub origin: Vec3,
    pub direction: Vec3,
    pub length: f32,
}

/// Where a ray met the mesh.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Hit {
    pub at: MeshPoint,
    /// Distance from the ray's origin in scene units.
    pub t: f32,
    pub back: bool,
}

/// A closest-hit answer.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct TraceAnswer {
    pub hit: Option<Hit>,
    /// A back face was skipped in front of the hit, or with no hit at all.
    pub skipped_back: bool,
}
