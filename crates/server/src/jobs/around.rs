//! What lies around a region that is baked by itself: the maps of the run that it goes into.

use crate::App;
use crate::fault::{Fault, Result};
use crate::keep::{beneath_name, map_key};
use ember_ridge_core::bake::{Around, AroundMap};
use ember_ridge_core::sheet::Region;
use ember_ridge_formats::image::read_image;
use ember_ridge_store::Run;
use std::sync::Arc;

/// The maps that a job takes over where its region does not lie; None where it has no region.
pub(super) fn around(app: &App, job: &Run) -> Result<Option<Arc<Around>>> {
    let Some(Region { run: Some(number), .. }) = job.recipe.region else { return Ok(None) };
    let found = tokio::runtime::Handle::current().block_on(async {
        let earlier = app.store.run_numbered(job.line.asset, number).await?;
        let files = app.store.run_files(earlier.line.id).await?;
        Ok::<_, Fault>((earlier, files))
    });
    let gone = |fault: Fault| {
        Fault::unusable(format!("{}: the region was to be baked into run {number}. Bake a whole final", fault.text()))
    };
    let (earlier, files) = found.map_err(gone)?;
    let report = earlier.report.ok_or_else(|| Fault::missing("report of the run that the region is baked into"))?;
    let mut around = Around::default();
    for (key, told) in report.maps.iter().filter(|(_, told)| told.error.is_none()) {
        let sheet = |sheet: usize| {
            let name = map_key(key, sheet);
            // Mends are drawn anew, so what lies beneath them is taken.
            let find = |name: &str| files.iter().find(|file| file.map == name);
            let own = find(&beneath_name(&name)).or_else(|| find(&name));
            let file = own.ok_or_else(|| Fault::missing(&format!("file of {key} in run {number}")))?;
            Ok(read_image(&file.file, &app.store.blobs.read(&file.hash)?)?)
        };
        let sheets = (0..report.sheets.len()).map(sheet).collect::<Result<_>>()?;
        around.maps.insert(key.clone(), AroundMap { sheets, scale: told.scale });
    }
    Ok(Some(Arc::new(around)))
}
