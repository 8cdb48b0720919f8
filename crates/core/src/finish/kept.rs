//! Masks and finishes as files of their own: what is exported, imported and kept in a library.

use super::coats::{Finish, MOST_FINISHES, SetTo, Sets};
use super::patterns::{ControlInput, PatternSettings};
use super::settings::{MOST_MASKS, Mask, OPEN_END, PlaceSettings, Term};
use super::signal::{Signal, SignalUnit};
use super::words::figures;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use serde_json::Value;

/// Masks with the size of the asset that they were made for.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct KeptMasks {
    pub masks: Vec<Mask>,
    /// The asset from corner to corner, scene units: lengths are scaled with it where masks go to another asset.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub diagonal: Option<f32>,
}

impl KeptMasks {
    /// Masks from the text of a file that they were written to.
    ///
    /// # Errors
    /// The line, mask or setting, and what is wrong with it.
    pub fn from_json(text: &str) -> Result<KeptMasks, String> {
        let kept: KeptMasks = serde_json::from_str(text).map_err(|e| e.to_string())?;
        kept.validate()?;
        Ok(kept)
    }

    /// # Errors
    /// The mask or setting, and what is wrong with it.
    pub fn validate(&self) -> Result<(), String> {
        if self.masks.is_empty() || self.masks.len() > MOST_MASKS {
            return Err(format!("masks has {} entries; give 1 to {MOST_MASKS}", self.masks.len()));
        }
        self.masks.iter().try_for_each(Mask::validate)
    }
}

impl KeptMasks {
    /// The masks with their lengths scaled to an asset of another size, where the size they were made for is known.
    pub fn scaled_to(&self, diagonal: f32) -> Vec<Mask> {
        let by = self.diagonal.filter(|own| *own > 0.0).map_or(1.0, |own| diagonal / own);
        self.masks.iter().map(|mask| Mask { name: mask.name.clone(), place: mask.place.scaled(by) }).collect()
    }
}

/// Finishes with the size of the asset that they were made for.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct KeptFinishes {
    pub finishes: Vec<Finish>,
    /// The asset from corner to corner, scene units: lengths are scaled with it where finishes go to another asset.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub diagonal: Option<f32>,
    /// Words to find them by.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub tags: Vec<String>,
    /// Pictures and documents that they read, so that they go along.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub files: Vec<KeptFile>,
}

/// A file that finishes read, whole.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct KeptFile {
    pub file: String,
    /// Its bytes in Base64 (RFC 4648).
    pub data: String,
}

/// Files of finishes that are kept whole, at most.
pub const MOST_KEPT_FILES: usize = 256;

/// Every object of a recipe's part that names a file, with its hash if it has one.
fn each_file(value: &mut Value, visit: &mut dyn FnMut(&str, Option<&str>) -> Option<String>) {
    match value {
        Value::Array(items) => items.iter_mut().for_each(|item| each_file(item, visit)),
        Value::Object(fields) => {
            if let Some(file) = fields.get("file").and_then(Value::as_str).map(str::to_owned) {
                let hash = fields.get("hash").and_then(Value::as_str).map(str::to_owned);
                if let Some(hash) = visit(&file, hash.as_deref()) {
                    fields.insert("hash".into(), Value::String(hash));
                }
            }
            fields.values_mut().for_each(|field| each_file(field, visit));
        }
        _ => {}
    }
}

impl KeptFinishes {
    /// Names of the files that they read, with the hash of each where it is known.
    pub fn files_read(&self) -> Vec<(String, Option<String>)> {
        let mut files: Vec<(String, Option<String>)> = Vec::new();
        if let Ok(mut whole) = serde_json::to_value(&self.finishes) {
            each_file(&mut whole, &mut |file, hash| {
                if !files.iter().any(|(known, _)| known == file) {
                    files.push((file.to_owned(), hash.map(str::to_owned)));
                }
                None
            });
        }
        files
    }

    /// The same with the hashes of files that are at hand, by name.
    pub fn with_hashes(self, hash_of: &dyn Fn(&str) -> Option<String>) -> KeptFinishes {
        let Ok(mut whole) = serde_json::to_value(&self.finishes) else { return self };
        each_file(&mut whole, &mut |file, _| hash_of(file));
        match serde_json::from_value(whole) {
            Ok(finishes) => KeptFinishes { finishes, ..self },
            Err(_) => self,
        }
    }
}

impl KeptFinishes {
    /// Finishes from the text of a file that they were written to: a list of them under `finishes`, or one by itself.
    ///
    /// # Errors
    /// The line, finish or setting, and what is wrong with it.
    pub fn from_json(text: &str) -> Result<KeptFinishes, String> {
        let whole: Value = serde_json::from_str(text).map_err(|e| e.to_string())?;
        let kept = match whole.get("finishes") {
            Some(_) => serde_json::from_str(text).map_err(|e| e.to_string())?,
            None => {
                let one = serde_json::from_str(text).map_err(|e| e.to_string())?;
                KeptFinishes { finishes: vec![one], diagonal: None, tags: Vec::new(), files: Vec::new() }
            }
        };
        kept.validate()?;
        Ok(kept)
    }

