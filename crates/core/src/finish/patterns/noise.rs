//! `noise`: gradient noise and value noise in three dimensions, summed over octaves, plain, as turbulence or ridged.
//!
//! Gradient noise: Perlin, "Improving Noise", 2002, with a hash in place of his table. Each octave of a
//! pattern in space is turned and moved, so that no lattice shows through the sum and none lies along an axis; over UVs it is not, so
//! that it closes at the edges of the square. An octave whose cells come near the size of a texel fades to its mean.

use super::hash::{finished, seed_of, spread_x, spread_y, spread_z, unit};
use super::{Control, Kernel, Making, Pattern, PatternInfo, Points, pattern};
use crate::finish::lanes::vectorised;
use crate::surface::Axis;
use glam::{Mat3, Vec3};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// What is summed.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum NoiseBase {
    /// Smooth lumps and hollows of like size.
    #[default]
    Gradient,
    /// Blotches around random values at the corners of a grid.
    Value,
}

/// What an octave is folded to before it is summed.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum NoiseForm {
    #[default]
    Plain,
    /// Distance from the middle: dark creases.
    Turbulence,
    /// The same upside down: bright ridges.
    Ridged,
}

pattern! {
    /// Noise over octaves; 0 to 1, about 0.5 in the mean where it is plain.
    pub struct NoiseSettings {
        /// Side of a cell of the coarsest octave, scene units; over UVs, of the square.
        pub size: f32 = 0.1,
        /// 1 to 12.
        pub octaves: u32 = 4,
        /// How much of an octave's strength the next finer one has, 0 to 1.
        pub gain: f32 = 0.5,
        /// How many times smaller the cells of the next octave are, 1 to 4.
        pub lacunarity: f32 = 2.0,
        /// How many times longer blotches are along an axis than across it, 1 to 50; without a say over UVs.
        pub stretch: f32 = 1.0,
        pub along: Axis = Axis::Y,
        pub base: NoiseBase = NoiseBase::Gradient,
        pub form: NoiseForm = NoiseForm::Plain,
    }
}

/// Octaves at most.
pub const MOST_OCTAVES: u32 = 12;

impl Pattern for NoiseSettings {
    const INFO: PatternInfo = PatternInfo {
        id: "noise",
        label: "Noise",
        explains: "Irregular blotches, from large to fine. Breaks up edges that would look drawn.",
        controls: &[
            Control::length("size", "Size", [0.002, 0.5], "Width of the largest blotches."),
            Control::count("octaves", "Octaves", [1.0, MOST_OCTAVES as f32], "Each adds detail half as large."),
            Control::share("gain", "Gain", [0.0, 1.0], "Strength of each finer octave. Higher is rougher."),
            Control::number("lacunarity", "Lacunarity", [1.0, 4.0], "How much finer each octave is than the last."),
            Control::number("stretch", "Stretch", [1.0, 50.0], "How many times longer along the axis: streaks, grain."),
            Control::axis("along", "Along", "The axis it is stretched along."),
            Control::choice(
                "base",
                "Base",
                &[("gradient", "Gradient"), ("value", "Value")],
                "Gradient is even, value is blotchy.",
            ),
            Control::choice(
                "form",
                "Form",
                &[("plain", "Plain"), ("turbulence", "Turbulence"), ("ridged", "Ridged")],
                "Turbulence gives dark creases, ridged bright ones.",
            ),
        ],
    };

    fn kernel(&self, making: &Making) -> Result<Box<dyn Kernel>, String> {
        let mut octaves = Vec::with_capacity(self.octaves as usize);
        let (mut weight, mut per_unit, mut total) = (1.0f32, 1.0 / self.size, 0.0);
        for n in 0..self.octaves {
            octaves.push(self.octave(n, per_unit, weight, making));
            total += weight;
            weight *= self.gain;
            per_unit *= self.lacunarity;
        }
        octaves.iter_mut().for_each(|octave| octave.weight /= total);
        Ok(Box::new(NoiseKernel { octaves, base: self.base, form: self.form, repeats: making.repeats }))
    }
}

/// One octave.
struct Octave {
    /// From the pattern's space to cells.
    turn: Mat3,
    shift: [f32; 3],
    /// Cells per unit of the pattern's space.
    per_unit: f32,
    weight: f32,
    seed: u32,
}

