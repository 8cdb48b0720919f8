//! Rays that leave the sculpt where primary rays hit it: how open a point is, and which way. Maps that send rays over the same
//! hemisphere past the same parts share one fan: each ray is traced once, as far as the furthest of them asks, and each map weighs
//! what it needs. A map's values are the same whether it has a fan to itself or shares one: its rays are the first ones of the same
//! sequence, and sums are whole numbers, so that no order tells.

use super::directions::DirectionSets;
use super::{Setup, TileWork};
use crate::hits::Scratch;
use crate::pairs::PairTable;
use crate::scene::BakeScene;
use crate::trace::{LANES, Packet, PerRay, RaySpan, Sight};
use glam::{I64Vec3, Vec3};
use serde::{Deserialize, Serialize};
use std::ops::Range;
use std::rc::Rc;
use std::sync::Arc;
use ts_rs::TS;

/// Rays a texel that may be asked for.
pub const RAY_COUNTS: [u32; 8] = [4, 8, 16, 32, 64, 128, 256, 512];

/// What may stand in the way of a ray that leaves the sculpt.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize, TS)]
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
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, TS)]
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

/// What a map asks of rays, besides which way they go and what they meet.
pub(super) struct RayWish<'a> {
    pub rays: u32,
    /// Scene units.
    pub distance: f32,
    pub falloff: Falloff,
    pub side: Side,
    pub occluders: &'a Occluders,
    /// High-poly parts that never stand in the way.
    pub clear: &'a [String],
    /// The open way is asked for, too.
    pub way: bool,
}

/// Rays that a map is ready to ask for.
#[derive(Clone, Debug)]
pub struct FanRequest {
    rays: u32,
    distance: f32,
    /// A surface counts by how far off it is, not only that it is there.
    by_distance: bool,
    way: bool,
    side: Side,
    body: Body,
    /// For each low part, the parts of the body that stand in the way.
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
            rays,
            distance,
            by_distance: falloff == Falloff::Linear || side == Side::Inward,
            way,
            side,
            body: Body::Sculpt,
            sights: Arc::new(sights(setup.scene, setup.pairs, occluders, clear)?),
            sets: Arc::new(DirectionSets::new(rays, setup.seed)),
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
            && (self.rays, self.distance, self.by_distance) == (other.rays, other.distance, other.by_distance)
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
    /// Mean over rays, one entry a texel of the tile: 1 where nothing stands in the way, 0 where everything does; with
    /// falloff, and inward, by distance.
    pub open: Vec<f32>,
    /// Sum of the directions in which nothing stands in the way, object space, where the request asks for it.
    pub way: Vec<Vec3>,
}

impl FanShare {
    fn new(request: &FanRequest, texels: usize) -> FanShare {
        let way = if request.way { vec![Vec3::ZERO; texels] } else { Vec::new() };
        FanShare { request: request.clone(), done: vec![false; texels], open: vec![1.0; texels], way }
    }
}

/// A request of a run, and the texels it is wanted for; all when None.
#[derive(Clone, Copy)]
pub struct Asked<'a> {
    pub request: &'a FanRequest,
    pub wanted: Option<&'a [bool]>,
}

/// Where one texel's rays start, its hit samples ready; and by bit which requests want it.
struct TexelRays<'a> {
    part: u32,
    /// Neighbours on the sheet have numbers near each other.
    place: u32,
    texel: usize,
    entries: &'a [super::directions::Entry],
    starts: Range<usize>,
    wanted_by: u32,
}

struct Start {
    origin: Vec3,
    normal: Vec3,
    tangent: Vec3,
    bitangent: Vec3,
    /// Unit geometric normal on the side rays leave by.
    face: Vec3,
}

/// Requests that share a fan, at most.
const MOST_SHARING: usize = 32;

/// One of this is a whole: shares of light are summed as whole numbers of it.
const WHOLE: f32 = 16_777_216.0;

