//! Islands moved as they are: scaled, turned, moved, given a density, packed, and mirror images stacked.

use super::energy::Piece;
use super::names::Places;
use super::net::Chart;
use super::pack::{Packing, pack};
use super::relax::furthest;
use super::sheet::{CornerUvs, Sheet, corner_uvs};
use crate::mesh::{DisjointSets, Mesh, SurfaceWalk};
use crate::step::{DensityStep, MoveUvsStep, PackStep, StackStep};
use crate::surface::MeshPoint;
use glam::DVec2;
use rustc_hash::FxHashMap;

fn bounds(uvs: impl IntoIterator<Item = DVec2>) -> (DVec2, DVec2) {
    uvs.into_iter().fold((DVec2::INFINITY, DVec2::NEG_INFINITY), |(low, high), uv| (low.min(uv), high.max(uv)))
}

/// Scales, turns and moves islands, or softly what lies near a face.
pub fn move_uvs(mesh: Mesh, step: &MoveUvsStep) -> Mesh {
    let mut sheet = Sheet::new(mesh);
    let seams = sheet.seams.clone();
    let charts = sheet.chosen(&seams, Some(&step.islands));
    let laid: Vec<Vec<DVec2>> = charts.iter().map(|c| sheet.uvs_of(c)).collect();
    let scale = DVec2::from(step.scale.map(f64::from));
    let (turn, by) = (DVec2::from_angle(f64::from(step.turn).to_radians()), DVec2::from(step.by.map(f64::from)));
    let moved = |middle: DVec2, uv: DVec2| turn.rotate((uv - middle) * scale) + middle + by;
    let Some(within) = step.within else {
        let (low, high) = bounds(laid.iter().flatten().copied());
        let middle = (low + high) * 0.5;
        let changes: CornerUvs = charts
            .iter()
            .zip(&laid)
            .flat_map(|(chart, uvs)| corner_uvs(chart, &uvs.iter().map(|uv| moved(middle, *uv)).collect::<Vec<_>>()))
            .collect();
        return sheet.with(changes);
    };
    let Some(&face) = sheet.faces(&step.islands).first() else { return sheet.mesh };
    let middle = sheet.mesh.corner_uvs(face).map(|uv| uv.as_dvec2()).iter().sum::<DVec2>() / 3.0;
    let weights = weights(&sheet, face, within);
    let mut changes = CornerUvs::new();
    for (chart, uvs) in charts.iter().zip(&laid) {
        let weight = |p: &u32| weights.get(p).copied().unwrap_or(0.0);
        let back: Vec<DVec2> =
            chart.points.iter().zip(uvs).map(|(p, uv)| (*uv - moved(middle, *uv)) * weight(p)).collect();
        let piece = Piece::new(&chart.places(&sheet.net), chart.corners.clone(), 1.0);
        let far = (0.9 * furthest(&piece, uvs, &back)).min(1.0);
        let uvs: Vec<DVec2> = uvs.iter().zip(&back).map(|(uv, back)| *uv - *back * far).collect();
        changes.extend(corner_uvs(chart, &uvs));
    }
    sheet.with(changes)
}

/// How far each point near a face goes along with it, 0 to 1: smooth at both ends, 1 at the face and 0 from `within` on, scene units along the
/// surface.
fn weights(sheet: &Sheet, face: u32, within: f32) -> FxHashMap<u32, f64> {
    let walk = SurfaceWalk::new(&sheet.mesh);
    let distance = walk.from(MeshPoint::new(face, 1.0 / 3.0, 1.0 / 3.0), within);
    let mut weights = FxHashMap::default();
    for (t, points) in sheet.points.of.iter().enumerate() {
        for (own, point) in walk.points(t as u32).into_iter().zip(points) {
            if let Some(d) = distance.at_point(own) {
                let share = f64::from(d / within);
                weights.insert(*point, (1.0 - share * share).max(0.0).powi(2));
            }
        }
    }
    weights
}

/// Corners that go along when UVs are moved softly about a triangle, three times the triangle plus the corner's number, and how far each goes:
/// see [`MoveUvsStep::within`]. All are of the triangle's island.
pub fn falloff(mesh: Mesh, triangle: u32, within: f32) -> Vec<(u32, f32)> {
    let sheet = Sheet::new(mesh);
    let weights = weights(&sheet, triangle, within);
    let own = sheet.charts(&sheet.seams).into_iter().find(|chart| chart.faces.binary_search(&triangle).is_ok());
    let faces = own.into_iter().flat_map(|chart| chart.faces);
    let corners = faces.flat_map(|f| {
        let points = sheet.points.of[f as usize];
        [0, 1, 2].map(|k| (3 * f + k, weights.get(&points[k as usize]).copied().unwrap_or(0.0) as f32))
    });
    corners.filter(|(_, weight)| *weight > 0.0).collect()
}

