//! The page's types are the server's: this writes them out and fails when the file in the web part is not what they say.
//! `UPDATE_TYPES=1 cargo test -p ember-ridge-server --test types` rewrites it.

use ember_ridge_core::bake::{Estimate, MapReport, Report, SheetFile};
use ember_ridge_core::hits::HitRule;
use ember_ridge_core::inspect::{IslandLine, MipLine, UvReport};
use ember_ridge_core::maps::{
    AoSettings, BentNormalSettings, CavityMethod, CavitySettings, ColorFrom, ColorSettings, CurvatureEncoding,
    CurvatureSettings, DisplacementSettings, EmissionSettings, Falloff, Green, IdSettings, IdSource, MadeFrom, MapKind,
    MapSettings, MapShape, MetallicSettings, MissSettings, NormalObjectSettings, NormalSettings, Occluders,
    OpacitySettings, PaletteEntry, PositionAxis, PositionSettings, Rays, RaysByError, RoughnessSettings,
    ThicknessSettings,
};
use ember_ridge_core::mesh::{Facing, Plane, PlaneTarget, UvChoice};
use ember_ridge_core::pairs::{Endings, HandPair, Pairing};
use ember_ridge_core::picture::{Depth, ImageFormat, PictureSource};
use ember_ridge_core::reach::{
    Axis, Brush, Direction, FitLimit, FitReport, MarkKind, PartReach, Reach, ReachSide, ResolvedReach, Stroke,
    SuggestedReach,
};
use ember_ridge_core::recipe::{
    Change, Conflict, FileBeside, GROWING_LISTS, MeshSource, NAMED_LISTS, NormalMapSource, Recipe,
};
use ember_ridge_core::review::{Crossing, Fate, NeedleFate, RaySide, Trace, TraceNeighbour, TracedRay};
use ember_ridge_core::sheet::{Layout, Padding, SheetSettings};
use ember_ridge_core::step::{MeshStep, Turn};
use ember_ridge_core::surface::Distance;
use ember_ridge_core::trace::BackFaces;
use ember_ridge_core::{Exception, Finding, FindingKind, Fix, FixOn, Place, Severity};
use ember_ridge_server::Problem;
use ember_ridge_server::api::*;
use ember_ridge_store::{RunKind, RunStatus};
use ts_rs::{Config, TS};

const FILE: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/../../web/src/api/types.ts");

#[test]
fn the_pages_types_are_the_servers() {
    let config = Config::new();
    let mut text = String::from("// Written from the Rust types by crates/server/tests/types.rs. Do not edit.\n");
    macro_rules! write_out {
        ($($type:ty),+ $(,)?) => { $( text.push_str(&format!("\nexport {}\n", <$type>::decl(&config))); )+ };
    }
    write_out!(
        Severity,
        FindingKind,
        Place,
        Turn,
        MeshStep,
        FixOn,
        Fix,
        Finding,
        Exception,
        Plane,
        UvChoice,
        Facing,
        PlaneTarget,
        MeshSource,
        FileBeside,
        PictureSource,
        NormalMapSource,
        Pairing,
        Endings,
        HandPair,
        Distance,
        PartReach,
        Brush,
        ReachSide,
        Axis,
        Stroke,
        Reach,
        Direction,
        HitRule,
        BackFaces,
        Padding,
        ImageFormat,
        Layout,
        Depth,
        SheetSettings,
        Green,
        NormalSettings,
        NormalObjectSettings,
        MadeFrom,
        Rays,
        RaysByError,
        Falloff,
        Occluders,
        AoSettings,
        BentNormalSettings,
        CurvatureEncoding,
        CurvatureSettings,
        CavityMethod,
        CavitySettings,
        DisplacementSettings,
        IdSource,
        IdSettings,
        ColorFrom,
        ColorSettings,
        OpacitySettings,
        RoughnessSettings,
        MetallicSettings,
        EmissionSettings,
        PositionAxis,
        PositionSettings,
        ThicknessSettings,
        MissSettings,
        MapSettings,
        MapShape,
        MapKind,
        Recipe,
        SuggestedReach,
        FitReport,
        ResolvedReach,
        PaletteEntry,
        SheetFile,
        MapReport,
        Report,
        Estimate,
        MapLine,
        Swatch,
        Estimates,
        RunKind,
        RunStatus,
        AssetLine,
        NewAsset,
        Role,
        PartLine,
        MeshSummary,
        MeshView,
        PairedPart,
        PairView,
        IslandLine,
        MipLine,
        UvReport,
        AssetView,
        RunView,
        RunPage,
        PictureLine,
        RunDetail,
        Change,
        Conflict,
        Freed,
        KeptHitsView,
        About,
        Revision,
        RunOrder,
        MarkKind,
        FitLimit,
        NeedleFate,
        PartReachLine,
        MarkCount,
        NeedleCounts,
        EnvelopeHeader,
        TexelView,
        TexelMap,
        RaySide,
        Fate,
        Crossing,
        TracedRay,
        TraceNeighbour,
        Trace,
        TraceView,
        Problem,
        Event,
        ProgressView,
        DisplayHeader,
        DisplayPart,
        DisplayArray
    );
    // How places of a recipe are named is one table for both.
    let named = serde_json::to_string(NAMED_LISTS).expect("words");
    let growing = serde_json::to_string(GROWING_LISTS).expect("words");
    text.push_str(&format!("\nexport const NAMED_LISTS: readonly (readonly [string, string])[] = {named};\n"));
    text.push_str(&format!("\nexport const GROWING_LISTS: readonly string[] = {growing};\n"));
    if std::env::var_os("UPDATE_TYPES").is_some() {
        std::fs::create_dir_all(std::path::Path::new(FILE).parent().expect("the path has a folder")).expect("folder");
        std::fs::write(FILE, &text).expect("the web part can be written");
    }
    let there = std::fs::read_to_string(FILE).unwrap_or_default();
    assert!(there == text, "{FILE} is out of date; run with UPDATE_TYPES=1 and commit it");
}
