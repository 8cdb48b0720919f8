//! Running a plan: threads take tiles in order, trace them, let each map evaluate them, and put the values into the spool.
//! The clock, the wish to stop and the wish to watch come from outside, through [`Watch`].

use super::canvas::{Canvas, Landed};
use super::closed::{ClosedTile, close};
use super::counts::Counts;
use super::kept::{Begun, Keeping, KeptTiles, Left};
use super::outcome::Outcome;
use super::plan::{Plan, PlannedMap};
use super::report::Report;
use super::spool::{MemorySpool, Slots, Spool};
use crate::hits::{HitStore, Scratch, TileHits, TileNumber, TileSource};
use crate::maps::{Asked, TileWork};
use crate::sheet::Coverage;
use crate::stop::never;
use parking_lot::Mutex;
use rayon::prelude::*;
use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};

/// What a bake needs from the outside. All methods are called from worker threads.
pub trait Watch: Sync {
    /// Seconds since any fixed moment.
    fn now(&self) -> f64;
    /// Seconds that the thread which asks has run, since any fixed moment; where that is not to be had, as [`Watch::now`].
    fn thread_seconds(&self) -> f64 {
        self.now()
    }
    /// True once the bake should end; asked before every tile.
    fn stopped(&self) -> bool;
    /// False when nobody will look at the canvas; it then takes no memory.
    fn looks(&self) -> bool {
        true
    }
    /// False where maps alone are wanted: what a bake meets and what its maps show is then not told in the report.
    fn judges(&self) -> bool {
        true
    }
    /// A tile is on the canvas, and how far the bake is with it. Called before the first one too where there is something to see by then.
    fn tile_done(&self, so_far: &SoFar, canvas: &Canvas);
}

/// How far a bake is.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct SoFar {
    /// Tiles that are done, those of an earlier go among them.
    pub done: usize,
    pub all: usize,
    /// Tiles that an earlier go of the run had finished.
    pub taken_over: usize,
    /// Rays that were traced in this go.
    pub rays: u64,
    /// Thread seconds of the primary rays, and of each map, in this go.
    pub ray_seconds: f64,
    pub map_seconds: Vec<f64>,
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

    fn tile_done(&self, _: &SoFar, _: &Canvas) {}
}

/// A bake whose tiles and findings nobody hears of.
pub(super) struct Hushed<'a>(pub &'a dyn Watch);

impl Watch for Hushed<'_> {
    fn now(&self) -> f64 {
        self.0.now()
    }

    fn stopped(&self) -> bool {
        self.0.stopped()
    }

    fn judges(&self) -> bool {
        false
    }

    fn tile_done(&self, _: &SoFar, _: &Canvas) {}
}

/// Why a bake ended without an outcome.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum Ended {
    #[error("the bake was stopped")]
    Stopped,
    #[error("finished tiles cannot be kept: {0}. Free some disk space, or bake a smaller sheet")]
    Spool(String),
    #[error("what lies around the region cannot be taken over: {0}")]
    Around(String),
    #[error("{} tiles are missing", .0.len())]
    Missing(Vec<TileNumber>),
}

/// Runs a plan on `threads` threads (0 = one a core), with finished tiles in memory.
///
/// # Errors
/// [`Ended::Stopped`] when the watch asked for it.
pub fn run(plan: &Plan, threads: usize, watch: &dyn Watch) -> Result<Outcome, Ended> {
    run_into(plan, threads, watch, Arc::new(MemorySpool::default()), None)
}

/// The same, with finished tiles in a spool of the caller's, and hits taken from and kept in a store of the caller's. Tiles that a spool
/// holds from an earlier go of the same run are taken over.
///
/// # Errors
/// [`Ended::Stopped`] when the watch asked for it, [`Ended::Spool`] when a tile cannot be kept, [`Ended::Around`] when what lies around a region
/// cannot be read.
pub fn run_into(
    plan: &Plan,
    threads: usize,
    watch: &dyn Watch,
    spool: Arc<dyn Spool>,
    hits: Option<&dyn HitStore>,
) -> Result<Outcome, Ended> {
    on_threads(threads, || run_in_pool(plan, rayon::current_num_threads(), watch, spool, hits, Tiles::MadeHere))
}

/// Where a run's tiles come from.
#[derive(Clone, Copy, PartialEq, Eq)]
pub(super) enum Tiles {
    /// What is not in the spool yet is made.
    MadeHere,
    /// All are in the spool.
    Given,
}

/// Does something on a pool of `threads` threads (0 = one a core): what it spreads out keeps to them.
pub fn on_threads<T: Send>(threads: usize, work: impl FnOnce() -> T + Send) -> T {
    match rayon::ThreadPoolBuilder::new().num_threads(threads).build() {
        Ok(pool) => pool.install(work),
        // No threads to be had: the caller's own does the work.
        Err(_) => work(),
    }
}

