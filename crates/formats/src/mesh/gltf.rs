//! glTF 2.0, text and binary. Each node with a mesh becomes a part under the node's name, placed by its transform. Quantised
//! attributes (KHR_mesh_quantization) are read; sparse accessors and compressed primitives are refused by name.
//! Attributes are read by our own bounds-checked code: a hostile accessor gives an error, not a crash.

use super::{Beside, EXPORT_AGAIN, Fault, Siblings};
use crate::image::read_image;
use base64::Engine;
use ember_ridge_core::glam::{Mat3, Mat4, Vec2, Vec3, Vec4};
use ember_ridge_core::mesh::{MaterialLook, NO_MATERIAL};
use ember_ridge_core::sheet::{Image, linear_to_srgb};
use ember_ridge_core::{Draft, DraftPart, Mesh};
use gltf::accessor::{DataType, Dimensions};
use gltf::mesh::Mode;
use gltf::{Accessor, Gltf, Primitive, Semantic};
use percent_encoding::percent_decode_str;
use serde_json::{Value, json};
use std::borrow::Cow;
use std::collections::HashMap;
use std::io::{self, Write};
use std::sync::Arc;

/// The bytes of a buffer: where they lie in the file, or read from elsewhere.
type Buffer<'a> = Cow<'a, [u8]>;

const QUANTISED: &str = "KHR_mesh_quantization";

/// The parser panics at some damaged files (a primitive that names an accessor which is not there); that is their fault, and told.
pub(super) fn read(bytes: &[u8], stem: &str, beside: Beside) -> Result<Draft, Fault> {
    let reading = std::panic::AssertUnwindSafe(|| read_checked(bytes, stem, beside));
    std::panic::catch_unwind(reading)
        .unwrap_or_else(|_| Err(Fault::new("the whole file", "its parts name others that are not there", EXPORT_AGAIN)))
}

fn read_checked(bytes: &[u8], stem: &str, beside: Beside) -> Result<Draft, Fault> {
    let (document, blob) = parse(bytes)?;
    let buffers = load_buffers(&document, blob, beside.siblings)?;
    let mut draft = Draft { looks: looks(&document, &buffers, beside.siblings)?, ..Draft::default() };
    let mut has = Has { normals: true, uvs: false, colors: false, uv_set: beside.uv_set, placed: Vec::new() };
    let scenes: Vec<_> = match document.default_scene() {
        Some(scene) => vec![scene],
        None => document.scenes().collect(),
    };
    for scene in scenes {
        for node in scene.nodes() {
            add_node(&mut draft, &mut has, &buffers, &node, Mat4::IDENTITY, stem, 0)?;
        }
    }
    if !has.normals {
        draft.normals.clear();
    }
    if has.uvs {
        draft.uvs.resize(draft.positions.len(), Vec2::ZERO);
    }
    if has.colors {
        draft.colors.resize(draft.positions.len(), NO_COLOR);
    }
    Ok(draft)
}

/// Of vertices without a colour in a file where others have one: mid-grey.
const NO_COLOR: [u8; 3] = [128; 3];

/// What the primitives carry: normals are kept when all have them, UVs and colours when any has.
struct Has {
    normals: bool,
    uvs: bool,
    colors: bool,
    /// Which UV set is read.
    uv_set: u32,
    /// Vertices placed already, with their first number and count.
    placed: Vec<(SharedVertices, u32, usize)>,
}

#[derive(PartialEq)]
struct SharedVertices {
    attributes: Vec<usize>,
    transform: [f32; 16],
}

