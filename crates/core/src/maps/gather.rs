//! Rays that leave the sculpt where primary rays hit it: how open a point is, and which way. Maps that ask for the same rays
//! share them.
//!
//! A ray has three numbers from one low-discrepancy sequence, a (0, 3)-net in base 2 (Niederreiter 1992): the first two, Sobol's
//! first pair, are its direction on the square, mapped to the cosine-weighted hemisphere (Malley); the third says which of the
//! texel's samples it starts from. So the rays of each sample are spread over the whole sky, and all of them together too. Each
//! set of directions is scrambled by itself, each number on its own (Owen 1995, by the hash of Burley, "Practical Hash-based Owen
//! Scrambling", JCGT 2020). Scrambling only permutes the net's cells, so ray number `k` of every texel can be taken from cell `k`:
//! rays of neighbouring texels then run nearly the same way, and eight of them make a packet that holds together.

use super::{Setup, TileWork};
use crate::hits::{Scratch, TileHits};
use crate::mesh::Mesh;
use crate::pairs::PairTable;
use crate::scene::BakeScene;
use crate::trace::{BackFaces, LANES, Packet, RaySpan, Seen, Sight};
use glam::Vec3;
use serde::{Deserialize, Serialize};
use std::rc::Rc;
use std::sync::Arc;
use ts_rs::TS;

/// Rays a texel that may be asked for.
pub const RAY_COUNTS: [u32; 8] = [4, 8, 16, 32, 64, 128, 256, 512];

/// What may stand in the way of a ray that leaves the sculpt.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "kebab-case")]
pub enum Occluders {
    /// The high-poly parts of the texel's own pair.
    #[default]
    Pair,
    /// The whole sculpt.
    All,
    /// High-poly parts by name.
    Parts(Vec<String>),
}

impl Occluders {
    pub(super) fn words(&self) -> String {
        match self {
            Occluders::Pair => "own pair".into(),
            Occluders::All => "whole sculpt".into(),
            Occluders::Parts(names) => names.join(" and "),
        }
    }
}

/// How much a surface further off darkens.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "kebab-case")]
pub enum Falloff {
    /// As much as a near one, up to the distance.
    #[default]
    None,
    /// Less the further off, nothing at the distance.
    Linear,
}

/// Which way rays go.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Side {
    Outward,
    Inward,
}

/// Which mesh rays leave and meet.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Body {
    /// The sculpt, from where primary rays hit it.
    Sculpt,
    /// The low-poly, from the samples themselves.
    Low,
}

/// Which rays are wanted.
#[derive(Clone, Debug, PartialEq)]
pub(super) struct GatherSpec {
    pub rays: u32,
    /// Scene units.
    pub distance: f32,
    pub falloff: Falloff,
    pub side: Side,
    pub body: Body,
    /// For each low part, the parts of the body that stand in the way.
    pub sights: Arc<Vec<Sight>>,
    pub sets: Arc<DirectionSets>,
}

impl GatherSpec {
    /// Prepares rays.
    ///
    /// # Errors
    /// A part name that the sculpt does not have.
    pub fn new(
        setup: &Setup,
        rays: u32,
        distance: f32,
        falloff: Falloff,
        side: Side,
        occluders: &Occluders,
        clear: &[String],
    ) -> Result<GatherSpec, String> {
        let sights = Arc::new(sights(setup.scene, setup.pairs, occluders, clear)?);
        let sets = Arc::new(DirectionSets::new(rays, setup.seed));
        Ok(GatherSpec { rays, distance, falloff, side, body: Body::Sculpt, sights, sets })
    }

    /// The same rays on the low-poly, which all of its parts may stop.
    pub fn on_low(self, scene: &BakeScene) -> GatherSpec {
        let parts = scene.low.mesh.parts.len();
        GatherSpec { body: Body::Low, sights: Arc::new(vec![Sight::everything(); parts]), ..self }
    }
}

