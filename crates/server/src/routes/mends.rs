//! Mends while they are made: drawn at once onto the maps of a run, as its files hold them, and what lies beneath a new one. The next bake
//! draws them for good; its padding follows them then, which it does not here.

use crate::App;
use crate::api::NewMend;
use crate::fault::{Fault, Result, aside};
use crate::keep::{beneath_name, is_map, map_key};
use crate::routes::compare::covered;
use crate::routes::sent::{Given, Sent};
use crate::routes::shared::Shared;
use ember_ridge_core::bake::MapReport;
use ember_ridge_core::maps::MapSettings;
use ember_ridge_core::mend::{MapTexels, Mend, MendMap, MendScene, MendedTiles, Mends};
use ember_ridge_core::picture::{Coding, Image, linear_to_srgb};
use ember_ridge_core::scene::BakeScene;
use ember_ridge_core::sheet::{Coverage, Layout, SheetPlan, plan_sheets};
use ember_ridge_formats::image::{read_image, write_png};
use ember_ridge_store::{Run, RunFile};
use rayon::prelude::*;
use rocket::http::ContentType;
use rocket::serde::json::Json;
use rocket::{State, post};
use std::sync::Arc;

described_routes!(show_mended, remember_beneath);

/// Strokes that may have been added since what was before them was drawn.
const LOOKED_BACK: usize = 8;
/// Channels of a picture for looking; an alpha would hide the others.
const SEEN: usize = 3;

/// A map of a run with mends drawn onto it, those of a draft in place of the run's own.
#[utoipa::path(
    tag = "mends",
    params(("sheet" = Option<usize>, Query)),
    request_body(content = ref("Mends"), content_type = "application/json"),
    responses((status = 200, description = "A PNG of eight bits", body = Vec<u8>, content_type = "image/png")),
)]
#[post("/runs/<id>/mended/<map>?<sheet>", data = "<mends>")]
async fn show_mended(
    app: &State<Arc<App>>,
    id: i64,
    map: &str,
    sheet: Given<usize>,
    mends: Sent<Mends>,
) -> Result<Shared> {
    let (sheet, map, mends) = (sheet.optional()?.unwrap_or(0), map.to_owned(), mends.0);
    let (run, files) = (app.store.run(id).await?, app.store.run_files(id).await?);
    let app = app.inner().clone();
    let made = aside(move || {
        let key = format!("mended/{id}/{map}/{sheet}/{}", serde_json::to_string(&mends)?);
        app.memory.together(&key, || {
            let ground = Ground::of(&app, &run, &files, &map)?;
            mends.validate(&run.recipe.maps).map_err(Fault::unusable)?;
            let tiles = ground.mended(&app, &mends)?;
            Ok(Arc::new(ground.picture(sheet, &tiles)?))
        })
    });
    Ok(Shared::new(ContentType::PNG, made.await?))
}

/// A new mend with what lies beneath it on the maps of a run, to be kept with it; and which of its maps it touches nothing of.
#[utoipa::path(
    tag = "mends",
    request_body(content = ref("Mend"), content_type = "application/json"),
    responses((status = 200, description = "The mend as it is to be kept", body = ref("NewMend"))),
)]
#[post("/runs/<id>/beneath", data = "<mend>")]
async fn remember_beneath(app: &State<Arc<App>>, id: i64, mend: Sent<Mend>) -> Result<Json<NewMend>> {
    let mut mend = mend.0;
    let (run, files) = (app.store.run(id).await?, app.store.run_files(id).await?);
    let app = app.inner().clone();
    aside(move || {
        let one = Mends { hidden: false, strokes: vec![mend.clone()] };
        one.validate(&run.recipe.maps).map_err(Fault::unusable)?;
        let mut idle = Vec::new();
        // A map that the run has not made tells nothing.
        let made = |map: &String| files.iter().any(|file| is_map(file) && file.map == *map);
        for map in mend.maps.clone().into_iter().filter(made) {
            let ground = Ground::of(&app, &run, &files, &map)?;
            let remembered = ground.mending(|scene, own, texels| scene.beneath(&mend, own, texels))?;
            match remembered.is_empty() {
                true => idle.push(map),
                false => drop(mend.beneath.insert(map, remembered)),
            }
        }
        Ok(Json(NewMend { mend, idle }))
    })
    .await
}

