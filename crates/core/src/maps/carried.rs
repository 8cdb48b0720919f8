//! What the sculpt carries where rays hit it, from its materials: read for each sample over the square of surface that the sample
//! stands for, and averaged.

use super::{MapKind, MapWork, Setup, TileWork};
use crate::finding::Finding;
use crate::hits::Resolved;
use crate::inspect::MovedPicture;
use crate::mesh::{Laid, Surface};
use glam::{Vec3, Vec4};

/// What of a surface a map shows.
pub(super) struct Shown {
    /// The value where the file says nothing of the surface.
    pub bare: Vec3,
    /// The picture that the value is multiplied with.
    pub picture: fn(&Surface) -> Option<&Laid>,
    /// The value of a surface, with the picture's linear light and alpha at the hit (ones without a picture).
    pub value: fn(&Surface, Vec4) -> Vec3,
    /// From the mean to what is written.
    pub written: fn(f32) -> f32,
}

/// The mean of one value over the hits of each texel.
pub(super) struct CarriedTask {
    channels: usize,
    shown: Shown,
    findings: Vec<Finding>,
}

impl CarriedTask {
    /// # Errors
    /// The sculpt's file tells of no surfaces.
    pub fn new(setup: &Setup, kind: &MapKind, shown: Shown) -> Result<CarriedTask, String> {
        setup.needs_sculpt()?;
        let high = &setup.scene.high;
        if !high.looks.iter().any(|look| look.surface.is_some()) {
            return Err(format!("the sculpt's file holds no {}; export it as .glb with its materials", kind.id));
        }
        let picture = |t| high.look_of(t).and_then(|look| (shown.picture)(look.surface.as_ref()?));
        let findings = texels_unlike(setup, kind.label, picture).into_iter().collect();
        Ok(CarriedTask { channels: kind.shape.channels, shown, findings })
    }

    fn at(&self, hit: &Resolved, s: usize) -> Vec3 {
        let Some(surface) = hit.look(s).and_then(|look| look.surface.as_ref()) else {
            return self.shown.bare;
        };
        let picture = (self.shown.picture)(surface).and_then(|picture| hit.light(s, picture));
        (self.shown.value)(surface, picture.unwrap_or(Vec4::ONE))
    }
}

impl MapWork for CarriedTask {
    fn evaluate(&self, tile: &mut TileWork, out: &mut [f32]) {
        for (texel, samples) in tile.wanted_texels() {
            let (mut sum, mut count) = (Vec3::ZERO, 0);
            for s in samples.filter(|s| tile.hits.is_hit(*s)) {
                sum += self.at(&tile.surface, s);
                count += 1;
            }
            if count > 0 {
                let mean = (sum / count as f32).to_array();
                let slots = out[texel * self.channels..(texel + 1) * self.channels].iter_mut();
                slots.zip(mean).for_each(|(slot, value)| *slot = (self.shown.written)(value));
            }
        }
    }

    fn findings(&self) -> &[Finding] {
        &self.findings
    }
}

/// A note when the sheets and the pictures that the map of this label is taken from differ much in texels.
pub(super) fn texels_unlike<'a>(
    setup: &Setup,
    map: &str,
    pictures: impl Fn(u32) -> Option<&'a Laid>,
) -> Option<Finding> {
    let scene = setup.scene;
    MovedPicture { map, low: &scene.low.mesh, high: &scene.high, size: setup.size }.finding(pictures)
}
