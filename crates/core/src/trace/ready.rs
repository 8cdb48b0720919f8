//! A packet made ready for the tree, and its two tests: boxes by slabs, and triangles by the watertight test of Woop, Benthin
//! and Wald, "Watertight Ray/Triangle Intersection", JCGT 2(1), 2013: rays that meet a shared edge or vertex hit at least one
//! triangle there. Triangles are tested all rays of a packet against one, or two rays against the eight of a leaf, whichever is fewer
//! tests; both take the same steps and so find the same hits.

use super::lanes::{LANES, LEAF, Lanes, PerRay, PerTriangle};
use super::packet::Packet;
use super::tree::{Child, Leaf};

/// Directions are kept this far from zero along every axis in box tests, so that no reciprocal is infinite.
const LEAST_SLOPE: f32 = 1e-12;

/// A packet in the tree's units, with what box and triangle tests need of each ray.
pub(super) struct Ready<L: Lanes> {
    origin: [L; 3],
    inverse: [L; 3],
    /// Origin times inverse.
    shift: [L; 3],
    shear: [L; 3],
    main_axes: MainAxes,
    axes: Axes<L>,
}

/// Which rays (bit by lane) run along x most, which along y unless along x, and which down that axis.
#[derive(Clone, Copy)]
struct MainAxes {
    x: u16,
    y: u16,
    down: u16,
}

impl MainAxes {
    /// The axis ray `lane` runs along most (kz), after the two others in winding order.
    #[inline(always)]
    fn order(self, lane: usize) -> [usize; 3] {
        const ORDERS: [[usize; 3]; 8] =
            [[0, 1, 2], [1, 2, 0], [2, 0, 1], [1, 2, 0], [1, 0, 2], [2, 1, 0], [0, 2, 1], [2, 1, 0]];
        ORDERS[usize::from((self.x >> lane & 1) | (self.y >> lane & 1) << 1 | (self.down >> lane & 1) << 2)]
    }

    /// The lanes where axis number `k` of the order is x, and those where it is y; as [`MainAxes::order`] has them.
    #[inline(always)]
    fn lanes(self, k: usize) -> (u16, u16) {
        let (x, y, down) = (self.x, self.y & !self.x, self.down);
        let z = !(x | y);
        match k {
            0 => ((z & !down) | (y & down), (x & !down) | (z & down)),
            1 => ((y & !down) | (z & down), (z & !down) | (x & down)),
            _ => (x, y),
        }
    }

    /// Whether the `active` rays have more than one order.
    #[inline(always)]
    fn differ(self, active: u16) -> bool {
        let differ = |bits: u16| bits & active != 0 && bits & active != active;
        differ(self.x) || differ(self.y & !self.x) || differ(self.down)
    }
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
    pub fn new(scale: f32, packet: &Packet) -> Self {
        // Written out and in loops: a closure would be compiled without the registers this is compiled for.
        let scale = L::splat(scale);
        let (zero, one, least) = (L::splat(0.0), L::splat(1.0), L::splat(LEAST_SLOPE));
        let (mut origin, mut direction, mut inverse, mut shift) = ([zero; 3], [zero; 3], [zero; 3], [zero; 3]);
        let mut size = [zero; 3];
        for axis in 0..3 {
            origin[axis] = L::load(&packet.origin[axis]).mul(scale);
            let d = L::load(&packet.direction[axis]);
            direction[axis] = d;
            size[axis] = d.max(zero.sub(d));
            let kept = L::select(d.lt(zero), zero.sub(least), least);
            inverse[axis] = one.div(L::select(size[axis].lt(least), kept, d));
            shift[axis] = origin[axis].mul(inverse[axis]);
        }
        // The axis a ray runs along most; the other two in the order that keeps the winding of projected triangles.
        let along_x = L::both(size[1].lt(size[0]), size[2].lt(size[0]));
        let along_y = size[2].lt(size[1]);
        let [x, y, z] = direction;
        let along = L::select(along_x, x, L::select(along_y, y, z));
        let next = L::select(along_x, y, L::select(along_y, z, x));
        let after = L::select(along_x, z, L::select(along_y, x, y));
        let down = along.lt(zero);
        let per = one.div(along);
        let shear = [L::select(down, after, next).div(along), L::select(down, next, after).div(along), per];
        let main_axes = MainAxes { x: L::bits(along_x), y: L::bits(along_y), down: L::bits(down) };
        let order = main_axes.order(packet.active.trailing_zeros() as usize % LANES);
        let mixed = main_axes.differ(packet.active);
        let mut masks = [(L::mask(0), L::mask(0)); 3];
        if mixed {
            for (k, masks) in masks.iter_mut().enumerate() {
                let (x, y) = main_axes.lanes(k);
                *masks = (L::mask(x), L::mask(y));
            }
        }
        let axes = Axes { mixed, order, origin: [origin[order[0]], origin[order[1]], origin[order[2]]], masks };
        Ready { origin, inverse, shift, shear, main_axes, axes }
    }

