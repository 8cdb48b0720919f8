//! Running a plan: threads take tiles in order, trace them, let each map evaluate them, and put the values into the spool.
//! The clock, the wish to stop and the wish to watch come from outside, through [`Watch`].

use super::canvas::Canvas;
use super::counts::Counts;
use super::hits::{Leave, Scratch, TileHits};
use super::kept::Keeping;
use super::outcome::{Outcome, slot};
use super::packed::HitStore;
use super::plan::Plan;
use super::report::{MapReport, Report};
use super::spool::{MemorySpool, Spool};
use crate::maps::TileWork;
use crate::sheet::Coverage;
use rayon::prelude::*;
use std::collections::BTreeMap;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::sync::{Arc, Mutex, PoisonError};

/// What a bake needs from the outside. All methods are called from worker threads.
pub trait Watch: Sync {
    /// Seconds since any fixed moment.
    fn now(&self) -> f64;
    /// True once the bake should end; asked before every tile.
    fn stopped(&self) -> bool;
    /// False when nobody will look at the canvas; it then takes no memory.
    fn looks(&self) -> bool {
        true
    }
    /// A tile is on the canvas: `done` of `all` so far.
    fn tile_done(&self, done: usize, all: usize, canvas: &Canvas);
}

/// A bake that nobody watches, times or stops.
pub struct Unwatched;

impl Watch for Unwatched {
    fn now(&self) -> f64 {
        0.0
    }

    fn stopped(&self) -> bool {
        false
    }

    fn tile_done(&self, _: usize, _: usize, _: &Canvas) {}
}

/// Why a bake ended without an outcome.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum Ended {
    #[error("the bake was stopped")]
    Stopped,
    #[error("finished tiles cannot be kept: {0}. Make room on the disk, or bake smaller")]
    Spool(String),
}

/// Runs a plan on `threads` threads (0 = one a core), with finished tiles in memory.
///
/// # Errors
/// [`Ended::Stopped`] when the watch asked for it.
pub fn run(plan: &Plan, threads: usize, watch: &dyn Watch) -> Result<Outcome, Ended> {
    run_into(plan, threads, watch, Arc::new(MemorySpool::default()), None)
}

/// The same, with finished tiles in a spool of the caller's, and hits taken from and kept in a store of the caller's.
///
/// # Errors
/// [`Ended::Stopped`] when the watch asked for it, [`Ended::Spool`] when a tile cannot be kept.
pub fn run_into(
    plan: &Plan,
    threads: usize,
    watch: &dyn Watch,
    spool: Arc<dyn Spool>,
    hits: Option<&dyn HitStore>,
) -> Result<Outcome, Ended> {
    on_threads(threads, || run_in_pool(plan, rayon::current_num_threads(), watch, spool, hits))
}

/// Does something on a pool of `threads` threads (0 = one a core): what it spreads out keeps to them.
pub fn on_threads<T: Send>(threads: usize, work: impl FnOnce() -> T + Send) -> T {
    match rayon::ThreadPoolBuilder::new().num_threads(threads).build() {
        Ok(pool) => pool.install(work),
        // No threads to be had: the caller's own does the work.
        Err(_) => work(),
    }
}

struct Shared<'a> {
    plan: &'a Plan,
    watch: &'a dyn Watch,
    canvas: &'a Canvas,
    covered: Vec<Mutex<Coverage>>,
    spool: &'a dyn Spool,
    hits: Option<&'a dyn HitStore>,
    keeping: Option<Keeping<'a>>,
    /// Each map with its settings in words, to know its values again.
    map_keys: Vec<String>,
    fault: Mutex<Option<String>>,
}

fn run_in_pool(
    plan: &Plan,
    threads: usize,
    watch: &dyn Watch,
    spool: Arc<dyn Spool>,
    hits: Option<&dyn HitStore>,
) -> Result<Outcome, Ended> {
    let started = watch.now();
    let canvas = Canvas::new(plan, !watch.looks());
    let shared = Shared {
        plan,
        watch,
        canvas: &canvas,
        covered: plan.sheets.iter().map(|_| Mutex::new(Coverage::new(plan.recipe.sheet.size))).collect(),
        spool: &*spool,
        hits,
        keeping: plan.scene.kept.for_plan(plan),
        map_keys: plan.maps.iter().map(|m| format!("{:?}", m.settings)).collect(),
        fault: Mutex::default(),
    };
    let busy: Vec<(usize, usize)> = plan
        .sheets
        .iter()
        .enumerate()
        .flat_map(|(s, sheet)| (0..sheet.tiles.len()).map(move |t| (s, t)))
        .filter(|&(s, t)| !plan.sheets[s].candidates[t].is_empty())
        .collect();
    let (next, done) = (AtomicUsize::new(0), AtomicUsize::new(0));

    let work = |_: usize| {
        let mut counts = Counts::for_plan(plan);
        let mut scratch = Scratch::default();
        loop {
            let at = next.fetch_add(1, Ordering::Relaxed);
            if at >= busy.len() || watch.stopped() || shared.failed() {
                return counts;
            }
            let (sheet, tile) = busy[at];
            shared.bake_tile(sheet, tile, &mut counts, &mut scratch);
            watch.tile_done(done.fetch_add(1, Ordering::Relaxed) + 1, busy.len(), &canvas);
        }
    };
    let counts =
        (0..threads).into_par_iter().with_max_len(1).map(work).reduce(|| Counts::for_plan(plan), Counts::merged);
    if let Some(fault) = shared.fault.into_inner().unwrap_or_else(PoisonError::into_inner) {
        return Err(Ended::Spool(fault));
    }
    if watch.stopped() {
        return Err(Ended::Stopped);
    }
    if let Some(keeping) = shared.keeping {
        keeping.finish();
    }
    let covered = shared.covered.into_iter().map(|c| c.into_inner().unwrap_or_else(PoisonError::into_inner)).collect();
    let report = report(plan, &counts, watch.now() - started);
    let mut outcome = Outcome::new(plan, covered, counts, report, spool, canvas);
    for map in &outcome.maps {
        if let Some(entry) = outcome.report.maps.get_mut(map.id) {
            entry.scale = map.scale;
            entry.error.clone_from(&map.error);
        }
    }
    Ok(outcome)
}

