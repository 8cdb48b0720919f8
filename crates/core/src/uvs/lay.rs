//! A chart laid flat: a start that flips nothing, then the least energy; cut further where asked and where it would lie too unevenly.

use super::cholesky::Symbolic;
use super::cut::{in_two, to_a_disk};
use super::energy::Piece;
use super::join::joined;
use super::net::{Chart, Edge, Net};
use super::relax::relax;
use super::start::{conformal, on_a_circle};
use glam::{DVec2, DVec3};
use rayon::prelude::*;
use rustc_hash::{FxHashMap, FxHashSet};

/// Steps at most: from a circle on, thousands of faces settle within twenty.
pub(super) const MOST_STEPS: usize = 60;

/// A chart and where its corners lie, scene units.
#[derive(Clone)]
pub(super) struct Flat {
    pub chart: Chart,
    pub uvs: Vec<DVec2>,
    /// Mean symmetric Dirichlet energy; 4 where lengths are kept.
    pub energy: f64,
}

impl Flat {
    /// Relaxed until it gains nothing any more; as it was where it came to lie on itself by that.
    fn settled(self, net: &Net) -> Flat {
        let piece = Piece::new(&self.chart.places(net), self.chart.corners.clone(), 1.0);
        let mut settled = self.clone();
        settled.relax(&piece, MOST_STEPS);
        if lies_on_itself(&settled.chart, &settled.uvs) { self } else { settled }
    }

    fn relax(&mut self, piece: &Piece, most_steps: usize) {
        // By their places on the sheet the points part better than by those in space.
        let flat: Vec<DVec3> = self.uvs.iter().map(|uv| uv.extend(0.0)).collect();
        let symbolic = Symbolic::new(&piece.pattern, &flat);
        self.energy = relax(piece, &mut self.uvs, &vec![false; flat.len()], &symbolic, most_steps, &|_| ());
    }
}

/// Lays the charts that seams part flat. What is closed or has a handle is cut to a disk; a hole is cut open where that helps. Charts that
/// no start lays without a flipped face are cut in two.
pub(super) fn lay_flat(net: &Net, faces: &[u32], seams: &FxHashSet<Edge>) -> Vec<Flat> {
    net.charts(faces, seams).into_par_iter().flat_map(|chart| lay(net, chart, None, 0)).collect()
}

/// As [`lay_flat`], with seams of its own: where faces meet at more than `degrees`, and wherever a chart would lie with more than a mean energy
/// of `enough`, or on itself. Charts that lie well as one are joined again.
pub(super) fn lay_flat_by_angle(net: &Net, faces: &[u32], degrees: f64, enough: f64) -> Vec<Flat> {
    let sharp = net.sharper_than(degrees);
    // What sharp edges do not part as a whole is not cut by them.
    let charts =
        net.charts(faces, &sharp).into_iter().flat_map(|chart| net.charts(&chart.faces, &FxHashSet::default()));
    let flats: Vec<Flat> =
        charts.collect::<Vec<_>>().into_par_iter().flat_map(|chart| lay(net, chart, Some(enough), 0)).collect();
    joined(net, flats, degrees, enough).into_par_iter().map(|flat| flat.settled(net)).collect()
}

/// Mean energy that a chart with seams of its own may have.
pub(super) const ENOUGH: f64 = 4.5;
/// Cut at most so often in a row.
const DEEPEST: usize = 32;
/// Steps after which it is judged whether a chart has to be cut.
const STEPS_TO_JUDGE: usize = 10;
/// Above this many faces a chart that may be cut anyway is not tried from a circle.
const MOST_FROM_CIRCLE: usize = 200;
/// A hole is cut open where the chart lies worse than this with it.
const ENOUGH_WITH_HOLES: f64 = 4.05;