    /// Whether rays run along different axes most; `MIXED` of [`Ready::test`].
    pub fn mixed(&self) -> bool {
        self.axes.mixed
    }

    /// Where rays enter a box, and which of them do before `limit`.
    #[inline(always)]
    pub fn enters(&self, child: &Child, limit: L) -> (L, L::Mask) {
        let mut near = L::splat(0.0);
        let mut far = limit;
        for axis in 0..3 {
            let a = L::splat(child.low[axis]).box_plane(self.inverse[axis], self.shift[axis]);
            let b = L::splat(child.high[axis]).box_plane(self.inverse[axis], self.shift[axis]);
            near = a.min(b).max(near);
            far = a.max(b).min(far);
        }
        (near, near.le(far))
    }

    /// All rays against triangle `at` of a leaf, one lane a ray.
    #[inline(always)]
    pub fn test<const MIXED: bool>(&self, leaf: &Leaf, at: usize) -> Found<L> {
        let [a, b, c] = &leaf.at;
        let (a, b, c) = (self.corner::<MIXED>(a, at), self.corner::<MIXED>(b, at), self.corner::<MIXED>(c, at));
        Found::new(sheared(a, self.shear), sheared(b, self.shear), sheared(c, self.shear), self.shear[2])
    }

    /// One corner relative to each ray's origin, axes in each ray's order.
    #[inline(always)]
    fn corner<const MIXED: bool>(&self, corner: &[PerTriangle; 3], at: usize) -> [L; 3] {
        if MIXED {
            let x = L::splat(corner[0].0[at]).sub(self.origin[0]);
            let y = L::splat(corner[1].0[at]).sub(self.origin[1]);
            let z = L::splat(corner[2].0[at]).sub(self.origin[2]);
            let [kx, ky, kz] = self.axes.masks;
            [
                L::select(kx.0, x, L::select(kx.1, y, z)),
                L::select(ky.0, x, L::select(ky.1, y, z)),
                L::select(kz.0, x, L::select(kz.1, y, z)),
            ]
        } else {
            let [kx, ky, kz] = self.axes.order;
            [
                L::splat(corner[kx].0[at]).sub(self.axes.origin[0]),
                L::splat(corner[ky].0[at]).sub(self.axes.origin[1]),
                L::splat(corner[kz].0[at]).sub(self.axes.origin[2]),
            ]
        }
    }

    /// Two rays, by their lanes, against the triangles of a leaf: one lane a triangle, those of the first ray in the first half of
    /// the lanes. Lanes beyond the leaf's triangles mean nothing.
    #[inline(always)]
    pub fn test_two(&self, leaf: &Leaf, pair: [usize; 2]) -> Found<L> {
        let orders = [self.main_axes.order(pair[0]), self.main_axes.order(pair[1])];
        let origin = self.origin_of(orders, pair);
        let [x, y, z] = self.shear;
        let shear = [x.spread(pair), y.spread(pair), z.spread(pair)];
        let [a, b, c] = &leaf.at;
        let (a, b, c) = (around(a, orders, origin), around(b, orders, origin), around(c, orders, origin));
        Found::new(sheared(a, shear), sheared(b, shear), sheared(c, shear), shear[2])
    }

    /// The origins of two rays, each in its own order of axes.
    #[inline(always)]
    fn origin_of(&self, [first, second]: [[usize; 3]; 2], pair: [usize; 2]) -> [L; 3] {
        let mut origin = [L::splat(0.0); 3];
        for k in 0..3 {
            let (one, other) = (self.origin[first[k]].spread(pair), self.origin[second[k]].spread(pair));
            origin[k] = if first[k] == second[k] { one } else { L::select(L::mask(FIRST_HALF), one, other) };
        }
        origin
    }
}

/// The lanes of the first of two rays.
const FIRST_HALF: u16 = u16::MAX >> LEAF;

