//! Finishes as a recipe holds them: a base and the coats that lie on it, from the ground up. What a coat sets is blended over what lies
//! below it where its place is, as far as its amount goes.

use super::color::Color;
use super::patterns::{MOST_STOPS, PatternSettings, PicturePatternSettings, Space, is_default};
use super::settings::{Mask, PlaceSettings, check_name, is_one, masks_of};
use super::signal::Signal;
use super::stack::FinishChannel;
use crate::picture::{FileBeside, PictureSource};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Finishes of a recipe, and coats of a finish, at most.
pub const MOST_FINISHES: usize = 64;
pub const MOST_COATS: usize = 32;

/// What a surface is made of.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Finish {
    pub name: String,
    /// What it is given to. Of several on one place the last counts.
    #[serde(default)]
    pub on: FinishOn,
    #[serde(default)]
    pub base: Base,
    /// A procedural surface made elsewhere, in place of the base; coats lie on it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub materialx: Option<DocumentSource>,
    /// From the ground up.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub coats: Vec<Coat>,
}

/// A material of a MaterialX document. On the command line `file` is a path, relative to the recipe; in the browser it is the name it came
/// with.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct DocumentSource {
    pub file: String,
    /// BLAKE3 of the file's bytes, hexadecimal. When given, another file of the same name is refused.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub hash: Option<String>,
    /// Name of the material, or of its shader; the first without one.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub material: Option<String>,
    /// Pictures that belong to it and lie beside it.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub beside: Vec<FileBeside>,
}

/// What a finish is given to.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum FinishOn {
    #[default]
    All,
    /// Parts of the low-poly or of the sculpt.
    Parts(Vec<String>),
    /// Materials of the sculpt, or of the low-poly without one.
    Materials(Vec<String>),
    /// Colours of the ID map as it is set up, by name or as `#rrggbb`.
    Ids(Vec<String>),
}

/// Colour of a base.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(untagged)]
pub enum BaseColor {
    Value(Color),
    Of(Carrier),
}

/// What carries the colour of a base.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Carrier {
    /// The sculpt: its textures, materials or vertex colours.
    Sculpt,
}

/// What lies below all coats.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(default, deny_unknown_fields)]
pub struct Base {
    /// `#rrggbb`, or `sculpt` for the colour that the sculpt carries.
    pub color: BaseColor,
    /// 0 smooth to 1 rough.
    pub roughness: f32,
    /// 0 or 1, between them where one passes into the other.
    pub metallic: f32,
    /// Light that it gives off.
    #[serde(skip_serializing_if = "is_default")]
    pub emission: Color,
    /// 0 clear to 1 solid.
    #[serde(skip_serializing_if = "is_one")]
    pub opacity: f32,
    /// Over the surface, scene units, outward positive.
    #[serde(skip_serializing_if = "is_default")]
    pub height: f32,
}

fn one() -> f32 {
    1.0
}

impl Default for Base {
    fn default() -> Self {
        Base {
            color: BaseColor::Value(Color([0x80; 3])),
            roughness: 0.5,
            metallic: 0.0,
            emission: Color::default(),
            opacity: 1.0,
            height: 0.0,
        }
    }
}

/// How what a coat sets joins what lies below: `b` on `a`. Colours are blended in linear light.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Blend {
    /// b.
    #[default]
    Over,
    /// a b.
    Multiply,
    /// 1 - (1 - a) (1 - b).
    Screen,
    /// a + b.
    Add,
    Minimum,
    Maximum,
}

impl Blend {
    #[inline(always)]
    pub fn of(self, a: f32, b: f32) -> f32 {
        match self {
            Blend::Over => b,
            Blend::Multiply => a * b,
            Blend::Screen => 1.0 - (1.0 - a) * (1.0 - b),
            Blend::Add => a + b,
            Blend::Minimum => a.min(b),
            Blend::Maximum => a.max(b),
        }
    }
}

