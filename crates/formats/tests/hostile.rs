//! A corpus of damaged and hostile mesh files: each gets an error that names its fault, or a mesh that can be trusted; nothing
//! panics, hangs or asks for memory that its few bytes do not hold.

use ember_ridge_core::glam::{Vec3, vec2, vec3};
use ember_ridge_core::{Draft, DraftPart, Mesh};
use ember_ridge_formats::mesh::{write_glb, write_obj, write_ply};
use ember_ridge_formats::{ReadFault, read_mesh};

fn read(file: &str, bytes: &[u8]) -> Result<Mesh, ReadFault> {
    read_mesh(file, bytes, &|_| None)
}

fn square() -> Mesh {
    let corners = [(0.0, 0.0), (1.0, 0.0), (1.0, 1.0), (0.0, 1.0)];
    let part = DraftPart { name: "square".into(), indices: vec![0, 1, 2, 0, 2, 3], ..DraftPart::default() };
    Draft {
        positions: corners.iter().map(|&(x, y)| vec3(x, y, 0.0)).collect(),
        normals: vec![Vec3::Z; 4],
        uvs: corners.iter().map(|&(x, y)| vec2(x, y)).collect(),
        parts: vec![part],
        ..Draft::default()
    }
    .finish()
    .expect("whole")
}

fn glb() -> Vec<u8> {
    let mut bytes = Vec::new();
    write_glb(&mut bytes, &square()).expect("memory");
    bytes
}

/// A GLB with this JSON and binary part, lengths as they are.
fn glb_of(json: &str, binary: &[u8]) -> Vec<u8> {
    let mut text = json.as_bytes().to_vec();
    text.resize(text.len().next_multiple_of(4), b' ');
    let mut out = b"glTF\x02\0\0\0".to_vec();
    let chunk = |kind: &[u8], data: &[u8]| [&(data.len() as u32).to_le_bytes()[..], kind, data].concat();
    let chunks = [chunk(b"JSON", &text), chunk(b"BIN\0", binary)].concat();
    out.extend((12 + chunks.len() as u32).to_le_bytes());
    out.extend(chunks);
    out
}

fn stl(count: u32, body: usize) -> Vec<u8> {
    [&[b'x'; 80][..], &count.to_le_bytes(), &vec![0u8; body]].concat()
}

