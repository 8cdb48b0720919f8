//! The steps of one asset, each a process: bake, deliver, verify.

use super::template::Asset;
use super::{FindingCounts, Row, Status};
use crate::Unusable;
use crate::baked::Baked;
use crate::shell::{WITH_INPUT, error_of};
use anyhow::{Context, anyhow};
use ember_ridge_core::Severity;
use ember_ridge_core::deliver::Profile;
use ember_ridge_formats::deliver::{WORK as DELIVERY, facts_in};
use ember_ridge_formats::files::write_whole;
use serde::Deserialize;
use serde_json::Value;
use std::ffi::OsStr;
use std::fs;
use std::io::Write;
use std::path::Path;
use std::process::{Command, Stdio};
use std::time::Instant;

/// What `verify --json` answers, as far as the table shows it.
#[derive(Default, Deserialize)]
struct Verified {
    truths: Value,
    faults: Vec<VerifiedFault>,
}

#[derive(Deserialize)]
struct VerifiedFault {
    file: String,
    fault: String,
    remedy: String,
}

/// Folder in an asset's that its bake is made in.
const WORK: &str = ".work";

/// How assets are made.
pub struct Making<'a> {
    pub profile: &'a Profile,
    /// Of the meshes.
    pub folder: &'a Path,
    pub out: &'a Path,
    /// Of each process.
    pub threads: usize,
    pub baking: Baking<'a>,
}

/// Where the maps of an asset come from.
#[derive(Clone, Copy)]
pub enum Baking<'a> {
    Here,
    /// From the tiles of a job, in this folder.
    Joined(&'a Path),
}

/// Makes an asset; whatever goes wrong is told in its row.
pub fn make(asset: &Asset, making: &Making) -> Row {
    let began = Instant::now();
    let mut row = Row::failed(asset, Vec::new());
    if let Err(fault) = steps(asset, making, &mut row) {
        row.status = Status::Failed;
        row.faults.push(format!("{fault:#}"));
    }
    row.seconds = began.elapsed().as_secs_f64();
    row
}