/// One layer of a finish.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Coat {
    pub name: String,
    #[serde(default)]
    pub sets: Sets,
    /// Where it lies; everywhere without any terms.
    #[serde(default, skip_serializing_if = "is_default")]
    pub place: PlaceSettings,
    /// How much of it there is, 0 to 1.
    #[serde(default = "one", skip_serializing_if = "is_one")]
    pub amount: f32,
    /// Left out.
    #[serde(default, skip_serializing_if = "is_default")]
    pub muted: bool,
    /// While any coat of a finish is, those that are not are left out.
    #[serde(default, skip_serializing_if = "is_default")]
    pub solo: bool,
    /// Name of a group of coats that it belongs to.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub group: Option<String>,
}

/// What a coat sets; it leaves the rest as it is.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(default, deny_unknown_fields)]
pub struct Sets {
    #[serde(skip_serializing_if = "Option::is_none")]
    pub color: Option<SetColor>,
    /// 0 smooth to 1 rough.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub roughness: Option<SetNumber>,
    /// 0 to 1.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub metallic: Option<SetNumber>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub emission: Option<SetColor>,
    /// 0 clear to 1 solid.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub opacity: Option<SetNumber>,
    /// Over the surface, scene units, outward positive.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub height: Option<SetNumber>,
}

impl Sets {
    fn only(self, channel: FinishChannel) -> Sets {
        let none = Sets::default();
        match channel {
            FinishChannel::Color => Sets { color: self.color, ..none },
            FinishChannel::Roughness => Sets { roughness: self.roughness, ..none },
            FinishChannel::Metallic => Sets { metallic: self.metallic, ..none },
            FinishChannel::Emission => Sets { emission: self.emission, ..none },
            FinishChannel::Opacity => Sets { opacity: self.opacity, ..none },
            FinishChannel::Height => Sets { height: self.height, ..none },
        }
    }
}

/// What a coat sets one thing to: a value, a ramp over a signal, or a picture; one of the three.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(default, deny_unknown_fields)]
pub struct SetTo<T> {
    #[serde(skip_serializing_if = "Option::is_none")]
    pub value: Option<T>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub ramp: Option<RampOver<T>>,
    /// Colours of a picture, or the channel that it names.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub picture: Option<PicturePatternSettings>,
    /// Multiplies it: light given off may be stronger than white, and a picture of heights reaches so high.
    #[serde(skip_serializing_if = "is_one")]
    pub strength: f32,
    #[serde(skip_serializing_if = "is_default")]
    pub blend: Blend,
}

pub type SetColor = SetTo<Color>;
pub type SetNumber = SetTo<f32>;

impl<T> Default for SetTo<T> {
    fn default() -> Self {
        SetTo { value: None, ramp: None, picture: None, strength: 1.0, blend: Blend::Over }
    }
}

impl<T> SetTo<T> {
    /// A plain value.
    pub fn to(value: T) -> SetTo<T> {
        SetTo { value: Some(value), ..SetTo::default() }
    }

    /// A ramp over a signal.
    pub fn ramp(over: Signal, stops: impl Into<Vec<(f32, T)>>) -> SetTo<T> {
        SetTo { ramp: Some(RampOver { over, stops: stops.into(), smooth: false }), ..SetTo::default() }
    }

    /// The same blended otherwise.
    pub fn blended(self, blend: Blend) -> SetTo<T> {
        SetTo { blend, ..self }
    }
}

/// Values along a signal, straight between them (colours in linear light) and held beyond the ends.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct RampOver<T> {
    /// Any signal: a pattern, or what was measured.
    pub over: Signal,
    /// `[signal, value]`, rising in the first.
    pub stops: Vec<(f32, T)>,
    /// Eased between the points; straight otherwise.
    #[serde(default, skip_serializing_if = "is_default")]
    pub smooth: bool,
}

