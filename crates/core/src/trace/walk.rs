//! The walk of a packet through the tree: for the closest hits, and for whether anything is hit at all.

use super::lanes::{LANES, LEAF, Lanes, PerRay};
use super::packet::{FanAnswer, NOTHING, Packet, PacketAnswer, Walk};
use super::ready::{Found, Ready};
use super::tree::{Child, Leaf, Tree};
use super::{BackFaces, Seen};

/// Which hits of a ray count.
#[derive(Clone, Copy)]
pub struct ClosestRule {
    skip_back: bool,
    looks_along: bool,
}

impl ClosestRule {
    pub fn new(back_faces: BackFaces, seen: Seen) -> Self {
        ClosestRule { skip_back: back_faces == BackFaces::Skip, looks_along: seen == Seen::Along }
    }
}

/// Asks for what lies below a node while its boxes are tested.
#[inline(always)]
fn fetch_children<L: Lanes>(scene: Tree, left: &Child, right: &Child) {
    for child in [left, right] {
        match child.count {
            0 => L::fetch_ahead(scene.nodes, child.first),
            _ => L::fetch_ahead(scene.leaves, child.first),
        }
    }
}

/// The lanes whose bits are set.
#[inline(always)]
fn lanes_of(mut bits: u16) -> impl Iterator<Item = usize> {
    std::iter::from_fn(move || {
        let lane = bits.trailing_zeros() as usize;
        bits &= bits.wrapping_sub(1);
        (lane < LANES).then_some(lane)
    })
}

/// Whether it takes fewer tests to try rays two by two against a whole leaf than triangles one by one against all rays.
#[inline(always)]
fn few_rays(wanted: u16, triangles: u16) -> bool {
    wanted.count_ones().div_ceil(2) < u32::from(triangles)
}

/// Does something for the lanes set in some bits, two by two, and with the lanes that tests of the pair may use: of a last one that is
/// left alone, the first half. Written out, as a closure would be compiled without the registers this is compiled for.
macro_rules! for_pairs {
    ($bits:expr, |$pair:ident, $lanes:ident| $body:block) => {
        let mut bits: u16 = $bits;
        while bits != 0 {
            let first = bits.trailing_zeros() as usize;
            bits &= bits - 1;
            let alone = bits == 0;
            let second = if alone { first } else { bits.trailing_zeros() as usize };
            bits &= bits.wrapping_sub(1);
            let ($pair, $lanes) = ([first, second], if alone { u16::MAX >> LEAF } else { u16::MAX });
            $body
        }
    };
}

/// What the rays of a packet have met so far.
struct ClosestSoFar<L: Lanes> {
    limit: L,
    v: L,
    w: L,
    back_bits: u16,
    nearest_back: L,
    triangle: [u32; LANES],
    rule: ClosestRule,
}

impl<L: Lanes> ClosestSoFar<L> {
    #[inline(always)]
    fn back(&self, found: &Found<L>) -> u16 {
        // A counter-clockwise triangle that faces the ray has a positive determinant in this projection.
        let turned = L::bits(found.det.lt(L::splat(0.0)));
        if self.rule.looks_along { turned } else { !turned }
    }

    /// All rays against one triangle.
    #[inline(always)]
    fn meet(&mut self, found: &Found<L>, triangle: u32, active: u16) {
        if L::bits(found.hit) == 0 {
            return;
        }
        let zero = L::splat(0.0);
        let inverse = L::splat(1.0).div(found.det);
        let t = found.distance(inverse);
        let mut within = L::bits(L::both(found.hit, L::both(zero.le(t), t.le(self.limit)))) & active;
        if within == 0 {
            return;
        }
        let back = self.back(found);
        if self.rule.skip_back {
            let skipped = within & back;
            self.nearest_back = L::select(L::mask(skipped), t.min(self.nearest_back), self.nearest_back);
            within &= !back;
        }
        // Equal distances go to the lower triangle number, whatever the order of visits.
        let tied = L::bits(t.eq(self.limit)) & within;
        for lane in lanes_of(tied) {
            if self.triangle[lane] < triangle {
                within &= !(1 << lane);
            }
        }
        let take = L::mask(within);
        self.limit = L::select(take, t, self.limit);
        self.v = L::select(take, found.v.mul(inverse), self.v);
        self.w = L::select(take, found.w.mul(inverse), self.w);
        self.back_bits = (self.back_bits & !within) | (back & within);
        for lane in lanes_of(within) {
            self.triangle[lane] = triangle;
        }
    }

