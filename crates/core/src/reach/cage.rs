//! A cage made elsewhere: a copy of the low-poly whose points were moved outward. Its points are told by their order when its faces
//! are the low-poly's own, and otherwise by UV and place; what has no point in the cage keeps the envelope, and is said.

use crate::mesh::{Mesh, weld};
use glam::Vec3;
use rustc_hash::FxHashMap;

/// Why a cage cannot be used with a low-poly.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
#[error("{fault}. {remedy}")]
pub struct CageFault {
    pub fault: String,
    pub remedy: String,
}

/// A cage's points, found for the corners of a low-poly.
#[derive(Clone, Debug, PartialEq)]
pub struct CageMatch {
    /// By triangle and corner; None where the cage has no point.
    pub corners: Vec<[Option<Vec3>; 3]>,
    /// True when faces followed the same order, false when points were looked for by UV and place.
    pub in_order: bool,
    /// Triangles with a corner that has no point, and triangles with a corner whose point lies inside the low-poly.
    pub unmatched: Vec<u32>,
    pub inside: Vec<u32>,
}

/// UVs further apart than this are different ones.
const SAME_UV: f32 = 1e-4;
/// Points further from the low-poly than this share of its diagonal are no points of its cage.
const FAR: f32 = 0.25;
/// A cage of whose points more than this share do not fit is of another mesh.
const MOST_WRONG: f32 = 0.5;
/// A point this much below the surface, as a share of the diagonal, lies inside.
const INSIDE: f32 = 1e-5;

const REMEDY: &str =
    "Make the cage by moving points of a copy of this low-poly outward, without adding, removing or flipping faces";

pub(super) fn match_cage(low: &Mesh, directions: &[Vec3], cage: &Mesh) -> Result<CageMatch, CageFault> {
    let in_order = same_faces(low, cage);
    let corners = if in_order { by_order(low, cage) } else { by_place(low, cage) };
    let diagonal = low.diagonal();
    let (mut unmatched, mut inside) = (Vec::new(), Vec::new());
    for (t, own) in corners.iter().enumerate() {
        if own.contains(&None) {
            unmatched.push(t as u32);
        }
        let below = |(v, point): (&u32, &Option<Vec3>)| {
            let v = *v as usize;
            point.is_some_and(|p| (p - low.positions[v]).dot(directions[v]) < -INSIDE * diagonal)
        };
        if low.triangles[t].iter().zip(own).any(below) {
            inside.push(t as u32);
        }
    }
    let share = |found: &[u32]| found.len() as f32 / corners.len().max(1) as f32;
    if share(&unmatched) > MOST_WRONG {
        let fault = format!(
            "the cage has {} triangles and the low-poly {}, and {} of the low-poly's have no point of the same UV or near them",
            cage.triangles.len(),
            low.triangles.len(),
            unmatched.len()
        );
        return Err(CageFault { fault, remedy: REMEDY.into() });
    }
    if share(&inside) > MOST_WRONG {
        let fault = format!("the cage lies inside the low-poly at {} of its {} triangles", inside.len(), corners.len());
        return Err(CageFault { fault, remedy: REMEDY.into() });
    }
    Ok(CageMatch { corners, in_order, unmatched, inside })
}

/// Whether face after face joins the same points.
fn same_faces(low: &Mesh, cage: &Mesh) -> bool {
    if low.triangles.len() != cage.triangles.len() {
        return false;
    }
    let (a, b) = (weld(low), weld(cage));
    let mut to = vec![u32::MAX; a.points];
    low.triangles.iter().zip(&cage.triangles).all(|(x, y)| {
        x.iter().zip(y).all(|(&v, &w)| {
            let (p, q) = (a.point_of[v as usize], b.point_of[w as usize]);
            let slot = &mut to[p as usize];
            let first = *slot == u32::MAX;
            *slot = if first { q } else { *slot };
            *slot == q
        })
    })
}

fn by_order(low: &Mesh, cage: &Mesh) -> Vec<[Option<Vec3>; 3]> {
    (0..low.triangles.len() as u32).map(|t| cage.corners(t).map(Some)).collect()
}

/// The nearest point of the same UV; without UVs, the nearest point.
fn by_place(low: &Mesh, cage: &Mesh) -> Vec<[Option<Vec3>; 3]> {
    let far = low.diagonal() * FAR;
    let with_uvs = !low.uvs.is_empty() && !cage.uvs.is_empty();
    let cell = if with_uvs { SAME_UV * 4.0 } else { far.max(f32::MIN_POSITIVE) };
    let coordinates = |mesh: &Mesh, v: usize| match with_uvs {
        true => [mesh.uvs[v].x, mesh.uvs[v].y, 0.0],
        false => mesh.positions[v].to_array(),
    };
    let key = |c: [f32; 3], by: [i64; 3]| -> [i64; 3] { std::array::from_fn(|i| (c[i] / cell).floor() as i64 + by[i]) };
    let mut cells: FxHashMap<[i64; 3], Vec<u32>> = FxHashMap::default();
    for v in 0..cage.positions.len() {
        cells.entry(key(coordinates(cage, v), [0; 3])).or_default().push(v as u32);
    }
    let find = |v: u32| -> Option<Vec3> {
        let (own, position) = (coordinates(low, v as usize), low.positions[v as usize]);
        let mut best: Option<(f32, Vec3)> = None;
        for x in -1..=1 {
            for y in -1..=1 {
                for z in if with_uvs { 0..=0 } else { -1..=1 } {
                    for &w in cells.get(&key(own, [x, y, z])).into_iter().flatten() {
                        let point = cage.positions[w as usize];
                        let same = !with_uvs || cage.uvs[w as usize].distance(low.uvs[v as usize]) <= SAME_UV;
                        let distance = point.distance(position);
                        if same && distance <= far && best.is_none_or(|(d, _)| distance < d) {
                            best = Some((distance, point));
                        }
                    }
                }
            }
        }
        best.map(|(_, point)| point)
    };
    let found: Vec<Option<Vec3>> = (0..low.positions.len() as u32).map(find).collect();
    low.triangles.iter().map(|t| t.map(|v| found[v as usize])).collect()
}
