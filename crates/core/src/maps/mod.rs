//! The maps: one file and one row of [`maps!`] each. A map takes the hits of a tile, which all maps of a run share, and
//! gives one value a texel. It casts no primary ray of its own; rays that leave the sculpt (occlusion) go through
//! [`fan`], which shares them between maps.

mod ao;
mod base_color;
mod bent_normal;
mod blur;
mod carried;
mod cavity;
mod color;
mod curvature;
mod detail;
mod displacement;
mod emission;
mod fan;
mod finished;
mod height;
mod id;
mod mask;
mod metallic;
mod miss;
mod normal;
mod normal_object;
mod opacity;
mod orientation;
mod packed;
mod placed;
mod position;
mod reads;
mod roughness;
mod signals;
mod standing;
mod survey;
mod thickness;
mod work;

pub use ao::AoSettings;
pub use base_color::BaseColorSettings;
pub use bent_normal::BentNormalSettings;
pub use cavity::{CavityMethod, CavitySettings};
pub use color::{ColorFrom, ColorSettings};
pub use curvature::{CurvatureEncoding, CurvatureSettings};
pub use detail::DetailMap;
pub use displacement::DisplacementSettings;
pub use emission::EmissionSettings;
pub use fan::{
    Asked, Falloff, FanRequest, Occluders, RAY_COUNTS, RAY_ERRORS, Rays, RaysByError, RaysSpent, most_ray_counts,
};
pub(crate) use finished::Finishes;
pub use finished::inside_of;
pub use height::HeightSettings;
pub use id::{IdSettings, IdSource, PaletteEntry, colour_of_name};
pub use mask::MaskMapSettings;
pub use metallic::MetallicSettings;
pub use miss::MissSettings;
pub use normal::{Green, NormalSettings, decode_normal};
pub use normal_object::NormalObjectSettings;
pub use opacity::OpacitySettings;
pub use orientation::{GreenGuess, LEAST_MARGIN, green_of};
pub use packed::PackedSettings;
pub use placed::Placed;
pub(crate) use placed::sources;
pub use position::{PositionAxis, PositionSettings};
pub use reads::{Reads, Unit};
pub use roughness::RoughnessSettings;
pub use signals::regions_at;
pub use standing::{Standing, StandingFinishes};
pub use survey::{SURVEY_RAYS, Survey};
pub use thickness::ThicknessSettings;

use detail::texel_steps;
pub use work::{Setup, TileWork};

use crate::finding::Finding;
use crate::finish::{FinishChannel, file_name};
use crate::picture::PictureSource;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// What is fixed about a kind of map.
#[derive(Clone, Copy, Debug, Serialize, JsonSchema)]
pub struct MapKind {
    pub id: &'static str,
    pub label: &'static str,
    /// One line for a newcomer.
    pub explains: &'static str,
    /// How a texel is to be read, as it stands in the report.
    pub encoding: &'static str,
    /// Channels and value outside every island, unless a setting changes them.
    pub shape: MapShape,
    /// Colours meant to be seen: sRGB-encoded. All others are data.
    pub color: bool,
    /// Flat colours, none of which may change by a step.
    pub flat: bool,
    /// Values are signed heights in scene units until the whole map is known.
    pub heights: bool,
    /// Slow gradients tell: steps between values show where eight bits hold them.
    pub slow: bool,
    /// Distances that may be `auto`.
    pub automatic: &'static [Automatic],
    /// A recipe may hold several, each with a name of its own.
    pub named: bool,
}

/// What a distance comes to where it is `auto`.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, JsonSchema)]
pub struct Automatic {
    /// Name of the setting.
    pub setting: &'static str,
    /// Share of the asset's diagonal.
    pub share: f32,
}

impl Automatic {
    const fn new(setting: &'static str, share: f32) -> Automatic {
        Automatic { setting, share }
    }
}

