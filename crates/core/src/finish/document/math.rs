//! Math and matrix nodes (MaterialX Specification 1.39, "Math Nodes").

use super::{Call, Category, Wide, category, nth};
use crate::finish::graph::NodeId;
use glam::{Mat3, Mat4};

pub(super) const NODES: &[Category] = &[
    category("add", |c| two(c, "add", 0.0, |[a, b]| a + b)),
    category("subtract", |c| two(c, "subtract", 0.0, |[a, b]| a - b)),
    category("multiply", multiply),
    category("divide", |c| two(c, "divide", 1.0, |[a, b]| a / b)),
    category("modulo", |c| two(c, "modulo", 1.0, |[a, b]| a - b * libm::floorf(a / b))),
    category("power", |c| two(c, "power", 1.0, |[a, b]| libm::powf(a, b))),
    category("min", |c| two(c, "min", 0.0, |[a, b]| a.min(b))),
    category("max", |c| two(c, "max", 0.0, |[a, b]| a.max(b))),
    category("absval", |c| one(c, "absval", |[x]| x.abs())),
    category("floor", |c| one(c, "floor", |[x]| libm::floorf(x))),
    category("ceil", |c| one(c, "ceil", |[x]| libm::ceilf(x))),
    // Halves go up, as the specification has it.
    category("round", |c| one(c, "round", |[x]| libm::floorf(x + 0.5))),
    category("fract", |c| one(c, "fract", |[x]| x - libm::floorf(x))),
    category("sign", |c| {
        one(c, "sign", |[x]| {
            if x > 0.0 {
                1.0
            } else if x < 0.0 {
                -1.0
            } else {
                0.0
            }
        })
    }),
    category("sin", |c| one(c, "sin", |[x]| libm::sinf(x))),
    category("cos", |c| one(c, "cos", |[x]| libm::cosf(x))),
    category("tan", |c| one(c, "tan", |[x]| libm::tanf(x))),
    category("asin", |c| one(c, "asin", |[x]| libm::asinf(x))),
    category("acos", |c| one(c, "acos", |[x]| libm::acosf(x))),
    category("sqrt", |c| one(c, "sqrt", |[x]| libm::sqrtf(x))),
    category("ln", |c| one(c, "ln", |[x]| libm::logf(x))),
    category("exp", |c| one(c, "exp", |[x]| libm::expf(x))),
    category("atan2", atan2),
    category("invert", invert),
    category("clamp", clamp),
    category("remap", remap),
    category("smoothstep", smoothstep),
    category("normalize", normalize),
    category("magnitude", |c| vector(c, |c, v| c.length(v))),
    category("dotproduct", dotproduct),
    category("crossproduct", crossproduct),
    category("rotate2d", rotate2d),
    category("rotate3d", rotate3d),
    category("transformpoint", same_space),
    category("transformvector", same_space),
    category("transformnormal", same_space),
    category("transformmatrix", transformmatrix),
    category("creatematrix", creatematrix),
    category("transpose", transpose),
    category("determinant", determinant),
    category("invertmatrix", invertmatrix),
];

fn one(call: &mut Call, name: &str, function: fn([f32; 1]) -> f32) -> Result<Wide, String> {
    let input = call.get("in", 0.0);
    Ok(call.each(name, [&input], function))
}

fn two(call: &mut Call, name: &str, second: f32, function: fn([f32; 2]) -> f32) -> Result<Wide, String> {
    let (a, b) = (call.get("in1", 0.0), call.get("in2", second));
    Ok(call.each(name, [&a, &b], function))
}

fn multiply(call: &mut Call) -> Result<Wide, String> {
    let (a, b) = (call.get("in1", 0.0), call.get("in2", 1.0));
    match (a.len(), b.len()) {
        (9, 9) => Ok(product(call, &a, &b, 3)),
        (16, 16) => Ok(product(call, &a, &b, 4)),
        _ => two(call, "multiply", 1.0, |[a, b]| a * b),
    }
}

/// The product of two matrices, rows first.
fn product(call: &mut Call, a: &[NodeId], b: &[NodeId], side: usize) -> Wide {
    let at = |row: usize, column: usize| {
        let across: Vec<NodeId> = (0..side).map(|k| a[row * side + k]).collect();
        let down: Vec<NodeId> = (0..side).map(|k| b[k * side + column]).collect();
        (across, down)
    };
    let lines: Vec<_> = (0..side * side).map(|n| at(n / side, n % side)).collect();
    lines.iter().map(|(across, down)| call.dot(across, down)).collect()
}