impl NoiseSettings {
    fn octave(&self, number: u32, per_unit: f32, weight: f32, making: &Making) -> Octave {
        let seed = seed_of(making.seed, number);
        if making.repeats {
            // A whole number of cells in the square; the third coordinate only picks a slice.
            let cells = per_unit.round().max(1.0);
            let shift = [0.0, 0.0, 0.25 + 0.5 * unit(seed)];
            return Octave {
                turn: Mat3::from_diagonal([cells, cells, 1.0].into()),
                shift,
                per_unit: cells,
                weight,
                seed,
            };
        }
        let (a, b) = (0.61 + 1.37 * number as f32, 0.83 + 0.91 * number as f32);
        let mut scale = Vec3::splat(per_unit);
        scale[self.along as usize] /= self.stretch;
        let turn = turned(a, b) * Mat3::from_diagonal(scale);
        let shift = [0, 1, 2].map(|axis| 64.0 * unit(seed_of(seed, axis)));
        Octave { turn, shift, per_unit, weight, seed }
    }
}

/// A turn by two angles about two axes, radians.
fn turned(a: f32, b: f32) -> Mat3 {
    let ((sa, ca), (sb, cb)) = ((libm::sinf(a), libm::cosf(a)), (libm::sinf(b), libm::cosf(b)));
    let about_z = Mat3::from_cols_array(&[ca, sa, 0.0, -sa, ca, 0.0, 0.0, 0.0, 1.0]);
    let about_x = Mat3::from_cols_array(&[1.0, 0.0, 0.0, 0.0, cb, sb, 0.0, -sb, cb]);
    about_x * about_z
}

/// How much of an octave is left where a texel covers `cells` of its cells, seen from the area average of waves of 0.75 cycles a cell:
/// all of it at 0, nothing from 1.5 cells on.
#[inline(always)]
pub(super) fn left_at(cells: f32) -> f32 {
    let left = (1.0 - cells * cells * (1.0 / 2.25)).max(0.0);
    left * left
}

struct NoiseKernel {
    octaves: Vec<Octave>,
    base: NoiseBase,
    form: NoiseForm,
    repeats: bool,
}

/// What brings the two bases to a spread that makes use of 0 to 1 without being cut off.
const GRADIENT_SCALE: f32 = 1.0;
const VALUE_SCALE: f32 = 1.0;
/// Mean of the distance from the middle, measured over a million places, which turbulence and ridges fade to.
const GRADIENT_FOLDED: f32 = 0.2204;
const VALUE_FOLDED: f32 = 0.330;

impl Kernel for NoiseKernel {
    fn fill(&self, at: &Points, out: &mut [f32]) {
        match (self.base, self.repeats) {
            (NoiseBase::Gradient, false) => vectorised(
                #[inline(always)]
                || self.sum::<true, false>(at, out),
            ),
            (NoiseBase::Gradient, true) => vectorised(
                #[inline(always)]
                || self.sum::<true, true>(at, out),
            ),
            (NoiseBase::Value, false) => vectorised(
                #[inline(always)]
                || self.sum::<false, false>(at, out),
            ),
            (NoiseBase::Value, true) => vectorised(
                #[inline(always)]
                || self.sum::<false, true>(at, out),
            ),
        }
    }
}

impl NoiseKernel {
    #[inline(always)]
    fn sum<const GRADIENT: bool, const REPEATS: bool>(&self, at: &Points, out: &mut [f32]) {
        let n = out.len();
        let (x, y, z, side) = (&at.x[..n], &at.y[..n], &at.z[..n], &at.side[..n]);
        let (scale, folded) = if GRADIENT { (GRADIENT_SCALE, GRADIENT_FOLDED) } else { (VALUE_SCALE, VALUE_FOLDED) };
        // Plain octaves swing about 0.5; folded ones run from 0 to 1.
        let (base, half) = if self.form == NoiseForm::Plain { (0.5, 0.5) } else { (0.0, 1.0) };
        out.fill(base);
        for octave in &self.octaves {
            let [c0, c1, c2] = octave.turn.to_cols_array_2d();
            let [sx, sy, sz] = octave.shift;
            let weight = octave.weight * half;
            // Folding doubles the waves, and turns what an octave fades to.
            let (fold, sign, shift) = match self.form {
                NoiseForm::Plain => (false, 1.0, 0.0),
                NoiseForm::Turbulence => (true, 1.0, folded),
                NoiseForm::Ridged => (true, -1.0, 1.0 - folded),
            };
            let per_unit = octave.per_unit;
            let cells_of = if fold { 1.4 * per_unit } else { per_unit };
            let seed = octave.seed;
            for i in 0..n {
                let px = c0[0] * x[i] + c1[0] * y[i] + c2[0] * z[i] + sx;
                let py = c0[1] * x[i] + c1[1] * y[i] + c2[1] * z[i] + sy;
                let pz = c0[2] * x[i] + c1[2] * y[i] + c2[2] * z[i] + sz;
                let value = scale * lattice::<GRADIENT, REPEATS>(px, py, pz, per_unit, seed);
                let left = left_at(side[i] * cells_of);
                let value = if fold { value.abs() - folded } else { value };
                out[i] += weight * (shift + sign * value * left);
            }
        }
        for value in out.iter_mut() {
            *value = value.clamp(0.0, 1.0);
        }
    }
}

