//! `speckles`: round dots scattered through space, at most one to a cell of a grid.

use super::hash::{lattice_hash, next, seed_of, unit};
use super::noise::left_at;
use super::planar::{edge, fract};
use super::{Control, Kernel, Making, Pattern, PatternInfo, Points, pattern};

pattern! {
    /// Dots; 1 in a dot, 0 between them.
    pub struct SpecklesSettings {
        /// Diameter of the largest dots, scene units; over UVs, of the square.
        pub size: f32 = 0.01,
        /// From dot to dot in the mean, in sizes, 1 to 50.
        pub spacing: f32 = 3.0,
        /// Share of places that have a dot, 0 to 1.
        pub density: f32 = 0.6,
        /// How much smaller dots may be than the largest, 0 to 1.
        pub spread: f32 = 0.6,
    }
}

impl Pattern for SpecklesSettings {
    const INFO: PatternInfo = PatternInfo {
        id: "speckles",
        label: "Speckles",
        explains: "Scattered dots: splashes, spores, pitting.",
        controls: &[
            Control::length("size", "Size", [0.001, 0.1], "Diameter of the largest dots."),
            Control::number("spacing", "Spacing", [1.0, 50.0], "Distance between dots, in sizes."),
            Control::share("density", "Density", [0.0, 1.0], "Share of places that have a dot."),
            Control::share("spread", "Spread", [0.0, 1.0], "How much smaller dots may be than the largest."),
        ],
    };

    fn kernel(&self, making: &Making) -> Result<Box<dyn Kernel>, String> {
        let per_unit = 1.0 / (self.size * self.spacing);
        let per_unit = if making.repeats { per_unit.round().max(1.0) } else { per_unit };
        // Shares of a ball's room, or of a disc's over UVs, with radii spread evenly.
        let radius = 0.5 / self.spacing;
        let least = 1.0 - self.spread;
        let power = if making.repeats { 2 } else { 3 };
        let steps = 64;
        let moment = (0..steps).map(|n| (least + self.spread * (n as f32 + 0.5) / steps as f32).powi(power));
        let moment = moment.sum::<f32>() / steps as f32;
        let whole = if making.repeats { std::f32::consts::PI } else { 4.0 / 3.0 * std::f32::consts::PI };
        Ok(Box::new(SpeckleKernel {
            per_unit,
            radius,
            density: self.density,
            spread: self.spread,
            seed: seed_of(making.seed, 4),
            around: making.repeats.then_some(per_unit as i32),
            mean: (self.density * whole * radius.powi(power) * moment).min(1.0),
        }))
    }
}

struct SpeckleKernel {
    per_unit: f32,
    /// Of the largest dots, in cells: half a cell at most.
    radius: f32,
    density: f32,
    spread: f32,
    seed: u32,
    around: Option<i32>,
    mean: f32,
}

impl SpeckleKernel {
    fn at(&self, p: [f32; 3], side: f32) -> f32 {
        let home = p.map(|c| c.floor().clamp(-1e9, 1e9) as i32);
        let deep = if self.around.is_some() { 0..=0 } else { -1..=1 };
        let wrap = |cell: i32| self.around.map_or(cell, |cells| cell.rem_euclid(cells));
        let mut most = 0.0f32;
        for k in deep {
            for j in -1..=1 {
                for i in -1..=1 {
                    let cell = [home[0] + i, home[1] + j, home[2] + k];
                    let flat = self.around.is_some();
                    let h = lattice_hash(wrap(cell[0]), wrap(cell[1]), if flat { 0 } else { cell[2] }, self.seed);
                    if unit(h) >= self.density {
                        continue;
                    }
                    let (a, b) = (next(h), next(h ^ 0x5bd1_e995));
                    let (c, r) = (next(a), next(b));
                    let z = if flat { 0.0 } else { cell[2] as f32 + unit(c) - p[2] };
                    let (x, y) = (cell[0] as f32 + unit(a) - p[0], cell[1] as f32 + unit(b) - p[1]);
                    let radius = self.radius * (1.0 - self.spread * unit(r));
                    most = most.max(edge(radius - (x * x + y * y + z * z).sqrt(), 0.0, side));
                }
            }
        }
        most
    }
}

impl Kernel for SpeckleKernel {
    fn fill(&self, at: &Points, out: &mut [f32]) {
        for (i, slot) in out.iter_mut().enumerate() {
            let side = at.side[i] * self.per_unit;
            let z = if self.around.is_some() { 0.0 } else { at.z[i] };
            let (x, y) = if self.around.is_some() { fract(at.x[i], at.y[i]) } else { (at.x[i], at.y[i]) };
            let value = self.at([x, y, z].map(|c| c * self.per_unit), side);
            *slot = self.mean + (value - self.mean) * left_at(side);
        }
    }
}
