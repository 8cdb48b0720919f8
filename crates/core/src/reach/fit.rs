//! Reaches fitted to the sculpt, point by point. Probes ask for distances and set limits at places inside triangles; distances
//! stand at corners and run straight between them. The system of inequalities is solved by projecting onto one after the other
//! (Agmon, "The relaxation method for linear inequalities", 1954), in the order of the probes, so that the same meshes give
//! the same fit. What is asked for goes before what limits; both are told.

use super::Direction;
use super::points::ReachPoints;
use super::probes::{Probe, ProbeScene, Wall, probe};
use crate::stop::{Stop, Stopped};
use rayon::prelude::*;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// One pair of numbers for the whole asset, and how well they fit the points that were probed.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize, TS)]
pub struct SuggestedReach {
    pub out: f32,
    #[serde(rename = "in")]
    pub inward: f32,
    /// Share (0..1) of probed points whose sculpt surface lies within these reaches.
    pub enclosed: f32,
}

/// How well a fit did, in shares (0..1) of the points that were probed and have sculpt near them.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize, TS)]
pub struct FitReport {
    pub enclosed: f32,
    /// Points whose room was limited by another wall of their own part.
    pub limited_by_own: f32,
    /// Points whose room was limited by a wall of a neighbour part.
    pub limited_by_neighbour: f32,
    /// Points whose sculpt could not be enclosed.
    pub left: f32,
    /// Share of all points that have no sculpt near them.
    pub bare: f32,
}

/// A place where the fit was limited.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
pub struct FitSpot {
    pub point: [f32; 3],
    pub why: FitLimit,
}

/// What kept the fit from going further.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "kebab-case")]
pub enum FitLimit {
    Own,
    Neighbour,
    Left,
}

/// Fitted reaches of each point, and an account of them.
pub struct Fit {
    /// Scene units, one a point of [`ReachPoints`].
    pub out: Vec<f32>,
    pub inward: Vec<f32>,
    pub report: FitReport,
    /// Some of the places that were limited or left.
    pub spots: Vec<FitSpot>,
    pub uniform: SuggestedReach,
    /// What was probed, for looking where an envelope falls short.
    pub probes: Vec<Probe>,
}

/// Room left beyond the measured distance: a share of it, and a share of the diagonal. Probes do not see what lies between them.
const ROOM: f32 = 0.2;
const ROOM_OF_DIAGONAL: f32 = 0.004;
/// A start stays short of this share of the way to where it would do harm.
const SHORT_OF_HARM: f32 = 0.92;
/// Without need, the envelope keeps to its half of a gap.
const HALF: f32 = 0.45;
const SWEEPS: usize = 16;
const TIGHTEN: usize = 4;
const ROUNDS: usize = 3;
/// Share of probes that the uniform reach must cover, and its room and least.
const COVER: f64 = 0.9995;
const UNIFORM_ROOM: f32 = 1.2;
const LEAST: f32 = 0.002;
const MOST_SPOTS: usize = 300;

/// What a probe asks of one side: at least `want`, and no more than `most` if it can be helped.
#[derive(Clone, Copy)]
struct Bound {
    /// What is needed for the ray to begin (or end) beyond the surface, and where it begins to do harm.
    need: f32,
    harm: f32,
    want: f32,
    most: f32,
    /// The room that was asked for was cut by this wall.
    cut: Option<Wall>,
}

fn bound(need: Option<f32>, room: f32, wall: Option<Wall>, harm: f32) -> Bound {
    let need = need.unwrap_or(0.0);
    let wished = need * (1.0 + ROOM) + room;
    let most = harm * SHORT_OF_HARM;
    let half = wall.map_or(f32::INFINITY, |w| w.distance * HALF);
    // Room is given up for the neighbour; what is needed is not, unless it does harm.
    let want = wished.min(half.max(need * 1.02)).min(most);
    Bound { need, harm, want, most, cut: wall.filter(|_| want < wished * 0.999) }
}

