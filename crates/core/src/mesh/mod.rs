//! Meshes as the rest of the engine sees them: validated, triangulated once, immutable.
//!
//! A [`Draft`] is what a file format hands over; [`Draft::finish`] turns it into a [`Mesh`] or says what is wrong and where.
//! Vertices are "render vertices": a point that carries two normals or two UVs stands here twice. Code that needs
//! points rather than vertices asks [`weld`].

mod curvature;
mod disjoint;
mod draft;
mod geodesic;
mod look;
mod normals;
mod packed;
mod plane;
mod shells;
mod tangents;
mod triangulate;
mod turn;
mod weld;

pub use curvature::CurvatureField;
pub use disjoint::DisjointSets;
pub use draft::{Draft, DraftPart, MOST_TRIANGLES, MeshFault};
pub use geodesic::{SurfaceDistance, SurfaceWalk};
pub use look::{Alpha, Laid, MaterialLook, Surface};
pub use normals::{angle_weighted_directions, normals_at_seams, normals_by_angle, normals_by_angle_in};
pub use plane::{Facing, Plane, PlaneTarget, UvChoice, UvSet};
pub use shells::{Neighbours, Shell, find_shells, inward_shells};
pub use tangents::{CornerTangent, corner_tangents};
pub use triangulate::triangulate_polygon;
pub use turn::{merge_points, merged_positions, turn_faces};
pub use weld::{Weld, weld};

use crate::picture::Image;
use crate::surface::MeshPoint;
use glam::{Vec2, Vec3, vec2};
use std::collections::BTreeSet;
use std::ops::Range;

/// A named piece of a mesh: a contiguous range of its triangles.
#[derive(Clone, Debug, PartialEq, serde::Serialize, serde::Deserialize)]
pub struct Part {
    pub name: String,
    pub triangles: Range<u32>,
}

/// A validated triangle mesh. Every index is in range and every number is finite.
#[derive(Clone, Debug, Default)]
pub struct Mesh {
    /// Scene units, right-handed, Y up.
    pub positions: Vec<Vec3>,
    /// Unit normals, one per vertex.
    pub normals: Vec<Vec3>,
    /// UVs with the origin bottom-left; empty when the file has none.
    pub uvs: Vec<Vec2>,
    /// UVs that textures lie on (pictures of its materials, patterns and documents over them), where those are not `uvs`; empty where they
    /// are.
    pub texture_uvs: Vec<Vec2>,
    /// sRGB-encoded vertex colours; empty when the file has none.
    pub colors: Vec<[u8; 3]>,
    /// Vertex numbers, counter-clockwise seen from outside, grouped by part.
    pub triangles: Vec<[u32; 3]>,
    pub parts: Vec<Part>,
    /// Material names, in order of first use.
    pub materials: Vec<String>,
    /// What each material looks like, one entry a material; empty when the file says nothing of it.
    pub looks: Vec<MaterialLook>,
    /// One entry a triangle: number in `materials`, or `NO_MATERIAL`. Empty when no part names a material.
    pub triangle_materials: Vec<u32>,
    /// How many faces of the file had more than three corners.
    pub polygons: u32,
    /// True when the file carried normals; false when they were made.
    pub normals_from_file: bool,
    /// How many UV sets the file holds; `uvs` is one of them.
    pub uv_sets: u32,
    /// What of the file could not be taken as it stands.
    pub notes: Vec<ReadNote>,
    /// What steps on its UVs have marked; points are counted as the triangles name them.
    pub marks: UvMarks,
}

/// Marks of steps on UVs: what is to be cut and joined, and what is held.
#[derive(Clone, Debug, Default, PartialEq, serde::Serialize, serde::Deserialize)]
pub struct UvMarks {
    /// Edges to cut, by their two points, the lower number first.
    pub seams: BTreeSet<[u32; 2]>,
    /// Edges not to cut, though the UVs part there.
    pub cleared: BTreeSet<[u32; 2]>,
    /// Points held on the sheet.
    pub pins: BTreeSet<u32>,
}

/// Something in a mesh file that was left out or read in a certain way, though the mesh itself came in.
#[derive(Clone, Debug, PartialEq, serde::Serialize, serde::Deserialize)]
pub struct ReadNote {
    /// Part it is about, when it is about one.
    pub part: Option<String>,
    /// What was found and how it was read.
    pub reason: String,
    pub remedy: String,
}

/// `Mesh::triangle_materials` entry of a triangle without a material.
pub const NO_MATERIAL: u32 = u32::MAX;

