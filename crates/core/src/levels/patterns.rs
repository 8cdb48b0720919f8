//! The patterns that refining leaves in how faces meet: each face split in four (Taubin, "Detecting and Reconstructing Subdivision
//! Connectivity", 2002, for triangles; the same idea for quads). A face's place in the pattern decides those of its neighbours, so one
//! guess decides a whole piece, and a wrong one runs into itself.

use super::polygons::{Fault, NONE, Polygons};
use rustc_hash::FxHashMap;
use std::collections::VecDeque;

const BREAKS: &str = "the pattern of faces split in four breaks there";

/// What a point of a refined mesh was made from: a point of the coarser one, an edge or a face.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Origin {
    Point,
    Edge,
    Face,
}

/// A refined mesh, undone.
pub(super) struct Undone {
    pub coarse: Polygons,
    /// The finer point that each coarse point became.
    pub kept: Vec<u32>,
    /// At each corner of a coarse face: the finer point that its edge to the next corner became.
    pub middles: Vec<u32>,
    /// The finer point that each coarse face became; none where triangles were split, which leave no such point.
    pub centres: Vec<u32>,
}

/// A place in the pattern. Triangles: in the middle of four, or the corner that is a point of the coarse face. Quads: that corner.
type Role = u8;
const MIDDLE: Role = 3;
const UNKNOWN: Role = u8::MAX;

/// Undoes one refining of triangles or quads.
///
/// # Errors
/// Where the pattern breaks, after the guess that came furthest.
pub(super) fn undo(fine: &Polygons) -> Result<Undone, Fault> {
    let sides = fine.sides().filter(|sides| matches!(sides, 3 | 4));
    let sides =
        sides.ok_or(Fault { point: fine.points[0], why: "its faces are neither all triangles nor all quads" })?;
    let across = fine.across()?;
    let mut faces_at = vec![0; fine.count];
    fine.points.iter().for_each(|point| faces_at[*point as usize] += 1);
    let pattern = Pattern { fine, across: &across, faces_at: &faces_at, sides };
    let mut roles = vec![UNKNOWN; fine.faces()];
    for seed in 0..fine.faces() {
        if roles[seed] == UNKNOWN {
            pattern.settle(seed, &mut roles)?;
        }
    }
    let origins = pattern.origins(&roles)?;
    let mut number = vec![NONE; fine.count];
    let mut kept = Vec::new();
    for (point, _) in origins.iter().enumerate().filter(|(_, origin)| **origin == Some(Origin::Point)) {
        number[point] = kept.len() as u32;
        kept.push(point as u32);
    }
    let mut undone = Undone {
        coarse: Polygons { starts: vec![0], count: kept.len(), ..Polygons::default() },
        kept,
        middles: Vec::new(),
        centres: Vec::new(),
    };
    let mut add = |corners: &[[usize; 2]], triangle: u32| {
        let Polygons { starts, points, vertices, triangles, .. } = &mut undone.coarse;
        points.extend(corners.iter().map(|[corner, _]| number[fine.points[*corner] as usize]));
        vertices.extend(corners.iter().map(|[corner, _]| fine.vertices[*corner]));
        undone.middles.extend(corners.iter().map(|[_, middle]| fine.points[*middle]));
        triangles.push(triangle);
        starts.push(points.len() as u32);
    };
    match sides {
        3 => pattern.coarse_triangles(&roles, &mut add),
        _ => undone.centres = pattern.coarse_faces(&roles, &mut add),
    }
    // A face that meets itself is no face: the mesh was too small to have been refined.
    for face in 0..undone.coarse.faces() {
        let mut corners = undone.coarse.points[undone.coarse.corners(face)].to_vec();
        corners.sort_unstable();
        if corners.len() < 3 || corners.windows(2).any(|pair| pair[0] == pair[1]) {
            return Err(Fault { point: undone.kept[corners[0] as usize], why: BREAKS });
        }
    }
    undone.coarse.across().map_err(|fault| Fault { point: undone.kept[fault.point as usize], ..fault })?;
    Ok(undone)
}

struct Pattern<'a> {
    fine: &'a Polygons,
    across: &'a [u32],
    /// How many faces each point has.
    faces_at: &'a [u32],
    sides: usize,
}

