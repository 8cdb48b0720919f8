//! Finishes over a tile: which finish lies where, what it says of each sample, and how its height slopes. All maps of a run that show a
//! finish read the same columns, and those of a finish that did not change are taken over from the last proof.

use super::color::ColorTask;
use super::fan::{FanRequest, Rays};
use super::placed::{GraphWork, sources};
use super::signals::Region;
use super::survey::Survey;
use super::texel_steps;
use super::{DetailMap, MapWork, Setup, TileWork};
use crate::finding::Finding;
use crate::finish::{
    Base, BaseColor, Carrier, Coat, Finish, FinishChannel, FinishFault, FinishGraph, FinishOn, RegionBy, compile_finish,
};
use crate::hits::{Scratch, TileHits, TileNumber, TileSource};
use crate::inspect::{finish_document, finish_document_picture, finish_picture_missing, finish_unusable};
use crate::layout::find_islands;
use crate::picture::linear_to_srgb;
use crate::sheet::Tile;
use crate::stop::Stopped;
use glam::Vec3;
use rayon::prelude::*;
use std::rc::Rc;
use std::sync::Arc;

/// Numbers that a finish has at each place.
const NUMBERS: usize = 10;

/// The finishes of a recipe over an asset, ready to be worked out.
pub(crate) struct Finishes {
    /// The first lies where no other does; of several on one place the last counts.
    list: Vec<Finished>,
    /// Tells which finish lies where.
    given: String,
    /// By low-poly triangle.
    islands: Vec<u32>,
    pub findings: Vec<Finding>,
    /// The sheet closes at its edges.
    wraps: bool,
}

struct Finished {
    /// Tells all that its numbers follow from.
    key: String,
    /// None where it lies everywhere.
    on: Option<Region>,
    all: GraphWork,
    /// Its height by itself; None where it has none.
    height: Option<GraphWork>,
}

/// Every number at every sample: colour, roughness, metallic, emission, opacity, height.
pub(super) type FinishColumns = Rc<Vec<Vec<f32>>>;

/// Columns of a channel.
fn columns_of(channel: FinishChannel) -> std::ops::Range<usize> {
    let before =
        FinishChannel::ALL.into_iter().take_while(|c| *c != channel).map(FinishChannel::numbers).sum::<usize>();
    before..before + channel.numbers()
}

impl Finishes {
    pub fn new(setup: &Setup) -> Finishes {
        let mut findings = Vec::new();
        let mut list: Vec<Finished> = Vec::new();
        let mut given = Vec::new();
        let ground = ground(setup);
        for finish in [&ground].into_iter().chain(setup.finishes) {
            let made = region_of(&finish.on, setup).and_then(|on| Finished::new(finish, on, setup, &mut findings));
            match made {
                Ok(finished) => {
                    given.push(&finish.on);
                    list.push(finished);
                }
                Err(why) => findings.push(finish_unusable(&format!("Finish {}", finish.name), &why)),
            }
        }
        let given = format!("{given:?}");
        let islands = find_islands(&setup.scene.low.mesh).island_of;
        Finishes { list, given, islands, findings, wraps: setup.repeats }
    }

    /// Whether any of it stands above or below the surface.
    pub fn sets_height(&self) -> bool {
        self.list.iter().any(|finished| finished.height.is_some())
    }

    /// Rays that they ask for beyond the primary ones.
    pub fn requests(&self) -> Vec<&FanRequest> {
        self.list.iter().flat_map(|finished| finished.all.requests()).collect()
    }

    /// The finish at each sample, by number.
    fn chosen(&self, tile: &TileWork) -> Vec<u32> {
        let mut chosen = vec![0; tile.hits.samples()];
        for (number, finished) in self.list.iter().enumerate() {
            match &finished.on {
                None => chosen.fill(number as u32),
                Some(region) => {
                    for (s, slot) in chosen.iter_mut().enumerate() {
                        if tile.hits.is_hit(s) && region.holds(tile, s) {
                            *slot = number as u32;
                        }
                    }
                }
            }
        }
        chosen
    }

