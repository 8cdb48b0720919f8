//! What each tile of a run is likely to cost, and the run shared out by it. Some tiles are made, spread over all sheets, and timed by what
//! their thread ran; the others are held to cost as much by covered texel as those near them.

use super::apart::Blocks;
use super::canvas::Canvas;
use super::plan::Plan;
use super::run::{Shared, Watch};
use super::spool::Spool;
use crate::hits::{Scratch, TileNumber};
use crate::polygon::Polygon;
use crate::sheet::{SheetTriangle, Tile};
use glam::DVec2;
use rayon::prelude::*;
use std::cmp::Reverse;
use std::collections::BinaryHeap;
use std::sync::atomic::{AtomicUsize, Ordering};

/// Tiles that are timed: at least so many, however long they take, and no more than so many.
const LEAST_TIMED: usize = 16;
const MOST_TIMED: usize = 4096;
/// Timed tiles to either side along the curve that speak for a tile.
const SPEAKERS: usize = 3;
/// What a tile costs beyond its texels, as so many of them.
const FIXED_TEXELS: f64 = 16.0;

/// What blocks of a run are likely to cost.
#[derive(Clone, Debug, PartialEq)]
pub struct Costs {
    /// Blocks that hold anything, rising, and the thread seconds of each.
    pub blocks: Vec<(u32, f32)>,
    /// How many tiles were timed.
    pub timed: usize,
}

/// A spool that lets everything go.
struct Nowhere;

impl Spool for Nowhere {
    fn keep(&self, _: usize, _: Vec<u8>) -> Result<(), String> {
        Ok(())
    }

    fn fetch(&self, _: usize, into: &mut Vec<u8>) -> Result<bool, String> {
        into.clear();
        Ok(false)
    }
}

impl Costs {
    /// Times some tiles for about `seconds` of the watch, on the thread pool it is called in, and tells the cost of every block from them.
    pub fn measured(plan: &Plan, blocks: &Blocks, watch: &dyn Watch, seconds: f64) -> Costs {
        let sheets = &plan.rays.sheets;
        let texels: Vec<Vec<f32>> = sheets
            .iter()
            .map(|sheet| {
                let of_tile = |at: usize| {
                    let own = sheet.candidates[at].iter().map(|t| &sheet.triangles.triangles[*t as usize]);
                    covered_texels(own, &sheet.tiles[at])
                };
                (0..sheet.tiles.len()).into_par_iter().with_min_len(256).map(of_tile).collect()
            })
            .collect();
        let texels_of = |tile: TileNumber| f64::from(texels[tile.sheet][tile.tile]) + FIXED_TEXELS;
        let busy = plan.rays.busy_tiles();
        let timed = time_some(plan, &busy, watch, seconds);
        let all_seconds: f64 = timed.iter().map(|one| one.seconds).sum();
        let all_texels: f64 = timed.iter().map(|one| texels_of(busy[one.at])).sum();
        let mean = if all_texels > 0.0 { all_seconds / all_texels } else { 0.0 };
        // Texels of the speakers, and as many that cost the mean: few of them say little.
        let rate = |at: usize| {
            let here = timed.partition_point(|one| one.at < at);
            let near = &timed[here.saturating_sub(SPEAKERS)..(here + SPEAKERS).min(timed.len())];
            let own = near.iter().filter(|one| busy[one.at].sheet == busy[at].sheet);
            let most = (0.5 * all_texels / timed.len().max(1) as f64).max(1.0);
            let (seconds, texels) =
                own.fold((mean * most, most), |(s, t), one| (s + one.seconds, t + texels_of(busy[one.at])));
            seconds / texels
        };
        let mut costs: Vec<(u32, f32)> = Vec::new();
        for (at, tile) in busy.iter().enumerate() {
            let own = timed.binary_search_by_key(&at, |one| one.at).map(|own| timed[own].seconds);
            let (block, cost) = (blocks.of_tile(*tile), own.unwrap_or_else(|_| rate(at) * texels_of(*tile)) as f32);
            match costs.last_mut().filter(|(last, _)| *last == block) {
                Some((_, sum)) => *sum += cost,
                None => costs.push((block, cost)),
            }
        }
        Costs { blocks: costs, timed: timed.len() }
    }

