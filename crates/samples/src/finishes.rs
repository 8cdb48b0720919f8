//! The samples' finishes: ready-made ones given to what they suit, and two of the lantern's own.

use ember_ridge_core::finish::{
    Base, BaseColor, Blend, Body, Coat, Color, Finish, FinishOn, NoiseSettings, PatternSettings, PlaceSettings,
    READY_FINISHES, ReadyFinish, RingsSettings, SetColor, SetNumber, Sets, Signal, Term, Warp,
};
use ember_ridge_core::maps::MapSettings;
use ember_ridge_core::surface::Axis;
use ember_ridge_core::{Mesh, Recipe};

/// The body of meshes that stand together.
pub(crate) fn body(low: &Mesh, high: &Mesh) -> Body {
    let (a, b) = (low.bounds(), high.bounds());
    let (from, to) = (a.0.min(b.0), a.1.max(b.1));
    Body::of(from.distance(to), a, b)
}

/// A ready-made finish for an asset, given to what it suits.
pub(crate) fn ready(name: &str, body: &Body, on: FinishOn) -> Option<Finish> {
    debug_assert!(READY_FINISHES.iter().any(|ready| ready.name == name), "{name}");
    ReadyFinish::named(name).map(|ready| Finish { on, ..ready.finish(body) })
}

/// Gives a recipe finishes and the maps that show them.
pub(crate) fn give(recipe: &mut Recipe, finishes: impl IntoIterator<Item = Finish>, maps: &[&str]) {
    recipe.finishes.extend(finishes);
    recipe.maps.extend(maps.iter().filter_map(|map| MapSettings::by_key(map)));
}

/// Regions by their vertex colour, as an ID map from colours tells them.
pub(crate) fn by_color(colors: &[[u8; 3]]) -> FinishOn {
    FinishOn::Ids(colors.iter().map(|color| Color(*color).to_string()).collect())
}

fn coat(name: &str, place: PlaceSettings, sets: Sets) -> Coat {
    Coat { name: name.into(), sets, place, amount: 1.0, muted: false, solo: false, group: None }
}

fn place(signal: Signal, from: [f32; 2], to: [f32; 2]) -> PlaceSettings {
    let term = Term { signal, from, to, combine: Default::default(), break_up: None };
    PlaceSettings { terms: vec![term], ..PlaceSettings::default() }
}

fn noise(size: f32, seed: u32) -> PatternSettings {
    PatternSettings::Noise(NoiseSettings { size, octaves: 5, gain: 0.55, seed, ..NoiseSettings::default() })
}

fn base(color: [u8; 3], roughness: f32, metallic: f32) -> Base {
    Base { color: BaseColor::Value(Color(color)), roughness, metallic, ..Base::default() }
}

/// Blackened iron, bare where it is rubbed, rusty in its corners.
pub(crate) fn lamp_iron(body: &Body, on: FinishOn) -> Finish {
    let unit = body.diagonal;
    let mut rust = place(Signal::Occlusion { distance: 0.03 * unit }, [0.0, 0.0], [0.4, 0.8]);
    rust.amount = 0.7;
    let rubbed = place(Signal::Curvature { size: 0.004 * unit }, [0.3, 0.7], [1.0, 1.0]);
    let bare = Sets { roughness: Some(SetNumber::to(0.3)), ..color_of(SetColor::to(Color([0x78, 0x78, 0x7a]))) };
    let stops = [(0.3, Color([0x3a, 0x1c, 0x10])), (0.7, Color([0x7a, 0x3c, 0x1c]))];
    let over = Signal::Pattern { pattern: noise(0.02 * unit, 4) };
    let rusty = Sets {
        roughness: Some(SetNumber::to(0.9)),
        metallic: Some(SetNumber::to(0.0)),
        ..color_of(SetColor::ramp(over, stops))
    };
    let coats = vec![coat("rubbed", rubbed, bare), coat("rust", rust, rusty)];
    Finish { on, ..Finish::everywhere("lamp iron", base([0x2e, 0x2f, 0x31], 0.5, 1.0), coats) }
}

/// Ash wood, oiled by hands.
pub(crate) fn oiled_ash(body: &Body, on: FinishOn) -> Finish {
    let unit = body.diagonal;
    let rings = PatternSettings::Rings(RingsSettings {
        size: 0.008 * unit,
        axis: Axis::X,
        middle: [0.0, 0.3 * unit, 0.03 * unit],
        warp: Some(Warp { amount: 0.006 * unit, pattern: Box::new(noise(0.08 * unit, 2)) }),
        ..RingsSettings::default()
    });
    let stops = [(0.0, Color([0xa8, 0x7c, 0x4e])), (1.0, Color([0x6e, 0x47, 0x28]))];
    let grain =
        coat("grain", PlaceSettings::default(), color_of(SetColor::ramp(Signal::Pattern { pattern: rings }, stops)));
    let hands = Sets {
        roughness: Some(SetNumber::to(0.35)),
        ..color_of(SetColor::to(Color([0x6b, 0x55, 0x42])).blended(Blend::Multiply))
    };
    let mut held = place(Signal::Pattern { pattern: noise(0.06 * unit, 7) }, [0.35, 0.65], [1.0, 1.0]);
    held.amount = 0.55;
    let coats = vec![grain, coat("hands", held, hands)];
    Finish { on, ..Finish::everywhere("oiled ash", base([0x8c, 0x62, 0x3c], 0.55, 0.0), coats) }
}

fn color_of(color: SetColor) -> Sets {
    Sets { color: Some(color), ..Sets::default() }
}
