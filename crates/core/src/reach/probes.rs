//! What rays from points spread over the low-poly find: how far the sculpt that belongs to each point lies, and how far a ray may
//! go before it meets what belongs elsewhere. A surface of the sculpt belongs to a point when no other wall of the low-poly
//! stands between the two, and no other place of the low-poly is much nearer to it.

use super::{Direction, LowSurface};
use crate::stop::{Stop, Stopped};
use crate::surface::MeshPoint;
use crate::trace::{BackFaces, LANES, Packet, RaySpan, Seen, Sight, SightMask, TraceScene, Walk};
use rayon::prelude::*;
use rustc_hash::FxHashMap;
use serde::{Deserialize, Serialize};
use std::sync::Arc;

/// What one point of the low surface found. Distances along its averaged direction, scene units.
#[derive(Clone, Copy, Debug, Serialize, Deserialize)]
pub struct Probe {
    pub at: MeshPoint,
    /// Where the outermost surface that belongs here lies outside; None when none does.
    pub outside: Option<f32>,
    /// Where the surface lies inside, when there is none outside.
    pub inside: Option<f32>,
    /// The next wall of the low-poly outward and inward.
    pub wall_out: Option<Wall>,
    pub wall_in: Option<Wall>,
    /// From here on outward a ray would begin beyond a surface of the sculpt that belongs elsewhere and faces it.
    pub harm: f32,
}

/// A wall of the low-poly.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct Wall {
    pub distance: f32,
    /// Of the probe's own part.
    pub own: bool,
    /// Where on the low-poly it was met.
    pub at: MeshPoint,
}

/// The meshes and rules that probes see.
#[derive(Clone, Copy)]
pub struct ProbeScene<'a> {
    pub low: &'a LowSurface,
    pub low_trace: &'a TraceScene,
    pub high_trace: &'a TraceScene,
    /// By low part, the parts of the sculpt that belong to it.
    pub sights: &'a [Sight],
    /// How many parts the sculpt has.
    pub high_parts: usize,
    pub back_faces: BackFaces,
}

/// Nothing further off than this share of the low-poly's diagonal is looked for.
const FURTHEST: f32 = 0.2;
/// Points that are probed: at least so many a mesh, at least so many a triangle, at most so many.
const LEAST_PROBES: usize = 120_000;
const MOST_PROBES: usize = 600_000;
const A_TRIANGLE: usize = 3;
/// Points that a thread takes at a time.
const CHUNK: usize = 1024;
/// A wall this near, as a share of the diagonal, is the surface the ray left.
const NEAREST_WALL: f32 = 2e-4;
/// How much of the way to a wall is looked along.
const SHORT_OF_WALL: f32 = 0.98;

/// A surface belongs elsewhere when another place of the low-poly lies at less than this share of its height.
const NEARER: f32 = 0.6;
/// The same of its height over the face, for places that face another way (cosine).
const NEARER_TURNED: f32 = 1.2;
const TURNED: f32 = 0.7;
/// Surfaces nearer than this many times [`NEAREST_WALL`] are not asked about, and so many that belong elsewhere are passed.
const LEAST_STRANGE: f32 = 40.0;
const MOST_STRANGERS: usize = 4;

/// Points spread evenly by area, each triangle with its share, laid out by the R2 sequence (Roberts 2018) from number `seed` on.
pub fn spread_points(low: &LowSurface, points: usize, a_triangle: usize, seed: u32) -> Vec<MeshPoint> {
    let mesh = &low.mesh;
    let areas: Vec<f64> = (0..mesh.triangles.len() as u32).map(|t| f64::from(mesh.area_normal(t).length())).collect();
    let total: f64 = areas.iter().sum::<f64>().max(f64::MIN_POSITIVE);
    let mut spread = Vec::with_capacity(points + areas.len() * a_triangle);
    let mut owed = 0.0;
    let mut n = seed;
    for (t, area) in areas.iter().enumerate() {
        owed += points as f64 * area / total;
        let own = (owed as usize).max(if *area > 0.0 { a_triangle } else { 0 });
        owed -= (owed as usize) as f64;
        for _ in 0..own {
            n = n.wrapping_add(1);
            let a = (f64::from(n) * 0.754_877_666_246_692_8).fract() as f32;
            let b = (f64::from(n) * 0.569_840_290_998_053_2).fract() as f32;
            let (v, w) = if a + b > 1.0 { (1.0 - a, 1.0 - b) } else { (a, b) };
            spread.push(MeshPoint::new(t as u32, v, w));
        }
    }
    spread
}

/// What decides which surfaces the probes of a low part see.
#[derive(Clone, Debug, PartialEq)]
pub struct PartView {
    /// Parts of the sculpt that belong to it.
    sight: Sight,
    /// Low parts that see some of them too.
    rivals: Arc<Sight>,
}

impl PartView {
    /// Of each low part.
    pub fn of(sights: &[Sight], high_parts: usize) -> Vec<PartView> {
        let rivals = rivals(sights, high_parts);
        sights.iter().zip(rivals).map(|(sight, rivals)| PartView { sight: sight.clone(), rivals }).collect()
    }
}

