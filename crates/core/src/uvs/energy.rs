//! The symmetric Dirichlet energy of a piece laid on the sheet: over its surface σ₁² + σ₂² + σ₁⁻² + σ₂⁻², with the singular values
//! of the map from surface to sheet (Smith and Schaefer, "Bijective Parameterization with Free Boundaries", 2015); 4 where
//! lengths are kept. Its second derivative is known by eigenvalues and can be made positive exactly (Smith, de Goes and Kim, "Analytic
//! Eigensystems for Isotropic Distortion Energies", 2019, section 5.1).

use super::cholesky::{Blocks, Pattern};
use glam::{DMat2, DVec2, DVec3};

/// Faces flatter than this (height over longest side) are taken as this high: what they look like on the sheet is nobody's loss.
const LEAST_HEIGHT: f64 = 1e-4;
/// Of the eigenvalue that belongs to turning: keeps steps bounded.
const LEAST_TURN: f64 = 1e-3;

/// A face at rest: lengths of the surface in a frame of its own.
#[derive(Clone, Copy)]
pub(super) struct Rest {
    /// Derivatives of the map by the three corners are these vectors times the corners on the sheet.
    pub by: [DVec2; 3],
    pub area: f64,
}

impl Rest {
    /// From corners on the surface, times `scale`.
    pub(super) fn new(corners: [DVec3; 3], scale: f64) -> Rest {
        let [p, q, r] = corners;
        // From the longest side on, so that a face without area has a height to be given.
        let sides = [(q - p).length_squared(), (r - q).length_squared(), (p - r).length_squared()];
        let k = (0..3).fold(0, |best, i| if sides[i] > sides[best] { i } else { best });
        let turned: [DVec3; 3] = std::array::from_fn(|i| corners[(i + k) % 3]);
        let side = turned[1] - turned[0];
        let length = side.length().max(1e-30);
        let along = side / length;
        let to = turned[2] - turned[0];
        let x = to.dot(along).clamp(0.0, length);
        let height = (to - along * to.dot(along)).length().max(LEAST_HEIGHT * length);
        let (length, x, height) = (length * scale, x * scale, height * scale);
        // Inverse of the columns (length, 0) and (x, height).
        let (one, two) = (DVec2::new(1.0 / length, -x / (length * height)), DVec2::new(0.0, 1.0 / height));
        let mut by = [DVec2::ZERO; 3];
        by[(1 + k) % 3] = one;
        by[(2 + k) % 3] = two;
        by[k % 3] = -one - two;
        Rest { by, area: 0.5 * length * height }
    }

    /// The map from surface to sheet.
    pub(super) fn map(&self, corners: [DVec2; 3]) -> DMat2 {
        let column = |k: usize| (0..3).fold(DVec2::ZERO, |sum, i| sum + corners[i] * self.by[i][k]);
        DMat2::from_cols(column(0), column(1))
    }

    /// Energy times area; infinite where the face is flipped or has no area on the sheet.
    pub(super) fn energy(&self, corners: [DVec2; 3]) -> f64 {
        let map = self.map(corners);
        let det = map.determinant();
        if det <= 0.0 {
            return f64::INFINITY;
        }
        let squares = map.x_axis.length_squared() + map.y_axis.length_squared();
        self.area * squares * (1.0 + 1.0 / (det * det))
    }

