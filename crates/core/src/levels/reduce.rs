//! A sculpt reduced to a low-poly: edges are collapsed where the surface moves least, measured by quadrics (Garland and Heckbert,
//! "Surface Simplification Using Quadric Error Metrics", 1997; carried out by meshoptimizer), until few enough triangles are left or the
//! surface would move too far. Borders of parts and of materials stay, as both of their sides move together.

use super::half::{both, half};
use super::off::Off;
use crate::mesh::{Draft, DraftPart, Mesh, NO_MATERIAL, normals_by_angle, weld};
use crate::surface::{Axis, Difference};
use glam::Vec3;
use meshopt::{SimplifyOptions, VertexDataAdapter};
use rustc_hash::FxHashMap;

/// How far a sculpt is reduced.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum ReduceTo {
    /// To at most so many triangles.
    Triangles(usize),
    /// As long as the surface moves no further than this, scene units.
    Error(f32),
}

/// How a sculpt is reduced.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct ReduceSettings {
    pub to: ReduceTo,
    /// Edges where faces meet at more than so many degrees are kept as edges, and shade hard.
    pub sharp: Option<f32>,
    /// The result is its own mirror image across this axis: the half of rising coordinates is reduced, and stands on both sides.
    pub symmetric: Option<Axis>,
    /// 1: only where the surface lies counts, and so its outline. Less: which way it faces counts too, and flat detail is kept at the
    /// cost of outlines.
    pub silhouette: f32,
}

impl Default for ReduceSettings {
    fn default() -> Self {
        ReduceSettings { to: ReduceTo::Triangles(1000), sharp: None, symmetric: None, silhouette: 1.0 }
    }
}

/// A low-poly made of a sculpt.
#[derive(Clone, Debug)]
pub struct Reduced {
    /// Without UVs.
    pub mesh: Mesh,
    /// From the sculpt's points to the low-poly, scene units; measured as [`Off`] does.
    pub off: Difference,
    /// Fewer triangles were asked for than its borders and edges allow.
    pub short: bool,
}

/// Why a sculpt cannot be reduced.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum ReduceFault {
    #[error("{0}")]
    Settings(String),
    #[error(
        "nothing of it lies on the side of rising {0}; move it so that its plane of symmetry goes through the origin"
    )]
    OneSided(char),
    #[error("nothing is left of it at {0}; ask for more triangles, or a smaller error")]
    Nothing(String),
}

/// Points this near to the plane of symmetry lie on it, as a share of the diagonal.
const ON_PLANE: f32 = 1e-6;
/// Weight of a normal's components beside positions that are scaled to one, where only they count.
const MOST_FACING: f32 = 1.0;
/// More than any surface can move, in shares of its size.
const NO_LIMIT: f32 = 1e6;
/// Larger sculpts are thinned slab by slab first: collapsing takes several times the memory of what is collapsed.
const AT_ONCE: usize = 1_000_000;
/// Triangles of a slab.
const OF_SLAB: usize = 400_000;
/// What slabs leave: this many times what is asked for, and this share of their own triangles, at least.
const SPARE: f64 = 3.0;
const LEAST_LEFT: f64 = 0.1;
/// The share of an error that may be spent in slabs.
const SPENT_IN_SLABS: f32 = 0.25;

/// Triangles over points of one group each: of one part and material.
#[derive(Default)]
pub(super) struct Soup {
    pub positions: Vec<Vec3>,
    /// Of each point.
    pub groups: Vec<u32>,
    pub triangles: Vec<[u32; 3]>,
}

impl Soup {
    pub fn add(&mut self, at: Vec3, group: u32) -> u32 {
        self.positions.push(at);
        self.groups.push(group);
        self.positions.len() as u32 - 1
    }

    /// What these corners of it make.
    fn of_corners(&self, corners: &[u32]) -> Soup {
        let mut kept = Soup::default();
        let mut number = vec![u32::MAX; self.positions.len()];
        let mut triangles = corners.as_chunks::<3>().0.to_vec();
        for v in triangles.as_flattened_mut() {
            let slot = &mut number[*v as usize];
            if *slot == u32::MAX {
                *slot = kept.add(self.positions[*v as usize], self.groups[*v as usize]);
            }
            *v = *slot;
        }
        Soup { triangles, ..kept }
    }

