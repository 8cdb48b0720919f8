//! Honest files that artists have, one for each way of writing a mesh that was once refused or read wrongly. They lie in `corpus/`,
//! made for this test: a crate 2 wide, 1 high and 3 deep with its low corner at (-1, 0, 0), unless the row says otherwise.

use ember_ridge_core::Mesh;
use ember_ridge_core::glam::{Vec3, vec3};
use ember_ridge_core::inspect::check_mesh;
use ember_ridge_core::mesh::weld;
use ember_ridge_formats::{ReadFault, read_mesh};
use std::path::{Path, PathBuf};

fn folder() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/corpus")
}

fn read(file: &str) -> Result<Mesh, ReadFault> {
    let bytes = std::fs::read(folder().join(file)).expect(file);
    read_mesh(file, &bytes, &|name| std::fs::read(folder().join(name)).ok())
}

/// What a file must be read as.
struct Row {
    file: &'static str,
    parts: &'static [(&'static str, usize)],
    points: usize,
    low: Vec3,
    high: Vec3,
    /// UV sets of the file.
    uv_sets: u32,
    materials: &'static [&'static str],
    /// A word of each note, in order.
    notes: &'static [&'static str],
}

const CRATE: Row = Row {
    file: "",
    parts: &[("crate", 12)],
    points: 8,
    low: vec3(-1.0, 0.0, 0.0),
    high: vec3(1.0, 1.0, 3.0),
    uv_sets: 0,
    materials: &[],
    notes: &[],
};

fn rows() -> Vec<Row> {
    let with_uvs = |file| Row { file, uv_sets: 1, ..CRATE };
    let bare = |file, parts| Row { file, parts, ..CRATE };
    vec![
        with_uvs("plain.obj"),
        Row { parts: &[("käfig", 12)], notes: &["Latin-1"], ..with_uvs("latin1.obj") },
        with_uvs("utf16-le.obj"),
        with_uvs("utf16-be.obj"),
        with_uvs("utf8-mark.obj"),
        bare("continued.obj", &[("crate", 12)]),
        bare("empty-usemtl.obj", &[("crate", 12)]),
        Row {
            parts: &[("old crate", 12), ("its lid", 1)],
            materials: &["weathered oak", "dark  iron"],
            ..with_uvs("spaced-names.obj")
        },
        Row { notes: &["3 lines and points"], ..bare("lines.obj", &[("crate", 12)]) },
        Row { notes: &["2 lines and points", "no UV", "no normal"], ..with_uvs("mixed-elements.obj") },
        bare("colours.obj", &[("crate", 12)]),
        Row { notes: &["1 curves"], ..bare("curves.obj", &[("crate", 12)]) },
        Row { materials: &["oak"], notes: &["bad-library.mtl was left out"], ..with_uvs("bad-library.obj") },
        Row { materials: &["oak"], notes: &["line 11: the colour of 'tin'"], ..with_uvs("short-library.obj") },
        Row {
            parts: &[("crate", 12), ("crate two", 12)],
            points: 16,
            high: vec3(11.0, 1.0, 3.0),
            ..bare("two-solids.stl", &[])
        },
        bare("bare-solid.stl", &[("bare-solid", 12)]),
        bare("tabs-and-capitals.stl", &[("CRATE", 12)]),
        bare("crlf.stl", &[("crate", 12)]),
        bare("binary.stl", &[("binary", 12)]),
        bare("binary-named-solid.stl", &[("binary-named-solid", 12)]),
        bare("plain.gltf", &[("crate", 12)]),
        Row { notes: &["lack the min and max"], ..bare("no-bounds.gltf", &[("crate", 12)]) },
        bare("no-scene.gltf", &[("crate", 12)]),
        bare("strip.gltf", &[("crate", 8)]),
        Row { points: 4, low: vec3(-1.0, 0.0, 3.0), ..bare("fan.gltf", &[("crate", 2)]) },
        bare("sparse-without-view.gltf", &[("crate", 12)]),
        Row { high: vec3(1.0, 4.0, 3.0), ..bare("sparse.gltf", &[("crate", 12)]) },
        Row { materials: &["tile"], ..with_uvs("texture-transform.gltf") },
        Row { materials: &["glow"], ..bare("unlit.gltf", &[("crate", 12)]) },
        Row { notes: &["morph targets"], ..bare("morph.gltf", &[("crate", 12)]) },
        // The far half hangs on a joint that stands 2 further off than when it was bound; the node's own place does not count.
        Row { high: vec3(1.0, 1.0, 5.0), notes: &["skinned"], ..bare("skin.gltf", &[("crate", 12)]) },
        Row { uv_sets: 2, ..bare("uv-sets.gltf", &[("crate", 12)]) },
    ]
}

