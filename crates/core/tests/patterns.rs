//! Patterns against what they promise: ranges, no lattice, closed tiles, and area averages where a texel covers more.

use ember_ridge_core::finish::*;
use ember_ridge_core::picture::Pictures;
use ember_ridge_core::surface::Axis;
use std::f32::consts::TAU;

/// Places with a side, looked at from along z.
struct Places {
    x: Vec<f32>,
    y: Vec<f32>,
    z: Vec<f32>,
    side: Vec<f32>,
    zeros: Vec<f32>,
    ones: Vec<f32>,
}

impl Places {
    fn new(at: impl Iterator<Item = [f32; 3]>, side: f32) -> Places {
        let all: Vec<[f32; 3]> = at.collect();
        let column = |axis: usize| all.iter().map(|p| p[axis]).collect::<Vec<f32>>();
        let n = all.len();
        Places {
            x: column(0),
            y: column(1),
            z: column(2),
            side: vec![side; n],
            zeros: vec![0.0; n],
            ones: vec![1.0; n],
        }
    }

    /// `n` x `n` texels of the unit square.
    fn sheet(n: usize) -> Places {
        let texel = move |t: usize| [(t % n) as f32 + 0.5, (t / n) as f32 + 0.5, 0.0].map(|c| c / n as f32);
        Places::new((0..n * n).map(texel).map(|[x, y, _]| [x, y, 0.3]), 1.0 / n as f32)
    }

    fn ask(&self, pattern: &PatternSettings, repeats: bool) -> Vec<f32> {
        let images = Pictures::default();
        let making = Making { seed: pattern.frame().seed, repeats, images: &images };
        let kernel = pattern.kernel(&making).expect("it needs no picture");
        let mut out = vec![0.0; self.x.len()];
        let normal = [self.zeros.as_slice(), &self.zeros, &self.ones];
        kernel.fill(&Points { x: &self.x, y: &self.y, z: &self.z, normal, side: &self.side }, &mut out);
        out
    }
}

/// Every pattern that needs no file, seen along z, with the forms that noise and cells have.
fn patterns() -> Vec<PatternSettings> {
    let mut all: Vec<PatternSettings> =
        PatternSettings::all().into_iter().filter(|p| !matches!(p, PatternSettings::Picture(_))).collect();
    for pattern in &mut all {
        match pattern {
            PatternSettings::Planks(s) => s.facing = Axis::Z,
            PatternSettings::Checker(s) => s.facing = Axis::Z,
            PatternSettings::Rings(s) => s.axis = Axis::Z,
            PatternSettings::Scratches(s) => (s.width, s.density) = (0.01, 6.0),
            PatternSettings::Speckles(s) => s.size = 0.04,
            PatternSettings::Weave(s) => s.size = 0.06,
            _ => {}
        }
    }
    let noise = |base, form| PatternSettings::Noise(NoiseSettings { base, form, ..NoiseSettings::default() });
    all.extend([
        noise(NoiseBase::Gradient, NoiseForm::Turbulence),
        noise(NoiseBase::Gradient, NoiseForm::Ridged),
        noise(NoiseBase::Value, NoiseForm::Plain),
    ]);
    let cells = |value, metric| PatternSettings::Cells(CellsSettings { value, metric, ..CellsSettings::default() });
    all.extend([
        cells(CellValue::Second, Metric::Manhattan),
        cells(CellValue::Difference, Metric::Euclidean),
        cells(CellValue::Number, Metric::Chebyshev),
    ]);
    let numbers = BricksSettings { value: BrickValue::Number, ..BricksSettings::default() };
    all.push(PatternSettings::Bricks(numbers));
    all
}

/// A number that wanders over 0..1.
fn wander(n: u32, step: f64) -> f32 {
    (f64::from(n) * step).fract() as f32
}

#[test]
fn values_keep_within_0_and_1_over_ten_million_places() {
    let all = patterns();
    let each = 10_000_000 / all.len() as u32 + 1;
    for pattern in &all {
        let mut ends = (f32::INFINITY, f32::NEG_INFINITY);
        for start in (0..each).step_by(1 << 16) {
            let place = |n: u32| {
                let at = [0.819_172_5, 0.671_043_6, 0.549_700_5].map(|step| 40.0 * wander(n, step) - 20.0);
                [at[0], at[1], at[2]]
            };
            let side = 0.02 * wander(start, 0.618_034);
            let found = Places::new((start..(start + (1 << 16)).min(each)).map(place), side).ask(pattern, false);
            ends = found.iter().fold(ends, |(low, high), v| (low.min(*v), high.max(*v)));
            assert!(found.iter().all(|v| v.is_finite()), "{pattern:?}");
        }
        assert!(ends.0 >= 0.0 && ends.1 <= 1.0, "{ends:?} of {pattern:?}");
        // And makes use of them.
        assert!(ends.1 - ends.0 > 0.5, "{ends:?} of {pattern:?}");
    }
}

/// Power of a frequency, in waves over the sheet along each axis.
fn power(values: &[f32], n: usize, waves: [f32; 2]) -> f32 {
    let mean = values.iter().sum::<f32>() / values.len() as f32;
    let (mut real, mut imaginary) = (0.0f64, 0.0f64);
    for (t, value) in values.iter().enumerate() {
        let phase = TAU * (waves[0] * (t % n) as f32 + waves[1] * (t / n) as f32) / n as f32;
        real += f64::from((value - mean) * phase.cos());
        imaginary += f64::from((value - mean) * phase.sin());
    }
    (real * real + imaginary * imaginary) as f32
}

