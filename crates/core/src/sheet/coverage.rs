//! Which texels of a sheet the low-poly covers, one bit a texel, and where each empty texel of a row takes its value from.
//! Rows are worked out one by one, so that a sheet of any size needs little more than its bits. Distances are exact Euclidean
//! ones: the lower envelope of parabolas of Felzenszwalb and Huttenlocher, "Distance Transforms of Sampled Functions", 2012.

/// Entry of an empty texel that is out of reach of every covered one.
pub const NO_SOURCE: u32 = u32::MAX;

/// One bit a texel of a `size` x `size` sheet, rows from the top.
#[derive(Clone, Debug, PartialEq)]
pub struct Coverage {
    size: usize,
    words: Vec<u64>,
}

impl Coverage {
    pub fn new(size: u32) -> Coverage {
        let texels = size as usize * size as usize;
        Coverage { size: size as usize, words: vec![0; texels.div_ceil(64)] }
    }

    pub fn set(&mut self, texel: u32) {
        self.words[texel as usize / 64] |= 1 << (texel % 64);
    }

    pub fn get(&self, texel: usize) -> bool {
        self.words[texel / 64] >> (texel % 64) & 1 == 1
    }

    /// Bytes it holds in memory.
    pub fn bytes(&self) -> usize {
        size_of_val(&*self.words)
    }

    pub fn count(&self) -> u64 {
        self.words.iter().map(|w| u64::from(w.count_ones())).sum()
    }

    /// Covered texels with an empty one above, below or beside them: the only ones that padding ever copies.
    pub fn borders(&self) -> Vec<u32> {
        let size = self.size;
        let mut found = Vec::new();
        for y in 0..size {
            for x in 0..size {
                let at = y * size + x;
                let empty = |dx: i64, dy: i64| {
                    let (x, y) = (x as i64 + dx, y as i64 + dy);
                    let inside = (0..size as i64).contains(&x) && (0..size as i64).contains(&y);
                    inside && !self.get(y as usize * size + x as usize)
                };
                if self.get(at) && (empty(-1, 0) || empty(1, 0) || empty(0, -1) || empty(0, 1)) {
                    found.push(at as u32);
                }
            }
        }
        found
    }
}

/// Walks down a sheet and tells, row by row, which covered texel each texel copies.
pub struct PaddingRows<'a> {
    covered: &'a Coverage,
    limit: i64,
    row: usize,
    /// Last covered row at or above this one, and next one at or below it, for each column.
    above: Vec<u32>,
    below: Vec<u32>,
}

impl<'a> PaddingRows<'a> {
    /// From the top. `reach` is the furthest a value is carried, in texels centre to centre; None carries it everywhere.
    pub fn new(covered: &'a Coverage, reach: Option<u32>) -> Self {
        let limit = reach.map_or(i64::MAX, |r| i64::from(r) * i64::from(r));
        let size = covered.size;
        PaddingRows { covered, limit, row: 0, above: vec![NO_SOURCE; size], below: vec![0; size] }
    }

    /// Fills `sources` (one entry a texel) for the next row: the nearest covered texel (itself when covered), or [`NO_SOURCE`].
    /// Ties go to the same texel every time.
    pub fn next_row(&mut self, sources: &mut [u32]) {
        let (size, y) = (self.covered.size, self.row);
        let mut nearest = vec![NO_SOURCE; size];
        for (x, nearest) in nearest.iter_mut().enumerate() {
            if self.covered.get(y * size + x) {
                self.above[x] = y as u32;
            }
            let waits = |row: usize| row < size && (row < y || !self.covered.get(row * size + x));
            while waits(self.below[x] as usize) {
                self.below[x] += 1;
            }
            let (above, below) = (self.above[x], self.below[x]);
            let gap = |row: u32| (i64::from(row) - y as i64).abs();
            *nearest = match ((above as usize) < size, (below as usize) < size) {
                (true, true) if gap(below) < gap(above) => below,
                (true, _) => above,
                (false, true) => below,
                (false, false) => NO_SOURCE,
            };
        }
        sources.fill(NO_SOURCE);
        envelope_of_row(&nearest, y, self.limit, sources);
        self.row += 1;
    }
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
            let mut covered = Coverage::new(size as u32);
            for s in seeds {
                covered.set((s % (size * size)) as u32);
            }
            let mut rows = PaddingRows::new(&covered, reach);
            let mut found = vec![0; size * size];
            for row in found.chunks_mut(size) {
                rows.next_row(row);
            }
            let limit = reach.map_or(i64::MAX, |r| i64::from(r * r));
            let borders = covered.borders();
            for (texel, &source) in found.iter().enumerate() {
                let best = (0..size * size).filter(|&t| covered.get(t)).map(|t| squared(texel, t, size)).min();
                match best.filter(|&d| d <= limit) {
                    None => prop_assert_eq!(source, NO_SOURCE),
                    Some(d) => {
                        prop_assert!(source != NO_SOURCE && covered.get(source as usize));
                        prop_assert_eq!(squared(texel, source as usize, size), d);
                        prop_assert!(covered.get(texel) || borders.contains(&source));
                    }
                }
                if covered.get(texel) {
                    prop_assert_eq!(source, texel as u32);
                }
            }
        }
    }
}