    /// The same without triangles that lie back to back on the same points: what was between them is gone.
    fn without_folds(mut self) -> Soup {
        let sorted = |triangle: &[u32; 3]| {
            let mut points = *triangle;
            points.sort_unstable();
            points
        };
        let mut times: FxHashMap<[u32; 3], u32> = FxHashMap::default();
        self.triangles.iter().for_each(|triangle| *times.entry(sorted(triangle)).or_default() += 1);
        self.triangles.retain(|triangle| times[&sorted(triangle)] == 1);
        self
    }
}

/// Makes a low-poly of a sculpt.
///
/// # Errors
/// A setting that is out of range, or that leaves nothing of the sculpt.
pub fn reduce(sculpt: &Mesh, settings: &ReduceSettings) -> Result<Reduced, ReduceFault> {
    check(settings)?;
    let split = settings.sharp.map(|degrees| normals_by_angle(welded(sculpt), degrees));
    let source = split.as_ref().unwrap_or(sculpt);
    let groups = Groups::of(source);
    // What was split has its vertices apart where it is sharp.
    let soup = match split {
        Some(_) => groups.soup(source, None),
        None => groups.soup(source, Some(&weld(source).point_of)),
    };
    let (low, high) = sculpt.bounds();
    let diagonal = low.distance(high);
    let soup = match settings.symmetric {
        Some(axis) => half(&soup, axis, 0.0, ON_PLANE * diagonal),
        None => soup,
    };
    if soup.triangles.is_empty() {
        let axis = settings.symmetric.map_or('x', |axis| ['x', 'y', 'z'][axis as usize]);
        return Err(ReduceFault::OneSided(axis));
    }
    let (wanted, fewer) = match settings.to {
        ReduceTo::Triangles(count) => (if settings.symmetric.is_some() { count / 2 } else { count }, true),
        ReduceTo::Error(_) => (0, false),
    };
    let soup = if soup.triangles.len() > AT_ONCE { in_slabs(soup, wanted, settings) } else { soup };
    let corners = soup.triangles.as_flattened();
    let left = collapse(&soup, corners, &Limit::of(settings.to, wanted), settings.silhouette);
    let thinned = soup.of_corners(&left).without_folds();
    let short = fewer && thinned.triangles.len() > wanted;
    let whole = match settings.symmetric {
        Some(axis) => both(thinned, axis, 0.0),
        None => thinned,
    };
    let draft = groups.draft(source, &whole);
    let mesh = draft.finish().map_err(|_| ReduceFault::Nothing(words(settings.to)))?;
    let mesh = normals_by_angle(mesh, settings.sharp.unwrap_or(180.0));
    let off = Off::of(sculpt, &mesh).difference;
    Ok(Reduced { mesh, off, short })
}

fn words(to: ReduceTo) -> String {
    match to {
        ReduceTo::Triangles(count) => format!("{count} triangles"),
        ReduceTo::Error(error) => format!("an error of {error}"),
    }
}

fn check(settings: &ReduceSettings) -> Result<(), ReduceFault> {
    let fault = |text: String| Err(ReduceFault::Settings(text));
    match settings.to {
        ReduceTo::Triangles(count) if count < 4 => {
            return fault(format!("{count} triangles hold nothing; 4 or more are needed"));
        }
        ReduceTo::Error(error) if !error.is_finite() || error <= 0.0 => {
            return fault(format!("an error of {error}; it is a distance above 0 in scene units"));
        }
        _ => {}
    }
    if let Some(degrees) = settings.sharp.filter(|degrees| !(1.0..=180.0).contains(degrees)) {
        return fault(format!("edges sharper than {degrees} degrees; it may be 1 to 180"));
    }
    if !(0.0..=1.0).contains(&settings.silhouette) {
        return fault(format!("a silhouette weight of {}; it may be 0 to 1", settings.silhouette));
    }
    Ok(())
}

