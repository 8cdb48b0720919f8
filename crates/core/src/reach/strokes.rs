//! Strokes on the low-poly, worked out anew each time from their paths: the same strokes give the same reaches, and a newer mesh of
//! the same shape takes them over. A stroke is a row of dabs; its weight at a place is that of the nearest dab, measured along
//! the surface, so that it does not matter how often or how fast a hand passed.

use super::grid::{GridEffect, GridStroke, SurfaceGrid};
use super::points::ReachPoints;
use super::{Brush, LowSurface, MOST_PATH, ReachSide, Stroke};
use crate::mesh::{SurfaceDistance, SurfaceWalk};
use crate::surface::Axis;
use crate::trace::TraceScene;
use glam::Vec3;

/// Dabs of a stroke lie this share of its size apart, and are no more than so many.
const SPACING: f32 = 0.25;
const MOST_DABS: usize = 4096;
/// What [`Brush::More`] multiplies with at full strength, and [`Brush::Less`].
const MORE: f32 = 2.0;
const LESS: f32 = 0.5;
/// Rounds of [`Brush::Smooth`] in one stroke.
const SMOOTHING: usize = 6;
/// No reach is multiplied from less than this share of the diagonal.
const LEAST: f32 = 5e-4;

/// One dab: distances along the surface around it, and pressure there.
pub struct Dab {
    pub around: SurfaceDistance,
    pub pressure: f32,
}

/// 1 at the middle of a brush, 0 at its edge, flat at both.
pub fn falloff(distance: f32, size: f32) -> f32 {
    let x = distance / size;
    if x >= 1.0 { 0.0 } else { (1.0 - x * x).powi(2) }
}

/// Where a brush of a size goes.
#[derive(Clone, Copy, Debug)]
pub struct BrushCourse<'a> {
    /// Distance along the surface at which the effect ends, scene units.
    pub size: f32,
    /// Painted on the other side too, across the middle of the low-poly.
    pub mirror: Option<Axis>,
    /// Points on the low surface (x, y, z, scene units) and pressure there, 0 to 1.
    pub path: &'a [[f32; 4]],
}

impl BrushCourse<'_> {
    /// # Errors
    /// The field, what it holds, what it may hold.
    pub fn validate(&self) -> Result<(), String> {
        if !(self.size.is_finite() && self.size > 0.0) {
            return Err(format!("size is {}; give a length above 0 in scene units", self.size));
        }
        if self.path.is_empty() || self.path.len() > MOST_PATH {
            return Err(format!("path has {} points; give 1 to {MOST_PATH}", self.path.len()));
        }
        match self.path.iter().find(|p| !p.iter().all(|c| c.is_finite()) || !(0.0..=1.0).contains(&p[3])) {
            Some(bad) => Err(format!("path holds {bad:?}; give x, y, z and a pressure from 0 to 1")),
            None => Ok(()),
        }
    }
}

impl Stroke {
    pub(super) fn course(&self) -> BrushCourse<'_> {
        BrushCourse { size: self.size, mirror: self.mirror, path: &self.path }
    }
}

/// The dabs of a stroke on the surface, with those of its mirror image. What lies further off than the brush's size (the
/// mesh was changed) leaves none.
pub fn dabs(stroke: &BrushCourse, low: &LowSurface, trace: &TraceScene, walk: &SurfaceWalk) -> Vec<Dab> {
    let place = |p: &[f32; 4]| (Vec3::new(p[0], p[1], p[2]), p[3]);
    let mut path = vec![place(&stroke.path[0])];
    let step = stroke.size * SPACING;
    for to in stroke.path[1..].iter().map(place) {
        let (mut from, mut pressure) = path[path.len() - 1];
        let mut left = from.distance(to.0);
        while left >= step && path.len() < MOST_DABS {
            let share = step / left;
            from = from.lerp(to.0, share);
            pressure += (to.1 - pressure) * share;
            path.push((from, pressure));
            left = from.distance(to.0);
        }
    }
    // A short stroke is at least where it ended.
    if stroke.path.len() > 1 {
        path.extend(stroke.path.last().map(place));
    }
    if let Some(axis) = stroke.mirror {
        let (a, b) = low.mesh.bounds();
        let other: Vec<_> = path.iter().map(|&(p, pressure)| (axis.mirror(p, (a + b) * 0.5), pressure)).collect();
        path.extend(other);
    }
    path.into_iter()
        .filter_map(|(p, pressure)| {
            let nearest = trace.nearest(p, stroke.size, |_| true)?;
            Some(Dab { around: walk.from(nearest.at, stroke.size), pressure })
        })
        .collect()
}

