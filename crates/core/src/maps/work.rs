//! What maps work with: what they may look at while they get ready, and a tile at work.

use super::fan::FanShare;
use super::finished::{FinishColumns, Finishes};
use super::{Asked, DetailMap, IdSettings, Rays, RaysSpent};
use crate::finish::{Finish, Mask};
use crate::hits::{HitStore, RayPlan, Resolved, Scratch, TileHits};
use crate::mesh::CurvatureField;
use crate::pairs::PairTable;
use crate::scene::BakeScene;
use crate::stop::Stop;
use crate::surface::Distance;
use std::ops::Range;
use std::rc::Rc;
use std::sync::{Arc, OnceLock};

/// What a map may look at while it gets ready.
#[derive(Clone, Copy)]
pub struct Setup<'a> {
    pub scene: &'a BakeScene,
    pub pairs: &'a PairTable,
    /// What primary rays follow.
    pub rays: &'a RayPlan,
    /// Masks of the recipe.
    pub masks: &'a [Mask],
    /// How the recipe's ID map tells regions apart.
    pub id: Option<IdSettings>,
    /// Tells all that hits follow from besides the meshes, to know what was measured for them again.
    pub(crate) rays_key: &'a str,
    /// The asset from corner to corner, scene units.
    pub diagonal: f32,
    /// Texels per side of a sheet.
    pub size: u32,
    /// Scrambles rays.
    pub seed: u64,
    pub(crate) detail: &'a Result<Arc<DetailMap>, String>,
    pub(crate) finishes: &'a [Finish],
    /// Rays per texel of signals that finishes trace.
    pub(crate) finish_rays: Rays,
    pub(crate) made: &'a OnceLock<Arc<Finishes>>,
    /// The sheet is a plane that closes at its edges.
    pub(crate) repeats: bool,
    /// The wish to end getting ready.
    pub(crate) stop: Stop<'a>,
}

impl Setup<'_> {
    /// A distance, or this share of the asset's diagonal where it is `auto`.
    pub(super) fn distance(&self, distance: Distance, share: f32) -> f32 {
        distance.or_share(share, self.diagonal)
    }

    /// Mean curvature of the sculpt over a size in scene units.
    pub(super) fn curvature(&self, size: f32) -> Result<Arc<CurvatureField>, String> {
        self.scene.curvature(size, self.stop).map_err(|stopped| stopped.to_string())
    }

    /// The finishes of the recipe; None where it has none.
    pub(super) fn finished(&self) -> Option<Arc<Finishes>> {
        let some = !self.finishes.is_empty();
        some.then(|| self.made.get_or_init(|| Arc::new(Finishes::new(self))).clone())
    }

    /// The finishes, where they stand above or below the surface.
    pub(super) fn relief(&self) -> Option<Arc<Finishes>> {
        self.finished().filter(|finishes| finishes.sets_height())
    }

    pub(super) fn needs_sculpt(&self) -> Result<(), String> {
        match self.scene.own_surface {
            true => Err("it needs a sculpt, and the recipe names none; import one, or leave this map out".into()),
            false => Ok(()),
        }
    }
}

/// A tile at work: its hits, and what maps share beyond them.
pub struct TileWork<'a> {
    pub plan: &'a RayPlan,
    pub hits: &'a TileHits,
    /// What the hits are, for maps to read.
    pub surface: Resolved<'a>,
    /// Rays traced beyond the primary ones so far.
    pub traced: u64,
    /// Rays that the map at work got where their number follows from the error.
    pub by_error: RaysSpent,
    /// What rays of the map at work met, if it asked for any.
    pub(super) noise: Option<Rc<FanShare>>,
    /// Texels that the map at work is to work on; all when None.
    pub(crate) wanted: Option<&'a [bool]>,
    pub(super) scratch: &'a mut Scratch,
    /// Hits kept with other runs.
    store: Option<&'a dyn HitStore>,
    averaged: Option<Rc<TileHits>>,
    /// What maps of the run ask of rays.
    pub(super) asked: &'a [Asked<'a>],
    pub(super) shares: Vec<Rc<FanShare>>,
    /// Signals measured for masks, a number per sample, by what they were measured with.
    pub(crate) signals: Vec<(String, Arc<Vec<f32>>)>,
    /// What finishes say of its samples, once a map asked.
    pub(super) finished: Option<FinishColumns>,
    /// The normal map that bends a low-poly without a sculpt.
    pub(crate) relief: Option<Arc<DetailMap>>,
}

impl<'a> TileWork<'a> {
    pub(crate) fn new(
        plan: &'a RayPlan,
        hits: &'a TileHits,
        asked: &'a [Asked<'a>],
        store: Option<&'a dyn HitStore>,
        scratch: &'a mut Scratch,
    ) -> Self {
        TileWork {
            plan,
            hits,
            surface: Resolved::new(plan, hits),
            traced: 0,
            by_error: RaysSpent::default(),
            noise: None,
            wanted: None,
            scratch,
            store,
            averaged: None,
            asked,
            shares: Vec::new(),
            signals: Vec::new(),
            finished: None,
            relief: None,
        }
    }

    /// Texels that the map is to work on, each with its range of samples.
    pub(crate) fn wanted_texels(&self) -> impl Iterator<Item = (usize, Range<usize>)> + use<'a> {
        let wanted = self.wanted;
        self.hits.texels().filter(move |(texel, _)| wanted.is_none_or(|w| w[*texel]))
    }

    pub(crate) fn scene(&self) -> &'a BakeScene {
        &self.plan.scene
    }

    /// Hits along the averaged direction without a cage; traced anew only where the primary rays ran otherwise.
    pub(super) fn averaged_hits(&mut self) -> Option<Rc<TileHits>> {
        if self.plan.field.all_averaged() {
            return None;
        }
        if self.averaged.is_none() {
            let traced = self.hits.traced_averaged(self.plan, self.store, self.scratch);
            self.traced += traced.rays();
            self.averaged = Some(Rc::new(traced));
        }
        self.averaged.clone()
    }
}