/// Gives islands a density, each about its middle.
pub fn set_density(mesh: Mesh, step: &DensityStep) -> Mesh {
    let mut sheet = Sheet::new(mesh);
    let seams = sheet.seams.clone();
    let wanted = f64::from(step.texels) / f64::from(step.size);
    let charts = sheet.chosen(&seams, step.islands.as_ref());
    let changes: CornerUvs = charts
        .iter()
        .flat_map(|chart| {
            let uvs = sheet.uvs_of(chart);
            corner_uvs(chart, &scaled(&sheet, chart, uvs, wanted))
        })
        .collect();
    sheet.with(changes)
}

/// UVs of a chart at a density, UV units per scene unit, about their middle.
fn scaled(sheet: &Sheet, chart: &Chart, mut uvs: Vec<DVec2>, wanted: f64) -> Vec<DVec2> {
    let own = (Sheet::signed_area(chart, &uvs).abs() / sheet.surface(chart)).sqrt();
    if own > 0.0 && own.is_finite() {
        let (low, high) = bounds(uvs.iter().copied());
        let middle = (low + high) * 0.5;
        uvs.iter_mut().for_each(|uv| *uv = middle + (*uv - middle) * (wanted / own));
    }
    uvs
}

/// Packs all islands; stacked ones move as one. Where they find no room at all, the mesh stays as it is.
pub fn packed(mesh: Mesh, step: &PackStep) -> Mesh {
    let sheet = Sheet::new(mesh);
    let seams = sheet.seams.clone();
    let charts = sheet.charts(&seams);
    let mut laid: Vec<Vec<DVec2>> = charts.iter().map(|c| sheet.uvs_of(c)).collect();
    let stack_of = stacks(&charts, &laid);
    let mut groups: Vec<(u32, Vec<usize>)> = Vec::new();
    let mut group_of: FxHashMap<u32, usize> = FxHashMap::default();
    for (c, chart) in charts.iter().enumerate() {
        if Sheet::signed_area(chart, &laid[c]) == 0.0 {
            continue;
        }
        let group = *group_of.entry(stack_of[c]).or_insert_with(|| {
            groups.push((stack_of[c], Vec::new()));
            groups.len() - 1
        });
        groups[group].1.push(c);
    }
    if !step.keep_density {
        // Stacked islands keep their relative sizes: the whole stack gets the density.
        for (_, members) in &groups {
            let (uv, surface) = members.iter().fold((0.0, 0.0), |(uv, surface), &c| {
                (uv + Sheet::signed_area(&charts[c], &laid[c]).abs(), surface + sheet.surface(&charts[c]))
            });
            let by = (surface / uv).sqrt();
            if by.is_finite() && by > 0.0 {
                members.iter().for_each(|&c| laid[c].iter_mut().for_each(|uv| *uv *= by));
            }
        }
    }
    let border = |c: usize| {
        let turned_over = Sheet::signed_area(&charts[c], &laid[c]) < 0.0;
        let uvs = &laid[c];
        charts[c].loops.iter().flat_map(move |l| (0..l.len()).map(move |i| (l[i], l[(i + 1) % l.len()]))).map(
            move |(a, b)| {
                let (a, b) = if turned_over { (b, a) } else { (a, b) };
                [uvs[a as usize], uvs[b as usize]]
            },
        )
    };
    let borders: Vec<Vec<[DVec2; 2]>> =
        groups.iter().map(|(_, members)| members.iter().flat_map(|&c| border(c)).collect()).collect();
    let packing = Packing { margin: f64::from(step.margin) / f64::from(step.size), turn: !step.upright };
    let Some((scale, places)) = pack(&borders, packing) else { return sheet.mesh };
    let mut changes = CornerUvs::new();
    for ((_, members), place) in groups.iter().zip(places) {
        for &c in members {
            let uvs: Vec<DVec2> = laid[c].iter().map(|uv| place.place(scale, *uv)).collect();
            changes.extend(corner_uvs(&charts[c], &uvs));
        }
    }
    sheet.with(changes)
}

/// Islands are stacked that have as many faces and cover this share of each other: others overlap by mistake.
const STACKED: f64 = 0.9;
/// Cells per side of the sheet that overlaps are counted in.
const CELLS: usize = 512;

