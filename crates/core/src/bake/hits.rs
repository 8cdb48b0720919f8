//! Primary rays of one tile: from each sample on the low-poly to what it hits on the sculpt. Every map of a run reads these
//! hits; none traces its own.

use super::plan::Plan;
use crate::bake::BakeScene;
use crate::reach::SurfacePoint;
use crate::recipe::HitRule;
use crate::sheet::{TileSamples, rasterise_tile};
use crate::trace::{Hit, RaySpan, TraceAnswer};
use glam::Vec3;
use std::ops::Range;

/// Marks a sample whose ray hit nothing, in `TileHits::triangles`.
const MISS: u32 = u32::MAX;

/// The hits of one tile, as a structure of arrays with one entry a sample.
pub struct TileHits {
    samples: TileSamples,
    triangles: Vec<u32>,
    v: Vec<f32>,
    w: Vec<f32>,
    /// Distance from the ray's start, scene units.
    t: Vec<f32>,
    back: Vec<bool>,
    skipped_back: Vec<bool>,
    rays: u64,
}

impl TileHits {
    /// Rasterises and traces tile number `tile` of the plan.
    pub(super) fn trace(plan: &Plan, tile: usize) -> TileHits {
        let samples = rasterise_tile(&plan.sheet, &plan.candidates[tile], &plan.tiles[tile], &plan.pattern);
        let n = samples.len();
        let mut hits = TileHits {
            triangles: vec![MISS; n],
            v: vec![0.0; n],
            w: vec![0.0; n],
            t: vec![0.0; n],
            back: vec![false; n],
            skipped_back: vec![false; n],
            rays: 0,
            samples,
        };
        for s in 0..n {
            let (triangle, v, w) = hits.low(s);
            let point = plan.scene.low.point(triangle, v, w, plan.recipe.direction);
            let mask = &plan.pairs.allowed[plan.scene.low.parts[triangle as usize] as usize];
            let answer = hits.answer(plan, &point, mask);
            hits.skipped_back[s] = answer.skipped_back;
            if let Some(hit) = answer.hit {
                hits.triangles[s] = hit.triangle;
                hits.v[s] = hit.v;
                hits.w[s] = hit.w;
                hits.t[s] = hit.t;
                hits.back[s] = hit.back;
            }
        }
        hits
    }

    fn answer(&mut self, plan: &Plan, point: &SurfacePoint, mask: &[bool]) -> TraceAnswer {
        let trace = &plan.scene.trace;
        let back_faces = plan.recipe.back_faces;
        let (outward, run_up) = match point.cage {
            // A cage point on the surface itself leaves the direction to the averaged one.
            Some(cage) => match (cage - point.position).try_normalize() {
                Some(outward) => (outward, cage.distance(point.position)),
                None => (point.outward, 0.0),
            },
            None => (point.outward, plan.reach.out),
        };
        let start = point.position + outward * run_up;
        match plan.recipe.hit {
            HitRule::Outermost => {
                self.rays += 1;
                let span = RaySpan { origin: start, direction: -outward, length: run_up + plan.reach.inward };
                trace.closest(&span, mask, back_faces)
            }
            HitRule::Nearest => {
                self.rays += 2;
                let inside = RaySpan { origin: point.position, direction: -outward, length: plan.reach.inward };
                let mut below = trace.closest(&inside, mask, back_faces);
                // The nearest surface outside, seen from outside: the last hit before the low surface. It is found from
                // the surface outward, where fronts look like backs and the other way round.
                let outside = RaySpan { origin: point.position, direction: outward, length: run_up };
                let above = trace.closest_seen_from_ahead(&outside, mask, back_faces);
                if let Some(hit) = &mut below.hit {
                    hit.t += run_up;
                }
                match (above.hit, below.hit) {
                    (Some(a), Some(b)) if b.t - run_up <= a.t => below,
                    (Some(a), _) => TraceAnswer { hit: Some(Hit { t: run_up - a.t, ..a }), ..above },
                    (None, _) => below,
                }
            }
        }
    }

    /// Texels of the tile that have samples, each with its range of samples.
    pub fn texels(&self) -> impl Iterator<Item = (usize, Range<usize>)> + '_ {
        let bounds = self.samples.starts.windows(2).enumerate();
        bounds.filter(|(_, b)| b[0] < b[1]).map(|(texel, b)| (texel, b[0] as usize..b[1] as usize))
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

    pub fn hit(&self, s: usize) -> Option<Hit> {
        self.is_hit(s).then(|| Hit {
            triangle: self.triangles[s],
            v: self.v[s],
            w: self.w[s],
            t: self.t[s],
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
