//! Eight rays at a time through the tree, and the watertight triangle test of Woop, Benthin and Wald, "Watertight
//! Ray/Triangle Intersection", JCGT 2(1), 2013: rays that meet a shared edge or vertex hit at least one triangle there.
//!
//! The walk is written once over [`Lanes`] and compiled twice, portable and for AVX2 with FMA; which one runs is decided
//! where the program starts. Rays of a packet should start near each other and run the same way: then they
//! share boxes and triangles. They need not: a packet of strangers, or of one ray, gives the same hits, only slower.
#![allow(unsafe_code, reason = "calls the walk compiled for AVX2 and FMA after both were found on this machine")]

use super::lanes::{Eight, LANES, Lanes, Plain};
use super::tree::{Child, TraceScene};
use super::{BackFaces, Hit, RaySpan, Seen, TraceAnswer};
use glam::Vec3;

/// Marks a lane that has hit nothing.
const NOTHING: u32 = u32::MAX;
/// Directions are kept this far from zero along every axis in box tests, so that no reciprocal is infinite.
const LEAST_SLOPE: f32 = 1e-12;

/// Up to eight rays.
#[derive(Clone, Debug)]
pub struct Packet {
    origin: [Eight<f32>; 3],
    direction: [Eight<f32>; 3],
    length: Eight<f32>,
    active: u8,
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
    t: Eight<f32>,
    v: Eight<f32>,
    w: Eight<f32>,
    triangle: [u32; LANES],
    back: u8,
    skipped_back: u8,
}

