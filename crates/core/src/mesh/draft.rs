//! From what a file holds to a mesh that can be trusted: indices checked, numbers finite, polygons cut into triangles,
//! parts made contiguous, normals made where the file has none. It reads no file; formats build the draft.

use super::{MaterialLook, Mesh, NO_MATERIAL, Part, ReadNote, normals_by_angle, triangulate_polygon};
use crate::finding::FindingKind;
use glam::{Vec2, Vec3};
use std::collections::{HashMap, HashSet};

/// A run of faces that share a part name and a material.
#[derive(Clone, Debug, Default)]
pub struct DraftPart {
    pub name: String,
    pub material: Option<String>,
    /// Vertex numbers of all faces, one after the other.
    pub indices: Vec<u32>,
    /// Corners of each face; empty when every face is a triangle.
    pub corners: Vec<u32>,
}

/// An unchecked mesh as a file format delivers it. `normals`, `uvs`, `texture_uvs` and `colors` are empty or as
/// long as `positions`.
#[derive(Clone, Debug, Default)]
pub struct Draft {
    pub positions: Vec<Vec3>,
    pub normals: Vec<Vec3>,
    pub uvs: Vec<Vec2>,
    /// As in [`Mesh`].
    pub texture_uvs: Vec<Vec2>,
    pub colors: Vec<[u8; 3]>,
    pub parts: Vec<DraftPart>,
    /// What the file says of materials' colours, by name.
    pub looks: HashMap<String, MaterialLook>,
    /// UV sets the file holds, when it can hold more than the one in `uvs`.
    pub uv_sets: Option<u32>,
    /// What could not be taken as it stands.
    pub notes: Vec<ReadNote>,
}

/// Why a draft cannot become a mesh: where, what, and what to do.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
#[error("{place}: {fault}. {remedy}")]
pub struct MeshFault {
    pub kind: FindingKind,
    pub place: String,
    pub fault: String,
    pub remedy: String,
}

impl MeshFault {
    fn new(kind: FindingKind, place: String, fault: String, remedy: &str) -> Self {
        MeshFault { kind, place, fault, remedy: remedy.to_owned() }
    }
}

/// More triangles than this in one file are refused before any memory is set aside for them.
pub const MOST_TRIANGLES: usize = 60_000_000;

/// More parts or materials than this in one file are refused.
pub const MOST_NAMES: usize = 1_000_000;

/// Faces whose normals differ by more than this many degrees meet in a hard edge where normals must be made.
pub const CREASE_DEGREES: f32 = 60.0;

impl Draft {
    /// Checks the draft and builds the mesh.
    ///
    /// # Errors
    /// A [`MeshFault`] naming the part and the vertex or face: no faces, an index out of range, a NaN or infinite number,
    /// arrays of different length, or too many triangles.
    pub fn finish(self) -> Result<Mesh, MeshFault> {
        self.check_numbers()?;
        self.check_faces()?;
        let normals_from_file = !self.normals.is_empty();
        let uv_sets = self.uv_sets.unwrap_or(u32::from(!self.uvs.is_empty()));
        let mut mesh = Mesh {
            uv_sets,
            notes: self.notes,
            positions: self.positions,
            normals: self.normals,
            uvs: self.uvs,
            texture_uvs: self.texture_uvs,
            colors: self.colors,
            normals_from_file,
            ..Mesh::default()
        };
        gather_parts(&mut mesh, self.parts);
        if mesh.materials.iter().any(|name| self.looks.contains_key(name)) {
            mesh.looks = mesh.materials.iter().map(|name| self.looks.get(name).cloned().unwrap_or_default()).collect();
        }
        mesh.drop_unused_vertices();
        if !normals_from_file {
            mesh = normals_by_angle(mesh, CREASE_DEGREES);
        } else {
            repair_zero_normals(&mut mesh);
        }
        Ok(mesh)
    }

