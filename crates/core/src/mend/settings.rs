//! Mends as a recipe holds them.

use crate::finish::Color;
use crate::maps::{MapSettings, Reads};
use crate::reach::{BrushCourse, MOST_PATH};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// Strokes of a recipe, at most.
pub const MOST_MENDS: usize = 1024;

/// What a stroke does to a map.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum MendTool {
    /// Takes what lies elsewhere on the surface.
    Clone,
    /// Drags what lies there along the stroke.
    Smudge,
    /// Evens out what lies there.
    Smooth,
    /// Sets a value; directions become those of the low-poly itself.
    Set,
}

impl MendTool {
    /// As it is told in a list of changes.
    pub fn words(self) -> &'static str {
        match self {
            MendTool::Clone => "clone",
            MendTool::Smudge => "smudge",
            MendTool::Smooth => "smooth",
            MendTool::Set => "set",
        }
    }

    /// Whether it mixes neighbours, which colours that stand for something do not survive.
    fn mixes(self) -> bool {
        matches!(self, MendTool::Smudge | MendTool::Smooth)
    }
}

/// One stroke over the low-poly.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Mend {
    pub tool: MendTool,
    /// Maps that it changes, as the recipe names them. One that the recipe does not make is passed over.
    pub maps: Vec<String>,
    /// Distance along the surface at which the effect ends, scene units.
    pub size: f32,
    /// 0 to 1.
    pub strength: f32,
    /// What [`MendTool::Set`] sets numbers to, in the true unit of the map (share, scene units, 1 over scene units).
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub value: Option<f32>,
    /// What [`MendTool::Set`] sets colours to.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub color: Option<Color>,
    /// Where [`MendTool::Clone`] takes what it puts at the beginning of its path (x, y, z, scene units); the rest follows beside it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub from: Option<[f32; 3]>,
    /// Points on the low surface (x, y, z, scene units) and pressure there, 0 to 1.
    pub path: Vec<[f32; 4]>,
    /// What each map held along the path when the stroke was made, by map: so many numbers for each of a few places. A later bake that
    /// holds something else there tells so.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub beneath: BTreeMap<String, Vec<Vec<f32>>>,
}

/// All mends of a recipe, in the order they were made.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields, default)]
pub struct Mends {
    /// They are left out of bakes.
    #[serde(skip_serializing_if = "std::ops::Not::not")]
    pub hidden: bool,
    pub strokes: Vec<Mend>,
}

impl Mends {
    pub fn is_empty(&self) -> bool {
        *self == Mends::default()
    }

    /// Those that a bake draws, each with its number from 0.
    pub fn shown(&self) -> impl Iterator<Item = (usize, &Mend)> {
        self.strokes.iter().enumerate().filter(|_| !self.hidden)
    }

    /// Whether a bake draws any onto a map.
    pub fn touch(&self, map: &str) -> bool {
        self.shown().any(|(_, mend)| mend.maps.iter().any(|own| own == map))
    }

    /// Checks them against the maps they are for.
    ///
    /// # Errors
    /// The stroke by its number from 1, the field, what it holds, what it may hold.
    pub fn validate(&self, maps: &[MapSettings]) -> Result<(), String> {
        if self.strokes.len() > MOST_MENDS {
            return Err(format!("mends.strokes has {}; a recipe takes at most {MOST_MENDS}", self.strokes.len()));
        }
        for (i, mend) in self.strokes.iter().enumerate() {
            mend.validate(maps).map_err(|fault| format!("mends.strokes: number {}: {fault}", i + 1))?;
        }
        Ok(())
    }
}

impl Mend {
    pub(super) fn course(&self) -> BrushCourse<'_> {
        BrushCourse { size: self.size, mirror: None, path: &self.path }
    }

    fn validate(&self, maps: &[MapSettings]) -> Result<(), String> {
        self.course().validate()?;
        if !(0.0..=1.0).contains(&self.strength) {
            return Err(format!("strength is {}; give 0 to 1", self.strength));
        }
        if self.maps.is_empty() {
            return Err("maps is empty; name the maps that it changes".into());
        }
        let finite = |numbers: &[f32]| numbers.iter().all(|n| n.is_finite());
        match (self.tool, self.from) {
            (MendTool::Clone, Some(from)) if finite(&from) => {}
            (MendTool::Clone, from) => return Err(format!("from is {from:?}; \"clone\" needs a place, x, y, z")),
            (_, Some(_)) => return Err("from is for \"clone\" only; leave it out".into()),
            (_, None) => {}
        }
        if self.tool != MendTool::Set && (self.value.is_some() || self.color.is_some()) {
            return Err("value and color are for \"set\" only; leave them out".into());
        }
        if self.value.is_some_and(|value| !value.is_finite()) {
            return Err("value is not a number".into());
        }
        let odd = |places: &Vec<Vec<f32>>| places.len() > MOST_PATH || places.iter().any(|p| p.len() > 4 || !finite(p));
        if let Some((map, _)) = self.beneath.iter().find(|(_, places)| odd(places)) {
            return Err(format!("beneath.{map} holds more than a few numbers for each of a few places; leave it out"));
        }
        let own = |map: &&MapSettings| self.maps.contains(&map.key());
        maps.iter().filter(own).try_for_each(|map| self.suits(map))
    }

    /// Whether it can change a map.
    fn suits(&self, map: &MapSettings) -> Result<(), String> {
        let (key, words) = (map.key(), self.tool.words());
        if map.kind().flat && self.tool.mixes() {
            return Err(format!(
                "\"{words}\" would mix the colours of {key}, which stand for parts; set or clone them"
            ));
        }
        if self.tool != MendTool::Set {
            return Ok(());
        }
        match map.reads(1.0) {
            Reads::Direction { .. } => Ok(()),
            Reads::Color if self.color.is_none() => {
                Err(format!("{key} holds colours; give a color such as \"#8a5a2b\""))
            }
            Reads::Height | Reads::Number { .. } if self.value.is_none() => {
                Err(format!("{key} holds numbers; give a value in {}", map.reads(1.0).unit().words()))
            }
            Reads::Color | Reads::Height | Reads::Number { .. } => Ok(()),
        }
    }
}
