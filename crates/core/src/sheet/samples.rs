//! Where the samples of a texel lie. One sample is the centre; more are the Hammersley set, a (0, 2)-net in base 2
//! (Niederreiter 1992): every column, row and dyadic box of the texel holds its fair share.

/// The sample counts that may be asked for.
pub const SAMPLE_COUNTS: [u32; 4] = [1, 4, 16, 64];

/// Sample offsets within a texel, each in `0 < x < 1`, x to the right and y down.
pub fn sample_pattern(count: u32) -> Vec<[f64; 2]> {
    if count <= 1 {
        return vec![[0.5, 0.5]];
    }
    let n = f64::from(count);
    let mirrored = |i: u32| f64::from(i.reverse_bits()) / 4_294_967_296.0;
    (0..count).map(|i| [(f64::from(i) + 0.5) / n, mirrored(i) + 0.5 / n]).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_count_is_a_net_with_its_mean_at_the_centre() {
        for count in SAMPLE_COUNTS {
            let points = sample_pattern(count);
            assert_eq!(points.len(), count as usize);
            let mean = |axis: usize| points.iter().map(|p| p[axis]).sum::<f64>() / f64::from(count);
            assert!((mean(0) - 0.5).abs() < 1e-12 && (mean(1) - 0.5).abs() < 1e-12);
            let side = f64::from(count).sqrt();
            let mut cells: Vec<[u32; 2]> =
                points.iter().map(|p| [(p[0] * side) as u32, (p[1] * side) as u32]).collect();
            cells.sort_unstable();
            cells.dedup();
            assert_eq!(cells.len(), count as usize, "one sample in each of the {count} square cells");
        }
    }
}
