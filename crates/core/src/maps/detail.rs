//! The relief that an existing normal map stands for, on the low-poly it belongs to: how open a point of it is and how it
//! bends. For detail that was added after the sculpt, and for maps that came from elsewhere.
//!
//! The map is turned once into slopes: how much the surface rises from a texel to the next. Summed along a line they give
//! heights, without solving for the whole relief; lines end where the UV island ends. What the map cannot know (other islands,
//! the low-poly's own shape) is not here.

use super::finished::{bent_by, gradient, rise};
use super::normal::{Green, decode_normal};
use crate::hits::TileHits;
use crate::layout::find_islands;
use crate::mesh::Mesh;
use crate::picture::Image;
use crate::reach::LowSurface;
use crate::scene::BakeScene;
use crate::surface::MeshPoint;
use glam::{DVec2, DVec3, Vec2, Vec3, dvec2, vec2};
use std::f32::consts::{FRAC_PI_2, PI};
use std::ops::Range;

/// No island at this texel.
const VOID: u32 = u32::MAX;
/// Relief steeper than this is read as this steep.
const STEEPEST: f32 = 20.0;
/// Texels that a line is followed, at most: relief further off hardly counts.
const FURTHEST: f32 = 64.0;
/// Planes through the normal along which the horizon is searched.
const SLICES: usize = 8;

/// A normal map over its low-poly, ready to be asked.
pub struct DetailMap {
    width: i64,
    height: i64,
    islands: Vec<u32>,
    /// Rise to the next texel to the right and to the next one down, scene units.
    slopes: Vec<Vec2>,
    /// Unit normals in object space.
    normals: Vec<Vec3>,
    /// For each low-poly triangle, the way over its surface to the next texel to the right and to the next one down.
    steps: Vec<[Vec3; 2]>,
}

/// A texel of the normal map, on a triangle of the low-poly.
#[derive(Clone, Copy)]
pub(super) struct MapTexel {
    x: i64,
    y: i64,
    triangle: u32,
    island: u32,
}

impl DetailMap {
    /// The relief of a normal map.
    pub(crate) fn new(image: &Image, green: Green, low: &LowSurface) -> DetailMap {
        let width = image.width as usize;
        DetailMap::laid(image.width, image.height, low, |at, point, steps| {
            let rgb = image.texel((at % width) as u32, (at / width) as u32);
            let tangent = decode_normal([rgb[0], rgb[1], rgb[2]], green);
            let own = low.mesh.normal_at(point);
            let bent = low.frame(point).map_or(own, |frame| (frame * tangent).normalize_or(own));
            let up = bent.dot(own).max(1.0 / STEEPEST);
            // Moving along the low surface by `step`, a surface with this normal rises by so much.
            let rise = |step: Vec3| {
                let flat = step - own * step.dot(own);
                (-bent.dot(flat) / up).clamp(-STEEPEST * flat.length(), STEEPEST * flat.length())
            };
            (bent, steps.map(rise).into())
        })
    }

    /// The relief of heights over the low surface, scene units, a number a texel of a square sheet; NaN where nothing lies.
    pub(super) fn of_heights(size: u32, heights: &[f32], low: &LowSurface) -> DetailMap {
        let wide = size as usize;
        DetailMap::laid(size, size, low, |at, point, [right, down]| {
            let (x, y) = (at % wide, at / wide);
            let there = |inside: bool, other: usize| Some(*heights.get(other)?).filter(|h| inside && h.is_finite());
            let here = heights[at];
            let rises = match here.is_finite() {
                true => [
                    rise(there(x > 0, at.wrapping_sub(1)), here, there(x + 1 < wide, at + 1)),
                    rise(there(y > 0, at.wrapping_sub(wide)), here, there(y + 1 < wide, at + wide)),
                ],
                false => [0.0; 2],
            };
            let own = low.mesh.normal_at(point);
            (bent_by(own, own, gradient([right, down], rises)), rises.into())
        })
    }

