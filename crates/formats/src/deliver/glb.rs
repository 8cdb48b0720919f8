//! The low-poly of a delivery as GLB: split where tangents part, with the tangents that the maps were baked with, and its textures
//! as glTF 2.0 packs them.

use crate::mesh::chunks::{FLOAT, INDICES, Numbers, UNSIGNED, VERTICES, floats};
use ember_ridge_core::Mesh;
use ember_ridge_core::deliver::PLAIN_ROUGHNESS;
use ember_ridge_core::glam::Vec3;
use ember_ridge_core::mesh::corner_tangents;
use serde_json::{Map, Value, json};
use std::collections::HashMap;
use std::fs::File;
use std::io::{self, BufReader, Read, Write};
use std::path::PathBuf;

/// Textures of one material, as PNG files that are copied into the GLB. A material without one has its factors alone.
#[derive(Clone, Debug, Default)]
pub struct GlbMaterial {
    pub name: String,
    /// Red, green, blue: colour, sRGB; alpha: opacity.
    pub base_color: Option<PathBuf>,
    /// Red: occlusion; green: roughness; blue: metallic.
    pub occlusion_roughness_metallic: Option<PathBuf>,
    /// Tangent space, Y+.
    pub normal: Option<PathBuf>,
    pub emissive: Option<PathBuf>,
    /// Light passes where its opacity is below 1.
    pub see_through: bool,
    /// Whether occlusion was baked.
    pub occluded: bool,
}

/// Writes a low-poly with its materials; `material_of` tells of a triangle which it has.
///
/// # Errors
/// What the writer or a texture's file answers, or a file of 4 GiB and more.
pub fn write_textured_glb(
    out: &mut dyn Write,
    mesh: &Mesh,
    materials: &[GlbMaterial],
    material_of: &dyn Fn(u32) -> usize,
) -> io::Result<()> {
    let tangents = if mesh.uvs.is_empty() { Vec::new() } else { corner_tangents(mesh) };
    let mut numbers = Numbers::default();
    let (mut nodes, mut meshes) = (Vec::new(), Vec::new());
    for part in &mesh.parts {
        let mut primitives = Vec::new();
        for material in 0..materials.len().max(1) {
            let triangles: Vec<u32> = part.triangles.clone().filter(|t| material_of(*t) == material).collect();
            if !triangles.is_empty() {
                let mut primitive = primitive(&mut numbers, mesh, &tangents, &triangles);
                if !materials.is_empty() {
                    primitive["material"] = material.into();
                }
                primitives.push(primitive);
            }
        }
        if !primitives.is_empty() {
            nodes.push(json!({ "mesh": meshes.len(), "name": part.name }));
            meshes.push(json!({ "name": part.name, "primitives": primitives }));
        }
    }
    let mut textures = Textures::default();
    let first_view = numbers.views.len();
    let materials: Vec<Value> = materials.iter().map(|material| textures.material(material)).collect();
    let files = textures.files.iter().map(|path| -> io::Result<(u64, Box<dyn Read>)> {
        let file = File::open(path)?;
        Ok((file.metadata()?.len(), Box::new(BufReader::new(file))))
    });
    let files = files.collect::<io::Result<Vec<_>>>()?;
    let mut document = json!({
        "asset": { "version": "2.0", "generator": "Ember Ridge" },
        "scene": 0,
        "scenes": [{ "nodes": (0..nodes.len()).collect::<Vec<_>>() }],
        "nodes": nodes, "meshes": meshes, "materials": materials,
    });
    if !files.is_empty() {
        document["samplers"] = json!([{ "magFilter": 9729, "minFilter": 9987, "wrapS": 10497, "wrapT": 10497 }]);
        document["images"] =
            (0..files.len()).map(|at| json!({ "bufferView": first_view + at, "mimeType": "image/png" })).collect();
        document["textures"] = (0..files.len()).map(|at| json!({ "source": at, "sampler": 0 })).collect();
    }
    numbers.write(out, document, files)
}

