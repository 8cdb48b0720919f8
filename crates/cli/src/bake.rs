//! `ember-ridge bake`: a recipe, or mesh files and options that make one, to maps and `report.json`.

use crate::Unusable;
use crate::arguments::Bake;
use crate::files::ready_folder;
use crate::options::{apply_options, recipe_of};
use crate::progress::Progress;
use crate::say::{answer, aside};
use crate::scene::load_scene;
use anyhow::{Context, anyhow};
use ember_ridge_core::Recipe;
use ember_ridge_core::bake::{Outcome, Plan, PlannedMap, Report, SheetFile, on_threads, run_into};
use ember_ridge_core::recipe::map_file_name;
use ember_ridge_formats::files::{spool_for, write_whole};
use ember_ridge_formats::hits::{KeptHits, Made};
use ember_ridge_formats::image::write_map;
use rayon::prelude::*;
use std::collections::BTreeSet;
use std::path::{Path, PathBuf};
use std::process::ExitCode;

pub fn run(arguments: &Bake) -> Result<ExitCode, Unusable> {
    let (mut recipe, mut files) = recipe_of(arguments)?;
    apply_options(&mut recipe, &mut files, arguments)?;
    if arguments.proof {
        recipe = recipe.as_proof();
    }
    recipe.validate().map_err(|fault| anyhow!("recipe: {fault}"))?;
    let out = match (&arguments.out, &arguments.recipe) {
        (Some(out), _) => out.clone(),
        (None, Some(_)) => files.folder().to_path_buf(),
        (None, None) => PathBuf::from("baked"),
    };
    ready_folder(&out)?;

    let kept = KeptHits::open(arguments.hits.as_deref(), arguments.keep_hits.as_deref(), arguments.keep_hits_most)?;
    let progress = Progress::new();
    let plan = on_threads(arguments.threads, || -> Result<Plan, Unusable> {
        let scene = load_scene(&recipe, &files, &progress)?;
        Ok(Plan::watched(&recipe, &scene, &progress)?)
    })?;
    if let Some(path) = &arguments.recipe {
        files.read(path)?;
    }
    files.keep_from(&out, outputs(&plan))?;
    progress.say(&format!("reach out {:.5}, reach in {:.5}", plan.field.summary.out, plan.field.summary.inward));
    let spool = spool_for(plan.spool_bytes(), &out).with_context(|| format!("{}: no room to work", out.display()))?;
    let outcome = run_into(&plan, arguments.threads, &progress, spool, kept.store())?;
    progress.finish();
    let taken = outcome.counts.kept_rays;
    if arguments.hits.is_some() {
        progress.say(&format!("{taken} of {} rays taken over from kept hits", taken + outcome.counts.rays));
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
                "{}: hits cannot be kept: {fault}. Make room there, or give another folder",
                shown(&arguments.keep_hits)
            );
            true
        }
    };
    let (report, failed) = write_maps(outcome, &recipe, &out);
    let text = serde_json::to_string_pretty(&report)?;
    let path = out.join("report.json");
    write_whole(&path, |file| std::io::Write::write_all(file, text.as_bytes()))
        .with_context(|| format!("{}: cannot be written", path.display()))?;
    if arguments.json {
        answer!("{text}");
    } else {
        summarise(&report, &out);
    }
    Ok(ExitCode::from(u8::from(failed || unkept)))
}

fn shown(folder: &Option<PathBuf>) -> String {
    folder.iter().map(|f| f.display().to_string()).collect()
}

/// The names of all files that a plan's bake writes.
fn outputs(plan: &Plan) -> impl Iterator<Item = String> {
    let low = &plan.recipe.low[0].file;
    let file = move |sheet, map: &PlannedMap| map_file_name(low, sheet, map.settings.id(), map.format);
    let files = plan.sheets.iter().flat_map(move |s| plan.maps.iter().map(move |m| file(&s.name, m)));
    files.chain(["report.json".to_owned()])
}

/// Writes every map; one that fails is noted in the report and the others are written all the same.
fn write_maps(outcome: Outcome, recipe: &Recipe, out: &Path) -> (Report, bool) {
    let several = outcome.sheets.len() > 1;
    let write = |sheet: usize, map: usize| {
        let (baked, name) = (&outcome.maps[map], &outcome.sheets[sheet]);
        if let Some(error) = &baked.error {
            return Err(error.clone());
        }
        let file = map_file_name(&recipe.low[0].file, name, baked.id, baked.format);
        write_whole(&out.join(&file), |place| Ok(write_map(place, &outcome, sheet, map)?))
            .map_err(|error| format!("{file}: {error}"))?;
        Ok(SheetFile { sheet: name.label(), file })
    };
    // Sheet by sheet, all maps beside each other: they share the sheet's padding.
    let mut written: Vec<Vec<Result<SheetFile, String>>> = outcome.maps.iter().map(|_| Vec::new()).collect();
    for sheet in 0..outcome.sheets.len() {
        let of_sheet: Vec<_> = (0..outcome.maps.len()).into_par_iter().map(|map| write(sheet, map)).collect();
        written.iter_mut().zip(of_sheet).for_each(|(of_map, file)| of_map.push(file));
    }
    let mut report = outcome.report;
    let mut failed = false;
    for (map, files) in outcome.maps.iter().zip(written) {
        // A map that cannot be made fails alike on every sheet; that is said once.
        let mut failures = BTreeSet::new();
        let Some(entry) = report.maps.get_mut(map.id) else { continue };
        for file in files {
            match file {
                Ok(file) => {
                    if entry.file.is_empty() {
                        entry.file.clone_from(&file.file);
                    }
                    if several {
                        entry.files.push(file);
                    }
                }
                Err(error) => {
                    failed = true;
                    failures.insert(error.clone());
                    entry.error = Some(error);
                }
            }
        }
        for failure in failures {
            aside!("error: {}: {failure}", map.id);
        }
    }
    (report, failed)
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