/// A chart laid flat, in as many pieces as it takes; with `enough`, none lies worse or on itself if cutting helps.
fn lay(net: &Net, chart: Chart, enough: Option<f64>, depth: usize) -> Vec<Flat> {
    let slits: FxHashSet<Edge> = chart.slits(net).into_iter().collect();
    let cut = |edges: Vec<Edge>| -> Vec<Chart> {
        let mut seams = slits.clone();
        seams.extend(edges);
        net.charts(&chart.faces, &seams)
    };
    let again = |parts: Vec<Chart>| -> Vec<Flat> {
        parts.into_par_iter().flat_map(|part| lay(net, part, enough, depth + 1)).collect()
    };
    let may_cut = depth < DEEPEST && chart.faces.len() > 1;
    let good = |flat: &Flat| enough.is_none_or(|e| flat.energy <= e && !lies_on_itself(&flat.chart, &flat.uvs));
    let mut best: Option<Flat> = None;
    if chart.is_flat_kind() {
        best = flattened(net, &chart, enough.is_none());
    } else if enough.is_some() && may_cut {
        return again(cut(in_two(net, &chart, &slits)));
    }
    if !chart.is_flat_kind() || chart.loops.len() > 1 && best.as_ref().is_none_or(|f| f.energy > ENOUGH_WITH_HOLES) {
        let parts = cut(to_a_disk(net, &chart, &slits));
        if let [part] = &parts[..]
            && part.is_flat_kind()
        {
            let other = flattened(net, part, enough.is_none());
            let energy = |flat: &Option<Flat>| flat.as_ref().map_or(f64::INFINITY, |f| f.energy);
            if energy(&other) < energy(&best) {
                best = other;
            }
        }
    }
    match best {
        Some(flat) if good(&flat) || !may_cut => vec![flat],
        best if may_cut => {
            let parts = cut(in_two(net, &chart, &slits));
            match best {
                _ if parts.len() > 1 => again(parts),
                Some(flat) => vec![flat],
                // Nothing else is left: each face by itself.
                None => again(cut(chart.faces.iter().flat_map(|&f| net.edges(f)).collect())),
            }
        }
        best => best.into_iter().collect(),
    }
}

/// Laid flat, `whole` with the least energy found, otherwise as far as it takes to judge it; None where every start flips a face.
pub(super) fn flattened(net: &Net, chart: &Chart, whole: bool) -> Option<Flat> {
    let places = chart.places(net);
    let piece = Piece::new(&places, chart.corners.clone(), 1.0);
    let symbolic = Symbolic::new(&piece.pattern, &places);
    let circle = || {
        if whole || chart.faces.len() < MOST_FROM_CIRCLE { on_a_circle(&piece, &places, &chart.loops) } else { None }
    };
    let uvs = conformal(&piece, &places, &chart.loops[0], &symbolic).or_else(circle)?;
    let mut flat = Flat { chart: chart.clone(), uvs, energy: f64::INFINITY };
    flat.relax(&piece, if whole { MOST_STEPS } else { STEPS_TO_JUDGE });
    Some(flat)
}

/// Whether a chart that flips no face lies on itself: its borders cross, or its faces go more than once round a point of them.
pub(super) fn lies_on_itself(chart: &Chart, uvs: &[DVec2]) -> bool {
    let mut round = vec![0.0; uvs.len()];
    for t in &chart.corners {
        for k in 0..3 {
            let [at, b, c] = [0, 1, 2].map(|i| uvs[t[(k + i) % 3] as usize]);
            round[t[k] as usize] += (b - at).angle_to(c - at).abs();
        }
    }
    // Around points within it is a whole turn.
    let border = chart.loops.iter().flatten();
    if border.copied().any(|p| round[p as usize] > std::f64::consts::TAU - 1e-9) {
        return true;
    }
    let edges: Vec<[u32; 2]> =
        chart.loops.iter().flat_map(|l| (0..l.len()).map(|i| [l[i], l[(i + 1) % l.len()]])).collect();
    let at = |p: u32| uvs[p as usize];
    let mean = edges.iter().map(|[a, b]| at(*a).distance(at(*b))).sum::<f64>() / edges.len().max(1) as f64;
    let cell = |p: DVec2| (p / mean.max(f64::MIN_POSITIVE)).floor().as_i64vec2();
    let mut cells: FxHashMap<glam::I64Vec2, Vec<u32>> = FxHashMap::default();
    for (number, [a, b]) in edges.iter().enumerate() {
        // Piece by piece, none longer than a cell: a long edge goes through as many cells as it is long.
        let pieces = (at(*a).distance(at(*b)) / mean.max(f64::MIN_POSITIVE)).ceil().clamp(1.0, 1e6);
        for piece in 0..pieces as u32 {
            let ends = [0.0, 1.0].map(|k| at(*a).lerp(at(*b), (f64::from(piece) + k) / pieces));
            let (low, high) = (cell(ends[0].min(ends[1])), cell(ends[0].max(ends[1])));
            for (x, y) in (low.x..=high.x).flat_map(|x| (low.y..=high.y).map(move |y| (x, y))) {
                let members = cells.entry(glam::I64Vec2::new(x, y)).or_default();
                if members.last() != Some(&(number as u32)) {
                    members.push(number as u32);
                }
            }
        }
    }
    let side = |a: DVec2, b: DVec2, p: DVec2| (b - a).perp_dot(p - a);
    cells.values().any(|members| {
        members.iter().enumerate().any(|(i, &one)| {
            members[i + 1..].iter().any(|&two| {
                let ([a, b], [c, d]) = (edges[one as usize], edges[two as usize]);
                if a == c || a == d || b == c || b == d {
                    return false;
                }
                let [a, b, c, d] = [a, b, c, d].map(at);
                side(a, b, c) * side(a, b, d) < 0.0 && side(c, d, a) * side(c, d, b) < 0.0
            })
        })
    })
}
