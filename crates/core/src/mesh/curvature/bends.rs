//! Where a mesh bends, and which face each bend belongs to.
//!
//! An edge between two faces of like width stands for a surface that is round across both: its curvature is shared by them. One
//! between a narrow face and a wide one is the rim of a bevel: it belongs to the narrow face, and the wide one is flat. Widths are
//! measured across the edge, over the whole flat face: triangles that lie in one plane are one face, however they were cut. Between
//! two triangles that are small beside the size curvature is averaged over, none of that matters: they share evenly.

use super::{is_small, longest};
use crate::mesh::{DisjointSets, Mesh, Neighbours};
use glam::{DVec3, Vec3, Vec3Swizzles};
use rayon::prelude::*;

/// Edges that bend more than this (radians) between faces of like width are sharp: their curvature stays on the edge.
const SHARP: f64 = 0.6;
/// The same at a bevel, between a narrow face and one at least [`BEVEL_RATIO`] times as wide or two narrow ones: a bevel of one face
/// has two edges of 45 degrees, one of two has one between them.
const BEVEL_SHARP: f64 = 1.0;
const BEVEL_RATIO: f64 = 2.0;
/// Faces whose widths differ by less than the first ratio share a bend evenly; by more than the second, the narrower has all of it.
const LIKE: f64 = 1.5;
const UNLIKE: f64 = 3.0;
/// Faces whose normals differ by less (sine) lie in one plane.
const FLAT: f64 = 5e-4;
/// How far from an edge its curvature is spread at most, in widths of the narrower face.
const SPREAD: f64 = 1.25;
const NOTHING: u32 = u32::MAX;

/// What an edge gives to one of its triangles.
#[derive(Clone, Copy, Default)]
pub(super) struct EdgeShare {
    /// Integral of mean curvature, scene units.
    pub curvature: f32,
    /// How far it is spread from the edge, as a share of the way to the corner that faces it: 0 stays on the edge, 1 is all of the
    /// triangle.
    pub depth: f32,
}

/// Second moments of a flat face, from the first corner of its first triangle.
#[derive(Clone, Copy, Default)]
struct Moments {
    area: f32,
    first: Vec3,
    /// Integrals of xx, yy, zz and of xy, xz, yz.
    squares: Vec3,
    products: Vec3,
}

impl Moments {
    fn add(&mut self, corners: [Vec3; 3]) {
        let [a, b, c] = corners;
        let area = (b - a).cross(c - a).length() * 0.5;
        let sum = a + b + c;
        self.area += area;
        self.first += sum * (area / 3.0);
        for p in [a, b, c, sum] {
            self.squares += p * p * (area / 12.0);
            self.products += p.xxy() * p.yzz() * (area / 12.0);
        }
    }

    /// Width along a unit direction: that of the rectangle with the same variance.
    fn width(&self, along: Vec3) -> f32 {
        let mean = self.first.dot(along) / self.area;
        let square = self.squares.dot(along * along) + 2.0 * self.products.dot(along.xxy() * along.yzz());
        (12.0 * (square / self.area - mean * mean).max(0.0)).sqrt()
    }
}

/// Width of a triangle across an edge, by the same rule: its height times the square root of 12/18.
const TRIANGLE_WIDTH: f64 = 0.816_496_580_927_726;

/// The bends of a mesh.
pub(super) struct Bends<'a> {
    mesh: &'a Mesh,
    radius: f32,
    /// What lies across each edge of each triangle, or [`NOTHING`].
    across: Vec<[u32; 3]>,
    /// The first triangle of the flat face each triangle belongs to.
    face: Vec<u32>,
    /// Faces of three triangles or more, in rising order, and the moments of each.
    large: Vec<u32>,
    moments: Vec<Moments>,
    /// One entry a triangle that is the first of its face: the face is narrow beside one that it bends towards.
    strip: Vec<bool>,
}

