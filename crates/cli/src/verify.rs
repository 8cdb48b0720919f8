//! `ember-ridge verify`: the delivered files of a bake, read as a renderer reads them, held against the sculpt; what is wrong is named with
//! its file.

use crate::Unusable;
use crate::arguments::Verify;
use crate::baked::Baked;
use crate::progress::Progress;
use crate::say::answer;
use crate::scene::load_scene;
use anyhow::{anyhow, bail};
use ember_ridge_core::Recipe;
use ember_ridge_core::bake::{MapReport, Plan};
use ember_ridge_core::finish::Finish;
use ember_ridge_core::maps::{MapSettings, Reads};
use ember_ridge_core::picture::{Coding, Image};
use ember_ridge_core::review::{NormalReading, Truth, Truths};
use ember_ridge_core::sheet::{Coverage, tiles_in_morton_order};
use serde::Serialize;
use std::process::ExitCode;

/// The coarsest copy of a normal map that is asked, in texels.
const COARSEST: u32 = 64;

/// What a verification answers with.
#[derive(Default, Serialize)]
struct Answer {
    truths: Told,
    faults: Vec<Fault>,
    /// What was not held against the sculpt, and why.
    notes: Vec<String>,
}

#[derive(Default, Serialize)]
struct Told {
    /// The normal map at each mip level.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    lit: Vec<Level>,
    #[serde(skip_serializing_if = "Option::is_none")]
    displaced: Option<Displaced>,
    #[serde(skip_serializing_if = "Option::is_none")]
    seams: Option<Truth>,
}

#[derive(Serialize)]
struct Level {
    level: u32,
    #[serde(flatten)]
    truth: Truth,
}

#[derive(Serialize)]
struct Displaced {
    #[serde(flatten)]
    truth: Truth,
    /// The mean as a share of the asset's diagonal.
    mean_share: f32,
}

/// Something wrong with a delivered file.
#[derive(Serialize)]
struct Fault {
    map: String,
    file: String,
    fault: String,
    remedy: String,
}

pub fn run(arguments: &Verify) -> Result<ExitCode, Unusable> {
    let progress = Progress::new();
    let baked = Baked::open(&arguments.out)?;
    let files = baked.meshes(arguments.meshes.as_deref()).ok_or_else(|| {
        anyhow!("{}: the meshes of its recipe were not found; name their folder with --meshes", arguments.out.display())
    })?;
    let mut answer = Answer::default();
    let covered = baked.coverage(&files, &progress)?;
    let recipe = &baked.report.recipe;
    for (key, map) in baked.report.maps.iter().filter(|(_, map)| map.error.is_none()) {
        if let Some([fault, remedy]) = file_fault(&baked, key, map, &covered) {
            answer.faults.push(Fault { map: key.clone(), file: map.file.clone(), fault, remedy });
        }
    }
    let whole = |answer: &Answer, key: &str| answer.faults.iter().all(|fault| fault.map != key);
    let asked = |key: &str| baked.report.maps.get(key).filter(|map| map.error.is_none() && map.reads.is_some());
    let (normal, heights) = (asked("normal"), asked("displacement"));
    if recipe.finishes.iter().any(Finish::sets_height) {
        answer.notes.push("finishes add heights, so normals and displacement are not those of the sculpt alone".into());
    } else if recipe.high.is_empty() {
        answer.notes.push("there is no sculpt to hold the files against".into());
    } else if normal.is_some() || heights.is_some() {
        let scene = load_scene(recipe, &files, &progress)?;
        let plan = Plan::new(&alone(recipe), &scene).map_err(|fault| anyhow!("{fault}"))?;
        progress.say("tracing the places that files are asked at");
        let truths = Truths::new(&plan, &baked.report.sheets).map_err(anyhow::Error::msg)?;
        if let Some(map) = normal.filter(|_| whole(&answer, "normal")) {
            ask_normals(&baked, map, &truths, &mut answer)?;
        }
        if let Some(map) = heights.filter(|_| whole(&answer, "displacement")) {
            ask_heights(&baked, map, &truths, scene.diagonal(), &mut answer)?;
        }
    }
    progress.finish();
    tell(&answer, arguments.json)?;
    Ok(ExitCode::from(u8::from(!answer.faults.is_empty())))
}

/// The recipe with nothing to get ready: its rays are all that is asked for.
fn alone(recipe: &Recipe) -> Recipe {
    let maps = MapSettings::by_key("displacement").into_iter().collect();
    Recipe { maps, masks: Vec::new(), finishes: Vec::new(), ..recipe.clone() }
}

/// The sheets of a map as numbers, not as colours for the eye.
fn numbers(baked: &Baked, map: &MapReport) -> Result<Vec<Image>, Unusable> {
    let mut sheets = baked.pictures(map)?;
    sheets.iter_mut().for_each(|sheet| sheet.coding = Coding::Linear);
    Ok(sheets)
}

