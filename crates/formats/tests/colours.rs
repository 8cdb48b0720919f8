//! Colours from file to file: what a sculpt's materials, textures and vertices say, baked, written and read again, in linear light.

use ember_ridge_core::Mesh;
use ember_ridge_core::bake::{BakeScene, Outcome, Plan, Unwatched, run};
use ember_ridge_core::maps::{ColorSettings, MapSettings};
use ember_ridge_core::recipe::{Distance, ImageFormat, Padding, PictureSource, Reach, Recipe};
use ember_ridge_core::sheet::{Coding, Depth, Image, Pixels, linear_to_srgb, srgb_to_linear};
use ember_ridge_formats::image::{read_image, write_map, write_png};
use ember_ridge_formats::read_mesh;
use serde_json::{Value, json};
use std::collections::HashMap;
use std::io::Cursor;
use std::sync::Arc;

const PNG: (ImageFormat, Depth) = (ImageFormat::Png, Depth::Sixteen);
/// The unit square in x and z, facing up, as floats of one attribute.
const POSITIONS: [[f32; 3]; 4] = [[0.0, 0.0, 0.0], [0.0, 0.0, 1.0], [1.0, 0.0, 1.0], [1.0, 0.0, 0.0]];

/// A glTF under construction: everything lies in data URIs.
struct File {
    json: Value,
    bytes: Vec<u8>,
}

