//! Rays that leave the sculpt where primary rays hit it: how open a point is, and which way. Maps that send rays over the same
//! hemisphere past the same parts share one fan: each ray is traced once, as far as the furthest of them asks, and each map weighs
//! what it needs. A map's values are the same whether it has a fan to itself or shares one: its rays are the first ones of the same
//! sequence, and sums are whole numbers, so that no order tells.

mod directions;
mod packet;
mod rays;
mod tally;

pub use rays::{RAY_COUNTS, RAY_ERRORS, Rays, RaysByError, most_ray_counts};

use super::{Setup, TileWork};
use crate::pairs::PairTable;
use crate::scene::BakeScene;
use crate::trace::{LANES, Rounding, Sight, TraceScene};
use directions::DirectionSets;
use glam::Vec3;
use packet::TexelRays;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::ops::Add;
use std::rc::Rc;
use std::sync::Arc;

/// What may block a ray that leaves the sculpt.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Occluders {
    /// The high-poly parts of the texel's own pair.
    #[default]
    Pair,
    /// The whole sculpt.
    All,
    /// High-poly parts by name.
    Parts(Vec<String>),
}

impl Occluders {
    pub(super) fn words(&self) -> String {
        match self {
            Occluders::Pair => "own pair".into(),
            Occluders::All => "whole sculpt".into(),
            Occluders::Parts(names) => names.join(" and "),
        }
    }
}

/// How much a surface further off darkens.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Falloff {
    /// As much as a near one, up to the distance.
    #[default]
    None,
    /// Less the further off, nothing at the distance.
    Linear,
}

/// Which way rays go.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Side {
    Outward,
    Inward,
}

/// Which mesh rays leave and meet.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Body {
    /// The sculpt, from where primary rays hit it.
    Sculpt,
    /// The low-poly, from the samples themselves.
    Low,
}

impl Body {
    fn trace(self, scene: &BakeScene) -> &TraceScene {
        match self {
            Body::Sculpt => &scene.trace,
            Body::Low => scene.low_trace(),
        }
    }
}

/// What a map asks of rays, besides which way they go and what they meet.
pub(super) struct RayWish<'a> {
    pub rays: Rays,
    /// Scene units.
    pub distance: f32,
    pub falloff: Falloff,
    pub side: Side,
    pub occluders: &'a Occluders,
    /// High-poly parts that never block rays.
    pub clear: &'a [String],
    /// The open way is asked for, too.
    pub way: bool,
}

/// Rays that a map is ready to ask for.
#[derive(Clone, Debug)]
pub struct FanRequest {
    /// The most that a texel gets.
    rays: u32,
    /// The standard error at which a texel has enough; None where all get the most.
    error: Option<f32>,
    distance: f32,
    /// A surface counts by how far off it is, not only that it is there.
    by_distance: bool,
    way: bool,
    side: Side,
    body: Body,
    /// For each low part, the parts of the body that block rays.
    sights: Arc<Vec<Sight>>,
    sets: Arc<DirectionSets>,
}

impl FanRequest {
    /// Prepares rays.
    ///
    /// # Errors
    /// A part name that the sculpt does not have.
    pub(super) fn new(setup: &Setup, wish: &RayWish) -> Result<FanRequest, String> {
        let &RayWish { rays, distance, falloff, side, occluders, clear, way } = wish;
        Ok(FanRequest {
            rays: rays.most(),
            error: rays.error(),
            distance,
            by_distance: falloff == Falloff::Linear || side == Side::Inward,
            way,
            side,
            body: Body::Sculpt,
            sights: Arc::new(sights(setup.scene, setup.pairs, occluders, clear)?),
            sets: Arc::new(DirectionSets::new(rays.most(), setup.seed)),
        })
    }

    /// The same rays on the low-poly, which all of its parts may stop.
    pub(super) fn on_low(self, scene: &BakeScene) -> FanRequest {
        let parts = scene.low.mesh.parts.len();
        FanRequest { body: Body::Low, sights: Arc::new(vec![Sight::everything(); parts]), ..self }
    }

    /// Whether the two may share rays.
    fn shares_with(&self, other: &FanRequest) -> bool {
        (self.side, self.body) == (other.side, other.body) && self.sights == other.sights
    }

    /// Whether what the other finds is what this one wants.
    fn is_found_by(&self, other: &FanRequest) -> bool {
        self.shares_with(other)
            && (self.rays, self.error) == (other.rays, other.error)
            && (self.distance, self.by_distance) == (other.distance, other.by_distance)
            && (other.way || !self.way)
    }
}