    /// Thread seconds of all blocks.
    pub fn seconds(&self) -> f64 {
        self.blocks.iter().map(|(_, cost)| f64::from(*cost)).sum()
    }
}

/// A tile that was timed, by its place among the busy ones.
struct Timed {
    at: usize,
    seconds: f64,
}

/// Times tiles far from each other first, until the time is up. In order of their places.
fn time_some(plan: &Plan, busy: &[TileNumber], watch: &dyn Watch, seconds: f64) -> Vec<Timed> {
    let canvas = Canvas::new(plan, true);
    let shared = Shared::of(plan, watch, &canvas, &Nowhere);
    let (next, begun) = (AtomicUsize::new(0), watch.now());
    let most = MOST_TIMED.min(busy.len());
    // Even steps over all of them, gone through with the step of a golden section so that any beginning is spread evenly.
    let step = (1..most.max(2)).rev().find(|s| gcd(*s, most) == 1 && *s <= most * 618 / 1000 + 1).unwrap_or(1);
    let work = |_: usize| {
        let (mut timed, mut scratch) = (Vec::new(), Scratch::default());
        loop {
            let nth = next.fetch_add(1, Ordering::Relaxed);
            if nth >= most || watch.stopped() || (nth >= LEAST_TIMED && watch.now() - begun > seconds) {
                return timed;
            }
            let at = (nth * step % most) * busy.len() / most;
            let from = watch.thread_seconds();
            shared.bake_tile(busy[at], (&Nowhere, None), &mut scratch);
            timed.push(Timed { at, seconds: watch.thread_seconds() - from });
        }
    };
    let threads = rayon::current_num_threads();
    let mut timed: Vec<Timed> = (0..threads).into_par_iter().with_max_len(1).map(work).flatten().collect();
    timed.sort_unstable_by_key(|one| one.at);
    timed
}

fn gcd(a: usize, b: usize) -> usize {
    if b == 0 { a } else { gcd(b, a % b) }
}

/// Texels of a tile that triangles cover, as their area within it; no more than the tile has.
fn covered_texels<'a>(triangles: impl Iterator<Item = &'a SheetTriangle>, tile: &Tile) -> f32 {
    let low = DVec2::new(f64::from(tile.x), f64::from(tile.y));
    let high = low + DVec2::new(f64::from(tile.width), f64::from(tile.height));
    let twice: f64 = triangles.map(|t| Polygon::from(t.corners).within(low, high).twice_area()).sum();
    (0.5 * twice).min(tile.texels() as f64) as f32
}

/// Shares blocks out so that all shares cost about the same: the dearest first, each to the share that has least (Graham, "Bounds on
/// multiprocessing timing anomalies", 1969). Blocks of each share in rising order; there are as many shares as asked for, the last may be
/// empty.
pub fn share_out(blocks: &[(u32, f32)], shares: usize) -> Vec<Vec<(u32, f32)>> {
    let mut by_cost: Vec<&(u32, f32)> = blocks.iter().collect();
    by_cost.sort_by(|a, b| b.1.total_cmp(&a.1).then(a.0.cmp(&b.0)));
    let mut out: Vec<Vec<(u32, f32)>> = vec![Vec::new(); shares];
    // Billionths of a second, as whole numbers have an order.
    let mut heap: BinaryHeap<Reverse<(u64, usize)>> = (0..shares).map(|share| Reverse((0, share))).collect();
    for &(block, cost) in by_cost {
        let Some(Reverse((load, share))) = heap.pop() else { break };
        out[share].push((block, cost));
        heap.push(Reverse((load + (f64::from(cost) * 1e9) as u64 + 1, share)));
    }
    out.iter_mut().for_each(|own| own.sort_unstable_by_key(|(block, _)| *block));
    out
}