/// A bake under way, for all of its threads.
pub(super) struct Shared<'a> {
    pub plan: &'a Plan,
    pub watch: &'a dyn Watch,
    canvas: &'a Canvas,
    /// Empty where nobody asks for it.
    covered: Vec<Mutex<Coverage>>,
    pub(super) spool: &'a dyn Spool,
    keeping: Option<Keeping<'a>>,
    /// Each map with its settings in words, to know its values again.
    map_keys: Vec<String>,
    pub(super) slots: Slots,
    pub(super) so_far: Mutex<SoFar>,
    /// When it began, by the watch.
    started: f64,
    /// The most that an earlier go had taken at the end of any of its tiles, s.
    earlier: Mutex<f64>,
    pub(super) fault: Mutex<Option<String>>,
}

pub(super) fn run_in_pool(
    plan: &Plan,
    threads: usize,
    watch: &dyn Watch,
    spool: Arc<dyn Spool>,
    hits: Option<&dyn HitStore>,
    tiles: Tiles,
) -> Result<Outcome, Ended> {
    let started = watch.now();
    let canvas = Canvas::new(plan, !watch.looks());
    let mut shared = Shared::of(plan, watch, &canvas, &*spool);
    shared.covered = plan.rays.sheets.iter().map(|_| Mutex::new(Coverage::new(plan.recipe.sheet.size))).collect();
    let busy = plan.rays.busy_tiles();
    shared.so_far.lock().all = busy.len();
    let (mut taken_over, busy) = shared.take_over(busy);
    let (outside, busy): (Vec<_>, Vec<_>) = busy.into_iter().partition(|number| plan.is_outside(*number));
    if let Some(around) = plan.around.as_deref() {
        taken_over = taken_over.merged(shared.lay(&outside, around)?);
        shared.so_far.lock().done += outside.len();
    }
    if tiles == Tiles::Given && !busy.is_empty() && !watch.stopped() {
        return Err(Ended::Missing(busy));
    }
    if plan.first.is_some() || shared.so_far.lock().done > 0 {
        // There is something to see already.
        watch.tile_done(&shared.so_far.lock(), &canvas);
    }
    let next = AtomicUsize::new(0);

    let work = |_: usize| {
        let mut counts = Counts::for_plan(plan);
        let mut scratch = Scratch::default();
        loop {
            let at = next.fetch_add(1, Ordering::Relaxed);
            if at >= busy.len() || watch.stopped() || shared.failed() {
                return counts;
            }
            let of_tile = shared.bake_tile(busy[at], (shared.spool, hits), &mut scratch);
            let so_far = shared.went(1, &of_tile);
            counts = counts.merged(of_tile);
            watch.tile_done(&so_far, &canvas);
        }
    };
    let counts =
        (0..threads).into_par_iter().with_max_len(1).map(work).reduce(|| Counts::for_plan(plan), Counts::merged);
    let counts = counts.merged(taken_over);
    if let Some(fault) = shared.fault.into_inner() {
        return Err(Ended::Spool(fault));
    }
    if watch.stopped() {
        return Err(Ended::Stopped);
    }
    if let Some(keeping) = shared.keeping {
        keeping.finish();
    }
    let covered = shared.covered.into_iter().map(|c| c.into_inner()).collect();
    let report = Report::of(plan, &counts, shared.earlier.into_inner() + watch.now() - started);
    let mut outcome = Outcome::new(plan, covered, counts, report, spool, canvas);
    for map in &outcome.maps {
        if let Some(entry) = outcome.report.maps.get_mut(map.facts.key()) {
            entry.scale = map.scale;
            entry.error.clone_from(&map.error);
        }
    }
    outcome.mend(plan).map_err(Ended::Spool)?;
    if watch.judges() {
        outcome.judge(plan, &|| watch.stopped()).map_err(Ended::Spool)?;
    }
    if watch.stopped() {
        return Err(Ended::Stopped);
    }
    Ok(outcome)
}

/// Tells all that a map's values follow from besides its hits.
fn map_key(plan: &Plan, map: &PlannedMap) -> String {
    let settings = &map.facts.settings;
    let id = || plan.setup(&never).id;
    let sources = (!settings.masks().is_empty()).then(|| (&plan.recipe.masks, id()));
    let finishes =
        plan.follows_finishes(settings).map(|finishes| (finishes, plan.recipe.finish_rays, &plan.recipe.masks, id()));
    format!("{settings:?} {sources:?} {finishes:?}")
}