/// A whole number of up to four millions as an integer: its digits stand at the end once 1.5 * 2^23 is added. A cast would look out for what
/// cannot be held, one number at a time.
#[inline(always)]
fn whole(cell: f32) -> i32 {
    (cell + 12_582_912.0).to_bits() as i32 & 0x7f_ffff
}

/// The rise from a corner along a gradient that points to one of the twelve edges of a cube, four of them twice (Perlin 2002), picked by
/// the upper bits of one round of mixing.
#[inline(always)]
fn towards_edge(mixed: u32, x: f32, y: f32, z: f32) -> f32 {
    let h = (mixed ^ mixed >> 15).wrapping_mul(0x85eb_ca6b) >> 28;
    let u = if h < 8 { x } else { y };
    let v = if h < 4 { y } else { z };
    let v = if h | 2 == 14 { x } else { v };
    f32::from_bits(u.to_bits() ^ h << 31) + f32::from_bits(v.to_bits() ^ (h & 2) << 30)
}

/// Noise of one octave at a place in cells, about -1 to 1.
#[inline(always)]
fn lattice<const GRADIENT: bool, const REPEATS: bool>(x: f32, y: f32, z: f32, cells: f32, seed: u32) -> f32 {
    let (fx, fy, fz) = (x.floor(), y.floor(), z.floor());
    let (tx, ty, tz) = (x - fx, y - fy, z - fz);
    let around = |cell: f32| if REPEATS { cell - cells * (cell / cells).floor() } else { cell };
    let (x0, y0, z0) = (around(fx), around(fy), fz);
    let (x1, y1) = if REPEATS { (around(fx + 1.0), around(fy + 1.0)) } else { (fx + 1.0, fy + 1.0) };
    let hx = [spread_x(whole(x0)), spread_x(whole(x1))];
    let hy = [spread_y(whole(y0)), spread_y(whole(y1))];
    let hz = [spread_z(whole(z0)), spread_z(whole(z0 + 1.0))];
    let corner = |i: usize, j: usize, k: usize| {
        let mixed = hx[i] ^ hy[j] ^ hz[k] ^ seed;
        if GRADIENT {
            towards_edge(mixed, tx - i as f32, ty - j as f32, tz - k as f32)
        } else {
            (finished(mixed) >> 8) as i32 as f32 * (2.0 / 16_777_215.0) - 1.0
        }
    };
    let fade = |t: f32| t * t * t * (t * (t * 6.0 - 15.0) + 10.0);
    let (u, v, w) = (fade(tx), fade(ty), fade(tz));
    let mix = |a: f32, b: f32, t: f32| a + (b - a) * t;
    let along = |j: usize, k: usize| mix(corner(0, j, k), corner(1, j, k), u);
    mix(mix(along(0, 0), along(1, 0), v), mix(along(0, 1), along(1, 1), v), w)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::picture::Pictures;

    #[test]
    fn every_width_of_registers_gives_the_same_bits() {
        let n = 10_007;
        let column = |step: f64| (0..n).map(|i| (f64::from(i) * step).fract() as f32 * 9.0 - 4.0).collect::<Vec<f32>>();
        let (x, y, z) = (column(0.819_172_5), column(0.671_043_6), column(0.549_700_5));
        let side = vec![0.01; n as usize];
        let at = Points { x: &x, y: &y, z: &z, normal: [&x, &y, &z], side: &side };
        let images = Pictures::default();
        let making = Making { seed: 3, repeats: false, images: &images };
        let settings = NoiseSettings::default();
        let octaves = (0..4).map(|o| settings.octave(o, 10.0 * (1 << o) as f32, 0.25, &making)).collect();
        let kernel = NoiseKernel { octaves, base: NoiseBase::Gradient, form: NoiseForm::Plain, repeats: false };
        let (mut wide, mut plain) = (vec![0.0; n as usize], vec![0.0; n as usize]);
        kernel.fill(&at, &mut wide);
        kernel.sum::<true, false>(&at, &mut plain);
        assert!(wide.iter().zip(&plain).all(|(a, b)| a.to_bits() == b.to_bits()));
    }
}
