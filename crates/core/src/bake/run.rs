//! Running a plan: threads take tiles in order, trace them, let each map evaluate them and put the values on the canvas;
//! padding comes last. The clock, the wish to stop and the wish to watch come from outside, through [`Watch`].

use super::hits::TileHits;
use super::plan::Plan;
use super::report::{MapReport, Report};
use crate::finding::{Finding, FindingKind, Place, Severity};
use crate::maps::{MapKind, PaletteEntry};
use crate::recipe::Padding;
use crate::sheet::{NO_SOURCE, Pixels, Tile, nearest_covered};
use rayon::prelude::*;
use std::collections::BTreeMap;
use std::sync::Mutex;
use std::sync::atomic::{AtomicUsize, Ordering};

/// What a bake needs from the outside. All methods are called from worker threads.
pub trait Watch: Sync {
    /// Seconds since any fixed moment.
    fn now(&self) -> f64;
    /// True once the bake should end; asked before every tile.
    fn stopped(&self) -> bool;
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

/// The maps of a bake while they fill. Anyone may look at any time.
pub struct Canvas {
    pub size: u32,
    maps: Vec<(&'static MapKind, Mutex<Pixels>)>,
}

impl Canvas {
    fn new(plan: &Plan) -> Canvas {
        let size = plan.recipe.sheet.size;
        let blank = |kind: &'static MapKind| {
            Mutex::new(Pixels::filled(plan.recipe.sheet.depth, (size * size) as usize, kind.neutral))
        };
        Canvas { size, maps: plan.recipe.maps.iter().map(|m| (m.kind(), blank(m.kind()))).collect() }
    }

    /// A small 8-bit picture of a map as it stands: its side in texels, its channels, and its rows. None for an unknown map.
    pub fn preview(&self, map: &str, most: u32) -> Option<(u32, usize, Vec<u8>)> {
        let (kind, pixels) = self.maps.iter().find(|(kind, _)| kind.id == map)?;
        let side = self.size.min(most);
        let pixels = pixels.lock().unwrap_or_else(|poisoned| poisoned.into_inner());
        let mut rows = Vec::with_capacity((side * side) as usize * kind.channels);
        let source = |i: u32| (u64::from(i) * u64::from(self.size) / u64::from(side)) as usize;
        for y in 0..side {
            for x in 0..side {
                let texel = source(y) * self.size as usize + source(x);
                rows.extend((0..kind.channels).map(|c| (pixels.get(texel * kind.channels + c) * 255.0).round() as u8));
            }
        }
        Some((side, kind.channels, rows))
    }

    fn put(&self, map: usize, tile: &Tile, hits: &TileHits, values: &[f32]) {
        let (kind, pixels) = &self.maps[map];
        let mut pixels = pixels.lock().unwrap_or_else(|poisoned| poisoned.into_inner());
        for (texel, _) in hits.texels() {
            let (x, y) = (texel as u32 % tile.width + tile.x, texel as u32 / tile.width + tile.y);
            let at = (y as usize * self.size as usize + x as usize) * kind.channels;
            for c in 0..kind.channels {
                pixels.set(at + c, values[texel * kind.channels + c]);
            }
        }
    }
}

/// What was counted over all tiles.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Counts {
    pub rays: u64,
    pub covered: u64,
    pub misses: u64,
    pub back_faces: u64,
    ray_seconds: f64,
    map_seconds: Vec<f64>,
    parts: Vec<PartCounts>,
}

#[derive(Clone, Copy, Debug, Default, PartialEq)]
struct PartCounts {
    covered: u64,
    misses: Troubles,
    back_faces: Troubles,
}

/// How many texels had a trouble, and the first of them in reading order: (texel on the sheet, triangle, v, w).
#[derive(Clone, Copy, Debug, Default, PartialEq)]
struct Troubles {
    count: u64,
    first: Option<(u32, u32, f32, f32)>,
}

impl Troubles {
    fn add(&mut self, count: u64, first: Option<(u32, u32, f32, f32)>) {
        self.count += count;
        if let Some(new) = first
            && self.first.is_none_or(|old| new.0 < old.0)
        {
            self.first = Some(new);
        }
    }
}

/// One finished map.
#[derive(Clone, Debug, PartialEq)]
pub struct BakedMap {
    pub id: &'static str,
    pub channels: usize,
    pub pixels: Pixels,
    pub palette: Option<Vec<PaletteEntry>>,
}

/// A bake that ran to its end.
pub struct Outcome {
    pub maps: Vec<BakedMap>,
    /// One entry a texel: the low-poly lies there.
    pub covered: Vec<bool>,
    pub counts: Counts,
    /// The report, with empty file names.
    pub report: Report,
}

