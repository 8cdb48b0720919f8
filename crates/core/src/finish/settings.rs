//! Places as a recipe holds them: a short list of terms, each a signal with a soft range, and what is done to their sum. A mask is a
//! place with a name.

use super::patterns::{PatternSettings, is_default};
use super::signal::Signal;
use crate::picture::PictureSource;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Masks of a recipe, and terms of a place, at most.
pub const MOST_MASKS: usize = 64;
pub const MOST_TERMS: usize = 16;
/// Where a signal has no range of its own, an end so far off, in scene units, leaves that side open.
pub const OPEN_END: f32 = 1e6;
/// Characters of the name of a mask, a finish or a coat, at most.
const MOST_NAME: usize = 60;

/// A mask: a place with a name. It is baked by a map that names it.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Mask {
    pub name: String,
    #[serde(default)]
    pub place: PlaceSettings,
}

/// Where something lies, as a number from 0 to 1 at every place of the surface.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(default, deny_unknown_fields)]
pub struct PlaceSettings {
    /// Without any it is 1 everywhere.
    pub terms: Vec<Term>,
    /// Radius of a blur along the surface, across UV seams; scene units.
    #[serde(skip_serializing_if = "is_default")]
    pub blur: f32,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub levels: Option<Levels>,
    #[serde(skip_serializing_if = "is_default")]
    pub invert: bool,
    /// Scales it, last of all; 0 to 1.
    #[serde(skip_serializing_if = "is_one")]
    pub amount: f32,
}

impl Default for PlaceSettings {
    fn default() -> Self {
        PlaceSettings { terms: Vec::new(), blur: 0.0, levels: None, invert: false, amount: 1.0 }
    }
}

pub(super) fn is_one(value: &f32) -> bool {
    *value == 1.0
}

/// # Errors
/// What the name may be.
pub(super) fn check_name(what: &str, name: &str) -> Result<(), String> {
    let characters = name.chars().count();
    if name.trim().is_empty() || characters > MOST_NAME || name.chars().any(char::is_control) {
        return Err(format!("{what} '{name}': a name has 1 to {MOST_NAME} characters"));
    }
    Ok(())
}

/// The value that becomes 0 and the one that becomes 1, straight between them and cut off beyond.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Levels {
    pub low: f32,
    pub high: f32,
}

/// How a term joins those before it.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Combine {
    /// The product.
    #[default]
    And,
    /// The larger of the two.
    Or,
    /// What came before, times what this leaves.
    Minus,
}

/// A signal's values that count, with a soft end on each side: 0 at `from[0]` and below, 1 from `from[1]` to `to[0]`, 0 at `to[1]` and
/// above, straight between.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, JsonSchema)]
pub struct SoftRange {
    pub from: [f32; 2],
    pub to: [f32; 2],
}

impl SoftRange {
    /// The share of a value that counts, 0 to 1. Where an end is hard, its value counts in full.
    #[inline(always)]
    pub fn at(&self, value: f32) -> f32 {
        let ([a, b], [c, d]) = (self.from, self.to);
        let rise = if value >= b {
            1.0
        } else if value <= a {
            0.0
        } else {
            (value - a) / (b - a)
        };
        let fall = if value <= c {
            1.0
        } else if value >= d {
            0.0
        } else {
            (d - value) / (d - c)
        };
        f32::min(rise, fall)
    }
}

/// A signal moved by a pattern before its range is taken, so that edges fray.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct BreakUp {
    /// The furthest the signal is moved either way, in its own unit: by `amount * (2 p - 1)` where the pattern is `p`.
    pub amount: f32,
    pub pattern: PatternSettings,
}

/// One term of a place.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Term {
    pub signal: Signal,
    /// Where it is 0 and where it is 1, in the signal's unit.
    pub from: [f32; 2],
    /// Where it is 1 and where it is 0 again.
    pub to: [f32; 2],
    #[serde(default, skip_serializing_if = "is_default")]
    pub combine: Combine,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub break_up: Option<BreakUp>,
}

impl Term {
    /// Its ends stand in order: somewhere between them a value may count in full.
    pub fn holds_anything(&self) -> bool {
        let [a, b, c, d] = [self.from[0], self.from[1], self.to[0], self.to[1]];
        a <= b && b <= c && c <= d
    }

    /// Takes a picture as what its signal, the signal's pattern or its break-up reads; false where none of them reads one.
    pub fn read(&mut self, picture: PictureSource) -> bool {
        let broken = self.break_up.as_mut().map(|break_up| &mut break_up.pattern);
        match (&mut self.signal, broken) {
            (Signal::Picture { file, hash, .. }, _) => {
                (*file, *hash) = (picture.file, picture.hash);
                true
            }
            (Signal::Pattern { pattern: PatternSettings::Picture(own) }, _)
            | (_, Some(PatternSettings::Picture(own))) => {
                own.picture = Some(picture);
                true
            }
            _ => false,
        }
    }

    /// The range grown so that it holds a value in full.
    pub fn including(&self, value: f32) -> SoftRange {
        let mut range = self.range();
        if value < range.from[1] {
            let by = range.from[1] - value;
            range.from = range.from.map(|end| end - by);
        }
        if value > range.to[0] {
            let by = value - range.to[0];
            range.to = range.to.map(|end| end + by);
        }
        range
    }

