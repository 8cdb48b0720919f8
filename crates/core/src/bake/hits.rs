//! Primary rays of one tile: from each sample on the low-poly to what it hits on the sculpt. Every map of a run reads these
//! hits; none traces its own.

use super::plan::Plan;
use crate::bake::BakeScene;
use crate::reach::SurfacePoint;
use crate::recipe::{Direction, HitRule};
use crate::sheet::{Tile, TileSamples, rasterise_tile};
use crate::trace::{Hit, LANES, Packet, RaySpan, Seen, TraceAnswer, Walk};
use glam::Vec3;
use std::ops::Range;

/// Marks a sample whose ray hit nothing, in `TileHits::triangles`.
const MISS: u32 = u32::MAX;

/// The hits of one tile, as a structure of arrays with one entry a sample.
pub struct TileHits {
    /// Which sheet of the run, and which texels of it.
    pub sheet: usize,
    pub tile: Tile,
    samples: TileSamples,
    triangles: Vec<u32>,
    v: Vec<f32>,
    w: Vec<f32>,
    /// Signed distance from the low surface to the hit against the ray's way, outward positive; scene units.
    heights: Vec<f32>,
    back: Vec<bool>,
    skipped_back: Vec<bool>,
    rays: u64,
}

/// What stays between tiles of one thread, so that tracing allocates nothing.
#[derive(Default)]
pub struct Scratch {
    pub walk: Walk,
    pub(crate) packet: Packet,
    order: Vec<u32>,
}

/// Where a ray starts and how it runs: from `position + outward * run_up`, along `-outward`, for `run_up + inward`.
struct Course {
    position: Vec3,
    outward: Vec3,
    run_up: f32,
}

impl TileHits {
    /// Rasterises and traces one tile of the plan.
    pub(super) fn trace(plan: &Plan, sheet: usize, tile: usize, scratch: &mut Scratch) -> TileHits {
        let part = &plan.sheets[sheet];
        let samples = rasterise_tile(&part.triangles, &part.candidates[tile], &part.tiles[tile], &plan.pattern);
        let mut hits = TileHits::untraced(sheet, part.tiles[tile], samples);
        if plan.own_surface {
            hits.triangles.clone_from(&hits.samples.triangles);
            hits.v.clone_from(&hits.samples.v);
            hits.w.clone_from(&hits.samples.w);
            return hits;
        }
        hits.rays = hits.trace_samples(plan, plan.recipe.direction, true, scratch);
        hits
    }

    /// Samples that have hit nothing yet.
    fn untraced(sheet: usize, tile: Tile, samples: TileSamples) -> TileHits {
        let n = samples.len();
        TileHits {
            sheet,
            tile,
            triangles: vec![MISS; n],
            v: vec![0.0; n],
            w: vec![0.0; n],
            heights: vec![0.0; n],
            back: vec![false; n],
            skipped_back: vec![false; n],
            rays: 0,
            samples,
        }
    }

    /// The same samples traced along another direction; reaches as the plan has them, without a cage.
    pub(crate) fn traced_along(&self, plan: &Plan, direction: Direction, scratch: &mut Scratch) -> TileHits {
        let mut hits = TileHits::untraced(self.sheet, self.tile, self.samples.clone());
        hits.rays = hits.trace_samples(plan, direction, false, scratch);
        hits
    }

    fn trace_samples(&mut self, plan: &Plan, direction: Direction, with_cage: bool, scratch: &mut Scratch) -> u64 {
        let Scratch { walk, packet, order } = scratch;
        self.block_order(order);
        let part_of = |s: u32| plan.scene.low.parts[self.samples.triangles[s as usize] as usize];
        let mut rays = 0;
        let mut at = 0;
        while at < order.len() {
            let part = part_of(order[at]);
            let run = order[at..].iter().take(LANES).take_while(|&&s| part_of(s) == part).count();
            let lanes = &order[at..at + run];
            at += run;
            let mask = &plan.pairs.allowed[part as usize];
            let mut courses = Courses::default();
            for (course, &s) in courses.iter_mut().zip(lanes) {
                let (triangle, v, w) =
                    (self.samples.triangles[s as usize], self.samples.v[s as usize], self.samples.w[s as usize]);
                let mut point = plan.scene.low.point(triangle, v, w, direction);
                point.cage = point.cage.filter(|_| with_cage);
                *course = Some(course_of(plan, &point));
            }
            let answers = match plan.recipe.hit {
                HitRule::Outermost => {
                    rays += run as u64;
                    outermost(plan, &courses, mask, packet, walk)
                }
                HitRule::Nearest => {
                    rays += 2 * run as u64;
                    nearest(plan, &courses, mask, packet, walk)
                }
            };
            for ((&s, answer), course) in lanes.iter().zip(answers).zip(&courses) {
                let s = s as usize;
                self.skipped_back[s] = answer.skipped_back;
                if let (Some(hit), Some(course)) = (answer.hit, course) {
                    self.triangles[s] = hit.triangle;
                    self.v[s] = hit.v;
                    self.w[s] = hit.w;
                    self.heights[s] = course.run_up - hit.t;
                    self.back[s] = hit.back;
                }
            }
        }
        rays
    }