    fn check_numbers(&self) -> Result<(), MeshFault> {
        let count = self.positions.len();
        for (what, length) in [
            ("normals", self.normals.len()),
            ("UVs", self.uvs.len()),
            ("UVs of textures", self.texture_uvs.len()),
            ("vertex colours", self.colors.len()),
        ] {
            if length != 0 && length != count {
                return Err(MeshFault::new(
                    FindingKind::Unreadable,
                    "vertex data".into(),
                    format!("{length} {what} for {count} vertices"),
                    "Export the mesh again; one per vertex is needed",
                ));
            }
        }
        let bad = |what: &str, vertex: usize, shown: String| {
            MeshFault::new(
                FindingKind::NotANumber,
                format!("part '{}', vertex {}", self.part_of_vertex(vertex as u32), vertex + 1),
                format!("its {what} is {shown}"),
                "Delete or repair the vertex in the modelling program and export again",
            )
        };
        if let Some(v) = self.positions.iter().position(|p| !p.is_finite()) {
            return Err(bad("position", v, format!("{}", self.positions[v])));
        }
        if let Some(v) = self.normals.iter().position(|n| !n.is_finite()) {
            return Err(bad("normal", v, format!("{}", self.normals[v])));
        }
        for (what, uvs) in [("UV", &self.uvs), ("UV for textures", &self.texture_uvs)] {
            if let Some(v) = uvs.iter().position(|t| !t.is_finite()) {
                return Err(bad(what, v, format!("{}", uvs[v])));
            }
        }
        Ok(())
    }

    fn part_of_vertex(&self, vertex: u32) -> &str {
        let holds = |p: &&DraftPart| p.indices.contains(&vertex);
        self.parts.iter().find(holds).map_or("(no face uses it)", |p| &p.name)
    }

    fn check_faces(&self) -> Result<(), MeshFault> {
        let mut triangles = 0usize;
        for part in &self.parts {
            if let Some(at) = part.indices.iter().position(|&v| v as usize >= self.positions.len()) {
                return Err(MeshFault::new(
                    FindingKind::Unreadable,
                    format!("part '{}', corner {}", part.name, at + 1),
                    format!("it names vertex {} of {}", u64::from(part.indices[at]) + 1, self.positions.len()),
                    "The file is cut short or damaged; export it again",
                ));
            }
            let corners: u64 = part.corners.iter().map(|&c| u64::from(c)).sum();
            let whole = if part.corners.is_empty() {
                part.indices.len().is_multiple_of(3)
            } else {
                corners == part.indices.len() as u64 && part.corners.iter().all(|&c| c >= 3)
            };
            if !whole {
                return Err(MeshFault::new(
                    FindingKind::Unreadable,
                    format!("part '{}'", part.name),
                    format!("{} corners do not make whole faces", part.indices.len()),
                    "The file is cut short or damaged; export it again",
                ));
            }
            triangles += match part.corners.is_empty() {
                true => part.indices.len() / 3,
                false => part.indices.len() - 2 * part.corners.len(),
            };
        }
        let names: HashSet<&str> = self.parts.iter().map(|p| p.name.as_str()).collect();
        let materials: HashSet<&str> = self.parts.iter().filter_map(|p| p.material.as_deref()).collect();
        for (what, count) in [("parts", names.len()), ("materials", materials.len())] {
            if count > MOST_NAMES {
                return Err(MeshFault::new(
                    FindingKind::Unreadable,
                    "the whole file".into(),
                    format!("{count} {what}, more than the {MOST_NAMES} that are read"),
                    "Join parts that belong together, or split the file",
                ));
            }
        }
        if triangles == 0 {
            return Err(MeshFault::new(
                FindingKind::Unreadable,
                "the whole file".into(),
                "it holds no faces".into(),
                "Export a polygon mesh; points and curves cannot be baked",
            ));
        }
        if triangles > MOST_TRIANGLES {
            return Err(MeshFault::new(
                FindingKind::Unreadable,
                "the whole file".into(),
                format!("{triangles} triangles, more than the limit of {MOST_TRIANGLES}"),
                "Decimate the sculpt, or split it into several files",
            ));
        }
        Ok(())
    }
}

