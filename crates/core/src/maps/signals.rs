//! Measuring signals: what a mask needs beside the surface itself, as a number for each sample of a tile. A signal is measured once for a
//! tile, whatever masks ask for it, and what the last proof measured is not measured again.

use super::blur::SurfaceBlur;
use super::cavity::NEAR;
use super::curvature::BendSource;
use super::fan::{Falloff, FanRequest, Occluders, RayWish, Rays, Side};
use super::id::{IdSource, IdTask, PaletteEntry};
use super::survey::Survey;
use super::{DetailMap, Setup, TileWork};
use crate::finish::{Channel, MaskBrush, MaskStroke, Measured, PictureChannel, RegionBy, Signal};
use crate::picture::Image;
use crate::reach::{BrushCourse, GridEffect, GridStroke, SurfaceGrid};
use crate::scene::{BakeScene, Beside};
use crate::trace::TraceScene;
use std::sync::Arc;

/// A signal ready to be measured on any tile.
pub(super) struct Measuring {
    /// Tells all that the numbers follow from besides the tile's hits.
    key: String,
    /// About what a sample takes ([`Signal::work`]).
    work: u64,
    how: How,
}

enum How {
    /// Curvature times a size.
    Bends(BendSource, f32),
    /// What rays meet, times what the relief of a normal map leaves open up to a distance.
    Rays(FanRequest, Option<(Arc<DetailMap>, f32)>),
    Near(Arc<TraceScene>, f32),
    Region(Region),
    Channel(usize),
    Picture(Arc<Image>, PictureChannel),
    Paint(Arc<SurfaceGrid>),
    Blurred(SurfaceBlur),
}

/// What lies in a region.
pub(super) enum Region {
    /// By low part and by sculpt part.
    Parts { low: Vec<bool>, high: Vec<bool> },
    /// By number in the palette of an ID map.
    Palette(Beside<IdTask>, Vec<bool>),
}

impl Measuring {
    /// Gets ready to measure.
    ///
    /// # Errors
    /// Why it cannot be measured on this asset, and what to do.
    pub fn new(measured: &Measured, setup: &Setup, rays: Rays) -> Result<Measuring, String> {
        let signal = match measured {
            Measured::Signal(signal) => signal,
            Measured::Blurred(place, radius) => {
                // What it refers to may change under the same name.
                let key = format!("{measured:?} {rays:?} {:?} {:?}", place.masks_used(setup.masks), setup.id);
                let blur = SurfaceBlur::new(place, *radius, setup, rays)?;
                return Ok(Measuring { key, work: 1, how: How::Blurred(blur) });
            }
        };
        let traced = if signal.traces() { format!(" {rays:?}") } else { String::new() };
        let key =
            format!("{signal:?}{traced} {}", if is_by_id(signal) { format!("{:?}", setup.id) } else { String::new() });
        Ok(Measuring { key, work: signal.work(), how: how(signal, setup, rays)? })
    }

    pub fn request(&self) -> Option<&FanRequest> {
        match &self.how {
            How::Rays(request, _) => Some(request),
            _ => None,
        }
    }

    /// About what a sample of a tile takes; 0 where the tile has it.
    pub fn work_left(&self, tile: &TileWork) -> u64 {
        if tile.signals.iter().any(|(key, _)| *key == self.key) { 0 } else { self.work }
    }

    /// The signal at each sample of a tile; 0 where nothing was hit.
    pub fn column(&self, tile: &mut TileWork) -> Arc<Vec<f32>> {
        if let Some((_, known)) = tile.signals.iter().find(|(key, _)| *key == self.key) {
            return known.clone();
        }
        let column = Arc::new(self.measure(tile));
        tile.signals.push((self.key.clone(), column.clone()));
        column
    }

    fn measure(&self, tile: &mut TileWork) -> Vec<f32> {
        let hits = tile.hits;
        if let How::Rays(request, relief) = &self.how {
            // Signals are kept for all texels, whichever a map works on now.
            let wanted = tile.wanted.take();
            let met = tile.fan(request);
            tile.wanted = wanted;
            let mut column = vec![0.0; hits.samples()];
            for (texel, samples) in hits.texels() {
                let left = relief.as_ref().map_or(1.0, |(detail, distance)| {
                    detail.mean(tile.scene(), hits, samples.clone(), |at| detail.openness(at, *distance))
                });
                column[samples].fill(met.open[texel] * left);
            }
            return column;
        }
        let value = |s: usize| if hits.is_hit(s) { self.at(tile, s) } else { 0.0 };
        (0..hits.samples()).map(value).collect()
    }