/// The mesh with one vertex a point.
fn welded(mesh: &Mesh) -> Mesh {
    let points = weld(mesh);
    let mut positions = vec![Vec3::ZERO; points.points];
    mesh.positions.iter().zip(&points.point_of).for_each(|(at, point)| positions[*point as usize] = *at);
    Mesh {
        normals: vec![Vec3::ZERO; positions.len()],
        positions,
        triangles: mesh.triangles.iter().map(|t| t.map(|v| points.point_of[v as usize])).collect(),
        parts: mesh.parts.clone(),
        materials: mesh.materials.clone(),
        triangle_materials: mesh.triangle_materials.clone(),
        ..Mesh::default()
    }
}

/// Triangles by part and material.
struct Groups {
    /// Part and material of each.
    names: Vec<(usize, u32)>,
    /// Of each triangle; empty where there is one group.
    of: Vec<u32>,
}

impl Groups {
    fn of(mesh: &Mesh) -> Groups {
        let mut numbers: FxHashMap<(usize, u32), u32> = FxHashMap::default();
        let mut groups = Groups { names: Vec::new(), of: Vec::with_capacity(mesh.triangles.len()) };
        for (number, part) in mesh.parts.iter().enumerate() {
            for t in part.triangles.clone() {
                let material = mesh.triangle_materials.get(t as usize).copied().unwrap_or(NO_MATERIAL);
                let names = &mut groups.names;
                groups.of.push(*numbers.entry((number, material)).or_insert_with(|| {
                    names.push((number, material));
                    names.len() as u32 - 1
                }));
            }
        }
        if groups.names.len() == 1 {
            groups.of = Vec::new();
        }
        groups
    }

    fn group(&self, triangle: u32) -> u32 {
        self.of.get(triangle as usize).copied().unwrap_or(0)
    }

    /// The mesh over points, where each group has points of its own: what two share lies in one place twice, and moves as one.
    fn soup(&self, mesh: &Mesh, point_of: Option<&[u32]>) -> Soup {
        let mut sorted: Vec<u32> = (0..self.of.len() as u32).collect();
        sorted.sort_by_key(|t| self.of[*t as usize]);
        let all = 0..if sorted.is_empty() { mesh.triangles.len() as u32 } else { 0 };
        let order = all.chain(sorted);
        // The vertex that stands for a point in the group at hand.
        let mut stands = vec![(u32::MAX, 0u32); mesh.positions.len()];
        let mut soup = Soup { triangles: Vec::with_capacity(mesh.triangles.len()), ..Soup::default() };
        for t in order {
            let group = self.group(t);
            let triangle = mesh.triangles[t as usize].map(|vertex| {
                let point = point_of.map_or(vertex, |points| points[vertex as usize]);
                let slot = &mut stands[point as usize];
                if slot.0 != group {
                    *slot = (group, soup.add(mesh.positions[vertex as usize], group));
                }
                slot.1
            });
            let [a, b, c] = triangle;
            if a != b && b != c && a != c {
                soup.triangles.push(triangle);
            }
        }
        soup
    }

    /// What is left, with the names of its parts and materials.
    fn draft(&self, mesh: &Mesh, soup: &Soup) -> Draft {
        let part = |&(part, material): &(usize, u32)| DraftPart {
            name: mesh.parts[part].name.clone(),
            material: mesh.materials.get(material as usize).cloned(),
            ..DraftPart::default()
        };
        let mut parts: Vec<DraftPart> = self.names.iter().map(part).collect();
        for triangle in &soup.triangles {
            parts[soup.groups[triangle[0] as usize] as usize].indices.extend(triangle);
        }
        parts.retain(|part| !part.indices.is_empty());
        // Normals are made once it is whole; without any, a mesh is split where it is sharp.
        let normals = vec![Vec3::ZERO; soup.positions.len()];
        Draft { positions: soup.positions.clone(), normals, parts, ..Draft::default() }
    }
}

/// When collapsing ends.
struct Limit {
    triangles: usize,
    /// How far the surface may move, scene units; None where the count alone decides.
    error: Option<f32>,
    /// Borders stay as they are.
    locked: bool,
}