/// For each low part the parts of the sculpt that stand in its way.
fn sights(scene: &BakeScene, pairs: &PairTable, occluders: &Occluders, clear: &[String]) -> Result<Vec<Sight>, String> {
    let parts = &scene.high.parts;
    let numbers = |names: &[String]| -> Result<Vec<u32>, String> {
        let mut found = Vec::new();
        for name in names {
            let before = found.len();
            found.extend(parts.iter().enumerate().filter(|(_, p)| p.name == *name).map(|(i, _)| i as u32));
            if found.len() == before {
                let known: Vec<&str> = parts.iter().map(|p| p.name.as_str()).collect();
                return Err(format!("the sculpt has no part '{name}'; it has {}", known.join(", ")));
            }
        }
        Ok(found)
    };
    let seen = match occluders {
        Occluders::Pair => pairs.sights.clone(),
        Occluders::All => vec![Sight::everything(); pairs.sights.len()],
        Occluders::Parts(names) => vec![Sight::only(numbers(names)?); pairs.sights.len()],
    };
    let clear = numbers(clear)?;
    Ok(if clear.is_empty() { seen } else { seen.iter().map(|sight| sight.without(&clear)).collect() })
}

/// Scrambled copies of the net, as unit directions about +z. Texels pick one by hash.
#[derive(Debug, PartialEq)]
pub(super) struct DirectionSets {
    rays: usize,
    sets: usize,
    /// `sets * rays` directions; entry `k` of every set lies in cell `k`.
    directions: Vec<Vec3>,
    /// Which share of the texel's samples ray `k` of a set starts from, 0..1.
    start: Vec<f32>,
    seed: u64,
}

/// Directions held in all, over all sets.
const DIRECTIONS: usize = 16_384;

impl DirectionSets {
    fn new(rays: u32, seed: u64) -> DirectionSets {
        let n = rays as usize;
        let bits = rays.trailing_zeros();
        let (across_bits, down_bits) = (bits.div_ceil(2), bits / 2);
        let sets = (DIRECTIONS / n).clamp(16, 1024);
        let mut directions = vec![Vec3::Z; sets * n];
        let mut start = vec![0.0; sets * n];
        for set in 0..sets {
            let key = mix(seed ^ (set as u64).wrapping_mul(0x9e37_79b9_7f4a_7c15));
            let (key_x, key_y, key_start) = (key as u32, (key >> 32) as u32, mix(key) as u32);
            for i in 0..rays {
                let x = scrambled(i.reverse_bits(), key_x);
                let y = scrambled(sobol(i), key_y);
                let cell = (interleaved(x >> (32 - across_bits)) | interleaved_top(y, down_bits) << 1) as usize;
                directions[set * n + cell] = cosine_direction(unit(x), unit(y));
                start[set * n + cell] = unit(scrambled(i << (32 - bits), key_start));
            }
        }
        DirectionSets { rays: n, sets, directions, start, seed }
    }

    /// First entry of the set a texel uses.
    fn of_texel(&self, sheet: usize, texel: u32) -> usize {
        let key = self.seed ^ (sheet as u64) << 40 ^ u64::from(texel);
        (mix(key) % self.sets as u64) as usize * self.rays
    }
}

fn interleaved_top(y: u32, bits: u32) -> u32 {
    if bits == 0 { 0 } else { interleaved(y >> (32 - bits)) }
}

/// Bits of `x` (16 at most) with gaps between them, so that cells near each other get numbers near each other.
fn interleaved(x: u32) -> u32 {
    (0..16).fold(0, |sum, bit| sum | (x >> bit & 1) << (2 * bit))
}

/// The second number of Sobol's sequence as a binary fraction; the first is the radical inverse (Kollig and Keller, "Efficient
/// Multidimensional Sampling", 2002).
fn sobol(mut i: u32) -> u32 {
    let (mut sum, mut direction) = (0, 1 << 31);
    while i != 0 {
        sum ^= if i & 1 == 1 { direction } else { 0 };
        direction ^= direction >> 1;
        i >>= 1;
    }
    sum
}