/// The document, with the one extension that changes only number types taken off the list of required ones.
fn parse(bytes: &[u8]) -> Result<(Gltf, Option<Buffer<'_>>), Fault> {
    let fault = |e: &dyn std::fmt::Display| Fault::new("the document", e.to_string(), EXPORT_AGAIN);
    let (text, blob) = if bytes.starts_with(b"glTF") {
        let glb = gltf::Glb::from_slice(bytes).map_err(|e| fault(&e))?;
        (glb.json, glb.bin)
    } else {
        (Cow::Borrowed(bytes), None)
    };
    let mut value: Value = serde_json::from_slice(&text).map_err(|e| fault(&e))?;
    if let Some(required) = value.get_mut("extensionsRequired").and_then(Value::as_array_mut) {
        required.retain(|name| name != QUANTISED);
        if let Some(name) = required.first() {
            return Err(Fault::new("extensionsRequired", format!("it needs {name}"), "Export without that extension"));
        }
    }
    let text = serde_json::to_vec(&value).map_err(|e| fault(&e))?;
    Ok((Gltf::from_slice(&text).map_err(|e| fault(&e))?, blob))
}

/// URIs write a space as %20.
fn path_of(uri: &str) -> String {
    percent_decode_str(uri).decode_utf8_lossy().into_owned()
}

fn not_beside(place: &str, path: &str) -> Fault {
    let remedy = format!("Bring in '{path}' together with it, or export as .glb, which holds everything in one file");
    Fault::new(place, format!("'{path}' is not beside it"), remedy)
}

/// The binary chunk is used where it lies; other buffers are decoded or read.
fn load_buffers<'a>(
    document: &Gltf,
    mut blob: Option<Buffer<'a>>,
    siblings: Siblings,
) -> Result<Vec<Buffer<'a>>, Fault> {
    let mut buffers = Vec::new();
    for buffer in document.buffers() {
        let place = format!("buffer {}", buffer.index());
        let data = match buffer.source() {
            gltf::buffer::Source::Bin => blob.take(),
            gltf::buffer::Source::Uri(uri) => match uri.strip_prefix("data:").and_then(|d| d.split_once(";base64,")) {
                Some((_, text)) => base64::engine::general_purpose::STANDARD.decode(text).ok().map(Cow::Owned),
                None => siblings(&path_of(uri)).map(Cow::Owned),
            },
        };
        let data = data.ok_or_else(|| match buffer.source() {
            gltf::buffer::Source::Uri(uri) if !uri.starts_with("data:") => not_beside(&place, &path_of(uri)),
            _ => Fault::new(&*place, "its data is not there", EXPORT_AGAIN),
        })?;
        if data.len() < buffer.length() {
            let fault = format!("it announces {} bytes and holds {}", buffer.length(), data.len());
            return Err(Fault::new(place, fault, EXPORT_AGAIN));
        }
        buffers.push(data);
    }
    Ok(buffers)
}

fn material_name(material: &gltf::Material) -> String {
    material.name().map_or_else(|| format!("material {}", material.index().unwrap_or_default()), str::to_owned)
}

/// Base colours and their textures, by material.
fn looks(document: &Gltf, buffers: &[Buffer], siblings: Siblings) -> Result<HashMap<String, MaterialLook>, Fault> {
    let mut looks = HashMap::new();
    for material in document.materials() {
        let surface = material.pbr_metallic_roughness();
        let [r, g, b, _] = surface.base_color_factor();
        let texture = match surface.base_color_texture() {
            Some(info) => {
                let image = info.texture().source();
                let place = format!("material '{}', image {}", material_name(&material), image.index());
                Some(Arc::new(texture(&image, buffers, siblings, &place)?))
            }
            None => None,
        };
        if texture.is_some() || [r, g, b] != [1.0; 3] {
            looks.insert(material_name(&material), MaterialLook { color: [r, g, b], texture });
        }
    }
    Ok(looks)
}

