//! `ember-ridge bake`: a recipe, or mesh files and options that make one, to maps and `report.json`.

use crate::Unusable;
use crate::arguments::Bake;
use crate::files::ready_folder;
use crate::options::{apply_options, recipe_of};
use crate::progress::Progress;
use crate::say::{answer, aside};
use crate::scene::load_scene;
use anyhow::{Context, anyhow};
use ember_ridge_core::bake::{Outcome, Plan, Report, on_threads, run_into};
use ember_ridge_formats::files::{spool_for, write_whole};
use ember_ridge_formats::hits::{KeptHits, Made};
use ember_ridge_formats::image::write_map;
use ember_ridge_formats::keep::{MapFile, keep_run, planned_files};
use std::path::{Path, PathBuf};
use std::process::ExitCode;

pub fn run(arguments: &Bake) -> Result<ExitCode, Unusable> {
    let (mut recipe, mut files) = recipe_of(arguments)?;
    apply_options(&mut recipe, &mut files, arguments)?;
    if arguments.proof {
        recipe = recipe.as_proof();
    }
    let around = crate::region::around(&mut recipe, arguments)?;
    recipe.validate().map_err(|fault| anyhow!("recipe: {fault}"))?;
    let out = match (&arguments.out, &arguments.recipe) {
        (Some(out), _) => out.clone(),
        (None, Some(recipe)) => recipe.parent().map(Path::to_path_buf).unwrap_or_default(),
        (None, None) => PathBuf::from("baked"),
    };
    if arguments.into.as_ref().is_some_and(|into| into.canonicalize().ok() == out.canonicalize().ok()) {
        return Err(anyhow!("--out: {} holds the bake that the region goes into; name another folder", out.display()));
    }
    ready_folder(&out)?;

    let kept = KeptHits::open(arguments.hits.as_deref(), arguments.keep_hits.as_deref(), arguments.keep_hits_most)?;
    let progress = Progress::new();
    let plan = on_threads(arguments.threads, || -> Result<Plan, Unusable> {
        let scene = load_scene(&recipe, &files, &progress)?;
        let mut recipe = recipe;
        crate::finish::suit(&mut recipe, arguments, &scene);
        let plan = Plan::watched(&recipe, &scene, &progress)?.for_proof(arguments.proof);
        Ok(around.into_iter().fold(plan, Plan::amid))
    })?;
    if let Some(path) = &arguments.recipe {
        files.read(path)?;
    }
    files.keep_from(&out, outputs(&plan))?;
    progress
        .say(&format!("reach out {:.5}, reach in {:.5}", plan.rays.field.summary.out, plan.rays.field.summary.inward));
    let spool = spool_for(plan.spool_bytes(), &out)
        .with_context(|| format!("{}: working files cannot be made there", out.display()))?;
    let outcome = run_into(&plan, arguments.threads, &progress, spool, kept.store())?;
    progress.finish();
    let taken = outcome.counts.kept_rays;
    if arguments.hits.is_some() {
        progress.say(&format!("{taken} of {} rays reused from kept hits", taken + outcome.counts.rays));
    }
    let unkept = match kept.finish() {
        Ok(made) => {
            if let Some(Made { bytes, left_out }) = made {
                let left = if left_out > 0 {
                    format!(", {left_out} tiles left out for --keep-hits-most")
                } else {
                    String::new()
                };
                progress.say(&format!("hits kept: {:.1} MB{left}", bytes as f64 / 1e6));
            }
            false
        }
        // The maps are made all the same.
        Err(fault) => {
            aside!(
                "{}: hits cannot be kept: {fault}. Free some space there, or name another folder",
                shown(&arguments.keep_hits)
            );
            true
        }
    };
    let failed = write_run(outcome, &out, arguments.json)?;
    Ok(ExitCode::from(u8::from(failed || unkept)))
}

/// Writes the maps of a run and its report, and tells of them; whether any map failed.
///
/// # Errors
/// The report cannot be written.
pub fn write_run(outcome: Outcome, out: &Path, json: bool) -> Result<bool, Unusable> {
    let (report, failed) = write_maps(outcome, out);
    let text = serde_json::to_string_pretty(&report)?;
    let path = out.join("report.json");
    write_whole(&path, |file| std::io::Write::write_all(file, text.as_bytes()))
        .with_context(|| format!("{}: cannot be written", path.display()))?;
    if json {
        answer!("{text}");
    } else {
        summarise(&report, out);
    }
    Ok(failed)
}

fn shown(folder: &Option<PathBuf>) -> String {
    folder.iter().map(|f| f.display().to_string()).collect()
}

/// The names of all files that a plan's bake writes.
pub fn outputs(plan: &Plan) -> impl Iterator<Item = String> {
    let files = planned_files(&plan.recipe, &plan.sheet_names());
    files.into_iter().map(|file| file.file).chain(["report.json".to_owned()])
}

/// Writes every map; one that fails is noted in the report and the others are written all the same.
fn write_maps(outcome: Outcome, out: &Path) -> (Report, bool) {
    // What the run could not make is said once, whatever the number of sheets.
    let unmade: Vec<_> =
        outcome.maps.iter().filter_map(|map| Some((map.facts.key().to_owned(), map.error.clone()?))).collect();
    let kept = keep_run(outcome, &|| false, |outcome, MapFile { sheet, map, file }| {
        write_whole(&out.join(file), |place| Ok(write_map(place, outcome, *sheet, *map)?))
            .map_err(|error| format!("{file}: {error}"))
    });
    let failures: Vec<_> = unmade.into_iter().chain(kept.faults).collect();
    for (id, failure) in &failures {
        aside!("error: {id}: {failure}");
    }
    (kept.report, !failures.is_empty())
}

fn summarise(report: &Report, out: &Path) {
    let missed = 100.0 * report.misses as f64 / report.covered.max(1) as f64;
    answer!(
        "{} rays in {:.2} s; {} of {} texels covered, {missed:.3} % of them missed",
        report.rays,
        report.seconds,
        report.covered,
        report.texels
    );
    for (id, map) in &report.maps {
        let scale = map.scale.map_or(String::new(), |s| format!("  scale {s:.6}"));
        match map.files.is_empty() {
            true if map.error.is_none() => answer!("  {id:<14} {}{scale}", out.join(&map.file).display()),
            true => {}
            false => {
                for file in &map.files {
                    answer!("  {id:<14} {}{scale}", out.join(&file.file).display());
                }
            }
        }
    }
    for finding in &report.findings {
        answer!("  {:?}: {}. {}", finding.severity, finding.reason, finding.remedy);
    }
}