impl<'a> Shared<'a> {
    /// A bake that begins now.
    pub(super) fn of(plan: &'a Plan, watch: &'a dyn Watch, canvas: &'a Canvas, spool: &'a dyn Spool) -> Shared<'a> {
        Shared {
            plan,
            watch,
            canvas,
            covered: Vec::new(),
            spool,
            keeping: KeptTiles::for_plan(plan),
            map_keys: plan.maps.iter().map(|map| map_key(plan, map)).collect(),
            slots: Slots::of(plan),
            so_far: Mutex::new(SoFar { map_seconds: vec![0.0; plan.maps.len()], ..SoFar::default() }),
            started: watch.now(),
            earlier: Mutex::default(),
            fault: Mutex::default(),
        }
    }

    /// Counts tiles that are done; how far the run is with them.
    pub(super) fn went(&self, tiles: usize, counts: &Counts) -> SoFar {
        let mut so_far = self.so_far.lock();
        so_far.done += tiles;
        so_far.rays += counts.all_rays();
        so_far.ray_seconds += counts.ray_seconds;
        so_far.map_seconds.iter_mut().zip(&counts.maps).for_each(|(all, map)| *all += map.seconds);
        so_far.clone()
    }

    pub(super) fn failed(&self) -> bool {
        self.fault.lock().is_some()
    }

    /// Takes over the tiles that an earlier go finished; what they count, and the tiles that are left.
    fn take_over(&self, busy: Vec<TileNumber>) -> (Counts, Vec<TileNumber>) {
        let nothing = || (Counts::for_plan(self.plan), Vec::new());
        if !self.spool.lasts() {
            return (nothing().0, busy);
        }
        let count = busy.len();
        let take = |(counts, mut left): (Counts, Vec<TileNumber>), number: &TileNumber| {
            let closed = || ClosedTile::fetch(self.plan, self.spool, self.slots, *number);
            let Some(tile) = (!self.watch.stopped()).then(closed).flatten() else {
                left.push(*number);
                return (counts, left);
            };
            self.lands(*number, &tile);
            let mut earlier = self.earlier.lock();
            *earlier = earlier.max(tile.seconds);
            (counts.merged(tile.counts), left)
        };
        let both = |(a, mut left): (Counts, Vec<TileNumber>), (b, more): (Counts, Vec<TileNumber>)| {
            left.extend(more);
            (a.merged(b), left)
        };
        let (counts, left) = busy.par_iter().fold(nothing, take).reduce(nothing, both);
        let mut so_far = self.so_far.lock();
        so_far.taken_over = count - left.len();
        so_far.done = so_far.taken_over;
        (counts, left)
    }

    /// Marks covered texels of a tile on its sheet.
    pub(super) fn covers(&self, number: TileNumber, texels: &[u32]) {
        let (tile, size) = (&self.plan.rays.sheets[number.sheet].tiles[number.tile], self.plan.rays.size);
        let Some(on_sheet) = self.covered.get(number.sheet) else { return };
        let mut on_sheet = on_sheet.lock();
        texels.iter().for_each(|texel| on_sheet.set(tile.texel_on_sheet(*texel as usize, size)));
    }

    /// Texels of a tile that are marked as covered, in order.
    pub(super) fn covered_in(&self, number: TileNumber) -> Vec<u32> {
        let (tile, size) = (&self.plan.rays.sheets[number.sheet].tiles[number.tile], self.plan.rays.size);
        let on_sheet = self.covered[number.sheet].lock();
        let texels = 0..tile.texels();
        texels.filter(|at| on_sheet.get(tile.texel_on_sheet(*at, size) as usize)).map(|at| at as u32).collect()
    }

    /// Puts a tile of an earlier go where those of this one go.
    fn lands(&self, number: TileNumber, closed: &ClosedTile) {
        let tile = &self.plan.rays.sheets[number.sheet].tiles[number.tile];
        self.covers(number, &closed.covered);
        for (map, values) in closed.values.iter().enumerate() {
            let Some(values) = values else { continue };
            let facts = &self.plan.maps[map].facts;
            let extreme = if facts.heights() { values.iter().fold(0.0f32, |most, v| most.max(v.abs())) } else { 0.0 };
            self.canvas.put(map, &Landed { sheet: number.sheet, tile, covered: &closed.covered, values, extreme });
        }
    }

    /// Puts a map's values of a tile where they are seen and where they wait.
    pub(super) fn keep(&self, at: (TileNumber, usize), covered: &[u32], values: &[f32], extreme: f32) {
        self.keep_in(self.spool, at, covered, values, extreme);
    }

    fn keep_in(
        &self,
        spool: &dyn Spool,
        (number, map): (TileNumber, usize),
        covered: &[u32],
        values: &[f32],
        extreme: f32,
    ) {
        let tile = &self.plan.rays.sheets[number.sheet].tiles[number.tile];
        self.canvas.put(map, &Landed { sheet: number.sheet, tile, covered, values, extreme });
        let packed = self.plan.maps[map].facts.stored.pack(values);
        if let Err(fault) = spool.keep(self.slots.of_map(number, map), packed) {
            *self.fault.lock() = Some(fault);
        }
    }

    /// Closes a tile in a spool that lasts.
    pub(super) fn close(&self, spool: &dyn Spool, number: TileNumber, covered: &[u32], counts: &Counts) {
        if !spool.lasts() || self.failed() {
            return;
        }
        let tile = &self.plan.rays.sheets[number.sheet].tiles[number.tile];
        let seconds = *self.earlier.lock() + self.watch.now() - self.started;
        if let Err(fault) = close(spool, self.slots.end(number), (tile, covered), counts, seconds) {
            *self.fault.lock() = Some(fault);
        }
    }

    /// Makes a tile, and counts what it met. Its values go into a spool, its hits come from and go to a store.
    pub(super) fn bake_tile(
        &self,
        number: TileNumber,
        (spool, store): (&dyn Spool, Option<&dyn HitStore>),
        scratch: &mut Scratch,
    ) -> Counts {
        let mut counts = Counts::for_plan(self.plan);
        let plan = self.plan;
        let before = self.watch.now();
        let source = TileSource { earlier: self.keeping.as_ref().and_then(|k| k.tile(number)), store };
        let hits = TileHits::trace(&plan.rays, number, &source, scratch);
        counts.ray_seconds += self.watch.now() - before;
        if self.watch.judges() {
            counts.take(&plan.rays, &hits, scratch);
        }
        let tile = &plan.rays.sheets[number.sheet].tiles[number.tile];
        let covered: Vec<u32> = hits.texels().map(|(texel, _)| texel as u32).collect();
        self.covers(number, &covered);
        let changed = hits.changed();
        let of_before = |map: usize| {
            // Heights along the averaged direction do not follow from rays that run otherwise.
            let follows = plan.rays.field.all_averaged() || !plan.maps[map].facts.heights();
            let keeping = self.keeping.as_ref().filter(|_| follows)?;
            keeping.begun(number, &self.map_keys[map], &changed)
        };
        let before: Vec<Option<Begun>> = (0..plan.maps.len()).map(of_before).collect();
        let mut left = Vec::new();
        let asks = plan.maps.iter().zip(&before).filter_map(|(planned, before)| {
            let wanted = before.as_ref().map(|before| before.wanted.as_slice());
            let requests = planned.work.as_ref().ok()?.requests();
            Some(requests.into_iter().map(move |request| Asked { request, wanted }))
        });
        let asked: Vec<Asked> = asks.flatten().collect();
        let mut work = TileWork::new(&plan.rays, &hits, &asked, store, scratch);
        work.relief = plan.detail.as_ref().ok().cloned();
        work.signals = self.keeping.as_ref().map(|k| k.signals(number, &changed)).unwrap_or_default();
        let mut values = Vec::new();
        for (map, planned) in plan.maps.iter().enumerate() {
            let Ok(task) = &planned.work else { continue };
            let begun = self.watch.now();
            values.clear();
            work.wanted = before[map].as_ref().map(|before| before.wanted.as_slice());
            match &before[map] {
                Some(before) => values.extend_from_slice(&before.values),
                None => values.resize(tile.texels() * planned.facts.shape.channels, 0.0),
            }
            // Texels that are worked on again begin from nothing, as in a bake from nothing.
            let channels = planned.facts.shape.channels;
            work.wanted_texels().for_each(|(texel, _)| values[texel * channels..(texel + 1) * channels].fill(0.0));
            let traced = work.traced;
            task.evaluate(&mut work, &mut values);
            counts.maps[map].rays += work.traced - traced;
            counts.maps[map].by_error = counts.maps[map].by_error + std::mem::take(&mut work.by_error);
            let mut errors = work.take_errors();
            errors.extend(before[map].iter().flat_map(|before| &before.errors));
            errors.sort_unstable_by_key(|(texel, _)| *texel);
            counts.take_errors(plan, map, &hits, &errors);
            counts.take_mask(plan, map, &values);
            counts.take_slopes(plan, map, &hits, (&values, &covered));
            let extreme = if planned.facts.heights() { counts.take_heights(plan, map, &hits, &values) } else { 0.0 };
            let shown = covered.iter().flat_map(|texel| &values[*texel as usize * channels..][..channels]);
            let shown: Vec<f32> = shown.copied().collect();
            self.keep_in(spool, (number, map), &covered, &shown, extreme);
            counts.maps[map].seconds += self.watch.now() - begun;
            if self.keeping.is_some() {
                left.push((self.map_keys[map].clone(), values.clone(), errors));
            }
        }
        let signals = std::mem::take(&mut work.signals);
        drop(work);
        self.close(spool, number, &covered, &counts);
        if let Some(keeping) = &self.keeping {
            keeping.leave(number, Arc::new(hits), Left { maps: left, signals }, &changed);
        }
        counts
    }
}
