//! What materials look like: base colours, and the pictures laid over them.

use super::document::{Document, inline, path_of};
use crate::image::read_image_within;
use crate::mesh::{MOST_PICTURE_BYTES, Siblings, tell};
use ember_ridge_core::glam::{Affine2, Mat2, Vec2, vec2};
use ember_ridge_core::mesh::{Alpha, Laid, MaterialLook, ReadNote, Surface};
use ember_ridge_core::picture::{Coding, Image, Sampler, Wrap};
use gltf::material::AlphaMode;
use gltf::texture::{MagFilter, WrappingMode};
use std::collections::{HashMap, HashSet};
use std::sync::Arc;

/// Names of the materials, each its own: one that stands twice is numbered from its second on, so that each keeps its look and its
/// sheet.
pub(super) fn names(gltf: &gltf::Document) -> Vec<String> {
    let mut taken = HashSet::new();
    let mut names = Vec::new();
    for (number, material) in gltf.materials().enumerate() {
        let plain = material.name().map_or_else(|| format!("material {number}"), str::to_owned);
        let numbered = (2..).map(|n| format!("{plain} ({n})"));
        let name = std::iter::once(plain.clone()).chain(numbered).find(|name| !taken.contains(name));
        let name = name.unwrap_or(plain);
        taken.insert(name.clone());
        names.push(name);
    }
    names
}

/// A texture of a material: which, the UV set it lies on, and how it is placed there.
struct Named<'a> {
    texture: gltf::Texture<'a>,
    set: u32,
    placing: Option<Affine2>,
}

