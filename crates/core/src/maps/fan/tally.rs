//! What the rays of a packet are wanted for, and what comes of them, request by request.

use super::packet::TexelRays;
use super::{FanRequest, FanShare};
use crate::trace::{LANES, PerRay};
use glam::{I64Vec3, Vec3};
use std::ops::Range;

/// One of this is a whole: shares of light are summed as whole numbers of it.
const WHOLE: f32 = 16_777_216.0;

/// What is wanted of a ray: whether anything is met up to `far`, and what is nearest up to `near`, scene units; and by which
/// requests, bit by number.
#[derive(Clone, Copy)]
pub(super) struct RayKind {
    pub near: f32,
    pub far: f32,
    pub members: u32,
}

/// The kinds of rays of a packet's texels. The first rays of a texel serve all requests that want it, the later ones those that ask
/// for more.
pub(super) struct RayKinds {
    kinds: Vec<RayKind>,
    /// Lanes whose ray at hand is of each kind, by bit.
    lanes: Vec<u16>,
    /// For each set of requests the ends of its kinds by number in the sequence, rising.
    ends: Vec<Vec<(u32, usize)>>,
    /// The set of requests of each lane.
    set_of: [usize; LANES],
}

impl RayKinds {
    /// `live`: the requests that want rays of each lane, by bit.
    pub fn of(shares: &[FanShare], live: &[u32; LANES]) -> RayKinds {
        let mut all = RayKinds { kinds: Vec::new(), lanes: Vec::new(), ends: Vec::new(), set_of: [0; LANES] };
        let mut sets: Vec<u32> = Vec::new();
        for (set_of, wanted_by) in all.set_of.iter_mut().zip(live) {
            let known = sets.iter().position(|set| set == wanted_by);
            *set_of = known.unwrap_or(sets.len());
            if known.is_some() {
                continue;
            }
            sets.push(*wanted_by);
            let wanted = || bits(*wanted_by).map(|at| (at, &shares[at].request));
            let mut ends: Vec<u32> = wanted().map(|(_, request)| request.rays).collect();
            ends.sort_unstable();
            ends.dedup();
            let first = all.kinds.len();
            for &end in &ends {
                let asked = || wanted().filter(|(_, request)| request.rays >= end);
                let far = asked().map(|(_, request)| request.distance).fold(0.0, f32::max);
                // Who asks only whether anything is there has to know how near it is when others ask for things further off.
                let measured = asked().filter(|(_, request)| request.by_distance || request.distance < far);
                let near = measured.map(|(_, request)| request.distance).fold(0.0, f32::max);
                all.kinds.push(RayKind { near, far, members: asked().fold(0, |b, (at, _)| b | 1 << at) });
            }
            all.ends.push(ends.into_iter().zip(first..).collect());
        }
        all.lanes = vec![0; all.kinds.len()];
        all
    }

    /// Forgets the rays at hand.
    #[inline]
    pub fn clear(&mut self) {
        self.lanes.fill(0);
    }

    /// Takes ray `number` of a lane; None where nobody wants it.
    #[inline]
    pub fn take(&mut self, lane: usize, number: u32) -> Option<&RayKind> {
        let &(_, kind) = self.ends[self.set_of[lane]].iter().find(|(end, _)| number < *end)?;
        self.lanes[kind] |= 1 << lane;
        Some(&self.kinds[kind])
    }

    /// The kinds of the rays at hand, each with its lanes.
    pub fn taken(&self) -> impl Iterator<Item = (&RayKind, u16)> {
        self.kinds.iter().zip(self.lanes.iter().copied()).filter(|(_, lanes)| *lanes != 0)
    }
}

/// What the rays of one kind met.
pub(super) struct Met<'a> {
    /// Which lanes they are, by bit.
    pub lanes: u16,
    /// Lanes that met anything up to `far`.
    pub blocked: u16,
    /// The nearest hit within a ray's `near`, or infinity.
    pub nearest: &'a PerRay<f32>,
    pub far: f32,
    pub directions: &'a [Vec3; LANES],
}

/// What the rays of a packet's texels met, for one request.
pub(super) struct Tally {
    /// Rays that nothing blocked.
    free_rays: PerRay<u32>,
    /// Shares of light that the others let through, in whole numbers of 1 / [`WHOLE`].
    part: [u64; LANES],
    way: [I64Vec3; LANES],
    /// Rays that each texel got.
    pub rays: [u32; LANES],
    /// How free each ray was by its place in the set, where the number of rays follows from the error.
    free: Vec<PerRay<f32>>,
    /// What rays that follow on each other, two and two, differ by.
    spread: Spread,
    /// The variance at which a texel had enough, where the number of rays follows from it.
    pub left: [Option<f32>; LANES],
}

