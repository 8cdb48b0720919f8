//! The rays of as many texels as a packet has lanes: traced together, tallied for each request that wants them, and ended where the
//! error that a request asks for is met.

use super::directions::Entry;
use super::rays::FIRST_LOOK;
use super::{Body, FanRequest, FanShare, Side};
use crate::hits::Scratch;
use crate::maps::TileWork;
use crate::trace::{LANES, Packet, PerRay, RaySpan, Rounding};
use glam::{I64Vec3, Vec3};
use std::ops::Range;

/// Where one texel's rays start, its hit samples ready; and by bit which requests want it.
pub(super) struct TexelRays<'a> {
    pub part: u32,
    /// Neighbours on the sheet have numbers near each other.
    pub place: u32,
    pub texel: usize,
    pub entries: &'a [Entry],
    /// Each entry's partner, where the rays are taken in rounds; else none.
    pub partners: &'a [u16],
    pub starts: Range<usize>,
    pub wanted_by: u32,
}

/// Where rays start, and about which normal.
pub(super) struct Start {
    origin: Vec3,
    normal: Vec3,
    tangent: Vec3,
    bitangent: Vec3,
    /// Unit geometric normal on the side rays leave by.
    face: Vec3,
}

/// One of this is a whole: shares of light are summed as whole numbers of it.
const WHOLE: f32 = 16_777_216.0;

