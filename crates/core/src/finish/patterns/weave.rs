//! `weave`: threads that go over and under each other, as in plain cloth.

use super::noise::left_at;
use super::planar::{across, edge, fitted, fract, mean_of_looks, mean_over};
use super::{Control, Kernel, Making, Pattern, PatternInfo, Points, pattern};
use crate::surface::Axis;

pattern! {
    /// Height of a plain weave; 0 between threads, 1 on top.
    pub struct WeaveSettings {
        /// From thread to thread, scene units; over UVs, of the square.
        pub size: f32 = 0.02,
        /// Width of the gaps between threads, in sizes, 0 to 0.9.
        pub gap: f32 = 0.1,
        /// The axis it is seen along; without a say over UVs.
        pub facing: Axis = Axis::Z,
    }
}

impl Pattern for WeaveSettings {
    const INFO: PatternInfo = PatternInfo {
        id: "weave",
        label: "Weave",
        explains: "Threads of a plain cloth.",
        controls: &[
            Control::length("size", "Size", [0.001, 0.1], "Distance from thread to thread."),
            Control::share("gap", "Gap", [0.0, 0.9], "Width of the gaps, in sizes."),
            Control::facing("The axis the cloth is seen along."),
        ],
    };

    fn kernel(&self, making: &Making) -> Result<Box<dyn Kernel>, String> {
        let size = 0.5 * fitted(2.0 * self.size, making.repeats);
        let mut kernel =
            WeaveKernel { size, thread: 1.0 - self.gap, facing: self.facing, repeats: making.repeats, mean: 0.5 };
        kernel.mean = mean_over(4096, 2.0, |u, v| kernel.at(u, v, 0.0));
        Ok(Box::new(kernel))
    }
}

struct WeaveKernel {
    size: f32,
    /// Width of a thread, in sizes.
    thread: f32,
    facing: Axis,
    repeats: bool,
    mean: f32,
}

impl WeaveKernel {
    /// At a place in sizes.
    fn at(&self, u: f32, v: f32, side: f32) -> f32 {
        // A thread runs along one axis; across the other it is round.
        let thread = |across: f32, along: f32, over: f32| {
            let cell = across.floor();
            let off = 2.0 * (across - cell - 0.5) / self.thread;
            let round = (1.0 - off * off).max(0.0).sqrt();
            let inside = edge((1.0 - off.abs()) * 0.5 * self.thread, 0.0, side);
            let turn = if (cell * 0.5).fract() == 0.0 { over } else { -over };
            let rise = 0.5 + 0.5 * turn * libm::sinf(std::f32::consts::PI * along);
            inside * round * (0.25 + 0.75 * rise)
        };
        thread(u, v, 1.0).max(thread(v, u, -1.0))
    }
}

impl Kernel for WeaveKernel {
    fn fill(&self, at: &Points, out: &mut [f32]) {
        let (u, v) = across(at, self.facing, self.repeats);
        let place = |i: usize| if self.repeats { fract(u[i], v[i]) } else { (u[i], v[i]) };
        for (i, slot) in out.iter_mut().enumerate() {
            let side = at.side[i] / self.size;
            let (u, v) = place(i);
            let (u, v) = (u / self.size, v / self.size);
            let value = mean_of_looks(side, 8.0, |du, dv, side| self.at(u + du, v + dv, side));
            *slot = (self.mean + (value - self.mean) * left_at(0.7 * side)).clamp(0.0, 1.0);
        }
    }
}
