//! The sample assets of *Ember Ridge*, a made-up walking game about a fire-lookout post, generated from distance fields by
//! this crate alone. The same meshes come out every time.

mod field;
mod finishes;
mod ground;
mod handmade;
mod lantern;
mod nets;
mod pieces;
pub mod shapes;
mod shingles;
mod stone;
mod watering_can;

pub use watering_can::{PLANTED, planted_place};

use ember_ridge_core::maps::MapSettings;
use ember_ridge_core::recipe::MeshSource;
use ember_ridge_core::{Mesh, Recipe};
use ember_ridge_formats::files::write_whole;
use ember_ridge_formats::mesh::{write_glb, write_obj, write_ply};
use std::io;
use std::path::Path;

/// One sample asset: its meshes, the files they are written to, and a recipe that bakes it well.
pub struct Sample {
    /// Name on the command line.
    pub name: &'static str,
    pub label: &'static str,
    pub low: Mesh,
    pub high: Mesh,
    /// Empty when the low-poly is a plane that the recipe makes.
    pub low_file: &'static str,
    /// Empty when there is no sculpt.
    pub high_file: &'static str,
    pub recipe: Recipe,
    /// Whether a demo shows it baked; one that is made wrong on purpose is to be fixed first.
    pub finished: bool,
}

/// Names of all samples, in the order they are shown.
pub const SAMPLES: &[&str] =
    &["lookout-lantern", "boundary-stone", "shingle-tile", "dented-watering-can", "trail-ground"];

/// How fine sculpts are polygonised. `Full` is what artists see; `Draft` is for tests that only need the shape,
/// `Coarse` for measuring how cost grows.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Detail {
    Full,
    Draft,
    Coarse,
}

impl Detail {
    /// Full, unless `EMBER_RIDGE_DRAFT_SAMPLES` is set: browser tests then need not wait for fine sculpts.
    pub fn from_environment() -> Detail {
        if std::env::var_os("EMBER_RIDGE_DRAFT_SAMPLES").is_some() { Detail::Draft } else { Detail::Full }
    }

    fn cell(self, full: f32) -> f32 {
        match self {
            Detail::Full => full,
            Detail::Draft => full * 3.0,
            Detail::Coarse => full * 9.0,
        }
    }
}

/// Makes a sample by name; None for a name not in [`SAMPLES`].
pub fn make(name: &str, detail: Detail) -> Option<Sample> {
    let mut sample = match name {
        "lookout-lantern" => lantern::make(detail),
        "boundary-stone" => stone::make(detail),
        "shingle-tile" => shingles::make(detail),
        "trail-ground" => ground::make(),
        "dented-watering-can" => watering_can::make(detail),
        _ => return None,
    };
    if detail != Detail::Full {
        // Whoever wants coarse sculpts waits for no fine sampling either.
        sample.recipe.sheet.samples = 1;
        sample.recipe.maps = sample.recipe.maps.into_iter().map(|m| m.with_at_most(8)).collect();
        sample.recipe.finish_rays = sample.recipe.finish_rays.at_most(8);
    }
    Some(sample)
}

/// A sample's name as it is shown.
pub fn label(name: &str) -> Option<&'static str> {
    match name {
        "lookout-lantern" => Some(lantern::LABEL),
        "boundary-stone" => Some(stone::LABEL),
        "shingle-tile" => Some(shingles::LABEL),
        "trail-ground" => Some(ground::LABEL),
        "dented-watering-can" => Some(watering_can::LABEL),
        _ => None,
    }
}

fn recipe(label: &str, low_file: &str, high_file: &str, maps: Vec<MapSettings>) -> Recipe {
    let mut recipe = Recipe::new(label);
    recipe.low.push(MeshSource::file(low_file));
    recipe.high.push(MeshSource::file(high_file));
    recipe.maps = maps;
    recipe
}

/// Maps by name with their default settings.
fn plain_maps<const N: usize>(names: [&str; N]) -> Vec<MapSettings> {
    names.into_iter().filter_map(MapSettings::by_key).collect()
}

impl Sample {
    /// The same without finishes: what the sculpt alone gives.
    pub fn bare(mut self) -> Sample {
        self.recipe.finishes.clear();
        let of_finishes = ["base-color", "roughness", "metallic", "emission", "opacity", "height"];
        self.recipe.maps.retain(|map| !of_finishes.contains(&map.key().as_str()));
        self
    }

    /// Writes the meshes and `<name>.recipe.json` into `folder`, which must exist.
    ///
    /// # Errors
    /// What the file system answers.
    pub fn write(&self, folder: &Path) -> io::Result<()> {
        if !self.low_file.is_empty() {
            write_whole(&folder.join(self.low_file), |out| write_obj(out, &self.low))?;
        }
        if !self.high_file.is_empty() {
            write_whole(&folder.join(self.high_file), |out| self.write_high(out))?;
        }
        write_whole(&folder.join(format!("{}.recipe.json", self.name)), |out| {
            serde_json::to_writer_pretty(out, &self.recipe).map_err(io::Error::from)
        })
    }

    fn write_high(&self, out: &mut impl io::Write) -> io::Result<()> {
        match self.high_file.ends_with(".ply") {
            true => write_ply(out, &self.high),
            false => write_glb(out, &self.high),
        }
    }
}