    /// What the finishes say of each sample of a tile; 0 where nothing was hit.
    pub fn columns(&self, tile: &mut TileWork) -> FinishColumns {
        if let Some(known) = &tile.finished {
            return known.clone();
        }
        // Columns are kept for all texels, whichever a map works on now.
        let wanted = tile.wanted.take();
        let chosen = self.chosen(tile);
        let mut columns = vec![vec![0.0; chosen.len()]; NUMBERS];
        for (number, finished) in self.list.iter().enumerate() {
            let own = samples_of(tile.hits, &chosen, number as u32);
            if own.is_empty() {
                continue;
            }
            let key = format!("finish {} {}", finished.key, self.given);
            let known = tile.signals.iter().find(|(known, _)| *known == key).map(|(_, flat)| flat.clone());
            let flat = known.unwrap_or_else(|| {
                let flat = Arc::new(finished.all.columns(tile, &own).concat());
                tile.signals.push((key, flat.clone()));
                flat
            });
            for (column, values) in columns.iter_mut().zip(flat.chunks(own.len())) {
                own.iter().zip(values).for_each(|(s, value)| column[*s as usize] = *value);
            }
        }
        tile.wanted = wanted;
        let columns = Rc::new(columns);
        tile.finished = Some(columns.clone());
        columns
    }

    /// The height at each sample of a tile, scene units.
    pub(super) fn heights(&self, tile: &mut TileWork) -> Vec<f32> {
        let chosen = self.chosen(tile);
        let mut heights = vec![0.0; chosen.len()];
        for (number, finished) in self.list.iter().enumerate() {
            let own = samples_of(tile.hits, &chosen, number as u32);
            let Some(work) = finished.height.as_ref().filter(|_| !own.is_empty()) else { continue };
            let values = work.columns(tile, &own).pop().unwrap_or_default();
            own.iter().zip(values).for_each(|(s, value)| heights[*s as usize] = value);
        }
        heights
    }

    /// The heights of a whole sheet as relief, for what has to see further than a tile.
    ///
    /// # Errors
    /// The low-poly has several sheets, or the wish to stop.
    pub fn relief(&self, setup: &Setup) -> Result<DetailMap, String> {
        let plan = setup.rays;
        if plan.sheets.len() > 1 {
            return Err("occlusion with detail is made for one sheet; this low-poly has several".into());
        }
        let tile = |number: &TileNumber| {
            let mut scratch = Scratch::default();
            let stopped = (setup.stop)();
            let hits = TileHits::trace(plan, *number, &TileSource::default(), &mut scratch);
            let mut tile = TileWork::new(plan, &hits, &[], None, &mut scratch);
            tile.relief = setup.detail.as_ref().ok().cloned();
            let heights = if stopped { Vec::new() } else { self.heights(&mut tile) };
            let at = |texel: usize| hits.texel_on_sheet(texel, plan.size) as usize;
            let known = if stopped { Vec::new() } else { levels(self, &hits, &heights) };
            known.iter().enumerate().filter_map(|(texel, level)| Some((at(texel), level.as_ref()?.height))).collect()
        };
        let tiles: Vec<Vec<(usize, f32)>> = plan.busy_tiles().par_iter().map(tile).collect();
        if (setup.stop)() {
            return Err(Stopped.to_string());
        }
        let mut heights = vec![f32::NAN; (plan.size as usize).pow(2)];
        tiles.into_iter().flatten().for_each(|(at, height)| heights[at] = height);
        Ok(DetailMap::of_heights(plan.size, &heights, &setup.scene.low))
    }

