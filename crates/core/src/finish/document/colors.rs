//! Adjustment and compositing nodes (MaterialX Specification 1.39, "Adjustment Nodes" and "Compositing Nodes").

use super::{Call, Category, Wide, category, nth};
use crate::finish::graph::NodeId;

pub(super) const NODES: &[Category] = &[
    category("luminance", luminance),
    category("rgbtohsv", |c| of_color(c, "hsv", to_hsv)),
    category("hsvtorgb", |c| of_color(c, "rgb", to_rgb)),
    category("premult", |c| alpha(c, "multiply", |[x, a]| x * a)),
    category("unpremult", |c| alpha(c, "divide", |[x, a]| x / a)),
    category("plus", |c| blend(c, "plus", |[f, b, m]| m * (b + f) + (1.0 - m) * b)),
    category("minus", |c| blend(c, "minus", |[f, b, m]| m * (b - f) + (1.0 - m) * b)),
    category("difference", |c| blend(c, "difference", |[f, b, m]| m * (b - f).abs() + (1.0 - m) * b)),
    category("screen", |c| blend(c, "screen", |[f, b, m]| m * (1.0 - (1.0 - f) * (1.0 - b)) + (1.0 - m) * b)),
    category("burn", |c| blend(c, "burn", burn)),
    category("dodge", |c| blend(c, "dodge", dodge)),
    category("in", |c| merge(c, "in", |[f, b, _, ba, m]| f * ba * m + b * (1.0 - m))),
    category("mask", |c| merge(c, "mask", |[_, b, fa, _, m]| b * fa * m + b * (1.0 - m))),
    category("out", |c| merge(c, "out", |[f, b, _, ba, m]| f * (1.0 - ba) * m + b * (1.0 - m))),
    category("over", |c| merge(c, "over", |[f, b, fa, _, m]| (f + b * (1.0 - fa)) * m + b * (1.0 - m))),
    category("matte", matte),
    category("disjointover", disjointover),
    category("inside", |c| masked(c, "inside", |[x, m]| x * m)),
    category("outside", |c| masked(c, "outside", |[x, m]| x * (1.0 - m))),
    category("mix", mix),
];

/// Numbers as near to 0 as these are taken for it, as in the standard's own code.
const NOTHING: f32 = 1e-8;

fn luminance(call: &mut Call) -> Result<Wide, String> {
    let input = call.get("in", 0.0);
    let weights: [NodeId; 3] = match call.input("lumacoeffs") {
        Some(_) => call.several("lumacoeffs", 0.0),
        None => [0.272_228_7, 0.674_081_8, 0.053_689_5].map(|w| call.constant(w)),
    };
    let grey = call.dot(&input[..input.len().min(3)], &weights);
    Ok((0..call.node.kind.numbers()).map(|at| if at == 3 { nth(&input, 3) } else { grey }).collect())
}

fn of_color(call: &mut Call, name: &str, function: fn([f32; 3]) -> [f32; 3]) -> Result<Wide, String> {
    let input = call.get("in", 0.0);
    let three = [nth(&input, 0), nth(&input, 1), nth(&input, 2)];
    let mut wide: Wide = (0..3)
        .map(|at| {
            let one = move |columns: &[&[f32]], out: &mut [f32]| {
                for (i, slot) in out.iter_mut().enumerate() {
                    *slot = function([columns[0][i], columns[1][i], columns[2][i]])[at];
                }
            };
            call.graph.function(&format!("{name} {at}"), &three, Box::new(one))
        })
        .collect();
    wide.extend(input.get(3));
    Ok(wide)
}

/// Foley and van Dam, "Computer Graphics: Principles and Practice", as the standard's own code has it.
fn to_hsv([r, g, b]: [f32; 3]) -> [f32; 3] {
    let (least, most) = (r.min(g.min(b)), r.max(g.max(b)));
    let delta = most - least;
    let s = if most > 0.0 { delta / most } else { 0.0 };
    if s <= 0.0 {
        return [0.0, s, most];
    }
    let sixth = if r >= most {
        (g - b) / delta
    } else if g >= most {
        2.0 + (b - r) / delta
    } else {
        4.0 + (r - g) / delta
    };
    let h = sixth / 6.0;
    [if h < 0.0 { h + 1.0 } else { h }, s, most]
}

