//! Seams, unwrapping, relaxing, pins, straight rows and stitches, carried out on a mesh.

use super::cholesky::Symbolic;
use super::energy::Piece;
use super::lay::{ENOUGH, Flat, MOST_STEPS, lay_flat, lay_flat_by_angle};
use super::net::{Chart, Edge};
use super::relax::{furthest, relax};
use super::sheet::{CornerUvs, Sheet, corner_uvs, nearest_similar};
use crate::mesh::Mesh;
use crate::step::{PinStep, RelaxStep, SeamsStep, StitchStep, StraightenStep, UnwrapStep};
use glam::{DVec2, DVec3};
use parking_lot::Mutex;
use rayon::prelude::*;
use rustc_hash::{FxHashMap, FxHashSet};
use std::cell::Cell;
use std::collections::BTreeMap;

/// Marks or clears seams.
pub fn mark_seams(mesh: Mesh, step: &SeamsStep) -> Mesh {
    let bare = mesh.uvs.is_empty();
    let mut sheet = Sheet::new(mesh);
    let mut edges = sheet.edges(&step.edges);
    edges.extend(step.sharper.map(|degrees| sheet.net.sharper_than(f64::from(degrees))).unwrap_or_default());
    for e in edges {
        let marks = &mut sheet.mesh.marks;
        if step.clear {
            marks.seams.remove(&e);
            if sheet.seams.contains(&e) {
                marks.cleared.insert(e);
            }
        } else {
            marks.cleared.remove(&e);
            if !sheet.seams.contains(&e) {
                marks.seams.insert(e);
            }
        }
    }
    if bare {
        sheet.mesh.uvs.clear();
    }
    sheet.mesh
}

/// Pins points or lets go of them.
pub fn pin(mesh: Mesh, step: &PinStep) -> Mesh {
    let mut sheet = Sheet::new(mesh);
    let found = sheet.points.named::<1>(&step.points);
    sheet.note_lost(&found, "points");
    let pins = &mut sheet.mesh.marks.pins;
    for [p] in found.into_iter().flatten() {
        if step.release {
            pins.remove(&p)
        } else {
            pins.insert(p)
        };
    }
    sheet.mesh
}

/// Lays islands flat anew. Those whose faces had a place come to lie as near to it as turning and moving allows, at their density; those that
/// had none lie in rows, beside the square where it holds others.
pub fn unwrap(mesh: Mesh, step: &UnwrapStep) -> Mesh {
    let mut sheet = Sheet::new(mesh);
    let seams = sheet.wanted_seams();
    let charts = sheet.chosen(&seams, step.islands.as_ref());
    let mut faces: Vec<u32> = charts.iter().flat_map(|c| c.faces.iter().copied()).collect();
    faces.sort_unstable();
    let flats = match step.angle {
        Some(degrees) => lay_flat_by_angle(&sheet.net, &faces, f64::from(degrees), ENOUGH),
        None => lay_flat(&sheet.net, &faces, &seams),
    };
    let changes = laid(&sheet, flats);
    // What was cut is told by the UVs from now on.
    let done: FxHashSet<Edge> = faces.iter().flat_map(|&f| sheet.net.edges(f)).collect();
    sheet.mesh.marks.seams.retain(|e| !done.contains(e));
    sheet.mesh.marks.cleared.retain(|e| !done.contains(e));
    sheet.with(changes)
}

/// UVs of flat charts: each where its faces lay, or in rows.
fn laid(sheet: &Sheet, flats: Vec<Flat>) -> CornerUvs {
    let Some(density) = sheet.density() else { return in_rows(&flats, None, DVec2::ZERO) };
    let islands = sheet.island_of();
    let mut homeless = Vec::new();
    let mut changes = CornerUvs::new();
    for flat in flats {
        match placed(sheet, &islands, &flat, density) {
            Some(uvs) => changes.extend(uvs),
            None => homeless.push(flat),
        }
    }
    changes.extend(in_rows(&homeless, Some(density), DVec2::X));
    changes
}