    /// Samples by blocks of four by two texels: neighbours on the sheet share boxes and triangles.
    fn block_order(&self, order: &mut Vec<u32>) {
        order.clear();
        let (width, height) = (self.tile.width as usize, self.tile.height as usize);
        for top in (0..height).step_by(2) {
            for left in (0..width).step_by(4) {
                for y in top..(top + 2).min(height) {
                    let row = y * width;
                    let starts = &self.samples.starts;
                    order.extend(starts[row + left]..starts[row + (left + 4).min(width)]);
                }
            }
        }
    }

    /// Texels of the tile that have samples, each with its range of samples.
    pub fn texels(&self) -> impl Iterator<Item = (usize, Range<usize>)> + '_ {
        let bounds = self.samples.starts.windows(2).enumerate();
        bounds.filter(|(_, b)| b[0] < b[1]).map(|(texel, b)| (texel, b[0] as usize..b[1] as usize))
    }

    /// Number of the tile's texel `texel` within its sheet of `size` texels a side.
    pub fn texel_on_sheet(&self, texel: usize, size: u32) -> u32 {
        let (x, y) = (texel as u32 % self.tile.width + self.tile.x, texel as u32 / self.tile.width + self.tile.y);
        y * size + x
    }

    /// Low-poly triangle of a sample, with the weights of its second and third corner.
    pub fn low(&self, s: usize) -> (u32, f32, f32) {
        (self.samples.triangles[s], self.samples.v[s], self.samples.w[s])
    }

    pub fn is_hit(&self, s: usize) -> bool {
        self.triangles[s] != MISS
    }

    /// A back face was passed in front of the hit, or on the way to a miss.
    pub fn skipped_back(&self, s: usize) -> bool {
        self.skipped_back[s]
    }

    /// How far outside the low surface sample `s` hit, along its direction, scene units; None for a miss.
    pub fn height(&self, s: usize) -> Option<f32> {
        self.is_hit(s).then(|| self.heights[s])
    }

    /// What sample `s` hit; `t` is the signed height over the low surface.
    pub fn hit(&self, s: usize) -> Option<Hit> {
        self.is_hit(s).then(|| Hit {
            triangle: self.triangles[s],
            v: self.v[s],
            w: self.w[s],
            t: self.heights[s],
            back: self.back[s],
        })
    }

    /// Unit shading normal of the sculpt where sample `s` hit, turned towards the ray on a kept back face.
    pub fn normal(&self, scene: &BakeScene, s: usize) -> Option<Vec3> {
        let hit = self.hit(s)?;
        let mesh = &scene.high;
        let [a, b, c] = mesh.triangles[hit.triangle as usize].map(|v| mesh.normals[v as usize]);
        let normal = a + (b - a) * hit.v + (c - a) * hit.w;
        let normal = normal.try_normalize().unwrap_or_else(|| mesh.face_normal(hit.triangle));
        Some(if hit.back { -normal } else { normal })
    }

    /// Rays traced for this tile.
    pub fn rays(&self) -> u64 {
        self.rays
    }
}

fn course_of(plan: &Plan, point: &SurfacePoint) -> Course {
    let (outward, run_up) = match point.cage {
        // A cage point on the surface itself leaves the direction to the averaged one.
        Some(cage) => match (cage - point.position).try_normalize() {
            Some(outward) => (outward, cage.distance(point.position)),
            None => (point.outward, 0.0),
        },
        None => (point.outward, plan.reach.out),
    };
    Course { position: point.position, outward, run_up }
}

type Courses = [Option<Course>; LANES];

/// Puts a ray of each course into the packet.
fn fill(packet: &mut Packet, courses: &Courses, ray: impl Fn(&Course) -> RaySpan) {
    packet.clear();
    for (lane, course) in courses.iter().flatten().enumerate() {
        packet.set(lane, &ray(course));
    }
}

fn outermost(
    plan: &Plan,
    courses: &Courses,
    mask: &[bool],
    packet: &mut Packet,
    walk: &mut Walk,
) -> [TraceAnswer; LANES] {
    fill(packet, courses, |c| RaySpan {
        origin: c.position + c.outward * c.run_up,
        direction: -c.outward,
        length: c.run_up + plan.reach.inward,
    });
    let answer = plan.scene.trace.closest_packet(packet, mask, plan.recipe.back_faces, Seen::Along, walk);
    std::array::from_fn(|lane| answer.lane(lane))
}

/// The surface nearest to the low-poly: the first one inside, or the first one found from the surface outward, where fronts
/// look like backs and the other way round.
fn nearest(
    plan: &Plan,
    courses: &Courses,
    mask: &[bool],
    packet: &mut Packet,
    walk: &mut Walk,
) -> [TraceAnswer; LANES] {
    let (trace, back_faces) = (&plan.scene.trace, plan.recipe.back_faces);
    fill(packet, courses, |c| RaySpan { origin: c.position, direction: -c.outward, length: plan.reach.inward });
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
