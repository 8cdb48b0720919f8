//! Findings on one mesh, before anything is baked. Each check is a function here and one line in [`check_mesh`].

use super::unwrap_checks::unwrap_findings;
use super::{Mesh, Part, Unwrap, weld};
use crate::finding::{Finding, FindingKind, Place, Severity};
use glam::{Vec2, Vec3};
use rayon::prelude::*;
use std::collections::{BTreeMap, HashMap};

/// All findings on a mesh, in the order of its parts. `as_low` adds what only matters on a low-poly mesh (UVs, islands,
/// cut polygons).
pub fn check_mesh(mesh: &Mesh, as_low: bool) -> Vec<Finding> {
    let mut found = Vec::new();
    found.extend(turned_faces(mesh));
    found.extend(zero_area(mesh));
    if as_low {
        found.extend(missing_uvs(mesh));
        let sides = edge_sides(mesh);
        found.extend(non_manifold(mesh, &sides));
        if let Some(unwrap) = Unwrap::new(mesh) {
            found.extend(islands_outside(mesh, &unwrap));
            found.extend(unwrap_findings(mesh, &unwrap));
            found.extend(hard_edges_without_seam(mesh, &sides));
        }
        found.extend(polygons(mesh));
    }
    found
}

/// A place on `part` made of the given triangles, looking at the first of them.
pub(super) fn place_of(mesh: &Mesh, part: &Part, triangles: &[u32]) -> Place {
    let middle = |t: u32| mesh.corners(t).iter().sum::<Vec3>() / 3.0;
    let uv_middle = |t: u32| mesh.corner_uvs(t).iter().sum::<Vec2>() / 3.0;
    Place {
        part: Some(part.name.clone()),
        triangles: triangles.iter().copied().take(Place::MOST_TRIANGLES).collect(),
        count: triangles.len() as u32,
        point: triangles.first().map(|&t| middle(t).to_array()),
        uv: triangles.first().filter(|_| !mesh.uvs.is_empty()).map(|&t| uv_middle(t).to_array()),
        ..Place::default()
    }
}

pub(super) fn percent(count: usize, of: usize) -> f64 {
    100.0 * count as f64 / of.max(1) as f64
}

/// Faces wound against their neighbours. Two faces that agree run along their shared edge in opposite ways; within each
/// connected shell the smaller camp is called turned.
fn turned_faces(mesh: &Mesh) -> Vec<Finding> {
    let welded = weld(mesh);
    let mut found = Vec::new();
    for part in &mesh.parts {
        let range = part.triangles.clone();
        let turned = turned_in(mesh, &welded.point_of, range.start, range.end);
        if turned.is_empty() {
            continue;
        }
        found.push(Finding {
            kind: FindingKind::TurnedFaces,
            severity: Severity::Fault,
            reason: format!(
                "{} of {} faces of '{}' ({:.1} %) are wound against their neighbours, so they look inside out",
                turned.len(),
                range.len(),
                part.name,
                percent(turned.len(), range.len())
            ),
            remedy: "Flip these faces in the modelling program and export again; rays skip faces that look away".into(),
            place: place_of(mesh, part, &turned),
        });
    }
    found
}

fn turned_in(mesh: &Mesh, point_of: &[u32], start: u32, end: u32) -> Vec<u32> {
    // Each undirected edge, with the faces on it and the way they run. Edges with more than two faces say nothing.
    let mut edges: HashMap<(u32, u32), Vec<(u32, bool)>> = HashMap::with_capacity((end - start) as usize * 2);
    for t in start..end {
        let ids = mesh.triangles[t as usize].map(|v| point_of[v as usize]);
        for i in 0..3 {
            let (a, b) = (ids[i], ids[(i + 1) % 3]);
            if a != b {
                edges.entry((a.min(b), a.max(b))).or_default().push((t, a < b));
            }
        }
    }
    let mut neighbours: Vec<Vec<(u32, bool)>> = vec![Vec::new(); (end - start) as usize];
    for faces in edges.values() {
        if let [(s, forward_s), (t, forward_t)] = faces[..] {
            let agree = forward_s != forward_t;
            neighbours[(s - start) as usize].push((t, agree));
            neighbours[(t - start) as usize].push((s, agree));
        }
    }
    let mut camp: Vec<Option<bool>> = vec![None; (end - start) as usize];
    let mut turned = Vec::new();
    for seed in start..end {
        if camp[(seed - start) as usize].is_some() {
            continue;
        }
        camp[(seed - start) as usize] = Some(false);
        let mut shell = vec![seed];
        let mut at = 0;
        while at < shell.len() {
            let t = shell[at];
            let mine = camp[(t - start) as usize] == Some(true);
            for &(other, agree) in &neighbours[(t - start) as usize] {
                let slot = &mut camp[(other - start) as usize];
                if slot.is_none() {
                    *slot = Some(if agree { mine } else { !mine });
                    shell.push(other);
                }
            }
            at += 1;
        }
        let count = shell.iter().filter(|&&t| camp[(t - start) as usize] == Some(true)).count();
        let smaller = count * 2 <= shell.len();
        turned.extend(shell.into_iter().filter(|&t| camp[(t - start) as usize] == Some(smaller) && count != 0));
    }
    turned.sort_unstable();
    turned
}

