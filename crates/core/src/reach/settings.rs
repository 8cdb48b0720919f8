//! What a recipe says of reaches: distances for the asset and for parts, and strokes painted on the low-poly.

use super::Direction;
use crate::surface::{Axis, Distance};
use crate::trace::BackFaces;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// How far rays start outside the low surface, and how far they go inside it.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Reach {
    pub out: Distance,
    #[serde(rename = "in")]
    pub inward: Distance,
    /// Low-poly parts with distances of their own.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub parts: Vec<PartReach>,
    /// What was painted, in order.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub strokes: Vec<Stroke>,
}

/// Distances of one low-poly part in place of the asset's.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct PartReach {
    /// Name of the low-poly part.
    pub part: String,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub out: Option<Distance>,
    #[serde(default, rename = "in", skip_serializing_if = "Option::is_none")]
    pub inward: Option<Distance>,
}

/// What a stroke does to the vertices, or for plumb to the surface, that it passes.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Brush {
    /// Up to twice the reach.
    More,
    /// Down to half the reach.
    Less,
    /// Towards the mean of the vertices around.
    Smooth,
    /// To a distance.
    Set,
    /// Back to what was fitted or typed.
    Fitted,
    /// Rays square to the face.
    Plumb,
    /// Rays along the averaged direction again.
    Averaged,
}

impl Brush {
    /// True for the brushes that turn rays, false for those that lengthen them.
    pub fn turns(self) -> bool {
        matches!(self, Brush::Plumb | Brush::Averaged)
    }

    pub fn words(self) -> &'static str {
        match self {
            Brush::More => "more reach",
            Brush::Less => "less reach",
            Brush::Smooth => "smooth reach",
            Brush::Set => "set reach",
            Brush::Fitted => "fitted reach",
            Brush::Plumb => "plumb",
            Brush::Averaged => "averaged again",
        }
    }
}

/// Which of the two reaches a stroke changes.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum ReachSide {
    #[default]
    Out,
    In,
    Both,
}

/// One stroke of a brush over the low-poly. A stroke has its effect once, however often it passes a place.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Stroke {
    pub brush: Brush,
    #[serde(default)]
    pub side: ReachSide,
    /// Distance along the surface at which the effect ends, scene units.
    pub size: f32,
    /// 0 to 1.
    pub strength: f32,
    /// The distance that [`Brush::Set`] sets, scene units.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub value: Option<f32>,
    /// Painted on the other side too, across the middle of the low-poly.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub mirror: Option<Axis>,
    /// Points on the low surface (x, y, z, scene units) and pressure there, 0 to 1.
    pub path: Vec<[f32; 4]>,
}

/// Points of a stroke, and strokes of a recipe, at most.
pub const MOST_PATH: usize = 2048;
pub const MOST_STROKES: usize = 4096;

impl Stroke {
    fn validate(&self) -> Result<(), String> {
        self.course().validate()?;
        if !(0.0..=1.0).contains(&self.strength) {
            return Err(format!("strength is {}; give 0 to 1", self.strength));
        }
        match (self.brush, self.value) {
            (Brush::Set, Some(value)) if value.is_finite() && value >= 0.0 => Ok(()),
            (Brush::Set, value) => Err(format!("value is {value:?}; \"set\" needs a distance of 0 or more")),
            (_, Some(_)) => Err(format!("value is for \"set\" only, not for {:?}; leave it out", self.brush)),
            (_, None) => Ok(()),
        }
    }
}

fn check(name: &str, distance: Distance) -> Result<(), String> {
    match distance {
        Distance::Units(d) if !(d.is_finite() && d >= 0.0) => {
            Err(format!("{name} is {d}; give a distance of 0 or more in scene units, or \"auto\""))
        }
        _ => Ok(()),
    }
}

impl Reach {
    /// # Errors
    /// The field, what it holds, what it may hold.
    pub fn validate(&self) -> Result<(), String> {
        check("reach.out", self.out)?;
        check("reach.in", self.inward)?;
        if self.out == Distance::Units(0.0) && self.inward == Distance::Units(0.0) {
            return Err("reach.out and reach.in are both 0, so rays have no length; raise one of them".into());
        }
        for (i, own) in self.parts.iter().enumerate() {
            let name = format!("reach.parts: '{}'", own.part);
            check(&format!("{name}: out"), own.out.unwrap_or_default())?;
            check(&format!("{name}: in"), own.inward.unwrap_or_default())?;
            if self.parts[..i].iter().any(|p| p.part == own.part) {
                return Err(format!("{name} is named twice; keep one"));
            }
        }
        if self.strokes.len() > MOST_STROKES {
            return Err(format!("reach.strokes has {}; a recipe takes at most {MOST_STROKES}", self.strokes.len()));
        }
        for (i, stroke) in self.strokes.iter().enumerate() {
            stroke.validate().map_err(|fault| format!("reach.strokes: number {}: {fault}", i + 1))?;
        }
        Ok(())
    }

    /// What a part's reaches are set to: its own, or the asset's.
    pub fn of_part(&self, part: &str) -> (Distance, Distance) {
        let own = self.parts.iter().find(|p| p.part == part);
        (own.and_then(|p| p.out).unwrap_or(self.out), own.and_then(|p| p.inward).unwrap_or(self.inward))
    }

    /// Whether any stroke turns rays.
    pub fn paints_plumb(&self) -> bool {
        self.strokes.iter().any(|s| s.brush == Brush::Plumb)
    }
}

/// What decides about reaches besides the meshes.
#[derive(Clone, Copy)]
pub struct ReachRules<'a> {
    pub reach: &'a Reach,
    pub direction: Direction,
    pub back_faces: BackFaces,
}