    /// Two rays, by their lanes, against those triangles of a leaf that have their bit in `open` (twice, once a ray).
    #[inline(always)]
    fn meet_two(&mut self, found: &Found<L>, leaf: &Leaf, open: u16, pair: [usize; 2]) {
        if L::bits(found.hit) & open == 0 {
            return;
        }
        let zero = L::splat(0.0);
        let inverse = L::splat(1.0).div(found.det);
        let t = found.distance(inverse);
        let limit = self.limit.spread(pair);
        let mut within = L::bits(L::both(found.hit, L::both(zero.le(t), t.le(limit)))) & open;
        if within == 0 {
            return;
        }
        let back = self.back(found);
        if self.rule.skip_back {
            for at in lanes_of(within & back) {
                let ray = L::mask(1 << pair[at / LEAF]);
                self.nearest_back = L::select(ray, t.spread([at; 2]).min(self.nearest_back), self.nearest_back);
            }
            within &= !back;
        }
        for at in lanes_of(within) {
            let lane = pair[at / LEAF];
            let (t, ray) = (t.spread([at; 2]), L::mask(1 << lane));
            let limit = self.limit.spread([lane; 2]);
            let nearer = L::bits(t.lt(limit)) & 1 == 1;
            let tied = L::bits(t.eq(limit)) & 1 == 1;
            let triangle = leaf.triangle[at % LEAF];
            if nearer || (tied && triangle <= self.triangle[lane]) {
                self.limit = L::select(ray, t, self.limit);
                self.v = L::select(ray, found.v.mul(inverse).spread([at; 2]), self.v);
                self.w = L::select(ray, found.w.mul(inverse).spread([at; 2]), self.w);
                self.back_bits = (self.back_bits & !(1 << lane)) | (back >> at & 1) << lane;
                self.triangle[lane] = triangle;
            }
        }
    }

    #[inline(always)]
    fn answer(&self, scale: f32, active: u16) -> PacketAnswer {
        let missed = (0..LANES).fold(0u16, |b, lane| b | u16::from(self.triangle[lane] == NOTHING) << lane);
        let before_hit = L::bits(self.nearest_back.lt(self.limit));
        let on_way = L::bits(self.nearest_back.lt(L::splat(f32::INFINITY)));
        PacketAnswer {
            t: self.limit.div(L::splat(scale)).store(),
            v: self.v.store(),
            w: self.w.store(),
            triangle: self.triangle,
            back: self.back_bits,
            skipped_back: (before_hit | (on_way & missed)) & active,
        }
    }
}

#[inline(always)]
pub(super) fn closest<L: Lanes>(
    scene: Tree,
    packet: &Packet,
    allowed: &[bool],
    rule: ClosestRule,
    walk: &mut Walk,
) -> PacketAnswer {
    if packet.active == 0 || scene.nodes.is_empty() {
        return PacketAnswer::none();
    }
    let ready = Ready::<L>::new(scene.scale, packet);
    match ready.mixed() {
        false => closest_ready::<L, false>(scene, &ready, packet, allowed, rule, walk),
        true => closest_ready::<L, true>(scene, &ready, packet, allowed, rule, walk),
    }
}

