//! `normal`: the sculpt's normal at the hit, in the tangent frame the renderer will use on the low-poly.

use super::MapKind;
use crate::bake::{BakeScene, TileHits};
use glam::Vec3;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

pub(super) const KIND: MapKind = MapKind {
    id: "normal",
    label: "Normal",
    explains: "The sculpt's surface direction, relative to the low-poly. Lights up detail that the low-poly lacks.",
    encoding: "tangent-space normal, MikkTSpace, n*0.5+0.5; linear",
    channels: 3,
    neutral: &[0.5, 0.5, 1.0],
};

/// Which way the green channel points.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, TS)]
pub enum Green {
    /// Y+: green grows towards the top of the sheet.
    #[default]
    #[serde(rename = "+")]
    Up,
    /// Y-: green grows towards the bottom.
    #[serde(rename = "-")]
    Down,
}

impl Green {
    pub(crate) fn words(self) -> &'static str {
        match self {
            Green::Up => "Y+ (green up)",
            Green::Down => "Y- (green down)",
        }
    }
}

#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize, TS)]
pub struct NormalSettings {
    #[serde(default)]
    pub y: Green,
}

/// The normal map ready to work on tiles.
pub struct NormalTask {
    green: f32,
}

impl NormalTask {
    pub fn new(settings: &NormalSettings) -> NormalTask {
        NormalTask { green: if settings.y == Green::Up { 1.0 } else { -1.0 } }
    }

    pub(super) fn evaluate(&self, scene: &BakeScene, hits: &TileHits, out: &mut [f32]) {
        for (texel, samples) in hits.texels() {
            let mut sum = Vec3::ZERO;
            for s in samples {
                if let Some(normal) = hits.normal(scene, s) {
                    sum += encode_sample(scene, hits, s, normal);
                }
            }
            let n = sum.try_normalize().unwrap_or(Vec3::Z);
            out[texel * 3] = n.x * 0.5 + 0.5;
            out[texel * 3 + 1] = self.green * n.y * 0.5 + 0.5;
            out[texel * 3 + 2] = n.z * 0.5 + 0.5;
        }
    }
}

/// The vector that the renderer's decoding turns back into `normal`: the inverse of `normalize(x T + y B + z N)`.
fn encode_sample(scene: &BakeScene, hits: &TileHits, s: usize, normal: Vec3) -> Vec3 {
    let (triangle, v, w) = hits.low(s);
    match scene.low.frame(triangle, v, w) {
        Some(frame) => (frame.inverse() * normal).normalize_or(Vec3::Z),
        None => Vec3::Z,
    }
}

/// A texel's channels (0..1) back to a unit tangent-space vector.
pub fn decode_normal(rgb: [f32; 3], green: Green) -> Vec3 {
    let n = Vec3::from(rgb) * 2.0 - 1.0;
    let y = if green == Green::Up { n.y } else { -n.y };
    Vec3::new(n.x, y, n.z).normalize_or(Vec3::Z)
}