    /// The signal where a sample hit something.
    fn at(&self, tile: &TileWork, s: usize) -> f32 {
        let (scene, low) = (tile.scene(), tile.hits.low(s));
        match &self.how {
            How::Bends(source, size) => source.at(tile, s) * size,
            How::Near(part, furthest) => {
                let nearest = part.nearest(tile.surface.points()[s], *furthest, |_| true);
                nearest.map_or(*furthest, |nearest| nearest.distance)
            }
            How::Region(region) => f32::from(u8::from(region.holds(tile, s))),
            How::Channel(channel) => tile.surface.place(s).map_or(0.0, |at| {
                let corner = |v: u32| f32::from(scene.high.colors[v as usize][*channel]) / 255.0;
                at.between(scene.high.triangles[at.triangle as usize].map(corner))
            }),
            How::Picture(image, channel) => {
                let mesh = &scene.low.mesh;
                if mesh.uvs.is_empty() {
                    return 0.0;
                }
                let side = image.width.max(image.height) as f32 * super::placed::uv_side(tile.plan);
                channel.read(image, low.between(mesh.corner_uvs(low.triangle)), side)
            }
            How::Paint(grid) => grid.at(low),
            How::Blurred(blur) => blur.at(scene, low),
            How::Rays(..) => 0.0,
        }
    }
}

fn is_by_id(signal: &Signal) -> bool {
    matches!(signal, Signal::Region { by: RegionBy::Id, .. })
}

fn how(signal: &Signal, setup: &Setup, rays: Rays) -> Result<How, String> {
    let scene = setup.scene;
    // Without a sculpt a normal map may bend the low-poly.
    let relief = if scene.own_surface { setup.detail.as_ref().ok() } else { None };
    let open = |distance: f32, falloff: Falloff, side: Side| -> Result<FanRequest, String> {
        let wish = RayWish { rays, distance, falloff, side, occluders: &Occluders::Pair, clear: &[], way: false };
        let request = FanRequest::new(setup, &wish)?;
        Ok(if scene.own_surface { request.on_low(scene) } else { request })
    };
    Ok(match signal {
        Signal::Curvature { size } => match relief {
            Some(detail) => How::Bends(BendSource::NormalMap(detail.clone(), *size), *size),
            None => How::Bends(BendSource::Sculpt(setup.curvature(*size)?), *size),
        },
        Signal::Occlusion { distance } => {
            How::Rays(open(*distance, Falloff::None, Side::Outward)?, relief.map(|detail| (detail.clone(), *distance)))
        }
        Signal::Cavity { size } => {
            let distance = NEAR * size;
            How::Rays(open(distance, Falloff::Linear, Side::Outward)?, relief.map(|detail| (detail.clone(), distance)))
        }
        Signal::Thickness { distance } => How::Rays(open(*distance, Falloff::Linear, Side::Inward)?, None),
        Signal::Distance { part } => {
            let tree = scene.part_tree(part).ok_or_else(|| no_part(part, scene))?;
            How::Near(tree, 2.0 * setup.diagonal)
        }
        Signal::Region { by, names } => How::Region(Region::of(*by, names, setup)?),
        Signal::Channel { of } => {
            if scene.high.colors.is_empty() {
                return Err("the sculpt carries no vertex colours; export it with them, or use another signal".into());
            }
            How::Channel(match of {
                Channel::R => 0,
                Channel::G => 1,
                Channel::B => 2,
            })
        }
        Signal::Picture { file, channel, .. } => How::Picture(scene.images.get(file)?.clone(), *channel),
        Signal::Paint { strokes } => {
            let strokes: Vec<GridStroke> = strokes.iter().map(grid_stroke).collect();
            How::Paint(Arc::new(SurfaceGrid::painted_by(&strokes, &scene.low, scene.low_trace()).0))
        }
        Signal::Facing { .. } | Signal::Height { .. } | Signal::Pattern { .. } | Signal::Mask { .. } => {
            return Err(format!("{} is not measured", signal.words()));
        }
    })
}

fn grid_stroke(stroke: &MaskStroke) -> GridStroke<'_> {
    let effect = match stroke.brush {
        MaskBrush::Add => GridEffect::To(1.0),
        MaskBrush::TakeAway => GridEffect::To(0.0),
        MaskBrush::Smooth => GridEffect::Smooth,
    };
    let course = BrushCourse { size: stroke.size, mirror: stroke.mirror, path: &stroke.path };
    GridStroke { course, strength: stroke.strength, effect }
}

/// Names that are told of a list that may be long.
const MOST_TOLD: usize = 12;

fn told(names: impl Iterator<Item = String>) -> String {
    let mut names: Vec<String> = names.collect();
    names.dedup();
    let more = names.len().saturating_sub(MOST_TOLD);
    names.truncate(MOST_TOLD);
    if more > 0 { format!("{} and {more} more", names.join(", ")) } else { names.join(", ") }
}

