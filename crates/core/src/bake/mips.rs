//! What smaller sizes of a sheet mix: which islands texels belong to, and which of the texels that stand for several mix an island with
//! another one or with the background.

use crate::sheet::{Coverage, NO_SOURCE, Padding, PaddingRows};
use crate::stop::Stop;

/// Mip levels that are looked at: a renderer reads smaller ones from far away.
pub(super) const LEVELS: u32 = 4;

/// Texels of a mip level that hold some of an island.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub(super) struct Mixed {
    pub texels: u64,
    /// Of these, those that mix in anything; background; another island.
    pub any: u64,
    pub background: u64,
    pub islands: u64,
    /// A covered texel of the sheet in the first of them.
    pub first: Option<u32>,
}

/// A run of covered texels in a row.
#[derive(Clone, Copy)]
struct Run {
    from: u32,
    to: u32,
    label: u32,
}

/// Connected covered texels by number: runs of each row, labelled by the first run that they touch, side by side or corner to corner
/// (two passes over runs, after Rosenfeld and Pfaltz, "Sequential Operations in Digital Picture Processing", 1966).
struct Islands {
    runs: Vec<Run>,
    /// First run of each row, and one past the last.
    rows: Vec<usize>,
}

impl Islands {
    fn new(covered: &Coverage, size: usize) -> Islands {
        let (mut runs, mut rows): (Vec<Run>, Vec<usize>) = (Vec::new(), vec![0]);
        let mut parents: Vec<u32> = Vec::new();
        for y in 0..size {
            let above = if y == 0 { 0..0 } else { rows[y - 1]..rows[y] };
            let mut next = above.start;
            let mut x = 0;
            while x < size {
                if !covered.get(y * size + x) {
                    x += 1;
                    continue;
                }
                let from = x;
                while x < size && covered.get(y * size + x) {
                    x += 1;
                }
                let mut label = None;
                while next < above.end && (runs[next].to as usize) < from {
                    next += 1;
                }
                let mut at = next;
                while at < above.end && runs[at].from as usize <= x {
                    let other = root(&mut parents, runs[at].label);
                    label = Some(label.map_or(other, |own| joined(&mut parents, own, other)));
                    at += 1;
                }
                let label = label.unwrap_or_else(|| {
                    parents.push(parents.len() as u32);
                    parents.len() as u32 - 1
                });
                runs.push(Run { from: from as u32, to: x as u32, label });
            }
            rows.push(runs.len());
        }
        for run in &mut runs {
            run.label = root(&mut parents, run.label);
        }
        Islands { runs, rows }
    }

    /// The island of a covered texel.
    fn of(&self, x: u32, y: usize) -> u32 {
        let row = &self.runs[self.rows[y]..self.rows[y + 1]];
        row[row.partition_point(|run| run.to <= x)].label
    }
}

fn root(parents: &mut [u32], mut label: u32) -> u32 {
    while parents[label as usize] != label {
        parents[label as usize] = parents[parents[label as usize] as usize];
        label = parents[label as usize];
    }
    label
}

fn joined(parents: &mut [u32], a: u32, b: u32) -> u32 {
    let (a, b) = (root(parents, a), root(parents, b));
    parents[a.max(b) as usize] = a.min(b);
    a.min(b)
}

/// What lies in the square of texels that one of a level stands for.
#[derive(Clone, Copy)]
struct Square {
    /// A covered texel of it.
    covered: Option<u32>,
    /// The island that the first filled texel belongs to or was padded from.
    island: u32,
    background: bool,
    others: bool,
}

const NONE: u32 = u32::MAX;
const EMPTY: Square = Square { covered: None, island: NONE, background: false, others: false };

impl Square {
    fn take(&mut self, texel: u32, island: u32, covered: bool) {
        if island == NONE {
            self.background = true;
            return;
        }
        if self.island == NONE {
            self.island = island;
        }
        self.others |= self.island != island;
        if covered {
            self.covered.get_or_insert(texel);
        }
    }
}