/// Cuts faces into triangles and lays parts out one after the other, in order of first appearance.
fn gather_parts(mesh: &mut Mesh, drafts: Vec<DraftPart>) {
    let mut order: Vec<String> = Vec::new();
    let mut of_name: HashMap<String, Vec<DraftPart>> = HashMap::new();
    for part in drafts.into_iter().filter(|p| !p.indices.is_empty()) {
        if !of_name.contains_key(&part.name) {
            order.push(part.name.clone());
        }
        of_name.entry(part.name.clone()).or_default().push(part);
    }
    let mut materials: HashMap<String, u32> = HashMap::new();
    let mut polygon = Vec::new();
    for name in order {
        let start = mesh.triangles.len() as u32;
        for part in of_name.remove(&name).unwrap_or_default() {
            if part.corners.is_empty() {
                mesh.triangles.extend(part.indices.as_chunks::<3>().0);
            } else {
                let mut rest = part.indices.as_slice();
                for &corners in &part.corners {
                    let (face, after) = rest.split_at(corners as usize);
                    rest = after;
                    if corners > 3 {
                        mesh.polygons += 1;
                    }
                    polygon.clear();
                    polygon.extend(face.iter().map(|&v| mesh.positions[v as usize]));
                    let cut = triangulate_polygon(&polygon);
                    mesh.triangles.extend(cut.iter().map(|t| t.map(|c| face[c as usize])));
                }
            }
            let material = match part.material {
                None => NO_MATERIAL,
                Some(name) => *materials.entry(name).or_insert_with_key(|name| {
                    mesh.materials.push(name.clone());
                    (mesh.materials.len() - 1) as u32
                }),
            };
            mesh.triangle_materials.resize(mesh.triangles.len(), material);
        }
        mesh.parts.push(Part { name, triangles: start..mesh.triangles.len() as u32 });
    }
    if mesh.materials.is_empty() {
        mesh.triangle_materials.clear();
    }
}

impl Mesh {
    /// Vertices that no face uses would only swell the bounding box.
    pub(crate) fn drop_unused_vertices(&mut self) {
        let mut used = vec![false; self.positions.len()];
        self.triangles.iter().flatten().for_each(|&v| used[v as usize] = true);
        if used.iter().all(|&u| u) {
            return;
        }
        let mut next = 0;
        let number: Vec<u32> = used
            .iter()
            .map(|&u| {
                next += u32::from(u);
                next.wrapping_sub(1)
            })
            .collect();
        fn keep<T>(values: &mut Vec<T>, used: &[bool]) {
            let mut flags = used.iter();
            values.retain(|_| flags.next() == Some(&true));
        }
        keep(&mut self.positions, &used);
        keep(&mut self.normals, &used);
        keep(&mut self.uvs, &used);
        keep(&mut self.texture_uvs, &used);
        keep(&mut self.colors, &used);
        self.triangles.iter_mut().flatten().for_each(|v| *v = number[*v as usize]);
    }
}

/// Files may hold zero normals on stray vertices; a face normal stands in so that no ray has a zero direction.
fn repair_zero_normals(mesh: &mut Mesh) {
    for n in &mut mesh.normals {
        *n = n.normalize_or_zero();
    }
    for t in 0..mesh.triangles.len() as u32 {
        for v in mesh.triangles[t as usize] {
            if mesh.normals[v as usize] == Vec3::ZERO {
                mesh.normals[v as usize] = mesh.face_normal(t);
            }
        }
    }
    for n in mesh.normals.iter_mut().filter(|n| **n == Vec3::ZERO) {
        *n = Vec3::Y;
    }
}
