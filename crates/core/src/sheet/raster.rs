//! Which triangle each sample of each texel lies in. Edges are decided exactly (Shewchuk's orientation predicate) with a
//! top-left rule, so two triangles that share an edge share no sample and lose none. A texel that a triangle only
//! grazes, between the samples, still gets one sample at the nearest inside point: slivers do not drop out.

use super::tiles::Tile;
use crate::mesh::Mesh;
use crate::polygon::Polygon;
use crate::surface::MeshPoint;
use glam::{DVec2, dvec2};
use robust::{Coord, orient2d};
use std::ops::Index;

/// A low-poly triangle in texel space (x right, y down, units of texels), wound so that its signed area is positive.
#[derive(Clone, Copy, Debug)]
pub struct SheetTriangle {
    pub triangle: u32,
    pub corners: [DVec2; 3],
    /// True when the UVs were mirrored: then corners 1 and 2 stand swapped here.
    pub swapped: bool,
}

/// All triangles of a mesh laid on a sheet, and for each tile row those that may touch it.
pub struct SheetTriangles {
    pub size: u32,
    pub triangles: Vec<SheetTriangle>,
}

impl SheetTriangles {
    /// Lays the UVs of some of a mesh's triangles on a sheet of `size` texels per side that shows a unit square of UV space, named
    /// by its lower left corner in whole UV units. Triangles without UV area are left out.
    pub fn new(mesh: &Mesh, size: u32, square: (i32, i32), triangles: impl IntoIterator<Item = u32>) -> SheetTriangles {
        if mesh.uvs.is_empty() {
            return SheetTriangles { size, triangles: Vec::new() };
        }
        let scale = f64::from(size);
        let (left, bottom) = (f64::from(square.0), f64::from(square.1));
        let triangles = triangles
            .into_iter()
            .filter_map(|t| {
                let place = |uv: glam::Vec2| {
                    dvec2((f64::from(uv.x) - left) * scale, (1.0 - (f64::from(uv.y) - bottom)) * scale)
                };
                let [a, b, c] = mesh.corner_uvs(t).map(place);
                match side(a, b, c) {
                    s if s > 0.0 => Some(SheetTriangle { triangle: t, corners: [a, b, c], swapped: false }),
                    s if s < 0.0 => Some(SheetTriangle { triangle: t, corners: [a, c, b], swapped: true }),
                    _ => None,
                }
            })
            .collect();
        SheetTriangles { size, triangles }
    }

    /// All triangles of a mesh on the unit square.
    pub fn of_mesh(mesh: &Mesh, size: u32) -> SheetTriangles {
        SheetTriangles::new(mesh, size, (0, 0), 0..mesh.triangles.len() as u32)
    }

    /// For each tile, the triangles whose bounding box touches it, in ascending order.
    pub fn bin(&self, tiles: &[Tile]) -> Candidates {
        let across = self.size.div_ceil(super::TILE) as usize;
        let mut starts = vec![0u32; across * across + 1];
        let last = i64::from(self.size) - 1;
        let cells_of = |t: &SheetTriangle| {
            let low = t.corners[0].min(t.corners[1]).min(t.corners[2]).floor();
            let high = t.corners[0].max(t.corners[1]).max(t.corners[2]).floor();
            if high.x < 0.0 || high.y < 0.0 || low.x > last as f64 || low.y > last as f64 {
                return None;
            }
            let cell = |x: f64| (x as i64).clamp(0, last) as usize / super::TILE as usize;
            let (across_it, up_it) = (cell(low.x)..=cell(high.x), cell(low.y)..=cell(high.y));
            Some(up_it.flat_map(move |y| across_it.clone().map(move |x| y * across + x)))
        };
        let mut place_of = vec![0u32; across * across];
        for (number, tile) in tiles.iter().enumerate() {
            place_of[(tile.y / super::TILE) as usize * across + (tile.x / super::TILE) as usize] = number as u32;
        }
        for cell in self.triangles.iter().filter_map(cells_of).flatten() {
            starts[place_of[cell] as usize + 1] += 1;
        }
        for at in 1..starts.len() {
            starts[at] += starts[at - 1];
        }
        let mut next = starts.clone();
        let mut of = vec![0; starts.last().map_or(0, |all| *all as usize)];
        for (number, triangle) in self.triangles.iter().enumerate() {
            for cell in cells_of(triangle).into_iter().flatten() {
                let slot = &mut next[place_of[cell] as usize];
                of[*slot as usize] = number as u32;
                *slot += 1;
            }
        }
        Candidates { starts, of }
    }
}

/// For each tile of a sheet, the triangles that may lie on it, in ascending order.
#[derive(Clone, Debug, PartialEq)]
pub struct Candidates {
    starts: Vec<u32>,
    of: Vec<u32>,
}

impl Candidates {
    /// Bytes it holds in memory.
    pub fn bytes(&self) -> usize {
        4 * (self.starts.len() + self.of.len())
    }

    /// Tile by tile.
    pub fn iter(&self) -> impl Iterator<Item = &[u32]> + '_ {
        self.starts.windows(2).map(|ends| &self.of[ends[0] as usize..ends[1] as usize])
    }
}

