//! One side of a part's fit: a system of inequalities, solved by projecting onto one after the other.

use super::fit::Bound;
use super::points::ReachPoints;
use super::probes::Probe;
use crate::stop::Stop;
use rayon::prelude::*;
use std::ops::Range;

/// Times that all wishes are gone through, that points are let down, and that both are done in turns.
const SWEEPS: usize = 16;
const TIGHTEN: usize = 4;
const ROUNDS: usize = 3;
/// Single numbers that are tried beside the fit.
const UNIFORM_STEPS: usize = 24;
/// Rounds of polishing, and what a point's value is multiplied with in each.
const POLISH: usize = 12;
const TRIES: [f32; 10] = [0.0, 0.35, 0.6, 0.8, 0.93, 1.07, 1.2, 1.5, 2.2, 4.0];

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

/// One side of one part: what is asked for, at places inside triangles, of values at their corners. Points and triangles are counted
/// within the part.
pub(super) struct Side<'a> {
    probes: &'a [Probe],
    bounds: &'a [Bound],
    /// Points of each triangle, and how many there are.
    of: Vec<[u32; 3]>,
    count: usize,
    points: &'a ReachPoints,
    first_point: u32,
    first_triangle: u32,
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

impl<'a> Side<'a> {
    /// `probes` and their `bounds` are those of the whole low-poly, by triangle.
    pub fn new(
        probes: &'a [Probe],
        bounds: &'a [Bound],
        points: &'a ReachPoints,
        triangles: Range<u32>,
        stop: Stop<'a>,
    ) -> Side<'a> {
        let before = |t: u32| probes.partition_point(|p| p.at.triangle < t);
        let own = before(triangles.start)..before(triangles.end);
        let (probes, bounds) = (&probes[own.clone()], &bounds[own]);
        let range = points.of_triangles(&triangles);
        let (first_point, count) = (range.start as u32, range.len());
        let of: Vec<[u32; 3]> = points.of[triangles.start as usize..triangles.end as usize]
            .iter()
            .map(|c| c.map(|p| p - first_point))
            .collect();
        let starts = triangles.clone().chain([triangles.end]);
        let starts = starts.map(|t| probes.partition_point(|p| p.at.triangle < t) as u32).collect();
        let mut pairs: Vec<(u32, u32)> = of.iter().enumerate().flat_map(|(t, c)| c.map(|p| (p, t as u32))).collect();
        pairs.sort_unstable();
        pairs.dedup();
        let around_starts = (0..=count as u32).map(|p| pairs.partition_point(|(a, _)| *a < p) as u32).collect();
        let around = pairs.into_iter().map(|(_, t)| t).collect();
        let mut limits = vec![0.0f32; count];
        for (probe, bound) in probes.iter().zip(bounds) {
            for p in of[(probe.at.triangle - triangles.start) as usize] {
                limits[p as usize] = limits[p as usize].max(bound.want);
            }
        }
        let first_triangle = triangles.start;
        Side {
            probes,
            bounds,
            of,
            count,
            points,
            first_point,
            first_triangle,
            limits,
            starts,
            around_starts,
            around,
            stop,
        }
    }

    fn corners(&self, probe: &Probe) -> &[u32; 3] {
        &self.of[(probe.at.triangle - self.first_triangle) as usize]
    }

    fn mean_around(&self, values: &[f32], point: usize) -> f32 {
        let first = self.first_point as usize;
        self.points.mean_around(values, first, first + point)
    }

    fn raise(&self, values: &mut [f32]) {
        for _ in 0..SWEEPS {
            let mut still = true;
            for (probe, bound) in self.probes.iter().zip(self.bounds) {
                let corners = self.corners(probe);
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
            let corners = self.corners(probe);
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
            for point in 0..self.count as u32 {
                let mut least = 0.0f32;
                for &t in self.around(point) {
                    let corners = &self.of[t as usize];
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
        let corners = &self.of[triangle as usize];
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
        (0..self.of.len() as u32).into_par_iter().with_min_len(1024).map(|t| self.failing_of(t, values)).sum()
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
            let failing = (0..self.of.len() as u32).filter(|&t| self.failing_of(t, values) > 0);
            let mut open: Vec<u32> = failing.flat_map(|t| self.of[t as usize]).collect();
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

    /// Values of the part's points.
    pub fn solve(&self) -> Vec<f32> {
        let mut values = vec![0.0f32; self.count];
        self.raise(&mut values);
        self.tighten(&mut values);
        // A steep fall from one point to the next is made gentler, upward only.
        for _ in 0..2 {
            values = (0..self.count).map(|p| values[p].max(0.5 * self.mean_around(&values, p))).collect();
        }
        let mut best = (self.failing(&values), values.clone());
        let mut keep = |values: &[f32]| {
            let failing = self.failing(values);
            if failing < best.0 {
                best = (failing, values.to_vec());
            }
        };
        for _ in 0..ROUNDS {
            self.lower(&mut values);
            keep(&values);
            self.raise(&mut values);
            keep(&values);
        }
        // No fit is worse than one number for all.
        let most = self.bounds.iter().map(|b| b.need).fold(0.0, f32::max);
        for step in 0..UNIFORM_STEPS {
            if (self.stop)() {
                break;
            }
            let one = most * (step as f32 + 0.5) / UNIFORM_STEPS as f32 * 1.1;
            let failing = self.failing_with(one);
            if failing < best.0 {
                best = (failing, vec![one; self.count]);
            }
        }
        let (failing, mut values) = best;
        if failing > 0 {
            self.polish(&mut values);
        }
        values
    }
}