fn counted(count: usize, one: &str, several: &str) -> String {
    format!("{count} {}", if count == 1 { one } else { several })
}

/// One side of an edge: its points in rising order, its part, the triangle, and which of its edges.
type EdgeSide = ((u32, u32), usize, u32, usize);

/// Sides of all edges, those of one edge of one part beside each other.
fn edge_sides(mesh: &Mesh) -> Vec<EdgeSide> {
    let point_of = weld(mesh).point_of;
    let mut sides: Vec<EdgeSide> = Vec::with_capacity(mesh.triangles.len() * 3);
    for (part, range) in mesh.parts.iter().map(|p| p.triangles.clone()).enumerate() {
        for t in range {
            let points = mesh.triangles[t as usize].map(|v| point_of[v as usize]);
            for i in 0..3 {
                let (a, b) = (points[i], points[(i + 1) % 3]);
                if a != b {
                    sides.push(((a.min(b), a.max(b)), part, t, i));
                }
            }
        }
    }
    sides.par_sort_unstable();
    sides
}

fn same_edge(a: &EdgeSide, b: &EdgeSide) -> bool {
    (a.0, a.1) == (b.0, b.1)
}

/// Edges at fault, by part: how many, and the triangles on them.
#[derive(Default)]
struct FaultyEdges(BTreeMap<usize, (usize, Vec<u32>)>);

impl FaultyEdges {
    fn add(&mut self, edge: &[EdgeSide]) {
        let (edges, triangles) = self.0.entry(edge[0].1).or_default();
        *edges += 1;
        triangles.extend(edge.iter().map(|side| side.2));
    }

    /// One finding a part; `reason` gets the number of edges and the part's name.
    fn findings(
        self,
        mesh: &Mesh,
        kind: FindingKind,
        reason: impl Fn(usize, &str) -> String,
        remedy: &str,
    ) -> Vec<Finding> {
        let finding = |(part, (edges, mut triangles)): (usize, (usize, Vec<u32>))| {
            triangles.sort_unstable();
            triangles.dedup();
            let part = &mesh.parts[part];
            Finding {
                kind,
                severity: Severity::Warning,
                reason: reason(edges, &part.name),
                remedy: remedy.to_owned(),
                place: place_of(mesh, part, &triangles),
            }
        };
        self.0.into_iter().map(finding).collect()
    }
}

/// Edges that more than two faces of a part share.
fn non_manifold(mesh: &Mesh, sides: &[EdgeSide]) -> Vec<Finding> {
    let mut faulty = FaultyEdges::default();
    sides.chunk_by(same_edge).filter(|edge| edge.len() > 2).for_each(|edge| faulty.add(edge));
    let reason = |edges, part: &str| {
        format!("{} by three faces or more in '{part}'", counted(edges, "edge is shared", "edges are shared"))
    };
    let remedy = "Take away doubled faces and inner walls; which side is out cannot be told there";
    faulty.findings(mesh, FindingKind::NonManifoldEdges, reason, remedy)
}

/// Normals this far apart (cosine) make an edge hard.
const HARD: f32 = 0.9998;

