//! `ember-ridge deliver`: the maps of a bake as a profile wants them, in a folder or a zip, read back before anyone takes them.

use crate::Unusable;
use crate::arguments;
use crate::baked::Baked;
use crate::files::{Files, read_text};
use crate::progress::Progress;
use crate::say::{answer, aside};
use crate::scene::{load_mesh, load_scene};
use anyhow::{Context, anyhow, bail};
use ember_ridge_core::bake::Plan;
use ember_ridge_core::deliver::{
    Delivery, DeliveryNames, Profile, parts_of, plan_delivery, shipped_profiles, sources_of,
};
use ember_ridge_core::review::asking;
use ember_ridge_core::{Finding, Recipe};
use ember_ridge_formats::deliver::{Check, Delivered, Facts, PictureFacts, Place, PlaceFault, RunToDeliver, Sculpt};
use serde::Serialize;
use std::io;
use std::path::Path;
use std::process::ExitCode;

#[derive(Serialize)]
struct Planned<'a> {
    file: &'a str,
    #[serde(flatten)]
    picture: PictureFacts,
}

#[derive(Serialize)]
struct Answer<'a> {
    findings: &'a [Finding],
    #[serde(skip_serializing_if = "Vec::is_empty")]
    planned: Vec<Planned<'a>>,
    #[serde(flatten)]
    facts: Option<&'a Facts>,
    checks: &'a [Check],
    /// What differs from the delivery that was replaced.
    #[serde(skip_serializing_if = "<[String]>::is_empty")]
    changes: &'a [String],
}

pub fn run(arguments: &arguments::Deliver) -> Result<ExitCode, Unusable> {
    let progress = Progress::new();
    let profile = named_profile(&arguments.profile).context("--profile")?;
    let baked = Baked::open(&arguments.out)?;
    let place = arguments.to.as_deref().map(|to| Place::new(to, arguments.replace)).transpose();
    let place = place.map_err(|fault| with_remedy(&fault))?;
    let version = place.as_ref().map_or(1, Place::version);
    let recipe = &baked.report.recipe;
    let meshes = recipe.low.iter().chain(&recipe.cage);
    let files = baked.folder_of(meshes, arguments.meshes.as_deref()).ok_or_else(|| {
        anyhow!("{}: the meshes of its recipe were not found; name their folder with --meshes", arguments.out.display())
    })?;
    let low = baked.low(&files, &progress)?;
    let names = DeliveryNames { version, parts: parts_of(&low, &baked.report) };
    let delivery = plan_delivery(&profile, &baked.report, &names).map_err(anyhow::Error::msg)?;
    let Some(place) = place.filter(|_| !delivery.forbidden()) else {
        tell(&delivery, None, arguments)?;
        return Ok(ExitCode::from(u8::from(delivery.forbidden())));
    };
    let cage = recipe.cage.as_ref().map(|cage| load_mesh(cage, &files, &progress)).transpose()?;
    let sources = recipe.files_read().into_iter().map(|name| files.path(&name)).chain([baked.folder.clone()]);
    place.keep_from(sources).map_err(|fault| with_remedy(&fault))?;
    let sculpt = sculpt_of(recipe, &files, &progress)?;
    let sources = sources_of(&baked.report);
    let open = |source: usize, sheet: usize| baked.open_map(&sources[source], sheet);
    let sculpt = sculpt.as_ref().map(|plan| Sculpt { plan });
    let run = RunToDeliver { report: &baked.report, low: &low, cage: cage.as_ref(), open: &open, sculpt };
    let stage = |words: &str| progress.say(words);
    let delivered = place.deliver(&run, &profile, &delivery, &names, &stage).map_err(|fault| with_remedy(&fault))?;
    progress.finish();
    tell(&delivery, Some(&delivered), arguments)?;
    if !delivered.fine() && !arguments.json {
        answer!("nothing was delivered");
    }
    Ok(ExitCode::from(u8::from(!delivered.fine())))
}

/// The sculpt that a delivery is held against, planned; none where there is none.
fn sculpt_of(recipe: &Recipe, files: &Files, progress: &Progress) -> Result<Option<Plan>, Unusable> {
    let Ok(asking) = asking(recipe) else { return Ok(None) };
    if let Some(lost) = recipe.high.iter().find(|source| !files.path(&source.file).is_file()) {
        aside!(
            "{}: it was not found beside the low-poly, so the files are not held against the sculpt, and no cage is made of the reach; name its folder with --meshes",
            lost.file
        );
        return Ok(None);
    }
    let scene = load_scene(&asking, files, progress)?;
    Ok(Some(Plan::new(&asking, &scene)?))
}

