//! The sheet of facts of a delivery: what each file is and how its numbers are read, for people and for programs.

use super::contact::CONTACT;
use ember_ridge_core::deliver::{PlannedPicture, Profile};
use ember_ridge_core::maps::Green;
use ember_ridge_core::picture::{Depth, ImageFormat};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::fmt::Write;

/// `facts.json`.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Facts {
    pub generator: String,
    pub asset: String,
    pub profile: String,
    /// Of the delivery, counted from 1.
    pub version: u32,
    /// Which way green points in tangent-space normals.
    pub y: Green,
    /// Rows of pictures begin at the top of UV space (`V runs up`), or at its bottom.
    pub v_runs_up: bool,
    pub tangents: String,
    /// Texels per scene unit at the delivered size, for half of the surface at least.
    pub texels_per_unit: f32,
    pub files: Vec<FileFacts>,
}

/// One file of a delivery.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct FileFacts {
    /// Path within the delivery, with `/`.
    pub file: String,
    /// What it is, in words.
    pub holds: String,
    pub bytes: u64,
    pub blake3: String,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub picture: Option<PictureFacts>,
}

/// How the numbers of a picture are read.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct PictureFacts {
    pub width: u32,
    pub height: u32,
    pub channels: usize,
    pub format: ImageFormat,
    pub depth: Depth,
    /// `sRGB`, `linear` light, or `data`.
    pub color_space: String,
    pub encoding: String,
    /// Heights in whole numbers: the distance from black to white, scene units.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub scale: Option<f32>,
    /// The value that stands for no height.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub zero: Option<f32>,
}

impl PictureFacts {
    pub fn of(picture: &PlannedPicture) -> PictureFacts {
        let color_space = match (picture.color, picture.floats()) {
            (true, false) => "sRGB",
            (true, true) => "linear",
            (false, _) => "data",
        };
        PictureFacts {
            width: picture.size,
            height: picture.size,
            channels: picture.channels.len(),
            format: picture.format,
            depth: picture.depth,
            color_space: color_space.to_owned(),
            encoding: picture.encoding.clone(),
            scale: picture.scale,
            zero: picture.scale.map(|_| 0.5),
        }
    }
}

/// The contact sheet among the files of a delivery.
pub fn contact_sheet_among(files: &[FileFacts]) -> Option<&str> {
    files.iter().find(|file| file.holds == CONTACT).map(|file| file.file.as_str())
}

impl Facts {
    /// Facts without files.
    pub fn new(asset: &str, profile: &Profile, version: u32, texels_per_unit: f32) -> Facts {
        Facts {
            generator: format!("Ember Ridge {}", env!("CARGO_PKG_VERSION")),
            asset: asset.to_owned(),
            profile: profile.name.clone(),
            version,
            y: profile.y,
            v_runs_up: !profile.flip_v,
            tangents: "MikkTSpace".to_owned(),
            texels_per_unit,
            files: Vec::new(),
        }
    }

    /// The file of its contact sheet.
    pub fn contact_sheet(&self) -> Option<&str> {
        contact_sheet_among(&self.files)
    }

    /// What differs in a later delivery, in words; nothing where all files are the same.
    pub fn changes_to(&self, now: &Facts) -> Vec<String> {
        let mut words = Vec::new();
        if self.profile != now.profile {
            words.push(format!("profile {}, was {}", now.profile, self.profile));
        }
        if self.y != now.y {
            words.push(format!("green {}, was {}", now.y.short(), self.y.short()));
        }
        if self.v_runs_up != now.v_runs_up {
            words.push("rows turned upside down".to_owned());
        }
        let before = |name: &str| self.files.iter().find(|file| file.file == name);
        let mut fresh = Vec::new();
        let mut other = Vec::new();
        // The contact sheet tells its version, and shows what else has changed.
        for file in now.files.iter().filter(|file| file.holds != CONTACT) {
            match before(&file.file) {
                None => fresh.push(file.file.as_str()),
                Some(old) if old.blake3 != file.blake3 => match (&old.picture, &file.picture) {
                    (Some(old), Some(new)) if old.width != new.width => {
                        words.push(format!(
                            "{}: {} x {}, was {} x {}",
                            file.file, new.width, new.height, old.width, old.height
                        ));
                    }
                    _ => other.push(file.file.as_str()),
                },
                Some(_) => {}
            }
        }
        let gone = self.files.iter().filter(|old| now.files.iter().all(|file| file.file != old.file));
        let gone: Vec<&str> = gone.map(|old| old.file.as_str()).collect();
        for (what, names) in [("new", fresh), ("no longer there", gone), ("changed", other)] {
            if !names.is_empty() {
                words.push(format!("{what}: {}", names.join(", ")));
            }
        }
        words
    }

    /// The same as plain text.
    pub fn text(&self) -> String {
        let mut text = String::new();
        let green = match self.y {
            Green::Up => "Y+: green grows towards the top of the sheet",
            Green::Down => "Y-: green grows towards the bottom of the sheet",
        };
        let rows = if self.v_runs_up { "from the top of UV space (V runs up)" } else { "from the bottom of UV space" };
        let mut line = |words: std::fmt::Arguments| {
            let _ = writeln!(text, "{words}");
        };
        line(format_args!("{}, delivery {} by profile {}", self.asset, self.version, self.profile));
        line(format_args!("Normals        {green}"));
        line(format_args!("Tangents       {}, one per corner, as in the GLB", self.tangents));
        line(format_args!("Rows           {rows}"));
        line(format_args!(
            "Texel density  {:.1} texels per scene unit, for half of the surface at least",
            self.texels_per_unit
        ));
        for file in &self.files {
            line(format_args!(""));
            line(format_args!("{}", file.file));
            line(format_args!("  {}, {} bytes, BLAKE3 {}", file.holds, file.bytes, file.blake3));
            if let Some(picture) = &file.picture {
                line(format_args!(
                    "  {} x {}, {} channel{} of {}, {}",
                    picture.width,
                    picture.height,
                    picture.channels,
                    if picture.channels == 1 { "" } else { "s" },
                    picture.depth.words(),
                    picture.color_space
                ));
                line(format_args!("  {}", picture.encoding));
            }
        }
        text
    }
}
