//! Truths: what the delivered files of a bake say, read as a renderer reads them, held against the sculpt itself; and what is wrong with a
//! file that does not hold.

use super::displaced::{DisplacedMesh, Displacing};
use crate::bake::Plan;
use crate::inspect::{along_seam, uv_seams};
use crate::maps::{Green, Standing, StandingFinishes, Survey, Unit, decode_normal};
use crate::picture::{Image, Sampler, Wrap};
use crate::reach::Direction;
use crate::scene::BakeScene;
use crate::sheet::{SheetTable, sheet_table};
use crate::stop::never;
use crate::surface::{Difference, MeshPoint, degrees_between};
use glam::{Mat3, Vec2, Vec3};
use rayon::prelude::*;
use schemars::JsonSchema;
use serde::Serialize;

/// Places of the low surface that files are asked at, spread evenly by area.
pub const TRUTH_POINTS: usize = 65_536;
/// Texels per side of a picture of where files are off: about one for each place that is asked.
pub const HEAT_SIDE: u32 = 256;

/// How far files are from what they stand for.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
pub struct Truth {
    #[serde(flatten)]
    pub difference: Difference,
    pub unit: &'static str,
    /// Places that were asked.
    pub points: u64,
    /// Where it is furthest off.
    pub worst: Option<TruthPlace>,
}

/// A place of the low-poly.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
pub struct TruthPlace {
    pub part: String,
    pub uv: [f32; 2],
    /// Scene units.
    pub position: [f32; 3],
}

/// How a normal map may be read.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum NormalReading {
    Tangent(Green),
    /// Tangent space with the first axis the other way round.
    Mirrored(Green),
    /// In the axes of the scene.
    Object,
}

/// What is asked of a map's files.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Question {
    /// Angles between what a normal map makes a renderer shade and the sculpt's own normals, at a mip level (0: the file itself).
    Lit { reading: NormalReading, level: u32 },
    /// Distances from the low-poly, moved along its averaged directions by a displacement map, to the sculpt that it sees. `scale`: from
    /// black to white; none where the file holds heights.
    /// With a level the low-poly is subdivided so many times, and moved at its vertices alone.
    Displaced { scale: Option<f32>, level: Option<u32> },
    /// Along every UV seam, the angle between what the two sides of a normal map make a renderer shade.
    Seams { reading: NormalReading },
}

impl Question {
    fn unit(self) -> Unit {
        match self {
            Question::Lit { .. } | Question::Seams { .. } => Unit::Degrees,
            Question::Displaced { .. } => Unit::Units,
        }
    }
}

/// A place of the low surface and what the sculpt is like there.
struct Place {
    low: MeshPoint,
    sheet: usize,
    uv: Vec2,
    /// Tangent frame; none where the UVs have no area.
    frame: Option<Mat3>,
    /// The sculpt's own normal, as finishes bend it.
    normal: Vec3,
    /// Along the averaged direction to what the ray hit and what finishes add there, scene units; none where rays run otherwise.
    height: Option<f32>,
    /// What finishes add of that.
    added: f32,
}

impl Place {
    /// The same with what finishes add to the sculpt there.
    fn with(self, standing: Standing) -> Place {
        let (normal, height) = (standing.bent(self.normal), self.height.map(|height| height + standing.height));
        Place { normal, height, added: standing.height, ..self }
    }
}

/// A planned bake whose files are asked.
pub struct Truths<'a> {
    plan: &'a Plan,
    table: SheetTable,
    /// Edges of a sheet are held; where the asset repeats, they meet.
    sampler: Sampler,
    places: Vec<Place>,
    /// Finishes that stand above the sculpt.
    standing: Option<StandingFinishes>,
}