/// Room between rows and between islands in them, of the width of all.
const BETWEEN: f64 = 0.01;

/// Flat charts in rows from a corner on, the highest first, at a density or as large as fits into the square.
fn in_rows(flats: &[Flat], density: Option<f64>, from: DVec2) -> CornerUvs {
    let boxes = flats.iter().map(|flat| {
        flat.uvs.iter().fold((DVec2::INFINITY, DVec2::NEG_INFINITY), |(low, high), uv| (low.min(*uv), high.max(*uv)))
    });
    let boxes: Vec<(DVec2, DVec2)> = boxes.collect();
    let size = |i: usize| boxes[i].1 - boxes[i].0;
    let mut order: Vec<usize> = (0..flats.len()).collect();
    order.sort_by(|&a, &b| size(b).y.total_cmp(&size(a).y).then(a.cmp(&b)));
    let area: f64 = order.iter().map(|&i| size(i).element_product()).sum();
    let wide = order.iter().map(|&i| size(i).x).fold(area.sqrt(), f64::max);
    let between = BETWEEN * wide;
    let (mut at, mut next, mut whole) = (DVec2::splat(between), between, DVec2::ZERO);
    let mut corners = vec![DVec2::ZERO; flats.len()];
    for i in order {
        if at.x + size(i).x > wide && at.x > between {
            at = DVec2::new(between, next);
        }
        corners[i] = at;
        whole = whole.max(at + size(i) + between);
        next = next.max(at.y + size(i).y + between);
        at.x += size(i).x + between;
    }
    let scale = density.unwrap_or(1.0 / whole.max_element().max(f64::MIN_POSITIVE));
    let laid = flats.iter().zip(&boxes).zip(&corners).flat_map(|((flat, (low, _)), corner)| {
        let uvs: Vec<DVec2> = flat.uvs.iter().map(|uv| from + (*uv - *low + *corner) * scale).collect();
        corner_uvs(&flat.chart, &uvs)
    });
    laid.collect()
}

/// A flat chart where its faces lay, pinned points exactly there. Faces that lay on several islands go by the island that had the most of them:
/// between two islands is no place, and others would meet there. None where they had no area on the sheet.
fn placed(sheet: &Sheet, islands: &[u32], flat: &Flat, density: f64) -> Option<CornerUvs> {
    let chart = &flat.chart;
    let mut shares: BTreeMap<u32, (f64, f64)> = BTreeMap::new();
    for &face in &chart.faces {
        let [a, b, c] = sheet.mesh.corner_uvs(face).map(|uv| uv.as_dvec2());
        let share = shares.entry(islands[face as usize]).or_default();
        share.0 += (b - a).perp_dot(c - a);
        share.1 += sheet.net.area_normal(face).length();
    }
    let (&home, &(was, surface)) = shares.iter().max_by(|a, b| a.1.0.abs().total_cmp(&b.1.0.abs()))?;
    if was == 0.0 || surface == 0.0 {
        return None;
    }
    // As it was turned over, the place is that of its mirror image.
    let turned = |uv: DVec2| if was < 0.0 { DVec2::new(-uv.x, uv.y) } else { uv };
    let mut uvs: Vec<DVec2> = flat.uvs.iter().map(|uv| *uv * density).collect();
    let own = corner_uvs(chart, &uvs).into_iter().filter(|(face, _)| islands[*face as usize] == home);
    let (from, to): (Vec<DVec2>, Vec<DVec2>) = own
        .flat_map(|(face, uvs)| {
            let old = sheet.mesh.corner_uvs(face);
            [0, 1, 2].map(|k| (uvs[k], turned(old[k].as_dvec2())))
        })
        .unzip();
    let (factor, by) = nearest_similar(&from, &to);
    let middle = from.iter().sum::<DVec2>() / from.len() as f64;
    let scale = (was.abs() / surface).sqrt() / density;
    let (turn, to) = (factor.normalize() * scale, factor.rotate(middle) + by);
    uvs.iter_mut().for_each(|uv| *uv = turn.rotate(*uv - middle) + to);
    let pins = pins_of(sheet, chart);
    if pins.contains(&true) {
        let before = sheet.uvs_of(chart).into_iter().map(turned);
        let targets: Vec<Option<DVec2>> = pins.iter().zip(before).map(|(pin, uv)| pin.then_some(uv)).collect();
        let piece = Piece::new(&chart.places(&sheet.net), chart.corners.clone(), density * scale);
        led(&piece, &mut uvs, &targets);
    }
    Some(corner_uvs(chart, &uvs.into_iter().map(turned).collect::<Vec<_>>()))
}

