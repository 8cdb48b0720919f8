//! Geometric nodes, pictures and what runs along the UVs (MaterialX Specification 1.39, "Geometric Nodes", "Texture Nodes", "Procedural
//! Nodes").

use super::{Aside, Call, Category, DocumentValue, Wide, category, nth};
use crate::finish::graph::{Function, Input, NodeId};
use crate::finish::patterns::placeholder;
use crate::picture::{Image, Sampler, Wrap};
use glam::vec2;
use std::sync::Arc;

pub(super) const NODES: &[Category] = &[
    category("position", |c| of_surface(c, Input::Position)),
    category("normal", |c| of_surface(c, Input::Normal)),
    category("texcoord", texcoord),
    category("geomcolor", geomcolor),
    category("geompropvalue", geompropvalue),
    category("image", image),
    category("ramplr", |c| along(c, "ramped", ["valuel", "valuer"], 0, ramped)),
    category("ramptb", |c| along(c, "ramped", ["valueb", "valuet"], 1, ramped)),
    category("splitlr", |c| along(c, "split", ["valuel", "valuer"], 0, split)),
    category("splittb", |c| along(c, "split", ["valueb", "valuet"], 1, split)),
];

fn coordinates(call: &mut Call, input: Input) -> [NodeId; 3] {
    let vector = call.graph.input(input);
    [0, 1, 2].map(|axis| call.graph.coordinate(vector, axis))
}

/// In object space; model and world space are the same here, as the asset stands where it was made.
fn of_surface(call: &mut Call, input: Input) -> Result<Wide, String> {
    Ok(coordinates(call, input).to_vec())
}

fn texcoord(call: &mut Call) -> Result<Wide, String> {
    if call.fixed("index", 0.0)? != 0.0 {
        call.aside("the mesh is read with one UV set for textures; that one stands in for the other");
    }
    let [u, v, w] = coordinates(call, Input::TextureUv);
    Ok(if call.node.kind.numbers() == 3 { vec![u, v, w] } else { vec![u, v] })
}

/// The colour that the sculpt carries.
fn geomcolor(call: &mut Call) -> Result<Wide, String> {
    let [r, g, b] = coordinates(call, Input::Carried);
    let one = call.constant(1.0);
    Ok(match call.node.kind.numbers() {
        1 => vec![r],
        3 => vec![r, g, b],
        _ => vec![r, g, b, one],
    })
}

/// What meshes have under the names in use for it.
fn geompropvalue(call: &mut Call) -> Result<Wide, String> {
    let name = call.text("geomprop").unwrap_or("").to_owned();
    match name.to_ascii_lowercase().as_str() {
        "st" | "uv" | "uv0" | "map1" | "texcoord" | "i_texcoord_0" => texcoord(call),
        "p" | "pobject" | "pworld" | "pref" | "position" => of_surface(call, Input::Position),
        "n" | "nobject" | "nworld" | "normal" => of_surface(call, Input::Normal),
        "displaycolor" | "cd" | "color" | "i_color_0" => geomcolor(call),
        _ => {
            call.aside(&format!("the meshes carry no '{name}'; its default stands there"));
            let default = call.get("default", 0.0);
            let width = call.node.kind.numbers().max(1);
            Ok((0..width).map(|at| nth(&default, at)).collect())
        }
    }
}

/// How a picture goes on beyond its edges, and whether only its default lies there.
fn beyond(call: &Call, name: &str) -> (Wrap, bool) {
    match call.text(name) {
        Some("clamp") => (Wrap::Clamp, false),
        Some("mirror") => (Wrap::Mirror, false),
        Some("constant" | "black") => (Wrap::Clamp, true),
        _ => (Wrap::Repeat, false),
    }
}