/// Probes of the same low-poly, and which parts' still hold.
pub struct EarlierProbes<'a> {
    pub probes: &'a [Probe],
    pub kept: &'a (dyn Fn(usize) -> bool + Sync),
}

/// By low part, the low parts whose sculpts its rays may hit too: their walls tell what belongs elsewhere.
fn rivals(sights: &[Sight], high_parts: usize) -> Vec<Arc<Sight>> {
    // Low parts by the high parts they see, for those that see few; the others are asked one by one.
    let mut seen_by = vec![Vec::new(); high_parts];
    let mut see_most = Vec::new();
    for (low, sight) in sights.iter().enumerate() {
        match sight.listed() {
            Some(parts) => parts.iter().for_each(|&part| seen_by[part as usize].push(low as u32)),
            None => see_most.push(low as u32),
        }
    }
    let meet = |sight: &Sight, lows: &mut dyn Iterator<Item = u32>| -> Vec<u32> {
        lows.filter(|&low| sight.meets(&sights[low as usize], high_parts)).collect()
    };
    let mut known: FxHashMap<&Sight, Arc<Sight>> = FxHashMap::default();
    let of = |sight: &Sight| match sight.listed() {
        Some(parts) => {
            let mut found = meet(sight, &mut see_most.iter().copied());
            found.extend(parts.iter().flat_map(|&part| &seen_by[part as usize]));
            Sight::only(found)
        }
        None => {
            let found = meet(sight, &mut (0..sights.len() as u32));
            if found.len() == sights.len() { Sight::everything() } else { Sight::only(found) }
        }
    };
    sights.iter().map(|sight| known.entry(sight).or_insert_with(|| Arc::new(of(sight))).clone()).collect()
}

/// Probes the whole low-poly; the same meshes give the same probes, and those of parts that are kept are taken over.
///
/// # Errors
/// [`Stopped`] when `stop` asked for it.
pub fn probe(
    scene: &ProbeScene,
    views: &[PartView],
    earlier: Option<EarlierProbes>,
    stop: Stop,
) -> Result<Vec<Probe>, Stopped> {
    let triangles = scene.low.mesh.triangles.len();
    let each = if triangles * A_TRIANGLE > MOST_PROBES { 1 } else { A_TRIANGLE };
    let mut points = spread_points(scene.low, LEAST_PROBES, each, 0);
    // Corners are where envelopes are tightest: each triangle is probed just inside of its own.
    if triangles * 6 <= MOST_PROBES {
        for t in 0..triangles as u32 {
            let corners = [(0.01, 0.01), (0.98, 0.01), (0.01, 0.98)];
            points.extend(corners.map(|(v, w)| MeshPoint::new(t, v, w)));
        }
        points.sort_by_key(|p| p.triangle);
    }
    let diagonal = scene.low.mesh.diagonal();
    let of_chunk = |chunk: &[_]| if stop() { Err(Stopped) } else { Ok(probe_chunk(scene, views, diagonal, chunk)) };
    let Some(EarlierProbes { probes, kept }) = earlier else {
        let found: Vec<Vec<Probe>> = points.par_chunks(CHUNK).map(of_chunk).collect::<Result<_, _>>()?;
        return Ok(found.concat());
    };
    let parts = &scene.low.parts;
    let is_kept: Vec<bool> = (0..views.len()).map(kept).collect();
    let of_kept = |point: &MeshPoint| is_kept[parts[point.triangle as usize] as usize];
    let fresh: Vec<MeshPoint> = points.iter().filter(|point| !of_kept(point)).copied().collect();
    let found: Vec<Vec<Probe>> = fresh.par_chunks(CHUNK).map(of_chunk).collect::<Result<_, _>>()?;
    let mut found = found.into_iter().flatten();
    // The same points in the same order were probed before.
    let taken =
        points.iter().zip(probes).map(|(point, probe)| if of_kept(point) { Some(*probe) } else { found.next() });
    Ok(taken.flatten().collect())
}

fn probe_chunk(scene: &ProbeScene, views: &[PartView], diagonal: f32, points: &[MeshPoint]) -> Vec<Probe> {
    let mut tools = (Packet::default(), Walk::default());
    let (mut seen, mut rival) = (SightMask::default(), SightMask::default());
    let mut found = Vec::with_capacity(points.len());
    let part_of = |t: u32| scene.low.parts[t as usize];
    let mut at = 0;
    while at < points.len() {
        let part = part_of(points[at].triangle);
        let run = points[at..].iter().take(LANES).take_while(|p| part_of(p.triangle) == part).count();
        let of = OfPart {
            part,
            seen: seen.of(&views[part as usize].sight, scene.high_parts),
            rivals: rival.of(&views[part as usize].rivals, scene.low.mesh.parts.len()),
            far: diagonal * FURTHEST,
            skin: diagonal * NEAREST_WALL,
        };
        probe_packet(scene, &of, &points[at..at + run], &mut tools, &mut found);
        at += run;
    }
    found
}

