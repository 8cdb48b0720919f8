//! The three axes of the scene.

use glam::Vec3;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// An axis of the scene.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Axis {
    X,
    Y,
    Z,
}

impl Axis {
    pub fn letter(self) -> char {
        ['X', 'Y', 'Z'][self as usize]
    }

    /// A point on the other side of the plane across this axis through `middle`.
    pub fn mirror(self, point: Vec3, middle: Vec3) -> Vec3 {
        let mut to = point;
        to[self as usize] = 2.0 * middle[self as usize] - point[self as usize];
        to
    }
}
