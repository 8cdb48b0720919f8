//! A mesh's layout as it is edited: its net, the seams its UVs have and those that are marked, and its islands.

use super::names::Points;
use super::net::{Chart, Edge, Net, edge};
use crate::mesh::Mesh;
use crate::step::NamedPoints;
use glam::{DVec2, Vec2};
use rustc_hash::{FxHashMap, FxHashSet};

/// UVs of the three corners of some triangles.
pub(super) type CornerUvs = Vec<(u32, [DVec2; 3])>;

pub(super) struct Sheet {
    pub mesh: Mesh,
    pub points: Points,
    pub net: Net,
    /// Edges whose two faces do not share their UVs.
    pub seams: FxHashSet<Edge>,
}

impl Sheet {
    pub fn new(mut mesh: Mesh) -> Sheet {
        let bare = mesh.uvs.is_empty();
        if bare {
            mesh.uvs = vec![Vec2::ZERO; mesh.positions.len()];
        }
        let points = Points::new(&mesh);
        let parts = mesh.triangle_parts();
        let material = |t: usize| mesh.triangle_materials.get(t).copied().unwrap_or(0);
        let mut groups: FxHashMap<(u32, u32), u32> = FxHashMap::default();
        let group_of = parts.iter().enumerate().map(|(t, &part)| {
            let next = groups.len() as u32;
            *groups.entry((part, material(t))).or_insert(next)
        });
        let group_of: Vec<u32> = group_of.collect();
        let net = Net::new(points.at.iter().map(|p| p.as_dvec3()).collect(), points.of.clone(), &group_of);
        let mut seams = FxHashSet::default();
        for side in 0..3 * mesh.triangles.len() as u32 {
            let Some(other) = net.across(side).filter(|o| *o > side) else { continue };
            let ends = |side: u32| {
                let uvs = mesh.corner_uvs(side / 3);
                [uvs[side as usize % 3], uvs[(side as usize + 1) % 3]]
            };
            let ([a, b], [c, d]) = (ends(side), ends(other));
            if [a, b] != [d, c] {
                let [a, b] = net.ends(side);
                seams.insert(edge(a, b));
            }
        }
        Sheet { mesh, points, net, seams }
    }

    /// Seams as they are to be cut: those of the UVs without those that were cleared, and those that were marked.
    pub fn wanted_seams(&self) -> FxHashSet<Edge> {
        let marks = &self.mesh.marks;
        let kept = self.seams.iter().filter(|e| !marks.cleared.contains(*e));
        kept.chain(&marks.seams).copied().collect()
    }

    pub fn all(&self) -> Vec<u32> {
        (0..self.mesh.triangles.len() as u32).collect()
    }

    pub fn charts(&self, seams: &FxHashSet<Edge>) -> Vec<Chart> {
        self.net.charts(&self.all(), seams)
    }

    /// Number of each triangle's island among the charts that the UVs' own seams part.
    pub fn island_of(&self) -> Vec<u32> {
        let mut island_of = vec![0; self.mesh.triangles.len()];
        for (number, chart) in self.charts(&self.seams).iter().enumerate() {
            chart.faces.iter().for_each(|&f| island_of[f as usize] = number as u32);
        }
        island_of
    }

    /// Charts that hold the faces that are named, all without a name; notes faces that are not there any more.
    pub fn chosen(&mut self, seams: &FxHashSet<Edge>, named: Option<&NamedPoints>) -> Vec<Chart> {
        let charts = self.charts(seams);
        let Some(named) = named else { return charts };
        let faces = self.faces(named);
        charts.into_iter().filter(|chart| faces.iter().any(|f| chart.faces.binary_search(f).is_ok())).collect()
    }

    /// Faces that are named; notes those that are not there any more.
    pub fn faces(&mut self, named: &NamedPoints) -> Vec<u32> {
        let sorted = |mut points: [u32; 3]| {
            points.sort_unstable();
            points
        };
        let all: FxHashMap<[u32; 3], u32> =
            self.points.of.iter().enumerate().map(|(t, &points)| (sorted(points), t as u32)).collect();
        let found: Vec<Option<u32>> = self
            .points
            .named::<3>(named)
            .into_iter()
            .map(|points| points.and_then(|p| all.get(&sorted(p)).copied()))
            .collect();
        self.note_lost(&found, "faces");
        found.into_iter().flatten().collect()
    }

    /// Edges that are named; notes those that are not there any more.
    pub fn edges(&mut self, named: &NamedPoints) -> Vec<Edge> {
        let all: FxHashSet<Edge> = (0..self.mesh.triangles.len() as u32).flat_map(|f| self.net.edges(f)).collect();
        let found: Vec<Option<Edge>> = self
            .points
            .named::<2>(named)
            .into_iter()
            .map(|points| points.map(|[a, b]| edge(a, b)).filter(|e| all.contains(e)))
            .collect();
        self.note_lost(&found, "edges");
        found.into_iter().flatten().collect()
    }