fn texture(image: &gltf::Image, buffers: &[Buffer], siblings: Siblings, place: &str) -> Result<Image, Fault> {
    let missing = || Fault::new(place, "its data is not there", EXPORT_AGAIN);
    let (name, bytes) = match image.source() {
        gltf::image::Source::View { view, mime_type } => {
            let end = view.offset().checked_add(view.length()).ok_or_else(missing)?;
            let bytes = buffers.get(view.buffer().index()).and_then(|b| b.get(view.offset()..end));
            (mime_type.replace('/', "."), bytes.ok_or_else(missing)?.to_vec())
        }
        gltf::image::Source::Uri { uri, .. } => {
            match uri.strip_prefix("data:").and_then(|d| d.split_once(";base64,")) {
                Some((kind, text)) => {
                    let bytes = base64::engine::general_purpose::STANDARD.decode(text).map_err(|_| missing())?;
                    (kind.replace('/', "."), bytes)
                }
                None => {
                    let path = path_of(uri);
                    let bytes = siblings(&path).ok_or_else(|| not_beside(place, &path))?;
                    (path, bytes)
                }
            }
        }
    };
    read_image(&name, &bytes).map_err(|f| Fault::new(place, f.fault, f.remedy))
}

fn add_node(
    draft: &mut Draft,
    has: &mut Has,
    buffers: &[Buffer],
    node: &gltf::Node,
    above: Mat4,
    stem: &str,
    depth: usize,
) -> Result<(), Fault> {
    if depth > 256 {
        return Err(Fault::new("the node tree", "it is more than 256 levels deep", EXPORT_AGAIN));
    }
    let transform = above * Mat4::from_cols_array_2d(&node.transform().matrix());
    if let Some(mesh) = node.mesh() {
        let name = node.name().or(mesh.name()).unwrap_or(stem);
        for primitive in mesh.primitives() {
            add_primitive(draft, has, buffers, &primitive, transform, name)?;
        }
    }
    for child in node.children() {
        add_node(draft, has, buffers, &child, transform, stem, depth + 1)?;
    }
    Ok(())
}

fn add_primitive(
    draft: &mut Draft,
    has: &mut Has,
    buffers: &[Buffer],
    primitive: &Primitive,
    transform: Mat4,
    name: &str,
) -> Result<(), Fault> {
    if primitive.mode() != Mode::Triangles {
        return match primitive.mode() {
            Mode::TriangleStrip | Mode::TriangleFan => Err(Fault::new(
                format!("part '{name}'"),
                "it is made of triangle strips or fans",
                "Export plain triangles",
            )),
            // Points and lines cannot be baked; the rest of the file can.
            _ => Ok(()),
        };
    }
    let place = |what: &str| format!("part '{name}', {what}");
    let Some(accessor) = primitive.get(&Semantic::Positions) else { return Ok(()) };
    // Primitives that share their attributes (one vertex list, one index list a part) share their vertices here too.
    let shared = SharedVertices {
        attributes: primitive.attributes().map(|(_, a)| a.index()).collect(),
        transform: transform.to_cols_array(),
    };
    if let Some(&(_, first, count)) = has.placed.iter().find(|(s, ..)| *s == shared) {
        return add_faces(draft, buffers, primitive, transform, name, first, count);
    }
    let first = draft.positions.len();
    let positions = read_floats(&accessor, buffers, &place("positions"))?;
    let count = positions.len();
    let whole = first + count;
    draft.positions.extend(positions.map(|p| transform.transform_point3(p.truncate())));

    let read_matching = |semantic: Semantic, what: &str| {
        let Some(accessor) = primitive.get(&semantic) else { return Ok(None) };
        let values = read_floats(&accessor, buffers, &place(what))?;
        if values.len() != count {
            let fault = format!("{} of them for {count} vertices", values.len());
            return Err(Fault::new(place(what), fault, EXPORT_AGAIN));
        }
        Ok(Some(values))
    };
    // Normals go by the inverse transpose.
    let turn = Mat3::from_mat4(transform).inverse().transpose();
    match read_matching(Semantic::Normals, "normals")? {
        Some(normals) => draft.normals.extend(normals.map(|n| (turn * n.truncate()).normalize_or_zero())),
        None => has.normals = false,
    }
    draft.normals.resize(whole, Vec3::ZERO);
    // UVs and colours take room only once a primitive has some.
    if let Some(uvs) = read_matching(Semantic::TexCoords(has.uv_set), "UVs")? {
        has.uvs = true;
        draft.uvs.resize(first, Vec2::ZERO);
        draft.uvs.extend(uvs.map(|t| Vec2::new(t.x, 1.0 - t.y)));
    }
    if let Some(colors) = read_matching(Semantic::Colors(0), "colours")? {
        has.colors = true;
        draft.colors.resize(first, NO_COLOR);
        draft.colors.extend(colors.map(|c| [c.x, c.y, c.z].map(srgb_byte)));
    }

    let first = first as u32;
    has.placed.push((shared, first, count));
    add_faces(draft, buffers, primitive, transform, name, first, count)
}

