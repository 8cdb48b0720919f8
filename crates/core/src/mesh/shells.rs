//! Shells: faces of a part joined through edges that two of them share. Which faces of a shell are wound against the rest, and
//! whether the whole of it looks inward. Edges of three faces or more join nothing.

use super::{DisjointSets, Mesh, Part, weld};
use glam::{DVec3, Vec3};
use rayon::prelude::*;
use rustc_hash::FxHashMap;

/// One shell of a part.
#[derive(Clone, Debug, PartialEq)]
pub struct Shell {
    /// Its triangles, rising.
    pub triangles: Vec<u32>,
    /// Those wound against the rest, rising; never more than half.
    pub turned: Vec<u32>,
    /// Every edge has two faces.
    pub closed: bool,
    /// The volume it encloses, with its holes closed, once turned faces are put right, over its area to the power 1.5: 0.094 for
    /// a sphere, negative where it looks inward, near 0 for a flat sheet.
    pub outward: f32,
    /// Square scene units.
    pub area: f64,
    pub low: Vec3,
    pub high: Vec3,
}

/// An open shell that looks inward more than this is taken to be inside out: a long thin tube has 0.02, a bowl 0.1.
const OPEN_INWARD: f32 = -0.015;

impl Shell {
    /// Whether it looks inward, as far as it can tell alone.
    pub fn looks_inward(&self) -> bool {
        if self.closed { self.outward < 0.0 } else { self.outward < OPEN_INWARD }
    }
}

/// A mesh's points and the triangles around each, for finding the faces of an edge without a table of edges.
pub struct Neighbours {
    point_of: Vec<u32>,
    /// The triangles around point `p` are `triangles[starts[p]..starts[p + 1]]`.
    starts: Vec<u32>,
    triangles: Vec<u32>,
}

impl Neighbours {
    pub fn new(mesh: &Mesh) -> Neighbours {
        let welded = weld(mesh);
        let point_of = welded.point_of;
        let mut starts = vec![0u32; welded.points + 1];
        // A triangle that has a point twice stands there once.
        let points = || {
            mesh.triangles.iter().enumerate().flat_map(|(t, triangle)| {
                let [a, b, c] = triangle.map(|v| point_of[v as usize]);
                let own = [Some(a), Some(b).filter(|&b| b != a), Some(c).filter(|&c| c != a && c != b)];
                own.into_iter().flatten().map(move |p| (t as u32, p as usize))
            })
        };
        points().for_each(|(_, p)| starts[p + 1] += 1);
        for p in 0..welded.points {
            starts[p + 1] += starts[p];
        }
        let mut next = starts.clone();
        let mut triangles = vec![0u32; starts[welded.points] as usize];
        for (t, p) in points() {
            triangles[next[p] as usize] = t;
            next[p] += 1;
        }
        Neighbours { point_of, starts, triangles }
    }

    /// How many points there are.
    pub(super) fn count(&self) -> u32 {
        self.starts.len() as u32 - 1
    }

    /// Corners at a point, as (triangle, corner). Vertices added to the mesh since are at none.
    pub(super) fn corners_at(&self, mesh: &Mesh, point: u32) -> Vec<(u32, usize)> {
        let here = |t: u32, c: usize| self.point_of.get(mesh.triangles[t as usize][c] as usize) == Some(&point);
        let corners = |&t: &u32| (0..3).filter(move |&c| here(t, c)).map(move |c| (t, c));
        self.around(point).iter().flat_map(corners).collect()
    }

    /// Triangles around a point.
    pub(super) fn around(&self, point: u32) -> &[u32] {
        &self.triangles[self.starts[point as usize] as usize..self.starts[point as usize + 1] as usize]
    }

    /// Points of a triangle's corners.
    pub(super) fn points(&self, mesh: &Mesh, t: u32) -> [u32; 3] {
        mesh.triangles[t as usize].map(|v| self.point_of[v as usize])
    }

    /// Edges of a triangle as its points run, without those that shrank to a point.
    pub(super) fn edges(&self, mesh: &Mesh, t: u32) -> impl Iterator<Item = (u32, u32)> + use<> {
        let p = self.points(mesh, t);
        [(p[0], p[1]), (p[1], p[2]), (p[2], p[0])].into_iter().filter(|(a, b)| a != b)
    }