#[test]
fn every_honest_file_is_read_as_what_it_is() {
    for row in rows() {
        let file = row.file;
        let mesh = read(file).unwrap_or_else(|fault| panic!("{fault}"));
        let parts: Vec<(&str, usize)> = mesh.parts.iter().map(|p| (p.name.as_str(), p.triangles.len())).collect();
        assert_eq!(parts, row.parts, "{file}");
        assert_eq!(mesh.bounds(), (row.low, row.high), "{file}");
        assert_eq!(weld(&mesh).points, row.points, "{file}");
        assert_eq!((mesh.uv_sets, mesh.uvs.is_empty()), (row.uv_sets, row.uv_sets == 0), "{file}");
        assert_eq!(mesh.materials, row.materials, "{file}");
        let notes: Vec<&str> = mesh.notes.iter().map(|n| n.reason.as_str()).collect();
        assert_eq!(notes.len(), row.notes.len(), "{file}: {notes:?}");
        notes.iter().zip(row.notes).for_each(|(note, word)| assert!(note.contains(word), "{file}: {note}"));
        // Faces look outward, so none is turned; every note is a finding that says what to do.
        let findings = check_mesh(&mesh, false);
        assert_eq!(findings.len(), row.notes.len(), "{file}: {findings:?}");
        assert!(findings.iter().all(|f| f.remedy.len() > 8), "{file}");
    }
}

#[test]
fn uvs_and_colours_lie_where_the_file_says() {
    for file in ["plain.obj", "latin1.obj", "utf16-le.obj", "utf16-be.obj", "utf8-mark.obj", "mixed-elements.obj"] {
        let mesh = read(file).expect(file);
        // The first face: corners 1, 4, 3 and then 1, 3, 2 of the crate, UVs in the order of its corners.
        let uvs = [mesh.corner_uvs(0), mesh.corner_uvs(1)].map(|t| t.map(|uv| (uv.x, uv.y)));
        assert_eq!(uvs, [[(0.0, 0.0), (1.0, 0.0), (1.0, 1.0)], [(0.0, 0.0), (1.0, 1.0), (0.0, 1.0)]], "{file}");
    }
    let mesh = read("colours.obj").expect("readable");
    assert!(mesh.colors.len() == mesh.positions.len() && mesh.colors.iter().all(|c| *c == [255, 0, 128]));
    let mesh = read("short-library.obj").expect("readable");
    let grey = 0.603_827;
    assert!(mesh.looks[0].color.iter().all(|c| (c - grey).abs() < 1e-4), "0.8 of sRGB, linear: {:?}", mesh.looks[0]);
    let mesh = read("unlit.gltf").expect("readable");
    assert_eq!(mesh.looks[0].color, [1.0, 0.5, 0.0]);
}

/// The picture's texels are red, green, blue and white; halved and moved by a half, every UV falls on the white one, which lies
/// at the lower right.
#[test]
fn a_texture_transform_moves_the_picture() {
    let mesh = read("texture-transform.gltf").expect("readable");
    let look = &mesh.looks[0];
    let picture = look.picture.as_ref().expect("a picture");
    let (texture, placing) = (&picture.image, picture.placing.expect("a transform"));
    for uv in [(0.25f32, 0.25f32), (0.75, 0.25), (0.5, 0.5)] {
        let placed = placing.transform_point2(uv.into());
        // There V runs downward: (u, v) goes to (0.5 + u / 2, 0.5 + v / 2), here 1 - that.
        assert!((placed.x - (0.5 + uv.0 / 2.0)).abs() < 1e-6 && (placed.y - uv.1 / 2.0).abs() < 1e-6, "{placed}");
    }
    let at = placing.transform_point2((0.5, 0.5).into());
    assert_eq!(texture.light(at, 1.0, picture.sampler).to_array(), [1.0; 4]);
}

