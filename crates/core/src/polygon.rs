//! Convex polygons in the plane, cut line by line.

use glam::DVec2;

/// Corners that are kept at most: a triangle may be cut six times, and each cut adds one corner at most.
const MOST_CORNERS: usize = 9;

/// A convex polygon of up to nine corners.
#[derive(Clone, Copy)]
pub(crate) struct Polygon {
    corners: [DVec2; MOST_CORNERS],
    count: usize,
}

impl From<[DVec2; 3]> for Polygon {
    fn from(triangle: [DVec2; 3]) -> Polygon {
        let mut corners = [DVec2::ZERO; MOST_CORNERS];
        corners[..3].copy_from_slice(&triangle);
        Polygon { corners, count: 3 }
    }
}

impl Polygon {
    pub(crate) fn corners(&self) -> &[DVec2] {
        &self.corners[..self.count]
    }

    /// What lies where `depth`, which is linear, is not below zero (Sutherland and Hodgman, "Reentrant polygon clipping", 1974). Empty
    /// where nothing does.
    pub(crate) fn cut(&self, depth: impl Fn(DVec2) -> f64) -> Polygon {
        let mut kept = Polygon { corners: [DVec2::ZERO; MOST_CORNERS], count: 0 };
        let mut keep = |p: DVec2| {
            kept.corners[kept.count] = p;
            kept.count += 1;
        };
        for (i, &p) in self.corners().iter().enumerate() {
            let q = self.corners[(i + 1) % self.count];
            let (dp, dq) = (depth(p), depth(q));
            if dp >= 0.0 {
                keep(p);
            }
            if (dp > 0.0 && dq < 0.0) || (dp < 0.0 && dq > 0.0) {
                keep(p.lerp(q, dp / (dp - dq)));
            }
        }
        kept
    }

    /// What lies in the rectangle from `low` to `high`.
    pub(crate) fn within(&self, low: DVec2, high: DVec2) -> Polygon {
        let across = self.cut(|p| p.x - low.x).cut(|p| high.x - p.x);
        across.cut(|p| p.y - low.y).cut(|p| high.y - p.y)
    }

    /// Twice the area: positive where corners go around from x to y.
    pub(crate) fn twice_area(&self) -> f64 {
        let shape = self.corners();
        (2..shape.len()).map(|i| (shape[i - 1] - shape[0]).perp_dot(shape[i] - shape[0])).sum()
    }

    /// The mean of the corners; meaningless where there is none.
    pub(crate) fn middle(&self) -> DVec2 {
        self.corners().iter().copied().sum::<DVec2>() / self.count as f64
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_lies_in_a_square_has_the_area_of_plane_geometry() {
        let twice = |corners: [[f64; 2]; 3]| {
            Polygon::from(corners.map(DVec2::from_array)).within(DVec2::ZERO, DVec2::splat(10.0)).twice_area()
        };
        assert_eq!(twice([[1.0, 1.0], [4.0, 1.0], [1.0, 5.0]]), 12.0, "all of it");
        assert_eq!(twice([[1.0, 1.0], [1.0, 5.0], [4.0, 1.0]]), -12.0, "the other way around");
        assert_eq!(twice([[-10.0, -10.0], [50.0, -10.0], [-10.0, 50.0]]), 200.0, "the whole square");
        assert_eq!(twice([[0.0, 0.0], [20.0, 0.0], [0.0, 20.0]]), 200.0, "its hypotenuse meets a corner");
        assert_eq!(twice([[5.0, 0.0], [15.0, 0.0], [5.0, 10.0]]), 75.0, "a trapezium of it");
        assert_eq!(twice([[11.0, 0.0], [15.0, 0.0], [11.0, 10.0]]), 0.0, "beside it");
    }

    #[test]
    fn two_triangles_share_a_hexagon() {
        // An equilateral triangle and the same upside down share a regular hexagon of two thirds of the area.
        let at = |turn: f64| DVec2::from_angle(turn * std::f64::consts::TAU / 6.0);
        let (up, down) = ([at(0.0), at(2.0), at(4.0)], [at(1.0), at(3.0), at(5.0)]);
        let shared = (0..3).fold(Polygon::from(up), |shape, i| {
            let (from, to) = (down[i], down[(i + 1) % 3]);
            shape.cut(|p| (to - from).perp_dot(p - from))
        });
        assert_eq!(shared.corners().len(), 6);
        assert!((shared.twice_area() / Polygon::from(up).twice_area() - 2.0 / 3.0).abs() < 1e-12);
        assert!(shared.middle().length() < 1e-12);
    }
}
