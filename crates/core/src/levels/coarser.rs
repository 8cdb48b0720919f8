//! Coarser levels of a mesh that was refined face by face: found from how its faces meet alone, whatever moved its points afterwards.

use super::patterns::{Undone, undo};
use super::polygons::Polygons;
use super::refining::{Refining, Step, solved};
use crate::mesh::{Draft, DraftPart, Mesh, NO_MATERIAL, normals_by_angle};
use crate::surface::Difference;
use glam::{DVec3, Vec3};
use rustc_hash::FxHashMap;

/// Levels that are looked for.
const MOST_LEVELS: usize = 12;

/// Where a mesh has no coarser level.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
#[error("no coarser level: {why} (part '{part}', at {}, {}, {}). Use --triangles or --error to reduce it", at.x, at.y, at.z)]
pub struct Broken {
    /// Scene units.
    pub at: Vec3,
    pub part: String,
    pub why: &'static str,
}

/// A level of a mesh.
#[derive(Clone, Debug)]
pub struct Level {
    pub mesh: Mesh,
    pub refining: Refining,
    /// From the sculpt's points to those that refining gives, scene units.
    pub off: Difference,
}

/// The coarser levels of a mesh.
pub struct Levels<'a> {
    mesh: &'a Mesh,
    positions: Vec<Vec3>,
    sides: usize,
    /// The finest first.
    undone: Vec<Undone>,
}

/// Finds the coarser levels of a mesh: as many as there are, one at least.
///
/// # Errors
/// Where the pattern breaks.
pub fn coarser_levels(mesh: &Mesh) -> Result<Levels<'_>, Broken> {
    let (finest, positions) = Polygons::of(mesh);
    let sides = finest.corners(0).len();
    let mut undone: Vec<Undone> = Vec::new();
    while undone.len() < MOST_LEVELS {
        let fine = undone.last().map_or(&finest, |undone| &undone.coarse);
        match undo(fine) {
            Ok(found) => undone.push(found),
            Err(fault) if undone.is_empty() => {
                let corner = finest.points.iter().position(|point| *point == fault.point).unwrap_or(0);
                let face = finest.face_of()[corner] as usize;
                let triangle = finest.triangles[face];
                let part = mesh.parts.iter().find(|part| part.triangles.contains(&triangle));
                let part = part.map_or(String::new(), |part| part.name.clone());
                return Err(Broken { at: positions[fault.point as usize], part, why: fault.why });
            }
            Err(_) => break,
        }
    }
    Ok(Levels { mesh, positions, sides, undone })
}

impl Levels<'_> {
    /// Faces of each level, the finest first.
    pub fn faces(&self) -> Vec<usize> {
        self.undone.iter().map(|undone| undone.coarse.faces()).collect()
    }

    /// The level so many below the mesh, from 1 on; its points are those that refining brings nearest to the mesh.
    ///
    /// # Errors
    /// There are not so many.
    pub fn level(&self, below: usize) -> Result<Level, String> {
        let Some(undone) = below.checked_sub(1).and_then(|at| self.undone.get(at)) else {
            return Err(format!("there is no level -{below}; this mesh has -1 to -{}", self.undone.len()));
        };
        // How it was refined shows best where the least was refined.
        let of_first = |refining: &Refining| {
            let (_, off) = self.solved(1, *refining);
            off.iter().map(|off| f64::from(*off).powi(2)).sum::<f64>()
        };
        let known = Refining::of_sides(self.sides).iter().map(|refining| (of_first(refining), *refining));
        let refining = known.min_by(|a, b| a.0.total_cmp(&b.0)).map_or(Refining::Flat, |(_, refining)| refining);
        let (points, off) = self.solved(below, refining);
        let points: Vec<Vec3> = points.iter().map(|point| point.as_vec3()).collect();
        let mesh = self.mesh_of(&undone.coarse, &points).finish().map_err(|fault| fault.to_string())?;
        Ok(Level { mesh: normals_by_angle(mesh, 180.0), refining, off: Difference::of(off) })
    }

    fn solved(&self, below: usize, refining: Refining) -> (Vec<DVec3>, Vec<f32>) {
        let mut counts = vec![self.positions.len()];
        counts.extend(self.undone.iter().map(|undone| undone.coarse.count));
        let steps: Vec<Step> = self.undone[..below]
            .iter()
            .zip(&counts)
            .map(|(undone, count)| Step::new(undone, *count, refining))
            .collect();
        let steps: Vec<&Step> = steps.iter().rev().collect();
        // Coarse points lie near the finer ones that they became.
        let mut guess: Vec<DVec3> = self.positions.iter().map(|p| p.as_dvec3()).collect();
        for undone in &self.undone[..below] {
            guess = undone.kept.iter().map(|point| guess[*point as usize]).collect();
        }
        solved(&steps, &self.positions, guess)
    }

    /// Faces over points as a mesh under construction, with the UVs of the vertices that they lie at.
    fn mesh_of(&self, coarse: &Polygons, points: &[Vec3]) -> Draft {
        let mesh = self.mesh;
        let uv_of = |vertex: u32| mesh.uvs.get(vertex as usize).copied();
        let mut draft = Draft { uv_sets: Some(mesh.uv_sets.min(1)), ..Draft::default() };
        let mut known: FxHashMap<(u32, Option<[u32; 2]>), u32> = FxHashMap::default();
        let mut parts: Vec<((usize, u32), DraftPart)> = Vec::new();
        for face in 0..coarse.faces() {
            let triangle = coarse.triangles[face];
            let part = mesh.parts.iter().position(|part| part.triangles.contains(&triangle)).unwrap_or(0);
            let material = mesh.triangle_materials.get(triangle as usize).copied().unwrap_or(NO_MATERIAL);
            let own = parts.iter().rposition(|(key, _)| *key == (part, material)).unwrap_or_else(|| {
                let name = mesh.parts[part].name.clone();
                let material_name = mesh.materials.get(material as usize).cloned();
                parts.push(((part, material), DraftPart { name, material: material_name, ..DraftPart::default() }));
                parts.len() - 1
            });
            for corner in coarse.corners(face) {
                let (point, uv) = (coarse.points[corner], uv_of(coarse.vertices[corner]));
                let key = (point, uv.map(|uv| uv.to_array().map(f32::to_bits)));
                let vertex = *known.entry(key).or_insert_with(|| {
                    draft.positions.push(points[point as usize]);
                    draft.uvs.extend(uv);
                    draft.positions.len() as u32 - 1
                });
                parts[own].1.indices.push(vertex);
            }
            parts[own].1.corners.push(coarse.corners(face).len() as u32);
        }
        // Normals are made once it is whole; without any, a mesh is split where it is sharp.
        draft.normals = vec![Vec3::ZERO; draft.positions.len()];
        parts.sort_by_key(|(key, _)| *key);
        draft.parts = parts.into_iter().map(|(_, part)| part).collect();
        draft
    }
}
