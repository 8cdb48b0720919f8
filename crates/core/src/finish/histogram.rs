//! How a signal is distributed over a surface, by area.

use schemars::JsonSchema;
use serde::Serialize;

/// The ends of a distribution that is shown.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, JsonSchema)]
pub struct HistogramRange {
    pub low: f32,
    pub high: f32,
}

/// A distribution over bins of equal width.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
pub struct Histogram {
    pub range: HistogramRange,
    /// Share of the surface in each bin; what lies beyond the range is in none.
    pub bins: Vec<f32>,
    /// Least and greatest value met.
    pub met: HistogramRange,
}

/// Share of the values that may lie beyond the ends that are shown where a signal has none of its own.
const BEYOND: f32 = 0.002;

impl Histogram {
    /// Of values that stand for equal areas; NaN where there is none. The range is that of the signal, or what holds all but a sliver.
    pub fn of(values: &[f32], range: Option<[f32; 2]>, bins: usize) -> Histogram {
        let mut sorted: Vec<f32> = values.iter().copied().filter(|v| v.is_finite()).collect();
        sorted.sort_unstable_by(f32::total_cmp);
        let (Some(&least), Some(&most)) = (sorted.first(), sorted.last()) else {
            let range =
                range.map_or(HistogramRange { low: 0.0, high: 1.0 }, |[low, high]| HistogramRange { low, high });
            return Histogram { range, bins: vec![0.0; bins], met: HistogramRange { low: 0.0, high: 0.0 } };
        };
        let beyond = (sorted.len() as f32 * BEYOND) as usize;
        let [low, high] = range.unwrap_or_else(|| {
            let (low, high) = (sorted[beyond], sorted[sorted.len() - 1 - beyond]);
            let room = 0.02 * (high - low).max(f32::MIN_POSITIVE);
            if high > low { [low - room, high + room] } else { [low - 0.5, high + 0.5] }
        });
        let mut counts = vec![0u32; bins];
        for value in &sorted {
            let at = (value - low) / (high - low) * bins as f32;
            // The upper end belongs to the last bin.
            let at = if *value == high { bins as f32 - 1.0 } else { at };
            if at >= 0.0 && at < bins as f32 {
                counts[at as usize] += 1;
            }
        }
        let share = |count: u32| count as f32 / sorted.len() as f32;
        Histogram {
            range: HistogramRange { low, high },
            bins: counts.into_iter().map(share).collect(),
            met: HistogramRange { low: least, high: most },
        }
    }
}
