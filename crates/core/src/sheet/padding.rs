//! Padding: which covered texel each empty texel copies. Distances are exact Euclidean ones, found with the separable
//! lower-envelope transform of Felzenszwalb and Huttenlocher, "Distance Transforms of Sampled Functions", 2012.

use rayon::prelude::*;

/// Entry of an empty texel that is out of reach of every covered one.
pub const NO_SOURCE: u32 = u32::MAX;

/// For each texel of a `size` x `size` sheet, the nearest covered texel (itself when covered), or [`NO_SOURCE`] when none lies
/// within `reach` texels (centre to centre). `None` reaches everywhere. Ties go to the same texel every time.
pub fn nearest_covered(covered: &[bool], size: usize, reach: Option<u32>) -> Vec<u32> {
    // Down the columns: the nearest covered row in each texel's own column.
    let mut row_above = vec![NO_SOURCE; size * size];
    for x in 0..size {
        let mut last = NO_SOURCE;
        for y in 0..size {
            if covered[y * size + x] {
                last = y as u32;
            }
            row_above[y * size + x] = last;
        }
        let mut next = NO_SOURCE;
        for y in (0..size).rev() {
            if covered[y * size + x] {
                next = y as u32;
            }
            let above = row_above[y * size + x];
            let gap = |row: u32| (i64::from(row) - y as i64).abs();
            if next != NO_SOURCE && (above == NO_SOURCE || gap(next) < gap(above)) {
                row_above[y * size + x] = next;
            }
        }
    }
    // Along the rows: the lower envelope of the parabolas those columns give.
    let limit = reach.map_or(i64::MAX, |r| i64::from(r) * i64::from(r));
    let mut nearest = vec![NO_SOURCE; size * size];
    nearest.par_chunks_mut(size).enumerate().for_each(|(y, row)| {
        envelope_of_row(&row_above[y * size..(y + 1) * size], y, limit, row);
    });
    nearest
}

fn envelope_of_row(column_row: &[u32], y: usize, limit: i64, out: &mut [u32]) {
    let size = column_row.len();
    let height = |x: usize| {
        let d = i64::from(column_row[x]) - y as i64;
        d * d
    };
    // First x from which the parabola of `q` lies below that of the earlier `p`.
    let takes_over = |p: usize, q: usize| {
        let (fp, fq) = (height(p) + (p * p) as i64, height(q) + (q * q) as i64);
        (fq - fp).div_euclid(2 * (q - p) as i64) + 1
    };
    let mut hull: Vec<(usize, i64)> = Vec::new();
    for q in (0..size).filter(|&x| column_row[x] != NO_SOURCE) {
        let mut from = 0;
        while let Some(&(p, start)) = hull.last() {
            from = takes_over(p, q);
            if from > start {
                break;
            }
            hull.pop();
            from = 0;
        }
        hull.push((q, from));
    }
    let mut at = 0;
    for (x, slot) in out.iter_mut().enumerate() {
        while at + 1 < hull.len() && hull[at + 1].1 <= x as i64 {
            at += 1;
        }
        if let Some(&(p, _)) = hull.get(at) {
            let across = x as i64 - p as i64;
            if across * across + height(p) <= limit {
                *slot = column_row[p] * size as u32 + p as u32;
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn squared(a: usize, b: usize, size: usize) -> i64 {
        let (dx, dy) = ((a % size) as i64 - (b % size) as i64, (a / size) as i64 - (b / size) as i64);
        dx * dx + dy * dy
    }

    proptest! {
        #[test]
        fn sources_are_as_near_as_a_search_of_all_texels_finds(
            size in 1usize..24,
            seeds in proptest::collection::vec(0usize..576, 0..12),
            reach in proptest::option::of(0u32..12),
        ) {
            let mut covered = vec![false; size * size];
            for s in seeds {
                covered[s % (size * size)] = true;
            }
            let found = nearest_covered(&covered, size, reach);
            let limit = reach.map_or(i64::MAX, |r| i64::from(r * r));
            for texel in 0..size * size {
                let best = (0..size * size).filter(|&t| covered[t]).map(|t| squared(texel, t, size)).min();
                match best.filter(|&d| d <= limit) {
                    None => prop_assert_eq!(found[texel], NO_SOURCE),
                    Some(d) => {
                        prop_assert!(found[texel] != NO_SOURCE && covered[found[texel] as usize]);
                        prop_assert_eq!(squared(texel, found[texel] as usize, size), d);
                    }
                }
                if covered[texel] {
                    prop_assert_eq!(found[texel], texel as u32);
                }
            }
        }
    }
}
