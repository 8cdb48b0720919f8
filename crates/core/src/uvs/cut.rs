//! Cuts: seams that make a disk of a chart that is none, and a chart in two where it lies too unevenly on the sheet.

use super::net::{Chart, Edge, NONE, Net, edge};
use glam::DVec3;
use rustc_hash::{FxHashMap, FxHashSet};
use std::cmp::Reverse;
use std::collections::BinaryHeap;

/// How much longer a step between faces counts that stand at a right angle.
const TURN_COST: f64 = 4.0;

/// Walks over the faces of a chart from some of them: for each face (by its place in the chart) how far it is by `cost`, the seed it is
/// nearest to, and the side it was entered by.
struct Walk {
    far: Vec<f64>,
    seed: Vec<u32>,
    entered: Vec<u32>,
}

fn walk(net: &Net, chart: &Chart, seams: &FxHashSet<Edge>, seeds: &[u32], cost: impl Fn(u32, u32, u32) -> f64) -> Walk {
    let count = chart.faces.len();
    let mut walk = Walk { far: vec![f64::INFINITY; count], seed: vec![NONE; count], entered: vec![NONE; count] };
    let mut open = BinaryHeap::new();
    for (number, &seed) in seeds.iter().enumerate() {
        walk.far[seed as usize] = 0.0;
        walk.seed[seed as usize] = number as u32;
        open.push(Reverse((0.0f64.to_bits(), seed)));
    }
    // Lengths are never negative: their bits are in order as they are.
    while let Some(Reverse((bits, at))) = open.pop() {
        let far = f64::from_bits(bits);
        if far > walk.far[at as usize] {
            continue;
        }
        let face = chart.faces[at as usize];
        for side in 3 * face..3 * face + 3 {
            let [a, b] = net.ends(side);
            if seams.contains(&edge(a, b)) {
                continue;
            }
            let Some(across) = net.across(side) else { continue };
            let Ok(other) = chart.faces.binary_search(&(across / 3)) else { continue };
            let next = far + cost(walk.seed[at as usize], face, across / 3);
            if next < walk.far[other] {
                (walk.far[other], walk.seed[other], walk.entered[other]) = (next, walk.seed[at as usize], across);
                open.push(Reverse((next.to_bits(), other as u32)));
            }
        }
    }
    walk
}

/// Distance between the middles of two faces that share a side, more where they are turned.
fn step(net: &Net, one: u32, two: u32) -> f64 {
    let (a, b) = (net.area_normal(one).normalize_or_zero(), net.area_normal(two).normalize_or_zero());
    net.middle(one).distance(net.middle(two)) * (1.0 + TURN_COST * (1.0 - a.dot(b)))
}

/// The place in the chart of the face furthest from some.
fn furthest(walk: &Walk) -> u32 {
    let all = walk.far.iter().enumerate().filter(|(_, far)| far.is_finite());
    all.fold((0, -1.0), |best, (i, &far)| if far > best.1 { (i as u32, far) } else { best }).0
}

/// Edges to cut so that the chart is one disk: those that a tree of ways from face to face does not cross, without loose ends; of a
/// closed chart without handles, a way across it.
pub(super) fn to_a_disk(net: &Net, chart: &Chart, seams: &FxHashSet<Edge>) -> Vec<Edge> {
    let start = furthest(&walk(net, chart, seams, &[0], |_, one, two| step(net, one, two)));
    let tree = walk(net, chart, seams, &[start], |_, one, two| step(net, one, two));
    let crossed: FxHashSet<Edge> = tree
        .entered
        .iter()
        .filter(|s| **s != NONE)
        .map(|&s| {
            let [a, b] = net.ends(s);
            edge(a, b)
        })
        .collect();
    // Edges of the chart as pairs of its own corners: border ones count for where cuts may end.
    let mut left: FxHashMap<Edge, bool> = FxHashMap::default();
    for (corner, &face) in chart.corners.iter().zip(&chart.faces) {
        for k in 0..3 {
            let [a, b] = net.ends(3 * face + k as u32);
            if !crossed.contains(&edge(a, b)) || seams.contains(&edge(a, b)) {
                // Met twice: it lies inside.
                left.entry(edge(corner[k], corner[(k + 1) % 3])).and_modify(|border| *border = false).or_insert(true);
            }
        }
    }
    let mut edges: Vec<(Edge, bool)> = left.into_iter().collect();
    edges.sort_unstable();
    let mut at: Vec<Vec<usize>> = vec![Vec::new(); chart.points.len()];
    for (number, (ends, _)) in edges.iter().enumerate() {
        ends.iter().for_each(|&p| at[p as usize].push(number));
    }
    let mut gone = vec![false; edges.len()];
    let mut loose: Vec<u32> = (0..chart.points.len() as u32).filter(|&p| at[p as usize].len() == 1).collect();
    let mut last = None;
    while let Some(point) = loose.pop() {
        let Some(&number) = at[point as usize].iter().find(|n| !gone[**n]) else { continue };
        if edges[number].1 {
            continue;
        }
        gone[number] = true;
        last = Some(number);
        let other = edges[number].0[usize::from(edges[number].0[0] == point)];
        if at[other as usize].iter().filter(|n| !gone[**n]).count() == 1 {
            loose.push(other);
        }
    }
    let kept = || (0..edges.len()).filter(|&n| !gone[n] && !edges[n].1);
    let named = |n: usize| edge(chart.points[edges[n].0[0] as usize], chart.points[edges[n].0[1] as usize]);
    if kept().next().is_some() || !chart.loops.is_empty() {
        return kept().map(named).collect();
    }
    // A ball: the way between the two far ends of what was left.
    let Some(last) = last else { return Vec::new() };
    let far = |from: u32| {
        let mut known: FxHashMap<u32, (f64, usize)> = FxHashMap::default();
        let mut open = vec![(from, 0.0, usize::MAX)];
        let mut best = (from, 0.0);
        while let Some((point, gone, by)) = open.pop() {
            if known.contains_key(&point) {
                continue;
            }
            known.insert(point, (gone, by));
            if gone > best.1 {
                best = (point, gone);
            }
            for &number in &at[point as usize] {
                let ends = edges[number].0;
                let other = ends[usize::from(ends[0] == point)];
                let place = |p: u32| net.points[chart.points[p as usize] as usize];
                open.push((other, gone + place(point).distance(place(other)), number));
            }
        }
        (best.0, known)
    };
    let (one, _) = far(edges[last].0[0]);
    let (mut at, ways) = far(one);
    let mut way = Vec::new();
    while let Some(&(_, number)) = ways.get(&at)
        && number != usize::MAX
    {
        way.push(named(number));
        at = edges[number].0[usize::from(edges[number].0[0] == at)];
    }
    way
}

