//! The standard's noises, bit by bit: `noise2d`, `noise3d`, `fractal2d`, `fractal3d`, `cellnoise2d`, `cellnoise3d`, `worleynoise2d` and
//! `worleynoise3d` (MaterialX Specification 1.39, "Procedural Nodes"; the functions are those of `mx_noise.glsl` in its library, which
//! come from Open Shading Language: lattice noise after Perlin, "Improving Noise", 2002; hashes after Jenkins' lookup3; cells after
//! Worley, "A Cellular Texture Basis Function", 1996).

use super::{Call, Category, Wide, category};
use crate::finish::graph::{Function, NodeId};

pub(super) const NODES: &[Category] = &[
    category("noise2d", |c| noise(c, 2)),
    category("noise3d", |c| noise(c, 3)),
    category("fractal2d", |c| fractal(c, 2)),
    category("fractal3d", |c| fractal(c, 3)),
    category("cellnoise2d", |c| cells(c, 2)),
    category("cellnoise3d", |c| cells(c, 3)),
    category("worleynoise2d", |c| worley(c, 2)),
    category("worleynoise3d", |c| worley(c, 3)),
];

/// Octaves of a fractal, at most.
const MOST_OCTAVES: f32 = 32.0;

/// Which of the lattice's noises a number of the value is.
#[derive(Clone, Copy, Debug)]
enum Lane {
    /// The noise of one number.
    Single,
    /// One of the three that are made together.
    Third(usize),
}

/// Which noise makes a number of a value of so many, and how far from the place it is taken: the fourth of four is one of its own.
fn lane(width: usize, at: usize, apart: [f32; 3]) -> (Lane, [f32; 3]) {
    match (width, at) {
        (1, _) => (Lane::Single, [0.0; 3]),
        (4, 3) => (Lane::Single, apart),
        _ => (Lane::Third(at), [0.0; 3]),
    }
}

/// Where a noise is asked: two or three numbers.
fn place(call: &mut Call, axes: usize) -> Vec<NodeId> {
    let name = if axes == 2 { "texcoord" } else { "position" };
    let place: [NodeId; 3] = call.several(name, 0.0);
    place[..axes].to_vec()
}

/// The place of a batch, in as many axes as there are columns; the third is 0 where there are two.
fn at(columns: &[&[f32]], axes: usize, i: usize, apart: [f32; 3]) -> [f32; 3] {
    let axis = |axis: usize| if axis < axes { columns[axis][i] + apart[axis] } else { 0.0 };
    [axis(0), axis(1), axis(2)]
}

fn noise(call: &mut Call, axes: usize) -> Result<Wide, String> {
    let place = place(call, axes);
    let (amplitude, pivot) = (call.get("amplitude", 1.0), call.get("pivot", 0.0));
    let width = call.node.kind.numbers();
    let wide = (0..width)
        .map(|number| {
            let (lane, apart) = lane(width, number, [19.0, 73.0, 29.0]);
            let function: Function = Box::new(move |columns, out| {
                for (i, slot) in out.iter_mut().enumerate() {
                    *slot = lattice(at(columns, axes, i, apart), axes, lane);
                }
            });
            call.graph.function(&format!("noise {axes} {lane:?} {apart:?}"), &place, function)
        })
        .collect();
    Ok(call.each("times and more", [&wide, &amplitude, &pivot], |[x, a, p]| x * a + p))
}

fn fractal(call: &mut Call, axes: usize) -> Result<Wide, String> {
    let place = place(call, axes);
    let amplitude = call.get("amplitude", 1.0);
    let octaves = call.fixed("octaves", 3.0)?.clamp(0.0, MOST_OCTAVES) as u32;
    let (lacunarity, diminish) = (call.number("lacunarity", 2.0), call.number("diminish", 0.5));
    let width = call.node.kind.numbers();
    let arguments: Vec<NodeId> = place.iter().copied().chain([lacunarity, diminish]).collect();
    let wide = (0..width)
        .map(|number| {
            let (lane, apart) = match (width, number) {
                // Two numbers are two fractals, not two of three.
                (2, 0) => (Lane::Single, [0.0; 3]),
                (2, _) => (Lane::Single, [19.0, 193.0, 17.0]),
                _ => lane(width, number, [19.0, 193.0, 17.0]),
            };
            let function: Function = Box::new(move |columns, out| {
                for (i, slot) in out.iter_mut().enumerate() {
                    let mut place = at(columns, axes, i, apart);
                    let (lacunarity, diminish) = (columns[axes][i], columns[axes + 1][i]);
                    let (mut sum, mut strength) = (0.0, 1.0);
                    for _ in 0..octaves {
                        sum += strength * lattice(place, axes, lane);
                        strength *= diminish;
                        place = place.map(|c| c * lacunarity);
                    }
                    *slot = sum;
                }
            });
            call.graph.function(&format!("fractal {axes} {octaves} {lane:?} {apart:?}"), &arguments, function)
        })
        .collect();
    Ok(call.each("multiply", [&wide, &amplitude], |[x, a]| x * a))
}

