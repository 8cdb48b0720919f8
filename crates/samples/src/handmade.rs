//! Low-poly meshes as an artist would lay them out: surfaces of revolution, tubes and panels, cut into flat UV islands at their
//! hard edges, and the islands packed into the square at one density.

use ember_ridge_core::glam::{Vec2, Vec3, vec2, vec3};
use ember_ridge_core::mesh::merge_points;
use ember_ridge_core::{Draft, DraftPart, Mesh};
use std::f32::consts::TAU;

/// A flat piece of the sheet. `flat` coordinates are in scene units, so that all islands get the same density.
pub struct Island {
    pub part: usize,
    pub positions: Vec<Vec3>,
    pub normals: Vec<Vec3>,
    pub flat: Vec<Vec2>,
    pub triangles: Vec<[u32; 3]>,
}

/// A point of an island's grid: place, normal, flat coordinate.
pub type GridPoint = (Vec3, Vec3, Vec2);

/// An island that is a grid of `across` x `up` cells. Point (0, 0) lies bottom left, seen from outside.
pub fn grid_island(part: usize, across: usize, up: usize, point: impl Fn(usize, usize) -> GridPoint) -> Island {
    let mut island = Island { part, positions: vec![], normals: vec![], flat: vec![], triangles: vec![] };
    for j in 0..=up {
        for i in 0..=across {
            let (position, normal, flat) = point(i, j);
            island.positions.push(position);
            island.normals.push(normal);
            island.flat.push(flat);
        }
    }
    for j in 0..up {
        for i in 0..across {
            let at = |di: usize, dj: usize| ((j + dj) * (across + 1) + i + di) as u32;
            let (a, b, c, d) = (at(0, 0), at(1, 0), at(1, 1), at(0, 1));
            // The shorter diagonal, and no triangle where a row shrinks to a point.
            let p = |v: u32| island.positions[v as usize];
            let cuts = if p(a).distance_squared(p(c)) <= p(b).distance_squared(p(d)) {
                [[a, b, c], [a, c, d]]
            } else {
                [[a, b, d], [b, c, d]]
            };
            let solid = |t: &[u32; 3]| (p(t[1]) - p(t[0])).cross(p(t[2]) - p(t[0])).length_squared() > 1e-14;
            island.triangles.extend(cuts.into_iter().filter(solid));
        }
    }
    island
}

/// Moves each corner of a closed profile (r, y), which runs up on its outside, inward by `by`. Points on the axis stay there.
pub fn inset(profile: &[Vec2], by: f32) -> Vec<Vec2> {
    let n = profile.len();
    (0..n)
        .map(|i| {
            let (before, here, after) = (profile[(i + n - 1) % n], profile[i], profile[(i + 1) % n]);
            let outward = |a: Vec2, b: Vec2| {
                let d = (b - a).normalize_or_zero();
                vec2(d.y, -d.x)
            };
            // On the axis the profile closes onto itself; only its height moves.
            let (p, q) = match (before.x == 0.0 && here.x == 0.0, after.x == 0.0 && here.x == 0.0) {
                (true, _) => (outward(here, after), outward(here, after)),
                (_, true) => (outward(before, here), outward(before, here)),
                _ => (outward(before, here), outward(here, after)),
            };
            let mitre = (p + q) / (1.0 + p.dot(q)).max(0.3);
            let moved = here - mitre * by;
            if here.x == 0.0 { vec2(0.0, here.y - mitre.y.signum() * by) } else { moved }
        })
        .collect()
}

/// Bands whose directions differ by less than this share smooth normals and an island.
const SMOOTH_COS: f32 = 0.90;

