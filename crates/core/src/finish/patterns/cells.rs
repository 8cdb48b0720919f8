//! `cells`: distances to scattered points (Worley, "A Cellular Texture Basis Function", 1996), one point to a cell of a grid. Exact: cells
//! are searched until none left can hold a nearer point.

use super::hash::{lattice_hash, next, seed_of, unit};
use super::noise::left_at;
use super::planar::{fract, mean_of_looks, mean_over};
use super::{Control, Kernel, Making, Pattern, PatternInfo, Points, pattern};
use glam::Vec3;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// What a cell shows.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum CellValue {
    /// Distance to the nearest point.
    #[default]
    Nearest,
    /// Distance to the second nearest.
    Second,
    /// The second less the nearest: 0 on the borders between cells.
    Difference,
    /// A random number per cell.
    Number,
}

/// How distance is measured.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Metric {
    /// The straight line: round cells.
    #[default]
    Euclidean,
    /// The sum along the axes: diamonds.
    Manhattan,
    /// The longest along an axis: blocks.
    Chebyshev,
}

pattern! {
    /// Distances to scattered points, in cells; 0 to 1.
    pub struct CellsSettings {
        /// Side of a cell, scene units; over UVs, of the square.
        pub size: f32 = 0.1,
        /// How far points stray from the middle of their cells, 0 to 1.
        pub jitter: f32 = 1.0,
        pub value: CellValue = CellValue::Nearest,
        pub metric: Metric = Metric::Euclidean,
    }
}

impl Pattern for CellsSettings {
    const INFO: PatternInfo = PatternInfo {
        id: "cells",
        label: "Cells",
        explains: "Pebbles, cracks or patches around scattered points.",
        controls: &[
            Control::length("size", "Size", [0.002, 0.5], "Width of a cell."),
            Control::share("jitter", "Jitter", [0.0, 1.0], "0 is a regular grid, 1 fully scattered."),
            Control::choice(
                "value",
                "Shows",
                &[
                    ("nearest", "Distance to nearest"),
                    ("second", "Distance to second"),
                    ("difference", "Borders"),
                    ("number", "Number per cell"),
                ],
                "Borders are dark lines between cells.",
            ),
            Control::choice(
                "metric",
                "Metric",
                &[("euclidean", "Round"), ("manhattan", "Diamond"), ("chebyshev", "Square")],
                "Shape of the cells.",
            ),
        ],
    };

    fn kernel(&self, making: &Making) -> Result<Box<dyn Kernel>, String> {
        let per_unit = if making.repeats { (1.0 / self.size).round().max(1.0) } else { 1.0 / self.size };
        let mut kernel = CellsKernel {
            per_unit,
            jitter: self.jitter,
            value: self.value,
            metric: self.metric,
            seed: seed_of(making.seed, 0),
            repeats: making.repeats.then_some(per_unit as i32),
            mean: 0.0,
        };
        let deep = if making.repeats { 0.0 } else { 0.618_034 };
        kernel.mean = mean_over(2048, 16.0, |u, v| kernel.value_of(&kernel.find([u, v, (u + v) * deep]), 0.0));
        Ok(Box::new(kernel))
    }
}

struct CellsKernel {
    per_unit: f32,
    jitter: f32,
    value: CellValue,
    metric: Metric,
    seed: u32,
    /// Cells in the square, over UVs.
    repeats: Option<i32>,
    /// What it fades to where cells are smaller than a texel.
    mean: f32,
}

impl Metric {
    fn of(self, d: [f32; 3]) -> f32 {
        let [x, y, z] = d.map(f32::abs);
        match self {
            Metric::Euclidean => (x * x + y * y + z * z).sqrt(),
            Metric::Manhattan => x + y + z,
            Metric::Chebyshev => x.max(y).max(z),
        }
    }
}

/// The two nearest points of a place: distances in cells.
struct Found {
    nearest: f32,
    second: f32,
    /// Numbers of their cells.
    number: u32,
    second_number: u32,
}

/// Shells of cells that are searched: no point strays so far that more could tell.
const MOST_SHELLS: i32 = 6;

impl CellsKernel {
    fn visit(&self, p: [f32; 3], cell: [i32; 3], found: &mut Found) {
        let wrap = |at: i32| self.repeats.map_or(at, |cells| at.rem_euclid(cells));
        let h = match self.repeats {
            Some(_) => lattice_hash(wrap(cell[0]), wrap(cell[1]), 0, self.seed),
            None => lattice_hash(cell[0], cell[1], cell[2], self.seed),
        };
        let (a, b) = (next(h), next(h ^ 0x5bd1_e995));
        let stray = |h: u32| 0.5 + self.jitter * (unit(h) - 0.5);
        let z = if self.repeats.is_some() { 0.0 } else { cell[2] as f32 + stray(next(a)) };
        let d = self.metric.of([cell[0] as f32 + stray(a) - p[0], cell[1] as f32 + stray(b) - p[1], z - p[2]]);
        if d < found.nearest {
            *found = Found { nearest: d, second: found.nearest, number: h, second_number: found.number };
        } else if d < found.second {
            (found.second, found.second_number) = (d, h);
        }
    }