impl<T> SetTo<T> {
    fn validate(&self, name: &str, check: impl Fn(&T) -> Result<(), String>) -> Result<(), String> {
        let sources = [self.value.is_some(), self.ramp.is_some(), self.picture.is_some()];
        if sources.into_iter().filter(|there| *there).count() != 1 {
            return Err(format!("{name} needs one of value, ramp and picture"));
        }
        if !(0.0..=1e6).contains(&self.strength) {
            return Err(format!("{name}.strength is {}; give 0 or more", self.strength));
        }
        self.value.iter().try_for_each(&check)?;
        if let Some(ramp) = &self.ramp {
            ramp.over.validate().map_err(|fault| format!("{name}.ramp: {fault}"))?;
            let at = || ramp.stops.iter().map(|(at, _)| *at);
            let count = ramp.stops.len();
            if count == 0 || count > MOST_STOPS || !at().is_sorted() || !at().all(f32::is_finite) {
                return Err(format!(
                    "{name}.ramp has {count} stops; give 1 to {MOST_STOPS}, rising in the first number"
                ));
            }
            ramp.stops.iter().try_for_each(|(_, value)| check(value))?;
        }
        let Some(picture) = &self.picture else { return Ok(()) };
        PatternSettings::Picture(picture.clone()).validate().map_err(|fault| format!("{name}: {fault}"))
    }
}

fn number_within(name: &str, value: f32, within: [f32; 2]) -> Result<(), String> {
    let [least, most] = within;
    match (least..=most).contains(&value) {
        true => Ok(()),
        false => Err(format!("{name} is {value}; give {least} to {most}")),
    }
}

/// Heights that make sense: coordinates go no further.
const HEIGHTS: [f32; 2] = [-1e6, 1e6];
const SHARES: [f32; 2] = [0.0, 1.0];

impl Sets {
    fn validate(&self) -> Result<(), String> {
        let colors = [("color", &self.color), ("emission", &self.emission)];
        let any = |_: &Color| Ok(());
        colors.into_iter().try_for_each(|(name, set)| set.as_ref().map_or(Ok(()), |set| set.validate(name, any)))?;
        let numbers = [
            ("roughness", &self.roughness, SHARES),
            ("metallic", &self.metallic, SHARES),
            ("opacity", &self.opacity, SHARES),
            ("height", &self.height, HEIGHTS),
        ];
        numbers.into_iter().try_for_each(|(name, set, within)| {
            set.as_ref().map_or(Ok(()), |set| set.validate(name, |value| number_within(name, *value, within)))
        })
    }

    /// Takes a picture as what it sets `channel` to: laid over the UVs, or as the picture before it lay. False for a channel that there
    /// is not.
    pub fn take_picture(&mut self, channel: &str, picture: PictureSource) -> bool {
        fn put<T>(set: &mut Option<SetTo<T>>, picture: PictureSource) {
            let set = set.get_or_insert_default();
            let laid = set.picture.take();
            let over_uvs = || PicturePatternSettings { space: Space::Uv, ..PicturePatternSettings::default() };
            (set.value, set.ramp) = (None, None);
            set.picture = Some(PicturePatternSettings { picture: Some(picture), ..laid.unwrap_or_else(over_uvs) });
        }
        match channel {
            "color" => put(&mut self.color, picture),
            "emission" => put(&mut self.emission, picture),
            "roughness" => put(&mut self.roughness, picture),
            "metallic" => put(&mut self.metallic, picture),
            "opacity" => put(&mut self.opacity, picture),
            "height" => put(&mut self.height, picture),
            _ => return false,
        }
        true
    }

    /// Signals that ramps lie over, and pictures.
    fn sources(&self) -> (Vec<&Signal>, Vec<&PicturePatternSettings>) {
        let colors = [&self.color, &self.emission].into_iter().flatten();
        let numbers = [&self.roughness, &self.metallic, &self.opacity, &self.height].into_iter().flatten();
        let mut signals: Vec<&Signal> = colors.clone().filter_map(|s| s.ramp.as_ref().map(|r| &r.over)).collect();
        signals.extend(numbers.clone().filter_map(|s| s.ramp.as_ref().map(|r| &r.over)));
        let mut pictures: Vec<&PicturePatternSettings> = colors.filter_map(|s| s.picture.as_ref()).collect();
        pictures.extend(numbers.filter_map(|s| s.picture.as_ref()));
        (signals, pictures)
    }
}

impl Coat {
    /// Pictures that it reads.
    fn pictures(&self) -> Vec<PictureSource> {
        let (signals, pictures) = self.sets.sources();
        let of_sets = pictures.into_iter().filter_map(|p| p.picture.clone());
        let of_signals = signals.into_iter().flat_map(Signal::pictures);
        self.place.pictures().into_iter().chain(of_sets).chain(of_signals).collect()
    }

