//! `ember-ridge batch`: the files of a folder paired by their names into assets, each baked, delivered and held against its sculpt by one
//! template. Every step is a process of its own, so that whatever one asset does, the others go on.

mod cluster;
mod page;
mod steps;
mod template;

use crate::Unusable;
use crate::arguments::Batch;
use crate::files::ready_folder;
use crate::say::{answer, aside};
use anyhow::{Context, anyhow, bail};
use ember_ridge_formats::files::write_whole;
use serde::{Deserialize, Serialize};
use serde_json::Value;
use std::collections::VecDeque;
use std::fs::{self, File, TryLockError};
use std::io::Write;
use std::path::Path;
use std::process::ExitCode;
use std::sync::{Mutex, PoisonError};
use std::time::Instant;
use steps::{Baking, Making};
use template::{Asset, Template, assets_in};

/// What became of an asset.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
enum Status {
    /// Baked, delivered, and nothing wrong was found in it.
    Done,
    /// Delivered, but maps are missing or the delivery does not hold what the sculpt has.
    Wanting,
    /// Nothing was delivered.
    Failed,
}

/// A line of the table.
#[derive(Clone, Debug, Serialize, Deserialize)]
struct Row {
    asset: String,
    status: Status,
    /// Nothing had changed since it was baked; all else is from then.
    #[serde(default)]
    unchanged: bool,
    /// From its first step to its last.
    seconds: f64,
    /// Keys of the maps that were made.
    maps: Vec<String>,
    findings: FindingCounts,
    /// As `verify` tells them.
    truths: Value,
    /// What went wrong, in sentences.
    faults: Vec<String>,
    /// Its delivery, below the folder of the batch.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    delivered: Option<String>,
    /// The contact sheet of its delivery, below the folder of the batch.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    contact: Option<String>,
    /// Of the template, the program and every file that it is made of.
    hash: String,
}

impl Row {
    /// Of an asset of which nothing was delivered, for these reasons.
    fn failed(asset: &Asset, faults: Vec<String>) -> Row {
        Row {
            asset: asset.name.clone(),
            status: Status::Failed,
            unchanged: false,
            seconds: 0.0,
            maps: Vec::new(),
            findings: FindingCounts::default(),
            truths: Value::Null,
            faults,
            delivered: None,
            contact: None,
            hash: asset.hash.clone(),
        }
    }
}

#[derive(Clone, Copy, Debug, Default, Serialize, Deserialize)]
struct FindingCounts {
    faults: usize,
    warnings: usize,
    notes: usize,
}

/// `batch.json`, and what `--json` prints.
#[derive(Debug, Serialize, Deserialize)]
struct Ledger {
    assets: Vec<Row>,
    /// Files of the folder that no asset takes, with the reason.
    left_out: Vec<String>,
    done: usize,
    wanting: usize,
    failed: usize,
    unchanged: usize,
    seconds: f64,
}

impl Ledger {
    fn new(mut assets: Vec<Row>, left_out: Vec<String>, seconds: f64) -> Ledger {
        assets.sort_by(|a, b| a.asset.cmp(&b.asset));
        let count = |status: Status| assets.iter().filter(|row| row.status == status).count();
        let unchanged = assets.iter().filter(|row| row.unchanged).count();
        let (done, wanting, failed) = (count(Status::Done), count(Status::Wanting), count(Status::Failed));
        Ledger { assets, left_out, done, wanting, failed, unchanged, seconds }
    }
}

pub use cluster::task;

const LEDGER: &str = "batch.json";
const PAGE: &str = "batch.html";

pub fn run(arguments: &Batch) -> Result<ExitCode, Unusable> {
    let began = Instant::now();
    let template = Template::read(&arguments.template)?;
    let out = arguments.out.clone().unwrap_or_else(|| arguments.folder.join("baked"));
    let (assets, left_out) = assets_in(&arguments.folder, &out, &template)?;
    if assets.is_empty() {
        bail!(
            "{}: no file there is named as a low-poly. Names end in {} before their extension; other endings go into \"endings\" of the template's recipe",
            arguments.folder.display(),
            template.recipe.endings.low.join(", ")
        );
    }
    ready_folder(&out)?;
    let _lock = lock(&out)?;
    let before = read_ledger(&out);
    let known = |asset: &Asset| {
        let row = before.iter().find(|row| row.asset == asset.name && row.hash == asset.hash)?;
        let there = row.delivered.as_ref().is_some_and(|folder| out.join(folder).join("facts.json").is_file());
        (arguments.only_changed && row.status != Status::Failed && there)
            .then(|| Row { unchanged: true, ..row.clone() })
    };
    // Rows that are still to be made anew keep their old line until then: a batch that is cut off has lost nothing.
    let mut rows: Vec<Row> = Vec::new();
    let mut waiting = VecDeque::new();
    for asset in assets {
        match known(&asset) {
            Some(row) => rows.push(row),
            None => {
                rows.extend(before.iter().filter(|row| row.asset == asset.name).cloned());
                waiting.push_back(asset);
            }
        }
    }
    let count = waiting.len();
    let (rows, waiting, at) = (Mutex::new(rows), Mutex::new(waiting), Mutex::new(0usize));
    let keep = |row: Option<Row>| -> Result<(), Unusable> {
        let mut rows = rows.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(row) = row {
            rows.retain(|old| old.asset != row.asset);
            rows.push(row);
        }
        let ledger = Ledger::new(rows.clone(), left_out.clone(), began.elapsed().as_secs_f64());
        write_text(&out.join(LEDGER), &serde_json::to_string_pretty(&ledger)?)?;
        write_text(&out.join(PAGE), &page::page(&ledger))
    };
    let making = Making {
        profile: &template.profile,
        folder: &arguments.folder,
        out: &out,
        threads: arguments.threads(),
        baking: Baking::Here,
    };
    let work = || -> Result<(), Unusable> {
        loop {
            let Some(asset) = waiting.lock().unwrap_or_else(PoisonError::into_inner).pop_front() else { return Ok(()) };
            let row = steps::make(&asset, &making);
            let number = {
                let mut at = at.lock().unwrap_or_else(PoisonError::into_inner);
                *at += 1;
                *at
            };
            aside!("{number} of {count}: {}", line(&row));
            keep(Some(row))?;
        }
    };
    keep(None)?;
    if arguments.slurm {
        let assets = std::mem::take(&mut *waiting.lock().unwrap_or_else(PoisonError::into_inner)).into();
        let mut number = 0;
        cluster::run(assets, &template, arguments, &out, &mut |row| {
            number += 1;
            aside!("{number} of {count}: {}", line(&row));
            keep(Some(row))
        })?;
    }
    let processes = arguments.processes.clamp(1, count.max(1));
    std::thread::scope(|scope| {
        let workers: Vec<_> = (0..processes).map(|_| scope.spawn(work)).collect();
        let ended =
            workers.into_iter().map(|worker| worker.join().map_err(|_| anyhow!("a thread ended unexpectedly"))?);
        ended.collect::<Result<Vec<()>, Unusable>>()
    })?;
    let ledger =
        Ledger::new(rows.into_inner().unwrap_or_else(PoisonError::into_inner), left_out, began.elapsed().as_secs_f64());
    tell(&ledger, &out, arguments.json)?;
    Ok(ExitCode::from(u8::from(ledger.wanting + ledger.failed > 0)))
}