impl MapKind {
    const fn data(id: &'static str, label: &'static str, shape: MapShape) -> MapKind {
        MapKind {
            id,
            label,
            explains: "",
            encoding: "",
            shape,
            color: false,
            flat: false,
            heights: false,
            slow: false,
            automatic: &[],
            named: false,
        }
    }
}

/// Channels of a map, and what stands outside every island.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, JsonSchema)]
pub struct MapShape {
    pub channels: usize,
    pub neutral: &'static [f32],
}

impl MapShape {
    const fn grey(neutral: &'static [f32; 1]) -> MapShape {
        MapShape { channels: 1, neutral }
    }

    const fn rgb(neutral: &'static [f32; 3]) -> MapShape {
        MapShape { channels: 3, neutral }
    }
}

/// Whether a map is made from the sculpt or from the recipe's normal map.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum MadeFrom {
    #[default]
    Sculpt,
    /// The low-poly bent by the recipe's normal map.
    NormalMap,
}

impl MadeFrom {
    pub(crate) fn words(self) -> &'static str {
        match self {
            MadeFrom::Sculpt => "",
            MadeFrom::NormalMap => ", from the normal map",
        }
    }
}

/// A map with settings, as a recipe holds it.
trait Map: Sized {
    const KIND: MapKind;

    /// Gets the map ready for a scene: tables built once, before any tile.
    fn prepare(&self, setup: &Setup) -> Result<Box<dyn MapWork>, String>;

    fn shape(&self) -> MapShape {
        Self::KIND.shape
    }

    /// How a texel is to be read, with the settings that bear on it.
    fn encoding(&self) -> String {
        Self::KIND.encoding.to_owned()
    }

    /// Its directions lie in the tangent space of the low-poly, so that green goes with V.
    fn tangent_space(&self) -> bool {
        false
    }

    /// How a file of it is read, on an asset of this diagonal (scene units).
    fn reads(&self, _diagonal: f32) -> Reads {
        match Self::KIND {
            MapKind { heights: true, .. } => Reads::Height,
            MapKind { color: true, .. } | MapKind { flat: true, .. } => Reads::Color,
            _ => Reads::SHARE,
        }
    }

    /// The settings in a few words.
    fn words(&self) -> String {
        String::new()
    }

    /// A setting that is out of range: its name, what it holds, what it may hold.
    fn validate(&self) -> Result<(), String> {
        Ok(())
    }

    /// Its name among those of its kind, where a recipe may hold several.
    fn name(&self) -> Option<&str> {
        None
    }

    /// Masks of the recipe that it is made of.
    fn masks(&self) -> Vec<&str> {
        Vec::new()
    }

    /// A picture file the map reads.
    fn picture(&self) -> Option<&PictureSource> {
        None
    }

    /// The distance from black to white of a map of heights, when it is set.
    fn set_scale(&self) -> Option<f32> {
        None
    }

    fn uses_normal_map(&self) -> bool {
        false
    }

    /// Rays per texel that it traces beyond the primary ones.
    fn rays(&self) -> Option<Rays> {
        None
    }
}

/// A map ready to work on tiles. One call per tile, none per texel.
pub trait MapWork: Send + Sync {
    /// Fills `out` (texels of the tile times channels) with values, 0..1 or heights. Texels without samples are left alone.
    fn evaluate(&self, tile: &mut TileWork, out: &mut [f32]);

    /// Rays it asks for beyond the primary ones; [`TileWork`] traces them together with those of other maps.
    fn requests(&self) -> Vec<&FanRequest> {
        Vec::new()
    }

    /// Names and colours of a map that has a table of them.
    fn palette(&self) -> Option<&[PaletteEntry]> {
        None
    }

    /// What getting ready brought to light.
    fn findings(&self) -> &[Finding] {
        &[]
    }
}

