//! A delivery held against the sculpt: its normal map and its displacement, read as its files say, and what the sculpt is like there.

use super::check::Check;
use crate::image::read_image;
use ember_ridge_core::bake::{Plan, Report};
use ember_ridge_core::deliver::{Delivery, Holds, PlannedPicture, Profile};
use ember_ridge_core::maps::Reads;
use ember_ridge_core::picture::{Coding, Depth, Image};
use ember_ridge_core::review::{ASKED_MAPS, AskedTruths, Displaced, LevelTruth, Truth, Truths};
use std::collections::BTreeMap;

/// The sculpt that a delivery is held against: a bake of it, planned by [`ember_ridge_core::review::asking`].
pub struct Sculpt<'a> {
    pub plan: &'a Plan,
}

/// What a delivery holds of maps that can be held against the sculpt.
pub struct AskedFiles {
    /// The run's report, with maps read as the delivery's files say.
    pub report: Report,
    /// Maps that are delivered as they are, sheet by sheet, where all of their files could be read.
    pub whole: BTreeMap<&'static str, Vec<Image>>,
    /// Of each of these, the names of its files.
    pub names: BTreeMap<String, String>,
    /// What cannot be held against the sculpt, and why.
    pub notes: Vec<String>,
}

impl AskedFiles {
    /// Reads them by their names. `most_bytes`: more than this they may not take in memory together.
    pub fn read(
        report: &Report,
        profile: &Profile,
        delivery: &Delivery,
        read: &dyn Fn(&str) -> Option<Vec<u8>>,
        most_bytes: u64,
    ) -> AskedFiles {
        let mut found =
            AskedFiles { report: report.clone(), whole: BTreeMap::new(), names: BTreeMap::new(), notes: Vec::new() };
        let mut room = most_bytes;
        for (number, rule) in profile.pictures.iter().enumerate() {
            let Holds::Map(key) = &rule.holds else { continue };
            let Some(key) = ASKED_MAPS.into_iter().find(|asked| asked == key) else { continue };
            let pictures = || delivery.pictures.iter().filter(|picture| picture.rule == number);
            let Some(first) = pictures().next() else { continue };
            if let Some(why) = unlike(first) {
                found.notes.push(format!("{}: not held against the sculpt, as {why}", first.file));
                continue;
            }
            let Some(left) = room.checked_sub(pictures().map(bytes_of).sum()) else {
                let why = "its sheets are too large to be held against the sculpt beside each other";
                found.notes.push(format!("{key}: {why}; 'ember-ridge verify' does it with more memory"));
                continue;
            };
            room = left;
            let image = |file: &str| {
                let mut image = read_image(file, &read(file)?).ok()?;
                image.coding = Coding::Linear;
                Some(image).filter(|image| (image.width, image.height) == (first.size, first.size))
            };
            // What cannot be read is told by the checks of the file itself.
            let Some(sheets) = pictures().map(|picture| image(&picture.file)).collect::<Option<Vec<Image>>>() else {
                continue;
            };
            let Some(map) = found.report.maps.get_mut(key) else { continue };
            map.depth = first.depth;
            if let Some(Reads::Direction { y }) = &mut map.reads {
                *y = profile.y;
            }
            if map.reads == Some(Reads::Height) {
                map.scale = first.scale;
            }
            let names: Vec<&str> = pictures().map(|picture| picture.file.as_str()).collect();
            found.names.insert(key.to_owned(), names.join(", "));
            found.whole.insert(key, sheets);
        }
        found
    }

    /// What they say of the sculpt, as checks of their files.
    pub fn checks(&self, sculpt: &Sculpt) -> Vec<Check> {
        let asked = match Truths::new(sculpt.plan, &self.report.sheets) {
            Ok(truths) if !self.whole.is_empty() => truths.ask(&self.whole, &self.report),
            Ok(_) => AskedTruths::default(),
            Err(why) => AskedTruths { notes: vec![why], ..AskedTruths::default() },
        };
        let AskedTruths { truths, faults, notes } = asked;
        let file = |map: &str| self.names.get(map).cloned().unwrap_or_default();
        let told = |map: &str, found: String| Check {
            file: file(map),
            what: AGAINST.to_owned(),
            found,
            fine: true,
            remedy: String::new(),
        };
        let off = |truth: &Truth| {
            let figures = &truth.difference;
            format!("{:.4} {} off on average, 99 % within {:.4}", figures.mean, truth.unit, figures.p99)
        };
        let mut checks = Vec::new();
        if let Some(LevelTruth { truth, .. }) = truths.lit.first() {
            checks.push(told("normal", format!("normals {}", off(truth))));
        }
        if let Some(truth) = &truths.seams {
            checks.push(told("normal", format!("along seams {}", off(truth))));
        }
        if let Some(Displaced { truth, .. }) = &truths.displaced {
            checks.push(told("displacement", format!("heights {}", off(truth))));
        }
        checks.extend(self.notes.iter().cloned().chain(notes).map(|note| told("", note)));
        checks.extend(faults.into_iter().map(|fault| Check {
            fine: false,
            remedy: fault.remedy,
            ..told(&fault.map, fault.fault)
        }));
        checks
    }
}

/// What these checks are about.
const AGAINST: &str = "against the sculpt";

/// Why a picture is not read as the map of the run is.
fn unlike(picture: &PlannedPicture) -> Option<&'static str> {
    match picture {
        PlannedPicture { flip_v: true, .. } => Some("its rows run from the bottom"),
        PlannedPicture { shrink: 2.., .. } => Some("it was made smaller"),
        _ => None,
    }
}

/// Bytes that a picture takes in memory.
fn bytes_of(picture: &PlannedPicture) -> u64 {
    let wide = match picture.depth {
        _ if picture.floats() => 4,
        Depth::Eight => 1,
        Depth::Sixteen => 2,
        Depth::Float => 4,
    };
    u64::from(picture.size) * u64::from(picture.size) * picture.channels.len() as u64 * wide
}
