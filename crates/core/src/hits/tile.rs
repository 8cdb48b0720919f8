//! Primary rays of one tile: from each sample on the low-poly to what it hits on the sculpt. Every map of a run reads these
//! hits; none traces its own.

use super::packed::key_of;
use super::{HitKey, HitRule, HitStore, RayPlan, TileNumber};
use crate::reach::Course;
use crate::scene::BakeScene;
use crate::sheet::{TILE, Tile, TileSamples, rasterise_tile};
use crate::surface::MeshPoint;
use crate::trace::{BackFaces, Hit, LANES, Packet, RaySpan, Seen, SightMask, TraceAnswer, Walk};
use glam::Vec3;
use std::ops::Range;

/// Triangle number of a sample whose ray hit nothing.
pub(super) const MISS: u32 = u32::MAX;

/// Sculpt that stands out of the envelope is looked for up to this share of the sculpt's diagonal, and twice the reach,
/// beyond it.
const FAR_BEYOND: f32 = 0.1;

/// The hits of one tile, as a structure of arrays with one entry a sample.
pub struct TileHits {
    /// Which sheet of the run, and which texels of it.
    pub sheet: usize,
    pub tile: Tile,
    samples: TileSamples,
    /// On the sculpt; triangle [`MISS`] where nothing was hit.
    pub(super) places: Vec<MeshPoint>,
    /// Signed distance from the low surface to the hit against the ray's way, outward positive; scene units.
    pub(super) heights: Vec<f32>,
    pub(super) back: Vec<bool>,
    pub(super) skipped_back: Vec<bool>,
    /// By texel of the tile, as [`TileHits::beyond`].
    pub(super) beyond: Vec<f32>,
    rays: u64,
    /// Rays as they ran; empty where there is no sculpt.
    courses: Vec<Course>,
    /// Texels whose rays run otherwise than before; empty when nothing was kept of before.
    changed: Vec<bool>,
    kept_rays: u64,
}

/// What an earlier bake left of a tile.
#[derive(Clone, Copy)]
pub struct EarlierHits<'a> {
    pub hits: &'a TileHits,
    /// By low part: it sees what it saw then.
    pub same_part: &'a [bool],
}

/// Where a tile's hits may come from besides tracing.
#[derive(Clone, Copy, Default)]
pub struct TileSource<'a> {
    pub earlier: Option<EarlierHits<'a>>,
    /// Tiles kept with other runs.
    pub store: Option<&'a dyn HitStore>,
}

/// A place in a store for the hits of a tile.
struct Kept<'a> {
    store: &'a dyn HitStore,
    key: HitKey,
}

impl<'a> Kept<'a> {
    /// The place of hits along `courses`; None without a store.
    fn of(plan: &RayPlan, hits: &TileHits, courses: &[Course], store: Option<&'a dyn HitStore>) -> Option<Kept<'a>> {
        store.map(|store| Kept { store, key: key_of(plan, hits, courses) })
    }
}

/// What stays between tiles of one thread, so that tracing allocates nothing.
#[derive(Default)]
pub struct Scratch {
    pub walk: Walk,
    pub packet: Packet,
    pub mask: SightMask,
    order: Vec<u32>,
}

impl TileHits {
    /// Bytes it holds in memory.
    pub fn bytes(&self) -> usize {
        let samples = self.places.len() * (size_of::<MeshPoint>() + 4 + 2) + self.courses.len() * size_of::<Course>();
        samples + self.samples.bytes() + self.changed.len() + self.beyond.len() * 4
    }