/// Fits reaches to the sculpt.
///
/// # Errors
/// [`Stopped`] when `stop` asked for it.
pub fn fit_reach(scene: &ProbeScene, points: &ReachPoints, stop: Stop) -> Result<Fit, Stopped> {
    let probes = probe(scene, stop)?;
    let diagonal = scene.low.mesh.diagonal();
    let room = diagonal * ROOM_OF_DIAGONAL;
    let out_bounds: Vec<Bound> = probes.iter().map(|p| bound(p.outside, room, p.wall_out, p.harm)).collect();
    let in_bounds: Vec<Bound> = probes
        .iter()
        .map(|p| {
            let wall = p.wall_in.map_or(f32::INFINITY, |w| w.distance);
            bound(p.inside, room, p.wall_in, wall)
        })
        .collect();
    let (out, inward) =
        rayon::join(|| solve(&probes, &out_bounds, points, stop), || solve(&probes, &in_bounds, points, stop));
    if stop() {
        return Err(Stopped);
    }
    let (report, spots) = account(scene, &probes, points, (&out, &out_bounds), (&inward, &in_bounds));
    Ok(Fit { uniform: uniform(&probes, diagonal), out, inward, report, spots, probes })
}

fn weights(probe: &Probe) -> [f32; 3] {
    [1.0 - probe.at.v - probe.at.w, probe.at.v, probe.at.w]
}

fn value(probe: &Probe, corners: &[u32; 3], values: &[f32]) -> f32 {
    probe.at.between(corners.map(|p| values[p as usize]))
}

/// Moves a triangle's corners so that the value at the probe changes by `by`, as little as can be, and no corner above its limit.
fn shift(probe: &Probe, corners: &[u32; 3], values: &mut [f32], by: f32, limits: &[f32]) {
    let weights = weights(probe);
    let length: f32 = weights.iter().map(|w| w * w).sum();
    for (&corner, weight) in corners.iter().zip(weights) {
        let slot = &mut values[corner as usize];
        let limit = limits[corner as usize].max(*slot);
        *slot = (*slot + by * weight / length).clamp(0.0, limit);
    }
}

/// One side's problem: what is asked for, at places inside triangles, of values at their corners.
struct Problem<'a> {
    probes: &'a [Probe],
    bounds: &'a [Bound],
    points: &'a ReachPoints,
    /// The most that any probe around a point asks for: with that at every corner all are content.
    limits: Vec<f32>,
    /// Probes of triangle `t`: `starts[t]..starts[t + 1]`.
    starts: Vec<u32>,
    /// Triangles around point `p`: `around[around_starts[p]..around_starts[p + 1]]`.
    around_starts: Vec<u32>,
    around: Vec<u32>,
    /// Once it says so, values are left as they are.
    stop: Stop<'a>,
}

