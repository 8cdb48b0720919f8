//! Patterns of two dimensions laid over a surface in space: which two coordinates they use.

use super::Points;
use super::hash::{lattice_hash, unit};
use crate::surface::Axis;

/// The two columns across `facing`: right and up as one looks against the axis. Over UVs they are U and V.
#[inline]
pub fn across<'a>(at: &Points<'a>, facing: Axis, repeats: bool) -> (&'a [f32], &'a [f32]) {
    match facing {
        _ if repeats => (at.x, at.y),
        Axis::X => (at.z, at.y),
        Axis::Y => (at.x, at.z),
        Axis::Z => (at.x, at.y),
    }
}

/// A place on the sheet moved into the UV square, so that every copy of the square is the same to the bit.
#[inline]
pub fn fract(u: f32, v: f32) -> (f32, f32) {
    (u - u.floor(), v - v.floor())
}

/// Mean over a stretch of `side` around `d` of a step from 0 to 1 that rises from -`bevel` to 0: what a texel of that side sees of an
/// edge at distance `d` inside it.
#[inline]
pub fn edge(d: f32, bevel: f32, side: f32) -> f32 {
    let wide = bevel.max(side).max(1e-9);
    // A bevel lies inside its edge; the blur of a texel lies about it.
    let from = if bevel >= side { 0.0 } else { -0.5 * (side - bevel) };
    ((d - from) / wide).clamp(0.0, 1.0)
}

/// The mean of a function of period 1 over a stretch of `side` about `x`, from its integral over 0..1: what a texel sees, exactly.
#[inline]
pub fn periodic_mean(x: f32, side: f32, integral: impl Fn(f32) -> f32) -> f32 {
    // A stretch too short for the digits of its ends is taken a thousandth of a period long.
    let side = side.max(1e-3);
    let whole = |t: f32| t.floor() * integral(1.0) + integral(t - t.floor());
    let x = x - x.floor();
    (whole(x + 0.5 * side) - whole(x - 0.5 * side)) / side
}

/// The mean over a texel of `side` of what has no closed form, looked at in several places of it: about `looks` along a side of 1, at most
/// [`MOST_LOOKS`]. `value` gets the way from the middle and the side that each look stands for.
#[inline]
pub fn mean_of_looks(side: f32, looks: f32, value: impl Fn(f32, f32, f32) -> f32) -> f32 {
    let n = (side * looks).ceil().clamp(1.0, MOST_LOOKS) as i32;
    if n == 1 {
        return value(0.0, 0.0, side);
    }
    let step = side / n as f32;
    let off = |at: i32| (at as f32 + 0.5) * step - 0.5 * side;
    let seen = (0..n * n).map(|at| value(off(at % n), off(at / n), step));
    seen.sum::<f32>() / (n * n) as f32
}

const MOST_LOOKS: f32 = 6.0;

/// The integral from 0 to `t`, up to 1, of a height that is 0 in half a `gap` at both ends and rises to 1 over a `bevel`; all in periods.
#[inline]
pub fn trapezoid_integral(t: f32, gap: f32, bevel: f32) -> f32 {
    let bevel = bevel.max(1e-6);
    // One edge, as if the piece went on for ever; the other is its mirror image.
    let edge = |t: f32| {
        let inside = (t - 0.5 * gap).max(0.0);
        if inside < bevel { inside * inside / (2.0 * bevel) } else { inside - 0.5 * bevel }
    };
    let half = edge(t.min(0.5));
    if t <= 0.5 { half } else { 2.0 * half - edge(1.0 - t) }
}

/// Lengths that fit the UV square a whole number of times.
pub fn fitted(size: f32, repeats: bool) -> f32 {
    if repeats { 1.0 / (1.0 / size).round().max(1.0) } else { size }
}

/// The mean of a pattern over `count` places spread evenly over a square of `wide` per side, by the R2 sequence (Roberts 2018): what it
/// fades to where a texel covers more than its pieces.
pub fn mean_over(count: u32, wide: f32, value: impl Fn(f32, f32) -> f32) -> f32 {
    let place = |n: u32, step: f64| (f64::from(n) * step).fract() as f32 * wide;
    let each = (0..count).map(|n| value(place(n, 0.754_877_666_246_692_8), place(n, 0.569_840_290_998_053_2)));
    each.sum::<f32>() / count as f32
}

