//! `ember-ridge verify`: the delivered files of a bake, read as a renderer reads them, held against the sculpt; what is wrong is named with
//! its file.

use crate::Unusable;
use crate::arguments::Verify;
use crate::baked::Baked;
use crate::delivered;
use crate::progress::Progress;
use crate::say::answer;
use crate::scene::load_scene;
use anyhow::anyhow;
use ember_ridge_core::bake::{MapReport, Plan};
use ember_ridge_core::picture::{Coding, Image};
use ember_ridge_core::review::{ASKED_MAPS, Displaced, LevelTruth, MapFault, Truth, Truths, TruthsTold, asking};
use ember_ridge_core::sheet::{Coverage, tiles_in_morton_order};
use ember_ridge_formats::deliver::Check;
use serde::Serialize;
use std::borrow::Cow;
use std::collections::BTreeMap;
use std::process::ExitCode;

/// What a verification answers with.
#[derive(Default, Serialize)]
struct Answer {
    truths: TruthsTold,
    faults: Vec<Fault>,
    /// What was not held against the sculpt, and why.
    notes: Vec<String>,
    /// Of a delivery: everything that was looked at in its files.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    checks: Vec<Check>,
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
    let recipe = &baked.report.recipe;
    let meshes = recipe.low.iter().chain(&recipe.high);
    let files = baked.folder_of(meshes, arguments.meshes.as_deref()).ok_or_else(|| {
        anyhow!("{}: the meshes of its recipe were not found; name their folder with --meshes", arguments.out.display())
    })?;
    let mut answer = Answer::default();
    let scene = (!recipe.high.is_empty()).then(|| load_scene(recipe, &files, &progress)).transpose()?;
    let low = match &scene {
        Some(scene) => &scene.low.mesh,
        None => &baked.low(&files, &progress)?,
    };
    // Maps of which every file is whole, as numbers; and how they are read.
    let mut whole: BTreeMap<&str, Vec<Image>> = BTreeMap::new();
    let mut report = Cow::Borrowed(&baked.report);
    let mut names: BTreeMap<String, String> = BTreeMap::new();
    if let Some(folder) = &arguments.delivery {
        let found = delivered::read_back(&baked, low, folder)?;
        answer.faults.extend(found.checks.iter().filter(|check| !check.fine).map(|check| Fault {
            map: check.what.clone(),
            file: check.file.clone(),
            fault: check.found.clone(),
            remedy: check.remedy.clone(),
        }));
        answer.checks = found.checks;
        answer.notes.extend(found.asked.notes);
        report = Cow::Owned(found.asked.report);
        names = found.asked.names;
        whole = found.asked.whole;
    } else {
        let covered = baked.coverage(low);
        for (key, map) in baked.report.maps.iter().filter(|(_, map)| map.error.is_none()) {
            names.insert(key.clone(), baked.names(map).join(", "));
            let sheets = sheets_of(&baked, key, map, &covered, &mut answer.faults);
            whole.extend(sheets.filter(|_| ASKED_MAPS.contains(&key.as_str())).map(|sheets| (key.as_str(), sheets)));
        }
    }
    match (asking(recipe), &scene) {
        (Ok(asking), Some(scene)) if !whole.is_empty() => {
            let plan = Plan::new(&asking, scene).map_err(|fault| anyhow!("{fault}"))?;
            progress.say("tracing the places that files are asked at");
            let truths = Truths::new(&plan, &baked.report.sheets).map_err(anyhow::Error::msg)?;
            let told = truths.ask(&whole, &report);
            answer.truths = told.truths;
            answer.notes.extend(told.notes);
            answer.faults.extend(told.faults.into_iter().map(|MapFault { map, fault, remedy }| {
                let file = names.get(&map).cloned().unwrap_or_default();
                Fault { map, file, fault, remedy }
            }));
        }
        (Ok(_), _) => {}
        (Err(why), _) => answer.notes.push(why),
    }
    progress.finish();
    tell(&answer, arguments.json)?;
    Ok(ExitCode::from(u8::from(!answer.faults.is_empty())))
}

/// The sheets of a map as numbers; none where a file is not there, damaged, of another size, or lacks a tile, which is told.
fn sheets_of(
    baked: &Baked,
    key: &str,
    map: &MapReport,
    covered: &[Coverage],
    faults: &mut Vec<Fault>,
) -> Option<Vec<Image>> {
    let before = faults.len();
    let mut sheets = Vec::new();
    for (number, name) in baked.names(map).into_iter().enumerate() {
        let mut told = |fault: String, remedy: &str| {
            let (map, file, remedy) = (key.to_owned(), name.to_owned(), remedy.to_owned());
            faults.push(Fault { map, file, fault, remedy });
        };
        let mut image = match baked.picture(name) {
            Ok(image) => image,
            Err(fault) => {
                told(format!("{fault:#}"), "Bake it again, or copy the file anew");
                continue;
            }
        };
        let (width, height) = (image.width, image.height);
        if (width, height) != (map.width, map.height) {
            let said = format!("it is {width} x {height}, and the report says {} x {}", map.width, map.height);
            told(said, "Deliver the file that was baked");
        } else if let Some([x, y]) =
            covered.get(number).filter(|_| never_black(key)).and_then(|c| black_tile(&image, c))
        {
            let said = format!("a tile is missing: every texel from {x}, {y} on, {TILE} x {TILE}, is 0");
            told(said, "Bake it again, or copy the file anew");
        }
        image.coding = Coding::Linear;
        sheets.push(image);
    }
    (faults.len() == before).then_some(sheets)
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
    for LevelTruth { level, truth } in &answer.truths.lit {
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
    if answer.faults.is_empty() && !answer.checks.is_empty() {
        answer!("read back: {} checks, no faults", answer.checks.len());
    } else if answer.faults.is_empty() {
        answer!("no faults");
    }
    Ok(())
}