/// For each low part the parts of the sculpt that stand in its way.
fn sights(scene: &BakeScene, pairs: &PairTable, occluders: &Occluders, clear: &[String]) -> Result<Vec<Sight>, String> {
    let parts = &scene.high.parts;
    let numbers = |names: &[String]| -> Result<Vec<u32>, String> {
        let mut found = Vec::new();
        for name in names {
            let before = found.len();
            found.extend(parts.iter().enumerate().filter(|(_, p)| p.name == *name).map(|(i, _)| i as u32));
            if found.len() == before {
                let known: Vec<&str> = parts.iter().map(|p| p.name.as_str()).collect();
                return Err(format!("the sculpt has no part '{name}'; it has {}", known.join(", ")));
            }
        }
        Ok(found)
    };
    let seen = match occluders {
        Occluders::Pair => pairs.sights.clone(),
        Occluders::All => vec![Sight::everything(); pairs.sights.len()],
        Occluders::Parts(names) => vec![Sight::only(numbers(names)?); pairs.sights.len()],
    };
    let clear = numbers(clear)?;
    Ok(if clear.is_empty() { seen } else { seen.iter().map(|sight| sight.without(&clear)).collect() })
}

/// What the rays of each texel of a tile met, for one request.
#[derive(Clone)]
pub(super) struct FanShare {
    request: FanRequest,
    /// Texels whose rays are traced.
    done: Vec<bool>,
    /// Mean over rays, one entry a texel of the tile: 1 where nothing blocks it, 0 where everything does; with
    /// falloff, and inward, by distance.
    pub open: Vec<f32>,
    /// Sum of the directions in which nothing blocks a ray, object space, where the request asks for it.
    pub way: Vec<Vec3>,
    /// Rays that each texel got, where the number follows from its error.
    rays: Vec<u32>,
    /// Estimated variance of each texel's mean; 0 where no ray left.
    variance: Vec<f32>,
}

impl FanShare {
    fn new(request: &FanRequest, texels: usize) -> FanShare {
        let way = if request.way { vec![Vec3::ZERO; texels] } else { Vec::new() };
        let rays = if request.error.is_some() { vec![0; texels] } else { Vec::new() };
        let (done, open, variance) = (vec![false; texels], vec![1.0; texels], vec![0.0; texels]);
        FanShare { request: request.clone(), done, open, way, rays, variance }
    }
}

/// Rays that texels got where the number follows from their error.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct RaysSpent {
    pub texels: u64,
    pub rays: u64,
}

impl RaysSpent {
    /// Rays per texel; None when there is no texel.
    pub fn mean(self) -> Option<f32> {
        (self.texels > 0).then(|| (self.rays as f64 / self.texels as f64) as f32)
    }
}

impl Add for RaysSpent {
    type Output = RaysSpent;

    fn add(self, other: RaysSpent) -> RaysSpent {
        RaysSpent { texels: self.texels + other.texels, rays: self.rays + other.rays }
    }
}

/// A request of a run, and the texels it is wanted for; all when None.
#[derive(Clone, Copy)]
pub struct Asked<'a> {
    pub request: &'a FanRequest,
    pub wanted: Option<&'a [bool]>,
}

/// Requests that share a fan, at most.
const MOST_SHARING: usize = 32;

