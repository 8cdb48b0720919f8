//! How far a job is, told from its folder alone.

use super::folder::{Job, JobFault, Share, with_path};
use super::tiles::{JobTiles, UNFINISHED};
use crate::files::write_whole;
use rustc_hash::FxHashMap;
use serde::{Deserialize, Serialize};
use std::collections::BTreeSet;
use std::fs;
use std::io;
use std::path::PathBuf;
use std::time::{Duration, SystemTime};

/// Tiles that came in so long before the last are what the rate is told from.
const WINDOW: Duration = Duration::from_secs(600);
const FAILED: &str = "failed";

/// A share whose worker gave up, and why.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct FailedShare {
    pub share: usize,
    pub why: String,
}

/// How far a job is.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Status {
    /// Tiles of the job, those that are there, those that are not, and those among them whose share failed.
    pub tiles: usize,
    pub done: usize,
    pub left: usize,
    pub failed: usize,
    pub shares: usize,
    pub shares_done: usize,
    pub failed_shares: Vec<FailedShare>,
    /// Tiles that came in in a second, lately; None before two of them did.
    pub rate: Option<f64>,
    /// Seconds that are left at that rate, by what the tiles that are left are likely to cost.
    pub seconds_left: Option<f64>,
}

impl Job {
    /// How far it is.
    ///
    /// # Errors
    /// The folder cannot be read.
    pub fn status(&self) -> Result<Status, JobFault> {
        let shares = self.shares()?;
        let came = self.came()?;
        let failed_shares = self.failed_shares(&shares);
        let is_done = |block: &u32| came.contains_key(block);
        let done = shares.iter().flat_map(|share| &share.blocks).filter(|block| is_done(block)).count();
        let failed: BTreeSet<usize> = failed_shares.iter().map(|failed| failed.share).collect();
        let left_of = |share: &Share| share.blocks.iter().filter(|block| !is_done(block)).count();
        let failed = failed.iter().filter_map(|share| shares.get(*share)).map(left_of).sum();
        let shares_done = shares.iter().filter(|share| share.blocks.iter().all(&is_done)).count();
        let costed = || shares.iter().flat_map(|share| share.blocks.iter().zip(&share.costs));
        let cost = |wanted: &dyn Fn(&u32) -> bool| -> f64 {
            costed().filter(|(block, _)| wanted(block)).map(|(_, cost)| f64::from(*cost)).sum()
        };
        let lately = lately(came.values().copied());
        let rate = lately.map(|(from, seconds)| {
            let late = |block: &u32| came.get(block).is_some_and(|at| *at > from);
            (came.values().filter(|at| **at > from).count() as f64 / seconds, cost(&late) / seconds)
        });
        let left_cost = cost(&|block| !is_done(block));
        let tiles = self.facts.tiles;
        Ok(Status {
            tiles,
            done,
            left: tiles.saturating_sub(done),
            failed,
            shares: shares.len(),
            shares_done,
            failed_shares,
            rate: rate.map(|(tiles, _)| tiles),
            seconds_left: rate.filter(|(_, cost)| *cost > 0.0).map(|(_, cost)| left_cost / cost),
        })
    }

    /// When each tile that is there came in.
    fn came(&self) -> io::Result<FxHashMap<u32, SystemTime>> {
        let mut came = FxHashMap::default();
        let folders = match fs::read_dir(self.tiles_folder()) {
            Ok(folders) => folders,
            Err(fault) if fault.kind() == io::ErrorKind::NotFound => return Ok(came),
            Err(fault) => return Err(with_path(&self.tiles_folder())(fault)),
        };
        for folder in folders {
            let folder = folder?.path();
            for entry in fs::read_dir(&folder).map_err(with_path(&folder))? {
                let entry = entry?;
                if let Some(block) = JobTiles::block_of(&entry.path()) {
                    came.insert(block, entry.metadata()?.modified()?);
                }
            }
        }
        Ok(came)
    }

    fn failed_path(&self, share: usize) -> PathBuf {
        self.folder().join(FAILED).join(format!("{share}.json"))
    }

    /// Shares whose worker gave up and that are not done since.
    fn failed_shares(&self, shares: &[Share]) -> Vec<FailedShare> {
        let entries = fs::read_dir(self.folder().join(FAILED)).into_iter().flatten().flatten();
        let read = entries.filter_map(|entry| serde_json::from_str(&fs::read_to_string(entry.path()).ok()?).ok());
        let mut failed: Vec<FailedShare> = read.filter(|f: &FailedShare| f.share < shares.len()).collect();
        failed.sort_by_key(|failed| failed.share);
        failed
    }

    /// Notes that the worker of a share gave up.
    ///
    /// # Errors
    /// It cannot be written.
    pub fn note_failed(&self, share: usize, why: &str) -> io::Result<()> {
        let path = self.failed_path(share);
        fs::create_dir_all(self.folder().join(FAILED))?;
        let text = serde_json::to_string(&FailedShare { share, why: why.to_owned() }).map_err(io::Error::other)?;
        write_whole(&path, |file| io::Write::write_all(file, text.as_bytes()))
    }

    /// Forgets that the worker of a share gave up.
    pub fn note_done(&self, share: usize) {
        // Where nothing was noted, nothing is to be removed.
        let _ = fs::remove_file(self.failed_path(share));
    }

    /// Removes what killed workers left of tiles on their way.
    pub fn sweep(&self) {
        for folder in fs::read_dir(self.tiles_folder()).into_iter().flatten().flatten() {
            for entry in fs::read_dir(folder.path()).into_iter().flatten().flatten() {
                if entry.file_name().to_string_lossy().starts_with(UNFINISHED) {
                    // It takes room and does no other harm.
                    let _ = fs::remove_file(entry.path());
                }
            }
        }
    }
}

/// Where the window that tells the rate begins, and how many seconds it spans; None where too few tiles came in to tell.
fn lately(came: impl Iterator<Item = SystemTime> + Clone) -> Option<(SystemTime, f64)> {
    let (first, last) = (came.clone().min()?, came.max()?);
    let from = last.checked_sub(WINDOW).map_or(first, |from| from.max(first));
    let seconds = last.duration_since(from).ok()?.as_secs_f64();
    (seconds > 0.0).then_some((from, seconds))
}
