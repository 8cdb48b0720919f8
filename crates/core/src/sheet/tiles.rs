//! The sheet cut into square tiles, in Morton order, so that work that runs side by side lies side by side.

/// Texels along a tile's side.
pub const TILE: u32 = 32;

/// A rectangle of texels: `x`, `y` from the top left, at most [`TILE`] wide and high.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Tile {
    pub x: u32,
    pub y: u32,
    pub width: u32,
    pub height: u32,
}

impl Tile {
    pub fn texels(&self) -> usize {
        (self.width * self.height) as usize
    }
}

/// All tiles of a sheet `size` texels wide and high, along a Z-shaped curve.
pub fn tiles_in_morton_order(size: u32) -> Vec<Tile> {
    let across = size.div_ceil(TILE);
    let mut order: Vec<(u64, u32, u32)> =
        (0..across).flat_map(|y| (0..across).map(move |x| (spread(x) | spread(y) << 1, x, y))).collect();
    order.sort_unstable();
    order
        .into_iter()
        .map(|(_, x, y)| {
            let (x, y) = (x * TILE, y * TILE);
            Tile { x, y, width: TILE.min(size - x), height: TILE.min(size - y) }
        })
        .collect()
}

fn spread(x: u32) -> u64 {
    (0..32).fold(0, |sum, bit| sum | u64::from(x >> bit & 1) << (2 * bit))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn tiles_cover_every_texel_once() {
        for size in [1, 31, 32, 33, 100, 256] {
            let mut seen = vec![0u8; (size * size) as usize];
            for tile in tiles_in_morton_order(size) {
                for y in tile.y..tile.y + tile.height {
                    for x in tile.x..tile.x + tile.width {
                        seen[(y * size + x) as usize] += 1;
                    }
                }
            }
            assert!(seen.iter().all(|&n| n == 1), "size {size}");
        }
    }
}
