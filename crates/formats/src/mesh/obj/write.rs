//! A mesh as OBJ: one object a part, `usemtl` by name.

use ember_ridge_core::Mesh;
use std::io::{self, Write};

/// Writes a mesh with its parts as objects, and with normals, UVs and materials (`usemtl` only) where it has them.
///
/// # Errors
/// What the writer answers.
pub fn write_obj(out: &mut dyn Write, mesh: &Mesh) -> io::Result<()> {
    write(out, mesh, None)
}

/// The same with quads, where all of its triangles were cut from quads.
///
/// # Errors
/// Those of `out`.
pub fn write_obj_of_quads(out: &mut dyn Write, mesh: &Mesh) -> io::Result<()> {
    write(out, mesh, mesh.quads().as_deref())
}

/// `quads`: written in place of two triangles each.
fn write(out: &mut dyn Write, mesh: &Mesh, quads: Option<&[[u32; 4]]>) -> io::Result<()> {
    for (i, p) in mesh.positions.iter().enumerate() {
        match mesh.colors.get(i) {
            Some(c) => {
                let [r, g, b] = c.map(|x| f32::from(x) / 255.0);
                writeln!(out, "v {} {} {} {r:.4} {g:.4} {b:.4}", p.x, p.y, p.z)?;
            }
            None => writeln!(out, "v {} {} {}", p.x, p.y, p.z)?,
        }
    }
    for uv in &mesh.uvs {
        writeln!(out, "vt {} {}", uv.x, uv.y)?;
    }
    for n in &mesh.normals {
        writeln!(out, "vn {} {} {}", n.x, n.y, n.z)?;
    }
    let mut material = None;
    for part in &mesh.parts {
        writeln!(out, "o {}", part.name)?;
        for t in part.triangles.clone().step_by(if quads.is_some() { 2 } else { 1 }) {
            let now = mesh.triangle_materials.get(t as usize).and_then(|&m| mesh.materials.get(m as usize));
            if now != material {
                material = now;
                writeln!(out, "usemtl {}", now.map_or("none", String::as_str))?;
            }
            write!(out, "f")?;
            let corners = quads.map_or(&mesh.triangles[t as usize][..], |quads| &quads[t as usize / 2]);
            for v in corners.iter().map(|v| v + 1) {
                match mesh.uvs.is_empty() {
                    true => write!(out, " {v}//{v}")?,
                    false => write!(out, " {v}/{v}/{v}")?,
                }
            }
            writeln!(out)?;
        }
    }
    Ok(())
}
