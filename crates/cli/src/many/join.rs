//! `ember-ridge join`: the maps of a bake whose tiles were made apart. Exit code 1: tiles are missing or torn, and are named.

use super::{plan_of, this_program};
use crate::Unusable;
use crate::arguments::Join;
use crate::bake::{outputs, write_run};
use crate::files::{Files, ready_folder};
use crate::progress::Progress;
use crate::say::{answer, aside};
use anyhow::{Context, bail};
use ember_ridge_core::bake::{Blocks, join, on_threads};
use ember_ridge_core::hits::HitStore;
use ember_ridge_core::sheet::{Tile, tiles_in_morton_order};
use ember_ridge_formats::hits::KeptHits;
use ember_ridge_formats::job::{Job, NoTile, Share};
use rayon::prelude::*;
use serde::Serialize;
use std::io;
use std::path::{Path, PathBuf};
use std::process::ExitCode;
use std::sync::Arc;

/// Tiles that are named one by one; of more, only the shares.
const MOST_NAMED: usize = 20;

/// A tile that cannot be joined.
#[derive(Serialize)]
struct Lacking {
    share: usize,
    sheet: String,
    /// Of its upper left texel.
    x: u32,
    y: u32,
    file: PathBuf,
    torn: bool,
}

pub fn run(arguments: &Join) -> Result<ExitCode, Unusable> {
    let progress = Progress::that_stops()?;
    let job = Job::open(&arguments.dir)?;
    if arguments.keep_hits.is_some() && !job.facts.keeps_hits {
        bail!("--keep-hits: the bake was split without --keep-hits, and its workers kept none; split it again with it");
    }
    on_threads(arguments.threads, || {
        job.check(&this_program()?)?;
        let shares = job.shares()?;
        progress.say("looking for tiles");
        let recipe = job.recipe()?;
        let lacking = lacking(&job, &shares, &tiles_in_morton_order(recipe.sheet.size))?;
        if !lacking.is_empty() {
            progress.finish();
            tell(&job, lacking, arguments.json)?;
            return Ok(ExitCode::from(1));
        }
        ready_folder(&arguments.out)?;
        let plan = plan_of(&job, &recipe, &progress)?;
        Files::default().keep_from(&arguments.out, outputs(&plan))?;
        let joined = join(&plan, arguments.threads, &progress, Arc::new(job.tiles()));
        let outcome = joined.with_context(|| format!("{}: nothing was joined; join again", job.folder().display()))?;
        let failed = write_run(outcome, &arguments.out, arguments.json)?;
        if let Some(to) = &arguments.keep_hits {
            keep_hits(&job, &shares, to).with_context(|| {
                format!("{}: hits cannot be kept. Free some space there, or name another folder", to.display())
            })?;
        }
        job.sweep();
        progress.finish();
        Ok(ExitCode::from(u8::from(failed)))
    })
}

/// The tiles that are missing or torn, in order.
fn lacking(job: &Job, shares: &[Share], order: &[Tile]) -> Result<Vec<Lacking>, Unusable> {
    let tiles = job.tiles();
    let all: Vec<(u32, usize)> = shares
        .iter()
        .enumerate()
        .flat_map(|(share, own)| own.blocks.iter().map(move |block| (*block, share)))
        .collect();
    let look = |&(block, share): &(u32, usize)| -> io::Result<Option<(u32, Lacking)>> {
        let Err(why) = tiles.read(block)? else { return Ok(None) };
        let facts = &job.facts;
        let blocks: &Blocks = &facts.blocks;
        let sheet = facts.sheets.get(blocks.sheet(block)).cloned().unwrap_or_default();
        let first = blocks.tiles_of(block).next().and_then(|tile| order.get(tile.tile));
        let (x, y) = first.map_or((0, 0), |tile| (tile.x, tile.y));
        let torn = why == NoTile::Torn;
        Ok(Some((block, Lacking { share, sheet, x, y, file: tiles.path(block), torn })))
    };
    let mut found = all.par_iter().filter_map(|at| look(at).transpose()).collect::<io::Result<Vec<_>>>()?;
    found.sort_by_key(|(block, _)| *block);
    Ok(found.into_iter().map(|(_, lacking)| lacking).collect())
}

fn tell(job: &Job, lacking: Vec<Lacking>, json: bool) -> Result<(), Unusable> {
    let mut shares: Vec<usize> = lacking.iter().map(|tile| tile.share).collect();
    shares.sort_unstable();
    shares.dedup();
    let count = |torn: bool| lacking.iter().filter(|tile| tile.torn == torn).count();
    let (missing, torn) = (count(false), count(true));
    let all = job.facts.tiles;
    if json {
        let told =
            serde_json::json!({ "tiles": all, "missing": missing, "torn": torn, "shares": shares, "lacking": lacking });
        answer!("{told:#}");
    }
    aside!("error: of {all} tiles {missing} are missing and {torn} torn; no map was written");
    for Lacking { share, sheet, x, y, file, torn } in lacking.iter().take(MOST_NAMED) {
        let what = if *torn { "torn" } else { "missing" };
        let sheet = if sheet.is_empty() { String::new() } else { format!("sheet {sheet}, ") };
        aside!("  {what}: {sheet}texel {x}, {y}, of share {share} ({})", file.display());
    }
    if lacking.len() > MOST_NAMED {
        aside!("  and {} more", lacking.len() - MOST_NAMED);
    }
    let named: Vec<String> = shares.iter().take(MOST_NAMED).map(usize::to_string).collect();
    let more = if shares.len() > MOST_NAMED { " and others" } else { "" };
    aside!("Run 'work --job' again for shares {}{more}: finished tiles are kept", named.join(", "));
    Ok(())
}

/// Puts the hits of all tiles into a folder, as a bake keeps them.
fn keep_hits(job: &Job, shares: &[Share], to: &Path) -> io::Result<()> {
    let (tiles, kept) = (job.tiles(), KeptHits::open(None, Some(to), None)?);
    let mut all: Vec<u32> = shares.iter().flat_map(|share| share.blocks.iter().copied()).collect();
    all.sort_unstable();
    for block in all {
        let made = tiles.read(block)?.map_err(|_| io::Error::other("a tile went missing; join again"))?;
        made.hits.iter().for_each(|(key, bytes)| kept.keep(key, bytes));
    }
    kept.finish().map(|_| ())
}