/// A nested uniform scramble of a binary fraction (Burley 2020, after Laine and Karras): each bit is flipped by what the bits above
/// it are.
fn scrambled(fraction: u32, key: u32) -> u32 {
    let mut x = fraction.reverse_bits().wrapping_add(key);
    for factor in [0x6c50_b47c, 0xb82f_1e52, 0xc7af_e638, 0x8d22_f6e6u32] {
        x ^= x.wrapping_mul(factor);
    }
    x.reverse_bits()
}

/// The finaliser of splitmix64.
fn mix(mut h: u64) -> u64 {
    h = (h ^ h >> 30).wrapping_mul(0xbf58_476d_1ce4_e5b9);
    h = (h ^ h >> 27).wrapping_mul(0x94d0_49bb_1331_11eb);
    h ^ h >> 31
}

fn unit(bits: u32) -> f32 {
    (bits >> 8) as f32 / 16_777_216.0
}

/// Malley's method over Shirley and Chiu's concentric map of the square to the disc.
fn cosine_direction(x: f32, y: f32) -> Vec3 {
    let (a, b) = (2.0 * x - 1.0, 2.0 * y - 1.0);
    let (radius, angle) = if a.abs() > b.abs() {
        (a, std::f32::consts::FRAC_PI_4 * (b / a))
    } else if b != 0.0 {
        (b, std::f32::consts::FRAC_PI_2 - std::f32::consts::FRAC_PI_4 * (a / b))
    } else {
        (0.0, 0.0)
    };
    let (sin, cos) = libm::sincosf(angle);
    Vec3::new(radius * cos, radius * sin, (1.0 - radius * radius).max(0.0).sqrt())
}

/// Two unit vectors square to `n` and to each other (Duff and others, "Building an Orthonormal Basis, Revisited", JCGT 2017).
fn basis(n: Vec3) -> (Vec3, Vec3) {
    let sign = 1.0f32.copysign(n.z);
    let a = -1.0 / (sign + n.z);
    let b = n.x * n.y * a;
    (Vec3::new(1.0 + sign * n.x * n.x * a, sign * b, -sign * n.x), Vec3::new(b, sign + n.y * n.y * a, -n.y))
}

/// What the rays of each texel met.
#[derive(Clone)]
pub(super) struct Gathered {
    spec: GatherSpec,
    /// Texels whose rays are traced.
    done: Vec<bool>,
    /// Mean over rays, one entry a texel of the tile: 1 where nothing stands in the way, 0 where everything does; with
    /// falloff, and inward, by distance.
    pub open: Vec<f32>,
    /// Sum of the directions in which nothing stands in the way, object space.
    pub way: Vec<Vec3>,
}

/// Where one texel's rays start: its hit samples, ready.
struct TexelRays {
    texel: u32,
    set: usize,
    starts: std::ops::Range<usize>,
}

struct Start {
    origin: Vec3,
    normal: Vec3,
    tangent: Vec3,
    bitangent: Vec3,
    /// Unit geometric normal on the side rays leave by.
    face: Vec3,
}