/// A surface of revolution about the y axis along an open profile (r, y) that runs up on its outside, in `sides` flats.
/// Groups of smooth bands become strips (each cut into `pieces` islands around) or, where they lie flat, discs.
pub fn lathe(part: usize, profile: &[Vec2], sides: usize, pieces: usize) -> Vec<Island> {
    // Half-way between the polygon that fits inside the circle and the one around it.
    let swell = (1.0 + 1.0 / (TAU / 2.0 / sides as f32).cos()) / 2.0;
    let normal_of = |i: usize| {
        let d = (profile[i + 1] - profile[i]).normalize_or_zero();
        vec2(d.y, -d.x)
    };
    let bands: Vec<usize> = (0..profile.len() - 1).collect();
    let mut islands = Vec::new();
    for group in bands.chunk_by(|&a, &b| normal_of(a).dot(normal_of(b)) > SMOOTH_COS) {
        let points: Vec<usize> = (group[0]..=group[group.len() - 1] + 1).collect();
        let normal_at = |k: usize| {
            let below = (k > 0).then(|| normal_of(points[k] - 1));
            let above = (k + 1 < points.len()).then(|| normal_of(points[k]));
            (below.unwrap_or_default() + above.unwrap_or_default()).normalize_or_zero()
        };
        let mut along = vec![0.0f32];
        for pair in points.windows(2) {
            along.push(along[along.len() - 1] + profile[pair[0]].distance(profile[pair[1]]));
        }
        let around = |i: usize, k: usize| {
            let angle = i as f32 / sides as f32 * TAU;
            let (r, n) = (profile[points[k]], normal_at(k));
            let (s, c) = angle.sin_cos();
            (vec3(r.x * swell * c, r.y, -r.x * swell * s), vec3(n.x * c, n.y, -n.x * s), angle)
        };
        let rows = points.len() - 1;
        let (one, other) = (profile[points[0]].x, profile[points[rows]].x);
        // A narrow flat ring is straightened like a band: as a disc it would waste the middle.
        let wide = one.min(other) < 0.5 * one.max(other);
        let flat_lying = wide && group.iter().all(|&b| normal_of(b).y.abs() > 0.7);
        if flat_lying {
            // Seen from above or below: rings around a centre, with radii stretched to true lengths.
            let down = normal_of(group[0]).y < 0.0;
            let (inner, rim) = (profile[points[if down { 0 } else { rows }]].x, along[rows]);
            islands.push(grid_island(part, sides, rows, |i, k| {
                let (p, n, angle) = around(i, k);
                let radius = inner + if down { along[k] } else { rim - along[k] };
                let turn = if down { -angle } else { angle };
                (p, n, vec2(turn.cos(), turn.sin()) * radius)
            }));
        } else {
            let mean = points.iter().map(|&p| profile[p].x).sum::<f32>() / points.len() as f32;
            let step = sides / pieces;
            for piece in 0..pieces {
                islands.push(grid_island(part, step, rows, |i, k| {
                    let (p, n, _) = around(i + piece * step, k);
                    (p, n, vec2(i as f32 / sides as f32 * TAU * mean, along[k]))
                }));
            }
        }
    }
    islands
}

/// A tube along `path` with a radius at each point, cut open along its inside and into `pieces` along its length. The path
/// lies in the x-y plane.
pub fn tube(part: usize, path: &[Vec2], radii: &[f32], sides: usize, pieces: usize) -> Vec<Island> {
    let last = path.len() - 1;
    let frame = |k: usize| {
        let d = (path[(k + 1).min(last)] - path[k.saturating_sub(1)]).normalize_or_zero();
        (vec3(d.x, d.y, 0.0), vec3(-d.y, d.x, 0.0))
    };
    let mut along = vec![0.0f32];
    for pair in path.windows(2) {
        along.push(along[along.len() - 1] + pair[0].distance(pair[1]));
    }
    let mean = radii.iter().sum::<f32>() / radii.len() as f32;
    let swell = (1.0 + 1.0 / (TAU / 2.0 / sides as f32).cos()) / 2.0;
    let step = last / pieces;
    (0..pieces)
        .map(|piece| {
            grid_island(part, step, sides, |i, j| {
                let k = i + piece * step;
                let angle = j as f32 / sides as f32 * TAU;
                let (_, up) = frame(k);
                let out = up * -angle.cos() + Vec3::Z * angle.sin();
                let slope = (radii[(k + 1).min(last)] - radii[k.saturating_sub(1)])
                    / (along[(k + 1).min(last)] - along[k.saturating_sub(1)]).max(1e-6);
                let normal = (out - frame(k).0 * slope).normalize();
                let centre = vec3(path[k].x, path[k].y, 0.0);
                (centre + out * radii[k] * swell, normal, vec2(along[k], j as f32 / sides as f32 * TAU * mean))
            })
        })
        .collect()
}

/// Gap left between islands and to the border, as a share of the square's side.
const GAP: f32 = 0.0165;

/// Points nearer than this are one, scene units.
const ROUNDING: f32 = 5e-5;

