//! The high-poly mesh made ready for rays: a binary tree of boxes (built by `obvhs`), both children's boxes in their parent,
//! and triangle corners laid out in leaf order so that a leaf reads one stretch of memory. Which parts a ray may hit is a mask
//! given with the ray, so one tree serves every pair.

use super::lanes::{LEAF, PerTriangle};
use super::sight::Sight;
use crate::flat::{Flat, Packed, Packing};
use crate::mesh::Mesh;
use bytemuck::{Pod, Zeroable};
use glam::{Vec3, Vec3A};
use obvhs::BvhBuildParams;
use obvhs::aabb::Aabb;
use obvhs::bvh2::Bvh2;
use obvhs::bvh2::builder::build_bvh2;
use std::ops::Range;
use std::time::Duration;

/// Meshes are scaled, by a power of two and so exactly, to about this size inside the tree; constants of the tree then mean
/// the same for every asset, however wide.
const INNER_SIZE: f32 = 1024.0;

/// `Child::part` of a subtree that holds triangles of several parts, or of one whose number does not fit: its leaves decide.
const SEVERAL_PARTS: u16 = u16::MAX;

/// One side of a [`Node`].
#[derive(Clone, Copy, Debug, Pod, Zeroable)]
#[repr(C)]
pub(super) struct Child {
    pub low: [f32; 3],
    pub high: [f32; 3],
    /// Number of a node, or of the first triangle of a leaf.
    pub first: u32,
    /// Triangles of a leaf; 0 for an inner node; an empty side lies at infinity, where no ray ends.
    pub count: u16,
    part: u16,
}

impl Child {
    const NOTHING: Child =
        Child { low: [f32::INFINITY; 3], high: [f32::INFINITY; 3], first: 0, count: 0, part: SEVERAL_PARTS };

    /// False when no triangle below belongs to a part that is let through.
    #[inline(always)]
    pub fn lets(&self, allowed: &[bool]) -> bool {
        self.part == SEVERAL_PARTS || allowed[self.part as usize]
    }
}

#[derive(Clone, Copy, Debug, Pod, Zeroable)]
#[repr(C, align(64))]
pub(super) struct Node(pub [Child; 2]);

/// How far the triangle test may round.
#[derive(Clone, Copy, Debug, Default)]
pub struct Rounding {
    /// In the tree's units.
    longest_edge: f32,
}

/// A mesh that can be traced.
pub struct TraceScene {
    /// From scene units to the tree's.
    pub(super) scale: f32,
    /// The longest edge of each part, in the tree's units, and the parts by it, longest first.
    longest_edges: Vec<f32>,
    by_edge: Vec<u32>,
    nodes: Flat<Node>,
    leaves: Flat<Leaf>,
}

/// A tree as a walk reads it.
#[derive(Clone, Copy)]
pub(super) struct Tree<'a> {
    pub scale: f32,
    pub nodes: &'a [Node],
    pub leaves: &'a [Leaf],
}

/// Up to eight triangles that lie together, as a structure of arrays: two rays can be tested against all of them at once.
/// Places beyond the leaf's triangles repeat the last one.
#[derive(Clone, Copy, Debug, Pod, Zeroable)]
#[repr(C, align(64))]
pub(super) struct Leaf {
    /// Coordinates by corner and axis.
    pub at: [[PerTriangle; 3]; 3],
    /// Numbers in the mesh.
    pub triangle: [u32; LEAF],
    parts: [u32; LEAF],
    /// The part of all of them, where it fits, or [`SEVERAL_PARTS`].
    part: u16,
    /// Up to a whole number of lines of memory.
    rest: [u16; 15],
}

impl Leaf {
    /// `triangles`: one to eight.
    fn new(mesh: &Mesh, part_of: &[u32], scale: f32, triangles: &[u32]) -> Leaf {
        let place = |i: usize| triangles[i.min(triangles.len() - 1)];
        let mut at = [[PerTriangle([0.0; LEAF]); 3]; 3];
        for i in 0..LEAF {
            for (corner, p) in mesh.corners(place(i)).into_iter().enumerate() {
                let p = (p * scale).to_array();
                (0..3).for_each(|axis| at[corner][axis].0[i] = p[axis]);
            }
        }
        let parts = std::array::from_fn(|i| part_of[place(i) as usize]);
        let parts: [u32; LEAF] = parts;
        let one = parts.iter().all(|&p| p == parts[0]).then_some(parts[0]);
        let part = one.and_then(|p| u16::try_from(p).ok()).unwrap_or(SEVERAL_PARTS);
        Leaf { at, triangle: std::array::from_fn(place), parts, part, rest: [0; 15] }
    }