macro_rules! maps {
    ($($name:ident($settings:ty)),+ $(,)?) => {
        /// Every kind of map, in the order they are shown.
        pub const MAPS: &[MapKind] = &[$(<$settings as Map>::KIND),+];

        /// A map that a recipe asks for, with its settings.
        #[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
        #[serde(tag = "map", rename_all = "kebab-case")]
        pub enum MapSettings { $($name($settings)),+ }

        impl MapSettings {
            /// Every map with its default settings, in the order they are shown; those that need a name are left out.
            pub fn all() -> Vec<MapSettings> {
                MapSettings::every().into_iter().filter(|map| !map.kind().named).collect()
            }

            /// The same with those that need a name.
            pub fn every() -> Vec<MapSettings> {
                vec![$(MapSettings::$name(Default::default())),+]
            }

            pub fn kind(&self) -> &'static MapKind {
                match self { $(MapSettings::$name(_) => &<$settings as Map>::KIND),+ }
            }

            /// Gets the map ready for a scene.
            ///
            /// # Errors
            /// Why it cannot be made of what is there, in words for the user.
            pub fn prepare(&self, setup: &Setup) -> Result<Box<dyn MapWork>, String> {
                match self { $(MapSettings::$name(s) => s.prepare(setup)),+ }
            }

            pub fn shape(&self) -> MapShape {
                match self { $(MapSettings::$name(s) => s.shape()),+ }
            }

            /// Its directions lie in the tangent space of the low-poly, so that green goes with V.
            pub fn tangent_space(&self) -> bool {
                match self { $(MapSettings::$name(s) => s.tangent_space()),+ }
            }

            /// How a file of it is read, on an asset of this diagonal (scene units).
            pub fn reads(&self, diagonal: f32) -> Reads {
                match self { $(MapSettings::$name(s) => s.reads(diagonal)),+ }
            }

            /// How a texel of this map is to be read, with the settings that bear on it.
            pub fn encoding(&self) -> String {
                match self { $(MapSettings::$name(s) => s.encoding()),+ }
            }

            /// The settings in a few words, for the ledger.
            pub fn words(&self) -> String {
                match self { $(MapSettings::$name(s) => s.words()),+ }
            }

            /// Checks what types cannot.
            ///
            /// # Errors
            /// The setting, what it holds and what it may hold.
            pub fn validate(&self) -> Result<(), String> {
                match self { $(MapSettings::$name(s) => s.validate()),+ }
            }

            /// Its name among those of its kind, where a recipe may hold several.
            pub fn name(&self) -> Option<&str> {
                match self { $(MapSettings::$name(s) => s.name()),+ }
            }

            /// Masks of the recipe that it is made of.
            pub fn masks(&self) -> Vec<&str> {
                match self { $(MapSettings::$name(s) => s.masks()),+ }
            }

            /// A picture file the map reads.
            pub fn picture(&self) -> Option<&PictureSource> {
                match self { $(MapSettings::$name(s) => s.picture()),+ }
            }

            /// The distance from black to white of a map of heights, when it is set.
            pub fn set_scale(&self) -> Option<f32> {
                match self { $(MapSettings::$name(s) => s.set_scale()),+ }
            }

            /// Rays per texel that it traces beyond the primary ones.
            pub fn rays(&self) -> Option<Rays> {
                match self { $(MapSettings::$name(s) => s.rays()),+ }
            }

            /// True when it is made from the recipe's normal map.
            pub fn uses_normal_map(&self) -> bool {
                match self { $(MapSettings::$name(s) => s.uses_normal_map()),+ }
            }
        }
    };
}

maps! {
    Normal(NormalSettings),
    NormalObject(NormalObjectSettings),
    Ao(AoSettings),
    BentNormal(BentNormalSettings),
    Curvature(CurvatureSettings),
    Cavity(CavitySettings),
    Displacement(DisplacementSettings),
    Id(IdSettings),
    Color(ColorSettings),
    BaseColor(BaseColorSettings),
    Opacity(OpacitySettings),
    Roughness(RoughnessSettings),
    Metallic(MetallicSettings),
    Emission(EmissionSettings),
    Height(HeightSettings),
    Position(PositionSettings),
    Thickness(ThicknessSettings),
    Miss(MissSettings),
    Mask(MaskMapSettings),
    Packed(PackedSettings),
}

