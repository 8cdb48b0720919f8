//! Charts: faces that hang together where no seam parts them, with a corner of their own on each side of a seam.

use crate::mesh::DisjointSets;
use glam::DVec3;
use rustc_hash::FxHashSet;

/// Nothing there: no face across a side.
pub(super) const NONE: u32 = u32::MAX;

/// An edge by its two points, the lower number first.
pub(super) type Edge = [u32; 2];

pub(super) fn edge(a: u32, b: u32) -> Edge {
    [a.min(b), a.max(b)]
}

/// A surface of points and faces.
pub(super) struct Net {
    pub points: Vec<DVec3>,
    pub faces: Vec<[u32; 3]>,
    /// Across each side of each face, three times the other face plus its side; [`NONE`] at borders, where more than two faces meet, where
    /// the two are wound against each other, and between groups.
    across: Vec<[u32; 3]>,
}

impl Net {
    pub(super) fn new(points: Vec<DVec3>, faces: Vec<[u32; 3]>, groups: &[u32]) -> Net {
        let mut sides: Vec<(Edge, u32)> = (0..3 * faces.len() as u32)
            .map(|s| {
                let [a, b] = ends(&faces, s);
                (edge(a, b), s)
            })
            .collect();
        sides.sort_unstable();
        let mut across = vec![[NONE; 3]; faces.len()];
        for same in sides.chunk_by(|a, b| a.0 == b.0) {
            let [(_, one), (_, two)] = *same else { continue };
            let wound_alike = ends(&faces, one)[0] != ends(&faces, two)[0];
            if wound_alike && one / 3 != two / 3 && groups[one as usize / 3] == groups[two as usize / 3] {
                across[one as usize / 3][one as usize % 3] = two;
                across[two as usize / 3][two as usize % 3] = one;
            }
        }
        Net { points, faces, across }
    }

    /// Points of a side: three times its face plus its number.
    pub(super) fn ends(&self, side: u32) -> [u32; 2] {
        ends(&self.faces, side)
    }

    pub(super) fn edges(&self, face: u32) -> [Edge; 3] {
        [0, 1, 2].map(|k| {
            let [a, b] = self.ends(3 * face + k);
            edge(a, b)
        })
    }

    pub(super) fn across(&self, side: u32) -> Option<u32> {
        let other = self.across[side as usize / 3][side as usize % 3];
        (other != NONE).then_some(other)
    }

    pub(super) fn corners(&self, face: u32) -> [DVec3; 3] {
        self.faces[face as usize].map(|p| self.points[p as usize])
    }

    /// Twice the area, along the normal.
    pub(super) fn area_normal(&self, face: u32) -> DVec3 {
        let [p, q, r] = self.corners(face);
        (q - p).cross(r - p)
    }

    pub(super) fn middle(&self, face: u32) -> DVec3 {
        let [p, q, r] = self.corners(face);
        (p + q + r) / 3.0
    }

    /// Edges where faces meet at more than `degrees`.
    pub(super) fn sharper_than(&self, degrees: f64) -> FxHashSet<Edge> {
        let least = degrees.to_radians().cos();
        let is_sharp = |side: u32| {
            self.across(side).is_some_and(|other| {
                let (a, b) = (self.area_normal(side / 3), self.area_normal(other / 3));
                a.dot(b) < least * a.length() * b.length()
            })
        };
        let sharp = (0..3 * self.faces.len() as u32).filter(|&s| is_sharp(s));
        sharp.map(|s| self.ends(s)).map(|[a, b]| edge(a, b)).collect()
    }

    /// The charts of some faces, by their first face.
    pub(super) fn charts(&self, faces: &[u32], seams: &FxHashSet<Edge>) -> Vec<Chart> {
        let mut chart_of = vec![NONE; self.faces.len()];
        faces.iter().for_each(|&f| chart_of[f as usize] = NONE - 1);
        let mut found: Vec<Vec<u32>> = Vec::new();
        for &first in faces {
            if chart_of[first as usize] != NONE - 1 {
                continue;
            }
            let number = found.len() as u32;
            chart_of[first as usize] = number;
            let mut members = vec![first];
            let mut next = 0;
            while next < members.len() {
                for side in 3 * members[next]..3 * members[next] + 3 {
                    let Some(other) = self.across(side) else { continue };
                    let [a, b] = self.ends(side);
                    if chart_of[other as usize / 3] == NONE - 1 && !seams.contains(&edge(a, b)) {
                        chart_of[other as usize / 3] = number;
                        members.push(other / 3);
                    }
                }
                next += 1;
            }
            members.sort_unstable();
            found.push(members);
        }
        found.into_iter().map(|members| Chart::new(self, members, &chart_of, seams)).collect()
    }
}

fn ends(faces: &[[u32; 3]], side: u32) -> [u32; 2] {
    let face = faces[side as usize / 3];
    [face[side as usize % 3], face[(side as usize + 1) % 3]]
}

