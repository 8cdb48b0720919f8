//! Distances measured along a surface from a point on it, as far as a brush reaches. A front runs from the point over the mesh's
//! points (Kimmel and Sethian, "Computing Geodesic Paths on Manifolds", 1998); each triangle is reached by unfolding: from the
//! distances at two corners the source is laid into the triangle's plane, so that distances on flat and on unrolled surfaces
//! are exact. Parts do not touch: a front stays within the part it began in.

use super::{Mesh, Neighbours};
use crate::surface::{MeshPoint, nearest_on_triangle};
use glam::{Vec2, Vec3, vec2};
use rustc_hash::{FxHashMap, FxHashSet};
use std::cmp::{Ordering, Reverse};
use std::collections::BinaryHeap;

/// A mesh made ready for measuring along it.
pub struct SurfaceWalk<'a> {
    mesh: &'a Mesh,
    neighbours: Neighbours,
    part_of: Vec<u32>,
}

/// Distances around one point.
pub struct SurfaceDistance {
    source: Vec3,
    own: u32,
    radius: f32,
    /// Distance of each point (vertices welded by position) that was reached.
    points: FxHashMap<u32, f32>,
    /// Triangles with a corner or an inside within the radius, rising.
    pub triangles: Vec<u32>,
}

/// A distance as a key of the front; finite by construction.
#[derive(PartialEq)]
struct Front(f32, u32);

impl Eq for Front {}

impl PartialOrd for Front {
    fn partial_cmp(&self, other: &Self) -> Option<Ordering> {
        Some(self.cmp(other))
    }
}

impl Ord for Front {
    fn cmp(&self, other: &Self) -> Ordering {
        self.0.total_cmp(&other.0).then(self.1.cmp(&other.1))
    }
}

/// Distance at `p` from a source that lies `da` from `a` and `db` from `b`, on the other side of edge a, b.
fn unfolded(p: Vec3, (a, da): (Vec3, f32), (b, db): (Vec3, f32)) -> f32 {
    let edge = b - a;
    let length = edge.length();
    if length <= 0.0 {
        return da.min(db) + p.distance(a);
    }
    let along = edge / length;
    let flat = |q: Vec3| {
        let x = (q - a).dot(along);
        vec2(x, (q - a - along * x).length())
    };
    let x = (da * da - db * db + length * length) / (2.0 * length);
    let source = vec2(x, -(da * da - x * x).max(0.0).sqrt());
    let to: Vec2 = flat(p);
    // Where the edge is out of sight of the source, the way leads round its nearer end.
    let crossing = source.x + (to.x - source.x) * (-source.y / (to.y - source.y).max(f32::MIN_POSITIVE));
    let slack = length * 1e-3;
    if (-slack..=length + slack).contains(&crossing) {
        source.distance(to)
    } else {
        (da + p.distance(a)).min(db + p.distance(b))
    }
}

impl<'a> SurfaceWalk<'a> {
    pub fn new(mesh: &'a Mesh) -> SurfaceWalk<'a> {
        SurfaceWalk { mesh, neighbours: Neighbours::new(mesh), part_of: mesh.triangle_parts() }
    }

    /// Points (vertices welded by position) of a triangle's corners.
    pub fn points(&self, triangle: u32) -> [u32; 3] {
        self.neighbours.points(self.mesh, triangle)
    }

    /// Triangles of the same part around a point of `triangle`.
    fn around(&self, point: u32, triangle: u32) -> impl Iterator<Item = u32> + '_ {
        let part = self.part_of[triangle as usize];
        self.neighbours.around(point).iter().copied().filter(move |&t| self.part_of[t as usize] == part)
    }

