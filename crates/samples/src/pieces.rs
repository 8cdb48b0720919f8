//! Sculpts of several parts, each a field of its own.

use crate::nets::polygonise;
use ember_ridge_core::glam::Vec3;
use ember_ridge_core::mesh::merge_points;
use ember_ridge_core::{Draft, DraftPart, Mesh};

/// A field and the box it lies in, the cell it is cut with, and the colour at a point.
pub struct Piece<'a> {
    pub name: &'static str,
    pub material: &'static str,
    pub low: Vec3,
    pub high: Vec3,
    pub cell: f32,
    pub field: Box<dyn Fn(Vec3) -> f32 + Sync + 'a>,
    pub color: Box<dyn Fn(Vec3) -> [u8; 3] + 'a>,
}

/// All pieces as one mesh, a part each.
pub fn polygonise_all(pieces: Vec<Piece>) -> Mesh {
    let mut draft = Draft::default();
    for piece in pieces {
        let net = polygonise(&piece.field, piece.low, piece.high, piece.cell);
        let first = draft.positions.len() as u32;
        draft.colors.extend(net.positions.iter().map(|&p| (piece.color)(p)));
        draft.positions.extend(net.positions);
        draft.normals.extend(net.normals);
        draft.parts.push(DraftPart {
            name: piece.name.to_owned(),
            material: Some(piece.material.to_owned()),
            indices: net.triangles.iter().flatten().map(|v| v + first).collect(),
            corners: Vec::new(),
        });
    }
    let mesh = draft.finish().expect("sample meshes are built whole: indices and numbers come from the lines above");
    // Faces without area come where vertices settle on one spot.
    merge_points(mesh, None, 0.0)
}