    /// How the height rises along the low surface at each texel of a tile: its gradient there (scene units per scene unit, in the plane
    /// of the low-poly's triangle), by differences between the texels on both sides. Across the border of a UV island it is one-sided.
    pub fn slopes(&self, tile: &mut TileWork) -> Vec<Vec3> {
        let own = self.columns(tile);
        let around = Around::of(self, tile, &own[columns_of(FinishChannel::Height).start]);
        let (mesh, size) = (&tile.scene().low.mesh, tile.plan.size);
        let mut slopes = vec![Vec3::ZERO; tile.hits.tile.texels()];
        for (texel, samples) in tile.hits.texels() {
            let Some(here) = around.own[texel] else { continue };
            let at = |dx: i32, dy: i32| around.at(texel, dx, dy).filter(|there| there.island == here.island);
            let height = |dx: i32, dy: i32| at(dx, dy).map(|level| level.height);
            let rises =
                [rise(height(-1, 0), here.height, height(1, 0)), rise(height(0, -1), here.height, height(0, 1))];
            let triangle = tile.hits.low(samples.start).triangle;
            if let Some([right, down]) = texel_steps(mesh, triangle, size, size) {
                slopes[texel] = gradient([right.as_vec3(), down.as_vec3()], rises);
            }
        }
        slopes
    }
}

/// How much a height rises from one texel to the next, by its neighbours on both sides or the one that is there.
pub(super) fn rise(before: Option<f32>, here: f32, after: Option<f32>) -> f32 {
    match (before, after) {
        (Some(before), Some(after)) => 0.5 * (after - before),
        (None, Some(after)) => after - here,
        (Some(before), None) => here - before,
        (None, None) => 0.0,
    }
}

/// The vector in the plane of two steps along which a value rises by so much with each of them.
pub(super) fn gradient([right, down]: [Vec3; 2], [by_right, by_down]: [f32; 2]) -> Vec3 {
    let (rr, rd, dd) = (right.dot(right), right.dot(down), down.dot(down));
    let area = rr * dd - rd * rd;
    if area <= 0.0 {
        return Vec3::ZERO;
    }
    right * ((by_right * dd - by_down * rd) / area) + down * ((by_down * rr - by_right * rd) / area)
}

/// A normal bent by the slope of what lies on the surface along `up`, the way that heights are measured: the normal of the surface
/// moved along `up` (Mikkelsen, "Bump Mapping Unparametrized Surfaces on the GPU", 2010, with heights along one direction).
pub(super) fn bent_by(normal: Vec3, up: Vec3, slope: Vec3) -> Vec3 {
    // Where the sculpt stands upright on the low surface a height along it hardly leans.
    (normal - slope * normal.dot(up).max(0.0)).normalize_or(normal)
}

fn samples_of(hits: &TileHits, chosen: &[u32], number: u32) -> Vec<u32> {
    let own = chosen.iter().enumerate().filter(|(s, finish)| **finish == number && hits.is_hit(*s));
    own.map(|(s, _)| s as u32).collect()
}

/// The mean height of a texel, and the UV island that it lies on.
#[derive(Clone, Copy)]
struct Level {
    height: f32,
    island: u32,
}

/// Heights of a tile's texels and of those that touch it.
struct Around {
    tile: Tile,
    own: Vec<Option<Level>>,
    /// Above, below, left, right.
    strips: [Vec<Option<Level>>; 4],
}

impl Around {
    fn of(finishes: &Finishes, tile: &mut TileWork, heights: &[f32]) -> Around {
        let own = levels(finishes, tile.hits, heights);
        let Tile { x, y, width, height } = tile.hits.tile;
        let size = tile.plan.size;
        let before = |at: u32| if at > 0 { Some(at - 1) } else { finishes.wraps.then_some(size - 1) };
        let after = |at: u32| if at < size { Some(at) } else { finishes.wraps.then_some(0) };
        let row = |y: Option<u32>| y.map(|y| Tile { x, y, width, height: 1 });
        let column = |x: Option<u32>| x.map(|x| Tile { x, y, width: 1, height });
        let rects = [row(before(y)), row(after(y + height)), column(before(x)), column(after(x + width))];
        let strips = rects.map(|rect| {
            let Some(rect) = rect else { return Vec::new() };
            let mut scratch = std::mem::take(tile.scratch);
            let hits = TileHits::strip(tile.plan, tile.hits.sheet, rect, &mut scratch);
            let mut strip = TileWork::new(tile.plan, &hits, &[], None, &mut scratch);
            strip.relief.clone_from(&tile.relief);
            let heights = finishes.heights(&mut strip);
            let traced = strip.traced + hits.rays();
            *tile.scratch = scratch;
            tile.traced += traced;
            levels(finishes, &hits, &heights)
        });
        Around { tile: tile.hits.tile, own, strips }
    }