fn atan2(call: &mut Call) -> Result<Wide, String> {
    // Before 1.39 they were called in1 and in2.
    let y = call.try_get("iny").or_else(|| call.try_get("in1")).unwrap_or_else(|| call.get("iny", 0.0));
    let x = call.try_get("inx").or_else(|| call.try_get("in2")).unwrap_or_else(|| call.get("inx", 1.0));
    Ok(call.each("atan2", [&y, &x], |[y, x]| libm::atan2f(y, x)))
}

fn invert(call: &mut Call) -> Result<Wide, String> {
    let (input, amount) = (call.get("in", 0.0), call.get("amount", 1.0));
    Ok(call.each("subtract", [&amount, &input], |[amount, x]| amount - x))
}

fn clamp(call: &mut Call) -> Result<Wide, String> {
    let (input, low, high) = (call.get("in", 0.0), call.get("low", 0.0), call.get("high", 1.0));
    Ok(call.each("clamp", [&input, &low, &high], |[x, low, high]| x.max(low).min(high)))
}

fn remap(call: &mut Call) -> Result<Wide, String> {
    let ends = [call.get("inlow", 0.0), call.get("inhigh", 1.0), call.get("outlow", 0.0), call.get("outhigh", 1.0)];
    let input = call.get("in", 0.0);
    let [a, b, c, d] = &ends;
    Ok(call.each("remap", [&input, a, b, c, d], |[x, a, b, c, d]| c + (x - a) * (d - c) / (b - a)))
}

fn smoothstep(call: &mut Call) -> Result<Wide, String> {
    let (input, low, high) = (call.get("in", 0.0), call.get("low", 0.0), call.get("high", 1.0));
    Ok(call.each("smoothstep", [&input, &low, &high], |[x, low, high]| {
        if x >= high {
            1.0
        } else if x <= low {
            0.0
        } else {
            let t = (x - low) / (high - low);
            t * t * (3.0 - 2.0 * t)
        }
    }))
}

fn vector(call: &mut Call, of: fn(&mut Call, &[NodeId]) -> NodeId) -> Result<Wide, String> {
    let input = call.get("in", 0.0);
    Ok(vec![of(call, &input)])
}

fn normalize(call: &mut Call) -> Result<Wide, String> {
    let input = call.get("in", 0.0);
    let length = vec![call.length(&input)];
    Ok(call.each("divide", [&input, &length], |[a, b]| a / b))
}

fn dotproduct(call: &mut Call) -> Result<Wide, String> {
    let (a, b) = (call.get("in1", 0.0), call.get("in2", 0.0));
    Ok(vec![call.dot(&a, &b)])
}

fn cross(call: &mut Call, a: &[NodeId], b: &[NodeId]) -> Wide {
    let mut one = |i: usize, j: usize| call.apply("cross", [a[i], b[j], a[j], b[i]], |[a, b, c, d]| a * b - c * d);
    vec![one(1, 2), one(2, 0), one(0, 1)]
}

fn crossproduct(call: &mut Call) -> Result<Wide, String> {
    let (a, b): ([NodeId; 3], [NodeId; 3]) = (call.several("in1", 0.0), call.several("in2", 0.0));
    Ok(cross(call, &a, &b))
}

/// Sine and cosine of an angle in degrees.
fn turn(call: &mut Call) -> [NodeId; 2] {
    let degrees = call.number("amount", 0.0);
    [
        call.apply("sine of degrees", [degrees], |[x]| libm::sinf(x.to_radians())),
        call.apply("cosine of degrees", [degrees], |[x]| libm::cosf(x.to_radians())),
    ]
}

fn rotate2d(call: &mut Call) -> Result<Wide, String> {
    let [x, y] = call.several("in", 0.0);
    let [s, c] = turn(call);
    Ok(vec![
        call.apply("rotated x", [x, y, s, c], |[x, y, s, c]| c * x + s * y),
        call.apply("rotated y", [x, y, s, c], |[x, y, s, c]| -s * x + c * y),
    ])
}

