//! What the sculpt carries where rays hit it, from its materials: read for each sample over the square of surface that the sample
//! stands for, and averaged.

use super::{MapKind, MapWork, Setup, TileWork};
use crate::bake::BakeScene;
use crate::finding::{Finding, FindingKind, Place, Severity};
use crate::mesh::{Laid, Mesh, Surface};
use crate::trace::Hit;
use glam::{Vec3, Vec4};

/// Side of the square of surface that one sample stands for, scene units. `per_unit`: samples along a UV unit.
pub(super) fn sample_side(scene: &BakeScene, low: u32, per_unit: f32) -> f32 {
    let mesh = &scene.low.mesh;
    let [a, b, c] = mesh.corner_uvs(low);
    let uv_area = (b - a).perp_dot(c - a).abs();
    if uv_area > 0.0 { (mesh.area_normal(low).length() / uv_area).sqrt() / per_unit } else { 0.0 }
}

/// Samples along a UV unit of the run's sheets.
pub(super) fn samples_along(tile: &TileWork) -> f32 {
    let sheet = &tile.plan.recipe.sheet;
    sheet.size as f32 * (sheet.samples as f32).sqrt()
}

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
            return Err(format!("the sculpt's file says nothing of {}; export it as .glb with its materials", kind.id));
        }
        let picture = |t| high.look_of(t).and_then(|look| (shown.picture)(look.surface.as_ref()?));
        let findings = texels_unlike(setup, kind.label, picture).into_iter().collect();
        Ok(CarriedTask { channels: kind.shape.channels, shown, findings })
    }

    fn at(&self, mesh: &Mesh, hit: &Hit, side: f32) -> Vec3 {
        let Some(surface) = mesh.look_of(hit.triangle).and_then(|look| look.surface.as_ref()) else {
            return self.shown.bare;
        };
        let picture = (self.shown.picture)(surface).and_then(|p| p.at(mesh, (hit.triangle, hit.v, hit.w), side));
        (self.shown.value)(surface, picture.unwrap_or(Vec4::ONE))
    }
}

impl MapWork for CarriedTask {
    fn evaluate(&self, tile: &mut TileWork, out: &mut [f32]) {
        let (scene, hits, per_unit) = (tile.scene(), tile.hits, samples_along(tile));
        for (texel, samples) in tile.wanted_texels() {
            let (mut sum, mut count) = (Vec3::ZERO, 0);
            for s in samples {
                let Some(hit) = hits.hit(s) else { continue };
                sum += self.at(&scene.high, &hit, sample_side(scene, hits.low(s).0, per_unit));
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

/// A sheet this many times finer or coarser than the picture, along a side, is told of.
const UNLIKE: f64 = 2.0;

/// A note when the sheets hold far more or fewer texels than a picture that the map of this `label` is taken from, by the density
/// of both on the surface, averaged over area.
pub(super) fn texels_unlike<'a>(
    setup: &Setup,
    label: &str,
    pictures: impl Fn(u32) -> Option<&'a Laid>,
) -> Option<Finding> {
    let (low, high) = (&setup.scene.low.mesh, &*setup.scene.high);
    let area = |mesh: &Mesh, t: u32| f64::from(mesh.area_normal(t).length());
    let size = f64::from(setup.recipe.sheet.size);
    let (mut sheet, mut sheet_area) = (0.0, 0.0);
    for t in 0..low.triangles.len() as u32 {
        let [a, b, c] = low.corner_uvs(t);
        sheet += f64::from((b - a).perp_dot(c - a).abs()) * size * size;
        sheet_area += area(low, t);
    }
    let (mut picture, mut picture_area, mut sides) = (0.0, 0.0, [0, 0]);
    for t in 0..high.triangles.len() as u32 {
        let Some(laid) = pictures(t) else { continue };
        picture += laid.texels_on(high, t);
        picture_area += area(high, t);
        sides = [sides[0].max(laid.image.width), sides[1].max(laid.image.height)];
    }
    if sheet <= 0.0 || picture <= 0.0 || sheet_area <= 0.0 || picture_area <= 0.0 {
        return None;
    }
    // Along a side.
    let ratio = ((sheet / sheet_area) / (picture / picture_area)).sqrt();
    let fitting = size / ratio;
    let picture = format!("the picture it is taken from ({} x {})", sides[0], sides[1]);
    let (reason, remedy) = if ratio > UNLIKE {
        (
            format!(
                "{label}: the sheet has {ratio:.1} times as many texels per side as {picture}, so it shows no more detail"
            ),
            format!("A sheet of about {fitting:.0} texels per side shows as much"),
        )
    } else if ratio * UNLIKE < 1.0 {
        (
            format!(
                "{label}: {picture} has {:.1} times as many texels per side as the sheet, so fine detail is averaged away",
                1.0 / ratio
            ),
            format!("A sheet of about {fitting:.0} texels per side keeps it"),
        )
    } else {
        return None;
    };
    Some(Finding {
        fixes: Vec::new(),
        allowed: None,
        kind: FindingKind::PictureTexels,
        severity: Severity::Note,
        place: Place::default(),
        reason,
        remedy,
    })
}
