//! PLY, ascii and both binary byte orders, through `ply-rs-bw`: positions, normals, UVs, vertex colours, faces.

use super::{Beside, Fault};
use ember_ridge_core::glam::{Vec2, Vec3};
use ember_ridge_core::{Draft, DraftPart, Mesh};
use ply_rs_bw::parser::{ParseError, Parser, Reader};
use ply_rs_bw::ply::{ElementDef, Header, Property, PropertyAccess, PropertyAccessResult};
use std::io::{self, Write};

#[derive(Default)]
struct Vertex {
    position: [f32; 3],
    normal: [f32; 3],
    uv: [f32; 2],
    color: [u8; 3],
}

#[derive(Default)]
struct Face {
    indices: Vec<u32>,
}

/// Elements of no use here (edges, materials): read over.
#[derive(Default)]
struct Other;

/// Names a property goes by, and the slot it fills.
fn slot<'a>(vertex: &'a mut Vertex, name: &str) -> Option<&'a mut f32> {
    Some(match name {
        "x" => &mut vertex.position[0],
        "y" => &mut vertex.position[1],
        "z" => &mut vertex.position[2],
        "nx" => &mut vertex.normal[0],
        "ny" => &mut vertex.normal[1],
        "nz" => &mut vertex.normal[2],
        "u" | "s" | "texture_u" => &mut vertex.uv[0],
        "v" | "t" | "texture_v" => &mut vertex.uv[1],
        _ => return None,
    })
}

fn color_channel(name: &str) -> Option<usize> {
    Some(match name {
        "red" | "r" | "diffuse_red" => 0,
        "green" | "g" | "diffuse_green" => 1,
        "blue" | "b" | "diffuse_blue" => 2,
        _ => return None,
    })
}

impl PropertyAccess for Vertex {
    fn new() -> Self {
        Vertex::default()
    }

    fn set_float(&mut self, name: &str, value: f32) -> PropertyAccessResult {
        if let Some(slot) = slot(self, name) {
            *slot = value;
            return PropertyAccessResult::Set;
        }
        self.set_property(name, Property::Float(value))
    }

    fn set_property(&mut self, name: &str, property: Property) -> PropertyAccessResult {
        if let Some(slot) = slot(self, name) {
            let Some(value) = property.to_f32_lossy() else { return PropertyAccessResult::UnsupportedType };
            *slot = value;
        } else if let Some(channel) = color_channel(name) {
            let value = match property {
                Property::UShort(v) => (v >> 8) as u8,
                Property::Float(v) => (v.clamp(0.0, 1.0) * 255.0).round() as u8,
                Property::Double(v) => (v.clamp(0.0, 1.0) * 255.0).round() as u8,
                other => match other.to_u8_color_lossy() {
                    Some(v) => v,
                    None => return PropertyAccessResult::UnsupportedType,
                },
            };
            self.color[channel] = value;
        } else {
            return PropertyAccessResult::Ignored;
        }
        PropertyAccessResult::Set
    }
}

impl PropertyAccess for Face {
    fn new() -> Self {
        Face::default()
    }

    fn set_property(&mut self, name: &str, property: Property) -> PropertyAccessResult {
        if !matches!(name, "vertex_indices" | "vertex_index") {
            return PropertyAccessResult::Ignored;
        }
        match property.to_u32_list() {
            Some(indices) => self.indices = indices,
            None => return PropertyAccessResult::UnsupportedType,
        }
        PropertyAccessResult::Set
    }

    fn set_list_uint(&mut self, name: &str, value: Vec<u32>) -> PropertyAccessResult {
        if !matches!(name, "vertex_indices" | "vertex_index") {
            return PropertyAccessResult::Ignored;
        }
        self.indices = value;
        PropertyAccessResult::Set
    }
}

impl PropertyAccess for Other {
    fn new() -> Self {
        Other
    }
}

/// Entries are read this many at a time: the parser keeps each face in a list of its own, which for a whole sculpt would take
/// several times the memory of its mesh.
const AT_A_TIME: usize = 1 << 16;

/// Reads the entries of an element and hands them on, piece by piece.
fn read_pieces<E: PropertyAccess>(
    reader: &mut Reader<&[u8]>,
    header: &Header,
    element: &ElementDef,
    mut take: impl FnMut(Vec<E>),
) -> Result<(), ParseError> {
    let parser = Parser::<E>::new();
    let mut piece = element.clone();
    let mut left = element.count;
    while left > 0 {
        piece.count = left.min(AT_A_TIME);
        left -= piece.count;
        take(parser.read_payload_for_element(reader, &piece, header)?);
    }
    Ok(())
}

