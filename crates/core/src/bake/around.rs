//! What lies around a region that is baked by itself: the maps of an earlier run, read at any size.

use super::facts::MapFacts;
use crate::picture::Image;
use crate::sheet::Tile;
use std::collections::BTreeMap;

/// Maps of an earlier run by their names in its recipe, as they were before mends.
#[derive(Default)]
pub struct Around {
    pub maps: BTreeMap<String, AroundMap>,
}

/// One map of it.
pub struct AroundMap {
    /// By sheet.
    pub sheets: Vec<Image>,
    /// Heights: from black to white, scene units; none where the file holds them.
    pub scale: Option<f32>,
}

impl Around {
    /// Values of covered texels of a tile of a sheet of `size` texels per side, one after the other; heights in scene units. Where the run
    /// has no such map, what stands outside of islands. Pictures of the same size are taken over texel by texel, others between their texels,
    /// flat colours from the nearest.
    pub(super) fn values(
        &self,
        facts: &MapFacts,
        sheet: usize,
        (tile, size): (&Tile, u32),
        covered: &[u32],
    ) -> Vec<f32> {
        let channels = facts.shape.channels;
        let earlier = self.maps.get(facts.key());
        let picture = earlier.and_then(|map| map.sheets.get(sheet));
        let Some((earlier, picture)) = earlier.zip(picture) else {
            let neutral = if facts.heights() { &[0.0; 4][..channels] } else { facts.shape.neutral };
            return neutral.repeat(covered.len());
        };
        let at = |texel: u32| {
            let (x, y) = (tile.x + texel % tile.width, tile.y + texel / tile.width);
            let value = at(picture, [x, y].map(|i| (i as f32 + 0.5) / size as f32), facts.kind().flat);
            value.map(|value| match earlier.scale {
                Some(scale) if facts.heights() => (value - 0.5) * scale,
                _ => value,
            })
        };
        covered.iter().flat_map(|texel| at(*texel).into_iter().take(channels)).collect()
    }
}

/// What a picture holds at a place, from its top left corner, each side 1 long.
fn at(picture: &Image, place: [f32; 2], nearest: bool) -> [f32; 4] {
    let (width, height) = (picture.width, picture.height);
    let inside = |at: f32, length: u32| at.clamp(0.0, length as f32 - 1.0) as u32;
    let [x, y] = [place[0] * width as f32, place[1] * height as f32];
    if nearest {
        return picture.texel(inside(x.floor(), width), inside(y.floor(), height));
    }
    let (x, y) = (x - 0.5, y - 0.5);
    let (left, top) = (x.floor(), y.floor());
    let mut sum = [0.0; 4];
    for (dx, dy) in [(0.0, 0.0), (1.0, 0.0), (0.0, 1.0), (1.0, 1.0)] {
        let of = |step: f32, share: f32| if step == 0.0 { 1.0 - share } else { share };
        let weight = of(dx, x - left) * of(dy, y - top);
        if weight > 0.0 {
            let texel = picture.texel(inside(left + dx, width), inside(top + dy, height));
            sum.iter_mut().zip(texel).for_each(|(sum, value)| *sum += weight * value);
        }
    }
    sum
}