impl<'a> Bends<'a> {
    pub fn of(mesh: &'a Mesh, radius: f32) -> Bends<'a> {
        let across = across(mesh);
        let (face, large, moments, strip) = Default::default();
        let mut bends = Bends { mesh, radius, across, face, large, moments, strip };
        let all = 0..mesh.triangles.len() as u32;
        if all.into_par_iter().all(|t| is_small(mesh, t, radius)) {
            return bends;
        }
        bends.find_faces();
        let is_strip = |t: u32| {
            let rim = |edge| bends.edge(t, edge).is_some_and(|e| e.own * BEVEL_RATIO <= e.others && e.is_bevel());
            (0..3).any(rim)
        };
        let all = (0..mesh.triangles.len() as u32).into_par_iter();
        let narrow: Vec<u32> = all.filter(|&t| !is_small(mesh, t, radius) && is_strip(t)).collect();
        bends.strip = vec![false; mesh.triangles.len()];
        narrow.into_iter().for_each(|t| bends.strip[bends.face[t as usize] as usize] = true);
        bends
    }

    fn find_faces(&mut self) {
        let mesh = self.mesh;
        let mut sets = DisjointSets::new(mesh.triangles.len());
        let flat = |t: u32, other: u32| {
            let (m, n) = (normal(mesh, t), normal(mesh, other));
            m.dot(n) > 0.0 && m.cross(n).length() < FLAT * m.length() * n.length()
        };
        for (t, others) in self.across.iter().enumerate() {
            for &other in others.iter().filter(|&&o| o != NOTHING && o as usize > t) {
                if flat(t as u32, other) {
                    sets.join(t as u32, other);
                }
            }
        }
        self.face = sets.into_roots();
        // A face of two triangles has its moments worked out when they are asked for: so do most faces of a mesh of quads.
        let mut more: Vec<u32> = Vec::new();
        for (t, &first) in self.face.iter().enumerate().filter(|&(t, &first)| t as u32 != first) {
            if self.partner(first) != Some(t as u32) {
                more.push(first);
            }
        }
        more.par_sort_unstable();
        more.dedup();
        more.shrink_to_fit();
        let mut moments = vec![Moments::default(); more.len()];
        for (t, first) in self.face.iter().enumerate() {
            if let Ok(at) = more.binary_search(first) {
                moments[at].add(self.corners_from_first(t as u32));
            }
        }
        (self.large, self.moments) = (more, moments);
    }

    /// Corners of a triangle from the first corner of its face.
    fn corners_from_first(&self, t: u32) -> [Vec3; 3] {
        let origin = self.mesh.corners(self.face[t as usize])[0];
        self.mesh.corners(t).map(|p| p - origin)
    }

    /// The first triangle that lies across an edge of a face's first and belongs to the face too.
    fn partner(&self, first: u32) -> Option<u32> {
        let others = self.across[first as usize].into_iter();
        others.filter(|&o| o != NOTHING).find(|&o| self.face[o as usize] == first)
    }

    /// What each edge of a triangle gives to it.
    pub fn shares(&self, t: u32) -> [EdgeShare; 3] {
        std::array::from_fn(|edge| self.share(t, edge).unwrap_or_default())
    }

    fn share(&self, t: u32, edge: usize) -> Option<EdgeShare> {
        let e = self.edge(t, edge)?;
        if e.small {
            return Some(EdgeShare { curvature: (e.bend * e.length * 0.25) as f32, depth: 1.0 });
        }
        let (narrow, wide) = (e.own.min(e.others), e.own.max(e.others));
        let rim = ((wide / narrow - LIKE) / (UNLIKE - LIKE)).clamp(0.0, 1.0);
        let to_narrow = 0.5 + 0.5 * rim * rim * (3.0 - 2.0 * rim);
        let both_strips = || [t, e.other].map(|t| self.strip[self.face[t as usize] as usize]) == [true; 2];
        let round = e.bend.abs() <= SHARP || e.is_bevel() && (wide >= BEVEL_RATIO * narrow || both_strips());
        Some(if round {
            let share = if e.own <= e.others { to_narrow } else { 1.0 - to_narrow };
            // Within a triangle no larger than the size itself, where does not matter.
            let whole = e.same_face || longest(self.mesh, t) <= self.radius;
            let depth = if whole { 1.0 } else { (SPREAD * narrow / e.height).min(1.0) };
            EdgeShare { curvature: (e.bend * e.length * 0.5 * share) as f32, depth: depth as f32 }
        } else {
            EdgeShare { curvature: (e.bend * e.length * 0.25) as f32, depth: 0.0 }
        })
    }

    /// An edge as one of its triangles sees it; none where it has no other, or one of them has no area.
    fn edge(&self, t: u32, edge: usize) -> Option<Edge> {
        let other = Some(self.across[t as usize][edge]).filter(|&o| o != NOTHING)?;
        let corners = self.mesh.corners(t).map(|p| p.as_dvec3());
        let (from, to, facing) = (corners[edge], corners[(edge + 1) % 3], corners[(edge + 2) % 3]);
        let (along, length) = ((to - from).try_normalize()?, from.distance(to));
        let [m, n] = [normal(self.mesh, t).try_normalize()?, normal(self.mesh, other).try_normalize()?];
        let small = [t, other].iter().all(|&t| is_small(self.mesh, t, self.radius));
        let same_face = !small && self.face[t as usize] == self.face[other as usize];
        let height_of = |p: DVec3| (p - from).reject_from(along).length();
        let height = height_of(facing);
        let (own, others) = if small || same_face {
            (1.0, 1.0)
        } else {
            let far = self.mesh.corners(other).map(|p| height_of(p.as_dvec3())).into_iter().fold(0.0, f64::max);
            (self.width(t, height, m.cross(along)), self.width(other, far, n.cross(along)))
        };
        // Turning this triangle's normal about the edge into the other's.
        let bend = libm::atan2(m.cross(n).dot(along), m.dot(n));
        Some(Edge { other, small, length, bend, height, same_face, own, others })
    }

    /// Width of the face that a triangle of this height belongs to, along a unit direction in its plane.
    fn width(&self, t: u32, height: f64, across: DVec3) -> f64 {
        let first = self.face[t as usize];
        let across = across.as_vec3();
        let width = match (self.large.binary_search(&first), self.partner(first)) {
            (Ok(at), _) => f64::from(self.moments[at].width(across)),
            (Err(_), Some(partner)) => {
                let mut both = Moments::default();
                both.add(self.corners_from_first(first));
                both.add(self.corners_from_first(partner));
                f64::from(both.width(across))
            }
            (Err(_), None) => height * TRIANGLE_WIDTH,
        };
        width.max(f64::from(f32::MIN_POSITIVE))
    }
}

/// An edge as one of its triangles sees it.
struct Edge {
    other: u32,
    /// Both triangles are.
    small: bool,
    length: f64,
    /// Angle between the normals, convex positive, radians.
    bend: f64,
    /// Of the triangle over the edge.
    height: f64,
    /// Both triangles lie in one plane.
    same_face: bool,
    /// Widths of the two faces across the edge.
    own: f64,
    others: f64,
}

impl Edge {
    /// Whether it could be an edge of a bevel.
    fn is_bevel(&self) -> bool {
        !self.same_face && self.bend.abs() <= BEVEL_SHARP
    }
}

fn normal(mesh: &Mesh, t: u32) -> DVec3 {
    let [a, b, c] = mesh.corners(t).map(|p| p.as_dvec3());
    (b - a).cross(c - a)
}

/// For each edge of each triangle the one other triangle of its part that shares it and is wound alike, or [`NOTHING`].
fn across(mesh: &Mesh) -> Vec<[u32; 3]> {
    let neighbours = Neighbours::new(mesh);
    let mut all = vec![[NOTHING; 3]; mesh.triangles.len()];
    for part in &mesh.parts {
        let first = part.triangles.start;
        let own = &mut all[part.triangles.start as usize..part.triangles.end as usize];
        own.par_iter_mut().enumerate().for_each(|(i, others)| {
            let t = first + i as u32;
            let p = neighbours.points(mesh, t);
            for edge in 0..3 {
                let ends = (p[edge], p[(edge + 1) % 3]);
                if ends.0 == ends.1 {
                    continue;
                }
                if let (2, Some((other, false))) = neighbours.across(mesh, part, t, ends) {
                    others[edge] = other;
                }
            }
        });
    }
    all
}