/// One corner of a leaf's triangles relative to two rays' origins, axes in each ray's order.
#[inline(always)]
fn around<L: Lanes>(corner: &[PerTriangle; 3], [first, second]: [[usize; 3]; 2], origin: [L; 3]) -> [L; 3] {
    let mut at = origin;
    for k in 0..3 {
        let one = L::twice(&corner[first[k]]);
        let corners =
            if first[k] == second[k] { one } else { L::select(L::mask(FIRST_HALF), one, L::twice(&corner[second[k]])) };
        at[k] = corners.sub(origin[k]);
    }
    at
}

/// A corner sheared onto the ray's axis; its depth stays unscaled.
#[inline(always)]
fn sheared<L: Lanes>([x, y, z]: [L; 3], shear: [L; 3]) -> [L; 3] {
    [x.sub(shear[0].mul(z)), y.sub(shear[1].mul(z)), z]
}

/// What a triangle test found: edge functions of the corners' opposite edges, their sum, and which lanes hit.
pub(super) struct Found<L: Lanes> {
    pub u: L,
    pub v: L,
    pub w: L,
    pub det: L,
    depths: [L; 3],
    per_depth: L,
    pub hit: L::Mask,
}

impl<L: Lanes> Found<L> {
    /// From corners relative to the ray's origin and sheared onto its axis (x, y, and depth before scaling by `per_depth`).
    #[inline(always)]
    fn new([ax, ay, az]: [L; 3], [bx, by, bz]: [L; 3], [cx, cy, cz]: [L; 3], per_depth: L) -> Self {
        let mut u = cx.mul(by).sub(cy.mul(bx));
        let mut v = ax.mul(cy).sub(ay.mul(cx));
        let mut w = bx.mul(ay).sub(by.mul(ax));
        let zero = L::splat(0.0);
        let on_edge = L::bits(L::either(L::either(u.eq(zero), v.eq(zero)), w.eq(zero)));
        if on_edge != 0 {
            let corners = [[ax.store(), ay.store()], [bx.store(), by.store()], [cx.store(), cy.store()]];
            let exact = exact_edges(corners, on_edge, [u.store(), v.store(), w.store()]);
            (u, v, w) = (L::load(&exact[0]), L::load(&exact[1]), L::load(&exact[2]));
        }
        let least = u.min(v).min(w);
        let most = u.max(v).max(w);
        let inside = L::either(zero.le(least), most.le(zero));
        let det = u.add(v).add(w);
        let hit = L::both(inside, L::either(det.lt(zero), zero.lt(det)));
        Found { u, v, w, det, depths: [az, bz, cz], per_depth, hit }
    }

    #[inline(always)]
    pub fn distance(&self, inverse: L) -> L {
        let [a, b, c] = self.depths;
        let (a, b, c) = (self.per_depth.mul(a), self.per_depth.mul(b), self.per_depth.mul(c));
        self.u.mul(a).add(self.v.mul(b)).add(self.w.mul(c)).mul(inverse)
    }
}

/// Edges met exactly, decided in double precision, as the paper does.
#[cold]
#[inline(never)]
fn exact_edges(corners: [[PerRay<f32>; 2]; 3], lanes: u16, mut edges: [PerRay<f32>; 3]) -> [PerRay<f32>; 3] {
    for lane in (0..LANES).filter(|lane| lanes >> lane & 1 == 1) {
        let [a, b, c] = corners.map(|p| p.map(|axis| f64::from(axis.0[lane])));
        edges[0].0[lane] = (c[0] * b[1] - c[1] * b[0]) as f32;
        edges[1].0[lane] = (a[0] * c[1] - a[1] * c[0]) as f32;
        edges[2].0[lane] = (b[0] * a[1] - b[1] * a[0]) as f32;
    }
    edges
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn lanes_by_axis_are_those_of_each_rays_order() {
        for bits in 0..8u16 {
            // One ray of each kind in all lanes but the first, which runs up along z.
            let spread = |bit: u16| if bits >> bit & 1 == 1 { u16::MAX << 1 } else { 0 };
            let axes = MainAxes { x: spread(0), y: spread(1), down: spread(2) };
            for k in 0..3 {
                let of = |axis| (0..LANES).fold(0, |b, lane| b | u16::from(axes.order(lane)[k] == axis) << lane);
                assert_eq!(axes.lanes(k), (of(0), of(1)), "kind {bits}, axis {k} of the order");
            }
        }
    }
}
