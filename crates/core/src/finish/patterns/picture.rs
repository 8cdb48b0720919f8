//! `picture`: a picture repeated over the surface: over UVs, or projected from three sides and blended where they meet.

use super::planar::fitted;
use super::{Control, ControlInput, Kernel, Making, Pattern, PatternInfo, Points, pattern};
use crate::picture::{Coding, Image, PictureSource, Sampler, linear_to_srgb};
use glam::{Vec2, vec2};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::sync::Arc;

/// A channel of a picture.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum PictureChannel {
    #[default]
    R,
    G,
    B,
    A,
}

pattern! {
    /// A picture's channel as its file holds it; 0 to 1.
    pub struct PicturePatternSettings {
        pub picture: Option<PictureSource> = None,
        /// Side of one copy, scene units; over UVs, of the square.
        pub size: f32 = 1.0,
        /// How softly the three sides blend, 0 to 1.
        pub blend: f32 = 0.2,
        pub channel: PictureChannel = PictureChannel::R,
    }
}

impl Pattern for PicturePatternSettings {
    const INFO: PatternInfo = PatternInfo {
        id: "picture",
        label: "Picture",
        explains: "A picture repeated over the surface, projected from three sides.",
        controls: &[
            Control::new("picture", "File", ControlInput::Picture, "A picture of the asset."),
            Control::length("size", "Size", [0.01, 2.0], "Side of one copy."),
            Control::share("blend", "Blend", [0.0, 1.0], "How softly the three sides meet."),
            Control::choice(
                "channel",
                "Channel",
                &[("r", "R"), ("g", "G"), ("b", "B"), ("a", "A")],
                "The channel that is read.",
            ),
        ],
    };

    fn kernel(&self, making: &Making) -> Result<Box<dyn Kernel>, String> {
        let source = self.picture.as_ref().ok_or("its picture pattern names no file; choose one")?;
        let image = making.images.get(&source.file)?;
        Ok(Box::new(PictureKernel {
            image: image.clone(),
            size: fitted(self.size, making.repeats),
            blend: self.blend,
            channel: self.channel,
            repeats: making.repeats,
        }))
    }

    fn picture(&self) -> Option<&PictureSource> {
        self.picture.as_ref()
    }
}

struct PictureKernel {
    image: Arc<Image>,
    size: f32,
    blend: f32,
    channel: PictureChannel,
    repeats: bool,
}

impl PictureChannel {
    /// A channel at a UV, averaged over `texels` per side, as the file holds it.
    pub fn read(self, image: &Image, uv: Vec2, texels: f32) -> f32 {
        let light = image.light(uv, texels, Sampler::default());
        let encoded = |light: f32| if image.coding == Coding::Srgb { linear_to_srgb(light.max(0.0)) } else { light };
        match self {
            PictureChannel::R => encoded(light.x),
            PictureChannel::G => encoded(light.y),
            PictureChannel::B => encoded(light.z),
            PictureChannel::A => light.w,
        }
    }
}

impl Kernel for PictureKernel {
    fn fill(&self, at: &Points, out: &mut [f32]) {
        let texels_per_unit = self.image.width.max(self.image.height) as f32 / self.size;
        let read =
            |u: f32, v: f32, side: f32| self.channel.read(&self.image, vec2(u, v) / self.size, side * texels_per_unit);
        for (i, slot) in out.iter_mut().enumerate() {
            let (x, y, z, side) = (at.x[i], at.y[i], at.z[i], at.side[i]);
            if self.repeats {
                *slot = read(x, y, side).clamp(0.0, 1.0);
                continue;
            }
            let facing = [at.normal[0][i].abs(), at.normal[1][i].abs(), at.normal[2][i].abs()];
            let most = facing[0].max(facing[1]).max(facing[2]);
            // A side counts as far as it falls short of the foremost one by less than the blend width.
            let weight = facing.map(|f| (1.0 - (most - f) / self.blend.max(1e-4)).max(0.0));
            let seen = [[z, y], [x, z], [x, y]];
            let (mut sum, mut all) = (0.0, 0.0);
            for (w, [u, v]) in weight.into_iter().zip(seen) {
                if w > 0.0 {
                    sum += w * read(u, v, side);
                    all += w;
                }
            }
            *slot = (sum / all).clamp(0.0, 1.0);
        }
    }
}