fn cells(call: &mut Call, axes: usize) -> Result<Wide, String> {
    let place = place(call, axes);
    let function: Function = Box::new(move |columns, out| {
        for (i, slot) in out.iter_mut().enumerate() {
            *slot = cell(at(columns, axes, i, [0.0; 3]), axes);
        }
    });
    Ok(vec![call.graph.function(&format!("cells {axes}"), &place, function)])
}

fn worley(call: &mut Call, axes: usize) -> Result<Wide, String> {
    let place = place(call, axes);
    let jitter = call.number("jitter", 1.0);
    let solid = call.fixed("style", 0.0)? == 1.0;
    let width = call.node.kind.numbers().clamp(1, 3);
    let arguments: Vec<NodeId> = place.iter().copied().chain([jitter]).collect();
    let one = |number: usize| {
        let function: Function = Box::new(move |columns, out| {
            for (i, slot) in out.iter_mut().enumerate() {
                let place = at(columns, axes, i, [0.0; 3]);
                let (distances, nearest) = nearest_cells(place, axes, columns[axes][i]);
                *slot = match (solid, width) {
                    (false, _) => libm::sqrtf(distances[number]),
                    (true, 1) => cell(nearest, axes),
                    (true, _) => cell_thirds(nearest.map(floor), axes)[number],
                };
            }
        });
        call.graph.function(&format!("worley {axes} {solid} {width} {number}"), &arguments, function)
    };
    Ok((0..width).map(one).collect())
}

fn floor(x: f32) -> i32 {
    libm::floorf(x) as i32
}

fn fade(t: f32) -> f32 {
    t * t * t * (t * (t * 6.0 - 15.0) + 10.0)
}

/// Lattice noise, about -1 to 1.
fn lattice(place: [f32; 3], axes: usize, lane: Lane) -> f32 {
    let corner = place.map(floor);
    let [fx, fy, fz]: [f32; 3] = std::array::from_fn(|axis| place[axis] - corner[axis] as f32);
    let at = |dx: i32, dy: i32, dz: i32| {
        let cell = [corner[0].wrapping_add(dx), corner[1].wrapping_add(dy), corner[2].wrapping_add(dz)];
        let hash = match lane {
            Lane::Single => hash(&cell[..axes]),
            Lane::Third(third) => hash(&cell[..axes]) >> (8 * third) & 0xff,
        };
        let (x, y, z) = (fx - dx as f32, fy - dy as f32, fz - dz as f32);
        if axes == 2 { slope2(hash, x, y) } else { slope3(hash, x, y, z) }
    };
    let (s, t, r) = (fade(fx), fade(fy), fade(fz));
    let (s1, t1, r1) = (1.0 - s, 1.0 - t, 1.0 - r);
    if axes == 2 {
        return 0.6616 * (t1 * (at(0, 0, 0) * s1 + at(1, 0, 0) * s) + t * (at(0, 1, 0) * s1 + at(1, 1, 0) * s));
    }
    let layer = |z: i32| t1 * (at(0, 0, z) * s1 + at(1, 0, z) * s) + t * (at(0, 1, z) * s1 + at(1, 1, z) * s);
    0.982 * (r1 * layer(0) + r * layer(1))
}

fn turned_if(value: f32, turned: bool) -> f32 {
    if turned { -value } else { value }
}

/// One of eight directions, times a place.
fn slope2(hash: u32, x: f32, y: f32) -> f32 {
    let h = hash & 7;
    let (u, v) = if h < 4 { (x, y) } else { (y, x) };
    turned_if(u, h & 1 != 0) + turned_if(2.0 * v, h & 2 != 0)
}

