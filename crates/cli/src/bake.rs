//! `ember-ridge bake`: a recipe, or mesh files and options that make one, to maps and `report.json`.

use crate::Unusable;
use crate::arguments::Bake;
use crate::progress::Progress;
use anyhow::{Context, anyhow, bail};
use ember_ridge_core::bake::{BakeScene, Outcome, Plan, Report, run as run_plan};
use ember_ridge_core::maps::{IdSettings, MAPS, MapSettings, NormalSettings};
use ember_ridge_core::recipe::{Source, map_file_name};
use ember_ridge_core::{Mesh, Recipe};
use ember_ridge_formats::files::write_whole;
use ember_ridge_formats::image::write_png;
use ember_ridge_formats::read_mesh;
use std::fs;
use std::path::{Component, Path, PathBuf};
use std::process::ExitCode;

pub fn run(arguments: &Bake) -> Result<ExitCode, Unusable> {
    let (mut recipe, folder) = recipe_of(arguments)?;
    apply_options(&mut recipe, arguments)?;
    if arguments.proof {
        recipe = recipe.as_proof();
    }
    recipe.validate().map_err(|fault| anyhow!("recipe: {fault}"))?;
    let out = match (&arguments.out, &arguments.recipe) {
        (Some(out), _) => out.clone(),
        (None, Some(_)) => folder.clone(),
        (None, None) => PathBuf::from("baked"),
    };
    fs::create_dir_all(&out).with_context(|| format!("{}: the folder cannot be made", out.display()))?;

    let progress = Progress::new();
    let scene = load_scene(&recipe, &folder, &progress)?;
    let plan = Plan::new(&recipe, &scene)?;
    progress.say(&format!("reach out {:.5}, reach in {:.5}", plan.reach.out, plan.reach.inward));
    let outcome = run_plan(&plan, arguments.threads, &progress).context("the bake was stopped")?;
    progress.finish();
    let (report, failed) = write_maps(outcome, &recipe, &out);
    let text = serde_json::to_string_pretty(&report)?;
    let path = out.join("report.json");
    write_whole(&path, |file| std::io::Write::write_all(file, text.as_bytes()))
        .with_context(|| format!("{}: cannot be written", path.display()))?;
    if arguments.json {
        println!("{text}");
    } else {
        summarise(&report, &out);
    }
    Ok(ExitCode::from(u8::from(failed)))
}

/// The recipe and the folder its paths are relative to.
fn recipe_of(arguments: &Bake) -> Result<(Recipe, PathBuf), Unusable> {
    if let Some(path) = &arguments.recipe {
        let text = fs::read_to_string(path).with_context(|| format!("{}: cannot be read", path.display()))?;
        let recipe: Recipe = serde_json::from_str(&text).with_context(|| format!("{}", path.display()))?;
        let folder = path.parent().map(Path::to_path_buf).unwrap_or_default();
        return Ok((recipe, folder));
    }
    let source = |path: &PathBuf| Source { file: path.to_string_lossy().into_owned(), hash: None };
    let mut recipe = Recipe::new("");
    recipe.low = arguments.low.iter().map(source).collect();
    recipe.high = arguments.high.iter().map(source).collect();
    recipe.cage = arguments.cage.as_ref().map(source);
    Ok((recipe, PathBuf::new()))
}

fn apply_options(recipe: &mut Recipe, arguments: &Bake) -> Result<(), Unusable> {
    if !arguments.maps.is_empty() {
        let kept = std::mem::take(&mut recipe.maps);
        for name in &arguments.maps {
            // Settings that the recipe gives a map outlive a choice of maps.
            let known = kept.iter().find(|m| m.id() == name).cloned().or_else(|| MapSettings::by_id(name));
            let ids: Vec<&str> = MAPS.iter().map(|m| m.id).collect();
            recipe.maps.push(known.ok_or_else(|| anyhow!("--maps: no map '{name}'; there are {}", ids.join(", ")))?);
        }
    }
    for map in &mut recipe.maps {
        match map {
            MapSettings::Normal(settings) => {
                *settings = NormalSettings { y: arguments.normal_y.unwrap_or(settings.y) };
            }
            MapSettings::Id(settings) => {
                *settings = IdSettings { from: arguments.id_from.map_or(settings.from, Into::into) };
            }
            MapSettings::Miss => {}
        }
    }
    fn set<T>(slot: &mut T, value: Option<impl Into<T>>) {
        if let Some(value) = value {
            *slot = value.into();
        }
    }
    set(&mut recipe.sheet.size, arguments.size);
    set(&mut recipe.sheet.samples, arguments.samples);
    set(&mut recipe.sheet.padding, arguments.padding);
    set(&mut recipe.sheet.depth, arguments.depth);
    set(&mut recipe.sheet.format, arguments.format);
    set(&mut recipe.reach.out, arguments.reach_out);
    set(&mut recipe.reach.inward, arguments.reach_in);
    set(&mut recipe.reach.out, arguments.reach);
    set(&mut recipe.reach.inward, arguments.reach);
    set(&mut recipe.direction, arguments.direction);
    set(&mut recipe.hit, arguments.hit);
    set(&mut recipe.pairing, arguments.pair);
    set(&mut recipe.back_faces, arguments.back_faces);
    set(&mut recipe.seed, arguments.seed);
    Ok(())
}