/// Pieces laid in rows: bricks, planks, shingles.
#[derive(Clone, Copy)]
pub struct Rows {
    /// Of a piece with its gap, along the row and across it.
    pub length: f32,
    pub height: f32,
    /// How far every other row is moved, in lengths; None moves each row by chance.
    pub offset: Option<f32>,
    pub seed: u32,
    /// Pieces along and rows in the UV square; None in space.
    pub around: Option<[i32; 2]>,
}

/// A place within its piece.
pub struct InPiece {
    /// Share of the way along the piece and across the row, 0 to 1.
    pub along: f32,
    pub up: f32,
    /// A random number of the piece's own.
    pub hash: u32,
}

impl Rows {
    /// Rows that close at the edges of the UV square where `repeats` asks for it; an even number of them.
    pub fn new(length: f32, height: f32, offset: Option<f32>, seed: u32, repeats: bool) -> Rows {
        if !repeats {
            return Rows { length, height, offset, seed, around: None };
        }
        let pieces = (1.0 / length).round().max(1.0);
        let rows = (0.5 / height).round().max(1.0) * 2.0;
        Rows { length: 1.0 / pieces, height: 1.0 / rows, offset, seed, around: Some([pieces as i32, rows as i32]) }
    }

    pub fn at(&self, u: f32, v: f32) -> InPiece {
        let y = v / self.height;
        let row = y.floor();
        let x = u / self.length + self.moved(row);
        InPiece { along: x - x.floor(), up: y - row, hash: self.hash(x.floor(), row) }
    }

    fn wrapped(&self, cell: f32, axis: usize) -> i32 {
        let cell = cell.clamp(-1e9, 1e9) as i32;
        self.around.map_or(cell, |around| cell.rem_euclid(around[axis]))
    }

    /// How far a row is moved, in lengths.
    fn moved(&self, row: f32) -> f32 {
        let row = self.wrapped(row, 1);
        match self.offset {
            Some(offset) => offset * row.rem_euclid(2) as f32,
            None => unit(lattice_hash(row, 0, 7, self.seed)),
        }
    }

    fn hash(&self, piece: f32, row: f32) -> u32 {
        lattice_hash(self.wrapped(piece, 0), self.wrapped(row, 1), 3, self.seed)
    }

    /// Height of pieces with gaps around them and edges that slope over `bevel`: 1 on a piece, 0 between pieces; seen by a texel of
    /// `side`.
    pub fn height(&self, u: f32, v: f32, gap: f32, bevel: f32, side: f32) -> f32 {
        let along = |u: f32, length: f32| {
            periodic_mean(u, side / length, |t| trapezoid_integral(t, gap / length, bevel / length))
        };
        let y = v / self.height;
        along(u / self.length + self.moved(y.floor()), self.length) * along(y, self.height)
    }

    /// A random number per piece, those of the pieces under a texel of `side` blended by how much of it they take.
    pub fn number(&self, u: f32, v: f32, side: f32) -> f32 {
        let (y, high) = (v / self.height, side / self.height);
        let of_row = |row: f32| {
            let x = u / self.length + self.moved(row);
            blended(x, side / self.length, |piece| unit(self.hash(piece, row)))
        };
        blended(y, high, of_row)
    }
}

/// A value per cell of length 1, blended with that of the nearest neighbour where a stretch of `side` about `x` lies over both.
fn blended(x: f32, side: f32, value: impl Fn(f32) -> f32) -> f32 {
    let cell = x.floor();
    let inside = x - cell;
    let (next, to_edge) = if inside < 0.5 { (cell - 1.0, inside) } else { (cell + 1.0, 1.0 - inside) };
    let own = value(cell);
    let share = (0.5 - to_edge / side.max(1e-6)).max(0.0);
    if share > 0.0 { own + (value(next) - own) * share } else { own }
}
