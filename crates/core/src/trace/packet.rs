//! Sixteen rays at a time through the tree.
//!
//! The walk is written once over [`Lanes`] and compiled three times, portable, for AVX2 with FMA and for AVX-512; which one runs is decided
//! where the program starts. Rays of a packet should start near each other and run the same way: then they
//! share boxes and triangles. They need not: a packet of strangers, or of one ray, gives the same hits, only slower.
#![allow(unsafe_code, reason = "calls walks compiled for registers that were found on this machine")]

use super::lanes::{LANES, PerRay, Plain, Registers, Width};
use super::tree::{TraceScene, Tree};
use super::walk::{ClosestRule, closest, fan, occluded};
use super::{BackFaces, Hit, RaySpan, Seen, TraceAnswer};
use crate::surface::MeshPoint;

/// Marks a lane that has hit nothing.
pub(super) const NOTHING: u32 = u32::MAX;

/// Up to [`LANES`] rays.
#[derive(Clone, Debug)]
pub struct Packet {
    pub(super) origin: [PerRay<f32>; 3],
    pub(super) direction: [PerRay<f32>; 3],
    pub(super) length: PerRay<f32>,
    pub(super) active: u16,
}

impl Default for Packet {
    fn default() -> Self {
        Packet {
            origin: [PerRay::splat(0.0); 3],
            direction: [PerRay::splat(0.0), PerRay::splat(1.0), PerRay::splat(0.0)],
            length: PerRay::splat(-1.0),
            active: 0,
        }
    }
}

impl Packet {
    /// Takes all rays out.
    pub fn clear(&mut self) {
        self.active = 0;
        self.length = PerRay::splat(-1.0);
    }

    pub fn is_empty(&self) -> bool {
        self.active == 0
    }

    /// How many rays it holds.
    pub fn rays(&self) -> u32 {
        self.active.count_ones()
    }

    /// Puts a ray in a lane. A ray without a length that is a positive number is left out.
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
    pub(super) t: PerRay<f32>,
    pub(super) v: PerRay<f32>,
    pub(super) w: PerRay<f32>,
    pub(super) triangle: [u32; LANES],
    pub(super) back: u16,
    pub(super) skipped_back: u16,
}