impl Index<usize> for Candidates {
    type Output = [u32];

    fn index(&self, tile: usize) -> &[u32] {
        &self.of[self.starts[tile] as usize..self.starts[tile + 1] as usize]
    }
}

/// The samples of one tile, grouped by texel: the samples of the tile's texel `i` are `starts[i]..starts[i + 1]`.
#[derive(Clone, Debug, Default)]
pub struct TileSamples {
    pub starts: Vec<u32>,
    /// Where each sample lies on the low-poly.
    pub places: Vec<MeshPoint>,
}

impl TileSamples {
    /// Bytes it holds in memory.
    pub fn bytes(&self) -> usize {
        4 * self.starts.len() + size_of::<MeshPoint>() * self.places.len()
    }

    pub fn len(&self) -> usize {
        self.places.len()
    }

    pub fn is_empty(&self) -> bool {
        self.places.is_empty()
    }
}

/// Twice the signed area of a, b, c; exact in sign. Positive when they turn from +x towards +y (clockwise on screen).
fn side(a: DVec2, b: DVec2, c: DVec2) -> f64 {
    let coord = |p: DVec2| Coord { x: p.x, y: p.y };
    orient2d(coord(a), coord(b), coord(c))
}

/// Whether a point exactly on the edge a -> b belongs to the triangle on its positive side. Of the two triangles that
/// share the edge (and run along it in opposite ways), exactly one says yes.
fn owns_edge(a: DVec2, b: DVec2) -> bool {
    let d = b - a;
    d.y > 0.0 || (d.y == 0.0 && d.x < 0.0)
}

/// What a square of texels is to a triangle.
#[derive(Clone, Copy, PartialEq)]
enum Square {
    Outside,
    /// Every point of it lies in the triangle.
    Inside,
    /// Some may.
    Edge,
}

/// A triangle's edges as plain arithmetic, with room for its rounding: only what is close goes to the exact test.
struct Edges<'a> {
    triangle: &'a SheetTriangle,
    /// Edge `i` at (x, y) is `at[i] + x * x_step[i] + y * y_step[i]`: positive inside, in square texels.
    at: [f64; 3],
    x_step: [f64; 3],
    y_step: [f64; 3],
    room: f64,
}

impl<'a> Edges<'a> {
    fn new(triangle: &'a SheetTriangle) -> Self {
        let (mut at, mut x_step, mut y_step) = ([0.0; 3], [0.0; 3], [0.0; 3]);
        // Points asked about lie in tiles that the triangle's box touches, so no further out than its corners and a tile.
        let mut largest = 0.0f64;
        for i in 0..3 {
            let (a, b) = (triangle.corners[i], triangle.corners[(i + 1) % 3]);
            let along = b - a;
            x_step[i] = -along.y;
            y_step[i] = along.x;
            at[i] = along.y * a.x - along.x * a.y;
            largest = largest.max(a.abs().max_element());
        }
        largest += f64::from(super::TILE);
        // Products of two coordinates, each rounded by half a unit in the last place, a handful of times.
        Edges { triangle, at, x_step, y_step, room: 64.0 * f64::EPSILON * largest * largest }
    }

    #[inline]
    fn edge(&self, i: usize, x: f64, y: f64) -> f64 {
        self.at[i] + x * self.x_step[i] + y * self.y_step[i]
    }

    /// The square from (x, y), `width` by `height` texels.
    #[inline]
    fn square(&self, x: f64, y: f64, width: f64, height: f64) -> Square {
        let mut inside = true;
        for i in 0..3 {
            let first = self.edge(i, x, y);
            let (across, down) = (self.x_step[i] * width, self.y_step[i] * height);
            if first + across.max(0.0) + down.max(0.0) < -self.room {
                return Square::Outside;
            }
            inside &= first + across.min(0.0) + down.min(0.0) > self.room;
        }
        if inside { Square::Inside } else { Square::Edge }
    }

    #[inline]
    fn holds(&self, p: DVec2) -> bool {
        (0..3).all(|i| {
            let plain = self.edge(i, p.x, p.y);
            if plain.abs() > self.room {
                return plain > 0.0;
            }
            let (a, b) = (self.triangle.corners[i], self.triangle.corners[(i + 1) % 3]);
            let s = side(a, b, p);
            s > 0.0 || (s == 0.0 && owns_edge(a, b))
        })
    }
}

impl SheetTriangle {
    /// Weights of the mesh triangle's second and third corner at `p`.
    fn weights(&self, p: DVec2) -> (f32, f32) {
        let [a, b, c] = self.corners;
        let area = (b - a).perp_dot(c - a);
        let at_b = (p - a).perp_dot(c - a) / area;
        let at_c = (b - a).perp_dot(p - a) / area;
        let (v, w) = if self.swapped { (at_c, at_b) } else { (at_b, at_c) };
        (v.clamp(0.0, 1.0) as f32, w.clamp(0.0, 1.0) as f32)
    }

