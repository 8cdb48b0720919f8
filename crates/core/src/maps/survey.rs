//! A survey: the same few thousand places of a surface, spread evenly over it, asked about one signal after the other. Histograms, shares
//! covered, blurs and places by example are worked out over surveys, so that they do not depend on a sheet or its UVs.

use super::fan::Rays;
use super::finished::Finishes;
use super::placed::Placed;
use super::{Setup, TileWork};
use crate::hits::{RayPlan, Scratch, TileHits};
use crate::reach::spread_points;
use crate::scene::{Beside, KeptBeside};
use crate::surface::MeshPoint;
use glam::Vec3;
use parking_lot::Mutex;
use rayon::prelude::*;
use std::sync::Arc;

/// Places that one thread takes at a time.
const AT_ONCE: usize = 1024;
/// Signals that are kept of a survey.
const MOST_SIGNALS: usize = 64;
/// Number at which the sequence of places begins.
const SEED: u32 = 77;

/// Places of the low surface with what lies there.
pub struct Survey {
    chunks: Vec<Chunk>,
}

struct Chunk {
    hits: TileHits,
    signals: Mutex<Vec<(String, Arc<Vec<f32>>)>>,
}

impl KeptBeside for Survey {
    fn bytes(&self) -> usize {
        let of_chunk = |chunk: &Chunk| {
            let signals: usize = chunk.signals.lock().iter().map(|(_, values)| 4 * values.len()).sum();
            chunk.hits.bytes() + signals
        };
        self.chunks.iter().map(of_chunk).sum()
    }
}

impl Survey {
    /// About `count` places spread evenly by area over the low surface; kept with the scene.
    ///
    /// # Errors
    /// That the work was stopped.
    pub fn spread(setup: &Setup, count: usize) -> Result<Beside<Survey>, String> {
        let name = format!("survey {count} {}", setup.rays_key);
        let make = || {
            let survey = Survey::at(setup.rays, &spread_points(&setup.scene.low, count, 0, SEED));
            if (setup.stop)() { Err(crate::stop::Stopped) } else { Ok(survey) }
        };
        setup.scene.kept_beside(name, make).map_err(|stopped| stopped.to_string())
    }

    /// A survey of these places.
    pub fn at(plan: &RayPlan, places: &[MeshPoint]) -> Survey {
        let chunk = |places: &[MeshPoint]| {
            let hits = TileHits::at_points(plan, places, &mut Scratch::default());
            Chunk { hits, signals: Mutex::default() }
        };
        Survey { chunks: places.par_chunks(AT_ONCE).map(chunk).collect() }
    }

    /// How many places there are.
    pub fn len(&self) -> usize {
        self.chunks.iter().map(|chunk| chunk.hits.samples()).sum()
    }

    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }

    /// Where the places lie, in order.
    pub fn places(&self) -> impl Iterator<Item = MeshPoint> + '_ {
        self.chunks.iter().flat_map(|chunk| (0..chunk.hits.samples()).map(|s| chunk.hits.low(s)))
    }

    /// What `tell` says of each place.
    pub(super) fn each<T: Send>(&self, setup: &Setup, tell: impl Fn(&TileWork, usize) -> T + Sync) -> Vec<T> {
        let of_chunk = |chunk: &Chunk| {
            let mut scratch = Scratch::default();
            let tile = TileWork::new(setup.rays, &chunk.hits, &[], None, &mut scratch);
            (0..chunk.hits.samples()).map(|s| tell(&tile, s)).collect::<Vec<T>>()
        };
        let all: Vec<Vec<T>> = self.chunks.par_iter().map(of_chunk).collect();
        all.into_iter().flatten().collect()
    }

    /// What `tell` says of each place, of those that hit nothing None: of the place, the sculpt's normal and where it was hit.
    pub fn told<T: Send>(&self, setup: &Setup, tell: impl Fn(MeshPoint, Vec3, Vec3) -> T + Sync) -> Vec<Option<T>> {
        self.each(setup, |tile, s| {
            let (normals, points) = (tile.surface.normals(), tile.surface.points());
            tile.hits.is_hit(s).then(|| tell(tile.hits.low(s), normals[s], points[s]))
        })
    }

    /// The number at each place; NaN where nothing was hit.
    pub fn values(&self, placed: &Placed, setup: &Setup) -> Vec<f32> {
        self.measured(setup, |tile| {
            let work = placed.work_left(tile) * tile.hits.samples() as u64;
            let values = placed.values(tile);
            setup.scene.meter.did(work);
            values
        })
    }

    /// How far finishes stand above each place, along the averaged direction, scene units; NaN where nothing was hit.
    pub(super) fn heights(&self, finishes: &Finishes, setup: &Setup) -> Vec<f32> {
        self.measured(setup, |tile| finishes.heights(tile))
    }

    /// What `measure` finds for the places of each tile; NaN where nothing was hit. Signals are kept for the next asking.
    fn measured(&self, setup: &Setup, measure: impl Fn(&mut TileWork) -> Vec<f32> + Sync) -> Vec<f32> {
        let of_chunk = |chunk: &Chunk| {
            let mut scratch = Scratch::default();
            let mut tile = TileWork::new(setup.rays, &chunk.hits, &[], None, &mut scratch);
            tile.relief = setup.detail.as_ref().ok().cloned();
            tile.signals.clone_from(&chunk.signals.lock());
            let mut values = measure(&mut tile);
            let mut signals = std::mem::take(&mut tile.signals);
            let beyond = signals.len().saturating_sub(MOST_SIGNALS);
            signals.drain(..beyond);
            *chunk.signals.lock() = signals;
            for (s, value) in values.iter_mut().enumerate() {
                if !chunk.hits.is_hit(s) {
                    *value = f32::NAN;
                }
            }
            values
        };
        let all: Vec<Vec<f32>> = self.chunks.par_iter().map(of_chunk).collect();
        all.into_iter().flatten().collect()
    }
}

/// Rays that a survey's signals are traced with.
pub const SURVEY_RAYS: Rays = Rays::Fixed(64);
