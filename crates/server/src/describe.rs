//! The description of the API, as OpenAPI 3.1: paths from the routes themselves (utoipa), types from the Rust types (schemars). The
//! page's client and types are generated from it, and tests hold every answer to it.
//!
//! Types come by way of schemars and not of utoipa's own derive because it knows what serde leaves out, which fields are always
//! sent, and how long fixed arrays are. Objects are therefore described as the server sends them; what a request may leave out is
//! told in docs/api.md and docs/recipe.md.

use crate::api::{
    About, Acceptance, AgainstLive, AskedAt, AskedByExample, AssetLine, AssetView, BatchOrder, BatchView, Choices,
    ClusterView, DeliveryOrder, DeliveryPlan, DeliveryView, DisplacedHeader, DisplayHeader, EnvelopeHeader, Event,
    FileNames, Freed, HitsLimit, HoldOrder, KeptHitsView, LevelsView, LowOff, LowPolyOrder, LowPolyTo, MapLine,
    MaskChoices, MeasuringShare, MeshFindings, MeshFormat, MipView, NewAsset, NewMend, NewPlane, Offered, PictureUse,
    Preflight, PresetLine, ProfileLine, ProofLimit, ProofRoom, QueueOrder, QueuedRun, ReadyFinishLine, RegionName,
    Revision, Role, RunDetail, RunLabel, RunOrder, RunPage, RunsCompared, Side, SortedFiles, Subdivisions, Swatch,
    TexelView, TraceView, UvFalloff, UvOrder, UvState,
};
use crate::fault::Problem;
use crate::routes;
use ember_ridge_core::Recipe;
use ember_ridge_core::deliver::Profile;
use ember_ridge_core::finish::{KeptFinishes, KeptMasks, Mask, RegionBy};
use ember_ridge_core::inspect::UvReport;
use ember_ridge_core::mend::{Mend, Mends};
use ember_ridge_core::reach::{FitLimit, Stroke};
use ember_ridge_core::recipe::{Change, FixOrder};
use ember_ridge_core::review::{AskedTruths, Distribution, FinishView, MaskAt, MaskView, NeedleFate, Proposals};
use ember_ridge_core::sheet::SheetTable;
use schemars::JsonSchema;
use schemars::generate::{SchemaGenerator, SchemaSettings};
use serde_json::{Map, Value, json};

/// Where OpenAPI keeps its types.
const TYPES: &str = "/components/schemas";

/// Types that a request or an answer holds; those they hold come with them.
fn types() -> Map<String, Value> {
    let settings = SchemaSettings::draft2020_12().for_serialize().with(|s| s.definitions_path = TYPES.into());
    let mut generator = settings.into_generator();
    macro_rules! with {
        ($($type:ty),+ $(,)?) => { $( add::<$type>(&mut generator); )+ };
    }
    with!(
        About,
        Acceptance,
        AgainstLive,
        AskedAt,
        AskedByExample,
        AskedTruths,
        AssetLine,
        AssetView,
        BatchOrder,
        BatchView,
        Change,
        Choices,
        ClusterView,
        DeliveryOrder,
        DeliveryPlan,
        DeliveryView,
        DisplacedHeader,
        DisplayHeader,
        Distribution,
        EnvelopeHeader,
        Event,
        FileNames,
        FitLimit,
        FixOrder,
        Freed,
        HitsLimit,
        HoldOrder,
        KeptHitsView,
        KeptFinishes,
        KeptMasks,
        LevelsView,
        LowOff,
        LowPolyOrder,
        LowPolyTo,
        MapLine,
        Mask,
        MaskAt,
        MaskChoices,
        MeasuringShare,
        MaskView,
        Mend,
        Mends,
        MeshFindings,
        MeshFormat,
        MipView,
        NeedleFate,
        NewAsset,
        NewMend,
        NewPlane,
        Offered,
        PictureUse,
        Preflight,
        PresetLine,
        ReadyFinishLine,
        FinishView,
        Problem,
        Profile,
        ProfileLine,
        ProofLimit,
        ProofRoom,
        Proposals,
        QueueOrder,
        QueuedRun,
        Recipe,
        RegionBy,
        RegionName,
        Revision,
        Role,
        RunDetail,
        RunLabel,
        RunOrder,
        RunPage,
        RunsCompared,
        SheetTable,
        Side,
        SortedFiles,
        Stroke,
        Subdivisions,
        Swatch,
        TexelView,
        TraceView,
        UvFalloff,
        UvOrder,
        UvReport,
        UvState,
    );
    let mut types = generator.take_definitions(true);
    types.values_mut().for_each(take_apart);
    types
}