/// A line of a text file as it is quoted, counted from 1; None where the file holds other bytes there.
fn line_of(bytes: &[u8], line: usize) -> Option<String> {
    let text = bytes.split(|&b| b == b'\n').nth(line.checked_sub(1)?)?;
    std::str::from_utf8(text).ok().map(super::text::quoted)
}

pub(super) fn read(bytes: &[u8], stem: &str, _beside: Beside) -> Result<Draft, Fault> {
    let at = |place: &str| {
        let place = place.to_owned();
        move |e: ParseError| match e.line().and_then(|line| Some((line, line_of(bytes, line)?))) {
            Some((line, text)) => {
                Fault::new(format!("{place}, line {line} ('{text}')"), "it cannot be read", super::EXPORT_AGAIN)
            }
            None => Fault::new(place.clone(), "its entries do not fit the header", super::EXPORT_AGAIN),
        }
    };
    let mut reader = Reader::new(bytes);
    let header = Parser::<Other>::new().read_header(&mut reader).map_err(at("the header"))?;
    let mut draft = Draft::default();
    let mut part = DraftPart { name: stem.to_owned(), ..DraftPart::default() };
    for (name, element) in &header.elements {
        if element.count > bytes.len() {
            let fault = format!("it claims {} entries in a file of {} bytes", element.count, bytes.len());
            return Err(Fault::new(format!("element '{name}'"), fault, super::EXPORT_AGAIN));
        }
        let result = match name.as_str() {
            "vertex" => {
                let has = |wanted: &[&str]| wanted.iter().any(|w| element.properties.contains_key(*w));
                let has_normals = has(&["nx"]);
                let has_uvs = has(&["u", "s", "texture_u"]);
                let has_colors = has(&["red", "r", "diffuse_red"]);
                draft.positions.reserve_exact(element.count);
                read_pieces(&mut reader, &header, element, |vertices: Vec<Vertex>| {
                    draft.positions.extend(vertices.iter().map(|v| Vec3::from(v.position)));
                    let kept = |has: bool| if has { vertices.as_slice() } else { &[] };
                    draft.normals.extend(kept(has_normals).iter().map(|v| Vec3::from(v.normal)));
                    draft.uvs.extend(kept(has_uvs).iter().map(|v| Vec2::from(v.uv)));
                    draft.colors.extend(kept(has_colors).iter().map(|v| v.color));
                })
            }
            "face" => {
                let mut faces = 0;
                read_pieces(&mut reader, &header, element, |piece: Vec<Face>| {
                    for face in piece.iter().filter(|f| f.indices.len() >= 3) {
                        part.indices.extend_from_slice(&face.indices);
                        // Corners are told only from the first face on that is no triangle.
                        if face.indices.len() != 3 && part.corners.is_empty() {
                            part.corners = vec![3; faces];
                        }
                        if face.indices.len() != 3 || !part.corners.is_empty() {
                            part.corners.push(face.indices.len() as u32);
                        }
                        faces += 1;
                    }
                })
            }
            _ => read_pieces(&mut reader, &header, element, |_: Vec<Other>| {}),
        };
        result.map_err(at(&format!("element '{name}'")))?;
    }
    draft.parts = vec![part];
    Ok(draft)
}

/// Writes a mesh as binary little-endian PLY with normals, and with vertex colours where it has them. PLY has no parts.
///
/// # Errors
/// What the writer answers.
pub fn write_ply(out: &mut dyn Write, mesh: &Mesh) -> io::Result<()> {
    writeln!(out, "ply\nformat binary_little_endian 1.0\nelement vertex {}", mesh.positions.len())?;
    for name in ["x", "y", "z", "nx", "ny", "nz"] {
        writeln!(out, "property float {name}")?;
    }
    if !mesh.colors.is_empty() {
        writeln!(out, "property uchar red\nproperty uchar green\nproperty uchar blue")?;
    }
    writeln!(out, "element face {}\nproperty list uchar uint vertex_indices\nend_header", mesh.triangles.len())?;
    for (i, (p, n)) in mesh.positions.iter().zip(&mesh.normals).enumerate() {
        for x in [p.x, p.y, p.z, n.x, n.y, n.z] {
            out.write_all(&x.to_le_bytes())?;
        }
        if let Some(color) = mesh.colors.get(i) {
            out.write_all(color)?;
        }
    }
    for triangle in &mesh.triangles {
        out.write_all(&[3])?;
        for v in triangle {
            out.write_all(&v.to_le_bytes())?;
        }
    }
    Ok(())
}
