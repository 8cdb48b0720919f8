//! `curvature`: the sculpt's mean curvature, averaged over a detail size: edges bright, creases dark.

use super::{Automatic, DetailMap, MadeFrom, Map, MapKind, MapShape, MapWork, Reads, Setup, TileWork, Unit};
use crate::mesh::CurvatureField;
use crate::surface::Distance;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::sync::Arc;

/// Share of the asset's diagonal that `auto` takes as detail size.
pub(super) const AUTO_DETAIL: f32 = 0.006;
/// The radius that reads full scale where it is `auto`, in detail sizes: a square edge, averaged over the detail size, reads full.
const AUTO_RADIUS: f32 = 2.0;

/// How curvature is written.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum CurvatureEncoding {
    /// Mid-grey is flat, white convex, black concave.
    #[default]
    Grey,
    /// Convex in red, concave in green.
    RedGreen,
}

#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(default, deny_unknown_fields)]
pub struct CurvatureSettings {
    pub from: MadeFrom,
    /// Radius curvature is averaged over, scene units; `auto` is 0.6 % of the asset's diagonal.
    pub detail: Distance,
    /// The radius of a ball that reads full scale, scene units; `auto` is twice the detail size.
    pub radius: Distance,
    pub encoding: CurvatureEncoding,
}

impl CurvatureSettings {
    /// The radius that reads full scale, scene units.
    fn full_scale(&self, detail: f32) -> f32 {
        self.radius.or_share(AUTO_RADIUS, detail)
    }
}

impl Map for CurvatureSettings {
    const KIND: MapKind = MapKind {
        explains: "Where the sculpt bends: edges bright, creases dark, flat is mid-grey. For edge wear and dirt in creases.",
        encoding: "mean curvature H (1/R on a ball, convex positive) times the full-scale radius r",
        automatic: &[Automatic::new("detail", AUTO_DETAIL), Automatic::new("radius", AUTO_DETAIL * AUTO_RADIUS)],
        ..MapKind::data("curvature", "Curvature", MapShape::grey(&[0.5]))
    };

    fn shape(&self) -> MapShape {
        match self.encoding {
            CurvatureEncoding::Grey => Self::KIND.shape,
            CurvatureEncoding::RedGreen => MapShape::rgb(&[0.0, 0.0, 0.0]),
        }
    }

    fn reads(&self, diagonal: f32) -> Reads {
        let span = 1.0 / self.full_scale(self.detail.or_share(AUTO_DETAIL, diagonal));
        match self.encoding {
            CurvatureEncoding::Grey => Reads::Number { unit: Unit::PerUnit, zero: 0.5, span: 2.0 * span },
            CurvatureEncoding::RedGreen => Reads::Number { unit: Unit::PerUnit, zero: 0.0, span },
        }
    }

    fn prepare(&self, setup: &Setup) -> Result<Box<dyn MapWork>, String> {
        let detail = setup.distance(self.detail, AUTO_DETAIL);
        let radius = self.full_scale(detail);
        let source = match self.from {
            MadeFrom::Sculpt => {
                setup.needs_sculpt()?;
                BendSource::Sculpt(setup.curvature(detail)?)
            }
            MadeFrom::NormalMap => BendSource::NormalMap(setup.detail.clone()?, detail),
        };
        Ok(Box::new(CurvatureTask { source, radius, encoding: self.encoding }))
    }

    fn encoding(&self) -> String {
        let how = match self.encoding {
            CurvatureEncoding::Grey => "0.5 + 0.5*clamp(H*r, -1, 1); linear",
            CurvatureEncoding::RedGreen => "clamp(H*r, 0, 1) in red, clamp(-H*r, 0, 1) in green; linear",
        };
        format!("{}: {how}; detail size {}, r {}", Self::KIND.encoding, self.detail.words(), self.radius.words())
    }

    fn words(&self) -> String {
        let encoding = match self.encoding {
            CurvatureEncoding::Grey => "grey",
            CurvatureEncoding::RedGreen => "red and green",
        };
        format!("over {}, full at radius {}, {encoding}{}", self.detail.words(), self.radius.words(), self.from.words())
    }

    fn validate(&self) -> Result<(), String> {
        self.detail.check("detail")?;
        self.radius.check("radius")
    }

    fn uses_normal_map(&self) -> bool {
        self.from == MadeFrom::NormalMap
    }
}

pub(super) enum BendSource {
    Sculpt(Arc<CurvatureField>),
    /// The normal map, and the size its curvature is averaged over.
    NormalMap(Arc<DetailMap>, f32),
}

impl BendSource {
    /// Mean curvature where a sample hit, 1 / scene units.
    pub fn at(&self, tile: &TileWork, s: usize) -> f32 {
        let scene = &tile.plan.scene;
        match (self, tile.hits.hit(s)) {
            (BendSource::Sculpt(field), Some(hit)) => {
                if hit.back {
                    -field.at(&scene.high, hit.at)
                } else {
                    field.at(&scene.high, hit.at)
                }
            }
            (BendSource::Sculpt(_), None) => 0.0,
            (BendSource::NormalMap(detail, size), _) => {
                detail.at_point(scene, tile.hits.low(s), |at| detail.curvature(at, *size))
            }
        }
    }

    /// Mean curvature averaged over the texel's hits, 1 / scene units; 0 without any.
    pub fn mean(&self, tile: &TileWork, samples: std::ops::Range<usize>) -> f32 {
        let (scene, hits) = (&tile.plan.scene, tile.hits);
        match self {
            BendSource::Sculpt(_) => {
                let hit = samples.filter(|s| hits.is_hit(*s));
                let (sum, count) = hit.fold((0.0, 0), |(sum, count), s| (sum + self.at(tile, s), count + 1));
                sum / count.max(1) as f32
            }
            BendSource::NormalMap(detail, size) => detail.mean(scene, hits, samples, |at| detail.curvature(at, *size)),
        }
    }
}

struct CurvatureTask {
    source: BendSource,
    radius: f32,
    encoding: CurvatureEncoding,
}

impl MapWork for CurvatureTask {
    fn evaluate(&self, tile: &mut TileWork, out: &mut [f32]) {
        for (texel, samples) in tile.wanted_texels() {
            let bend = self.source.mean(tile, samples) * self.radius;
            match self.encoding {
                CurvatureEncoding::Grey => out[texel] = 0.5 + 0.5 * bend.clamp(-1.0, 1.0),
                CurvatureEncoding::RedGreen => {
                    out[texel * 3] = bend.clamp(0.0, 1.0);
                    out[texel * 3 + 1] = (-bend).clamp(0.0, 1.0);
                }
            }
        }
    }
}
