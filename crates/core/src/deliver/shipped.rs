//! Profiles that come with the program, named for what they make.

use super::profile::{Channel, Holds, MapPick, MeshRules, PROFILE_VERSION, Pick, PictureRule, Profile};
use crate::maps::Green;
use crate::picture::{Depth, ImageFormat};

/// Roughness where a run has no map of it.
pub const PLAIN_ROUGHNESS: f32 = 0.8;

/// Every profile that comes with the program.
pub fn shipped_profiles() -> Vec<Profile> {
    vec![metal_rough_packed(), separate(), gltf(), film_exr(), painting_16()]
}

fn profile(name: &str, about: &str, pictures: Vec<PictureRule>) -> Profile {
    Profile {
        version: PROFILE_VERSION,
        name: name.to_owned(),
        about: about.to_owned(),
        pattern: "{asset}_{sheet}_{map}.{tile}".to_owned(),
        most_size: None,
        y: Green::Up,
        flip_v: false,
        pictures,
        meshes: MeshRules::default(),
    }
}

fn rule(suffix: &str, holds: Holds, depth: Depth) -> PictureRule {
    PictureRule { suffix: suffix.to_owned(), holds, format: ImageFormat::Png, depth, needed: false }
}

/// A map as it is.
fn whole(suffix: &str, map: &str, depth: Depth) -> PictureRule {
    rule(suffix, Holds::Map(map.to_owned()), depth)
}

fn needed(rule: PictureRule) -> PictureRule {
    PictureRule { needed: true, ..rule }
}

fn color_with_opacity() -> Vec<Pick> {
    let [r, g, b, _] = Channel::ALL;
    let color = |channel| Pick::of("base-color", channel);
    vec![color(r), color(g), color(b), Pick::or("opacity", 1.0)]
}

fn occlusion_roughness_metallic() -> Vec<Pick> {
    vec![Pick::or("ao", 1.0), Pick::or("roughness", PLAIN_ROUGHNESS), Pick::or("metallic", 0.0)]
}

fn metal_rough_packed() -> Profile {
    let pictures = vec![
        rule("BaseColorOpacity", Holds::Channels(color_with_opacity()), Depth::Eight),
        rule("OcclusionRoughnessMetallic", Holds::Channels(occlusion_roughness_metallic()), Depth::Eight),
        needed(whole("Normal", "normal", Depth::Eight)),
        whole("Emission", "emission", Depth::Eight),
        whole("Height", "displacement", Depth::Sixteen),
    ];
    profile(
        "metal-rough-packed",
        "Colour with opacity in one file, occlusion, roughness and metallic in another; for real-time renderers",
        pictures,
    )
}

fn separate() -> Profile {
    let gloss = MapPick { map: "roughness".to_owned(), channel: Channel::R, invert: true, otherwise: None };
    let pictures = vec![
        whole("BaseColor", "base-color", Depth::Eight),
        whole("Opacity", "opacity", Depth::Eight),
        whole("Roughness", "roughness", Depth::Eight),
        rule("Gloss", Holds::Channels(vec![Pick::Map(gloss)]), Depth::Eight),
        whole("Metallic", "metallic", Depth::Eight),
        whole("Emission", "emission", Depth::Eight),
        needed(whole("Normal", "normal", Depth::Sixteen)),
        whole("Occlusion", "ao", Depth::Eight),
        whole("Curvature", "curvature", Depth::Eight),
        whole("Cavity", "cavity", Depth::Eight),
        whole("Displacement", "displacement", Depth::Sixteen),
        whole("Id", "id", Depth::Eight),
    ];
    profile("separate", "Every map in a file of its own, with gloss beside roughness", pictures)
}

fn gltf() -> Profile {
    let pictures = vec![
        rule("baseColor", Holds::Channels(color_with_opacity()), Depth::Eight),
        rule("occlusionRoughnessMetallic", Holds::Channels(occlusion_roughness_metallic()), Depth::Eight),
        needed(whole("normal", "normal", Depth::Eight)),
        whole("emissive", "emission", Depth::Eight),
    ];
    let meshes = MeshRules { glb: true, obj: false, cage: false };
    let about = "The low-poly as one GLB, and its textures as glTF 2.0 packs them";
    Profile { most_size: Some(4096), meshes, ..profile("gltf", about, pictures) }
}

fn film_exr() -> Profile {
    let float = |suffix: &str, map: &str| PictureRule { format: ImageFormat::Exr, ..whole(suffix, map, Depth::Float) };
    let pictures = vec![
        float("base_color", "base-color"),
        float("opacity", "opacity"),
        float("roughness", "roughness"),
        float("metallic", "metallic"),
        float("emission", "emission"),
        float("normal", "normal"),
        needed(float("displacement", "displacement")),
        float("occlusion", "ao"),
        float("curvature", "curvature"),
        float("cavity", "cavity"),
    ];
    let about = "32-bit EXR, colour as linear light, heights in scene units, a file per UDIM tile";
    profile("film-exr", about, pictures)
}

fn painting_16() -> Profile {
    let pictures = vec![
        needed(whole("normal", "normal", Depth::Sixteen)),
        whole("normal_object", "normal-object", Depth::Sixteen),
        whole("bent_normal", "bent-normal", Depth::Sixteen),
        whole("occlusion", "ao", Depth::Sixteen),
        whole("curvature", "curvature", Depth::Sixteen),
        whole("cavity", "cavity", Depth::Sixteen),
        whole("thickness", "thickness", Depth::Sixteen),
        whole("position", "position", Depth::Sixteen),
        whole("displacement", "displacement", Depth::Sixteen),
        whole("id", "id", Depth::Eight),
    ];
    profile("painting-16", "What painting programs read of a bake, at 16 bit; ids at 8", pictures)
}
