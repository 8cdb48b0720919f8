//! Part of a run's sheets, to be baked by itself into an earlier picture.

use super::Tile;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Rectangles of one region, at most.
pub const MOST_RECTANGLES: usize = 256;

/// What is baked of a run's sheets; everything else is taken over from an earlier run.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Region {
    /// Number of the asset's run that everything else comes from; none where that is said otherwise.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub run: Option<i64>,
    pub rectangles: Vec<RegionRectangle>,
}

/// A rectangle of a sheet, in UV units of that sheet, origin bottom-left.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct RegionRectangle {
    /// Which sheet of the run, counted from 0.
    #[serde(default)]
    pub sheet: u32,
    /// Lower left corner, 0 to 1.
    pub from: [f32; 2],
    /// Upper right corner, 0 to 1.
    pub to: [f32; 2],
}

impl Region {
    /// # Errors
    /// What it holds, what it may hold.
    pub fn validate(&self) -> Result<(), String> {
        if self.rectangles.is_empty() || self.rectangles.len() > MOST_RECTANGLES {
            let count = self.rectangles.len();
            return Err(format!("region.rectangles has {count}; give 1 to {MOST_RECTANGLES}"));
        }
        for (i, RegionRectangle { from, to, .. }) in self.rectangles.iter().enumerate() {
            let inside = from.iter().chain(to).all(|x| (0.0..=1.0).contains(x));
            if !inside || from[0] >= to[0] || from[1] >= to[1] {
                return Err(format!(
                    "region.rectangles: number {} goes from {from:?} to {to:?}; give corners within 0 to 1, the lower left one first",
                    i + 1
                ));
            }
        }
        Ok(())
    }

    /// Whether it touches a tile of a sheet of `size` texels per side: such tiles are baked whole.
    pub fn touches(&self, sheet: usize, tile: &Tile, size: u32) -> bool {
        let size = size as f32;
        self.rectangles.iter().filter(|rectangle| rectangle.sheet as usize == sheet).any(|rectangle| {
            let [left, right] = [rectangle.from[0] * size, rectangle.to[0] * size];
            let [top, bottom] = [(1.0 - rectangle.to[1]) * size, (1.0 - rectangle.from[1]) * size];
            left < (tile.x + tile.width) as f32
                && right > tile.x as f32
                && top < (tile.y + tile.height) as f32
                && bottom > tile.y as f32
        })
    }

    /// Share of `sheets` sheets of `size` texels per side that is baked.
    pub fn share(&self, sheets: usize, size: u32) -> f32 {
        let tiles = super::tiles_in_morton_order(size);
        let all = (sheets * tiles.len()).max(1);
        let touched = (0..sheets).flat_map(|sheet| tiles.iter().filter(move |tile| self.touches(sheet, tile, size)));
        touched.count() as f32 / all as f32
    }

    /// "region of 3 % into run 5", on a sheet of `size` texels per side: a share of the sheets that it lies on.
    pub fn words(&self, size: u32) -> String {
        let mut sheets: Vec<u32> = self.rectangles.iter().map(|rectangle| rectangle.sheet).collect();
        sheets.sort_unstable();
        sheets.dedup();
        let last = sheets.last().map_or(1, |last| *last as usize + 1);
        let share = 100.0 * self.share(last, size) * last as f32 / sheets.len().max(1) as f32;
        let share = if share < 1.0 { format!("{share:.1}") } else { format!("{share:.0}") };
        let into = self.run.map_or_else(|| "an earlier bake".to_owned(), |run| format!("run {run}"));
        format!("region of {share} % into {into}")
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn region(from: [f32; 2], to: [f32; 2]) -> Region {
        Region { run: Some(5), rectangles: vec![RegionRectangle { sheet: 0, from, to }] }
    }

    #[test]
    fn tiles_that_a_rectangle_reaches_into_are_touched() {
        // Four by four tiles; the rectangle lies in the third column, rows two and three from the top.
        let region = region([0.5, 0.3], [0.7, 0.7]);
        let touched: Vec<[u32; 2]> = super::super::tiles_in_morton_order(128)
            .iter()
            .filter(|tile| region.touches(0, tile, 128))
            .map(|tile| [tile.x / 32, tile.y / 32])
            .collect();
        assert_eq!(touched, [[2, 1], [2, 2]]);
        assert!(!region.touches(1, &Tile { x: 64, y: 32, width: 32, height: 32 }, 128));
        assert_eq!(region.share(1, 128), 0.125);
        assert_eq!(region.words(128), "region of 12 % into run 5");
    }

    #[test]
    fn rectangles_are_checked() {
        assert_eq!(region([0.0, 0.0], [1.0, 1.0]).validate(), Ok(()));
        for (from, to) in [([0.5, 0.0], [0.5, 1.0]), ([0.0, -0.1], [1.0, 1.0]), ([0.0, 0.0], [f32::NAN, 1.0])] {
            assert!(region(from, to).validate().is_err_and(|told| told.contains("number 1")));
        }
        assert!(Region { run: None, rectangles: Vec::new() }.validate().is_err());
    }
}
