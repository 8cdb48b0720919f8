//! Graphs over a tile: the graph of a mask, a place or a finish with what it needs measured, ready to be asked.

use super::color::ColorTask;
use super::fan::{FanRequest, Rays};
use super::signals::Measuring;
use super::{Setup, TileWork};
use crate::finish::{Columns, Graph, Input, NodeId, PlaceFault, PlaceSettings, Signal, Sources};
use crate::finish::{compile_mask, compile_place, compile_signal};
use crate::hits::RayPlan;
use glam::Vec3;
use std::sync::Arc;

/// Nodes of a graph at every place of the surface, ready to be worked out.
pub(super) struct GraphWork {
    graph: Arc<Graph>,
    nodes: Vec<NodeId>,
    inputs: Vec<Input>,
    /// What is measured, by its number in the graph.
    measuring: Vec<(u32, Measuring)>,
    /// The colour that the sculpt carries, where it is asked for.
    carried: Option<ColorTask>,
}

impl GraphWork {
    /// Gets ready to work out `nodes`.
    ///
    /// # Errors
    /// What cannot be measured on this asset, and what to do.
    pub fn new(graph: Arc<Graph>, nodes: Vec<NodeId>, setup: &Setup, rays: Rays) -> Result<GraphWork, String> {
        let inputs = graph.inputs_of(&nodes);
        let measured = inputs.iter().filter_map(|input| if let Input::Measured(n) = input { Some(*n) } else { None });
        let measuring = measured.map(|n| Ok((n, Measuring::new(graph.measured(n), setup, rays)?)));
        let carries = inputs.contains(&Input::Carried);
        let carried = carries.then(|| ColorTask::of_sculpt(setup)).transpose()?;
        Ok(GraphWork { measuring: measuring.collect::<Result<_, String>>()?, inputs, graph, nodes, carried })
    }

    /// Rays that it asks for beyond the primary ones.
    pub fn requests(&self) -> Vec<&FanRequest> {
        self.measuring.iter().filter_map(|(_, measuring)| measuring.request()).collect()
    }

    /// About what a sample of a tile takes to measure ([`Signal::work`]); signals that the tile has take nothing.
    pub fn work_left(&self, tile: &TileWork) -> u64 {
        self.measuring.iter().map(|(_, measuring)| measuring.work_left(tile)).sum()
    }

    /// The nodes at some samples of a tile, a column a number; what they say of samples that hit nothing means nothing.
    pub fn columns(&self, tile: &mut TileWork, samples: &[u32]) -> Vec<Vec<f32>> {
        let mut columns = Columns::default();
        let all = samples.len() == tile.hits.samples();
        for (number, measuring) in &self.measuring {
            let column = measuring.column(tile);
            let own = if all { column.to_vec() } else { samples.iter().map(|s| column[*s as usize]).collect() };
            columns.put_number(Input::Measured(*number), own);
        }
        for input in &self.inputs {
            match (input, &self.carried) {
                (Input::Carried, Some(color)) => {
                    columns.put_vector(*input, samples.iter().map(|s| color.at(&tile.surface, *s as usize)));
                }
                _ => put(*input, tile, samples, &mut columns),
            }
        }
        self.graph.columns(&self.nodes, &columns, 0..samples.len())
    }
}

/// A number at every place of the surface, ready to be worked out.
pub struct Placed {
    work: GraphWork,
}

/// Side of the square that a sample stands for on the sheet, UV units.
pub(super) fn uv_side(plan: &RayPlan) -> f32 {
    1.0 / (plan.size as f32 * (plan.samples as f32).sqrt())
}

impl Placed {
    fn new(made: Result<(Graph, NodeId), PlaceFault>, setup: &Setup, rays: Rays) -> Result<Placed, String> {
        let (graph, node) = made.map_err(|fault| fault.to_string())?;
        Ok(Placed { work: GraphWork::new(Arc::new(graph), vec![node], setup, rays)? })
    }

    /// A mask of the recipe.
    ///
    /// # Errors
    /// Why it cannot be made of this asset, and what to do.
    pub fn mask(name: &str, setup: &Setup, rays: Rays) -> Result<Placed, String> {
        Placed::new(compile_mask(name, sources(setup)), setup, rays)
    }

    /// A place by itself.
    ///
    /// # Errors
    /// As [`Placed::mask`].
    pub fn place(place: &PlaceSettings, setup: &Setup, rays: Rays) -> Result<Placed, String> {
        Placed::new(compile_place(place, sources(setup)), setup, rays)
    }