    /// Rasterises and traces one tile of the plan. Of what an earlier bake left, hits are taken over where rays run as they did,
    /// for low parts that see what they saw then.
    pub fn trace(plan: &RayPlan, number: TileNumber, source: &TileSource, scratch: &mut Scratch) -> TileHits {
        let sheet = &plan.sheets[number.sheet];
        let tile = sheet.tiles[number.tile];
        let samples = match source.earlier {
            Some(earlier) => earlier.hits.samples.clone(),
            None => rasterise_tile(&sheet.triangles, &sheet.candidates[number.tile], &tile, &plan.derived.pattern),
        };
        let mut hits = TileHits::untraced(number.sheet, tile, samples);
        if plan.scene.own_surface {
            hits.places.clone_from(&hits.samples.places);
            // Without rays nothing runs otherwise than before.
            hits.changed = source.earlier.map_or(Vec::new(), |_| vec![false; tile.texels()]);
            return hits;
        }
        let courses = plan.field.courses(&plan.scene.low, &hits.samples.places);
        let kept = Kept::of(plan, &hits, &courses, source.store);
        if hits.fetch(plan, kept.as_ref()) {
            hits.kept_rays = courses.len() as u64;
        } else {
            hits.curve_order(&mut scratch.order);
            if let Some(earlier) = source.earlier {
                hits.take_over(plan, earlier, &courses, &mut scratch.order);
            }
            hits.rays = hits.trace_samples(plan, &courses, scratch);
            hits.look_beyond(plan, &courses, scratch);
        }
        hits.keep(kept.as_ref());
        hits.courses = courses;
        hits
    }

    /// The hits of texels beside a tile: a rectangle of a sheet no wider and no higher than a tile.
    pub fn strip(plan: &RayPlan, sheet: usize, tile: Tile, scratch: &mut Scratch) -> TileHits {
        let of = &plan.sheets[sheet];
        let samples = rasterise_tile(&of.triangles, &of.candidates_of(&tile), &tile, &plan.derived.pattern);
        let mut hits = TileHits::untraced(sheet, tile, samples);
        hits.trace_all(plan, scratch);
        hits
    }

    /// Traces every sample anew.
    fn trace_all(&mut self, plan: &RayPlan, scratch: &mut Scratch) {
        if plan.scene.own_surface {
            self.places.clone_from(&self.samples.places);
            return;
        }
        let courses = plan.field.courses(&plan.scene.low, &self.samples.places);
        self.curve_order(&mut scratch.order);
        self.rays = self.trace_samples(plan, &courses, scratch);
        self.courses = courses;
    }

    /// The hits of single places of the low surface: a tile of its own, a texel a place, in order. At most a tile's texels.
    pub fn at_points(plan: &RayPlan, places: &[MeshPoint], scratch: &mut Scratch) -> TileHits {
        let (width, height) = (TILE, (places.len() as u32).div_ceil(TILE).clamp(1, TILE));
        let tile = Tile { x: 0, y: 0, width, height };
        let starts = (0..=tile.texels()).map(|texel| texel.min(places.len()) as u32).collect();
        let samples = TileSamples { starts, places: places.to_vec() };
        let mut hits = TileHits::untraced(0, tile, samples);
        hits.trace_all(plan, scratch);
        hits
    }

    /// Takes over hits of rays that run as before, and leaves only the others in `order`.
    fn take_over(
        &mut self,
        plan: &RayPlan,
        EarlierHits { hits: kept, same_part }: EarlierHits,
        courses: &[Course],
        order: &mut Vec<u32>,
    ) {
        let parts = &plan.scene.low.parts;
        let mut fresh = vec![true; courses.len()];
        for (s, course) in courses.iter().enumerate() {
            let part = parts[self.low(s).triangle as usize] as usize;
            if !same_part[part] || kept.courses.get(s) != Some(course) {
                continue;
            }
            fresh[s] = false;
            self.places[s] = kept.places[s];
            self.heights[s] = kept.heights[s];
            self.back[s] = kept.back[s];
            self.skipped_back[s] = kept.skipped_back[s];
            self.kept_rays += 1;
        }
        order.retain(|&s| fresh[s as usize]);
        let mut changed = vec![false; self.tile.texels()];
        for (texel, mut samples) in self.texels() {
            changed[texel] = samples.any(|s| fresh[s]);
        }
        self.beyond.clone_from(&kept.beyond);
        self.changed = changed;
    }

    /// Samples that have hit nothing yet.
    fn untraced(sheet: usize, tile: Tile, samples: TileSamples) -> TileHits {
        let n = samples.len();
        TileHits {
            sheet,
            tile,
            places: vec![MeshPoint::new(MISS, 0.0, 0.0); n],
            heights: vec![0.0; n],
            back: vec![false; n],
            skipped_back: vec![false; n],
            beyond: vec![0.0; tile.texels()],
            rays: 0,
            courses: Vec::new(),
            changed: Vec::new(),
            kept_rays: 0,
            samples,
        }
    }