impl TileWork<'_> {
    /// Gathers, or returns what an earlier map of this tile gathered with the same settings.
    pub(super) fn gather(&mut self, spec: &GatherSpec) -> Rc<Gathered> {
        let texels = self.hits.tile.texels();
        let known = self.gathered.iter().position(|g| g.spec == *spec);
        let at = known.unwrap_or_else(|| {
            self.gathered.push(Rc::new(Gathered {
                spec: spec.clone(),
                done: vec![false; texels],
                open: vec![1.0; texels],
                way: vec![Vec3::ZERO; texels],
            }));
            self.gathered.len() - 1
        });
        // The map before may have had other texels to work on.
        if self.wanted_texels().any(|(texel, _)| !self.gathered[at].done[texel]) {
            let mut gathered = Gathered::clone(&self.gathered[at]);
            self.trace_gather(spec, &mut gathered);
            self.gathered[at] = Rc::new(gathered);
        }
        self.gathered[at].clone()
    }

    /// Traces the rays of those texels the map wants that have none yet.
    fn trace_gather(&mut self, spec: &GatherSpec, gathered: &mut Gathered) {
        let (plan, hits) = (self.plan, self.hits);
        let mut starts = Vec::new();
        // Texels with hits, low part by low part in blocks of four by two.
        let mut sources: Vec<(u32, u32, TexelRays)> = Vec::new();
        for (texel, samples) in self.wanted_texels() {
            if std::mem::replace(&mut gathered.done[texel], true) {
                continue;
            }
            let part = plan.scene.low.parts[hits.low(samples.start).triangle as usize];
            let before = starts.len();
            starts.extend(samples.filter_map(|s| start_of(&plan.scene, hits, s, spec)));
            if starts.len() > before {
                let (x, y) = (texel as u32 % hits.tile.width, texel as u32 / hits.tile.width);
                let block = ((y / 2) << 16) | ((x / 4) << 8) | ((y % 2) << 2) | (x % 4);
                let set = spec.sets.of_texel(hits.sheet, hits.texel_on_sheet(texel, plan.size));
                sources.push((part, block, TexelRays { texel: texel as u32, set, starts: before..starts.len() }));
            }
        }
        sources.sort_unstable_by_key(|(part, block, _)| (*part, *block));
        for of_part in sources.chunk_by(|a, b| a.0 == b.0) {
            for eight in of_part.chunks(LANES) {
                self.gather_eight(spec, eight, &starts, gathered);
            }
        }
    }

    fn gather_eight(
        &mut self,
        spec: &GatherSpec,
        eight: &[(u32, u32, TexelRays)],
        starts: &[Start],
        gathered: &mut Gathered,
    ) {
        let scene = &self.plan.scene;
        let (trace, parts) = match spec.body {
            Body::Sculpt => (&*scene.trace, scene.high.parts.len()),
            Body::Low => (scene.low_trace(), scene.low.mesh.parts.len()),
        };
        let Scratch { packet, walk, mask, .. } = &mut *self.scratch;
        let mask = mask.of(&spec.sights[eight[0].0 as usize], parts);
        let by_distance = spec.falloff == Falloff::Linear || spec.side == Side::Inward;
        let mut open = [0.0f32; LANES];
        let mut way = [Vec3::ZERO; LANES];
        let mut directions = [Vec3::ZERO; LANES];
        *packet = Packet::default();
        for k in 0..spec.sets.rays {
            packet.clear();
            for (lane, (_, _, source)) in eight.iter().enumerate() {
                let entry = source.set + k;
                let share = spec.sets.start[entry];
                let start = &starts[source.starts.start + (share * source.starts.len() as f32) as usize];
                directions[lane] = direction_from(start, spec.sets.directions[entry]);
                let span = RaySpan { origin: start.origin, direction: directions[lane], length: spec.distance };
                packet.set(lane, &span);
            }
            if by_distance {
                let met = trace.closest_packet(packet, mask, BackFaces::Keep, Seen::Along, walk);
                for lane in 0..eight.len() {
                    let free = met.lane(lane).hit.map_or(1.0, |hit| hit.t / spec.distance);
                    open[lane] += free;
                    way[lane] += directions[lane] * free;
                }
            } else {
                let met = trace.occluded_packet(packet, mask, walk);
                for lane in 0..eight.len() {
                    if met >> lane & 1 == 0 {
                        open[lane] += 1.0;
                        way[lane] += directions[lane];
                    }
                }
            }
        }
        self.traced += (eight.len() * spec.sets.rays) as u64;
        for (lane, (_, _, source)) in eight.iter().enumerate() {
            gathered.open[source.texel as usize] = open[lane] / spec.sets.rays as f32;
            gathered.way[source.texel as usize] = way[lane];
        }
    }
}