fn add_faces(
    draft: &mut Draft,
    buffers: &[Buffer],
    primitive: &Primitive,
    transform: Mat4,
    name: &str,
    first: u32,
    count: usize,
) -> Result<(), Fault> {
    let place = format!("part '{name}', indices");
    let mut indices = match primitive.indices() {
        Some(accessor) => read_indices(&accessor, buffers, &place)?,
        None => (0..count as u32).collect(),
    };
    if let Some(&out) = indices.iter().find(|&&i| i as usize >= count) {
        let fault = format!("index {out} with {count} vertices");
        return Err(Fault::new(place, fault, EXPORT_AGAIN));
    }
    indices.iter_mut().for_each(|i| *i += first);
    // A mirroring transform turns faces round.
    if transform.determinant() < 0.0 {
        indices.as_chunks_mut::<3>().0.iter_mut().for_each(|t| t.swap(1, 2));
    }
    draft.parts.push(DraftPart {
        name: name.to_owned(),
        material: primitive.material().index().map(|_| material_name(&primitive.material())),
        indices,
        corners: Vec::new(),
    });
    Ok(())
}

/// glTF vertex colours are linear; ours are sRGB-encoded bytes.
fn srgb_byte(x: f32) -> u8 {
    (linear_to_srgb(x.clamp(0.0, 1.0)) * 255.0).round() as u8
}

/// The bytes of each element of an accessor, checked against the buffer's end.
fn elements<'a>(
    accessor: &Accessor,
    buffers: &'a [Buffer],
    place: &str,
) -> Result<impl ExactSizeIterator<Item = &'a [u8]> + use<'a>, Fault> {
    let refuse = |fault: String| Err(Fault::new(place, fault, EXPORT_AGAIN));
    if accessor.sparse().is_some() {
        return Err(Fault::new(place, "it is stored sparsely", "Export without morph or sparse data"));
    }
    let Some(view) = accessor.view() else { return refuse("it has no data".into()) };
    let size = accessor.size();
    let stride = view.stride().unwrap_or(size);
    let start = view.offset().checked_add(accessor.offset());
    let length = stride.checked_mul(accessor.count().saturating_sub(1)).and_then(|l| l.checked_add(size));
    let span = start.zip(length).and_then(|(start, length)| start.checked_add(length).map(|end| start..end));
    let data = buffers.get(view.buffer().index());
    let Some(bytes) = span.zip(data).and_then(|(span, data)| data.get(span)) else {
        return refuse(format!("{} entries do not fit in the buffer", accessor.count()));
    };
    if stride < size {
        return refuse(format!("its stride of {stride} bytes is less than its size of {size}"));
    }
    Ok((0..accessor.count()).map(move |i| &bytes[i * stride..i * stride + size]))
}

