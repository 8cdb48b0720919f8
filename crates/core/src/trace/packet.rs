//! Eight rays at a time through the tree.
//!
//! The walk is written once over [`Lanes`] and compiled twice, portable and for AVX2 with FMA; which one runs is decided
//! where the program starts. Rays of a packet should start near each other and run the same way: then they
//! share boxes and triangles. They need not: a packet of strangers, or of one ray, gives the same hits, only slower.
#![allow(unsafe_code, reason = "calls the walk compiled for AVX2 and FMA after both were found on this machine")]

use super::lanes::{Eight, LANES, Plain};
use super::tree::TraceScene;
use super::walk::{ClosestRule, closest, occluded};
use super::{BackFaces, Hit, RaySpan, Seen, TraceAnswer};
use crate::surface::MeshPoint;

/// Marks a lane that has hit nothing.
pub(super) const NOTHING: u32 = u32::MAX;

/// Up to eight rays.
#[derive(Clone, Debug)]
pub struct Packet {
    pub(super) origin: [Eight<f32>; 3],
    pub(super) direction: [Eight<f32>; 3],
    pub(super) length: Eight<f32>,
    pub(super) active: u8,
}

impl Default for Packet {
    fn default() -> Self {
        Packet {
            origin: [Eight::splat(0.0); 3],
            direction: [Eight::splat(0.0), Eight::splat(1.0), Eight::splat(0.0)],
            length: Eight::splat(-1.0),
            active: 0,
        }
    }
}

impl Packet {
    /// Takes all rays out.
    pub fn clear(&mut self) {
        self.active = 0;
        self.length = Eight::splat(-1.0);
    }

    pub fn is_empty(&self) -> bool {
        self.active == 0
    }

    /// Puts a ray in a lane (0 to 7). A ray without a length that is a positive number is left out.
    #[inline]
    pub fn set(&mut self, lane: usize, span: &RaySpan) {
        if span.length.is_nan() || span.length <= 0.0 {
            return;
        }
        let (o, d) = (span.origin.to_array(), span.direction.to_array());
        for axis in 0..3 {
            self.origin[axis].0[lane] = o[axis];
            self.direction[axis].0[lane] = d[axis];
        }
        self.length.0[lane] = span.length;
        self.active |= 1 << lane;
    }
}

/// What each ray of a packet met.
#[derive(Clone, Debug)]
pub struct PacketAnswer {
    pub(super) t: Eight<f32>,
    pub(super) v: Eight<f32>,
    pub(super) w: Eight<f32>,
    pub(super) triangle: [u32; LANES],
    pub(super) back: u8,
    pub(super) skipped_back: u8,
}

impl PacketAnswer {
    pub(super) fn none() -> PacketAnswer {
        let zero = Eight::splat(0.0);
        PacketAnswer { t: zero, v: zero, w: zero, triangle: [NOTHING; LANES], back: 0, skipped_back: 0 }
    }

    pub fn lane(&self, lane: usize) -> TraceAnswer {
        let hit = (self.triangle[lane] != NOTHING).then(|| Hit {
            at: MeshPoint::new(self.triangle[lane], self.v.0[lane], self.w.0[lane]),
            t: self.t.0[lane],
            back: self.back >> lane & 1 == 1,
        });
        TraceAnswer { hit, skipped_back: self.skipped_back >> lane & 1 == 1 }
    }
}

/// Room for subtrees that are still to be visited; kept between packets so that none allocates.
#[derive(Default)]
pub struct Walk {
    /// Where rays enter (infinite for those that do not), first child or triangle, and triangles of a leaf.
    pub(super) closest: Vec<(Eight<f32>, u32, u16)>,
    /// The same for occlusion, where only which rays enter matters.
    pub(super) occluded: Vec<(u8, u32, u16)>,
}

impl TraceScene {
    /// The closest hit of each ray of `packet` among the parts that `allowed` (one entry a part) lets through.
    pub fn closest_packet(
        &self,
        packet: &Packet,
        allowed: &[bool],
        back_faces: BackFaces,
        seen: Seen,
        walk: &mut Walk,
    ) -> PacketAnswer {
        let rule = ClosestRule::new(back_faces, seen);
        #[cfg(target_arch = "x86_64")]
        if super::lanes::detect() {
            // SAFETY: AVX2 and FMA were found on this machine.
            return unsafe { closest_avx2(self, packet, allowed, rule, walk) };
        }
        closest::<Plain>(self, packet, allowed, rule, walk)
    }

    /// Which rays of `packet` (bit by lane) meet any triangle, from either side, of the parts that `allowed` lets through.
    pub fn occluded_packet(&self, packet: &Packet, allowed: &[bool], walk: &mut Walk) -> u8 {
        #[cfg(target_arch = "x86_64")]
        if super::lanes::detect() {
            // SAFETY: AVX2 and FMA were found on this machine.
            return unsafe { occluded_avx2(self, packet, allowed, walk) };
        }
        occluded::<Plain>(self, packet, allowed, walk)
    }

    /// The closest hit of one ray.
    pub fn closest(&self, span: &RaySpan, allowed: &[bool], back_faces: BackFaces) -> TraceAnswer {
        let mut packet = Packet::default();
        packet.set(0, span);
        self.closest_packet(&packet, allowed, back_faces, Seen::Along, &mut Walk::default()).lane(0)
    }

    /// [`TraceScene::closest_packet`] on the path that runs on any machine, for tests and benches.
    pub fn closest_packet_portable(
        &self,
        packet: &Packet,
        allowed: &[bool],
        back_faces: BackFaces,
        seen: Seen,
        walk: &mut Walk,
    ) -> PacketAnswer {
        let rule = ClosestRule::new(back_faces, seen);
        closest::<Plain>(self, packet, allowed, rule, walk)
    }

    /// [`TraceScene::occluded_packet`] on the path that runs on any machine, for tests and benches.
    pub fn occluded_packet_portable(&self, packet: &Packet, allowed: &[bool], walk: &mut Walk) -> u8 {
        occluded::<Plain>(self, packet, allowed, walk)
    }
}

#[cfg(target_arch = "x86_64")]
#[target_feature(enable = "avx2,fma")]
unsafe fn closest_avx2(
    scene: &TraceScene,
    packet: &Packet,
    allowed: &[bool],
    rule: ClosestRule,
    walk: &mut Walk,
) -> PacketAnswer {
    closest::<super::lanes::Avx2>(scene, packet, allowed, rule, walk)
}

#[cfg(target_arch = "x86_64")]
#[target_feature(enable = "avx2,fma")]
unsafe fn occluded_avx2(scene: &TraceScene, packet: &Packet, allowed: &[bool], walk: &mut Walk) -> u8 {
    occluded::<super::lanes::Avx2>(scene, packet, allowed, walk)
}
