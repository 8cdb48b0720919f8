//! Values of a map as something that can be mixed and carried over a surface: directions in the axes of the scene, colours as light, numbers
//! as they stand.

use crate::maps::{Green, MapSettings, Reads, decode_normal};
use crate::picture::{linear_to_srgb, srgb_to_linear};
use crate::reach::LowSurface;
use crate::surface::MeshPoint;
use glam::{Mat3, Quat, Vec3, Vec4};

/// What a map's channels mean to a mend.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) enum Space {
    /// Directions in the tangent frame of the low-poly.
    Tangent(Green),
    /// Directions in the axes of the scene.
    Axes,
    /// Colours, encoded for the eye as they stand.
    Color,
    Plain,
}

/// A direction that leaves the surface by less than this share of its length is turned up to it.
const LEAST_UP: f32 = 1e-3;
/// One that leans by less than this does so by rounding.
const STRAIGHT: f32 = 2e-6;

impl Space {
    pub fn of(map: &MapSettings) -> Space {
        match (map, map.reads(1.0)) {
            (MapSettings::NormalObject(_), _) => Space::Axes,
            (_, Reads::Direction { y }) => Space::Tangent(y),
            (_, Reads::Color) => Space::Color,
            (_, Reads::Height | Reads::Number { .. }) => Space::Plain,
        }
    }

    pub fn directions(self) -> bool {
        matches!(self, Space::Tangent(_) | Space::Axes)
    }

    /// Numbers that tell a value: three of a direction, else one per channel.
    pub fn numbers(self, channels: usize) -> usize {
        if self.directions() { 3 } else { channels.min(4) }
    }

    /// A texel at a place of the low surface; none where a direction has no frame to stand in.
    pub fn open(self, raw: [f32; 4], low: &LowSurface, at: MeshPoint) -> Option<Vec4> {
        let [r, g, b, a] = raw;
        match self {
            Space::Tangent(green) => {
                let way = (low.frame(at)? * decode_normal([r, g, b], green)).try_normalize()?;
                Some(way.extend(0.0))
            }
            Space::Axes => Some(decode_normal([r, g, b], Green::Up).extend(0.0)),
            Space::Color => Some(Vec4::new(srgb_to_linear(r), srgb_to_linear(g), srgb_to_linear(b), a)),
            Space::Plain => Some(raw.into()),
        }
    }

    /// The other way round.
    pub fn close(self, value: Vec4, low: &LowSurface, at: MeshPoint) -> Option<[f32; 4]> {
        match self {
            Space::Tangent(green) => {
                let frame: Mat3 = low.frame(at)?;
                let mut n = (frame.inverse() * value.truncate()).try_normalize()?;
                // Straight up is straight up: rounding would fall on either side of the middle of a byte.
                if n.z > 0.0 && n.truncate().abs().max_element() < STRAIGHT {
                    n = Vec3::Z;
                }
                if n.z < LEAST_UP {
                    n = Vec3::new(n.x, n.y, LEAST_UP).normalize();
                }
                let [x, y, z] = (Vec3::new(n.x, green.sign() * n.y, n.z) * 0.5 + 0.5).to_array();
                Some([x, y, z, 1.0])
            }
            Space::Axes => {
                let [x, y, z] = (value.truncate().try_normalize()? * 0.5 + 0.5).to_array();
                Some([x, y, z, 1.0])
            }
            Space::Color => {
                let [r, g, b, a] = value.to_array();
                let seen = |light: f32| linear_to_srgb(light.clamp(0.0, 1.0));
                Some([seen(r), seen(g), seen(b), a])
            }
            Space::Plain => Some(value.to_array()),
        }
    }

    /// The value that lies over a surface facing `from` as it lies over one facing `to`; both unit vectors.
    pub fn carried(self, value: Vec4, from: Vec3, to: Vec3) -> Vec4 {
        if self.directions() { (Quat::from_rotation_arc(from, to) * value.truncate()).extend(0.0) } else { value }
    }
}

/// The shading normal of the low-poly at a place, unit length.
pub(super) fn base(low: &LowSurface, at: MeshPoint) -> Vec3 {
    let normals = low.mesh.triangles[at.triangle as usize].map(|c| low.mesh.normals[c as usize]);
    at.between(normals).try_normalize().unwrap_or_else(|| low.mesh.face_normal(at.triangle))
}
