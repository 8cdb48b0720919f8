//! OBJ through `tobj`: objects and groups become parts, `usemtl` names become materials, vertex colours are kept, negative
//! indices and faces with any number of corners are read. `tobj` names no line in its errors and drops material names whose
//! library is missing; a line-counting reader and a stand-in library make up for both.

use super::{Beside, Fault, Siblings};
use crate::image::read_image;
use ember_ridge_core::glam::{Vec2, Vec3};
use ember_ridge_core::mesh::MaterialLook;
use ember_ridge_core::sheet::srgb_to_linear;
use ember_ridge_core::{Draft, DraftPart, Mesh};
use std::collections::HashMap;
use std::io::{self, BufRead, Cursor, Read, Write};
use std::sync::Arc;

/// Counts the lines that were handed out, so that an error can name the one it happened on.
struct LineCounter<R> {
    inner: R,
    lines: usize,
}

impl<R: BufRead> Read for LineCounter<R> {
    fn read(&mut self, out: &mut [u8]) -> io::Result<usize> {
        self.inner.read(out)
    }
}

impl<R: BufRead> BufRead for LineCounter<R> {
    fn fill_buf(&mut self) -> io::Result<&[u8]> {
        self.inner.fill_buf()
    }

    fn consume(&mut self, amount: usize) {
        self.inner.consume(amount);
    }

    fn read_line(&mut self, line: &mut String) -> io::Result<usize> {
        self.lines += 1;
        self.inner.read_line(line)
    }
}

pub(super) fn read(bytes: &[u8], stem: &str, beside: Beside) -> Result<Draft, Fault> {
    // The first line is ours: it calls for the stand-in material library.
    let with_library = Cursor::new(b"mtllib stand-in\n").chain(bytes);
    let mut reader = LineCounter { inner: with_library, lines: 0 };
    let options = tobj::LoadOptions { single_index: true, triangulate: false, ignore_points: true, ignore_lines: true };
    let names = material_names(bytes);
    let library = |_: &std::path::Path| {
        let materials = names.iter().map(|n| tobj::Material { name: n.clone(), ..tobj::Material::default() }).collect();
        let by_name = names.iter().enumerate().map(|(i, n)| (n.clone(), i)).collect();
        Ok((materials, by_name))
    };
    let loaded = tobj::load_obj_buf(&mut reader, &options, library);
    let (models, materials) = loaded.map_err(|error| fault_of(&error, bytes, reader.lines.saturating_sub(1)))?;
    let materials = materials.unwrap_or_default();

    let mut draft = Draft { looks: looks(bytes, beside.siblings)?, ..Draft::default() };
    let any_uvs = models.iter().any(|m| !m.mesh.texcoords.is_empty());
    let any_normals = !models.is_empty() && models.iter().all(|m| !m.mesh.normals.is_empty());
    let any_colors = models.iter().any(|m| !m.mesh.vertex_color.is_empty());
    for model in models {
        let mesh = model.mesh;
        let first = draft.positions.len() as u32;
        draft.positions.extend(mesh.positions.as_chunks::<3>().0.iter().copied().map(Vec3::from));
        let count = draft.positions.len();
        if any_normals {
            draft.normals.extend(mesh.normals.as_chunks::<3>().0.iter().copied().map(Vec3::from));
            draft.normals.resize(count, Vec3::ZERO);
        }
        if any_uvs {
            draft.uvs.extend(mesh.texcoords.as_chunks::<2>().0.iter().copied().map(Vec2::from));
            draft.uvs.resize(count, Vec2::ZERO);
        }
        if any_colors {
            let byte = |c: f32| (c.clamp(0.0, 1.0) * 255.0).round() as u8;
            draft.colors.extend(mesh.vertex_color.as_chunks::<3>().0.iter().map(|c| c.map(byte)));
            draft.colors.resize(count, [128; 3]);
        }
        let unnamed = model.name.is_empty() || model.name == "unnamed_object";
        draft.parts.push(DraftPart {
            name: if unnamed { stem.to_owned() } else { model.name },
            material: mesh.material_id.and_then(|m| materials.get(m)).map(|m| m.name.clone()),
            indices: mesh.indices.iter().map(|i| i + first).collect(),
            corners: mesh.face_arities,
        });
    }
    Ok(draft)
}