    /// What the pattern shows where these were found, seen by a texel of `side`, in cells.
    fn value_of(&self, found: &Found, side: f32) -> f32 {
        let value = match self.value {
            CellValue::Nearest => found.nearest,
            CellValue::Second => found.second,
            CellValue::Difference => found.second - found.nearest,
            CellValue::Number => {
                // How far the border with the second lies: half of what the two distances differ by.
                let to_border = 0.5 * (found.second - found.nearest);
                let share = (0.5 - to_border / side.max(1e-6)).max(0.0);
                unit(found.number) * (1.0 - share) + unit(found.second_number) * share
            }
        };
        value.min(1.0)
    }

    fn find(&self, p: [f32; 3]) -> Found {
        let home = p.map(|c| c.floor().clamp(-1e9, 1e9) as i32);
        // The least distance, in any metric, from the place to what lies outside the block of cells within `n` of its own.
        let within = |n: i32| {
            let axes = if self.repeats.is_some() { 2 } else { 3 };
            (0..axes).fold(f32::INFINITY, |least, axis| {
                let t = p[axis] - home[axis] as f32;
                least.min(t + n as f32).min(1.0 - t + n as f32)
            })
        };
        let deep = |n: i32| if self.repeats.is_some() { 0 } else { n };
        let mut found = Found { nearest: f32::INFINITY, second: f32::INFINITY, number: 0, second_number: 0 };
        for n in 0..MOST_SHELLS {
            for k in -deep(n)..=deep(n) {
                for j in -n..=n {
                    for i in -n..=n {
                        // The shell of cells just `n` away.
                        if i.abs().max(j.abs()).max(k.abs()) == n {
                            self.visit(p, [home[0] + i, home[1] + j, home[2] + k], &mut found);
                        }
                    }
                }
            }
            if found.second <= within(n) {
                break;
            }
        }
        found
    }
}

impl Kernel for CellsKernel {
    fn fill(&self, at: &Points, out: &mut [f32]) {
        for (i, slot) in out.iter_mut().enumerate() {
            let (place, across) = match self.repeats {
                // From the square itself, so that every copy of it is the same to the bit.
                Some(_) => {
                    let (u, v) = fract(at.x[i], at.y[i]);
                    (Vec3::new(u, v, 0.0), (Vec3::X, Vec3::Y))
                }
                None => {
                    let normal = Vec3::new(at.normal[0][i], at.normal[1][i], at.normal[2][i]);
                    (Vec3::new(at.x[i], at.y[i], at.z[i]), normal.any_orthonormal_pair())
                }
            };
            let (place, side) = (place * self.per_unit, at.side[i] * self.per_unit);
            let value = mean_of_looks(side, LOOKS, |u, v, side| {
                let seen = place + across.0 * u + across.1 * v;
                self.value_of(&self.find(seen.to_array()), side)
            });
            *slot = self.mean + (value - self.mean) * left_at(0.6 * side);
        }
    }
}

/// Places of a texel that are looked at, over a texel as wide as a cell.
const LOOKS: f32 = 8.0;

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_nearest_two_are_those_of_a_search_through_every_cell_around() {
        for metric in [Metric::Euclidean, Metric::Manhattan, Metric::Chebyshev] {
            for repeats in [None, Some(7)] {
                let kernel = CellsKernel {
                    per_unit: 1.0,
                    jitter: 1.0,
                    value: CellValue::Nearest,
                    metric,
                    seed: 5,
                    repeats,
                    mean: 0.0,
                };
                for n in 0..20_000u32 {
                    let at = |step: f64| (f64::from(n) * step).fract() as f32 * 30.0 - 15.0;
                    let z = if repeats.is_some() { 0.0 } else { at(0.549_700_5) };
                    let p = [at(0.819_172_5), at(0.671_043_6), z];
                    let found = kernel.find(p);
                    let mut brute =
                        Found { nearest: f32::INFINITY, second: f32::INFINITY, number: 0, second_number: 0 };
                    let deep = if repeats.is_some() { 0..=0 } else { -5..=5 };
                    for k in deep {
                        for j in -5..=5 {
                            for i in -5..=5 {
                                let home = p.map(|c| c.floor() as i32);
                                kernel.visit(p, [home[0] + i, home[1] + j, home[2] + k], &mut brute);
                            }
                        }
                    }
                    assert_eq!((found.nearest, found.second), (brute.nearest, brute.second), "{metric:?} at {p:?}");
                }
            }
        }
    }
}
