//! `scratches`: thin discs scattered through space, which cut a surface along straight lines. A disc holds the direction of the
//! scratches, give or take their spread, so that they run one way over a body as if it had been wiped.

use super::hash::{lattice_hash, next, seed_of, unit};
use super::noise::left_at;
use super::planar::fract;
use super::{Control, Kernel, Making, Pattern, PatternInfo, Points, pattern};
use crate::surface::Axis;
use glam::Vec3;
use std::f32::consts::{PI, TAU};

pattern! {
    /// Scratches; 1 in a scratch, 0 between them.
    pub struct ScratchesSettings {
        /// Length of the longest, scene units; over UVs, of the square.
        pub size: f32 = 0.2,
        /// Width in the middle, scene units; over UVs, of the square.
        pub width: f32 = 0.002,
        /// Scratches to a cube of that length, 0 to 16.
        pub density: f32 = 4.0,
        /// The axis they run along.
        pub axis: Axis = Axis::Y,
        /// How far they stray from it, degrees, 0 to 90.
        pub spread: f32 = 30.0,
    }
}

/// Scratches to a cell at most.
const MOST: f32 = 16.0;

impl Pattern for ScratchesSettings {
    const INFO: PatternInfo = PatternInfo {
        id: "scratches",
        label: "Scratches",
        explains: "Fine straight lines, as from wiping or wear.",
        controls: &[
            Control::length("size", "Length", [0.01, 1.0], "Length of the longest scratches."),
            Control::length("width", "Width", [0.0002, 0.02], "Width of a scratch in its middle."),
            Control::number("density", "Density", [0.0, MOST], "Scratches to a cube of that length."),
            Control::axis("axis", "Direction", "The axis they run along."),
            Control::degrees("spread", "Spread", [0.0, 90.0], "How far they stray from it. 90 is every way."),
        ],
    };

    fn kernel(&self, making: &Making) -> Result<Box<dyn Kernel>, String> {
        let per_unit = if making.repeats { (1.0 / self.size).round().max(1.0) } else { 1.0 / self.size };
        let width = self.width * per_unit;
        Ok(Box::new(ScratchKernel {
            per_unit,
            width,
            density: self.density,
            axis: self.axis,
            spread: self.spread.to_radians(),
            seed: seed_of(making.seed, 5),
            around: making.repeats.then_some(per_unit as i32),
            // A disc of radius 1/2 whose half width falls off to its rim takes up about this much of a cell.
            mean: (self.density * width * PI / 12.0).min(1.0),
        }))
    }
}

struct ScratchKernel {
    per_unit: f32,
    /// In cells.
    width: f32,
    density: f32,
    axis: Axis,
    spread: f32,
    seed: u32,
    around: Option<i32>,
    mean: f32,
}

impl ScratchKernel {
    /// The normal of a disc that holds the axis, but for the spread.
    fn normal(&self, a: u32, b: u32) -> Vec3 {
        let lean = (2.0 * unit(b) - 1.0) * self.spread;
        let (sin, cos) = (libm::sinf(lean), libm::cosf(lean));
        if self.around.is_some() {
            // On the sheet: across a line that runs along U or V.
            let along_u = self.axis == Axis::X;
            return if along_u { Vec3::new(sin, cos, 0.0) } else { Vec3::new(cos, sin, 0.0) };
        }
        let turn = TAU * unit(a);
        let (u, v) = (libm::cosf(turn) * cos, libm::sinf(turn) * cos);
        match self.axis {
            Axis::X => Vec3::new(sin, u, v),
            Axis::Y => Vec3::new(u, sin, v),
            Axis::Z => Vec3::new(u, v, sin),
        }
    }

    fn at(&self, p: Vec3, surface: Vec3, side: f32) -> f32 {
        let home = p.to_array().map(|c| c.floor().clamp(-1e9, 1e9) as i32);
        let flat = self.around.is_some();
        let deep = if flat { 0..=0 } else { -1..=1 };
        let wrap = |cell: i32| self.around.map_or(cell, |cells| cell.rem_euclid(cells));
        let mut most = 0.0f32;
        for k in deep {
            for j in -1..=1 {
                for i in -1..=1 {
                    let cell = [home[0] + i, home[1] + j, home[2] + k];
                    let mut h = lattice_hash(wrap(cell[0]), wrap(cell[1]), if flat { 0 } else { cell[2] }, self.seed);
                    // So many whole ones, and one more by chance.
                    let count = (self.density + unit(h)) as u32;
                    for _ in 0..count {
                        h = next(h);
                        let (a, b) = (next(h ^ 0x1b87_3593), next(h ^ 0x5bd1_e995));
                        let c = next(a ^ 0xcc9e_2d51);
                        let z = if flat { 0.0 } else { cell[2] as f32 + unit(c) };
                        let d = p - Vec3::new(cell[0] as f32 + unit(a), cell[1] as f32 + unit(b), z);
                        let radius = 0.5 * (0.4 + 0.6 * unit(next(c)));
                        let taper = 1.0 - d.length_squared() / (radius * radius);
                        if taper <= 0.0 {
                            continue;
                        }
                        let normal = self.normal(next(b), next(c ^ 0x85eb_ca6b));
                        // Along the surface a disc that leans is further off and cuts wider.
                        let slant = 1.0 / (1.0 - normal.dot(surface).powi(2)).max(0.01).sqrt();
                        let off = d.dot(normal).abs() * slant;
                        let half = 0.5 * self.width * taper * slant;
                        // Its share of the texel.
                        let seen = (half.min(0.5 * side - off) + half.min(0.5 * side + off)).max(0.0) / side;
                        most = most.max(if side < 1e-6 { f32::from(u8::from(off < half)) } else { seen });
                    }
                }
            }
        }
        most
    }
}

impl Kernel for ScratchKernel {
    fn fill(&self, at: &Points, out: &mut [f32]) {
        for (i, slot) in out.iter_mut().enumerate() {
            let z = if self.around.is_some() { 0.0 } else { at.z[i] };
            let side = at.side[i] * self.per_unit;
            let surface = match self.around {
                Some(_) => Vec3::Z,
                None => Vec3::new(at.normal[0][i], at.normal[1][i], at.normal[2][i]),
            };
            let (x, y) = if self.around.is_some() { fract(at.x[i], at.y[i]) } else { (at.x[i], at.y[i]) };
            let value = self.at(Vec3::new(x, y, z) * self.per_unit, surface, side);
            *slot = (self.mean + (value - self.mean) * left_at(side)).clamp(0.0, 1.0);
        }
    }
}