fn to_rgb([h, s, v]: [f32; 3]) -> [f32; 3] {
    if s < 0.0001 {
        return [v; 3];
    }
    let h = 6.0 * (h - libm::floorf(h));
    let f = h - libm::truncf(h);
    let (p, q, t) = (v * (1.0 - s), v * (1.0 - s * f), v * (1.0 - s * (1.0 - f)));
    match h as u32 {
        0 => [v, t, p],
        1 => [q, v, p],
        2 => [p, v, t],
        3 => [p, q, v],
        4 => [t, p, v],
        _ => [v, p, q],
    }
}

fn alpha(call: &mut Call, name: &str, function: fn([f32; 2]) -> f32) -> Result<Wide, String> {
    let input = call.get("in", 0.0);
    let alpha = nth(&input, 3);
    let mut color: Wide = input.iter().take(3).map(|x| call.apply(name, [*x, alpha], function)).collect();
    color.push(alpha);
    Ok(color)
}

/// Front, back and how far to go.
fn blend(call: &mut Call, name: &str, function: fn([f32; 3]) -> f32) -> Result<Wide, String> {
    let (front, back, mix) = (call.get("fg", 0.0), call.get("bg", 0.0), call.get("mix", 1.0));
    Ok(call.each(name, [&front, &back, &mix], function))
}

fn burn([f, b, m]: [f32; 3]) -> f32 {
    if f.abs() < NOTHING { 0.0 } else { m * (1.0 - (1.0 - b) / f) + (1.0 - m) * b }
}

fn dodge([f, b, m]: [f32; 3]) -> f32 {
    if (1.0 - f).abs() < NOTHING { 0.0 } else { m * (b / (1.0 - f)) + (1.0 - m) * b }
}

/// Front, back, the alpha of each, and how far to go.
fn merge(call: &mut Call, name: &str, function: fn([f32; 5]) -> f32) -> Result<Wide, String> {
    let (front, back, mix) = (call.get("fg", 0.0), call.get("bg", 0.0), call.get("mix", 1.0));
    let alphas = [vec![nth(&front, 3)], vec![nth(&back, 3)]];
    Ok(call.each(name, [&front, &back, &alphas[0], &alphas[1], &mix], function))
}

fn matte(call: &mut Call) -> Result<Wide, String> {
    let colors = merge(call, "matte", |[f, b, fa, _, m]| (f * fa + b * (1.0 - fa)) * m + b * (1.0 - m))?;
    let alphas = merge(call, "matte alpha", |[f, b, fa, _, m]| (f + b * (1.0 - fa)) * m + b * (1.0 - m))?;
    Ok(colors.iter().take(3).chain(alphas.get(3)).copied().collect())
}

fn disjointover(call: &mut Call) -> Result<Wide, String> {
    let colors = merge(call, "disjointover", |[f, b, fa, ba, m]| {
        let joined = if fa + ba <= 1.0 {
            f + b
        } else if ba.abs() < NOTHING {
            0.0
        } else {
            f + b * (1.0 - fa) / ba
        };
        joined * m + (1.0 - m) * b
    })?;
    let alphas = merge(call, "disjointover alpha", |[_, b, fa, ba, m]| (fa + ba).min(1.0) * m + (1.0 - m) * b)?;
    Ok(colors.iter().take(3).chain(alphas.get(3)).copied().collect())
}

fn masked(call: &mut Call, name: &str, function: fn([f32; 2]) -> f32) -> Result<Wide, String> {
    let (input, mask) = (call.get("in", 0.0), call.get("mask", if name == "inside" { 1.0 } else { 0.0 }));
    Ok(call.each(name, [&input, &mask], function))
}

/// Also of whole surfaces.
fn mix(call: &mut Call) -> Result<Wide, String> {
    let (front, back, mix) = (call.get("fg", 0.0), call.get("bg", 0.0), call.get("mix", 0.0));
    Ok(call.each("mix", [&front, &back, &mix], |[f, b, m]| b * (1.0 - m) + f * m))
}
