//! What lies around a region that is baked by itself: the maps of the run that it goes into.

use crate::App;
use crate::fault::{self, Fault};
use crate::keep::{beneath_name, map_key};
use ember_ridge_core::bake::{Around, AroundMap, Report};
use ember_ridge_core::sheet::Region;
use ember_ridge_formats::image::read_image;
use ember_ridge_store::{Run, RunFile};
use std::sync::Arc;

/// The run that a region is baked into.
struct Earlier {
    app: Arc<App>,
    number: i64,
    report: Report,
    files: Vec<RunFile>,
}

impl Around for Earlier {
    fn map(&self, key: &str) -> Result<Option<AroundMap>, String> {
        let Some(told) = self.report.maps.get(key).filter(|told| told.error.is_none()) else { return Ok(None) };
        let sheet = |sheet: usize| {
            let name = map_key(key, sheet);
            // Mends are drawn anew, so what lies beneath them is taken.
            let find = |name: &str| self.files.iter().find(|file| file.map == name);
            let own = find(&beneath_name(&name)).or_else(|| find(&name));
            let file = own.ok_or_else(|| format!("run {} has no file of {name}", self.number))?;
            let bytes = self.app.store.blobs.read(&file.hash).map_err(|fault| format!("{}: {fault}", file.file))?;
            read_image(&file.file, &bytes).map_err(|fault| fault.to_string())
        };
        let sheets = (0..self.report.sheets.len()).map(sheet).collect::<Result<_, _>>();
        let sheets = sheets.map_err(|fault: String| format!("{fault}. {REMEDY}"))?;
        Ok(Some(AroundMap { sheets, scale: told.scale }))
    }
}

const REMEDY: &str = "Bake a whole final";

/// The run that a job takes over where its region does not lie; None where it has no region.
pub(super) fn around(app: &Arc<App>, job: &Run) -> fault::Result<Option<Arc<dyn Around>>> {
    let Some(Region { run: Some(number), .. }) = job.recipe.region else { return Ok(None) };
    let gone = |why: &str| Fault::unusable(format!("{why}: the region goes into run {number}. {REMEDY}"));
    let found = tokio::runtime::Handle::current().block_on(async {
        let earlier = app.store.run_numbered(job.line.asset, number).await?;
        let files = app.store.run_files(earlier.line.id).await?;
        Ok::<_, Fault>((earlier, files))
    });
    let (earlier, files) = found.map_err(|fault| gone(fault.text()))?;
    let report = earlier.report.ok_or_else(|| gone("There is no report of it"))?;
    Ok(Some(Arc::new(Earlier { app: app.clone(), number, report, files })))
}
