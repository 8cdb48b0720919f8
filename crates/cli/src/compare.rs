//! `ember-ridge compare`: how far the maps of two bakes are apart.

use crate::Unusable;
use crate::arguments::Compare;
use crate::baked::Baked;
use crate::progress::Progress;
use crate::say::{answer, aside};
use ember_ridge_core::picture::Image;
use ember_ridge_core::review::{Compared, MapFile, compare};
use ember_ridge_core::sheet::Coverage;
use serde::Serialize;
use std::collections::BTreeMap;
use std::process::ExitCode;

/// What a comparison answers with.
#[derive(Serialize)]
struct Answer {
    maps: BTreeMap<String, Line>,
    /// Whether only covered texels count; every texel does where a low-poly was not found.
    covered: bool,
    /// Maps that one of the two alone has.
    only_a: Vec<String>,
    only_b: Vec<String>,
}

#[derive(Serialize)]
#[serde(untagged)]
enum Line {
    Apart(Compared),
    Fault { error: String },
}

pub fn run(arguments: &Compare) -> Result<ExitCode, Unusable> {
    let progress = Progress::new();
    let [a, b] = [&arguments.a, &arguments.b].map(|folder| Baked::open(folder));
    let (a, b) = (a?, b?);
    let named = arguments.meshes.as_deref();
    let covered_by = |baked: &Baked| -> Result<Option<Vec<Coverage>>, Unusable> {
        let files = baked.folder_of(baked.report.recipe.low.iter(), named);
        let low = files.map(|files| baked.low(&files, &progress)).transpose()?;
        Ok(low.map(|low| baked.coverage(&low)))
    };
    let covered = covered_by(&a)?.zip(covered_by(&b)?).map(|(of_a, of_b)| [of_a, of_b]);
    if covered.is_none() {
        aside!("the low-poly was not found, so every texel counts, padding too; name its folder with --meshes");
    }
    let both = |sheet: usize, texel: usize| {
        let held = |sheets: &Vec<Coverage>| sheets.get(sheet).is_some_and(|covered| covered.get(texel));
        covered.as_ref().is_none_or(|two| two.iter().all(held))
    };
    let mut answer =
        Answer { maps: BTreeMap::new(), covered: covered.is_some(), only_a: only_in(&a, &b), only_b: only_in(&b, &a) };
    for key in a.report.maps.keys().filter(|key| b.report.maps.contains_key(*key)) {
        let line = match of_map(&a, &b, key, &both) {
            Ok(apart) => Line::Apart(apart),
            Err(fault) => Line::Fault { error: format!("{fault:#}") },
        };
        answer.maps.insert(key.clone(), line);
    }
    tell(&answer, arguments.json)?;
    let faulty = answer.maps.is_empty() || answer.maps.values().any(|line| matches!(line, Line::Fault { .. }));
    Ok(ExitCode::from(u8::from(faulty)))
}

/// Maps that one bake has and another has not.
fn only_in(one: &Baked, other: &Baked) -> Vec<String> {
    one.report.maps.keys().filter(|key| !other.report.maps.contains_key(*key)).cloned().collect()
}

fn of_map(a: &Baked, b: &Baked, key: &str, covered: &dyn Fn(usize, usize) -> bool) -> Result<Compared, Unusable> {
    let read = |baked: &Baked| {
        let map = &baked.report.maps[key];
        let place = baked.folder.display();
        if let Some(error) = &map.error {
            anyhow::bail!("{place}: it was not made: {error}");
        }
        let Some(reads) = map.reads else {
            anyhow::bail!("{place}: an earlier version made it, without saying how it is read; bake it again");
        };
        let sheets = baked.names(map).into_iter().map(|name| baked.picture(name));
        Ok((sheets.collect::<Result<Vec<Image>, Unusable>>()?, reads, map.scale))
    };
    let (one, other) = (read(a)?, read(b)?);
    if one.0.len() != other.0.len() {
        anyhow::bail!("one has {} sheets and the other {}", one.0.len(), other.0.len());
    }
    let sheets = one.0.iter().zip(&other.0).map(|(image_a, image_b)| {
        [(image_a, one.1, one.2), (image_b, other.1, other.2)].map(|(image, reads, scale)| MapFile {
            image,
            reads,
            scale,
        })
    });
    compare(sheets, covered).map_err(anyhow::Error::msg)
}

fn tell(answer: &Answer, json: bool) -> Result<(), Unusable> {
    if json {
        answer!("{}", serde_json::to_string_pretty(answer)?);
        return Ok(());
    }
    for (key, line) in &answer.maps {
        match line {
            Line::Fault { error } => answer!("  {key:<16} {error}"),
            Line::Apart(Compared { difference, unit, worst, .. }) => {
                let place = worst.map_or("no texel differs".to_owned(), |w| {
                    let sheet = if w.sheet > 0 { format!(" of sheet {}", w.sheet + 1) } else { String::new() };
                    format!("most at texel {}, {}{sheet}", w.x, w.y)
                });
                answer!(
                    "  {key:<16} mean {:.6}  99 % within {:.6}  most {:.6} {unit}  ({place})",
                    difference.mean,
                    difference.p99,
                    difference.max
                );
            }
        }
    }
    for (keys, whose) in [(&answer.only_a, "first"), (&answer.only_b, "second")] {
        if !keys.is_empty() {
            answer!("  only in the {whose}: {}", keys.join(", "));
        }
    }
    Ok(())
}