/// How often the two halves of a chart are grown anew.
const ROUNDS: usize = 6;

/// Edges that part a chart in two, each as even in direction and as round as can be: from two far faces, both halves grow by the way
/// and by how far a face is turned from the half's own direction, and start anew from their middles (as in Cohen-Steiner, Alliez and Desbrun,
/// "Variational Shape Approximation", 2004).
pub(super) fn in_two(net: &Net, chart: &Chart, seams: &FxHashSet<Edge>) -> Vec<Edge> {
    let plain = |_: u32, one: u32, two: u32| step(net, one, two);
    let one = furthest(&walk(net, chart, seams, &[0], plain));
    let two = furthest(&walk(net, chart, seams, &[one], plain));
    let mut seeds = [one, two];
    let mut found = walk(net, chart, seams, &seeds, plain);
    for _ in 0..ROUNDS {
        let mut directions = [DVec3::ZERO; 2];
        let mut middles = [(DVec3::ZERO, 0.0); 2];
        for (i, &face) in chart.faces.iter().enumerate().filter(|(i, _)| found.seed[*i] != NONE) {
            let half = found.seed[i] as usize;
            let normal = net.area_normal(face);
            directions[half] += normal;
            middles[half].0 += net.middle(face) * normal.length();
            middles[half].1 += normal.length();
        }
        let directions = directions.map(DVec3::normalize_or_zero);
        let turned = |half: usize, face: u32| 1.0 - directions[half].dot(net.area_normal(face).normalize_or_zero());
        let mut best = [(f64::INFINITY, seeds[0]), (f64::INFINITY, seeds[1])];
        let size = chart.faces.iter().map(|&f| net.area_normal(f).length()).sum::<f64>().sqrt();
        for (i, &face) in chart.faces.iter().enumerate().filter(|(i, _)| found.seed[*i] != NONE) {
            let half = found.seed[i] as usize;
            let middle = middles[half].0 / middles[half].1.max(f64::MIN_POSITIVE);
            let away = net.middle(face).distance(middle) / size.max(f64::MIN_POSITIVE) + turned(half, face);
            if away < best[half].0 {
                best[half] = (away, i as u32);
            }
        }
        let next = best.map(|b| b.1);
        let again = next == seeds;
        seeds = next;
        found = walk(net, chart, seams, &seeds, |half, one, two| {
            net.middle(one).distance(net.middle(two)) * (1.0 + TURN_COST * turned(half as usize, two))
        });
        if again {
            break;
        }
    }
    let half_of = smoothed(net, chart, found.seed);
    let mut cuts = Vec::new();
    for (i, &face) in chart.faces.iter().enumerate() {
        for side in 3 * face..3 * face + 3 {
            let Some(other) = net.across(side).filter(|o| *o > side) else { continue };
            if let Ok(j) = chart.faces.binary_search(&(other / 3))
                && half_of[i] != half_of[j]
            {
                let [a, b] = net.ends(side);
                cuts.push(edge(a, b));
            }
        }
    }
    cuts
}

/// Gives a face to the other half where two of its sides lie in that: borders without teeth.
fn smoothed(net: &Net, chart: &Chart, mut half_of: Vec<u32>) -> Vec<u32> {
    for _ in 0..4 {
        let mut changed = false;
        for (i, &face) in chart.faces.iter().enumerate() {
            let others: Vec<usize> = (3 * face..3 * face + 3)
                .filter_map(|s| chart.faces.binary_search(&(net.across(s)? / 3)).ok())
                .filter(|&j| half_of[j] != half_of[i])
                .collect();
            if others.len() >= 2 {
                half_of[i] = half_of[others[0]];
                changed = true;
            }
        }
        if !changed {
            break;
        }
    }
    half_of
}
