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

/// Gives the recipe the region that is asked for, and reads what lies around it; None where all of the sheet is baked.
///
/// # Errors
/// There is no earlier bake, it is one of another low-poly, or a file of it cannot be read.
pub fn around(recipe: &mut Recipe, arguments: &Bake) -> Result<Option<Arc<Around>>, Unusable> {
    if !arguments.region.is_empty() {
        recipe.region = Some(Region { run: None, rectangles: arguments.region.clone() });
    }
    match (&recipe.region, &arguments.into) {
        (None, None) => Ok(None),
        (Some(_), Some(folder)) => read(recipe, folder).map(Some),
        (Some(_), None) => {
            Err(anyhow!("the recipe bakes only a region; name the folder of the bake it goes into with --into"))
        }
        (None, Some(_)) => Err(anyhow!("--into: name what is to be baked into it with --region")),
    }
}

fn read(recipe: &Recipe, folder: &Path) -> Result<Arc<Around>, Unusable> {
    let baked = Baked::open(folder)?;
    let earlier = &baked.report.recipe;
    let shown = folder.display();
    let files = |recipe: &Recipe| recipe.low.iter().map(|low| low.file.clone()).collect::<Vec<_>>();
    if files(earlier) != files(recipe) || earlier.sheet.layout != recipe.sheet.layout {
        return Err(anyhow!("{shown}: it is a bake of another low-poly or of other sheets; bake all of the sheet"));
    }
    let mut around = Around::default();
    for (key, map) in baked.report.maps.iter().filter(|(_, map)| map.error.is_none()) {
        if map.mends > 0 {
            return Err(anyhow!(
                "{shown}: mends are drawn on {key} already, and would be drawn twice; bake all of the sheet"
            ));
        }
        let sheets = baked.names(map).into_iter().map(|name| baked.picture(name)).collect::<Result<_, _>>()?;
        around.maps.insert(key.clone(), AroundMap { sheets, scale: map.scale });
    }
    Ok(Arc::new(around))
}