    /// Which of the first `count` triangles belong to a part that is let through, bit by place. A leaf of a single part is
    /// reached only when [`Child::lets`] let it through.
    #[inline(always)]
    pub fn lets(&self, allowed: &[bool], count: u16) -> u16 {
        let all = (1 << count) - 1;
        if self.part != SEVERAL_PARTS {
            return all;
        }
        let open = self.parts.iter().enumerate().fold(0, |b, (i, &part)| b | u16::from(allowed[part as usize]) << i);
        open & all
    }
}

/// A tree while its parts are put in place.
#[derive(Default)]
struct LaidOut {
    nodes: Vec<Node>,
    leaves: Vec<Leaf>,
}

impl LaidOut {
    /// Children into their parents, depth first, so that a walk down reads memory forwards.
    fn lay_out(&mut self, tree: &Bvh2, leaf_of: &impl Fn(Range<usize>) -> Leaf) {
        let root = &tree.nodes[0];
        if root.prim_count > 0 {
            let leaf = self.child(tree, 0, leaf_of);
            self.nodes.push(Node([leaf, Child::NOTHING]));
            return;
        }
        self.nodes.push(Node([Child::NOTHING; 2]));
        let mut open = vec![(0usize, root.first_index)];
        // Nodes whose children are all in place, to know which subtrees hold one part only.
        let mut order = Vec::new();
        while let Some((at, first)) = open.pop() {
            order.push(at);
            for side in [1usize, 0] {
                let source = first as usize + side;
                let mut child = self.child(tree, source, leaf_of);
                if child.count == 0 {
                    child.first = self.nodes.len() as u32;
                    self.nodes.push(Node([Child::NOTHING; 2]));
                    open.push((child.first as usize, tree.nodes[source].first_index));
                }
                self.nodes[at].0[side] = child;
            }
        }
        for &at in order.iter().rev() {
            for side in 0..2 {
                let child = self.nodes[at].0[side];
                if child.count == 0 {
                    let [a, b] = self.nodes[child.first as usize].0;
                    self.nodes[at].0[side].part = if a.part == b.part { a.part } else { SEVERAL_PARTS };
                }
            }
        }
    }

    /// A side that leads to `source`; a leaf of it is put in place, an inner node is left to the caller.
    fn child(&mut self, tree: &Bvh2, source: usize, leaf_of: &impl Fn(Range<usize>) -> Leaf) -> Child {
        let node = &tree.nodes[source];
        let aabb = node.aabb();
        let (low, high) = (aabb.min.to_array(), aabb.max.to_array());
        if node.prim_count == 0 {
            return Child { low, high, first: node.first_index, count: 0, part: SEVERAL_PARTS };
        }
        let first = node.first_index as usize;
        let leaf = leaf_of(first..first + node.prim_count as usize);
        let child =
            Child { low, high, first: self.leaves.len() as u32, count: node.prim_count as u16, part: leaf.part };
        self.leaves.push(leaf);
        child
    }
}

impl TraceScene {
    /// Builds the tree over all triangles of `mesh`. Triangles without area are left out: no ray can meet them.
    pub fn new(mesh: &Mesh) -> TraceScene {
        let part_of = mesh.triangle_parts();
        let solid: Vec<u32> = (0..mesh.triangles.len() as u32).filter(|&t| mesh.area_normal(t) != Vec3::ZERO).collect();
        // Box tests round by parts in ten million of the coordinates. Boxes are padded by more than that, so that no box
        // that holds a hit is left out and the watertight triangle test has the last word.
        let (low, high) = mesh.bounds();
        let largest = low.abs().max(high.abs()).max_element() + (high - low).length();
        let scale = if largest > 0.0 {
            libm::exp2f(libm::log2f(INNER_SIZE / largest).floor().clamp(-100.0, 100.0))
        } else {
            1.0
        };
        let mut longest_edges = vec![0.0f32; mesh.parts.len()];
        for &t in &solid {
            let [a, b, c] = mesh.corners(t);
            let longest = a.distance_squared(b).max(b.distance_squared(c)).max(c.distance_squared(a)).sqrt() * scale;
            let of_part = &mut longest_edges[part_of[t as usize] as usize];
            *of_part = of_part.max(longest);
        }
        let mut by_edge: Vec<u32> = (0..longest_edges.len() as u32).collect();
        by_edge.sort_by(|a, b| longest_edges[*b as usize].total_cmp(&longest_edges[*a as usize]));
        let pad = Vec3A::splat(4e-6 * largest * scale);
        let boxes: Vec<Aabb> = solid
            .iter()
            .map(|&t| {
                let [a, b, c] = mesh.corners(t).map(|p| Vec3A::from(p * scale));
                Aabb::new(a.min(b).min(c) - pad, a.max(b).max(c) + pad)
            })
            .collect();
        let mut laid = LaidOut::default();
        if boxes.is_empty() {
            return TraceScene { scale, longest_edges, by_edge, nodes: Flat::default(), leaves: Flat::default() };
        }
        // Fuller leaves than the library's own choice: a ray is tested against a whole leaf at once.
        let params = BvhBuildParams {
            max_prims_per_leaf: LEAF as u32,
            collapse_traversal_cost: 8.0,
            ..BvhBuildParams::fast_build()
        };
        let tree = build_bvh2(&boxes, params, &mut Duration::default());
        drop(boxes);
        let leaf = |places: Range<usize>| {
            let triangles: Vec<u32> = tree.primitive_indices[places].iter().map(|&p| solid[p as usize]).collect();
            Leaf::new(mesh, &part_of, scale, &triangles)
        };
        laid.lay_out(&tree, &leaf);
        TraceScene { scale, longest_edges, by_edge, nodes: laid.nodes.into(), leaves: laid.leaves.into() }
    }

