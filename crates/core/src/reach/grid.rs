//! Numbers painted over the low surface, finer than its vertices: where rays run square to the face, and masks. Triangles that a stroke
//! touches carry a grid of values in their own plane, as fine as the smallest brush that touched them asks for; the rest keep one value.

use super::LowSurface;
use super::strokes::{BrushCourse, Dab, dabs, falloff};
use crate::mesh::{Mesh, SurfaceWalk};
use crate::surface::MeshPoint;
use crate::trace::TraceScene;
use rustc_hash::FxHashMap;

/// Grid steps over the size of the smallest brush, and along an edge at most.
const STEPS_A_BRUSH: f32 = 8.0;
const MOST_STEPS: u32 = 128;

/// What a stroke does to the values that it passes.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum GridEffect {
    /// Towards a value.
    To(f32),
    /// Towards the mean of what lies around.
    Smooth,
}

/// A stroke over a grid.
#[derive(Clone, Copy, Debug)]
pub struct GridStroke<'a> {
    pub course: BrushCourse<'a>,
    /// 0 to 1.
    pub strength: f32,
    pub effect: GridEffect,
}

/// Values over the low surface: one everywhere, but where something was painted.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct SurfaceGrid {
    /// Where nothing was painted.
    base: f32,
    /// Grid of each painted triangle: steps along an edge, and where its values begin.
    grids: FxHashMap<u32, (u32, u32)>,
    /// Row after row: weight of the second corner rising by row, of the third within it.
    values: Vec<f32>,
}

/// Full to half of the size, so that a detail under the brush is upright as a whole; then smoothly down to nothing.
fn weight_at(distance: f32, size: f32) -> f32 {
    falloff((distance - size * 0.5).max(0.0), size * 0.5)
}

/// Values of a triangular grid with `n` steps per edge.
fn grid_points(n: u32) -> usize {
    ((n + 1) * (n + 2) / 2) as usize
}

/// Place of a grid point in its grid.
fn grid_at(n: u32, i: u32, j: u32) -> usize {
    // Row i has n + 1 - i values.
    (i * (n + 1) - i * (i.max(1) - 1) / 2 + j) as usize
}

impl SurfaceGrid {
    pub fn new(base: f32) -> SurfaceGrid {
        SurfaceGrid { base, ..SurfaceGrid::default() }
    }

    /// What strokes leave on a surface that is 0 everywhere, and how many of them touch nothing.
    pub fn painted_by(strokes: &[GridStroke], low: &LowSurface, trace: &TraceScene) -> (SurfaceGrid, usize) {
        let walk = SurfaceWalk::new(&low.mesh);
        let laid: Vec<_> = strokes.iter().map(|stroke| (*stroke, dabs(&stroke.course, low, trace, &walk))).collect();
        let mut grid = SurfaceGrid::new(0.0);
        grid.paint(&laid, &walk, &low.mesh, trace);
        (grid, laid.iter().filter(|(_, dabs)| dabs.is_empty()).count())
    }

    /// Whether it is 0 everywhere.
    #[inline]
    pub fn is_zero(&self) -> bool {
        self.base == 0.0 && self.grids.is_empty()
    }

    /// Bytes it holds in memory.
    pub fn bytes(&self) -> usize {
        4 * self.values.len() + 16 * self.grids.len()
    }

