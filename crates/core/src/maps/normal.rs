//! `normal`: the sculpt's normal at the hit, in the tangent frame the renderer will use on the low-poly.

use super::{Map, MapKind, MapShape, MapWork, Setup, TileWork};
use crate::bake::{BakeScene, TileHits};
use glam::Vec3;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

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

    pub(crate) fn sign(self) -> f32 {
        match self {
            Green::Up => 1.0,
            Green::Down => -1.0,
        }
    }
}

#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct NormalSettings {
    #[serde(default)]
    pub y: Green,
}

impl Map for NormalSettings {
    const KIND: MapKind = MapKind {
        explains: "The sculpt's surface direction, relative to the low-poly. Lights up detail that the low-poly lacks.",
        encoding: "tangent-space normal, MikkTSpace, n*0.5+0.5; linear",
        ..MapKind::data("normal", "Normal", MapShape::rgb(&[0.5, 0.5, 1.0]))
    };

    fn prepare(&self, setup: &Setup) -> Result<Box<dyn MapWork>, String> {
        setup.needs_sculpt()?;
        Ok(Box::new(NormalTask { green: self.y.sign() }))
    }

    fn encoding(&self) -> String {
        format!("{}; {}", Self::KIND.encoding, self.y.words())
    }

    fn words(&self) -> String {
        self.y.words().to_owned()
    }
}

struct NormalTask {
    green: f32,
}

impl MapWork for NormalTask {
    fn evaluate(&self, tile: &mut TileWork, out: &mut [f32]) {
        let (scene, hits) = (tile.scene(), tile.hits);
        for (texel, samples) in hits.wanted_texels() {
            let mut sum = Vec3::ZERO;
            for s in samples {
                if let Some(normal) = hits.normal(scene, s) {
                    sum += to_tangent_space(scene, hits, s, normal);
                }
            }
            put_normal(&mut out[texel * 3..texel * 3 + 3], sum, self.green);
        }
    }
}

/// A mean of tangent-space vectors as a texel; flat when there is none.
pub(super) fn put_normal(out: &mut [f32], sum: Vec3, green: f32) {
    let n = sum.try_normalize().unwrap_or(Vec3::Z);
    out[0] = n.x * 0.5 + 0.5;
    out[1] = green * n.y * 0.5 + 0.5;
    out[2] = n.z * 0.5 + 0.5;
}

/// The vector that the renderer's decoding turns back into `vector`: the inverse of `normalize(x T + y B + z N)`.
pub(super) fn to_tangent_space(scene: &BakeScene, hits: &TileHits, s: usize, vector: Vec3) -> Vec3 {
    let (triangle, v, w) = hits.low(s);
    match scene.low.frame(triangle, v, w) {
        Some(frame) => (frame.inverse() * vector).normalize_or(Vec3::Z),
        None => Vec3::Z,
    }
}

/// A texel's channels (0..1) back to a unit tangent-space vector.
pub fn decode_normal(rgb: [f32; 3], green: Green) -> Vec3 {
    let n = Vec3::from(rgb) * 2.0 - 1.0;
    Vec3::new(n.x, green.sign() * n.y, n.z).normalize_or(Vec3::Z)
}