impl PacketAnswer {
    pub fn lane(&self, lane: usize) -> TraceAnswer {
        let hit = (self.triangle[lane] != NOTHING).then(|| Hit {
            triangle: self.triangle[lane],
            v: self.v.0[lane],
            w: self.w.0[lane],
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
    closest: Vec<(Eight<f32>, u32, u16)>,
    /// The same for occlusion, where only which rays enter matters.
    occluded: Vec<(u8, u32, u16)>,
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
        let rule = ClosestRule { skip_back: back_faces == BackFaces::Skip, looks_along: seen == Seen::Along };
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
        let rule = ClosestRule { skip_back: back_faces == BackFaces::Skip, looks_along: seen == Seen::Along };
        closest::<Plain>(self, packet, allowed, rule, walk)
    }

    /// [`TraceScene::occluded_packet`] on the path that runs on any machine, for tests and benches.
    pub fn occluded_packet_portable(&self, packet: &Packet, allowed: &[bool], walk: &mut Walk) -> u8 {
        occluded::<Plain>(self, packet, allowed, walk)
    }
}

#[derive(Clone, Copy)]
struct ClosestRule {
    skip_back: bool,
    looks_along: bool,
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

/// A packet made ready: in the tree's units, with what box and triangle tests need of each ray.
struct Ready<L: Lanes> {
    origin: [L; 3],
    inverse: [L; 3],
    /// Origin times inverse.
    shift: [L; 3],
    shear: [L; 3],
    /// Which axis each ray runs along most (kz), and the two others in winding order, one code a lane.
    axes: Axes<L>,
    orders: [[u8; 3]; LANES],
}

/// The order of axes: the same for all active rays in `order` and `origin`, or lane by lane in `masks`.
struct Axes<L: Lanes> {
    mixed: bool,
    order: [usize; 3],
    /// The origin in that order.
    origin: [L; 3],
    /// For each of kx, ky, kz: the lanes where it is x, and the lanes where it is y.
    masks: [(L::Mask, L::Mask); 3],
}

impl<L: Lanes> Ready<L> {
    #[inline(always)]
    fn new(scene: &TraceScene, packet: &Packet) -> Self {
        let scale = L::splat(scene.scale);
        let origin = packet.origin.each_ref().map(|o| L::load(o).mul(scale));
        let direction = packet.direction.each_ref().map(L::load);
        let (zero, one) = (L::splat(0.0), L::splat(1.0));
        let size = direction.map(|d| d.max(zero.sub(d)));
        let inverse = std::array::from_fn(|axis| {
            let (d, least) = (direction[axis], L::splat(LEAST_SLOPE));
            let kept = L::select(d.lt(zero), zero.sub(least), least);
            one.div(L::select(size[axis].lt(least), kept, d))
        });
        // The axis a ray runs along most; the other two in the order that keeps the winding of projected triangles.
        let along_x = L::both(size[1].lt(size[0]), size[2].lt(size[0]));
        let along_y = size[2].lt(size[1]);
        let pick = |x: L, y: L, z: L| L::select(along_x, x, L::select(along_y, y, z));
        let [x, y, z] = direction;
        let along = pick(x, y, z);
        let (next, after) = (pick(y, z, x), pick(z, x, y));
        let down = along.lt(zero);
        let per = one.div(along);
        let shear = [L::select(down, after, next).div(along), L::select(down, next, after).div(along), per];
        let (x_bits, y_bits, down_bits) = (L::bits(along_x), L::bits(along_y), L::bits(down));
        let mut orders = [[0u8, 1, 2]; LANES];
        for (lane, order) in orders.iter_mut().enumerate() {
            let kz = if x_bits >> lane & 1 == 1 {
                0
            } else if y_bits >> lane & 1 == 1 {
                1
            } else {
                2
            };
            let (a, b) = ((kz + 1) % 3, (kz + 2) % 3);
            *order = if down_bits >> lane & 1 == 1 { [b, a, kz] } else { [a, b, kz] };
        }
        let first = packet.active.trailing_zeros() as usize % LANES;
        let same = (0..LANES).all(|lane| packet.active >> lane & 1 == 0 || orders[lane] == orders[first]);
        let order = orders[first].map(usize::from);
        let lanes = |k: usize, axis| (0..LANES).fold(0u8, |b, lane| b | u8::from(orders[lane][k] == axis) << lane);
        let masks = |k: usize| if same { (0, 0) } else { (lanes(k, 0), lanes(k, 1)) };
        let axes = Axes {
            mixed: !same,
            order,
            origin: order.map(|k| origin[k]),
            masks: std::array::from_fn(|k| (L::mask(masks(k).0), L::mask(masks(k).1))),
        };
        let shift = std::array::from_fn(|axis| origin[axis].mul(inverse[axis]));
        Ready { origin, inverse, shift, shear, axes, orders }
    }

    /// Where rays enter a box, and which of them do before `limit`.
    #[inline(always)]
    fn enters(&self, child: &Child, limit: L) -> (L, L::Mask) {
        let plane = |axis: usize, at: f32| L::splat(at).box_plane(self.inverse[axis], self.shift[axis]);
        let mut near = L::splat(0.0);
        let mut far = limit;
        for axis in 0..3 {
            let (a, b) = (plane(axis, child.low[axis]), plane(axis, child.high[axis]));
            near = a.min(b).max(near);
            far = a.max(b).min(far);
        }
        (near, near.le(far))
    }

    /// One corner relative to the ray's origin, sheared onto the ray's axis: x, y, and depth before scaling.
    #[inline(always)]
    fn sheared<const MIXED: bool>(&self, corner: &[f32; 4]) -> (L, L, L) {
        let (x, y, z) = if MIXED {
            let p: [L; 3] = std::array::from_fn(|k| L::splat(corner[k]).sub(self.origin[k]));
            let pick = |(x, y): (L::Mask, L::Mask)| L::select(x, p[0], L::select(y, p[1], p[2]));
            (pick(self.axes.masks[0]), pick(self.axes.masks[1]), pick(self.axes.masks[2]))
        } else {
            let [kx, ky, kz] = self.axes.order;
            (
                L::splat(corner[kx & 3]).sub(self.axes.origin[0]),
                L::splat(corner[ky & 3]).sub(self.axes.origin[1]),
                L::splat(corner[kz & 3]).sub(self.axes.origin[2]),
            )
        };
        (x.sub(self.shear[0].mul(z)), y.sub(self.shear[1].mul(z)), z)
    }

    /// Edge functions u, v, w of a triangle, its determinant, and distance times determinant.
    #[inline(always)]
    fn test<const MIXED: bool>(&self, corners: &[[f32; 4]; 3]) -> Found<L> {
        let (ax, ay, az) = self.sheared::<MIXED>(&corners[0]);
        let (bx, by, bz) = self.sheared::<MIXED>(&corners[1]);
        let (cx, cy, cz) = self.sheared::<MIXED>(&corners[2]);
        let mut u = cx.mul(by).sub(cy.mul(bx));
        let mut v = ax.mul(cy).sub(ay.mul(cx));
        let mut w = bx.mul(ay).sub(by.mul(ax));
        let zero = L::splat(0.0);
        let on_edge = L::bits(L::either(L::either(u.eq(zero), v.eq(zero)), w.eq(zero)));
        if on_edge != 0 {
            let exact = self.on_edges(corners, on_edge, [u.store(), v.store(), w.store()]);
            (u, v, w) = (L::load(&exact[0]), L::load(&exact[1]), L::load(&exact[2]));
        }
        let least = u.min(v).min(w);
        let most = u.max(v).max(w);
        let inside = L::either(zero.le(least), most.le(zero));
        let det = u.add(v).add(w);
        let hit = L::both(inside, L::either(det.lt(zero), zero.lt(det)));
        Found { u, v, w, det, depths: [az, bz, cz], hit }
    }

    /// Rays on an edge exactly: decided in double precision, as the paper does.
    #[inline(always)]
    fn on_edges(&self, corners: &[[f32; 4]; 3], lanes: u8, edges: [Eight<f32>; 3]) -> [Eight<f32>; 3] {
        exact_edges(corners, lanes, edges, self.origin.map(L::store), self.shear.map(L::store), &self.orders)
    }
}

#[cold]
#[inline(never)]
fn exact_edges(
    corners: &[[f32; 4]; 3],
    lanes: u8,
    mut edges: [Eight<f32>; 3],
    origin: [Eight<f32>; 3],
    shear: [Eight<f32>; 3],
    orders: &[[u8; 3]; LANES],
) -> [Eight<f32>; 3] {
    for lane in (0..LANES).filter(|lane| lanes >> lane & 1 == 1) {
        let k = orders[lane].map(usize::from);
        let sheared: [[f32; 2]; 3] = std::array::from_fn(|corner| {
            let at = |k: usize| corners[corner][k] - origin[k].0[lane];
            let z = at(k[2]);
            [at(k[0]) - shear[0].0[lane] * z, at(k[1]) - shear[1].0[lane] * z]
        });
        let [a, b, c] = sheared.map(|p| p.map(f64::from));
        edges[0].0[lane] = (c[0] * b[1] - c[1] * b[0]) as f32;
        edges[1].0[lane] = (a[0] * c[1] - a[1] * c[0]) as f32;
        edges[2].0[lane] = (b[0] * a[1] - b[1] * a[0]) as f32;
    }
    edges
}

struct Found<L: Lanes> {
    u: L,
    v: L,
    w: L,
    det: L,
    depths: [L; 3],
    hit: L::Mask,
}

impl<L: Lanes> Found<L> {
    #[inline(always)]
    fn distance(&self, ready: &Ready<L>, inverse: L) -> L {
        let [a, b, c] = self.depths.map(|z| ready.shear[2].mul(z));
        self.u.mul(a).add(self.v.mul(b)).add(self.w.mul(c)).mul(inverse)
    }
}

/// Asks for what lies below a node while its boxes are tested.
#[inline(always)]
fn fetch_children<L: Lanes>(scene: &TraceScene, left: &Child, right: &Child) {
    for child in [left, right] {
        match child.count {
            0 => L::fetch_ahead(&scene.nodes, child.first),
            _ => L::fetch_ahead(&scene.triangles, child.first),
        }
    }
}

#[inline(always)]
fn closest<L: Lanes>(
    scene: &TraceScene,
    packet: &Packet,
    allowed: &[bool],
    rule: ClosestRule,
    walk: &mut Walk,
) -> PacketAnswer {
    let answer = PacketAnswer {
        t: Eight::splat(0.0),
        v: Eight::splat(0.0),
        w: Eight::splat(0.0),
        triangle: [NOTHING; LANES],
        back: 0,
        skipped_back: 0,
    };
    if packet.active == 0 || scene.nodes.is_empty() {
        return answer;
    }
    let ready = Ready::<L>::new(scene, packet);
    match ready.axes.mixed {
        false => closest_ready::<L, false>(scene, &ready, packet, allowed, rule, walk, answer),
        true => closest_ready::<L, true>(scene, &ready, packet, allowed, rule, walk, answer),
    }
}

#[inline(always)]
fn closest_ready<L: Lanes, const MIXED: bool>(
    scene: &TraceScene,
    ready: &Ready<L>,
    packet: &Packet,
    allowed: &[bool],
    rule: ClosestRule,
    walk: &mut Walk,
    mut answer: PacketAnswer,
) -> PacketAnswer {
    let zero = L::splat(0.0);
    let one = L::splat(1.0);
    let mut limit = L::load(&packet.length).mul(L::splat(scene.scale));
    let (mut best_v, mut best_w) = (zero, zero);
    let mut nearest_back = L::splat(f32::INFINITY);
    let mut back_bits = 0u8;
    let stack = &mut walk.closest;
    stack.clear();
    let (mut first, mut count) = (0u32, 0u16);
    loop {
        if count > 0 {
            for corners in &scene.triangles[first as usize..first as usize + count as usize] {
                if !allowed[corners.part as usize] {
                    continue;
                }
                let found = ready.test::<MIXED>(&corners.at);
                if L::bits(found.hit) == 0 {
                    continue;
                }
                let inverse = one.div(found.det);
                let t = found.distance(ready, inverse);
                let within = L::both(found.hit, L::both(zero.le(t), t.le(limit)));
                let mut within_bits = L::bits(within) & packet.active;
                if within_bits == 0 {
                    continue;
                }
                // A counter-clockwise triangle that faces the ray has a positive determinant in this projection.
                let turned = L::bits(found.det.lt(zero));
                let back = if rule.looks_along { turned } else { !turned };
                if rule.skip_back {
                    let skipped = within_bits & back;
                    nearest_back = L::select(L::mask(skipped), t.min(nearest_back), nearest_back);
                    within_bits &= !back;
                }
                // Equal distances go to the lower triangle number, whatever the order of visits.
                let triangle = corners.triangle;
                let tied = L::bits(t.eq(limit)) & within_bits;
                if tied != 0 {
                    for lane in (0..LANES).filter(|lane| tied >> lane & 1 == 1) {
                        if answer.triangle[lane] < triangle {
                            within_bits &= !(1 << lane);
                        }
                    }
                }
                let take = L::mask(within_bits);
                limit = L::select(take, t, limit);
                best_v = L::select(take, found.v.mul(inverse), best_v);
                best_w = L::select(take, found.w.mul(inverse), best_w);
                back_bits = (back_bits & !within_bits) | (back & within_bits);
                for (lane, slot) in answer.triangle.iter_mut().enumerate() {
                    if within_bits >> lane & 1 == 1 {
                        *slot = triangle;
                    }
                }
            }
        } else {
            let [left, right] = &scene.nodes[first as usize].0;
            fetch_children::<L>(scene, left, right);
            let (near_left, in_left) = ready.enters(left, limit);
            let (near_right, in_right) = ready.enters(right, limit);
            let go_left = L::bits(in_left) & packet.active != 0 && left.lets(allowed);
            let go_right = L::bits(in_right) & packet.active != 0 && right.lets(allowed);
            if go_left && go_right {
                let left_first = L::bits(near_left.le(near_right)) & packet.active;
                let far_away = L::splat(f32::INFINITY);
                if left_first.count_ones() * 2 >= packet.active.count_ones() {
                    stack.push((L::select(in_right, near_right, far_away).store(), right.first, right.count));
                    (first, count) = (left.first, left.count);
                } else {
                    stack.push((L::select(in_left, near_left, far_away).store(), left.first, left.count));
                    (first, count) = (right.first, right.count);
                }
                continue;
            }
            if go_left {
                (first, count) = (left.first, left.count);
                continue;
            }
            if go_right {
                (first, count) = (right.first, right.count);
                continue;
            }
        }
        loop {
            let Some((near, next, triangles)) = stack.pop() else {
                let reached = limit;
                let inner = L::splat(scene.scale);
                answer.t = reached.div(inner).store();
                answer.v = best_v.store();
                answer.w = best_w.store();
                answer.back = back_bits;
                let missed = (0..LANES).fold(0u8, |b, lane| b | u8::from(answer.triangle[lane] == NOTHING) << lane);
                let before_hit = L::bits(nearest_back.lt(reached));
                let on_way = L::bits(nearest_back.lt(L::splat(f32::INFINITY)));
                answer.skipped_back = (before_hit | (on_way & missed)) & packet.active;
                return answer;
            };
            if L::bits(L::load(&near).le(limit)) & packet.active != 0 {
                (first, count) = (next, triangles);
                break;
            }
        }
    }
}

#[inline(always)]
fn occluded<L: Lanes>(scene: &TraceScene, packet: &Packet, allowed: &[bool], walk: &mut Walk) -> u8 {
    if packet.active == 0 || scene.nodes.is_empty() {
        return 0;
    }
    let ready = Ready::<L>::new(scene, packet);
    match ready.axes.mixed {
        false => occluded_ready::<L, false>(scene, &ready, packet, allowed, walk),
        true => occluded_ready::<L, true>(scene, &ready, packet, allowed, walk),
    }
}

#[inline(always)]
fn occluded_ready<L: Lanes, const MIXED: bool>(
    scene: &TraceScene,
    ready: &Ready<L>,
    packet: &Packet,
    allowed: &[bool],
    walk: &mut Walk,
) -> u8 {
    let zero = L::splat(0.0);
    let one = L::splat(1.0);
    let limit = L::load(&packet.length).mul(L::splat(scene.scale));
    // Rays that are still free.
    let mut open = packet.active;
    let stack = &mut walk.occluded;
    stack.clear();
    let (mut first, mut count) = (0u32, 0u16);
    let mut wanted = open;
    loop {
        if wanted & open != 0 {
            if count > 0 {
                for corners in &scene.triangles[first as usize..first as usize + count as usize] {
                    if !allowed[corners.part as usize] {
                        continue;
                    }
                    let found = ready.test::<MIXED>(&corners.at);
                    if L::bits(found.hit) & open == 0 {
                        continue;
                    }
                    let t = found.distance(ready, one.div(found.det));
                    open &= !L::bits(L::both(found.hit, L::both(zero.le(t), t.le(limit))));
                    if open == 0 {
                        return packet.active;
                    }
                }
            } else {
                let [left, right] = &scene.nodes[first as usize].0;
                fetch_children::<L>(scene, left, right);
                let (near_left, in_left) = ready.enters(left, limit);
                let (near_right, in_right) = ready.enters(right, limit);
                let to_left = if left.lets(allowed) { L::bits(in_left) & open } else { 0 };
                let to_right = if right.lets(allowed) { L::bits(in_right) & open } else { 0 };
                if to_left != 0 && to_right != 0 {
                    let left_first = L::bits(near_left.le(near_right)) & open;
                    if left_first.count_ones() * 2 >= open.count_ones() {
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
        let Some((lanes, next, triangles)) = stack.pop() else { return packet.active & !open };
        (first, count, wanted) = (next, triangles, lanes);
    }
}

/// The point of a hit, from the mesh's own corners.
pub fn hit_point(mesh: &crate::mesh::Mesh, hit: &Hit) -> Vec3 {
    let [a, b, c] = mesh.corners(hit.triangle);
    a + (b - a) * hit.v + (c - a) * hit.w
}