#[inline(always)]
fn closest_ready<L: Lanes, const MIXED: bool>(
    scene: Tree,
    ready: &Ready<L>,
    packet: &Packet,
    allowed: &[bool],
    rule: ClosestRule,
    walk: &mut Walk,
) -> PacketAnswer {
    let zero = L::splat(0.0);
    let far_away = L::splat(f32::INFINITY);
    let mut nearest = ClosestSoFar {
        limit: L::load(&packet.length).mul(L::splat(scene.scale)),
        v: zero,
        w: zero,
        back_bits: 0,
        nearest_back: far_away,
        triangle: [NOTHING; LANES],
        rule,
    };
    let stack = &mut walk.closest;
    stack.clear();
    let (mut first, mut count) = (0u32, 0u16);
    let mut wanted = packet.active;
    loop {
        if count > 0 {
            let leaf = &scene.leaves[first as usize];
            let open = leaf.lets(allowed, count);
            if few_rays(wanted, count) {
                for_pairs!(wanted, |pair, lanes| {
                    nearest.meet_two(&ready.test_two(leaf, pair), leaf, (open | open << LEAF) & lanes, pair);
                });
            } else {
                for at in lanes_of(open) {
                    nearest.meet(&ready.test::<MIXED>(leaf, at), leaf.triangle[at], packet.active);
                }
            }
        } else {
            let [left, right] = &scene.nodes[first as usize].0;
            fetch_children::<L>(scene, left, right);
            let (near_left, in_left) = ready.enters(left, nearest.limit);
            let (near_right, in_right) = ready.enters(right, nearest.limit);
            let to_left = if left.lets(allowed) { L::bits(in_left) & packet.active } else { 0 };
            let to_right = if right.lets(allowed) { L::bits(in_right) & packet.active } else { 0 };
            if to_left != 0 && to_right != 0 {
                let left_first = L::bits(near_left.le(near_right)) & packet.active;
                if left_first.count_ones() * 2 >= packet.active.count_ones() {
                    stack.push((L::select(in_right, near_right, far_away).store(), right.first, right.count));
                    (first, count, wanted) = (left.first, left.count, to_left);
                } else {
                    stack.push((L::select(in_left, near_left, far_away).store(), left.first, left.count));
                    (first, count, wanted) = (right.first, right.count, to_right);
                }
                continue;
            }
            if to_left != 0 {
                (first, count, wanted) = (left.first, left.count, to_left);
                continue;
            }
            if to_right != 0 {
                (first, count, wanted) = (right.first, right.count, to_right);
                continue;
            }
        }
        loop {
            let Some((near, next, triangles)) = stack.pop() else {
                return nearest.answer(scene.scale, packet.active);
            };
            wanted = L::bits(L::load(&near).le(nearest.limit)) & packet.active;
            if wanted != 0 {
                (first, count) = (next, triangles);
                break;
            }
        }
    }
}

#[inline(always)]
pub(super) fn occluded<L: Lanes>(scene: Tree, packet: &Packet, allowed: &[bool], walk: &mut Walk) -> u16 {
    if packet.active == 0 || scene.nodes.is_empty() {
        return 0;
    }
    let ready = Ready::<L>::new(scene.scale, packet);
    match ready.mixed() {
        false => occluded_ready::<L, false>(scene, &ready, packet, allowed, walk),
        true => occluded_ready::<L, true>(scene, &ready, packet, allowed, walk),
    }
}

/// Which lanes hit between 0 and `limit`.
#[inline(always)]
fn stopped<L: Lanes>(found: &Found<L>, limit: L) -> u16 {
    let t = found.distance(L::splat(1.0).div(found.det));
    L::bits(L::both(found.hit, L::both(L::splat(0.0).le(t), t.le(limit))))
}