impl TileWork<'_> {
    /// Traces the rays of as many texels as a packet has lanes, cell by cell; where a request asks for an error, in rounds, after
    /// each of which a texel may have enough.
    pub(super) fn trace_packet(
        &mut self,
        fan: &FanRequest,
        texels: &[TexelRays],
        starts: &[Start],
        shares: &mut [FanShare],
    ) {
        let scene = &self.plan.scene;
        let trace = fan.body.trace(scene);
        let parts = match fan.body {
            Body::Sculpt => scene.high.parts.len(),
            Body::Low => scene.low.mesh.parts.len(),
        };
        let Scratch { packet, walk, mask, .. } = &mut *self.scratch;
        let mask = mask.of(&fan.sights[texels[0].part as usize], parts);
        let all = texels[0].entries.len();
        let mut tallies: Vec<Tally> = shares.iter().map(|share| Tally::new(&share.request, all)).collect();
        let mut directions = [Vec3::ZERO; LANES];
        // Which requests still want rays of each texel.
        let mut live = [0; LANES];
        live.iter_mut().zip(texels).for_each(|(live, rays)| *live = rays.wanted_by);
        // Most packets are wanted by the same requests in all of their texels.
        let mut classes = RayClasses::of(shares, live[0]);
        *packet = Packet::default();
        let mut round = if texels[0].partners.is_empty() { 0..all } else { 0..FIRST_LOOK as usize };
        while !round.is_empty() && live != [0; LANES] {
            for k in round.clone() {
                packet.clear();
                let (mut near, mut cast) = (PerRay::splat(0.0), [NO_RAY; LANES]);
                for (lane, rays) in texels.iter().enumerate() {
                    if live[lane] != classes.wanted_by {
                        classes = RayClasses::of(shares, live[lane]);
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
                    for at in bits(class.members) {
                        tallies[at].add(&shares[at].request, (k, lane), &met, directions[lane]);
                    }
                }
            }
            for (lane, rays) in texels.iter().enumerate() {
                for at in bits(live[lane]) {
                    let has_enough = shares[at].request.error.is_some_and(|error| {
                        let most = shares[at].request.rays as usize;
                        round.end >= most || tallies[at].squared_error(rays, &round, lane) <= error * error
                    });
                    if has_enough {
                        tallies[at].rays[lane] = round.end as u32;
                        live[lane] &= !(1 << at);
                    }
                }
            }
            round = round.end..(2 * round.end).min(all);
        }
        for (lane, rays) in texels.iter().enumerate() {
            for at in bits(rays.wanted_by) {
                shares[at].take(rays.texel, &tallies[at], lane);
            }
        }
    }

    /// Where the rays of a sample start; None where it hit nothing.
    pub(super) fn start_of(&self, s: usize, request: &FanRequest, rounding: Rounding) -> Option<Start> {
        let scene = &self.plan.scene;
        let (position, mut normal, mut face) = match request.body {
            Body::Sculpt => {
                let surface = &self.surface;
                let found = (surface.points()[s], surface.normals()[s], surface.faces()[s]);
                self.hits.is_hit(s).then_some(found)?
            }
            Body::Low => {
                let (at, mesh) = (self.hits.low(s), &scene.low.mesh);
                (mesh.at(at), mesh.normal_at(at), mesh.face_normal(at.triangle))
            }
        };
        if request.side == Side::Inward {
            (normal, face) = (-normal, -face);
        }
        let (tangent, bitangent) = basis(normal);
        let trace = request.body.trace(scene);
        Some(Start { origin: trace.step_off(position, face, rounding), normal, tangent, bitangent, face })
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

/// What the rays of a packet's texels met, for one request; shares of light in whole numbers of 1 / [`WHOLE`].
struct Tally {
    open: [u64; LANES],
    way: [I64Vec3; LANES],
    /// Rays that each texel got.
    rays: [u32; LANES],
    /// How free each ray was by its place in the set, where the error follows from it.
    free: Vec<PerRay<f32>>,
}

impl Tally {
    fn new(request: &FanRequest, all: usize) -> Tally {
        let noted = if request.error.is_some() { all } else { 0 };
        Tally {
            open: [0; LANES],
            way: [I64Vec3::ZERO; LANES],
            rays: [request.rays; LANES],
            free: vec![PerRay::splat(0.0); noted],
        }
    }

    #[inline]
    fn add(&mut self, request: &FanRequest, (k, lane): (usize, usize), met: &Met, direction: Vec3) {
        let free = match request.by_distance {
            true if met.nearest <= request.distance => met.nearest / request.distance,
            true => 1.0,
            false if request.distance == met.far && met.blocked => return,
            false if request.distance != met.far && met.nearest <= request.distance => return,
            false => 1.0,
        };
        self.open[lane] += (free * WHOLE) as u64;
        if request.way {
            self.way[lane] += (direction * (free * WHOLE)).as_i64vec3();
        }
        if !self.free.is_empty() {
            self.free[k].0[lane] = free;
        }
    }

    /// The estimated variance of a texel's mean after a round. Its rays fall into pairs, two to a cell of the sky: what differs
    /// within cells is what stratified samples do not know (Cochran, "Sampling Techniques", 1977, section 5A.12, collapsed strata).
    /// The cells of single rays are half as large, so an edge crosses the square root of two fewer pairs' worth of them; and what
    /// falls between rays is smaller than such a cell, and counts as half of one.
    fn squared_error(&self, rays: &TexelRays, round: &Range<usize>, lane: usize) -> f32 {
        let half = round.end as u32 / 2;
        let later = round.clone().filter(|&at| rays.entries[at].number >= half);
        let squares = later.map(|at| {
            let differs = self.free[at].0[lane] - self.free[usize::from(rays.partners[at])].0[lane];
            differs * differs
        });
        (std::f32::consts::FRAC_1_SQRT_2 * squares.sum::<f32>() + 0.25) / (round.end * round.end) as f32
    }
}

impl FanShare {
    /// Takes over what the rays of one texel met.
    fn take(&mut self, texel: usize, tally: &Tally, lane: usize) {
        let rays = tally.rays[lane];
        self.open[texel] = (tally.open[lane] as f64 / f64::from(WHOLE * rays as f32)) as f32;
        if self.request.way {
            self.way[texel] = tally.way[lane].as_dvec3().as_vec3() / WHOLE;
        }
        if self.request.error.is_some() {
            self.rays[texel] = rays;
        }
    }
}

/// Numbers of the bits that are set, rising.
fn bits(mut of: u32) -> impl Iterator<Item = usize> {
    std::iter::from_fn(move || {
        let lowest = (of != 0).then(|| of.trailing_zeros() as usize);
        of &= of.wrapping_sub(1);
        lowest
    })
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
