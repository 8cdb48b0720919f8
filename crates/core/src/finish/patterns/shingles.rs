//! `shingles`: rows of pieces that overlap, each highest at its lower edge.

use super::bricks::{BrickValue, SHOWS};
use super::hash::{next, seed_of, unit};
use super::noise::left_at;
use super::planar::{Rows, across, edge, fract, mean_over, periodic_mean, trapezoid_integral};
use super::{Control, Kernel, Making, Pattern, PatternInfo, Points, pattern};
use crate::surface::Axis;

pattern! {
    /// Shingles; 0 to 1.
    pub struct ShinglesSettings {
        /// Width of a shingle with its gap, scene units; over UVs, of the square.
        pub size: f32 = 0.15,
        /// Height of a row that is seen, in widths, 0.1 to 10.
        pub height: f32 = 1.0,
        /// Width of the gaps.
        pub gap: f32 = 0.008,
        /// How far lower edges stray, in heights, 0 to 0.5.
        pub stray: f32 = 0.1,
        pub value: BrickValue = BrickValue::Height,
        /// The axis it is seen along; without a say over UVs.
        pub facing: Axis = Axis::Z,
    }
}

impl Pattern for ShinglesSettings {
    const INFO: PatternInfo = PatternInfo {
        id: "shingles",
        label: "Shingles",
        explains: "Overlapping rows, thick at the lower edge.",
        controls: &[
            Control::length("size", "Width", [0.01, 0.5], "Width of a shingle with its gap."),
            Control::number("height", "Height", [0.1, 10.0], "Height of a row that is seen, in widths."),
            Control::length("gap", "Gap", [0.0005, 0.05], "Width of the gaps."),
            Control::share("stray", "Stray", [0.0, 0.5], "How far lower edges stray, in heights."),
            SHOWS,
            Control::facing("The axis the rows are seen along."),
        ],
    };

    fn kernel(&self, making: &Making) -> Result<Box<dyn Kernel>, String> {
        let rows = Rows::new(self.size, self.size * self.height, Some(0.5), seed_of(making.seed, 3), making.repeats);
        let mut kernel =
            ShingleKernel { rows, gap: self.gap, stray: self.stray, value: self.value, facing: self.facing, mean: 0.5 };
        let (wide, high) = (8.0 * rows.length, 8.0 * rows.height);
        kernel.mean = mean_over(4096, 1.0, |u, v| kernel.at(u * wide, v * high, 0.0));
        Ok(Box::new(kernel))
    }
}

struct ShingleKernel {
    rows: Rows,
    gap: f32,
    stray: f32,
    value: BrickValue,
    facing: Axis,
    mean: f32,
}

impl ShingleKernel {
    fn at(&self, u: f32, v: f32, side: f32) -> f32 {
        let rows = &self.rows;
        let piece = rows.at(u, v);
        // A shingle of the row above hangs into this one by its own stray.
        let above = rows.at(u, v + rows.height);
        let hangs = self.stray * unit(next(above.hash));
        let share = edge((piece.up - 1.0 + hangs) * rows.height, 0.0, side);
        let of = |hash: u32, along: f32, up: f32| match self.value {
            BrickValue::Number => unit(hash),
            BrickValue::Height => {
                let (gap, side) = (self.gap / rows.length, side / rows.length);
                let open = periodic_mean(along, side, |t| trapezoid_integral(t, gap, 0.0));
                (1.0 - up.clamp(0.0, 1.0)) * open
            }
        };
        let own = of(piece.hash, piece.along, piece.up * 0.8);
        let hanging = of(above.hash, above.along, piece.up - 1.0 + hangs);
        own + (hanging - own) * share
    }
}

impl Kernel for ShingleKernel {
    fn fill(&self, at: &Points, out: &mut [f32]) {
        let (u, v) = across(at, self.facing, self.rows.around.is_some());
        let place = |i: usize| if self.rows.around.is_some() { fract(u[i], v[i]) } else { (u[i], v[i]) };
        let per_unit = 1.0 / self.rows.height.min(self.rows.length);
        for (i, slot) in out.iter_mut().enumerate() {
            let (u, v) = place(i);
            let value = self.at(u, v, at.side[i]);
            *slot = (self.mean + (value - self.mean) * left_at(at.side[i] * per_unit)).clamp(0.0, 1.0);
        }
    }
}