impl MapSettings {
    /// What of a recipe's finishes shows on it; none where nothing does.
    pub fn finish_channel(&self) -> Option<FinishChannel> {
        use MapSettings::{Ao, BaseColor, Displacement, Emission, Height, Metallic, Normal, Opacity, Roughness};
        match self {
            BaseColor(_) => Some(FinishChannel::Color),
            Roughness(_) => Some(FinishChannel::Roughness),
            Metallic(_) => Some(FinishChannel::Metallic),
            Emission(_) => Some(FinishChannel::Emission),
            Opacity(_) => Some(FinishChannel::Opacity),
            Height(_) | Normal(_) | Displacement(_) | Ao(AoSettings { detail: true, .. }) => {
                Some(FinishChannel::Height)
            }
            _ => None,
        }
    }

    /// Whether finishes of a recipe show on it.
    pub fn shows_finish(&self) -> bool {
        self.finish_channel().is_some()
    }

    /// The kind of map: `ao`, `mask`.
    pub fn id(&self) -> &'static str {
        self.kind().id
    }

    /// What tells it from all other maps of a recipe: its kind, with its name where there may be several: `ao`, `mask:edge wear`.
    pub fn key(&self) -> String {
        match self.name() {
            Some(name) => format!("{}:{name}", self.id()),
            None => self.id().to_owned(),
        }
    }

    /// What it is called where a person reads: `Occlusion`, `Mask edge wear`.
    pub fn label(&self) -> String {
        match self.name() {
            Some(name) => format!("{} {name}", self.kind().label),
            None => self.kind().label.to_owned(),
        }
    }

    /// Its part of a file name: `ao`, `edge-wear`.
    pub fn file_part(&self) -> String {
        self.name().map_or_else(|| self.id().to_owned(), file_name)
    }

    /// Sets the rays per texel of a map that traces its own; leaves others alone.
    pub fn with_rays(mut self, wanted: Rays) -> MapSettings {
        match &mut self {
            MapSettings::Ao(AoSettings { rays, .. })
            | MapSettings::BentNormal(BentNormalSettings { rays, .. })
            | MapSettings::Cavity(CavitySettings { rays, .. })
            | MapSettings::Mask(MaskMapSettings { rays, .. })
            | MapSettings::Packed(PackedSettings { rays, .. })
            | MapSettings::Thickness(ThicknessSettings { rays, .. }) => *rays = wanted,
            MapSettings::Normal(_)
            | MapSettings::NormalObject(_)
            | MapSettings::Curvature(_)
            | MapSettings::Displacement(_)
            | MapSettings::Id(_)
            | MapSettings::Color(_)
            | MapSettings::Opacity(_)
            | MapSettings::Roughness(_)
            | MapSettings::Metallic(_)
            | MapSettings::Emission(_)
            | MapSettings::BaseColor(_)
            | MapSettings::Height(_)
            | MapSettings::Position(_)
            | MapSettings::Miss(_) => {}
        }
        self
    }

    /// The same with at most `limit` rays per texel; maps that trace none are left alone.
    pub fn with_at_most(self, limit: u32) -> MapSettings {
        match self.rays() {
            Some(rays) => self.with_rays(rays.at_most(limit)),
            None => self,
        }
    }

    /// The map of this key with its default settings: `ao`, `mask:edge wear`.
    pub fn by_key(key: &str) -> Option<MapSettings> {
        match key.split_once(':') {
            Some(("mask", name)) => Some(MapSettings::Mask(MaskMapSettings::of(name))),
            _ => MapSettings::all().into_iter().find(|m| m.id() == key),
        }
    }

    /// What a new asset bakes until told otherwise.
    pub fn first_choice() -> Vec<MapSettings> {
        ["normal", "ao", "curvature", "id", "miss"].into_iter().filter_map(MapSettings::by_key).collect()
    }
}
