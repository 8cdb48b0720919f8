//! A batch on a cluster: one array over assets and over shares of large ones, the largest first, and one after it that joins, delivers and
//! verifies those that were cut up. What a task is to do and what came of it are files beside the table.

use super::Row;
use super::steps::{Baking, Making, make};
use super::template::{Asset, Template};
use crate::Unusable;
use crate::arguments::{Batch, BatchTask};
use crate::files::{Files, ready_folder};
use crate::many::not_sent;
use crate::progress::Progress;
use crate::say::aside;
use crate::scene::load_mesh;
use crate::shell::error_of;
use anyhow::{Context, anyhow, bail};
use ember_ridge_core::Mesh;
use ember_ridge_core::deliver::Profile;
use ember_ridge_core::sheet::{SheetSettings, plan_sheets};
use ember_ridge_formats::files::write_whole;
use ember_ridge_formats::job::{Estimated, Job, Slurm, ToSend, quoted};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::fs;
use std::io::Write;
use std::path::{Path, PathBuf};
use std::process::{Command, ExitCode, Stdio};
use std::time::Duration;

/// Folder of tasks, answers and logs.
const FOLDER: &str = ".cluster";
const TASKS: &str = "tasks";
const AFTER: &str = "after";
const ROWS: &str = "rows";
const SENT: &str = "sent.json";
/// Millions of samples of one share, and shares of an asset at most.
const OF_SHARE: f64 = 16.0;
const MOST_SHARES: usize = 64;
/// How often the queue is asked, and how often it may fail to answer in a row.
const PAUSE: Duration = Duration::from_secs(1);
const SILENT: usize = 120;
/// Of an asset that is not cut up, and so is not estimated: seconds of a million samples, and bytes.
const SECONDS_OF_MILLION: f64 = 20.0;
const BYTES: u64 = 2 << 30;

/// What a task does.
#[derive(Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", tag = "do")]
enum Task {
    /// All of an asset, or what is left to do of one whose tiles were made by other tasks.
    Asset {
        asset: Box<Asset>,
        profile: Box<Profile>,
        folder: PathBuf,
        out: PathBuf,
        threads: usize,
        job: Option<PathBuf>,
    },
    Share {
        job: PathBuf,
        share: usize,
        threads: usize,
    },
}

