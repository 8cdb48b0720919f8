//! The account of maps that another program made, as a bake of them would give it.

use super::names::green_named;
use crate::bake::{MapReport, Report, SheetFile};
use crate::maps::{Green, GreenGuess, MapSettings, Reads, green_of};
use crate::mend::Mends;
use crate::mesh::Mesh;
use crate::picture::{Depth, Image, Pixels};
use crate::reach::ResolvedReach;
use crate::recipe::Recipe;
use crate::sheet::{Coverage, coverage_of, plan_sheets};
use std::collections::BTreeMap;

/// Texels per side of an imported map, at most.
pub const MOST_IMPORTED: u32 = 4096;

/// A file with what has to be known of its texels.
#[derive(Clone, Debug, PartialEq)]
pub struct ImportedFile {
    pub file: String,
    /// Key of the map it holds.
    pub map: String,
    pub sheet: usize,
    width: u32,
    height: u32,
    channels: usize,
    depth: Depth,
    green: Option<GreenGuess>,
    /// The number furthest from 0.
    extreme: f32,
}

/// What no file says of itself.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Reading {
    /// Which way green points in normal maps; none where it is to be found out.
    pub green: Option<Green>,
    /// Displacement in whole numbers: the distance from black to white, scene units; mid-grey is the low-poly.
    pub scale: Option<f32>,
}

/// Why a file cannot be taken, and what to do.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("{file}: {fault}. {remedy}")]
pub struct ImportFault {
    pub file: String,
    pub fault: String,
    pub remedy: String,
}

impl ImportedFile {
    /// What a file of a map on a sheet is like.
    pub fn of(file: &str, map: &str, sheet: usize, image: &Image) -> ImportedFile {
        let depth = match &image.pixels {
            Pixels::U8(_) => Depth::Eight,
            Pixels::U16(_) => Depth::Sixteen,
            Pixels::F32(_) => Depth::Float,
        };
        let values = image.width as usize * image.height as usize * image.channels;
        ImportedFile {
            file: file.to_owned(),
            map: map.to_owned(),
            sheet,
            width: image.width,
            height: image.height,
            channels: image.channels,
            depth,
            green: if map == "normal" { green_of(image) } else { None },
            extreme: match depth {
                Depth::Float => (0..values).map(|at| image.pixels.get(at).abs()).fold(0.0, f32::max),
                Depth::Eight | Depth::Sixteen => 0.0,
            },
        }
    }

    fn fault(&self, fault: String, remedy: &str) -> ImportFault {
        ImportFault { file: self.file.clone(), fault, remedy: remedy.to_owned() }
    }
}