    /// A signal as it is measured.
    ///
    /// # Errors
    /// As [`Placed::mask`].
    pub fn signal(signal: &Signal, setup: &Setup, rays: Rays) -> Result<Placed, String> {
        Placed::new(compile_signal(signal, sources(setup)), setup, rays)
    }

    /// Rays that it asks for beyond the primary ones.
    pub(super) fn requests(&self) -> Vec<&FanRequest> {
        self.work.requests()
    }

    /// As [`GraphWork::work_left`].
    pub(super) fn work_left(&self, tile: &TileWork) -> u64 {
        self.work.work_left(tile)
    }

    /// The number at each sample of a tile; what it says of samples that hit nothing means nothing.
    pub fn values(&self, tile: &mut TileWork) -> Vec<f32> {
        let all: Vec<u32> = (0..tile.hits.samples() as u32).collect();
        self.work.columns(tile, &all).pop().unwrap_or_default()
    }
}

/// What places and finishes of a bake may refer to.
pub(crate) fn sources<'a>(setup: &Setup<'a>) -> Sources<'a> {
    Sources { masks: setup.masks, images: &setup.scene.images, documents: &setup.scene.documents }
}

/// Brings a column that needs no measuring.
fn put(input: Input, tile: &TileWork, samples: &[u32], columns: &mut Columns) {
    let (scene, hits) = (tile.scene(), tile.hits);
    let samples = || samples.iter().map(|s| *s as usize);
    let low_part = |s: usize| scene.low.parts[hits.low(s).triangle as usize] as usize;
    match input {
        Input::Measured(_) | Input::Carried => {}
        Input::Position => columns.put_vector(input, samples().map(|s| tile.surface.points()[s])),
        Input::Normal => {
            let bent = tile.relief.as_ref().filter(|_| scene.own_surface);
            let normal = |s: usize| {
                let bent = bent.and_then(|detail| detail.normal(scene, hits.low(s)));
                bent.unwrap_or_else(|| tile.surface.normals()[s])
            };
            columns.put_vector(input, samples().map(normal));
        }
        Input::PartPosition | Input::PartShare => {
            let boxes = part_boxes(tile);
            let points = tile.surface.points();
            let place = |s: usize| {
                let (low, high) = boxes[low_part(s)];
                match input {
                    Input::PartPosition => points[s] - 0.5 * (low + high),
                    _ => (points[s] - low) / (high - low).max(Vec3::splat(f32::MIN_POSITIVE)),
                }
            };
            columns.put_vector(input, samples().map(place));
        }
        Input::Uv | Input::TextureUv => {
            let place = |s: usize| {
                let at = hits.low(s);
                let corners = scene.low.mesh.corner_uvs_on(at.triangle, input == Input::TextureUv);
                corners.map_or(Vec3::ZERO, |corners| at.between(corners).extend(0.0))
            };
            columns.put_vector(input, samples().map(place));
        }
        Input::Side => columns.put_number(input, samples().map(|s| tile.surface.sides()[s]).collect()),
        Input::UvSide => columns.put_number(input, vec![uv_side(tile.plan); samples().count()]),
        Input::TextureUvSide => {
            let (mesh, side) = (&scene.low.mesh, uv_side(tile.plan));
            let side = |s: usize| side * mesh.texture_scale(hits.low(s).triangle);
            columns.put_number(input, samples().map(side).collect());
        }
        Input::PartSide => {
            let boxes = part_boxes(tile);
            let sides = tile.surface.sides();
            let side = |s: usize| {
                let (low, high) = boxes[low_part(s)];
                sides[s] / (high - low).max_element().max(f32::MIN_POSITIVE)
            };
            columns.put_number(input, samples().map(side).collect());
        }
    }
}

/// The box of each low-poly part.
fn part_boxes(tile: &TileWork) -> Vec<(Vec3, Vec3)> {
    let mesh = &tile.scene().low.mesh;
    let of_part = |part: &crate::mesh::Part| {
        let corners = part.triangles.clone().flat_map(|t| mesh.corners(t));
        corners.fold((Vec3::INFINITY, Vec3::NEG_INFINITY), |(low, high), p| (low.min(p), high.max(p)))
    };
    mesh.parts.iter().map(of_part).collect()
}
