//! Where the texels around islands take their values from, worked out once a sheet for all of its maps.

use crate::sheet::{Coverage, NO_SOURCE, Padding, PaddingRows, Tile};

/// Padded texels whose sources are held; a sheet with more of them is worked out anew for each map, row by row.
const MOST_HELD: usize = 1 << 24;

/// The padding of a sheet.
pub(super) struct SheetPadding {
    size: usize,
    /// Covered texels that padding may copy, rising.
    borders: Vec<u32>,
    /// First entry of `borders` of each row, and one past the last.
    border_rows: Vec<u32>,
    /// Borders tile by tile, as the tiles wait in the spool: the first of each tile, and one past the last.
    tile_starts: Vec<u32>,
    /// Which of the tile's covered texels it is, and its place in `borders`.
    in_tile: Vec<(u32, u32)>,
    reach: Option<u32>,
    rows: Option<PaddedRows>,
}

/// Padded texels row by row.
struct PaddedRows {
    starts: Vec<u32>,
    /// Place in the row, and the place in `borders` of what it copies.
    x: Vec<u16>,
    from: Vec<u32>,
}

impl SheetPadding {
    /// `order`: the tiles of the sheet as they wait in the spool. None when nothing is padded.
    pub fn new(covered: &Coverage, size: u32, padding: Padding, order: &[Tile]) -> Option<SheetPadding> {
        let reach = match padding {
            Padding::Texels(0) => return None,
            Padding::Texels(n) => Some(n),
            Padding::All => None,
        };
        let mut sheet = SheetPadding { reach, ..SheetPadding::borders_only(covered, size, order) };
        sheet.rows = sheet.padded(covered);
        Some(sheet)
    }

    /// The texels that padding may copy, without the padding.
    pub fn borders_only(covered: &Coverage, size: u32, order: &[Tile]) -> SheetPadding {
        let borders = covered.borders();
        let border_rows = (0..=size).map(|y| borders.partition_point(|&b| b < y.saturating_mul(size)) as u32).collect();
        let (tile_starts, in_tile) = (vec![0], Vec::with_capacity(borders.len()));
        let size = size as usize;
        let mut sheet = SheetPadding { size, borders, border_rows, tile_starts, in_tile, reach: Some(0), rows: None };
        sheet.sort_into(order, covered);
        sheet
    }

    fn sort_into(&mut self, order: &[Tile], covered: &Coverage) {
        let mut is_border = Coverage::new(self.size as u32);
        self.borders.iter().for_each(|&texel| is_border.set(texel));
        for tile in order {
            let mut covered_before = 0;
            for y in tile.y as usize..(tile.y + tile.height) as usize {
                for x in tile.x as usize..(tile.x + tile.width) as usize {
                    let texel = y * self.size + x;
                    if is_border.get(texel) {
                        self.in_tile.push((covered_before, self.number(texel as u32)));
                    }
                    covered_before += u32::from(covered.get(texel));
                }
            }
            self.tile_starts.push(self.in_tile.len() as u32);
        }
    }

    fn padded(&self, covered: &Coverage) -> Option<PaddedRows> {
        let mut rows = PaddedRows { starts: vec![0], x: Vec::new(), from: Vec::new() };
        let mut walk = PaddingRows::new(covered, self.reach);
        let mut sources = vec![NO_SOURCE; self.size];
        for y in 0..self.size {
            walk.next_row(&mut sources);
            self.each_of(&sources, y, |x, from| {
                rows.x.push(x as u16);
                rows.from.push(from);
            });
            rows.starts.push(rows.x.len() as u32);
            if rows.x.len() > MOST_HELD {
                return None;
            }
        }
        Some(rows)
    }

    fn each_of(&self, sources: &[u32], y: usize, mut each: impl FnMut(usize, u32)) {
        for (x, &source) in sources.iter().enumerate() {
            if source != NO_SOURCE && source as usize != y * self.size + x {
                each(x, self.number(source));
            }
        }
    }

    /// Place in `borders` of a texel that is one.
    fn number(&self, texel: u32) -> u32 {
        let row = texel as usize / self.size;
        let (from, to) = (self.border_rows[row] as usize, self.border_rows[row + 1] as usize);
        (from + self.borders[from..to].partition_point(|&b| b < texel)) as u32
    }

    /// Place in `borders` of a texel; None where it is not one.
    pub fn border_at(&self, x: usize, y: usize) -> Option<usize> {
        let row = self.border_rows[y] as usize..self.border_rows[y + 1] as usize;
        let at = self.borders[row.clone()].binary_search(&((y * self.size + x) as u32)).ok()?;
        Some(row.start + at)
    }

    /// How many texels padding may copy.
    pub fn borders(&self) -> usize {
        self.borders.len()
    }

    /// Those that lie in a tile: which of its covered texels each is, and its place among all.
    pub fn in_tile(&self, tile: usize) -> &[(u32, u32)] {
        &self.in_tile[self.tile_starts[tile] as usize..self.tile_starts[tile + 1] as usize]
    }

    /// Calls `each` with every padded texel of row after row: x, y, and the place among the borders of what it copies. Give the
    /// rows from the top, with one `walk` for all of them.
    pub fn rows<'a>(
        &'a self,
        covered: &'a Coverage,
        walk: &mut Option<PaddingRows<'a>>,
        rows: std::ops::Range<usize>,
        mut each: impl FnMut(usize, usize, usize),
    ) {
        let Some(held) = &self.rows else {
            let walk = walk.get_or_insert_with(|| PaddingRows::new(covered, self.reach));
            let mut sources = vec![NO_SOURCE; self.size];
            for y in rows {
                walk.next_row(&mut sources);
                self.each_of(&sources, y, |x, from| each(x, y, from as usize));
            }
            return;
        };
        for y in rows {
            for at in held.starts[y] as usize..held.starts[y + 1] as usize {
                each(usize::from(held.x[at]), y, held.from[at] as usize);
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::sheet::tiles_in_morton_order;

    #[test]
    fn held_rows_are_those_that_are_worked_out_one_by_one() {
        let size = 100;
        let mut covered = Coverage::new(size);
        (0..size * size)
            .filter(|t| (t * 7919) % 97 < 3 || (t / size > 40 && t % size > 70))
            .for_each(|t| covered.set(t));
        let order = tiles_in_morton_order(size);
        for padding in [Padding::Texels(3), Padding::All] {
            let held = SheetPadding::new(&covered, size, padding, &order).expect("padded");
            let fresh =
                SheetPadding { rows: None, ..SheetPadding::new(&covered, size, padding, &order).expect("padded") };
            let all = |sheet: &SheetPadding| {
                let (mut walk, mut found) = (None, Vec::new());
                for top in (0..100).step_by(30) {
                    sheet.rows(&covered, &mut walk, top..(top + 30).min(100), |x, y, from| found.push((x, y, from)));
                }
                found
            };
            assert_eq!(all(&held), all(&fresh));
            assert!(all(&held).len() > 1000);
            // Each border stands in its tile once.
            let mut numbers: Vec<u32> = (0..order.len()).flat_map(|t| held.in_tile(t)).map(|(_, n)| *n).collect();
            numbers.sort_unstable();
            assert!(numbers.iter().copied().eq(0..held.borders() as u32));
        }
        assert!(SheetPadding::new(&covered, size, Padding::Texels(0), &order).is_none());
    }
}