/// Rodrigues' formula with the sense of turning of the standard, whose vectors stand left of matrices.
fn rotate3d(call: &mut Call) -> Result<Wide, String> {
    let input: [NodeId; 3] = call.several("in", 0.0);
    let axis: [NodeId; 3] = match call.input("axis") {
        Some(_) => call.several("axis", 0.0),
        None => [0.0, 1.0, 0.0].map(|c| call.constant(c)),
    };
    let length = call.length(&axis);
    let axis = axis.map(|a| call.apply("divide", [a, length], |[a, b]| a / b));
    let [s, c] = turn(call);
    let crossed = cross(call, &input, &axis);
    let along = call.dot(&axis, &input);
    let mut turned = |at: usize| {
        call.apply("turned", [input[at], crossed[at], axis[at], along, s, c], |[v, x, a, d, s, c]| {
            v * c + x * s + a * d * (1.0 - c)
        })
    };
    Ok((0..3).map(&mut turned).collect())
}

/// Between object, model and world space: the asset stands where it was made, so they are one.
fn same_space(call: &mut Call) -> Result<Wide, String> {
    for name in ["fromspace", "tospace"] {
        let space = call.text(name).unwrap_or("").to_owned();
        if !matches!(space.as_str(), "" | "object" | "model" | "world") {
            return Err(format!("the space '{space}' is not known here; use object or world"));
        }
    }
    Ok(call.get("in", 0.0))
}

/// Vectors stand left of matrices; a coordinate of 1 is added where they are shorter.
fn transformmatrix(call: &mut Call) -> Result<Wide, String> {
    let input = call.get("in", 0.0);
    let matrix = call.try_get("mat").filter(|mat| mat.len() >= 9);
    let Some(matrix) = matrix else { return Ok(input) };
    let side = if matrix.len() == 16 { 4 } else { 3 };
    let one = call.constant(1.0);
    let padded: Vec<NodeId> = (0..side).map(|at| input.get(at).copied().unwrap_or(one)).collect();
    let column = |at: usize| (0..side).map(|row| matrix[row * side + at]).collect::<Vec<_>>();
    Ok((0..input.len().min(side)).map(|at| call.dot(&padded, &column(at))).collect())
}

fn creatematrix(call: &mut Call) -> Result<Wide, String> {
    let side = if call.node.kind.numbers() == 16 { 4 } else { 3 };
    let ends = [call.constant(0.0), call.constant(1.0)];
    let mut rows = Vec::new();
    for row in 0..side {
        let given = call.try_get(&format!("in{}", row + 1));
        let own = |at: usize| ends[usize::from(at == row)];
        rows.extend((0..side).map(|at| given.as_ref().and_then(|g| g.get(at).copied()).unwrap_or_else(|| own(at))));
    }
    Ok(rows)
}

fn matrix(call: &mut Call) -> Result<Wide, String> {
    let matrix = call.get("in", 0.0);
    if matrix.len() == 9 || matrix.len() == 16 { Ok(matrix) } else { Err("it has no matrix to work on".into()) }
}

fn transpose(call: &mut Call) -> Result<Wide, String> {
    let matrix = matrix(call)?;
    let side = if matrix.len() == 16 { 4 } else { 3 };
    Ok((0..side * side).map(|n| matrix[n % side * side + n / side]).collect())
}

fn determinant(call: &mut Call) -> Result<Wide, String> {
    let matrix = matrix(call)?;
    let number = match <[NodeId; 9]>::try_from(matrix.as_slice()) {
        Ok(nine) => call.apply("determinant", nine, |m| Mat3::from_cols_array(&m).determinant()),
        Err(_) => {
            let sixteen = std::array::from_fn::<_, 16, _>(|at| nth(&matrix, at));
            call.apply("determinant", sixteen, |m| Mat4::from_cols_array(&m).determinant())
        }
    };
    Ok(vec![number])
}

fn invertmatrix(call: &mut Call) -> Result<Wide, String> {
    let matrix = matrix(call)?;
    let count = matrix.len();
    let one = move |at: usize, columns: &[&[f32]], out: &mut [f32]| {
        for (i, slot) in out.iter_mut().enumerate() {
            // Rows here are columns there; what is read back is turned the same way.
            *slot = if count == 16 {
                Mat4::from_cols_array(&std::array::from_fn(|n| columns[n][i])).inverse().to_cols_array()[at]
            } else {
                Mat3::from_cols_array(&std::array::from_fn(|n| columns[n][i])).inverse().to_cols_array()[at]
            };
        }
    };
    Ok((0..count)
        .map(|at| {
            let function = Box::new(move |columns: &[&[f32]], out: &mut [f32]| one(at, columns, out));
            call.graph.function(&format!("inverse {at}"), &matrix, function)
        })
        .collect())
}
