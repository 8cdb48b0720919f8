//! A region that is baked into an earlier bake.

use crate::Unusable;
use crate::arguments::Bake;
use crate::baked::Baked;
use anyhow::anyhow;
use ember_ridge_core::Recipe;
use ember_ridge_core::bake::{Around, AroundMap};
use ember_ridge_core::sheet::Region;
use std::path::Path;
use std::sync::Arc;

impl Around for Baked {
    fn map(&self, key: &str) -> Result<Option<AroundMap>, String> {
        let Some(map) = self.report.maps.get(key).filter(|map| map.error.is_none()) else { return Ok(None) };
        let sheets = self.names(map).into_iter().map(|name| self.picture(name)).collect::<Result<_, _>>();
        Ok(Some(AroundMap { sheets: sheets.map_err(|fault| format!("{fault:#}"))?, scale: map.scale }))
    }
}

/// Gives the recipe the region that is asked for, and opens the bake that it goes into; None where all of the sheet is baked.
///
/// # Errors
/// There is no earlier bake, or it is one of another low-poly.
pub fn around(recipe: &mut Recipe, arguments: &Bake) -> Result<Option<Arc<dyn Around>>, Unusable> {
    if !arguments.region.is_empty() {
        recipe.region = Some(Region { run: None, rectangles: arguments.region.clone() });
    }
    match (&recipe.region, &arguments.into) {
        (None, None) => Ok(None),
        (Some(_), Some(folder)) => Ok(Some(Arc::new(open(recipe, folder)?))),
        (Some(_), None) => {
            let file = arguments.recipe.as_ref().map_or("the recipe".into(), |path| path.display().to_string());
            Err(anyhow!("{file}: it bakes only a region; name the folder of the bake it goes into with --into"))
        }
        (None, Some(_)) => Err(anyhow!("--into: name what is to be baked into it with --region")),
    }
}

fn open(recipe: &Recipe, folder: &Path) -> Result<Baked, Unusable> {
    let baked = Baked::open(folder)?;
    let earlier = &baked.report.recipe;
    let shown = folder.display();
    let files = |recipe: &Recipe| recipe.low.iter().map(|low| low.file.clone()).collect::<Vec<_>>();
    if files(earlier) != files(recipe) || earlier.sheet.layout != recipe.sheet.layout {
        return Err(anyhow!("{shown}: it is a bake of another low-poly or of other sheets; bake all of the sheet"));
    }
    if let Some((key, _)) = baked.report.maps.iter().find(|(_, map)| map.mends > 0) {
        return Err(anyhow!(
            "{shown}: mends are drawn on {key} already, and would be drawn twice; bake all of the sheet"
        ));
    }
    Ok(baked)
}