/// A profile that comes with the program, or a file.
pub fn named_profile(name: &str) -> Result<Profile, Unusable> {
    if let Some(profile) = shipped_profiles().into_iter().find(|profile| profile.name == name) {
        return Ok(profile);
    }
    let path = Path::new(name);
    if !path.extension().is_some_and(|ending| ending.eq_ignore_ascii_case("json")) {
        let known: Vec<String> = shipped_profiles().into_iter().map(|profile| profile.name).collect();
        bail!("there is no '{name}' among the profiles. There are {}; or name a JSON file", known.join(", "));
    }
    Profile::from_json(&read_text(path)?).map_err(|fault| anyhow!("{name}: {fault}"))
}

/// A fault of a place with its remedy on the command line.
fn with_remedy(fault: &PlaceFault) -> Unusable {
    let remedy = match fault {
        PlaceFault::Foreign(_) => "Name an empty or a new place",
        PlaceFault::Taken(_) => "Name another place, or replace it with --replace",
        PlaceFault::Kept(_) => "Move it away",
        PlaceFault::Source(..) | PlaceFault::Unmovable(..) => "Name another place with --to",
        PlaceFault::Unwritable(..) => "Name a writable folder",
        PlaceFault::Writing(fault) if fault.kind() == io::ErrorKind::StorageFull => {
            "Free some space there, or deliver elsewhere"
        }
        PlaceFault::Writing(_) => return anyhow!("{fault}"),
    };
    anyhow!("{fault}. {remedy}")
}

fn tell(delivery: &Delivery, delivered: Option<&Delivered>, arguments: &arguments::Deliver) -> Result<(), Unusable> {
    let facts = delivered.map(|delivered| &delivered.facts);
    let checks = delivered.map_or(&[][..], |delivered| &delivered.checks);
    let changes = delivered.map_or(&[][..], |delivered| &delivered.changes);
    let planned = || {
        let planned = delivery.pictures.iter().filter(|_| facts.is_none());
        planned.map(|picture| Planned { file: &picture.file, picture: PictureFacts::of(picture) }).collect::<Vec<_>>()
    };
    if arguments.json {
        let answer = Answer { findings: &delivery.findings, planned: planned(), facts, checks, changes };
        answer!("{}", serde_json::to_string_pretty(&answer)?);
        return Ok(());
    }
    for Planned { file, picture } in planned() {
        let channels = if picture.channels == 1 { "" } else { "s" };
        answer!(
            "  {file}  {} x {}, {} channel{channels} of {}, {}: {}",
            picture.width,
            picture.height,
            picture.channels,
            picture.depth.words(),
            picture.color_space,
            picture.encoding
        );
    }
    for file in facts.iter().flat_map(|facts| &facts.files) {
        answer!("  {:<48} {:>11} bytes  {}", file.file, file.bytes, file.holds);
    }
    if facts.is_some_and(|facts| facts.version > 1) && changes.is_empty() {
        answer!("  since the delivery before: nothing has changed");
    }
    for change in changes {
        answer!("  since the delivery before: {change}");
    }
    for finding in &delivery.findings {
        answer!("  {:?}: {}. {}", finding.severity, finding.reason, finding.remedy);
    }
    for check in checks.iter().filter(|check| !check.fine) {
        answer!("Fault: {}: {}: {}. {}", check.file, check.what, check.found, check.remedy);
    }
    if facts.is_some() && checks.iter().all(|check| check.fine) {
        answer!("read back: {} checks, all fine", checks.len());
    }
    Ok(())
}

/// `ember-ridge profile`.
pub fn profile(arguments: &arguments::Profile) -> Result<ExitCode, Unusable> {
    match &arguments.name {
        Some(name) => answer!("{}", serde_json::to_string_pretty(&named_profile(name)?)?),
        None => {
            for profile in shipped_profiles() {
                answer!("{:<20} {}", profile.name, profile.about);
            }
        }
    }
    Ok(ExitCode::SUCCESS)
}
