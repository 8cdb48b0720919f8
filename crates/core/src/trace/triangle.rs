//! The watertight ray-triangle test of Woop, Benthin and Wald, "Watertight Ray/Triangle Intersection", JCGT 2(1), 2013:
//! a ray that meets a shared edge or vertex hits at least one of the triangles there.

use glam::Vec3A;

/// A ray made ready for many triangle tests: the axis it runs along most, and the shear that lays it on that axis.
#[derive(Clone, Copy)]
pub(super) struct ShearedRay {
    origin: [f32; 3],
    axes: [usize; 3],
    shear: [f32; 3],
}

/// A candidate hit: distance along the ray (in units of the direction's length), barycentric weights of the second and
/// third corner, and whether the triangle's back was met.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) struct TriangleHit {
    pub t: f32,
    pub v: f32,
    pub w: f32,
    pub back: bool,
}

impl ShearedRay {
    pub(super) fn new(origin: Vec3A, direction: Vec3A) -> Self {
        let d = direction.to_array();
        let along = (0..3).max_by(|&a, &b| d[a].abs().total_cmp(&d[b].abs())).unwrap_or(2);
        let (mut kx, mut ky) = ((along + 1) % 3, (along + 2) % 3);
        // Swapping keeps the winding of projected triangles when the ray runs down the axis.
        if d[along] < 0.0 {
            std::mem::swap(&mut kx, &mut ky);
        }
        ShearedRay {
            origin: origin.to_array(),
            axes: [kx, ky, along],
            shear: [d[kx] / d[along], d[ky] / d[along], 1.0 / d[along]],
        }
    }

    /// Tests one triangle, given as nine floats. No distance limits are applied here.
    #[inline(always)]
    pub(super) fn test(&self, corners: &[f32; 9]) -> Option<TriangleHit> {
        let [kx, ky, kz] = self.axes;
        let [sx, sy, sz] = self.shear;
        let at = |corner: usize, axis: usize| corners[corner * 3 + axis] - self.origin[axis];
        let (az, bz, cz) = (at(0, kz), at(1, kz), at(2, kz));
        let (ax, ay) = (at(0, kx) - sx * az, at(0, ky) - sy * az);
        let (bx, by) = (at(1, kx) - sx * bz, at(1, ky) - sy * bz);
        let (cx, cy) = (at(2, kx) - sx * cz, at(2, ky) - sy * cz);
        let mut u = cx * by - cy * bx;
        let mut v = ax * cy - ay * cx;
        let mut w = bx * ay - by * ax;
        // On an edge exactly: decide in double precision, as the paper does.
        if u == 0.0 || v == 0.0 || w == 0.0 {
            let cross = |px: f32, qy: f32, py: f32, qx: f32| {
                (f64::from(px) * f64::from(qy) - f64::from(py) * f64::from(qx)) as f32
            };
            u = cross(cx, by, cy, bx);
            v = cross(ax, cy, ay, cx);
            w = cross(bx, ay, by, ax);
        }
        if (u < 0.0 || v < 0.0 || w < 0.0) && (u > 0.0 || v > 0.0 || w > 0.0) {
            return None;
        }
        let det = u + v + w;
        if det == 0.0 {
            return None;
        }
        let inverse = 1.0 / det;
        let t = (u * (sz * az) + v * (sz * bz) + w * (sz * cz)) * inverse;
        // A counter-clockwise triangle that faces the ray has a positive determinant in this projection.
        Some(TriangleHit { t, v: v * inverse, w: w * inverse, back: det < 0.0 })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const FACING_UP: [f32; 9] = [0.0, 0.0, 0.0, 1.0, 0.0, 0.0, 0.0, 0.0, -1.0];

    #[test]
    fn distance_weights_and_side_are_those_of_the_triangle() {
        let down = ShearedRay::new(Vec3A::new(0.25, 2.0, -0.5), Vec3A::NEG_Y);
        let hit = down.test(&FACING_UP).expect("the ray passes through the triangle");
        assert_eq!((hit.t, hit.v, hit.w, hit.back), (2.0, 0.25, 0.5, false));
        let up = ShearedRay::new(Vec3A::new(0.25, -3.0, -0.5), Vec3A::Y);
        let hit = up.test(&FACING_UP).expect("the ray passes through the triangle");
        assert_eq!((hit.t, hit.back), (3.0, true));
    }

    #[test]
    fn a_ray_beside_the_triangle_misses() {
        for (x, z) in [(-0.01, -0.5), (0.6, -0.5), (0.5, 0.01)] {
            let ray = ShearedRay::new(Vec3A::new(x, 1.0, z), Vec3A::NEG_Y);
            assert_eq!(ray.test(&FACING_UP), None, "at {x}, {z}");
        }
    }

    #[test]
    fn a_direction_that_is_not_unit_scales_the_distance() {
        let ray = ShearedRay::new(Vec3A::new(0.25, 2.0, -0.25), Vec3A::new(0.0, -4.0, 0.0));
        assert_eq!(ray.test(&FACING_UP).map(|h| h.t), Some(0.5));
    }
}