/// Colours and textures of materials, from the libraries the file names and that lie beside it. One that is not there leaves its
/// materials without a look.
fn looks(bytes: &[u8], siblings: Siblings) -> Result<HashMap<String, MaterialLook>, Fault> {
    let mut looks = HashMap::new();
    for line in bytes.split(|&b| b == b'\n') {
        let Some(rest) = line.trim_ascii().strip_prefix(b"mtllib ") else { continue };
        let library = String::from_utf8_lossy(rest).trim().to_owned();
        let Some(text) = siblings(&library) else { continue };
        let (materials, _) = tobj::load_mtl_buf(&mut text.as_slice())
            .map_err(|e| Fault::new(format!("material library {library}"), e.to_string(), super::EXPORT_AGAIN))?;
        for material in materials {
            let color = material.diffuse.unwrap_or([1.0; 3]).map(srgb_to_linear);
            let texture = match material
                .diffuse_texture
                .as_deref()
                .map(texture_file)
                .and_then(|name| Some((name, siblings(name)?)))
            {
                Some((name, bytes)) => {
                    let place = format!("material '{}', texture {name}", material.name);
                    let image = read_image(name, &bytes).map_err(|f| Fault::new(place, f.fault, f.remedy))?;
                    Some(Arc::new(image))
                }
                None => None,
            };
            looks.insert(material.name, MaterialLook { color, texture });
        }
    }
    Ok(looks)
}

/// The file in a texture line: behind its options, where it has some.
fn texture_file(line: &str) -> &str {
    match line.starts_with('-') {
        true => line.split_whitespace().last().unwrap_or(line),
        false => line,
    }
}

fn material_names(bytes: &[u8]) -> Vec<String> {
    let mut names: Vec<String> = Vec::new();
    for line in bytes.split(|&b| b == b'\n') {
        if let Some(rest) = line.trim_ascii().strip_prefix(b"usemtl") {
            let name = String::from_utf8_lossy(rest).trim().to_owned();
            if !names.contains(&name) {
                names.push(name);
            }
        }
    }
    names
}

fn fault_of(error: &tobj::LoadError, bytes: &[u8], line: usize) -> Fault {
    use tobj::LoadError as E;
    let (fault, remedy) = match error {
        E::PositionParseError | E::ScalingByZeroError => ("a vertex position is not three numbers", "Repair the line"),
        E::ColorParseError => ("a vertex colour is not three numbers", "Repair the line or export without colours"),
        E::NormalParseError => ("a normal is not three numbers", "Repair the line"),
        E::TexcoordParseError => ("a UV is not two numbers", "Repair the line"),
        E::FaceParseError | E::InvalidPolygon => ("a face cannot be read", "Repair or delete the line"),
        E::FaceVertexOutOfBounds => ("a face names a vertex that is not in the file", super::EXPORT_AGAIN),
        E::FaceTexCoordOutOfBounds => ("a face names a UV that is not in the file", super::EXPORT_AGAIN),
        E::FaceNormalOutOfBounds => ("a face names a normal that is not in the file", super::EXPORT_AGAIN),
        E::FaceColorOutOfBounds => ("a face names a colour that is not in the file", super::EXPORT_AGAIN),
        E::ReadError => ("it is not text", "Check that the file is an OBJ"),
        E::UnrecognizedCharacter => ("the line begins with an unknown word", "Check that the file is an OBJ"),
        _ => ("the line cannot be read", super::EXPORT_AGAIN),
    };
    let shown = bytes.split(|&b| b == b'\n').nth(line.saturating_sub(1)).unwrap_or_default();
    let shown: String = String::from_utf8_lossy(shown).trim().chars().take(60).collect();
    // Face indices are checked when a part is complete, so the line is where the part ends, not the face itself.
    let at_part_end = matches!(
        error,
        E::FaceVertexOutOfBounds | E::FaceTexCoordOutOfBounds | E::FaceNormalOutOfBounds | E::FaceColorOutOfBounds
    );
    if at_part_end {
        return Fault::new(format!("the part that ends before line {line}"), fault, remedy);
    }
    Fault::new(format!("line {line} ('{shown}')"), fault, remedy)
}

/// Writes a mesh with its parts as objects, and with normals, UVs and materials (`usemtl` only) where it has them.
///
/// # Errors
/// What the writer answers.
pub fn write_obj(out: &mut dyn Write, mesh: &Mesh) -> io::Result<()> {
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
        for t in part.triangles.clone() {
            let now = mesh.triangle_materials.get(t as usize).and_then(|&m| mesh.materials.get(m as usize));
            if now != material {
                material = now;
                writeln!(out, "usemtl {}", now.map_or("none", String::as_str))?;
            }
            write!(out, "f")?;
            for v in mesh.triangles[t as usize].map(|v| v + 1) {
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
