//! The recipe: the one description of a bake, the same for the browser, the command line, the store and the files that are
//! delivered. It names meshes and settings; it holds no results. docs/recipe.md tells it for readers.

mod fixes;
mod patch;
mod source;
mod version;
mod words;

pub use crate::change::Change;
pub use crate::picture::FileBeside;
pub use fixes::{FixOrder, safe_fixes};
pub use patch::{Conflict, GROWING_LISTS, MOST_CHANGES, NAMED_LISTS, PatchFault, all_in_conflict, difference, merge};
pub use source::{MeshSource, NormalMapSource};
pub use words::changes;

use crate::document::{Document, Documents};
use crate::finding::Exception;
use crate::finish::{DocumentShows, DocumentSource, Finish, MOST_FINISHES, MOST_MASKS, Mask};
use crate::hits::HitRule;
use crate::maps::{MapSettings, Rays};
use crate::mend::Mends;
use crate::mesh::PlaneTarget;
use crate::pairs::{Endings, HandPair, PairRules, Pairing};
use crate::picture::{Depth, Image, ImageFormat, PictureSource, Pictures};
use crate::reach::{Direction, Reach, ReachRules};
use crate::sheet::{Padding, Region, SAMPLE_COUNTS, SHEET_SIZES, SheetName, SheetSettings};
use crate::trace::BackFaces;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::collections::BTreeSet;
use std::sync::Arc;

/// Rays per texel that a proof takes at most for maps that trace their own.
pub const PROOF_RAYS: u32 = 16;
/// The first look at a bake: a sheet of so many times fewer texels per side, within these bounds.
const FIRST_LOOK_OF: u32 = 16;
const FIRST_LOOK_LEAST: u32 = 64;
const FIRST_LOOK_MOST: u32 = 128;
/// The version this program writes. Older recipes are read; newer ones are refused.
pub const RECIPE_VERSION: u32 = 1;

/// Characters of an asset's name, at most.
pub const MOST_NAME: usize = 80;

/// Everything needed to repeat a bake.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Recipe {
    pub version: u32,
    #[serde(default)]
    pub asset: String,
    pub low: Vec<MeshSource>,
    /// The sculpt; may be empty when every map comes from `normal_map`.
    #[serde(default)]
    pub high: Vec<MeshSource>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub cage: Option<MeshSource>,
    /// Occlusion, curvature and cavity may be made from this and the low-poly alone.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub normal_map: Option<NormalMapSource>,
    #[serde(default)]
    pub pairing: Pairing,
    #[serde(default)]
    pub endings: Endings,
    /// What was paired manually, by high-poly part.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub hand_pairs: Vec<HandPair>,
    /// Findings that are accepted.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub exceptions: Vec<Exception>,
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
    /// Masks; a map or another mask names the ones that are baked.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub masks: Vec<Mask>,
    /// Finishes: what the surface is made of. Of several on one place the last counts.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub finishes: Vec<Finish>,
    /// Rays per texel of signals that finishes trace.
    #[serde(default = "default_finish_rays", skip_serializing_if = "are_default_finish_rays")]
    pub finish_rays: Rays,
    /// Touch-ups of finished maps, drawn anew onto every bake.
    #[serde(default, skip_serializing_if = "Mends::is_empty")]
    pub mends: Mends,
    /// Of a run: what of the sheets is baked; everything else comes from an earlier run.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub region: Option<Region>,
    #[serde(default)]
    pub seed: u64,
}

fn default_back_faces() -> BackFaces {
    BackFaces::Skip
}

fn default_finish_rays() -> Rays {
    Rays::Fixed(64)
}

fn are_default_finish_rays(rays: &Rays) -> bool {
    *rays == default_finish_rays()
}

fn default_maps() -> Vec<MapSettings> {
    MapSettings::first_choice()
}

/// A side that a recipe does not have yet.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Missing {
    LowPoly,
    /// A sculpt, or a normal map in its place.
    Sculpt,
}