impl TileWork<'_> {
    /// What a map's rays met; traced now, with those of all maps of the run that share them, unless another map of this tile had
    /// them traced.
    pub(super) fn fan(&mut self, request: &FanRequest) -> Rc<FanShare> {
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
        let longest = wanted.map(|(_, share)| &share.request);
        let Some(longest) = longest.max_by_key(|request| request.rays).cloned() else { return };
        let mut starts = Vec::new();
        let mut texels: Vec<TexelRays> = Vec::new();
        for (texel, samples) in hits.texels().filter(|(texel, _)| wanted_by[*texel] != 0) {
            let part = plan.scene.low.parts[hits.low(samples.start).triangle as usize];
            let before = starts.len();
            starts.extend(samples.filter_map(|s| self.start_of(s, &longest)));
            if starts.len() > before {
                let entries = longest.sets.of_texel(hits.sheet, hits.texel_on_sheet(texel, plan.size));
                let (starts, wanted_by) = (before..starts.len(), wanted_by[texel]);
                texels.push(TexelRays {
                    part,
                    place: hits.tile.place_on_curve(texel),
                    texel,
                    entries,
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

    /// Traces the rays of as many texels as a packet has lanes, cell by cell.
    fn trace_packet(&mut self, fan: &FanRequest, texels: &[TexelRays], starts: &[Start], shares: &mut [FanShare]) {
        let scene = &self.plan.scene;
        let (trace, parts) = match fan.body {
            Body::Sculpt => (&*scene.trace, scene.high.parts.len()),
            Body::Low => (scene.low_trace(), scene.low.mesh.parts.len()),
        };
        let Scratch { packet, walk, mask, .. } = &mut *self.scratch;
        let mask = mask.of(&fan.sights[texels[0].part as usize], parts);
        let mut tallies = vec![Tally::default(); shares.len() * LANES];
        let mut directions = [Vec3::ZERO; LANES];
        // Most packets are wanted by the same requests in all of their texels.
        let mut classes = RayClasses::of(shares, texels[0].wanted_by);
        *packet = Packet::default();
        for k in 0..fan.sets.rays() {
            packet.clear();
            let (mut near, mut cast) = (PerRay::splat(0.0), [NO_RAY; LANES]);
            for (lane, rays) in texels.iter().enumerate() {
                if rays.wanted_by != classes.wanted_by {
                    classes = RayClasses::of(shares, rays.wanted_by);
                }
                let entry = &rays.entries[k];
                let Some(class) = classes.of_ray(entry.number) else { continue };
                let start = &starts[rays.starts.start + (entry.start * rays.starts.len() as f32) as usize];
                directions[lane] = direction_from(start, entry.direction);
                packet.set(lane, &RaySpan { origin: start.origin, direction: directions[lane], length: class.far });
                near.0[lane] = class.near;
                cast[lane] = *class;
                self.traced += 1;
            }
            if packet.is_empty() {
                continue;
            }
            let (blocked, nearest) = match near.0 == [0.0; LANES] {
                true => (trace.occluded_packet(packet, mask, walk), PerRay::splat(f32::INFINITY)),
                false => {
                    let met = trace.fan_packet(packet, &near, mask, walk);
                    (met.blocked, met.nearest)
                }
            };
            for (lane, class) in cast[..texels.len()].iter().enumerate() {
                let met = Met { blocked: blocked >> lane & 1 == 1, nearest: nearest.0[lane], far: class.far };
                let mut members = class.members;
                while members != 0 {
                    let at = members.trailing_zeros() as usize;
                    members &= members - 1;
                    tallies[at * LANES + lane].add(&shares[at].request, &met, directions[lane]);
                }
            }
        }
        for (at, share) in shares.iter_mut().enumerate() {
            for (lane, rays) in texels.iter().enumerate().filter(|(_, rays)| rays.wanted_by >> at & 1 == 1) {
                let tally = &tallies[at * LANES + lane];
                share.open[rays.texel] = (tally.open as f64 / f64::from(WHOLE * share.request.rays as f32)) as f32;
                if share.request.way {
                    share.way[rays.texel] = tally.way.as_dvec3().as_vec3() / WHOLE;
                }
            }
        }
    }

    /// Where the rays of a sample start; None where it hit nothing.
    fn start_of(&self, s: usize, request: &FanRequest) -> Option<Start> {
        let scene = &self.plan.scene;
        let (position, mut normal, mut face, trace) = match request.body {
            Body::Sculpt => {
                let surface = &self.surface;
                let found = (surface.points()[s], surface.normals()[s], surface.faces()[s], &*scene.trace);
                self.hits.is_hit(s).then_some(found)?
            }
            Body::Low => {
                let (at, mesh) = (self.hits.low(s), &scene.low.mesh);
                (mesh.at(at), mesh.normal_at(at), mesh.face_normal(at.triangle), scene.low_trace())
            }
        };
        if request.side == Side::Inward {
            (normal, face) = (-normal, -face);
        }
        let (tangent, bitangent) = basis(normal);
        Some(Start { origin: trace.step_off(position, face), normal, tangent, bitangent, face })
    }
}

/// What is wanted of a ray: whether anything is met up to `far`, and what is nearest up to `near`, scene units; and by which
/// requests, bit by number.
#[derive(Clone, Copy)]
struct RayClass {
    near: f32,
    far: f32,
    members: u32,
}

const NO_RAY: RayClass = RayClass { near: 0.0, far: 0.0, members: 0 };

/// The kinds of rays of a texel: the first ones serve all requests that want it, the later ones those that ask for more.
struct RayClasses {
    wanted_by: u32,
    /// Ends of the kinds by number in the sequence, rising, each with what is wanted of it.
    kinds: Vec<(u32, RayClass)>,
}

impl RayClasses {
    fn of(shares: &[FanShare], wanted_by: u32) -> RayClasses {
        let wanted = || shares.iter().enumerate().filter(|(at, _)| wanted_by >> at & 1 == 1);
        let mut ends: Vec<u32> = wanted().map(|(_, share)| share.request.rays).collect();
        ends.sort_unstable();
        ends.dedup();
        let kind = |end: u32| {
            let asked = || wanted().filter(|(_, share)| share.request.rays >= end).map(|(_, share)| &share.request);
            let far = asked().map(|request| request.distance).fold(0.0, f32::max);
            // Who asks only whether anything is there has to know how near it is when others ask for things further off.
            let measured = asked().filter(|request| request.by_distance || request.distance < far);
            let near = measured.map(|request| request.distance).fold(0.0, f32::max);
            let members = wanted().filter(|(_, share)| share.request.rays >= end).fold(0, |b, (at, _)| b | 1 << at);
            (end, RayClass { near, far, members })
        };
        RayClasses { wanted_by, kinds: ends.into_iter().map(kind).collect() }
    }

    /// The kind of ray `number`; None where nobody wants it.
    #[inline]
    fn of_ray(&self, number: u32) -> Option<&RayClass> {
        self.kinds.iter().find(|(end, _)| number < *end).map(|(_, class)| class)
    }
}

/// What one ray met.
struct Met {
    blocked: bool,
    /// The nearest hit within its `near`, or infinity.
    nearest: f32,
    far: f32,
}

/// What the rays of a texel met, for one request, in whole numbers of 1 / [`WHOLE`].
#[derive(Clone, Copy, Default)]
struct Tally {
    open: u64,
    way: I64Vec3,
}

impl Tally {
    #[inline]
    fn add(&mut self, request: &FanRequest, met: &Met, direction: Vec3) {
        let free = match request.by_distance {
            true if met.nearest <= request.distance => met.nearest / request.distance,
            true => 1.0,
            false if request.distance == met.far && met.blocked => return,
            false if request.distance != met.far && met.nearest <= request.distance => return,
            false => 1.0,
        };
        self.open += (free * WHOLE) as u64;
        if request.way {
            self.way += (direction * (free * WHOLE)).as_i64vec3();
        }
    }
}

/// A direction of the set turned to a point's normal. Where the interpolated normal leans so far that a direction would run
/// into the face itself, it is mirrored at the face: a smooth-shaded convex body stays open all round.
#[inline]
fn direction_from(start: &Start, local: Vec3) -> Vec3 {
    let d = start.tangent * local.x + start.bitangent * local.y + start.normal * local.z;
    let into = d.dot(start.face);
    if into < 0.0 { d - start.face * (2.0 * into) } else { d }
}

/// Two unit vectors square to `n` and to each other (Duff and others, "Building an Orthonormal Basis, Revisited", JCGT 2017).
fn basis(n: Vec3) -> (Vec3, Vec3) {
    let sign = 1.0f32.copysign(n.z);
    let a = -1.0 / (sign + n.z);
    let b = n.x * n.y * a;
    (Vec3::new(1.0 + sign * n.x * n.x * a, sign * b, -sign * n.x), Vec3::new(b, sign + n.y * n.y * a, -n.y))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn bases_are_right_handed_and_square() {
        for n in [Vec3::X, Vec3::NEG_Z, Vec3::new(0.3, -0.5, -0.81).normalize(), Vec3::Z] {
            let (t, b) = basis(n);
            assert!(t.cross(b).distance(n) < 1e-6 && t.dot(b).abs() < 1e-6, "{n}");
        }
    }
}
