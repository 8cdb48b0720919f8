//! Drawing mends: strokes over the low-poly onto the texels of maps, in their order, and what of it is to be told.

use super::field::{Field, MapTexels, MendedTiles};
use super::footprint::{Laid, lay};
use super::settings::{Mend, Mends};
use super::space::{Space, base};
use super::tools::draw;
use crate::maps::{MapSettings, Reads};
use crate::mesh::SurfaceWalk;
use crate::reach::LowSurface;
use crate::scene::BakeScene;
use crate::sheet::{Layout, SheetPlan, SheetTable, sheet_table};
use crate::surface::MeshPoint;
use crate::trace::TraceScene;
use glam::{Vec3, Vec4};
use rayon::prelude::*;

/// A low-poly on its sheets, made ready for strokes.
pub struct MendScene<'a> {
    pub(super) low: &'a LowSurface,
    pub(super) trace: &'a TraceScene,
    pub(super) sheets: &'a [SheetPlan],
    pub(super) walk: SurfaceWalk<'a>,
    table: SheetTable,
}

/// A map that is mended.
#[derive(Clone, Debug)]
pub struct MendMap {
    pub key: String,
    pub(super) space: Space,
    pub(super) channels: usize,
    /// Its colours stand for something, and are not mixed.
    pub(super) flat: bool,
    pub(super) reads: Reads,
    /// The furthest that heights may go either way, scene units; none where the file holds any.
    pub(super) furthest: Option<f32>,
    /// From the lowest height to the highest, scene units.
    span: f32,
}

/// A stroke whose ground has changed since it was made.
#[derive(Clone, Debug, PartialEq)]
pub struct Changed {
    /// Number of the stroke, from 0.
    pub stroke: usize,
    /// How far what lies beneath is from what lay there, at the place where that is furthest: degrees of directions, and a share of the range
    /// of other maps.
    pub far: f32,
    pub degrees: bool,
    pub place: Vec3,
}

/// What mends made of a map.
pub struct Mended {
    pub tiles: MendedTiles,
    pub changed: Vec<Changed>,
    /// Numbers of strokes that touch nothing, such as where the mesh has changed.
    pub idle: Vec<usize>,
}

/// Places of a stroke at which it remembers what lay beneath, at most.
const REMEMBERED: usize = 12;
/// What lies beneath has changed where it is this much off: degrees of directions, and the share of the range of other maps.
const DEGREES_OFF: f32 = 5.0;
const SHARE_OFF: f32 = 0.06;

impl MendMap {
    /// `diagonal`: of the asset, scene units. `scale` and `extreme` of heights, as the report of the bake tells them.
    pub fn new(map: &MapSettings, diagonal: f32, scale: Option<f32>, extreme: Option<f32>) -> MendMap {
        MendMap {
            furthest: scale.map(|scale| scale * 0.5),
            span: scale.or(extreme.map(|extreme| extreme * 2.0)).filter(|span| *span > 0.0).unwrap_or(diagonal),
            key: map.key(),
            space: Space::of(map),
            channels: map.shape().channels,
            flat: map.kind().flat,
            reads: map.reads(diagonal),
        }
    }

    /// A step of its range: what a number of 1 is a share of.
    fn range(&self) -> f32 {
        match self.reads {
            Reads::Height => self.span,
            Reads::Direction { .. } | Reads::Number { .. } | Reads::Color => 1.0,
        }
    }

    /// How far two remembered values are apart: degrees of directions, a share of the range of others.
    fn apart(&self, a: &[f32], b: &[f32]) -> f32 {
        if self.space.directions() {
            let way = |v: &[f32]| Vec3::new(v[0], v[1], v[2]).normalize_or_zero();
            if a.len() < 3 || b.len() < 3 { 180.0 } else { way(a).angle_between(way(b)).to_degrees() }
        } else {
            a.iter().zip(b).map(|(a, b)| (a - b).abs()).fold(0.0, f32::max) / self.range()
        }
    }
}

