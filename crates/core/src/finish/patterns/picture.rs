//! `picture`: a picture repeated over the surface: over UVs, or projected from three sides and blended where they meet.

use super::planar::fitted;
use super::{Control, ControlInput, Kernel, Making, Pattern, PatternInfo, Points, pattern};
use crate::picture::{Coding, Image, PictureSource, Pixels, Sampler, linear_to_srgb};
use glam::{Vec2, Vec4, vec2};
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
        Ok(Box::new(PictureKernel { laid: self.laid(making)?, channel: self.channel }))
    }

    fn picture(&self) -> Option<&PictureSource> {
        self.picture.as_ref()
    }
}

impl PicturePatternSettings {
    fn laid(&self, making: &Making) -> Result<LaidPicture, String> {
        let source = self.picture.as_ref().ok_or("its picture pattern names no file; choose one")?;
        let image = making.images.get(&source.file)?;
        Ok(self.lay(image.clone(), making.repeats))
    }

    fn lay(&self, image: Arc<Image>, repeats: bool) -> LaidPicture {
        LaidPicture { image, size: fitted(self.size, repeats), blend: self.blend, repeats }
    }

    /// Its colours, ready to be asked; and why there are none, with a placeholder that cannot be taken for a picture instead.
    pub(in crate::finish) fn colors(&self, making: &Making) -> (Box<dyn ColorKernel>, Option<String>) {
        let (laid, fault) = match self.laid(making) {
            Ok(laid) => (laid, None),
            Err(fault) => (self.lay(placeholder(), making.repeats), Some(fault)),
        };
        (Box::new(ColorPictureKernel { laid }), fault)
    }
}

/// What stands where a picture is missing: broad slanted stripes in ember and ash, on every size of sheet.
pub(in crate::finish) fn placeholder() -> Arc<Image> {
    const SIDE: u32 = 64;
    let stripe =
        |x: u32, y: u32| if ((x + y) / 16).is_multiple_of(2) { [0xe0, 0x5a, 0x1e] } else { [0xd8, 0xd4, 0xcc] };
    let texels = (0..SIDE).flat_map(|y| (0..SIDE).flat_map(move |x| stripe(x, y))).collect();
    Arc::new(Image::new(SIDE, SIDE, 3, Pixels::U8(texels), Coding::Srgb))
}

/// A picture as it lies on the surface.
struct LaidPicture {
    image: Arc<Image>,
    size: f32,
    blend: f32,
    repeats: bool,
}

struct PictureKernel {
    laid: LaidPicture,
    channel: PictureChannel,
}

/// A picture's colours.
pub trait ColorKernel: Send + Sync {
    /// Fills three columns with linear light at as many places as they have room for.
    fn fill(&self, at: &Points, out: [&mut [f32]; 3]);
}

struct ColorPictureKernel {
    laid: LaidPicture,
}

impl PictureChannel {
    /// A channel at a UV, averaged over `texels` per side, as the file holds it.
    pub fn read(self, image: &Image, uv: Vec2, texels: f32) -> f32 {
        self.of(image, image.light(uv, texels, Sampler::default()))
    }

    /// A channel of light read from a picture, as the file holds it.
    fn of(self, image: &Image, light: Vec4) -> f32 {
        let encoded = |light: f32| if image.coding == Coding::Srgb { linear_to_srgb(light.max(0.0)) } else { light };
        match self {
            PictureChannel::R => encoded(light.x),
            PictureChannel::G => encoded(light.y),
            PictureChannel::B => encoded(light.z),
            PictureChannel::A => light.w,
        }
    }
}

impl LaidPicture {
    /// Light and alpha at place `i`.
    fn at(&self, at: &Points, i: usize) -> Vec4 {
        let texels_per_unit = self.image.width.max(self.image.height) as f32 / self.size;
        let read = |u: f32, v: f32, side: f32| {
            self.image.light(vec2(u, v) / self.size, side * texels_per_unit, Sampler::default())
        };
        let (x, y, z, side) = (at.x[i], at.y[i], at.z[i], at.side[i]);
        if self.repeats {
            return read(x, y, side);
        }
        let facing = [at.normal[0][i].abs(), at.normal[1][i].abs(), at.normal[2][i].abs()];
        let most = facing[0].max(facing[1]).max(facing[2]);
        // A side counts as far as it falls short of the foremost one by less than the blend width.
        let weight = facing.map(|f| (1.0 - (most - f) / self.blend.max(1e-4)).max(0.0));
        let seen = [[z, y], [x, z], [x, y]];
        let (mut sum, mut all) = (Vec4::ZERO, 0.0);
        for (w, [u, v]) in weight.into_iter().zip(seen) {
            if w > 0.0 {
                sum += w * read(u, v, side);
                all += w;
            }
        }
        sum / all
    }
}

impl Kernel for PictureKernel {
    fn fill(&self, at: &Points, out: &mut [f32]) {
        for (i, slot) in out.iter_mut().enumerate() {
            *slot = self.channel.of(&self.laid.image, self.laid.at(at, i)).clamp(0.0, 1.0);
        }
    }
}

impl ColorKernel for ColorPictureKernel {
    fn fill(&self, at: &Points, [r, g, b]: [&mut [f32]; 3]) {
        for i in 0..r.len() {
            [r[i], g[i], b[i]] = self.laid.at(at, i).truncate().to_array();
        }
    }
}