/// What each level from 1 to [`LEVELS`] mixes on a sheet of `size` texels per side, padded so.
pub(super) fn mixed(covered: &Coverage, size: u32, padding: Padding, stop: Stop) -> [Mixed; LEVELS as usize] {
    let mut found = [Mixed::default(); LEVELS as usize];
    let n = size as usize;
    let islands = Islands::new(covered, n);
    let reach = match padding {
        Padding::Texels(texels) => Some(texels),
        Padding::All => None,
    };
    let mut walk = PaddingRows::new(covered, reach);
    let mut sources = vec![NO_SOURCE; n];
    let mut squares: Vec<Vec<Square>> = (1..=LEVELS).map(|level| vec![EMPTY; n >> level]).collect();
    for y in 0..n {
        if stop() {
            return found;
        }
        walk.next_row(&mut sources);
        for (x, &source) in sources.iter().enumerate() {
            let island = if source == NO_SOURCE { NONE } else { islands.of(source % size, (source / size) as usize) };
            let texel = (y * n + x) as u32;
            for (level, squares) in (1..=LEVELS).zip(&mut squares) {
                if let Some(square) = squares.get_mut(x >> level) {
                    square.take(texel, island, source == texel);
                }
            }
        }
        for ((level, squares), found) in (1..=LEVELS).zip(&mut squares).zip(&mut found) {
            if (y + 1) % (1 << level) != 0 {
                continue;
            }
            for square in squares.iter_mut() {
                if let Some(texel) = square.covered {
                    found.texels += 1;
                    found.background += u64::from(square.background);
                    found.islands += u64::from(square.others);
                    if square.background || square.others {
                        found.any += 1;
                        found.first.get_or_insert(texel);
                    }
                }
                *square = EMPTY;
            }
        }
    }
    found
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::stop::never;

    const SIZE: u32 = 32;

    /// Rectangles of covered texels: left, top, right, bottom, the last two left out.
    fn sheet(islands: &[[u32; 4]]) -> Coverage {
        let mut covered = Coverage::new(SIZE);
        for &[left, top, right, bottom] in islands {
            (top..bottom).for_each(|y| (left..right).for_each(|x| covered.set(y * SIZE + x)));
        }
        covered
    }

    fn counts(covered: &Coverage, padding: Padding) -> [[u64; 3]; LEVELS as usize] {
        mixed(covered, SIZE, padding, &never).map(|level| [level.texels, level.background, level.islands])
    }

    #[test]
    fn a_square_that_padding_does_not_reach_across_is_mixed() {
        // Nine by nine texels from the corner: at level 1 five by five squares hold some, of which nine hold empty ones too.
        let covered = sheet(&[[0, 0, 9, 9]]);
        assert_eq!(counts(&covered, Padding::Texels(0)), [[25, 9, 0], [9, 5, 0], [4, 3, 0], [1, 1, 0]]);
        // At level 1 two texels in a square are one apart, corner to corner the square root of two.
        assert_eq!(counts(&covered, Padding::Texels(2))[0], [25, 0, 0]);
        assert_eq!(counts(&covered, Padding::Texels(2))[1], [9, 5, 0]);
        assert_eq!(counts(&covered, Padding::All), [[25, 0, 0], [9, 0, 0], [4, 0, 0], [1, 0, 0]]);
        // The first one that mixes without padding lies at the end of the first row.
        assert_eq!(mixed(&covered, SIZE, Padding::Texels(0), &never)[0].first, Some(8));
    }

    #[test]
    fn islands_that_lie_close_mix_with_each_other() {
        // Two texels between them, which padding shares out: level 2 mixes, level 1 does not.
        let covered = sheet(&[[0, 0, 9, 32], [11, 0, 32, 32]]);
        let told = counts(&covered, Padding::All);
        assert_eq!(told[0], [16 * 16, 0, 0]);
        assert_eq!(told[1], [8 * 8, 0, 8]);
        // One island that bends around is one.
        let bent = sheet(&[[0, 0, 9, 32], [11, 0, 32, 32], [9, 30, 11, 32]]);
        assert_eq!(counts(&bent, Padding::All)[1], [8 * 8, 0, 0]);
    }
}