/// A map of a run as it is without mends.
struct Ground {
    settings: MapSettings,
    told: MapReport,
    layout: Layout,
    /// Of each sheet, what its file holds and by which hash.
    images: Vec<Arc<Image>>,
    hashes: Vec<String>,
    covered: Arc<Vec<Coverage>>,
    sheets: Vec<SheetPlan>,
    scene: BakeScene,
}

impl Ground {
    fn of(app: &App, run: &Run, files: &[RunFile], map: &str) -> Result<Ground> {
        let missing = || Fault::missing("such map in this run");
        let settings = run.recipe.maps.iter().find(|own| own.key() == map).ok_or_else(missing)?;
        let told = run.report.as_ref().and_then(|report| report.maps.get(map)).ok_or_else(missing)?;
        let scene = app.scene(&run.recipe, &|_| true)?;
        let sheets = plan_sheets(&scene.low.mesh, &run.recipe.sheet);
        let file = |sheet: usize| {
            let key = map_key(map, sheet);
            let find = |name: &str| files.iter().find(|file| file.map == name);
            let own = find(&key).ok_or_else(missing)?;
            Ok((own.file.clone(), find(&beneath_name(&key)).unwrap_or(own).hash.clone()))
        };
        let found: Vec<(String, String)> = (0..sheets.len()).map(file).collect::<Result<_>>()?;
        let size = run.recipe.sheet.size;
        let image = |(name, hash): &(String, String)| {
            let image =
                app.memory.once(&format!("map/{hash}"), || Ok(read_image(name, &app.store.blobs.read(hash)?)?))?;
            if (image.width, image.height) == (size, size) {
                return Ok(image);
            }
            let (wide, high) = (image.width, image.height);
            Err(Fault::unusable(format!(
                "{name}: it is {wide} x {high}, and its run says {size} x {size}; bake it again"
            )))
        };
        Ok(Ground {
            settings: settings.clone(),
            told: told.clone(),
            layout: run.recipe.sheet.layout,
            images: found.iter().map(image).collect::<Result<_>>()?,
            hashes: found.into_iter().map(|(_, hash)| hash).collect(),
            covered: covered(app, run)?,
            sheets,
            scene,
        })
    }

    /// Asks something of the map with strokes ready to be drawn.
    fn mending<T>(
        &self,
        ask: impl FnOnce(&MendScene, &MendMap, &dyn MapTexels) -> std::result::Result<T, String>,
    ) -> Result<T> {
        let scene = MendScene::new(&self.scene, &self.sheets, self.layout);
        let map = MendMap::new(&self.settings, self.scene.diagonal(), self.told.scale, self.told.extreme);
        ask(&scene, &map, self).map_err(Fault::unusable)
    }

    /// The tiles that strokes change. What all but the newest strokes make is held in memory, so that each new one is drawn alone.
    fn mended(&self, app: &App, mends: &Mends) -> Result<Arc<MendedTiles>> {
        if mends.hidden {
            return Ok(Arc::default());
        }
        let own = |mend: &&Mend| mend.maps.contains(&self.settings.key());
        let strokes: Vec<Mend> = mends.strokes.iter().filter(own).cloned().collect();
        let hashes: Vec<&str> = self.hashes.iter().map(String::as_str).collect();
        let name = |strokes: &[Mend]| -> Result<String> {
            let told = blake3::hash(&serde_json::to_vec(strokes)?);
            Ok(format!("mended tiles/{}/{told}", hashes.join("+")))
        };
        app.memory.once(&name(&strokes)?, || {
            let mut before = Arc::<MendedTiles>::default();
            let mut kept = 0;
            for count in (1..strokes.len()).rev().take(LOOKED_BACK) {
                if let Some(found) = app.memory.get::<MendedTiles>(&name(&strokes[..count])?) {
                    (before, kept) = (found, count);
                    break;
                }
            }
            let left = Mends { hidden: false, strokes: strokes[kept..].to_vec() };
            let over = Over { ground: self, tiles: &before };
            let mended = self.mending(|scene, map, _| scene.mend(&left, &[(map.clone(), &over)]))?;
            let mut tiles = (*before).clone();
            mended.into_iter().for_each(|mended| tiles.extend(mended.tiles));
            Ok(tiles)
        })
    }