    /// The texel so far from one of the tile's; None where nothing lies.
    fn at(&self, texel: usize, dx: i32, dy: i32) -> Option<Level> {
        let Tile { width, height, .. } = self.tile;
        let (x, y) = (texel as u32 % width, texel as u32 / width);
        let [above, below, left, right] = &self.strips;
        let (strip, at) = match (dx, dy) {
            (0, -1) if y == 0 => (above, x as usize),
            (0, 1) if y + 1 == height => (below, x as usize),
            (-1, 0) if x == 0 => (left, y as usize),
            (1, 0) if x + 1 == width => (right, y as usize),
            _ => (&self.own, (texel as i32 + dy * width as i32 + dx) as usize),
        };
        strip.get(at).copied().flatten()
    }
}

fn levels(finishes: &Finishes, hits: &TileHits, heights: &[f32]) -> Vec<Option<Level>> {
    let mut levels = vec![None; hits.tile.texels()];
    for (texel, samples) in hits.texels() {
        let island = finishes.islands[hits.low(samples.start).triangle as usize];
        let hit = samples.filter(|s| hits.is_hit(*s));
        let (sum, count) = hit.fold((0.0, 0), |(sum, count), s| (sum + heights[s], count + 1));
        levels[texel] = (count > 0).then(|| Level { height: sum / count as f32, island });
    }
    levels
}

/// What lies where no finish is given: the sculpt's own colour where it carries one, or mid-grey.
fn ground(setup: &Setup) -> Finish {
    let carries = ColorTask::of_sculpt(setup).is_ok();
    let color = if carries { BaseColor::Of(Carrier::Sculpt) } else { Base::default().color };
    let base = Base { color, ..Base::default() };
    Finish::everywhere("ground", base, Vec::new())
}

/// Where a finish lies; None for everywhere.
fn region_of(on: &FinishOn, setup: &Setup) -> Result<Option<Region>, String> {
    let (by, names) = match on {
        FinishOn::All => return Ok(None),
        FinishOn::Parts(names) => (RegionBy::Part, names),
        FinishOn::Materials(names) => (RegionBy::Material, names),
        FinishOn::Ids(names) => (RegionBy::Id, names),
    };
    Region::of(by, names, setup).map(Some)
}

/// The places of a survey that a finish is given to.
///
/// # Errors
/// A name that nothing is called by, and what the asset has.
pub fn inside_of(on: &FinishOn, setup: &Setup, survey: &Survey) -> Result<Vec<bool>, String> {
    let region = region_of(on, setup)?;
    Ok(survey.each(setup, |tile, s| tile.hits.is_hit(s) && region.as_ref().is_none_or(|region| region.holds(tile, s))))
}

