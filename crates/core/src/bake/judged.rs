//! What the finished maps of a bake show at their seams and at smaller sizes: judged once all tiles are there, mends drawn.

use super::mips::{Mixed, mixed};
use super::outcome::{Layer, Outcome};
use super::padding::SheetPadding;
use super::plan::Plan;
use crate::finding::{Finding, mark_allowed, worst_first};
use crate::inspect::{
    BledSheet, Seam, SeamedMap, TexelPlace, TroubledSheet, along_seam, bleeding, seam_difference, uv_seams,
};
use crate::maps::{Green, MapSettings, decode_normal};
use crate::sheet::{SheetTable, Tile, rasterise_tile, sample_pattern, sheet_table};
use crate::stop::Stop;
use crate::surface::{MeshPoint, degrees_between};
use glam::Vec2;
use rayon::prelude::*;

/// A smaller size bleeds where more than this share of its texels mix something in.
const BLEEDS: f64 = 0.02;

/// Sides of a seam may be so far apart: degrees; a share of the range of heights; of full range 1.
const DEGREES: f32 = 8.0;
const OF_HEIGHTS: f32 = 0.04;
const OF_VALUES: f32 = 0.12;
/// The texels around a place have to weigh so much in all.
const WEIGHED: f32 = 0.2;

/// How a map is read where two sides of it are compared.
enum Read {
    /// Directions about the low-poly's tangents.
    Tangent(Green),
    /// Heights: scene units to a unit of the file, and their whole range.
    Heights {
        unit: f32,
        range: f32,
    },
    Values,
}

/// Two sides of a place on a seam.
struct Apart {
    /// As a multiple of what they may be.
    factor: f32,
    /// In the map's unit.
    far: f32,
    at: MeshPoint,
}

/// The values of a map that lie at the borders of its islands, by sheet.
struct Borders<'a> {
    size: usize,
    channels: usize,
    paddings: &'a [SheetPadding],
    values: Vec<Vec<f32>>,
}

impl Borders<'_> {
    /// What lies on this side of a place, from the texels around it that are borders of islands.
    fn at(&self, sheet: usize, uv: Vec2) -> Option<[f32; 4]> {
        let padding = self.paddings.get(sheet)?;
        let place = Vec2::new(uv.x, 1.0 - uv.y) * self.size as f32 - 0.5;
        let (corner, share) = (place.floor(), place - place.floor());
        let (mut sum, mut whole) = ([0.0; 4], 0.0);
        for (dx, dy) in [(0, 0), (1, 0), (0, 1), (1, 1)] {
            let (x, y) = (corner.x as i64 + dx, corner.y as i64 + dy);
            let inside = (0..self.size as i64).contains(&x) && (0..self.size as i64).contains(&y);
            let Some(number) = inside.then(|| padding.border_at(x as usize, y as usize)).flatten() else { continue };
            let of = |at: i64, share: f32| if at == 0 { 1.0 - share } else { share };
            let weight = of(dx, share.x) * of(dy, share.y);
            let value = &self.values[sheet][number * self.channels..][..self.channels];
            sum.iter_mut().zip(value).for_each(|(sum, value)| *sum += weight * value);
            whole += weight;
        }
        (whole > WEIGHED).then(|| sum.map(|sum| sum / whole))
    }
}

impl Outcome {
    /// Looks at seams, and at smaller sizes unless it is a proof; what is found goes into the report.
    ///
    /// # Errors
    /// Why finished tiles cannot be read.
    pub(super) fn judge(&mut self, plan: &Plan, stop: Stop) -> Result<(), String> {
        let mut found = self.seams(plan, stop)?;
        if !plan.proof {
            found.extend((0..self.sheets.len()).filter_map(|sheet| self.bleeding(plan, sheet, stop)));
        }
        mark_allowed(&mut found, &plan.recipe.exceptions);
        self.report.findings.extend(found);
        worst_first(&mut self.report.findings);
        Ok(())
    }

    fn bleeding(&self, plan: &Plan, sheet: usize, stop: Stop) -> Option<Finding> {
        let levels = mixed(self.covered(sheet), self.size, plan.recipe.sheet.padding, stop);
        let bleeds = |mixed: &Mixed| mixed.any as f64 > BLEEDS * mixed.texels as f64;
        let (level, mixed) = (1..).zip(levels).find(|(_, mixed)| bleeds(mixed))?;
        let first = TexelPlace { sheet, texel: mixed.first?, at: surface_at(plan, sheet, mixed.first?)? };
        let name = self.sheets[sheet].label();
        let Mixed { texels, any, background, islands, .. } = mixed;
        let bled = BledSheet { name: &name, level, texels, any, background, islands, first };
        Some(bleeding(&troubled(plan), &bled))
    }

