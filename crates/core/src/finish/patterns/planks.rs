//! `planks`: long pieces in rows, each row moved by chance.

use super::bricks::{BrickValue, RowKernel, SHOWS};
use super::hash::seed_of;
use super::planar::Rows;
use super::{Control, Kernel, Making, Pattern, PatternInfo, pattern};
use crate::surface::Axis;

pattern! {
    /// Planks; 0 to 1.
    pub struct PlanksSettings {
        /// Width of a plank with its gap, scene units; over UVs, of the square.
        pub size: f32 = 0.1,
        /// Length, in widths, 1 to 100.
        pub length: f32 = 8.0,
        /// Width of the gaps.
        pub gap: f32 = 0.004,
        /// Width of the sloping edges.
        pub bevel: f32 = 0.004,
        pub value: BrickValue = BrickValue::Height,
        /// The axis it is seen along; without a say over UVs.
        pub facing: Axis = Axis::Y,
    }
}

impl Pattern for PlanksSettings {
    const INFO: PatternInfo = PatternInfo {
        id: "planks",
        label: "Planks",
        explains: "Rows of boards with staggered ends.",
        controls: &[
            Control::length("size", "Width", [0.005, 0.5], "Width of a plank with its gap."),
            Control::number("length", "Length", [1.0, 100.0], "Length of a plank, in widths."),
            Control::length("gap", "Gap", [0.0005, 0.05], "Width of the gaps."),
            Control::length("bevel", "Bevel", [0.0005, 0.05], "Width of the sloping edges."),
            SHOWS,
            Control::facing("The axis the planks are seen along."),
        ],
    };

    fn kernel(&self, making: &Making) -> Result<Box<dyn Kernel>, String> {
        let rows = Rows::new(self.size * self.length, self.size, None, seed_of(making.seed, 2), making.repeats);
        let kernel = RowKernel { rows, gap: self.gap, bevel: self.bevel, value: self.value, facing: self.facing };
        Ok(Box::new(kernel))
    }
}