/// Runs assets on a cluster; each row is handed over as it comes.
///
/// # Errors
/// The cluster does not answer or refuses the jobs; the folder cannot be written.
pub fn run(
    assets: Vec<Asset>,
    template: &Template,
    arguments: &Batch,
    out: &Path,
    keep: &mut dyn FnMut(Row) -> Result<(), Unusable>,
) -> Result<(), Unusable> {
    let out = out.canonicalize().with_context(|| out.display().to_string())?;
    let folder = arguments.folder.canonicalize().with_context(|| arguments.folder.display().to_string())?;
    let place = out.join(FOLDER);
    let slurm = arguments.cluster.slurm();
    refuse_if_sent(&slurm, &place)?;
    let _ = fs::remove_dir_all(&place);
    for name in [TASKS, AFTER, ROWS, "logs"] {
        ready_folder(&place.join(name))?;
    }
    let threads = arguments.threads().max(1);
    let whole = |asset: Asset, job: Option<PathBuf>| Task::Asset {
        asset: Box::new(asset),
        profile: Box::new(template.profile.clone()),
        folder: folder.clone(),
        out: out.clone(),
        threads,
        job,
    };
    let (mut seconds, mut bytes) = (0.0f64, BYTES);
    // Each task with millions of samples that it makes.
    let (mut tasks, mut after): (Vec<(f64, Task)>, Vec<Task>) = Default::default();
    for asset in assets {
        let samples = samples_of(&asset, &folder);
        if samples <= f64::from(arguments.split_above) {
            tasks.push((samples, whole(asset, None)));
            continue;
        }
        let shares = ((samples / OF_SHARE).ceil() as usize).clamp(2, MOST_SHARES);
        let job = place.join("jobs").join(&asset.name);
        match split(&asset, &folder, &job, shares) {
            Ok(estimate) => {
                bytes = bytes.max(estimate.join_memory + estimate.thread_memory * threads as u64);
                seconds = seconds.max(estimate.longest_seconds).max(estimate.join_seconds);
                let share = |share| (samples / shares as f64, Task::Share { job: job.clone(), share, threads });
                tasks.extend((0..shares).map(share));
                after.push(whole(asset, Some(job)));
            }
            Err(fault) => keep(Row::failed(&asset, vec![format!("{fault:#}")]))?,
        }
    }
    tasks.sort_by(|a, b| b.0.total_cmp(&a.0));
    let whole_assets = tasks.iter().filter(|(_, task)| matches!(task, Task::Asset { .. }));
    let largest = whole_assets.map(|(samples, _)| *samples).fold(0.0, f64::max);
    seconds = seconds.max(largest * SECONDS_OF_MILLION) / threads as f64;
    let mut wanted: BTreeMap<PathBuf, Asset> = BTreeMap::new();
    let lists = [(TASKS, tasks.into_iter().map(|(_, task)| task).collect::<Vec<_>>()), (AFTER, after)];
    for (name, list) in &lists {
        for (number, task) in list.iter().enumerate() {
            write(&place.join(name).join(format!("{number}.json")), task)?;
            if let Task::Asset { asset, .. } = task {
                wanted.insert(place.join(ROWS).join(format!("{name}-{number}.json")), (**asset).clone());
            }
        }
    }
    let program = quoted(&std::env::current_exe()?);
    let mut sent: Vec<String> = Vec::new();
    for (name, list) in lists.iter().filter(|(_, list)| !list.is_empty()) {
        let command = format!("{program} batch-task {} {name}", quoted(&place));
        let job = ToSend {
            name: &format!("batch-{name}"),
            comment: None,
            log: place.join("logs").join(format!("{name}-%a.log")),
            threads,
            seconds,
            bytes,
            after: sent.first().map(String::as_str),
        };
        let number = slurm.send_array(&job, &command, list.len()).map_err(not_sent)?;
        sent.push(number);
        write(&place.join(SENT), &sent)?;
    }
    if sent.is_empty() {
        return Ok(());
    }
    aside!("sent as jobs {}; this waits for them, and scancel ends them", sent.join(", "));
    gather((&slurm, &sent), wanted, &place, keep)
}

/// Hands rows over as they come, until no job is left; what has no row by then failed.
fn gather(
    (slurm, sent): (&Slurm, &[String]),
    mut wanted: BTreeMap<PathBuf, Asset>,
    place: &Path,
    keep: &mut dyn FnMut(Row) -> Result<(), Unusable>,
) -> Result<(), Unusable> {
    let (mut silent, mut lost) = (0, false);
    loop {
        // Asked for before rows are looked for: who has left the queue has written its row.
        let queued = slurm.in_queue(sent).ok();
        let come: Vec<PathBuf> = wanted.keys().filter(|path| path.is_file()).cloned().collect();
        for path in come {
            let text = fs::read_to_string(&path).with_context(|| unreadable(&path))?;
            let row = serde_json::from_str(&text).with_context(|| unreadable(&path))?;
            wanted.remove(&path);
            keep(row)?;
        }
        if queued == Some(false) {
            for (_, asset) in std::mem::take(&mut wanted) {
                let logs = place.join("logs");
                let why = format!("its task ended without an answer; its words are in {}", logs.display());
                keep(Row::failed(&asset, vec![why]))?;
                lost = true;
            }
        }
        if wanted.is_empty() {
            break;
        }
        silent = if queued.is_none() { silent + 1 } else { 0 };
        if silent == SILENT {
            bail!(
                "the cluster does not answer any more. Its jobs {} may still run; once they have ended, run this again \
                 with --only-changed",
                sent.join(", ")
            );
        }
        std::thread::sleep(PAUSE);
    }
    if !lost {
        // It takes room and does no other harm.
        let _ = fs::remove_dir_all(place);
    }
    Ok(())
}

