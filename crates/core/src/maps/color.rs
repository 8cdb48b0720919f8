//! `color`: the colour the sculpt carries where it is hit: painted on its vertices, in its material's texture, or in a
//! picture of one's own over its UVs. Averaged in linear light, written sRGB-encoded.

use super::{Map, MapKind, MapShape, MapWork, Setup, TileWork};
use crate::mesh::{Mesh, NO_MATERIAL};
use crate::recipe::PictureSource;
use crate::sheet::{Image, linear_to_srgb, srgb_to_linear};
use crate::trace::Hit;
use glam::Vec3;
use serde::{Deserialize, Serialize};
use std::sync::Arc;
use ts_rs::TS;

/// Where the colour comes from.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "kebab-case")]
pub enum ColorFrom {
    /// The picture given here, or else textures of the sculpt's materials, or else its vertex colours.
    #[default]
    Auto,
    Vertices,
    /// Textures and base colours of the sculpt's materials.
    Materials,
    /// The picture given here.
    Picture,
}

#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, TS)]
pub struct ColorSettings {
    #[serde(default)]
    pub from: ColorFrom,
    /// A picture laid over the sculpt's UVs.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[ts(optional = nullable)]
    pub picture: Option<PictureSource>,
    /// Darken by the share of rays that missed, so that cut-outs stand on black.
    #[serde(default)]
    pub times_opacity: bool,
}

impl Map for ColorSettings {
    const KIND: MapKind = MapKind {
        explains: "The colour the sculpt carries: painted on its points, or in its textures. Also moves a texture to other UVs.",
        encoding: "colour of the hit, sRGB",
        color: true,
        ..MapKind::data("color", "Colour", MapShape::rgb(&[0.0, 0.0, 0.0]))
    };

    fn prepare(&self, setup: &Setup) -> Result<Box<dyn MapWork>, String> {
        let high = &setup.scene.high;
        let picture = match &self.picture {
            Some(source) => Some(
                setup
                    .scene
                    .images
                    .get(&source.file)
                    .ok_or_else(|| format!("{}: the picture was not read", source.file))?,
            ),
            None => None,
        };
        let source = match (self.from, picture) {
            (ColorFrom::Auto | ColorFrom::Picture, Some(picture)) => Carrier::Picture(picture.clone()),
            (ColorFrom::Picture, None) => {
                return Err("it is to come from a picture, and none is given; give one, or take another source".into());
            }
            (ColorFrom::Materials, _) => Carrier::Materials,
            (ColorFrom::Auto, None) if high.looks.iter().any(|l| l.texture.is_some()) => Carrier::Materials,
            (ColorFrom::Auto, None) if high.colors.is_empty() && !high.looks.is_empty() => Carrier::Materials,
            (ColorFrom::Auto | ColorFrom::Vertices, _) => Carrier::Vertices,
        };
        match source {
            Carrier::Vertices if high.colors.is_empty() => {
                return Err(
                    "the sculpt carries no vertex colours, no textures and no material colours; paint it, or give a \
                            picture"
                        .into(),
                );
            }
            Carrier::Materials if high.looks.is_empty() => {
                return Err("the sculpt's file names no materials with colours or textures; give a picture".into());
            }
            Carrier::Picture(_) if high.uvs.is_empty() => {
                return Err(
                    "the sculpt has no UVs to lay the picture on; unwrap it, or choose a flat projection".into()
                );
            }
            Carrier::Vertices | Carrier::Materials | Carrier::Picture(_) => {}
        }
        let linear = std::array::from_fn(|byte| srgb_to_linear(byte as f32 / 255.0));
        Ok(Box::new(ColorTask { source, linear, times_opacity: self.times_opacity }))
    }

    fn words(&self) -> String {
        let from = match (self.from, &self.picture) {
            (ColorFrom::Auto, None) => "from what the sculpt carries".to_owned(),
            (ColorFrom::Auto | ColorFrom::Picture, Some(picture)) => format!("from {}", picture.file),
            (ColorFrom::Picture, None) => "from a picture".to_owned(),
            (ColorFrom::Vertices, _) => "from vertex colours".to_owned(),
            (ColorFrom::Materials, _) => "from materials".to_owned(),
        };
        if self.times_opacity { format!("{from}, times opacity") } else { from }
    }

    fn picture(&self) -> Option<&PictureSource> {
        self.picture.as_ref().filter(|_| matches!(self.from, ColorFrom::Auto | ColorFrom::Picture))
    }
}

enum Carrier {
    Vertices,
    Materials,
    Picture(Arc<Image>),
}

struct ColorTask {
    source: Carrier,
    /// Linear light of each sRGB byte.
    linear: [f32; 256],
    times_opacity: bool,
}

impl ColorTask {
    fn vertex_color(&self, mesh: &Mesh, hit: &Hit) -> Vec3 {
        let [a, b, c] = mesh.triangles[hit.triangle as usize]
            .map(|v| Vec3::from(mesh.colors[v as usize].map(|byte| self.linear[byte as usize])));
        a + (b - a) * hit.v + (c - a) * hit.w
    }

    /// Linear light at a hit.
    fn at(&self, mesh: &Mesh, hit: &Hit) -> Vec3 {
        let uv = || {
            let [a, b, c] = mesh.corner_uvs(hit.triangle);
            a + (b - a) * hit.v + (c - a) * hit.w
        };
        let picked = |image: &Image| {
            let [r, g, b, _] = image.sample(uv(), srgb_to_linear);
            Vec3::new(r, g, b)
        };
        match &self.source {
            Carrier::Vertices => self.vertex_color(mesh, hit),
            Carrier::Picture(image) => picked(image),
            Carrier::Materials => {
                let material = mesh.triangle_materials.get(hit.triangle as usize).copied().unwrap_or(NO_MATERIAL);
                match mesh.looks.get(material as usize) {
                    None if mesh.colors.is_empty() => Vec3::splat(0.5),
                    None => self.vertex_color(mesh, hit),
                    Some(look) => {
                        let base = Vec3::from(look.color);
                        match &look.texture {
                            Some(texture) if !mesh.uvs.is_empty() => base * picked(texture),
                            _ => base,
                        }
                    }
                }
            }
        }
    }
}

impl MapWork for ColorTask {
    fn evaluate(&self, tile: &mut TileWork, out: &mut [f32]) {
        let (scene, hits) = (tile.scene(), tile.hits);
        for (texel, samples) in hits.wanted_texels() {
            let all = samples.len();
            let mut sum = Vec3::ZERO;
            let mut count = 0;
            for hit in samples.filter_map(|s| hits.hit(s)) {
                sum += self.at(&scene.high, &hit);
                count += 1;
            }
            let over = if self.times_opacity { all } else { count };
            let mean = sum / over.max(1) as f32;
            for (slot, light) in out[texel * 3..texel * 3 + 3].iter_mut().zip(mean.to_array()) {
                *slot = linear_to_srgb(light.clamp(0.0, 1.0));
            }
        }
    }
}