/// A low part, as masks: the parts of the sculpt it sees, and the low parts that see some of them too; and lengths of the low-poly.
struct OfPart<'a> {
    part: u32,
    seen: &'a [bool],
    rivals: &'a [bool],
    /// How far is looked, and what is taken for the surface a ray left, scene units.
    far: f32,
    skin: f32,
}

fn probe_packet(
    scene: &ProbeScene,
    of: &OfPart,
    points: &[MeshPoint],
    (packet, walk): &mut (Packet, Walk),
    found: &mut Vec<Probe>,
) {
    let &OfPart { part, seen: allowed, rivals, far, skin } = of;
    let low = scene.low;
    let surface: Vec<_> = points.iter().map(|&at| low.point(at, Direction::Averaged)).collect();
    let fill = |packet: &mut Packet, ray: &dyn Fn(usize) -> RaySpan| {
        packet.clear();
        (0..points.len()).for_each(|lane| packet.set(lane, &ray(lane)));
    };
    // A wall met from ahead: outward, one that faces the point; inward, the far side's back.
    let mut wall = |packet: &mut Packet, sign: f32| -> Vec<Option<Wall>> {
        fill(packet, &|i| {
            let d = surface[i].outward * sign;
            RaySpan { origin: surface[i].position + d * skin, direction: d, length: far - skin }
        });
        let answer = scene.low_trace.closest_packet(packet, rivals, BackFaces::Keep, Seen::Along, walk);
        let met = |i: usize| {
            let hit = answer.lane(i).hit?;
            let own = low.parts[hit.at.triangle as usize] == part;
            Some(Wall { distance: hit.t + skin, own, at: hit.at })
        };
        (0..points.len()).map(met).collect()
    };
    let (walls_out, walls_in) = (wall(packet, 1.0), wall(packet, -1.0));
    let room = |walls: &[Option<Wall>], i: usize| walls[i].map_or(far, |w| w.distance * SHORT_OF_WALL);
    // The outermost surface short of the wall, as a ray from there sees it.
    fill(packet, &|i| {
        let (reach, p) = (room(&walls_out, i), &surface[i]);
        RaySpan { origin: p.position + p.outward * reach, direction: -p.outward, length: reach }
    });
    let above = scene.high_trace.closest_packet(packet, allowed, scene.back_faces, Seen::Along, walk);
    fill(packet, &|i| RaySpan {
        origin: surface[i].position,
        direction: -surface[i].outward,
        length: room(&walls_in, i),
    });
    let below = scene.high_trace.closest_packet(packet, allowed, scene.back_faces, Seen::Along, walk);
    // Beyond the wall, what faces a ray that comes back.
    fill(packet, &|i| {
        let (from, p) = (walls_out[i].map_or(far, |w| w.distance), &surface[i]);
        RaySpan { origin: p.position + p.outward * from, direction: p.outward, length: far * 2.0 - from }
    });
    let beyond = scene.high_trace.closest_packet(packet, allowed, scene.back_faces, Seen::FromAhead, walk);
    for (i, &at) in points.iter().enumerate() {
        let mut outside = above.lane(i).hit.map(|h| (room(&walls_out, i) - h.t).max(0.0));
        let (mut stranger, mut inside) = (f32::INFINITY, None);
        for _ in 0..MOST_STRANGERS {
            let Some(height) = outside.filter(|&h| h > skin * LEAST_STRANGE) else { break };
            let p = &surface[i];
            let hit = p.position + p.outward * height;
            let face = low.mesh.face_normal(at.triangle);
            let over_face = height * p.outward.dot(face).max(0.0);
            let rival = |t: u32| rivals[low.parts[t as usize] as usize];
            let turned = |t: u32| rival(t) && low.mesh.face_normal(t).dot(face) < TURNED;
            let strange = scene.low_trace.nearest(hit, height * NEARER, rival).is_some()
                || scene.low_trace.nearest(hit, over_face * NEARER_TURNED, turned).is_some();
            if !strange {
                break;
            }
            // It belongs elsewhere if air lies below it, and then a surface of this place: a raised spot beside a wall has none.
            let below = height - skin;
            let depth = room(&walls_in, i);
            let span = RaySpan { origin: p.position + p.outward * below, direction: -p.outward, length: below + depth };
            let Some(next) = scene.high_trace.closest(&span, allowed, scene.back_faces).hit else { break };
            stranger = height;
            outside = Some(below - next.t).filter(|&h| h >= 0.0);
            if outside.is_none() {
                inside = inside.or(Some(next.t - below));
            }
        }
        let inside = inside.or(below.lane(i).hit.map(|h| h.t)).filter(|_| outside.is_none());
        let harm = match (walls_out[i], beyond.lane(i).hit) {
            (Some(wall), Some(hit)) => wall.distance + hit.t,
            _ => f32::INFINITY,
        };
        let harm = harm.min(stranger);
        let (wall_out, wall_in) = (walls_out[i], walls_in[i]);
        found.push(Probe { at, outside, inside, wall_out, wall_in, harm });
    }
}