    /// How many faces of `part` an edge has, counted up to 3, and the first of them that is not `t`, with whether it runs along
    /// the edge as given.
    pub(super) fn across(&self, mesh: &Mesh, part: &Part, t: u32, (a, b): (u32, u32)) -> (usize, Option<(u32, bool)>) {
        // The end with fewer triangles around: the other may be the hub of a fan.
        let fewer = if self.around(a).len() <= self.around(b).len() { a } else { b };
        let (mut count, mut other) = (0, None);
        for &s in self.around(fewer).iter().filter(|s| part.triangles.contains(s)) {
            for (from, to) in self.edges(mesh, s) {
                if (from, to) == (a, b) || (from, to) == (b, a) {
                    count += 1;
                    if s != t && other.is_none() {
                        other = Some((s, from == a));
                    }
                }
            }
            if count > 2 {
                break;
            }
        }
        (count, other)
    }
}

/// What lies across an edge of a triangle.
#[derive(Clone, Copy, Debug, PartialEq)]
enum Across {
    /// The edge shrank to a point.
    NoEdge,
    /// Nothing: the edge is a border.
    Border,
    /// Two faces or more.
    Many,
    /// One other face, and whether it runs along the edge the same way, which neighbours that agree do not.
    One { triangle: u32, same_way: bool },
}

/// What lies across the three edges of each triangle of a part.
struct Edges {
    first: u32,
    /// [`Across`] in one number: four bytes per edge instead of twelve.
    across: Vec<[u32; 3]>,
}

const NO_EDGE: u32 = u32::MAX;
const BORDER: u32 = u32::MAX - 1;
const MANY: u32 = u32::MAX - 2;

impl Edges {
    fn new(mesh: &Mesh, part: &Part, neighbours: &Neighbours) -> Edges {
        let across = |t: u32, (a, b): (u32, u32)| match neighbours.across(mesh, part, t, (a, b)) {
            // A face that folds back on itself has the edge twice, and nobody else has it.
            (2, None) => NO_EDGE,
            _ if a == b => NO_EDGE,
            (2, Some((triangle, same_way))) => triangle << 1 | u32::from(same_way),
            (0 | 1, _) => BORDER,
            _ => MANY,
        };
        let of_triangle = |t: u32| {
            let [a, b, c] = neighbours.points(mesh, t);
            [(a, b), (b, c), (c, a)].map(|edge| across(t, edge))
        };
        Edges { first: part.triangles.start, across: part.triangles.clone().into_par_iter().map(of_triangle).collect() }
    }

    fn of(&self, t: u32) -> [Across; 3] {
        self.across[(t - self.first) as usize].map(|code| match code {
            NO_EDGE => Across::NoEdge,
            BORDER => Across::Border,
            MANY => Across::Many,
            code => Across::One { triangle: code >> 1, same_way: code & 1 == 1 },
        })
    }
}

/// The shells of a part, by their first triangle.
pub fn find_shells(mesh: &Mesh, part: &Part, neighbours: &Neighbours) -> Vec<Shell> {
    let range = part.triangles.clone();
    let at = |t: u32| (t - range.start) as usize;
    // Which way each face is wound against the first of its shell; None where it was not reached yet.
    let mut against: Vec<Option<bool>> = vec![None; range.len()];
    let edges = Edges::new(mesh, part, neighbours);
    let mut shells = Vec::new();
    for seed in range.clone() {
        if against[at(seed)].is_some() {
            continue;
        }
        against[at(seed)] = Some(false);
        let mut triangles = vec![seed];
        let mut next = 0;
        while let Some(&t) = triangles.get(next) {
            next += 1;
            let mine = against[at(t)] == Some(true);
            for across in edges.of(t) {
                let Across::One { triangle, same_way } = across else { continue };
                let slot = &mut against[at(triangle)];
                if slot.is_none() {
                    *slot = Some(if same_way { !mine } else { mine });
                    triangles.push(triangle);
                }
            }
        }
        triangles.sort_unstable();
        let opposed = triangles.iter().filter(|&&t| against[at(t)] == Some(true)).count();
        let smaller = opposed * 2 <= triangles.len();
        let turned: Vec<u32> =
            triangles.iter().copied().filter(|&t| opposed != 0 && against[at(t)] == Some(smaller)).collect();
        shells.push(measured(mesh, triangles, turned, neighbours, &edges));
    }
    shells
}

