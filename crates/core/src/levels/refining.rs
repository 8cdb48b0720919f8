//! What refining makes of a coarse mesh's points: each finer point as a mean of coarse ones. Where a finer mesh is known, the coarse points
//! that give it best are found by least squares.

use super::patterns::Undone;
use super::polygons::NONE;
use glam::{DVec3, Vec3};
use rayon::prelude::*;

/// How a mesh was refined.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Refining {
    /// Triangles in four, smoothed (Loop, "Smooth Subdivision Surfaces Based on Triangles", 1987).
    Loop,
    /// The same with the simpler weights that many programs have (Warren, "Subdivision Methods for Geometric Design", 1995).
    LoopWarren,
    /// Faces in quads, smoothed (Catmull and Clark, "Recursively Generated B-spline Surfaces on Arbitrary Topological Meshes", 1978).
    CatmullClark,
    /// In the middle of edges and faces, without smoothing.
    Flat,
}

impl Refining {
    /// Those that a mesh of triangles or of quads may have come from.
    pub(super) fn of_sides(sides: usize) -> &'static [Refining] {
        match sides {
            3 => &[Refining::Loop, Refining::LoopWarren, Refining::Flat],
            _ => &[Refining::CatmullClark, Refining::Flat],
        }
    }

    pub fn words(self) -> &'static str {
        match self {
            Refining::Loop | Refining::LoopWarren => "Loop",
            Refining::CatmullClark => "Catmull-Clark",
            Refining::Flat => "plain",
        }
    }

    /// What each neighbour of a point inside counts, of `n`.
    fn neighbour(self, n: f64) -> f64 {
        match self {
            Refining::LoopWarren if n == 3.0 => 3.0 / 16.0,
            Refining::LoopWarren => 3.0 / (8.0 * n),
            _ => (0.625 - (0.375 + 0.25 * libm::cos(std::f64::consts::TAU / n)).powi(2)) / n,
        }
    }
}

/// A sparse matrix, by rows.
#[derive(Clone, Debug, Default)]
struct Rows {
    starts: Vec<u32>,
    columns: Vec<u32>,
    weights: Vec<f32>,
}

impl Rows {
    /// Of entries (row, column, weight), of which those of one place are summed.
    fn of(mut entries: Vec<(u32, u32, f32)>, rows: usize) -> Rows {
        entries.par_sort_by_key(|(row, column, _)| (*row, *column));
        let mut made = Rows { starts: vec![0; rows + 1], ..Rows::default() };
        for same in entries.chunk_by(|one, other| (one.0, one.1) == (other.0, other.1)) {
            made.starts[same[0].0 as usize + 1] += 1;
            made.columns.push(same[0].1);
            made.weights.push(same.iter().map(|(.., weight)| weight).sum());
        }
        for row in 0..rows {
            made.starts[row + 1] += made.starts[row];
        }
        made
    }

    fn times(&self, x: &[DVec3]) -> Vec<DVec3> {
        let row = |row: usize| {
            let range = self.starts[row] as usize..self.starts[row + 1] as usize;
            let entries = self.columns[range.clone()].iter().zip(&self.weights[range]);
            entries.map(|(column, weight)| x[*column as usize] * f64::from(*weight)).sum()
        };
        (0..self.starts.len() - 1).into_par_iter().map(row).collect()
    }
}

/// One refining: finer points from coarse ones, and the other way round.
pub(super) struct Step {
    finer: Rows,
    transposed: Rows,
}

impl Step {
    pub fn new(undone: &Undone, fine_points: usize, refining: Refining) -> Step {
        let entries = entries(undone, refining);
        let turned = entries.iter().map(|(row, column, weight)| (*column, *row, *weight)).collect();
        Step { transposed: Rows::of(turned, undone.coarse.count), finer: Rows::of(entries, fine_points) }
    }
}