    /// The point of the triangle, cut to the texel whose top-left corner is (x, y), that lies nearest to its centre.
    /// None when the triangle does not reach into the texel's interior.
    fn nearest_in_texel(&self, x: f64, y: f64) -> Option<DVec2> {
        let cut = Polygon::from(self.corners).within(dvec2(x, y), dvec2(x + 1.0, y + 1.0));
        if cut.twice_area() <= 1e-12 {
            return None;
        }
        let shape = cut.corners();
        let centre = dvec2(x + 0.5, y + 0.5);
        let nearest = (0..shape.len())
            .map(|i| nearest_on_segment(centre, shape[i], shape[(i + 1) % shape.len()]))
            .min_by(|p, q| p.distance_squared(centre).total_cmp(&q.distance_squared(centre)))?;
        // Pulled a hair towards the middle of the shape, so that rounding cannot push it out of the triangle.
        Some(nearest.lerp(cut.middle(), 1e-3))
    }
}

fn nearest_on_segment(p: DVec2, a: DVec2, b: DVec2) -> DVec2 {
    let along = b - a;
    let length = along.length_squared();
    if length == 0.0 { a } else { a.lerp(b, ((p - a).dot(along) / length).clamp(0.0, 1.0)) }
}

/// Finds the samples of one tile. `candidates` are numbers into `sheet.triangles`; where islands overlap, the earlier
/// triangle wins. `pattern` comes from [`super::sample_pattern`].
pub fn rasterise_tile(sheet: &SheetTriangles, candidates: &[u32], tile: &Tile, pattern: &[[f64; 2]]) -> TileSamples {
    let per_texel = pattern.len();
    let width = tile.width as usize;
    let mut owner = vec![u32::MAX; tile.texels() * per_texel];
    let mut grazed: Vec<(u32, u32)> = Vec::new();
    for &number in candidates {
        let t = &sheet.triangles[number as usize];
        let edges = Edges::new(t);
        let (left, top) = (f64::from(tile.x), f64::from(tile.y));
        if edges.square(left, top, tile.width.into(), tile.height.into()) == Square::Outside {
            continue;
        }
        let low = t.corners[0].min(t.corners[1]).min(t.corners[2]).floor();
        let high = t.corners[0].max(t.corners[1]).max(t.corners[2]).floor();
        let x0 = (low.x - left).max(0.0) as usize;
        let y0 = (low.y - top).max(0.0) as usize;
        let x1 = (high.x - left).min(f64::from(tile.width) - 1.0);
        let y1 = (high.y - top).min(f64::from(tile.height) - 1.0);
        if x1 < 0.0 || y1 < 0.0 {
            continue;
        }
        for y in y0..=y1 as usize {
            for x in x0..=x1 as usize {
                let texel = y * width + x;
                let corner = dvec2(left + x as f64, top + y as f64);
                let slots = &mut owner[texel * per_texel..(texel + 1) * per_texel];
                match edges.square(corner.x, corner.y, 1.0, 1.0) {
                    Square::Outside => {}
                    Square::Inside => slots.iter_mut().for_each(|slot| *slot = (*slot).min(number)),
                    Square::Edge => {
                        let mut any = false;
                        for (slot, offset) in slots.iter_mut().zip(pattern) {
                            if edges.holds(corner + dvec2(offset[0], offset[1])) {
                                any = true;
                                *slot = (*slot).min(number);
                            }
                        }
                        if !any {
                            grazed.push((texel as u32, number));
                        }
                    }
                }
            }
        }
    }
    gather(sheet, tile, pattern, &owner, grazed)
}

fn gather(
    sheet: &SheetTriangles,
    tile: &Tile,
    pattern: &[[f64; 2]],
    owner: &[u32],
    mut grazed: Vec<(u32, u32)>,
) -> TileSamples {
    let width = tile.width as usize;
    let corner_of =
        |texel: usize| dvec2(f64::from(tile.x) + (texel % width) as f64, f64::from(tile.y) + (texel / width) as f64);
    grazed.sort_unstable();
    let mut next_grazed = grazed.iter().peekable();
    let mut out = TileSamples { starts: vec![0], ..TileSamples::default() };
    for texel in 0..tile.texels() {
        let corner = corner_of(texel);
        let before = out.len();
        for (s, offset) in pattern.iter().enumerate() {
            let number = owner[texel * pattern.len() + s];
            if number != u32::MAX {
                let t = &sheet.triangles[number as usize];
                out.push(t, corner + dvec2(offset[0], offset[1]));
            }
        }
        while let Some(&(_, number)) = next_grazed.next_if(|g| g.0 as usize == texel) {
            let t = &sheet.triangles[number as usize];
            if out.len() == before
                && let Some(p) = t.nearest_in_texel(corner.x, corner.y)
            {
                out.push(t, p);
            }
        }
        out.starts.push(out.len() as u32);
    }
    out
}

impl TileSamples {
    fn push(&mut self, t: &SheetTriangle, p: DVec2) {
        let (v, w) = t.weights(p);
        self.places.push(MeshPoint::new(t.triangle, v, w));
    }
}
