//! A delivery read back from its folder, beside the bake it was made of.

use crate::Unusable;
use crate::baked::Baked;
use crate::files::{read_plain, read_text};
use anyhow::{Context, anyhow};
use ember_ridge_core::Mesh;
use ember_ridge_core::deliver::{DeliveryNames, Profile, parts_of, plan_delivery, sources_of};
use ember_ridge_formats::deliver::{AskedFiles, Check, Facts, RunToDeliver, check_package};
use std::path::Path;

/// What a delivery holds.
pub struct ReadBack {
    pub checks: Vec<Check>,
    /// What can be held against the sculpt.
    pub asked: AskedFiles,
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
    let run = RunToDeliver { report: &baked.report, low, cage: None, open: &open, sculpt: None };
    let checks = check_package(&run, &profile, &delivery, &facts, folder);
    let read = |file: &str| read_plain(&folder.join(file)).ok();
    let asked = AskedFiles::read(&baked.report, &profile, &delivery, &read, u64::MAX);
    Ok(ReadBack { checks, asked })
}