    /// The same samples traced along the averaged direction without a cage. Hits of rays that ran so already are taken over.
    pub fn traced_averaged(&self, plan: &RayPlan, store: Option<&dyn HitStore>, scratch: &mut Scratch) -> TileHits {
        let mut hits = TileHits::untraced(self.sheet, self.tile, self.samples.clone());
        let averaged = |at: &MeshPoint| plan.field.averaged_course(&plan.scene.low, *at);
        let courses: Vec<Course> = self.samples.places.iter().map(averaged).collect();
        let kept = Kept::of(plan, &hits, &courses, store);
        if hits.fetch(plan, kept.as_ref()) {
            return hits;
        }
        hits.curve_order(&mut scratch.order);
        scratch.order.retain(|&s| {
            let s = s as usize;
            let own = plan.field.is_averaged(self.low(s));
            if own {
                hits.places[s] = self.places[s];
                hits.heights[s] = self.heights[s];
                hits.back[s] = self.back[s];
            }
            !own
        });
        hits.rays = hits.trace_samples(plan, &courses, scratch);
        hits.keep(kept.as_ref());
        hits
    }

    /// Takes hits from a store; false when they are not there.
    fn fetch(&mut self, plan: &RayPlan, kept: Option<&Kept>) -> bool {
        let packed = kept.and_then(|kept| kept.store.fetch(&kept.key));
        packed.is_some_and(|bytes| self.unpack(&bytes, plan.scene.high.triangles.len()))
    }

    /// Leaves hits to a store that keeps them.
    fn keep(&self, kept: Option<&Kept>) {
        if let Some(kept) = kept.filter(|kept| kept.store.keeps()) {
            kept.store.keep(&kept.key, &self.pack());
        }
    }

    /// Traces the samples in `scratch.order`.
    fn trace_samples(&mut self, plan: &RayPlan, all_courses: &[Course], scratch: &mut Scratch) -> u64 {
        let Scratch { walk, packet, mask, order } = scratch;
        let parts = plan.scene.high.parts.len();
        let lows = &self.samples.places;
        let part_of = |s: u32| plan.scene.low.parts[lows[s as usize].triangle as usize];
        let mut rays = 0;
        let mut at = 0;
        while at < order.len() {
            let part = part_of(order[at]);
            let run = order[at..].iter().take(LANES).take_while(|&&s| part_of(s) == part).count();
            let lanes = &order[at..at + run];
            at += run;
            let mask = mask.of(&plan.pairs.sights[part as usize], parts);
            let mut courses = PacketCourses::default();
            for (course, &s) in courses.iter_mut().zip(lanes) {
                *course = Some(all_courses[s as usize]);
            }
            rays += rays_of(plan.rule) * run as u64;
            let answers = answer(plan, &courses, mask, packet, walk);
            for ((&s, answer), course) in lanes.iter().zip(answers).zip(&courses) {
                let s = s as usize;
                self.skipped_back[s] = answer.skipped_back;
                if let (Some(hit), Some(course)) = (answer.hit, course) {
                    self.places[s] = hit.at;
                    self.heights[s] = course.run_up - hit.t;
                    self.back[s] = hit.back;
                }
            }
        }
        rays
    }

    /// Looks outward from where the first ray of each fresh texel starts, for sculpt that it starts beneath.
    fn look_beyond(&mut self, plan: &RayPlan, all_courses: &[Course], scratch: &mut Scratch) {
        let Scratch { walk, packet, mask, .. } = scratch;
        let parts = plan.scene.high.parts.len();
        let (low, high) = plan.scene.high_bounds();
        let far = (high - low).length() * FAR_BEYOND;
        let starts = &self.samples.starts;
        let fresh = |texel: &usize| self.changed.is_empty() || self.changed[*texel];
        let firsts: Vec<(usize, usize)> = (self.tile.texels_on_curve())
            .filter(|texel| starts[*texel] < starts[texel + 1] && fresh(texel))
            .map(|texel| (texel, starts[texel] as usize))
            .collect();
        let part_of = |s: usize| plan.scene.low.parts[self.samples.places[s].triangle as usize];
        let mut found = Vec::new();
        for of_part in firsts.chunk_by(|a, b| part_of(a.1) == part_of(b.1)) {
            let mask = mask.of(&plan.pairs.sights[part_of(of_part[0].1) as usize], parts);
            for lanes in of_part.chunks(LANES) {
                packet.clear();
                for (lane, &(_, s)) in lanes.iter().enumerate() {
                    let Course { position, outward, run_up, .. } = all_courses[s];
                    let length = 2.0 * run_up + far;
                    packet.set(lane, &RaySpan { origin: position + outward * run_up, direction: outward, length });
                }
                let answer = plan.scene.trace.closest_packet(packet, mask, BackFaces::Keep, Seen::Along, walk);
                for (lane, &(texel, s)) in lanes.iter().enumerate() {
                    // What is seen from behind has the start beneath it.
                    let above = answer.lane(lane).hit.filter(|hit| hit.back);
                    found.push((texel, above.map_or(0.0, |hit| all_courses[s].run_up + hit.t)));
                }
            }
        }
        found.into_iter().for_each(|(texel, height)| self.beyond[texel] = height);
    }

