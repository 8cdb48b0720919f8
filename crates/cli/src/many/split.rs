//! `ember-ridge split`: the folder of a bake over many processes.

use super::{duration, this_program};
use crate::Unusable;
use crate::arguments::Split;
use crate::files::{Files, read_text, ready_folder};
use crate::progress::Progress;
use crate::say::answer;
use crate::scene::{load_mesh, load_scene};
use anyhow::{anyhow, bail};
use ember_ridge_core::Recipe;
use ember_ridge_core::bake::{Plan, on_threads};
use ember_ridge_formats::job::{Estimated, Job, SplitOrder, split};
use serde_json::json;
use std::path::Path;
use std::process::ExitCode;

pub fn run(arguments: &Split) -> Result<ExitCode, Unusable> {
    let progress = Progress::new();
    let text = read_text(&arguments.recipe)?;
    let recipe = Recipe::from_json(&text).map_err(|fault| anyhow!("{}: {fault}", arguments.recipe.display()))?;
    recipe.validate().map_err(|fault| anyhow!("recipe: {fault}"))?;
    if recipe.region.is_some() {
        bail!(
            "{}: it bakes only a region, which one machine does sooner; remove \"region\", or bake it with 'bake --into'",
            arguments.recipe.display()
        );
    }
    Job::ready(&arguments.to)?;
    ready_folder(&arguments.to)?;
    let folder = arguments.meshes.as_deref().or(arguments.recipe.parent()).unwrap_or(Path::new(""));
    let files = Files::in_folder(folder.to_owned());
    on_threads(arguments.threads, || -> Result<(), Unusable> {
        let scene = load_scene(&recipe, &files, &progress)?;
        let plan = Plan::watched(&recipe, &scene, &progress)?;
        let cage = recipe.cage.as_ref().map(|source| load_mesh(source, &files, &progress)).transpose()?;
        let order = SplitOrder {
            shares: arguments.jobs,
            keeps_hits: arguments.keep_hits,
            program: this_program()?,
            inputs: files.all_read(),
            cage: cage.as_ref(),
        };
        let Some(job) = split(&plan, order, &arguments.to, &progress, &|stage| progress.say(stage))? else {
            bail!("asked to stop; nothing was split")
        };
        progress.finish();
        tell(&job, arguments);
        Ok(())
    })?;
    Ok(ExitCode::SUCCESS)
}

fn tell(job: &Job, arguments: &Split) {
    let facts = &job.facts;
    let Estimated { seconds, longest_seconds, memory, disk, timed_tiles, .. } = facts.estimate;
    if arguments.json {
        let told = json!({
            "job": arguments.to,
            "shares": facts.shares,
            "tiles": facts.tiles,
            "tile_side": facts.tile_side,
            "sheets": facts.sheets,
            "estimate": facts.estimate,
        });
        answer!("{told:#}");
        return;
    }
    answer!(
        "{}: {} tiles of {side} x {side} texels on {} sheets, in {} shares",
        arguments.to.display(),
        facts.tiles,
        facts.sheets.len(),
        facts.shares,
        side = facts.tile_side
    );
    answer!(
        "  about {} of one thread, the longest share {}, told from {timed_tiles} tiles",
        duration(seconds),
        duration(longest_seconds)
    );
    answer!("  about {} MB of memory a worker, at most {} MB in the folder", memory >> 20, (disk >> 20) + 1);
}
