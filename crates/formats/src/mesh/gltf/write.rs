//! A mesh as GLB: one node a part, one list of vertices for all.

use super::chunks::{FLOAT, INDICES, Numbers, SHORT, UNSIGNED, VERTICES, floats};
use ember_ridge_core::Mesh;
use ember_ridge_core::mesh::NO_MATERIAL;
use serde_json::{Value, json};
use std::io::{self, Write};

/// Writes a mesh as GLB: one node a part, with normals, and UVs, colours and material names where it has them.
///
/// # Errors
/// What the writer answers.
pub fn write_glb(out: &mut dyn Write, mesh: &Mesh) -> io::Result<()> {
    let mut numbers = Numbers::default();
    let (low, high) = mesh.bounds();
    let count = mesh.positions.len();
    let positions = floats(mesh.positions.iter().flat_map(|p| p.to_array()));
    let bounds = json!({ "min": low.to_array(), "max": high.to_array() });
    let mut attributes = serde_json::Map::new();
    attributes.insert("POSITION".into(), numbers.add(&positions, VERTICES, "VEC3", FLOAT, count, bounds).into());
    let normals = floats(mesh.normals.iter().flat_map(|n| n.to_array()));
    attributes.insert("NORMAL".into(), numbers.add(&normals, VERTICES, "VEC3", FLOAT, count, Value::Null).into());
    if !mesh.uvs.is_empty() {
        let uvs = floats(mesh.uvs.iter().flat_map(|t| [t.x, 1.0 - t.y]));
        attributes.insert("TEXCOORD_0".into(), numbers.add(&uvs, VERTICES, "VEC2", FLOAT, count, Value::Null).into());
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
        attributes.insert("COLOR_0".into(), numbers.add(&bytes, VERTICES, "VEC4", SHORT, count, normalised).into());
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
            let indices = numbers.add(&bytes, INDICES, "SCALAR", UNSIGNED, run.len() * 3, Value::Null);
            let mut primitive = json!({ "attributes": attributes, "indices": indices });
            if material_of(run[0]) != NO_MATERIAL {
                primitive["material"] = material_of(run[0]).into();
            }
            primitives.push(primitive);
        }
        nodes.push(json!({ "mesh": meshes.len(), "name": part.name }));
        meshes.push(json!({ "name": part.name, "primitives": primitives }));
    }
    let mut document = json!({
        "asset": { "version": "2.0", "generator": "Ember Ridge" },
        "scene": 0,
        "scenes": [{ "nodes": (0..nodes.len()).collect::<Vec<_>>() }],
        "nodes": nodes, "meshes": meshes,
    });
    if !mesh.materials.is_empty() {
        document["materials"] = mesh.materials.iter().map(|m| json!({ "name": m })).collect();
    }
    numbers.write(out, document, Vec::new())
}