/// Edges where shading breaks but UVs do not. Both sides share their texels, so a normal map cannot serve the two normals.
fn hard_edges_without_seam(mesh: &Mesh, sides: &[EdgeSide]) -> Vec<Finding> {
    let mut faulty = FaultyEdges::default();
    for edge in sides.chunk_by(same_edge) {
        let [one, two] = edge else { continue };
        // The ends of the edge as each face has them. Two faces that agree run along it in opposite ways; of two that do
        // not, one is turned, and a finding of its own.
        let ends = |side: &EdgeSide| {
            let triangle = mesh.triangles[side.2 as usize];
            [triangle[side.3], triangle[(side.3 + 1) % 3]].map(|v| v as usize)
        };
        let ([a, b], [d, c]) = (ends(one), ends(two));
        if mesh.positions[a] != mesh.positions[c] {
            continue;
        }
        let hard = |v: usize, w: usize| mesh.normals[v].dot(mesh.normals[w]) < HARD;
        let seam = mesh.uvs[a] != mesh.uvs[c] || mesh.uvs[b] != mesh.uvs[d];
        if hard(a, c) && hard(b, d) && !seam {
            faulty.add(edge);
        }
    }
    let reason = |edges, part: &str| {
        format!("{} in '{part}'", counted(edges, "hard edge has no UV seam", "hard edges have no UV seam"))
    };
    let remedy = "Split the UVs along each, or make it smooth; a line shows there otherwise";
    faulty.findings(mesh, FindingKind::HardEdgesWithoutSeam, reason, remedy)
}

fn zero_area(mesh: &Mesh) -> Vec<Finding> {
    let mut found = Vec::new();
    for part in &mesh.parts {
        let empty: Vec<u32> = part.triangles.clone().filter(|&t| mesh.area_normal(t) == Vec3::ZERO).collect();
        if empty.is_empty() {
            continue;
        }
        found.push(Finding {
            kind: FindingKind::ZeroAreaFaces,
            severity: Severity::Note,
            reason: format!("{} faces of '{}' have no area", empty.len(), part.name),
            remedy: "They take no texels and stop no rays; merge their doubled points to be rid of them".into(),
            place: place_of(mesh, part, &empty),
        });
    }
    found
}

/// A part has no UVs when the file has none, or when all its faces collapse to no UV area.
fn missing_uvs(mesh: &Mesh) -> Vec<Finding> {
    let without = |part: &&Part| {
        mesh.uvs.is_empty()
            || part.triangles.clone().all(|t| {
                let [a, b, c] = mesh.corner_uvs(t);
                (b - a).perp_dot(c - a) == 0.0
            })
    };
    let finding = |part: &Part| Finding {
        kind: FindingKind::MissingUvs,
        severity: Severity::Fault,
        reason: format!("'{}' has no UVs, so none of its surface has a place on the sheet", part.name),
        remedy: "Unwrap it in the modelling program and export again with UVs".into(),
        place: place_of(mesh, part, &part.triangles.clone().collect::<Vec<_>>()),
    };
    mesh.parts.iter().filter(without).map(finding).collect()
}

/// Islands with a corner outside the unit square. A hair over the edge (rounding in exporters) is let pass.
fn islands_outside(mesh: &Mesh, unwrap: &Unwrap) -> Vec<Finding> {
    const HAIR: f32 = 1e-5;
    let mut found = Vec::new();
    for island in &unwrap.islands {
        let (low, high) = (island.low, island.high);
        if low.min_element() >= -HAIR && high.max_element() <= 1.0 + HAIR {
            continue;
        }
        let first = island.triangles[0];
        let Some(part) = mesh.parts.iter().find(|p| p.triangles.contains(&first)) else { continue };
        let whole = low.floor();
        let fits = (high - whole).max_element() <= 1.0 + HAIR;
        let remedy = if fits {
            format!(
                "Move the island by ({:.0}, {:.0}) whole squares to bring it back inside",
                0.0 - whole.x,
                0.0 - whole.y
            )
        } else {
            "Scale or move the island so that all of it lies between 0 and 1".to_owned()
        };
        found.push(Finding {
            kind: FindingKind::IslandOutside,
            severity: Severity::Fault,
            reason: format!(
                "A UV island of '{}' lies outside the square: u {:.3} to {:.3}, v {:.3} to {:.3}",
                part.name, low.x, high.x, low.y, high.y
            ),
            remedy,
            place: place_of(mesh, part, &island.triangles),
        });
    }
    found
}

fn polygons(mesh: &Mesh) -> Option<Finding> {
    (mesh.polygons > 0).then(|| Finding {
        kind: FindingKind::PolygonsTriangulated,
        severity: Severity::Note,
        reason: format!("{} faces with more than three corners were cut into triangles", mesh.polygons),
        remedy: "Triangulate before export, so that the renderer cuts them the same way and shades them alike".into(),
        place: Place { count: mesh.polygons, ..Place::default() },
    })
}