/// What says something of its own beside a reference becomes both together: readers of OpenAPI heed one or the other.
fn take_apart(value: &mut Value) {
    if let Some(object) = value.as_object_mut().filter(|o| o.contains_key("$ref") && o.contains_key("properties")) {
        let reference = object.remove("$ref");
        let own = std::mem::take(object);
        *value = json!({ "allOf": [{ "$ref": reference }, own] });
    }
    match value {
        Value::Object(object) => object.values_mut().for_each(take_apart),
        Value::Array(list) => list.iter_mut().for_each(take_apart),
        Value::Null | Value::Bool(_) | Value::Number(_) | Value::String(_) => {}
    }
}

fn add<T: JsonSchema>(generator: &mut SchemaGenerator) {
    generator.subschema_for::<T>();
}

/// The whole description, as JSON.
///
/// # Panics
/// Not on any input: it has none.
pub fn description() -> Value {
    let mut whole = serde_json::to_value(routes::described()).expect("a description is plain data");
    whole["info"] = json!({
        "title": "Ember Ridge",
        "version": env!("CARGO_PKG_VERSION"),
        "description": "Everything that the page does is done through these routes. Objects are described as the server sends \
            them. Every error has the form of Problem.",
        "license": { "name": "MIT OR Apache-2.0" },
    });
    whole["servers"] = json!([{ "url": "/api" }]);
    resolve(&mut whole["paths"]);
    as_bytes(&mut whole["paths"]);
    for operation in whole["paths"].as_object_mut().into_iter().flatten().filter_map(|(_, p)| p.as_object_mut()) {
        for (_, operation) in operation {
            operation["responses"]["default"] = json!({
                "description": "What is wrong, and what to do",
                "content": { "application/json": { "schema": { "$ref": reference("Problem") } } },
            });
        }
    }
    whole["components"] = json!({ "schemas": types() });
    whole
}

fn reference(name: &str) -> String {
    format!("#{TYPES}/{name}")
}

/// Routes name a type by its name alone, a list of it as `Name[]`, and one that may be null as `Name?`.
fn resolve(value: &mut Value) {
    match value {
        Value::Object(object) => {
            let named =
                object.get("$ref").and_then(Value::as_str).filter(|name| !name.starts_with('#')).map(str::to_owned);
            match named {
                Some(name) => *value = by_name(&name),
                None => object.values_mut().for_each(resolve),
            }
        }
        Value::Array(list) => list.iter_mut().for_each(resolve),
        Value::Null | Value::Bool(_) | Value::Number(_) | Value::String(_) => {}
    }
}

/// Bodies that are no text are bytes.
fn as_bytes(value: &mut Value) {
    match value {
        Value::Object(object) => {
            for (name, inner) in object {
                match name.as_str() {
                    "image/png" | "application/octet-stream" | "application/zip" => {
                        inner["schema"] = json!({ "type": "string", "format": "binary" });
                    }
                    _ => as_bytes(inner),
                }
            }
        }
        Value::Array(list) => list.iter_mut().for_each(as_bytes),
        Value::Null | Value::Bool(_) | Value::Number(_) | Value::String(_) => {}
    }
}

fn by_name(name: &str) -> Value {
    match (name.strip_suffix("[]"), name.strip_suffix('?')) {
        (Some(item), _) => json!({ "type": "array", "items": { "$ref": reference(item) } }),
        (None, Some(one)) => json!({ "anyOf": [{ "$ref": reference(one) }, { "type": "null" }] }),
        (None, None) => json!({ "$ref": reference(name) }),
    }
}