fn unreadable(path: &Path) -> String {
    format!("{}: it cannot be read. Run the batch again with --only-changed", path.display())
}

fn refuse_if_sent(slurm: &Slurm, place: &Path) -> Result<(), Unusable> {
    let sent: Vec<String> =
        fs::read_to_string(place.join(SENT)).ok().and_then(|text| serde_json::from_str(&text).ok()).unwrap_or_default();
    if !sent.is_empty() && slurm.in_queue(&sent).unwrap_or_default() {
        bail!(
            "{}: jobs {} of an earlier batch are still in the queue. Wait for them, or end them with scancel",
            place.display(),
            sent.join(", ")
        );
    }
    Ok(())
}

/// Millions of samples that an asset's bake takes, over all of its sheets. One whose low-poly cannot be read fails when it is baked.
fn samples_of(asset: &Asset, folder: &Path) -> f64 {
    let (files, progress) = (Files::in_folder(folder.to_owned()), Progress::quiet());
    let settings = &asset.recipe.sheet;
    let sheets = || -> Result<usize, Unusable> {
        let low = asset.recipe.low.iter().map(|source| load_mesh(source, &files, &progress));
        let low = Mesh::joined(&low.collect::<Result<Vec<_>, _>>()?.iter().collect::<Vec<_>>());
        Ok(plan_sheets(&low, &SheetSettings { size: 16, ..*settings }).len())
    };
    let sheets = if settings.layout == Default::default() { 1 } else { sheets().unwrap_or(1) };
    f64::from(settings.size).powi(2) * f64::from(settings.samples) * sheets as f64 / 1e6
}

/// Cuts an asset up; what its tasks are expected to take.
fn split(asset: &Asset, folder: &Path, job: &Path, shares: usize) -> Result<Estimated, Unusable> {
    let parent = job.parent().unwrap_or(job);
    ready_folder(parent)?;
    let recipe = job.with_extension("recipe.json");
    write(&recipe, &asset.recipe)?;
    let mut split = Command::new(std::env::current_exe()?);
    split.arg("split").arg(&recipe).args(["--jobs", &shares.to_string(), "--to"]).arg(job);
    let done = split.arg("--meshes").arg(folder).stdin(Stdio::null()).output().context("split")?;
    match done.status.success() {
        true => Ok(Job::open(job)?.facts.estimate),
        false => Err(anyhow!(error_of("split", &done))),
    }
}

fn write(path: &Path, value: &impl Serialize) -> Result<(), Unusable> {
    let text = serde_json::to_string(value)?;
    write_whole(path, |file| file.write_all(text.as_bytes())).with_context(|| {
        format!("{}: cannot be written. Free some space there, or name another folder with --out", path.display())
    })
}

/// `ember-ridge batch-task`: one task of the array.
pub fn task(arguments: &BatchTask) -> Result<ExitCode, Unusable> {
    let path = arguments.place.join(&arguments.list).join(format!("{}.json", arguments.number));
    let text = fs::read_to_string(&path).with_context(|| unreadable(&path))?;
    match serde_json::from_str(&text).with_context(|| unreadable(&path))? {
        Task::Share { job, share, threads } => {
            crate::many::work(&crate::arguments::Work { dir: job, job: share, threads })
        }
        Task::Asset { asset, profile, folder, out, threads, job } => {
            let baking = job.as_deref().map_or(Baking::Here, Baking::Joined);
            let row = make(&asset, &Making { profile: &profile, folder: &folder, out: &out, threads, baking });
            write(&arguments.place.join(ROWS).join(format!("{}-{}.json", arguments.list, arguments.number)), &row)?;
            Ok(ExitCode::SUCCESS)
        }
    }
}