#[test]
fn what_cannot_be_read_is_named_for_what_it_is() {
    for (file, word) in [
        ("refused-version-1.gltf", "glTF 1.0"),
        ("refused-draco.gltf", "KHR_draco_mesh_compression"),
        ("refused-doubling.gltf", "names it twice"),
        ("refused-two-parents.gltf", "nodes 1 and 2 both name it"),
        ("refused-circle.gltf", "among its own descendants"),
        ("refused-sparse-billions.gltf", "more than 60000000 vertices"),
    ] {
        let fault = read(file).expect_err(file);
        assert!(fault.fault.contains(word) && fault.remedy.len() > 8, "{fault}");
        let text = fault.to_string();
        assert!(!["Error", "Some(", "expected", "`", "{"].iter().any(|dump| text.contains(dump)), "{text}");
    }
}

/// A node may be copied many times in few bytes; what it would all come to is counted before it is made.
#[test]
fn copies_are_counted_before_they_are_made() {
    let text = std::fs::read_to_string(folder().join("plain.gltf")).expect("there");
    let mut document: serde_json::Value = serde_json::from_str(&text).expect("JSON");
    let sheet: Vec<usize> = (0..1_000_000).map(|i| i % 8).collect();
    let bytes: Vec<u8> = sheet.iter().map(|&i| i as u8).collect();
    document["buffers"]
        .as_array_mut()
        .expect("a list")
        .push(serde_json::json!({ "uri": "big.bin", "byteLength": bytes.len() }));
    document["bufferViews"][1] = serde_json::json!({ "buffer": 1, "byteLength": bytes.len() });
    document["accessors"][1] =
        serde_json::json!({ "bufferView": 1, "componentType": 5121, "count": 999_999, "type": "SCALAR" });
    let copies = 500;
    document["nodes"] = (0..copies).map(|i| serde_json::json!({ "mesh": 0, "translation": [i, 0, 0] })).collect();
    document["scenes"][0]["nodes"] = (0..copies).collect();
    let fault =
        read_mesh("many.gltf", document.to_string().as_bytes(), &|_| Some(bytes.clone())).expect_err("too much");
    assert!(fault.fault.contains("with its copies"), "{fault}");
}

/// What the common packages make of the same files, where they can read them.
#[test]
fn other_libraries_agree() {
    for file in ["plain.obj", "colours.obj"] {
        let mesh = read(file).expect(file);
        let options = tobj::LoadOptions { single_index: true, triangulate: true, ..tobj::LoadOptions::default() };
        let (models, _) = tobj::load_obj(folder().join(file), &options).expect(file);
        let positions: Vec<[f32; 3]> = models
            .iter()
            .flat_map(|m| {
                let at = |&i: &u32| std::array::from_fn(|c| m.mesh.positions[i as usize * 3 + c]);
                m.mesh.indices.iter().map(at).collect::<Vec<_>>()
            })
            .collect();
        let ours: Vec<[f32; 3]> = (0..12).flat_map(|t| mesh.corners(t).map(|p| p.to_array())).collect();
        assert_eq!(ours, positions, "{file}");
    }
    for file in ["binary.stl", "crlf.stl"] {
        let mesh = read(file).expect(file);
        let bytes = std::fs::read(folder().join(file)).expect(file);
        let other = stl_io::read_stl(&mut std::io::Cursor::new(bytes)).expect(file);
        for (t, face) in other.faces.iter().enumerate() {
            let theirs = face.vertices.map(|v| Vec3::from(other.vertices[v].0));
            assert_eq!(mesh.corners(t as u32), theirs, "{file}");
        }
    }
}

