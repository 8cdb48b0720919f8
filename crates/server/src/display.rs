//! Meshes as the page draws them: plain arrays behind a small header. A large sculpt is thinned to a stand-in (meshopt); the
//! header says how many triangles the real one has, and the page says so too. Bakes never see a stand-in.

use crate::api::{DisplayArray, DisplayHeader, DisplayPart};
use ember_ridge_core::Mesh;
use ember_ridge_core::glam::Vec3;
use ember_ridge_core::layout::{Unwrap, find_overlaps};
use ember_ridge_core::reach::LowSurface;
use serde::Serialize;

/// Sculpts beyond this many triangles are shown through a stand-in of about this many.
const MOST_SHOWN: usize = 320_000;
/// While it is turned on a machine that cannot draw those in time, of about this many.
const MOST_TURNED: usize = 24_000;

/// Arrays behind a header.
#[derive(Default)]
pub struct Packer {
    arrays: Vec<DisplayArray>,
    bytes: Vec<u8>,
}

impl Packer {
    pub fn floats(&mut self, name: &str, values: impl Iterator<Item = f32>) {
        self.put(name, values.flat_map(f32::to_le_bytes).collect());
    }

    pub fn whole(&mut self, name: &str, values: impl Iterator<Item = u32>) {
        self.put(name, values.flat_map(u32::to_le_bytes).collect());
    }

    fn put(&mut self, name: &str, data: Vec<u8>) {
        self.bytes.resize(self.bytes.len().next_multiple_of(4), 0);
        self.arrays.push(DisplayArray {
            name: name.to_owned(),
            offset: self.bytes.len() as u32,
            length: data.len() as u32,
        });
        self.bytes.extend(data);
    }

    /// The header, told of its arrays, and they after it.
    pub fn finish<H: Serialize>(self, header: impl FnOnce(Vec<DisplayArray>) -> H) -> Vec<u8> {
        let mut text = serde_json::to_vec(&header(self.arrays)).expect("our own types have string keys");
        // The arrays start on a multiple of four, as typed arrays want.
        text.resize(text.len().next_multiple_of(4), b' ');
        let mut out = (text.len() as u32).to_le_bytes().to_vec();
        out.extend(text);
        out.extend(self.bytes);
        out
    }
}

/// The low-poly: one vertex a corner, because tangents belong to corners.
pub fn low(surface: &LowSurface) -> Vec<u8> {
    let mesh = &surface.mesh;
    let corners = || mesh.triangles.iter().flatten().map(|&v| v as usize);
    let mut packer = Packer::default();
    packer.floats("position", corners().flat_map(|v| mesh.positions[v].to_array()));
    packer.floats("normal", corners().flat_map(|v| mesh.normals[v].to_array()));
    packer.floats("outward", corners().flat_map(|v| surface.directions()[v].to_array()));
    if !mesh.uvs.is_empty() {
        packer.floats("uv", corners().flat_map(|v| mesh.uvs[v].to_array()));
        let tangents = (0..mesh.triangles.len() as u32).flat_map(|t| surface.tangents(t));
        packer.floats("tangent", tangents.flat_map(|t| [t.tangent.x, t.tangent.y, t.tangent.z, t.sign]));
    }
    let count = mesh.triangles.len() as u32;
    if let Some(unwrap) = Unwrap::new(mesh) {
        packer.put("island", unwrap.island_of.iter().flat_map(|i| i.to_le_bytes()).collect());
        packer.floats("density", unwrap.faces.iter().map(|f| f.density));
        packer.floats("stretch", unwrap.faces.iter().map(|f| f.stretch));
        let mut overlapping = vec![0u8; mesh.triangles.len()];
        for overlap in find_overlaps(mesh, &unwrap.island_of).unwrap_or_default() {
            overlap.triangles.iter().for_each(|&t| overlapping[t as usize] = 1);
        }
        packer.put("overlapping", overlapping);
    }
    if !mesh.triangle_materials.is_empty() {
        packer.put("material", mesh.triangle_materials.iter().flat_map(|m| m.to_le_bytes()).collect());
    }
    packer.put("index", (0..count * 3).flat_map(u32::to_le_bytes).collect());
    let parts = mesh.parts.iter().map(|p| DisplayPart {
        name: p.name.clone(),
        start: p.triangles.start * 3,
        count: p.triangles.len() as u32 * 3,
    });
    let header = header_of(mesh, count * 3, count, parts.collect());
    packer.finish(|arrays| DisplayHeader { arrays, ..header })
}

