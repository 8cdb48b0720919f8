//! The trace of one texel: each ray of it, every surface of the sculpt it crosses in order, and why each was taken or skipped. It is
//! told from the same courses and rules as the bake itself, one ray at a time.

use crate::bake::Plan;
use crate::hits::{HitRule, Scratch, TileHits, TileNumber, TileSource};
use crate::sheet::Tile;
use crate::surface::MeshPoint;
use crate::trace::{BackFaces, RaySpan};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Surfaces of one ray that are listed at most.
const MOST_CROSSINGS: usize = 24;
/// The next surface is looked for this share of the ray's length behind the last.
const STEP: f32 = 1e-6;

/// What one texel was made of, ray by ray.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Trace {
    pub sheet: u32,
    /// Texel from the left and from the top.
    pub x: u32,
    pub y: u32,
    /// Its samples; none where no low-poly lies.
    pub rays: Vec<TracedRay>,
    /// The texel and those around it, row by row.
    pub neighbours: Vec<TraceNeighbour>,
}

/// One ray.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct TracedRay {
    /// Low-poly part and triangle it belongs to.
    pub part: String,
    pub triangle: u32,
    /// On the low surface; where it starts; where it ends. Scene units.
    pub surface: [f32; 3],
    pub start: [f32; 3],
    pub end: [f32; 3],
    /// Unit vector it runs along.
    pub direction: [f32; 3],
    pub reach_out: f32,
    #[serde(rename = "reach_in")]
    pub reach_in: f32,
    /// 0 = averaged direction, 1 = square to the face.
    pub plumb: f32,
    /// Angle between the ray and the face's normal, degrees.
    pub lean: f32,
    pub crossings: Vec<Crossing>,
    /// There were more than are listed.
    pub more: bool,
}

/// A surface of the sculpt on a ray's way.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Crossing {
    pub part: String,
    /// From the ray's start, scene units.
    pub distance: f32,
    /// Over the low surface, outward positive.
    pub height: f32,
    pub point: [f32; 3],
    pub facing: RaySide,
    pub fate: Fate,
}

/// Which side of a surface a ray meets.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum RaySide {
    Front,
    Back,
}

/// What became of a crossing.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Fate {
    /// The map is made of it.
    Taken,
    /// It looks away from the ray, and back faces are skipped.
    BackFace,
    /// Its part is not of this pair.
    OtherPair,
    /// Another was met first, or lies nearer to the low surface.
    Behind,
}

/// What a texel nearby was made of.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct TraceNeighbour {
    pub x: u32,
    pub y: u32,
    /// Part of the sculpt; none for a miss or where no low-poly lies.
    pub part: Option<String>,
    /// Mean over its samples, scene units.
    pub height: Option<f32>,
    pub covered: bool,
}

impl Plan {
    /// What a texel was made of; None off the sheet or for an unknown sheet.
    pub fn trace_texel(&self, sheet: usize, x: u32, y: u32) -> Option<Trace> {
        let plan = self.rays.sheets.get(sheet)?;
        let size = self.recipe.sheet.size;
        if x >= size || y >= size {
            return None;
        }
        let mut scratch = Scratch::default();
        let mut told = Trace { sheet: sheet as u32, x, y, rays: Vec::new(), neighbours: Vec::new() };
        let mut tiles: Vec<(usize, TileHits)> = Vec::new();
        for (ny, nx) in (-1..=1).flat_map(|dy| (-1..=1).map(move |dx| (i64::from(y) + dy, i64::from(x) + dx))) {
            let (Ok(nx), Ok(ny)) = (u32::try_from(nx), u32::try_from(ny)) else { continue };
            let holds = |t: &Tile| (t.x..t.x + t.width).contains(&nx) && (t.y..t.y + t.height).contains(&ny);
            let Some(number) = plan.tiles.iter().position(holds) else { continue };
            if !tiles.iter().any(|(n, _)| *n == number) {
                let hits = TileHits::trace(
                    &self.rays,
                    TileNumber { sheet, tile: number },
                    &TileSource::default(),
                    &mut scratch,
                );
                tiles.push((number, hits));
            }
            let hits = tiles.iter().find(|(n, _)| *n == number).map(|(_, hits)| hits)?;
            let texel = ((ny - hits.tile.y) * hits.tile.width + nx - hits.tile.x) as usize;
            let samples = hits.samples_of(texel);
            told.neighbours.push(self.neighbour(hits, (nx, ny), samples.clone()));
            if (nx, ny) == (x, y) {
                told.rays = samples.map(|s| self.trace_ray(hits.low(s))).collect();
            }
        }
        Some(told)
    }

