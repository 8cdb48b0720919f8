//! Channel, constant and conditional nodes (MaterialX Specification 1.39, "Channel Nodes" and "Conditional Nodes").

use super::{Call, Category, DocumentType, Wide, category, nth};
use crate::finish::graph::NodeId;

pub(super) const NODES: &[Category] = &[
    category("constant", |c| Ok(c.get("value", 0.0))),
    category("dot", |c| Ok(c.get("in", 0.0))),
    category("convert", convert),
    category("extract", extract),
    category("swizzle", swizzle),
    category("combine2", combine),
    category("combine3", combine),
    category("combine4", combine),
    category("separate2", |c| Ok(c.get("in", 0.0))),
    category("separate3", |c| Ok(c.get("in", 0.0))),
    category("separate4", |c| Ok(c.get("in", 0.0))),
    category("ifgreater", |c| choose(c, "greater", |[a, b, yes, no]| if a > b { yes } else { no })),
    category("ifgreatereq", |c| choose(c, "greater or equal", |[a, b, yes, no]| if a >= b { yes } else { no })),
    category("ifequal", |c| choose(c, "equal", |[a, b, yes, no]| if a == b { yes } else { no })),
    category("switch", switch),
    category("and", |c| logic(c, "both", |[a, b]| f32::from(a != 0.0 && b != 0.0))),
    category("or", |c| logic(c, "either", |[a, b]| f32::from(a != 0.0 || b != 0.0))),
    category("xor", |c| logic(c, "one of two", |[a, b]| f32::from((a != 0.0) != (b != 0.0)))),
    category("not", not),
];

/// From one type to another: one number goes for all, an alpha that is missing is 1, other missing numbers are 0.
fn convert(call: &mut Call) -> Result<Wide, String> {
    let input = call.get("in", 0.0);
    let kind = call.node.kind;
    let (zero, one) = (call.constant(0.0), call.constant(1.0));
    if kind == DocumentType::Surface {
        // A colour as a surface is one that gives off its light.
        let light = |at: usize| if input.len() < 3 { input[0] } else { input[at] };
        return Ok(vec![zero, zero, zero, one, zero, light(0), light(1), light(2), one]);
    }
    if kind == DocumentType::Boolean {
        return Ok(vec![call.apply("is set", [input[0]], |[x]| f32::from(x != 0.0))]);
    }
    let missing = |at: usize| if at == 3 { one } else { zero };
    let with = |at: usize| match input.len() {
        1 if at == 3 && kind == DocumentType::Color4 => one,
        1 => input[0],
        _ => input.get(at).copied().unwrap_or_else(|| missing(at)),
    };
    Ok((0..kind.numbers()).map(with).collect())
}

fn extract(call: &mut Call) -> Result<Wide, String> {
    let input = call.get("in", 0.0);
    let index = call.fixed("index", 0.0)?;
    Ok(vec![nth(&input, index.max(0.0) as usize)])
}

/// Letters of channels and the numbers 0 and 1, as it was before 1.39.
fn swizzle(call: &mut Call) -> Result<Wide, String> {
    let input = call.get("in", 0.0);
    let channels = call.text("channels").unwrap_or("").to_owned();
    let mut wide = Vec::new();
    for letter in channels.chars() {
        wide.push(match letter {
            '0' => call.constant(0.0),
            '1' => call.constant(1.0),
            'r' | 'x' | 'u' => nth(&input, 0),
            'g' | 'y' | 'v' => nth(&input, 1),
            'b' | 'z' => nth(&input, 2),
            'a' | 'w' => nth(&input, 3),
            other => return Err(format!("'{other}' names no channel")),
        });
    }
    if wide.is_empty() { Ok(input) } else { Ok(wide) }
}

fn combine(call: &mut Call) -> Result<Wide, String> {
    let mut wide = Wide::new();
    for name in ["in1", "in2", "in3", "in4"] {
        if call.input(name).is_some() {
            wide.extend(call.get(name, 0.0));
        }
    }
    wide.truncate(call.node.kind.numbers());
    let zero = call.constant(0.0);
    wide.resize(call.node.kind.numbers(), zero);
    Ok(wide)
}

fn choose(call: &mut Call, name: &str, function: fn([f32; 4]) -> f32) -> Result<Wide, String> {
    let (a, b) = (vec![call.number("value1", 1.0)], vec![call.number("value2", 0.0)]);
    // A test by itself says yes or no.
    let (yes, no) = match call.input("in1").is_some() {
        true => (call.get("in1", 0.0), call.get("in2", 0.0)),
        false => (vec![call.constant(1.0)], vec![call.constant(0.0)]),
    };
    Ok(call.each(name, [&a, &b, &yes, &no], function))
}

/// The first of ten where the number is below 1, the second below 2, and so on; 0 from 10 on.
fn switch(call: &mut Call) -> Result<Wide, String> {
    let which = call.number("which", 0.0);
    let width = call.node.kind.numbers();
    let mut chosen: Wide = vec![call.constant(0.0); width];
    for number in (1..=10).rev() {
        let Some(value) = call.try_get(&format!("in{number}")) else { continue };
        let limit = call.constant(number as f32);
        chosen = (0..width)
            .map(|at| {
                let pair: [NodeId; 4] = [which, limit, nth(&value, at), chosen[at]];
                call.apply("below", pair, |[a, b, yes, no]| if a < b { yes } else { no })
            })
            .collect();
    }
    Ok(chosen)
}

fn logic(call: &mut Call, name: &str, function: fn([f32; 2]) -> f32) -> Result<Wide, String> {
    let (a, b) = (call.get("in1", 0.0), call.get("in2", 0.0));
    Ok(call.each(name, [&a, &b], function))
}

fn not(call: &mut Call) -> Result<Wide, String> {
    let input = call.get("in", 0.0);
    Ok(call.each("not", [&input], |[x]| f32::from(x == 0.0)))
}
