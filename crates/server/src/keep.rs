//! A finished bake into the store: each map's file, a picture of it that a browser can show, and a small one for the ledger.

use crate::App;
use crate::fault::Result;
use ember_ridge_core::bake::{Outcome, Report, SheetFile};
use ember_ridge_core::recipe::{ImageFormat, map_file_name};
use ember_ridge_core::sheet::Depth;
use ember_ridge_formats::image::{ImageSpec, write_image, write_map, write_png};
use ember_ridge_store::{Run, RunFile};
use rayon::prelude::*;
use rocket::http::Status;

pub type Baked = (Report, Vec<RunFile>);

/// Side of the ledger's small pictures, in texels.
const SMALL_SIDE: u32 = 96;

/// A map of a sheet, as the store knows it; the first sheet goes by the map's name alone.
pub fn map_key(map: &str, sheet: usize) -> String {
    if sheet == 0 { map.to_owned() } else { format!("{map}@{sheet}") }
}

/// Under this name a map's small picture is kept beside the map.
pub fn small_name(key: &str) -> String {
    format!("small/{key}")
}

/// Under this name a PNG of a map is kept whose file a browser cannot show.
pub fn view_name(key: &str) -> String {
    format!("view/{key}")
}

/// True for files that are delivered, false for pictures for the page.
pub fn is_map(file: &RunFile) -> bool {
    !file.file.is_empty()
}

/// Keeps all maps. One that fails is noted in the report and the others are kept all the same. Once `stopped`, no further
/// map is begun, and what was kept by then is not in the ledger.
pub fn keep_maps(app: &App, job: &Run, outcome: Outcome, stopped: &(dyn Fn() -> bool + Sync)) -> Result<Baked> {
    // Sheet by sheet, all maps beside each other: they share the sheet's padding.
    let mut kept: Vec<Vec<Result<Vec<RunFile>>>> = outcome.maps.iter().map(|_| Vec::new()).collect();
    for sheet in (0..outcome.sheets.len()).take_while(|_| !stopped()) {
        let keep = |map: usize| if stopped() { Ok(Vec::new()) } else { keep_map(app, job, &outcome, sheet, map) };
        let of_sheet: Vec<_> = (0..outcome.maps.len()).into_par_iter().map(keep).collect();
        kept.iter_mut().zip(of_sheet).for_each(|(of_map, made)| of_map.push(made));
    }
    let several = outcome.sheets.len() > 1;
    let mut report = outcome.report;
    let mut files = Vec::new();
    for (baked, sheets) in outcome.maps.iter().zip(kept) {
        let Some(entry) = report.maps.get_mut(baked.id) else { continue };
        if baked.error.is_some() {
            continue;
        }
        for (name, made) in outcome.sheets.iter().zip(sheets) {
            match made {
                Ok(made) => {
                    let file = made.iter().find(|f| is_map(f)).map(|f| f.file.clone()).unwrap_or_default();
                    if entry.file.is_empty() {
                        entry.file.clone_from(&file);
                    }
                    if several {
                        entry.files.push(SheetFile { sheet: name.label(), file });
                    }
                    files.extend(made);
                }
                // For want of room the whole run can be made again once there is some.
                Err(fault) if fault.status() == Status::InsufficientStorage => return Err(fault),
                Err(fault) => entry.error = Some(fault.text().to_owned()),
            }
        }
    }
    Ok((report, files))
}

fn keep_map(app: &App, job: &Run, outcome: &Outcome, sheet: usize, map: usize) -> Result<Vec<RunFile>> {
    let baked = &outcome.maps[map];
    if baked.error.is_some() {
        return Ok(Vec::new());
    }
    let key = map_key(baked.id, sheet);
    let mut files = Vec::new();
    let file = map_file_name(&job.recipe.low[0].file, &outcome.sheets[sheet], baked.id, baked.format);
    let mut writer = app.store.blobs.writer()?;
    write_map(&mut writer, outcome, sheet, map).map_err(std::io::Error::from)?;
    let (hash, bytes) = writer.keep()?;
    files.push(RunFile { map: key.clone(), file, hash, bytes: bytes as i64 });
    if baked.format != ImageFormat::Png {
        let mut writer = app.store.blobs.writer()?;
        write_view(&mut writer, outcome, sheet, map).map_err(std::io::Error::from)?;
        let (hash, bytes) = writer.keep()?;
        files.push(RunFile { map: view_name(&key), file: String::new(), hash, bytes: bytes as i64 });
    }
    if let Some(small) = small_picture(outcome, sheet, baked.id)? {
        let bytes = small.len() as i64;
        let hash = app.store.blobs.put(&small)?;
        files.push(RunFile { map: small_name(&key), file: String::new(), hash, bytes });
    }
    Ok(files)
}

/// An 8-bit PNG of a map; heights of float files are laid about mid-grey.
pub fn write_view(
    place: &mut (impl std::io::Write + std::io::Seek),
    outcome: &Outcome,
    sheet: usize,
    map: usize,
) -> std::result::Result<(), ember_ridge_formats::image::WriteFault> {
    let baked = &outcome.maps[map];
    let extreme = outcome.report.maps.get(baked.id).and_then(|m| m.extreme).filter(|_| baked.scale.is_none());
    let spec = ImageSpec {
        size: outcome.size,
        channels: baked.channels,
        format: ImageFormat::Png,
        depth: Depth::Eight,
        color: baked.color || baked.flat,
        dither: false,
        notes: Vec::new(),
    };
    write_image(place, &spec, &mut |sink| {
        outcome.stream(sheet, map, &mut |rows| match extreme {
            None => sink(rows),
            Some(extreme) => {
                let half = 0.5 / extreme.max(f32::MIN_POSITIVE);
                sink(&rows.iter().map(|h| 0.5 + h * half).collect::<Vec<f32>>())
            }
        })
    })
}

fn small_picture(outcome: &Outcome, sheet: usize, map: &str) -> Result<Option<Vec<u8>>> {
    let Some(preview) = outcome.preview(sheet, map) else { return Ok(None) };
    let side = preview.side.min(SMALL_SIDE);
    let source = |i: u32| (i * preview.side / side) as usize;
    let mut rows = Vec::new();
    for y in 0..side {
        for x in 0..side {
            let at = (source(y) * preview.side as usize + source(x)) * preview.channels;
            rows.extend_from_slice(&preview.rows[at..at + preview.channels]);
        }
    }
    let mut out = Vec::new();
    write_png(&mut out, side, preview.channels, &rows)?;
    Ok(Some(out))
}