/// A crate packed by the meshoptimizer codecs, with every filter that its attributes may have.
#[test]
fn packed_gltf_is_what_was_packed() {
    let plain = read("plain.gltf").expect("readable");
    let indices: Vec<u32> = plain.triangles.iter().flatten().copied().collect();
    let positions: Vec<[f32; 3]> = plain.positions.iter().map(|p| p.to_array()).collect();
    let normals: Vec<[f32; 4]> = plain.normals.iter().map(|n| n.extend(0.0).to_array()).collect();
    let count = positions.len();
    let exponential: Vec<[u32; 3]> = meshopt::encode_filter_exp(&positions, 15, meshopt::EncodeExpMode::Separate);
    let octahedral: Vec<[i8; 4]> = meshopt::encode_filter_oct(&normals, 8);
    let packed = [
        meshopt::encode_vertex_buffer(&exponential).expect("packs"),
        meshopt::encode_vertex_buffer(&octahedral).expect("packs"),
        meshopt::encode_index_buffer(&indices, count).expect("packs"),
    ];
    let blob = packed.concat();
    let starts = [0, packed[0].len(), packed[0].len() + packed[1].len()];
    let view = |i: usize, stride: usize, count: usize, mode: &str, filter: &str| {
        serde_json::json!({ "buffer": 1, "byteLength": stride * count, "byteStride": stride, "extensions": { "EXT_meshopt_compression": {
            "buffer": 0, "byteOffset": starts[i], "byteLength": packed[i].len(), "byteStride": stride, "count": count,
            "mode": mode, "filter": filter } } })
    };
    let mut third = view(2, 4, indices.len(), "TRIANGLES", "NONE");
    third.as_object_mut().expect("an object").remove("byteStride");
    use base64::Engine;
    let document = |blob: &[u8]| {
        let data = base64::engine::general_purpose::STANDARD.encode(blob);
        serde_json::json!({
            "asset": { "version": "2.0" }, "extensionsUsed": ["EXT_meshopt_compression"],
            "extensionsRequired": ["EXT_meshopt_compression", "KHR_mesh_quantization"],
            "scenes": [{ "nodes": [0] }], "scene": 0, "nodes": [{ "mesh": 0, "name": "crate" }],
            "meshes": [{ "primitives": [{ "attributes": { "POSITION": 0, "NORMAL": 1 }, "indices": 2 }] }],
            "accessors": [
                { "bufferView": 0, "componentType": 5126, "count": count, "type": "VEC3", "min": [-1, 0, 0], "max": [1, 1, 3] },
                { "bufferView": 1, "componentType": 5120, "normalized": true, "count": count, "type": "VEC3" },
                { "bufferView": 2, "componentType": 5125, "count": indices.len(), "type": "SCALAR" },
            ],
            "bufferViews": [view(0, 12, count, "ATTRIBUTES", "EXPONENTIAL"), view(1, 4, count, "ATTRIBUTES", "OCTAHEDRAL"), third],
            "buffers": [
                { "byteLength": blob.len(), "uri": format!("data:application/octet-stream;base64,{data}") },
                { "byteLength": 1, "extensions": { "EXT_meshopt_compression": { "fallback": true } } },
            ],
        })
    };
    let read_packed = |blob: &[u8]| read_mesh("packed.gltf", document(blob).to_string().as_bytes(), &|_| None);
    let mesh = read_packed(&blob).expect("readable");
    assert_eq!(mesh.positions, plain.positions, "these places fit 15 bits");
    // The codec may begin a triangle at another of its corners.
    let sorted = |t: &[u32; 3]| {
        let mut t = *t;
        let least = t.iter().enumerate().min_by_key(|(_, v)| **v).map_or(0, |(i, _)| i);
        t.rotate_left(least);
        t
    };
    let (ours, theirs): (Vec<_>, Vec<_>) =
        (mesh.triangles.iter().map(sorted).collect(), plain.triangles.iter().map(sorted).collect());
    assert_eq!(ours, theirs);
    assert!(mesh.normals.iter().zip(&plain.normals).all(|(a, b)| a.dot(*b) > 0.9995));
    // Damaged anywhere, it is refused or read, and nothing breaks.
    let mut refused = 0;
    for at in 0..blob.len() {
        let mut damaged = blob.clone();
        damaged[at] ^= 0x55;
        refused += usize::from(read_packed(&damaged).is_err());
    }
    assert!(refused > 2, "{refused}");
}
