//! The maps: one file each, one row of [`MAPS`], one arm of [`MapSettings`]. A map takes the hits of a tile, which all
//! maps of a run share, and gives one value a texel in 0..1. It casts no primary ray of its own.

mod id;
mod miss;
mod normal;

pub use id::{IdSettings, IdSource, IdTask, PaletteEntry, colour_of_name};
pub use normal::{Green, NormalSettings, NormalTask, decode_normal};

use crate::bake::{BakeScene, TileHits};
use crate::finding::Finding;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// What is fixed about a kind of map.
#[derive(Clone, Copy, Debug, Serialize, TS)]
pub struct MapKind {
    pub id: &'static str,
    pub label: &'static str,
    /// One line for a newcomer.
    pub explains: &'static str,
    /// How a texel is to be read, as it stands in the report.
    pub encoding: &'static str,
    pub channels: usize,
    /// Value outside every island.
    pub neutral: &'static [f32],
}

/// Every kind of map, in the order they are shown.
pub const MAPS: &[MapKind] = &[normal::KIND, id::KIND, miss::KIND];

/// A map that a recipe asks for, with its settings.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(tag = "map", rename_all = "kebab-case")]
pub enum MapSettings {
    Normal(NormalSettings),
    Id(IdSettings),
    Miss,
}

impl MapSettings {
    pub fn kind(&self) -> &'static MapKind {
        match self {
            MapSettings::Normal(_) => &normal::KIND,
            MapSettings::Id(_) => &id::KIND,
            MapSettings::Miss => &miss::KIND,
        }
    }

    pub fn id(&self) -> &'static str {
        self.kind().id
    }

    /// How a texel of this map is to be read, with the settings that bear on it.
    pub fn encoding(&self) -> String {
        let kind = self.kind().encoding;
        match self {
            MapSettings::Normal(settings) => format!("{kind}; {}", settings.y.words()),
            MapSettings::Id(_) | MapSettings::Miss => kind.to_owned(),
        }
    }

    /// The map of this name with its default settings.
    pub fn by_id(id: &str) -> Option<MapSettings> {
        let all =
            [MapSettings::Normal(NormalSettings::default()), MapSettings::Id(IdSettings::default()), MapSettings::Miss];
        all.into_iter().find(|m| m.id() == id)
    }

    /// What a new asset bakes until told otherwise.
    pub fn first_choice() -> Vec<MapSettings> {
        vec![MapSettings::Normal(NormalSettings::default()), MapSettings::Id(IdSettings::default()), MapSettings::Miss]
    }

    /// Gets the map ready for a scene: tables built once, before any tile.
    pub fn prepare(&self, scene: &BakeScene) -> MapTask {
        match self {
            MapSettings::Normal(settings) => MapTask::Normal(NormalTask::new(settings)),
            MapSettings::Id(settings) => MapTask::Id(IdTask::new(settings, scene)),
            MapSettings::Miss => MapTask::Miss,
        }
    }
}

/// A map ready to work on tiles.
pub enum MapTask {
    Normal(NormalTask),
    Id(IdTask),
    Miss,
}

impl MapTask {
    /// Fills `out` (texels of the tile times channels) with values in 0..1. Texels without samples are left alone.
    pub fn evaluate(&self, scene: &BakeScene, hits: &TileHits, out: &mut [f32]) {
        match self {
            MapTask::Normal(task) => task.evaluate(scene, hits, out),
            MapTask::Id(task) => task.evaluate(hits, scene, out),
            MapTask::Miss => miss::evaluate(hits, out),
        }
    }

    /// Names and colours of a map that has a table of them.
    pub fn palette(&self) -> Option<&[PaletteEntry]> {
        match self {
            MapTask::Id(task) => Some(task.palette()),
            MapTask::Normal(_) | MapTask::Miss => None,
        }
    }

    /// What getting ready brought to light.
    pub fn findings(&self) -> &[Finding] {
        match self {
            MapTask::Id(task) => task.findings(),
            MapTask::Normal(_) | MapTask::Miss => &[],
        }
    }
}