/// Files that must be refused, each with a word that its error says.
fn corpus() -> Vec<(&'static str, Vec<u8>, &'static str)> {
    let triangle = "{\"asset\":{\"version\":\"2.0\"},\"scene\":0,\"scenes\":[{\"nodes\":[0]}],\"nodes\":[{\"mesh\":0}],\
        \"meshes\":[{\"primitives\":[{\"attributes\":{\"POSITION\":0}}]}],\
        \"accessors\":[{\"bufferView\":0,\"componentType\":5126,\"count\":COUNT,\"type\":\"VEC3\",\"min\":[0,0,0],\"max\":[1,1,1]}],\
        \"bufferViews\":[{\"buffer\":0,\"byteLength\":36}],\"buffers\":[{\"byteLength\":36}]}";
    let huge = triangle.replace("COUNT", "4000000000");
    let away = triangle
        .replace("COUNT", "3")
        .replace("{\"byteLength\":36}]}", "{\"uri\":\"../../../etc/passwd\",\"byteLength\":36}]}");
    let ply = |head: &str| format!("ply\nformat ascii 1.0\n{head}end_header\n").into_bytes();
    vec![
        ("empty.obj", vec![], "empty"),
        ("empty.glb", vec![], "empty"),
        ("zeros.obj", vec![0; 64], ""),
        ("zeros.ply", vec![0; 64], ""),
        ("zeros.glb", vec![0; 64], ""),
        ("zeros.stl", vec![0; 64], ""),
        ("picture.obj", b"\x89PNG\r\n\x1a\n\0\0\0\rIHDR".to_vec(), ""),
        ("name_without_ending", b"v 0 0 0".to_vec(), "mesh format"),
        ("points.obj", b"v 0 0 0\nv 1 0 0\n".to_vec(), "no faces"),
        ("short.obj", b"v 0 0 0\nv 1 0\nv 0 1 0\nf 1 2 3\n".to_vec(), "line 2"),
        ("letters.obj", b"v a b c\nf 1 1 1\n".to_vec(), "line 1"),
        ("beyond.obj", b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 4000000000\n".to_vec(), ""),
        ("before.obj", b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf -1 -2 -9\n".to_vec(), ""),
        ("infinite.obj", b"v 0 0 0\nv 1e999 0 0\nv 0 1 0\nf 1 2 3\n".to_vec(), ""),
        ("nan.obj", b"v 0 0 0\nv nan 0 0\nv 0 1 0\nf 1 2 3\n".to_vec(), "NaN"),
        ("two_corners.obj", b"v 0 0 0\nv 1 0 0\nf 1 2\n".to_vec(), ""),
        ("header_only.ply", b"ply\nformat ascii 1.0\n".to_vec(), ""),
        (
            "no_rows.ply",
            ply(
                "element vertex 3\nproperty float x\nproperty float y\nproperty float z\nelement face 1\nproperty list uchar int vertex_indices\n",
            ),
            "",
        ),
        (
            "billions.ply",
            ply(
                "element vertex 4000000000\nproperty float x\nproperty float y\nproperty float z\nelement face 1\nproperty list uchar int vertex_indices\n",
            ),
            "",
        ),
        (
            "no_x.ply",
            ply("element vertex 1\nproperty float y\nelement face 0\nproperty list uchar int vertex_indices\n"),
            "",
        ),
        ("unknown.ply", b"ply\nformat runes 1.0\nend_header\n".to_vec(), ""),
        ("lengths.glb", [&glb()[..8], &[0xff; 4], &glb()[12..]].concat(), ""),
        ("no_json.glb", glb_of("not json", &[0; 36]), ""),
        ("huge_count.glb", glb_of(&huge, &[0; 36]), ""),
        ("outside.glb", glb_of(&away, &[0; 36]), ""),
        ("empty_scene.gltf", b"{\"asset\":{\"version\":\"2.0\"}}".to_vec(), ""),
        ("endless.stl", stl(u32::MAX, 50), ""),
        ("short.stl", stl(2, 60), ""),
        ("cut.stl", b"solid x\nfacet normal 0 0 1\nouter loop\nvertex 0 0".to_vec(), ""),
    ]
}

#[test]
fn every_file_of_the_corpus_is_refused_with_its_name_its_fault_and_a_remedy() {
    for (file, bytes, word) in corpus() {
        let fault = read(file, &bytes).expect_err(file);
        let text = fault.to_string();
        assert!(text.starts_with(&format!("{file}: ")) && text.contains(word), "{file}: {text}");
        let dumps = ["ParseError", "Error:", "expected", "`", "Some(", "{"];
        assert!(!dumps.iter().any(|dump| text.contains(dump)), "{file} shows a parser's words: {text}");
        assert!(!fault.fault.is_empty() && fault.remedy.len() > 8 && !fault.place.is_empty(), "{file}: {text}");
    }
}

/// A gltf that names files elsewhere only ever asks for them; what is not handed over is an error.
#[test]
fn files_beside_are_asked_for_by_name_and_not_taken_from_elsewhere() {
    let (file, bytes, _) = corpus().into_iter().find(|(file, ..)| *file == "outside.glb").expect("listed");
    let asked = std::cell::RefCell::new(Vec::new());
    let siblings = |name: &str| {
        asked.borrow_mut().push(name.to_owned());
        None
    };
    assert!(read_mesh(file, &bytes, &siblings).is_err());
    assert!(asked.borrow().iter().all(|name| name == "../../../etc/passwd"), "{asked:?}");
}

/// Each good file cut off after any byte is refused, or was whole in all that matters; flipped bytes never panic either.
#[test]
fn cut_and_flipped_files_are_refused_or_read_never_more() {
    let (mut obj, mut ply) = (Vec::new(), Vec::new());
    write_obj(&mut obj, &square()).expect("memory");
    write_ply(&mut ply, &square()).expect("memory");
    let mut refused = 0;
    for (file, whole) in [("a.obj", obj), ("a.ply", ply), ("a.glb", glb())] {
        assert!(read(file, &whole).is_ok(), "{file}");
        for end in 0..whole.len() {
            refused += usize::from(read(file, &whole[..end]).is_err());
        }
        for at in 0..whole.len() {
            for bit in [0, 3, 7] {
                let mut flipped = whole.clone();
                flipped[at] ^= 1 << bit;
                if let Ok(mesh) = read(file, &flipped) {
                    assert!(mesh.triangles.iter().flatten().all(|&v| (v as usize) < mesh.positions.len()));
                    assert!(mesh.positions.iter().all(|p| p.is_finite()));
                }
            }
        }
    }
    assert!(refused > 500, "{refused}");
}