fn mirrored(uvs: &[DVec2]) -> Vec<DVec2> {
    uvs.iter().map(|uv| DVec2::new(-uv.x, uv.y)).collect()
}

fn pins_of(sheet: &Sheet, chart: &Chart) -> Vec<bool> {
    chart.points.iter().map(|p| sheet.mesh.marks.pins.contains(p)).collect()
}

fn order_of(piece: &Piece, uvs: &[DVec2]) -> Symbolic {
    let flat: Vec<DVec3> = uvs.iter().map(|uv| uv.extend(0.0)).collect();
    Symbolic::new(&piece.pattern, &flat)
}

/// Moves islands to the least energy from where they lie.
pub fn relax_islands(mesh: Mesh, step: &RelaxStep) -> Mesh {
    relax_watched(mesh, step, &|_| ())
}

/// The same; `watch` hears the mean energy over all islands that flip no face, at the start and after each step of one of them. It may hear from
/// several threads at once.
pub fn relax_watched(mesh: Mesh, step: &RelaxStep, watch: &(dyn Fn(f64) + Sync)) -> Mesh {
    let mut sheet = Sheet::new(mesh);
    let seams = sheet.seams.clone();
    let charts = sheet.chosen(&seams, step.islands.as_ref());
    let lying: Vec<Lying> = charts.par_iter().filter_map(|chart| Lying::new(&sheet, chart)).collect();
    let begun = || lying.iter().filter(|l| l.energy.is_finite());
    let surface: f64 = begun().map(|l| l.surface).sum();
    let total = Mutex::new(begun().map(|l| l.energy * l.surface).sum::<f64>());
    if surface > 0.0 {
        watch(*total.lock() / surface);
    }
    let fell = |by: f64| {
        let mut total = total.lock();
        *total -= by;
        watch(*total / surface);
    };
    let changes: Vec<CornerUvs> = lying.into_par_iter().map(|lying| lying.relaxed(&sheet, &fell)).collect();
    sheet.with(changes.into_iter().flatten())
}

/// An island as it lies on the sheet, the right way round.
struct Lying<'a> {
    chart: &'a Chart,
    piece: Piece,
    uvs: Vec<DVec2>,
    turned_over: bool,
    /// Twice the area of its surface.
    surface: f64,
    /// Mean energy as it lies; infinite with a flipped face.
    energy: f64,
}

