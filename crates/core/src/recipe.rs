//! The recipe: the one description of a bake, the same for the browser, the command line, the store and the files that are
//! delivered. It names meshes and settings; it holds no results. docs/recipe.md tells it for readers.

use crate::maps::MapSettings;
use crate::sheet::{Depth, SAMPLE_COUNTS};
use crate::trace::BackFaces;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// The version this program writes. Older recipes are read; newer ones are refused.
pub const RECIPE_VERSION: u32 = 1;

/// Smallest and largest sheet, in texels a side.
pub const SHEET_SIZES: std::ops::RangeInclusive<u32> = 16..=16384;

/// A mesh file. On the command line `file` is a path, relative to the recipe; in the browser it is the name it came with.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct Source {
    pub file: String,
    /// BLAKE3 of the file's bytes, hexadecimal. When given, another file of the same name is refused.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[ts(optional = nullable)]
    pub hash: Option<String>,
}

/// Which high-poly parts the rays of a low-poly part may hit.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "kebab-case")]
pub enum Pairing {
    /// Parts whose names agree once `_low`, `_high` and the like are taken off.
    #[default]
    Names,
    /// Every part sees every part.
    All,
}

/// A distance in scene units, or `"auto"`: measured from the two meshes when the bake is planned.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize, TS)]
#[serde(untagged)]
pub enum Distance {
    #[default]
    #[serde(with = "auto_word")]
    #[ts(type = "\"auto\"")]
    Auto,
    Units(f32),
}

mod auto_word {
    use serde::{Deserialize, Deserializer, Serializer, de::Error};

    pub fn serialize<S: Serializer>(s: S) -> Result<S::Ok, S::Error> {
        s.serialize_str("auto")
    }

    pub fn deserialize<'de, D: Deserializer<'de>>(d: D) -> Result<(), D::Error> {
        match String::deserialize(d)?.as_str() {
            "auto" => Ok(()),
            other => Err(D::Error::custom(format!("'{other}' is not a distance; give a number or \"auto\""))),
        }
    }
}

/// How far rays start outside the low surface, and how far they go inside it.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct Reach {
    pub out: Distance,
    #[serde(rename = "in")]
    pub inward: Distance,
}

/// The way rays run.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "kebab-case")]
pub enum Direction {
    /// Along the mean of the faces around each point: no gaps at hard edges.
    #[default]
    Averaged,
    /// Square to each face: nothing leans, but gaps open at hard edges.
    Plumb,
}

/// Which of several surfaces along a ray counts.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "kebab-case")]
pub enum HitRule {
    /// The first one met from outside.
    #[default]
    Outermost,
    /// The one nearest to the low surface.
    Nearest,
}

/// How far covered texels are spread into the void around islands.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(untagged)]
pub enum Padding {
    #[serde(with = "all_word")]
    #[ts(type = "\"all\"")]
    All,
    Texels(u32),
}

mod all_word {
    use serde::{Deserialize, Deserializer, Serializer, de::Error};

    pub fn serialize<S: Serializer>(s: S) -> Result<S::Ok, S::Error> {
        s.serialize_str("all")
    }

    pub fn deserialize<'de, D: Deserializer<'de>>(d: D) -> Result<(), D::Error> {
        match String::deserialize(d)?.as_str() {
            "all" => Ok(()),
            other => Err(D::Error::custom(format!("'{other}' is not a padding; give a number or \"all\""))),
        }
    }
}

/// The file format of the maps.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "kebab-case")]
pub enum ImageFormat {
    #[default]
    Png,
}

/// Size and sampling of the sheet.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct SheetSettings {
    /// Texels a side.
    pub size: u32,
    /// Samples a texel: 1, 4, 16 or 64.
    pub samples: u32,
    pub padding: Padding,
    pub depth: Depth,
    #[serde(default)]
    pub format: ImageFormat,
    /// Texels a side of a proof (never more than `size`).
    #[serde(default = "default_proof_size")]
    pub proof_size: u32,
}

fn default_proof_size() -> u32 {
    512
}

impl Default for SheetSettings {
    fn default() -> Self {
        SheetSettings {
            size: 1024,
            samples: 4,
            padding: Padding::Texels(16),
            depth: Depth::Eight,
            format: ImageFormat::Png,
            proof_size: default_proof_size(),
        }
    }
}

