//! FBX: parts, places, axes, UV sets, colours, materials and pictures against arithmetic, in both encodings; and what is told of a file.

use crate::support::fbx::{Crate, FACES, Record, Value, binary, record, text};
use ember_ridge_core::Mesh;
use ember_ridge_core::glam::{Vec3, vec2, vec3};
use ember_ridge_core::mesh::{UvChoice, UvSet};
use ember_ridge_formats::{ReadFault, read_mesh, read_mesh_with};

fn read(bytes: &[u8]) -> Result<Mesh, ReadFault> {
    read_mesh("yard.fbx", bytes, &|_| None)
}

fn plain() -> Crate {
    Crate { up: 1, unit: 100.0, normals: true, picture: None }
}

fn encoded(records: &[Record]) -> [Vec<u8>; 2] {
    [text(records), binary(records)]
}

/// Where the crate and the lid of a file of these axes lie: the yard is moved by ten along x, the crate is twice as large and moved by five
/// along the file's z, the lid is turned inside out along x.
fn bounds(mesh: &Mesh, part: usize) -> [Vec3; 2] {
    let places = mesh.parts[part].triangles.clone().flat_map(|t| mesh.corners(t));
    places.fold([Vec3::INFINITY, Vec3::NEG_INFINITY], |[low, high], p| [low.min(p), high.max(p)])
}

fn part(mesh: &Mesh, name: &str) -> usize {
    mesh.parts.iter().position(|part| part.name == name).expect(name)
}

#[test]
fn both_encodings_come_in_with_names_places_and_materials() {
    for bytes in encoded(&plain().records()) {
        let mesh = read(&bytes).expect("readable");
        let sizes: Vec<(&str, usize)> = mesh.parts.iter().map(|p| (p.name.as_str(), p.triangles.len())).collect();
        assert_eq!(sizes, [("crate", 12), ("lid", 12)]);
        assert_eq!(bounds(&mesh, 0), [vec3(10.0, 0.0, 5.0), vec3(12.0, 2.0, 7.0)]);
        assert_eq!(bounds(&mesh, 1), [vec3(9.0, 0.0, 0.0), vec3(10.0, 1.0, 1.0)]);
        assert_eq!(mesh.polygons, 12);
        // Five faces of oak and one of iron; on the lid, whose own materials stand the other way round, five of iron.
        let of = |part: usize, name: &str| {
            let material = mesh.materials.iter().position(|m| m == name).expect(name) as u32;
            mesh.parts[part].triangles.clone().filter(|t| mesh.triangle_materials[*t as usize] == material).count()
        };
        assert_eq!([of(0, "oak"), of(0, "iron"), of(1, "oak"), of(1, "iron")], [10, 2, 2, 10]);
        let oak = mesh.materials.iter().position(|m| m == "oak").expect("oak");
        assert_eq!(mesh.looks[oak].color, [0.5, 0.25, 0.125]);
        // Faces and normals point out of both, the lid's too.
        assert!(mesh.normals_from_file);
        for (number, middle) in [(0, vec3(11.0, 1.0, 6.0)), (1, vec3(9.5, 0.5, 0.5))] {
            for t in mesh.parts[number].triangles.clone() {
                let corners = mesh.corners(t);
                let out = corners.iter().sum::<Vec3>() / 3.0 - middle;
                assert!(mesh.area_normal(t).dot(out) > 0.0, "face {t} of {}", mesh.parts[number].name);
                let facing = mesh.area_normal(t).normalize();
                for v in mesh.triangles[t as usize] {
                    assert!(mesh.normals[v as usize].distance(facing) < 1e-6);
                }
            }
        }
        assert!(mesh.notes.is_empty(), "{:?}", mesh.notes);
    }
}

#[test]
fn another_axis_up_is_turned_and_units_are_told() {
    for bytes in encoded(&Crate { up: 2, unit: 1.0, ..plain() }.records()) {
        let mesh = read(&bytes).expect("readable");
        // (x, y, z) of the file is (x, z, -y) with Y up.
        assert_eq!(bounds(&mesh, part(&mesh, "crate")), [vec3(10.0, 5.0, -2.0), vec3(12.0, 7.0, 0.0)]);
        assert_eq!(bounds(&mesh, part(&mesh, "lid")), [vec3(9.0, 0.0, -1.0), vec3(10.0, 1.0, 0.0)]);
        let told: Vec<&str> = mesh.notes.iter().map(|note| note.reason.as_str()).collect();
        assert_eq!(
            told,
            [
                "The file counts in centimetres; its lengths were taken as they stand",
                "Up is Z in the file; it was turned so that Y points up"
            ]
        );
        assert!(mesh.notes[0].remedy.contains("Scale it by 0.01"), "{}", mesh.notes[0].remedy);
    }
}