    /// Samples along the tile's curve: neighbours on the sheet share boxes and triangles.
    fn curve_order(&self, order: &mut Vec<u32>) {
        order.clear();
        let starts = &self.samples.starts;
        order.extend(self.tile.texels_on_curve().flat_map(|texel| starts[texel]..starts[texel + 1]));
    }

    /// Texels of the tile that have samples, each with its range of samples.
    pub fn texels(&self) -> impl Iterator<Item = (usize, Range<usize>)> + '_ {
        let bounds = self.samples.starts.windows(2).enumerate();
        bounds.filter(|(_, b)| b[0] < b[1]).map(|(texel, b)| (texel, b[0] as usize..b[1] as usize))
    }

    /// Texels whose rays run otherwise than before; all when nothing was kept of before.
    pub fn changed(&self) -> Vec<bool> {
        if self.changed.is_empty() { vec![true; self.tile.texels()] } else { self.changed.clone() }
    }

    /// Samples whose hits were taken over.
    pub fn kept_rays(&self) -> u64 {
        self.kept_rays
    }

    /// Samples of the tile's texel `texel`.
    pub fn samples_of(&self, texel: usize) -> Range<usize> {
        self.samples.starts[texel] as usize..self.samples.starts[texel + 1] as usize
    }

    /// Number of the tile's texel `texel` within its sheet of `size` texels per side.
    pub fn texel_on_sheet(&self, texel: usize, size: u32) -> u32 {
        self.tile.texel_on_sheet(texel, size)
    }

    /// How many samples the tile has.
    pub fn samples(&self) -> usize {
        self.places.len()
    }

    /// The ray of sample `s` as it ran; None where there is no sculpt.
    #[inline]
    pub fn course(&self, s: usize) -> Option<&Course> {
        self.courses.get(s)
    }

    /// Where sample `s` lies on the low-poly.
    #[inline]
    pub fn low(&self, s: usize) -> MeshPoint {
        self.samples.places[s]
    }

    #[inline]
    pub fn is_hit(&self, s: usize) -> bool {
        self.places[s].triangle != MISS
    }

    /// A back face was passed in front of the hit, or on the way to a miss.
    pub fn skipped_back(&self, s: usize) -> bool {
        self.skipped_back[s]
    }

    /// How far outside the low surface the sculpt lies that the first ray of a texel starts beneath, scene units: it stands out of the
    /// envelope there. 0 where rays start outside of it.
    pub fn beyond(&self, texel: usize) -> f32 {
        self.beyond[texel]
    }

    /// How far outside the low surface sample `s` hit, along its direction, scene units; None for a miss.
    #[inline]
    pub fn height(&self, s: usize) -> Option<f32> {
        self.is_hit(s).then(|| self.heights[s])
    }

    /// What sample `s` hit; `t` is the signed height over the low surface.
    #[inline]
    pub fn hit(&self, s: usize) -> Option<Hit> {
        self.is_hit(s).then(|| Hit { at: self.places[s], t: self.heights[s], back: self.back[s] })
    }

    /// Unit shading normal of the sculpt where sample `s` hit, turned towards the ray on a kept back face.
    pub fn normal(&self, scene: &BakeScene, s: usize) -> Option<Vec3> {
        let hit = self.hit(s)?;
        let normal = scene.high.normal_at(hit.at);
        Some(if hit.back { -normal } else { normal })
    }

