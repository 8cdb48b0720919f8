//! What materials look like: base colours, and the pictures laid over them.

use super::document::{Document, inline, path_of};
use crate::image::read_image_within;
use crate::mesh::{MOST_PICTURE_BYTES, Siblings, tell};
use ember_ridge_core::glam::{Affine2, Mat2, Vec2, vec2};
use ember_ridge_core::mesh::{MaterialLook, ReadNote};
use ember_ridge_core::sheet::{Image, Sampler, Wrap};
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

/// The UV set that a material's base colour texture lies on; none without one.
pub(super) fn texture_set(material: &gltf::Material) -> Option<u32> {
    let info = material.pbr_metallic_roughness().base_color_texture()?;
    Some(info.texture_transform().and_then(|t| t.tex_coord()).unwrap_or_else(|| info.tex_coord()))
}

/// Base colours and their textures, by material. A texture that cannot be read is left out and noted: the mesh does not need it.
pub(super) fn looks(
    document: &Document,
    names: &[String],
    siblings: Siblings,
    notes: &mut Vec<ReadNote>,
) -> HashMap<String, MaterialLook> {
    let mut looks = HashMap::new();
    let mut read: HashMap<usize, Option<Arc<Image>>> = HashMap::new();
    let mut whole = 0u64;
    for (material, name) in document.gltf.materials().zip(names) {
        let surface = material.pbr_metallic_roughness();
        let [r, g, b, _] = surface.base_color_factor();
        let mut look = MaterialLook { color: [r, g, b], times_vertices: true, ..MaterialLook::default() };
        if let Some(info) = surface.base_color_texture() {
            let image = info.texture().source();
            let picture = read.entry(image.index()).or_insert_with(|| {
                match texture(document, &image, siblings, MOST_PICTURE_BYTES.saturating_sub(whole)) {
                    Ok(picture) => {
                        whole += picture.bytes();
                        Some(Arc::new(picture))
                    }
                    Err((fault, remedy)) => {
                        let reason = format!("Material '{name}': its texture was left out: {fault}");
                        tell(notes, None, reason, &remedy);
                        None
                    }
                }
            });
            look.texture.clone_from(picture);
            look.sampler = sampler_of(&info.texture().sampler());
            look.placing = info.texture_transform().map(|t| {
                let (sin, cos) = t.rotation().sin_cos();
                let turn = Mat2::from_cols(vec2(cos, -sin), vec2(sin, cos));
                let scale = Mat2::from_diagonal(Vec2::from(t.scale()));
                // There V runs downward, here upward.
                let flip = Affine2::from_mat2_translation(Mat2::from_diagonal(vec2(1.0, -1.0)), vec2(0.0, 1.0));
                flip * Affine2::from_mat2_translation(turn * scale, Vec2::from(t.offset())) * flip
            });
        }
        if look.texture.is_some() || look.color != [1.0; 3] {
            looks.insert(name.clone(), look);
        }
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
