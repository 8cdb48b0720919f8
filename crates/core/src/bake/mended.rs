//! Mends of a bake: drawn onto its maps once all tiles are there, and kept beside what lies beneath them.

use super::canvas::Landed;
use super::outcome::Outcome;
use super::plan::Plan;
use crate::finding::{Finding, Place, worst_first};
use crate::hits::TileNumber;
use crate::inspect::{mend_ground, mend_idle};
use crate::mend::{Changed, MapTexels, MendMap, MendScene, Mended};

/// A map of a bake as mends find it.
struct Beneath<'a> {
    outcome: &'a Outcome,
    map: usize,
}

impl Beneath<'_> {
    /// Covered texels of a tile, by number within it.
    fn covered(&self, sheet: usize, tile: usize) -> impl Iterator<Item = usize> + '_ {
        let (rect, size) = (self.outcome.tiles()[tile], self.outcome.size);
        let covered = self.outcome.covered(sheet);
        (0..rect.texels()).filter(move |texel| covered.get(rect.texel_on_sheet(*texel, size) as usize))
    }
}

impl MapTexels for Beneath<'_> {
    fn tile(&self, sheet: usize, tile: usize) -> Result<Vec<f32>, String> {
        let channels = self.outcome.maps[self.map].facts.shape.channels;
        let packed = self.outcome.beneath(self.map, TileNumber { sheet, tile })?;
        let mut values = vec![0.0; self.outcome.tiles()[tile].texels() * channels];
        for (texel, value) in self.covered(sheet, tile).zip(packed.chunks_exact(channels)) {
            values[texel * channels..(texel + 1) * channels].copy_from_slice(value);
        }
        Ok(values)
    }

    fn covers(&self, sheet: usize, texel: usize) -> bool {
        self.outcome.covered(sheet).get(texel)
    }
}

impl Outcome {
    /// Draws the recipe's mends onto its maps; what of it is to be told goes into the report.
    ///
    /// # Errors
    /// Why finished tiles cannot be read.
    pub(super) fn mend(&mut self, plan: &Plan) -> Result<(), String> {
        let mends = &plan.recipe.mends;
        let wanted = |map: &usize| self.maps[*map].error.is_none() && mends.touch(self.maps[*map].facts.key());
        let numbers: Vec<usize> = (0..self.maps.len()).filter(wanted).collect();
        if numbers.is_empty() {
            return Ok(());
        }
        let scene = MendScene::new(&plan.rays.scene, &plan.rays.sheets, plan.recipe.sheet.layout);
        let diagonal = plan.rays.scene.diagonal();
        let beneath: Vec<Beneath> = numbers.iter().map(|map| Beneath { outcome: self, map: *map }).collect();
        let maps: Vec<(MendMap, &dyn MapTexels)> = beneath
            .iter()
            .map(|beneath| {
                let baked = &self.maps[beneath.map];
                let extreme = self.report.maps.get(baked.facts.key()).and_then(|told| told.extreme);
                (MendMap::new(&baked.facts.settings, diagonal, baked.scale, extreme), beneath as &dyn MapTexels)
            })
            .collect();
        let mended = scene.mend(mends, &maps)?;
        drop(maps);
        let landed: Vec<_> =
            beneath.iter().zip(&mended).map(|(beneath, mended)| self.pack(beneath, mended, plan)).collect();
        drop(beneath);
        for ((map, mended), packed) in numbers.into_iter().zip(mended).zip(landed) {
            self.mended[map] = packed;
            let facts = &self.maps[map].facts;
            if let Some(entry) = self.report.maps.get_mut(facts.key()) {
                let own = mends.shown().filter(|(_, mend)| mend.maps.iter().any(|key| key == facts.key()));
                entry.mends = own.count() - mended.idle.len();
            }
            self.report.findings.extend(findings(&mended, facts.label()));
        }
        worst_first(&mut self.report.findings);
        Ok(())
    }

    /// Tiles that mends changed, packed as the others are; the small picture shows them too.
    fn pack(
        &self,
        beneath: &Beneath,
        mended: &Mended,
        plan: &Plan,
    ) -> std::collections::BTreeMap<(usize, usize), Vec<u8>> {
        let facts = &self.maps[beneath.map].facts;
        let channels = facts.shape.channels;
        let packed = mended.tiles.iter().map(|(&(sheet, tile), values)| {
            let covered: Vec<u32> = beneath.covered(sheet, tile).map(|texel| texel as u32).collect();
            let shown: Vec<f32> =
                covered.iter().flat_map(|texel| &values[*texel as usize * channels..][..channels]).copied().collect();
            let rect = &plan.rays.sheets[sheet].tiles[tile];
            let landed = Landed { sheet, tile: rect, covered: &covered, values: &shown, extreme: 0.0 };
            self.canvas.put(beneath.map, &landed);
            ((sheet, tile), facts.stored.pack(&shown))
        });
        packed.collect()
    }
}

fn findings(mended: &Mended, label: &str) -> Vec<Finding> {
    let ground = mended.changed.iter().map(|&Changed { stroke, far, degrees, place }| {
        let by = if degrees { format!("{far:.1} degrees") } else { format!("{:.0} % of its range", far * 100.0) };
        let place = Place { point: Some(place.to_array()), ..Place::default() };
        mend_ground(stroke + 1, label, &by).at(place)
    });
    ground.chain(mended.idle.iter().map(|stroke| mend_idle(stroke + 1, label))).collect()
}
