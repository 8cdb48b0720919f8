//! The files of a run: every map of every sheet, wherever they go, and what the report says of them.

use ember_ridge_core::Recipe;
use ember_ridge_core::bake::{MapFacts, Outcome, Report, SheetFile};
use ember_ridge_core::recipe::map_file_name;
use ember_ridge_core::sheet::SheetName;
use rayon::prelude::*;

/// One map of one sheet, and the name of its file.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct MapFile {
    pub sheet: usize,
    pub map: usize,
    pub file: String,
}

/// A run whose files were made.
pub struct KeptRun<T, E> {
    /// With the names of files that were made, and why others were not.
    pub report: Report,
    /// What was made, map by map.
    pub made: Vec<T>,
    /// Maps by id that could not be written, with every different fault once.
    pub faults: Vec<(String, E)>,
}

/// The files that a bake of a recipe over these sheets makes, in the order they are written.
pub fn planned_files(recipe: &Recipe, sheets: &[SheetName]) -> Vec<MapFile> {
    let low = recipe.low.first().map_or("", |source| &source.file);
    let file = |sheet: usize, map: usize| {
        let facts = MapFacts::new(&recipe.maps[map], recipe);
        MapFile { sheet, map, file: map_file_name(low, &sheets[sheet], facts.file_part(), facts.format) }
    };
    (0..sheets.len()).flat_map(|sheet| (0..recipe.maps.len()).map(move |map| file(sheet, map))).collect()
}

/// Makes the file of each map of each sheet with `write`, all maps of a sheet beside each other, as they share its padding. A map
/// that fails is noted in the report, and the others are made all the same. Maps that the run could not make are left out; the
/// report says why already. Once `stopped`, no further file is begun.
pub fn keep_run<T: Send, E: Send + std::fmt::Display>(
    outcome: Outcome,
    stopped: &(dyn Fn() -> bool + Sync),
    write: impl Fn(&Outcome, &MapFile) -> Result<T, E> + Sync,
) -> KeptRun<T, E> {
    let planned = planned_files(&outcome.report.recipe, &outcome.sheets);
    let mut files: Vec<Vec<(MapFile, Result<T, E>)>> = outcome.maps.iter().map(|_| Vec::new()).collect();
    for of_sheet in planned.chunks(outcome.maps.len().max(1)) {
        let one = |file: &MapFile| {
            let wanted = outcome.maps[file.map].error.is_none() && !stopped();
            wanted.then(|| (write(&outcome, file), file.clone()))
        };
        let made: Vec<_> = of_sheet.par_iter().filter_map(one).collect();
        made.into_iter().for_each(|(made, file)| files[file.map].push((file, made)));
    }
    let several = outcome.sheets.len() > 1;
    let (mut report, mut made, mut faults) = (outcome.report, Vec::new(), Vec::new());
    for (file, result) in files.into_iter().flatten() {
        let id = outcome.maps[file.map].facts.key().to_owned();
        let Some(entry) = report.maps.get_mut(&id) else { continue };
        match result {
            Ok(kept) => {
                if entry.file.is_empty() {
                    entry.file.clone_from(&file.file);
                }
                if several {
                    let sheet = outcome.sheets[file.sheet].label();
                    entry.files.push(SheetFile { sheet, file: file.file });
                }
                made.push(kept);
            }
            Err(fault) => {
                let text = fault.to_string();
                if entry.error.as_ref() != Some(&text) {
                    entry.error = Some(text);
                    faults.push((id, fault));
                }
            }
        }
    }
    KeptRun { report, made, faults }
}
