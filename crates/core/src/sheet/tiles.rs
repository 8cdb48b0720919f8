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

    /// Number of its texel `texel` within its sheet of `size` texels per side.
    pub fn texel_on_sheet(&self, texel: usize, size: u32) -> u32 {
        let (x, y) = (texel as u32 % self.width + self.x, texel as u32 / self.width + self.y);
        y * size + x
    }

    /// Number of one of its texels along a Z-shaped curve: texels whose numbers are near each other lie near each other.
    pub fn place_on_curve(&self, texel: usize) -> u32 {
        let (x, y) = (texel as u32 % self.width, texel as u32 / self.width);
        spread(x) as u32 | (spread(y) as u32) << 1
    }

    /// Its texels along that curve.
    pub fn texels_on_curve(&self) -> impl Iterator<Item = usize> + use<> {
        let (width, height) = (self.width, self.height);
        (0..TILE * TILE).filter_map(move |place| {
            let (x, y) = (gathered(place), gathered(place >> 1));
            (x < width && y < height).then_some((y * width + x) as usize)
        })
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

/// The bits of a number with gaps between them.
fn spread(x: u32) -> u64 {
    (0..32).fold(0, |sum, bit| sum | u64::from(x >> bit & 1) << (2 * bit))
}

/// Every other bit of a place in a tile, from the lowest on.
fn gathered(place: u32) -> u32 {
    (0..TILE.ilog2()).fold(0, |sum, bit| sum | (place >> (2 * bit) & 1) << bit)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_tiles_curve_visits_each_texel_once_in_order() {
        for (width, height) in [(32, 32), (32, 5), (3, 7), (1, 1)] {
            let tile = Tile { x: 64, y: 32, width, height };
            let along: Vec<usize> = tile.texels_on_curve().collect();
            assert!(along.is_sorted_by_key(|&texel| tile.place_on_curve(texel)), "{width} x {height}");
            let mut texels = along.clone();
            texels.sort_unstable();
            assert!(texels.into_iter().eq(0..tile.texels()), "{width} x {height}");
        }
    }

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