/// Runs a plan on `threads` threads (0 = one a core). None when it was stopped.
pub fn run(plan: &Plan, threads: usize, watch: &dyn Watch) -> Option<Outcome> {
    let pool = match rayon::ThreadPoolBuilder::new().num_threads(threads).build() {
        Ok(pool) => pool,
        // No threads to be had: the caller's own does the work.
        Err(_) => return run_in_pool(plan, 1, watch),
    };
    let threads = pool.current_num_threads();
    pool.install(|| run_in_pool(plan, threads, watch))
}

fn run_in_pool(plan: &Plan, threads: usize, watch: &dyn Watch) -> Option<Outcome> {
    let started = watch.now();
    let canvas = Canvas::new(plan);
    let size = plan.recipe.sheet.size as usize;
    let covered = Mutex::new(vec![false; size * size]);
    let next = AtomicUsize::new(0);
    let done = AtomicUsize::new(0);
    let all = plan.busy_tiles();

    let work = |_: usize| {
        let mut counts = Counts::for_plan(plan);
        loop {
            let tile = next.fetch_add(1, Ordering::Relaxed);
            if tile >= plan.tiles.len() || watch.stopped() {
                return counts;
            }
            if plan.candidates[tile].is_empty() {
                continue;
            }
            bake_tile(plan, tile, &canvas, &covered, &mut counts, watch);
            watch.tile_done(done.fetch_add(1, Ordering::Relaxed) + 1, all, &canvas);
        }
    };
    let counts =
        (0..threads).into_par_iter().with_max_len(1).map(work).reduce(|| Counts::for_plan(plan), Counts::merged);
    if watch.stopped() {
        return None;
    }

    let covered = covered.into_inner().unwrap_or_else(|poisoned| poisoned.into_inner());
    let mut maps = finished_maps(plan, canvas);
    pad(plan, &covered, &mut maps);
    let report = report(plan, &counts, &maps, watch.now() - started);
    Some(Outcome { maps, covered, counts, report })
}

fn bake_tile(
    plan: &Plan,
    number: usize,
    canvas: &Canvas,
    covered: &Mutex<Vec<bool>>,
    counts: &mut Counts,
    watch: &dyn Watch,
) {
    let tile = &plan.tiles[number];
    let before = watch.now();
    let hits = TileHits::trace(plan, number);
    counts.ray_seconds += watch.now() - before;
    counts.take(plan, tile, &hits);
    {
        let mut covered = covered.lock().unwrap_or_else(|poisoned| poisoned.into_inner());
        for (texel, _) in hits.texels() {
            covered[sheet_texel(plan, tile, texel) as usize] = true;
        }
    }
    for (map, task) in plan.tasks.iter().enumerate() {
        let before = watch.now();
        let mut values = vec![0.0; tile.texels() * plan.recipe.maps[map].kind().channels];
        task.evaluate(&plan.scene, &hits, &mut values);
        canvas.put(map, tile, &hits, &values);
        counts.map_seconds[map] += watch.now() - before;
    }
}

fn sheet_texel(plan: &Plan, tile: &Tile, texel: usize) -> u32 {
    let (x, y) = (texel as u32 % tile.width + tile.x, texel as u32 / tile.width + tile.y);
    y * plan.recipe.sheet.size + x
}

impl Counts {
    fn for_plan(plan: &Plan) -> Counts {
        Counts {
            map_seconds: vec![0.0; plan.tasks.len()],
            parts: vec![PartCounts::default(); plan.scene.low.mesh.parts.len()],
            ..Counts::default()
        }
    }

    fn take(&mut self, plan: &Plan, tile: &Tile, hits: &TileHits) {
        self.rays += hits.rays();
        for (texel, samples) in hits.texels() {
            let (triangle, v, w) = hits.low(samples.start);
            let part = &mut self.parts[plan.scene.low.parts[triangle as usize] as usize];
            let here = Some((sheet_texel(plan, tile, texel), triangle, v, w));
            self.covered += 1;
            part.covered += 1;
            if samples.clone().all(|s| !hits.is_hit(s)) {
                self.misses += 1;
                part.misses.add(1, here);
            }
            if samples.clone().any(|s| hits.skipped_back(s)) {
                self.back_faces += 1;
                part.back_faces.add(1, here);
            }
        }
    }

