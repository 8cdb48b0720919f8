//! Sheets that hold far more or fewer texels than a picture that is moved onto them.

use crate::finding::{Finding, FindingKind, Severity};
use crate::mesh::{Laid, Mesh};

/// A sheet this many times finer or coarser than the picture, along a side, is told of.
const UNLIKE: f64 = 2.0;

/// A map and what it is moved between.
pub struct MovedPicture<'a> {
    /// The map's label.
    pub map: &'a str,
    pub low: &'a Mesh,
    pub high: &'a Mesh,
    /// Texels per side of a sheet.
    pub size: u32,
}

impl MovedPicture<'_> {
    /// A note when the sheets hold far more or fewer texels than the picture of the sculpt's triangles, by the density of both on
    /// the surface, averaged over area.
    pub fn finding<'b>(&self, pictures: impl Fn(u32) -> Option<&'b Laid>) -> Option<Finding> {
        let &MovedPicture { map, low, high, size } = self;
        let area = |mesh: &Mesh, t: u32| f64::from(mesh.area_normal(t).length());
        let size = f64::from(size);
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
                    "{map}: the sheet has {ratio:.1} times as many texels per side as {picture}, so it shows no more detail"
                ),
                format!("A sheet of about {fitting:.0} texels per side shows as much"),
            )
        } else if ratio * UNLIKE < 1.0 {
            (
                format!(
                    "{map}: {picture} has {:.1} times as many texels per side as the sheet, so fine detail is averaged away",
                    1.0 / ratio
                ),
                format!("A sheet of about {fitting:.0} texels per side keeps it"),
            )
        } else {
            return None;
        };
        Some(Finding::new(FindingKind::PictureTexels, Severity::Note, reason, remedy))
    }
}