impl Lying<'_> {
    /// None where it has no area.
    fn new<'a>(sheet: &Sheet, chart: &'a Chart) -> Option<Lying<'a>> {
        let uvs = sheet.uvs_of(chart);
        let was = Sheet::signed_area(chart, &uvs);
        let surface = sheet.surface(chart);
        if was == 0.0 || surface == 0.0 {
            return None;
        }
        let turned_over = was < 0.0;
        let uvs = if turned_over { mirrored(&uvs) } else { uvs };
        let piece = Piece::new(&chart.places(&sheet.net), chart.corners.clone(), (was.abs() / surface).sqrt());
        let energy = piece.energy(&uvs);
        Some(Lying { chart, piece, uvs, turned_over, surface, energy })
    }

    /// Its UVs with the least energy; `fell` hears by how much the energy over all its surface fell in each step.
    fn relaxed(self, sheet: &Sheet, fell: &dyn Fn(f64)) -> CornerUvs {
        let Lying { chart, piece, mut uvs, turned_over, surface, energy } = self;
        let held = pins_of(sheet, chart);
        if !energy.is_finite() {
            // A face is flipped: only a fresh start helps, and pinned points are then led to where they were.
            return laid(sheet, lay_flat(&sheet.net, &chart.faces, &sheet.seams));
        }
        let before = uvs.clone();
        let order = order_of(&piece, &uvs);
        let last = Cell::new(energy);
        let watch = |energy: f64| fell((last.replace(energy) - energy) * surface);
        relax(&piece, &mut uvs, &held, &order, MOST_STEPS, &watch);
        if !held.contains(&true) {
            // Moved and turned as a whole the energy is the same: it stays where it lay.
            let middle = |uvs: &[DVec2]| uvs.iter().sum::<DVec2>() / uvs.len() as f64;
            let (from, to) = (middle(&uvs), middle(&before));
            let turn = nearest_similar(&uvs, &before).0.normalize();
            uvs.iter_mut().for_each(|uv| *uv = turn.rotate(*uv - from) + to);
        }
        corner_uvs(chart, &if turned_over { mirrored(&uvs) } else { uvs })
    }
}

/// Rounds that points are led in, and steps of relaxing between.
const MOST_ROUNDS: usize = 60;
const STEPS_BETWEEN: usize = 3;

/// Leads points to where they belong, as far as no face flips in a go, and lets the others follow; at the end the piece is relaxed with them
/// held. What cannot be reached is left on the way.
fn led(piece: &Piece, uvs: &mut [DVec2], targets: &[Option<DVec2>]) {
    let held: Vec<bool> = targets.iter().map(Option::is_some).collect();
    let order = order_of(piece, uvs);
    for _ in 0..MOST_ROUNDS {
        let back: Vec<DVec2> = uvs.iter().zip(targets).map(|(uv, to)| to.map_or(DVec2::ZERO, |to| *uv - to)).collect();
        if back.iter().all(|d| *d == DVec2::ZERO) {
            break;
        }
        let by = (0.8 * furthest(piece, uvs, &back)).min(1.0);
        for (uv, (back, to)) in uvs.iter_mut().zip(back.iter().zip(targets)) {
            *uv = match to {
                Some(to) if by == 1.0 => *to,
                _ => *uv - *back * by,
            };
        }
        relax(piece, uvs, &held, &order, STEPS_BETWEEN, &|_| ());
    }
    relax(piece, uvs, &held, &order, MOST_STEPS, &|_| ());
}

/// Lays rows of edges straight; the rest of their islands follows.
pub fn straighten(mesh: Mesh, step: &StraightenStep) -> Mesh {
    let mut sheet = Sheet::new(mesh);
    let edges: FxHashSet<Edge> = sheet.edges(&step.edges).into_iter().collect();
    let seams = sheet.seams.clone();
    let charts = sheet.charts(&seams);
    let changes: Vec<CornerUvs> = charts.par_iter().filter_map(|chart| straightened(&sheet, chart, &edges)).collect();
    sheet.with(changes.into_iter().flatten())
}

