//! What smaller sizes of a sheet mix: which islands texels belong to, and which of the texels that stand for several mix an island with
//! another one or with the background.

use crate::sheet::{Coverage, NO_SOURCE, Padding, PaddingRows};
use crate::stop::{Stop, never};
use std::ops::RangeInclusive;

/// Mip levels that are judged: a renderer reads smaller ones from far away.
pub(super) const LEVELS: u32 = 4;

/// What a texel of a mip level mixes into what it holds of an island.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Mixing {
    /// It holds nothing of an island.
    Empty,
    Nothing,
    Background,
    /// Another island, and perhaps background.
    Island,
}

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
    each_square((covered, size, padding), 1..=LEVELS, stop, &mut |level, square| {
        let Some(texel) = square.covered else { return };
        let found = &mut found[level as usize - 1];
        found.texels += 1;
        found.background += u64::from(square.background);
        found.islands += u64::from(square.others);
        if square.background || square.others {
            found.any += 1;
            found.first.get_or_insert(texel);
        }
    });
    found
}

/// What each texel of mip levels mixes, level by level and of each row by row from the top; a level is the sheet halved so many times,
/// rounded down.
pub fn mixing(covered: &Coverage, size: u32, padding: Padding, levels: RangeInclusive<u32>) -> Vec<Vec<Mixing>> {
    let first = *levels.start();
    let mut all: Vec<Vec<Mixing>> =
        levels.clone().map(|level| Vec::with_capacity((size as usize >> level).pow(2))).collect();
    each_square((covered, size, padding), levels, &never, &mut |level, square| {
        all[(level - first) as usize].push(match (square.covered, square.others, square.background) {
            (None, ..) => Mixing::Empty,
            (_, false, false) => Mixing::Nothing,
            (_, true, _) => Mixing::Island,
            (_, false, true) => Mixing::Background,
        });
    });
    all
}

/// Goes through the squares of levels of a sheet, padded so: of each level row by row from the top.
fn each_square(
    (covered, size, padding): (&Coverage, u32, Padding),
    levels: RangeInclusive<u32>,
    stop: Stop,
    seen: &mut dyn FnMut(u32, &Square),
) {
    let n = size as usize;
    let islands = Islands::new(covered, n);
    let reach = match padding {
        Padding::Texels(texels) => Some(texels),
        Padding::All => None,
    };
    let mut walk = PaddingRows::new(covered, reach);
    let mut sources = vec![NO_SOURCE; n];
    let mut squares: Vec<(u32, Vec<Square>)> = levels.map(|level| (level, vec![EMPTY; n >> level])).collect();
    for y in 0..n {
        if stop() {
            return;
        }
        walk.next_row(&mut sources);
        for (x, &source) in sources.iter().enumerate() {
            let island = if source == NO_SOURCE { NONE } else { islands.of(source % size, (source / size) as usize) };
            let texel = (y * n + x) as u32;
            for (level, squares) in &mut squares {
                if let Some(square) = squares.get_mut(x >> *level) {
                    square.take(texel, island, source == texel);
                }
            }
        }
        for (level, squares) in &mut squares {
            // The last rows make none where the size does not halve.
            if (y + 1) % (1 << *level) != 0 {
                continue;
            }
            for square in squares.iter_mut() {
                seen(*level, square);
                *square = EMPTY;
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

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
    fn a_level_tells_of_each_of_its_texels() {
        // An island from the corner, nine wide; another from the twelfth on, no padding.
        let covered = sheet(&[[0, 0, 9, 9], [12, 0, 14, 9]]);
        let all = mixing(&covered, SIZE, Padding::Texels(0), 1..=5);
        let [first, third] = [&all[0], &all[2]];
        assert_eq!(first.len(), 16 * 16);
        assert_eq!((first[0], first[4], first[15]), (Mixing::Nothing, Mixing::Background, Mixing::Empty));
        assert_eq!((third[0], third[1]), (Mixing::Nothing, Mixing::Island));
        // Down to a single texel.
        assert_eq!(all[4], [Mixing::Island]);
        // Counted, they are those that the judge counts.
        let judged = mixed(&covered, SIZE, Padding::Texels(1), &never);
        for (judged, all) in judged.iter().zip(mixing(&covered, SIZE, Padding::Texels(1), 1..=LEVELS)) {
            let count = |of: Mixing| all.iter().filter(|one| **one == of).count() as u64;
            assert_eq!(count(Mixing::Island), judged.islands);
            assert_eq!(count(Mixing::Island) + count(Mixing::Background), judged.any);
        }
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
