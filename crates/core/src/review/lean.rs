//! Lean: details drawn aside because the ray that found them ran aslant. Where it shows, how much, and the strokes that would set
//! rays upright there.

use crate::bake::Plan;
use crate::hits::{Scratch, TileHits, TileNumber, TileSource, lean_of};
use crate::reach::{Brush, ReachSide, Stroke};
use glam::Vec3;
use rayon::prelude::*;

/// Lean over a whole plan.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct LeanReport {
    /// Samples that lean, and the sum of their shifts, scene units.
    pub samples: usize,
    pub shift: f64,
    /// Where they lie on the low surface, in the order of sheets, tiles and samples.
    pub places: Vec<Vec3>,
}

/// Strokes are laid through leaning places thinned to this share of the diagonal; a stroke goes on to places within so many steps.
const THINNED: f32 = 0.01;
const NEXT: f32 = 2.5;
/// Size of such a stroke, in steps: all between its places is upright.
const SIZE: f32 = 3.6;
const MOST_PLACES: usize = 400;

impl Plan {
    /// Measures lean over all sheets.
    pub fn lean(&self) -> LeanReport {
        let plan = &self.rays;
        let of_tile = |number: &TileNumber| {
            let hits = TileHits::trace(plan, *number, &TileSource::default(), &mut Scratch::default());
            let mut own = LeanReport::default();
            for s in hits.texels().flat_map(|(_, samples)| samples) {
                if let Some(shift) = lean_of(plan, &hits, s) {
                    own.samples += 1;
                    own.shift += f64::from(shift);
                    own.places.push(plan.scene.low.mesh.at(hits.low(s)));
                }
            }
            own
        };
        let reports: Vec<LeanReport> = plan.busy_tiles().par_iter().map(of_tile).collect();
        reports.into_iter().fold(LeanReport::default(), |mut all, mut own| {
            all.samples += own.samples;
            all.shift += own.shift;
            all.places.append(&mut own.places);
            all
        })
    }

    /// Strokes of plumb over all that leans; none where nothing does.
    pub fn plumb_strokes(&self) -> Vec<Stroke> {
        let step = self.rays.scene.low.mesh.diagonal() * THINNED;
        let mut places: Vec<Vec3> = Vec::new();
        for p in self.lean().places {
            if places.len() < MOST_PLACES && places.iter().all(|q| q.distance(p) >= step) {
                places.push(p);
            }
        }
        let mut strokes = Vec::new();
        while let Some(first) = places.pop() {
            let mut path = vec![first];
            // On to the nearest place that is left, as long as it is near.
            while let Some((next, _)) = places
                .iter()
                .enumerate()
                .map(|(i, q)| (i, q.distance(path[path.len() - 1])))
                .filter(|(_, d)| *d <= step * NEXT)
                .min_by(|a, b| a.1.total_cmp(&b.1))
            {
                path.push(places.swap_remove(next));
            }
            strokes.push(Stroke {
                brush: Brush::Plumb,
                side: ReachSide::Out,
                size: step * SIZE,
                strength: 1.0,
                value: None,
                mirror: None,
                path: path.iter().map(|p| [p.x, p.y, p.z, 1.0]).collect(),
            });
        }
        strokes
    }
}