impl Shared<'_> {
    fn failed(&self) -> bool {
        self.fault.lock().unwrap_or_else(PoisonError::into_inner).is_some()
    }

    fn bake_tile(&self, sheet: usize, number: usize, counts: &mut Counts, scratch: &mut Scratch) {
        let plan = self.plan;
        let before = self.watch.now();
        let kept = self.keeping.as_ref().and_then(|k| k.tile(sheet, number));
        let leave = if self.keeping.is_some() { Leave::Rays } else { Leave::Nothing };
        let kept = kept.map(|(tile, same_part)| (&*tile.hits, same_part));
        let hits = TileHits::trace(plan, (sheet, number), kept, (leave, self.hits), scratch);
        counts.ray_seconds += self.watch.now() - before;
        counts.take(plan, &hits);
        {
            let mut covered = self.covered[sheet].lock().unwrap_or_else(PoisonError::into_inner);
            for (texel, _) in hits.texels() {
                covered.set(hits.texel_on_sheet(texel, plan.recipe.sheet.size));
            }
        }
        let tile = &plan.sheets[sheet].tiles[number];
        let changed = hits.changed();
        let of_before = |map: usize| {
            // Heights along the averaged direction do not follow from rays that run otherwise.
            let follows = plan.field.all_averaged() || !plan.maps[map].heights;
            let keeping = self.keeping.as_ref().filter(|_| follows)?;
            keeping.values((sheet, number), &self.map_keys[map], &changed)
        };
        let before: Vec<_> = (0..plan.maps.len()).map(of_before).collect();
        let mut left = Vec::new();
        let mut work = TileWork::new(plan, &hits, scratch);
        let mut values = Vec::new();
        for (map, planned) in plan.maps.iter().enumerate() {
            let Ok(task) = &planned.work else { continue };
            let begun = self.watch.now();
            values.clear();
            work.wanted = before[map].as_ref().map(|(_, wanted)| wanted.as_slice());
            match &before[map] {
                Some((kept, _)) => values.extend_from_slice(kept),
                None => values.resize(tile.texels() * planned.shape.channels, 0.0),
            }
            // Texels that are worked on again begin from nothing, as in a bake from nothing.
            let channels = planned.shape.channels;
            work.wanted_texels().for_each(|(texel, _)| values[texel * channels..(texel + 1) * channels].fill(0.0));
            let rays = work.rays;
            task.evaluate(&mut work, &mut values);
            counts.maps[map].rays += work.rays - rays;
            let extreme = if planned.heights { counts.take_heights(plan, map, &hits, &values) } else { 0.0 };
            self.canvas.put(map, &hits, &values, plan.recipe.sheet.size, extreme);
            let bytes = planned.stored.pack(&hits, planned.shape.channels, &values);
            let tiles = plan.sheets[sheet].tiles.len();
            if let Err(fault) = self.spool.keep(slot(plan.maps.len(), tiles, sheet, number, map), bytes) {
                *self.fault.lock().unwrap_or_else(PoisonError::into_inner) = Some(fault);
            }
            counts.maps[map].seconds += self.watch.now() - begun;
            if self.keeping.is_some() {
                left.push((self.map_keys[map].clone(), values.clone()));
            }
        }
        drop(work);
        if let Some(keeping) = &self.keeping {
            keeping.leave((sheet, number), Arc::new(hits), left, &changed);
        }
    }
}

fn report(plan: &Plan, counts: &Counts, seconds: f64) -> Report {
    let size = plan.recipe.sheet.size;
    let mut findings = plan.findings.clone();
    findings.extend(counts.findings(plan));
    let written: BTreeMap<String, MapReport> = plan
        .maps
        .iter()
        .zip(&counts.maps)
        .map(|(map, tally)| {
            let report = MapReport {
                file: String::new(),
                files: Vec::new(),
                seconds: tally.seconds,
                preparing: map.preparing,
                rays: tally.rays,
                width: size,
                height: size,
                depth: map.depth,
                encoding: map.settings.encoding(),
                scale: None,
                extreme: map.heights.then_some(tally.extreme),
                palette: map.work.as_ref().ok().and_then(|w| w.palette()).map(<[_]>::to_vec),
                error: None,
            };
            (map.settings.id().to_owned(), report)
        })
        .collect();
    Report {
        version: 1,
        recipe: plan.recipe.clone(),
        reach: plan.field.summary,
        seconds,
        ray_seconds: counts.ray_seconds,
        rays: counts.rays + counts.maps.iter().map(|m| m.rays).sum::<u64>(),
        kept_rays: counts.kept_rays,
        texels: u64::from(size) * u64::from(size) * plan.sheets.len() as u64,
        covered: counts.covered,
        misses: counts.misses,
        back_faces: counts.back_faces,
        sheets: plan.sheets.iter().map(|s| s.name.label()).collect(),
        maps: written,
        findings,
    }
}