/// The account of maps on the sheets of `low`, with what was taken for granted, in words. Its recipe is that of the asset with these maps in
/// place of its own. `diagonal`: of the asset, scene units.
///
/// # Errors
/// The first file that cannot be taken: of an unknown map, of another size than the others, a second one of a map and a sheet; or a map
/// that lacks a sheet.
pub fn imported_report(
    recipe: &Recipe,
    low: &Mesh,
    diagonal: f32,
    files: &[ImportedFile],
    reading: Reading,
) -> Result<(Report, Vec<String>), ImportFault> {
    let none = || ImportFault {
        file: "import".into(),
        fault: "none of the files is known as a map".into(),
        remedy: "Say what each of them holds".into(),
    };
    let size = files.first().ok_or_else(none)?.width;
    let mut recipe = Recipe { maps: Vec::new(), region: None, mends: Mends::default(), ..recipe.clone() };
    recipe.sheet.size = size;
    let sheets: Vec<String> = plan_sheets(low, &recipe.sheet).iter().map(|sheet| sheet.name.label()).collect();
    let mut by_map: BTreeMap<&str, Vec<Option<&ImportedFile>>> = BTreeMap::new();
    for file in files {
        suits(file, &files[0], sheets.len())?;
        let places = by_map.entry(&file.map).or_insert_with(|| vec![None; sheets.len().max(1)]);
        if let Some(other) = places[file.sheet].replace(file) {
            let fault = format!("{} was taken for {} already", other.file, place_words(file, &sheets));
            return Err(file.fault(fault, "Leave one of them out, or say what it holds instead"));
        }
    }
    let mut told = Vec::new();
    let mut maps = BTreeMap::new();
    for (key, places) in by_map {
        let whole: Vec<&ImportedFile> = places.iter().copied().flatten().collect();
        if let Some(lacks) = places.iter().position(Option::is_none) {
            let fault = format!("{key} lacks the sheet {}", sheets.get(lacks).map_or("", String::as_str));
            return Err(whole[0].fault(fault, "Add its file, or leave the map out"));
        }
        let mut settings = MapSettings::by_key(key)
            // A mask is one of the recipe's own.
            .filter(|settings| settings.name().is_none())
            .ok_or_else(|| whole[0].fault(format!("there is no map '{key}'"), "Say what it holds by another name"))?;
        let first = whole[0];
        if let Some(other) = whole.iter().find(|file| file.depth != first.depth) {
            let fault = format!("it holds {}, and {} {}", other.depth.words(), first.file, first.depth.words());
            return Err(other.fault(fault, "Save all sheets of a map at one depth"));
        }
        let extreme = whole.iter().map(|file| file.extreme).fold(0.0, f32::max);
        if let MapSettings::Normal(normal) = &mut settings {
            normal.y = green(first, reading, &mut told);
        }
        let (scale, extreme) = match settings.reads(diagonal) {
            Reads::Height if first.depth == Depth::Float => (None, Some(extreme)),
            Reads::Height => {
                let unscaled = || {
                    let fault = "heights in whole numbers say nothing without a scale".to_owned();
                    first.fault(fault, "Give the distance from black to white in scene units, or leave the file out")
                };
                (Some(reading.scale.ok_or_else(unscaled)?), None)
            }
            _ => (None, None),
        };
        let report = MapReport {
            file: first.file.clone(),
            files: match sheets.len() {
                0 | 1 => Vec::new(),
                _ => sheets.iter().zip(&whole).map(|(sheet, of)| sheet_file(sheet, of)).collect(),
            },
            seconds: 0.0,
            preparing: 0.0,
            rays: 0,
            mean_rays: None,
            width: size,
            height: size,
            depth: first.depth,
            encoding: settings.encoding(),
            reads: Some(settings.reads(diagonal)),
            scale,
            extreme,
            palette: None,
            mends: 0,
            error: None,
        };
        maps.insert(key.to_owned(), report);
        recipe.maps.push(settings);
    }
    let covered: u64 = coverage_of(low, &recipe.sheet).iter().map(Coverage::count).sum();
    let report = Report {
        version: 1,
        texels: u64::from(size) * u64::from(size) * sheets.len() as u64,
        recipe,
        reach: ResolvedReach::default(),
        seconds: 0.0,
        ray_seconds: 0.0,
        rays: 0,
        kept_rays: 0,
        covered,
        misses: 0,
        back_faces: 0,
        sheets,
        maps,
        findings: Vec::new(),
    };
    Ok((report, told))
}

fn sheet_file(sheet: &str, of: &ImportedFile) -> SheetFile {
    SheetFile { sheet: sheet.to_owned(), file: of.file.clone() }
}

fn place_words(file: &ImportedFile, sheets: &[String]) -> String {
    match sheets.len() {
        0 | 1 => file.map.clone(),
        _ => format!("{} on the sheet {}", file.map, sheets[file.sheet]),
    }
}

/// Whether a file can stand beside the first one.
fn suits(file: &ImportedFile, first: &ImportedFile, sheets: usize) -> Result<(), ImportFault> {
    let (width, height) = (file.width, file.height);
    if width != height {
        return Err(file.fault(format!("it is {width} x {height}, and sheets are square"), "Make it square"));
    }
    if width > MOST_IMPORTED {
        let fault = format!("{width} texels per side are more than the {MOST_IMPORTED} that can be imported");
        return Err(file.fault(fault, "Make it smaller"));
    }
    if width != first.width {
        let fault = format!("it is {width} texels wide, and {} {}", first.file, first.width);
        return Err(file.fault(fault, "Import maps of one size at a time"));
    }
    if file.sheet >= sheets.max(1) {
        return Err(file.fault(format!("there are {sheets} sheets"), "Say which of them it lies on"));
    }
    let wanted = MapSettings::by_key(&file.map).map_or(1, |settings| settings.shape().channels);
    if wanted >= 3 && file.channels < 3 {
        return Err(file.fault(format!("{} takes three channels, and it is grey", file.map), "Choose another file"));
    }
    Ok(())
}

/// Which way green points in a normal map: as told, as its slopes say, as its name says, or up.
fn green(file: &ImportedFile, reading: Reading, told: &mut Vec<String>) -> Green {
    if let Some(green) = reading.green {
        return green;
    }
    if let Some(guess) = file.green {
        told.push(guess.words(&file.file));
        return guess.green;
    }
    let named = green_named(&file.file);
    let green = named.unwrap_or(Green::Up);
    let why = if named.is_some() { "as its name says" } else { "for want of a hint" };
    told.push(format!("{}: taken as {}, {why}; its slopes do not tell", file.file, green.words()));
    green
}
