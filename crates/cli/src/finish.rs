//! `ember-ridge finish`: the ready-made finishes, and finishes of files, told coat by coat; and what `--finish` adds to a recipe.

use crate::Unusable;
use crate::arguments::{Bake, Finish as FinishArguments, FinishWhat};
use crate::document::{Asked, show_document};
use crate::files::{Files, read_text};
use crate::say::{answer, aside};
use anyhow::{Context, anyhow, bail};
use ember_ridge_core::Recipe;
use ember_ridge_core::finish::{Body, DocumentShows, Finish, KeptFinishes, READY_FINISHES, ReadyFinish};
use ember_ridge_core::glam::Vec3;
use ember_ridge_core::scene::BakeScene;
use ember_ridge_formats::files::write_whole;
use ember_ridge_formats::kept::bytes_of;
use ember_ridge_formats::materialx::write_document;
use serde_json::json;
use std::io::Write;
use std::path::Path;
use std::process::ExitCode;

pub fn run(arguments: &FinishArguments) -> Result<ExitCode, Unusable> {
    match &arguments.what {
        FinishWhat::List { json: true } => {
            let line = |f: &ReadyFinish| json!({ "name": f.name, "explains": f.explains, "tags": f.tags });
            answer!("{}", serde_json::to_string_pretty(&READY_FINISHES.iter().map(line).collect::<Vec<_>>())?);
        }
        FinishWhat::List { json: false } => {
            READY_FINISHES.iter().for_each(|f| answer!("  {:<22} {}", f.name, f.explains));
        }
        FinishWhat::Write { name, out, diagonal } => {
            if out.canonicalize().is_ok_and(|out| Path::new(name).canonicalize().is_ok_and(|read| read == out)) {
                bail!("{}: the finishes are read from this file. Give another file with --out", out.display());
            }
            let written = write_document(&finishes_of(name, *diagonal)?)?;
            let whole = write_whole(out, |file| file.write_all(written.text.as_bytes()));
            whole.with_context(|| format!("{}: it cannot be written. Name another file with --out", out.display()))?;
            answer!("{}", out.display());
            written.left_out.iter().for_each(|why| aside!("left out: {why}"));
        }
        FinishWhat::Show { name, json, diagonal } => {
            if let Some(asked) = Asked::of(name) {
                show_document(&asked, *json)?;
                return Ok(ExitCode::SUCCESS);
            }
            let finishes = finishes_of(name, *diagonal)?;
            if *json {
                answer!("{}", serde_json::to_string_pretty(&json!({ "finishes": finishes, "diagonal": diagonal }))?);
            } else {
                finishes.iter().for_each(show);
            }
        }
    }
    Ok(ExitCode::SUCCESS)
}

/// A body of this size that stands on the ground.
fn body_of(diagonal: f32) -> Body {
    let side = diagonal / 3f32.sqrt();
    let (low, high) = (Vec3::new(-0.5 * side, 0.0, -0.5 * side), Vec3::new(0.5 * side, side, 0.5 * side));
    Body { diagonal, bounds: (low, high) }
}

fn show(finish: &Finish) {
    answer!("{}, on {}", finish.name, finish.on.words());
    for coat in finish.coats.iter().rev() {
        let muted = if coat.muted { " (muted)" } else { "" };
        answer!("  {}{muted}: {}", coat.name, coat.sentence());
    }
    answer!("  base: {}", finish.ground_words());
}

/// A ready-made finish for an asset of this size, or the finishes of a file.
fn finishes_of(name: &str, diagonal: f32) -> Result<Vec<Finish>, Unusable> {
    match ReadyFinish::named(name) {
        Some(ready) => Ok(vec![ready.finish(&body_of(diagonal))]),
        None => Ok(read(name)?.finishes),
    }
}

/// The finishes of a file.
fn read(name: &str) -> Result<KeptFinishes, Unusable> {
    let path = Path::new(name);
    if path.extension().is_none() {
        let known: Vec<&str> = READY_FINISHES.iter().map(|f| f.name).collect();
        bail!("there is no finish '{name}'; there are {}, and files ending in .json or .mtlx", known.join(", "));
    }
    KeptFinishes::from_json(&read_text(path)?).map_err(|fault| anyhow!("{name}: {fault}"))
}

/// Adds the finishes that are asked for to a recipe, and their maps unless maps were chosen. Ready-made ones are in lengths of a body of
/// size 1 until [`suit`] knows the asset.
pub fn apply(recipe: &mut Recipe, files: &mut Files, arguments: &Bake) -> Result<(), Unusable> {
    let mut shows = DocumentShows::default();
    for name in &arguments.finish {
        let own = match (ReadyFinish::named(name), Asked::of(name)) {
            (Some(ready), _) => vec![ready.finish(&body_of(1.0))],
            (None, Some(asked)) => {
                let document = asked.read()?;
                let of = document.shows(asked.material(&document)?);
                shows.emission |= of.emission;
                shows.opacity |= of.opacity;
                shows.height |= of.height;
                vec![asked.finish(files)]
            }
            (None, None) => {
                let kept = read(name)?;
                for file in &kept.files {
                    files.hold(&file.file, bytes_of(file).map_err(|fault| anyhow!("{name}: {fault}"))?);
                }
                kept.finishes
            }
        };
        for finish in own {
            recipe.finishes.retain(|f| f.name != finish.name);
            recipe.finishes.push(finish);
        }
    }
    if arguments.finish.is_empty() || !arguments.maps.is_empty() {
        return Ok(());
    }
    if recipe.high.is_empty() && arguments.normal_map.is_none() && arguments.recipe.is_none() {
        // By themselves finishes say nothing of what only a sculpt has.
        recipe.maps.clear();
    }
    recipe.add_maps_of_finishes(shows);
    Ok(())
}

/// Suits the ready-made finishes that are asked for to the asset.
pub fn suit(recipe: &mut Recipe, arguments: &Bake, scene: &BakeScene) {
    let body = Body::of(scene.diagonal(), scene.low.mesh.bounds(), scene.high_bounds());
    for ready in arguments.finish.iter().filter_map(|name| ReadyFinish::named(name)) {
        for finish in recipe.finishes.iter_mut().filter(|f| f.name == ready.name) {
            *finish = ready.finish(&body);
        }
    }
}
