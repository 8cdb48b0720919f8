//! Triangles that are large beside the ball, as they are: what the ball meets of them is integrated, exactly for those larger than
//! its radius. A tree of boxes over them, one per part, finds those it meets.

use super::bends::EdgeShare;
use super::facing_weight;
use super::kernel::Ball;
use crate::flat::{Flat, Packed, Packing};
use crate::mesh::Mesh;
use bytemuck::{Pod, Zeroable};
use glam::{DVec3, Vec3};

/// Triangles of a leaf at most.
const LEAF: usize = 16;
/// Halves of more pieces than this are built beside each other.
const APART: usize = 4096;
const NO_ROOT: u32 = u32::MAX;

/// A large triangle, and what each of its edges gives to it: the integral of mean curvature, and how far it is spread, in steps of
/// which [`WHOLE`] is all the way.
#[derive(Clone, Copy, Pod, Zeroable)]
#[repr(C)]
pub(super) struct Piece {
    triangle: u32,
    curvature: [f32; 3],
    depth: [u8; 3],
    rest: u8,
}

const WHOLE: u8 = u8::MAX;

#[derive(Clone, Copy, Default, Pod, Zeroable)]
#[repr(C)]
struct Node {
    low: Vec3,
    high: Vec3,
    /// The pieces of a leaf; for a node above, `from` is its second child and `count` is 0. Its first child is the next node.
    from: u32,
    count: u32,
}

/// The large triangles of a mesh.
#[derive(Default)]
pub(super) struct Pieces {
    pieces: Flat<Piece>,
    nodes: Flat<Node>,
    /// Root of each part.
    roots: Vec<u32>,
}

impl Pieces {
    /// Builds the trees. `pieces` are in order of their triangles.
    pub fn new(mesh: &Mesh, mut pieces: Vec<Piece>) -> Pieces {
        let (mut nodes, mut roots) = (Vec::new(), Vec::new());
        let mut start = 0;
        for part in &mesh.parts {
            let count = pieces[start..].partition_point(|p| p.triangle < part.triangles.end);
            let root = nodes.len();
            roots.push(if count == 0 { NO_ROOT } else { root as u32 });
            if count > 0 {
                nodes.resize(root + nodes_over(count), Node::default());
                build(mesh, &mut pieces[start..start + count], start as u32, (&mut nodes[root..], root as u32));
            }
            start += count;
        }
        pieces.shrink_to_fit();
        nodes.shrink_to_fit();
        Pieces { pieces: pieces.into(), nodes: nodes.into(), roots }
    }

    pub fn pack<'a>(&'a self, name: &str, into: &mut Packing<'a>) {
        into.told(format!("{name}/roots"), &self.roots);
        into.flat(format!("{name}/pieces"), &self.pieces);
        into.flat(format!("{name}/boxes"), &self.nodes);
    }

    pub fn unpack(name: &str, from: &Packed) -> Result<Pieces, String> {
        let roots = from.told(&format!("{name}/roots"))?;
        let (pieces, nodes) = (from.flat(&format!("{name}/pieces"))?, from.flat(&format!("{name}/boxes"))?);
        Ok(Pieces { pieces, nodes, roots })
    }

    pub fn bytes(&self) -> usize {
        self.pieces.own_bytes() + self.nodes.own_bytes() + self.roots.len() * 4
    }

    /// Area and integral of curvature within a ball, both weighed; of what faces as `normal` does.
    pub fn within(&self, mesh: &Mesh, part: usize, ball: &Ball, normal: Vec3) -> (f64, f64) {
        let (mut area, mut bend) = (0.0, 0.0);
        let radius = Vec3::splat(ball.radius as f32 * 1.0001);
        let (low, high) = (ball.middle.as_vec3() - radius, ball.middle.as_vec3() + radius);
        let mut stack = [0u32; 64];
        let mut depth = usize::from(self.roots[part] != NO_ROOT);
        stack[0] = self.roots[part];
        let (nodes, pieces) = (&*self.nodes, &*self.pieces);
        while depth > 0 {
            depth -= 1;
            let at = stack[depth];
            let node = &nodes[at as usize];
            if node.low.cmpgt(high).any() || node.high.cmplt(low).any() {
                continue;
            }
            if node.count == 0 {
                stack[depth] = node.from;
                stack[depth + 1] = at + 1;
                depth += 2;
                continue;
            }
            for piece in &pieces[node.from as usize..(node.from + node.count) as usize] {
                let [a, b, c] = mesh.corners(piece.triangle);
                if a.min(b).min(c).cmpgt(high).any() || a.max(b).max(c).cmplt(low).any() {
                    continue;
                }
                let (own_area, own_bend) = piece.within(mesh, ball, normal);
                area += own_area;
                bend += own_bend;
            }
        }
        (area, bend)
    }
}