    /// Triangles that were painted.
    pub fn painted(&self) -> impl Iterator<Item = u32> + '_ {
        self.grids.keys().copied()
    }

    /// The value at a place of the low surface.
    #[inline]
    pub fn at(&self, at: MeshPoint) -> f32 {
        if self.grids.is_empty() {
            return self.base;
        }
        let Some(&(n, start)) = self.grids.get(&at.triangle) else { return self.base };
        let own = &self.values[start as usize..start as usize + grid_points(n)];
        let (x, y) = (at.v.clamp(0.0, 1.0) * n as f32, at.w.clamp(0.0, 1.0) * n as f32);
        let i = (x as u32).min(n - 1);
        let j = (y as u32).min(n - 1 - i);
        let (f, g) = ((x - i as f32).clamp(0.0, 1.0), (y - j as f32).clamp(0.0, 1.0));
        if f + g <= 1.0 {
            let [a, b, c] = [(i, j), (i + 1, j), (i, j + 1)].map(|(i, j)| own[grid_at(n, i, j)]);
            a + (b - a) * f + (c - a) * g
        } else {
            let [a, b, c] =
                [(i + 1, (j + 1).min(n - 1 - i)), (i, j + 1), (i + 1, j)].map(|(i, j)| own[grid_at(n, i, j)]);
            a + (b - a) * (1.0 - f) + (c - a) * (1.0 - g)
        }
    }

    /// Paints strokes, in order.
    pub(super) fn paint(
        &mut self,
        strokes: &[(GridStroke, Vec<Dab>)],
        walk: &SurfaceWalk,
        mesh: &Mesh,
        trace: &TraceScene,
    ) {
        let mut finest: FxHashMap<u32, f32> = FxHashMap::default();
        for (stroke, dabs) in strokes {
            for &t in dabs.iter().flat_map(|d| &d.around.triangles) {
                let size = finest.entry(t).or_insert(f32::INFINITY);
                *size = size.min(stroke.course.size);
            }
        }
        let mut touched: Vec<(u32, f32)> = finest.into_iter().collect();
        touched.sort_by_key(|(t, _)| *t);
        for (t, size) in touched {
            let [a, b, c] = mesh.corners(t);
            let longest = a.distance(b).max(b.distance(c)).max(c.distance(a));
            let n = ((longest / size * STEPS_A_BRUSH).ceil() as u32).clamp(1, MOST_STEPS);
            self.grids.insert(t, (n, self.values.len() as u32));
            self.values.resize(self.values.len() + grid_points(n), self.base);
        }
        for (stroke, dabs) in strokes {
            let weights = self.weights(stroke, dabs, walk);
            let targets: Vec<f32> = match stroke.effect {
                GridEffect::To(value) => vec![value; weights.len()],
                GridEffect::Smooth => {
                    let around =
                        |&(at, _, _): &(MeshPoint, usize, f32)| self.mean_around(at, stroke.course.size, mesh, trace);
                    weights.iter().map(around).collect()
                }
            };
            for ((_, slot, weight), target) in weights.into_iter().zip(targets) {
                let value = &mut self.values[slot];
                *value += (target - *value) * weight * stroke.strength;
            }
        }
    }

    /// Grid points under a stroke: where each lies, its number, and the stroke's weight there.
    fn weights(&self, stroke: &GridStroke, dabs: &[Dab], walk: &SurfaceWalk) -> Vec<(MeshPoint, usize, f32)> {
        let by_dab = dabs.iter().enumerate();
        let mut by_triangle: Vec<(u32, usize)> =
            by_dab.flat_map(|(d, dab)| dab.around.triangles.iter().map(move |&t| (t, d))).collect();
        by_triangle.sort_unstable();
        let mut found = Vec::new();
        for own in by_triangle.chunk_by(|a, b| a.0 == b.0) {
            let t = own[0].0;
            let (n, start) = self.grids[&t];
            for i in 0..=n {
                for j in 0..=n - i {
                    let at = MeshPoint::new(t, i as f32 / n as f32, j as f32 / n as f32);
                    let weight = own.iter().fold(0.0f32, |most, &(_, d)| {
                        let distance = dabs[d].around.at(walk, at);
                        most.max(weight_at(distance, stroke.course.size) * dabs[d].pressure)
                    });
                    if weight > 0.0 {
                        found.push((at, start as usize + grid_at(n, i, j), weight));
                    }
                }
            }
        }
        found
    }

    /// Mean of the values on a ring of a quarter of `size` around a place, along the surface as far as the nearest places of it tell.
    fn mean_around(&self, at: MeshPoint, size: f32, mesh: &Mesh, trace: &TraceScene) -> f32 {
        let (middle, normal) = (mesh.at(at), mesh.face_normal(at.triangle));
        let (right, up) = normal.any_orthonormal_pair();
        let ring = (0..RING).filter_map(|n| {
            let angle = std::f32::consts::TAU * n as f32 / RING as f32;
            let p = middle + (right * libm::cosf(angle) + up * libm::sinf(angle)) * (0.25 * size);
            let faces_alike = |t: u32| mesh.face_normal(t).dot(normal) > -0.5;
            Some(self.at(trace.nearest(p, size, faces_alike)?.at))
        });
        let (sum, count) = ring.fold((self.at(at), 1.0), |(sum, count), value| (sum + value, count + 1.0));
        sum / count
    }
}

/// Places on the ring that smoothing looks at.
const RING: u32 = 8;

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn grid_points_follow_each_other() {
        for n in 1..9 {
            let mut next = 0;
            for i in 0..=n {
                for j in 0..=n - i {
                    assert_eq!(grid_at(n, i, j), next);
                    next += 1;
                }
            }
            assert_eq!(next, grid_points(n));
        }
    }

    #[test]
    fn between_grid_points_weights_run_straight() {
        // A mask that is linear over the triangle comes back everywhere, borders and corners too.
        let linear = |v: f32, w: f32| 0.25 + 0.5 * v + 0.125 * w;
        for n in [1u32, 2, 5, 16] {
            let mut grid = SurfaceGrid::new(0.0);
            grid.grids.insert(3, (n, 0));
            grid.values = vec![0.0; grid_points(n)];
            for i in 0..=n {
                for j in 0..=n - i {
                    grid.values[grid_at(n, i, j)] = linear(i as f32 / n as f32, j as f32 / n as f32);
                }
            }
            for a in 0..=20 {
                for b in 0..=20 - a {
                    let (v, w) = (a as f32 / 20.0, b as f32 / 20.0);
                    let (got, want) = (grid.at(MeshPoint::new(3, v, w)), linear(v, w));
                    assert!((got - want).abs() < 1e-5, "{n} steps at {v}, {w}: {got}, not {want}");
                }
            }
        }
        assert_eq!(SurfaceGrid::new(1.0).at(MeshPoint::new(0, 0.3, 0.3)), 1.0);
    }
}