impl Finished {
    fn new(
        finish: &Finish,
        on: Option<Region>,
        setup: &Setup,
        findings: &mut Vec<Finding>,
    ) -> Result<Finished, String> {
        let rays = setup.finish_rays;
        let mut usable = finish.clone();
        if usable.base.color == BaseColor::Of(Carrier::Sculpt) && ColorTask::of_sculpt(setup).is_err() {
            let why = "its base takes the sculpt's colour, and the sculpt carries none; grey stands there instead";
            findings.push(finish_unusable(&format!("Finish {}", finish.name), why));
            usable.base.color = Base::default().color;
        }
        // One coat that cannot be measured leaves the others as they are.
        usable.coats.retain(|coat| match measurable(finish, coat, setup, rays) {
            Ok(()) => true,
            Err(why) => {
                findings.push(finish_unusable(&format!("Coat {} of {}", coat.name, finish.name), &why));
                false
            }
        });
        let made = compile_finish(&usable, sources(setup));
        let lies_on = finish.materialx.as_ref().map_or("", |source| &source.file);
        for fault in &made.faults {
            findings.push(match fault {
                FinishFault::NoDocument { why } => {
                    finish_unusable(&format!("What lies below the coats of {}", finish.name), why)
                }
                FinishFault::Document { why } => finish_document(&finish.name, lies_on, why),
                FinishFault::DocumentPicture { why } => finish_document_picture(&finish.name, lies_on, why),
                FinishFault::Coat { coat, why } => finish_unusable(&format!("Coat {coat} of {}", finish.name), why),
                FinishFault::Picture { coat, why } => finish_picture_missing(&finish.name, coat, why),
            });
        }
        let used: Vec<_> = usable.coats.iter().map(|coat| coat.masks_used(setup.masks)).collect();
        let by_id = format!("{:?}", setup.id);
        let document = usable.materialx.as_ref().map(|source| {
            let read = setup.scene.documents.get(&source.file);
            (source, read.map(|document| document.key.clone()))
        });
        let told = format!("{:?} {document:?} {:?} {used:?} {rays:?} {by_id}", usable.base, usable.coats);
        let key = blake3::hash(told.as_bytes());
        let FinishGraph { graph, nodes, .. } = made;
        let graph = Arc::new(graph);
        let [.., height] = nodes;
        let stands = usable.sets_height() && graph.known(height) != Some(0.0);
        let height = stands.then(|| GraphWork::new(graph.clone(), vec![height], setup, rays));
        let all = GraphWork::new(graph, nodes.to_vec(), setup, rays)?;
        Ok(Finished { key: key.to_string(), on, all, height: height.transpose()? })
    }
}

/// # Errors
/// Why what the coat asks for cannot be measured.
fn measurable(finish: &Finish, coat: &Coat, setup: &Setup, rays: Rays) -> Result<(), String> {
    let alone = Finish::everywhere(finish.name.clone(), Base::default(), vec![coat.clone()]);
    let FinishGraph { graph, nodes, .. } = compile_finish(&alone, sources(setup));
    GraphWork::new(Arc::new(graph), nodes.to_vec(), setup, rays).map(drop)
}

/// A channel of the finishes as a map.
pub(super) struct FinishTask {
    finishes: Arc<Finishes>,
    channel: FinishChannel,
}

impl FinishTask {
    /// # Errors
    /// The recipe has no finishes.
    pub fn new(setup: &Setup, channel: FinishChannel) -> Result<FinishTask, String> {
        let none = "the recipe has no finishes; add one at Finish, or leave this map out";
        Ok(FinishTask { finishes: setup.finished().ok_or(none)?, channel })
    }
}

impl MapWork for FinishTask {
    fn evaluate(&self, tile: &mut TileWork, out: &mut [f32]) {
        if tile.wanted_texels().next().is_none() {
            return;
        }
        let columns = self.finishes.columns(tile);
        let columns = &columns[columns_of(self.channel)];
        for (texel, samples) in tile.wanted_texels() {
            let hit = samples.clone().filter(|s| tile.hits.is_hit(*s));
            let count = hit.clone().count();
            if count == 0 {
                continue;
            }
            // What is clear carries its colour all the same; rays that miss are clear.
            let over = if self.channel == FinishChannel::Opacity { samples.len() } else { count };
            for (slot, column) in out[texel * columns.len()..].iter_mut().zip(columns) {
                let mean = hit.clone().map(|s| column[s]).sum::<f32>() / over as f32;
                *slot = match self.channel {
                    FinishChannel::Color => linear_to_srgb(mean.clamp(0.0, 1.0)),
                    FinishChannel::Emission => linear_to_srgb(mean.max(0.0)),
                    FinishChannel::Height => mean,
                    _ => mean.clamp(0.0, 1.0),
                };
            }
        }
    }

    fn requests(&self) -> Vec<&FanRequest> {
        self.finishes.requests()
    }
}
