//! What a glTF's materials say besides colour, moved to a low-poly: roughness, metal, light, opacity, and normals that are bent by
//! the sculpt's own normal texture.

use crate::support::*;
use ember_ridge_core::finding::FindingKind;
use ember_ridge_core::glam::Vec3;
use ember_ridge_core::maps::{ColorSettings, Green, MapSettings, NormalSettings, decode_normal};
use ember_ridge_core::picture::{Depth, ImageFormat, srgb_to_linear};
use ember_ridge_formats::image::{read_image, write_map};
use serde_json::{Value, json};
use std::io::Cursor;

const FLOATS: (ImageFormat, Depth) = (ImageFormat::Exr, Depth::Float);
const SIZE: u32 = 16;

fn named(ids: &[&str]) -> Vec<MapSettings> {
    ids.iter().map(|id| MapSettings::by_key(id).expect("a map")).collect()
}

/// The first texels of each half of each map, as the written file holds them, by map.
fn halves(file: File, ids: &[&str]) -> Vec<[[f32; 4]; 2]> {
    let outcome = bake(&file.read(), SIZE, named(ids), None, FLOATS);
    (0..ids.len())
        .map(|map| {
            let mut written = Cursor::new(Vec::new());
            write_map(&mut written, &outcome, 0, map).expect("memory");
            let image = read_image("map.exr", &written.into_inner()).expect("readable");
            [4, 12].map(|x| image.texel(x, 8))
        })
        .collect()
}

fn near(found: f32, wanted: f32) {
    assert!((found - wanted).abs() < 2e-3, "{found}, wanted {wanted}");
}

/// A square of the first material at the left and one of the second at the right, with UVs over the whole of their pictures.
fn two_squares(file: &mut File) {
    let uvs = file.floats(&uvs_at(0.5));
    file.square(0.0, 0, &[("TEXCOORD_0", uvs)]);
    file.square(0.5, 1, &[("TEXCOORD_0", uvs)]);
}

#[test]
fn roughness_metal_and_light_are_factors_times_pictures() {
    let surface = |texture: bool| {
        let mut surface = json!({ "roughnessFactor": 0.8, "metallicFactor": 0.5 });
        if texture {
            surface["metallicRoughnessTexture"] = json!({ "index": 0 });
        }
        surface
    };
    let mut file = File::new(json!([
        {
            "name": "lamp", "pbrMetallicRoughness": surface(true),
            "emissiveFactor": [1.0, 0.5, 0.0], "emissiveTexture": { "index": 1 },
            "extensions": { "KHR_materials_emissive_strength": { "emissiveStrength": 4.0 } },
        },
        { "name": "plain", "pbrMetallicRoughness": surface(false), "emissiveFactor": [0.25, 0.0, 1.0] },
    ]));
    file.picture(&[[9u8, 102, 204]; 2], json!({}));
    file.picture(&[[188u8, 188, 188]; 2], json!({}));
    two_squares(&mut file);
    let found = halves(file, &["roughness", "metallic", "emission"]);
    // Green and blue of a data picture are numbers, not sRGB.
    near(found[0][0][0], 0.8 * 102.0 / 255.0);
    near(found[1][0][0], 0.5 * 204.0 / 255.0);
    near(found[0][1][0], 0.8);
    near(found[1][1][0], 0.5);
    // Light goes beyond 1 in a file of floats.
    let light = srgb_to_linear(188.0 / 255.0) * 4.0;
    near(found[2][0][0] / light, 1.0);
    near(found[2][0][1], 0.5 * light);
    near(found[2][0][2], 0.0);
    near(found[2][1][0], 0.25);
    near(found[2][1][2], 1.0);
}

#[test]
fn opacity_follows_the_alpha_mode_and_colour_is_kept_beneath() {
    let material = |mode: Value| {
        let mut material = json!({ "pbrMetallicRoughness": {
            "baseColorFactor": [1.0, 1.0, 1.0, 0.5], "baseColorTexture": { "index": 0 },
        } });
        material.as_object_mut().expect("fields").extend(mode.as_object().expect("fields").clone());
        material
    };
    for (modes, wanted) in [
        ([json!({ "alphaMode": "BLEND" }), json!({})], [0.5 * 153.0 / 255.0, 1.0]),
        ([json!({ "alphaMode": "MASK", "alphaCutoff": 0.2 }), json!({ "alphaMode": "MASK" })], [1.0, 0.0]),
    ] {
        let mut file = File::new(json!([material(modes[0].clone()), material(modes[1].clone())]));
        file.picture(&[[188u8, 51, 0, 153]; 2], json!({}));
        two_squares(&mut file);
        let found = halves(file, &["opacity", "color"]);
        for half in 0..2 {
            near(found[0][half][0], wanted[half]);
            near(found[1][half][0], srgb_to_linear(188.0 / 255.0));
            near(found[1][half][1], srgb_to_linear(51.0 / 255.0));
        }
    }
}