impl TileWork<'_> {
    /// What a map's rays met; traced now, with those of all maps of the run that share them, unless another map of this tile had
    /// them traced.
    pub(super) fn fan(&mut self, request: &FanRequest) -> Rc<FanShare> {
        let share = self.share_of(request);
        if request.error.is_some() {
            let rays = self.wanted_texels().map(|(texel, _)| share.rays[texel]).filter(|rays| *rays > 0);
            let each = rays.map(|rays| RaysSpent { texels: 1, rays: u64::from(rays) });
            self.by_error = each.fold(RaysSpent::default(), RaysSpent::add);
        }
        self.noise = Some(share.clone());
        share
    }

    /// Estimated standard errors of what rays told the map at work, by texel, of full range 1; none where it asked for no rays. They are
    /// given away.
    pub(crate) fn take_errors(&mut self) -> Vec<(usize, f32)> {
        let Some(share) = self.noise.take() else { return Vec::new() };
        let errors = self.wanted_texels().map(|(texel, _)| (texel, share.variance[texel].sqrt()));
        errors.filter(|(_, error)| *error > 0.0).collect()
    }

    fn share_of(&mut self, request: &FanRequest) -> Rc<FanShare> {
        let found = |share: &Rc<FanShare>| request.is_found_by(&share.request);
        if let Some(known) = self.shares.iter().find(|share| found(share))
            && self.wanted_texels().all(|(texel, _)| known.done[texel])
        {
            return known.clone();
        }
        if self.wanted_texels().next().is_none() {
            return Rc::new(FanShare::new(request, self.hits.tile.texels()));
        }
        self.trace_fan(request);
        let at = self.shares.iter().position(found).unwrap_or_default();
        self.shares[at].clone()
    }

    /// Traces the rays of a request, and with them those of the run's other requests that share its fan.
    fn trace_fan(&mut self, request: &FanRequest) {
        let own = Asked { request, wanted: self.wanted };
        let others = self.asked.iter().copied().filter(|asked| asked.request.shares_with(request));
        let mut shares: Vec<FanShare> = Vec::new();
        let mut wanted_by = vec![0u32; self.hits.tile.texels()];
        for Asked { request, wanted } in std::iter::once(own).chain(others) {
            let known = shares.iter().position(|s| request.is_found_by(&s.request));
            let at = known.unwrap_or(shares.len());
            if at == MOST_SHARING {
                continue;
            }
            if known.is_none() {
                // Some of it may be there from a map that wanted other texels.
                let before = self.shares.iter().position(|s| request.is_found_by(&s.request));
                let before = before.map(|at| Rc::unwrap_or_clone(self.shares.swap_remove(at)));
                shares.push(before.unwrap_or_else(|| FanShare::new(request, wanted_by.len())));
            }
            for (texel, _) in self.hits.texels().filter(|(texel, _)| wanted.is_none_or(|w| w[*texel])) {
                wanted_by[texel] |= u32::from(!shares[at].done[texel]) << at;
            }
        }
        for (at, share) in shares.iter_mut().enumerate() {
            share.done.iter_mut().zip(&wanted_by).for_each(|(done, by)| *done |= by >> at & 1 == 1);
        }
        self.trace_texels(&wanted_by, &mut shares);
        self.shares.extend(shares.into_iter().map(Rc::new));
    }

    fn trace_texels(&mut self, wanted_by: &[u32], shares: &mut [FanShare]) {
        let (plan, hits) = (self.plan, self.hits);
        let all = wanted_by.iter().fold(0, |all, by| all | by);
        let wanted = shares.iter().enumerate().filter(|(at, _)| all >> at & 1 == 1);
        let wanted: Vec<&FanRequest> = wanted.map(|(_, share)| &share.request).collect();
        // Whoever asks for an error looks at it after each round.
        let in_rounds = wanted.iter().any(|request| request.error.is_some());
        let Some(longest) = wanted.into_iter().max_by_key(|request| request.rays).cloned() else { return };
        let mut starts = Vec::new();
        let mut texels: Vec<TexelRays> = Vec::new();
        let trace = longest.body.trace(&plan.scene);
        // Neighbours are of one part as a rule.
        let (mut part_of_rounding, mut rounding) = (u32::MAX, Rounding::default());
        for (texel, samples) in hits.texels().filter(|(texel, _)| wanted_by[*texel] != 0) {
            let part = plan.scene.low.parts[hits.low(samples.start).triangle as usize];
            let before = starts.len();
            if part_of_rounding != part {
                let sight = &longest.sights[part as usize];
                (part_of_rounding, rounding) = (part, trace.rounding(sight));
            }
            starts.extend(samples.filter_map(|s| self.start_of(s, &longest, rounding)));
            if starts.len() > before {
                let set = longest.sets.set_of(hits.sheet, hits.texel_on_sheet(texel, plan.size));
                let (entries, partners) = match in_rounds {
                    true => longest.sets.by_rounds(set),
                    false => (longest.sets.by_cells(set), [].as_slice()),
                };
                let (starts, wanted_by) = (before..starts.len(), wanted_by[texel]);
                texels.push(TexelRays {
                    part,
                    place: hits.tile.place_on_curve(texel),
                    texel,
                    entries,
                    partners,
                    starts,
                    wanted_by,
                });
            }
        }
        texels.sort_unstable_by_key(|rays| (rays.part, rays.place));
        for of_part in texels.chunk_by(|a, b| a.part == b.part) {
            for packet in of_part.chunks(LANES) {
                self.trace_packet(&longest, packet, &starts, shares);
            }
        }
    }
}
