//! Five million triangles from a file, as PLY without normals and as GLB with normals and UVs: how far memory rises while the
//! file is read, and while it is checked after, beside what the mesh itself takes.

use super::large::{forget_peak, peak_memory};
use ember_ridge_core::Mesh;
use ember_ridge_core::glam::{Vec3, vec2, vec3};
use ember_ridge_core::inspect::check_mesh;
use ember_ridge_core::mesh::Part;
use ember_ridge_formats::mesh::{write_glb, write_ply};
use ember_ridge_formats::read_mesh;
use std::fs::{self, File};
use std::io::{BufWriter, Write};
use std::path::Path;
use std::time::Instant;

/// Vertices along a side; twice its square is the number of triangles.
const SIDE: u32 = 1582;

/// A rolling field.
fn field() -> Mesh {
    let at = |i: u32| (i % SIDE, i / SIDE);
    let place = |i: u32| {
        let (x, z) = (at(i).0 as f32 * 0.01, at(i).1 as f32 * 0.01);
        vec3(x, (x * 3.0).sin() * (z * 2.0).cos() * 0.2, z)
    };
    let quads = (0..(SIDE - 1) * (SIDE - 1)).map(|i| i % (SIDE - 1) + i / (SIDE - 1) * SIDE);
    let triangles: Vec<[u32; 3]> =
        quads.flat_map(|v| [[v, v + SIDE, v + 1], [v + 1, v + SIDE, v + SIDE + 1]]).collect();
    let share = |i: u32| vec2(at(i).0 as f32, at(i).1 as f32) / SIDE as f32;
    Mesh {
        positions: (0..SIDE * SIDE).map(place).collect(),
        normals: vec![Vec3::Y; (SIDE * SIDE) as usize],
        uvs: (0..SIDE * SIDE).map(share).collect(),
        parts: vec![Part { name: "field".into(), triangles: 0..triangles.len() as u32 }],
        triangles,
        normals_from_file: true,
        ..Mesh::default()
    }
}

/// A PLY without normals, as scans and sculpts often come.
fn write_bare_ply(out: &mut dyn Write, mesh: &Mesh) -> std::io::Result<()> {
    let mut whole = Vec::new();
    write_ply(&mut whole, mesh)?;
    let end = whole.windows(11).position(|w| w == b"end_header\n").unwrap_or(0) + 11;
    let header =
        String::from_utf8_lossy(&whole[..end]).replace("property float nx\nproperty float ny\nproperty float nz\n", "");
    out.write_all(header.as_bytes())?;
    let (vertices, faces) = whole[end..].split_at(mesh.positions.len() * 24);
    vertices.chunks_exact(24).try_for_each(|v| out.write_all(&v[..12]))?;
    out.write_all(faces)
}

fn own_bytes(mesh: &Mesh) -> usize {
    size_of_val(&*mesh.positions)
        + size_of_val(&*mesh.normals)
        + size_of_val(&*mesh.uvs)
        + size_of_val(&*mesh.colors)
        + size_of_val(&*mesh.triangles)
}

pub fn print() {
    let folder = std::env::temp_dir();
    for (name, write) in [
        ("field.ply", write_bare_ply as fn(&mut dyn Write, &Mesh) -> std::io::Result<()>),
        ("field.glb", |out, mesh| write_glb(out, mesh)),
    ] {
        let path = folder.join(format!("ember-ridge-bench-{name}"));
        let file = File::create(&path).expect("room in the temporary folder");
        write(&mut BufWriter::new(file), &field()).expect("room in the temporary folder");
        measure(&path);
        let _ = fs::remove_file(path);
    }
}

fn measure(path: &Path) {
    forget_peak();
    let before = peak_memory();
    let begun = Instant::now();
    let bytes = fs::read(path).expect("just written");
    let length = bytes.len();
    let mesh = read_mesh(&path.to_string_lossy(), &bytes, &|_| None).expect("our own");
    drop(bytes);
    let (reading, seconds) = (peak_memory() - before, begun.elapsed().as_secs_f64());
    forget_peak();
    let begun = Instant::now();
    let findings = check_mesh(&mesh, false);
    let checking = peak_memory() - before;
    let own = own_bytes(&mesh) as f64;
    println!(
        "{}: {} triangles, {:.0} MB of file, {:.0} MB of mesh; read in {seconds:.1} s, checked in {:.1} s ({} findings)",
        path.extension().unwrap_or_default().to_string_lossy(),
        mesh.triangles.len(),
        length as f64 / 1e6,
        own / 1e6,
        begun.elapsed().as_secs_f64(),
        findings.len()
    );
    println!(
        "ratio of memory at the peak to the mesh: reading {:.2}, checking {:.2}",
        reading as f64 / own,
        checking as f64 / own
    );
}