    fn merged(mut self, other: Counts) -> Counts {
        self.rays += other.rays;
        self.covered += other.covered;
        self.misses += other.misses;
        self.back_faces += other.back_faces;
        self.ray_seconds += other.ray_seconds;
        for (mine, theirs) in self.map_seconds.iter_mut().zip(other.map_seconds) {
            *mine += theirs;
        }
        for (mine, theirs) in self.parts.iter_mut().zip(other.parts) {
            mine.covered += theirs.covered;
            mine.misses.add(theirs.misses.count, theirs.misses.first);
            mine.back_faces.add(theirs.back_faces.count, theirs.back_faces.first);
        }
        self
    }
}

fn finished_maps(plan: &Plan, canvas: Canvas) -> Vec<BakedMap> {
    let finish = |((kind, pixels), task): ((&'static MapKind, Mutex<Pixels>), &crate::maps::MapTask)| BakedMap {
        id: kind.id,
        channels: kind.channels,
        pixels: pixels.into_inner().unwrap_or_else(|poisoned| poisoned.into_inner()),
        palette: task.palette().map(<[PaletteEntry]>::to_vec),
    };
    canvas.maps.into_iter().zip(&plan.tasks).map(finish).collect()
}

fn pad(plan: &Plan, covered: &[bool], maps: &mut [BakedMap]) {
    let reach = match plan.recipe.sheet.padding {
        Padding::All => None,
        Padding::Texels(0) => return,
        Padding::Texels(n) => Some(n),
    };
    let sources = nearest_covered(covered, plan.recipe.sheet.size as usize, reach);
    maps.par_iter_mut().for_each(|map| {
        for (texel, &source) in sources.iter().enumerate() {
            if source != NO_SOURCE && !covered[texel] {
                map.pixels.copy_texel(source as usize, texel, map.channels);
            }
        }
    });
}

/// A part with fewer troubled texels than this share is not worth a finding.
const WORTH_SAYING: f64 = 0.0005;

fn report(plan: &Plan, counts: &Counts, maps: &[BakedMap], seconds: f64) -> Report {
    let size = plan.recipe.sheet.size;
    let mut findings = plan.findings.clone();
    for (part, tally) in plan.scene.low.mesh.parts.iter().zip(&counts.parts) {
        findings.extend(trouble_finding(plan, &part.name, tally.covered, &tally.misses, FindingKind::Misses));
        findings.extend(trouble_finding(plan, &part.name, tally.covered, &tally.back_faces, FindingKind::BackFaceHits));
    }
    let written: BTreeMap<String, MapReport> = maps
        .iter()
        .zip(&plan.recipe.maps)
        .zip(&counts.map_seconds)
        .map(|((map, settings), &seconds)| {
            let report = MapReport {
                file: String::new(),
                seconds,
                width: size,
                height: size,
                depth: map.pixels.depth(),
                encoding: settings.encoding(),
                palette: map.palette.clone(),
                error: None,
            };
            (map.id.to_owned(), report)
        })
        .collect();
    Report {
        version: 1,
        recipe: plan.recipe.clone(),
        reach: plan.reach,
        seconds,
        ray_seconds: counts.ray_seconds,
        rays: counts.rays,
        texels: u64::from(size) * u64::from(size),
        covered: counts.covered,
        misses: counts.misses,
        back_faces: counts.back_faces,
        maps: written,
        findings,
    }
}

fn trouble_finding(plan: &Plan, part: &str, covered: u64, troubles: &Troubles, kind: FindingKind) -> Option<Finding> {
    let (texel, triangle, v, w) = troubles.first?;
    let share = troubles.count as f64 / covered.max(1) as f64;
    if share < WORTH_SAYING {
        return None;
    }
    let size = plan.recipe.sheet.size;
    let middle = |at: u32| (at as f32 + 0.5) / size as f32;
    let point = plan.scene.low.point(triangle, v, w, plan.recipe.direction).position;
    let how_many = format!("{} texels of '{part}' ({:.2} %)", troubles.count, share * 100.0);
    let (reason, remedy) = match kind {
        FindingKind::BackFaceHits => (
            format!("Rays pass through back faces on {how_many}"),
            "Look for turned faces on the sculpt here, or lower reach out so that rays start nearer".to_owned(),
        ),
        _ => (
            format!("No ray hits the sculpt on {how_many}"),
            format!("Raise reach out above {:.4} or reach in above {:.4}", plan.reach.out, plan.reach.inward),
        ),
    };
    Some(Finding {
        kind,
        severity: if share > 0.01 { Severity::Fault } else { Severity::Warning },
        place: Place {
            file: None,
            part: Some(part.to_owned()),
            triangles: vec![triangle],
            count: troubles.count.min(u64::from(u32::MAX)) as u32,
            point: Some(point.to_array()),
            uv: Some([middle(texel % size), 1.0 - middle(texel / size)]),
        },
        reason,
        remedy,
    })
}
