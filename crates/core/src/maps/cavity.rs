//! `cavity`: creases and pits of a set size. By occlusion within that size, or by the concave part of what curvature has left
//! once its slower bends are taken off.

use super::curvature::{AUTO_DETAIL, BendSource};
use super::fan::{Falloff, FanRequest, Occluders, RayWish, Rays, Side};
use super::{Automatic, DetailMap, MadeFrom, Map, MapKind, MapShape, MapWork, Setup, TileWork};
use crate::surface::Distance;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::sync::Arc;

/// How cavities are found.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum CavityMethod {
    /// Occlusion within the detail size.
    #[default]
    Occlusion,
    /// The concave part of high-pass curvature.
    Curvature,
}

#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(default, deny_unknown_fields)]
pub struct CavitySettings {
    pub from: MadeFrom,
    pub method: CavityMethod,
    /// Size of the creases that are wanted, scene units; `auto` is 0.6 % of the asset's diagonal.
    pub detail: Distance,
    /// Occlusion: rays per texel.
    pub rays: Rays,
    /// How fast it darkens: 1 as measured.
    pub strength: f32,
}

impl Default for CavitySettings {
    fn default() -> Self {
        CavitySettings {
            from: MadeFrom::Sculpt,
            method: CavityMethod::Occlusion,
            detail: Distance::Auto,
            rays: Rays::Fixed(32),
            strength: 1.0,
        }
    }
}

/// Slower bends, which the curvature method takes off, are averaged over this many detail sizes.
const SLOW: f32 = 4.0;
/// Occlusion this close darkens as it comes: rays go this many detail sizes, and count less the further they get.
pub(super) const NEAR: f32 = 2.0;

impl Map for CavitySettings {
    const KIND: MapKind = MapKind {
        explains: "Small creases and pits only, dark on white. Multiplied over colour to pick out detail.",
        encoding: "1 = flat or raised, 0 = deep; linear",
        automatic: &[Automatic::new("detail", AUTO_DETAIL)],
        ..MapKind::data("cavity", "Cavity", MapShape::grey(&[1.0]))
    };

    fn prepare(&self, setup: &Setup) -> Result<Box<dyn MapWork>, String> {
        let detail = setup.distance(self.detail, AUTO_DETAIL);
        if self.from == MadeFrom::Sculpt {
            setup.needs_sculpt()?;
        }
        let how = match (self.method, self.from) {
            (CavityMethod::Occlusion, MadeFrom::Sculpt) => {
                let wish = RayWish {
                    rays: self.rays,
                    distance: detail * NEAR,
                    falloff: Falloff::Linear,
                    side: Side::Outward,
                    occluders: &Occluders::Pair,
                    clear: &[],
                    way: false,
                };
                How::Rays(FanRequest::new(setup, &wish)?)
            }
            (CavityMethod::Occlusion, MadeFrom::NormalMap) => How::Relief(setup.detail.clone()?, detail * NEAR),
            (CavityMethod::Curvature, MadeFrom::Sculpt) => How::Bends {
                fine: BendSource::Sculpt(setup.curvature(detail)?),
                slow: BendSource::Sculpt(setup.curvature(detail * SLOW)?),
                radius: detail * 2.0,
            },
            (CavityMethod::Curvature, MadeFrom::NormalMap) => How::Bends {
                fine: BendSource::NormalMap(setup.detail.clone()?, detail),
                slow: BendSource::NormalMap(setup.detail.clone()?, detail * SLOW),
                radius: detail * 2.0,
            },
        };
        Ok(Box::new(CavityTask { how, strength: self.strength }))
    }

    fn encoding(&self) -> String {
        let how = match self.method {
            CavityMethod::Occlusion => "openness within twice the detail size, linear falloff",
            CavityMethod::Curvature => "1 - concave part of curvature at the detail size less that at four times it",
        };
        format!("{how}; {}; detail size {}", Self::KIND.encoding, self.detail.words())
    }

    fn words(&self) -> String {
        let method = match self.method {
            CavityMethod::Occlusion => "by occlusion",
            CavityMethod::Curvature => "by curvature",
        };
        format!("{method}, size {}, strength {}{}", self.detail.words(), self.strength, self.from.words())
    }

    fn validate(&self) -> Result<(), String> {
        self.rays.check()?;
        self.detail.check("detail")?;
        match self.strength.is_finite() && (0.0..=16.0).contains(&self.strength) {
            true => Ok(()),
            false => Err(format!("strength is {}; give 0 to 16", self.strength)),
        }
    }

    fn rays(&self) -> Option<Rays> {
        (self.method == CavityMethod::Occlusion && self.from == MadeFrom::Sculpt).then_some(self.rays)
    }

    fn uses_normal_map(&self) -> bool {
        self.from == MadeFrom::NormalMap
    }
}

enum How {
    Rays(FanRequest),
    Relief(Arc<DetailMap>, f32),
    Bends { fine: BendSource, slow: BendSource, radius: f32 },
}

struct CavityTask {
    how: How,
    strength: f32,
}

impl MapWork for CavityTask {
    fn evaluate(&self, tile: &mut TileWork, out: &mut [f32]) {
        let met = match &self.how {
            How::Rays(request) => Some(tile.fan(request)),
            How::Relief(..) | How::Bends { .. } => None,
        };
        for (texel, samples) in tile.wanted_texels() {
            let depth = match &self.how {
                How::Rays(_) => 1.0 - met.as_ref().map_or(1.0, |met| met.open[texel]),
                How::Relief(detail, distance) => {
                    1.0 - detail.mean(&tile.plan.scene, tile.hits, samples, |at| detail.openness(at, *distance))
                }
                How::Bends { fine, slow, radius } => {
                    (slow.mean(tile, samples.clone()) - fine.mean(tile, samples)) * radius
                }
            };
            out[texel] = (1.0 - self.strength * depth).clamp(0.0, 1.0);
        }
    }

    fn requests(&self) -> Vec<&FanRequest> {
        match &self.how {
            How::Rays(request) => vec![request],
            How::Relief(..) | How::Bends { .. } => Vec::new(),
        }
    }
}