    fn value(&self, sheet: usize, x: u32, y: u32) -> [f32; 4] {
        let image = &self.images[sheet];
        let texel = image.texel(x, y);
        let kind = self.settings.kind();
        if kind.heights {
            return self.told.scale.map_or(texel, |scale| texel.map(|value| (value - 0.5) * scale));
        }
        // Files of floats hold colours as light.
        let light = (kind.color || kind.flat) && image.coding == Coding::Linear;
        if light { texel.map(|value| linear_to_srgb(value.max(0.0))) } else { texel }
    }

    /// As the page shows a value: heights about mid-grey.
    fn shown(&self, value: f32) -> u8 {
        let shown = match (self.settings.kind().heights, self.told.scale) {
            (false, _) => value,
            (true, Some(scale)) => 0.5 + value / scale,
            (true, None) => 0.5 + 0.5 * value / self.told.extreme.unwrap_or_default().max(f32::MIN_POSITIVE),
        };
        (shown.clamp(0.0, 1.0) * 255.0).round() as u8
    }

    /// A sheet with its mended tiles, as a PNG.
    fn picture(&self, sheet: usize, tiles: &MendedTiles) -> Result<Vec<u8>> {
        let plan = self.sheets.get(sheet).ok_or_else(|| Fault::missing("such sheet in this run"))?;
        let (size, channels) = (plan.triangles.size, self.settings.shape().channels);
        let seen = channels.min(SEEN);
        let row =
            |y: u32| (0..size).flat_map(move |x| self.value(sheet, x, y).map(|v| self.shown(v)).into_iter().take(seen));
        let mut rows: Vec<u8> = (0..size).into_par_iter().flat_map_iter(row).collect();
        for ((_, number), values) in tiles.iter().filter(|((own, _), _)| *own == sheet) {
            let tile = &plan.tiles[*number];
            for texel in (0..tile.texels()).filter(|t| self.covers(sheet, tile.texel_on_sheet(*t, size) as usize)) {
                let at = tile.texel_on_sheet(texel, size) as usize * seen;
                for c in 0..seen {
                    rows[at + c] = self.shown(values[texel * channels + c]);
                }
            }
        }
        let mut png = Vec::new();
        write_png(&mut png, size, seen, &rows)?;
        Ok(png)
    }
}

impl MapTexels for Ground {
    fn tile(&self, sheet: usize, tile: usize) -> std::result::Result<Vec<f32>, String> {
        let tile = &self.sheets[sheet].tiles[tile];
        let channels = self.settings.shape().channels;
        let texels = (tile.y..tile.y + tile.height).flat_map(|y| (tile.x..tile.x + tile.width).map(move |x| (x, y)));
        Ok(texels.flat_map(|(x, y)| self.value(sheet, x, y).into_iter().take(channels)).collect())
    }

    fn covers(&self, sheet: usize, texel: usize) -> bool {
        self.covered.get(sheet).is_some_and(|sheet| sheet.get(texel))
    }
}

/// A map with tiles that earlier strokes changed.
struct Over<'a> {
    ground: &'a Ground,
    tiles: &'a MendedTiles,
}

impl MapTexels for Over<'_> {
    fn tile(&self, sheet: usize, tile: usize) -> std::result::Result<Vec<f32>, String> {
        self.tiles.get(&(sheet, tile)).map_or_else(|| self.ground.tile(sheet, tile), |own| Ok(own.clone()))
    }

    fn covers(&self, sheet: usize, texel: usize) -> bool {
        self.ground.covers(sheet, texel)
    }
}