    /// The relief over every texel whose centre lies on the low-poly; `make` gives normal and slopes of a texel by its number, the point
    /// under it and the steps to its neighbours.
    fn laid(
        width: u32,
        height: u32,
        low: &LowSurface,
        make: impl Fn(usize, MeshPoint, [Vec3; 2]) -> (Vec3, Vec2),
    ) -> DetailMap {
        let mesh = &low.mesh;
        let texels = width as usize * height as usize;
        let island_of = find_islands(mesh).island_of;
        let mut map = DetailMap {
            width: i64::from(width),
            height: i64::from(height),
            islands: vec![VOID; texels],
            slopes: vec![Vec2::ZERO; texels],
            normals: vec![Vec3::Y; texels],
            steps: vec![[Vec3::ZERO; 2]; mesh.triangles.len()],
        };
        let size = dvec2(f64::from(width), f64::from(height));
        for t in 0..mesh.triangles.len() as u32 {
            let Some(steps) = texel_steps(mesh, t, width, height) else { continue };
            let steps = steps.map(|step| step.as_vec3());
            let uvs = mesh.corner_uvs(t).map(|uv| dvec2(f64::from(uv.x), 1.0 - f64::from(uv.y)) * size);
            let area = (uvs[1] - uvs[0]).perp_dot(uvs[2] - uvs[0]);
            map.steps[t as usize] = steps;
            map.fill(island_of[t as usize], uvs, area, |at, v, w| make(at, MeshPoint::new(t, v, w), steps));
        }
        map
    }

    /// Gives every free texel whose centre lies in a triangle its normal and slopes.
    fn fill(&mut self, island: u32, uvs: [DVec2; 3], area: f64, make: impl Fn(usize, f32, f32) -> (Vec3, Vec2)) {
        let low = uvs[0].min(uvs[1]).min(uvs[2]).floor();
        let high = uvs[0].max(uvs[1]).max(uvs[2]).ceil();
        for y in (low.y as i64).max(0)..(high.y as i64).min(self.height) {
            for x in (low.x as i64).max(0)..(high.x as i64).min(self.width) {
                let p = dvec2(x as f64 + 0.5, y as f64 + 0.5) - uvs[0];
                let v = p.perp_dot(uvs[2] - uvs[0]) / area;
                let w = (uvs[1] - uvs[0]).perp_dot(p) / area;
                let at = (y * self.width + x) as usize;
                if v < 0.0 || w < 0.0 || v + w > 1.0 || self.islands[at] != VOID {
                    continue;
                }
                let (normal, slope) = make(at, v as f32, w as f32);
                self.islands[at] = island;
                self.normals[at] = normal;
                self.slopes[at] = slope;
            }
        }
    }

    fn at(&self, x: i64, y: i64, island: u32) -> Option<usize> {
        let inside = x >= 0 && y >= 0 && x < self.width && y < self.height;
        let at = (y * self.width + x) as usize;
        (inside && self.islands[at] == island).then_some(at)
    }

    /// The texel of the map under a point of the low-poly; the nearest one of the same island where the point lies on the rim.
    fn texel(&self, scene: &BakeScene, at: MeshPoint) -> Option<MapTexel> {
        let triangle = at.triangle;
        let uv = at.between(scene.low.mesh.corner_uvs(triangle));
        let (x, y) = ((uv.x * self.width as f32).floor() as i64, ((1.0 - uv.y) * self.height as f32).floor() as i64);
        // The island's number is that of any texel filled by its triangles; the four neighbours help out at the rim.
        for (dx, dy) in [(0, 0), (-1, 0), (1, 0), (0, -1), (0, 1)] {
            let (x, y) = (x + dx, y + dy);
            if x >= 0 && y >= 0 && x < self.width && y < self.height {
                let island = self.islands[(y * self.width + x) as usize];
                if island != VOID {
                    return Some(MapTexel { x, y, triangle, island });
                }
            }
        }
        None
    }