/// Squared differences between rays in pairs, where their number is fixed. Rays come cell by cell, so those that follow on each other share a
/// cell of the sky; where they come in rounds, for the sake of others, they lie in neighbouring ones.
struct Spread {
    squares: PerRay<f32>,
    /// Lanes whose last ray waits for its partner, by bit; how free it was.
    waiting: u16,
    last: PerRay<f32>,
}

impl Spread {
    #[inline]
    fn add(&mut self, lanes: u16, free: &PerRay<f32>) {
        let second = lanes & self.waiting;
        for lane in 0..LANES {
            let differs = if second & (1 << lane) != 0 { free.0[lane] - self.last.0[lane] } else { 0.0 };
            self.squares.0[lane] += differs * differs;
            self.last.0[lane] = if lanes & (1 << lane) != 0 { free.0[lane] } else { self.last.0[lane] };
        }
        self.waiting ^= lanes;
    }
}

impl Tally {
    pub fn new(request: &FanRequest, all: usize) -> Tally {
        let noted = if request.error.is_some() { all } else { 0 };
        Tally {
            free_rays: PerRay::splat(0),
            part: [0; LANES],
            way: [I64Vec3::ZERO; LANES],
            rays: [request.rays; LANES],
            free: vec![PerRay::splat(0.0); noted],
            spread: Spread { squares: PerRay::splat(0.0), waiting: 0, last: PerRay::splat(0.0) },
            left: [None; LANES],
        }
    }

    /// Adds what the rays at place `k` of their sets met.
    #[inline]
    pub fn add(&mut self, request: &FanRequest, k: usize, met: &Met) {
        let to_the_end = !request.by_distance && request.distance == met.far;
        let stopped = if to_the_end { met.blocked } else { up_to(met.nearest, request.distance) } & met.lanes;
        let free = met.lanes & !stopped;
        for (lane, count) in self.free_rays.0.iter_mut().enumerate() {
            *count += u32::from(free & (1 << lane) != 0);
        }
        let mut shares = PerRay::splat(0.0);
        for (lane, share) in shares.0.iter_mut().enumerate() {
            *share = if free & (1 << lane) != 0 { 1.0 } else { 0.0 };
        }
        if request.by_distance {
            for lane in bits(u32::from(stopped)) {
                let share = met.nearest.0[lane] / request.distance;
                shares.0[lane] = share;
                self.part[lane] += u64::from((share * WHOLE) as u32);
                self.note(request, (k, lane), share, met);
            }
        }
        if request.way || !self.free.is_empty() {
            bits(u32::from(free)).for_each(|lane| self.note(request, (k, lane), 1.0, met));
        }
        if request.error.is_none() {
            self.spread.add(met.lanes, &shares);
        }
    }

    /// Keeps which way light came, and how much, where that is asked for.
    fn note(&mut self, request: &FanRequest, (k, lane): (usize, usize), free: f32, met: &Met) {
        if request.way {
            self.way[lane] += (met.directions[lane] * (free * WHOLE)).as_i64vec3();
        }
        if !self.free.is_empty() {
            self.free[k].0[lane] = free;
        }
    }

    /// The estimated variance of a texel's mean after a round. Its rays fall into pairs, two to a cell of the sky: what differs
    /// within cells is what stratified samples do not know (Cochran, "Sampling Techniques", 1977, section 5A.12, collapsed strata).
    /// The cells of single rays are half as large, so an edge crosses the square root of two fewer pairs' worth of them; and what
    /// falls between rays is smaller than such a cell, and counts as half of one.
    pub fn squared_error(&self, rays: &TexelRays, round: &Range<usize>, lane: usize) -> f32 {
        let half = round.end as u32 / 2;
        let later = round.clone().filter(|&at| rays.entries[at].number >= half);
        let squares = later.map(|at| {
            let differs = self.free[at].0[lane] - self.free[usize::from(rays.partners[at])].0[lane];
            differs * differs
        });
        variance(squares.sum(), round.end)
    }

    /// The same for all rays that a texel got: as it was known, or by those that followed on each other.
    fn variance_left(&self, lane: usize) -> f32 {
        self.left[lane].unwrap_or_else(|| variance(self.spread.squares.0[lane], self.rays[lane] as usize))
    }
}

