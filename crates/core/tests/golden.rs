//! The bytes of a small bake of every map. They are the same on every machine, for any number of threads and from one version to
//! the next; one that changes them on purpose changes the hashes here and says so.

use crate::support::*;
use ember_ridge_core::finish::*;
use ember_ridge_core::glam::{Vec3, vec2};
use ember_ridge_core::maps::MapSettings;
use ember_ridge_core::picture::Depth;
use ember_ridge_core::{Draft, DraftPart, Mesh};

/// Of every map by its id: FNV-1a over the values as they stand in the file.
const GOLDEN: &[(&str, u64)] = &[
    ("normal", 0x034c83b3baf16771),
    ("normal-object", 0xd9f5e52b5f4d278b),
    ("ao", 0x717391c5e707cd91),
    ("bent-normal", 0x94a7f5f066bdf646),
    ("curvature", 0xcfda99c650718b5a),
    ("cavity", 0x9da9793614ac8e3f),
    ("displacement", 0x229e122f8f7dfdf6),
    ("id", 0x461d23c7cba92905),
    ("color", 0x0be7c2493d274c2c),
    ("opacity", 0x067e7e2f6bc40325),
    ("roughness", 0x9a94f0b262477c4f),
    ("metallic", 0xf7f076529007c5f1),
    ("emission", 0x55fdacf02f860fb2),
    ("position", 0xade7752ca3634fd5),
    ("thickness", 0x672aaccc94a71e79),
    ("miss", 0xf3fb6a6deb5af325),
    ("mask:noise", 0x3982402662940955),
    ("mask:cells", 0x2b61027a94458aa0),
    ("mask:speckles", 0xcc7291b9f42b51bc),
    ("mask:scratches", 0x055aac1d31aed077),
    ("mask:gradient", 0x29a2e54d0fc42fed),
    ("mask:gradient-point", 0x07212b48c484a413),
    ("mask:gradient-part", 0x0f444889aead708e),
    ("mask:bricks", 0xd52dbf53e45c1416),
    ("mask:planks", 0x838c7c7020e61820),
    ("mask:shingles", 0x400cb1b6c45aef6e),
    ("mask:weave", 0xa8c8f581c199b97e),
    ("mask:rings", 0x519a020349c12eab),
    ("mask:checker", 0xda6eaf74d86905aa),
    ("mask:measured", 0x1184ce8bf48c97f5),
    ("finish normal", 0xf94190b239180707),
    ("finish displacement", 0x7ff6a6b0457e0ce2),
    ("finish base-color", 0x438aea278b40d5e0),
    ("finish opacity", 0x001a70379865baa6),
    ("finish roughness", 0xab8692cf59a963d4),
    ("finish metallic", 0x8e7484359771f3a4),
    ("finish emission", 0x7d04e61a7cb55065),
    ("finish height", 0xb431c4c4796b0490),
];

fn hash(bytes: impl Iterator<Item = u8>) -> u64 {
    bytes.fold(0xcbf2_9ce4_8422_2325, |hash, byte| (hash ^ u64::from(byte)).wrapping_mul(0x0100_0000_01b3))
}

/// A rough ball with colours and UVs of its own, in a box. Made without functions whose rounding is left open.
fn scene() -> (Mesh, Mesh) {
    let mut draft = Draft::default();
    let mut indices = Vec::new();
    let n = 30u32;
    for out in [Vec3::X, Vec3::NEG_X, Vec3::Y, Vec3::NEG_Y, Vec3::Z, Vec3::NEG_Z] {
        let right = if out.y != 0.0 { Vec3::X } else { Vec3::Y.cross(out) };
        let up = out.cross(right);
        let first = draft.positions.len() as u32;
        for j in 0..=n {
            for i in 0..=n {
                let [x, y] = [i, j].map(|k| 2.0 * k as f32 / n as f32 - 1.0);
                let p = (out + right * x + up * y).normalize();
                let step = if (p.x * 6.0).floor() as i32 % 2 == 0 { 1.0 } else { 0.94 };
                draft.positions.push(p * 0.62 * step * (1.0 + 0.1 * p.y * p.y));
                draft.colors.push([p.x, p.y, p.z].map(|c| (c * 100.0 + 128.0) as u8));
                draft.uvs.push(vec2(x, y) * 0.5 + 0.5);
            }
        }
        let at = |i: u32, j: u32| first + j * (n + 1) + i;
        for (i, j) in (0..n).flat_map(|j| (0..n).map(move |i| (i, j))) {
            indices.extend([at(i, j), at(i + 1, j), at(i + 1, j + 1), at(i, j), at(i + 1, j + 1), at(i, j + 1)]);
        }
    }
    draft.parts.push(DraftPart { name: "box".into(), indices, ..DraftPart::default() });
    (cube("box", 0.5), with_surface(&draft.finish().expect("a whole mesh")))
}

