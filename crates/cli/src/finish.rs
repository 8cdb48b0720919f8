//! `ember-ridge finish`: the ready-made finishes, and finishes of files, told coat by coat; and what `--finish` adds to a recipe.

use crate::Unusable;
use crate::arguments::{Bake, Finish as Asked, FinishWhat};
use crate::files::read_text;
use crate::say::answer;
use anyhow::{anyhow, bail};
use ember_ridge_core::Recipe;
use ember_ridge_core::finish::{Body, Finish, KeptFinishes, READY_FINISHES, ReadyFinish};
use ember_ridge_core::glam::Vec3;
use ember_ridge_core::maps::MapSettings;
use ember_ridge_core::scene::BakeScene;
use serde_json::json;
use std::path::Path;
use std::process::ExitCode;

pub fn run(asked: &Asked) -> Result<ExitCode, Unusable> {
    match &asked.what {
        FinishWhat::List { json: true } => {
            let line = |f: &ReadyFinish| json!({ "name": f.name, "explains": f.explains, "tags": f.tags });
            answer!("{}", serde_json::to_string_pretty(&READY_FINISHES.iter().map(line).collect::<Vec<_>>())?);
        }
        FinishWhat::List { json: false } => {
            READY_FINISHES.iter().for_each(|f| answer!("  {:<22} {}", f.name, f.explains));
        }
        FinishWhat::Show { name, json, diagonal } => {
            let finishes = match ReadyFinish::named(name) {
                Some(ready) => vec![ready.finish(&body_of(*diagonal))],
                None => read(name)?.finishes,
            };
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
    answer!("  base: {}", finish.base.words());
}

/// The finishes of a file.
fn read(name: &str) -> Result<KeptFinishes, Unusable> {
    let path = Path::new(name);
    if path.extension().is_none() {
        let known: Vec<&str> = READY_FINISHES.iter().map(|f| f.name).collect();
        bail!("there is no finish '{name}'; there are {}, and files ending in .json", known.join(", "));
    }
    KeptFinishes::from_json(&read_text(path)?).map_err(|fault| anyhow!("{name}: {fault}"))
}

/// Adds the finishes that are asked for to a recipe, and their maps unless maps were chosen. Ready-made ones are in lengths of a body of
/// size 1 until [`suit`] knows the asset.
pub fn apply(recipe: &mut Recipe, arguments: &Bake) -> Result<(), Unusable> {
    for name in &arguments.finish {
        let own = match ReadyFinish::named(name) {
            Some(ready) => vec![ready.finish(&body_of(1.0))],
            None => read(name)?.finishes,
        };
        for finish in own {
            recipe.finishes.retain(|f| f.name != finish.name);
            recipe.finishes.push(finish);
        }
    }
    if arguments.finish.is_empty() || !arguments.maps.is_empty() {
        return Ok(());
    }
    let any = |sets: fn(&Finish) -> bool| recipe.finishes.iter().any(sets);
    let emits = |f: &Finish| f.base.emission.0 != [0; 3] || f.shown().any(|c| c.sets.emission.is_some());
    let clear = |f: &Finish| f.base.opacity < 1.0 || f.shown().any(|c| c.sets.opacity.is_some());
    let wanted = [
        ("base-color", true),
        ("roughness", true),
        ("metallic", true),
        ("emission", any(emits)),
        ("opacity", any(clear)),
        ("height", any(Finish::sets_height)),
    ];
    for (key, _) in wanted.into_iter().filter(|(_, wanted)| *wanted) {
        if !recipe.maps.iter().any(|m| m.key() == key) {
            recipe.maps.extend(MapSettings::by_key(key));
        }
    }
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