/// Triangles as a primitive with vertices of its own, one where position, normal, UV and tangent agree.
fn primitive(
    numbers: &mut Numbers,
    mesh: &Mesh,
    tangents: &[[ember_ridge_core::mesh::CornerTangent; 3]],
    triangles: &[u32],
) -> Value {
    let mut known: HashMap<(u32, [u32; 4]), u32> = HashMap::new();
    let mut vertices: Vec<(u32, [f32; 4])> = Vec::new();
    let mut indices: Vec<u32> = Vec::with_capacity(triangles.len() * 3);
    for &triangle in triangles {
        for corner in 0..3 {
            let vertex = mesh.triangles[triangle as usize][corner];
            let tangent = tangents.get(triangle as usize).map_or([0.0; 4], |corners| {
                let Vec3 { x, y, z } = corners[corner].tangent;
                [x, y, z, corners[corner].sign]
            });
            let index = *known.entry((vertex, tangent.map(f32::to_bits))).or_insert_with(|| {
                vertices.push((vertex, tangent));
                vertices.len() as u32 - 1
            });
            indices.push(index);
        }
    }
    let count = vertices.len();
    let position = |vertex: u32| mesh.positions[vertex as usize];
    let corners = || vertices.iter().map(|(vertex, _)| position(*vertex));
    let low = corners().fold(Vec3::INFINITY, Vec3::min);
    let high = corners().fold(Vec3::NEG_INFINITY, Vec3::max);
    let mut attributes = Map::new();
    let mut add = |name: &str, data: Vec<u8>, kind: &str, extra: Value| {
        attributes.insert(name.to_owned(), numbers.add(&data, VERTICES, kind, FLOAT, count, extra).into());
    };
    let bounds = json!({ "min": low.to_array(), "max": high.to_array() });
    add("POSITION", floats(corners().flat_map(|p| p.to_array())), "VEC3", bounds);
    let normals = vertices.iter().flat_map(|(vertex, _)| mesh.normals[*vertex as usize].to_array());
    add("NORMAL", floats(normals), "VEC3", Value::Null);
    if !mesh.uvs.is_empty() {
        let uvs = vertices.iter().map(|(vertex, _)| mesh.uvs[*vertex as usize]).flat_map(|uv| [uv.x, 1.0 - uv.y]);
        add("TEXCOORD_0", floats(uvs), "VEC2", Value::Null);
        add("TANGENT", floats(vertices.iter().flat_map(|(_, tangent)| *tangent)), "VEC4", Value::Null);
    }
    let bytes: Vec<u8> = indices.iter().flat_map(|index| index.to_le_bytes()).collect();
    let indices = numbers.add(&bytes, INDICES, "SCALAR", UNSIGNED, indices.len(), Value::Null);
    json!({ "attributes": attributes, "indices": indices })
}

#[derive(Default)]
struct Textures {
    files: Vec<PathBuf>,
}

impl Textures {
    fn add(&mut self, file: &Option<PathBuf>) -> Option<Value> {
        let file = file.as_ref()?;
        self.files.push(file.clone());
        Some(json!({ "index": self.files.len() - 1 }))
    }

    fn material(&mut self, material: &GlbMaterial) -> Value {
        let mut surface = json!({ "metallicFactor": 0.0, "roughnessFactor": PLAIN_ROUGHNESS });
        let mut value = json!({ "name": material.name });
        if let Some(texture) = self.add(&material.base_color) {
            surface["baseColorTexture"] = texture;
        }
        if let Some(texture) = self.add(&material.occlusion_roughness_metallic) {
            surface["metallicFactor"] = 1.0.into();
            surface["roughnessFactor"] = 1.0.into();
            if material.occluded {
                value["occlusionTexture"] = texture.clone();
            }
            surface["metallicRoughnessTexture"] = texture;
        }
        if let Some(texture) = self.add(&material.normal) {
            value["normalTexture"] = texture;
        }
        if let Some(texture) = self.add(&material.emissive) {
            value["emissiveTexture"] = texture;
            value["emissiveFactor"] = json!([1.0, 1.0, 1.0]);
        }
        if material.see_through {
            value["alphaMode"] = "BLEND".into();
        }
        value["pbrMetallicRoughness"] = surface;
        value
    }
}