/// A mask of each pattern that reads no file, and one of signals that are measured, blurred.
fn masks() -> Vec<Mask> {
    let term = |signal| Term { signal, from: [0.0, 1.0], to: [1.0, 1.0], combine: Combine::And, break_up: None };
    let patterns = PatternSettings::all().into_iter().filter(|p| !matches!(p, PatternSettings::Picture(_)));
    let of_pattern = |pattern: PatternSettings| {
        let name = pattern.info().id.to_owned();
        let place = PlaceSettings { terms: vec![term(Signal::Pattern { pattern })], ..PlaceSettings::default() };
        Mask { name, place }
    };
    let measured = [
        Signal::Curvature { size: 0.2 },
        Signal::Occlusion { distance: 0.5 },
        Signal::Facing { direction: [0.0, 1.0, 0.3] },
        Signal::Distance { part: "box".into() },
    ];
    let joined = |signal| Term { from: [0.1, 0.4], to: [0.7, 0.9], combine: Combine::Or, ..term(signal) };
    let blurred = PlaceSettings { terms: measured.map(joined).into(), blur: 0.1, ..PlaceSettings::default() };
    patterns.map(of_pattern).chain([Mask { name: "measured".into(), place: blurred }]).collect()
}

/// A finish that sets every channel, by a value, by a ramp and by what was measured.
fn finish() -> Finish {
    let noise = Signal::Pattern { pattern: PatternSettings::Noise(NoiseSettings::default()) };
    let ends = [(0.2, Color([20, 40, 60])), (0.8, Color([200, 180, 90]))];
    let edges = Term {
        signal: Signal::Curvature { size: 0.2 },
        from: [0.1, 0.4],
        to: [1.0, 1.0],
        combine: Combine::And,
        break_up: None,
    };
    let coat = |name: &str, sets: Sets| Coat {
        name: name.into(),
        sets,
        place: PlaceSettings::default(),
        amount: 0.8,
        muted: false,
        solo: false,
        group: None,
    };
    let ground = Sets {
        color: Some(SetColor::ramp(noise.clone(), ends)),
        height: Some(SetNumber::ramp(noise, [(0.0, -0.02), (1.0, 0.03)])),
        emission: Some(SetColor { strength: 2.0, ..SetColor::to(Color([90, 30, 0])) }),
        ..Sets::default()
    };
    let worn = Sets {
        roughness: Some(SetNumber::to(0.2)),
        metallic: Some(SetNumber::to(1.0)),
        opacity: Some(SetNumber::to(0.7).blended(Blend::Multiply)),
        height: Some(SetNumber::to(0.01).blended(Blend::Add)),
        ..Sets::default()
    };
    let place = PlaceSettings { terms: vec![edges], ..PlaceSettings::default() };
    let coats = vec![coat("ground", ground), Coat { place, ..coat("worn", worn) }];
    Finish::everywhere("finish", Base::default(), coats)
}

/// Maps that finishes are needed for.
fn needs_finish(map: &MapSettings) -> bool {
    matches!(map, MapSettings::BaseColor(_) | MapSettings::Height(_))
}

fn hashes(whole: &Whole) -> Vec<(String, u64)> {
    let of_map = |map: &WholeMap| {
        assert_eq!(map.error, None, "{}", map.id);
        let values = 0..whole.covered.len() * map.channels;
        (map.id.clone(), hash(values.flat_map(|at| map.pixels.get(at).to_bits().to_le_bytes())))
    };
    whole.maps.iter().map(of_map).collect()
}

#[test]
fn every_map_has_the_bytes_it_always_had() {
    let (low, high) = scene();
    let without = MapSettings::all().into_iter().filter(|map| !needs_finish(map)).collect();
    let mut recipe = recipe(48, 4, (0.4, 0.4), without);
    recipe.sheet.depth = Depth::Sixteen;
    recipe.masks = masks();
    recipe.maps.extend(recipe.masks.iter().filter_map(|mask| MapSettings::by_key(&format!("mask:{}", mask.name))));
    let mut all = hashes(&bake(&recipe, &low, &[&high]));
    recipe.finishes = vec![finish()];
    recipe.maps = MapSettings::all().into_iter().filter(MapSettings::shows_finish).collect();
    all.extend(hashes(&bake(&recipe, &low, &[&high])).into_iter().map(|(id, hash)| (format!("finish {id}"), hash)));
    let found: Vec<(&str, u64)> = all.iter().map(|(id, hash)| (id.as_str(), *hash)).collect();
    let lines: Vec<String> = found.iter().map(|(id, hash)| format!("    (\"{id}\", {hash:#018x}),")).collect();
    assert!(found == GOLDEN, "the bytes are others:\n{}", lines.join("\n"));
}