impl Limit {
    fn of(to: ReduceTo, wanted: usize) -> Limit {
        match to {
            ReduceTo::Triangles(_) => Limit { triangles: wanted, error: None, locked: false },
            ReduceTo::Error(error) => Limit { triangles: 0, error: Some(error), locked: false },
        }
    }
}

/// The corners of `corners` that are left.
fn collapse(soup: &Soup, corners: &[u32], limit: &Limit, silhouette: f32) -> Vec<u32> {
    let mut options =
        if corners.len() < 3 * soup.triangles.len() { SimplifyOptions::Sparse } else { SimplifyOptions::None };
    if limit.locked {
        options |= SimplifyOptions::LockBorder;
    }
    if limit.error.is_some() {
        options |= SimplifyOptions::ErrorAbsolute;
    }
    let (target, most) = (3 * limit.triangles, limit.error.unwrap_or(NO_LIMIT));
    let bytes = meshopt::typed_to_bytes(&soup.positions);
    match VertexDataAdapter::new(bytes, size_of::<Vec3>(), 0) {
        Err(_) => corners.to_vec(),
        Ok(vertices) if silhouette >= 1.0 => meshopt::simplify(corners, &vertices, target, most, options, None),
        Ok(vertices) => {
            let facing: Vec<f32> = facing(soup, corners).iter().flat_map(|n| n.to_array()).collect();
            let weights = [MOST_FACING * (1.0 - silhouette); 3];
            let free = vec![false; soup.positions.len()];
            let stride = 3 * size_of::<f32>();
            meshopt::simplify_with_attributes_and_locks(
                corners, &vertices, &facing, &weights, stride, &free, target, most, options, None,
            )
        }
    }
}

/// A large sculpt thinned slab by slab along its longest side, each with its borders as they are.
fn in_slabs(soup: Soup, wanted: usize, settings: &ReduceSettings) -> Soup {
    let count = soup.triangles.len();
    let share = (SPARE * wanted as f64 / count as f64).max(LEAST_LEFT);
    if share >= 1.0 {
        return soup;
    }
    let low = soup.positions.iter().fold(Vec3::INFINITY, |low, p| low.min(*p));
    let high = soup.positions.iter().fold(Vec3::NEG_INFINITY, |high, p| high.max(*p));
    let along = (high - low).max_position();
    let place = |triangle: &[u32; 3]| soup.positions[triangle[0] as usize][along];
    // Slabs of about as many triangles each, told from every hundredth.
    let mut places: Vec<f32> = soup.triangles.iter().step_by(100).map(place).collect();
    places.sort_unstable_by(f32::total_cmp);
    let slabs = count.div_ceil(OF_SLAB);
    let borders: Vec<f32> = (1..slabs).map(|slab| places[slab * places.len() / slabs]).collect();
    let mut left = Vec::new();
    for slab in 0..slabs {
        let within = |triangle: &&[u32; 3]| borders.partition_point(|border| *border <= place(triangle)) == slab;
        let corners: Vec<u32> = soup.triangles.iter().filter(within).flatten().copied().collect();
        let error = Limit::of(settings.to, wanted).error.map(|error| error * SPENT_IN_SLABS);
        let triangles = if error.is_some() { 0 } else { (share * corners.len() as f64 / 3.0) as usize };
        left.extend(collapse(&soup, &corners, &Limit { triangles, error, locked: true }, settings.silhouette));
    }
    soup.of_corners(&left)
}

/// The way that the surface faces at each point, by area.
fn facing(soup: &Soup, corners: &[u32]) -> Vec<Vec3> {
    let mut facing = vec![Vec3::ZERO; soup.positions.len()];
    for triangle in corners.as_chunks::<3>().0 {
        let [a, b, c] = triangle.map(|v| soup.positions[v as usize]);
        triangle.iter().for_each(|v| facing[*v as usize] += (b - a).cross(c - a));
    }
    facing.iter_mut().for_each(|n| *n = n.normalize_or_zero());
    facing
}