/// The number of the stack that each chart belongs to: charts that cover each other are one stack.
fn stacks(charts: &[Chart], laid: &[Vec<DVec2>]) -> Vec<u32> {
    let cells: Vec<Vec<u32>> = charts.iter().zip(laid).map(|(chart, uvs)| cells_of(chart, uvs)).collect();
    let mut at: FxHashMap<u32, Vec<u32>> = FxHashMap::default();
    for (c, cells) in cells.iter().enumerate() {
        cells.iter().for_each(|&cell| at.entry(cell).or_default().push(c as u32));
    }
    let mut shared: FxHashMap<(u32, u32), usize> = FxHashMap::default();
    for members in at.values() {
        for (i, &a) in members.iter().enumerate().take(64) {
            members[i + 1..].iter().take(64).for_each(|&b| *shared.entry((a, b)).or_default() += 1);
        }
    }
    let mut sets = DisjointSets::new(charts.len());
    let mut pairs: Vec<_> = shared.into_iter().collect();
    pairs.sort_unstable();
    for ((a, b), count) in pairs {
        let (one, two) = (a as usize, b as usize);
        let most = cells[one].len().max(cells[two].len());
        let alike = charts[one].faces.len() == charts[two].faces.len();
        if alike && count as f64 > STACKED * most as f64 {
            sets.join(a, b);
        }
    }
    sets.into_roots()
}

/// Cells of the unit square whose middle a chart covers, each once.
fn cells_of(chart: &Chart, uvs: &[DVec2]) -> Vec<u32> {
    let mut cells = Vec::new();
    for t in &chart.corners {
        let [a, b, c] = t.map(|p| uvs[p as usize] * CELLS as f64);
        let (low, high) = bounds([a, b, c]);
        let (low, high) = (low.max(DVec2::ZERO), high.min(DVec2::splat((CELLS - 1) as f64)));
        let twice = (b - a).perp_dot(c - a);
        for y in (low.y.floor() as i64)..=(high.y.floor() as i64) {
            for x in (low.x.floor() as i64)..=(high.x.floor() as i64) {
                let p = DVec2::new(x as f64 + 0.5, y as f64 + 0.5);
                let sides = [(b - a).perp_dot(p - a), (c - b).perp_dot(p - b), (a - c).perp_dot(p - c)];
                if sides.iter().all(|s| s * twice >= 0.0) {
                    cells.push((y * CELLS as i64 + x) as u32);
                }
            }
        }
    }
    cells.sort_unstable();
    cells.dedup();
    cells
}

/// Points are mirror images of each other within this share of the diagonal.
const NEAR: f32 = 1e-4;

/// Stacks islands that are mirror images across an axis: those on the rising side give their UVs to those on the other.
pub fn stack(mesh: Mesh, step: &StackStep) -> Mesh {
    let sheet = Sheet::new(mesh);
    let (low, high) = sheet.mesh.bounds();
    let middle = (low + high) * 0.5;
    let places = Places::new(&sheet.points, NEAR);
    let images: Vec<Option<u32>> = sheet.points.at.iter().map(|p| places.at(step.axis.mirror(*p, middle))).collect();
    let sorted = |mut t: [u32; 3]| {
        t.sort_unstable();
        t
    };
    let faces: FxHashMap<[u32; 3], u32> =
        sheet.points.of.iter().enumerate().map(|(t, points)| (sorted(*points), t as u32)).collect();
    let mut changes = CornerUvs::new();
    for chart in sheet.charts(&sheet.seams) {
        let side = |f: u32| sheet.net.middle(f)[step.axis as usize] - f64::from(middle[step.axis as usize]);
        if chart.faces.iter().any(|&f| side(f) >= 0.0) {
            continue;
        }
        let image = |f: u32| -> Option<(u32, [DVec2; 3])> {
            let points = sheet.points.of[f as usize];
            let [a, b, c] = points.map(|p| images[p as usize]);
            let wanted = [a?, b?, c?];
            let other = *faces.get(&sorted(wanted))?;
            let uvs = sheet.mesh.corner_uvs(other);
            let corner = |p: u32| sheet.points.of[other as usize].iter().position(|q| *q == p);
            let mut own = [DVec2::ZERO; 3];
            for (uv, p) in own.iter_mut().zip(wanted) {
                *uv = uvs[corner(p)?].as_dvec2();
            }
            Some((f, own))
        };
        // An island goes over whole or not at all.
        if let Some(moved) = chart.faces.iter().map(|&f| image(f)).collect::<Option<Vec<_>>>() {
            changes.extend(moved);
        }
    }
    sheet.with(changes)
}