    /// Points next to a point of `triangle`, within its part; each as often as a triangle names it.
    pub fn next_to(&self, point: u32, triangle: u32) -> impl Iterator<Item = u32> + '_ {
        self.around(point, triangle).flat_map(|t| self.points(t)).filter(move |&p| p != point)
    }

    /// Distances from a place of the mesh, up to `radius` scene units.
    pub fn from(&self, at: MeshPoint, radius: f32) -> SurfaceDistance {
        let triangle = at.triangle;
        let corners = self.mesh.corners(triangle);
        let source = at.between(corners);
        let mut found =
            SurfaceDistance { source, own: triangle, radius, points: FxHashMap::default(), triangles: vec![triangle] };
        let mut seen: FxHashSet<u32> = FxHashSet::from_iter([triangle]);
        let mut front = BinaryHeap::new();
        for (point, corner) in self.points(triangle).into_iter().zip(corners) {
            let d = source.distance(corner);
            found.points.insert(point, d);
            front.push(Reverse(Front(d, point)));
        }
        // The front goes one ring past the radius: a triangle just inside needs both ends of its edges.
        while let Some(Reverse(Front(d, point))) = front.pop() {
            if found.points.get(&point).is_some_and(|&known| known < d) {
                continue;
            }
            for t in self.around(point, triangle) {
                let corners = self.mesh.corners(t);
                let points = self.points(t);
                if seen.insert(t) && found.touches(self, t) {
                    found.triangles.push(t);
                }
                if d > radius {
                    continue;
                }
                for to in 0..3 {
                    let [a, b] = [(to + 1) % 3, (to + 2) % 3];
                    let (Some(&da), Some(&db)) = (found.points.get(&points[a]), found.points.get(&points[b])) else {
                        continue;
                    };
                    let way = unfolded(corners[to], (corners[a], da), (corners[b], db));
                    found.offer(points[to], way.max(source.distance(corners[to])), &mut front);
                }
                if let Some(own) = points.iter().position(|&p| p == point) {
                    for to in 0..3 {
                        found.offer(points[to], d + corners[own].distance(corners[to]), &mut front);
                    }
                }
            }
        }
        found.triangles.sort_unstable();
        found
    }
}

impl SurfaceDistance {
    /// The point that it is measured from.
    pub fn source(&self) -> Vec3 {
        self.source
    }

    fn offer(&mut self, point: u32, distance: f32, front: &mut BinaryHeap<Reverse<Front>>) {
        let known = self.points.entry(point).or_insert(f32::INFINITY);
        // Rounding must not keep the front running in circles.
        if distance < *known * (1.0 - 1e-6) {
            *known = distance;
            front.push(Reverse(Front(distance, point)));
        }
    }

    /// Whether any of a triangle may lie within the radius, by its distance in space.
    fn touches(&self, walk: &SurfaceWalk, triangle: u32) -> bool {
        let corners = walk.mesh.corners(triangle);
        let (v, w) = nearest_on_triangle(self.source, corners);
        let nearest = MeshPoint::new(triangle, v, w).between(corners);
        nearest.distance(self.source) < self.radius
    }

    /// Distance of a point (welded by position); None where the front did not come.
    pub fn at_point(&self, point: u32) -> Option<f32> {
        self.points.get(&point).copied()
    }

