//! What a file says of its materials, as glTF 2.0 means it: colour, roughness, metal, light of its own, opacity, and a normal
//! texture. Numbers are multiplied with pictures laid over the UVs.

use super::{Mesh, NO_MATERIAL};
use crate::picture::{Coding, Image, Pixels, Sampler};
use crate::surface::MeshPoint;
use glam::{Affine2, Vec2, Vec4};
use serde::{Deserialize, Serialize};
use std::sync::Arc;

/// A picture of a material, and how it lies.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Laid {
    /// Kept beside the rest, as several materials may share it.
    #[serde(skip, default = "no_image")]
    pub image: Arc<Image>,
    pub sampler: Sampler,
    /// From the UVs to the picture's, where they are not the same.
    pub placing: Option<Affine2>,
    /// On the mesh's `texture_uvs`, or on its `uvs`.
    pub on_texture_uvs: bool,
}

/// How opaque a material is.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
pub enum Alpha {
    /// All of it, whatever its alpha says.
    #[default]
    Opaque,
    /// Where alpha reaches this.
    Mask(f32),
    /// As its alpha says.
    Blend,
}

/// What a file says of a surface besides its colour.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Surface {
    /// 0 smooth to 1 rough, times the picture's green.
    pub roughness: f32,
    /// 0 to 1, times the picture's blue.
    pub metallic: f32,
    pub rough_metal: Option<Laid>,
    /// Light it gives off, linear, times the picture; may pass 1.
    pub emission: [f32; 3],
    pub emission_picture: Option<Laid>,
    /// A tangent-space normal texture, and what its first two axes are multiplied with.
    pub normal: Option<(Laid, f32)>,
    pub alpha: Alpha,
    /// Alpha, times the colour picture's.
    pub opacity: f32,
}

impl Default for Surface {
    /// The defaults of glTF.
    fn default() -> Self {
        Surface {
            roughness: 1.0,
            metallic: 1.0,
            rough_metal: None,
            emission: [0.0; 3],
            emission_picture: None,
            normal: None,
            alpha: Alpha::Opaque,
            opacity: 1.0,
        }
    }
}

/// What a file says of a material.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct MaterialLook {
    /// Base colour, linear light, times the picture.
    pub color: [f32; 3],
    pub picture: Option<Laid>,
    /// Vertex colours are multiplied in too, as glTF wants it.
    pub times_vertices: bool,
    /// None for files that say nothing of it.
    pub surface: Option<Surface>,
}

impl Default for MaterialLook {
    fn default() -> Self {
        MaterialLook { color: [1.0; 3], picture: None, times_vertices: false, surface: None }
    }
}

impl MaterialLook {
    /// True when it says anything of colour beyond plain white.
    pub fn has_color(&self) -> bool {
        self.picture.is_some() || self.color != [1.0; 3]
    }

    /// Its pictures.
    pub fn pictures(&self) -> impl Iterator<Item = &Laid> {
        let surface = self
            .surface
            .iter()
            .flat_map(|s| s.rough_metal.iter().chain(&s.emission_picture).chain(s.normal.iter().map(|(laid, _)| laid)));
        self.picture.iter().chain(surface)
    }

    /// The same, to be changed, in the same order.
    pub(super) fn pictures_mut(&mut self) -> impl Iterator<Item = &mut Laid> {
        let surface = self.surface.iter_mut().flat_map(|s| {
            let normal = s.normal.iter_mut().map(|(laid, _)| laid);
            s.rough_metal.iter_mut().chain(&mut s.emission_picture).chain(normal)
        });
        self.picture.iter_mut().chain(surface)
    }
}

/// The picture of a material whose picture was not put back yet.
fn no_image() -> Arc<Image> {
    Arc::new(Image::new(0, 0, 1, Pixels::U8(Vec::new()), Coding::default()))
}

impl Mesh {
    /// What is said of a triangle's material.
    pub fn look_of(&self, triangle: u32) -> Option<&MaterialLook> {
        let material = self.triangle_materials.get(triangle as usize).copied().unwrap_or(NO_MATERIAL);
        self.looks.get(material as usize)
    }

    /// Its faces with the UVs that pictures lie on for their own, and nothing of its colours and materials.
    pub fn on_texture_uvs(&self) -> Mesh {
        Mesh {
            positions: self.positions.clone(),
            normals: self.normals.clone(),
            uvs: self.texture_uvs.clone(),
            triangles: self.triangles.clone(),
            parts: self.parts.clone(),
            ..Mesh::default()
        }
    }

    /// The three corner UVs of a triangle, among those that are baked or those for textures; None without UVs.
    pub fn corner_uvs_on(&self, triangle: u32, texture_uvs: bool) -> Option<[Vec2; 3]> {
        let uvs = if texture_uvs { self.uvs_for_textures() } else { &self.uvs };
        (!uvs.is_empty()).then(|| self.triangles[triangle as usize].map(|v| uvs[v as usize]))
    }
}

impl Laid {
    /// Linear light and alpha at a place of a triangle, averaged over a square of surface of `side` scene units; None without UVs.
    pub fn at(&self, mesh: &Mesh, at: MeshPoint, side: f32) -> Option<Vec4> {
        let corners = mesh.corner_uvs_on(at.triangle, self.on_texture_uvs)?;
        let [a, b, c] = corners.map(|uv| self.placing.map_or(uv, |placing| placing.transform_point2(uv)));
        let uv = at.between([a, b, c]);
        let texels = (b - a).perp_dot(c - a).abs() * (self.image.width as f32 * self.image.height as f32);
        let area = mesh.area_normal(at.triangle).length();
        let footprint = if area > 0.0 { side * (texels / area).sqrt() } else { 1.0 };
        Some(self.image.light(uv, footprint, self.sampler))
    }

    /// How many of its texels lie on a triangle.
    pub fn texels_on(&self, mesh: &Mesh, triangle: u32) -> f64 {
        let Some(corners) = mesh.corner_uvs_on(triangle, self.on_texture_uvs) else { return 0.0 };
        let [a, b, c] = corners.map(|uv| self.placing.map_or(uv, |placing| placing.transform_point2(uv)));
        f64::from((b - a).perp_dot(c - a).abs()) * f64::from(self.image.width) * f64::from(self.image.height)
    }
}