fn variance(squares: f32, rays: usize) -> f32 {
    (std::f32::consts::FRAC_1_SQRT_2 * squares + 0.25) / (rays * rays) as f32
}

impl FanShare {
    /// Takes over what the rays of one texel met.
    pub(super) fn take(&mut self, texel: usize, tally: &Tally, lane: usize) {
        let rays = tally.rays[lane];
        let open = u64::from(tally.free_rays.0[lane]) * WHOLE as u64 + tally.part[lane];
        self.variance[texel] = tally.variance_left(lane);
        self.open[texel] = (open as f64 / f64::from(WHOLE * rays as f32)) as f32;
        if self.request.way {
            self.way[texel] = tally.way[lane].as_dvec3().as_vec3() / WHOLE;
        }
        if self.request.error.is_some() {
            self.rays[texel] = rays;
        }
    }
}

/// Lanes of which the distance is at most `limit`, by bit.
#[inline]
fn up_to(distances: &PerRay<f32>, limit: f32) -> u16 {
    distances.0.iter().enumerate().fold(0, |lanes, (lane, d)| lanes | u16::from(*d <= limit) << lane)
}

/// Numbers of the bits that are set, rising.
#[inline]
pub(super) fn bits(mut of: u32) -> impl Iterator<Item = usize> {
    std::iter::from_fn(move || {
        let lowest = (of != 0).then(|| of.trailing_zeros() as usize);
        of &= of.wrapping_sub(1);
        lowest
    })
}

#[cfg(test)]
mod tests {
    use super::super::directions::DirectionSets;
    use super::super::{Body, Side};
    use super::*;
    use std::sync::Arc;

    fn share(rays: u32, distance: f32, by_distance: bool) -> FanShare {
        let request = FanRequest {
            rays,
            error: None,
            distance,
            by_distance,
            way: false,
            side: Side::Outward,
            body: Body::Sculpt,
            sights: Arc::default(),
            sets: Arc::new(DirectionSets::new(4, 0)),
        };
        FanShare::new(&request, 1)
    }

    #[test]
    fn the_first_rays_serve_all_and_the_later_ones_those_that_ask_for_more() {
        // Occlusion far and wide, cavity near and fewer; the third lane is wanted by cavity alone, the last by nobody.
        let shares = [share(64, 5.0, false), share(32, 0.5, true)];
        let mut live = [0b11; LANES];
        (live[2], live[LANES - 1]) = (0b10, 0);
        let mut kinds = RayKinds::of(&shares, &live);
        let told = |kind: Option<&RayKind>| kind.map(|kind| (kind.near, kind.far, kind.members));
        assert_eq!(told(kinds.take(0, 31)), Some((0.5, 5.0, 0b11)));
        assert_eq!(told(kinds.take(1, 32)), Some((0.0, 5.0, 0b01)));
        assert_eq!(told(kinds.take(2, 0)), Some((0.5, 0.5, 0b10)));
        assert_eq!((told(kinds.take(2, 32)), told(kinds.take(LANES - 1, 0))), (None, None));
        let taken: Vec<(u32, u16)> = kinds.taken().map(|(kind, lanes)| (kind.members, lanes)).collect();
        assert_eq!(taken, [(0b11, 0b001), (0b01, 0b010), (0b10, 0b100)]);
        kinds.clear();
        assert_eq!(kinds.taken().count(), 0);
    }

    #[test]
    fn what_is_met_counts_by_whether_or_by_how_far() {
        let shares = [share(4, 5.0, false), share(4, 0.5, true)];
        // Open; something far; something near; something between what the two ask for.
        let mut nearest = PerRay::splat(f32::INFINITY);
        (nearest.0[2], nearest.0[3]) = (0.125, 2.0);
        let directions = [Vec3::Z; LANES];
        let met = Met { lanes: 0b1111, blocked: 0b1110, nearest: &nearest, far: 5.0, directions: &directions };
        let tally = |share: &FanShare| {
            let mut tally = Tally::new(&share.request, 4);
            tally.add(&share.request, 0, &met);
            (0..5).map(|lane| (tally.free_rays.0[lane], tally.part[lane] as f32 / WHOLE)).collect::<Vec<_>>()
        };
        assert_eq!(tally(&shares[0]), [(1, 0.0), (0, 0.0), (0, 0.0), (0, 0.0), (0, 0.0)]);
        assert_eq!(tally(&shares[1]), [(1, 0.0), (1, 0.0), (0, 0.25), (1, 0.0), (0, 0.0)]);
    }
}
