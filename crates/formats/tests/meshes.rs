//! Mesh formats: what they hold comes in, what we write comes back, and damage is named.

use ember_ridge_core::glam::{Vec3, vec2, vec3};
use ember_ridge_core::{Draft, DraftPart, FindingKind, Mesh};
use ember_ridge_formats::mesh::{write_glb, write_obj, write_ply};
use ember_ridge_formats::{ReadFault, read_mesh};
use proptest::prelude::*;

fn read(file: &str, bytes: &[u8]) -> Result<Mesh, ReadFault> {
    read_mesh(file, bytes, &|_| None)
}

fn names(mesh: &Mesh) -> Vec<(&str, usize)> {
    mesh.parts.iter().map(|p| (p.name.as_str(), p.triangles.len())).collect()
}

/// Two parts with UVs, colours and two materials.
fn two_tiles() -> Mesh {
    let tile = |x: f32| [vec3(x, 0.0, 0.0), vec3(x + 1.0, 0.0, 0.0), vec3(x + 1.0, 1.0, 0.0), vec3(x, 1.0, 0.0)];
    let part = |name: &str, first: u32, material: &str| DraftPart {
        name: name.into(),
        material: Some(material.into()),
        indices: vec![first, first + 1, first + 2, first, first + 2, first + 3],
        corners: vec![],
    };
    Draft {
        positions: [tile(0.0), tile(2.0)].concat(),
        normals: vec![Vec3::Z; 8],
        uvs: (0..8).map(|i| vec2(i as f32 / 8.0, 0.25)).collect(),
        colors: (0..8).map(|i| [i * 30, 255 - i * 30, 77]).collect(),
        parts: vec![part("left", 0, "oak"), part("right", 4, "iron")],
        ..Draft::default()
    }
    .finish()
    .expect("whole")
}

#[test]
fn obj_with_objects_groups_quads_colours_and_negative_indices() {
    let text = "# a comment\nmtllib missing.mtl\no lid\nv 0 0 0 1 0 0\nv 1 0 0 0 1 0\nv 1 1 0 0 0 1\nv 0 1 0 1 1 1\n\
        vt 0 0\nvt 1 0\nvt 1 1\nvt 0 1\nusemtl tin\nf 1/1 2/2 3/3 4/4\ng knob\nusemtl brass\nf -4/-4 -3/-3 -1/-1\n";
    let mesh = read("x/pan.obj", text.as_bytes()).expect("readable");
    assert_eq!(names(&mesh), vec![("lid", 2), ("knob", 1)]);
    assert_eq!((mesh.polygons, mesh.materials.as_slice()), (1, &["tin".to_owned(), "brass".to_owned()][..]));
    assert!(!mesh.normals_from_file && mesh.normals.iter().all(|n| n.distance(Vec3::Z) < 1e-6));
    let corner = mesh.triangles[2][2] as usize;
    assert_eq!((mesh.positions[corner], mesh.uvs[corner]), (vec3(0.0, 1.0, 0.0), vec2(0.0, 1.0)));
    assert_eq!(mesh.colors[corner], [255, 255, 255]);
}