    /// # Errors
    /// The finish or setting, and what is wrong with it.
    pub fn validate(&self) -> Result<(), String> {
        if self.finishes.is_empty() || self.finishes.len() > MOST_FINISHES {
            return Err(format!("finishes has {} entries; give 1 to {MOST_FINISHES}", self.finishes.len()));
        }
        if self.files.len() > MOST_KEPT_FILES {
            return Err(format!("files has {} entries; give at most {MOST_KEPT_FILES}", self.files.len()));
        }
        self.finishes.iter().try_for_each(Finish::validate)
    }

    /// The finishes with their lengths scaled to an asset of another size, where the size they were made for is known.
    pub fn scaled_to(&self, diagonal: f32) -> Vec<Finish> {
        let by = self.diagonal.filter(|own| *own > 0.0).map_or(1.0, |own| diagonal / own);
        self.finishes.iter().map(|finish| finish.scaled(by)).collect()
    }
}

impl Finish {
    /// The finish with every length times `by`.
    fn scaled(&self, by: f32) -> Finish {
        let mut scaled = self.clone();
        scaled.base.height = times(scaled.base.height, by);
        for coat in &mut scaled.coats {
            coat.place = coat.place.scaled(by);
            let Sets { color, roughness, metallic, emission, opacity, height } = &mut coat.sets;
            [color, emission].into_iter().flatten().for_each(|set| scale_set(set, by));
            [roughness, metallic, opacity].into_iter().flatten().for_each(|set| scale_set(set, by));
            if let Some(height) = height {
                scale_set(height, by);
                let stops = height.ramp.iter_mut().flat_map(|ramp| ramp.stops.iter_mut().map(|(_, value)| value));
                height.value.iter_mut().chain(stops).for_each(|value| *value = times(*value, by));
                // A picture of heights has no length but this.
                if height.picture.is_some() {
                    height.strength = times(height.strength, by);
                }
            }
        }
        scaled
    }
}

/// Lengths of what a set lies over.
fn scale_set<T>(set: &mut SetTo<T>, by: f32) {
    if let Some(ramp) = &mut set.ramp {
        scale_signal(&mut ramp.over, by);
        if ramp.over.info().unit == SignalUnit::Length {
            ramp.stops.iter_mut().for_each(|(at, _)| *at = times(*at, by));
        }
    }
    if let Some(picture) = &mut set.picture
        && !picture.space.is_uv()
    {
        picture.size = times(picture.size, by);
    }
}

impl PlaceSettings {
    /// The place with every length times `by`.
    fn scaled(&self, by: f32) -> PlaceSettings {
        let mut scaled = self.clone();
        scaled.blur = times(self.blur, by);
        for term in &mut scaled.terms {
            scale_term(term, by);
        }
        scaled
    }
}

/// A length times `by`, to three figures, so that it reads well.
fn times(length: f32, by: f32) -> f32 {
    if by == 1.0 { length } else { figures(length * by).parse().unwrap_or(length * by) }
}

fn scale_signal(signal: &mut Signal, by: f32) {
    match signal {
        Signal::Curvature { size } | Signal::Cavity { size } => *size = times(*size, by),
        Signal::Occlusion { distance } | Signal::Thickness { distance } => *distance = times(*distance, by),
        Signal::Paint { strokes } => {
            for stroke in strokes {
                stroke.size = times(stroke.size, by);
                stroke.path.iter_mut().flat_map(|point| &mut point[..3]).for_each(|c| *c *= by);
            }
        }
        Signal::Pattern { pattern } => *pattern = pattern.scaled(by),
        Signal::Facing { .. }
        | Signal::Height { .. }
        | Signal::Distance { .. }
        | Signal::Region { .. }
        | Signal::Channel { .. }
        | Signal::Picture { .. }
        | Signal::Mask { .. } => {}
    }
}

fn scale_term(term: &mut Term, by: f32) {
    scale_signal(&mut term.signal, by);
    let in_lengths = term.signal.info().unit == SignalUnit::Length;
    if in_lengths {
        let open = |end: f32| end.abs() >= OPEN_END;
        term.from.iter_mut().chain(&mut term.to).filter(|end| !open(**end)).for_each(|end| *end = times(*end, by));
    }
    if let Some(break_up) = &mut term.break_up {
        break_up.pattern = break_up.pattern.scaled(by);
        if in_lengths {
            break_up.amount = times(break_up.amount, by);
        }
    }
}

impl PatternSettings {
    /// The pattern with every length times `by`; over UVs it has none.
    fn scaled(&self, by: f32) -> PatternSettings {
        if self.frame().space.is_uv() {
            return self.clone();
        }
        let Ok(mut fields) = serde_json::to_value(self) else { return self.clone() };
        let one = |value: &mut Value| {
            if let Some(number) = value.as_f64() {
                *value = Value::from(times(number as f32, by));
            }
        };
        for control in self.info().controls {
            match (control.input, fields.get_mut(control.setting)) {
                (ControlInput::Length { .. } | ControlInput::Coordinate, Some(value)) => one(value),
                (ControlInput::Point, Some(Value::Array(point))) => point.iter_mut().for_each(one),
                _ => {}
            }
        }
        let mut scaled: PatternSettings = serde_json::from_value(fields).unwrap_or_else(|_| self.clone());
        if let Some(warp) = scaled.warp_mut() {
            warp.amount = times(warp.amount, by);
            *warp.pattern = warp.pattern.scaled(by);
        }
        scaled
    }
}