fn image(call: &mut Call) -> Result<Wide, String> {
    let width = call.node.kind.numbers().max(1);
    let default = call.get("default", 0.0);
    let number = call.input("file").and_then(|input| match input.value {
        DocumentValue::Picture(number) => Some(number),
        _ => None,
    });
    let picture = number.map(|number| &call.document.pictures[number]);
    let color = call.node.kind.is_color();
    let image = match picture.map(|picture| (&picture.file, &picture.image)) {
        Some((_, Ok(image))) => image.clone(),
        missing => {
            let why = missing.map_or_else(
                || "it names no file".to_owned(),
                |(file, image)| match image {
                    Err(why) if why.contains(file.as_str()) => why.clone(),
                    Err(why) => format!("{file}: {why}"),
                    Ok(_) => String::new(),
                },
            );
            let said = call.said(&why);
            call.asides.push(Aside::Picture(said));
            // Colours that nobody takes for those of the picture; a number that is missing is its default.
            if !color {
                return Ok((0..width).map(|at| nth(&default, at)).collect());
            }
            placeholder()
        }
    };
    let at = match call.input("texcoord").is_some() {
        true => call.several("texcoord", 0.0),
        false => {
            let [u, v, _] = coordinates(call, Input::TextureUv);
            [u, v]
        }
    };
    let side = footprint(call);
    let ((u, out_u), (v, out_v)) = (beyond(call, "uaddressmode"), beyond(call, "vaddressmode"));
    let sampler = Sampler { wrap: [u, v], nearest: call.text("filtertype") == Some("closest") };
    let beside = [out_u, out_v];
    // A picture of one channel says the same in all of them.
    let channels = image.channels;
    let mut wide = Wide::new();
    for channel in 0..width {
        let name = format!("picture {number:?} {} {sampler:?} {beside:?} {channel}", call.document.key);
        let arguments = [at[0], at[1], side, nth(&default, channel)];
        let read = match (channels, channel) {
            (1 | 2, 0..3) => 0,
            (_, channel) => channel,
        };
        wide.push(call.graph.function(&name, &arguments, reading(image.clone(), read, sampler, beside)));
    }
    Ok(wide)
}

/// The side of the square of a picture that a place stands for, in the picture's own UVs.
fn footprint(call: &mut Call) -> NodeId {
    let read = call.input("texcoord").and_then(|input| match input.value {
        DocumentValue::Node(read, _) => Some(read),
        _ => None,
    });
    let [on_sheet, on_surface] = read.map_or([1.0, 0.0], |read| call.laid.steps[read]);
    let (sheet, surface) = (call.graph.input(Input::TextureUvSide), call.graph.input(Input::Side));
    let (on_sheet, on_surface) = (call.constant(on_sheet), call.constant(on_surface));
    call.apply("furthest", [sheet, on_sheet, surface, on_surface], |[a, b, c, d]| (a * b).max(c * d))
}

/// A channel of a picture, averaged over the square that a place stands for.
fn reading(image: Arc<Image>, channel: usize, sampler: Sampler, beside: [bool; 2]) -> Function {
    let texels = image.width.max(image.height) as f32;
    Box::new(move |columns, out| {
        for (i, slot) in out.iter_mut().enumerate() {
            let (u, v) = (columns[0][i], columns[1][i]);
            let outside = |x: f32, axis: usize| beside[axis] && !(0.0..=1.0).contains(&x);
            *slot = match outside(u, 0) || outside(v, 1) {
                true => columns[3][i],
                false => image.light(vec2(u, v), columns[2][i] * texels, sampler)[channel],
            };
        }
    })
}

fn ramped([from, to, at, _]: [f32; 4]) -> f32 {
    let t = at.clamp(0.0, 1.0);
    from * (1.0 - t) + to * t
}

fn split([from, to, at, center]: [f32; 4]) -> f32 {
    if at < center { from } else { to }
}

/// From one value to another along a coordinate of the UVs.
fn along(
    call: &mut Call,
    name: &str,
    [from, to]: [&str; 2],
    axis: usize,
    function: fn([f32; 4]) -> f32,
) -> Result<Wide, String> {
    let (from, to) = (call.get(from, 0.0), call.get(to, 0.0));
    let place: [NodeId; 2] = call.several("texcoord", 0.0);
    let center = vec![call.number("center", 0.5)];
    let at = vec![place[axis]];
    Ok(call.each(name, [&from, &to, &at, &center], function))
}