#[test]
fn the_spectrum_of_four_octaves_has_no_peak_at_the_lattice() {
    let (n, cells) = (128, 16.0);
    for base in [NoiseBase::Gradient, NoiseBase::Value] {
        // Along the axes at the lattice's own frequency and its double, against the ring around.
        let (mut lattice, mut ring) = ([0.0; 2], [0.0; 2]);
        for seed in 0..12 {
            let settings = NoiseSettings { size: 1.0 / cells, octaves: 4, base, seed, ..NoiseSettings::default() };
            let values = Places::sheet(n).ask(&PatternSettings::Noise(settings), false);
            for (at, times) in [1.0f32, 2.0].into_iter().enumerate() {
                let radius = cells * times;
                for k in 0..4 {
                    let turn = TAU * k as f32 / 4.0;
                    lattice[at] += power(&values, n, [radius * turn.cos(), radius * turn.sin()]) / 4.0;
                }
                for k in 0..24 {
                    let turn = TAU * (k as f32 + 0.5) / 24.0;
                    ring[at] += power(&values, n, [radius * turn.cos(), radius * turn.sin()]) / 24.0;
                }
            }
        }
        for at in 0..2 {
            assert!(lattice[at] < 1.6 * ring[at], "{base:?}: {} against {}", lattice[at], ring[at]);
        }
    }
}

#[test]
fn a_tile_repeats_to_the_byte() {
    for pattern in patterns() {
        if matches!(
            pattern,
            PatternSettings::Gradient(_)
                | PatternSettings::GradientPoint(_)
                | PatternSettings::GradientPart(_)
                | PatternSettings::Rings(_)
        ) {
            continue;
        }
        // Places that a shift by a whole square leaves exact.
        let place = |t: u32| [(t % 64) as f32 / 64.0, (t / 64) as f32 / 64.0, 0.0];
        let at = |du: f32, dv: f32| {
            let moved = (0..4096).map(place).map(move |[u, v, w]| [u + du, v + dv, w]);
            Places::new(moved, 1.0 / 256.0).ask(&pattern, true)
        };
        let bits = |values: Vec<f32>| values.into_iter().map(f32::to_bits).collect::<Vec<_>>();
        let own = bits(at(0.0, 0.0));
        for (du, dv) in [(1.0, 0.0), (0.0, 1.0), (2.0, -1.0)] {
            let differ = bits(at(du, dv)).iter().zip(&own).filter(|(a, b)| a != b).count();
            assert_eq!(differ, 0, "{pattern:?} moved by {du}, {dv}");
        }
        assert!(own.iter().any(|v| *v != own[0]), "{pattern:?} is flat");
    }
}

#[test]
fn half_the_size_gives_the_area_average() {
    let half = |values: &[f32], n: usize| -> Vec<f32> {
        let at = |x: usize, y: usize| values[y * n + x];
        let mean = |t: usize| {
            let (x, y) = (2 * (t % (n / 2)), 2 * (t / (n / 2)));
            0.25 * (at(x, y) + at(x + 1, y) + at(x, y + 1) + at(x + 1, y + 1))
        };
        (0..n * n / 4).map(mean).collect()
    };
    let mut worst = (0.0, String::new());
    for pattern in patterns() {
        for n in [512usize, 256, 128, 64] {
            let (fine, coarse) = (Places::sheet(n).ask(&pattern, false), Places::sheet(n / 2).ask(&pattern, false));
            let differ = half(&fine, n).iter().zip(&coarse).map(|(a, b)| (a - b).abs()).sum::<f32>();
            let mean = differ / coarse.len() as f32;
            if mean > worst.0 {
                worst = (mean, format!("{n}: {pattern:?}"));
            }
        }
    }
    assert!(worst.0 <= 0.015, "{worst:?}");
}

#[test]
fn settings_out_of_range_are_told() {
    let fault = |pattern: PatternSettings| pattern.validate().expect_err("out of range");
    let noise = NoiseSettings { octaves: 13, ..NoiseSettings::default() };
    assert_eq!(fault(PatternSettings::Noise(noise)), "noise.octaves is 13; give 1 to 12");
    let noise = NoiseSettings { size: 0.0, ..NoiseSettings::default() };
    assert_eq!(fault(PatternSettings::Noise(noise)), "noise.size is 0.0; give a length above 0 in scene units");
    let ramp = Some(Ramp { stops: vec![[0.5, 0.0], [0.2, 1.0]], smooth: false });
    let falling = CheckerSettings { ramp, ..CheckerSettings::default() };
    assert!(fault(PatternSettings::Checker(falling)).starts_with("checker.ramp has 2 stops"));
    for pattern in PatternSettings::all() {
        assert_eq!(pattern.validate(), Ok(()));
        // Every control names a setting that is there.
        let fields = serde_json::to_value(&pattern).expect("JSON");
        for control in pattern.info().controls {
            assert!(fields.get(control.setting).is_some(), "{}: {}", pattern.info().id, control.setting);
        }
    }
}
