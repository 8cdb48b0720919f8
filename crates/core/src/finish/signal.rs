//! Signals: numbers measured at every place of the surface. One row of [`SIGNALS`] each tells the page what a signal is called, what it
//! is measured in and how far it goes.

use super::patterns::{ControlInput, PatternSettings, PictureChannel};
use crate::picture::PictureSource;
use crate::surface::Axis;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// What tells the regions apart that a mask picks.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum RegionBy {
    /// Parts of the low-poly, or of the sculpt.
    Part,
    /// Materials of the sculpt.
    Material,
    /// Loose pieces of the sculpt, by the names they have on the ID map.
    Piece,
    /// UV islands, by the names they have on the ID map.
    Island,
    /// Colours of the ID map as it is set up, by name or as `#rrggbb`.
    Id,
    /// The sculpt's vertex colours, as `#rrggbb`.
    VertexColor,
}

impl RegionBy {
    pub fn words(self) -> &'static str {
        match self {
            RegionBy::Part => "part",
            RegionBy::Material => "material",
            RegionBy::Piece => "loose piece",
            RegionBy::Island => "UV island",
            RegionBy::Id => "ID colour",
            RegionBy::VertexColor => "vertex colour",
        }
    }
}

/// A channel of vertex colour.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Channel {
    R,
    G,
    B,
}

/// What a stroke does to a painted mask.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum MaskBrush {
    Add,
    TakeAway,
    /// Towards the mean of what lies around.
    Smooth,
}

/// One stroke of a brush over the low-poly. It has its effect once, however often it passes a place.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct MaskStroke {
    pub brush: MaskBrush,
    /// Distance along the surface at which the effect ends, scene units.
    pub size: f32,
    /// 0 to 1.
    pub strength: f32,
    /// Painted on the other side too, across the middle of the low-poly.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub mirror: Option<Axis>,
    /// Points on the low surface (x, y, z, scene units) and pressure there, 0 to 1.
    pub path: Vec<[f32; 4]>,
}

/// A number at every place of the surface.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(tag = "kind", rename_all = "kebab-case", deny_unknown_fields)]
pub enum Signal {
    /// Mean curvature averaged over a size, times the size: 1 on a ball of that radius, negative where hollow; held within -1 to 1.
    Curvature {
        /// Scene units.
        size: f32,
    },
    /// Share of the sky that is open up to a distance.
    Occlusion {
        /// Scene units.
        distance: f32,
    },
    /// As on the cavity map: 1 on level ground, 0 deep in a crease of the size.
    Cavity {
        /// Scene units.
        size: f32,
    },
    /// Mean free path inward, as a share of a distance.
    Thickness {
        /// Scene units.
        distance: f32,
    },
    /// Cosine between the normal and a direction.
    Facing {
        direction: [f32; 3],
    },
    /// Coordinate along an axis, scene units.
    Height {
        axis: Axis,
    },
    /// Distance through space to the nearest place of another part, scene units.
    Distance {
        /// A part of the sculpt or of the low-poly.
        part: String,
    },
    /// 1 in the named regions, 0 elsewhere.
    Region {
        by: RegionBy,
        names: Vec<String>,
    },
    /// A channel of the sculpt's vertex colour, as the file holds it.
    Channel {
        of: Channel,
    },
    /// A picture over the low-poly's UVs, as its file holds it.
    Picture {
        file: String,
        #[serde(default, skip_serializing_if = "Option::is_none")]
        hash: Option<String>,
        #[serde(default)]
        channel: PictureChannel,
    },
    /// What was painted: 0 where nothing was.
    Paint {
        #[serde(default)]
        strokes: Vec<MaskStroke>,
    },
    Pattern {
        pattern: PatternSettings,
    },
    /// Another mask of the recipe.
    Mask {
        mask: String,
    },
}

/// Regions that a term names, strokes of a painted mask and points of a stroke, at most.
const MOST_NAMES: usize = 4096;
const MOST_STROKES: usize = 4096;
const MOST_PATH: usize = 2048;

