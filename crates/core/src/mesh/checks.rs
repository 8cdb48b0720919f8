//! Findings on one mesh, before anything is baked. Each check is a function here and one line in [`check_mesh`].

use super::turn::merged_positions;
use super::unwrap_checks::unwrap_findings;
use super::{Mesh, MeshStep, Neighbours, Part, ReadNote, Shell, Unwrap, find_shells, inward_shells, weld};
use crate::finding::{Finding, FindingKind, Fix, Place, Severity};
use glam::{Vec2, Vec3};
use rayon::prelude::*;
use rustc_hash::FxHashSet;
use std::collections::BTreeMap;

/// All findings on a mesh, in the order of its parts. `as_low` adds what only matters on a low-poly mesh (UVs, islands,
/// cut polygons).
pub fn check_mesh(mesh: &Mesh, as_low: bool) -> Vec<Finding> {
    let mut found: Vec<Finding> = mesh.notes.iter().map(read_in_part).collect();
    found.extend(winding(mesh));
    found.extend(zero_area(mesh));
    if as_low {
        found.extend(doubled_points(mesh));
        found.extend(missing_uvs(mesh));
        let sides = edge_sides(mesh);
        found.extend(non_manifold(mesh, &sides));
        if let Some(unwrap) = Unwrap::new(mesh) {
            found.extend(islands_outside(mesh, &unwrap));
            found.extend(unwrap_findings(mesh, &unwrap));
            found.extend(hard_edges_without_seam(mesh, &unwrap, &sides));
        }
        found.extend(polygons(mesh));
    }
    found
}

fn read_in_part(note: &ReadNote) -> Finding {
    Finding {
        kind: FindingKind::ReadInPart,
        severity: Severity::Note,
        place: Place { part: note.part.clone(), ..Place::default() },
        reason: note.reason.clone(),
        remedy: note.remedy.clone(),
        fixes: Vec::new(),
        allowed: None,
    }
}

/// Rounds of checking and mending: a step may bring another finding to light, as an island moved back into the square may then
/// lie on one that is there.
const ROUNDS: usize = 6;

