//! The soft ball that curvature is averaged over: weight (1 - d²/R²)² at distance d of its middle, none beyond R. Its integrals over
//! flat polygons and straight lines are closed, so that what is large beside the ball needs no cutting up.

use glam::DVec3;

/// A ball of weights.
#[derive(Clone, Copy)]
pub(super) struct Ball {
    pub middle: DVec3,
    pub radius: f64,
}

impl Ball {
    /// Mean weight over a triangle that is no larger than the ball, by Dunavant's six points ("High degree efficient symmetrical
    /// Gaussian quadrature rules for the triangle", 1985): exact within the ball, near enough where its edge passes.
    pub fn mean_over_triangle(&self, [a, b, c]: [DVec3; 3]) -> f64 {
        let per_square = 1.0 / (self.radius * self.radius);
        let weight = |at: DVec3| {
            let share = (1.0 - at.distance_squared(self.middle) * per_square).max(0.0);
            share * share
        };
        let sum: DVec3 = a + b + c;
        let three = |out: f64| {
            // Weights of the corners: `out` for one, what is left for the other two alike.
            let rest = (1.0 - out) * 0.5;
            [a, b, c].map(|corner| weight(sum * rest + corner * (out - rest))).into_iter().sum::<f64>()
        };
        0.223_381_589_678_011 * three(0.108_103_018_168_070) + 0.109_951_743_655_322 * three(0.816_847_572_980_459)
    }

    /// Integral of the weight along a line, scene units.
    pub fn over_line(&self, from: DVec3, to: DVec3) -> f64 {
        let Some(along) = (to - from).try_normalize() else { return 0.0 };
        let (start, end) = ((from - self.middle).dot(along), (to - self.middle).dot(along));
        // What is left of R² beyond the line's own distance.
        let room = self.radius * self.radius - ((from - self.middle) - along * start).length_squared();
        if room <= 0.0 {
            return 0.0;
        }
        let (low, high) = (start.max(-room.sqrt()), end.min(room.sqrt()));
        if low >= high {
            return 0.0;
        }
        // (room - s²)², integrated.
        let up_to = |s: f64| s * (room * room + s * s * (s * s / 5.0 - room * 2.0 / 3.0));
        (up_to(high) - up_to(low)) / self.radius.powi(4)
    }

    /// Integral of the weight over a flat convex polygon with unit normal `normal`, square scene units.
    ///
    /// In the plane the weight is (a - r²)²/R⁴ within r² < a about the foot of the middle. Integrated outward from the foot it is
    /// (a³ - (a - r²)³)/6R⁴, so what is left is an integral over the angle along each edge: of a polynomial where the edge runs
    /// inside the disc, of a constant outside.
    pub fn over_polygon(&self, corners: &[DVec3], normal: DVec3) -> f64 {
        let height = (corners[0] - self.middle).dot(normal);
        let a = self.radius * self.radius - height * height;
        if a <= 0.0 {
            return 0.0;
        }
        let foot = self.middle + normal * height;
        let mut sum = 0.0;
        for (i, &from) in corners.iter().enumerate() {
            let (p, q) = (from - foot, corners[(i + 1) % corners.len()] - foot);
            let Some(along) = (q - p).try_normalize() else { continue };
            let h = p.cross(along).dot(normal);
            let (start, end) = (p.dot(along), q.dot(along));
            let inside = (a - h * h).max(0.0).sqrt();
            let (low, high) = (start.clamp(-inside, inside), end.clamp(-inside, inside));
            let (c0, c2) = (3.0 * a * a - 3.0 * a * h * h + h.powi(4), 2.0 * h * h - 3.0 * a);
            let up_to = |s: f64| s * (c0 + s * s * (c2 / 3.0 + s * s / 5.0));
            sum += h * (up_to(high) - up_to(low));
            let turn =
                |from: f64, to: f64| if from < to { libm::atan2(h * (to - from), h * h + from * to) } else { 0.0 };
            sum += a.powi(3) * (turn(start, end.min(low)) + turn(start.max(high), end));
        }
        sum.abs() / (6.0 * self.radius.powi(4))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use glam::dvec3;

    impl Ball {
        fn weight(&self, at: DVec3) -> f64 {
            let share = 1.0 - at.distance_squared(self.middle) / (self.radius * self.radius);
            share.max(0.0).powi(2)
        }
    }

    /// By a fine grid over the unit square.
    fn summed(ball: &Ball, at: impl Fn(f64, f64) -> Option<DVec3>, area: f64) -> f64 {
        let n = 1000;
        let places =
            (0..n * n).map(|i| ((f64::from(i % n) + 0.5) / f64::from(n), (f64::from(i / n) + 0.5) / f64::from(n)));
        places.filter_map(|(x, y)| at(x, y)).map(|p| ball.weight(p)).sum::<f64>() * area / f64::from(n * n)
    }

    #[test]
    fn integrals_over_lines_and_polygons_are_those_of_a_sum() {
        let corners = [dvec3(0.1, 0.2, 0.3), dvec3(1.3, 0.1, -0.2), dvec3(0.4, 1.2, 0.5)];
        let [a, b, c] = corners;
        let normal = (b - a).cross(c - a);
        let inside = |x: f64, y: f64| (x + y < 1.0).then(|| a + (b - a) * x + (c - a) * y);
        let middles = [
            a,
            a.lerp(b, 0.5),
            (a + b + c) / 3.0,
            (a + b + c) / 3.0 + normal * 0.2,
            dvec3(2.0, 0.5, 0.0),
            dvec3(-0.1, -0.1, 0.2),
        ];
        for middle in middles {
            for radius in [0.05, 0.3, 0.9, 4.0] {
                let ball = Ball { middle, radius };
                let by_sum = summed(&ball, inside, normal.length());
                let exact = ball.over_polygon(&corners, normal.normalize());
                let turned = ball.over_polygon(&[c, b, a], -normal.normalize());
                assert!(
                    (exact - by_sum).abs() < 2e-3 * (radius * radius).min(1.0),
                    "{middle} {radius}: {exact} {by_sum}"
                );
                assert!((exact - turned).abs() < 1e-12);
                let line = ball.over_line(a, b);
                let by_sum: f64 = (0..10_000)
                    .map(|i| ball.weight(a.lerp(b, (f64::from(i) + 0.5) / 10_000.0)) * a.distance(b) / 10_000.0)
                    .sum();
                assert!((line - by_sum).abs() < 1e-5, "{middle} {radius}: {line} {by_sum}");
            }
        }
        // The six points: exact where the ball holds all of the triangle.
        let ball = Ball { middle: (a + b + c) / 3.0, radius: 2.0 };
        let exact = ball.over_polygon(&corners, normal.normalize()) / (normal.length() * 0.5);
        assert!((ball.mean_over_triangle(corners) - exact).abs() < 1e-9);
        // A whole disc within the polygon: the integral of (1 - r²)² over the unit disc is pi/3.
        let square = [dvec3(-2.0, -2.0, 0.0), dvec3(2.0, -2.0, 0.0), dvec3(2.0, 2.0, 0.0), dvec3(-2.0, 2.0, 0.0)];
        let whole = Ball { middle: DVec3::ZERO, radius: 1.0 }.over_polygon(&square, DVec3::Z);
        assert!((whole - std::f64::consts::FRAC_PI_3).abs() < 1e-12);
    }
}
