//! A mesh as GLB: one node a part, one list of vertices for all.

use ember_ridge_core::Mesh;
use ember_ridge_core::mesh::NO_MATERIAL;
use serde_json::{Value, json};
use std::io::{self, Write};

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
