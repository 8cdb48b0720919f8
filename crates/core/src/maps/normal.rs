//! `normal`: the sculpt's normal at the hit, in the tangent frame the renderer will use on the low-poly.

use super::fan::FanRequest;
use super::finished::{Finishes, bent_by};
use super::{Map, MapKind, MapShape, MapWork, Reads, Setup, TileWork};
use crate::hits::TileHits;
use crate::mesh::{CornerTangent, Laid, Mesh, corner_tangents};
use crate::reach::Direction;
use crate::scene::BakeScene;
use glam::Vec3;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::sync::Arc;

/// Which way the green channel points.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
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
    /// As it is written short.
    pub fn short(self) -> &'static str {
        match self {
            Green::Up => "Y+",
            Green::Down => "Y-",
        }
    }

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

#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields, default)]
pub struct NormalSettings {
    pub y: Green,
    /// Bend it by the normal texture that the sculpt's own materials carry, where they do.
    pub carried: bool,
}

impl Default for NormalSettings {
    fn default() -> Self {
        NormalSettings { y: Green::Up, carried: true }
    }
}

impl Map for NormalSettings {
    const KIND: MapKind = MapKind {
        explains: "The sculpt's surface direction, relative to the low-poly. Lights up detail that the low-poly lacks.",
        encoding: "tangent-space normal, MikkTSpace, n*0.5+0.5; linear",
        slow: true,
        ..MapKind::data("normal", "Normal", MapShape::rgb(&[0.5, 0.5, 1.0]))
    };

    fn prepare(&self, setup: &Setup) -> Result<Box<dyn MapWork>, String> {
        let finishes = setup.relief();
        if finishes.is_none() {
            setup.needs_sculpt()?;
        }
        let carried = self.carried.then(|| CarriedNormals::of(&setup.scene.high)).flatten();
        Ok(Box::new(NormalTask { green: self.y.sign(), carried, finishes }))
    }

    fn tangent_space(&self) -> bool {
        true
    }

    fn reads(&self, _diagonal: f32) -> Reads {
        Reads::Direction { y: self.y }
    }

    fn encoding(&self) -> String {
        format!("{}; {}", Self::KIND.encoding, self.y.words())
    }

    fn words(&self) -> String {
        let carried = if self.carried { "" } else { ", without the sculpt's own normal textures" };
        format!("{}{carried}", self.y.words())
    }
}

/// Normal textures of the sculpt, and the tangents they are told in: MikkTSpace over the UVs that they lie on.
struct CarriedNormals {
    on_uvs: Vec<[CornerTangent; 3]>,
    on_texture_uvs: Vec<[CornerTangent; 3]>,
}

impl CarriedNormals {
    fn of(mesh: &Mesh) -> Option<CarriedNormals> {
        let carried = || mesh.looks.iter().filter_map(|look| look.surface.as_ref()?.normal.as_ref());
        let apart = |laid: &Laid| laid.on_texture_uvs && !mesh.texture_uvs.is_empty();
        carried().next()?;
        let on = |texture_uvs: bool| carried().any(|(laid, _)| apart(laid) == texture_uvs);
        Some(CarriedNormals {
            on_uvs: if on(false) && !mesh.uvs.is_empty() { corner_tangents(mesh) } else { Vec::new() },
            on_texture_uvs: if on(true) { corner_tangents(&mesh.on_texture_uvs()) } else { Vec::new() },
        })
    }

    /// The shading normal where sample `s` hit, bent by the texture there.
    fn bent(&self, tile: &TileWork, s: usize) -> Option<Vec3> {
        let (hit, surface, normal) = (tile.hits.hit(s)?, &tile.surface, tile.surface.normals()[s]);
        let (laid, strength) = surface.look(s)?.surface.as_ref()?.normal.as_ref()?;
        let apart = laid.on_texture_uvs && !tile.scene().high.texture_uvs.is_empty();
        let tangents = if apart { &self.on_texture_uvs } else { &self.on_uvs };
        let corners = tangents.get(hit.at.triangle as usize)?;
        let tangent = hit.at.between(corners.map(|c| c.tangent));
        let way = surface.light(s, laid)?.truncate() * 2.0 - 1.0;
        // The sculpt's own side: one that was hit from behind had its normal turned.
        let turn = if hit.back { -1.0 } else { 1.0 };
        let own = normal * turn;
        let bitangent = own.cross(tangent) * corners[0].sign;
        let bent = tangent * (way.x * strength) + bitangent * (way.y * strength) + own * way.z;
        Some(bent.try_normalize()? * turn)
    }
}

struct NormalTask {
    green: f32,
    carried: Option<CarriedNormals>,
    /// Finishes whose heights bend it.
    finishes: Option<Arc<Finishes>>,
}

impl NormalTask {
    /// The surface's normal at a sample, with what its materials and an own normal map add.
    fn at(&self, tile: &TileWork, s: usize) -> Vec3 {
        let (scene, normal) = (tile.scene(), tile.surface.normals()[s]);
        let relief = tile.relief.as_ref().filter(|_| scene.own_surface);
        match (&self.carried, relief) {
            (_, Some(detail)) => detail.normal(scene, tile.hits.low(s)).unwrap_or(normal),
            (Some(carried), None) => carried.bent(tile, s).unwrap_or(normal),
            (None, None) => normal,
        }
    }
}

impl MapWork for NormalTask {
    fn evaluate(&self, tile: &mut TileWork, out: &mut [f32]) {
        if tile.wanted_texels().next().is_none() {
            return;
        }
        let slopes = self.finishes.as_ref().map(|finishes| finishes.slopes(tile));
        let (scene, hits) = (tile.scene(), tile.hits);
        for (texel, samples) in tile.wanted_texels() {
            let mut sum = Vec3::ZERO;
            for s in samples {
                if !hits.is_hit(s) {
                    continue;
                }
                let mut normal = self.at(tile, s);
                if let Some(slopes) = &slopes {
                    let up = scene.low.point(hits.low(s), Direction::Averaged).outward;
                    normal = bent_by(normal, up, slopes[texel]);
                }
                sum += to_tangent_space(scene, hits, s, normal);
            }
            put_normal(&mut out[texel * 3..texel * 3 + 3], sum, self.green);
        }
    }

    fn requests(&self) -> Vec<&FanRequest> {
        self.finishes.as_ref().map_or(Vec::new(), |finishes| finishes.requests())
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
    match scene.low.frame(hits.low(s)) {
        Some(frame) => (frame.inverse() * vector).normalize_or(Vec3::Z),
        None => Vec3::Z,
    }
}

/// A texel's channels (0..1) back to a unit tangent-space vector.
pub fn decode_normal(rgb: [f32; 3], green: Green) -> Vec3 {
    let n = Vec3::from(rgb) * 2.0 - 1.0;
    Vec3::new(n.x, green.sign() * n.y, n.z).normalize_or(Vec3::Z)
}