/// The entries of an accessor; lanes it does not have are zero.
fn read_floats<'a>(
    accessor: &Accessor,
    buffers: &'a [Buffer],
    place: &str,
) -> Result<impl ExactSizeIterator<Item = Vec4> + use<'a>, Fault> {
    let lanes = match accessor.dimensions() {
        Dimensions::Vec2 => 2,
        Dimensions::Vec3 => 3,
        Dimensions::Vec4 => 4,
        other => return Err(Fault::new(place, format!("it holds {other:?}"), EXPORT_AGAIN)),
    };
    let kind = accessor.data_type();
    let scale = match (accessor.normalized(), kind) {
        (true, DataType::U8) => 1.0 / 255.0,
        (true, DataType::I8) => 1.0 / 127.0,
        (true, DataType::U16) => 1.0 / 65535.0,
        (true, DataType::I16) => 1.0 / 32767.0,
        _ => 1.0,
    };
    let lane = move |b: &[u8]| match kind {
        DataType::U8 => f32::from(b[0]),
        DataType::I8 => f32::from(b[0] as i8).max(if scale == 1.0 { -128.0 } else { -127.0 }),
        DataType::U16 => f32::from(u16::from_le_bytes([b[0], b[1]])),
        DataType::I16 => {
            f32::from(i16::from_le_bytes([b[0], b[1]])).max(if scale == 1.0 { -32768.0 } else { -32767.0 })
        }
        DataType::U32 => u32::from_le_bytes([b[0], b[1], b[2], b[3]]) as f32,
        DataType::F32 => f32::from_le_bytes([b[0], b[1], b[2], b[3]]),
    };
    let read = move |element: &[u8]| {
        let mut value = [0.0; 4];
        for (slot, bytes) in value.iter_mut().zip(element.chunks_exact(kind.size())).take(lanes) {
            *slot = lane(bytes) * scale;
        }
        Vec4::from(value)
    };
    Ok(elements(accessor, buffers, place)?.map(read))
}

fn read_indices(accessor: &Accessor, buffers: &[Buffer], place: &str) -> Result<Vec<u32>, Fault> {
    let kind = accessor.data_type();
    if accessor.dimensions() != Dimensions::Scalar || !matches!(kind, DataType::U8 | DataType::U16 | DataType::U32) {
        return Err(Fault::new(place, format!("they are {kind:?}"), EXPORT_AGAIN));
    }
    let read = |b: &[u8]| b.iter().rev().fold(0u32, |sum, &byte| sum << 8 | u32::from(byte));
    Ok(elements(accessor, buffers, place)?.map(read).collect())
}