/// What is fixed about a signal.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, JsonSchema)]
pub struct SignalInfo {
    pub kind: &'static str,
    pub label: &'static str,
    /// One line for a newcomer.
    pub explains: &'static str,
    /// The unit of its range; empty where it has none.
    pub unit: SignalUnit,
    /// What it keeps within, where that is known.
    pub range: Option<[f32; 2]>,
    /// What low and high values mean.
    pub ends: [&'static str; 2],
    /// The setting that says how it is measured, if it is a number.
    pub measure: Option<SignalMeasure>,
}

/// The unit of a signal's range.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum SignalUnit {
    /// None: shares and the like.
    Number,
    /// Scene units.
    Length,
}

/// The number that says how a signal is measured.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, JsonSchema)]
pub struct SignalMeasure {
    pub setting: &'static str,
    pub label: &'static str,
    pub input: ControlInput,
    pub help: &'static str,
}

const fn info(
    kind: &'static str,
    label: &'static str,
    explains: &'static str,
    range: [f32; 2],
    ends: [&'static str; 2],
) -> SignalInfo {
    SignalInfo { kind, label, explains, unit: SignalUnit::Number, range: Some(range), ends, measure: None }
}

const fn measure(
    setting: &'static str,
    label: &'static str,
    [from, to]: [f32; 2],
    help: &'static str,
) -> Option<SignalMeasure> {
    Some(SignalMeasure { setting, label, input: ControlInput::Length { from, to }, help })
}

/// Every signal, in the order they are offered.
pub const SIGNALS: &[SignalInfo] = &[
    SignalInfo {
        measure: measure("size", "Size", [0.001, 0.1], "Bends of about this radius count most."),
        ..info("curvature", "Curvature", "Edges and creases.", [-1.0, 1.0], ["concave", "convex"])
    },
    SignalInfo {
        measure: measure("distance", "Distance", [0.005, 1.0], "How far off a surface still shades."),
        ..info("occlusion", "Occlusion", "How open each place is.", [0.0, 1.0], ["closed", "open"])
    },
    SignalInfo {
        measure: measure("size", "Size", [0.001, 0.1], "Size of the creases that count."),
        ..info("cavity", "Cavity", "Small creases and pits.", [0.0, 1.0], ["deep", "level"])
    },
    SignalInfo {
        measure: measure("distance", "Distance", [0.005, 1.0], "The thickness that reads 1."),
        ..info("thickness", "Thickness", "How thick the body is.", [0.0, 1.0], ["thin", "thick"])
    },
    info("facing", "Facing", "Which way the surface looks.", [-1.0, 1.0], ["away", "towards"]),
    SignalInfo {
        unit: SignalUnit::Length,
        range: None,
        ..info("height", "Height", "Coordinate along an axis.", [0.0, 0.0], ["low", "high"])
    },
    SignalInfo {
        unit: SignalUnit::Length,
        range: None,
        ..info("distance", "Distance to a part", "How near another part lies.", [0.0, 0.0], ["near", "far"])
    },
    info(
        "region",
        "Region",
        "Parts, materials, pieces, islands or colours that are picked.",
        [0.0, 1.0],
        ["outside", "inside"],
    ),
    info("paint", "Paint", "What is painted on the model.", [0.0, 1.0], ["unpainted", "painted"]),
    info("pattern", "Pattern", "Noise, cells, bricks and others.", [0.0, 1.0], ["low", "high"]),
    info("picture", "Picture", "A picture over the low-poly's UVs.", [0.0, 1.0], ["black", "white"]),
    info("channel", "Vertex colour channel", "A channel of the sculpt's vertex colour.", [0.0, 1.0], ["0", "1"]),
    info("mask", "Mask", "Another mask.", [0.0, 1.0], ["outside", "inside"]),
];

fn check_length(name: &str, value: f32) -> Result<(), String> {
    match value.is_finite() && value > 0.0 {
        true => Ok(()),
        false => Err(format!("{name} is {value}; give a length above 0 in scene units")),
    }
}

impl Signal {
    /// Its row.
    pub fn info(&self) -> &'static SignalInfo {
        let kind = match self {
            Signal::Curvature { .. } => "curvature",
            Signal::Occlusion { .. } => "occlusion",
            Signal::Cavity { .. } => "cavity",
            Signal::Thickness { .. } => "thickness",
            Signal::Facing { .. } => "facing",
            Signal::Height { .. } => "height",
            Signal::Distance { .. } => "distance",
            Signal::Region { .. } => "region",
            Signal::Channel { .. } => "channel",
            Signal::Picture { .. } => "picture",
            Signal::Paint { .. } => "paint",
            Signal::Pattern { .. } => "pattern",
            Signal::Mask { .. } => "mask",
        };
        SIGNALS.iter().find(|row| row.kind == kind).unwrap_or(&SIGNALS[0])
    }

    /// Whether measuring it traces rays beyond the primary ones.
    pub fn traces(&self) -> bool {
        matches!(self, Signal::Occlusion { .. } | Signal::Cavity { .. } | Signal::Thickness { .. })
    }

    /// About what measuring it at one place takes, in readings of a signal that only has to be looked up.
    pub fn work(&self) -> u64 {
        match self {
            signal if signal.traces() => 64,
            Signal::Curvature { .. } => 16,
            _ => 1,
        }
    }

    /// The mask that it is.
    pub(super) fn mask(&self) -> Option<&str> {
        if let Signal::Mask { mask } = self { Some(mask) } else { None }
    }

    pub(super) fn pictures(&self) -> Vec<PictureSource> {
        match self {
            Signal::Picture { file, hash, .. } => vec![PictureSource { file: file.clone(), hash: hash.clone() }],
            Signal::Pattern { pattern } => pattern.pictures().into_iter().cloned().collect(),
            _ => Vec::new(),
        }
    }

    pub(super) fn validate(&self) -> Result<(), String> {
        match self {
            Signal::Curvature { size } | Signal::Cavity { size } => check_length("size", *size),
            Signal::Occlusion { distance } | Signal::Thickness { distance } => check_length("distance", *distance),
            Signal::Facing { direction } => {
                let length = glam::Vec3::from(*direction).length();
                match length.is_finite() && length > 1e-6 {
                    true => Ok(()),
                    false => Err(format!("direction is {direction:?}; give a direction that is not 0")),
                }
            }
            Signal::Region { names, .. } if names.len() > MOST_NAMES => {
                Err(format!("names has {} entries; give at most {MOST_NAMES}", names.len()))
            }
            Signal::Paint { strokes } if strokes.len() > MOST_STROKES => {
                Err(format!("strokes has {} entries; give at most {MOST_STROKES}", strokes.len()))
            }
            Signal::Paint { strokes } => {
                let mut numbered = strokes.iter().enumerate();
                numbered.try_for_each(|(n, s)| s.validate().map_err(|f| format!("stroke {}: {f}", n + 1)))
            }
            Signal::Pattern { pattern } => pattern.validate(),
            Signal::Region { .. }
            | Signal::Height { .. }
            | Signal::Distance { .. }
            | Signal::Channel { .. }
            | Signal::Picture { .. }
            | Signal::Mask { .. } => Ok(()),
        }
    }
}

impl MaskStroke {
    fn validate(&self) -> Result<(), String> {
        check_length("size", self.size)?;
        if !(0.0..=1.0).contains(&self.strength) {
            return Err(format!("strength is {}; give 0 to 1", self.strength));
        }
        if self.path.is_empty() || self.path.len() > MOST_PATH {
            return Err(format!("path has {} points; give 1 to {MOST_PATH}", self.path.len()));
        }
        match self.path.iter().find(|p| !p.iter().all(|c| c.is_finite()) || !(0.0..=1.0).contains(&p[3])) {
            Some(bad) => Err(format!("path holds {bad:?}; give x, y, z and a pressure from 0 to 1")),
            None => Ok(()),
        }
    }
}