/// Weight (0..1) of a stroke at each point it reaches, by rising point.
fn point_weights(stroke: &Stroke, dabs: &[Dab], walk: &SurfaceWalk, points: &ReachPoints) -> Vec<(u32, f32)> {
    let mut found: Vec<(u32, f32)> = Vec::new();
    for dab in dabs {
        for &t in &dab.around.triangles {
            for (welded, point) in walk.points(t).into_iter().zip(points.of[t as usize]) {
                let weight = dab.around.at_point(welded).map_or(0.0, |d| falloff(d, stroke.size)) * dab.pressure;
                if weight > 0.0 {
                    found.push((point, weight * stroke.strength));
                }
            }
        }
    }
    found.sort_by(|a, b| a.0.cmp(&b.0).then(b.1.total_cmp(&a.1)));
    found.dedup_by_key(|(point, _)| *point);
    found
}

/// Reaches of points, as they stand and as they were before anything was painted.
pub(super) struct Painted<'a> {
    pub values: &'a mut Vec<f32>,
    pub fitted: &'a [f32],
}

fn paint_points(stroke: &Stroke, weights: &[(u32, f32)], points: &ReachPoints, to: &mut Painted, least: f32) {
    match stroke.brush {
        Brush::Smooth => {
            for _ in 0..SMOOTHING {
                let means: Vec<f32> =
                    weights.iter().map(|(p, _)| points.mean_around(to.values, 0, *p as usize)).collect();
                for ((p, weight), mean) in weights.iter().zip(means) {
                    let slot = &mut to.values[*p as usize];
                    *slot += (mean - *slot) * weight;
                }
            }
        }
        brush => {
            for &(p, weight) in weights {
                let slot = &mut to.values[p as usize];
                let target = match brush {
                    Brush::More => slot.max(least) * MORE,
                    Brush::Less => *slot * LESS,
                    Brush::Set => stroke.value.unwrap_or(*slot),
                    Brush::Fitted => to.fitted[p as usize],
                    Brush::Smooth | Brush::Plumb | Brush::Averaged => *slot,
                };
                // All of the way is all of the way, without rounding.
                *slot = if weight >= 1.0 { target } else { *slot + (target - *slot) * weight };
            }
        }
    }
}

/// Paints all strokes, in order, onto the reaches of points and the plumb mask. Answers how many strokes changed nothing: too small to
/// touch a vertex, or off the surface.
pub(super) fn paint(
    strokes: &[Stroke],
    low: &LowSurface,
    trace: &TraceScene,
    points: &ReachPoints,
    (out, inward): (&mut Painted, &mut Painted),
    plumb: &mut SurfaceGrid,
) -> u32 {
    let walk = SurfaceWalk::new(&low.mesh);
    let least = low.mesh.diagonal() * LEAST;
    let mut idle = 0;
    let mut turning: Vec<(GridStroke, Vec<Dab>)> = Vec::new();
    for stroke in strokes {
        let dabs = dabs(&stroke.course(), low, trace, &walk);
        if stroke.brush.turns() {
            idle += u32::from(dabs.is_empty());
            let effect = GridEffect::To(if stroke.brush == Brush::Plumb { 1.0 } else { 0.0 });
            turning.push((GridStroke { course: stroke.course(), strength: stroke.strength, effect }, dabs));
            continue;
        }
        let weights = point_weights(stroke, &dabs, &walk, points);
        idle += u32::from(weights.is_empty());
        if stroke.side != ReachSide::In {
            paint_points(stroke, &weights, points, out, least);
        }
        if stroke.side != ReachSide::Out {
            paint_points(stroke, &weights, points, inward, least);
        }
    }
    plumb.paint(&turning, &walk, &low.mesh, trace);
    idle
}