    /// The range cut so that it leaves a value out, at the end that is nearer to it.
    pub fn leaving_out(&self, value: f32) -> SoftRange {
        let mut range = self.range();
        if range.at(value) == 0.0 {
            return range;
        }
        // An end that stands open lies as far off as can be.
        let middle = 0.5 * (range.from[1].max(-OPEN_END) + range.to[0].min(OPEN_END));
        let within = self.signal.info().range.is_some();
        let low = match (within, range.from[1] <= -OPEN_END, range.to[0] >= OPEN_END) {
            (false, true, false) => false,
            (false, false, true) => true,
            _ => value < middle,
        };
        // Just beyond the value, so that a hard end leaves it out too.
        if low {
            let soft = range.from[1] - range.from[0];
            let cut = value.next_up();
            range.from = [cut, cut + soft];
            range.to = [range.to[0].max(range.from[1]), range.to[1].max(range.from[1])];
        } else {
            let soft = range.to[1] - range.to[0];
            let cut = value.next_down();
            range.to = [cut - soft, cut];
            range.from = [range.from[0].min(range.to[0]), range.from[1].min(range.to[0])];
        }
        range
    }

    pub fn range(&self) -> SoftRange {
        SoftRange { from: self.from, to: self.to }
    }

    fn validate(&self) -> Result<(), String> {
        self.signal.validate()?;
        if self.from.iter().chain(&self.to).any(|end| !end.is_finite()) {
            return Err(format!("from {:?} to {:?} is no range; give four numbers", self.from, self.to));
        }
        let Some(break_up) = &self.break_up else { return Ok(()) };
        if !break_up.amount.is_finite() {
            return Err(format!("break_up.amount is {}; give a number", break_up.amount));
        }
        break_up.pattern.validate().map_err(|fault| format!("break_up: {fault}"))
    }
}

impl PlaceSettings {
    /// Pictures that it reads.
    pub fn pictures(&self) -> Vec<PictureSource> {
        let of_term = |term: &Term| {
            let broken = term.break_up.iter().flat_map(|b| b.pattern.pictures()).cloned();
            term.signal.pictures().into_iter().chain(broken).collect::<Vec<_>>()
        };
        self.terms.iter().flat_map(of_term).collect()
    }

    pub(super) fn signals(&self) -> impl Iterator<Item = &Signal> {
        self.terms.iter().map(|term| &term.signal)
    }

    /// Those of `masks` that it uses, and those that these use.
    pub fn masks_used<'a>(&self, masks: &'a [Mask]) -> Vec<&'a Mask> {
        masks_of(self.signals(), masks)
    }

    /// # Errors
    /// The setting, what it holds, what it may hold.
    pub fn validate(&self) -> Result<(), String> {
        if self.terms.len() > MOST_TERMS {
            return Err(format!("it has {} terms; give at most {MOST_TERMS}", self.terms.len()));
        }
        if !(self.blur >= 0.0 && self.blur < 1e9) {
            return Err(format!("blur is {}; give a radius of 0 or more in scene units", self.blur));
        }
        if !(0.0..=1.0).contains(&self.amount) {
            return Err(format!("amount is {}; give 0 to 1", self.amount));
        }
        if let Some(Levels { low, high }) = self.levels
            && !(low.is_finite() && high.is_finite() && low != high)
        {
            return Err(format!("levels are {low} and {high}; give two different numbers"));
        }
        for (number, term) in self.terms.iter().enumerate() {
            term.validate().map_err(|fault| format!("term {}: {fault}", number + 1))?;
        }
        Ok(())
    }
}

/// Those of `masks` that signals refer to, and those that these refer to.
pub(super) fn masks_of<'a, 's>(signals: impl Iterator<Item = &'s Signal>, masks: &'a [Mask]) -> Vec<&'a Mask> {
    let named = |signal: &Signal| signal.mask().and_then(|name| masks.iter().find(|mask| mask.name == name));
    let mut used: Vec<&Mask> = Vec::new();
    let mut open: Vec<&Mask> = signals.filter_map(named).collect();
    while let Some(mask) = open.pop() {
        if !used.iter().any(|known| known.name == mask.name) {
            used.push(mask);
            open.extend(mask.place.signals().filter_map(named));
        }
    }
    used
}

impl Mask {
    /// The name as files have it: letters and figures, with dashes for the rest.
    pub fn file_name(&self) -> String {
        file_name(&self.name)
    }

    /// # Errors
    /// The setting, what it holds, what it may hold.
    pub fn validate(&self) -> Result<(), String> {
        let name = &self.name;
        check_name("mask", name)?;
        if name.contains(['/', '\\', '@', ':']) {
            return Err(format!("mask '{name}': a name goes without / \\ @ and :"));
        }
        if !name.chars().any(char::is_alphanumeric) {
            return Err(format!("mask '{name}': a name needs a letter or a figure, as its file is called by it"));
        }
        self.place.validate().map_err(|fault| format!("mask '{name}': {fault}"))
    }
}

/// A name as files have it: letters and figures, one dash for whatever else stands between them.
pub(crate) fn file_name(name: &str) -> String {
    let words = name.split(|c: char| !c.is_alphanumeric() && c != '_').filter(|word| !word.is_empty());
    words.collect::<Vec<_>>().join("-")
}
