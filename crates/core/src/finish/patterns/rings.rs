//! `rings`: the growth rings of a trunk along an axis: each darkens slowly and ends in a sharp line. Warp it by noise for grain.

use super::planar::{across, mean_of_looks, periodic_mean};
use super::{Control, Kernel, Making, Pattern, PatternInfo, Points, pattern};
use crate::surface::Axis;

pattern! {
    /// Rings; 0 where a ring begins, 1 in its late wood.
    pub struct RingsSettings {
        /// Width of a ring, scene units.
        pub size: f32 = 0.03,
        /// Share of a ring that is dark late wood, 0.01 to 1.
        pub late: f32 = 0.4,
        /// The axis the trunk stands along.
        pub axis: Axis = Axis::Y,
        /// Where the heart of the trunk lies, scene units.
        pub middle: [f32; 3] = [0.0; 3],
    }
}

impl Pattern for RingsSettings {
    const INFO: PatternInfo = PatternInfo {
        id: "rings",
        label: "Rings",
        explains: "Growth rings of wood. Warp them with noise for grain.",
        controls: &[
            Control::length("size", "Width", [0.002, 0.2], "Width of a ring."),
            Control::share("late", "Late wood", [0.01, 1.0], "Share of each ring that darkens."),
            Control::axis("axis", "Axis", "The axis the trunk stands along."),
            Control::new("middle", "Middle", super::ControlInput::Point, "Where the heart of the trunk lies."),
        ],
    };

    fn kernel(&self, making: &Making) -> Result<Box<dyn Kernel>, String> {
        Ok(Box::new(RingKernel { settings: self.clone(), repeats: making.repeats }))
    }
}

struct RingKernel {
    settings: RingsSettings,
    repeats: bool,
}

impl Kernel for RingKernel {
    fn fill(&self, at: &Points, out: &mut [f32]) {
        let RingsSettings { size, late, axis, middle, .. } = self.settings;
        let (u, v) = across(at, axis, self.repeats);
        let [mu, mv] = match axis {
            _ if self.repeats => [middle[0], middle[1]],
            Axis::X => [middle[2], middle[1]],
            Axis::Y => [middle[0], middle[2]],
            Axis::Z => [middle[0], middle[1]],
        };
        for (i, slot) in out.iter_mut().enumerate() {
            let (a, b) = (u[i] - mu, v[i] - mv);
            // A ring rises from 0 to 1 through its late wood and falls at once.
            let risen = |share: f32| (share - 1.0 + late).max(0.0).powi(2) / (2.0 * late);
            // Across the rings it is exact; a texel that lies askew to them is looked at in parts.
            let value = mean_of_looks(at.side[i] / size, 3.0, |du, dv, side| {
                let (a, b) = (a / size + du, b / size + dv);
                periodic_mean((a * a + b * b).sqrt(), side, risen)
            });
            *slot = value.clamp(0.0, 1.0);
        }
    }
}