/// The sculpt, thinned when it is large.
pub fn high(mesh: &Mesh) -> Vec<u8> {
    let keep = (MOST_SHOWN as f32 / mesh.triangles.len() as f32).min(1.0);
    let mut indices: Vec<u32> = Vec::new();
    let mut parts = Vec::new();
    for part in &mesh.parts {
        let own: Vec<u32> = mesh.triangles[part.triangles.start as usize..part.triangles.end as usize]
            .iter()
            .flatten()
            .copied()
            .collect();
        let start = indices.len() as u32;
        indices.extend(if keep < 1.0 { thinned(mesh, &own, keep) } else { own });
        parts.push(DisplayPart { name: part.name.clone(), start, count: indices.len() as u32 - start });
    }
    let (rough, rough_parts) = rougher(mesh, &indices, &parts);
    // Only vertices that are still used are sent; the rough one uses a share of the same.
    let mut number = vec![u32::MAX; mesh.positions.len()];
    let mut used: Vec<usize> = Vec::new();
    for v in &mut indices {
        let slot = &mut number[*v as usize];
        if *slot == u32::MAX {
            *slot = used.len() as u32;
            used.push(*v as usize);
        }
        *v = *slot;
    }
    let rough = rough.into_iter().map(|v| number[v as usize]);
    let mut packer = Packer::default();
    packer.floats("position", used.iter().flat_map(|&v| mesh.positions[v].to_array()));
    packer.floats("normal", used.iter().flat_map(|&v| mesh.normals[v].to_array()));
    if !mesh.colors.is_empty() {
        packer.put(
            "color",
            used.iter()
                .flat_map(|&v| {
                    let [r, g, b] = mesh.colors[v];
                    [r, g, b, 255]
                })
                .collect(),
        );
    }
    let shown = (indices.len() / 3) as u32;
    packer.put("index", indices.into_iter().flat_map(u32::to_le_bytes).collect());
    if !rough_parts.is_empty() {
        packer.put("rough", rough.flat_map(u32::to_le_bytes).collect());
        packer.put("rough_parts", rough_parts.into_iter().flatten().flat_map(u32::to_le_bytes).collect());
    }
    let header = header_of(mesh, used.len() as u32, shown, parts);
    packer.finish(|arrays| DisplayHeader { arrays, ..header })
}

/// The stand-in of a stand-in: indices, and first index and count of each part; nothing when there is little to draw anyway.
fn rougher(mesh: &Mesh, indices: &[u32], parts: &[DisplayPart]) -> (Vec<u32>, Vec<[u32; 2]>) {
    let shown = indices.len() / 3;
    if shown <= 2 * MOST_TURNED {
        return (Vec::new(), Vec::new());
    }
    let (mut rough, mut places) = (Vec::new(), Vec::new());
    for part in parts {
        let own = &indices[part.start as usize..(part.start + part.count) as usize];
        let kept = thinned(mesh, own, MOST_TURNED as f32 / shown as f32);
        places.push([rough.len() as u32, kept.len() as u32]);
        rough.extend(kept);
    }
    (rough, places)
}

fn header_of(mesh: &Mesh, vertices: u32, shown: u32, parts: Vec<DisplayPart>) -> DisplayHeader {
    let (low, high): (Vec3, Vec3) = mesh.bounds();
    DisplayHeader {
        vertices,
        indices: shown * 3,
        real_triangles: mesh.triangles.len() as u32,
        shown_triangles: shown,
        parts,
        materials: mesh.materials.clone(),
        arrays: Vec::new(),
        low_corner: low.to_array(),
        high_corner: high.to_array(),
    }
}

fn thinned(mesh: &Mesh, indices: &[u32], keep: f32) -> Vec<u32> {
    let bytes: Vec<u8> = mesh.positions.iter().flat_map(|p| p.to_array()).flat_map(f32::to_le_bytes).collect();
    let Ok(adapter) = meshopt::VertexDataAdapter::new(&bytes, 12, 0) else { return indices.to_vec() };
    let target = ((indices.len() as f32 * keep) as usize / 3 * 3).max(300);
    meshopt::simplify(indices, &adapter, target, 0.02, meshopt::SimplifyOptions::Sparse, None)
}
