//! The patterns: one file and one row of [`patterns!`] each. A pattern gives a number for a place in space or on the sheet, knows how
//! large a texel is there, and leaves out what is finer. Its row tells the page which controls it has.

mod bricks;
mod cells;
mod checker;
mod gradient;
mod hash;
mod noise;
mod picture;
mod planar;
mod planks;
mod rings;
mod scratches;
mod shingles;
mod speckles;
mod weave;

pub use bricks::{BrickValue, BricksSettings};
pub use cells::{CellValue, CellsSettings, Metric};
pub use checker::CheckerSettings;
pub use gradient::{GradientPartSettings, GradientPointSettings, GradientSettings};
pub use noise::{MOST_OCTAVES, NoiseBase, NoiseForm, NoiseSettings};
pub(in crate::finish) use picture::placeholder;
pub use picture::{ColorKernel, PictureChannel, PicturePatternSettings};
pub use planks::PlanksSettings;
pub use rings::RingsSettings;
pub use scratches::ScratchesSettings;
pub use shingles::ShinglesSettings;
pub use speckles::SpecklesSettings;
pub use weave::WeaveSettings;

use crate::picture::{PictureSource, Pictures};
use crate::surface::Axis;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Where a pattern is laid out.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Space {
    /// The space that the meshes stand in: nothing shows at UV seams.
    #[default]
    Object,
    /// The UV square of the sheet; the pattern closes at its edges. Sizes are shares of its side.
    Uv,
    /// The UVs for textures, which may run over the edges of their square and meet themselves; the sheet's where the mesh has no others.
    /// The pattern repeats from square to square.
    TextureUv,
    /// A part's own space, from the middle of the low-poly part's box: the pattern goes along when the part is moved.
    Part,
}

impl Space {
    /// Whether sizes are shares of a UV square, and the pattern closes at its edges.
    pub fn is_uv(self) -> bool {
        matches!(self, Space::Uv | Space::TextureUv)
    }
}

/// A pattern moved by another.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Warp {
    /// The furthest a place is moved along each axis, in the pattern's own unit.
    pub amount: f32,
    pub pattern: Box<PatternSettings>,
}

/// A curve from a pattern's values to others, by points.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Ramp {
    /// `[at, value]`, both 0 to 1, rising in the first.
    pub stops: Vec<[f32; 2]>,
    /// Eased between the points; straight otherwise.
    #[serde(default, skip_serializing_if = "is_default")]
    pub smooth: bool,
}

pub(super) fn is_default<T: Default + PartialEq>(value: &T) -> bool {
    *value == T::default()
}

/// What every pattern has beside its own settings.
#[derive(Clone, Copy)]
pub struct Frame<'a> {
    pub space: Space,
    pub seed: u32,
    pub warp: Option<&'a Warp>,
    pub ramp: Option<&'a Ramp>,
    pub invert: bool,
}