#[inline(always)]
fn occluded_ready<L: Lanes, const MIXED: bool>(
    scene: Tree,
    ready: &Ready<L>,
    packet: &Packet,
    allowed: &[bool],
    walk: &mut Walk,
) -> u16 {
    let limit = L::load(&packet.length).mul(L::splat(scene.scale));
    // Rays that are still free.
    let mut free = packet.active;
    let stack = &mut walk.occluded;
    stack.clear();
    let (mut first, mut count) = (0u32, 0u16);
    let mut wanted = free;
    loop {
        wanted &= free;
        if wanted != 0 {
            if count > 0 {
                let leaf = &scene.leaves[first as usize];
                let open = leaf.lets(allowed, count);
                if few_rays(wanted, count) {
                    for_pairs!(wanted, |pair, lanes| {
                        let found = ready.test_two(leaf, pair);
                        let open = (open | open << LEAF) & lanes;
                        if L::bits(found.hit) & open != 0 {
                            let met = stopped(&found, limit.spread(pair)) & open;
                            free &= !(u16::from(met << LEAF != 0) << pair[0] | u16::from(met >> LEAF != 0) << pair[1]);
                        }
                    });
                } else {
                    for at in lanes_of(open) {
                        let found = ready.test::<MIXED>(leaf, at);
                        if L::bits(found.hit) & free != 0 {
                            free &= !stopped(&found, limit);
                        }
                    }
                }
                if free == 0 {
                    return packet.active;
                }
            } else {
                let [left, right] = &scene.nodes[first as usize].0;
                fetch_children::<L>(scene, left, right);
                let (near_left, in_left) = ready.enters(left, limit);
                let (near_right, in_right) = ready.enters(right, limit);
                let to_left = if left.lets(allowed) { L::bits(in_left) & free } else { 0 };
                let to_right = if right.lets(allowed) { L::bits(in_right) & free } else { 0 };
                if to_left != 0 && to_right != 0 {
                    let left_first = L::bits(near_left.le(near_right)) & free;
                    if left_first.count_ones() * 2 >= free.count_ones() {
                        stack.push((to_right, right.first, right.count));
                        (first, count, wanted) = (left.first, left.count, to_left);
                    } else {
                        stack.push((to_left, left.first, left.count));
                        (first, count, wanted) = (right.first, right.count, to_right);
                    }
                    continue;
                }
                if to_left != 0 {
                    (first, count, wanted) = (left.first, left.count, to_left);
                    continue;
                }
                if to_right != 0 {
                    (first, count, wanted) = (right.first, right.count, to_right);
                    continue;
                }
            }
        }
        let Some((lanes, next, triangles)) = stack.pop() else { return packet.active & !free };
        (first, count, wanted) = (next, triangles, lanes);
    }
}

/// What the rays of a fan have met so far.
struct FanSoFar<L: Lanes> {
    /// As far as a ray is still looked along: all of its length until it meets anything, then no further than its `near`.
    limit: L,
    near: L,
    /// Distance of the nearest hit within `near`.
    nearest: L,
    blocked: u16,
}

impl<L: Lanes> FanSoFar<L> {
    /// Takes a hit of the rays `met` at `t`.
    #[inline(always)]
    fn take(&mut self, t: L, met: u16) {
        self.blocked |= met;
        let take = L::mask(met);
        let within = L::both(take, t.le(self.near));
        self.nearest = L::select(within, t.min(self.nearest), self.nearest);
        self.limit = L::select(take, t.min(self.near).min(self.limit), self.limit);
    }
}

#[inline(always)]
pub(super) fn fan<L: Lanes>(
    scene: Tree,
    packet: &Packet,
    near: &PerRay<f32>,
    allowed: &[bool],
    walk: &mut Walk,
) -> FanAnswer {
    if packet.active == 0 || scene.nodes.is_empty() {
        return FanAnswer { blocked: 0, nearest: PerRay::splat(f32::INFINITY) };
    }
    let ready = Ready::<L>::new(scene.scale, packet);
    match ready.mixed() {
        false => fan_ready::<L, false>(scene, &ready, packet, near, allowed, walk),
        true => fan_ready::<L, true>(scene, &ready, packet, near, allowed, walk),
    }
}