/// Writes a mesh as GLB: one node a part, with normals, and UVs, colours and material names where it has them.
///
/// # Errors
/// What the writer answers.
pub fn write_glb(out: &mut dyn Write, mesh: &Mesh) -> io::Result<()> {
    let mut bin: Vec<u8> = Vec::new();
    let mut views = Vec::new();
    let mut accessors = Vec::new();
    let (low, high) = mesh.bounds();
    let mut add = |data: &[u8], target: u32, kind: &str, component: u32, count: usize, extra: Value| {
        while !bin.len().is_multiple_of(4) {
            bin.push(0);
        }
        views.push(json!({ "buffer": 0, "byteOffset": bin.len(), "byteLength": data.len(), "target": target }));
        bin.extend_from_slice(data);
        let mut accessor =
            json!({ "bufferView": views.len() - 1, "componentType": component, "count": count, "type": kind });
        if let (Some(into), Value::Object(extra)) = (accessor.as_object_mut(), extra) {
            into.extend(extra);
        }
        accessors.push(accessor);
        accessors.len() - 1
    };
    const FLOAT: u32 = 5126;
    const UNSIGNED: u32 = 5125;
    const VERTICES: u32 = 34962;
    const INDICES: u32 = 34963;
    let count = mesh.positions.len();
    let floats = |values: &mut dyn Iterator<Item = f32>| values.flat_map(f32::to_le_bytes).collect::<Vec<u8>>();
    let positions = floats(&mut mesh.positions.iter().flat_map(|p| p.to_array()));
    let bounds = json!({ "min": low.to_array(), "max": high.to_array() });
    let mut attributes = serde_json::Map::new();
    attributes.insert("POSITION".into(), add(&positions, VERTICES, "VEC3", FLOAT, count, bounds).into());
    let normals = floats(&mut mesh.normals.iter().flat_map(|n| n.to_array()));
    attributes.insert("NORMAL".into(), add(&normals, VERTICES, "VEC3", FLOAT, count, Value::Null).into());
    if !mesh.uvs.is_empty() {
        let uvs = floats(&mut mesh.uvs.iter().flat_map(|t| [t.x, 1.0 - t.y]));
        attributes.insert("TEXCOORD_0".into(), add(&uvs, VERTICES, "VEC2", FLOAT, count, Value::Null).into());
    }
    if !mesh.colors.is_empty() {
        let linear = |byte: u8| {
            let x = f32::from(byte) / 255.0;
            if x <= 0.04045 { x / 12.92 } else { ((x + 0.055) / 1.055).powf(2.4) }
        };
        let bytes: Vec<u8> = mesh
            .colors
            .iter()
            .flat_map(|c| [c[0], c[1], c[2], 255])
            .enumerate()
            .flat_map(|(i, b)| {
                let value = if i % 4 == 3 { u16::MAX } else { (linear(b) * 65535.0).round() as u16 };
                value.to_le_bytes()
            })
            .collect();
        let normalised = json!({ "normalized": true });
        attributes.insert("COLOR_0".into(), add(&bytes, VERTICES, "VEC4", 5123, count, normalised).into());
    }
    let mut meshes = Vec::new();
    let mut nodes = Vec::new();
    for part in &mesh.parts {
        let mut primitives = Vec::new();
        let range = part.triangles.start as usize..part.triangles.end as usize;
        let material_of = |t: usize| mesh.triangle_materials.get(t).copied().unwrap_or(NO_MATERIAL);
        let ids: Vec<usize> = range.collect();
        for run in ids.chunk_by(|&a, &b| material_of(a) == material_of(b)) {
            let bytes: Vec<u8> = run.iter().flat_map(|&t| mesh.triangles[t]).flat_map(u32::to_le_bytes).collect();
            let indices = add(&bytes, INDICES, "SCALAR", UNSIGNED, run.len() * 3, Value::Null);
            let mut primitive = json!({ "attributes": attributes, "indices": indices });
            if material_of(run[0]) != NO_MATERIAL {
                primitive["material"] = material_of(run[0]).into();
            }
            primitives.push(primitive);
        }
        nodes.push(json!({ "mesh": meshes.len(), "name": part.name }));
        meshes.push(json!({ "name": part.name, "primitives": primitives }));
    }
    while !bin.len().is_multiple_of(4) {
        bin.push(0);
    }
    let mut document = json!({
        "asset": { "version": "2.0", "generator": "Ember Ridge" },
        "scene": 0,
        "scenes": [{ "nodes": (0..nodes.len()).collect::<Vec<_>>() }],
        "nodes": nodes, "meshes": meshes, "accessors": accessors, "bufferViews": views,
        "buffers": [{ "byteLength": bin.len() }],
    });
    if !mesh.materials.is_empty() {
        document["materials"] = mesh.materials.iter().map(|m| json!({ "name": m })).collect();
    }
    let mut text = serde_json::to_vec(&document)?;
    while !text.len().is_multiple_of(4) {
        text.push(b' ');
    }
    out.write_all(b"glTF")?;
    for word in [2, (28 + text.len() + bin.len()) as u32, text.len() as u32] {
        out.write_all(&word.to_le_bytes())?;
    }
    out.write_all(b"JSON")?;
    out.write_all(&text)?;
    out.write_all(&(bin.len() as u32).to_le_bytes())?;
    out.write_all(b"BIN\0")?;
    out.write_all(&bin)
}