/// Packs the islands at one density and builds the mesh. Parts are named and given a material in order.
pub fn build(parts: &[(&str, &str)], mut islands: Vec<Island>) -> Mesh {
    for island in &mut islands {
        let (low, _) = flat_bounds(island);
        island.flat.iter_mut().for_each(|f| *f -= low);
    }
    let (small, places) = best_layout(&mut islands);
    let mut draft = Draft::default();
    let named = |&(name, material): &(&str, &str)| DraftPart {
        name: name.to_owned(),
        material: Some(material.to_owned()),
        ..DraftPart::default()
    };
    draft.parts = parts.iter().map(named).collect();
    for (island, place) in islands.iter().zip(places) {
        let first = draft.positions.len() as u32;
        draft.positions.extend(&island.positions);
        draft.normals.extend(&island.normals);
        draft.uvs.extend(island.flat.iter().map(|f| place + *f * small));
        draft.parts[island.part].indices.extend(island.triangles.iter().flatten().map(|v| v + first));
    }
    let mesh = draft.finish().expect("sample meshes are built whole: indices and numbers come from the lines above");
    // A ring's last point is its first one, but for rounding.
    merge_points(mesh, None, ROUNDING)
}

fn flat_bounds(island: &Island) -> (Vec2, Vec2) {
    let low = island.flat.iter().copied().fold(Vec2::INFINITY, Vec2::min);
    let high = island.flat.iter().copied().fold(Vec2::NEG_INFINITY, Vec2::max);
    (low, high - low)
}

/// Turns islands by quarters until they pack best: a few fixed choices are tried, and the densest is kept. Returns the scale
/// and each island's corner.
fn best_layout(islands: &mut [Island]) -> (f32, Vec<Vec2>) {
    let own: Vec<Vec2> = islands.iter().map(|i| flat_bounds(i).1).collect();
    let fit = |turned: &[bool]| {
        let sizes: Vec<Vec2> = own.iter().zip(turned).map(|(s, &t)| if t { vec2(s.y, s.x) } else { *s }).collect();
        let (mut small, mut large) = (0.0f32, 10.0f32);
        for _ in 0..24 {
            let middle = (small + large) / 2.0;
            if pack(&sizes, middle).is_some() { small = middle } else { large = middle }
        }
        (small, pack(&sizes, small).unwrap_or_default())
    };
    let mut turned: Vec<bool> = own.iter().map(|s| s.y > s.x).collect();
    let mut best = fit(&turned);
    // One island at a time, twice over: keep a turn that helps.
    for i in (0..own.len()).chain(0..own.len()) {
        turned[i] = !turned[i];
        let tried = fit(&turned);
        if tried.0 > best.0 * 1.0001 {
            best = tried;
        } else {
            turned[i] = !turned[i];
        }
    }
    for (island, _) in islands.iter_mut().zip(&turned).filter(|(_, t)| **t) {
        // A quarter turn, not a mirror: islands keep their handedness.
        let height = flat_bounds(island).1.x;
        island.flat.iter_mut().for_each(|f| *f = vec2(f.y, height - f.x));
    }
    best
}

/// Places rectangles, largest first, each where it leaves the least waste along its shorter side (the maximal-rectangles
/// method, Jylanki 2010, without turning); None when they do not fit at this scale.
fn pack(sizes: &[Vec2], scale: f32) -> Option<Vec<Vec2>> {
    let mut order: Vec<usize> = (0..sizes.len()).collect();
    order.sort_by(|&a, &b| sizes[b].max_element().total_cmp(&sizes[a].max_element()));
    // Free rectangles as (corner, far corner); they may overlap each other.
    let mut free = vec![(Vec2::splat(GAP), Vec2::ONE)];
    let mut places = vec![Vec2::ZERO; sizes.len()];
    for i in order {
        let size = sizes[i] * scale + GAP;
        let spare = |&(low, high): &(Vec2, Vec2)| (high - low - size).min_element();
        let (at, _) = *free
            .iter()
            .filter(|f| spare(f) >= 0.0)
            .min_by(|a, b| spare(a).total_cmp(&spare(b)).then(a.0.y.total_cmp(&b.0.y)))?;
        places[i] = at;
        let end = at + size;
        let mut left = Vec::new();
        for (low, high) in free {
            if at.x >= high.x || end.x <= low.x || at.y >= high.y || end.y <= low.y {
                left.push((low, high));
                continue;
            }
            left.extend([
                (low, vec2(at.x, high.y)),
                (vec2(end.x, low.y), high),
                (low, vec2(high.x, at.y)),
                (vec2(low.x, end.y), high),
            ]);
        }
        let solid = |&(low, high): &(Vec2, Vec2)| (high - low).min_element() > 1e-4;
        left.retain(solid);
        let within = |a: &(Vec2, Vec2), b: &(Vec2, Vec2)| a.0.cmpge(b.0).all() && a.1.cmple(b.1).all();
        free = (0..left.len())
            .filter(|&k| {
                !(0..left.len()).any(|m| m != k && within(&left[k], &left[m]) && (left[k] != left[m] || m < k))
            })
            .map(|k| left[k])
            .collect();
    }
    Some(places)
}
