//! The rays of as many texels as a packet has lanes: traced together, tallied for each request that wants them, and ended where the
//! error that a request asks for is met.

use super::directions::Entry;
use super::rays::FIRST_LOOK;
use super::tally::{Met, RayKinds, Tally, bits};
use super::{Body, FanRequest, FanShare, Side};
use crate::hits::Scratch;
use crate::maps::TileWork;
use crate::trace::{LANES, Packet, PerRay, RaySpan, Rounding};
use glam::Vec3;
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
        *packet = Packet::default();
        let mut near = PerRay::splat(0.0);
        let mut round = if texels[0].partners.is_empty() { 0..all } else { 0..FIRST_LOOK as usize };
        while !round.is_empty() && live != [0; LANES] {
            let mut kinds = RayKinds::of(shares, &live);
            for k in round.clone() {
                packet.clear();
                kinds.clear();
                let mut measured = false;
                for (lane, rays) in texels.iter().enumerate() {
                    let entry = &rays.entries[k];
                    let Some(kind) = kinds.take(lane, entry.number) else { continue };
                    let start = &starts[rays.starts.start + entry.start_of(rays.starts.len())];
                    directions[lane] = direction_from(start, entry.direction);
                    packet.set(lane, &RaySpan { origin: start.origin, direction: directions[lane], length: kind.far });
                    near.0[lane] = kind.near;
                    measured |= kind.near > 0.0;
                }
                if packet.is_empty() {
                    continue;
                }
                self.traced += u64::from(packet.rays());
                let (blocked, nearest) = match measured {
                    false => (trace.occluded_packet(packet, mask, walk), PerRay::splat(f32::INFINITY)),
                    true => {
                        let met = trace.fan_packet(packet, &near, mask, walk);
                        (met.blocked, met.nearest)
                    }
                };
                for (kind, lanes) in kinds.taken() {
                    let met = Met { lanes, blocked, nearest: &nearest, far: kind.far, directions: &directions };
                    for at in bits(kind.members) {
                        tallies[at].add(&shares[at].request, k, &met);
                    }
                }
            }
            for (lane, rays) in texels.iter().enumerate() {
                for at in bits(live[lane]) {
                    let Some(error) = shares[at].request.error else { continue };
                    let squared = tallies[at].squared_error(rays, &round, lane);
                    if round.end >= shares[at].request.rays as usize || squared <= error * error {
                        tallies[at].left[lane] = Some(squared);
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