/// Defines the settings of a pattern: its own fields with their defaults, and those of [`Frame`].
macro_rules! pattern {
    ($(#[$meta:meta])* pub struct $name:ident { $($(#[$about:meta])* pub $field:ident: $type:ty = $default:expr),+ $(,)? }) => {
        $(#[$meta])*
        #[derive(Clone, Debug, PartialEq, serde::Serialize, serde::Deserialize, schemars::JsonSchema)]
        #[serde(default, deny_unknown_fields)]
        pub struct $name {
            $($(#[$about])* pub $field: $type,)+
            /// Where it is laid out.
            #[serde(skip_serializing_if = "super::is_default")]
            pub space: super::Space,
            /// Another of its kind.
            #[serde(skip_serializing_if = "super::is_default")]
            pub seed: u32,
            /// Moved by another pattern first.
            #[serde(skip_serializing_if = "Option::is_none")]
            pub warp: Option<super::Warp>,
            /// Bent by a curve afterwards.
            #[serde(skip_serializing_if = "Option::is_none")]
            pub ramp: Option<super::Ramp>,
            /// 1 less the value, last of all.
            #[serde(skip_serializing_if = "super::is_default")]
            pub invert: bool,
        }

        impl Default for $name {
            fn default() -> Self {
                $name {
                    $($field: $default,)+
                    space: super::Space::default(),
                    seed: 0,
                    warp: None,
                    ramp: None,
                    invert: false,
                }
            }
        }

        impl super::Framed for $name {
            fn frame(&self) -> super::Frame<'_> {
                super::Frame {
                    space: self.space,
                    seed: self.seed,
                    warp: self.warp.as_ref(),
                    ramp: self.ramp.as_ref(),
                    invert: self.invert,
                }
            }

            fn reseed(&mut self, seed: u32) {
                self.seed = seed;
            }

            fn strip(&mut self) {
                (self.warp, self.ramp, self.invert) = (None, None, false);
            }

            fn warp_mut(&mut self) -> Option<&mut super::Warp> {
                self.warp.as_mut()
            }
        }
    };
}
use pattern;

trait Framed {
    fn frame(&self) -> Frame<'_>;

    /// The same with another seed.
    fn reseed(&mut self, seed: u32);

    /// The same without what is done before and after it.
    fn strip(&mut self);

    fn warp_mut(&mut self) -> Option<&mut Warp>;
}

/// What a control of a pattern holds.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, JsonSchema)]
#[serde(tag = "kind", rename_all = "kebab-case")]
pub enum ControlInput {
    /// A length above 0, in scene units, or of the UV square. The slider runs between two shares of the asset's diagonal.
    Length {
        from: f32,
        to: f32,
    },
    /// A coordinate, scene units.
    Coordinate,
    /// A number between two ends, in a unit that may be empty.
    Number {
        from: f32,
        to: f32,
        unit: &'static str,
    },
    /// A whole number between two ends.
    Count {
        from: f32,
        to: f32,
    },
    Choice {
        options: &'static [(&'static str, &'static str)],
    },
    /// Three coordinates, scene units.
    Point,
    /// A picture file of the asset.
    Picture,
}

/// A setting of a pattern as the page shows it.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, JsonSchema)]
pub struct Control {
    pub setting: &'static str,
    pub label: &'static str,
    pub input: ControlInput,
    /// One line of help.
    pub help: &'static str,
}

impl Control {
    const fn new(setting: &'static str, label: &'static str, input: ControlInput, help: &'static str) -> Control {
        Control { setting, label, input, help }
    }

    const fn length(setting: &'static str, label: &'static str, [from, to]: [f32; 2], help: &'static str) -> Control {
        Control::new(setting, label, ControlInput::Length { from, to }, help)
    }

    const fn number(setting: &'static str, label: &'static str, [from, to]: [f32; 2], help: &'static str) -> Control {
        Control::new(setting, label, ControlInput::Number { from, to, unit: "" }, help)
    }

    const fn share(setting: &'static str, label: &'static str, [from, to]: [f32; 2], help: &'static str) -> Control {
        Control::number(setting, label, [from, to], help)
    }

    const fn degrees(setting: &'static str, label: &'static str, [from, to]: [f32; 2], help: &'static str) -> Control {
        Control::new(setting, label, ControlInput::Number { from, to, unit: "°" }, help)
    }

    const fn count(setting: &'static str, label: &'static str, [from, to]: [f32; 2], help: &'static str) -> Control {
        Control::new(setting, label, ControlInput::Count { from, to }, help)
    }

    const fn coordinate(setting: &'static str, label: &'static str, help: &'static str) -> Control {
        Control::new(setting, label, ControlInput::Coordinate, help)
    }

    const fn choice(
        setting: &'static str,
        label: &'static str,
        options: &'static [(&'static str, &'static str)],
        help: &'static str,
    ) -> Control {
        Control::new(setting, label, ControlInput::Choice { options }, help)
    }

    const fn axis(setting: &'static str, label: &'static str, help: &'static str) -> Control {
        Control::choice(setting, label, &[("x", "X"), ("y", "Y"), ("z", "Z")], help)
    }

    const fn facing(help: &'static str) -> Control {
        Control::axis("facing", "Facing", help)
    }

    /// # Errors
    /// The setting, what it holds, what it may hold.
    fn check(&self, value: &serde_json::Value) -> Result<(), String> {
        let name = self.setting;
        let number = value.as_f64().unwrap_or(f64::NAN) as f32;
        match self.input {
            ControlInput::Length { .. } if !(number > 0.0 && number < 1e9) => {
                Err(format!("{name} is {value}; give a length above 0 in scene units"))
            }
            ControlInput::Coordinate if !(-1e9..=1e9).contains(&number) => {
                Err(format!("{name} is {value}; give a coordinate in scene units"))
            }
            ControlInput::Number { from, to, .. } | ControlInput::Count { from, to }
                if !(from..=to).contains(&number) =>
            {
                Err(format!("{name} is {value}; give {from} to {to}"))
            }
            ControlInput::Point => {
                let each = value.as_array().map(|list| list.iter().map(|c| c.as_f64().unwrap_or(f64::NAN)));
                match each.is_some_and(|mut list| list.all(|c| c.abs() < 1e9)) {
                    true => Ok(()),
                    false => Err(format!("{name} is {value}; give three coordinates in scene units")),
                }
            }
            _ => Ok(()),
        }
    }
}

/// What is fixed about a pattern.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, JsonSchema)]
pub struct PatternInfo {
    pub id: &'static str,
    pub label: &'static str,
    /// One line for a newcomer.
    pub explains: &'static str,
    pub controls: &'static [Control],
}

/// Places that a pattern is asked about, as columns of one length.
pub struct Points<'a> {
    pub x: &'a [f32],
    pub y: &'a [f32],
    pub z: &'a [f32],
    /// Unit normals there, in object space.
    pub normal: [&'a [f32]; 3],
    /// Side of the texel there, in the pattern's unit.
    pub side: &'a [f32],
}

/// What a pattern gets ready with.
pub struct Making<'a> {
    pub seed: u32,
    /// It lies over UVs, and closes at the edges of the square.
    pub repeats: bool,
    /// Pictures by the file name that the recipe gives them.
    pub images: &'a Pictures,
}

/// A pattern ready to be asked.
pub trait Kernel: Send + Sync {
    /// Values, within 0 to 1, at as many places as `out` has room for.
    fn fill(&self, at: &Points, out: &mut [f32]);
}

trait Pattern: Framed {
    const INFO: PatternInfo;

    /// # Errors
    /// Why it cannot be made: a picture that was not read.
    fn kernel(&self, making: &Making) -> Result<Box<dyn Kernel>, String>;

    fn picture(&self) -> Option<&PictureSource> {
        None
    }

    /// The axis along which it is laid out by the height of a part.
    fn along_part(&self) -> Option<Axis> {
        None
    }
}

macro_rules! patterns {
    ($($name:ident($settings:ty)),+ $(,)?) => {
        /// Every pattern, in the order they are shown.
        pub const PATTERNS: &[PatternInfo] = &[$(<$settings as Pattern>::INFO),+];

        /// A pattern with its settings. Values are within 0 to 1.
        #[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
        #[serde(tag = "kind", rename_all = "kebab-case")]
        pub enum PatternSettings { $($name($settings)),+ }

        impl PatternSettings {
            /// Every pattern with its default settings, in the order they are shown.
            pub fn all() -> Vec<PatternSettings> {
                vec![$(PatternSettings::$name(Default::default())),+]
            }

            pub fn info(&self) -> &'static PatternInfo {
                match self { $(PatternSettings::$name(_) => &<$settings as Pattern>::INFO),+ }
            }

            pub fn frame(&self) -> Frame<'_> {
                match self { $(PatternSettings::$name(s) => s.frame()),+ }
            }

            pub(super) fn warp_mut(&mut self) -> Option<&mut Warp> {
                match self { $(PatternSettings::$name(s) => s.warp_mut()),+ }
            }

            /// The same with a seed of its own for each `number`.
            pub(super) fn reseeded(&self, number: u32) -> PatternSettings {
                let seed = self.frame().seed.wrapping_mul(3).wrapping_add(number);
                let mut own = self.clone();
                match &mut own { $(PatternSettings::$name(s) => s.reseed(seed)),+ }
                own
            }

            /// The same without what is done before and after it.
            pub(super) fn bare(&self) -> PatternSettings {
                let mut own = self.clone();
                match &mut own { $(PatternSettings::$name(s) => s.strip()),+ }
                own
            }

            /// Gets it ready.
            ///
            /// # Errors
            /// Why it cannot be made: a picture that was not read.
            pub fn kernel(&self, making: &Making) -> Result<Box<dyn Kernel>, String> {
                match self { $(PatternSettings::$name(s) => s.kernel(making)),+ }
            }

            fn own_picture(&self) -> Option<&PictureSource> {
                match self { $(PatternSettings::$name(s) => s.picture()),+ }
            }

            pub(super) fn along_part(&self) -> Option<Axis> {
                match self { $(PatternSettings::$name(s) => s.along_part()),+ }
            }
        }
    };
}

