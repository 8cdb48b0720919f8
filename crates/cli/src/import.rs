//! `ember-ridge import`: maps that another program made, beside a report as a bake of them would have, so that `compare` and `verify` can
//! ask of them what they ask of a bake.

use crate::Unusable;
use crate::arguments::Import;
use crate::files::{Files, read_text, ready_folder};
use crate::progress::Progress;
use crate::say::{answer, aside};
use crate::scene::load_scene;
use anyhow::{Context, anyhow, bail};
use ember_ridge_core::Recipe;
use ember_ridge_core::import::{ImportedFile, Reading, imported_report, sort_by_suffix};
use ember_ridge_core::sheet::plan_sheets;
use ember_ridge_formats::files::write_whole;
use ember_ridge_formats::image::{PICTURE_ENDINGS, read_image};
use std::fs;
use std::io::Write;
use std::path::{Path, PathBuf};
use std::process::ExitCode;

pub fn run(arguments: &Import) -> Result<ExitCode, Unusable> {
    let progress = Progress::new();
    let recipe_path = &arguments.recipe;
    let recipe =
        Recipe::from_json(&read_text(recipe_path)?).map_err(|why| anyhow!("{}: {why}", recipe_path.display()))?;
    let folder = arguments.meshes.clone().or_else(|| recipe_path.parent().map(Path::to_path_buf)).unwrap_or_default();
    let files = Files::in_folder(folder);
    let paths = pictures(&arguments.maps)?;
    let scene = load_scene(&recipe, &files, &progress)?;
    let sheets: Vec<String> = plan_sheets(&scene.low.mesh, &recipe.sheet).iter().map(|s| s.name.label()).collect();
    let (mut described, mut copies) = (Vec::new(), Vec::new());
    for path in paths {
        let name = path.file_name().unwrap_or_default().to_string_lossy().into_owned();
        let sorted = sort_by_suffix(&name, &sheets, &arguments.rules);
        let Some(map) = sorted.map else {
            aside!("{}: left out: its name does not say what it holds; say it with --as SUFFIX=MAP", path.display());
            continue;
        };
        let lost = || anyhow!("{}: its name has none of the sheets {}. Rename it", path.display(), sheets.join(", "));
        let sheet = sorted.sheet.ok_or_else(lost)?;
        let bytes = files.read(&path)?;
        let image = read_image(&path.to_string_lossy(), &bytes)?;
        described.push(ImportedFile::of(&name, &map, sheet, &image));
        copies.push((name, bytes));
    }
    let reading = Reading { green: arguments.normal_y, scale: arguments.scale };
    let (report, told) = imported_report(&recipe, &scene.low.mesh, scene.diagonal(), &described, reading)?;
    ready_folder(&arguments.out)?;
    files.keep_from(&arguments.out, copies.iter().map(|(name, _)| name.clone()))?;
    let text = serde_json::to_string_pretty(&report)?;
    let report_file = ("report.json".to_owned(), text.clone().into_bytes());
    for (name, bytes) in copies.into_iter().chain([report_file]) {
        let path = arguments.out.join(name);
        write_whole(&path, |file| file.write_all(&bytes))
            .with_context(|| format!("{}: cannot be written", path.display()))?;
    }
    progress.finish();
    for line in told {
        aside!("{line}");
    }
    if arguments.json {
        answer!("{text}");
        return Ok(ExitCode::SUCCESS);
    }
    for file in &described {
        answer!("  {:<14} {}", file.map, arguments.out.join(&file.file).display());
    }
    Ok(ExitCode::SUCCESS)
}

/// The pictures among files and in folders, in the order of their names.
fn pictures(named: &[PathBuf]) -> Result<Vec<PathBuf>, Unusable> {
    let mut found = Vec::new();
    for path in named {
        if !path.is_dir() {
            found.push(path.clone());
            continue;
        }
        let entries = fs::read_dir(path).with_context(|| format!("{}: its files cannot be listed", path.display()))?;
        let mut inside: Vec<PathBuf> =
            entries.flatten().map(|entry| entry.path()).filter(|own| is_picture(own)).collect();
        if inside.is_empty() {
            bail!("{}: there is no picture in it. Name a folder of PNG, TIFF, JPEG, TGA or EXR files", path.display());
        }
        inside.sort();
        found.append(&mut inside);
    }
    Ok(found)
}

fn is_picture(path: &Path) -> bool {
    let ending = path.extension().unwrap_or_default().to_string_lossy().to_lowercase();
    path.is_file() && PICTURE_ENDINGS.contains(&ending.as_str())
}