impl<'a> Problem<'a> {
    fn new(probes: &'a [Probe], bounds: &'a [Bound], points: &'a ReachPoints, stop: Stop<'a>) -> Problem<'a> {
        let triangles = points.of.len() as u32;
        let starts = (0..=triangles).map(|t| probes.partition_point(|p| p.at.triangle < t) as u32).collect();
        let mut pairs: Vec<(u32, u32)> =
            points.of.iter().enumerate().flat_map(|(t, c)| c.map(|p| (p, t as u32))).collect();
        pairs.sort_unstable();
        pairs.dedup();
        let around_starts = (0..=points.count as u32).map(|p| pairs.partition_point(|(a, _)| *a < p) as u32).collect();
        let around = pairs.into_iter().map(|(_, t)| t).collect();
        let mut limits = vec![0.0f32; points.count];
        for (probe, bound) in probes.iter().zip(bounds) {
            for p in points.of[probe.at.triangle as usize] {
                limits[p as usize] = limits[p as usize].max(bound.want);
            }
        }
        Problem { probes, bounds, points, limits, starts, around_starts, around, stop }
    }

    fn raise(&self, values: &mut [f32]) {
        for _ in 0..SWEEPS {
            let mut still = true;
            for (probe, bound) in self.probes.iter().zip(self.bounds) {
                let corners = &self.points.of[probe.at.triangle as usize];
                let short = bound.want - value(probe, corners, values);
                if short > bound.want * 1e-3 {
                    shift(probe, corners, values, short, &self.limits);
                    still = false;
                }
            }
            if still || (self.stop)() {
                break;
            }
        }
    }

    fn lower(&self, values: &mut [f32]) {
        for (probe, bound) in self.probes.iter().zip(self.bounds).filter(|(_, b)| b.most.is_finite()) {
            let corners = &self.points.of[probe.at.triangle as usize];
            let over = value(probe, corners, values) - bound.most;
            if over > 0.0 {
                shift(probe, corners, values, -over, &self.limits);
            }
        }
    }

    /// Lets each point down as far as the probes around it allow, half of the way at a time: no more than is needed.
    fn tighten(&self, values: &mut [f32]) {
        for _ in 0..TIGHTEN {
            if (self.stop)() {
                return;
            }
            for point in 0..self.points.count as u32 {
                let mut least = 0.0f32;
                for &t in self.around(point) {
                    let corners = &self.points.of[t as usize];
                    for i in self.starts[t as usize] as usize..self.starts[t as usize + 1] as usize {
                        let probe = &self.probes[i];
                        let weight: f32 =
                            weights(probe).iter().zip(corners).filter(|(_, p)| **p == point).map(|(w, _)| *w).sum();
                        let spare = value(probe, corners, values) - self.bounds[i].want;
                        // What is short already is not made shorter; what hardly leans on this point has no say.
                        if weight > 0.02 {
                            least = least.max(values[point as usize] - spare.max(0.0) / weight);
                        }
                    }
                }
                let slot = &mut values[point as usize];
                *slot = (*slot + least.min(*slot)) * 0.5;
            }
        }
    }

    /// Probes of a triangle whose rays would fail: miss their surface, or begin where it does harm.
    fn failing_of(&self, triangle: u32, values: &[f32]) -> usize {
        let own = self.starts[triangle as usize] as usize..self.starts[triangle as usize + 1] as usize;
        let corners = &self.points.of[triangle as usize];
        own.filter(|&i| {
            let here = value(&self.probes[i], corners, values);
            here < self.bounds[i].need || here > self.bounds[i].harm
        })
        .count()
    }

    fn around(&self, point: u32) -> &[u32] {
        &self.around[self.around_starts[point as usize] as usize..self.around_starts[point as usize + 1] as usize]
    }

    fn failing(&self, values: &[f32]) -> usize {
        (0..self.points.of.len() as u32).into_par_iter().with_min_len(1024).map(|t| self.failing_of(t, values)).sum()
    }

    /// The same where all values are one.
    fn failing_with(&self, one: f32) -> usize {
        self.bounds.iter().filter(|bound| one < bound.need || one > bound.harm).count()
    }

    /// Where probes still fail, the points around them try other values, one after the other, as long as that helps.
    fn polish(&self, values: &mut [f32]) {
        for _ in 0..POLISH {
            if (self.stop)() {
                return;
            }
            let failing = (0..self.points.of.len() as u32).filter(|&t| self.failing_of(t, values) > 0);
            let mut open: Vec<u32> = failing.flat_map(|t| self.points.of[t as usize]).collect();
            open.sort_unstable();
            open.dedup();
            let mut helped = false;
            for point in open {
                let slot = point as usize;
                let count =
                    |values: &[f32]| self.around(point).iter().map(|&t| self.failing_of(t, values)).sum::<usize>();
                let (was, mut least) = (values[slot], count(values));
                let mut best = was;
                for factor in TRIES {
                    values[slot] = was * factor;
                    let failing = count(values);
                    if failing < least {
                        (least, best) = (failing, values[slot]);
                    }
                }
                values[slot] = best;
                helped |= best != was;
            }
            if !helped {
                return;
            }
        }
    }
}

/// Rounds of polishing, and what a point's value is multiplied with in each.
const POLISH: usize = 12;
const TRIES: [f32; 10] = [0.0, 0.35, 0.6, 0.8, 0.93, 1.07, 1.2, 1.5, 2.2, 4.0];