impl<'a> MendScene<'a> {
    pub fn new(scene: &'a BakeScene, sheets: &'a [SheetPlan], layout: Layout) -> MendScene<'a> {
        let names: Vec<String> = sheets.iter().map(|sheet| sheet.name.label()).collect();
        MendScene {
            low: &scene.low,
            trace: scene.low_trace(),
            sheets,
            walk: SurfaceWalk::new(&scene.low.mesh),
            table: sheet_table(&scene.low.mesh, layout, &names),
        }
    }

    /// Draws the mends of a recipe onto maps, each with the texels that lie beneath; in the order of the maps. Maps are worked on beside each
    /// other.
    ///
    /// # Errors
    /// Why what lies beneath cannot be read.
    pub fn mend(&self, mends: &Mends, maps: &[(MendMap, &dyn MapTexels)]) -> Result<Vec<Mended>, String> {
        struct Work<'w> {
            field: Field<'w>,
            changed: Vec<Changed>,
            idle: Vec<usize>,
        }
        let begun = maps.iter().map(|(map, beneath)| Work {
            field: Field::new(*beneath, self.sheets, map.channels),
            changed: Vec::new(),
            idle: Vec::new(),
        });
        let mut work: Vec<Work> = begun.collect();
        for (number, mend) in mends.shown().filter(|(_, mend)| maps.iter().any(|(map, _)| mend.maps.contains(&map.key)))
        {
            let laid = lay(self, mend);
            work.par_iter_mut().zip(maps).filter(|(_, (map, _))| mend.maps.contains(&map.key)).for_each(
                |(Work { field, changed, idle }, (map, beneath))| {
                    if laid.spots.is_empty() {
                        idle.push(number);
                        return;
                    }
                    changed.extend(self.change(number, &laid, map, *beneath));
                    draw(self, &laid, map, field);
                },
            );
        }
        let finish = |work: Work| Ok(Mended { tiles: work.field.finish()?, changed: work.changed, idle: work.idle });
        work.into_iter().map(finish).collect()
    }

    /// What lies beneath a stroke on a map, to be remembered with it: empty where it touches nothing.
    ///
    /// # Errors
    /// Why what lies beneath cannot be read.
    pub fn beneath(&self, mend: &Mend, map: &MendMap, texels: &dyn MapTexels) -> Result<Vec<Vec<f32>>, String> {
        let field = Field::new(texels, self.sheets, map.channels);
        let laid = lay(self, mend);
        let found = self.remembered(&laid, map, &field).into_iter().map(|(_, value)| value).collect();
        field.finish().map(|_| found)
    }

    /// A few places along a stroke, with the mean of the map around each.
    fn remembered(&self, laid: &Laid, map: &MendMap, field: &Field) -> Vec<(Vec3, Vec<f32>)> {
        let count = laid.dabs.len().min(REMEMBERED);
        let places = (0..count).map(|n| &laid.dabs[n * laid.dabs.len() / count]);
        let mean = places.map(|dab| {
            let (mut sum, mut whole) = (Vec4::ZERO, 0.0);
            for spot in &laid.spots {
                let weight = laid.weight(self, dab, spot.at, spot.position);
                if weight > 0.0
                    && let Some(value) = self.value(map, field, spot.texel.sheet, (spot.texel.x, spot.texel.y), spot.at)
                {
                    sum += value * weight;
                    whole += weight;
                }
            }
            let mean = if whole > 0.0 { sum / whole } else { Vec4::ZERO };
            // As many digits as tell a change: the recipe is read by people too.
            let short = |n: f32| format!("{n:.4}").parse().unwrap_or(n);
            (
                dab.around.source(),
                mean.to_array()[..map.space.numbers(map.channels)].iter().copied().map(short).collect(),
            )
        });
        mean.collect()
    }

    /// Whether what lies beneath a stroke has changed since it was made.
    fn change(&self, stroke: usize, laid: &Laid, map: &MendMap, beneath: &dyn MapTexels) -> Option<Changed> {
        let before = laid.mend.beneath.get(&map.key).filter(|before| !before.is_empty())?;
        let field = Field::new(beneath, self.sheets, map.channels);
        let now = self.remembered(laid, map, &field);
        let off = now.iter().zip(before).map(|((place, now), before)| (map.apart(now, before), *place));
        let (far, place) = off.max_by(|a, b| a.0.total_cmp(&b.0))?;
        let degrees = map.space.directions();
        (far > if degrees { DEGREES_OFF } else { SHARE_OFF }).then_some(Changed { stroke, far, degrees, place })
    }

    /// A texel as something that can be mixed.
    pub(super) fn value(
        &self,
        map: &MendMap,
        field: &Field,
        sheet: u32,
        (x, y): (u32, u32),
        at: MeshPoint,
    ) -> Option<Vec4> {
        map.space.open(field.get(sheet, x.into(), y.into())?, self.low, at)
    }

    /// The map at any place of the low surface, between texels; of maps that are not mixed, the nearest texel.
    pub(super) fn sample(&self, map: &MendMap, field: &Field, at: MeshPoint) -> Option<(Vec4, Vec3)> {
        let sheet = self.table.of[at.triangle as usize]?;
        let [left, bottom] = self.table.corners[sheet as usize];
        let size = self.sheets[sheet as usize].triangles.size as f32;
        let uv = at.between(self.low.mesh.corner_uvs(at.triangle));
        let (u, v) = ((uv.x - left as f32) * size, (1.0 - uv.y + bottom as f32) * size);
        let (column, row) = ((u - 0.5).floor(), (v - 0.5).floor());
        let (fx, fy) = (u - 0.5 - column, v - 0.5 - row);
        let corners =
            [(0, 0, (1.0 - fx) * (1.0 - fy)), (1, 0, fx * (1.0 - fy)), (0, 1, (1.0 - fx) * fy), (1, 1, fx * fy)];
        let read = |&(dx, dy, weight): &(i64, i64, f32)| {
            let raw = field.get(sheet, column as i64 + dx, row as i64 + dy)?;
            Some((map.space.open(raw, self.low, at)?, weight))
        };
        let found = corners.iter().filter_map(read);
        let value = if map.flat {
            found.max_by(|a, b| a.1.total_cmp(&b.1))?.0
        } else {
            let (sum, whole) =
                found.fold((Vec4::ZERO, 0.0), |(sum, whole), (value, weight)| (sum + value * weight, whole + weight));
            if whole <= 0.0 {
                return None;
            }
            sum / whole
        };
        Some((value, base(self.low, at)))
    }

    /// The place of the low surface nearest to a point, no further than `most`.
    pub(super) fn nearest(&self, point: Vec3, most: f32) -> Option<MeshPoint> {
        Some(self.trace.nearest(point, most, |_| true)?.at)
    }
}