impl Mesh {
    /// Bytes it holds in memory, textures of its materials among them.
    pub fn bytes(&self) -> usize {
        let vertices = 12 * (self.positions.len() + self.normals.len())
            + 8 * (self.uvs.len() + self.texture_uvs.len())
            + 3 * self.colors.len();
        let triangles = 12 * self.triangles.len() + 4 * self.triangle_materials.len();
        // A picture that several materials share is held once.
        let mut pictures: Vec<&Image> = self.looks.iter().flat_map(|l| l.pictures()).map(|p| &*p.image).collect();
        pictures.sort_unstable_by_key(|image| std::ptr::from_ref(*image));
        pictures.dedup_by_key(|image| std::ptr::from_ref(*image));
        vertices + triangles + pictures.iter().map(|image| image.bytes()).sum::<u64>() as usize
    }

    /// Corners of the quads that its triangles were cut from, two by two; None where they were not all of quads.
    pub fn quads(&self) -> Option<Vec<[u32; 4]>> {
        if self.polygons == 0 || self.polygons as usize * 2 != self.triangles.len() {
            return None;
        }
        let quad = |[one, other]: &[[u32; 3]; 2]| {
            // The side of the one that the other lies across, and the corner over there.
            let (k, over) = (0..3).find_map(|k| {
                let j = (0..3).find(|j| other[*j] == one[(k + 1) % 3] && other[(j + 1) % 3] == one[k])?;
                Some((k, other[(j + 2) % 3]))
            })?;
            Some([one[k], over, one[(k + 1) % 3], one[(k + 2) % 3]])
        };
        self.triangles.as_chunks::<2>().0.iter().map(quad).collect()
    }

    /// Smallest and largest coordinates over all vertices; zeros for an empty mesh.
    pub fn bounds(&self) -> (Vec3, Vec3) {
        let mut low = Vec3::INFINITY;
        let mut high = Vec3::NEG_INFINITY;
        for &p in &self.positions {
            low = low.min(p);
            high = high.max(p);
        }
        if self.positions.is_empty() { (Vec3::ZERO, Vec3::ZERO) } else { (low, high) }
    }

    /// Length of the bounding box's diagonal, in scene units.
    pub fn diagonal(&self) -> f32 {
        let (low, high) = self.bounds();
        (high - low).length()
    }

    /// The three corner positions of a triangle.
    #[inline]
    pub fn corners(&self, triangle: u32) -> [Vec3; 3] {
        self.triangles[triangle as usize].map(|v| self.positions[v as usize])
    }

    /// The three corner UVs of a triangle. Call only when `uvs` is not empty.
    #[inline]
    pub fn corner_uvs(&self, triangle: u32) -> [Vec2; 3] {
        self.triangles[triangle as usize].map(|v| self.uvs[v as usize])
    }

    /// The UVs that textures lie on; empty when the mesh has none.
    pub fn uvs_for_textures(&self) -> &[Vec2] {
        if self.texture_uvs.is_empty() { &self.uvs } else { &self.texture_uvs }
    }

    /// How long a step over a triangle is on the UVs for textures where it is 1 on `uvs`: the root of the ratio of its areas. 1 where either
    /// has none.
    pub fn texture_scale(&self, triangle: u32) -> f32 {
        let area = |textures: bool| {
            let [a, b, c] = self.corner_uvs_on(triangle, textures)?;
            Some((b - a).perp_dot(c - a).abs())
        };
        let ratio = area(true).zip(area(false)).map(|(on_textures, baked)| on_textures / baked);
        ratio.filter(|ratio| ratio.is_finite()).map_or(1.0, f32::sqrt)
    }

    /// The point of a place, scene units.
    #[inline]
    pub fn at(&self, place: MeshPoint) -> Vec3 {
        place.between(self.corners(place.triangle))
    }

    /// The interpolated shading normal of a place, unit; the face's own where corners cancel out.
    #[inline]
    pub fn normal_at(&self, place: MeshPoint) -> Vec3 {
        let corners = self.triangles[place.triangle as usize].map(|v| self.normals[v as usize]);
        place.between(corners).try_normalize().unwrap_or_else(|| self.face_normal(place.triangle))
    }

    /// Number of the part that a triangle belongs to.
    #[inline]
    pub fn part_of(&self, triangle: u32) -> usize {
        self.parts.partition_point(|p| p.triangles.end <= triangle)
    }

    /// Flags of the triangles of the parts of a name; of all triangles without one.
    pub fn chosen(&self, part: Option<&str>) -> Vec<bool> {
        let mut chosen = vec![part.is_none(); self.triangles.len()];
        for own in self.parts.iter().filter(|p| part == Some(p.name.as_str())) {
            chosen[own.triangles.start as usize..own.triangles.end as usize].fill(true);
        }
        chosen
    }