/// Everything needed to repeat a bake.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct Recipe {
    pub version: u32,
    #[serde(default)]
    pub asset: String,
    pub low: Vec<Source>,
    pub high: Vec<Source>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[ts(optional = nullable)]
    pub cage: Option<Source>,
    #[serde(default)]
    pub pairing: Pairing,
    #[serde(default)]
    pub reach: Reach,
    #[serde(default)]
    pub direction: Direction,
    #[serde(default)]
    pub hit: HitRule,
    #[serde(default = "default_back_faces")]
    pub back_faces: BackFaces,
    #[serde(default)]
    pub sheet: SheetSettings,
    #[serde(default = "default_maps")]
    pub maps: Vec<MapSettings>,
    #[serde(default)]
    #[ts(type = "number")]
    pub seed: u64,
}

fn default_back_faces() -> BackFaces {
    BackFaces::Skip
}

fn default_maps() -> Vec<MapSettings> {
    MapSettings::first_choice()
}

impl Recipe {
    /// A recipe with default settings and no meshes yet.
    pub fn new(asset: &str) -> Recipe {
        Recipe {
            version: RECIPE_VERSION,
            asset: asset.to_owned(),
            low: Vec::new(),
            high: Vec::new(),
            cage: None,
            pairing: Pairing::default(),
            reach: Reach::default(),
            direction: Direction::default(),
            hit: HitRule::default(),
            back_faces: default_back_faces(),
            sheet: SheetSettings::default(),
            maps: default_maps(),
            seed: 0,
        }
    }

    /// The same recipe as a proof: at most `proof_size` texels a side, one sample a texel.
    pub fn as_proof(&self) -> Recipe {
        let mut proof = self.clone();
        proof.sheet.size = self.sheet.size.min(self.sheet.proof_size);
        proof.sheet.samples = 1;
        proof
    }

    /// Checks every setting that a type cannot.
    ///
    /// # Errors
    /// One sentence: the field, what it holds, what it may hold.
    pub fn validate(&self) -> Result<(), String> {
        if self.version != RECIPE_VERSION {
            return Err(format!("version is {}; this program reads recipes of version {RECIPE_VERSION}", self.version));
        }
        for (name, size) in [("sheet.size", self.sheet.size), ("sheet.proof_size", self.sheet.proof_size)] {
            if !SHEET_SIZES.contains(&size) {
                return Err(format!("{name} is {size}; give {} to {}", SHEET_SIZES.start(), SHEET_SIZES.end()));
            }
        }
        if !SAMPLE_COUNTS.contains(&self.sheet.samples) {
            return Err(format!("sheet.samples is {}; give 1, 4, 16 or 64", self.sheet.samples));
        }
        for (name, distance) in [("reach.out", self.reach.out), ("reach.in", self.reach.inward)] {
            if let Distance::Units(d) = distance
                && !(d.is_finite() && d >= 0.0)
            {
                return Err(format!("{name} is {d}; give a distance of 0 or more in scene units, or \"auto\""));
            }
        }
        if let (Distance::Units(out), Distance::Units(inward)) = (self.reach.out, self.reach.inward)
            && out + inward <= 0.0
        {
            return Err("reach.out and reach.in are both 0, so rays have no length; raise one of them".into());
        }
        if self.maps.is_empty() {
            return Err("maps is empty; name at least one map".into());
        }
        for (i, map) in self.maps.iter().enumerate() {
            if self.maps[..i].iter().any(|m| m.id() == map.id()) {
                return Err(format!("maps names '{}' twice; keep one", map.id()));
            }
        }
        Ok(())
    }
}

/// Name of a map's file: `<low-file-stem>_<map>.<ext>`.
pub fn map_file_name(low_file: &str, map: &str, format: ImageFormat) -> String {
    let name = low_file.rsplit(['/', '\\']).next().unwrap_or(low_file);
    let stem = name.rsplit_once('.').map_or(name, |(stem, _)| stem);
    let extension = match format {
        ImageFormat::Png => "png",
    };
    format!("{stem}_{map}.{extension}")
}