/// Boundary edges as `(from, to)` points, one per face that has the edge alone, as that face runs along it.
type Border = Vec<(u32, u32)>;

fn measured(mesh: &Mesh, triangles: Vec<u32>, turned: Vec<u32>, neighbours: &Neighbours, edges: &Edges) -> Shell {
    let (mut low, mut high) = (Vec3::INFINITY, Vec3::NEG_INFINITY);
    let mut area = 0.0f64;
    for &t in &triangles {
        for p in mesh.corners(t) {
            low = low.min(p);
            high = high.max(p);
        }
        area += 0.5 * f64::from(mesh.area_normal(t).length());
    }
    // Near the shell, so that few digits are lost.
    let origin = ((low + high) * 0.5).as_dvec3();
    let six = |a: DVec3, b: DVec3, c: DVec3| (a - origin).dot((b - origin).cross(c - origin));
    let mut volume = 0.0f64;
    let mut border: Border = Vec::new();
    let mut place: FxHashMap<u32, DVec3> = FxHashMap::default();
    let mut next_turned = turned.iter().peekable();
    let mut closed = true;
    for &t in &triangles {
        let wrong = next_turned.next_if(|&&n| n == t).is_some();
        let [a, b, c] = mesh.corners(t).map(|p| p.as_dvec3());
        volume += if wrong { -six(a, b, c) } else { six(a, b, c) };
        let points = neighbours.points(mesh, t);
        for (i, across) in edges.of(t).into_iter().enumerate() {
            closed &= matches!(across, Across::One { .. } | Across::NoEdge);
            if across == Across::Border {
                let (from, to) = (points[i], points[(i + 1) % 3]);
                border.push(if wrong { (to, from) } else { (from, to) });
                for (vertex, p) in mesh.triangles[t as usize].into_iter().zip([a, b, c]) {
                    place.insert(neighbours.point_of[vertex as usize], p);
                }
            }
        }
    }
    // Each hole is closed with a fan about its middle.
    for hole in holes(&border) {
        let middle = hole.iter().map(|(from, _)| place[from]).sum::<DVec3>() / hole.len() as f64;
        volume += hole.iter().map(|(from, to)| six(place[to], place[from], middle)).sum::<f64>();
    }
    let scale = 6.0 * area * area.sqrt();
    let outward = if scale > 0.0 { (volume / scale) as f32 } else { 0.0 };
    Shell { triangles, turned, closed, outward, area, low, high }
}

/// Border edges by the loop they belong to, in the order they first appear.
fn holes(border: &Border) -> Vec<Border> {
    let mut number: FxHashMap<u32, u32> = FxHashMap::default();
    for &(from, to) in border {
        for point in [from, to] {
            let next = number.len() as u32;
            number.entry(point).or_insert(next);
        }
    }
    let mut sets = DisjointSets::new(number.len());
    border.iter().for_each(|(from, to)| sets.join(number[from], number[to]));
    let (of, count) = sets.numbered(border.iter().map(|(from, _)| number[from]));
    let mut holes = vec![Border::new(); count];
    for (&edge, hole) in border.iter().zip(of) {
        holes[hole as usize].push(edge);
    }
    holes
}

/// Open shells with less than this share of a part's area are scraps: too little to tell a side by.
const SCRAP: f64 = 0.02;

/// The shells of a part that look inward. One that lies within the box of another that looks outward may be a hollow, and is
/// left alone, as are scraps.
pub fn inward_shells(shells: &[Shell]) -> impl Iterator<Item = &Shell> {
    let whole: f64 = shells.iter().map(|s| s.area).sum();
    let hollow = |inner: &Shell| {
        shells.iter().any(|outer| {
            !outer.looks_inward() && outer.low.cmplt(inner.low).all() && outer.high.cmpgt(inner.high).all()
        })
    };
    shells.iter().filter(move |s| s.looks_inward() && (s.closed || s.area > whole * SCRAP) && !hollow(s))
}
