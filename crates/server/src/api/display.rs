//! What goes over the wire about meshes as they are drawn.

use schemars::JsonSchema;
use serde::Serialize;

/// What stands at the head of a display mesh: a length in bytes (u32, little endian), this as JSON, then the arrays.
#[derive(Debug, Serialize, JsonSchema)]
pub struct DisplayHeader {
    pub vertices: u32,
    pub indices: u32,
    /// Triangles of the real mesh; more than shown when a stand-in is drawn.
    pub real_triangles: u32,
    pub shown_triangles: u32,
    pub parts: Vec<DisplayPart>,
    /// Names of materials; the low-poly's array "material" holds a number of these a triangle, 32 bits, 4294967295 for none.
    pub materials: Vec<String>,
    pub arrays: Vec<DisplayArray>,
    pub low_corner: [f32; 3],
    pub high_corner: [f32; 3],
}

#[derive(Debug, Serialize, JsonSchema)]
pub struct DisplayPart {
    pub name: String,
    /// First index and count of indices.
    pub start: u32,
    pub count: u32,
}

#[derive(Debug, Serialize, JsonSchema)]
pub struct DisplayArray {
    /// position, normal, uv, tangent, outward, color or index; of the low-poly's triangles also material, island (u32), density
    /// and stretch (f32), and overlapping (u8). A large sculpt also has rough, indices for while it turns, and rough_parts,
    /// first index and count of each part among those (u32).
    pub name: String,
    /// Byte offset after the header.
    pub offset: u32,
    pub length: u32,
}