    /// Rays traced for this tile.
    pub fn rays(&self) -> u64 {
        self.rays
    }
}

/// Rays that one sample takes.
fn rays_of(rule: HitRule) -> u64 {
    match rule {
        HitRule::Outermost => 1,
        HitRule::Nearest => 2,
    }
}

fn answer(
    plan: &RayPlan,
    courses: &PacketCourses,
    mask: &[bool],
    packet: &mut Packet,
    walk: &mut Walk,
) -> [TraceAnswer; LANES] {
    match plan.rule {
        HitRule::Outermost => outermost(plan, courses, mask, packet, walk),
        HitRule::Nearest => nearest(plan, courses, mask, packet, walk),
    }
}

/// What a ray traced by itself met.
#[derive(Clone, Copy, Debug)]
pub struct CourseAnswer {
    /// Where on the sculpt.
    pub at: Option<MeshPoint>,
    /// Over the low surface, scene units; 0 without a hit.
    pub height: f32,
    /// As [`TraceAnswer::skipped_back`].
    pub skipped_back: bool,
}

/// Up to [`LANES`] rays of a low part by themselves.
pub fn trace_courses(plan: &RayPlan, rays: &[Course], low_part: u32, scratch: &mut Scratch) -> Vec<CourseAnswer> {
    let mut courses = PacketCourses::default();
    for (slot, course) in courses.iter_mut().zip(rays) {
        *slot = Some(*course);
    }
    let Scratch { walk, packet, mask, .. } = scratch;
    let mask = mask.of(&plan.pairs.sights[low_part as usize], plan.scene.high.parts.len());
    let answers = answer(plan, &courses, mask, packet, walk);
    let told = answers.iter().zip(rays).map(|(answer, course)| CourseAnswer {
        at: answer.hit.map(|h| h.at),
        height: answer.hit.map_or(0.0, |h| course.run_up - h.t),
        skipped_back: answer.skipped_back,
    });
    told.collect()
}

type PacketCourses = [Option<Course>; LANES];

/// Puts a ray of each course into the packet.
fn fill(packet: &mut Packet, courses: &PacketCourses, ray: impl Fn(&Course) -> RaySpan) {
    packet.clear();
    for (lane, course) in courses.iter().flatten().enumerate() {
        packet.set(lane, &ray(course));
    }
}

fn outermost(
    plan: &RayPlan,
    courses: &PacketCourses,
    mask: &[bool],
    packet: &mut Packet,
    walk: &mut Walk,
) -> [TraceAnswer; LANES] {
    fill(packet, courses, |c| RaySpan {
        origin: c.position + c.outward * c.run_up,
        direction: -c.outward,
        length: c.run_up + c.inward,
    });
    let answer = plan.scene.trace.closest_packet(packet, mask, plan.back_faces, Seen::Along, walk);
    std::array::from_fn(|lane| answer.lane(lane))
}

/// The surface nearest to the low-poly: the first one inside, or the first one found from the surface outward, where fronts
/// look like backs and the other way round.
fn nearest(
    plan: &RayPlan,
    courses: &PacketCourses,
    mask: &[bool],
    packet: &mut Packet,
    walk: &mut Walk,
) -> [TraceAnswer; LANES] {
    let (trace, back_faces) = (&plan.scene.trace, plan.back_faces);
    fill(packet, courses, |c| RaySpan { origin: c.position, direction: -c.outward, length: c.inward });
    let below = trace.closest_packet(packet, mask, back_faces, Seen::Along, walk);
    fill(packet, courses, |c| RaySpan { origin: c.position, direction: c.outward, length: c.run_up });
    let above = trace.closest_packet(packet, mask, back_faces, Seen::FromAhead, walk);
    std::array::from_fn(|lane| {
        let run_up = courses[lane].as_ref().map_or(0.0, |c| c.run_up);
        let (above, mut below) = (above.lane(lane), below.lane(lane));
        if let Some(hit) = &mut below.hit {
            hit.t += run_up;
        }
        match (above.hit, below.hit) {
            (Some(a), Some(b)) if b.t - run_up <= a.t => below,
            (Some(a), _) => TraceAnswer { hit: Some(Hit { t: run_up - a.t, ..a }), ..above },
            (None, _) => below,
        }
    })
}