impl Piece {
    pub fn new(triangle: u32, edges: [EdgeShare; 3]) -> Piece {
        let depth = edges.map(|e| (e.depth * f32::from(WHOLE)).ceil() as u8);
        Piece { triangle, curvature: edges.map(|e| e.curvature), depth, rest: 0 }
    }

    fn within(&self, mesh: &Mesh, ball: &Ball, normal: Vec3) -> (f64, f64) {
        let corners: [DVec3; 3] = mesh.corners(self.triangle).map(|p| p.as_dvec3());
        let [a, b, c] = corners;
        let twice = (b - a).cross(c - a);
        let (own, area) = (twice.normalize_or_zero(), twice.length() * 0.5);
        let facing = f64::from(facing_weight(own.as_vec3(), normal));
        if facing == 0.0 || area == 0.0 {
            return (0.0, 0.0);
        }
        let longest = a.distance_squared(b).max(b.distance_squared(c)).max(c.distance_squared(a));
        let met = match longest <= ball.radius * ball.radius {
            true => area * ball.mean_over_triangle(corners),
            false => ball.over_polygon(&corners, own),
        };
        let mut bend = 0.0;
        for (i, &curvature) in self.curvature.iter().enumerate().filter(|(_, c)| **c != 0.0) {
            let (from, to, far) = (corners[i], corners[(i + 1) % 3], corners[(i + 2) % 3]);
            let share = match self.depth[i] {
                0 => ball.over_line(from, to) / from.distance(to),
                WHOLE => met / area,
                steps => {
                    let depth = f64::from(steps) / f64::from(WHOLE);
                    let strip = [from, to, to.lerp(far, depth), from.lerp(far, depth)];
                    ball.over_polygon(&strip, own) / (area * depth * (2.0 - depth))
                }
            };
            bend += f64::from(curvature) * share;
        }
        (facing * met, facing * bend)
    }
}

/// How many nodes a tree over so many pieces has.
fn nodes_over(pieces: usize) -> usize {
    if pieces <= LEAF { 1 } else { 1 + nodes_over(pieces / 2) + nodes_over(pieces - pieces / 2) }
}

/// Fills the nodes over some pieces, whose first has the number `first`; the first node has the number `at`. Puts the pieces in the
/// order of the leaves.
fn build(mesh: &Mesh, pieces: &mut [Piece], first: u32, (nodes, at): (&mut [Node], u32)) {
    let (mut low, mut high) = (Vec3::INFINITY, Vec3::NEG_INFINITY);
    let (mut middle_low, mut middle_high) = (low, high);
    let middle = |piece: &Piece| mesh.corners(piece.triangle).into_iter().sum::<Vec3>();
    for piece in pieces.iter() {
        for p in mesh.corners(piece.triangle) {
            (low, high) = (low.min(p), high.max(p));
        }
        (middle_low, middle_high) = (middle_low.min(middle(piece)), middle_high.max(middle(piece)));
    }
    let Some((node, below)) = nodes.split_first_mut() else { return };
    *node = Node { low, high, from: first, count: pieces.len() as u32 };
    if pieces.len() <= LEAF {
        return;
    }
    let extent = middle_high - middle_low;
    let axis = if extent.x >= extent.y.max(extent.z) { 0 } else { 1 + usize::from(extent.z > extent.y) };
    let half = pieces.len() / 2;
    pieces.select_nth_unstable_by(half, |a, b| {
        middle(a)[axis].total_cmp(&middle(b)[axis]).then(a.triangle.cmp(&b.triangle))
    });
    let (left, right) = pieces.split_at_mut(half);
    let (left_nodes, right_nodes) = below.split_at_mut(nodes_over(half));
    let second = at + 1 + left_nodes.len() as u32;
    (node.from, node.count) = (second, 0);
    let (to_left, to_right) = ((left_nodes, at + 1), (right_nodes, second));
    let mut build_left = || build(mesh, left, first, (&mut *to_left.0, to_left.1));
    let mut build_right = || build(mesh, right, first + half as u32, (&mut *to_right.0, to_right.1));
    if half > APART {
        rayon::join(build_left, build_right);
    } else {
        build_left();
        build_right();
    }
}
