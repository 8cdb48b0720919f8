//! STL, ascii and binary, through `stl_io`. It holds bare triangles: no parts, no UVs, and normals that are remade.

use super::{Beside, EXPORT_AGAIN, Fault};
use ember_ridge_core::glam::Vec3;
use ember_ridge_core::{Draft, DraftPart};
use std::io::Cursor;

pub(super) fn read(bytes: &[u8], stem: &str, _beside: Beside) -> Result<Draft, Fault> {
    // A binary file says how many triangles follow, at 50 bytes each; a short one is told before it is read.
    let binary = !bytes.starts_with(b"solid");
    if binary && bytes.len() >= 84 {
        let count = u32::from_le_bytes([bytes[80], bytes[81], bytes[82], bytes[83]]) as u64;
        let there = (bytes.len() as u64 - 84) / 50;
        if count > there {
            return Err(Fault::new(
                "byte 80",
                format!("it announces {count} triangles and holds {there}"),
                EXPORT_AGAIN,
            ));
        }
    }
    let mesh = stl_io::read_stl(&mut Cursor::new(bytes))
        .map_err(|e| Fault::new("the triangle list", e.to_string(), EXPORT_AGAIN))?;
    Ok(Draft {
        positions: mesh.vertices.iter().map(|v| Vec3::from(v.0)).collect(),
        parts: vec![DraftPart {
            name: stem.to_owned(),
            indices: mesh.faces.iter().flat_map(|f| f.vertices.map(|v| v as u32)).collect(),
            ..DraftPart::default()
        }],
        ..Draft::default()
    })
}