/// A direction of the set turned to a point's normal. Where the interpolated normal leans so far that a direction would run
/// into the face itself, it is mirrored at the face: a smooth-shaded convex body stays open all round.
#[inline]
fn direction_from(start: &Start, local: Vec3) -> Vec3 {
    let d = start.tangent * local.x + start.bitangent * local.y + start.normal * local.z;
    let into = d.dot(start.face);
    if into < 0.0 { d - start.face * (2.0 * into) } else { d }
}

fn start_of(scene: &BakeScene, hits: &TileHits, s: usize, spec: &GatherSpec) -> Option<Start> {
    let (position, mut normal, mut face, trace) = match spec.body {
        Body::Sculpt => {
            let hit = hits.hit(s)?;
            let mesh: &Mesh = &scene.high;
            let face = mesh.face_normal(hit.at.triangle);
            let face = if hit.back { -face } else { face };
            (mesh.at(hit.at), hits.normal(scene, s)?, face, &*scene.trace)
        }
        Body::Low => {
            let (at, mesh) = (hits.low(s), &scene.low.mesh);
            (mesh.at(at), mesh.normal_at(at), mesh.face_normal(at.triangle), scene.low_trace())
        }
    };
    if spec.side == Side::Inward {
        (normal, face) = (-normal, -face);
    }
    let (tangent, bitangent) = basis(normal);
    Some(Start { origin: trace.step_off(position, face), normal, tangent, bitangent, face })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_set_holds_one_direction_a_cell_and_is_cosine_weighted() {
        for rays in RAY_COUNTS {
            let sets = DirectionSets::new(rays, 7);
            for set in sets.directions.chunks(rays as usize) {
                let mean = set.iter().sum::<Vec3>() / rays as f32;
                // The mean of a cosine-weighted hemisphere lies at 2/3 of its height.
                let room = 1.2 / (rays as f32).sqrt();
                assert!(
                    (mean.z - 2.0 / 3.0).abs() < room && mean.x.abs() < room && mean.y.abs() < room,
                    "{rays}: {mean}"
                );
                assert!(set.iter().all(|d| (d.length() - 1.0).abs() < 1e-5 && d.z >= 0.0));
            }
            for starts in sets.start.chunks(rays as usize) {
                let mut order: Vec<u32> = starts.iter().map(|s| (s * rays as f32) as u32).collect();
                order.sort_unstable();
                assert!(order.iter().enumerate().all(|(i, &o)| i as u32 == o), "each ray starts from its own share");
            }
        }
    }

    #[test]
    fn each_samples_rays_are_spread_over_the_whole_sky() {
        // A set's entries lie in order of their cells, so a run of entries is a box of the square.
        for (rays, samples) in [(64, 16), (256, 16), (256, 4), (512, 64)] {
            let (sets, each) = (DirectionSets::new(rays, 7), rays as usize / samples);
            for starts in sets.start.chunks(rays as usize) {
                for region in starts.chunks(rays as usize / each) {
                    let mut from: Vec<usize> = region.iter().map(|s| (s * samples as f32) as usize).collect();
                    from.sort_unstable();
                    assert!(from.into_iter().eq(0..samples), "{rays} rays, {samples} samples");
                }
            }
        }
    }

    #[test]
    fn bases_are_right_handed_and_square() {
        for n in [Vec3::X, Vec3::NEG_Z, Vec3::new(0.3, -0.5, -0.81).normalize(), Vec3::Z] {
            let (t, b) = basis(n);
            assert!(t.cross(b).distance(n) < 1e-6 && t.dot(b).abs() < 1e-6, "{n}");
        }
    }
}