/// Takes the first fix of every finding that has one, until none is left, and returns the steps taken and the mesh after them.
pub fn fix_all(mesh: &Mesh, as_low: bool) -> (Vec<MeshStep>, Mesh) {
    let mut mesh = mesh.clone();
    let mut taken: Vec<MeshStep> = Vec::new();
    for _ in 0..ROUNDS {
        let offered = check_mesh(&mesh, as_low).into_iter().filter_map(|f| f.fixes.into_iter().next());
        let mut steps: Vec<MeshStep> = Vec::new();
        for step in offered.map(|fix| fix.step) {
            // Once more at most: what another step brought to light may ask for it again, but not for ever.
            if !steps.contains(&step) && taken.iter().filter(|t| **t == step).count() < 2 {
                steps.push(step);
            }
        }
        // Room is looked for last, when everything else lies where it belongs.
        if steps.iter().any(|s| !s.takes_room()) {
            steps.retain(|s| !s.takes_room());
        }
        if steps.is_empty() {
            break;
        }
        mesh = mesh.with_steps(&steps);
        taken.extend(steps);
    }
    (taken, mesh)
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

/// Faces wound against their neighbours, and shells that look inward. Two faces that agree run along their shared edge in
/// opposite ways; within each shell the smaller camp is called turned.
fn winding(mesh: &Mesh) -> Vec<Finding> {
    let neighbours = Neighbours::new(mesh);
    let mut found = Vec::new();
    for part in &mesh.parts {
        let shells = find_shells(mesh, part, &neighbours);
        let fix = || vec![Fix::of_file("Turn them outward", MeshStep::TurnFaces { part: Some(part.name.clone()) })];
        let mut turned: Vec<u32> = shells.iter().flat_map(|s| &s.turned).copied().collect();
        turned.sort_unstable();
        if !turned.is_empty() {
            found.push(Finding {
                fixes: fix(),
                allowed: None,
                kind: FindingKind::TurnedFaces,
                severity: Severity::Fault,
                reason: format!(
                    "{} of {} faces of '{}' ({:.1} %) are wound against their neighbours, so they look inside out",
                    turned.len(),
                    part.triangles.len(),
                    part.name,
                    percent(turned.len(), part.triangles.len())
                ),
                remedy: "Turn these faces; rays skip faces that look away".into(),
                place: place_of(mesh, part, &turned),
            });
        }
        let inward: Vec<&Shell> = inward_shells(&shells).collect();
        if !inward.is_empty() {
            let sure = inward.iter().all(|s| s.closed);
            let triangles: Vec<u32> = inward.iter().flat_map(|s| &s.triangles).copied().collect();
            found.push(Finding {
                fixes: fix(),
                allowed: None,
                kind: FindingKind::InsideOut,
                severity: if sure { Severity::Fault } else { Severity::Warning },
                reason: format!(
                    "{} of '{}' {} inside out, {} faces",
                    counted(inward.len(), "shell", "shells"),
                    part.name,
                    match (sure, inward.len()) {
                        (true, 1) => "is",
                        (true, _) => "are",
                        (false, 1) => "seems to be",
                        (false, _) => "seem to be",
                    },
                    triangles.len()
                ),
                remedy: "Turn all of its faces, or accept it if it is meant to be seen from within".into(),
                place: place_of(mesh, part, &triangles),
            });
        }
    }
    found
}

/// Points closer than this share of the diagonal are taken to be one that came apart.
const DOUBLED: f32 = 1e-5;

/// Points of a part that lie beside each other without being the same: a crack that rays slip through.
fn doubled_points(mesh: &Mesh) -> Vec<Finding> {
    let diagonal = mesh.diagonal();
    let distance = diagonal * DOUBLED;
    let mut found = Vec::new();
    for part in &mesh.parts {
        let merged = merged_positions(mesh, part, distance, diagonal);
        let off = |v: &u32| merged.get(v).is_some_and(|p| *p != mesh.positions[*v as usize]);
        let triangles: Vec<u32> =
            part.triangles.clone().filter(|&t| mesh.triangles[t as usize].iter().any(off)).collect();
        if triangles.is_empty() {
            continue;
        }
        let points: FxHashSet<[u32; 3]> = merged
            .keys()
            .filter(|v| off(v))
            .map(|&v| mesh.positions[v as usize].to_array().map(f32::to_bits))
            .collect();
        let step = MeshStep::MergePoints { part: Some(part.name.clone()), distance };
        found.push(Finding {
            fixes: vec![Fix::of_file("Merge them", step)],
            allowed: None,
            kind: FindingKind::DoubledPoints,
            severity: Severity::Warning,
            reason: format!(
                "{} of '{}' {} a hair beside another (less than {distance:.2e} away)",
                counted(points.len(), "point", "points"),
                part.name,
                if points.len() == 1 { "lies" } else { "lie" },
            ),
            remedy: "Merge them; the surface is cracked there, and shading and rays break at it".into(),
            place: place_of(mesh, part, &triangles),
        });
    }
    found
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
        fix: impl Fn(&str, &[u32]) -> Option<Fix>,
    ) -> Vec<Finding> {
        let finding = |(part, (edges, mut triangles)): (usize, (usize, Vec<u32>))| {
            triangles.sort_unstable();
            triangles.dedup();
            let part = &mesh.parts[part];
            Finding {
                fixes: fix(&part.name, &triangles).into_iter().collect(),
                allowed: None,
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
    let point_of = weld(mesh).point_of;
    // Only faces that stand twice can be taken away safely.
    let fix = |part: &str, triangles: &[u32]| {
        let mut seen = FxHashSet::default();
        let twice = triangles.iter().any(|&t| {
            let mut points = mesh.triangles[t as usize].map(|v| point_of[v as usize]);
            points.sort_unstable();
            !seen.insert(points)
        });
        let step = MeshStep::MergePoints { part: Some(part.to_owned()), distance: 0.0 };
        twice.then(|| Fix::of_file("Drop doubled faces", step))
    };
    faulty.findings(mesh, FindingKind::NonManifoldEdges, reason, remedy, fix)
}

/// Seams sharper than this many degrees are made hard when normals are made anew.
const HARD_AT_SEAMS: f32 = 30.0;

/// Normals this far apart (cosine) make an edge hard.
const HARD: f32 = 0.9998;

/// Edges where shading breaks but UVs do not. Both sides share their texels, so a normal map cannot serve the two normals.
fn hard_edges_without_seam(mesh: &Mesh, unwrap: &Unwrap, sides: &[EdgeSide]) -> Vec<Finding> {
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
        let laid_out = |side: &EdgeSide| unwrap.faces[side.2 as usize].density > 0.0;
        if hard(a, c) && hard(b, d) && !seam && laid_out(one) && laid_out(two) {
            faulty.add(edge);
        }
    }
    let reason = |edges, part: &str| {
        format!("{} in '{part}'", counted(edges, "hard edge has no UV seam", "hard edges have no UV seam"))
    };
    let remedy = "Split the UVs along each, or make it smooth; a line shows there otherwise";
    let fix = |part: &str, _: &[u32]| {
        let step = MeshStep::NormalsAtSeams { part: Some(part.to_owned()), degrees: HARD_AT_SEAMS };
        Some(Fix::of_file("Make edges hard at seams only", step))
    };
    faulty.findings(mesh, FindingKind::HardEdgesWithoutSeam, reason, remedy, fix)
}

fn zero_area(mesh: &Mesh) -> Vec<Finding> {
    let mut found = Vec::new();
    for part in &mesh.parts {
        let empty: Vec<u32> = part.triangles.clone().filter(|&t| mesh.area_normal(t) == Vec3::ZERO).collect();
        if empty.is_empty() {
            continue;
        }
        found.push(Finding {
            fixes: vec![Fix::of_file(
                "Drop them",
                MeshStep::MergePoints { part: Some(part.name.clone()), distance: 0.0 },
            )],
            allowed: None,
            kind: FindingKind::ZeroAreaFaces,
            severity: Severity::Note,
            reason: format!(
                "{} of '{}' {} no area",
                counted(empty.len(), "face", "faces"),
                part.name,
                if empty.len() == 1 { "has" } else { "have" }
            ),
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
        fixes: vec![Fix::of_file("Lay it flat into free room", MeshStep::LayOut { part: Some(part.name.clone()) })],
        allowed: None,
        kind: FindingKind::MissingUvs,
        severity: Severity::Fault,
        reason: format!("'{}' has no UVs, so none of its surface has a place on the sheet", part.name),
        remedy: "Unwrap it in the modelling program and export again with UVs, or have it laid out here".into(),
        place: place_of(mesh, part, &part.triangles.clone().collect::<Vec<_>>()),
    };
    mesh.parts.iter().filter(without).map(finding).collect()
}

/// Islands with a corner outside the unit square.
fn islands_outside(mesh: &Mesh, unwrap: &Unwrap) -> Vec<Finding> {
    let mut found = Vec::new();
    for island in unwrap.islands.iter().filter(|i| i.is_outside()) {
        let (low, high, first) = (island.low, island.high, island.triangles[0]);
        let Some(part) = mesh.parts.iter().find(|p| p.triangles.contains(&first)) else { continue };
        let lay_out = Fix::of_file("Lay it into free room", MeshStep::LayOut { part: Some(part.name.clone()) });
        let (remedy, fixes) = match island.squares_back() {
            Some(by) => {
                let step = MeshStep::MoveIslands { part: Some(part.name.clone()) };
                let fix = Fix::of_file("Move it by whole squares", step);
                let by = (by.x as i32, by.y as i32);
                (
                    format!("Move the island by ({}, {}) whole squares to bring it back inside", by.0, by.1),
                    vec![fix, lay_out],
                )
            }
            None => ("Scale or move the island so that all of it lies between 0 and 1".to_owned(), vec![lay_out]),
        };
        found.push(Finding {
            fixes,
            allowed: None,
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
        fixes: Vec::new(),
        allowed: None,
        kind: FindingKind::PolygonsTriangulated,
        severity: Severity::Note,
        reason: format!(
            "{} with more than three corners {} cut into triangles",
            counted(mesh.polygons as usize, "face", "faces"),
            if mesh.polygons == 1 { "was" } else { "were" }
        ),
        remedy: "Triangulate before export, so that the renderer cuts them the same way and shades them alike".into(),
        place: Place { count: mesh.polygons, ..Place::default() },
    })
}
