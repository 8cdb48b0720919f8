//! A seeded family of shapes for measuring how well reaches are fitted: concave, thin, nearly touching and stepped ones. A shape's
//! sculpt is its low-poly, finely divided and moved along the averaged directions by a known height, so that for any point
//! the right answer is known: the height itself. They are not sample assets.

use ember_ridge_core::glam::{Vec2, Vec3, vec2, vec3};
use ember_ridge_core::mesh::{angle_weighted_directions, normals_by_angle, triangulate_polygon};
use ember_ridge_core::trace::{BackFaces, RaySpan, TraceScene};
use ember_ridge_core::{Mesh, Part};
use std::f32::consts::FRAC_PI_6;

/// A shape: what it is, its low-poly, its sculpt, and the height of the sculpt over points of the low-poly.
pub struct Shape {
    pub name: String,
    pub low: Mesh,
    pub high: Mesh,
    relief: Relief,
}

/// A ball of radius 1 of about `2 * around * around` triangles, its surface rough by `height`, unwrapped by longitude and latitude: a
/// dense low-poly or sculpt for measuring how cost grows.
pub fn dense_ball(around: usize, height: f32) -> Mesh {
    let mut mesh = Mesh { uv_sets: 1, ..Mesh::default() };
    for down in 0..=around {
        for along in 0..=around {
            let (u, v) = (along as f32 / around as f32, down as f32 / around as f32);
            let (longitude, latitude) = (u * std::f32::consts::TAU, v * std::f32::consts::PI);
            let out = vec3(latitude.sin() * longitude.cos(), latitude.cos(), -latitude.sin() * longitude.sin());
            let rough = (out.x * 40.0).sin() * (out.y * 37.0).sin() * (out.z * 43.0).sin();
            mesh.positions.push(out * (1.0 + height * rough));
            mesh.normals.push(out);
            mesh.uvs.push(vec2(u, 1.0 - v));
        }
    }
    let at = |along: usize, down: usize| (down * (around + 1) + along) as u32;
    for down in 0..around {
        for along in 0..around {
            let [a, b] = [at(along, down), at(along + 1, down)];
            let [c, d] = [at(along + 1, down + 1), at(along, down + 1)];
            mesh.triangles.extend([[a, c, b], [a, d, c]]);
        }
    }
    mesh.parts = vec![Part { name: "ball".into(), triangles: 0..mesh.triangles.len() as u32 }];
    if height > 0.0 { normals_by_angle(mesh, 180.0) } else { mesh }
}

/// How many shapes the family has.
pub const FAMILY: u32 = 20;

/// Each triangle of a low-poly is cut into the square of so many.
const DIVISION: u32 = 48;

/// Numbers from a seed (SplitMix64, Steele, Lea and Flood 2014), 0 to 1.
struct Dice(u64);

