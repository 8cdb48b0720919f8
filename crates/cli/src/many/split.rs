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
use ember_ridge_core::bake::{Blocks, Costs, Plan, on_threads, share_out};
use ember_ridge_core::scene::ReadyScene;
use ember_ridge_core::sheet::TILE;
use ember_ridge_formats::job::{Estimated, Job, NewJob, Share};
use serde_json::json;
use std::path::Path;
use std::process::ExitCode;

/// Seconds that tiles are timed for, to tell what the others cost.
const TIMING: f64 = 3.0;
/// Bytes of a worker besides what it has mapped and read: the program itself, and what each thread works with.
const OF_PROGRAM: u64 = 64 << 20;
const OF_THREAD: u64 = 32 << 20;
/// Bytes of tiles that the join keeps at hand, and seconds that a texel of a map takes it (docs/performance.md).
const OF_TILES: u64 = 64 << 20;
const JOINED_TEXEL: f64 = 4e-7;

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
        let blocks = Blocks::of(&plan, arguments.jobs);
        progress.say("timing some tiles");
        let costs = Costs::measured(&plan, &blocks, &progress, TIMING);
        let shares: Vec<Share> = share_out(&costs.blocks, arguments.jobs)
            .into_iter()
            .map(|own| {
                let (blocks, costs) = own.into_iter().unzip();
                Share { blocks, costs }
            })
            .collect();
        let cage = recipe.cage.as_ref().map(|source| load_mesh(source, &files, &progress)).transpose()?;
        let ready = ReadyScene::of(&plan.rays.scene, cage.as_ref());
        let prepared = ready.pack();
        let mapped: u64 = prepared.sections.iter().map(|(_, section)| section.len() as u64).sum();
        let meshes = (scene.high.bytes() + 2 * scene.low.mesh.bytes()) as u64;
        let of_share = |share: &Share| share.costs.iter().map(|cost| f64::from(*cost)).sum::<f64>();
        let inputs = files.all_read();
        let copied: u64 = inputs.iter().map(|(_, path)| path.metadata().map_or(0, |about| about.len())).sum();
        let memory = OF_PROGRAM + mapped + meshes + plan.sheets_bytes();
        let texels = f64::from(recipe.sheet.size).powi(2) * (plan.sheet_names().len() * recipe.maps.len()) as f64;
        let estimate = Estimated {
            seconds: costs.seconds(),
            longest_seconds: shares.iter().map(of_share).fold(0.0, f64::max),
            memory,
            thread_memory: OF_THREAD,
            join_memory: memory + OF_TILES + plan.outcome_bytes(),
            join_seconds: texels * JOINED_TEXEL,
            disk: mapped + copied + plan.spool_bytes() + costs.blocks.len() as u64 * 1024,
            timed_tiles: costs.timed,
        };
        progress.say("writing the folder");
        let name =
            if recipe.asset.is_empty() { recipe.low.first().map_or("", |low| low.stem()) } else { &recipe.asset };
        let new = NewJob {
            name: name.to_owned(),
            program: this_program()?,
            recipe: &recipe,
            inputs,
            prepared,
            shares,
            tile_side: TILE * blocks.along,
            blocks,
            sheets: plan.sheet_names().iter().map(|name| name.label()).collect(),
            keeps_hits: arguments.keep_hits,
            estimate,
        };
        let job = Job::make(&arguments.to, new)?;
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