patterns! {
    Noise(NoiseSettings),
    Cells(CellsSettings),
    Speckles(SpecklesSettings),
    Scratches(ScratchesSettings),
    Gradient(GradientSettings),
    GradientPoint(GradientPointSettings),
    GradientPart(GradientPartSettings),
    Bricks(BricksSettings),
    Planks(PlanksSettings),
    Shingles(ShinglesSettings),
    Weave(WeaveSettings),
    Rings(RingsSettings),
    Checker(CheckerSettings),
    Picture(PicturePatternSettings),
}

/// Patterns that warp each other, at most.
const MOST_WARPS: usize = 4;
/// Points of a ramp, at most.
pub(super) const MOST_STOPS: usize = 64;

impl PatternSettings {
    /// Pictures that it and what warps it read.
    pub fn pictures(&self) -> Vec<&PictureSource> {
        let warps = self.frame().warp.into_iter().flat_map(|warp| warp.pattern.pictures());
        self.own_picture().into_iter().chain(warps).collect()
    }

    /// # Errors
    /// The setting, what it holds, what it may hold.
    pub fn validate(&self) -> Result<(), String> {
        self.validate_at(0)
    }

    fn validate_at(&self, depth: usize) -> Result<(), String> {
        let id = self.info().id;
        let held = serde_json::to_value(self).map_err(|e| e.to_string())?;
        for control in self.info().controls {
            control.check(&held[control.setting]).map_err(|fault| format!("{id}.{fault}"))?;
        }
        let frame = self.frame();
        if let Some(ramp) = frame.ramp {
            let rises = ramp.stops.windows(2).all(|pair| pair[0][0] <= pair[1][0]);
            let within = ramp.stops.iter().flatten().all(|x| (0.0..=1.0).contains(x));
            if ramp.stops.is_empty() || ramp.stops.len() > MOST_STOPS || !rises || !within {
                let stops = ramp.stops.len();
                return Err(format!(
                    "{id}.ramp has {stops} stops; give 1 to {MOST_STOPS} pairs of 0 to 1, rising in the first number"
                ));
            }
        }
        let Some(warp) = frame.warp else { return Ok(()) };
        if !(-1e9..=1e9).contains(&warp.amount) {
            return Err(format!("{id}.warp.amount is {}; give a distance in scene units", warp.amount));
        }
        if depth == MOST_WARPS {
            return Err(format!("{id}.warp: patterns warp each other {} deep; at most {MOST_WARPS} do", depth + 1));
        }
        warp.pattern.validate_at(depth + 1)
    }
}
