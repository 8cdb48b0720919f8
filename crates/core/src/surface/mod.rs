//! What every room above measures in: places on a mesh, values between the corners of a triangle, distances in scene units.

mod angle;
mod axis;
mod difference;
mod distance;
mod place;

pub use angle::degrees_between;
pub use axis::Axis;
pub use difference::Difference;
pub use distance::Distance;
pub use place::{MeshPoint, nearest_on_triangle};