    fn neighbour(&self, hits: &TileHits, (x, y): (u32, u32), samples: std::ops::Range<usize>) -> TraceNeighbour {
        let heights: Vec<f32> = samples.clone().filter_map(|s| hits.height(s)).collect();
        let mean = heights.iter().sum::<f32>() / heights.len().max(1) as f32;
        let part = samples.clone().find_map(|s| hits.hit(s)).map(|h| self.high_part(h.at.triangle));
        TraceNeighbour {
            x,
            y,
            part: part.filter(|_| !self.rays.scene.own_surface),
            height: (!heights.is_empty()).then_some(mean),
            covered: !samples.is_empty(),
        }
    }

    fn high_part(&self, triangle: u32) -> String {
        let parts = &self.rays.scene.high.parts;
        parts.iter().find(|p| p.triangles.contains(&triangle)).map(|p| p.name.clone()).unwrap_or_default()
    }

    /// The ray over a place of the low surface, with all it crosses.
    pub fn trace_ray(&self, at: MeshPoint) -> TracedRay {
        let low = &self.rays.scene.low;
        let course = self.rays.field.course(low, at);
        let (origin, direction) = (course.position + course.outward * course.run_up, -course.outward);
        let length = course.run_up + course.inward;
        let own_part = low.parts[at.triangle as usize] as usize;
        let (mut crossings, mut more) = (Vec::new(), false);
        let mut from = 0.0f32;
        while !self.rays.scene.own_surface && from < length {
            let span = RaySpan { origin: origin + direction * from, direction, length: length - from };
            let every = vec![true; self.rays.scene.high.parts.len()];
            let Some(hit) = self.rays.scene.trace.closest(&span, &every, BackFaces::Keep).hit else { break };
            if crossings.len() == MOST_CROSSINGS {
                more = true;
                break;
            }
            let distance = from + hit.t;
            let part = self.high_part(hit.at.triangle);
            let number = self.rays.scene.high.parts.iter().position(|p| p.triangles.contains(&hit.at.triangle));
            let allowed = number.is_some_and(|n| self.rays.pairs.sights[own_part].sees(n as u32));
            let fate = match (allowed, hit.back && self.recipe.back_faces == BackFaces::Skip) {
                (false, _) => Fate::OtherPair,
                (true, true) => Fate::BackFace,
                (true, false) => Fate::Behind,
            };
            crossings.push(Crossing {
                part,
                distance,
                height: course.run_up - distance,
                point: self.rays.scene.high.at(hit.at).to_array(),
                facing: if hit.back { RaySide::Back } else { RaySide::Front },
                fate,
            });
            from = distance + (length * STEP).max(distance * f32::EPSILON * 4.0);
        }
        let mut open = crossings.iter_mut().filter(|c| c.fate == Fate::Behind);
        let taken = match self.recipe.hit {
            HitRule::Outermost => open.next(),
            HitRule::Nearest => open.min_by(|a, b| a.height.abs().total_cmp(&b.height.abs())),
        };
        if let Some(taken) = taken {
            taken.fate = Fate::Taken;
        }
        TracedRay {
            part: low.mesh.parts[own_part].name.clone(),
            triangle: at.triangle,
            surface: course.position.to_array(),
            start: origin.to_array(),
            end: (origin + direction * length).to_array(),
            direction: direction.to_array(),
            reach_out: course.run_up,
            reach_in: course.inward,
            plumb: self.rays.field.plumb.at(at),
            lean: course.outward.angle_between(low.mesh.face_normal(at.triangle)).to_degrees(),
            crossings,
            more,
        }
    }
}