impl<'a> Named<'a> {
    fn of(info: &gltf::texture::Info<'a>) -> Named<'a> {
        let transform = info.texture_transform();
        let set = transform.as_ref().and_then(|t| t.tex_coord()).unwrap_or_else(|| info.tex_coord());
        let placing = transform.map(|t| placing(t.offset(), t.rotation(), t.scale()));
        Named { texture: info.texture(), set, placing }
    }

    /// Of a normal texture, whose transform is not among what the parser knows.
    fn of_normal(info: &gltf::material::NormalTexture<'a>) -> Named<'a> {
        let transform = info.extension_value("KHR_texture_transform");
        let number = |value: &serde_json::Value| value.as_f64().map(|x| x as f32);
        let pair = |name: &str, default: [f32; 2]| {
            let found = transform.and_then(|t| t.get(name)?.as_array()).filter(|list| list.len() == 2);
            found.and_then(|list| Some([number(&list[0])?, number(&list[1])?])).unwrap_or(default)
        };
        let set = transform.and_then(|t| t.get("texCoord")?.as_u64()).and_then(|set| u32::try_from(set).ok());
        let turn = transform.and_then(|t| t.get("rotation")).and_then(number).unwrap_or(0.0);
        Named {
            texture: info.texture(),
            set: set.unwrap_or_else(|| info.tex_coord()),
            placing: transform.map(|_| placing(pair("offset", [0.0; 2]), turn, pair("scale", [1.0; 2]))),
        }
    }
}

/// From UVs to those of a picture with a texture transform.
fn placing(offset: [f32; 2], rotation: f32, scale: [f32; 2]) -> Affine2 {
    let (sin, cos) = libm::sincosf(rotation);
    let turn = Mat2::from_cols(vec2(cos, -sin), vec2(sin, cos));
    let scale = Mat2::from_diagonal(Vec2::from(scale));
    // There V runs downward, here upward.
    let flip = Affine2::from_mat2_translation(Mat2::from_diagonal(vec2(1.0, -1.0)), vec2(0.0, 1.0));
    flip * Affine2::from_mat2_translation(turn * scale, Vec2::from(offset)) * flip
}

/// The UV set that a material's pictures lie on, told by the first of them; none without one.
pub(super) fn texture_set(material: &gltf::Material) -> Option<u32> {
    let surface = material.pbr_metallic_roughness();
    let first = surface.base_color_texture().or_else(|| surface.metallic_roughness_texture());
    let named = first.or_else(|| material.emissive_texture()).map(|info| Named::of(&info));
    let named = named.or_else(|| material.normal_texture().map(|info| Named::of_normal(&info)));
    named.map(|named| named.set)
}

/// Reads the pictures of materials, each once.
struct Pictures<'a, 'b> {
    document: &'a Document<'b>,
    siblings: Siblings<'a>,
    notes: &'a mut Vec<ReadNote>,
    uv_set: Option<u32>,
    /// By image and by whether its numbers are light.
    read: HashMap<(usize, bool), Option<Arc<Image>>>,
    /// Bytes of all.
    whole: u64,
}

impl Pictures<'_, '_> {
    /// A texture of a material whose pictures lie on `set`. One that cannot be read is left out and noted: the mesh does not
    /// need it. `linear`: its numbers are data, not colours for the eye.
    fn laid(&mut self, material: &str, set: Option<u32>, named: Named, linear: bool) -> Option<Laid> {
        if Some(named.set) != set && Some(named.set) != self.uv_set {
            let reason = format!(
                "Material '{material}': one of its textures was left out: it lies on UV set {}, and others are read",
                named.set + 1
            );
            tell(
                self.notes,
                None,
                reason,
                "Put all textures of a material on one UV set, and choose that for textures",
            );
            return None;
        }
        let image = named.texture.source();
        let (document, siblings, notes, whole) = (self.document, self.siblings, &mut *self.notes, &mut self.whole);
        let picture = self.read.entry((image.index(), linear)).or_insert_with(|| {
            match texture(document, &image, siblings, MOST_PICTURE_BYTES.saturating_sub(*whole)) {
                Ok(mut picture) => {
                    *whole += picture.bytes();
                    if linear {
                        picture.coding = Coding::Linear;
                    }
                    Some(Arc::new(picture))
                }
                Err((fault, remedy)) => {
                    let reason = format!("Material '{material}': its texture was left out: {fault}");
                    tell(notes, None, reason, &remedy);
                    None
                }
            }
        });
        let sampler = sampler_of(&named.texture.sampler());
        let on_texture_uvs = Some(named.set) != self.uv_set;
        picture.clone().map(|image| Laid { image, sampler, placing: named.placing, on_texture_uvs })
    }
}

/// What materials look like, by name. `uv_set`: the one that is baked; `texture_set`: the one that textures lie on, where it is chosen.
pub(super) fn looks(
    document: &Document,
    names: &[String],
    siblings: Siblings,
    uv_set: Option<u32>,
    texture_set: Option<u32>,
    notes: &mut Vec<ReadNote>,
) -> HashMap<String, MaterialLook> {
    let mut pictures = Pictures { document, siblings, notes, uv_set, read: HashMap::new(), whole: 0 };
    let mut looks = HashMap::new();
    for (material, name) in document.gltf.materials().zip(names) {
        let surface = material.pbr_metallic_roughness();
        let set = texture_set.or_else(|| self::texture_set(&material));
        let mut laid = |info: Option<gltf::texture::Info>, linear| {
            info.and_then(|info| pictures.laid(name, set, Named::of(&info), linear))
        };
        let [r, g, b, opacity] = surface.base_color_factor();
        let picture = laid(surface.base_color_texture(), false);
        let rough_metal = laid(surface.metallic_roughness_texture(), true);
        let emission_picture = laid(material.emissive_texture(), false);
        let normal = material.normal_texture();
        let strength = normal.as_ref().map_or(1.0, gltf::material::NormalTexture::scale);
        let normal = normal.and_then(|info| pictures.laid(name, set, Named::of_normal(&info), true));
        let told = Surface {
            roughness: surface.roughness_factor(),
            metallic: surface.metallic_factor(),
            rough_metal,
            emission: material.emissive_factor().map(|x| x * material.emissive_strength().unwrap_or(1.0)),
            emission_picture,
            normal: normal.map(|laid| (laid, strength)),
            alpha: match material.alpha_mode() {
                AlphaMode::Opaque => Alpha::Opaque,
                AlphaMode::Mask => Alpha::Mask(material.alpha_cutoff().unwrap_or(0.5)),
                AlphaMode::Blend => Alpha::Blend,
            },
            opacity,
        };
        let look = MaterialLook { color: [r, g, b], picture, times_vertices: true, surface: Some(told) };
        looks.insert(name.clone(), look);
    }
    // By the standard a material that says nothing is rough metal; a file of which all are such tells of no surface.
    if looks.values().all(|look: &MaterialLook| look.surface == Some(Surface::default())) {
        looks.values_mut().for_each(|look| look.surface = None);
    }
    looks
}

fn sampler_of(sampler: &gltf::texture::Sampler) -> Sampler {
    let wrap = |mode| match mode {
        WrappingMode::Repeat => Wrap::Repeat,
        WrappingMode::ClampToEdge => Wrap::Clamp,
        WrappingMode::MirroredRepeat => Wrap::Mirror,
    };
    Sampler {
        wrap: [wrap(sampler.wrap_s()), wrap(sampler.wrap_t())],
        nearest: sampler.mag_filter() == Some(MagFilter::Nearest),
    }
}

/// A picture, or why it is not read and what to do.
fn texture(
    document: &Document,
    image: &gltf::Image,
    siblings: Siblings,
    most_bytes: u64,
) -> Result<Image, (String, String)> {
    let missing = || ("its data is not there".to_owned(), "Export it again".to_owned());
    let (name, bytes) = match image.source() {
        gltf::image::Source::View { view, mime_type } => {
            let end = view.offset().checked_add(view.length()).ok_or_else(missing)?;
            let bytes = document.buffers.get(view.buffer().index()).and_then(|b| b.get(view.offset()..end));
            (mime_type.replace('/', "."), bytes.ok_or_else(missing)?.to_vec())
        }
        gltf::image::Source::Uri { uri, .. } => match inline(uri) {
            Some(decoded) => {
                let (kind, bytes) = decoded.map_err(|()| missing())?;
                (kind.replace('/', "."), bytes)
            }
            None => {
                let path = path_of(uri);
                let remedy = format!("Import '{path}' together with it, or export as .glb, which is a single file");
                let bytes = siblings(&path).ok_or((format!("'{path}' is not beside it"), remedy))?;
                (path, bytes)
            }
        },
    };
    read_image_within(&name, &bytes, most_bytes).map_err(|f| (f.fault, f.remedy))
}