impl Pattern<'_> {
    /// Decides the places of all faces that hang together with `seed`. Where several guesses hold (points and faces of a coarse mesh of
    /// quads may change places), the one that makes the most coarse faces quads is taken.
    fn settle(&self, seed: usize, roles: &mut [Role]) -> Result<(), Fault> {
        let mut furthest: Option<(usize, Fault)> = None;
        let mut best: Option<(usize, Role)> = None;
        for guess in 0..4 {
            let mut reached = vec![seed];
            match self.spread(seed, guess, roles, &mut reached) {
                Ok(odd) if best.is_none_or(|(least, _)| odd < least) => best = Some((odd, guess)),
                Ok(_) => {}
                Err(fault) if furthest.as_ref().is_none_or(|(count, _)| reached.len() > *count) => {
                    furthest = Some((reached.len(), fault));
                }
                Err(_) => {}
            }
            reached.iter().for_each(|face| roles[*face] = UNKNOWN);
            if best.is_some_and(|(odd, _)| odd == 0) {
                break;
            }
        }
        match (best, furthest) {
            (Some((_, guess)), _) => self.spread(seed, guess, roles, &mut Vec::new()).map(drop),
            (None, Some((_, fault))) => Err(fault),
            (None, None) => Err(Fault { point: self.fine.points[seed * self.sides], why: BREAKS }),
        }
    }

    /// Decides them after a guess, and answers with how many coarse faces would not be quads, where quads were refined.
    fn spread(&self, seed: usize, guess: Role, roles: &mut [Role], reached: &mut Vec<usize>) -> Result<usize, Fault> {
        roles[seed] = guess;
        let mut open = VecDeque::from([seed]);
        // What each point must have been made from, as far as this guess tells.
        let mut told: FxHashMap<u32, Origin> = FxHashMap::default();
        while let Some(face) = open.pop_front() {
            for k in 0..self.sides {
                let corner = face * self.sides + k;
                let point = self.fine.points[corner];
                let origin = self.origin(roles[face], k);
                if *told.entry(point).or_insert(origin) != origin {
                    return Err(Fault { point, why: BREAKS });
                }
                let other = self.across[corner];
                if other == NONE {
                    if !self.may_end(roles[face], k) {
                        return Err(Fault { point, why: BREAKS });
                    }
                    continue;
                }
                let (neighbour, j) = (other as usize / self.sides, other as usize % self.sides);
                let wanted = self.beyond(roles[face], k, j);
                if roles[neighbour] == UNKNOWN {
                    roles[neighbour] = wanted;
                    reached.push(neighbour);
                    open.push_back(neighbour);
                } else if roles[neighbour] != wanted {
                    return Err(Fault { point, why: BREAKS });
                }
            }
        }
        let odd = |(point, origin): (&u32, &Origin)| *origin == Origin::Face && self.faces_at[*point as usize] != 4;
        Ok(told.iter().filter(|entry| odd(*entry)).count())
    }

    /// What the point at corner `k` of a face was made from.
    fn origin(&self, role: Role, k: usize) -> Origin {
        match self.sides {
            3 if role as usize == k => Origin::Point,
            3 => Origin::Edge,
            _ => match (k + 4 - role as usize) % 4 {
                0 => Origin::Point,
                2 => Origin::Face,
                _ => Origin::Edge,
            },
        }
    }

    /// Whether the mesh may end at side `k` of a face: on an edge of the coarse one alone.
    fn may_end(&self, role: Role, k: usize) -> bool {
        match self.sides {
            3 => role != MIDDLE && k != (role as usize + 1) % 3,
            _ => matches!((k + 4 - role as usize) % 4, 0 | 3),
        }
    }

    /// The place of the face across side `k`, whose own side there is `j`.
    fn beyond(&self, role: Role, k: usize, j: usize) -> Role {
        let at = |corner: usize| (corner % self.sides) as Role;
        if self.sides == 3 {
            return match (role, (k + 3 - role as usize % 3) % 3) {
                // Around the middle lie the corners, each with its point away from it.
                (MIDDLE, _) => at(j + 2),
                (_, 1) => MIDDLE,
                // From the point outward: over there the side ends at it.
                (_, 0) => at(j + 1),
                _ => at(j),
            };
        }
        match (k + 4 - role as usize) % 4 {
            0 => at(j + 1),
            3 => at(j),
            // At the middle of the coarse face.
            2 => at(j + 3),
            _ => at(j + 2),
        }
    }

    /// What each point was made from; None where no face has it.
    fn origins(&self, roles: &[Role]) -> Result<Vec<Option<Origin>>, Fault> {
        let mut origins = vec![None; self.fine.count];
        let mut ends = vec![false; self.fine.count];
        for (face, role) in roles.iter().enumerate() {
            for k in 0..self.sides {
                let corner = face * self.sides + k;
                let point = self.fine.points[corner];
                let origin = self.origin(*role, k);
                if origins[point as usize].replace(origin).is_some_and(|known| known != origin) {
                    return Err(Fault { point, why: BREAKS });
                }
                if self.across[corner] == NONE {
                    ends[point as usize] = true;
                    ends[self.fine.points[self.fine.next(face, corner)] as usize] = true;
                }
            }
        }
        let around = if self.sides == 3 { [6, 3] } else { [4, 2] };
        for (point, origin) in origins.iter().enumerate() {
            let sound = match origin {
                Some(Origin::Edge) => self.faces_at[point] == around[usize::from(ends[point])],
                Some(Origin::Face) => !ends[point],
                _ => true,
            };
            if !sound {
                return Err(Fault { point: point as u32, why: BREAKS });
            }
        }
        Ok(origins)
    }

    /// Each triangle in the middle of four stands for a coarse one. `add` hears of each corner of it, and of a corner at the middle of the
    /// edge that begins there.
    fn coarse_triangles(&self, roles: &[Role], add: &mut impl FnMut(&[[usize; 2]], u32)) {
        for face in (0..roles.len()).filter(|face| roles[*face] == MIDDLE) {
            let corners = [0, 1, 2].map(|k| {
                let over = self.across[face * 3 + k] as usize;
                [over / 3 * 3 + (over % 3 + 2) % 3, face * 3 + (k + 1) % 3]
            });
            add(&corners, self.fine.triangles[face]);
        }
    }

    /// The quads around a point that a face was made into stand for that face; answers with these points.
    fn coarse_faces(&self, roles: &[Role], add: &mut impl FnMut(&[[usize; 2]], u32)) -> Vec<u32> {
        let mut done = vec![false; roles.len()];
        let mut centres = Vec::new();
        for first in 0..roles.len() {
            if done[first] {
                continue;
            }
            let corner = |face: usize, k: u8| face * 4 + (roles[face] + k) as usize % 4;
            let mut corners = Vec::with_capacity(4);
            let mut face = first;
            while !done[face] {
                done[face] = true;
                corners.push([corner(face, 0), corner(face, 1)]);
                // On around the middle, the way that faces run: across the side that ends there.
                match self.across[corner(face, 1)] {
                    NONE => break,
                    over => face = over as usize / 4,
                }
            }
            add(&corners, self.fine.triangles[first]);
            centres.push(self.fine.points[corner(first, 2)]);
        }
        centres
    }
}