    /// The bent normal in object space at a point of the low-poly; None where the map says nothing.
    pub(super) fn normal(&self, scene: &BakeScene, at: MeshPoint) -> Option<Vec3> {
        let texel = self.texel(scene, at)?;
        self.at(texel.x, texel.y, texel.island).map(|at| self.normals[at])
    }

    /// What `ask` says of a point of the low-poly.
    pub(super) fn at_point(&self, scene: &BakeScene, at: MeshPoint, ask: impl Fn(MapTexel) -> f32) -> f32 {
        self.texel(scene, at).map_or_else(|| self.flat(&ask), &ask)
    }

    /// The mean of `ask` over a texel's samples.
    pub(super) fn mean(
        &self,
        scene: &BakeScene,
        hits: &TileHits,
        samples: Range<usize>,
        ask: impl Fn(MapTexel) -> f32,
    ) -> f32 {
        let (mut sum, mut count, mut last) = (0.0, 0, None);
        for s in samples {
            let Some(texel) = self.texel(scene, hits.low(s)) else { continue };
            // Samples on the same texel of the map need not ask twice.
            let value = match last {
                Some((x, y, value)) if (x, y) == (texel.x, texel.y) => value,
                _ => ask(texel),
            };
            last = Some((texel.x, texel.y, value));
            sum += value;
            count += 1;
        }
        if count == 0 { self.flat(&ask) } else { sum / count as f32 }
    }

    /// What `ask` says of a point the map knows nothing about: an open, flat one.
    fn flat(&self, ask: &impl Fn(MapTexel) -> f32) -> f32 {
        ask(MapTexel { x: -1, y: -1, triangle: 0, island: VOID })
    }

    /// Mean curvature of the relief and the low-poly's shading together, averaged over `size`; 1 / scene units, convex positive.
    ///
    /// H = tr(dn/dP) / 2, by central differences of the normal over a step of `size` each way.
    pub(super) fn curvature(&self, texel: MapTexel, size: f32) -> f32 {
        let Some(here) = self.at(texel.x, texel.y, texel.island) else { return 0.0 };
        let steps = self.steps[texel.triangle as usize];
        let along = |axis: usize| -> Option<(Vec3, Vec3)> {
            let reach = (size / steps[axis].length().max(f32::MIN_POSITIVE)).round().clamp(1.0, FURTHEST) as i64;
            let (dx, dy) = if axis == 0 { (1, 0) } else { (0, 1) };
            let far = |sign: i64| {
                (1..=reach).rev().find_map(|n| {
                    let at = self.at(texel.x + sign * n * dx, texel.y + sign * n * dy, texel.island)?;
                    Some((at, sign * n))
                })
            };
            let (to, from) = (far(1).unwrap_or((here, 0)), far(-1).unwrap_or((here, 0)));
            (to.1 != from.1).then(|| (steps[axis] * (to.1 - from.1) as f32, self.normals[to.0] - self.normals[from.0]))
        };
        let (Some((a, turn_a)), Some((b, turn_b))) = (along(0), along(1)) else { return 0.0 };
        // The trace in the skewed frame of the two steps.
        let (aa, ab, bb) = (a.dot(a), a.dot(b), b.dot(b));
        let det = aa * bb - ab * ab;
        if det <= 1e-12 * aa * bb {
            return 0.0;
        }
        let trace = (bb * turn_a.dot(a) - ab * (turn_a.dot(b) + turn_b.dot(a)) + aa * turn_b.dot(b)) / det;
        0.5 * trace
    }