impl Dice {
    fn roll(&mut self) -> f32 {
        self.0 = self.0.wrapping_add(0x9e37_79b9_7f4a_7c15);
        let mut z = self.0;
        z = (z ^ (z >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
        z = (z ^ (z >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
        ((z ^ (z >> 31)) >> 40) as f32 / (1u32 << 24) as f32
    }

    fn between(&mut self, low: f32, high: f32) -> f32 {
        low + (high - low) * self.roll()
    }
}

/// Raised and sunken spots with flat tops, over a slow swell.
struct Relief {
    spots: Vec<(Vec3, f32, f32)>,
    swell: f32,
    phase: f32,
}

impl Relief {
    fn height(&self, p: Vec3) -> f32 {
        let swell = self.swell * ((p.x * 7.0 + self.phase).sin() + (p.y * 6.0).sin() + (p.z * 5.0 + self.phase).sin());
        let spot = |&(middle, radius, height): &(Vec3, f32, f32)| {
            let x = (p.distance(middle) / radius).min(1.0);
            // Flat to three quarters, then down a steep side.
            let side = ((1.0 - x) / 0.25).min(1.0);
            height * side * side * (3.0 - 2.0 * side)
        };
        swell + self.spots.iter().map(spot).sum::<f32>()
    }
}

/// A prism of a polygon (counter-clockwise), from z = 0 to `deep`.
fn prism(outline: &[Vec2], deep: f32, part: &str, mesh: &mut Mesh) {
    let first = mesh.triangles.len() as u32;
    let base = mesh.positions.len() as u32;
    let n = outline.len() as u32;
    for z in [0.0, deep] {
        mesh.positions.extend(outline.iter().map(|p| vec3(p.x, p.y, z)));
    }
    for i in 0..n {
        let (a, b) = (base + i, base + (i + 1) % n);
        mesh.triangles.extend([[a, b, b + n], [a, b + n, a + n]]);
    }
    let corners: Vec<Vec3> = outline.iter().map(|p| vec3(p.x, p.y, 0.0)).collect();
    for [a, b, c] in triangulate_polygon(&corners) {
        let [a, b, c] = [a, b, c].map(|i| base + i);
        mesh.triangles.extend([[a + n, b + n, c + n], [c, b, a]]);
    }
    mesh.parts.push(Part { name: part.to_owned(), triangles: first..mesh.triangles.len() as u32 });
}

fn rectangle(x: f32, y: f32, w: f32, h: f32) -> Vec<Vec2> {
    vec![vec2(x, y), vec2(x + w, y), vec2(x + w, y + h), vec2(x, y + h)]
}

/// A comb: a back with teeth, gaps between them.
fn comb(dice: &mut Dice, teeth: u32) -> Vec<Vec2> {
    let (back, tooth, gap) = (dice.between(0.08, 0.15), dice.between(0.02, 0.05), dice.between(0.03, 0.07));
    let tall = dice.between(0.3, 0.6);
    let wide = teeth as f32 * tooth + (teeth - 1) as f32 * gap;
    let top = back + tall;
    let mut outline = vec![vec2(0.0, 0.0), vec2(wide, 0.0), vec2(wide, top)];
    for i in (0..teeth).rev() {
        let left = i as f32 * (tooth + gap);
        outline.push(vec2(left, top));
        if i > 0 {
            outline.extend([vec2(left, back), vec2(left - gap, back), vec2(left - gap, top)]);
        }
    }
    outline
}

fn stairs(dice: &mut Dice, steps: u32) -> Vec<Vec2> {
    let mut outline = vec![vec2(0.0, 0.0)];
    let (mut x, mut y) = (dice.between(0.6, 0.9), 0.0);
    outline.push(vec2(x, 0.0));
    for _ in 0..steps {
        y += dice.between(0.08, 0.2);
        outline.push(vec2(x, y));
        x -= x / (steps as f32 + 1.0);
        outline.push(vec2(x, y));
    }
    outline.push(vec2(0.0, y));
    outline
}

/// Each triangle into `n * n`, joined at points of one place.
fn divided(low: &Mesh, n: u32) -> (Vec<Vec3>, Vec<Vec3>, Vec<[u32; 3]>) {
    let directions = angle_weighted_directions(low);
    let (mut positions, mut along, mut triangles) = (Vec::new(), Vec::new(), Vec::new());
    for (t, corners) in low.triangles.iter().enumerate() {
        let [a, b, c] = low.corners(t as u32);
        let [x, y, z] = corners.map(|v| directions[v as usize]);
        let base = positions.len() as u32;
        let at = |i: u32, j: u32| base + i * (n + 1) - i * (i.max(1) - 1) / 2 + j;
        for i in 0..=n {
            for j in 0..=n - i {
                let (v, w) = (i as f32 / n as f32, j as f32 / n as f32);
                positions.push(a + (b - a) * v + (c - a) * w);
                along.push((x + (y - x) * v + (z - x) * w).normalize_or_zero());
                if i + j < n {
                    triangles.push([at(i, j), at(i + 1, j), at(i, j + 1)]);
                }
                if i + j + 1 < n {
                    triangles.push([at(i + 1, j), at(i + 1, j + 1), at(i, j + 1)]);
                }
            }
        }
    }
    (positions, along, triangles)
}

/// Number `number` of the family, 0 to [`FAMILY`] - 1.
pub fn shape(number: u32) -> Shape {
    let mut dice = Dice(0xe4be_0000 + u64::from(number));
    let mut low = Mesh::default();
    let kind = ["concave", "thin", "nearly touching", "stepped"][number as usize % 4];
    match number % 4 {
        0 => {
            let teeth = 2 + (dice.roll() * 3.0) as u32;
            let outline = comb(&mut dice, teeth);
            prism(&outline, dice.between(0.25, 0.5), "comb", &mut low);
        }
        1 => {
            // Plates one behind the other, thin, with air between them.
            let mut y = 0.0;
            for i in 0..2 + (dice.roll() * 2.0) as u32 {
                let thick = dice.between(0.025, 0.05);
                prism(&rectangle(0.0, y, 1.0, thick), dice.between(0.6, 0.9), &format!("plate_{i}"), &mut low);
                y += thick + dice.between(0.08, 0.25);
            }
        }
        2 => {
            let mut x = 0.0;
            for i in 0..2 + (dice.roll() * 3.0) as u32 {
                let (wide, tall) = (dice.between(0.12, 0.35), dice.between(0.3, 0.7));
                prism(&rectangle(x, 0.0, wide, tall), dice.between(0.3, 0.6), &format!("block_{i}"), &mut low);
                x += wide + dice.between(0.012, 0.04);
            }
        }
        _ => {
            let steps = 2 + (dice.roll() * 4.0) as u32;
            let (outline, deep) = (stairs(&mut dice, steps), dice.between(0.3, 0.6));
            prism(&outline, deep, "stairs", &mut low);
            // A thin rail before the lowest step: who looks from far misses the step and finds the rail.
            let air = dice.between(0.02, 0.05);
            let rail = rectangle(outline[1].x + air, 0.0, dice.between(0.012, 0.03), outline[2].y);
            prism(&rail, deep, "rail", &mut low);
        }
    }
    low.normals = vec![Vec3::Y; low.positions.len()];
    let low = normals_by_angle(low, 40.0);
    let relief = relief_over(&low, &mut dice);
    let (mut positions, along, triangles) = divided(&low, DIVISION);
    for (p, d) in positions.iter_mut().zip(&along) {
        *p += *d * relief.height(*p);
    }
    let mut high = Mesh { positions, triangles, ..Mesh::default() };
    high.normals = vec![Vec3::Y; high.positions.len()];
    high.parts = vec![Part { name: "sculpt".into(), triangles: 0..high.triangles.len() as u32 }];
    let high = normals_by_angle(high, 60.0);
    Shape { name: format!("{number:02} {kind}"), low, high, relief }
}

/// Spots on the low-poly, each as high or as deep as there is room for: not into the next wall, not through the own one.
fn relief_over(low: &Mesh, dice: &mut Dice) -> Relief {
    let tree = TraceScene::new(low);
    let every = vec![true; low.parts.len()];
    let size = low.diagonal();
    let mut relief = Relief { spots: Vec::new(), swell: size * 0.0012, phase: dice.between(0.0, 6.0) };
    let mut left = 400;
    while relief.spots.len() < 26 && left > 0 {
        left -= 1;
        let t = ((dice.roll() * low.triangles.len() as f32) as u32).min(low.triangles.len() as u32 - 1);
        let (mut v, mut w) = (dice.roll(), dice.roll());
        if v + w > 1.0 {
            (v, w) = (1.0 - v, 1.0 - w);
        }
        let [a, b, c] = low.corners(t);
        let middle = a + (b - a) * v + (c - a) * w;
        let normal = low.face_normal(t);
        let radius = size * dice.between(0.02, 0.06);
        let raised = dice.roll() < 0.7;
        let wished = size * if raised { dice.between(0.01, 0.15) } else { dice.between(0.01, 0.03) };
        // The least room over the whole spot, looked at from points around it.
        let (x, y) = ((b - a).normalize_or_zero(), normal.cross((b - a).normalize_or_zero()));
        let room = (0..13).map(|i| {
            let (turn, out) = (i as f32 * FRAC_PI_6, if i == 0 { 0.0 } else { radius });
            let from = middle + (x * turn.cos() + y * turn.sin()) * out;
            let way = if raised { normal } else { -normal };
            let span = RaySpan { origin: from + way * size * 1e-4, direction: way, length: size };
            tree.closest(&span, &every, BackFaces::Keep).hit.map_or(size, |h| h.t)
        });
        let height = wished.min(room.fold(f32::INFINITY, f32::min) * 0.35);
        // Spots keep apart, so that heights do not add up, and reach no face but their own.
        let crowded = relief.spots.iter().any(|(p, r, _)| p.distance(middle) < r + radius);
        let inside = [(a, b), (b, c), (c, a)].iter().all(|&(p, q)| {
            let along = (q - p).normalize_or_zero();
            let off = middle - p;
            (off - along * off.dot(along)).length() > radius
        });
        if height > size * 0.002 && !crowded && inside {
            relief.spots.push((middle, radius, if raised { height } else { -height }));
        }
    }
    relief
}

impl Shape {
    /// Where the sculpt lies over a point of the low-poly along its averaged direction, scene units.
    pub fn height(&self, point: Vec3) -> f32 {
        self.relief.height(point)
    }

    /// Whether a triangle of the sculpt was made of a triangle of the low-poly, or of one that has a point in common with it.
    pub fn belongs(&self, high: u32, low: u32) -> bool {
        let own = high / (DIVISION * DIVISION);
        let (a, b) = (self.low.corners(own), self.low.corners(low));
        own == low || a.iter().any(|p| b.contains(p))
    }
}