    fn seams(&self, plan: &Plan, stop: Stop) -> Result<Vec<Finding>, String> {
        let mesh = &plan.rays.scene.low.mesh;
        let seams = uv_seams(mesh);
        if seams.is_empty() || plan.recipe.repeats().is_some() {
            return Ok(Vec::new());
        }
        let labels: Vec<String> = self.sheets.iter().map(|sheet| sheet.label()).collect();
        let table = sheet_table(mesh, plan.recipe.sheet.layout, &labels);
        let borders_of = |sheet: usize| SheetPadding::borders_only(self.covered(sheet), self.size, self.tiles());
        let paddings: Vec<SheetPadding> = (0..self.sheets.len()).map(borders_of).collect();
        let mut found = Vec::new();
        for (map, baked) in self.maps.iter().enumerate() {
            if stop()
                || baked.error.is_some()
                || baked.facts.kind().flat
                || matches!(baked.facts.settings, MapSettings::Miss(_))
            {
                continue;
            }
            let value_of = |sheet: usize| self.border_values((Layer::Mended, sheet, map), &paddings[sheet]);
            let values = (0..self.sheets.len()).map(value_of).collect::<Result<_, String>>()?;
            let channels = baked.facts.shape.channels;
            let borders = Borders { size: self.size as usize, channels, paddings: &paddings, values };
            let read = match &baked.facts.settings {
                MapSettings::Normal(normal) => Read::Tangent(normal.y),
                MapSettings::BentNormal(_) => Read::Tangent(Green::Up),
                _ if baked.facts.heights() => {
                    let extreme = self.report.maps.get(baked.facts.key()).and_then(|told| told.extreme);
                    Read::Heights { unit: baked.scale.unwrap_or(1.0), range: 2.0 * extreme.unwrap_or_default() }
                }
                _ => Read::Values,
            };
            let apart = along(plan, &table, &seams, &borders, &read);
            found.extend(told(plan, baked.facts.label(), &apart, &read, &table));
        }
        Ok(found)
    }
}

/// How far apart the two sides of places along all seams are.
fn along(plan: &Plan, table: &SheetTable, seams: &[Seam], borders: &Borders, read: &Read) -> Vec<Apart> {
    let low = &plan.rays.scene.low;
    let mesh = &low.mesh;
    let of_seam = |seam: &Seam| {
        // A sculpt may turn along an edge as far as the low-poly does.
        let [one, other] = seam.map(|ends| mesh.face_normal(ends[0].triangle));
        let turn = degrees_between(one, other);
        along_seam(mesh, seam, plan.recipe.sheet.size).filter_map(move |places| {
            let [one, other] = places.map(|at| {
                let (sheet, uv) = table.place(mesh, at)?;
                Some((at, borders.at(sheet, uv)?))
            });
            let ((at, one), (beside, other)) = (one?, other?);
            let (far, may) = match read {
                Read::Tangent(green) => {
                    let [one, other] = [(at, one), (beside, other)].map(|(at, [r, g, b, _])| {
                        Some((low.frame(at)? * decode_normal([r, g, b], *green)).normalize_or_zero())
                    });
                    (degrees_between(one?, other?), DEGREES + turn)
                }
                Read::Heights { unit, range } => ((one[0] - other[0]).abs() * unit, OF_HEIGHTS * range),
                Read::Values => {
                    let channels = one.iter().zip(other).take(borders.channels);
                    (channels.map(|(a, b)| (a - b).abs()).fold(0.0, f32::max), OF_VALUES)
                }
            };
            Some(Apart { factor: if may > 0.0 { far / may } else { 0.0 }, far, at })
        })
    };
    seams.par_iter().flat_map_iter(of_seam).collect()
}

fn told(plan: &Plan, label: &str, places: &[Apart], read: &Read, table: &SheetTable) -> Option<Finding> {
    let apart = places.iter().filter(|place| place.factor > 1.0).count();
    // The first of those that are as far.
    let worst = places.iter().reduce(|worst, place| if place.factor > worst.factor { place } else { worst })?;
    let low = &plan.rays.scene.low;
    let mesh = &low.mesh;
    let (sheet, uv) = table.place(mesh, worst.at)?;
    let size = plan.recipe.sheet.size;
    let texel_of = |along: f32| ((along * size as f32) as u32).min(size - 1);
    let most = match read {
        Read::Tangent(_) => format!("{:.0} degrees", worst.far),
        Read::Heights { .. } => format!("{:.5} units", worst.far),
        Read::Values => format!("{:.2} of its range", worst.far),
    };
    let map = SeamedMap {
        label,
        places: places.len() as u64,
        apart: apart as u64,
        most,
        worst: TexelPlace { sheet, texel: texel_of(1.0 - uv.y) * size + texel_of(uv.x), at: worst.at },
        part: &mesh.parts[low.parts[worst.at.triangle as usize] as usize].name,
    };
    seam_difference(&troubled(plan), &map)
}

fn troubled(plan: &Plan) -> TroubledSheet<'_> {
    TroubledSheet { low: &plan.rays.scene.low.mesh, size: plan.rays.size, reach: plan.rays.field.summary }
}

/// Where a covered texel lies on the low-poly.
fn surface_at(plan: &Plan, sheet: usize, texel: u32) -> Option<MeshPoint> {
    let of = &plan.rays.sheets[sheet];
    let rect = Tile { x: texel % plan.rays.size, y: texel / plan.rays.size, width: 1, height: 1 };
    let samples = rasterise_tile(&of.triangles, &of.candidates_of(&rect), &rect, &sample_pattern(plan.rays.samples));
    samples.places.first().copied()
}