    /// Those of `masks` that its place and what it sets refer to, and those that these refer to.
    pub fn masks_used<'a>(&self, masks: &'a [Mask]) -> Vec<&'a Mask> {
        masks_of(self.place.signals().chain(self.sets.sources().0), masks)
    }

    fn validate(&self) -> Result<(), String> {
        check_name("coat", &self.name)?;
        let name = &self.name;
        number_within("amount", self.amount, SHARES).map_err(|fault| format!("coat '{name}': {fault}"))?;
        self.sets.validate().map_err(|fault| format!("coat '{name}': {fault}"))?;
        self.place.validate().map_err(|fault| format!("coat '{name}': {fault}"))
    }
}

impl Finish {
    /// Coats over a base, on everything.
    pub fn everywhere(name: impl Into<String>, base: Base, coats: Vec<Coat>) -> Finish {
        Finish { name: name.into(), on: FinishOn::All, base, materialx: None, coats }
    }

    /// A material of a document, on everything.
    pub fn of_document(name: impl Into<String>, source: DocumentSource) -> Finish {
        Finish { materialx: Some(source), ..Finish::everywhere(name, Base::default(), Vec::new()) }
    }

    /// Coats that show: not muted, and solo where any is.
    pub fn shown(&self) -> impl Iterator<Item = &Coat> {
        let solo = self.coats.iter().any(|coat| coat.solo && !coat.muted);
        self.coats.iter().filter(move |coat| !coat.muted && (coat.solo || !solo))
    }

    /// As much of it as one channel follows from: of two finishes that agree in this, the channel is the same. It holds where all coats can be
    /// made: one that cannot is left out as a whole.
    pub fn as_of(&self, channel: FinishChannel) -> Finish {
        let (own, none) = (self.base, Base::default());
        let base = match channel {
            FinishChannel::Color => Base { color: own.color, ..none },
            FinishChannel::Roughness => Base { roughness: own.roughness, ..none },
            FinishChannel::Metallic => Base { metallic: own.metallic, ..none },
            FinishChannel::Emission => Base { emission: own.emission, ..none },
            FinishChannel::Opacity => Base { opacity: own.opacity, ..none },
            FinishChannel::Height => Base { height: own.height, ..none },
        };
        let coats = self.shown().map(|coat| {
            let Coat { sets, place, amount, .. } = coat.clone();
            let (name, group) = (String::new(), None);
            Coat { sets: sets.only(channel), place, amount, name, group, muted: false, solo: false }
        });
        let coats = coats.filter(|coat| coat.sets != Sets::default()).collect();
        Finish { base, coats, name: String::new(), on: self.on.clone(), materialx: self.materialx.clone() }
    }

    /// Whether any of it can be above or below the surface.
    pub fn sets_height(&self) -> bool {
        self.base.height != 0.0 || self.materialx.is_some() || self.shown().any(|coat| coat.sets.height.is_some())
    }

    /// Pictures that it reads.
    pub fn pictures(&self) -> Vec<PictureSource> {
        self.coats.iter().flat_map(Coat::pictures).collect()
    }

    /// # Errors
    /// The setting, what it holds, what it may hold.
    pub fn validate(&self) -> Result<(), String> {
        check_name("finish", &self.name)?;
        let name = &self.name;
        let Base { roughness, metallic, opacity, height, .. } = self.base;
        let shares = [("base.roughness", roughness), ("base.metallic", metallic), ("base.opacity", opacity)];
        let all = shares.into_iter().map(|(setting, value)| (setting, value, SHARES));
        for (setting, value, within) in all.chain([("base.height", height, HEIGHTS)]) {
            number_within(setting, value, within).map_err(|fault| format!("finish '{name}': {fault}"))?;
        }
        if self.coats.len() > MOST_COATS {
            return Err(format!("finish '{name}' has {} coats; give at most {MOST_COATS}", self.coats.len()));
        }
        for (at, coat) in self.coats.iter().enumerate() {
            if self.coats[..at].iter().any(|other| other.name == coat.name) {
                return Err(format!("finish '{name}' names the coat '{}' twice; rename one", coat.name));
            }
            coat.validate().map_err(|fault| format!("finish '{name}': {fault}"))?;
        }
        Ok(())
    }
}