#[test]
fn uv_sets_and_colours_are_those_of_their_corners() {
    for bytes in encoded(&plain().records()) {
        let of_set = |set: u32| read_mesh_with("yard.fbx", &bytes, &|_| None, UvChoice::Set(UvSet(set)), None);
        for (set, size) in [(0, 1.0), (1, 0.5)] {
            let mesh = of_set(set).expect("there");
            assert_eq!(mesh.uv_sets, 2);
            // Each face covers the whole square, or a quarter of it.
            let mut seen: Vec<[u32; 2]> = mesh.uvs.iter().map(|uv| uv.to_array().map(f32::to_bits)).collect();
            seen.sort_unstable();
            seen.dedup();
            let mut wanted: Vec<[u32; 2]> =
                [[0.0, 0.0], [size, 0.0], [size, size], [0.0, size]].map(|uv| uv.map(f32::to_bits)).to_vec();
            wanted.sort_unstable();
            assert_eq!(seen, wanted);
            let at_origin = mesh.triangles[0].map(|v| (mesh.positions[v as usize], mesh.uvs[v as usize]));
            assert!(at_origin.contains(&(vec3(10.0, 0.0, 5.0), vec2(0.0, 0.0))), "{at_origin:?}");
        }
        let fault = of_set(2).expect_err("there are two");
        assert!(fault.fault.contains("UV set 2"), "{fault}");
        let mesh = of_set(0).expect("there");
        let green = (0..mesh.positions.len()).filter(|v| mesh.colors[*v] == [0, 128, 0]).count();
        let red = mesh.colors.iter().filter(|color| **color == [255, 0, 0]).count();
        // One face of six on either part.
        assert_eq!((green, red), (2 * 4, 2 * 20));
    }
}

#[test]
fn normals_are_made_where_the_file_has_none() {
    let bare = Crate { normals: false, ..plain() };
    let mesh = read(&binary(&bare.records())).expect("readable");
    assert!(!mesh.normals_from_file);
    assert!((0..12u32).all(|t| {
        mesh.triangles[t as usize]
            .iter()
            .all(|v| mesh.normals[*v as usize].distance(mesh.area_normal(t).normalize()) < 1e-6)
    }));
    assert_eq!(FACES.len() * 2, mesh.parts[0].triangles.len());
}

#[test]
fn pictures_come_from_within_the_file_or_from_beside_it() {
    let mut png = Vec::new();
    ember_ridge_formats::image::write_png(&mut png, 2, 3, &[200, 100, 50].repeat(4)).expect("memory");
    let held = Crate { picture: Some(png.clone()), ..plain() };
    let picture = |mesh: &Mesh| {
        let oak = mesh.materials.iter().position(|m| m == "oak").expect("oak");
        mesh.looks[oak].picture.as_ref().map(|laid| (laid.image.width, laid.on_texture_uvs))
    };
    let within = read(&binary(&held.records())).expect("readable");
    assert_eq!(picture(&within), Some((2, false)));
    // Text holds none: it lies beside, or is missed by name.
    let beside = |name: &str| (name == "maps/planks.png").then(|| png.clone());
    assert_eq!(picture(&read_mesh("yard.fbx", &text(&held.records()), &beside).expect("readable")), Some((2, false)));
    let missed = read(&text(&held.records())).expect("readable");
    assert_eq!(picture(&missed), None);
    assert!(
        missed.notes.iter().any(|note| note.reason.contains("'planks.png' is not beside it")),
        "{:?}",
        missed.notes
    );
}

#[test]
fn what_is_no_face_is_left_out_and_told() {
    let mut records = plain().records();
    let corners = FACES.iter().flat_map(|[a, b, c, d]| [*a, *b, *c, !d]).chain([0, !1]).collect();
    let geometry = &mut records[2].records[0];
    geometry.records.retain(|part| !part.name.starts_with("LayerElement"));
    geometry.records[1] = record("PolygonVertexIndex", vec![Value::Wholes(corners)], vec![]);
    let mesh = read(&binary(&records)).expect("readable");
    assert_eq!(mesh.triangles.len(), 24);
    assert_eq!(mesh.notes[0].reason, "Points and lines of 'crate' were left out");
}

#[test]
fn damage_is_named() {
    let whole = binary(&plain().records());
    for cut in [30, whole.len() / 3, whole.len() / 2] {
        let fault = read(&whole[..cut]).expect_err("cut short").to_string();
        assert!(fault.starts_with("yard.fbx: the whole file: ") && fault.contains("xport it again"), "{cut}: {fault}");
    }
    let fault = read(b"solid of another kind").expect_err("no FBX").to_string();
    assert!(fault.contains("xport"), "{fault}");
    // Arrays that claim more than any file of this size holds.
    let mut records = plain().records();
    let packed = Value::Reals(vec![0.0; 60_000_000]);
    records[2].records[0].records[0] = record("Vertices", vec![packed], vec![]);
    let fault = read(&binary(&records)).expect_err("too much");
    assert!(fault.fault.contains("more memory") || fault.fault.contains("vert"), "{fault}");
    // Nothing to bake.
    records = plain().records();
    records[2].records.retain(|object| object.name != "Geometry");
    assert!(read(&text(&records)).is_err_and(|fault| fault.fault.contains("no faces")));
}