/// Faces of a net that hang together, cut along seams within.
#[derive(Clone)]
pub(super) struct Chart {
    /// Numbers in the net, rising.
    pub faces: Vec<u32>,
    /// Corners of each face, numbered within the chart: a point stands there once for each side of a seam.
    pub corners: Vec<[u32; 3]>,
    /// Point of the net that each corner is.
    pub points: Vec<u32>,
    /// Borders, each wound so that the chart lies to its left, the longest first.
    pub loops: Vec<Vec<u32>>,
}

impl Chart {
    fn new(net: &Net, faces: Vec<u32>, chart_of: &[u32], seams: &FxHashSet<Edge>) -> Chart {
        let local = |face: u32| faces.binary_search(&face).ok();
        let own = chart_of[faces[0] as usize];
        // Corners that are one: the two ends of every side that faces share.
        let mut sets = DisjointSets::new(3 * faces.len());
        let mut joined = vec![[false; 3]; faces.len()];
        for (i, &face) in faces.iter().enumerate() {
            for side in 3 * face..3 * face + 3 {
                let Some(other) = net.across(side).filter(|o| chart_of[*o as usize / 3] == own) else { continue };
                let [a, b] = net.ends(side);
                if seams.contains(&edge(a, b)) {
                    continue;
                }
                joined[i][side as usize % 3] = true;
                let Some(j) = local(other / 3).filter(|_| side < other) else { continue };
                let corner = |face: usize, k: u32| 3 * face as u32 + k % 3;
                sets.join(corner(i, side % 3), corner(j, other % 3 + 1));
                sets.join(corner(i, side % 3 + 1), corner(j, other % 3));
            }
        }
        let (number, count) = sets.numbered(0..3 * faces.len() as u32);
        let corners: Vec<[u32; 3]> = number.as_chunks::<3>().0.to_vec();
        let mut points = vec![0; count];
        for (corner, &face) in corners.iter().zip(&faces) {
            for k in 0..3 {
                points[corner[k] as usize] = net.faces[face as usize][k];
            }
        }
        let mut next = vec![NONE; count];
        for (corner, joined) in corners.iter().zip(&joined) {
            for k in (0..3).filter(|&k| !joined[k]) {
                next[corner[k] as usize] = corner[(k + 1) % 3];
            }
        }
        let mut loops: Vec<Vec<u32>> = Vec::new();
        for first in 0..count {
            let mut around = Vec::new();
            let mut at = first;
            while next[at] != NONE {
                around.push(at as u32);
                at = std::mem::replace(&mut next[at], NONE) as usize;
            }
            if !around.is_empty() {
                loops.push(around);
            }
        }
        let chart = Chart { faces, corners, points, loops };
        let long = |around: &Vec<u32>| -> f64 {
            let place = |i: usize| net.points[chart.points[around[i % around.len()] as usize] as usize];
            (0..around.len()).map(|i| place(i).distance(place(i + 1))).sum()
        };
        let mut loops: Vec<(f64, Vec<u32>)> = chart.loops.iter().map(|l| (long(l), l.clone())).collect();
        loops.sort_by(|a, b| b.0.total_cmp(&a.0));
        Chart { loops: loops.into_iter().map(|l| l.1).collect(), ..chart }
    }

    /// Edges within that it is cut along.
    pub(super) fn slits(&self, net: &Net) -> Vec<Edge> {
        let mut slits = Vec::new();
        for (i, &face) in self.faces.iter().enumerate() {
            for side in 3 * face..3 * face + 3 {
                let Some(other) = net.across(side).filter(|o| *o > side) else { continue };
                let Ok(j) = self.faces.binary_search(&(other / 3)) else { continue };
                let ends = |i: usize, k: u32| [self.corners[i][k as usize % 3], self.corners[i][(k as usize + 1) % 3]];
                let ([a, b], [c, d]) = (ends(i, side % 3), ends(j, other % 3));
                if [a, b] != [d, c] {
                    let [a, b] = net.ends(side);
                    slits.push(edge(a, b));
                }
            }
        }
        slits
    }

    pub(super) fn places(&self, net: &Net) -> Vec<DVec3> {
        self.points.iter().map(|&p| net.points[p as usize]).collect()
    }

    /// Points less edges plus faces: 1 for a disk, 0 for a tube, 2 for what is closed like a ball.
    pub(super) fn euler(&self) -> i64 {
        let border: usize = self.loops.iter().map(Vec::len).sum();
        let edges = (3 * self.faces.len() + border) / 2;
        self.points.len() as i64 - edges as i64 + self.faces.len() as i64
    }

    /// Whether it is a disk, maybe with holes: no handle, and at least one border.
    pub(super) fn is_flat_kind(&self) -> bool {
        !self.loops.is_empty() && self.euler() == 2 - self.loops.len() as i64
    }
}
