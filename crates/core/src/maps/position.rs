//! `position`: where the hit lies, in the asset's bounding box, or along one axis as a gradient between two heights.

use super::{Map, MapKind, MapShape, MapWork, Setup, TileWork};
use glam::Vec3;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// All three axes as red, green and blue, or one of them as grey.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum PositionAxis {
    #[default]
    All,
    X,
    Y,
    Z,
}

impl PositionAxis {
    fn number(self) -> Option<usize> {
        match self {
            PositionAxis::All => None,
            PositionAxis::X => Some(0),
            PositionAxis::Y => Some(1),
            PositionAxis::Z => Some(2),
        }
    }
}

#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct PositionSettings {
    #[serde(default)]
    pub axis: PositionAxis,
    /// One axis: the coordinate that reads black; the box's lower side when not given.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub from: Option<f32>,
    /// One axis: the coordinate that reads white; the box's upper side when not given.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub to: Option<f32>,
}

impl Map for PositionSettings {
    const KIND: MapKind = MapKind {
        explains: "Where each texel lies on the asset: for dirt from below, snow from above, gradients along an axis.",
        encoding: "position in the sculpt's bounding box, 0..1 along each axis; linear",
        slow: true,
        ..MapKind::data("position", "Position", MapShape::rgb(&[0.0, 0.0, 0.0]))
    };

    fn shape(&self) -> MapShape {
        match self.axis.number() {
            None => Self::KIND.shape,
            Some(_) => MapShape::grey(&[0.0]),
        }
    }

    fn prepare(&self, setup: &Setup) -> Result<Box<dyn MapWork>, String> {
        let (mut low, mut high) = setup.scene.high_bounds();
        if let Some(axis) = self.axis.number() {
            low[axis] = self.from.unwrap_or(low[axis]);
            high[axis] = self.to.unwrap_or(high[axis]);
        }
        // A flat axis reads 0 everywhere.
        let size = Vec3::from((high - low).to_array().map(|s| if s == 0.0 { f32::INFINITY } else { s }));
        Ok(Box::new(PositionTask { low, size, axis: self.axis.number() }))
    }

    fn encoding(&self) -> String {
        match self.axis {
            PositionAxis::All => Self::KIND.encoding.to_owned(),
            PositionAxis::X | PositionAxis::Y | PositionAxis::Z => {
                let end =
                    |end: Option<f32>, side: &str| end.map_or(format!("{side} side of the box"), |v| v.to_string());
                format!(
                    "position along {:?}, 0 at {} to 1 at {}; linear",
                    self.axis,
                    end(self.from, "the lower"),
                    end(self.to, "the upper")
                )
            }
        }
    }

    fn words(&self) -> String {
        match self.axis {
            PositionAxis::All => "in all axes".into(),
            PositionAxis::X | PositionAxis::Y | PositionAxis::Z => {
                let end = |end: Option<f32>| end.map_or("box".to_owned(), |v| v.to_string());
                format!("along {:?} from {} to {}", self.axis, end(self.from), end(self.to))
            }
        }
    }

    fn validate(&self) -> Result<(), String> {
        for (name, end) in [("from", self.from), ("to", self.to)] {
            if end.is_some_and(|e| !e.is_finite()) {
                return Err(format!("{name} is not a number; give a coordinate in scene units"));
            }
        }
        if self.from.is_some() && self.from == self.to {
            return Err("from and to are the same; give two different coordinates".into());
        }
        Ok(())
    }
}

struct PositionTask {
    low: Vec3,
    size: Vec3,
    axis: Option<usize>,
}

impl MapWork for PositionTask {
    fn evaluate(&self, tile: &mut TileWork, out: &mut [f32]) {
        let (hits, points) = (tile.hits, tile.surface.points());
        for (texel, samples) in tile.wanted_texels() {
            let mut sum = Vec3::ZERO;
            let mut count = 0;
            for s in samples.filter(|&s| hits.is_hit(s)) {
                sum += points[s];
                count += 1;
            }
            if count == 0 {
                continue;
            }
            let place = ((sum / count as f32 - self.low) / self.size).clamp(Vec3::ZERO, Vec3::ONE);
            match self.axis {
                Some(axis) => out[texel] = place[axis],
                None => out[texel * 3..texel * 3 + 3].copy_from_slice(&place.to_array()),
            }
        }
    }
}