#[inline(always)]
fn fan_ready<L: Lanes, const MIXED: bool>(
    scene: Tree,
    ready: &Ready<L>,
    packet: &Packet,
    near: &PerRay<f32>,
    allowed: &[bool],
    walk: &mut Walk,
) -> FanAnswer {
    let scale = L::splat(scene.scale);
    let mut so_far = FanSoFar {
        limit: L::load(&packet.length).mul(scale),
        near: L::load(near).mul(scale),
        nearest: L::splat(f32::INFINITY),
        blocked: 0,
    };
    let zero = L::splat(0.0);
    // Rays that end where they meet anything.
    let hasty = L::bits(so_far.near.le(zero));
    // Rays that are still looked along.
    let mut open_rays = packet.active;
    let stack = &mut walk.closest;
    stack.clear();
    let (mut first, mut count) = (0u32, 0u16);
    let mut wanted = open_rays;
    loop {
        wanted &= open_rays;
        if wanted != 0 {
            if count > 0 {
                let leaf = &scene.leaves[first as usize];
                let open = leaf.lets(allowed, count);
                if few_rays(wanted, count) {
                    for_pairs!(wanted, |pair, lanes| {
                        let found = ready.test_two(leaf, pair);
                        let open = (open | open << LEAF) & lanes;
                        if L::bits(found.hit) & open != 0 {
                            let t = found.distance(L::splat(1.0).div(found.det));
                            let limit = so_far.limit.spread(pair);
                            let within = L::both(found.hit, L::both(zero.le(t), t.le(limit)));
                            for at in lanes_of(L::bits(within) & open) {
                                so_far.take(t.spread([at; 2]), 1 << pair[at / LEAF]);
                            }
                        }
                    });
                } else {
                    for at in lanes_of(open) {
                        let found = ready.test::<MIXED>(leaf, at);
                        if L::bits(found.hit) & open_rays != 0 {
                            let t = found.distance(L::splat(1.0).div(found.det));
                            let within = L::both(found.hit, L::both(zero.le(t), t.le(so_far.limit)));
                            let met = L::bits(within) & open_rays;
                            if met != 0 {
                                so_far.take(t, met);
                            }
                        }
                    }
                }
                open_rays &= !(so_far.blocked & hasty);
                if open_rays == 0 {
                    break;
                }
            } else {
                let [left, right] = &scene.nodes[first as usize].0;
                fetch_children::<L>(scene, left, right);
                let (near_left, in_left) = ready.enters(left, so_far.limit);
                let (near_right, in_right) = ready.enters(right, so_far.limit);
                let to_left = if left.lets(allowed) { L::bits(in_left) & open_rays } else { 0 };
                let to_right = if right.lets(allowed) { L::bits(in_right) & open_rays } else { 0 };
                let far_away = L::splat(f32::INFINITY);
                if to_left != 0 && to_right != 0 {
                    let left_first = L::bits(near_left.le(near_right)) & open_rays;
                    if left_first.count_ones() * 2 >= open_rays.count_ones() {
                        stack.push((L::select(in_right, near_right, far_away).store(), right.first, right.count));
                        (first, count, wanted) = (left.first, left.count, to_left);
                    } else {
                        stack.push((L::select(in_left, near_left, far_away).store(), left.first, left.count));
                        (first, count, wanted) = (right.first, right.count, to_right);
                    }
                    continue;
                }
                if to_left != 0 {
                    (first, count, wanted) = (left.first, left.count, to_left);
                    continue;
                }
                if to_right != 0 {
                    (first, count, wanted) = (right.first, right.count, to_right);
                    continue;
                }
            }
        }
        let Some((entry, next, triangles)) = stack.pop() else { break };
        wanted = L::bits(L::load(&entry).le(so_far.limit));
        (first, count) = (next, triangles);
    }
    FanAnswer { blocked: so_far.blocked & packet.active, nearest: so_far.nearest.div(scale).store() }
}