    /// Share of the cosine-weighted sky that the relief leaves open within `distance`: horizons along slices through the
    /// point, integrated as in Jimenez and others, "Practical Real-Time Strategies for Accurate Indirect Occlusion", 2016.
    pub(super) fn openness(&self, texel: MapTexel, distance: f32) -> f32 {
        let Some(here) = self.at(texel.x, texel.y, texel.island) else { return 1.0 };
        let [right, down] = self.steps[texel.triangle as usize];
        let up = right.cross(down).try_normalize().map(|n| if n.dot(self.normals[here]) < 0.0 { -n } else { n });
        let (Some(up), Some(x_axis)) = (up, right.try_normalize()) else { return 1.0 };
        let y_axis = up.cross(x_axis);
        // Texels per scene unit along the two axes of the tangent plane.
        let skew = vec2(down.dot(x_axis), down.dot(y_axis));
        let (right_length, depth) = (right.length(), skew.y);
        if depth.abs() < f32::MIN_POSITIVE {
            return 1.0;
        }
        let texels = |d: Vec2| {
            let rows = d.y / depth;
            vec2((d.x - rows * skew.x) / right_length, rows)
        };
        let normal = self.normals[here];
        let mut sum = 0.0;
        for slice in 0..SLICES {
            let angle = PI * (slice as f32 + 0.5) / SLICES as f32;
            let d = vec2(libm::cosf(angle), libm::sinf(angle));
            let way = x_axis * d.x + y_axis * d.y;
            let across = up.cross(way);
            let in_slice = normal - across * normal.dot(across);
            let length = in_slice.length();
            if length < 1e-6 {
                continue;
            }
            let lean = libm::atan2f(in_slice.dot(way), in_slice.dot(up));
            let step = texels(d);
            let ahead = FRAC_PI_2 - libm::atanf(self.rise(texel, step, distance));
            let behind = FRAC_PI_2 - libm::atanf(self.rise(texel, -step, distance));
            let ahead = ahead.min(lean + FRAC_PI_2);
            let behind = (-behind).max(lean - FRAC_PI_2);
            let arc = |h: f32| 0.25 * (libm::cosf(lean) - libm::cosf(2.0 * h - lean) + 2.0 * h * libm::sinf(lean));
            sum += length * (arc(ahead) + arc(behind));
        }
        (sum / SLICES as f32).clamp(0.0, 1.0)
    }

    /// The steepest view up along a line: the largest of height over distance within `distance`. `step` is in texels per scene
    /// unit.
    fn rise(&self, texel: MapTexel, step: Vec2, distance: f32) -> f32 {
        let texels_long = (step.abs().max_element() * distance).min(FURTHEST);
        let count = texels_long.ceil().max(1.0) as i64;
        let unit = step / step.abs().max_element().max(f32::MIN_POSITIVE);
        let stride = unit.length() / step.length().max(f32::MIN_POSITIVE);
        let mut height = 0.0;
        let mut steepest = -STEEPEST;
        let Some(mut last) = self.at(texel.x, texel.y, texel.island) else { return 0.0 };
        for n in 1..=count {
            let (x, y) = (texel.x + (unit.x * n as f32).round() as i64, texel.y + (unit.y * n as f32).round() as i64);
            let Some(next) = self.at(x, y, texel.island) else { break };
            height += (self.slopes[last] + self.slopes[next]).dot(unit) * 0.5;
            last = next;
            steepest = f32::max(steepest, height / (n as f32 * stride));
        }
        // A line that ends at once says nothing: level.
        if steepest == -STEEPEST { 0.0 } else { steepest }
    }
}

/// The way over a triangle's surface to the next texel to the right and to the next one down, on a sheet of so many texels to a unit of
/// UV space; None without UV area.
pub(super) fn texel_steps(mesh: &Mesh, triangle: u32, width: u32, height: u32) -> Option<[DVec3; 2]> {
    let size = dvec2(f64::from(width), f64::from(height));
    let uvs = mesh.corner_uvs(triangle).map(|uv| dvec2(f64::from(uv.x), 1.0 - f64::from(uv.y)) * size);
    let [a, b, c] = mesh.corners(triangle).map(|corner| corner.as_dvec3());
    // Position is linear in texels: solve for its two derivatives.
    let (e, f) = (uvs[1] - uvs[0], uvs[2] - uvs[0]);
    let area = e.perp_dot(f);
    let right = (b - a) * f.y - (c - a) * e.y;
    let down = (c - a) * e.x - (b - a) * f.x;
    (area != 0.0).then(|| [right / area, down / area])
}
