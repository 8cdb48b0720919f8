//! Shapes of faces over points, refined by the rules as they are printed.

use ember_ridge_core::glam::{DVec3, Vec3, dvec3};
use ember_ridge_core::{Draft, DraftPart, Mesh};
use std::collections::HashMap;

/// Faces over points.
#[derive(Clone)]
pub struct Shape {
    pub points: Vec<DVec3>,
    pub faces: Vec<Vec<usize>>,
}

fn edge(a: usize, b: usize) -> (usize, usize) {
    (a.min(b), a.max(b))
}

fn mean(points: &[DVec3], of: impl IntoIterator<Item = usize>) -> DVec3 {
    let all: Vec<DVec3> = of.into_iter().map(|point| points[point]).collect();
    all.iter().sum::<DVec3>() / all.len() as f64
}

impl Shape {
    /// Faces on each side of every edge.
    pub fn edges(&self) -> HashMap<(usize, usize), Vec<usize>> {
        let mut edges: HashMap<(usize, usize), Vec<usize>> = HashMap::new();
        for (number, face) in self.faces.iter().enumerate() {
            for k in 0..face.len() {
                edges.entry(edge(face[k], face[(k + 1) % face.len()])).or_default().push(number);
            }
        }
        edges
    }

    /// Neighbours of every point by edges, and those along the border.
    fn around(&self) -> (Vec<Vec<usize>>, Vec<Vec<usize>>) {
        let mut around = vec![Vec::new(); self.points.len()];
        let mut border = around.clone();
        for ((a, b), faces) in self.edges() {
            for (one, other) in [(a, b), (b, a)] {
                around[one].push(other);
                if faces.len() == 1 {
                    border[one].push(other);
                }
            }
        }
        (around, border)
    }

    /// Catmull and Clark's rules; borders as cubic curves.
    pub fn catmull_clark(&self) -> Shape {
        let edges = self.edges();
        let (around, border) = self.around();
        let centres: Vec<DVec3> = self.faces.iter().map(|face| mean(&self.points, face.iter().copied())).collect();
        let mut of_point = vec![Vec::new(); self.points.len()];
        for (number, face) in self.faces.iter().enumerate() {
            face.iter().for_each(|point| of_point[*point].push(number));
        }
        let mut points: Vec<DVec3> = (0..self.points.len())
            .map(|v| {
                let p = self.points[v];
                if !border[v].is_empty() {
                    return p * 0.75 + mean(&self.points, border[v].iter().copied()) * 0.25;
                }
                let n = around[v].len() as f64;
                let faces = mean(&centres, of_point[v].iter().copied());
                let middles: DVec3 = around[v].iter().map(|other| (p + self.points[*other]) / 2.0).sum::<DVec3>() / n;
                (faces + 2.0 * middles + (n - 3.0) * p) / n
            })
            .collect();
        let first_centre = points.len();
        points.extend(&centres);
        let mut number = HashMap::new();
        let mut sorted: Vec<_> = edges.into_iter().collect();
        sorted.sort();
        for ((a, b), faces) in sorted {
            number.insert((a, b), points.len());
            points.push(match faces[..] {
                [one, other] => (self.points[a] + self.points[b] + centres[one] + centres[other]) / 4.0,
                _ => (self.points[a] + self.points[b]) / 2.0,
            });
        }
        let mut faces = Vec::new();
        for (f, face) in self.faces.iter().enumerate() {
            let n = face.len();
            for k in 0..n {
                let (before, next) = (edge(face[(k + n - 1) % n], face[k]), edge(face[k], face[(k + 1) % n]));
                faces.push(vec![face[k], number[&next], first_centre + f, number[&before]]);
            }
        }
        Shape { points, faces }
    }

    /// Loop's rules for triangles; or, not smoothed, points in the middle of edges alone.
    pub fn in_four(&self, smooth: bool) -> Shape {
        let edges = self.edges();
        let (around, border) = self.around();
        let mut points: Vec<DVec3> = (0..self.points.len())
            .map(|v| {
                let p = self.points[v];
                if !smooth {
                    return p;
                }
                if !border[v].is_empty() {
                    return p * 0.75 + mean(&self.points, border[v].iter().copied()) * 0.25;
                }
                let n = around[v].len() as f64;
                let beta = (0.625 - (0.375 + (std::f64::consts::TAU / n).cos() / 4.0).powi(2)) / n;
                p * (1.0 - n * beta) + around[v].iter().map(|other| self.points[*other] * beta).sum::<DVec3>()
            })
            .collect();
        let mut number = HashMap::new();
        let mut sorted: Vec<_> = edges.into_iter().collect();
        sorted.sort();
        for ((a, b), faces) in sorted {
            number.insert((a, b), points.len());
            let ends = self.points[a] + self.points[b];
            points.push(match faces[..] {
                [_, _] if smooth => {
                    let tips =
                        faces.iter().map(|f| self.faces[*f].iter().find(|p| **p != a && **p != b).expect("a tip"));
                    ends * 0.375 + tips.map(|tip| self.points[*tip] * 0.125).sum::<DVec3>()
                }
                _ => ends / 2.0,
            });
        }
        let mut faces = Vec::new();
        for face in &self.faces {
            let [a, b, c] = [face[0], face[1], face[2]];
            let [ab, bc, ca] = [(a, b), (b, c), (c, a)].map(|(a, b)| number[&edge(a, b)]);
            faces.extend([vec![a, ab, ca], vec![ab, b, bc], vec![ca, bc, c], vec![ab, bc, ca]]);
        }
        Shape { points, faces }
    }

    pub fn diagonal(&self) -> f64 {
        let low = self.points.iter().fold(DVec3::INFINITY, |low, p| low.min(*p));
        self.points.iter().fold(DVec3::NEG_INFINITY, |high, p| high.max(*p)).distance(low)
    }

    /// Every point moved by up to `most` along each axis, without a pattern.
    pub fn shaken(mut self, most: f64) -> Shape {
        let mut state = 7u64;
        for point in &mut self.points {
            let mut next = || {
                state = state.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
                ((state >> 40) as f64 / f64::from(1 << 24) * 2.0 - 1.0) * most
            };
            *point += dvec3(next(), next(), next());
        }
        self
    }

    /// As a mesh whose points and faces stand in another order, and faces begin at another corner.
    pub fn mesh(&self) -> Mesh {
        let count = self.points.len();
        let stride = (count / 3..).find(|stride| gcd(*stride, count) == 1 && *stride > 0).expect("one");
        let place = |point: usize| point * stride % count;
        let mut draft = Draft { positions: vec![Vec3::ZERO; count], ..Draft::default() };
        self.points.iter().enumerate().for_each(|(v, p)| draft.positions[place(v)] = p.as_vec3());
        let mut part = DraftPart { name: "cage".into(), ..DraftPart::default() };
        for (number, face) in self.faces.iter().enumerate().rev() {
            let turn = number % face.len();
            part.indices.extend(face.iter().cycle().skip(turn).take(face.len()).map(|point| place(*point) as u32));
            part.corners.push(face.len() as u32);
        }
        draft.parts.push(part);
        draft.finish().expect("whole")
    }
}

fn gcd(a: usize, b: usize) -> usize {
    if b == 0 { a } else { gcd(b, a % b) }
}
