//! `checker`: squares of 0 and 1, seen along an axis or over UVs, averaged over the texel.

use super::planar::{across, fitted, fract, periodic_mean};
use super::{Control, Kernel, Making, Pattern, PatternInfo, Points, pattern};
use crate::surface::Axis;

pattern! {
    /// Squares that are 0 and 1 by turns.
    pub struct CheckerSettings {
        /// Side of a square, scene units; over UVs, of the UV square.
        pub size: f32 = 0.1,
        /// The axis it is seen along; without a say over UVs.
        pub facing: Axis = Axis::Y,
    }
}

impl Pattern for CheckerSettings {
    const INFO: PatternInfo = PatternInfo {
        id: "checker",
        label: "Checker",
        explains: "Squares of black and white. Shows size and stretch.",
        controls: &[
            Control::length("size", "Size", [0.005, 0.5], "Side of a square."),
            Control::facing("The axis the squares are seen along."),
        ],
    };

    fn kernel(&self, making: &Making) -> Result<Box<dyn Kernel>, String> {
        // Two squares to a period.
        let size = 0.5 * fitted(2.0 * self.size, making.repeats);
        Ok(Box::new(CheckerKernel { size, facing: self.facing, repeats: making.repeats }))
    }
}

struct CheckerKernel {
    size: f32,
    facing: Axis,
    repeats: bool,
}

/// 1 and -1 by turns, averaged over `side`; both in squares.
fn turns(at: f32, side: f32) -> f32 {
    periodic_mean(0.5 * at, 0.5 * side, |t| 0.5 - (t - 0.5).abs())
}

impl Kernel for CheckerKernel {
    fn fill(&self, at: &Points, out: &mut [f32]) {
        let (u, v) = across(at, self.facing, self.repeats);
        let place = |i: usize| if self.repeats { fract(u[i], v[i]) } else { (u[i], v[i]) };
        for (i, slot) in out.iter_mut().enumerate() {
            let (u, v) = place(i);
            let side = at.side[i] / self.size;
            *slot = (0.5 + 0.5 * turns(u / self.size, side) * turns(v / self.size, side)).clamp(0.0, 1.0);
        }
    }
}
