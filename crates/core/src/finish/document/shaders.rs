//! Surface shaders reduced to the channels of a finish, and displacement. What bends or scatters light is nobody's map: it is told and
//! left aside.

use super::{Call, Category, DocumentValue, Wide, category, nth};
use crate::finish::graph::NodeId;

pub(super) const NODES: &[Category] = &[
    category("standard_surface", standard_surface),
    category("open_pbr_surface", open_pbr_surface),
    category("gltf_pbr", gltf_pbr),
    category("UsdPreviewSurface", usd_preview_surface),
    category("surface_unlit", surface_unlit),
    category("displacement", displacement),
];

/// What a shader says of a place.
struct Surface {
    color: [NodeId; 3],
    roughness: NodeId,
    metallic: NodeId,
    emission: [NodeId; 3],
    opacity: NodeId,
}

impl Surface {
    fn wide(self) -> Wide {
        let Surface { color, roughness, metallic, emission, opacity } = self;
        color.into_iter().chain([roughness, metallic]).chain(emission).chain([opacity]).collect()
    }
}

/// Tells of the inputs that a document gives and that no map shows.
fn left_aside(call: &mut Call, names: &[&str]) {
    let given = |call: &Call, name: &str| {
        let Some(input) = call.input(name).filter(|input| input.given) else { return false };
        !matches!(&input.value, DocumentValue::Numbers(numbers) if numbers.iter().all(|number| *number == 0.0))
    };
    let set: Vec<&str> = names.iter().copied().filter(|name| given(call, name)).collect();
    if !set.is_empty() {
        let category = call.node.category.clone();
        call.aside(&format!("no map shows {} of {category}; its other inputs are baked", set.join(", ")));
    }
}

/// A colour times a number.
fn scaled(call: &mut Call, color: &str, by: &str, [color_default, by_default]: [f32; 2]) -> [NodeId; 3] {
    let color: [NodeId; 3] = call.several(color, color_default);
    let by = call.number(by, by_default);
    color.map(|channel| call.multiply(channel, by))
}

/// How solid a colour of opacities is: their mean.
fn mean(call: &mut Call, name: &str) -> NodeId {
    let wide = call.get(name, 1.0);
    match wide.len() {
        1 => wide[0],
        _ => call.apply("mean", [nth(&wide, 0), nth(&wide, 1), nth(&wide, 2)], |[r, g, b]| (r + g + b) / 3.0),
    }
}

fn standard_surface(call: &mut Call) -> Result<Wide, String> {
    left_aside(
        call,
        &["coat", "sheen", "transmission", "subsurface", "thin_film_thickness", "specular_anisotropy", "normal"],
    );
    let surface = Surface {
        color: scaled(call, "base_color", "base", [0.8, 1.0]),
        roughness: call.number("specular_roughness", 0.2),
        metallic: call.number("metalness", 0.0),
        emission: scaled(call, "emission_color", "emission", [1.0, 0.0]),
        opacity: mean(call, "opacity"),
    };
    Ok(surface.wide())
}

fn open_pbr_surface(call: &mut Call) -> Result<Wide, String> {
    left_aside(
        call,
        &[
            "coat_weight",
            "fuzz_weight",
            "transmission_weight",
            "subsurface_weight",
            "thin_film_weight",
            "specular_roughness_anisotropy",
            "geometry_normal",
        ],
    );
    let surface = Surface {
        color: scaled(call, "base_color", "base_weight", [0.8, 1.0]),
        roughness: call.number("specular_roughness", 0.3),
        metallic: call.number("base_metalness", 0.0),
        emission: scaled(call, "emission_color", "emission_luminance", [1.0, 0.0]),
        opacity: mean(call, "geometry_opacity"),
    };
    Ok(surface.wide())
}

fn gltf_pbr(call: &mut Call) -> Result<Wide, String> {
    left_aside(call, &["clearcoat", "sheen_color", "transmission", "iridescence", "anisotropy_strength", "normal"]);
    let (alpha, mode) = (call.number("alpha", 1.0), call.fixed("alpha_mode", 0.0)?);
    let cutoff = call.number("alpha_cutoff", 0.5);
    let opacity = match mode as i32 {
        0 => call.constant(1.0),
        1 => call.apply("at least", [alpha, cutoff], |[a, b]| f32::from(a >= b)),
        _ => alpha,
    };
    let surface = Surface {
        color: call.several("base_color", 1.0),
        roughness: call.number("roughness", 1.0),
        metallic: call.number("metallic", 1.0),
        emission: scaled(call, "emissive", "emissive_strength", [0.0, 1.0]),
        opacity,
    };
    Ok(surface.wide())
}

fn usd_preview_surface(call: &mut Call) -> Result<Wide, String> {
    left_aside(call, &["clearcoat", "displacement", "useSpecularWorkflow", "normal"]);
    let (opacity, threshold) = (call.number("opacity", 1.0), call.number("opacityThreshold", 0.0));
    let cut = |[a, b]: [f32; 2]| if b > 0.0 { f32::from(a >= b) } else { a };
    let surface = Surface {
        color: call.several("diffuseColor", 0.18),
        roughness: call.number("roughness", 0.5),
        metallic: call.number("metallic", 0.0),
        emission: call.several("emissiveColor", 0.0),
        opacity: call.apply("cut out", [opacity, threshold], cut),
    };
    Ok(surface.wide())
}

/// Light of its own and nothing else.
fn surface_unlit(call: &mut Call) -> Result<Wide, String> {
    let (black, rough) = (call.constant(0.0), call.constant(1.0));
    let surface = Surface {
        color: [black; 3],
        roughness: rough,
        metallic: black,
        emission: scaled(call, "emission_color", "emission", [1.0, 1.0]),
        opacity: call.number("opacity", 1.0),
    };
    Ok(surface.wide())
}

/// Along the normal, scene units.
fn displacement(call: &mut Call) -> Result<Wide, String> {
    let amount = call.get("displacement", 0.0);
    if amount.len() > 1 {
        return Err("it moves the surface sideways too; heights are baked from a displacement of one number".into());
    }
    let scale = call.number("scale", 1.0);
    Ok(vec![call.multiply(amount[0], scale)])
}
