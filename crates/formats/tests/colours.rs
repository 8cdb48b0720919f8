//! Colours from file to file: what a sculpt's materials, textures and vertices say, baked, written and read again, in linear light.

use crate::support::*;
use ember_ridge_core::Mesh;
use ember_ridge_core::bake::Outcome;
use ember_ridge_core::maps::{ColorSettings, MapSettings};
use ember_ridge_core::mesh::{Plane, UvChoice, UvSet};
use ember_ridge_core::picture::{
    Coding, Depth, Image, ImageFormat, PictureSource, Pixels, linear_to_srgb, srgb_to_linear,
};
use ember_ridge_formats::image::{read_image, write_map};
use ember_ridge_formats::read_mesh_with;
use serde_json::{Value, json};
use std::io::Cursor;

const PNG: (ImageFormat, Depth) = (ImageFormat::Png, Depth::Sixteen);
/// The colour map of a sculpt over the unit square, baked onto a plain square.
fn baked(
    high: &Mesh,
    size: u32,
    settings: ColorSettings,
    image: Option<Image>,
    written: (ImageFormat, Depth),
) -> Outcome {
    bake(high, size, vec![MapSettings::Color(settings)], image, written)
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
fn the_set_for_textures_is_chosen_apart_from_the_one_that_is_baked() {
    let file = || {
        let mut file = File::new(textured(json!({ "index": 0 })));
        file.texture(&[0, 0, 255, 255], json!({}));
        let sets = [0.125, 0.5, 0.875].map(|u| file.floats(&uvs_at(u)));
        file.square(0.0, 0, &[("TEXCOORD_0", sets[0]), ("TEXCOORD_1", sets[1]), ("TEXCOORD_2", sets[2])]);
        file
    };
    let set = |number| (UvChoice::Set(UvSet(number)), number as f32 * 0.375 + 0.125);
    for (baked, texture, textures_at) in [(0, None, 0.125), (1, None, 0.125), (1, Some(2), 0.875), (0, Some(2), 0.875)]
    {
        let (choice, at) = set(baked);
        let mesh = file().read_with(choice, texture.map(UvSet)).expect("readable");
        assert_eq!((mesh.uvs[0].x, mesh.uvs_for_textures()[0].x), (at, textures_at), "{baked} {texture:?}");
        // The picture stays where the file lays it; where that is not read, it is left out and told.
        let read = baked == 0 || texture.is_none();
        assert_eq!(mesh.looks[0].picture.is_some(), read, "{:?}", mesh.notes);
        assert_eq!(mesh.notes.iter().any(|note| note.reason.contains("UV set 1")), !read, "{:?}", mesh.notes);
    }
    let flat = file().read_with(UvChoice::Planar(Plane::PlanarY), Some(UvSet(0))).expect("readable");
    assert_eq!(flat.uvs_for_textures()[0].x, 0.125);
    assert!(flat.uvs[0] != flat.uvs[1], "laid flat");
    assert!(flat.looks[0].picture.as_ref().is_some_and(|laid| laid.on_texture_uvs));
    let missing = file().read_with(UvChoice::default(), Some(UvSet(7))).expect_err("no such set");
    assert!(missing.to_string().contains("UV set 7 is asked for, and no part has it"), "{missing}");
    let obj = b"v 0 0 0\nv 1 0 0\nv 0 1 0\nvt 0.25 0.5\nf 1/1 2/1 3/1\n";
    let read = |uvs, set| read_mesh_with("a.obj", obj, &|_| None, uvs, Some(UvSet(set)));
    assert!(read(UvChoice::default(), 1).is_err());
    let flat = read(UvChoice::Planar(Plane::PlanarZ), 0).expect("readable");
    assert_eq!((flat.texture_uvs[0].x, flat.uvs[1].x), (0.25, 1.0));
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
