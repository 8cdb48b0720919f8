//! The plumb mask as it lies on a sheet, for looking at.

use crate::bake::Plan;
use crate::picture::quantise;
use crate::sheet::rasterise_tile;

impl Plan {
    /// Plumb weights of a sheet's texels, rows from the top, 0 to 255; 0 where no low-poly lies. None for an unknown sheet.
    pub fn plumb_picture(&self, sheet: usize) -> Option<Vec<u8>> {
        let plan = self.rays.sheets.get(sheet)?;
        let size = self.recipe.sheet.size as usize;
        let mut rows = vec![0u8; size * size];
        for (tile, candidates) in plan.tiles.iter().zip(plan.candidates.iter()).filter(|(_, c)| !c.is_empty()) {
            let samples = rasterise_tile(&plan.triangles, candidates, tile, &self.rays.derived.pattern);
            for texel in 0..tile.texels() {
                let own = samples.starts[texel] as usize..samples.starts[texel + 1] as usize;
                if own.is_empty() {
                    continue;
                }
                let weight = |s: usize| self.rays.field.plumb.at(samples.places[s]);
                let mean = own.clone().map(weight).sum::<f32>() / own.len() as f32;
                let (x, y) = (texel % tile.width as usize, texel / tile.width as usize);
                rows[(tile.y as usize + y) * size + tile.x as usize + x] = quantise(mean, 255.0) as u8;
            }
        }
        Some(rows)
    }
}
