//! A profile: how a delivery is named, packed and encoded. It knows maps by their keys and nothing of one asset, so that one serves
//! every asset; it is kept, copied and shared as JSON.

use super::names::Pattern;
use crate::maps::Green;
use crate::picture::{Depth, ImageFormat};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// The version this program writes. Newer profiles are refused.
pub const PROFILE_VERSION: u32 = 1;

/// How a delivery is named, packed and encoded.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Profile {
    pub version: u32,
    /// Letters, digits, `-` and `_`.
    pub name: String,
    /// What it is for, in a sentence.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub about: String,
    /// Names of picture files without their ending; fields stand in braces, folders before a `/`. See [`Pattern`].
    #[serde(default = "default_pattern")]
    pub pattern: String,
    /// Texels per side at most: a larger sheet is halved until it fits. None: as it was baked.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub most_size: Option<u32>,
    /// Which way green points in tangent-space normals.
    #[serde(default)]
    pub y: Green,
    /// Rows from the bottom up, for programs whose V runs down.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub flip_v: bool,
    pub pictures: Vec<PictureRule>,
    #[serde(default)]
    pub meshes: MeshRules,
}

fn default_pattern() -> String {
    "{asset}_{sheet}_{map}.{tile}".to_owned()
}

/// One kind of picture file of a delivery; a sheet has one of each.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct PictureRule {
    /// What `{map}` in the pattern stands for.
    pub suffix: String,
    pub holds: Holds,
    #[serde(default)]
    pub format: ImageFormat,
    pub depth: Depth,
    /// A run without its maps is not what the taker expects; what is not needed is left out in silence.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub needed: bool,
}

/// What a picture holds.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Holds {
    /// A map as it is, by its key.
    Map(String),
    /// One pick for grey, three for red, green and blue, four with alpha.
    Channels(Vec<Pick>),
}

/// Where a channel comes from.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(untagged)]
pub enum Pick {
    /// The same everywhere, 0..1.
    Value(f32),
    Map(MapPick),
}

/// A channel of a map.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct MapPick {
    /// The map's key.
    pub map: String,
    /// Of grey maps every channel is the grey.
    #[serde(default)]
    pub channel: Channel,
    /// 1 less the value: gloss from roughness, for one.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub invert: bool,
    /// The value where the run lacks the map, 0..1; none makes a packed picture without it incomplete.
    #[serde(default, rename = "else", skip_serializing_if = "Option::is_none")]
    pub otherwise: Option<f32>,
}

impl Pick {
    /// A channel of a map as it stands.
    pub fn of(map: &str, channel: Channel) -> Pick {
        Pick::Map(MapPick { map: map.to_owned(), channel, invert: false, otherwise: None })
    }

    /// The first channel of a map, with a value where the run lacks it.
    pub fn or(map: &str, otherwise: f32) -> Pick {
        Pick::Map(MapPick { map: map.to_owned(), channel: Channel::R, invert: false, otherwise: Some(otherwise) })
    }
}

/// One of the channels of a picture.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Channel {
    #[default]
    R,
    G,
    B,
    A,
}

impl Channel {
    pub const ALL: [Channel; 4] = [Channel::R, Channel::G, Channel::B, Channel::A];
}

/// Which meshes a delivery holds.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields, default)]
pub struct MeshRules {
    /// The low-poly with its tangents and the maps applied, as GLB.
    pub glb: bool,
    /// The low-poly as OBJ with its MTL.
    pub obj: bool,
    /// The cage, as OBJ.
    pub cage: bool,
}

impl Default for MeshRules {
    fn default() -> MeshRules {
        MeshRules { glb: true, obj: true, cage: true }
    }
}

impl Profile {
    /// Reads a profile.
    ///
    /// # Errors
    /// What is wrong with it and where, in a sentence.
    pub fn from_json(text: &str) -> Result<Profile, String> {
        #[derive(Deserialize)]
        struct Versioned {
            version: u32,
        }
        let versioned: Versioned = serde_json::from_str(text).map_err(|fault| format!("it is no profile: {fault}"))?;
        // Before its fields, which a later version may have more of.
        known_version(versioned.version)?;
        let profile: Profile = serde_json::from_str(text).map_err(|fault| fault.to_string())?;
        profile.validate()?;
        Ok(profile)
    }

    /// # Errors
    /// The first thing that cannot be, in a sentence.
    pub fn validate(&self) -> Result<(), String> {
        known_version(self.version)?;
        let plain = |c: char| c.is_alphanumeric() || c == '-' || c == '_';
        if self.name.is_empty() || self.name.chars().count() > crate::recipe::MOST_NAME || !self.name.chars().all(plain)
        {
            return Err(format!("name '{}': letters, digits, - and _ make a name", self.name));
        }
        Pattern::parse(&self.pattern).map_err(|fault| format!("pattern: {fault}"))?;
        if self.most_size == Some(0) {
            return Err("most_size is 0; leave it out to deliver maps as they were baked".to_owned());
        }
        if self.pictures.is_empty() {
            return Err("pictures: it delivers none; name at least one".to_owned());
        }
        for (at, picture) in self.pictures.iter().enumerate() {
            picture
                .validate()
                .map_err(|fault| format!("pictures, number {} ('{}'): {fault}", at + 1, picture.suffix))?;
        }
        Ok(())
    }
}

fn known_version(version: u32) -> Result<(), String> {
    match (1..=PROFILE_VERSION).contains(&version) {
        true => Ok(()),
        false => Err(format!(
            "it is of version {version}, and this program reads 1 to {PROFILE_VERSION}. Update the program"
        )),
    }
}

impl PictureRule {
    fn validate(&self) -> Result<(), String> {
        let plain = |c: char| c.is_alphanumeric() || "-_. ".contains(c);
        if !self.suffix.chars().all(plain) {
            return Err("a suffix holds letters, digits, spaces, -, _ and dots".to_owned());
        }
        if !self.format.depths().contains(&self.depth) {
            return Err(format!("{} cannot hold {}", self.format.label(), self.depth.words()));
        }
        let Holds::Channels(picks) = &self.holds else { return Ok(()) };
        if ![1, 3, 4].contains(&picks.len()) {
            return Err(format!("{} channels; a picture has 1, 3 or 4", picks.len()));
        }
        if picks.len() == 4 && self.format == ImageFormat::Jpeg {
            return Err("JPEG holds no alpha".to_owned());
        }
        let constants = picks.iter().filter_map(|pick| match pick {
            Pick::Value(value) => Some(*value),
            Pick::Map(pick) => pick.otherwise,
        });
        match constants.into_iter().find(|value| !(0.0..=1.0).contains(value)) {
            Some(value) => Err(format!("the value {value} lies outside 0 to 1")),
            None => Ok(()),
        }
    }

    /// Keys of the maps it takes, each once.
    pub fn maps(&self) -> Vec<&str> {
        let mut maps: Vec<&str> = match &self.holds {
            Holds::Map(map) => vec![map],
            Holds::Channels(picks) => picks
                .iter()
                .filter_map(|pick| match pick {
                    Pick::Map(pick) => Some(pick.map.as_str()),
                    Pick::Value(_) => None,
                })
                .collect(),
        };
        maps.sort_unstable();
        maps.dedup();
        maps
    }
}
