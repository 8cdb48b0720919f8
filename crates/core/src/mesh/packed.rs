//! Meshes as packed bytes, and back.

use super::{MaterialLook, Mesh, Part, ReadNote, UvMarks};
use crate::flat::{Packed, Packing};
use crate::picture::Image;
use serde::{Deserialize, Serialize};
use std::borrow::Cow;
use std::sync::Arc;

/// All of a mesh that is not a row of numbers.
#[derive(Serialize, Deserialize)]
struct Facts<'a> {
    parts: Cow<'a, [Part]>,
    materials: Cow<'a, [String]>,
    looks: Cow<'a, [MaterialLook]>,
    /// Pictures of the looks, each once, and which each look's picture is, in their order.
    pictures: Vec<Cow<'a, Image>>,
    picture_of: Vec<u32>,
    polygons: u32,
    normals_from_file: bool,
    uv_sets: u32,
    notes: Cow<'a, [ReadNote]>,
    marks: Cow<'a, UvMarks>,
}

impl Mesh {
    /// Puts it into bytes under a name.
    pub fn pack<'a>(&'a self, name: &str, into: &mut Packing<'a>) {
        let of = |what: &str| format!("{name}/{what}");
        into.flat(of("positions"), &self.positions);
        into.flat(of("normals"), &self.normals);
        into.flat(of("uvs"), &self.uvs);
        into.flat(of("texture-uvs"), &self.texture_uvs);
        into.flat(of("colors"), &self.colors);
        into.flat(of("triangles"), &self.triangles);
        into.flat(of("triangle-materials"), &self.triangle_materials);
        let (mut pictures, mut picture_of): (Vec<&Arc<Image>>, Vec<u32>) = Default::default();
        for laid in self.looks.iter().flat_map(MaterialLook::pictures) {
            let known = pictures.iter().position(|image| Arc::ptr_eq(image, &laid.image));
            picture_of.push(known.unwrap_or(pictures.len()) as u32);
            if known.is_none() {
                pictures.push(&laid.image);
            }
        }
        let facts = Facts {
            parts: (&self.parts).into(),
            materials: (&self.materials).into(),
            looks: (&self.looks).into(),
            pictures: pictures.into_iter().map(|image| Cow::Borrowed(&**image)).collect(),
            picture_of,
            polygons: self.polygons,
            normals_from_file: self.normals_from_file,
            uv_sets: self.uv_sets,
            notes: (&self.notes).into(),
            marks: Cow::Borrowed(&self.marks),
        };
        into.told(of("facts"), &facts);
    }

    /// Takes it from bytes again.
    ///
    /// # Errors
    /// What of it is missing or damaged.
    pub fn unpack(name: &str, from: &Packed) -> Result<Mesh, String> {
        let of = |what: &str| format!("{name}/{what}");
        let facts: Facts = from.told(&of("facts"))?;
        let images: Vec<Arc<Image>> = facts.pictures.into_iter().map(|image| Arc::new(image.into_owned())).collect();
        let mut looks = facts.looks.into_owned();
        let mut picture_of = facts.picture_of.into_iter();
        for laid in looks.iter_mut().flat_map(MaterialLook::pictures_mut) {
            let image = picture_of.next().and_then(|number| images.get(number as usize));
            laid.image = image.cloned().ok_or_else(|| format!("pictures of '{name}' are missing"))?;
        }
        let mesh = Mesh {
            positions: from.values(&of("positions"))?,
            normals: from.values(&of("normals"))?,
            uvs: from.values(&of("uvs"))?,
            texture_uvs: from.values(&of("texture-uvs"))?,
            colors: from.values(&of("colors"))?,
            triangles: from.values(&of("triangles"))?,
            triangle_materials: from.values(&of("triangle-materials"))?,
            parts: facts.parts.into_owned(),
            materials: facts.materials.into_owned(),
            looks,
            polygons: facts.polygons,
            normals_from_file: facts.normals_from_file,
            uv_sets: facts.uv_sets,
            notes: facts.notes.into_owned(),
            marks: facts.marks.into_owned(),
        };
        let points = mesh.positions.len();
        let whole = mesh.normals.len() == points
            && [mesh.uvs.len(), mesh.texture_uvs.len(), mesh.colors.len()].iter().all(|n| *n == 0 || *n == points)
            && mesh.parts.iter().all(|part| part.triangles.end as usize <= mesh.triangles.len());
        if whole { Ok(mesh) } else { Err(format!("rows of '{name}' do not fit each other")) }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::flat::Contents;
    use crate::mesh::{Laid, Surface};
    use crate::picture::{Coding, Pixels, Sampler};
    use glam::{Vec2, Vec3};

    /// Packed bytes of sections, one after the other.
    fn laid_out(packing: Packing) -> Packed {
        let (mut bytes, mut contents) = (Vec::new(), Contents::default());
        for (name, section) in packing.sections {
            contents.0.insert(name, bytes.len()..bytes.len() + section.len());
            bytes.extend_from_slice(&section);
        }
        Packed { bytes: Arc::new(bytes), contents }
    }

    #[test]
    fn a_mesh_comes_back_as_it_was_and_shares_its_pictures() {
        let image = Arc::new(Image::new(2, 1, 3, Pixels::U8(vec![1, 2, 3, 4, 5, 6]), Coding::Linear));
        let laid = |image: &Arc<Image>| Laid {
            image: image.clone(),
            sampler: Sampler::default(),
            placing: None,
            on_texture_uvs: true,
        };
        let surface = Surface { normal: Some((laid(&image), 0.5)), ..Surface::default() };
        let look = MaterialLook { picture: Some(laid(&image)), surface: Some(surface), ..MaterialLook::default() };
        let mesh = Mesh {
            positions: vec![Vec3::ZERO, Vec3::X, Vec3::Y],
            normals: vec![Vec3::Z; 3],
            uvs: vec![Vec2::ZERO, Vec2::X, Vec2::Y],
            colors: vec![[7, 8, 9]; 3],
            triangles: vec![[0, 1, 2]],
            parts: vec![Part { name: "leaf".into(), triangles: 0..1 }],
            materials: vec!["bark".into()],
            looks: vec![look],
            triangle_materials: vec![0],
            marks: UvMarks { pins: [2].into(), ..UvMarks::default() },
            ..Mesh::default()
        };
        let mut packing = Packing::default();
        mesh.pack("low", &mut packing);
        let back = Mesh::unpack("low", &laid_out(packing)).expect("as it was packed");
        assert_eq!((&back.positions, &back.uvs, &back.colors), (&mesh.positions, &mesh.uvs, &mesh.colors));
        assert_eq!((&back.triangles, &back.parts, &back.marks), (&mesh.triangles, &mesh.parts, &mesh.marks));
        assert_eq!(back.looks, mesh.looks);
        let pictures: Vec<_> = back.looks[0].pictures().map(|laid| Arc::as_ptr(&laid.image)).collect();
        assert_eq!(pictures[0], pictures[1], "the picture is held once");

        let mut torn = Packing::default();
        mesh.pack("low", &mut torn);
        torn.sections.retain(|(name, _)| name != "low/normals");
        let fault = Mesh::unpack("low", &laid_out(torn)).expect_err("a section is missing");
        assert!(fault.contains("low/normals"), "{fault}");
    }
}
