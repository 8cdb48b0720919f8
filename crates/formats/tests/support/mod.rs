//! glTF files under construction, and bakes of them onto a plain square.
#![allow(dead_code, reason = "each test file uses its own share")]

pub mod documents;
pub mod fbx;

use ember_ridge_core::Mesh;
use ember_ridge_core::bake::{Outcome, Plan, Unwatched, run};
use ember_ridge_core::maps::MapSettings;
use ember_ridge_core::mesh::{UvChoice, UvSet};
use ember_ridge_core::picture::{Depth, Image, ImageFormat};
use ember_ridge_core::reach::Reach;
use ember_ridge_core::recipe::Recipe;
use ember_ridge_core::scene::BakeScene;
use ember_ridge_core::sheet::Padding;
use ember_ridge_core::surface::Distance;
use ember_ridge_formats::image::write_png;
use ember_ridge_formats::{ReadFault, read_mesh, read_mesh_with};
use serde_json::{Value, json};
use std::sync::Arc;

/// The unit square in x and z, facing up, as floats of one attribute.
pub const POSITIONS: [[f32; 3]; 4] = [[0.0, 0.0, 0.0], [0.0, 0.0, 1.0], [1.0, 0.0, 1.0], [1.0, 0.0, 0.0]];

/// A glTF under construction: everything lies in data URIs.
pub struct File {
    pub json: Value,
    bytes: Vec<u8>,
}

impl File {
    pub fn new(materials: Value) -> File {
        let json = json!({
            "asset": { "version": "2.0" }, "materials": materials, "accessors": [], "bufferViews": [], "images": [], "textures": [],
            "samplers": [], "meshes": [{ "name": "tile", "primitives": [] }], "nodes": [{ "mesh": 0 }], "scenes": [{ "nodes": [0] }],
            "scene": 0,
        });
        File { json, bytes: Vec::new() }
    }

    fn list(&mut self, name: &str) -> &mut Vec<Value> {
        self.json[name].as_array_mut().expect("a list")
    }

    pub fn floats<const N: usize>(&mut self, values: &[[f32; N]]) -> usize {
        let start = self.bytes.len();
        self.bytes.extend(values.iter().flatten().flat_map(|v| v.to_le_bytes()));
        let length = self.bytes.len() - start;
        self.list("bufferViews").push(json!({ "buffer": 0, "byteOffset": start, "byteLength": length }));
        let kind = if N == 2 { "VEC2" } else { "VEC3" };
        let mut accessor = json!({ "bufferView": 0, "componentType": 5126, "count": values.len(), "type": kind });
        accessor["bufferView"] = (self.json["bufferViews"].as_array().map_or(0, Vec::len) - 1).into();
        if N == 3 {
            (accessor["min"], accessor["max"]) = (json!([0, 0, 0]), json!([1, 1, 1]));
        }
        self.list("accessors").push(accessor);
        self.json["accessors"].as_array().map_or(0, Vec::len) - 1
    }

    /// A square from `x`, of a material, with other attributes by name.
    pub fn square(&mut self, x: f32, material: usize, more: &[(&str, usize)]) {
        let at = self.floats(&POSITIONS.map(|[px, y, z]| [px * 0.5 + x, y, z]));
        let mut attributes = json!({ "POSITION": at });
        more.iter().for_each(|(name, accessor)| attributes[*name] = (*accessor).into());
        let index_at = self.bytes.len();
        self.bytes.extend([0u16, 1, 2, 0, 2, 3].iter().flat_map(|i| i.to_le_bytes()));
        self.list("bufferViews").push(json!({ "buffer": 0, "byteOffset": index_at, "byteLength": 12 }));
        let view = self.json["bufferViews"].as_array().map_or(0, Vec::len) - 1;
        self.list("accessors").push(json!({ "bufferView": view, "componentType": 5123, "count": 6, "type": "SCALAR" }));
        let indices = self.json["accessors"].as_array().map_or(0, Vec::len) - 1;
        let primitive = json!({ "attributes": attributes, "indices": indices, "material": material });
        self.json["meshes"][0]["primitives"].as_array_mut().expect("a list").push(primitive);
    }

    /// A row of grey texels as a texture with a sampler.
    pub fn texture(&mut self, texels: &[u8], sampler: Value) {
        let row: Vec<[u8; 1]> = texels.iter().map(|&t| [t]).collect();
        self.picture(&row, sampler);
    }

    /// A row of texels, as high as it is wide, as a texture with a sampler.
    pub fn picture<const N: usize>(&mut self, row: &[[u8; N]], sampler: Value) {
        let rows: Vec<u8> = row.iter().cycle().take(row.len() * row.len()).flatten().copied().collect();
        let mut png = Vec::new();
        write_png(&mut png, row.len() as u32, N, &rows).expect("memory");
        self.list("images").push(json!({ "uri": format!("data:image/png;base64,{}", base64(&png)) }));
        self.list("samplers").push(sampler);
        let number = self.json["textures"].as_array().map_or(0, Vec::len);
        self.list("textures").push(json!({ "source": number, "sampler": number }));
    }

    pub fn read(self) -> Mesh {
        self.read_with(UvChoice::default(), None).expect("readable")
    }

    /// With the UVs that are baked and those that textures lie on.
    pub fn read_with(mut self, uvs: UvChoice, texture_uvs: Option<UvSet>) -> Result<Mesh, ReadFault> {
        let uri = format!("data:application/octet-stream;base64,{}", base64(&self.bytes));
        self.json["buffers"] = json!([{ "byteLength": self.bytes.len(), "uri": uri }]);
        for list in ["images", "textures", "samplers"] {
            if self.json[list].as_array().is_some_and(Vec::is_empty) {
                self.json.as_object_mut().expect("fields").remove(list);
            }
        }
        read_mesh_with("tile_high.gltf", self.json.to_string().as_bytes(), &|_| None, uvs, texture_uvs)
    }
}

fn base64(bytes: &[u8]) -> String {
    base64::Engine::encode(&base64::engine::general_purpose::STANDARD, bytes)
}

pub fn uvs_at(u: f32) -> [[f32; 2]; 4] {
    [[u, 0.5]; 4]
}

/// Maps of a sculpt over the unit square, baked onto a plain square.
pub fn bake(
    high: &Mesh,
    size: u32,
    maps: Vec<MapSettings>,
    image: Option<Image>,
    (format, depth): (ImageFormat, Depth),
) -> Outcome {
    let low = "v 0 0 0\nv 0 0 1\nv 1 0 1\nv 1 0 0\nvt 0 1\nvt 0 0\nvt 1 0\nvt 1 1\nf 1/1 2/2 3/3 4/4\n";
    let low = read_mesh("tile_low.obj", low.as_bytes(), &|_| None).expect("readable");
    let mut recipe = Recipe::new("tile");
    recipe.sheet.size = size;
    recipe.sheet.samples = 1;
    recipe.sheet.padding = Padding::Texels(0);
    recipe.sheet.format = format;
    recipe.sheet.depth = depth;
    recipe.sheet.color_format = None;
    recipe.reach = Reach { out: Distance::Units(0.1), inward: Distance::Units(0.1), ..Reach::default() };
    recipe.maps = maps;
    let images = image.into_iter().map(|image| ("picture".to_owned(), Arc::new(image))).collect();
    let scene = BakeScene::new(&[&low], &[high], None).expect("no cage").with_images(images);
    let outcome = run(&Plan::new(&recipe, &scene).expect("sound"), 1, &Unwatched).expect("nobody stops it");
    outcome.maps.iter().for_each(|map| assert_eq!(map.error, None, "{}", map.facts.key()));
    outcome
}
