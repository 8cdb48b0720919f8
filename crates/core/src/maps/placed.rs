//! Places over a tile: the graph of a mask or a place with what it needs measured, ready to be asked.

use super::fan::{FanRequest, Rays};
use super::signals::Measuring;
use super::{Setup, TileWork};
use crate::finish::{Columns, Graph, Input, NodeId, PlaceFault, PlaceSettings, Signal, Sources};
use crate::finish::{compile_mask, compile_place, compile_signal};
use crate::hits::RayPlan;
use glam::Vec3;

/// A number at every place of the surface, ready to be worked out.
pub struct Placed {
    graph: Graph,
    node: NodeId,
    inputs: Vec<Input>,
    /// What is measured, by its number in the graph.
    measuring: Vec<(u32, Measuring)>,
}

/// Side of the square that a sample stands for on the sheet, UV units.
pub(super) fn uv_side(plan: &RayPlan) -> f32 {
    1.0 / (plan.size as f32 * (plan.samples as f32).sqrt())
}

impl Placed {
    fn new(made: Result<(Graph, NodeId), PlaceFault>, setup: &Setup, rays: Rays) -> Result<Placed, String> {
        let (graph, node) = made.map_err(|fault| fault.to_string())?;
        let inputs = graph.inputs_of(node);
        let measured = inputs.iter().filter_map(|input| if let Input::Measured(n) = input { Some(*n) } else { None });
        let measuring = measured.map(|n| Ok((n, Measuring::new(graph.measured(n), setup, rays)?)));
        Ok(Placed { measuring: measuring.collect::<Result<_, String>>()?, inputs, graph, node })
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
        self.measuring.iter().filter_map(|(_, measuring)| measuring.request()).collect()
    }

    /// About what a sample of a tile takes to measure ([`Signal::work`]); signals that the tile has take nothing.
    pub(super) fn work_left(&self, tile: &TileWork) -> u64 {
        self.measuring.iter().map(|(_, measuring)| measuring.work_left(tile)).sum()
    }

    /// The number at each sample of a tile; what it says of samples that hit nothing means nothing.
    pub fn values(&self, tile: &mut TileWork) -> Vec<f32> {
        let mut columns = Columns::default();
        for (number, measuring) in &self.measuring {
            columns.put_number(Input::Measured(*number), measuring.column(tile).to_vec());
        }
        self.inputs.iter().for_each(|input| put(*input, tile, &mut columns));
        self.graph.numbers(self.node, &columns, 0..tile.hits.samples())
    }
}

fn sources<'a>(setup: &Setup<'a>) -> Sources<'a> {
    Sources { masks: setup.masks, images: &setup.scene.images }
}

/// Brings a column that needs no measuring.
fn put(input: Input, tile: &TileWork, columns: &mut Columns) {
    let (scene, hits) = (tile.scene(), tile.hits);
    let samples = 0..hits.samples();
    let low_part = |s: usize| scene.low.parts[hits.low(s).triangle as usize] as usize;
    match input {
        Input::Measured(_) => {}
        Input::Position => columns.put_vector(input, tile.surface.points().iter().copied()),
        Input::Normal => {
            let bent = tile.relief.as_ref().filter(|_| scene.own_surface);
            let normal = |s: usize| {
                let bent = bent.and_then(|detail| detail.normal(scene, hits.low(s)));
                bent.unwrap_or_else(|| tile.surface.normals()[s])
            };
            columns.put_vector(input, samples.map(normal));
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
            columns.put_vector(input, samples.map(place));
        }
        Input::Uv => {
            let mesh = &scene.low.mesh;
            let place = |s: usize| match mesh.uvs.is_empty() {
                true => Vec3::ZERO,
                false => hits.low(s).between(mesh.corner_uvs(hits.low(s).triangle)).extend(0.0),
            };
            columns.put_vector(input, samples.map(place));
        }
        Input::Side => columns.put_number(input, tile.surface.sides().to_vec()),
        Input::UvSide => columns.put_number(input, vec![uv_side(tile.plan); hits.samples()]),
        Input::PartSide => {
            let boxes = part_boxes(tile);
            let sides = tile.surface.sides();
            let side = |s: usize| {
                let (low, high) = boxes[low_part(s)];
                sides[s] / (high - low).max_element().max(f32::MIN_POSITIVE)
            };
            columns.put_number(input, samples.map(side).collect());
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