    /// First derivative by the corners, and vectors whose outer products, summed, are the second one made positive.
    pub(super) fn derivatives(&self, corners: [DVec2; 3]) -> ([DVec2; 3], [[DVec2; 3]; 4]) {
        let map = self.map(corners);
        let (a, c, b, d) = (map.x_axis.x, map.x_axis.y, map.y_axis.x, map.y_axis.y);
        let (e, f, g, h) = ((a + d) * 0.5, (a - d) * 0.5, (c + b) * 0.5, (c - b) * 0.5);
        let (q, r) = (e.hypot(h), f.hypot(g));
        let (s, t) = (q + r, (q - r).max(1e-300));
        let (one, two) = (g.atan2(f), h.atan2(e));
        let (theta, phi) = ((two - one) * 0.5, (two + one) * 0.5);
        let (u1, u2) = (DVec2::from_angle(phi), DVec2::from_angle(phi).perp());
        let (v1, v2) = (DVec2::new(theta.cos(), -theta.sin()), DVec2::new(theta.sin(), theta.cos()));
        let push = |x: f64| 2.0 * x - 2.0 / (x * x * x);
        let (ps, pt) = (push(s), push(t));
        let first = self.by.map(|b| (u1 * (ps * v1.dot(b)) + u2 * (pt * v2.dot(b))) * self.area);
        let cubes = (s * t).powi(3);
        let values = [
            2.0 + 6.0 / s.powi(4),
            2.0 + 6.0 / t.powi(4),
            (2.0 - 2.0 * (s * s - s * t + t * t) / cubes).max(LEAST_TURN),
            2.0 + 2.0 * (s * s + s * t + t * t) / cubes,
        ];
        let half = std::f64::consts::FRAC_1_SQRT_2;
        let roots = values.map(|v| (v * self.area).sqrt());
        let vectors = [
            self.by.map(|b| u1 * (v1.dot(b) * roots[0])),
            self.by.map(|b| u2 * (v2.dot(b) * roots[1])),
            self.by.map(|b| (u2 * v1.dot(b) - u1 * v2.dot(b)) * (half * roots[2])),
            self.by.map(|b| (u2 * v1.dot(b) + u1 * v2.dot(b)) * (half * roots[3])),
        ];
        (first, vectors)
    }
}

/// A piece of surface to be laid flat: points, faces, and which entries its matrices have.
pub(super) struct Piece {
    pub triangles: Vec<[u32; 3]>,
    pub rest: Vec<Rest>,
    pub pattern: Pattern,
    /// Where in the pattern each face's off-diagonal entries stand: 01, 10, 12, 21, 20, 02.
    entries: Vec<[u32; 6]>,
}

impl Piece {
    /// `places` in scene units; the sheet is `scale` units a scene unit.
    pub(super) fn new(places: &[DVec3], triangles: Vec<[u32; 3]>, scale: f64) -> Piece {
        let pattern = Pattern::new(places.len(), &triangles);
        let rest = triangles.iter().map(|t| Rest::new(t.map(|p| places[p as usize]), scale)).collect();
        let entry = |a: u32, b: u32| pattern.place(a, b) as u32;
        let entries = triangles
            .iter()
            .map(|&[a, b, c]| [entry(a, b), entry(b, a), entry(b, c), entry(c, b), entry(c, a), entry(a, c)])
            .collect();
        Piece { triangles, rest, pattern, entries }
    }

    pub(super) fn area(&self) -> f64 {
        self.rest.iter().map(|r| r.area).sum()
    }

    /// Mean over the surface: 4 where lengths are kept; infinite with a flipped face.
    pub(super) fn energy(&self, uvs: &[DVec2]) -> f64 {
        self.total(uvs) / self.area()
    }

    pub(super) fn total(&self, uvs: &[DVec2]) -> f64 {
        self.triangles.iter().zip(&self.rest).map(|(t, rest)| rest.energy(t.map(|p| uvs[p as usize]))).sum()
    }

    /// Adds a face's outer product of `vectors` to a matrix.
    pub(super) fn add(&self, matrix: &mut Blocks, face: usize, vectors: &[[DVec2; 3]]) {
        let [a, b, c] = self.triangles[face].map(|p| p as usize);
        let outer = |i: usize, j: usize| {
            vectors.iter().fold(DMat2::ZERO, |sum, v| sum + DMat2::from_cols(v[i] * v[j].x, v[i] * v[j].y))
        };
        for (point, i) in [(a, 0), (b, 1), (c, 2)] {
            matrix.own[point] += outer(i, i);
        }
        for (side, (i, j)) in [(0, 1), (1, 2), (2, 0)].into_iter().enumerate() {
            let block = outer(i, j);
            matrix.with[self.entries[face][2 * side] as usize] += block;
            matrix.with[self.entries[face][2 * side + 1] as usize] += block.transpose();
        }
    }
}