fn steps(asset: &Asset, making: &Making, row: &mut Row) -> Result<(), Unusable> {
    let place = making.out.join(&asset.name);
    let work = place.join(WORK);
    fs::create_dir_all(&place).with_context(|| format!("{}: cannot be made", place.display()))?;
    tidy(&place)?;
    fs::create_dir_all(&work).with_context(|| format!("{}: cannot be made", work.display()))?;
    let text = |name: &str, text: String| -> Result<_, Unusable> {
        let path = work.join(name);
        write_whole(&path, |file| file.write_all(text.as_bytes()))
            .with_context(|| format!("{}: cannot be written", path.display()))?;
        Ok(path)
    };
    let recipe = text("recipe.json", serde_json::to_string_pretty(&asset.recipe)?)?;
    let profile = text("profile.json", serde_json::to_string_pretty(making.profile)?)?;
    let baked = work.join("baked");
    let meshes: [&OsStr; 2] = ["--meshes".as_ref(), making.folder.as_os_str()];
    let step = |command: &str, words: &[&OsStr], more: &[&OsStr]| -> Result<Ended, Unusable> {
        let program = std::env::current_exe().context("this program's own file is gone; install it again")?;
        let mut process = Command::new(program);
        process.env(WITH_INPUT, "1").arg(command).args(words).args(more);
        // Its input stays open as long as this process lives, and it ends when that closes.
        process.stdin(Stdio::piped()).stdout(Stdio::piped()).stderr(Stdio::piped());
        let mut child = process.spawn().with_context(|| format!("{command}: no process can be begun"))?;
        let _input = child.stdin.take();
        let ended = child.wait_with_output().with_context(|| format!("{command}: its answer cannot be heard"))?;
        let why = error_of(command, &ended);
        match ended.status.code() {
            Some(code @ 0..=1) => {
                Ok(Ended { fine: code == 0, answer: String::from_utf8_lossy(&ended.stdout).into_owned(), why })
            }
            _ => Err(anyhow!(why)),
        }
    };
    let threads = making.threads.to_string();
    let to: [&OsStr; 4] = ["--out".as_ref(), baked.as_os_str(), "--threads".as_ref(), threads.as_ref()];
    let bake = match making.baking {
        Baking::Here => step("bake", &[recipe.as_os_str()], &[&to[..], &meshes].concat())?,
        Baking::Joined(job) => step("join", &[job.as_os_str()], &to)?,
    };
    if !baked.join("report.json").is_file() {
        return Err(anyhow!(bake.why));
    }
    let report = Baked::open(&baked)?.report;
    row.maps = report.maps.iter().filter(|(_, map)| map.error.is_none()).map(|(key, _)| key.clone()).collect();
    let count = |severity| {
        report.findings.iter().filter(|finding| finding.severity == severity && finding.allowed.is_none()).count()
    };
    row.findings = FindingCounts {
        faults: count(Severity::Fault),
        warnings: count(Severity::Warning),
        notes: count(Severity::Note),
    };
    if !bake.fine {
        let failed = report.maps.iter().filter_map(|(key, map)| Some(format!("{key}: {}", map.error.as_ref()?)));
        row.faults.extend(failed);
        if row.faults.is_empty() {
            row.faults.push(bake.why);
        }
    }
    let delivered = place.join("delivered");
    let to: [&OsStr; 7] = [
        baked.as_os_str(),
        "--profile".as_ref(),
        profile.as_os_str(),
        "--to".as_ref(),
        delivered.as_os_str(),
        "--replace".as_ref(),
        "--json".as_ref(),
    ];
    let deliver = step("deliver", &to, &meshes)?;
    if !deliver.fine {
        return Err(anyhow!("nothing was delivered: {}", first_fault(&deliver.answer).unwrap_or(deliver.why)));
    }
    row.delivered = Some(format!("{}/delivered", asset.name));
    let facts = facts_in(&delivered);
    let contact = facts.as_ref().and_then(|facts| facts.contact_sheet());
    row.contact = contact.map(|file| format!("{}/delivered/{file}", asset.name));
    let of: [&OsStr; 4] = [baked.as_os_str(), "--delivery".as_ref(), delivered.as_os_str(), "--json".as_ref()];
    let verify = step("verify", &of, &meshes)?;
    let verified: Verified =
        serde_json::from_str(&verify.answer).context("verify answered with something else than JSON")?;
    row.truths = verified.truths;
    row.faults.extend(
        verified.faults.into_iter().map(|VerifiedFault { file, fault, remedy }| format!("{file}: {fault}. {remedy}")),
    );
    row.status = if row.faults.is_empty() { Status::Done } else { Status::Wanting };
    let kept = place.join("baked");
    if kept.exists() {
        fs::remove_dir_all(&kept).with_context(|| format!("{}: cannot be removed", kept.display()))?;
    }
    fs::rename(&baked, &kept).with_context(|| format!("{}: cannot be put there", kept.display()))?;
    fs::remove_dir_all(&work).with_context(|| format!("{}: cannot be removed", work.display()))
}

struct Ended {
    fine: bool,
    answer: String,
    why: String,
}

/// What a batch that was cut off has left.
fn tidy(place: &Path) -> Result<(), Unusable> {
    let entries = fs::read_dir(place).with_context(|| format!("{}: its files cannot be listed", place.display()))?;
    for path in entries.flatten().map(|entry| entry.path()) {
        let name = path.file_name().unwrap_or_default().to_string_lossy().into_owned();
        if name == WORK || name.starts_with(DELIVERY) {
            fs::remove_dir_all(&path).with_context(|| format!("{}: cannot be removed", path.display()))?;
        }
    }
    Ok(())
}

/// The first thing that forbade a delivery.
fn first_fault(answer: &str) -> Option<String> {
    let answer: Value = serde_json::from_str(answer).ok()?;
    let words = |of: &Value, fields: [&str; 2]| {
        Some(fields.map(|field| of[field].as_str().unwrap_or_default().to_owned()).join(". "))
    };
    let check = answer["checks"].as_array()?.iter().find(|check| check["fine"] == false);
    let check = check.and_then(|check| Some(format!("{}: {}", check["file"].as_str()?, check["found"].as_str()?)));
    check.or_else(|| answer["findings"].as_array()?.first().and_then(|finding| words(finding, ["reason", "remedy"])))
}