    /// Twice the area times the unit normal of a triangle (not normalised).
    #[inline]
    pub fn area_normal(&self, triangle: u32) -> Vec3 {
        let [a, b, c] = self.corners(triangle);
        (b - a).cross(c - a)
    }

    /// Unit geometric normal of a triangle, or zero when it has no area.
    #[inline]
    pub fn face_normal(&self, triangle: u32) -> Vec3 {
        self.area_normal(triangle).normalize_or_zero()
    }

    /// Part number of each triangle.
    pub fn triangle_parts(&self) -> Vec<u32> {
        let mut of = vec![0u32; self.triangles.len()];
        for (number, part) in self.parts.iter().enumerate() {
            of[part.triangles.start as usize..part.triangles.end as usize].fill(number as u32);
        }
        of
    }

    /// UVs laid flat along an axis, the bounding box filling the unit square; one a vertex.
    pub fn projected_uvs(&self, plane: Plane) -> Vec<Vec2> {
        let (low, high) = self.bounds();
        let size = (high - low).max(Vec3::splat(f32::MIN_POSITIVE));
        let flat = |p: &Vec3| {
            let at = (*p - low) / size;
            match plane {
                Plane::PlanarX => vec2(1.0 - at.z, at.y),
                Plane::PlanarY => vec2(at.x, 1.0 - at.z),
                Plane::PlanarZ => vec2(at.x, at.y),
            }
        };
        self.positions.iter().map(flat).collect()
    }

    /// The parts whose names are wanted, without colours, UVs or materials.
    pub fn only_parts(&self, wanted: impl Fn(&str) -> bool) -> Mesh {
        let mut own = Mesh { positions: self.positions.clone(), normals: self.normals.clone(), ..Mesh::default() };
        for part in self.parts.iter().filter(|part| wanted(&part.name)) {
            let start = own.triangles.len() as u32;
            let range = part.triangles.start as usize..part.triangles.end as usize;
            own.triangles.extend_from_slice(&self.triangles[range]);
            own.parts.push(Part { name: part.name.clone(), triangles: start..own.triangles.len() as u32 });
        }
        own
    }

    /// Joins meshes into one, parts in order; a part name that stands in two files stays two parts.
    /// UVs and colours missing from one mesh but not from another are filled with zero and mid-grey.
    pub fn joined(meshes: &[&Mesh]) -> Mesh {
        if let [only] = meshes {
            return (*only).clone();
        }
        let mut all = Mesh { normals_from_file: true, ..Mesh::default() };
        let any_uvs = meshes.iter().any(|m| !m.uvs.is_empty());
        let any_texture_uvs = meshes.iter().any(|m| !m.texture_uvs.is_empty());
        let any_colors = meshes.iter().any(|m| !m.colors.is_empty());
        let any_materials = meshes.iter().any(|m| !m.triangle_materials.is_empty());
        for mesh in meshes {
            let first_vertex = all.positions.len() as u32;
            let first_triangle = all.triangles.len() as u32;
            let first_material = all.materials.len() as u32;
            all.positions.extend_from_slice(&mesh.positions);
            all.normals.extend_from_slice(&mesh.normals);
            if any_uvs {
                all.uvs.extend_from_slice(&mesh.uvs);
                all.uvs.resize(all.positions.len(), Vec2::ZERO);
            }
            if any_texture_uvs {
                all.texture_uvs.extend_from_slice(mesh.uvs_for_textures());
                all.texture_uvs.resize(all.positions.len(), Vec2::ZERO);
            }
            if any_colors {
                all.colors.extend_from_slice(&mesh.colors);
                all.colors.resize(all.positions.len(), [128; 3]);
            }
            all.triangles.extend(mesh.triangles.iter().map(|t| t.map(|v| v + first_vertex)));
            all.parts.extend(mesh.parts.iter().map(|p| Part {
                name: p.name.clone(),
                triangles: p.triangles.start + first_triangle..p.triangles.end + first_triangle,
            }));
            all.materials.extend(mesh.materials.iter().cloned());
            if meshes.iter().any(|m| !m.looks.is_empty()) {
                all.looks.extend(mesh.looks.iter().cloned());
                all.looks.resize(all.materials.len(), MaterialLook::default());
            }
            if any_materials {
                let shifted = mesh.triangle_materials.iter().map(|&m| match m {
                    NO_MATERIAL => NO_MATERIAL,
                    m => m + first_material,
                });
                all.triangle_materials.extend(shifted);
                all.triangle_materials.resize(all.triangles.len(), NO_MATERIAL);
            }
            all.polygons += mesh.polygons;
            all.normals_from_file &= mesh.normals_from_file;
            all.uv_sets = all.uv_sets.max(mesh.uv_sets);
            all.notes.extend(mesh.notes.iter().cloned());
        }
        all
    }
}