#[test]
fn obj_faults_name_the_line() {
    let fault = read("a.obj", b"v 0 0 0\nv 1 0 zero\n").expect_err("not a number");
    assert!(fault.place.starts_with("line 2 ('v 1 0 zero')"), "{fault}");
    assert_eq!(fault.file, "a.obj");
    let fault = read("a.obj", b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 9\n").expect_err("no vertex 9");
    assert!(fault.to_string().contains("not in the file"), "{fault}");
    let fault = read("a.obj", b"v 0 0 0\nv nan 0 0\nv 0 1 0\nf 1 2 3\n").expect_err("NaN");
    assert_eq!(fault.kind, FindingKind::NotANumber);
    assert!(read("a.obj", b"v 0 0 0\n").is_err_and(|f| f.fault.contains("no faces")));
    assert!(read("a.obj", b"").is_err_and(|f| f.fault.contains("empty")));
    assert!(read("a.fbz", b"x").is_err_and(|f| f.remedy.contains("obj, ply, glb")));
}

/// The same pyramid in the three encodings of PLY.
fn ply(encoding: &str) -> Vec<u8> {
    let mut out = format!(
        "ply\nformat {encoding} 1.0\ncomment typed\nelement vertex 4\nproperty float x\nproperty double y\n\
         property float z\nproperty uchar red\nproperty uchar green\nproperty uchar blue\nelement face 3\n\
         property list uchar int vertex_indices\nend_header\n"
    )
    .into_bytes();
    let vertices = [(0f32, 0f64, 0f32), (1.0, 0.0, 0.0), (0.0, 0.0, 1.0), (0.0, 1.0, 0.0)];
    let faces = [[0i32, 1, 3], [1, 2, 3], [2, 0, 3]];
    let big = encoding.contains("big");
    if encoding == "ascii" {
        for (i, (x, y, z)) in vertices.iter().enumerate() {
            out.extend(format!("{x} {y} {z} {} 20 30\n", i * 10).bytes());
        }
        faces.iter().for_each(|[a, b, c]| out.extend(format!("3 {a} {b} {c}\n").bytes()));
        return out;
    }
    for (i, (x, y, z)) in vertices.iter().enumerate() {
        out.extend(if big { x.to_be_bytes() } else { x.to_le_bytes() });
        out.extend(if big { y.to_be_bytes() } else { y.to_le_bytes() });
        out.extend(if big { z.to_be_bytes() } else { z.to_le_bytes() });
        out.extend([i as u8 * 10, 20, 30]);
    }
    for face in faces {
        out.push(3);
        face.iter().for_each(|v| out.extend(if big { v.to_be_bytes() } else { v.to_le_bytes() }));
    }
    out
}

#[test]
fn ply_in_all_three_encodings_is_one_mesh() {
    let ascii = read("p.ply", &ply("ascii")).expect("ascii");
    assert_eq!(names(&ascii), vec![("p", 3)]);
    for encoding in ["binary_little_endian", "binary_big_endian"] {
        let other = read("p.ply", &ply(encoding)).expect(encoding);
        assert_eq!(
            (&ascii.positions, &ascii.triangles, &ascii.colors),
            (&other.positions, &other.triangles, &other.colors)
        );
    }
    let cut = ply("binary_little_endian");
    let fault = read("p.ply", &cut[..cut.len() - 5]).expect_err("cut short");
    assert!(fault.place.contains("element 'face'"), "{fault}");
    let absurd = String::from_utf8_lossy(&ply("ascii")).replace("element face 3", "element face 4000000000");
    assert!(read("p.ply", absurd.as_bytes()).is_err_and(|f| f.fault.contains("4000000000")));
}

#[test]
fn what_we_write_we_read_back() {
    let mesh = two_tiles();
    let mut obj = Vec::new();
    write_obj(&mut obj, &mesh).expect("memory");
    let mut glb = Vec::new();
    write_glb(&mut glb, &mesh).expect("memory");
    for (file, bytes) in [("t.obj", obj), ("t.glb", glb)] {
        let back = read(file, &bytes).expect(file);
        assert_eq!(names(&back), names(&mesh), "{file}");
        assert_eq!((&back.materials, &back.triangle_materials), (&mesh.materials, &mesh.triangle_materials), "{file}");
        assert!(back.normals_from_file);
        for (t, triangle) in back.triangles.iter().enumerate() {
            for (corner, &v) in triangle.iter().enumerate() {
                let (v, w) = (v as usize, mesh.triangles[t][corner] as usize);
                assert_eq!(back.positions[v], mesh.positions[w], "{file}");
                assert!(back.uvs[v].distance(mesh.uvs[w]) < 1e-6, "{file}");
                assert_eq!(back.colors[v], mesh.colors[w], "{file}");
            }
        }
    }
    let mut bytes = Vec::new();
    write_ply(&mut bytes, &mesh).expect("memory");
    let back = read("t.ply", &bytes).expect("ply");
    assert_eq!((back.positions, back.triangles, back.colors), (mesh.positions, mesh.triangles, mesh.colors));
}

#[test]
fn another_library_reads_our_glb() {
    let mut bytes = Vec::new();
    write_glb(&mut bytes, &two_tiles()).expect("memory");
    let glb = gltf::Gltf::from_slice(&bytes).expect("valid glTF");
    let blob = glb.blob.clone().expect("a binary chunk");
    let mut triangles = 0;
    for mesh in glb.meshes() {
        for primitive in mesh.primitives() {
            let reader = primitive.reader(|_| Some(&blob));
            assert_eq!(reader.read_positions().map(Iterator::count), Some(8));
            triangles += reader.read_indices().map_or(0, |i| i.into_u32().count()) / 3;
        }
    }
    assert_eq!(triangles, 4);
}

#[test]
fn gltf_transforms_turn_and_mirror() {
    let mut bytes = Vec::new();
    write_glb(&mut bytes, &two_tiles()).expect("memory");
    // Rewrite the document: the first node is scaled by -2 in x and moved up.
    let length = u32::from_le_bytes([bytes[12], bytes[13], bytes[14], bytes[15]]) as usize;
    let mut document: serde_json::Value = serde_json::from_slice(&bytes[20..20 + length]).expect("JSON");
    document["nodes"][0]["scale"] = serde_json::json!([-2.0, 1.0, 1.0]);
    document["nodes"][0]["translation"] = serde_json::json!([0.0, 5.0, 0.0]);
    use base64::Engine;
    let data = base64::engine::general_purpose::STANDARD.encode(&bytes[28 + length..]);
    document["buffers"][0]["uri"] = format!("data:application/octet-stream;base64,{data}").into();
    let text = serde_json::to_vec(&document).expect("JSON");
    let mesh = read("t.gltf", &text).expect("readable");
    // Turned round by the mirroring: the corner (1, 1) now comes second.
    assert_eq!(mesh.corners(0)[1], vec3(-2.0, 6.0, 0.0));
    let left: Vec<Vec3> = (0..2).map(|t| mesh.face_normal(t)).collect();
    assert_eq!(left, vec![Vec3::Z; 2], "faces still look out after a mirroring");
    assert_eq!(mesh.positions.iter().map(|p| p.x).fold(f32::INFINITY, f32::min), -2.0);
}

#[test]
fn gltf_faults_are_told_not_thrown() {
    let mut bytes = Vec::new();
    write_glb(&mut bytes, &two_tiles()).expect("memory");
    assert!(read("t.glb", &bytes[..bytes.len() - 40]).is_err());
    assert!(read("t.glb", b"glTF nonsense").is_err());
    let text = br#"{"asset":{"version":"2.0"},"extensionsRequired":["KHR_draco_mesh_compression"]}"#;
    assert!(read("t.gltf", text).is_err_and(|f| f.fault.contains("KHR_draco_mesh_compression")));
    let text = br#"{"asset":{"version":"2.0"},"buffers":[{"byteLength":12,"uri":"../../etc/passwd"}]}"#;
    assert!(read("t.gltf", text).is_err_and(|f| f.place == "buffer 0"));
}

#[test]
fn quantised_gltf_is_read() {
    // One triangle: positions as normalised shorts, UVs as normalised bytes, required extension and all.
    let mut bin: Vec<u8> = Vec::new();
    for p in [[0i16, 0, 0, 0], [32767, 0, 0, 0], [0, -32767, 0, 0]] {
        p.iter().for_each(|x| bin.extend(x.to_le_bytes()));
    }
    bin.extend([0u8, 255, 0, 0, 255, 255, 0, 0, 0, 0, 0, 0]);
    use base64::Engine;
    let data = base64::engine::general_purpose::STANDARD.encode(&bin);
    let document = serde_json::json!({
        "asset": { "version": "2.0" }, "extensionsUsed": ["KHR_mesh_quantization"],
        "extensionsRequired": ["KHR_mesh_quantization"], "scenes": [{ "nodes": [0] }], "scene": 0,
        "nodes": [{ "mesh": 0, "name": "chip" }],
        "meshes": [{ "primitives": [{ "attributes": { "POSITION": 0, "TEXCOORD_0": 1 } }] }],
        "accessors": [
            { "bufferView": 0, "componentType": 5122, "normalized": true, "count": 3, "type": "VEC3",
              "min": [0.0, -32767.0, 0.0], "max": [32767.0, 0.0, 0.0] },
            { "bufferView": 1, "componentType": 5121, "normalized": true, "count": 3, "type": "VEC2" },
        ],
        "bufferViews": [
            { "buffer": 0, "byteOffset": 0, "byteLength": 24, "byteStride": 8 },
            { "buffer": 0, "byteOffset": 24, "byteLength": 12, "byteStride": 4 },
        ],
        "buffers": [{ "byteLength": 36, "uri": format!("data:application/octet-stream;base64,{data}") }],
    });
    let mesh = read("q.gltf", document.to_string().as_bytes()).expect("readable");
    assert_eq!(mesh.corners(0), [Vec3::ZERO, Vec3::X, Vec3::NEG_Y]);
    assert_eq!(mesh.corner_uvs(0), [vec2(0.0, 0.0), vec2(1.0, 0.0), vec2(0.0, 1.0)]);
}

#[test]
fn stl_in_both_forms() {
    let text = "solid roof\nfacet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 1 0 0\nvertex 0 1 0\nendloop\nendfacet\nendsolid roof\n";
    assert_eq!(names(&read("roof.stl", text.as_bytes()).expect("ascii")), vec![("roof", 1)]);
    let mut binary = vec![0u8; 80];
    binary.extend(1u32.to_le_bytes());
    for x in [0f32, 0., 1., 0., 0., 0., 1., 0., 0., 0., 1., 0.] {
        binary.extend(x.to_le_bytes());
    }
    binary.extend([0, 0]);
    assert_eq!(read("roof.stl", &binary).expect("binary").corners(0)[1], Vec3::X);
    binary[80..84].copy_from_slice(&4_000_000_000u32.to_le_bytes());
    assert!(read("roof.stl", &binary).is_err_and(|f| f.fault.contains("claims 4000000000")));
}

/// Long files are read in pieces; entries and faces of any number of corners must come through their joints.
#[test]
fn a_long_ply_is_what_its_pieces_are() {
    const SIDE: u32 = 320;
    let mut bytes = format!(
        "ply\nformat binary_little_endian 1.0\nelement vertex {}\nproperty float x\nproperty float y\nproperty float z\n\
         property uchar red\nproperty uchar green\nproperty uchar blue\nelement face {}\n\
         property list uchar int vertex_indices\nend_header\n",
        SIDE * SIDE,
        (SIDE - 1) * (SIDE - 1)
    )
    .into_bytes();
    let place = |v: u32| vec3((v % SIDE) as f32, 0.0, (v / SIDE) as f32);
    let color = |v: u32| [(v % 251) as u8, (v / 251 % 256) as u8, 9];
    for v in 0..SIDE * SIDE {
        place(v).to_array().iter().for_each(|x| bytes.extend(x.to_le_bytes()));
        bytes.extend(color(v));
    }
    // Triangles at first, so that where polygons begin lies behind the first joint.
    let mut faces: Vec<Vec<u32>> = Vec::new();
    for quad in 0..(SIDE - 1) * (SIDE - 1) {
        let v = quad % (SIDE - 1) + quad / (SIDE - 1) * SIDE;
        let corners = if quad < 70_000 { vec![v, v + SIDE, v + 1] } else { vec![v, v + SIDE, v + SIDE + 1, v + 1] };
        bytes.push(corners.len() as u8);
        corners.iter().for_each(|c| bytes.extend(c.to_le_bytes()));
        faces.push(corners);
    }
    let mesh = read("long.ply", &bytes).expect("readable");
    assert_eq!((mesh.positions.len(), mesh.polygons as usize), ((SIDE * SIDE) as usize, faces.len() - 70_000));
    assert_eq!(mesh.triangles.len(), 70_000 + 2 * (faces.len() - 70_000));
    assert!((0..SIDE * SIDE).all(|v| mesh.positions[v as usize] == place(v) && mesh.colors[v as usize] == color(v)));
    assert!((0..70_000).all(|t| mesh.triangles[t].to_vec() == faces[t]));
    for (pair, face) in mesh.triangles[70_000..].as_chunks::<2>().0.iter().zip(&faces[70_000..]) {
        assert!(
            pair.iter().flatten().all(|v| face.contains(v))
                && face.iter().all(|v| pair.iter().flatten().any(|w| w == v))
        );
    }
    assert!(mesh.normals.iter().all(|n| n.distance(Vec3::Y) < 1e-6));
    bytes.truncate(bytes.len() - 3);
    assert!(read("long.ply", &bytes).is_err_and(|f| f.place.contains("face")));
}

#[test]
fn files_beside_are_read_by_the_names_that_are_given() {
    let picture = {
        let mut bytes = Vec::new();
        image::RgbImage::from_pixel(2, 2, image::Rgb([255, 0, 0]))
            .write_to(&mut std::io::Cursor::new(&mut bytes), image::ImageFormat::Png)
            .expect("memory");
        bytes
    };
    let obj = "mtllib wood works.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\nvt 0 0\nusemtl oak\nf 1/1 2/1 3/1\n";
    let library = "newmtl oak\nKd 1 1 1\nmap_Kd -s 2 2 1 textures/bark.png\n";
    let siblings = |name: &str| match name {
        "wood works.mtl" => Some(library.as_bytes().to_vec()),
        "textures/bark.png" => Some(picture.clone()),
        other => panic!("nobody named {other}"),
    };
    let mesh = read_mesh("plank.obj", obj.as_bytes(), &siblings).expect("readable");
    assert!(mesh.looks[0].picture.as_ref().is_some_and(|p| p.image.width == 2));

    let text = r#"{"asset":{"version":"2.0"},"scene":0,"scenes":[{"nodes":[0]}],"nodes":[{"mesh":0}],
        "meshes":[{"primitives":[{"attributes":{"POSITION":0}}]}],
        "accessors":[{"bufferView":0,"componentType":5126,"count":3,"type":"VEC3","min":[0,0,0],"max":[1,1,0]}],
        "bufferViews":[{"buffer":0,"byteLength":36}],"buffers":[{"uri":"my%20points.bin","byteLength":36}]}"#;
    let points: Vec<u8> = [0f32, 0.0, 0.0, 1.0, 0.0, 0.0, 0.0, 1.0, 0.0].iter().flat_map(|x| x.to_le_bytes()).collect();
    let mesh = read_mesh("t.gltf", text.as_bytes(), &|name| (name == "my points.bin").then(|| points.clone()));
    assert_eq!(mesh.expect("readable").positions[1], Vec3::X);
    let fault = read("t.gltf", text.as_bytes()).expect_err("its points are not there");
    assert!(fault.fault.contains("'my points.bin' is not beside it") && fault.remedy.contains("Import"), "{fault}");
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(400))]

    /// Whatever bytes come, a reader answers; it neither panics nor hangs.
    #[test]
    fn no_bytes_bring_a_reader_down(
        format in 0usize..4,
        cut in 0usize..2000,
        flips in proptest::collection::vec((0usize..4000, any::<u8>()), 0..12),
    ) {
        let mesh = two_tiles();
        let mut bytes = Vec::new();
        let file = match format {
            0 => { write_obj(&mut bytes, &mesh).expect("memory"); "f.obj" }
            1 => { write_glb(&mut bytes, &mesh).expect("memory"); "f.glb" }
            2 => { write_ply(&mut bytes, &mesh).expect("memory"); "f.ply" }
            _ => { bytes = ply("binary_big_endian"); "f.ply" }
        };
        for (at, byte) in flips {
            let at = at % bytes.len();
            bytes[at] = byte;
        }
        bytes.truncate(bytes.len().saturating_sub(cut));
        let _ = read(file, &bytes);
    }
}
