//! A layout to begin with that flips no face: least squares conformal (Lévy, Petitjean, Ray and Maillot, "Least Squares Conformal Maps",
//! 2002) where that does not flip, else the border on a circle and every point in the middle of its neighbours
//! (Tutte, "How to Draw a Graph", 1963; Floater, "Parametrization and Smooth Approximation of Surface Triangulations", 1997).

use super::cholesky::{Blocks, Factor, Pattern, Symbolic};
use super::energy::Piece;
use glam::{DMat2, DVec2, DVec3};

/// Least squares conformal, two far points of the border held; None where a face would flip.
pub(super) fn conformal(piece: &Piece, places: &[DVec3], border: &[u32], symbolic: &Symbolic) -> Option<Vec<DVec2>> {
    let first = border[0];
    let far = |from: u32| {
        let away = |p: &u32| places[*p as usize].distance_squared(places[from as usize]);
        *border.iter().max_by(|a, b| away(a).total_cmp(&away(b)).then(b.cmp(a))).unwrap_or(&from)
    };
    let one = far(first);
    let two = far(one);
    let mut matrix = Blocks::zero(&piece.pattern);
    let mut b = vec![DVec2::ZERO; places.len()];
    let apart = DVec2::X * places[one as usize].distance(places[two as usize]);
    for (face, (triangle, rest)) in piece.triangles.iter().zip(&piece.rest).enumerate() {
        // (u_x - v_y) and (u_y + v_x), each squared times the area.
        let root = rest.area.sqrt();
        let mut vectors =
            [rest.by.map(|by| DVec2::new(by.x, -by.y) * root), rest.by.map(|by| DVec2::new(by.y, by.x) * root)];
        for v in &mut vectors {
            let mut known = 0.0;
            for (i, &point) in triangle.iter().enumerate() {
                if point == one || point == two {
                    known += if point == two { v[i].dot(apart) } else { 0.0 };
                    v[i] = DVec2::ZERO;
                }
            }
            for (i, &point) in triangle.iter().enumerate() {
                b[point as usize] -= v[i] * known;
            }
        }
        piece.add(&mut matrix, face, &vectors);
    }
    for p in [one, two] {
        matrix.own[p as usize] = DMat2::IDENTITY;
    }
    b[one as usize] = DVec2::ZERO;
    b[two as usize] = apart;
    let mut uvs = Factor::new(symbolic, &piece.pattern, &matrix)?.solve(symbolic, &b);
    scaled(piece, &mut uvs).then_some(uvs)
}

/// `loops` are the borders of the piece, the outer one first; holes are filled with a point each.
pub(super) fn on_a_circle(piece: &Piece, places: &[DVec3], loops: &[Vec<u32>]) -> Option<Vec<DVec2>> {
    let count = places.len() + loops.len() - 1;
    let mut triangles = piece.triangles.clone();
    let mut all = places.to_vec();
    for (k, hole) in loops.iter().skip(1).enumerate() {
        let middle = (places.len() + k) as u32;
        all.push(hole.iter().map(|&p| places[p as usize]).sum::<DVec3>() / hole.len() as f64);
        triangles.extend((0..hole.len()).map(|i| [hole[(i + 1) % hole.len()], hole[i], middle]));
    }
    let pattern = Pattern::new(count, &triangles);
    let symbolic = Symbolic::new(&pattern, &all);
    let outer = &loops[0];
    let lengths: Vec<f64> = (0..outer.len())
        .map(|i| places[outer[i] as usize].distance(places[outer[(i + 1) % outer.len()] as usize]))
        .collect();
    let around: f64 = lengths.iter().sum();
    let mut at = vec![None; count];
    let mut gone = 0.0;
    for (i, &p) in outer.iter().enumerate() {
        at[p as usize] = Some(DVec2::from_angle(std::f64::consts::TAU * gone / around));
        // Points of no length between them would coincide.
        gone += lengths[i].max(1e-6 * around);
    }
    let mut matrix = Blocks::zero(&pattern);
    let mut b = vec![DVec2::ZERO; count];
    for p in 0..count as u32 {
        if let Some(place) = at[p as usize] {
            (matrix.own[p as usize], b[p as usize]) = (DMat2::IDENTITY, place);
            continue;
        }
        for k in pattern.row(p) {
            matrix.own[p as usize] += DMat2::IDENTITY;
            match at[pattern.others[k] as usize] {
                Some(place) => b[p as usize] += place,
                None => matrix.with[k] = -DMat2::IDENTITY,
            }
        }
    }
    let mut uvs = Factor::new(&symbolic, &pattern, &matrix)?.solve(&symbolic, &b);
    uvs.truncate(places.len());
    scaled(piece, &mut uvs).then_some(uvs)
}

/// Gives `uvs` the size of the least energy; false where a face is flipped.
pub(super) fn scaled(piece: &Piece, uvs: &mut [DVec2]) -> bool {
    let (mut grow, mut shrink) = (0.0, 0.0);
    for (t, rest) in piece.triangles.iter().zip(&piece.rest) {
        let map = rest.map(t.map(|p| uvs[p as usize]));
        let det = map.determinant();
        if det <= 0.0 || !det.is_finite() {
            return false;
        }
        let squares = map.x_axis.length_squared() + map.y_axis.length_squared();
        grow += rest.area * squares;
        shrink += rest.area * squares / (det * det);
    }
    let scale = (shrink / grow).powf(0.25);
    uvs.iter_mut().for_each(|uv| *uv *= scale);
    scale.is_finite() && scale > 0.0 && piece.total(uvs).is_finite()
}
