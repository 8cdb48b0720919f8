//! Curves by points: from a number to a number, or to a colour.

use super::patterns::Ramp;
use glam::Vec3;
use std::ops::{Add, Mul, Sub};

/// Values at points that rise: straight or eased between them, held beyond the ends.
#[derive(Clone, Debug)]
pub(super) struct Curve<V> {
    pub stops: Vec<(f32, V)>,
    pub smooth: bool,
}

impl<V: Copy + Add<Output = V> + Sub<Output = V> + Mul<f32, Output = V> + Default> Curve<V> {
    pub fn at(&self, value: f32) -> V {
        let next = self.stops.partition_point(|(at, _)| *at <= value);
        match (next.checked_sub(1).map(|i| self.stops[i]), self.stops.get(next)) {
            (None, Some((_, first))) => *first,
            (Some((_, last)), None) => last,
            (Some((a, from)), Some((b, to))) => {
                let t = (value - a) / (b - a);
                let t = if self.smooth { t * t * (3.0 - 2.0 * t) } else { t };
                from + (*to - from) * t
            }
            (None, None) => V::default(),
        }
    }
}

impl From<&Ramp> for Curve<f32> {
    fn from(ramp: &Ramp) -> Curve<f32> {
        Curve { stops: ramp.stops.iter().map(|[at, value]| (*at, *value)).collect(), smooth: ramp.smooth }
    }
}

/// A curve of colours, linear light.
pub(super) type ColorCurve = Curve<Vec3>;

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn curves_are_held_at_their_ends_and_run_straight_or_eased_between() {
        let curve = |smooth| Curve { stops: vec![(0.2, 1.0), (0.6, 0.0)], smooth };
        assert_eq!([0.0, 0.2, 0.4, 0.6, 1.0].map(|v| curve(false).at(v)), [1.0, 1.0, 0.5, 0.0, 0.0]);
        assert!((curve(true).at(0.3) - (1.0 - 0.25f32 * 0.25 * (3.0 - 0.5))).abs() < 1e-6);
    }
}