impl File {
    fn new(materials: Value) -> File {
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

    fn floats<const N: usize>(&mut self, values: &[[f32; N]]) -> usize {
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
    fn square(&mut self, x: f32, material: usize, more: &[(&str, usize)]) {
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
    fn texture(&mut self, texels: &[u8], sampler: Value) {
        // Two rows: pictures here are square.
        let rows: Vec<u8> = texels.iter().cycle().take(texels.len() * texels.len()).copied().collect();
        let mut png = Vec::new();
        write_png(&mut png, texels.len() as u32, 1, &rows).expect("memory");
        self.list("images").push(json!({ "uri": format!("data:image/png;base64,{}", base64(&png)) }));
        self.list("samplers").push(sampler);
        let number = self.json["textures"].as_array().map_or(0, Vec::len);
        self.list("textures").push(json!({ "source": number, "sampler": number }));
    }

    fn read(mut self) -> Mesh {
        let uri = format!("data:application/octet-stream;base64,{}", base64(&self.bytes));
        self.json["buffers"] = json!([{ "byteLength": self.bytes.len(), "uri": uri }]);
        for list in ["images", "textures", "samplers"] {
            if self.json[list].as_array().is_some_and(Vec::is_empty) {
                self.json.as_object_mut().expect("fields").remove(list);
            }
        }
        read_mesh("tile_high.gltf", self.json.to_string().as_bytes(), &|_| None).expect("readable")
    }
}

fn base64(bytes: &[u8]) -> String {
    base64::Engine::encode(&base64::engine::general_purpose::STANDARD, bytes)
}

/// The colour map of a sculpt over the unit square, baked onto a plain square.
fn baked(
    high: &Mesh,
    size: u32,
    settings: ColorSettings,
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
    recipe.maps = vec![MapSettings::Color(settings)];
    let images: HashMap<String, Arc<Image>> =
        image.into_iter().map(|image| ("picture".to_owned(), Arc::new(image))).collect();
    let scene = BakeScene::new(&[&low], &[high], None).expect("no cage").with_images(images);
    let outcome = run(&Plan::new(&recipe, &scene).expect("sound"), 1, &Unwatched).expect("nobody stops it");
    assert_eq!(outcome.maps[0].error, None);
    outcome
}

/// Red of the middle texel of each half, as it is written, 0..1.
fn halves(high: &Mesh) -> [f32; 2] {
    let outcome = baked(high, 16, ColorSettings::default(), None, PNG);
    let pixels = outcome.pixels(0, 0).expect("in memory");
    [4, 12].map(|x| pixels.get((8 * 16 + x) * 3))
}

fn near(found: f32, wanted: f32) {
    assert!((found - wanted).abs() < 2e-3, "{found}, wanted {wanted}");
}

fn uvs_at(u: f32) -> [[f32; 2]; 4] {
    [[u, 0.5]; 4]
}

fn textured(texture: Value) -> Value {
    json!([{ "name": "paint", "pbrMetallicRoughness": { "baseColorTexture": texture } }])
}

#[test]
fn a_texture_lies_on_the_uv_set_that_its_material_names() {
    for texture in [
        json!({ "index": 0, "texCoord": 1 }),
        json!({ "index": 0, "extensions": { "KHR_texture_transform": { "texCoord": 1 } } }),
        json!({ "index": 0, "texCoord": 0, "extensions": { "KHR_texture_transform": { "texCoord": 1, "offset": [0.0, 0.0] } } }),
    ] {
        let mut file = File::new(textured(texture));
        file.texture(&[0, 0, 255, 255], json!({}));
        let (first, second) = (file.floats(&uvs_at(0.125)), file.floats(&uvs_at(0.875)));
        file.square(0.0, 0, &[("TEXCOORD_0", first), ("TEXCOORD_1", second)]);
        file.square(0.5, 0, &[("TEXCOORD_0", second), ("TEXCOORD_1", first)]);
        let mesh = file.read();
        assert_eq!(mesh.uvs[0].x, 0.125, "the mesh's own UVs are the first set");
        let [left, right] = halves(&mesh);
        near(left, 1.0);
        near(right, 0.0);
    }
}

#[test]
fn two_materials_of_one_name_keep_their_own_looks() {
    let paint =
        |grey: f32| json!({ "name": "paint", "pbrMetallicRoughness": { "baseColorFactor": [grey, grey, grey, 1.0] } });
    let mut file = File::new(json!([paint(0.2), paint(0.7)]));
    file.square(0.0, 0, &[]);
    file.square(0.5, 1, &[]);
    let mesh = file.read();
    assert_eq!(mesh.materials, ["paint", "paint (2)"]);
    let [left, right] = halves(&mesh);
    near(left, linear_to_srgb(0.2));
    near(right, linear_to_srgb(0.7));
}

#[test]
fn vertex_colour_times_factor_times_texture() {
    let materials = json!([{ "pbrMetallicRoughness": {
        "baseColorFactor": [0.5, 0.5, 0.5, 1.0], "baseColorTexture": { "index": 0 },
    } }]);
    let mut file = File::new(materials);
    file.texture(&[188; 4], json!({}));
    let (uvs, colors) = (file.floats(&uvs_at(0.5)), file.floats(&[[0.25f32; 3]; 4]));
    file.square(0.0, 0, &[("TEXCOORD_0", uvs), ("COLOR_0", colors)]);
    file.square(0.5, 0, &[("TEXCOORD_0", uvs)]);
    let [left, right] = halves(&file.read());
    let texture = srgb_to_linear(188.0 / 255.0);
    // Vertex colours are kept in 8 bits.
    assert!((left - linear_to_srgb(0.25 * 0.5 * texture)).abs() < 4e-3, "{left}");
    near(right, linear_to_srgb(0.5 * texture));
}

#[test]
fn samplers_say_what_lies_beyond_the_picture_and_between_its_texels() {
    for (sampler, u, wanted) in [
        (json!({ "wrapS": 10497 }), 1.125, 0.0),
        (json!({ "wrapS": 33071 }), 1.125, 1.0),
        (json!({ "wrapS": 33648 }), 1.125, 1.0),
        (json!({ "wrapS": 33648 }), 1.875, 0.0),
        (json!({ "magFilter": 9728 }), 0.51, 1.0),
        (json!({ "magFilter": 9729 }), 0.5, linear_to_srgb(0.5)),
    ] {
        let mut file = File::new(textured(json!({ "index": 0 })));
        file.texture(&[0, 0, 255, 255], sampler.clone());
        let uvs = file.floats(&uvs_at(u));
        file.square(0.0, 0, &[("TEXCOORD_0", uvs)]);
        let [left, _] = halves(&file.read());
        assert!((left - wanted).abs() < 2e-3, "{sampler} at {u}: {left}, wanted {wanted}");
    }
}

#[test]
fn a_fine_picture_on_a_small_sheet_is_averaged_in_linear_light() {
    let side = 256;
    let checks = (0..side * side).map(|i| if (i % side + i / side) % 2 == 0 { 255 } else { 0 }).collect();
    let image = Image::new(side, side, 1, Pixels::U8(checks), Coding::Srgb);
    let mut file = File::new(json!([]));
    let uvs = file.floats(&[[0.0, 0.0], [0.0, 1.0], [0.5, 1.0], [0.5, 0.0]]);
    file.square(0.0, 0, &[("TEXCOORD_0", uvs)]);
    let uvs = file.floats(&[[0.5, 0.0], [0.5, 1.0], [1.0, 1.0], [1.0, 0.0]]);
    file.square(0.5, 0, &[("TEXCOORD_0", uvs)]);
    file.json["meshes"][0]["primitives"].as_array_mut().expect("a list").iter_mut().for_each(|p| {
        p.as_object_mut().expect("fields").remove("material");
    });
    let settings =
        ColorSettings { picture: Some(PictureSource { file: "picture".into(), hash: None }), ..Default::default() };
    let outcome = baked(&file.read(), 16, settings, Some(image), PNG);
    let pixels = outcome.pixels(0, 0).expect("in memory");
    for texel in 0..16 * 16 {
        let found = pixels.get(texel * 3);
        assert!((found - linear_to_srgb(0.5)).abs() < 0.02, "texel {texel}: {found}");
    }
}

#[test]
fn files_of_floats_hold_light_and_come_back_as_they_were() {
    let grey = json!([{ "pbrMetallicRoughness": { "baseColorFactor": [0.2, 0.2, 0.2, 1.0] } }]);
    let mut file = File::new(grey);
    let uvs = file.floats(&POSITIONS.map(|[x, _, z]| [x * 0.5, z]));
    file.square(0.0, 0, &[("TEXCOORD_0", uvs)]);
    let uvs = file.floats(&POSITIONS.map(|[x, _, z]| [x * 0.5 + 0.5, z]));
    file.square(0.5, 0, &[("TEXCOORD_0", uvs)]);
    let mesh = file.read();
    for (format, name) in [(ImageFormat::Exr, "colour.exr"), (ImageFormat::Tiff, "colour.tiff")] {
        let outcome = baked(&mesh, 16, ColorSettings::default(), None, (format, Depth::Float));
        let mut file = Cursor::new(Vec::new());
        write_map(&mut file, &outcome, 0, 0).expect("memory");
        let bytes = file.into_inner();
        let words = b"written as linear light";
        assert!(bytes.windows(words.len()).any(|w| w == words), "{name} says so");
        let image = read_image(name, &bytes).expect("readable");
        assert_eq!(image.coding, Coding::Linear);
        near(image.texel(8, 8)[0], 0.2);
        let picture = Some(PictureSource { file: "picture".into(), hash: None });
        let again = baked(&mesh, 16, ColorSettings { picture, ..Default::default() }, Some(image), PNG);
        near(again.pixels(0, 0).expect("in memory").get((8 * 16 + 8) * 3), linear_to_srgb(0.2));
    }
}
