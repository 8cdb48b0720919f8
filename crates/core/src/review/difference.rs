//! How far two maps of the same texels are apart.

use schemars::JsonSchema;
use serde::Serialize;

/// Differences of numbers that should be the same, in the unit of the numbers.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, JsonSchema)]
pub struct Difference {
    pub mean: f32,
    /// Ninety-nine of a hundred are no further apart.
    pub p99: f32,
    pub max: f32,
}

/// The differences of pairs of numbers; all 0 where there are none.
pub fn difference(pairs: impl IntoIterator<Item = (f32, f32)>) -> Difference {
    let mut apart: Vec<f32> = pairs.into_iter().map(|(a, b)| (a - b).abs()).collect();
    if apart.is_empty() {
        return Difference::default();
    }
    let mean = apart.iter().map(|d| f64::from(*d)).sum::<f64>() / apart.len() as f64;
    let at = (apart.len() - 1) * 99 / 100;
    let (_, p99, beyond) = apart.select_nth_unstable_by(at, f32::total_cmp);
    let p99 = *p99;
    let max = beyond.iter().copied().fold(p99, f32::max);
    Difference { mean: mean as f32, p99, max }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn differences_are_those_of_arithmetic() {
        let pairs = (0..200).map(|i| (i as f32, if i == 7 { 107.0 } else { i as f32 + 0.5 }));
        let found = difference(pairs);
        assert!((found.mean - (199.0 * 0.5 + 100.0) / 200.0).abs() < 1e-6);
        assert_eq!((found.p99, found.max), (0.5, 100.0));
        assert_eq!(difference([]), Difference::default());
    }
}
