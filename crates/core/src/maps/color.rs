//! `color`: the colour the sculpt carries where it is hit: painted on its vertices, in its material's texture, or in a
//! picture of one's own over its UVs. Averaged in linear light, pictures over what a sample covers of them; written sRGB-encoded.

use super::carried::texels_unlike;
use super::{Map, MapKind, MapShape, MapWork, Setup, TileWork};
use crate::finding::Finding;
use crate::hits::Resolved;
use crate::mesh::{Laid, MaterialLook};
use crate::picture::{PictureSource, Sampler, linear_to_srgb};
use glam::Vec3;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Where the colour comes from.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
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

#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct ColorSettings {
    #[serde(default)]
    pub from: ColorFrom,
    /// A picture laid over the sculpt's UVs.
    #[serde(default, skip_serializing_if = "Option::is_none")]
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
        Ok(Box::new(self.task(setup)?))
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

impl ColorSettings {
    /// # Errors
    /// What the sculpt would have to carry.
    fn task(&self, setup: &Setup) -> Result<ColorTask, String> {
        let high = &setup.scene.high;
        let picture = match &self.picture {
            Some(source) => Some(setup.scene.images.get(&source.file)?),
            None => None,
        };
        let has_color = high.looks.iter().any(MaterialLook::has_color);
        let source = match (self.from, picture) {
            (ColorFrom::Auto | ColorFrom::Picture, Some(picture)) => Carrier::Picture(Laid {
                image: picture.clone(),
                sampler: Sampler::default(),
                placing: None,
                on_texture_uvs: false,
            }),
            (ColorFrom::Picture, None) => {
                return Err(
                    "it is set to come from a picture, but none is given; add one, or choose another source".into()
                );
            }
            (ColorFrom::Materials, _) => Carrier::Materials,
            (ColorFrom::Auto, None)
                if high.looks.iter().any(|l| l.picture.is_some() || (l.times_vertices && l.has_color())) =>
            {
                Carrier::Materials
            }
            (ColorFrom::Auto, None) if high.colors.is_empty() && has_color => Carrier::Materials,
            (ColorFrom::Auto | ColorFrom::Vertices, _) => Carrier::Vertices,
        };
        match source {
            Carrier::Vertices if high.colors.is_empty() => {
                return Err(
                    "the sculpt carries no vertex colours, no textures and no material colours; paint it, or add a picture"
                        .into(),
                );
            }
            Carrier::Materials if !has_color => {
                return Err("the sculpt's file names no materials with colours or textures; add a picture".into());
            }
            Carrier::Picture(_) if high.uvs.is_empty() => {
                return Err("the sculpt has no UVs for the picture; unwrap it, or choose a flat projection".into());
            }
            Carrier::Vertices | Carrier::Materials | Carrier::Picture(_) => {}
        }
        let unlike = match &source {
            Carrier::Vertices => None,
            Carrier::Picture(picture) => texels_unlike(setup, ColorSettings::KIND.label, |_| Some(picture)),
            Carrier::Materials => texels_unlike(setup, ColorSettings::KIND.label, |t| {
                high.look_of(t).and_then(|look| look.picture.as_ref())
            }),
        };
        Ok(ColorTask { findings: unlike.into_iter().collect(), source, times_opacity: self.times_opacity })
    }
}

enum Carrier {
    Vertices,
    Materials,
    Picture(Laid),
}

pub(super) struct ColorTask {
    source: Carrier,
    times_opacity: bool,
    findings: Vec<Finding>,
}

impl ColorTask {
    /// What the sculpt carries, by whatever it carries it.
    ///
    /// # Errors
    /// It carries none.
    pub fn of_sculpt(setup: &Setup) -> Result<ColorTask, String> {
        ColorSettings::default().task(setup)
    }

    /// Linear light where sample `s` hit, averaged over what it stands for.
    pub fn at(&self, hit: &Resolved, s: usize) -> Vec3 {
        match &self.source {
            Carrier::Vertices => hit.colors()[s],
            Carrier::Picture(picture) => hit.light(s, picture).unwrap_or_default().truncate(),
            Carrier::Materials => match hit.look(s) {
                None if !hit.has_colors() => Vec3::splat(0.5),
                None => hit.colors()[s],
                Some(look) => {
                    let mut color = Vec3::from(look.color);
                    if look.times_vertices && hit.has_colors() {
                        color *= hit.colors()[s];
                    }
                    // What lies under transparent texels is kept: alpha has a map of its own.
                    let texture = look.picture.as_ref().and_then(|picture| hit.light(s, picture));
                    color * texture.map_or(Vec3::ONE, |t| t.truncate())
                }
            },
        }
    }
}

impl MapWork for ColorTask {
    fn evaluate(&self, tile: &mut TileWork, out: &mut [f32]) {
        for (texel, samples) in tile.wanted_texels() {
            let all = samples.len();
            let mut sum = Vec3::ZERO;
            let mut count = 0;
            for s in samples.filter(|s| tile.hits.is_hit(*s)) {
                sum += self.at(&tile.surface, s);
                count += 1;
            }
            let over = if self.times_opacity { all } else { count };
            let mean = sum / over.max(1) as f32;
            for (slot, light) in out[texel * 3..texel * 3 + 3].iter_mut().zip(mean.to_array()) {
                *slot = linear_to_srgb(light.clamp(0.0, 1.0));
            }
        }
    }

    fn findings(&self) -> &[Finding] {
        &self.findings
    }
}