/// One of the twelve edges of a cube (four of them twice), times a place.
fn slope3(hash: u32, x: f32, y: f32, z: f32) -> f32 {
    let h = hash & 15;
    let u = if h < 8 { x } else { y };
    let v = match h {
        0..4 => y,
        12 | 14 => x,
        _ => z,
    };
    turned_if(u, h & 1 != 0) + turned_if(v, h & 2 != 0)
}

fn mixed([mut a, mut b, mut c]: [u32; 3]) -> [u32; 3] {
    (a, c) = (a.wrapping_sub(c) ^ c.rotate_left(4), c.wrapping_add(b));
    (b, a) = (b.wrapping_sub(a) ^ a.rotate_left(6), a.wrapping_add(c));
    (c, b) = (c.wrapping_sub(b) ^ b.rotate_left(8), b.wrapping_add(a));
    (a, c) = (a.wrapping_sub(c) ^ c.rotate_left(16), c.wrapping_add(b));
    (b, a) = (b.wrapping_sub(a) ^ a.rotate_left(19), a.wrapping_add(c));
    (c, b) = (c.wrapping_sub(b) ^ b.rotate_left(4), b.wrapping_add(a));
    [a, b, c]
}

fn finished([mut a, mut b, mut c]: [u32; 3]) -> u32 {
    c = (c ^ b).wrapping_sub(b.rotate_left(14));
    a = (a ^ c).wrapping_sub(c.rotate_left(11));
    b = (b ^ a).wrapping_sub(a.rotate_left(25));
    c = (c ^ b).wrapping_sub(b.rotate_left(16));
    a = (a ^ c).wrapping_sub(c.rotate_left(4));
    b = (b ^ a).wrapping_sub(a.rotate_left(14));
    (c ^ b).wrapping_sub(b.rotate_left(24))
}

/// Of two to four whole numbers.
fn hash(cell: &[i32]) -> u32 {
    let start = 0xdead_beef_u32.wrapping_add((cell.len() as u32) << 2).wrapping_add(13);
    let mut state = [start; 3];
    for (slot, number) in state.iter_mut().zip(cell) {
        *slot = slot.wrapping_add(*number as u32);
    }
    if let Some(fourth) = cell.get(3) {
        state = mixed(state);
        state[0] = state[0].wrapping_add(*fourth as u32);
    }
    finished(state)
}

fn share(bits: u32) -> f32 {
    bits as f32 / u32::MAX as f32
}

/// A number of a cell, 0 to 1.
fn cell(place: [f32; 3], axes: usize) -> f32 {
    share(hash(&place.map(floor)[..axes]))
}

/// Three numbers of a cell, 0 to 1.
fn cell_thirds(cell: [i32; 3], axes: usize) -> [f32; 3] {
    [0, 1, 2].map(|third| {
        let mut numbers = [cell[0], cell[1], third, 0];
        if axes == 3 {
            numbers = [cell[0], cell[1], cell[2], third];
        }
        share(hash(&numbers[..=axes]))
    })
}

/// Squares of the distances to the three nearest points of cells, and the nearest point.
fn nearest_cells(place: [f32; 3], axes: usize, jitter: f32) -> ([f32; 3], [f32; 3]) {
    let corner = place.map(floor);
    let within: [f32; 3] = std::array::from_fn(|axis| place[axis] - corner[axis] as f32);
    let mut nearest = [1e6_f32; 3];
    let mut point = [0.0; 3];
    let depth = if axes == 3 { -1..=1 } else { 0..=0 };
    for x in -1..=1 {
        for y in -1..=1 {
            for z in depth.clone() {
                let away = [x, y, z];
                let cell: [i32; 3] = std::array::from_fn(|axis| corner[axis].wrapping_add(away[axis]));
                let inside = cell_thirds(cell, axes);
                let to: [f32; 3] = std::array::from_fn(|axis| match axis < axes {
                    true => away[axis] as f32 + ((inside[axis] - 0.5) * jitter + 0.5) - within[axis],
                    false => 0.0,
                });
                let distance = to[0] * to[0] + to[1] * to[1] + to[2] * to[2];
                if distance < nearest[0] {
                    nearest = [distance, nearest[0], nearest[1]];
                    point = std::array::from_fn(|axis| to[axis] + place[axis]);
                } else if distance < nearest[1] {
                    nearest = [nearest[0], distance, nearest[1]];
                } else if distance < nearest[2] {
                    nearest[2] = distance;
                }
            }
        }
    }
    (nearest, point)
}