fn ask_normals(baked: &Baked, map: &MapReport, truths: &Truths, answer: &mut Answer) -> Result<(), Unusable> {
    let Some(Reads::Direction { y }) = map.reads else {
        bail!("report.json: the normal map is not read as directions")
    };
    let (sheets, reading) = (numbers(baked, map)?, NormalReading::Tangent(y));
    let levels = (0..).take_while(|level| *level == 0 || map.width >> level >= COARSEST);
    answer.truths.lit = levels.map(|level| Level { level, truth: truths.lit(&sheets, reading, level) }).collect();
    answer.truths.seams = Some(truths.seams(&sheets, reading));
    let fault = truths.normal_fault(&sheets, reading);
    answer.faults.extend(fault.map(|[fault, remedy]| Fault {
        map: "normal".into(),
        file: map.file.clone(),
        fault,
        remedy,
    }));
    Ok(())
}

fn ask_heights(
    baked: &Baked,
    map: &MapReport,
    truths: &Truths,
    diagonal: f32,
    answer: &mut Answer,
) -> Result<(), Unusable> {
    let sheets = numbers(baked, map)?;
    let truth = truths.displaced(&sheets, map.scale);
    answer.truths.displaced = Some(Displaced { mean_share: truth.difference.mean / diagonal, truth });
    let fault = truths.height_fault(&sheets, map.scale);
    let fault =
        fault.map(|[fault, remedy]| Fault { map: "displacement".into(), file: map.file.clone(), fault, remedy });
    answer.faults.extend(fault);
    Ok(())
}

/// What is wrong with the file of a map by itself: it is not there, damaged, of another size, or a tile of it is missing.
fn file_fault(baked: &Baked, key: &str, map: &MapReport, covered: &[Coverage]) -> Option<[String; 2]> {
    let sheets = match baked.pictures(map) {
        Ok(sheets) => sheets,
        Err(fault) => return Some([format!("{fault:#}"), "Bake it again, or copy the file anew".into()]),
    };
    for (sheet, image) in sheets.iter().enumerate() {
        if (image.width, image.height) != (map.width, map.height) {
            return Some([
                format!("it is {} x {}, and the report says {} x {}", image.width, image.height, map.width, map.height),
                "Deliver the file that was baked".into(),
            ]);
        }
        let Some(covered) = covered.get(sheet) else { continue };
        if never_black(key)
            && let Some([x, y]) = black_tile(image, covered)
        {
            return Some([
                format!("a tile is missing: every texel from {x}, {y} on, {TILE} x {TILE}, is 0"),
                "Bake it again, or copy the file anew".into(),
            ]);
        }
    }
    None
}

const TILE: u32 = ember_ridge_core::sheet::TILE;

/// Maps that are nowhere 0 over a whole tile unless something went wrong.
fn never_black(key: &str) -> bool {
    ["normal", "normal-object", "bent-normal", "curvature", "displacement", "height"].contains(&key)
}

/// The first tile that is covered by half or more and holds nothing but 0.
fn black_tile(image: &Image, covered: &Coverage) -> Option<[u32; 2]> {
    let mut tiles = tiles_in_morton_order(image.width);
    tiles.sort_unstable_by_key(|tile| (tile.y, tile.x));
    let held = |x: u32, y: u32| covered.get((y * image.width + x) as usize);
    let black = tiles.into_iter().find(|tile| {
        let texels = || (tile.y..tile.y + tile.height).flat_map(|y| (tile.x..tile.x + tile.width).map(move |x| (x, y)));
        let count = texels().filter(|(x, y)| held(*x, *y)).count();
        let dark = |x: u32, y: u32| image.texel(x, y)[..3] == [0.0; 3];
        2 * count >= tile.texels() && texels().filter(|(x, y)| held(*x, *y)).all(|(x, y)| dark(x, y))
    });
    black.map(|tile| [tile.x, tile.y])
}

fn tell(answer: &Answer, json: bool) -> Result<(), Unusable> {
    if json {
        answer!("{}", serde_json::to_string_pretty(answer)?);
        return Ok(());
    }
    let line = |what: &str, truth: &Truth| {
        let place = truth
            .worst
            .as_ref()
            .map_or(String::new(), |at| format!("  (most on '{}' at UV {:.4} {:.4})", at.part, at.uv[0], at.uv[1]));
        let d = &truth.difference;
        answer!("  {what:<22} mean {:.6}  99 % within {:.6}  most {:.6} {}{place}", d.mean, d.p99, d.max, truth.unit);
    };
    for Level { level, truth } in &answer.truths.lit {
        line(&format!("lit, mip level {level}"), truth);
    }
    if let Some(truth) = &answer.truths.seams {
        line("seams", truth);
    }
    if let Some(Displaced { truth, mean_share }) = &answer.truths.displaced {
        line("displaced", truth);
        answer!("  {:<22} mean {:.4} % of the asset's diagonal", "", mean_share * 100.0);
    }
    for note in &answer.notes {
        answer!("  {note}");
    }
    for Fault { file, fault, remedy, .. } in &answer.faults {
        answer!("Fault: {file}: {fault}. {remedy}");
    }
    if answer.faults.is_empty() {
        answer!("no faults");
    }
    Ok(())
}
