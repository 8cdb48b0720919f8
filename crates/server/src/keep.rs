//! A finished bake into the store: each map's file, a picture of it that a browser can show, and a small one for the ledger.

use crate::App;
use crate::fault::{Fault, Result};
use crate::upload::Incoming;
use ember_ridge_core::bake::{Layer, Outcome, Preview, Report};
use ember_ridge_core::import::ImportedFile;
use ember_ridge_core::maps::Reads;
use ember_ridge_core::picture::{Depth, ImageFormat};
use ember_ridge_core::review::{Looked, MapFile as RunMap, looked};
use ember_ridge_formats::image::{
    ImageSpec, Pyramid, read_image, write_image, write_layer, write_map, write_map_and_squares, write_png,
};
use ember_ridge_formats::keep::{MapFile, keep_run};
use ember_ridge_store::{BlobWriter, RunFile};
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

/// Under this name the squares are kept that a large map is looked at by.
pub fn squares_name(key: &str) -> String {
    format!("squares/{key}")
}

/// Maps of more texels per side are not unpacked whole to be looked at.
pub const MOST_UNPACKED: u32 = 4096;

/// Texels per side of the copy of a large map that stands for it, at most.
pub const COPY_SIDE: u32 = 2048;

/// Under this name a map is kept as it is without mends, in the same format.
pub fn beneath_name(key: &str) -> String {
    format!("beneath/{key}")
}

/// True for files that are delivered, false for pictures for the page.
pub fn is_map(file: &RunFile) -> bool {
    !file.file.is_empty()
}

/// Keeps all maps. One that fails is noted in the report and the others are kept all the same. Once `stopped`, no further
/// map is begun, and what was kept by then is not in the ledger.
pub fn keep_maps(app: &App, outcome: Outcome, stopped: &(dyn Fn() -> bool + Sync)) -> Result<Baked> {
    let mut kept = keep_run(outcome, stopped, |outcome, file| keep_map(app, outcome, file));
    // For want of room the whole run can be made again once there is some.
    if let Some(at) = kept.faults.iter().position(|(_, fault)| fault.status() == Status::InsufficientStorage) {
        return Err(kept.faults.swap_remove(at).1);
    }
    Ok((kept.report, kept.made.concat()))
}

fn keep_map(app: &App, outcome: &Outcome, of: &MapFile) -> Result<Vec<RunFile>> {
    let &MapFile { sheet, map, ref file } = of;
    let baked = &outcome.maps[map];
    let key = map_key(baked.facts.key(), sheet);
    let mut files = Vec::new();
    let kept = |writer: BlobWriter, map: String, file: &str| -> Result<RunFile> {
        let (hash, bytes) = writer.keep()?;
        Ok(RunFile { map, file: file.to_owned(), hash, bytes: bytes as i64 })
    };
    let mut writer = app.store.blobs.writer()?;
    if outcome.size > MOST_UNPACKED {
        let squares = std::io::BufWriter::new(app.store.blobs.writer()?);
        let squares = write_map_and_squares(&mut writer, squares, outcome, sheet, map).map_err(std::io::Error::from)?;
        let squares = squares.into_inner().map_err(std::io::IntoInnerError::into_error)?;
        let squares = kept(squares, squares_name(&key), "")?;
        let mut copy = app.store.blobs.writer()?;
        write_copy(&mut copy, app, outcome, map, &squares)?;
        files.extend([squares, kept(copy, view_name(&key), "")?]);
    } else {
        write_map(&mut writer, outcome, sheet, map).map_err(std::io::Error::from)?;
        if baked.facts.format != ImageFormat::Png || baked.facts.shape.channels > SEEN {
            let mut view = app.store.blobs.writer()?;
            write_view(&mut view, outcome, sheet, map).map_err(std::io::Error::from)?;
            files.push(kept(view, view_name(&key), "")?);
        }
    }
    files.push(kept(writer, key.clone(), file)?);
    if outcome.is_mended(map) {
        let mut writer = app.store.blobs.writer()?;
        write_layer(&mut writer, outcome, (sheet, map), Layer::Beneath).map_err(std::io::Error::from)?;
        files.push(kept(writer, beneath_name(&key), "")?);
    }
    if let Some(picture) = outcome.preview(sheet, baked.facts.key()) {
        files.push(keep_small(app, &key, &picture)?);
    }
    Ok(files)
}