impl<'a> Truths<'a> {
    /// Traces the places that files are asked at. `sheets`: their names, as the report has them.
    ///
    /// # Errors
    /// There is no sculpt to hold files against.
    pub fn new(plan: &'a Plan, sheets: &[String]) -> Result<Truths<'a>, String> {
        let scene = &plan.rays.scene;
        if scene.own_surface {
            return Err("there is no sculpt to hold the files against".into());
        }
        let mesh = &scene.low.mesh;
        let table = sheet_table(mesh, plan.recipe.sheet.layout, sheets);
        let setup = plan.setup(&never);
        let survey = Survey::spread(&setup, TRUTH_POINTS)?;
        let standing = StandingFinishes::of(&setup);
        let added = standing.as_ref().map(|finishes| finishes.at(&setup, &survey));
        let found = survey.told(&setup, |low, normal, hit| {
            let (sheet, uv) = table.place(mesh, low)?;
            let out = scene.low.point(low, Direction::Averaged);
            let along = (hit - out.position).dot(out.outward);
            let astray = (hit - out.position - along * out.outward).length();
            // Rays that do not run along the averaged direction find another height than displacement has.
            let height = (astray <= 1e-3 * scene.diagonal()).then_some(along);
            Some(Place { low, sheet, uv, frame: scene.low.frame(low), normal, height, added: 0.0 })
        });
        let found = found.into_iter().map(Option::flatten);
        let places = match added {
            None => found.flatten().collect(),
            Some(added) => found.zip(added).filter_map(|(place, added)| Some(place?.with(added))).collect(),
        };
        let edge = if plan.recipe.repeats().is_some() { Wrap::Repeat } else { Wrap::Clamp };
        let sampler = Sampler { wrap: [edge; 2], nearest: false };
        Ok(Truths { plan, places, table, sampler, standing })
    }

    /// Whether what finishes add to the sculpt is counted in.
    pub fn counts_finishes(&self) -> bool {
        self.standing.is_some()
    }

    pub(super) fn diagonal(&self) -> f32 {
        self.scene().diagonal()
    }

    fn scene(&self) -> &BakeScene {
        &self.plan.rays.scene
    }

    /// How far files are off at each place that is asked. `sheets`: those of the map that the question is about.
    fn off(&self, sheets: &[Image], question: Question) -> Vec<(f32, MeshPoint)> {
        match question {
            Question::Lit { reading, level } => self.at_places(|place| {
                let light = sheets.get(place.sheet)?.light(place.uv, (1u32 << level) as f32, self.sampler);
                Some(degrees_between(decoded(light.truncate(), place.frame, reading)?, place.normal))
            }),
            Question::Displaced { scale, level } => {
                let displacing = self.displacing(sheets, scale);
                let moved = |at| level.map_or_else(|| displacing.moved(at), |level| displacing.on_facet(at, level));
                self.at_places(|place| self.far(place.low, moved(place.low), place.added))
            }
            Question::Seams { reading } => self.along_seams(sheets, reading),
        }
    }

    /// How far files are off, in figures.
    pub fn truth(&self, sheets: &[Image], question: Question) -> Truth {
        let off = self.off(sheets, question);
        let worst = off.iter().filter(|(far, _)| *far > 0.0).max_by(|a, b| a.0.total_cmp(&b.0)).map(|(_, at)| {
            let mesh = &self.scene().low.mesh;
            let part = self.scene().low.parts[at.triangle as usize] as usize;
            TruthPlace {
                part: mesh.parts[part].name.clone(),
                uv: at.between(mesh.corner_uvs(at.triangle)).to_array(),
                position: mesh.at(*at).to_array(),
            }
        });
        Truth {
            points: off.len() as u64,
            difference: Difference::of(off.into_iter().map(|(far, _)| far)),
            unit: question.unit().words(),
            worst,
        }
    }

    /// Where files are off on a sheet: for each of [`HEAT_SIDE`] by [`HEAT_SIDE`] texels, rows from the top, the furthest of its places;
    /// below 0 where none was asked.
    pub fn heat(&self, sheets: &[Image], question: Question, sheet: usize) -> Vec<f32> {
        let side = HEAT_SIDE as usize;
        let mut furthest = vec![-1.0f32; side * side];
        let mesh = &self.scene().low.mesh;
        for (far, at) in self.off(sheets, question) {
            let Some((_, uv)) = self.table.place(mesh, at).filter(|(own, _)| *own == sheet) else { continue };
            let along = |x: f32| ((x * side as f32) as usize).min(side - 1);
            let slot = &mut furthest[along(1.0 - uv.y) * side + along(uv.x)];
            *slot = slot.max(far);
        }
        // Places lie about as close as texels do: a texel that none fell into takes the furthest beside it.
        let around = |at: usize| at.saturating_sub(1)..(at + 2).min(side);
        let filled = |texel: usize| {
            let beside = around(texel / side).flat_map(|y| around(texel % side).map(move |x| y * side + x));
            beside.map(|at| furthest[at]).fold(-1.0, f32::max)
        };
        (0..side * side).map(|at| if furthest[at] < 0.0 { filled(at) } else { furthest[at] }).collect()
    }

    /// The low-poly with a displacement map that moves it.
    pub fn displacing<'m>(&'m self, sheets: &'m [Image], scale: Option<f32>) -> Displacing<'m> {
        Displacing { low: &self.scene().low, table: &self.table, sheets, scale, sampler: self.sampler }
    }

    /// How far from the sculpt the vertices of a displaced low-poly are; below 0 where it sees none of it.
    pub fn far_from_sculpt(&self, displaced: &DisplacedMesh) -> Vec<f32> {
        let places = &displaced.places;
        let added = match &self.standing {
            Some(finishes) => finishes.heights(&self.plan.setup(&never), places),
            None => vec![0.0; places.len()],
        };
        let moved = displaced.positions.par_iter().zip(&displaced.ways).map(|(position, way)| *position + *way);
        let off = moved.zip(places).zip(&added).map(|((moved, at), added)| self.far(*at, moved, *added));
        off.map(|far| far.unwrap_or(-1.0)).collect()
    }

    /// From a place that a place of the low-poly was moved to, less what finishes `added` to the sculpt along the same way, to what it
    /// sees of the sculpt.
    fn far(&self, at: MeshPoint, moved: Vec3, added: f32) -> Option<f32> {
        let (scene, pairs) = (self.scene(), &self.plan.rays.pairs);
        let outward = || scene.low.point(at, Direction::Averaged).outward;
        let moved = if added == 0.0 { moved } else { moved - outward() * added };
        if !moved.is_finite() {
            return None;
        }
        let sight = &pairs.sights[scene.low.parts[at.triangle as usize] as usize];
        let sees = |triangle: u32| sight.sees(scene.high.part_of(triangle) as u32);
        let near = scene.trace.nearest(moved, scene.diagonal(), sees)?;
        Some(scene.high.at(near.at).distance(moved))
    }

    /// Along every UV seam, the angle between what the two sides make a renderer shade.
    fn along_seams(&self, sheets: &[Image], reading: NormalReading) -> Vec<(f32, MeshPoint)> {
        let mesh = &self.scene().low.mesh;
        uv_seams(mesh)
            .par_iter()
            .flat_map_iter(|seam| {
                along_seam(mesh, seam, self.plan.recipe.sheet.size).filter_map(|places| {
                    let [one, other] = places.map(|at| {
                        let (sheet, uv) = self.table.place(mesh, at)?;
                        let light = sheets.get(sheet)?.light(uv, 1.0, self.sampler);
                        decoded(light.truncate(), self.scene().low.frame(at), reading)
                    });
                    Some((degrees_between(one?, other?), places[0]))
                })
            })
            .collect()
    }

    fn at_places(&self, off: impl Fn(&Place) -> Option<f32> + Sync) -> Vec<(f32, MeshPoint)> {
        self.places.par_iter().filter_map(|place| Some((off(place)?, place.low))).collect()
    }

    /// The angle that half of the places stay under, read in a certain way; none without any place.
    fn middling_angle(&self, sheets: &[Image], reading: NormalReading) -> Option<f32> {
        let off = self.places.par_iter().filter_map(|place| {
            let light = sheets.get(place.sheet)?.light(place.uv, 1.0, self.sampler);
            Some(degrees_between(decoded(light.truncate(), place.frame, reading)?, place.normal))
        });
        middle(off.collect())
    }

    /// What is wrong with a normal map that says it is read as `reading`, and what to do about it; none when it holds.
    pub fn normal_fault(&self, sheets: &[Image], reading: NormalReading) -> Option<[String; 2]> {
        let own = self.middling_angle(sheets, reading)?;
        if own < SOUND_ANGLE {
            return None;
        }
        let others = [
            NormalReading::Tangent(Green::Up),
            NormalReading::Tangent(Green::Down),
            NormalReading::Mirrored(Green::Up),
            NormalReading::Mirrored(Green::Down),
            NormalReading::Object,
        ];
        let read = others.into_iter().filter(|other| *other != reading);
        let read = read.filter_map(|other| Some((self.middling_angle(sheets, other)?, other)));
        let (best, other) = read.min_by(|a, b| a.0.total_cmp(&b.0))?;
        let angles = format!("half of the surface is off by {own:.1} degrees or more, and by {best:.1}");
        if best < own * CLEARLY {
            let (what, remedy) = match (reading, other) {
                (NormalReading::Tangent(a), NormalReading::Tangent(b)) if a != b => (
                    "its green channel points the other way than the report says",
                    "Invert green in the file, or bake it with the other direction",
                ),
                (_, NormalReading::Object) => ("it holds object-space normals", "Deliver the tangent-space map"),
                (_, NormalReading::Mirrored(_)) => {
                    ("its red channel is turned round: it is in another tangent space", "Invert red, or bake it again")
                }
                _ => ("it is in another space than the report says", "Deliver the map that the report names"),
            };
            return Some([format!("{what} ({angles} when it is read so)"), remedy.into()]);
        }
        (own > LOST_ANGLE).then(|| {
            [
                format!(
                    "no way of reading it fits the sculpt ({angles} at best): another tangent space, or another mesh"
                ),
                "Bake it again from these meshes".into(),
            ]
        })
    }

    /// What is wrong with a displacement map of this scale, and what to do about it; none when it holds.
    pub fn height_fault(&self, sheets: &[Image], scale: Option<f32>) -> Option<[String; 2]> {
        let displacing = self.displacing(sheets, scale);
        let pairs: Vec<[f32; 2]> =
            self.places.par_iter().filter_map(|place| Some([displacing.height(place.low), place.height?])).collect();
        let sum = |of: fn(&[f32; 2]) -> f32| pairs.iter().map(|pair| f64::from(of(pair))).sum::<f64>();
        let (cross, own) = (sum(|[file, truth]| file * truth), sum(|[file, _]| file * file));
        let factor = (cross / own) as f32;
        let off = |factor: f32| middle(pairs.iter().map(|[file, truth]| (file * factor - truth).abs()).collect());
        let (before, after) = (off(1.0)?, off(factor)?);
        if !factor.is_finite() || (factor - 1.0).abs() < SOUND_FACTOR || after > before * CLEARLY {
            return None;
        }
        let told = scale.map_or("its heights".into(), |scale| format!("its scale of {scale}"));
        Some(match factor < 0.0 {
            true => [
                format!(
                    "its heights run the other way: inward is bright (half of the surface is off by {before} units or more)"
                ),
                "Invert the file, or bake it again".into(),
            ],
            false => [
                format!("{told} reads {:.3} times as far as the sculpt lies", 1.0 / factor),
                scale.map_or("Bake it again".into(), |scale| {
                    format!("Read it with a scale of {}, or bake it again", scale * factor)
                }),
            ],
        })
    }
}

/// Half of the places of a map that holds are within this angle, degrees.
const SOUND_ANGLE: f32 = 2.0;
/// Where half of them are beyond this one, the map belongs to something else.
const LOST_ANGLE: f32 = 15.0;
/// Another reading has to be this much better to be the right one.
const CLEARLY: f32 = 0.5;
/// Scales this near are the same.
const SOUND_FACTOR: f32 = 0.005;

/// The direction that a renderer shades by, in the axes of the scene.
fn decoded(rgb: Vec3, frame: Option<Mat3>, reading: NormalReading) -> Option<Vec3> {
    let rgb = rgb.to_array();
    match reading {
        NormalReading::Tangent(green) => Some((frame? * decode_normal(rgb, green)).normalize_or_zero()),
        NormalReading::Mirrored(green) => {
            let n = decode_normal(rgb, green);
            Some((frame? * Vec3::new(-n.x, n.y, n.z)).normalize_or_zero())
        }
        NormalReading::Object => Some(decode_normal(rgb, Green::Up)),
    }
}

fn middle(mut values: Vec<f32>) -> Option<f32> {
    let at = values.len() / 2;
    (!values.is_empty()).then(|| *values.select_nth_unstable_by(at, f32::total_cmp).1)
}