    /// Notes what a step names and the mesh does not have any more.
    pub fn note_lost<T>(&mut self, found: &[Option<T>], what: &str) {
        let lost = found.iter().filter(|f| f.is_none()).count();
        if lost > 0 {
            self.mesh.notes.push(crate::mesh::ReadNote {
                part: None,
                reason: format!("{lost} of {} {what} that a step on its UVs names are not there any more", found.len()),
                remedy: "Remove that step at the Meshes stop, or make it again".into(),
            });
        }
    }

    /// UVs of a chart's corners as they are.
    pub fn uvs_of(&self, chart: &Chart) -> Vec<DVec2> {
        let mut uvs = vec![DVec2::ZERO; chart.points.len()];
        for (corners, &face) in chart.corners.iter().zip(&chart.faces) {
            for (corner, uv) in corners.iter().zip(self.mesh.corner_uvs(face)) {
                uvs[*corner as usize] = uv.as_dvec2();
            }
        }
        uvs
    }

    /// Twice the area of a chart on the sheet, negative where it is turned over.
    pub fn signed_area(chart: &Chart, uvs: &[DVec2]) -> f64 {
        let area = |t: &[u32; 3]| {
            let [a, b, c] = t.map(|p| uvs[p as usize]);
            (b - a).perp_dot(c - a)
        };
        chart.corners.iter().map(area).sum()
    }

    /// Twice the area of a chart's surface.
    pub fn surface(&self, chart: &Chart) -> f64 {
        chart.faces.iter().map(|&f| self.net.area_normal(f).length()).sum()
    }

    /// UV units per scene unit over all that has an area on the sheet; None without any.
    pub fn density(&self) -> Option<f64> {
        let (mut uv, mut area) = (0.0, 0.0);
        for t in self.all() {
            let [a, b, c] = self.mesh.corner_uvs(t).map(|uv| uv.as_dvec2());
            let own = (b - a).perp_dot(c - a).abs();
            if own > 0.0 {
                uv += own;
                area += self.net.area_normal(t).length();
            }
        }
        (uv > 0.0 && area > 0.0).then(|| (uv / area).sqrt())
    }

    /// The mesh with other UVs for some corners; vertices are doubled where corners part.
    pub fn with(self, changes: impl IntoIterator<Item = (u32, [DVec2; 3])>) -> Mesh {
        let mut mesh = self.mesh;
        // Textures stay where they lie on the surface.
        if mesh.texture_uvs.is_empty() && mesh.looks.iter().any(|look| look.pictures().next().is_some()) {
            mesh.texture_uvs = mesh.uvs.clone();
        }
        let mut copies: FxHashMap<(u32, [u32; 2]), u32> = FxHashMap::default();
        for (t, uvs) in changes {
            for (corner, uv) in uvs.into_iter().enumerate() {
                let v = mesh.triangles[t as usize][corner];
                let uv = uv.as_vec2() + Vec2::ZERO;
                if mesh.uvs[v as usize] == uv {
                    continue;
                }
                let copy = *copies.entry((v, uv.to_array().map(f32::to_bits))).or_insert_with(|| {
                    let copy = mesh.copy_vertex(v, mesh.normals[v as usize]);
                    mesh.uvs[copy as usize] = uv;
                    copy
                });
                mesh.triangles[t as usize][corner] = copy;
            }
        }
        mesh.drop_unused_vertices();
        mesh
    }
}

/// Corner UVs of a chart.
pub(super) fn corner_uvs(chart: &Chart, uvs: &[DVec2]) -> CornerUvs {
    chart.faces.iter().zip(&chart.corners).map(|(&f, t)| (f, t.map(|p| uvs[p as usize]))).collect()
}

/// The turn, scale and move, without mirroring, that brings `from` nearest to `to` by least squares: a factor as of complex numbers, and what
/// is added.
pub(super) fn nearest_similar(from: &[DVec2], to: &[DVec2]) -> (DVec2, DVec2) {
    let count = from.len().max(1) as f64;
    let (a, b) = (from.iter().sum::<DVec2>() / count, to.iter().sum::<DVec2>() / count);
    let (mut dot, mut cross, mut size) = (0.0, 0.0, 0.0);
    for (p, q) in from.iter().zip(to) {
        let (p, q) = (*p - a, *q - b);
        dot += p.dot(q);
        cross += p.perp_dot(q);
        size += p.length_squared();
    }
    let factor = if size > 0.0 && dot.hypot(cross) > 0.0 { DVec2::new(dot, cross) / size } else { DVec2::X };
    (factor, b - factor.rotate(a))
}
