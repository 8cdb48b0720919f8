//! How far numbers are off, told in three.

use schemars::JsonSchema;
use serde::Serialize;

/// How far numbers are from those that they should be, in their unit.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, JsonSchema)]
pub struct Difference {
    pub mean: f32,
    /// Ninety-nine of a hundred are no further apart.
    pub p99: f32,
    pub max: f32,
}

impl Difference {
    /// Of how far each is off; all 0 where there are none.
    pub fn of(off: impl IntoIterator<Item = f32>) -> Difference {
        let mut off: Vec<f32> = off.into_iter().collect();
        if off.is_empty() {
            return Difference::default();
        }
        let mean = off.iter().map(|d| f64::from(*d)).sum::<f64>() / off.len() as f64;
        let at = (off.len() - 1) * 99 / 100;
        let (_, p99, beyond) = off.select_nth_unstable_by(at, f32::total_cmp);
        let p99 = *p99;
        let max = beyond.iter().copied().fold(p99, f32::max);
        Difference { mean: mean as f32, p99, max }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn differences_are_those_of_arithmetic() {
        let found = Difference::of((0..200).map(|i| if i == 7 { 100.0 } else { 0.5 }));
        assert!((found.mean - (199.0 * 0.5 + 100.0) / 200.0).abs() < 1e-6);
        assert_eq!((found.p99, found.max), (0.5, 100.0));
        assert_eq!(Difference::of([]), Difference::default());
    }
}