impl PacketAnswer {
    pub(super) fn none() -> PacketAnswer {
        let zero = PerRay::splat(0.0);
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

/// What each ray of a fan met.
#[derive(Clone, Debug)]
pub struct FanAnswer {
    /// Rays that met anything, bit by lane.
    pub blocked: u16,
    /// Distance of the nearest hit within `near`, scene units; infinite where there is none.
    pub nearest: PerRay<f32>,
}

/// Room for subtrees that are still to be visited; kept between packets so that none allocates.
#[derive(Default)]
pub struct Walk {
    /// Where rays enter (infinite for those that do not), first child or triangle, and triangles of a leaf.
    pub(super) closest: Vec<(PerRay<f32>, u32, u16)>,
    /// The same for occlusion, where only which rays enter matters.
    pub(super) occluded: Vec<(u16, u32, u16)>,
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
        self.closest_packet_in(Registers::chosen(), packet, allowed, ClosestRule::new(back_faces, seen), walk)
    }

    /// The same in given registers; the answer is the same in all.
    pub fn closest_packet_in(
        &self,
        registers: Registers,
        packet: &Packet,
        allowed: &[bool],
        rule: ClosestRule,
        walk: &mut Walk,
    ) -> PacketAnswer {
        match registers.0 {
            // SAFETY: AVX-512 was found on this machine.
            #[cfg(target_arch = "x86_64")]
            Width::Avx512 => unsafe { closest_avx512(self.tree(), packet, allowed, rule, walk) },
            // SAFETY: AVX2 and FMA were found on this machine.
            #[cfg(target_arch = "x86_64")]
            Width::Avx2 => unsafe { closest_avx2(self.tree(), packet, allowed, rule, walk) },
            Width::Plain => closest::<Plain>(self.tree(), packet, allowed, rule, walk),
        }
    }

    /// Which rays of `packet` (bit by lane) meet any triangle, from either side, of the parts that `allowed` lets through.
    pub fn occluded_packet(&self, packet: &Packet, allowed: &[bool], walk: &mut Walk) -> u16 {
        self.occluded_packet_in(Registers::chosen(), packet, allowed, walk)
    }

    /// The same in given registers; the answer is the same in all.
    pub fn occluded_packet_in(&self, registers: Registers, packet: &Packet, allowed: &[bool], walk: &mut Walk) -> u16 {
        match registers.0 {
            // SAFETY: AVX-512 was found on this machine.
            #[cfg(target_arch = "x86_64")]
            Width::Avx512 => unsafe { occluded_avx512(self.tree(), packet, allowed, walk) },
            // SAFETY: AVX2 and FMA were found on this machine.
            #[cfg(target_arch = "x86_64")]
            Width::Avx2 => unsafe { occluded_avx2(self.tree(), packet, allowed, walk) },
            Width::Plain => occluded::<Plain>(self.tree(), packet, allowed, walk),
        }
    }

    /// What each ray of `packet` meets, from either side, of the parts that `allowed` lets through: whether anything, and the nearest
    /// hit no further than its `near`, scene units. Where `near` is 0 a ray ends at the first thing it finds.
    pub fn fan_packet(&self, packet: &Packet, near: &PerRay<f32>, allowed: &[bool], walk: &mut Walk) -> FanAnswer {
        self.fan_packet_in(Registers::chosen(), packet, near, allowed, walk)
    }

    /// The same in given registers; the answer is the same in all.
    pub fn fan_packet_in(
        &self,
        registers: Registers,
        packet: &Packet,
        near: &PerRay<f32>,
        allowed: &[bool],
        walk: &mut Walk,
    ) -> FanAnswer {
        match registers.0 {
            // SAFETY: AVX-512 was found on this machine.
            #[cfg(target_arch = "x86_64")]
            Width::Avx512 => unsafe { fan_avx512(self.tree(), packet, near, allowed, walk) },
            // SAFETY: AVX2 and FMA were found on this machine.
            #[cfg(target_arch = "x86_64")]
            Width::Avx2 => unsafe { fan_avx2(self.tree(), packet, near, allowed, walk) },
            Width::Plain => fan::<Plain>(self.tree(), packet, near, allowed, walk),
        }
    }

    /// The closest hit of one ray.
    pub fn closest(&self, span: &RaySpan, allowed: &[bool], back_faces: BackFaces) -> TraceAnswer {
        let mut packet = Packet::default();
        packet.set(0, span);
        self.closest_packet(&packet, allowed, back_faces, Seen::Along, &mut Walk::default()).lane(0)
    }
}

/// The walks compiled for a set of registers.
#[cfg(target_arch = "x86_64")]
macro_rules! compiled {
    ($features:literal, $lanes:ty, $closest:ident, $occluded:ident, $fan:ident) => {
        #[target_feature(enable = $features)]
        unsafe fn $closest(
            scene: Tree,
            packet: &Packet,
            allowed: &[bool],
            rule: ClosestRule,
            walk: &mut Walk,
        ) -> PacketAnswer {
            closest::<$lanes>(scene, packet, allowed, rule, walk)
        }

        #[target_feature(enable = $features)]
        unsafe fn $occluded(scene: Tree, packet: &Packet, allowed: &[bool], walk: &mut Walk) -> u16 {
            occluded::<$lanes>(scene, packet, allowed, walk)
        }

        #[target_feature(enable = $features)]
        unsafe fn $fan(
            scene: Tree,
            packet: &Packet,
            near: &PerRay<f32>,
            allowed: &[bool],
            walk: &mut Walk,
        ) -> FanAnswer {
            fan::<$lanes>(scene, packet, near, allowed, walk)
        }
    };
}

#[cfg(target_arch = "x86_64")]
compiled!("avx2,fma", super::lanes::Avx2, closest_avx2, occluded_avx2, fan_avx2);
#[cfg(target_arch = "x86_64")]
compiled!("avx512f,avx512dq,avx2,fma", super::lanes::Avx512, closest_avx512, occluded_avx512, fan_avx512);
