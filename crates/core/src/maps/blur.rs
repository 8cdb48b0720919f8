//! A place blurred along the surface: the sharp place is worked out at points spread evenly over the low surface, and a value is the mean of
//! those within the radius, the nearer the more. Nothing of it knows of UVs: the two sides of a seam are one place.
//!
//! Distance is measured through space, and what faces away has no say; so a blur does not go through a thin wall, but goes across a gap
//! between two surfaces that face alike.

use super::Setup;
use super::fan::Rays;
use super::placed::Placed;
use super::survey::Survey;
use crate::finish::PlaceSettings;
use crate::reach::Direction;
use crate::scene::{BakeScene, Beside, KeptBeside};
use crate::surface::MeshPoint;
use glam::Vec3;
use rustc_hash::FxHashMap;

/// Points across the radius.
const ACROSS: f32 = 8.0;
/// Points at most: a radius that would need more is taken over fewer, down to [`LEAST_ACROSS`] across it.
const MOST_POINTS: f32 = 1_000_000.0;
const LEAST_ACROSS: f32 = 1.5;

/// A blurred place.
pub(super) struct SurfaceBlur {
    points: Beside<Points>,
    radius: f32,
}

struct Point {
    position: Vec3,
    /// Averaged direction: the same on both sides of a seam.
    outward: Vec3,
    value: f32,
}

/// Points by the cell of a grid, a radius wide.
struct Points {
    cells: FxHashMap<[i32; 3], Vec<Point>>,
}

impl KeptBeside for Points {
    fn bytes(&self) -> usize {
        self.cells.values().map(|points| 48 + points.len() * size_of::<Point>()).sum()
    }
}

fn cell_of(position: Vec3, radius: f32) -> [i32; 3] {
    (position / radius).to_array().map(|c| c.floor().clamp(-1e9, 1e9) as i32)
}

impl SurfaceBlur {
    /// # Errors
    /// Why the place cannot be made.
    pub fn new(place: &PlaceSettings, radius: f32, setup: &Setup, rays: Rays) -> Result<SurfaceBlur, String> {
        let mesh = &setup.scene.low.mesh;
        let area: f64 = (0..mesh.triangles.len() as u32).map(|t| 0.5 * f64::from(mesh.area_normal(t).length())).sum();
        let count = (area as f32 * (ACROSS / radius).powi(2)).min(MOST_POINTS);
        let spacing = (area as f32 / count.max(1.0)).sqrt();
        let radius = radius.max(LEAST_ACROSS * spacing);
        let count = count.max(16.0) as usize;
        let used = place.masks_used(setup.masks);
        let name = format!("blur {place:?} {radius} {rays:?} {used:?} {:?} {}", setup.id, setup.rays_key);
        // Asked for first, as what it needs is kept with the scene too.
        let sharp = Placed::place(place, setup, rays)?;
        let survey = Survey::spread(setup, count)?;
        let make = || {
            let values = survey.values(&sharp, setup);
            let mut cells: FxHashMap<[i32; 3], Vec<Point>> = FxHashMap::default();
            for (at, value) in survey.places().zip(values).filter(|(_, value)| value.is_finite()) {
                let surface = setup.scene.low.point(at, Direction::Averaged);
                let point = Point { position: surface.position, outward: surface.outward, value };
                cells.entry(cell_of(point.position, radius)).or_default().push(point);
            }
            if (setup.stop)() { Err(crate::stop::Stopped) } else { Ok(Points { cells }) }
        };
        let points = setup.scene.kept_beside(name, make).map_err(|stopped| stopped.to_string())?;
        Ok(SurfaceBlur { points, radius })
    }

    /// The mean around a place of the low surface.
    pub fn at(&self, scene: &BakeScene, at: MeshPoint) -> f32 {
        let surface = scene.low.point(at, Direction::Averaged);
        let [x, y, z] = cell_of(surface.position, self.radius);
        let per_square = 1.0 / (self.radius * self.radius);
        let (mut sum, mut all) = (0.0f64, 0.0f64);
        let mut nearest = (f32::INFINITY, 0.0);
        for cell in (-1..=1).flat_map(|k| (-1..=1).flat_map(move |j| (-1..=1).map(move |i| [x + i, y + j, z + k]))) {
            for point in self.points.cells.get(&cell).into_iter().flatten() {
                let far = point.position.distance_squared(surface.position) * per_square;
                let alike = point.outward.dot(surface.outward);
                if alike <= 0.0 {
                    continue;
                }
                if far < nearest.0 {
                    nearest = (far, point.value);
                }
                if far < 1.0 {
                    let weight = f64::from((1.0 - far) * (1.0 - far) * alike);
                    sum += weight * f64::from(point.value);
                    all += weight;
                }
            }
        }
        if all > 0.0 { (sum / all) as f32 } else { nearest.1 }
    }
}