fn solve(probes: &[Probe], bounds: &[Bound], points: &ReachPoints, stop: Stop) -> Vec<f32> {
    let problem = Problem::new(probes, bounds, points, stop);
    let mut values = vec![0.0f32; points.count];
    problem.raise(&mut values);
    problem.tighten(&mut values);
    // A steep fall from one point to the next is made gentler, upward only.
    for _ in 0..2 {
        values = (0..points.count).map(|p| values[p].max(0.5 * points.mean_around(&values, p))).collect();
    }
    let mut best = (problem.failing(&values), values.clone());
    let mut keep = |values: &[f32]| {
        let failing = problem.failing(values);
        if failing < best.0 {
            best = (failing, values.to_vec());
        }
    };
    for _ in 0..ROUNDS {
        problem.lower(&mut values);
        keep(&values);
        problem.raise(&mut values);
        keep(&values);
    }
    // No fit is worse than one number for all.
    let most = bounds.iter().map(|b| b.need).fold(0.0, f32::max);
    for step in 0..UNIFORM_STEPS {
        if stop() {
            break;
        }
        let one = most * (step as f32 + 0.5) / UNIFORM_STEPS as f32 * 1.1;
        let failing = problem.failing_with(one);
        if failing < best.0 {
            best = (failing, vec![one; points.count]);
        }
    }
    let (failing, mut values) = best;
    if failing > 0 {
        problem.polish(&mut values);
    }
    values
}

/// Single numbers that are tried beside the fit.
const UNIFORM_STEPS: usize = 24;

fn account(
    scene: &ProbeScene,
    probes: &[Probe],
    points: &ReachPoints,
    (out, out_bounds): (&[f32], &[Bound]),
    (inward, in_bounds): (&[f32], &[Bound]),
) -> (FitReport, Vec<FitSpot>) {
    let mut report = FitReport::default();
    let (mut near, mut spots) = (0usize, Vec::new());
    let [mut enclosed, mut own, mut neighbour, mut left] = [0usize; 4];
    for (i, probe) in probes.iter().enumerate() {
        let corners = &points.of[probe.at.triangle as usize];
        let has = probe.outside.is_some() || probe.inside.is_some();
        near += usize::from(has);
        let holds = |need: Option<f32>, values: &[f32]| need.is_none_or(|n| value(probe, corners, values) >= n);
        let within = holds(probe.outside, out) && holds(probe.inside, inward);
        let cut = out_bounds[i].cut.or(in_bounds[i].cut);
        let why = match (has && !within, cut) {
            (true, _) => Some(FitLimit::Left),
            (false, Some(wall)) if has => Some(if wall.own { FitLimit::Own } else { FitLimit::Neighbour }),
            _ => None,
        };
        enclosed += usize::from(has && within);
        match why {
            Some(FitLimit::Left) => left += 1,
            Some(FitLimit::Own) => own += 1,
            Some(FitLimit::Neighbour) => neighbour += 1,
            None => {}
        }
        spots.extend(why.map(|why| (i, why)));
    }
    let share = |n: usize| n as f32 / near.max(1) as f32;
    report.enclosed = if near == 0 { 0.0 } else { share(enclosed) };
    (report.limited_by_own, report.limited_by_neighbour, report.left) = (share(own), share(neighbour), share(left));
    report.bare = 1.0 - near as f32 / probes.len().max(1) as f32;
    // What could not be enclosed is shown first, then an even choice of the rest.
    spots.sort_by_key(|(_, why)| *why != FitLimit::Left);
    let every = spots.len().div_ceil(MOST_SPOTS).max(1);
    let spots = spots.into_iter().step_by(every).map(|(i, why)| {
        let p = &probes[i];
        let point = scene.low.point(p.at, Direction::Averaged).position.to_array();
        FitSpot { point, why }
    });
    (report, spots.collect())
}

/// One pair of numbers for all, as one would choose it who sees every probe.
fn uniform(probes: &[Probe], diagonal: f32) -> SuggestedReach {
    let mut out: Vec<f32> = probes.iter().filter_map(|p| p.outside).collect();
    let mut inward: Vec<f32> = probes.iter().filter_map(|p| p.inside).collect();
    let near = out.len() + inward.len();
    let cover = |distances: &mut Vec<f32>| {
        distances.sort_unstable_by(f32::total_cmp);
        let spare = ((1.0 - COVER) * near as f64) as usize;
        let covered = distances.len().checked_sub(spare + 1).map_or(0.0, |last| distances[last]);
        (covered * UNIFORM_ROOM).max(diagonal * LEAST)
    };
    let (o, i) = (cover(&mut out), cover(&mut inward));
    let inside = out.iter().filter(|&&d| d <= o).count() + inward.iter().filter(|&&d| d <= i).count();
    SuggestedReach { out: o, inward: i, enclosed: inside as f32 / near.max(1) as f32 }
}
