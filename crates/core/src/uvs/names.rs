//! Points by number and by place, for steps that have to hold for a newer file.

use crate::mesh::{Mesh, UvMarks, weld};
use crate::step::NamedPoints;
use glam::{I64Vec3, Vec3};
use rustc_hash::{FxHashMap, FxHashSet};

/// The points of a mesh, counted as its triangles name them, whatever the order of its vertices.
pub struct Points {
    /// Of each triangle's corners.
    pub of: Vec<[u32; 3]>,
    pub at: Vec<Vec3>,
    /// See [`NamedPoints::topology`].
    pub topology: String,
}

/// Places as near as this share of the mesh's diagonal are one.
const NEAR: f32 = 1e-5;

impl Points {
    pub fn new(mesh: &Mesh) -> Points {
        let welded = weld(mesh);
        let mut number = vec![u32::MAX; welded.points];
        let mut at = Vec::with_capacity(welded.points);
        let mut hasher = blake3::Hasher::new();
        let mut point = |v: u32| {
            let own = &mut number[welded.point_of[v as usize] as usize];
            if *own == u32::MAX {
                *own = at.len() as u32;
                at.push(mesh.positions[v as usize]);
            }
            *own
        };
        let of: Vec<[u32; 3]> = mesh.triangles.iter().map(|t| t.map(&mut point)).collect();
        of.iter().flatten().for_each(|p| _ = hasher.update(&p.to_le_bytes()));
        let topology = hasher.finalize().to_hex()[..16].to_owned();
        Points { of, at, topology }
    }

    /// Names some points.
    pub fn name(&self, points: Vec<u32>) -> NamedPoints {
        let at = points.iter().map(|&p| self.at[p as usize].to_array()).collect();
        NamedPoints { topology: self.topology.clone(), points, at }
    }

    /// Groups of points that are named: by number where the triangles are those that were there then, by place otherwise. None for a
    /// group that is not there any more.
    pub fn named<const N: usize>(&self, named: &NamedPoints) -> Vec<Option<[u32; N]>> {
        let places = (named.topology != self.topology).then(|| Places::new(self, NEAR));
        let point = |i: usize| match &places {
            None => named.points.get(i).copied().filter(|&p| (p as usize) < self.at.len()),
            Some(places) => places.at(Vec3::from(*named.at.get(i)?)),
        };
        (0..named.points.len() / N)
            .map(|group| {
                let mut all = [0; N];
                for (k, one) in all.iter_mut().enumerate() {
                    *one = point(N * group + k)?;
                }
                Some(all)
            })
            .collect()
    }
}

/// Points found by where they are.
pub struct Places<'a> {
    points: &'a Points,
    /// How far off a point may be, scene units.
    near: f32,
    cells: FxHashMap<I64Vec3, Vec<u32>>,
}

impl Places<'_> {
    /// `near` is a share of the diagonal.
    pub fn new(points: &Points, near: f32) -> Places<'_> {
        let (low, high) =
            points.at.iter().fold((Vec3::INFINITY, Vec3::NEG_INFINITY), |(l, h), &p| (l.min(p), h.max(p)));
        let near = (near * (high - low).length()).max(f32::MIN_POSITIVE);
        let mut cells: FxHashMap<I64Vec3, Vec<u32>> = FxHashMap::default();
        for (p, &at) in points.at.iter().enumerate() {
            cells.entry(cell(at, near)).or_default().push(p as u32);
        }
        Places { points, near, cells }
    }

    /// The point nearest to a place, if it is near enough.
    pub fn at(&self, place: Vec3) -> Option<u32> {
        let home = cell(place, self.near);
        let around = (0..27).map(|k| home + I64Vec3::new(k % 3 - 1, k / 3 % 3 - 1, k / 9 - 1));
        let away = |p: u32| self.points.at[p as usize].distance(place);
        let found = around.flat_map(|c| self.cells.get(&c).into_iter().flatten().copied());
        found.filter(|&p| away(p) <= self.near).min_by(|a, b| away(*a).total_cmp(&away(*b)).then(a.cmp(b)))
    }
}

fn cell(at: Vec3, near: f32) -> I64Vec3 {
    (at.as_dvec3() / f64::from(near)).floor().as_i64vec3()
}

/// Names faces.
pub fn name_faces(mesh: &Mesh, triangles: &[u32]) -> NamedPoints {
    let points = Points::new(mesh);
    points.name(triangles.iter().flat_map(|&t| points.of[t as usize]).collect())
}

/// Names edges by their sides: three times a triangle plus the number of its first corner.
pub fn name_edges(mesh: &Mesh, sides: &[u32]) -> NamedPoints {
    let points = Points::new(mesh);
    let ends = |s: &u32| {
        let t = points.of[*s as usize / 3];
        [t[*s as usize % 3], t[(*s as usize + 1) % 3]]
    };
    points.name(sides.iter().flat_map(ends).collect())
}

/// Names points by corners: three times a triangle plus the number of its corner.
pub fn name_corners(mesh: &Mesh, corners: &[u32]) -> NamedPoints {
    let points = Points::new(mesh);
    points.name(corners.iter().map(|&c| points.of[c as usize / 3][c as usize % 3]).collect())
}

/// What steps have marked, by places that a drawing of the mesh has.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct MarkedCorners {
    /// Sides to cut: three times a triangle plus the number of its first corner.
    pub seams: Vec<u32>,
    /// Sides that are seams of the UVs and are not to be cut.
    pub cleared: Vec<u32>,
    /// Corners that are pinned, one for each place on the sheet: three times a triangle plus the number of the corner.
    pub pins: Vec<u32>,
}

impl MarkedCorners {
    pub fn new(mesh: &Mesh) -> MarkedCorners {
        let mut marked = MarkedCorners::default();
        if mesh.marks == UvMarks::default() {
            return marked;
        }
        let points = Points::new(mesh);
        let mut seen: FxHashSet<u32> = FxHashSet::default();
        for (t, triangle) in points.of.iter().enumerate() {
            for k in 0..3 {
                let corner = (3 * t + k) as u32;
                let edge = super::net::edge(triangle[k], triangle[(k + 1) % 3]);
                if mesh.marks.seams.contains(&edge) {
                    marked.seams.push(corner);
                }
                if mesh.marks.cleared.contains(&edge) {
                    marked.cleared.push(corner);
                }
                if mesh.marks.pins.contains(&triangle[k]) && seen.insert(mesh.triangles[t][k]) {
                    marked.pins.push(corner);
                }
            }
        }
        marked
    }
}
