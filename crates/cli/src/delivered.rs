//! A delivery read back from its folder, beside the bake it was made of.

use crate::Unusable;
use crate::baked::Baked;
use crate::files::{read_plain, read_text};
use anyhow::{Context, anyhow};
use ember_ridge_core::Mesh;
use ember_ridge_core::bake::Report;
use ember_ridge_core::deliver::{DeliveryNames, Holds, Profile, parts_of, plan_delivery, sources_of};
use ember_ridge_core::maps::Reads;
use ember_ridge_core::picture::{Coding, Image};
use ember_ridge_core::review::ASKED_MAPS;
use ember_ridge_formats::deliver::{Check, Facts, RunToDeliver, check_package};
use ember_ridge_formats::image::read_image;
use std::collections::BTreeMap;
use std::path::Path;

/// What a delivery holds.
pub struct ReadBack {
    pub checks: Vec<Check>,
    /// The run's report, with maps read as the delivery's files say.
    pub report: Report,
    /// Maps that are delivered as they are, sheet by sheet, where all of their files could be read.
    pub whole: BTreeMap<String, Vec<Image>>,
    /// Of each of these, the names of its files.
    pub names: BTreeMap<String, String>,
    /// What cannot be held against the sculpt, and why.
    pub notes: Vec<String>,
}

/// Reads a delivery of a bake back.
///
/// # Errors
/// The folder holds no delivery, or one of another profile version.
pub fn read_back(baked: &Baked, low: &Mesh, folder: &Path) -> Result<ReadBack, Unusable> {
    let text = |name: &str| {
        let path = folder.join(name);
        read_text(&path).with_context(|| {
            format!(
                "{}: it holds no delivery that can be read; name a folder that 'deliver --to' wrote",
                folder.display()
            )
        })
    };
    let unusable = |name: &str, fault: String| anyhow!("{}: {fault}. Deliver again", folder.join(name).display());
    let profile = Profile::from_json(&text("profile.json")?).map_err(|fault| unusable("profile.json", fault))?;
    let facts: Facts =
        serde_json::from_str(&text("facts.json")?).map_err(|fault| unusable("facts.json", fault.to_string()))?;
    let names = DeliveryNames { version: facts.version, parts: parts_of(low, &baked.report) };
    let delivery = plan_delivery(&profile, &baked.report, &names).map_err(anyhow::Error::msg)?;
    let sources = sources_of(&baked.report);
    let open = |source: usize, sheet: usize| baked.open_map(&sources[source], sheet);
    let run = RunToDeliver { report: &baked.report, low, cage: None, open: &open };
    let mut found = ReadBack {
        checks: check_package(&run, &profile, &delivery, &facts, folder),
        report: baked.report.clone(),
        whole: BTreeMap::new(),
        names: BTreeMap::new(),
        notes: Vec::new(),
    };
    for (number, rule) in profile.pictures.iter().enumerate() {
        let Holds::Map(key) = &rule.holds else { continue };
        let pictures = || delivery.pictures.iter().filter(|picture| picture.rule == number);
        let Some(first) = pictures().next().filter(|_| ASKED_MAPS.contains(&key.as_str())) else { continue };
        if first.shrink > 1 || first.flip_v {
            let why = if first.flip_v { "its rows run from the bottom" } else { "it was made smaller" };
            found.notes.push(format!("{}: not held against the sculpt, as {why}", first.file));
            continue;
        }
        let read = |file: &str| {
            let mut image = read_image(file, &read_plain(&folder.join(file)).ok()?).ok()?;
            image.coding = Coding::Linear;
            Some(image).filter(|image| (image.width, image.height) == (first.size, first.size))
        };
        let Some(sheets) = pictures().map(|picture| read(&picture.file)).collect::<Option<Vec<Image>>>() else {
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
        found.names.insert(key.clone(), pictures().map(|picture| picture.file.as_str()).collect::<Vec<_>>().join(", "));
        found.whole.insert(key.clone(), sheets);
    }
    Ok(found)
}