fn load_scene(recipe: &Recipe, folder: &Path, progress: &Progress) -> Result<BakeScene, Unusable> {
    if recipe.low.is_empty() || recipe.high.is_empty() {
        bail!("recipe: it needs at least one low and one high mesh; name the files under \"low\" and \"high\"");
    }
    let load = |sources: &[Source]| -> Result<Vec<Mesh>, Unusable> {
        sources.iter().map(|source| load_mesh(source, folder, progress)).collect()
    };
    let (low, high) = (load(&recipe.low)?, load(&recipe.high)?);
    let cage = recipe.cage.as_ref().map(|source| load_mesh(source, folder, progress)).transpose()?;
    let all = |meshes: &[Mesh]| meshes.iter().map(|m| m.triangles.len()).sum::<usize>();
    progress.say(&format!("building the tree over {} triangles", all(&high)));
    let scene = BakeScene::new(&low.iter().collect::<Vec<_>>(), &high.iter().collect::<Vec<_>>(), cage.as_ref());
    let scene = scene.with_context(|| recipe.cage.as_ref().map_or("cage".to_owned(), |c| c.file.clone()))?;
    progress.say(&format!("ready: {} low, {} high triangles", all(&low), all(&high)));
    Ok(scene)
}

fn load_mesh(source: &Source, folder: &Path, progress: &Progress) -> Result<Mesh, Unusable> {
    let path = folder.join(&source.file);
    progress.say(&format!("reading {}", path.display()));
    let bytes = fs::read(&path).with_context(|| format!("{}: cannot be read", path.display()))?;
    if let Some(expected) = &source.hash {
        let found = blake3::hash(&bytes).to_hex();
        if found.as_str() != expected {
            bail!(
                "{}: it is not the file the recipe was made with (BLAKE3 {found}, not {expected}). \
                 Put the right file there, or take the hash out of the recipe",
                path.display()
            );
        }
    }
    Ok(read_mesh(&path.to_string_lossy(), &bytes, &|name| read_beside(&path, name))?)
}

/// A file that belongs to `path`, from the same folder or below; never from elsewhere.
pub fn read_beside(path: &Path, name: &str) -> Option<Vec<u8>> {
    let name = Path::new(name);
    let stays = name.components().all(|c| matches!(c, Component::Normal(_) | Component::CurDir));
    stays.then(|| fs::read(path.parent().unwrap_or(Path::new("")).join(name)).ok()).flatten()
}

/// Writes every map; one that fails is noted in the report and the others are written all the same.
fn write_maps(outcome: Outcome, recipe: &Recipe, out: &Path) -> (Report, bool) {
    let mut report = outcome.report;
    let mut failed = false;
    for map in &outcome.maps {
        let name = map_file_name(&recipe.low[0].file, map.id, recipe.sheet.format);
        let written =
            write_whole(&out.join(&name), |file| write_png(file, recipe.sheet.size, map.channels, &map.pixels));
        let Some(entry) = report.maps.get_mut(map.id) else { continue };
        match written {
            Ok(()) => entry.file = name,
            Err(error) => {
                failed = true;
                eprintln!("error: {}: {error}", out.join(&name).display());
                entry.error = Some(format!("{name}: {error}"));
            }
        }
    }
    (report, failed)
}

fn summarise(report: &Report, out: &Path) {
    let missed = 100.0 * report.misses as f64 / report.covered.max(1) as f64;
    println!(
        "{} rays in {:.2} s; {} of {} texels covered, {missed:.3} % of them missed",
        report.rays, report.seconds, report.covered, report.texels
    );
    for (id, map) in &report.maps {
        if map.error.is_none() {
            println!("  {id:<8} {}", out.join(&map.file).display());
        }
    }
    for finding in &report.findings {
        println!("  {:?}: {}. {}", finding.severity, finding.reason, finding.remedy);
    }
}