/// Two batches in one folder would write over each other.
fn lock(out: &Path) -> Result<File, Unusable> {
    let path = out.join(".batch.lock");
    let file = File::create(&path).with_context(|| format!("{}: cannot be written", path.display()))?;
    match file.try_lock() {
        Ok(()) => Ok(file),
        Err(TryLockError::WouldBlock) => {
            bail!("{}: another batch works there. Wait for it, or name another folder with --out", out.display())
        }
        Err(TryLockError::Error(fault)) => Err(fault).with_context(|| format!("{}: cannot be locked", path.display())),
    }
}

/// The rows of an earlier batch; none where there was none, or one of another version.
fn read_ledger(out: &Path) -> Vec<Row> {
    let text = fs::read_to_string(out.join(LEDGER)).unwrap_or_default();
    serde_json::from_str::<Ledger>(&text).map(|ledger| ledger.assets).unwrap_or_default()
}

fn write_text(path: &Path, text: &str) -> Result<(), Unusable> {
    write_whole(path, |file| file.write_all(text.as_bytes()))
        .with_context(|| format!("{}: cannot be written", path.display()))
}

/// The truths of a row in a few words: how far the normal map is from the sculpt's own normals, and the displaced low-poly from the sculpt
/// as a share of the asset's diagonal, both in the mean.
fn truth_words(truths: &Value) -> String {
    let lit = truths["lit"][0]["mean"].as_f64().map(|mean| format!("lit {mean:.2}°"));
    let displaced = truths["displaced"]["mean_share"].as_f64().map(|share| format!("displaced {:.3} %", share * 100.0));
    let words: Vec<String> = lit.into_iter().chain(displaced).collect();
    if words.is_empty() { "-".to_owned() } else { words.join(", ") }
}

fn status_words(row: &Row) -> &'static str {
    match (row.status, row.unchanged) {
        (Status::Done, false) => "done",
        (Status::Done, true) => "unchanged",
        (Status::Wanting, false) => "wanting",
        (Status::Wanting, true) => "wanting, unchanged",
        (Status::Failed, _) => "failed",
    }
}

fn finding_words(counts: FindingCounts) -> String {
    let FindingCounts { faults, warnings, notes } = counts;
    format!("{faults}/{warnings}/{notes}")
}

fn line(row: &Row) -> String {
    let fault = row.faults.first().map_or(String::new(), |fault| format!(": {fault}"));
    format!("{} {} in {:.1} s{fault}", row.asset, status_words(row), row.seconds)
}

fn tell(ledger: &Ledger, out: &Path, json: bool) -> Result<(), Unusable> {
    if json {
        answer!("{}", serde_json::to_string_pretty(ledger)?);
        return Ok(());
    }
    let wide = ledger.assets.iter().map(|row| row.asset.chars().count()).max().unwrap_or(0).max(5);
    answer!("{:<wide$}  {:>8}  {:>5}  {:>12}  {:<32}  status", "asset", "seconds", "maps", "flt/wrn/note", "truths");
    for row in &ledger.assets {
        answer!(
            "{:<wide$}  {:>8.1}  {:>5}  {:>12}  {:<32}  {}",
            row.asset,
            row.seconds,
            row.maps.len(),
            finding_words(row.findings),
            truth_words(&row.truths),
            status_words(row)
        );
        for fault in &row.faults {
            answer!("{:<wide$}  {fault}", "");
        }
    }
    for left in &ledger.left_out {
        answer!("left out: {left}");
    }
    answer!(
        "{} done ({} unchanged), {} wanting, {} failed in {:.1} s; {}",
        ledger.done,
        ledger.unchanged,
        ledger.wanting,
        ledger.failed,
        ledger.seconds,
        out.join(PAGE).display()
    );
    Ok(())
}
