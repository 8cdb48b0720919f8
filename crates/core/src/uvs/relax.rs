//! Lays a piece with the least symmetric Dirichlet energy by projected Newton steps that never flip a face.

use super::cholesky::{Blocks, Factor, Symbolic};
use super::energy::Piece;
use glam::{DMat2, DVec2};

/// Ends where a step gains less than this share of the energy.
const ENOUGH: f64 = 1e-4;

/// Moves `uvs`, which flip no face, to less energy; points that are `held` stay where they are. `watch` hears the mean energy after each step; the
/// last is the result, infinite where a face is flipped at the start.
pub(super) fn relax(
    piece: &Piece,
    uvs: &mut [DVec2],
    held: &[bool],
    symbolic: &Symbolic,
    most_steps: usize,
    watch: &dyn Fn(f64),
) -> f64 {
    let area = piece.area();
    let mut total = piece.total(uvs);
    if !total.is_finite() {
        return f64::INFINITY;
    }
    // Moved as a whole nothing changes: one point stays.
    let mut fixed = held.to_vec();
    if !fixed.contains(&true) && !fixed.is_empty() {
        fixed[0] = true;
    }
    for _ in 0..most_steps {
        let (slope, matrix) = derivatives(piece, uvs, &fixed);
        let Some(factor) = Factor::new(symbolic, &piece.pattern, &matrix) else {
            break;
        };
        let step = factor.solve(symbolic, &slope);
        let gain: f64 = slope.iter().zip(&step).map(|(s, d)| s.dot(*d)).sum();
        let mut by = (0.9 * furthest(piece, uvs, &step)).min(1.0);
        let start = uvs.to_vec();
        loop {
            for (uv, (from, step)) in uvs.iter_mut().zip(start.iter().zip(&step)) {
                *uv = *from - *step * by;
            }
            let now = piece.total(uvs);
            if now <= total - 1e-4 * by * gain {
                watch(now / area);
                let gained = total - now;
                total = now;
                if gained < ENOUGH * now {
                    return total / area;
                }
                break;
            }
            by *= 0.5;
            if by < 1e-10 {
                uvs.copy_from_slice(&start);
                return total / area;
            }
        }
    }
    total / area
}

/// First derivative, and the second made positive; held points have neither.
fn derivatives(piece: &Piece, uvs: &[DVec2], fixed: &[bool]) -> (Vec<DVec2>, Blocks) {
    let mut slope = vec![DVec2::ZERO; uvs.len()];
    let mut matrix = Blocks::zero(&piece.pattern);
    for (face, (triangle, rest)) in piece.triangles.iter().zip(&piece.rest).enumerate() {
        let (first, mut vectors) = rest.derivatives(triangle.map(|p| uvs[p as usize]));
        for (i, &point) in triangle.iter().enumerate() {
            if fixed[point as usize] {
                vectors.iter_mut().for_each(|v| v[i] = DVec2::ZERO);
            } else {
                slope[point as usize] += first[i];
            }
        }
        piece.add(&mut matrix, face, &vectors);
    }
    for (own, fixed) in matrix.own.iter_mut().zip(fixed) {
        if *fixed {
            *own = DMat2::IDENTITY;
        }
    }
    (slope, matrix)
}

/// How far along `-step` the first face loses its area.
pub(super) fn furthest(piece: &Piece, uvs: &[DVec2], step: &[DVec2]) -> f64 {
    let mut furthest = f64::INFINITY;
    for t in &piece.triangles {
        let [p, q, r] = t.map(|i| uvs[i as usize]);
        let [dp, dq, dr] = t.map(|i| -step[i as usize]);
        let (e, f, de, df) = (q - p, r - p, dq - dp, dr - dp);
        // Twice the area is c + b x + a x².
        let (c, b, a) = (e.perp_dot(f), e.perp_dot(df) + de.perp_dot(f), de.perp_dot(df));
        furthest = furthest.min(first_zero(a, b, c));
    }
    furthest
}

/// The first x > 0 where c + b x + a x², with c > 0, comes to nought.
fn first_zero(a: f64, b: f64, c: f64) -> f64 {
    let inside = b * b - 4.0 * a * c;
    if inside < 0.0 {
        return f64::INFINITY;
    }
    // Without subtracting what is nearly equal.
    let q = -0.5 * (b + b.signum() * inside.sqrt());
    let roots = [if a == 0.0 { f64::INFINITY } else { q / a }, if q == 0.0 { f64::INFINITY } else { c / q }];
    roots.into_iter().filter(|x| *x > 0.0).fold(f64::INFINITY, f64::min)
}