/// A picture that leans by three to four along its U: (0.6, 0, 0.8).
fn leaning(uvs: [[f32; 2]; 4], scale: f32, carried: bool) -> Vec3 {
    let mut file = File::new(json!([{ "normalTexture": { "index": 0, "scale": scale } }]));
    file.picture(&[[204u8, 128, 230]; 2], json!({}));
    let at = file.floats(&uvs);
    file.square(0.0, 0, &[("TEXCOORD_0", at)]);
    file.square(0.5, 0, &[("TEXCOORD_0", at)]);
    let maps = vec![MapSettings::Normal(NormalSettings { y: Green::Up, carried })];
    let outcome = bake(&file.read(), SIZE, maps, None, FLOATS);
    let pixels = outcome.pixels(0, 0).expect("in memory");
    decode_normal([0, 1, 2].map(|c| pixels.get((8 * SIZE as usize + 4) * 3 + c)), Green::Up)
}

#[test]
fn the_normal_map_is_bent_by_the_sculpts_own_normal_texture() {
    // Corners run (0, 0), (0, 1), (1, 1), (1, 0) in x and z. In the file V runs downward, so along x and z these lie as the
    // low-poly's own do.
    let alike = [[0.0, 0.0], [0.0, 1.0], [1.0, 1.0], [1.0, 0.0]];
    let close = |found: Vec3, wanted: Vec3| assert!((found - wanted).length() < 8e-3, "{found}, wanted {wanted}");
    close(leaning(alike, 1.0, true), Vec3::new(0.6, 0.0, 0.8));
    close(leaning(alike, 0.5, true), Vec3::new(0.3, 0.0, 0.8).normalize());
    close(leaning(alike, 1.0, false), Vec3::Z);
    // U along z: what leans along U leans down the sheet.
    let turned = [[0.0, 1.0], [1.0, 1.0], [1.0, 0.0], [0.0, 0.0]];
    close(leaning(turned, 1.0, true), Vec3::new(0.0, -0.6, 0.8));
}

#[test]
fn a_sheet_far_finer_or_coarser_than_the_picture_is_told_of() {
    let note = |texels: usize| {
        let mut file = File::new(json!([{ "pbrMetallicRoughness": { "baseColorTexture": { "index": 0 } } }]));
        file.picture(&vec![[200u8, 90, 10]; texels], json!({}));
        let left = file.floats(&[[0.0, 0.0], [0.0, 1.0], [0.5, 1.0], [0.5, 0.0]]);
        let right = file.floats(&[[0.5, 0.0], [0.5, 1.0], [1.0, 1.0], [1.0, 0.0]]);
        file.square(0.0, 0, &[("TEXCOORD_0", left)]);
        file.square(0.5, 0, &[("TEXCOORD_0", right)]);
        let outcome = bake(&file.read(), 64, vec![MapSettings::Color(ColorSettings::default())], None, FLOATS);
        outcome.report.findings.into_iter().find(|f| f.kind == FindingKind::PictureTexels).map(|f| (f.reason, f.remedy))
    };
    assert_eq!(note(64), None);
    assert_eq!(note(40), None);
    let (reason, remedy) = note(16).expect("four times as fine");
    assert!(
        reason.starts_with("Colour: ")
            && reason.contains("4.0 times as many texels per side")
            && remedy.contains("about 16 "),
        "{reason} {remedy}"
    );
    let (reason, remedy) = note(256).expect("four times as coarse");
    assert!(
        reason.starts_with("Colour: ")
            && reason.contains("4.0 times as many texels per side")
            && remedy.contains("about 256 "),
        "{reason} {remedy}"
    );
}

/// What is left out is rough metal by the standard; where all of a file is, nothing was meant by it.
#[test]
fn a_file_that_says_nothing_of_surfaces_has_none() {
    let surfaces = |materials: Value| {
        let mut file = File::new(materials);
        two_squares(&mut file);
        file.read().looks.iter().map(|look| look.surface.as_ref().map(|s| s.metallic)).collect::<Vec<_>>()
    };
    let colored = json!({ "name": "red", "pbrMetallicRoughness": { "baseColorFactor": [1.0, 0.0, 0.0, 1.0] } });
    let dull = json!({ "name": "dull", "pbrMetallicRoughness": { "metallicFactor": 0.0 } });
    assert_eq!(surfaces(json!([colored, { "name": "plain" }])), [None, None]);
    assert_eq!(surfaces(json!([colored, dull])), [Some(1.0), Some(0.0)]);
}