/// Weights of coarse points for each finer one.
fn entries(undone: &Undone, refining: Refining) -> Vec<(u32, u32, f32)> {
    let coarse = &undone.coarse;
    let across = coarse.across().unwrap_or_default();
    let face_of = coarse.face_of();
    let mut entries = Vec::new();
    let mut add = |row: u32, column: u32, weight: f64| {
        if weight != 0.0 {
            entries.push((row, column, weight as f32));
        }
    };
    let next = |corner: usize| coarse.points[coarse.next(face_of[corner] as usize, corner)];
    // A face's own corners, each with its share of `weight`.
    let of_face = |face: usize, weight: f64| {
        let corners = coarse.corners(face);
        let share = weight / corners.len() as f64;
        coarse.points[corners].iter().map(move |point| (*point, share))
    };
    let smooth = refining != Refining::Flat;
    let quads = !undone.centres.is_empty();
    let mut valence = vec![0u32; coarse.count];
    let mut ends = vec![false; coarse.count];
    for corner in 0..coarse.points.len() {
        valence[coarse.points[corner] as usize] += 1;
        if across[corner] == NONE {
            ends[coarse.points[corner] as usize] = true;
            ends[next(corner) as usize] = true;
        }
    }
    for (face, centre) in undone.centres.iter().enumerate() {
        of_face(face, 1.0).for_each(|(point, weight)| add(*centre, point, weight));
    }
    for corner in 0..coarse.points.len() {
        let (from, to, middle) = (coarse.points[corner], next(corner), undone.middles[corner]);
        let (over, face) = (across[corner], face_of[corner] as usize);
        // Along edges.
        if over == NONE || !smooth {
            if over == NONE || over as usize > corner {
                [from, to].into_iter().for_each(|point| add(middle, point, 0.5));
            }
        } else if quads {
            // Both faces come by, each with its half of the edge and a quarter of itself.
            [from, to].into_iter().for_each(|point| add(middle, point, 0.125));
            of_face(face, 0.25).for_each(|(point, weight)| add(middle, point, weight));
        } else {
            [from, to].into_iter().for_each(|point| add(middle, point, 3.0 / 16.0));
            let tip = coarse.points[coarse.before(face, corner)];
            add(middle, tip, 0.125);
        }
        // At points.
        let [row_from, row_to] = [from, to].map(|point| undone.kept[point as usize]);
        if !smooth {
            continue;
        }
        if over == NONE {
            add(row_from, to, 0.125);
            add(row_to, from, 0.125);
        }
        if !ends[from as usize] {
            let n = f64::from(valence[from as usize]);
            if quads {
                of_face(face, 1.0 / (n * n)).for_each(|(point, weight)| add(row_from, point, weight));
                [from, to].into_iter().for_each(|point| add(row_from, point, 1.0 / (n * n)));
            } else {
                add(row_from, to, refining.neighbour(n));
            }
        }
    }
    for (point, row) in undone.kept.iter().enumerate() {
        let n = f64::from(valence[point]);
        let own = match (smooth, ends[point], quads) {
            (false, ..) => 1.0,
            (true, true, _) => 0.75,
            (true, false, true) => (n - 3.0) / n,
            (true, false, false) => 1.0 - n * refining.neighbour(n),
        };
        add(*row, point as u32, own);
    }
    entries
}

/// Steps of the iteration at most, and how near to its end it stops.
const MOST_STEPS: usize = 300;
const NEAR_ENOUGH: f64 = 1e-8;

/// The coarse points that refining by `steps`, the coarsest first, brings nearest to `wanted`, and how far each of these is from what
/// it gives: least squares by conjugate gradients (Björck, "Numerical Methods for Least Squares Problems", 1996, algorithm 7.4.1).
/// `guess`: where to begin.
pub(super) fn solved(steps: &[&Step], wanted: &[Vec3], guess: Vec<DVec3>) -> (Vec<DVec3>, Vec<f32>) {
    let finer = |x: &[DVec3]| steps.iter().fold(x.to_vec(), |x, step| step.finer.times(&x));
    let back = |r: &[DVec3]| steps.iter().rev().fold(r.to_vec(), |r, step| step.transposed.times(&r));
    let mut x = guess;
    let given = finer(&x);
    let mut left: Vec<DVec3> = wanted.iter().zip(&given).map(|(wanted, given)| wanted.as_dvec3() - *given).collect();
    let mut slope = back(&left);
    let mut way = slope.clone();
    let mut size = sum_of_squares(&slope);
    let enough =
        NEAR_ENOUGH * NEAR_ENOUGH * sum_of_squares(&back(&wanted.iter().map(|p| p.as_dvec3()).collect::<Vec<_>>()));
    for _ in 0..MOST_STEPS {
        if size <= enough {
            break;
        }
        let change = finer(&way);
        let far = size / sum_of_squares(&change);
        x.iter_mut().zip(&way).for_each(|(x, way)| *x += *way * far);
        left.iter_mut().zip(&change).for_each(|(left, change)| *left -= *change * far);
        slope = back(&left);
        let now = sum_of_squares(&slope);
        way.iter_mut().zip(&slope).for_each(|(way, slope)| *way = *slope + *way * (now / size));
        size = now;
    }
    (x, left.iter().map(|left| left.length() as f32).collect())
}

/// In pieces of one length, so that it rounds alike with any number of threads.
fn sum_of_squares(values: &[DVec3]) -> f64 {
    let sums: Vec<f64> = values.par_chunks(4096).map(|piece| piece.iter().map(|v| v.length_squared()).sum()).collect();
    sums.iter().sum()
}