    /// As a walk reads it.
    pub(super) fn tree(&self) -> Tree<'_> {
        Tree { scale: self.scale, nodes: &self.nodes, leaves: &self.leaves }
    }

    /// Puts it into bytes under a name.
    pub fn pack<'a>(&'a self, name: &str, into: &mut Packing<'a>) {
        into.told(format!("{name}/tree"), &(self.scale, &self.longest_edges, &self.by_edge));
        into.flat(format!("{name}/nodes"), &self.nodes);
        into.flat(format!("{name}/leaves"), &self.leaves);
    }

    /// Takes it from bytes again; nodes and triangles stay where they lie.
    ///
    /// # Errors
    /// What of it is missing or damaged.
    pub fn unpack(name: &str, from: &Packed) -> Result<TraceScene, String> {
        let (scale, longest_edges, by_edge) = from.told(&format!("{name}/tree"))?;
        let (nodes, leaves) = (from.flat(&format!("{name}/nodes"))?, from.flat(&format!("{name}/leaves"))?);
        Ok(TraceScene { scale, longest_edges, by_edge, nodes, leaves })
    }

    /// Bytes held by the tree and its triangles.
    pub fn bytes(&self) -> usize {
        self.nodes.own_bytes() + self.leaves.own_bytes()
    }

    /// How far the triangle test may round on parts that are seen.
    pub fn rounding(&self, sight: &Sight) -> Rounding {
        let edge = |part: u32| self.longest_edges.get(part as usize).copied().unwrap_or(0.0);
        let longest_edge = match sight.listed() {
            Some(parts) => parts.iter().map(|&part| edge(part)).fold(0.0, f32::max),
            None => self.by_edge.iter().find(|part| sight.sees(**part)).map_or(0.0, |&part| edge(part)),
        };
        Rounding { longest_edge }
    }

    /// A point just off the surface at `position`, on the side `normal` (unit, geometric) points to, far enough that a ray
    /// from there cannot meet the surface it left. The step is bounded by rounding, never tuned to a mesh: in units in the last
    /// place of the coordinates themselves (Waechter and Binder, "A Fast and Robust Method for Avoiding Self-Intersection", Ray
    /// Tracing Gems, 2019), and at least four steps of the largest coordinate there can be, and what the triangle test may round
    /// where a ray runs along a face: its edge functions are products of lengths up to the longest edge, so that the face seems
    /// to lie off its plane by some steps of that edge, whatever the slant of the ray (measured: up to 64; twice that is kept
    /// off). `rounding`: that of the parts that the ray may meet. In the tree's units, so that it is the same share of an asset of
    /// any width.
    pub fn step_off(&self, position: Vec3, normal: Vec3, rounding: Rounding) -> Vec3 {
        const ULPS: f32 = 256.0;
        let least = f32::EPSILON * (4.0 * INNER_SIZE + 128.0 * rounding.longest_edge);
        let (p, n) = ((position * self.scale).to_array(), normal.to_array());
        let moved: [f32; 3] = std::array::from_fn(|i| {
            let ulps = (ULPS * n[i]) as i32;
            let bits = p[i].to_bits() as i32 + if p[i] < 0.0 { -ulps } else { ulps };
            let by_bits = f32::from_bits(bits as u32);
            let by_size = p[i] + least * n[i];
            // Near zero, steps in bits are too small (and a zero has none below it).
            let far_enough = p[i] != 0.0 && (by_bits - p[i]).abs() >= (by_size - p[i]).abs();
            if far_enough { by_bits } else { by_size }
        });
        Vec3::from(moved) / self.scale
    }
}
