//! `bricks`: rows of equal pieces with mortar between them, every other row moved.

use super::hash::seed_of;
use super::noise::left_at;
use super::planar::{Rows, across, fract};
use super::{Control, Kernel, Making, Pattern, PatternInfo, Points, pattern};
use crate::surface::Axis;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// What pieces in rows show.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum BrickValue {
    /// 1 on a piece, 0 between pieces, sloping at the edges.
    #[default]
    Height,
    /// A random number per piece.
    Number,
}

/// The choice between the two, as a control.
pub(super) const SHOWS: Control = Control::choice(
    "value",
    "Shows",
    &[("height", "Height"), ("number", "Number per piece")],
    "Height is dark in the gaps. A number tells pieces apart.",
);

pattern! {
    /// Bricks; 0 to 1.
    pub struct BricksSettings {
        /// Length of a brick with its gap, scene units; over UVs, of the square.
        pub size: f32 = 0.2,
        /// Height of a row with its gap, in lengths, 0.02 to 50.
        pub height: f32 = 0.4,
        /// Width of the gaps.
        pub gap: f32 = 0.01,
        /// How far every other row is moved, in lengths, 0 to 1.
        pub offset: f32 = 0.5,
        /// Width of the sloping edges.
        pub bevel: f32 = 0.01,
        pub value: BrickValue = BrickValue::Height,
        /// The axis it is seen along; without a say over UVs.
        pub facing: Axis = Axis::Z,
    }
}

impl Pattern for BricksSettings {
    const INFO: PatternInfo = PatternInfo {
        id: "bricks",
        label: "Bricks",
        explains: "Rows of bricks or tiles with gaps.",
        controls: &[
            Control::length("size", "Length", [0.01, 1.0], "Length of a brick with its gap."),
            Control::number("height", "Height", [0.02, 50.0], "Height of a row, in lengths."),
            Control::length("gap", "Gap", [0.0005, 0.1], "Width of the gaps."),
            Control::share("offset", "Offset", [0.0, 1.0], "How far every other row is moved, in lengths."),
            Control::length("bevel", "Bevel", [0.0005, 0.1], "Width of the sloping edges."),
            SHOWS,
            Control::facing("The axis the rows are seen along."),
        ],
    };

    fn kernel(&self, making: &Making) -> Result<Box<dyn Kernel>, String> {
        let seed = seed_of(making.seed, 1);
        let rows = Rows::new(self.size, self.size * self.height, Some(self.offset), seed, making.repeats);
        let kernel = RowKernel { rows, gap: self.gap, bevel: self.bevel, value: self.value, facing: self.facing };
        Ok(Box::new(kernel))
    }
}

/// Pieces in rows, ready to be asked.
pub(super) struct RowKernel {
    pub rows: Rows,
    pub gap: f32,
    pub bevel: f32,
    pub value: BrickValue,
    pub facing: Axis,
}

impl Kernel for RowKernel {
    fn fill(&self, at: &Points, out: &mut [f32]) {
        let rows = &self.rows;
        let (u, v) = across(at, self.facing, rows.around.is_some());
        let place = |i: usize| if rows.around.is_some() { fract(u[i], v[i]) } else { (u[i], v[i]) };
        let per_unit = 1.0 / rows.height.min(rows.length);
        for (i, slot) in out.iter_mut().enumerate() {
            let (u, v) = place(i);
            *slot = match self.value {
                BrickValue::Height => rows.height(u, v, self.gap, self.bevel, at.side[i]).clamp(0.0, 1.0),
                BrickValue::Number => {
                    let number = rows.number(u, v, at.side[i]);
                    0.5 + (number - 0.5) * left_at(0.5 * at.side[i] * per_unit)
                }
            };
        }
    }
}