fn no_part(name: &str, scene: &BakeScene) -> String {
    let known = scene.low.mesh.parts.iter().chain(&scene.high.parts).map(|p| p.name.clone());
    format!("there is no part '{name}'; the asset has {}", told(known))
}

/// The region that each place of a survey lies in, by the name that a mask gives it; None where it lies in none.
pub fn regions_at(by: RegionBy, setup: &Setup, survey: &Survey) -> Vec<Option<String>> {
    let scene = setup.scene;
    let Some(from) = id_source(by, setup) else {
        let low = &scene.low;
        let part = |place: crate::surface::MeshPoint| low.parts[place.triangle as usize] as usize;
        return survey.places().map(|place| Some(low.mesh.parts[part(place)].name.clone())).collect();
    };
    let nothing = (by == RegionBy::Material && scene.high.materials.is_empty())
        || (by == RegionBy::VertexColor && scene.high.colors.is_empty());
    if nothing {
        return vec![None; survey.len()];
    }
    let Ok(ids) = IdTask::kept(from, scene) else { return vec![None; survey.len()] };
    survey.each(setup, |tile, s| ids.region(tile, s).map(|region| ids.palette[region as usize].name.clone()))
}

/// Whether a region goes by a name: its own, or its colour as `#rrggbb`.
fn is_called(entry: &PaletteEntry, name: &str) -> bool {
    let [r, g, b] = entry.color;
    entry.name == name || (name.starts_with('#') && format!("#{r:02x}{g:02x}{b:02x}").eq_ignore_ascii_case(name))
}

/// What an ID map would tell such regions apart by; parts are told by the meshes.
fn id_source(by: RegionBy, setup: &Setup) -> Option<IdSource> {
    match by {
        RegionBy::Part => None,
        RegionBy::Material => Some(IdSource::Material),
        RegionBy::Piece => Some(IdSource::Piece),
        RegionBy::Island => Some(IdSource::Island),
        RegionBy::VertexColor => Some(IdSource::Color),
        RegionBy::Id => Some(setup.id.unwrap_or_default().from),
    }
}

impl Region {
    /// # Errors
    /// The first name that nothing is called by, and what the asset has.
    pub fn of(by: RegionBy, names: &[String], setup: &Setup) -> Result<Region, String> {
        let scene = setup.scene;
        let Some(from) = id_source(by, setup) else {
            let of = |parts: &[crate::mesh::Part]| parts.iter().map(|p| names.contains(&p.name)).collect::<Vec<bool>>();
            let known = |name: &String| scene.low.mesh.parts.iter().chain(&scene.high.parts).any(|p| p.name == *name);
            if let Some(missing) = names.iter().find(|name| !known(name)) {
                return Err(no_part(missing, scene));
            }
            return Ok(Region::Parts { low: of(&scene.low.mesh.parts), high: of(&scene.high.parts) });
        };
        let kept = |from: IdSource| IdTask::kept(from, scene).map_err(|stopped| stopped.to_string());
        let mut ids = kept(from)?;
        if by == RegionBy::Id && setup.id.is_none() {
            // Where the recipe bakes no ID map, whatever tells all of these regions apart is meant.
            let others = [IdSource::Material, IdSource::Color, IdSource::Piece, IdSource::Island];
            let known = |ids: &IdTask| names.iter().all(|name| ids.palette.iter().any(|entry| is_called(entry, name)));
            for from in others {
                if known(&ids) {
                    break;
                }
                let found = kept(from)?;
                if known(&found) {
                    ids = found;
                }
            }
        }
        if let Some(missing) = names.iter().find(|name| !ids.palette.iter().any(|entry| is_called(entry, name))) {
            let known = told(ids.palette.iter().map(|entry| entry.name.clone()));
            return Err(format!("there is no {} '{missing}'; there are {known}", by.words()));
        }
        let wanted = ids.palette.iter().map(|entry| names.iter().any(|name| is_called(entry, name))).collect();
        Ok(Region::Palette(ids, wanted))
    }

    /// Whether the place that a sample hit lies in it.
    pub fn holds(&self, tile: &TileWork, s: usize) -> bool {
        let scene = tile.scene();
        match self {
            Region::Parts { low, high } => {
                let of_low = low[scene.low.parts[tile.hits.low(s).triangle as usize] as usize];
                let within = |part: usize| high.get(part).copied().unwrap_or(false);
                let of_high = tile.surface.place(s).is_some_and(|at| within(scene.high.part_of(at.triangle)));
                of_low || of_high
            }
            Region::Palette(ids, wanted) => ids.region(tile, s).is_some_and(|region| wanted[region as usize]),
        }
    }
}