impl std::fmt::Display for Missing {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(match self {
            Missing::LowPoly => "low-poly",
            Missing::Sculpt => "sculpt",
        })
    }
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
            normal_map: None,
            pairing: Pairing::default(),
            endings: Endings::default(),
            hand_pairs: Vec::new(),
            exceptions: Vec::new(),
            reach: Reach::default(),
            direction: Direction::default(),
            hit: HitRule::default(),
            back_faces: default_back_faces(),
            sheet: SheetSettings::default(),
            maps: default_maps(),
            masks: Vec::new(),
            finishes: Vec::new(),
            finish_rays: default_finish_rays(),
            mends: Mends::default(),
            region: None,
            seed: 0,
        }
    }

    /// The same recipe as a proof: at most `proof_size` texels per side, one sample per texel, and few rays for maps that trace
    /// their own.
    pub fn as_proof(&self) -> Recipe {
        let mut proof = self.clone();
        proof.sheet.size = self.sheet.size.min(self.sheet.proof_size);
        proof.sheet.samples = 1;
        proof.finish_rays = self.finish_rays.at_most(PROOF_RAYS);
        for map in &mut proof.maps {
            *map = map.clone().with_at_most(PROOF_RAYS);
        }
        proof
    }

    /// The recipe that a proof was made of, as far as the proof tells: what a proof lowers is as in `now` where that would be lowered to the
    /// same.
    pub fn of_proof(&self, now: &Recipe) -> Recipe {
        let lowered = now.as_proof();
        let mut whole = self.clone();
        whole.sheet.samples = now.sheet.samples;
        if lowered.sheet.size == self.sheet.size {
            whole.sheet.size = now.sheet.size;
        }
        if lowered.finish_rays == self.finish_rays {
            whole.finish_rays = now.finish_rays;
        }
        for map in &mut whole.maps {
            let same = lowered.maps.iter().zip(&now.maps).find(|(lowered, _)| *lowered == map);
            if let Some((_, own)) = same {
                map.clone_from(own);
            }
        }
        whole
    }

    /// The coarsest bake of it that still shows what it is, to be seen at once.
    pub fn as_first_look(&self) -> Recipe {
        let size = (self.sheet.size / FIRST_LOOK_OF).clamp(FIRST_LOOK_LEAST, FIRST_LOOK_MOST);
        let mut first = Recipe { sheet: SheetSettings { proof_size: size, ..self.sheet }, ..self.clone() }.as_proof();
        // Padding would only be cut away again.
        first.sheet.padding = Padding::Texels(0);
        first.mends = Mends::default();
        first.region = None;
        first
    }

    /// What has to be imported before it can be baked.
    pub fn missing(&self) -> Option<Missing> {
        // Masks and finishes measure the low-poly itself where there is nothing else.
        let own = !self.finishes.is_empty() || self.maps.iter().any(|map| !map.masks().is_empty());
        match (self.low.is_empty(), self.high.is_empty() && self.normal_map.is_none() && !own) {
            (true, _) => Some(Missing::LowPoly),
            (false, true) => Some(Missing::Sculpt),
            (false, false) => None,
        }
    }

    /// Checks that it can be baked: every setting that a type cannot, and that there is something to bake from.
    ///
    /// # Errors
    /// One sentence: the field, what it holds, what it may hold.
    pub fn validate(&self) -> Result<(), String> {
        self.validate_settings()?;
        match self.missing() == Some(Missing::Sculpt) {
            true => Err("high is empty; name a sculpt, or a normal_map to make maps from".into()),
            false => Ok(()),
        }
    }

    /// Checks every setting that a type cannot; meshes may still be missing.
    ///
    /// # Errors
    /// As [`Recipe::validate`].
    pub fn validate_settings(&self) -> Result<(), String> {
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
        if self.asset.chars().count() > MOST_NAME {
            return Err(format!("asset has {} characters; give at most {MOST_NAME}", self.asset.chars().count()));
        }
        self.reach.validate()?;
        self.region.as_ref().map_or(Ok(()), Region::validate)?;
        self.low.iter().chain(&self.high).chain(&self.cage).try_for_each(MeshSource::validate)?;
        for picture in self.pictures() {
            source::check_file("picture", &picture.file)?;
        }
        for document in self.documents() {
            let beside = document.beside.iter().map(|beside| &beside.file);
            beside.chain([&document.file]).try_for_each(|file| source::check_file("materialx", file))?;
        }
        self.endings.validate()?;
        self.validate_formats()?;
        if self.maps.is_empty() {
            return Err("maps is empty; name at least one map".into());
        }
        for (i, map) in self.maps.iter().enumerate() {
            if self.maps[..i].iter().any(|m| m.key() == map.key()) {
                return Err(format!("maps names '{}' twice; keep one", map.key()));
            }
            // Two names may come to one file, and a mask's name may be that of a map.
            if let Some(other) = self.maps[..i].iter().find(|m| m.file_part() == map.file_part()) {
                let file = map.file_part();
                return Err(format!("{} and {} would both be the file '{file}'; rename one", other.key(), map.key()));
            }
            map.validate().map_err(|fault| format!("{}.{fault}", map.key()))?;
        }
        self.validate_masks()?;
        self.validate_finishes()?;
        self.mends.validate(&self.maps)
    }

    fn validate_finishes(&self) -> Result<(), String> {
        if self.finishes.len() > MOST_FINISHES {
            return Err(format!("finishes has {} entries; give at most {MOST_FINISHES}", self.finishes.len()));
        }
        self.finish_rays.check().map_err(|fault| format!("finish_{fault}"))?;
        for (i, finish) in self.finishes.iter().enumerate() {
            if self.finishes[..i].iter().any(|other| other.name == finish.name) {
                return Err(format!("finishes names '{}' twice; rename one", finish.name));
            }
            finish.validate()?;
        }
        // Documents are found by name.
        for (i, document) in self.documents().enumerate() {
            let other = |other: &&DocumentSource| other.file == document.file && other.hash != document.hash;
            if self.documents().take(i).find(other).is_some() {
                return Err(format!("finishes name two different documents '{}'; rename one", document.file));
            }
        }
        Ok(())
    }

    /// Adds the maps that show its finishes, and what documents that they lie on show besides.
    pub fn add_maps_of_finishes(&mut self, documents: DocumentShows) {
        let any = |sets: fn(&Finish) -> bool| self.finishes.iter().any(sets);
        let glows = |f: &Finish| f.base.emission.0 != [0; 3] || f.shown().any(|c| c.sets.emission.is_some());
        let clear = |f: &Finish| f.base.opacity < 1.0 || f.shown().any(|c| c.sets.opacity.is_some());
        let stands = |f: &Finish| f.materialx.is_none() && f.sets_height();
        let height = documents.height || any(stands);
        let shown = [
            ("base-color", true),
            ("roughness", true),
            ("metallic", true),
            ("emission", documents.emission || any(glows)),
            ("opacity", documents.opacity || any(clear)),
            ("height", height),
            ("normal", height),
        ];
        for (key, _) in shown.into_iter().filter(|(_, shown)| *shown) {
            if !self.maps.iter().any(|map| map.key() == key) {
                self.maps.extend(MapSettings::by_key(key));
            }
        }
    }

    fn validate_masks(&self) -> Result<(), String> {
        if self.masks.len() > MOST_MASKS {
            return Err(format!("masks has {} entries; give at most {MOST_MASKS}", self.masks.len()));
        }
        for (i, mask) in self.masks.iter().enumerate() {
            if self.masks[..i].iter().any(|m| m.name == mask.name) {
                return Err(format!("masks names '{}' twice; rename one", mask.name));
            }
            mask.validate()?;
        }
        Ok(())
    }

    fn validate_formats(&self) -> Result<(), String> {
        let sheet = &self.sheet;
        if matches!(sheet.format, ImageFormat::Tga | ImageFormat::Jpeg) {
            let label = sheet.format.label();
            return Err(format!(
                "sheet.format is {label}, which is for colour only; give png, tiff or exr, and {label} as color_format"
            ));
        }
        if !sheet.format.depths().contains(&sheet.depth) {
            let held: Vec<&str> = sheet.format.depths().iter().map(|d| d.words()).collect();
            return Err(format!(
                "sheet.depth is {} but {} holds {}; change one of the two",
                sheet.depth.words(),
                sheet.format.label(),
                held.join(" or ")
            ));
        }
        Ok(())
    }

    /// Format and depth of a map's file. A colour format of its own gives the colour map the deepest it holds, up to the sheet's.
    pub fn file_kind(&self, map: &MapSettings) -> (ImageFormat, Depth) {
        let sheet = &self.sheet;
        match sheet.color_format {
            Some(format) if map.kind().color => {
                let depths = format.depths();
                (format, if depths.contains(&sheet.depth) { sheet.depth } else { depths[0] })
            }
            _ => (sheet.format, sheet.depth),
        }
    }

    /// What decides about pairs; the share of space is for whoever has the meshes.
    pub fn pair_rules(&self) -> PairRules<'_> {
        PairRules { pairing: self.pairing, endings: &self.endings, hand_pairs: &self.hand_pairs, share: None }
    }

    /// What decides about reaches besides the meshes.
    pub fn reach_rules(&self) -> ReachRules<'_> {
        ReachRules { reach: &self.reach, direction: self.direction, back_faces: self.back_faces }
    }

    /// The plane whose edges repeat, when the low-poly is one.
    pub fn repeats(&self) -> Option<PlaneTarget> {
        self.low.iter().find_map(|s| s.plane.filter(|p| p.repeats))
    }

    /// Every picture file the bake reads.
    pub fn pictures(&self) -> Vec<PictureSource> {
        let mut all = self.pictures_of_maps();
        let of_masks = self.masks.iter().flat_map(|mask| mask.place.pictures());
        for picture in of_masks.chain(self.finishes.iter().flat_map(Finish::pictures)) {
            if !all.contains(&picture) {
                all.push(picture);
            }
        }
        all
    }

    fn pictures_of_maps(&self) -> Vec<PictureSource> {
        let normal = self.normal_map.iter().map(|n| PictureSource { file: n.file.clone(), hash: n.hash.clone() });
        normal.chain(self.maps.iter().filter_map(|m| m.picture().cloned())).collect()
    }

    /// Every document that a finish lies on.
    pub fn documents(&self) -> impl Iterator<Item = &DocumentSource> {
        self.finishes.iter().filter_map(|finish| finish.materialx.as_ref())
    }

    /// Those documents, each read by `read`. One may be missing: a finding tells why it could not be read.
    pub fn read_documents<E: std::fmt::Display>(
        &self,
        mut read: impl FnMut(&DocumentSource) -> Result<Arc<Document>, E>,
    ) -> Documents {
        let mut documents = Documents::default();
        for source in self.documents() {
            if documents.get(&source.file).is_err() {
                documents.keep(source.file.clone(), read(source).map_err(|fault| format!("{fault:#}")));
            }
        }
        documents
    }

    /// Names of all files that it reads: meshes, pictures and documents, and what lies beside them.
    pub fn files_read(&self) -> BTreeSet<String> {
        let meshes = self.low.iter().chain(&self.high).chain(&self.cage).filter(|source| source.plane.is_none());
        let beside = meshes.clone().flat_map(|source| &source.beside);
        let beside = beside.chain(self.documents().flat_map(|document| &document.beside)).map(|file| &file.file);
        let own = meshes.map(|source| &source.file).chain(self.documents().map(|document| &document.file));
        let pictures = self.pictures().into_iter().map(|picture| picture.file);
        own.chain(beside).cloned().chain(pictures).collect()
    }

    /// Those pictures, each read by `read`. One that only masks and finishes read may be missing: a finding tells what needs it and why it
    /// could not be read, and the rest is baked.
    ///
    /// # Errors
    /// What `read` answers.
    pub fn read_pictures<E: std::fmt::Display>(
        &self,
        mut read: impl FnMut(&PictureSource) -> Result<Arc<Image>, E>,
    ) -> Result<Pictures, E> {
        let needed = self.pictures_of_maps();
        let mut pictures = Pictures::default();
        for picture in self.pictures() {
            match read(&picture) {
                Err(fault) if needed.contains(&picture) => return Err(fault),
                // Alternate form: a fault tells its causes too.
                read => pictures.keep(picture.file, read.map_err(|fault| format!("{fault:#}"))),
            }
        }
        Ok(pictures)
    }
}

/// Name of a map's file: `<low-file-stem>_<map>.<ext>`, `<stem>_<material>_<map>.<ext>`, or `<stem>_<map>.<udim>.<ext>`.
pub fn map_file_name(low_file: &str, sheet: &SheetName, map: &str, format: ImageFormat) -> String {
    let name = low_file.rsplit(['/', '\\']).next().unwrap_or(low_file);
    let stem = name.rsplit_once('.').map_or(name, |(stem, _)| stem);
    let extension = format.extension();
    match sheet {
        SheetName::One => format!("{stem}_{map}.{extension}"),
        SheetName::Material(material) => {
            let safe = |c: char| if c.is_alphanumeric() || c == '-' || c == '_' { c } else { '-' };
            let material: String = material.chars().map(safe).collect();
            format!("{stem}_{material}_{map}.{extension}")
        }
        SheetName::Udim(number) => format!("{stem}_{map}.{number}.{extension}"),
    }
}