    /// Distance of a place; infinite where the front did not come.
    pub fn at(&self, walk: &SurfaceWalk, at: MeshPoint) -> f32 {
        let triangle = at.triangle;
        let corners = walk.mesh.corners(triangle);
        let p = at.between(corners);
        let straight = self.source.distance(p);
        if triangle == self.own {
            return straight;
        }
        let points = walk.points(triangle);
        let known = points.map(|p| self.points.get(&p).copied());
        let mut best = f32::INFINITY;
        for to in 0..3 {
            let [a, b] = [(to + 1) % 3, (to + 2) % 3];
            if let (Some(da), Some(db)) = (known[a], known[b]) {
                best = best.min(unfolded(p, (corners[a], da), (corners[b], db)));
            }
        }
        best.max(straight)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::mesh::Part;
    use glam::vec3;

    /// A grid of `n` by `n` cells, its points put in place by `place`.
    fn grid(n: usize, place: impl Fn(f32, f32) -> Vec3) -> Mesh {
        let mut mesh = Mesh::default();
        for j in 0..=n {
            for i in 0..=n {
                mesh.positions.push(place(i as f32 / n as f32, j as f32 / n as f32));
            }
        }
        let at = |i: usize, j: usize| (j * (n + 1) + i) as u32;
        for j in 0..n {
            for i in 0..n {
                mesh.triangles.push([at(i, j), at(i + 1, j), at(i + 1, j + 1)]);
                mesh.triangles.push([at(i, j), at(i + 1, j + 1), at(i, j + 1)]);
            }
        }
        mesh.normals = vec![Vec3::Z; mesh.positions.len()];
        mesh.parts = vec![Part { name: "grid".into(), triangles: 0..mesh.triangles.len() as u32 }];
        mesh
    }

    fn middle(mesh: &Mesh, t: u32) -> Vec3 {
        mesh.corners(t).iter().sum::<Vec3>() / 3.0
    }

    #[test]
    fn on_a_plane_it_is_the_straight_distance() {
        let mesh = grid(9, |x, y| vec3(x, y, 0.0));
        let walk = SurfaceWalk::new(&mesh);
        let found = walk.from(MeshPoint::new(80, 0.2, 0.3), 5.0);
        for t in 0..mesh.triangles.len() as u32 {
            let (want, got) =
                (found.source.distance(middle(&mesh, t)), found.at(&walk, MeshPoint::new(t, 1.0 / 3.0, 1.0 / 3.0)));
            assert!((want - got).abs() < 1e-4, "triangle {t}: {got}, not {want}");
        }
    }

    #[test]
    fn round_a_cylinder_it_is_the_distance_unrolled() {
        // Half a cylinder of 24 flats: unrolled, each flat is a strip as wide as its chord.
        let n = 24usize;
        let chord = 2.0 * (std::f32::consts::PI / n as f32 / 2.0).sin();
        let mesh = grid(n, |x, y| {
            let a = x * std::f32::consts::PI;
            vec3(a.cos(), y * 2.0, a.sin())
        });
        let walk = SurfaceWalk::new(&mesh);
        let start = 2 * (n * 12 + 4) as u32;
        let found = walk.from(MeshPoint::new(start, 0.0, 0.0), 4.0);
        for point in 0..mesh.positions.len() as u32 {
            let (i, j) = (point as usize % (n + 1), point as usize / (n + 1));
            let want = ((i as f32 - 4.0) * chord).hypot((j as f32 - 12.0) * 2.0 / n as f32);
            let got = found.at_point(point).expect("all is within the radius");
            assert!((want - got).abs() < 0.01 * want + 1e-4, "{i}, {j}: {got}, not {want}");
        }
    }

    #[test]
    fn it_goes_round_an_edge_and_not_through_the_air() {
        // Two walls that face each other over a floor, a tenth apart and one high: from wall to wall is down and up again.
        let mesh = grid(30, |x, y| {
            let along = x * 2.1;
            let across = if along < 1.0 {
                vec3(0.0, 1.0 - along, 0.0)
            } else if along < 1.1 {
                vec3(along - 1.0, 0.0, 0.0)
            } else {
                vec3(0.1, along - 1.1, 0.0)
            };
            across + vec3(0.0, 0.0, y)
        });
        let walk = SurfaceWalk::new(&mesh);
        let start = 2 * (30 * 15 + 2) as u32;
        let found = walk.from(MeshPoint::new(start, 0.1, 0.1), 0.5);
        let far = 2 * (30 * 15 + 27) as u32;
        assert!(found.source.distance(middle(&mesh, far)) < 0.2, "they are near in space");
        assert!(!found.triangles.contains(&far) || found.at(&walk, MeshPoint::new(far, 0.3, 0.3)) > 0.5);
        let whole = walk.from(MeshPoint::new(start, 0.1, 0.1), 5.0);
        let way = whole.at(&walk, MeshPoint::new(far, 0.3, 0.3));
        let high = |p: Vec3| p.y;
        let want = high(whole.source) + 0.1 + high(middle(&mesh, far));
        assert!((way - want).abs() < 0.12, "{way}, not about {want}");
    }

    #[test]
    fn another_part_is_never_reached() {
        let mut mesh = grid(4, |x, y| vec3(x, y, 0.0));
        let half = mesh.triangles.len() as u32 / 2;
        mesh.parts =
            vec![Part { name: "a".into(), triangles: 0..half }, Part { name: "b".into(), triangles: half..half * 2 }];
        let walk = SurfaceWalk::new(&mesh);
        let found = walk.from(MeshPoint::new(0, 0.3, 0.3), 10.0);
        assert!(found.triangles.iter().all(|&t| t < half));
        assert_eq!(found.at(&walk, MeshPoint::new(half * 2 - 1, 0.3, 0.3)), f32::INFINITY);
    }
}