/// Keeps a file of another program as that of a map, with pictures to look at. `report`: that of all its maps.
pub fn keep_imported(app: &App, report: &Report, mut file: Incoming, of: &ImportedFile) -> Result<Vec<RunFile>> {
    let key = map_key(&of.map, of.sheet);
    let image = read_image(&file.name, &file.writer.read_back()?)?;
    let told = &report.maps[&of.map];
    let look = Looked { range: told.extreme.map(|extreme| [-extreme, extreme]), stops: 0.0 };
    let reads = told.reads.unwrap_or(Reads::SHARE);
    let (channels, rows) = looked(RunMap { image: &image, reads, scale: told.scale }, look);
    let mut view = app.store.blobs.writer()?;
    write_png(&mut view, image.width, channels, &rows)?;
    let kept = |writer: BlobWriter, map: String, file: String| -> Result<RunFile> {
        let (hash, bytes) = writer.keep()?;
        Ok(RunFile { map, file, hash, bytes: bytes as i64 })
    };
    let small = keep_small(app, &key, &Preview { side: image.width, channels, rows })?;
    let view = kept(view, view_name(&key), String::new())?;
    Ok(vec![view, small, kept(file.writer, key, file.name)?])
}

/// Keeps a small picture of a map for the ledger.
pub fn keep_small(app: &App, key: &str, picture: &Preview) -> Result<RunFile> {
    let small = small_picture(picture)?;
    let hash = app.store.blobs.put(&small)?;
    Ok(RunFile { map: small_name(key), file: String::new(), hash, bytes: small.len() as i64 })
}

/// The level of a large map's squares that stands for it as one picture.
pub fn copy_level(sizes: &[u32]) -> usize {
    sizes.iter().position(|side| *side <= COPY_SIDE).unwrap_or_default()
}

/// Asks something of the squares of a large map.
///
/// # Errors
/// What `ask` answers, or which map's squares cannot be read, and what to do.
pub fn with_squares<T>(
    app: &App,
    file: &RunFile,
    ask: impl FnOnce(&mut Pyramid<std::fs::File>) -> std::io::Result<T>,
) -> Result<T> {
    let open = app.store.blobs.open_in_parts(&file.hash)?;
    Pyramid::open(open).and_then(|mut squares| ask(&mut squares)).map_err(|fault| {
        let map = file.map.trim_start_matches("squares/");
        let why = format!("{map}: what it is looked at by cannot be read ({fault}). Bake the run again");
        Fault::new(Status::InternalServerError, why)
    })
}

/// An 8-bit PNG of the level of a map's squares that stands for it; heights of float files are laid about mid-grey.
fn write_copy(out: impl std::io::Write, app: &App, outcome: &Outcome, map: usize, squares: &RunFile) -> Result<()> {
    let baked = &outcome.maps[map];
    let image = with_squares(app, squares, |squares| squares.level(copy_level(squares.sizes())))?;
    let told = outcome.report.maps.get(baked.facts.key());
    let extreme = told.and_then(|told| told.extreme).filter(|_| baked.scale.is_none());
    let look = Looked { range: extreme.map(|extreme| [-extreme, extreme]), stops: 0.0 };
    let reads = told.and_then(|told| told.reads).unwrap_or(Reads::SHARE);
    let (channels, rows) = looked(RunMap { image: &image, reads, scale: baked.scale }, look);
    Ok(write_png(out, image.width, channels, &rows)?)
}

/// An 8-bit PNG of a map; heights of float files are laid about mid-grey.
pub fn write_view(
    place: &mut (impl std::io::Write + std::io::Seek),
    outcome: &Outcome,
    sheet: usize,
    map: usize,
) -> std::result::Result<(), ember_ridge_formats::image::WriteFault> {
    let baked = &outcome.maps[map];
    let extreme = outcome.report.maps.get(baked.facts.key()).and_then(|m| m.extreme).filter(|_| baked.scale.is_none());
    let channels = baked.facts.shape.channels;
    let spec = ImageSpec {
        size: outcome.size,
        channels: channels.min(SEEN),
        format: ImageFormat::Png,
        depth: Depth::Eight,
        color: baked.facts.kind().color || baked.facts.kind().flat,
        dither: false,
        notes: Vec::new(),
    };
    write_image(place, &spec, &mut |sink| {
        outcome.stream(sheet, map, &mut |rows| match extreme {
            None if channels > SEEN => sink(&seen(rows, channels)),
            None => sink(rows),
            Some(extreme) => {
                let half = 0.5 / extreme.max(f32::MIN_POSITIVE);
                sink(&rows.iter().map(|h| 0.5 + h * half).collect::<Vec<f32>>())
            }
        })
    })
}

/// Channels that can be looked at: an alpha would hide the others.
const SEEN: usize = 3;

/// Values without the channels beyond those.
fn seen<T: Copy>(rows: &[T], channels: usize) -> Vec<T> {
    rows.chunks_exact(channels).flat_map(|texel| &texel[..channels.min(SEEN)]).copied().collect()
}

fn small_picture(preview: &Preview) -> Result<Vec<u8>> {
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
    write_png(&mut out, side, preview.channels.min(SEEN), &seen(&rows, preview.channels))?;
    Ok(out)
}