fn straightened(sheet: &Sheet, chart: &Chart, edges: &FxHashSet<Edge>) -> Option<CornerUvs> {
    let mut uvs = sheet.uvs_of(chart);
    let was = Sheet::signed_area(chart, &uvs);
    let scale = (was.abs() / sheet.surface(chart)).sqrt();
    let piece = Piece::new(&chart.places(&sheet.net), chart.corners.clone(), scale);
    if was <= 0.0 || !piece.total(&uvs).is_finite() {
        return None;
    }
    let mut next: FxHashMap<u32, Vec<u32>> = FxHashMap::default();
    for corners in &chart.corners {
        for k in 0..3 {
            let (a, b) = (corners[k], corners[(k + 1) % 3]);
            let [p, q] = [a, b].map(|c| chart.points[c as usize]);
            if edges.contains(&super::net::edge(p, q)) {
                for (from, to) in [(a, b), (b, a)] {
                    let known = next.entry(from).or_default();
                    if !known.contains(&to) {
                        known.push(to);
                    }
                }
            }
        }
    }
    let mut starts: Vec<u32> = next.iter().filter(|(_, to)| to.len() == 1).map(|(p, _)| *p).collect();
    starts.sort_unstable();
    let mut targets: Vec<Option<DVec2>> = vec![None; uvs.len()];
    for start in starts.into_iter() {
        if targets[start as usize].is_some() {
            continue;
        }
        let mut row = vec![start];
        while let Some(&to) = next[&row[row.len() - 1]].iter().find(|p| !row.contains(p))
            && row.len() < uvs.len()
        {
            row.push(to);
        }
        let place = |c: u32| sheet.net.points[chart.points[c as usize] as usize];
        let lengths: Vec<f64> = row.windows(2).map(|w| place(w[0]).distance(place(w[1])) * scale).collect();
        let long: f64 = lengths.iter().sum();
        let way = uvs[row[row.len() - 1] as usize] - uvs[start as usize];
        let along = if way.x.abs() >= way.y.abs() { DVec2::X * way.x.signum() } else { DVec2::Y * way.y.signum() };
        let middle = row.iter().map(|&c| uvs[c as usize]).sum::<DVec2>() / row.len() as f64;
        let mut at = middle - along * (0.5 * long);
        for (k, &c) in row.iter().enumerate() {
            targets[c as usize] = Some(at);
            at += along * lengths.get(k).copied().unwrap_or(0.0);
        }
    }
    if targets.iter().all(Option::is_none) {
        return None;
    }
    led(&piece, &mut uvs, &targets);
    Some(corner_uvs(chart, &uvs))
}

/// Joins two islands along what they share at an edge: unwrapped as one, lying where the larger lay.
pub fn stitch(mesh: Mesh, step: &StitchStep) -> Mesh {
    let mut sheet = Sheet::new(mesh);
    let seams = sheet.seams.clone();
    let charts = sheet.charts(&seams);
    let chart_of = sheet.island_of();
    let wanted: FxHashSet<Edge> = sheet.edges(&step.edge).into_iter().collect();
    let across = |side: u32| sheet.net.across(side).map(|o| (chart_of[side as usize / 3], chart_of[o as usize / 3]));
    let own_edge = |side: u32| {
        let [a, b] = sheet.net.ends(side);
        super::net::edge(a, b)
    };
    let sides = 0..3 * sheet.mesh.triangles.len() as u32;
    let pair = sides.clone().filter(|&s| wanted.contains(&own_edge(s))).find_map(|s| across(s).filter(|(a, b)| a != b));
    let Some((one, two)) = pair else { return sheet.mesh };
    // The run of shared edges that the chosen one belongs to.
    let shared: FxHashSet<Edge> = sides.filter(|&s| across(s) == Some((one, two))).map(own_edge).collect();
    let mut run: FxHashSet<Edge> = wanted.intersection(&shared).copied().collect();
    loop {
        let ends: FxHashSet<u32> = run.iter().flatten().copied().collect();
        let more: Vec<Edge> =
            shared.iter().filter(|e| !run.contains(*e) && e.iter().any(|p| ends.contains(p))).copied().collect();
        if more.is_empty() {
            break;
        }
        run.extend(more);
    }
    let mut faces = [one, two].map(|c| &charts[c as usize].faces[..]).concat();
    faces.sort_unstable();
    let kept: FxHashSet<Edge> = seams.difference(&run).copied().collect();
    let changes = laid(&sheet, lay_flat(&sheet.net, &faces, &kept));
    sheet.with(changes)
}
