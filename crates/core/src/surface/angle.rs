//! Angles between directions.

use glam::Vec3;

/// Degrees between two unit vectors; exact where they are close, as an arc cosine is not (Kahan, "How Futile are Mindless Assessments of
/// Roundoff in Floating-Point Computation?", 2006, section 12).
pub fn degrees_between(a: Vec3, b: Vec3) -> f32 {
    let (a, b) = (a.as_dvec3(), b.as_dvec3());
    2.0 * libm::atan2((a - b).length(), (a + b).length()).to_degrees() as f32
}
