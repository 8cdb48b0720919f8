//! A length in scene units, or the wish to have it measured.

use schemars::{JsonSchema, Schema, SchemaGenerator, json_schema};
use serde::{Deserialize, Serialize};
use std::borrow::Cow;

/// A distance in scene units, or `"auto"`: for reaches, fitted to the sculpt at each vertex; elsewhere, measured from the meshes.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(untagged, expecting = "a distance is a number in scene units, or \"auto\"")]
pub enum Distance {
    #[default]
    #[serde(with = "auto_word")]
    Auto,
    Units(f32),
}

impl Distance {
    /// Scene units: as set, or this share of a diagonal where it is `auto`.
    pub fn or_share(self, share: f32, diagonal: f32) -> f32 {
        match self {
            Distance::Units(units) => units,
            Distance::Auto => diagonal * share,
        }
    }

    /// What is set; none where it is measured.
    pub fn set(self) -> Option<f32> {
        match self {
            Distance::Units(units) => Some(units),
            Distance::Auto => None,
        }
    }

    /// In the words of the ledger.
    pub fn words(self) -> String {
        match self {
            Distance::Auto => "auto".into(),
            Distance::Units(units) => units.to_string(),
        }
    }

    /// Checks what is set under a name.
    ///
    /// # Errors
    /// The name, what it is, and what it may be.
    pub fn check(self, name: &str) -> Result<(), String> {
        match self {
            Distance::Units(d) if !(d.is_finite() && d > 0.0) => {
                Err(format!("{name} is {d}; give a distance above 0 in scene units, or \"auto\""))
            }
            Distance::Units(_) | Distance::Auto => Ok(()),
        }
    }
}

impl JsonSchema for Distance {
    fn schema_name() -> Cow<'static, str> {
        "Distance".into()
    }

    fn json_schema(_: &mut SchemaGenerator) -> Schema {
        json_schema!({
            "description": "A distance in scene units, or \"auto\" to have it measured.",
            "anyOf": [{ "const": "auto" }, { "type": "number" }],
        })
    }
}

mod auto_word {
    use serde::{Deserialize, Deserializer, Serializer, de::Error};

    pub fn serialize<S: Serializer>(s: S) -> Result<S::Ok, S::Error> {
        s.serialize_str("auto")
    }

    pub fn deserialize<'de, D: Deserializer<'de>>(d: D) -> Result<(), D::Error> {
        match String::deserialize(d)?.as_str() {
            "auto" => Ok(()),
            other => Err(D::Error::custom(format!("'{other}' is not a distance; give a number or \"auto\""))),
        }
    }
}
